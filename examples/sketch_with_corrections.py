"""A hand sketch, of which one thing is put right: the lake was taken for ground, and a door's height gives the scale."""

from pathlib import Path

import irodori as iro
from irodori.demo import demo_path

out = Path("sketch_with_corrections")
sketch = iro.open_capture(demo_path("landing-sketch.png"))
given = iro.Corrections.model_validate({
    "surface": [{"at": (640, 700), "role": "water"}],
    "length": [{"from": (583, 478), "to": (583, 384), "metres": 3.0}],
})  # fmt: skip
structure = iro.read_structure(sketch, corrections=given)
picture = iro.render(iro.dress(structure, light="dusk"), "draft")
print("wrote", picture.save(out / "dusk.png"))
print("with", iro.Recipe.of(out / "dusk.png").reading.corrections.text)
