"""A sun study: one view over the hours of the equinox and of the summer solstice, at a place."""

from pathlib import Path

from PIL import Image

import irodori as iro
from irodori.demo import demo_path
from irodori.study.contact_sheet import contact_sheet

out = Path("sun_study")
out.mkdir(exist_ok=True)
structure = iro.read_structure(iro.open_model(demo_path("landing.glb")).view("aerial", width=480))
moments = [f"{day} {hour:02d}:00+02:00 @ 46.5, 8.1" for day in ("2026-03-20", "2026-06-21") for hour in (9, 12, 15, 18)]
made = iro.series(structure, demo_path("finishes.csv"), moments, quality="draft")
sheet = contact_sheet([(moment.split("+")[0], picture.developed) for moment, picture in made])
Image.fromarray(sheet).save(out / "sheet.png")
print("wrote", out / "sheet.png")
