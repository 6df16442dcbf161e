"""How near each quality comes to a picture traced with thousands of rays a place: PSNR of the developed picture, dB."""

from __future__ import annotations

import sys

import numpy as np

import irodori as iro
from irodori.demo.files import demo_path
from irodori.engine.trace import EFFORTS, Effort

LIGHTS = ("noon", "dusk")
REFERENCE = Effort(
    step=1, hemisphere=4096, sun=256, mirror=256, lamps=256, cells=1024, passes=0, smoothing=0,
)  # fmt: skip
GOALS = {"draft": 30, "review": 36, "final": 42}


def main() -> None:
    width = int(sys.argv[1]) if len(sys.argv) > 1 else 320
    structure = iro.open_model(demo_path("landing.glb")).view("landing", width=width).exact
    EFFORTS["reference"] = REFERENCE
    print(f"{'light':14s}" + "".join(f"{name:>10s}" for name in GOALS) + f"   ({width} px wide; goals {GOALS})")
    for light in LIGHTS:
        scene = iro.dress(structure, demo_path("finishes.csv"), light)
        truth = iro.render(scene, "reference").encoded
        found = [psnr(iro.render(scene, quality).encoded, truth) for quality in GOALS]
        print(f"{light:14s}" + "".join(f"{value:10.1f}" for value in found), flush=True)


def psnr(picture: np.ndarray, truth: np.ndarray) -> float:
    return float(-10 * np.log10(np.mean((picture - truth) ** 2)))


if __name__ == "__main__":
    main()
