"""How options scale over workers, by simulation: `python benchmarks/scaling.py [SOURCE] [--options N] [--lights N] [--quality NAME]`.

Times of the parts and sizes are measured here first (reading, dressing, a first and a further light, finishing, bytes); then the same
sharing as `irodori options --on` is simulated: pieces go to whichever worker is free, every worker reads the source once, results
come home through one line. Nothing but the number of workers differs between rows.
"""

from __future__ import annotations

import argparse
import heapq
import time
from dataclasses import dataclass

from irodori.demo.files import demo_path
from irodori.study.choosing.decisions import combined, decision_of
from irodori.study.choosing.elsewhere import shares
from irodori.study.choosing.estimate import measured
from irodori.study.choosing.plan import planned

HANDING_OUT, LINE = 0.004, 100e6
"""Seconds that a scheduler takes for a piece of work, and bytes a second of the line home (a gigabit, well used)."""

STARTING = 4.0
"""Seconds until a worker has loaded the library and its compiled code, once."""

WORKERS = (1, 2, 4, 8, 16, 32, 64)


@dataclass(frozen=True)
class Work:
    """Seconds of the parts, and bytes of a picture."""

    reading: float
    dressing: float
    first_light: float
    further_light: float
    finishing: float
    size: float

    def of_piece(self, options: list) -> float:
        dressings = {option.dressed_as for option in options}
        lights = {option.traced_as for option in options}
        tracing = len(dressings) * self.first_light + (len(lights) - len(dressings)) * self.further_light
        return len(dressings) * self.dressing + tracing + len(options) * self.finishing


def simulated(pieces: list[list], work: Work, workers: int) -> float:
    """Seconds until the last picture is home."""
    free = [(STARTING + work.reading, n) for n in range(workers)]
    heapq.heapify(free)
    handed, home = 0.0, 0.0
    for own in pieces:
        ready, worker = heapq.heappop(free)
        handed = max(handed, 0.0) + HANDING_OUT
        done = max(ready, handed) + work.of_piece(own)
        home = max(home, done) + len(own) * work.size / LINE
        heapq.heappush(free, (done, worker))
    return home


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("source", nargs="?", default=str(demo_path("landing-shaded.png")))
    given.add_argument("--options", type=int, default=1000)
    given.add_argument("--lights", type=int, default=8)
    given.add_argument("--quality", default="review")
    args = given.parse_args()
    lights = ["dawn", "morning", "noon", "afternoon", "golden hour", "dusk", "blue hour", "night"][: args.lights]
    seeds = max(1, args.options // len(lights))
    plan = planned(
        args.source,
        combined([decision_of("seed", range(seeds)), decision_of("light", lights)]),
        {"quality": args.quality},
    )
    began = time.perf_counter()
    shown = plan[0].job.open(cache=False)
    plan[0].job.read(shown, cache=False)
    reading = time.perf_counter() - began
    told = measured(plan, prove=True)
    work = Work(reading, told.dressing, told.one_light, told.further_light, told.finishing, told.size)
    print(
        f"reading {work.reading:.1f} s, dressing {work.dressing:.1f} s, first light {work.first_light:.1f} s, further lights "
        f"{work.further_light:.1f} s, finishing {work.finishing:.1f} s, {work.size / 1e6:.1f} MB a picture"
    )
    alone = None
    print(
        f"\n{len(plan)} options, {args.quality}\n{'workers':>8s} {'minutes':>8s} {'times':>7s} {'of linear':>9s} {'an hour':>8s}"
    )
    for workers in WORKERS:
        seconds = simulated(shares(plan, workers), work, workers)
        alone = alone or seconds
        times = alone / seconds
        print(f"{workers:8d} {seconds / 60:8.1f} {times:7.1f} {times / workers:9.2f} {3600 * len(plan) / seconds:8.0f}")


if __name__ == "__main__":
    main()
