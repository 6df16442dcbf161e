"""How well structure is read from pixels: `python benchmarks/structure/run.py [tuned|apart|all|random] [--kinds …]`.

One table a kind. `random` reads scenes put together by chance that nothing was tuned on or learned from, `--count` of
them from `--first`. `--rules-only` leaves the learned reader out: the difference is what it adds. Pictures and readings'
previews are kept in the folder that `--pictures` names.
"""

from __future__ import annotations

import argparse
import os
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from random_scenes import random_scene
from scenes import KEPT_APART, TUNED

FIRST = 2000
"""The first of the random scenes: smaller numbers are learned from."""

COLUMNS = ("focal", "horizon", "border F", "n mean", "n median", "n<11", "d abs", "d<1.25", "roles", "seconds")


@contextmanager
def drawn_scene(name: str, kind: str) -> Iterator[tuple]:
    """Path of a scene's picture in one kind while it is needed, the picture itself (H, W, 3) and the truth."""
    import cv2
    from draw import draw, truth_of

    if name.isdigit():
        scene = random_scene(int(name))
    else:
        scene = next(make for make in TUNED + KEPT_APART if make.__name__ == name)()
    truth = truth_of(scene)
    image = draw(scene, kind, truth)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"{name}-{kind}.png"
        cv2.imwrite(str(path), image[..., ::-1])
        yield path, image, truth


def read_one(name: str, kind: str, pictures: str | None, learned: bool) -> dict:
    """Draw, read and score one scene in one kind."""
    import cv2
    from score import score

    import irodori as iro

    with drawn_scene(name, kind) as (path, image, truth):
        began = time.perf_counter()
        capture = iro.open_capture(path)
        read = iro.read_structure(capture, learned=learned, cache=False)
        seconds = time.perf_counter() - began
    result = score(read, truth) | {"seconds": seconds, "kind": read.kind}
    if pictures:
        os.makedirs(pictures, exist_ok=True)
        cv2.imwrite(f"{pictures}/{name}-{kind}.png", image[..., ::-1])
        cv2.imwrite(f"{pictures}/{name}-{kind}-read.png", read.preview()[..., ::-1])
        read.save(f"{pictures}/{name}-{kind}.exr")
    return {"scene": name, "drawn": kind, **result}


def main() -> None:
    from draw import KINDS

    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("part", nargs="?", default="all", choices=["tuned", "apart", "all", "random"])
    given.add_argument("--kinds", nargs="+", default=list(KINDS))
    given.add_argument("--scenes", nargs="+")
    given.add_argument("--count", type=int, default=20)
    given.add_argument("--first", type=int, default=FIRST)
    given.add_argument("--rules-only", action="store_true")
    given.add_argument("--pictures")
    args = given.parse_args()
    if args.part == "random":
        names = args.scenes or [str(args.first + n) for n in range(args.count)]
    else:
        chosen = {"tuned": TUNED, "apart": KEPT_APART, "all": TUNED + KEPT_APART}[args.part]
        names = [make.__name__ for make in chosen if not args.scenes or make.__name__ in args.scenes]
    with ProcessPoolExecutor(2) as pool:
        jobs = [
            pool.submit(read_one, name, kind, args.pictures, not args.rules_only)
            for kind in args.kinds
            for name in names
        ]
        rows = [job.result() for job in jobs]
    apart = {make.__name__ for make in KEPT_APART} | {name for name in names if name.isdigit()}
    means = []
    for kind in args.kinds:
        print(f"\n{kind:15s} " + " ".join(f"{c:>8s}" for c in COLUMNS) + "  read as")
        own = [r for r in rows if r["drawn"] == kind]
        for row in own:
            show(row["scene"], row)
        for title, group in (("tuned", [r for r in own if r["scene"] not in apart]), ("apart", [r for r in own if r["scene"] in apart])):  # fmt: skip
            if group:
                mean = {c: np.nanmean([r[c] for r in group]) if np.isfinite([r[c] for r in group]).any() else np.nan for c in COLUMNS}  # fmt: skip
                mean |= {"focal": np.nanmedian([r["focal"] for r in group]), "horizon": np.nanmedian([r["horizon"] for r in group])}  # fmt: skip
                means.append((f"{kind} {title}", mean))
    print(f"\n{'mean (median)':15s} " + " ".join(f"{c:>8s}" for c in COLUMNS))
    for title, mean in means:
        show(title, mean)


def show(title: str, row: dict) -> None:
    print(f"{title:15s} " + " ".join(f"{row[c]:8.3f}" for c in COLUMNS) + f"  {row.get('kind', '')}", flush=True)


if __name__ == "__main__":
    main()
