"""The first picture on a machine: say that it takes longer, and compile on both cores."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from irodori.core.work.progress import Progress, report

TYPICAL = 30.0
"""Seconds that the second process may take longer than the first, for the progress bar."""


class Compiler:
    """A second process that compiles the engine while the first opens and reads; None when nothing is to be done."""

    def __init__(self, process: subprocess.Popen | None) -> None:
        self.process = process

    def help(self, progress: Progress | None) -> None:
        """Compile here what the second process leaves for last."""
        if self.process is None:
            return
        from irodori.study.first_run import compile_finishes

        report(progress, "Compiling the finishes", 0.0)
        compile_finishes()

    def finish(self, progress: Progress | None) -> None:
        """Wait for the second process; without it the engine compiles by itself, only slower."""
        if self.process is None:
            return
        start = time.monotonic()
        while self.process.poll() is None:
            report(progress, "Compiling the engine", min((time.monotonic() - start) / TYPICAL, 0.99))
            time.sleep(0.2)
        try:
            _marker().parent.mkdir(parents=True, exist_ok=True)
            _marker().touch()
        except OSError:
            pass  # a read-only home only means that the line shows again


@contextmanager
def compiling(quiet: bool) -> Iterator[Compiler]:
    """On the first run: say so, and start compiling beside whatever comes next; stopped with it."""
    if _marker().exists():
        yield Compiler(None)
        return
    if not quiet:
        print("First run on this machine: compiling the engine, about a minute.", file=sys.stderr, flush=True)
    process = subprocess.Popen(
        [sys.executable, "-m", "irodori.study.first_run"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        yield Compiler(process)
    finally:
        if process.poll() is None:
            process.kill()


def compile_all(quiet: bool, progress: Progress | None) -> None:
    """Compile on the first run, where there is nothing to open meanwhile."""
    with compiling(quiet) as compiler:
        compiler.help(progress)
        compiler.finish(progress)


def _marker() -> Path:
    import platformdirs

    import irodori

    return platformdirs.user_cache_path("irodori") / f"compiled-{irodori.__version__}"
