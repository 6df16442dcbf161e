"""Every model rendered with no option given, as a new user would, on one sheet to be looked at.

python benchmarks/models/sheet.py SHEET.png [--quality draft]
"""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from PIL import Image

sys.path.insert(0, str(Path(__file__).parent))
import make_models
import newcomers

import irodori as iro
from irodori.study.contact_sheet import contact_sheet

WIDTH = 480


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("sheet")
    asked.add_argument("--quality", default="review")
    asked.add_argument("--keep", help="folder for the pictures themselves")
    told = asked.parse_args()
    pictures = []
    with tempfile.TemporaryDirectory() as folder:
        paths = [*make_models.write(Path(folder)), *newcomers.write(Path(folder) / "new")]
        for path in paths:
            begun = time.perf_counter()
            picture = iro.make(path, quality=told.quality)
            where = Path(told.keep or folder) / f"{path.stem}{path.suffix.replace('.', '-')}.png"
            where.parent.mkdir(parents=True, exist_ok=True)
            picture.save(where)
            print(f"{path.name:24s} {time.perf_counter() - begun:5.1f} s", flush=True)
            small = Image.open(where).convert("RGB").resize((WIDTH, WIDTH * 5 // 8), Image.Resampling.LANCZOS)
            pictures.append((path.name, np.asarray(small)))
    Image.fromarray(contact_sheet(pictures)).save(told.sheet)


if __name__ == "__main__":
    main()
