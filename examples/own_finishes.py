"""Finishes of one's own: a catalogue of two, and a schedule that names them."""

from pathlib import Path

import irodori as iro
from irodori.demo import demo_path

out = Path("own_finishes")
out.mkdir(exist_ok=True)
(out / "finishes.toml").write_text("""\
["lake blue boards"]
like = "larch boards, upright"
about = "Painted boards, 120 mm"
colour = "#4a6a80"
unit = [0.12, 4.0]

["red standing seam"]
like = "standing seam zinc"
colour = "#7a3a30"
""")
schedule = "where,finish\nname hall*wall*,lake blue boards\nname kiosk*,lake blue boards\nrole roof,red standing seam\n"
structure = iro.read_structure(iro.open_model(demo_path("landing.glb")).view("landing", width=640))
scene = iro.dress(structure, schedule, "afternoon", catalogue=out / "finishes.toml")
print("wrote", iro.render(scene, "draft").save(out / "afternoon.png"))
