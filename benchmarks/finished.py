"""What work on finished pictures is worth: `python benchmarks/finished.py [--count N] [--width PX] [--masks N] [--pictures FOLDER]`.

Scenes of the families kept apart. Enlarging: a picture shrunk to half is enlarged by its own pixels, without and with its structure, and
compared with itself, beside Lanczos; PSNR of the whole and of its edges. Removing: a ball put into a scene is removed again, from its
picture with the structure that knows nothing of it and from the picture alone, and what comes to light compared with the picture without
it, beside the ball itself. Masks: finishes changed in random masks; pixels outside that changed. The worst comes first.
"""

from __future__ import annotations

import argparse
import sys
import tempfile
from pathlib import Path

import cv2
import numpy as np

import irodori as iro
from irodori.retouch.enlarge import enlarged_pixels

sys.path.insert(0, str(Path(__file__).parent / "structure"))
from families import scene_of
from families_apart import APART

from relight import decibels, view_of, written

EDGES = 85
"""Percentile of the gradient from which a pixel lies on an edge or in a texture."""


def shrunk(picture: np.ndarray, times: int = 2) -> np.ndarray:
    height, width = picture.shape[:2]
    return np.ascontiguousarray(picture.reshape(height // times, times, width // times, times, 3).mean(axis=(1, 3)))


def enlarging(structure, truth: np.ndarray) -> dict:
    small = shrunk(truth)
    eight = np.rint(small * 255).astype(np.float32) / 255
    size = truth.shape[1::-1]
    grey = cv2.GaussianBlur(truth, (0, 0), 1).mean(axis=2)
    slope = np.hypot(cv2.Sobel(grey, -1, 1, 0), cv2.Sobel(grey, -1, 0, 1))
    edge = slope > np.percentile(slope, EDGES)
    ways = {
        "lanczos": np.clip(cv2.resize(eight, size, interpolation=cv2.INTER_LANCZOS4), 0, 1),
        "alone": enlarged_pixels(eight, 2),
        "structure": enlarged_pixels(eight, 2, structure.fragments),
    }
    return {name: (decibels(each, truth), decibels(each[edge], truth[edge])) for name, each in ways.items()}


def removing(folder: Path, structure, picture: np.ndarray, chance: np.random.Generator) -> dict:
    """A ball of noise that stands in the picture, removed."""
    height, width = picture.shape[:2]
    radius = height // 12
    x, y = int(chance.integers(2 * radius, width - 2 * radius)), int(chance.integers(height // 2, height - 2 * radius))
    spoilt = picture.copy()
    ball = np.zeros((height, width), np.uint8)
    cv2.circle(ball, (x, y), radius, 1, -1)
    there = ball > 0
    spoilt[there] = chance.uniform(0, 1, 3) * (0.7 + 0.3 * chance.uniform(0, 1, (int(there.sum()), 1)))
    cv2.imwrite(str(folder / "spoilt.png"), np.rint(spoilt[..., ::-1] * 255).astype(np.uint8))
    mask = cv2.dilate(ball, np.ones((5, 5), np.uint8)) > 0
    cv2.imwrite(str(folder / "mask.png"), mask.astype(np.uint8) * 255)
    structure.save(folder / "structure.exr")
    out = {"ball": decibels(spoilt[mask], picture[mask])}
    for name, given in (("structure", folder / "structure.exr"), ("alone", None)):
        done = iro.change(folder / "spoilt.png", mask=folder / "mask.png", remove=True, structure=given, quality="draft")
        out[name] = decibels(done.encoded[mask], picture[mask])
        outside = (np.rint(done.encoded * 255) != np.rint(spoilt * 255)).any(axis=2) & ~cv2.dilate(
            mask.astype(np.uint8), np.ones((5, 5), np.uint8)
        ).astype(bool)
        out[f"{name} outside"] = int(outside.sum())
        out[f"{name} picture"] = done.encoded
    return {**out, "spoilt": spoilt}


def masks(folder: Path, structure, count: int, chance: np.random.Generator) -> int:
    """Pixels outside that changed over so many random masks, in PNG and in TIFF of 16 bits."""
    height, width = structure.regions.shape
    changed = 0
    for number in range(count):
        grid = chance.uniform(0, 1, (int(chance.integers(2, 9)), int(chance.integers(2, 9)))).astype(np.float32)
        mask = cv2.resize(grid, (width, height), interpolation=cv2.INTER_CUBIC) > 0.6
        if not mask.any():
            continue
        done = iro.change(
            folder / "before.png", mask=mask, light=("noon", "dusk", "overcast")[number % 3], old_light="afternoon",
            structure=folder / "structure.exr", soft=float(number % 4), quality="draft",
        )  # fmt: skip
        suffix, bits = ((".png", 8), (".tif", 16))[number % 2]
        done.save(folder / f"after{suffix}", bits=bits)
        before = cv2.imread(str(folder / "before.png"), cv2.IMREAD_UNCHANGED).astype(np.int64)
        after = cv2.imread(str(folder / f"after{suffix}"), cv2.IMREAD_UNCHANGED).astype(np.int64)
        scale = 1 if bits == 8 else 257
        changed += int(((after != before * scale).any(axis=2) & ~mask).sum())
    return changed


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("--count", type=int, default=8)
    given.add_argument("--width", type=int, default=640)
    given.add_argument("--masks", type=int, default=20)
    given.add_argument("--pictures", type=Path)
    args = given.parse_args()
    if args.pictures:
        args.pictures.mkdir(parents=True, exist_ok=True)
    larger, gone, outside = [], [], 0
    for number, name in enumerate(list(APART)[: args.count]):
        scene = scene_of(APART, f"{name}-0")
        chance = np.random.default_rng(number)
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            model = iro.open_model(written(scene, folder / "scene.glb"), up="z", unit="m")
            view = model.view(view_of(scene), width=args.width)
            width, height = (n // 2 * 2 for n in iro.read_structure(view, cache=False).size)
            structure = iro.read_structure(model.view(view_of(scene), width=width, height=height), cache=False)
            large = iro.read_structure(model.view(view_of(scene), width=2 * width, height=2 * height), cache=False)
            truth = iro.render(iro.dress(large, None, "afternoon"), "draft").encoded
            larger.append((scene.name, enlarging(structure, truth)))
            before = shrunk(truth)
            found = removing(folder, structure, before, chance)
            gone.append((scene.name, found))
            if args.pictures:
                rows = [np.hstack([found["spoilt"], before]), np.hstack([found["structure picture"], found["alone picture"]])]
                cv2.imwrite(str(args.pictures / f"{scene.name}.png"), (np.vstack(rows)[..., ::-1] * 255).astype(np.uint8))
            if number == 0 and args.masks:
                cv2.imwrite(str(folder / "before.png"), np.rint(before[..., ::-1] * 255).astype(np.uint8))
                outside = masks(folder, structure, args.masks, chance)
    print("enlarged twice, dB over Lanczos: whole, edges and textures")
    for name, row in sorted(larger, key=lambda one: one[1]["structure"][1] - one[1]["lanczos"][1]):
        base = row["lanczos"]
        print(
            f"  {name:18s} lanczos {base[0]:5.1f} {base[1]:5.1f}   alone {row['alone'][0] - base[0]:+5.2f} {row['alone'][1] - base[1]:+5.2f}"
            f"   with structure {row['structure'][0] - base[0]:+5.2f} {row['structure'][1] - base[1]:+5.2f}"
        )
    for way in ("alone", "structure"):
        gain = [[row[way][n] - row["lanczos"][n] for _, row in larger] for n in (0, 1)]
        print(f"  {way:18s} mean {np.mean(gain[0]):+.2f} dB, edges and textures {np.mean(gain[1]):+.2f} dB")
    print("removed, dB in the mask: the ball, with structure, alone; pixels changed outside")
    for name, row in sorted(gone, key=lambda one: one[1]["structure"]):
        print(
            f"  {name:18s} {row['ball']:5.1f} {row['structure']:5.1f} {row['alone']:5.1f}   {row['structure outside']} {row['alone outside']}"
        )
    for way in ("ball", "structure", "alone"):
        print(f"  {way:18s} mean {np.mean([row[way] for _, row in gone]):.1f} dB")
    if args.masks:
        print(f"{args.masks} random masks: {outside} pixels outside changed")


if __name__ == "__main__":
    main()
