"""Our own ray kernel against Embree's: hits that differ, and speed, on one thread: `python benchmarks/rays.py [RAYS]`."""

from __future__ import annotations

import statistics
import sys
import time

import numpy as np

import irodori as iro
from irodori.demo.files import demo_path
from irodori.engine.rays.ray_scene import RayScene

REPEATS = 3
WAVE = 1 << 16
FAR = np.float32(1e6)


def seconds(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def compare(
    title: str, embree: RayScene, own: RayScene, origins: np.ndarray, directions: np.ndarray, blocked: bool
) -> None:
    """Print the share of rays on which both say the same, and how many times as fast ours is."""
    waves = [slice(a, a + WAVE) for a in range(0, len(origins), WAVE)]
    reach = np.full(len(origins), FAR)

    def ask(scene: RayScene, wave: slice):
        if blocked:
            return scene.occluded(origins[wave], directions[wave], reach[wave])
        return scene.closest(origins[wave], directions[wave])

    same = 0
    for wave in waves:
        a, b = ask(embree, wave), ask(own, wave)
        if blocked:
            same += int((a == b).sum())
        else:
            near = np.abs(a[0] - b[0]) <= 2e-4 * np.maximum(1, np.abs(a[0]))
            same += int((((a[1] >= 0) == (b[1] >= 0)) & (near | (a[1] < 0))).sum())
    few = waves[: max(1, len(waves) // 8)]
    ratios = [
        seconds(lambda: [ask(embree, w) for w in few]) / seconds(lambda: [ask(own, w) for w in few])
        for _ in range(REPEATS)
    ]
    print(
        f"{title:22s} the same {100 * same / len(origins):.5f} %   own / Embree = {statistics.median(ratios):.2f} times as fast"
    )


def main() -> None:
    count = int(float(sys.argv[1])) if len(sys.argv) > 1 else 2_500_000
    model = iro.open_model(demo_path("landing.glb"))
    mesh = model.data.mesh
    embree, own = RayScene(mesh.triangles, "embree"), RayScene(mesh.triangles, "own")
    chance = np.random.default_rng(3)
    camera = model.view("landing", width=1280).exact.camera
    x, y = chance.uniform(0, 1280, count), chance.uniform(0, 800, count)
    order = np.lexsort((x // 8, y // 8))
    origins, directions = (np.ascontiguousarray(v, np.float32) for v in camera.rays(x[order], y[order]))
    compare("primary", embree, own, origins, directions, False)
    distance, hit = embree.closest(origins, directions)
    found = hit >= 0
    normal = mesh.normals()[hit[found]]
    normal = np.where((normal * directions[found]).sum(axis=1, keepdims=True) > 0, -normal, normal)
    at = ((origins + directions * distance[:, None])[found] + normal * np.float32(2e-3)).astype(np.float32)
    way = chance.normal(size=at.shape).astype(np.float32)
    way = way / np.linalg.norm(way, axis=1, keepdims=True) + normal
    way = np.ascontiguousarray(way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-6), np.float32)
    compare("hemisphere, closest", embree, own, at, way, False)
    compare("hemisphere, any hit", embree, own, at, way, True)
    sun = np.float32([0.5, -0.6, 0.62])
    compare("sun shadow", embree, own, at, np.tile(sun / np.linalg.norm(sun), (len(at), 1)), True)


if __name__ == "__main__":
    main()
