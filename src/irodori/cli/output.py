"""What commands show: a progress bar on a terminal, plain lines, or JSON for machines."""

from __future__ import annotations

import json
import re
import sys
from collections.abc import Iterator
from contextlib import contextmanager

from irodori.core.progress import Progress


@contextmanager
def progress_bar(quiet: bool) -> Iterator[Progress | None]:
    """A progress callback that draws on standard error: a bar on a terminal, else a line for each stage."""
    if quiet:
        yield None
        return
    if not sys.stderr.isatty():
        yield _plain_lines()
        return
    from rich.console import Console
    from rich.progress import BarColumn, SpinnerColumn, TextColumn, TimeElapsedColumn
    from rich.progress import Progress as Bar

    columns = (SpinnerColumn(), TextColumn("{task.description:<24}"), BarColumn(), TimeElapsedColumn())
    with Bar(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task("Starting", total=1.0)

        def show(stage: str, fraction: float) -> None:
            bar.update(task, description=stage, completed=fraction)

        yield show


def _plain_lines() -> Progress:
    seen: list[str] = []

    def show(stage: str, fraction: float) -> None:
        if stage not in seen[-1:]:
            seen.append(stage)
            print(f"{stage} …", file=sys.stderr, flush=True)

    return show


def say(text: str, *, as_json: bool = False) -> None:
    """A line on standard output, unless the command answers in JSON."""
    if not as_json:
        print(text, flush=True)


def say_json(data: dict) -> None:
    """The command's answer as one JSON object."""
    print(json.dumps(data, ensure_ascii=False, indent=1, default=str), flush=True)


def file_word(light: str) -> str:
    """A light's name as part of a file name."""
    return re.sub(r"[^\w+-]+", "-", light.split("@")[0].replace(":", "").strip())
