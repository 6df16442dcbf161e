"""One finish schedule on three views: what is oak in one is oak in all."""

from pathlib import Path

import irodori as iro
from irodori.demo import demo_path

out = Path("one_schedule_three_views")
model = iro.open_model(demo_path("landing.glb"))
for view in ("landing", "aerial", "gangway"):
    capture = model.view(view, width=640)
    scene = iro.dress(iro.read_structure(capture), finishes=demo_path("finishes.csv"), light="afternoon")
    picture = iro.render(scene, "draft")
    print("wrote", picture.save(out / f"{view}.png"), iro.prove(capture, picture))
    scene.assignments_table().to_csv(out / f"{view}-finishes.csv", index=False)
