"""An interior by day and by night, its lamps dimmed afterwards without tracing again."""

from pathlib import Path

import irodori as iro
from irodori.demo import demo_path

out = Path("hall_by_day_and_night")
hall = iro.open_model(demo_path("landing.glb")).view("hall", width=640)
structure = iro.read_structure(hall)
for light in ("afternoon", "night"):
    picture = iro.render(iro.dress(structure, demo_path("finishes.csv"), light), "draft")
    print("wrote", picture.save(out / f"{light}.png"))
print("wrote", picture.rebalanced(lamps=0.4, exposure=0.5).save(out / "night-dimmed.png"))
