"""Three hundred damaged and absurd pictures: each must end in a structure or in one clear line. None may crash."""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import cv2
import numpy as np

import irodori as iro
from irodori.core.errors import IrodoriError

MAKES = (
    "noise", "one colour", "blob", "text", "narrow", "turned", "inverted", "gradient", "checker", "specks", "stripes",
    "half black", "lines", "cut file", "grey capture", "tiny", "blurred", "posterised", "mirrored edges", "alpha",
)  # fmt: skip


def absurd(make: str, rng: np.random.Generator, capture: np.ndarray) -> np.ndarray:
    """One picture, uint8 (H, W, 3 or 4)."""
    height, width = (int(v) for v in rng.integers(40, 700, 2))
    plain = np.full((height, width, 3), rng.integers(0, 256, 3), np.uint8)
    y, x = np.mgrid[0:height, 0:width]
    if make == "noise":
        return rng.integers(0, 256, plain.shape).astype(np.uint8)
    if make == "blob":
        for _ in range(6):
            centre = (int(rng.integers(width)), int(rng.integers(height)))
            axes = (int(rng.integers(5, width)), int(rng.integers(5, height)))
            cv2.ellipse(plain, centre, axes, float(rng.uniform(0, 180)), 0, 360, rng.integers(0, 256, 3).tolist(), -1)
    elif make == "text":
        plain[:] = 250
        for line in range(0, height, 18):
            words = "".join(rng.choice(list("abcdefghijklmnopqrstuvwxyz "), 80))
            cv2.putText(plain, words, (4, line), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (20, 20, 20), 1, cv2.LINE_AA)
    elif make == "narrow":
        plain = rng.integers(0, 256, (int(rng.integers(3, 40)), 4000, 3)).astype(np.uint8)
        return plain if rng.random() < 0.5 else np.ascontiguousarray(plain.transpose(1, 0, 2))
    elif make == "turned":
        return np.ascontiguousarray(np.rot90(capture, int(rng.integers(1, 4))))
    elif make == "inverted":
        return 255 - capture
    elif make == "gradient":
        return np.stack([(x * 255 // width), (y * 255 // height), np.full_like(x, 128)], axis=2).astype(np.uint8)
    elif make == "checker":
        step = int(rng.integers(1, 60))
        return np.repeat(((x // step + y // step) % 2 * 255).astype(np.uint8)[..., None], 3, axis=2)
    elif make == "specks":
        plain[rng.random((height, width)) < 0.02] = 255 - plain[0, 0]
    elif make == "stripes":
        return np.repeat((np.sin(x / rng.uniform(1, 30) + y / rng.uniform(1, 30)) * 127 + 128).astype(np.uint8)[..., None], 3, 2)  # fmt: skip
    elif make == "half black":
        plain[:, width // 2 :] = 0
    elif make == "lines":
        plain[:] = 255
        for _ in range(int(rng.integers(1, 200))):
            a, b = rng.integers(0, width, 2), rng.integers(0, height, 2)
            cv2.line(plain, (int(a[0]), int(b[0])), (int(a[1]), int(b[1])), (0, 0, 0), 1, cv2.LINE_AA)
    elif make == "grey capture":
        return np.repeat(capture.mean(axis=2, keepdims=True).astype(np.uint8), 3, axis=2)
    elif make == "tiny":
        return rng.integers(0, 256, (*rng.integers(1, 24, 2), 3)).astype(np.uint8)
    elif make == "blurred":
        return cv2.GaussianBlur(capture, (0, 0), float(rng.uniform(1, 20)))
    elif make == "posterised":
        return (capture // 64 * 64).astype(np.uint8)
    elif make == "mirrored edges":
        return np.concatenate([capture, capture[:, ::-1]], axis=1)
    elif make == "alpha":
        return np.dstack([plain, rng.integers(0, 256, (height, width)).astype(np.uint8)])
    return plain


def read_all(count: int = 300, seed: int = 3) -> Counter:
    """Read `count` pictures; how each kind ended. Anything but a structure or an IrodoriError is raised."""
    from irodori.demo.files import demo_path

    whole = cv2.imread(str(demo_path("landing-shaded.png")))
    capture = cv2.resize(whole, (480, 300), interpolation=cv2.INTER_AREA)
    rng, ends = np.random.default_rng(seed), Counter()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(count):
            make = MAKES[number % len(MAKES)]
            path = Path(folder) / f"{number}.png"
            cv2.imwrite(str(path), absurd(make, rng, capture))
            if make == "cut file":
                path.write_bytes(path.read_bytes()[: int(rng.integers(0, 400))])
            try:
                read = iro.read_structure(iro.open_capture(path), cache=False)
            except IrodoriError as error:
                assert "\n" not in str(error)
                ends[f"{make}: said so"] += 1
                continue
            solid = read.regions > 0
            assert np.isfinite(read.depth[solid]).all() and np.isfinite(read.normal).all()
            assert read.depth.shape == read.regions.shape and 0 <= read.confidence <= 1
            ends[f"{make}: read, confidence {'under' if read.confidence < 0.5 else 'over'} .5"] += 1
    return ends


if __name__ == "__main__":
    began = time.perf_counter()
    for end, times in sorted(read_all(int(sys.argv[1]) if len(sys.argv) > 1 else 300).items()):
        print(f"{times:4d}  {end}")
    print(f"none crashed; {time.perf_counter() - began:.0f} s")
