"""What relighting is worth: `python benchmarks/relight.py [--count N] [--width PX] [--alone] [--pictures FOLDER]`.

Scenes of the families kept apart are rendered under one light and under another; the first picture is relit, its old light to be found out,
and compared with the second: PSNR and SSIM, beside a global transfer of colour that knows the second's colours. Its structure is given, or,
with `--alone`, read from the picture. The worst comes first.
"""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
import trimesh

import irodori as iro
from irodori.core.model import ViewSpec

sys.path.insert(0, str(Path(__file__).parent / "structure"))
from families import scene_of
from families_apart import APART
from parts import TruthScene

PAIRS = (
    ("afternoon", "dusk"), ("noon", "night"), ("night", "noon"), ("dusk", "noon"), ("overcast", "golden hour"),
    ("golden hour", "overcast"), ("morning", "afternoon"), ("blue hour", "morning"),
)  # fmt: skip


def written(scene: TruthScene, path: Path) -> Path:
    """A scene as a GLB file, z up."""
    out = trimesh.Scene()
    for number, part in enumerate(scene.parts):
        colour = [*(np.array(part.colour) / 255.0) ** 2.2, 1.0]
        material = trimesh.visual.material.PBRMaterial(name=part.role, baseColorFactor=colour, roughnessFactor=0.9)
        mesh = trimesh.Trimesh(
            part.triangles.reshape(-1, 3), np.arange(3 * len(part.triangles)).reshape(-1, 3), process=False
        )
        mesh.visual = trimesh.visual.TextureVisuals(material=material)
        out.add_geometry(
            mesh, node_name=f"{part.role} {part.name} {number}", geom_name=f"{part.role} {part.name} {number}"
        )
    path.write_bytes(out.export(file_type="glb"))
    return path


def view_of(scene: TruthScene) -> ViewSpec:
    camera = scene.camera
    width, height = camera.size
    field = float(np.degrees(2 * np.arctan(0.5 * width / camera.focal)))
    shift = (float(camera.matrix[0, 2] / width), float(camera.matrix[1, 2] / height))
    span = width / camera.focal if camera.projection == "parallel" else None
    at = tuple(map(float, camera.position))
    to = tuple(map(float, np.asarray(camera.position) + 10 * camera.rotation[2]))
    return ViewSpec(scene.name, at, to, field=field, span=span, aspect=width / height, shift=shift, ground=False)


def decibels(one: np.ndarray, other: np.ndarray) -> float:
    return float(10 * np.log10(1 / max(np.mean((one - other) ** 2), 1e-9)))


def likeness(one: np.ndarray, other: np.ndarray) -> float:
    """Mean SSIM of the greys (Wang et al., IEEE Trans. Image Processing 13, 2004)."""
    a, b = (cv2.cvtColor(np.float32(each), cv2.COLOR_RGB2GRAY) for each in (one, other))

    def mean(values: np.ndarray) -> np.ndarray:
        return cv2.GaussianBlur(values, (0, 0), 1.5)

    x, y = mean(a), mean(b)
    spread, both = mean(a * a) - x * x + mean(b * b) - y * y, mean(a * b) - x * y
    return float(((2 * x * y + 1e-4) * (2 * both + 9e-4) / ((x * x + y * y + 1e-4) * (spread + 9e-4))).mean())


def transferred(picture: np.ndarray, to: np.ndarray) -> np.ndarray:
    """A picture with the mean and spread of another's colours (Reinhard et al., IEEE CG&A 21, 2001)."""
    a, b = (cv2.cvtColor(np.float32(each), cv2.COLOR_RGB2LAB) for each in (picture, to))
    out = (a - a.mean((0, 1))) / np.maximum(a.std((0, 1)), 1e-3) * b.std((0, 1)) + b.mean((0, 1))
    return np.clip(cv2.cvtColor(np.float32(out), cv2.COLOR_LAB2RGB), 0, 1)


def measured(scene: TruthScene, old: str, new: str, width: int, alone: bool, pictures: Path | None) -> dict:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder)
        model = iro.open_model(written(scene, path / "scene.glb"), up="z", unit="m")
        structure = iro.read_structure(model.view(view_of(scene), width=width), cache=False)
        structure.save(path / "structure.exr")
        before, after = (iro.render(iro.dress(structure, None, light), "draft") for light in (old, new))
        # A stranger's picture tells nothing of how it was made.
        cv2.imwrite(str(path / "before.png"), before.developed[..., ::-1])
        began = time.perf_counter()
        relit = iro.relight(
            path / "before.png", new, structure=None if alone else path / "structure.exr", quality="draft"
        )
        seconds = time.perf_counter() - began
        truth, own = after.encoded, relit.encoded
        other = transferred(before.encoded, truth)
        if pictures is not None:
            rows = [np.hstack([before.encoded, truth]), np.hstack([own, other])]
            cv2.imwrite(
                str(pictures / f"{scene.name}-{old}-{new}.png"), (np.vstack(rows)[..., ::-1] * 255).astype(np.uint8)
            )
        proof = iro.prove(structure, relit)
        found = relit.recipe.steps[0].old.name
        sun, real = (iro.make_light(found).dome.sun_direction, before.buffers.sun_direction)
        return {
            "scene": scene.name, "pair": f"{old} → {new}", "dB": decibels(own, truth), "SSIM": likeness(own, truth),
            "transfer dB": decibels(other, truth), "transfer SSIM": likeness(other, truth), "recall": proof.edge_recall,
            "drift": proof.drift["median"], "found": found, "off": float(np.degrees(np.arccos(np.clip(sun @ real, -1, 1)))),
            "seconds": seconds,
        }  # fmt: skip


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("--count", type=int, default=8)
    given.add_argument("--width", type=int, default=640)
    given.add_argument("--alone", action="store_true")
    given.add_argument("--pictures", type=Path)
    args = given.parse_args()
    if args.pictures:
        args.pictures.mkdir(parents=True, exist_ok=True)
    rows = []
    for number, name in enumerate(list(APART)[: args.count]):
        scene = scene_of(APART, f"{name}-0")
        old, new = PAIRS[number % len(PAIRS)]
        rows.append(measured(scene, old, new, args.width, args.alone, args.pictures))
    print(
        f"{'scene':18s} {'lights':24s} {'dB':>5s} {'SSIM':>5s} {'transfer':>14s} {'recall':>7s} {'drift':>6s} {'s':>5s}  old light found"
    )
    for row in sorted(rows, key=lambda row: row["dB"]):
        print(
            f"{row['scene']:18s} {row['pair']:24s} {row['dB']:5.1f} {row['SSIM']:5.3f} {row['transfer dB']:8.1f} {row['transfer SSIM']:5.3f} "
            f"{row['recall']:7.4f} {row['drift']:6.3f} {row['seconds']:5.1f}  {row['found']} ({row['off']:.0f}° off)"
        )
    for name in ("dB", "SSIM", "transfer dB", "transfer SSIM", "recall", "drift"):
        print(f"{name:14s} mean {np.mean([row[name] for row in rows]):.3f}")


if __name__ == "__main__":
    main()
