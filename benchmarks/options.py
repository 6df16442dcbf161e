"""What options cost: `python benchmarks/options.py [SOURCE] [--quality NAME] [--kills N]`.

In one run with single pictures, as ratios: 24 options (three finishes, four lights, two seeds), twelve lights, a sun study of twelve hours, and
the estimate against what it took. `--kills N` kills a run of twelve as often at random moments, goes on each time, and compares the files with
those of a run that nothing disturbed.
"""

from __future__ import annotations

import argparse
import os
import random
import signal
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import irodori as iro
from irodori.demo.files import demo_path
from irodori.study.choosing.decisions import combined, decision_of
from irodori.study.choosing.estimate import estimated
from irodori.study.choosing.plan import planned
from irodori.study.series import DAY
from irodori.study.sun_study import read_day, sun_study

FINISHES, LIGHTS = ("white render", "red brick", "charred boards, upright"), ("noon", "golden hour", "dusk", "overcast")
TWELVE = (*DAY, "overcast", "noon, fog", "dusk, cumulus", "morning, thin cloud")


def timed(work: Callable[[], object]) -> float:
    began = time.perf_counter()
    work()
    return time.perf_counter() - began


def singles(source: str, quality: str, count: int = 3) -> float:
    """Median seconds of a picture made by itself, its source opened and read already, saved and proved."""
    capture = iro.open_capture(source)
    structure = iro.read_structure(capture)

    def one(light: str) -> None:
        picture = iro.render(iro.dress(structure, None, light), quality)
        with tempfile.TemporaryDirectory() as folder:
            picture.save(Path(folder) / "one.png")
        iro.prove(capture, picture)

    one("noon")
    return statistics.median(
        timed(lambda light=light: one(light)) for light in ("noon", "golden hour", "overcast")[:count]
    )


def as_a_command(source: str, quality: str, count: int = 3) -> float:
    """Median seconds of a picture made by `irodori render` with its proof: what somebody does once for each without options."""
    render = [sys.executable, "-m", "irodori", "render", source, "--quality", quality]

    def one(number: int) -> None:
        with tempfile.TemporaryDirectory() as folder:
            command = [*render, "--light", ("noon", "dusk", "overcast")[number % 3], "--out", f"{folder}/one.png"]
            subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    return statistics.median(timed(lambda number=number: one(number)) for number in range(count))


def made(source: str, vary: dict, quality: str) -> tuple[float, float, int]:
    """Seconds that options took, seconds that were estimated, and how many they were."""
    choices = combined([decision_of(name, values) for name, values in vary.items()])
    told = estimated(planned(source, choices, {"quality": quality}))
    with tempfile.TemporaryDirectory() as folder:
        took = timed(lambda: list(iro.options(source, vary, folder=folder, prove=True, quality=quality)))
    return took, told.seconds, len(choices)


def killed(source: str, times: int) -> None:
    """Kill a run again and again, and say what was lost."""
    vary = ["--vary", "light: noon | dusk | overcast", "--vary", "exposure: 0 | 0.5 | 1 | 1.5"]
    with tempfile.TemporaryDirectory() as folder:
        command = [
            sys.executable,
            "-m",
            "irodori",
            "options",
            source,
            *vary,
            "--quality",
            "draft",
            "--yes",
            "--no-proof",
            "--json",
        ]
        subprocess.run([*command, "--out", f"{folder}/straight"], check=True, stdout=subprocess.DEVNULL)
        straight = {path.name: path.read_bytes() for path in Path(folder, "straight").glob("[0-9]*.png")}
        began, half, kills, finished = time.perf_counter(), 0, 0, 0
        chance = random.Random(1)
        while kills < times:
            work = subprocess.Popen(
                [*command, "--out", f"{folder}/killed-{finished}"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
            )
            try:
                work.wait(chance.uniform(1.0, 14.0))
                finished += 1
            except subprocess.TimeoutExpired:
                work.send_signal(signal.SIGKILL)
                work.wait()
                kills += 1
            for place in Path(folder).glob("killed-*"):
                half += sum(path.read_bytes() != straight.get(path.name) for path in place.glob("[0-9]*.png"))
        subprocess.run([*command, "--out", f"{folder}/killed-{finished}"], check=True, stdout=subprocess.DEVNULL)
        names = [os.listdir(place) for place in sorted(Path(folder).glob("killed-*"))]
        left = sum(name.startswith(".") for own in names for name in own)
        whole = all(len([n for n in own if n[0].isdigit()]) == len(straight) for own in names)
        print(
            f"{kills} kills over {finished + 1} runs of {len(straight)}, {time.perf_counter() - began:.0f} s: {half} files that differ, "
            f"{left} leftovers, {'all there' if whole else 'some missing'}"
        )


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("source", nargs="?", default=str(demo_path("landing-shaded.png")))
    given.add_argument("--quality", default="draft")
    given.add_argument("--kills", type=int, default=0)
    args = given.parse_args()
    one = singles(args.source, args.quality)
    command = as_a_command(args.source, args.quality)
    print(f"one picture: {one:.1f} s in a program that has read its source, {command:.1f} s as a command")
    print(f"{'times one picture':34s} {'in a program':>14s} {'as a command':>14s} {'estimate / took':>16s}")
    for title, vary in (
        ("3 finishes × 4 lights × 2 seeds", {"finish role wall": FINISHES, "light": LIGHTS, "seed": (7, 8)}),
        ("12 lights", {"light": TWELVE}),
        ("5 exposures", {"exposure": (-1, -0.5, 0, 0.5, 1)}),
    ):
        took, told, count = made(args.source, vary, args.quality)
        print(
            f"{title:34s} {took / one:14.2f} {took / command:14.2f} {told / took:16.2f}   ({count} options)", flush=True
        )
    structure = iro.read_structure(iro.open_capture(args.source))
    study = timed(lambda: sun_study(structure, (46.5, 8.1), read_day("21 March"), hours=(6, 18), step=60))
    print(f"{'sun study of 12 hours':34s} {study / one:14.2f} {study / command:14.2f}")
    if args.kills:
        killed(args.source, args.kills)


if __name__ == "__main__":
    main()
