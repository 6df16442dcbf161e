"""Another finish on one place of a picture that is done: outside the mask no byte changes."""

from pathlib import Path

import numpy as np

import irodori as iro
from irodori.demo import demo_path

out = Path("change_only_here")
structure = iro.read_structure(iro.open_model(demo_path("landing.glb")).view("landing", width=640))
picture = iro.render(iro.dress(structure, demo_path("finishes.csv"), "afternoon"), "draft")
mask = np.zeros(structure.regions.shape, bool)
mask[120:215, 440:560] = True  # a mask may be a file painted in any program, too
charred = iro.dress(structure, 'where,finish\nrole wall,"charred boards, upright"\n', "afternoon")
changed = iro.render(charred, "draft", only=mask, over=picture)
print("wrote", picture.save(out / "before.png"), "and", changed.save(out / "after.png"))
print("the same outside:", np.array_equal(picture.developed[~mask], changed.developed[~mask]))
