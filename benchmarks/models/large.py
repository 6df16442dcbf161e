"""A model of five million triangles, 20,000 objects, 2,000 materials and 200 textures: how long it takes to open, how much memory, and
its draft beside that of a small model.

    python benchmarks/models/large.py [SHARE]
"""

from __future__ import annotations

import resource
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image
from trimesh.visual import TextureVisuals
from trimesh.visual.material import PBRMaterial

import irodori as iro

OBJECTS, MATERIALS, TEXTURES = 20_000, 2_000, 200
FINER = 9
"""Every so many-th house is of 768 faces, the others of 192: 256 on average."""


def town(path: Path, share: float) -> None:
    """Blocks of finely cut houses in rows; a quarter of them are instances of others."""
    rng = np.random.default_rng(1)
    objects = int(OBJECTS * share)
    materials = [
        PBRMaterial(
            name=f"facade {i}", baseColorFactor=[int(v) for v in rng.integers(90, 255, 3)] + [255], metallicFactor=0.0,
            baseColorTexture=Image.fromarray(rng.integers(120, 255, (128, 128, 3), np.uint8)) if i < TEXTURES * share else None,
        )
        for i in range(max(int(MATERIALS * share), 2))
    ]  # fmt: skip
    plain = trimesh.creation.box((1, 1, 1)).subdivide().subdivide()
    fine = plain.subdivide()
    scene, side = trimesh.Scene(), int(np.ceil(np.sqrt(objects)))
    made = int(objects * 0.75)
    for i in range(objects):
        place = trimesh.transformations.translation_matrix((i % side * 14.0, 0, i // side * 14.0))
        if i >= made:
            scene.graph.update(frame_to=f"house wall {i}", geometry=f"house {i % made}", matrix=place)
            continue
        box = plain if i % FINER else fine
        mesh = trimesh.Trimesh(box.vertices * rng.uniform((6, 6, 6), (11, 24, 11)), box.faces, process=False)
        mesh.visual = TextureVisuals(uv=box.vertices[:, :2] * 5, material=materials[i % len(materials)])
        scene.add_geometry(mesh, node_name=f"house wall {i}", geom_name=f"house {i}", transform=place)
    scene.export(path)


def timed(path: Path) -> tuple[float, float, iro.Model]:
    """Seconds to open, and of a draft after that."""
    begun = time.perf_counter()
    model = iro.open_model(path)
    opened = time.perf_counter() - begun
    view = model.view("aerial", width=1280)
    begun = time.perf_counter()
    iro.render(iro.dress(view.exact, None, "noon", liberty=0.2), "draft")
    return opened, time.perf_counter() - begun, model


def main() -> None:
    share = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    with tempfile.TemporaryDirectory() as folder:
        for name, part in (("warm", 0.002), ("small", 0.01), ("large", share)):
            town(Path(folder) / f"{name}.glb", part)
        timed(Path(folder) / "warm.glb")
        small, large = timed(Path(folder) / "small.glb"), timed(Path(folder) / "large.glb")
    print(
        f"{len(large[2].data.mesh):,} triangles, {len(large[2].data.surfaces):,} surfaces (small: {len(small[2].data.mesh):,})"
    )
    print(
        f"opened in {large[0]:.1f} s; a draft takes {large[1] / small[1]:.2f} times that of the small one ({large[1]:.1f} s)"
    )
    print(f"memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20:.2f} GiB")


if __name__ == "__main__":
    main()
