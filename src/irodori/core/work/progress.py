"""Progress: how long work reports where it is, and how a caller stops it."""

from __future__ import annotations

from collections.abc import Callable

from irodori.core.errors import Cancelled

Progress = Callable[[str, float], "bool | None"]
"""`progress(stage, fraction)`; fraction 0 … 1 within the stage. Returning False stops the work."""


def report(progress: Progress | None, stage: str, fraction: float) -> None:
    """Call `progress` if there is one; raise `Cancelled` when it answers False."""
    if progress is not None and progress(stage, min(max(fraction, 0.0), 1.0)) is False:
        raise Cancelled(f"Stopped during {stage}")
