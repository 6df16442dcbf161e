"""A folder of captures in one go: each rendered and proved, and a table of how it went."""

import shutil
from pathlib import Path

import pandas as pd

import irodori as iro
from irodori.demo import demo_path

out = Path("folder_of_captures")
captures = out / "captures"
captures.mkdir(parents=True, exist_ok=True)
for name in ("landing-shaded.png", "hall-shaded.png"):
    shutil.copy(demo_path(name), captures)
rows = []
for path in sorted(captures.glob("*.png")):
    capture = iro.open_capture(path)
    picture = iro.render(iro.dress(iro.read_structure(capture), light="golden hour"), "draft")
    report = iro.prove(capture, picture)
    saved = picture.save(out / path.name)
    rows.append({"capture": path.name, "in register": report.in_register, "drift, px": report.drift["median"]})
    print("wrote", saved)
pd.DataFrame(rows).to_csv(out / "proofs.csv", index=False)
