"""Whether the same picture is read as the same: `python benchmarks/structure/meaning.py [PICTURE … | families | families-apart | tuned | apart] [--kinds …]`.

Mirrored, cropped, compressed, darker, lighter, smaller and larger copies of a picture are read, and the share of its pixels that keep their
role is told, the worst picture first. This needs no truth, so any picture will do.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import cv2
import numpy as np
from families import FAMILIES
from families_apart import APART
from run import drawn_scene
from scenes import KEPT_APART, TUNED

import irodori as iro
from irodori.core.structure import Structure

Copied = tuple[np.ndarray, np.ndarray]
"""A copy (H, W, 3) uint8 sRGB, and the matrix (2, 3) that takes places of the picture, px, to places of the copy."""

STILL = np.array([[1.0, 0, 0], [0, 1, 0]])
CROP = 0.03


def copies() -> dict[str, Callable[[np.ndarray], Copied]]:
    """What may happen to a picture that leaves its meaning alone."""
    return {
        "mirrored": lambda image: (image[:, ::-1], np.array([[-1.0, 0, image.shape[1]], [0, 1, 0]])),
        "cropped": _cropped,
        "JPEG 80": lambda image: (_compressed(image), STILL),
        "darker": lambda image: (np.rint(image * 0.8).astype(np.uint8), STILL),
        "lighter": lambda image: (np.clip(image * 1.2, 0, 255).astype(np.uint8), STILL),
        **{f"times {factor}": lambda image, factor=factor: _scaled(image, factor) for factor in (0.5, 0.6, 2.0, 3.3)},
    }


def _cropped(image: np.ndarray) -> Copied:
    height, width = image.shape[:2]
    x, y = round(width * CROP / 2), round(height * CROP / 2)
    return image[y : height - y, x : width - x], STILL - [[0, 0, x], [0, 0, y]]


def _compressed(image: np.ndarray) -> np.ndarray:
    _, data = cv2.imencode(".jpg", np.ascontiguousarray(image[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, 80])
    return cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1]


def _scaled(image: np.ndarray, factor: float) -> Copied:
    way = cv2.INTER_AREA if factor < 1 else cv2.INTER_CUBIC
    scaled = cv2.resize(image, None, fx=factor, fy=factor, interpolation=way)
    return scaled, STILL * [scaled.shape[1] / image.shape[1]]


def roles_of(read: Structure) -> np.ndarray:
    """The role that each pixel (H, W) was read as."""
    names = np.full(int(read.regions.max(initial=0)) + 1, "sky", dtype=object)
    names[read.surfaces.id] = read.surfaces.role
    return names[read.regions]


def kept(path: Path, names: list[str]) -> dict[str, float]:
    """Share of a picture's pixels that keep their role in each of the copies called `names`."""
    image = cv2.imread(str(path), cv2.IMREAD_COLOR)[..., ::-1]
    roles = roles_of(iro.read_structure(iro.open_capture(path), cache=False))
    out = {}
    for name in names:
        copy, matrix = copies()[name](image)
        beside = path.with_name(f"{path.stem} {name}{'.jpg' if name.startswith('JPEG') else '.png'}")
        cv2.imwrite(str(beside), np.ascontiguousarray(copy[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, 98])
        told = roles_of(iro.read_structure(iro.open_capture(beside), cache=False))
        beside.unlink()
        height, width = roles.shape
        y, x = np.mgrid[0:height, 0:width] + 0.5
        u, v = (np.floor(row[0] * x + row[1] * y + row[2]).astype(int) for row in matrix)
        inside = (u >= 0) & (v >= 0) & (u < told.shape[1]) & (v < told.shape[0])
        out[name] = float((told[v[inside], u[inside]] == roles[inside]).mean())
    return out


def _one(name: str, kind: str, names: list[str]) -> tuple[str, dict[str, float]]:
    if kind:
        with drawn_scene(name, kind) as (path, _, _):
            return f"{name} {kind}", kept(path, names)
    import shutil
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        path = Path(shutil.copy(name, folder))
        return Path(name).name, kept(path, names)


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("pictures", nargs="*", default=["families"])
    given.add_argument("--kinds", nargs="+", default=["styled"])
    given.add_argument("--copies", nargs="+", default=[name for name in copies() if name != "times 3.3"])
    given.add_argument("--count", type=int, default=1)
    given.add_argument("--first", type=int, default=0)
    args = given.parse_args()
    sets = {
        "families": [f"{kind}-{args.first + n}" for kind in FAMILIES for n in range(args.count)],
        "families-apart": [f"{kind}-{args.first + n}" for kind in APART for n in range(args.count)],
        "tuned": [make.__name__ for make in TUNED],
        "apart": [make.__name__ for make in KEPT_APART],
    }
    asked = [(name, kind) for part in args.pictures if part in sets for kind in args.kinds for name in sets[part]]
    asked += [(part, "") for part in args.pictures if part not in sets]
    with ProcessPoolExecutor(2) as pool:
        rows = [job.result() for job in [pool.submit(_one, name, kind, args.copies) for name, kind in asked]]
    for name, shares in sorted(rows, key=lambda row: min(row[1].values())):
        print(f"{name:32s} " + "  ".join(f"{copy} {share:.3f}" for copy, share in shares.items()))
    print(f"\n{'':10s} {'mean':>6s} {'worst':>6s}")
    for copy in args.copies:
        told = [shares[copy] for _, shares in rows]
        print(f"{copy:10s} {np.mean(told):6.3f} {min(told):6.3f}")


if __name__ == "__main__":
    main()
