"""How well briefs are understood: decisions right, words wrongly acted on, words passed over; worst briefs first.

`python benchmarks/brief.py [open|held]`. The files in `benchmarks/brief` were written before the grammar; what a brief must decide stands
below it. A brief is right when its decisions and its words not understood are exactly those.
"""

from __future__ import annotations

import statistics
import sys
import time
from pathlib import Path

import irodori as iro

FOLDER = Path(__file__).parent / "brief"


def briefs(name: str) -> list[tuple[str, str, set[str], set[str]]]:
    """Text, avoid, decisions and unknown words of each brief in a file."""
    out: list[tuple[str, str, set[str], set[str]]] = []
    for line in (FOLDER / f"{name}.txt").read_text("utf-8").splitlines():
        if line.startswith("say "):
            out.append((line[4:], "", set(), set()))
        elif line.startswith("avoid "):
            out[-1] = (out[-1][0], line[6:], out[-1][2], out[-1][3])
        elif line.startswith("  ? "):
            out[-1][3].add(line[4:].casefold())
        elif line.startswith("  "):
            out[-1][2].add(line.strip())
    return out


def main() -> None:
    names = [a for a in sys.argv[1:] if not a.startswith("-")] or ["open"]
    iro.understand("slaet roof")  # the lexicon and the matcher are loaded once
    for name in names:
        right = wanted = found = extra = told = silent = 0
        times, worst = [], []
        for text, avoid, decided, strange in briefs(name):
            start = time.perf_counter()
            brief = iro.understand(text, avoid=avoid)
            times.append(time.perf_counter() - start)
            lines, unknown = set(brief.lines), {u.phrase.casefold() for u in brief.unknown}
            right += lines == decided and unknown == strange
            wanted += len(decided)
            found += len(decided & lines)
            extra += len(lines - decided)
            told += len(strange & unknown)
            silent += len(strange - unknown)
            missed = sorted(decided - lines) + [f"? {w}" for w in sorted(strange - unknown)]
            more = sorted(lines - decided) + [f"? {w}" for w in sorted(unknown - strange)]
            if missed or more:
                worst.append((len(missed) + len(more), text, missed, more))
        for _, text, missed, more in sorted(worst, key=lambda w: -w[0]):
            print(text)
            for line in missed:
                print(f"    missed  {line}")
            for line in more:
                print(f"    instead {line}")
        count = len(times)
        print(
            f"{name}: {count} briefs, {right / count:.1%} wholly right; decisions right {found / wanted:.1%} of {wanted}, wrongly acting {extra / max(found + extra, 1):.1%}; passed over in silence {silent} of {told + silent}"
        )
        print(f"    {1000 * statistics.median(times):.1f} ms a brief (median), {1000 * max(times):.1f} ms at most")


if __name__ == "__main__":
    main()
