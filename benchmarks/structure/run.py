"""How well structure is read from pixels: `python benchmarks/structure/run.py [tuned|apart|all|random|families|families-apart] [--kinds …]`.

First what is spoilt, kind by kind, the worst first; then one table a kind. `families` and `families-apart` are scenes of kinds that
differ as designers' work does, `--count` of each family from `--first`, drawn in `styled` kinds.
`--sheet FILE` draws the worst eight: the capture, what was read, a draft at noon. `random` reads scenes put together by chance that nothing was tuned on or learned from, `--count` of
them from `--first`. `--rules-only` leaves the learned reader out: the difference is what it adds. Pictures and readings'
previews are kept in the folder that `--pictures` names.
"""

from __future__ import annotations

import argparse
import os
import pickle
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from families import FAMILIES, scene_of
from families_apart import APART
from random_scenes import random_scene
from scenes import KEPT_APART, TUNED

FIRST = 2000
"""The first of the random scenes: smaller numbers are learned from."""

COLUMNS = ("focal", "horizon", "border F", "n mean", "n median", "n<11", "d abs", "d<1.25", "roles", "seconds")


@contextmanager
def drawn_scene(name: str, kind: str, keep: str | None = None) -> Iterator[tuple]:
    """Path of a scene's picture in one kind while it is needed, the picture itself (H, W, 3) and the truth; drawn once only where there is
    a folder to `keep` them in."""
    import cv2
    from draw import draw, truth_of

    from irodori.formats.atomic import whole_file

    with tempfile.TemporaryDirectory() as folder:
        place = Path(keep or folder)
        place.mkdir(parents=True, exist_ok=True)
        path, known = place / f"{name}-{kind}.png", place / f"{name}.truth"
        if known.exists():
            scene, truth = pickle.loads(known.read_bytes())
        else:
            scene = named_scene(name)
            truth = truth_of(scene)
        if keep and not known.exists():
            with whole_file(known) as temporary:
                temporary.write_bytes(pickle.dumps((scene, truth)))
        if not path.exists():
            with whole_file(path) as temporary:
                cv2.imwrite(str(temporary), draw(scene, kind, truth)[..., ::-1])
        yield path, cv2.imread(str(path))[..., ::-1], truth


def named_scene(name: str):
    """The scene of a name: a number for a random one, a family's with its number, or one of the truth set."""
    if name.isdigit():
        return random_scene(int(name))
    family, _, number = name.rpartition("-")
    if number.isdigit():
        return scene_of(FAMILIES if family in FAMILIES else APART, name)
    return next(make for make in TUNED + KEPT_APART if make.__name__ == name)()


def read_one(name: str, kind: str, pictures: str | None, learned: bool, keep: str | None) -> dict:
    """Draw, read and score one scene in one kind."""
    import cv2
    from score import score
    from spoilt import spoilt

    import irodori as iro

    with drawn_scene(name, kind, keep) as (path, image, truth):
        began = time.perf_counter()
        capture = iro.open_capture(path)
        read = iro.read_structure(capture, learned=learned, cache=False)
        seconds = time.perf_counter() - began
    result = score(read, truth) | {"seconds": seconds, "kind": read.kind, "spoilt": spoilt(read, truth)}
    if pictures:
        os.makedirs(pictures, exist_ok=True)
        cv2.imwrite(f"{pictures}/{name}-{kind}.png", image[..., ::-1])
        cv2.imwrite(f"{pictures}/{name}-{kind}-read.png", read.preview()[..., ::-1])
        read.save(f"{pictures}/{name}-{kind}.exr")
    return {"scene": name, "drawn": kind, **result}


