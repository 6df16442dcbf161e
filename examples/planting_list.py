"""A planting list, in two seasons: trees, a hedge and beds that stand at the same places in every view."""

from pathlib import Path

import irodori as iro
from irodori.demo import demo_path

out = Path("planting_list")
planting = """\
mark,what,where,height,facing,over,note
T01,lime tree,"at -13,20.5 -6,21.5 1,20.8",10.5,,,behind the hall
T02,cherry,"at -12.6,9.5",4.8,,yes,between hall and shed
H01,hornbeam hedge,"along 10.5,17.4 23.5,17.4",1.5,,,back of the quay
R01,reeds,"within 14,-4.4 27,-4.4 27,-2.6 14,-2.6",1.7,,yes,in front of the quay
P01,person standing,"at 6,2.5",,200,yes,
"""
structure = iro.read_structure(iro.open_model(demo_path("landing.glb")).view("landing", width=640))
for season in ("summer", "autumn"):
    scene = iro.dress(structure, demo_path("finishes.csv"), "afternoon", entourage=planting, season=season)
    print("wrote", iro.render(scene, "draft").save(out / f"{season}.png"))
print(scene.additions_table().groupby(["what", "state"]).size())
