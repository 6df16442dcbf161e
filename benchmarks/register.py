"""How well pictures stay in register, and how well pixels are read, on the demo."""

from __future__ import annotations

import sys

import numpy as np

import irodori as iro
from irodori.demo.files import demo_path

LIGHTS = ("noon", "golden hour", "dusk")


def main() -> None:
    quality = sys.argv[1] if len(sys.argv) > 1 else "review"
    model = iro.open_model(demo_path("landing.glb"))
    print(f"{'picture':34s} {'recall':>7s} {'prec.':>6s} {'median':>7s} {'p95':>6s}  verdict   ({quality})")
    shaded, view = iro.open_capture(demo_path("landing-shaded.png")), model.view("landing", width=1280)
    for name, capture, schedule in (("capture", shaded, None), ("model", view, demo_path("finishes.csv"))):
        structure = iro.read_structure(capture)
        for light in LIGHTS:
            picture = iro.render(iro.dress(structure, schedule, light), quality)
            show(f"{name}, {light}", iro.prove(capture, picture))
            if name == "capture":
                show(f"{name}, {light}, against the model", iro.prove(view, picture))
    print(f"\n{'reading':12s} {'focal':>8s} {'n<11.25°':>9s} {'d<1.25':>7s} {'sky IoU':>8s}")
    for name in ("landing", "aerial", "gangway", "hall"):
        capture = iro.open_capture(demo_path(f"{name}-shaded.png"))
        read = iro.read_structure(capture, cache=False)
        exact = model.view(name, width=capture.size[0], height=capture.size[1]).exact
        both = (read.regions > 0) & (exact.regions > 0)
        a, b = read.normal[both] @ read.camera.rotation.T, exact.normal[both] @ exact.camera.rotation.T
        right = (np.degrees(np.arccos(np.clip((a * b).sum(axis=1), -1, 1))) < 11.25).mean()
        ratio = read.depth[both] / exact.depth[both]
        ratio = ratio / np.median(ratio)
        near = (np.maximum(ratio, 1 / ratio) < 1.25).mean()
        sky, truth = read.regions == 0, exact.regions == 0
        union = (sky | truth).sum()
        iou = (sky & truth).sum() / union if union else 1.0
        focal = read.camera.focal / exact.camera.focal - 1
        print(f"{name:12s} {100 * focal:+7.2f}% {right:9.3f} {near:7.3f} {iou:8.3f}")


def show(name: str, report) -> None:
    drift = report.drift
    print(
        f"{name:34s} {report.edge_recall:7.4f} {report.edge_precision:6.3f} {drift['median']:7.3f} {drift['p95']:6.3f}  "
        f"{'in register' if report.in_register else 'OUT'}"
    )


if __name__ == "__main__":
    main()
