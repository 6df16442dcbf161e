"""Does what is rendered from each truth scene's picture stay in register with it: `python benchmarks/structure/register.py [kinds …]`.

The pictures are drawn by another toolkit than our own; nothing of the demo is in them.
"""

from __future__ import annotations

import argparse
from concurrent.futures import ProcessPoolExecutor

import numpy as np
from run import drawn_scene
from scenes import KEPT_APART, TUNED


def register_one(name: str, kind: str, light: str) -> dict:
    """Draw, read, render and prove one scene in one kind."""
    import irodori as iro

    with drawn_scene(name, kind) as (path, _, _):
        capture = iro.open_capture(path)
        read = iro.read_structure(capture, cache=False)
        found = iro.prove(capture, iro.render(iro.dress(read, None, light), "draft"))
    drift = found.drift
    return {"recall": found.edge_recall, "median": drift["median"], "p95": drift["p95"], "ok": found.in_register}


def main() -> None:
    from draw import KINDS

    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("kinds", nargs="*", default=["shaded", "messy", "line", "sketch"], choices=list(KINDS))
    given.add_argument("--light", default="noon")
    args = given.parse_args()
    names = [make.__name__ for make in TUNED + KEPT_APART]
    with ProcessPoolExecutor(2) as pool:
        for kind in args.kinds:
            jobs = [pool.submit(register_one, name, kind, args.light) for name in names]
            rows = [job.result() for job in jobs]
            print(f"\n{kind:18s} {'recall':>8s} {'median':>8s} {'95 %':>8s}")
            for name, row in zip(names, rows):
                verdict = "in register" if row["ok"] else "OUT"
                print(f"{name:18s} {row['recall']:8.4f} {row['median']:8.3f} {row['p95']:8.3f}  {verdict}", flush=True)
            median = {key: np.median([row[key] for row in rows]) for key in ("recall", "median", "p95")}
            out = sum(not row["ok"] for row in rows)
            print(f"{'median':18s} {median['recall']:8.4f} {median['median']:8.3f} {median['p95']:8.3f}  {out} OUT")


if __name__ == "__main__":
    main()
