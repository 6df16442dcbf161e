"""What commands show: a progress bar on a terminal, plain lines, or JSON for machines."""

from __future__ import annotations

import json
import signal
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

from irodori.core.work.progress import Progress


@contextmanager
def progress_bar(quiet: bool) -> Iterator[Progress]:
    """A progress callback that draws on standard error: a bar on a terminal, else a line for each stage."""
    if quiet:
        yield _unless_stopped(None)
    elif not sys.stderr.isatty():
        yield _unless_stopped(_plain_lines())
    else:
        from irodori.study.rich_progress import rich_progress

        with rich_progress() as show:
            yield _unless_stopped(show)


_stop = threading.Event()


@contextmanager
def heeding_interrupts() -> Iterator[threading.Event]:
    """Ctrl-C stops the work, also where it comes in the middle of loading compiled code, which swallows the usual exception."""
    if threading.current_thread() is not threading.main_thread():
        yield _stop
        return
    _stop.clear()

    def stop(number, frame):
        _stop.set()
        raise KeyboardInterrupt

    before = signal.signal(signal.SIGINT, stop)
    try:
        yield _stop
    finally:
        signal.signal(signal.SIGINT, before)


def _unless_stopped(show: Progress | None) -> Progress:
    def report(stage: str, fraction: float) -> bool | None:
        if _stop.is_set():
            return False
        return None if show is None else show(stage, fraction)

    return report


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
