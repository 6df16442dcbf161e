"""Checking a picture that was made elsewhere: here one whose right half drifted by two pixels."""

from pathlib import Path

import numpy as np
from PIL import Image

import irodori as iro
from irodori.demo import demo_path

out = Path("check_a_picture_made_elsewhere")
out.mkdir(exist_ok=True)
capture = iro.open_capture(demo_path("landing-shaded.png"))
elsewhere = np.asarray(Image.open(demo_path("landing-shaded.png")).convert("RGB")).copy()
half = elsewhere.shape[1] // 2
elsewhere[:, half + 2 :] = elsewhere[:, half:-2]
Image.fromarray(elsewhere).save(out / "elsewhere.png")
report = iro.prove(capture, out / "elsewhere.png")
print(report)
for reason in report.reasons:
    print(" ", reason)
Image.fromarray(report.heatmap()).save(out / "drift.png")
report.changes_table().to_csv(out / "changes.csv", index=False)
