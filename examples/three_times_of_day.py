"""A capture at three times of day: the same picture from its pixels alone, in the morning, at noon and at dusk."""

from pathlib import Path

import irodori as iro
from irodori.demo import demo_path

out = Path("three_times_of_day")
structure = iro.read_structure(iro.open_capture(demo_path("landing-shaded.png")))
for light, picture in iro.series(structure, lights=["morning", "noon", "dusk"], quality="draft"):
    print("wrote", picture.save(out / f"{light}.png"))
