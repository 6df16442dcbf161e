"""Speed in ratios: against bare ray queries, draft against final, pixels, memory, start-up."""

from __future__ import annotations

import resource
import statistics
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

import irodori as iro
from irodori.core.model import Mesh
from irodori.core.work.tiles import for_each_tile
from irodori.demo.files import demo_path
from irodori.engine.rays import ray_scene as rays
from irodori.study.series import DAY

REPEATS = 3


class Recorder:
    """Keeps every wave of rays that a picture asked for."""

    def __init__(self) -> None:
        self.waves: list[tuple] = []

    def __enter__(self):
        self.closest, self.occluded = rays.RayScene.closest, rays.RayScene.occluded
        recorder = self

        def closest(scene, origins, directions, *rest):
            recorder.waves.append(("closest", scene, origins.copy(), directions.copy(), rest))
            return recorder.closest(scene, origins, directions, *rest)

        def occluded(scene, origins, directions, *rest):
            recorder.waves.append(("occluded", scene, origins.copy(), directions.copy(), rest))
            return recorder.occluded(scene, origins, directions, *rest)

        rays.RayScene.closest, rays.RayScene.occluded = closest, occluded
        return self

    def __exit__(self, *_):
        rays.RayScene.closest, rays.RayScene.occluded = self.closest, self.occluded

    def replay(self) -> float:
        """Seconds for the same queries and nothing else, on as many threads."""

        def work(wave):
            kind, scene, origins, directions, rest = wave
            getattr(scene, kind)(origins, directions, *rest)

        start = time.perf_counter()
        for_each_tile(self.waves, work)
        return time.perf_counter() - start


def timed(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def picture(structure, quality):
    return iro.render(iro.dress(structure, demo_path("finishes.csv"), "golden hour"), quality).encoded


def peak_memory() -> float:
    """Most memory this process has held, GiB."""
    try:
        # `getrusage` would count what the process was started from, too.
        lines = Path("/proc/self/status").read_text().splitlines()
    except OSError:
        return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20
    return int(next(line for line in lines if line.startswith("VmHWM")).split()[1]) / 2**20


def one_size(megapixels: float) -> None:
    """Print the seconds a pixel and the peak memory (GiB) of drafts at one size; runs in a process of its own."""
    width = round(np.sqrt(megapixels * 1e6 * 1.6))
    structure = iro.open_model(demo_path("landing.glb")).view("landing", width=width).exact
    picture(structure, "draft")
    taken = statistics.median(timed(lambda: picture(structure, "draft")) for _ in range(REPEATS))
    print(taken / (width * width / 1.6), peak_memory())


def finer(mesh: Mesh) -> Mesh:
    """Every triangle cut into four."""
    a, b, c = (mesh.triangles[:, k] for k in range(3))
    ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
    parts = [np.stack(corners, axis=1) for corners in ((a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca))]
    return Mesh(np.concatenate(parts), np.tile(mesh.surface, 4))


def many_triangles(structure, quality: str = "review") -> None:
    """Print the time with 64 times the triangles against that with the model's own, ray scenes built."""
    meshes = [structure.mesh]
    for _ in range(3):
        meshes.append(finer(meshes[-1]))
    medians = []
    for mesh in (meshes[0], meshes[-1]):
        fine = replace(structure, mesh=mesh)
        first = timed(lambda s=fine: picture(s, quality))
        medians.append(statistics.median(timed(lambda s=fine: picture(s, quality)) for _ in range(REPEATS)))
        print(f"{len(mesh) / 1e3:6.0f} k triangles   first picture / the next = {first / medians[-1]:.2f}")
    print(f"{len(meshes[-1]) / 1e6:.1f} M triangles / {len(meshes[0]) / 1e3:.0f} k = {medians[1] / medians[0]:.2f}")


def twelve_lights(structure) -> None:
    """Print the time of a series of twelve lights against one of its pictures."""
    lights = [*DAY, "overcast", "noon, hazy", "dusk, broken cloud", "morning, fog"]

    def run(chosen, structure=structure) -> None:
        for _, made in iro.series(structure, demo_path("finishes.csv"), chosen, quality="review"):
            made.encoded  # noqa: B018

    # Every kernel that any of them needs is loaded before the clock runs.
    run(lights, iro.open_model(demo_path("landing.glb")).view("landing", width=160).exact)
    ratios = []
    for _ in range(REPEATS):
        one = statistics.median(timed(lambda light=light: run([light])) for light in lights[2:5])
        ratios.append(timed(lambda: run(lights)) / one)
    print(f"series of twelve lights / one picture = {statistics.median(ratios):.2f}")


def main() -> None:
    full = "--full" in sys.argv
    model = iro.open_model(demo_path("landing.glb"))
    structure = model.view("landing", width=1280).exact
    picture(structure, "draft")
    medians = {}
    for quality in ("draft", "review", "final") if full else ("draft", "review"):
        with Recorder() as recorder:
            picture(structure, quality)
        ratios, times = [], []
        for _ in range(REPEATS):
            bare = recorder.replay()
            own = timed(lambda q=quality: picture(structure, q))
            ratios.append(own / bare)
            times.append(own)
        count = sum(len(w[2]) for w in recorder.waves)
        medians[quality] = statistics.median(times)
        print(
            f"{quality:7s} {count / 1e6:6.1f} M rays   picture / bare queries = {statistics.median(ratios):.2f}   ({medians[quality]:.2f} s)"
        )
        del recorder
    if full:
        print(f"final / draft = {medians['final'] / medians['draft']:.1f}")
        many_triangles(structure)
        twelve_lights(structure)
    base = None
    for megapixels in (1, 2.5, 5, 10) if full else (1, 2.5):
        code = f"from speed import one_size; one_size({megapixels})"
        out = subprocess.run([sys.executable, "-c", code], cwd=Path(__file__).parent, capture_output=True, text=True)
        per_pixel, peak = map(float, out.stdout.split())
        base = base or per_pixel
        print(f"{megapixels:4.1f} MP   cost a pixel / at 1 MP = {per_pixel / base:.2f}   peak memory {peak:.2f} GiB")
    bare = statistics.median(timed(lambda: subprocess.run([sys.executable, "-c", "pass"])) for _ in range(5))
    for name, command in (
        ("import irodori", ["-c", "import irodori"]),
        ("irodori --help", ["-m", "irodori", "--help"]),
    ):
        taken = statistics.median(
            timed(lambda c=command: subprocess.run([sys.executable, *c], capture_output=True)) for _ in range(5)
        )
        print(f"{name:16s} {taken:.2f} s ({taken / bare:.1f} × a bare interpreter)")


if __name__ == "__main__":
    main()
