"""The first picture on a machine: say that it takes longer, and compile on both cores."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

from irodori.core.progress import Progress, report

TYPICAL = 70.0
"""Seconds that compiling takes, for the progress bar."""


def _marker() -> Path:
    import platformdirs

    import irodori

    return platformdirs.user_cache_path("irodori") / f"compiled-{irodori.__version__}"


def begin(quiet: bool) -> subprocess.Popen | None:
    """On the first run: say so, and start compiling the engine beside whatever comes next."""
    if _marker().exists():
        return None
    if not quiet:
        print("First run on this machine: compiling the engine, about a minute.", file=sys.stderr, flush=True)
    return subprocess.Popen(
        [sys.executable, "-m", "irodori.study.first_run"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )


def finish(process: subprocess.Popen | None, progress: Progress | None) -> None:
    """Wait for the compiler; without it the engine compiles by itself, only slower."""
    if process is None:
        return
    start = time.monotonic()
    try:
        while process.poll() is None:
            report(progress, "Compiling the engine", min((time.monotonic() - start) / TYPICAL, 0.99))
            time.sleep(0.2)
    except BaseException:
        process.kill()
        raise
    try:
        _marker().parent.mkdir(parents=True, exist_ok=True)
        _marker().touch()
    except OSError:
        pass  # a read-only home only means that the line shows again