def main() -> None:
    from draw import KINDS, STYLED

    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument(
        "part", nargs="?", default="all", choices=["tuned", "apart", "all", "random", "families", "families-apart"]
    )
    given.add_argument("--kinds", nargs="+")
    given.add_argument("--scenes", nargs="+")
    given.add_argument("--count", type=int, default=20)
    given.add_argument("--first", type=int, default=FIRST)
    given.add_argument("--rules-only", action="store_true")
    given.add_argument("--pictures")
    given.add_argument("--sheet")
    given.add_argument("--keep", help="a folder for drawings and truths, which the next run takes from there")
    args = given.parse_args()
    if args.part.endswith("apart") and (args.sheet or args.pictures):
        given.error("what is kept apart is not looked at; leave --sheet and --pictures out")
    args.kinds = args.kinds or list(STYLED if args.part.startswith("families") else KINDS)
    if args.part.startswith("families"):
        first = 0 if args.first == FIRST else args.first
        known = FAMILIES if args.part == "families" else APART
        names = args.scenes or [f"{kind}-{first + n}" for kind in known for n in range(args.count)]
    elif args.part == "random":
        names = args.scenes or [str(args.first + n) for n in range(args.count)]
    else:
        chosen = {"tuned": TUNED, "apart": KEPT_APART, "all": TUNED + KEPT_APART}[args.part]
        names = [make.__name__ for make in chosen if not args.scenes or make.__name__ in args.scenes]
    with ProcessPoolExecutor(2) as pool:
        jobs = [
            pool.submit(read_one, name, kind, args.pictures, not args.rules_only, args.keep)
            for kind in args.kinds
            for name in names
        ]
        rows = [job.result() for job in jobs]
    say_spoilt(rows, args.kinds)
    if args.sheet:
        draw_worst(rows, args.sheet)
    if args.part.startswith("families"):
        say_means(rows, args.kinds)
        return
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


def harm(reasons: dict[str, float]) -> float:
    """How badly a reading is spoilt, for sorting: shares of the picture, and a tenth for what is wrong of the camera."""
    return sum(
        size if size <= 1 and name not in ("projection",) else 0.1 + min(size, 50) / 100
        for name, size in reasons.items()
    )


def say_spoilt(rows: list[dict], kinds: list[str]) -> None:
    """The share of spoilt readings by kind, and why, the worst first."""
    for kind in kinds:
        own = [r for r in rows if r["drawn"] == kind]
        bad = sorted((r for r in own if r["spoilt"]), key=lambda r: -harm(r["spoilt"]))
        print(f"\n{kind}: {len(bad)} of {len(own)} spoilt ({100 * len(bad) / max(len(own), 1):.0f} %)")
        counts: dict[str, int] = {}
        for row in bad:
            for name in row["spoilt"]:
                counts[name] = counts.get(name, 0) + 1
        print("  " + ", ".join(f"{name} {count}" for name, count in sorted(counts.items(), key=lambda item: -item[1])))
        for row in bad:
            print(f"  {row['scene']:22s} " + ", ".join(f"{name} {size:.2g}" for name, size in row["spoilt"].items()))


def draw_worst(rows: list[dict], path: str, count: int = 8) -> None:
    """A sheet of the worst readings: the capture, what was read, and a draft of it at noon."""
    import irodori as iro
    from irodori.formats.write_image import write_image
    from irodori.study.contact_sheet import contact_sheet

    shown = []
    for row in sorted((r for r in rows if r["spoilt"]), key=lambda r: -harm(r["spoilt"]))[:count]:
        with drawn_scene(row["scene"], row["drawn"]) as (file, image, _):
            read = iro.read_structure(iro.open_capture(file))
        title = f"{row['scene']} {row['drawn']}"
        noon = iro.render(iro.dress(read, None, "noon"), "draft").developed
        shown += [(title, image), (", ".join(row["spoilt"]), read.preview()), ("noon", noon)]
    write_image(path, contact_sheet([(title, _fitted(one)) for title, one in shown], columns=3, width=1920))


def _fitted(image: np.ndarray, size: tuple[int, int] = (800, 500)) -> np.ndarray:
    """A picture of any shape on a grey card of one size."""
    import cv2

    factor = min(size[0] / image.shape[1], size[1] / image.shape[0])
    small = cv2.resize(image, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
    card = np.full((size[1], size[0], 3), 225, np.uint8)
    top, left = (size[1] - small.shape[0]) // 2, (size[0] - small.shape[1]) // 2
    card[top : top + small.shape[0], left : left + small.shape[1]] = small
    return card


def say_means(rows: list[dict], kinds: list[str]) -> None:
    print(f"\n{'mean (median)':15s} " + " ".join(f"{c:>8s}" for c in COLUMNS))
    for kind in kinds:
        own = [r for r in rows if r["drawn"] == kind]
        with np.errstate(all="ignore"):
            mean = {
                c: np.nanmean([r[c] for r in own]) if np.isfinite([r[c] for r in own]).any() else np.nan
                for c in COLUMNS
            }
        mean |= {"focal": np.nanmedian([r["focal"] for r in own]), "horizon": np.nanmedian([r["horizon"] for r in own])}
        show(kind, mean)


def show(title: str, row: dict) -> None:
    print(f"{title:15s} " + " ".join(f"{row[c]:8.3f}" for c in COLUMNS) + f"  {row.get('kind', '')}", flush=True)


if __name__ == "__main__":
    main()
