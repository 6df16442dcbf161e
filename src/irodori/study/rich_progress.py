"""Progress callbacks drawn by Rich."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from irodori.core.work.progress import Progress

if TYPE_CHECKING:
    from rich.console import Console


@contextmanager
def rich_progress(console: Console | None = None) -> Iterator[Progress]:
    """A progress callback that draws a bar on a Rich console (None: standard error), for as long as the block lasts.

    Examples
    --------
    ``with rich_progress() as bar: render(scene, progress=bar)``
    """
    from rich.console import Console
    from rich.progress import BarColumn, SpinnerColumn, TextColumn, TimeElapsedColumn
    from rich.progress import Progress as Bar

    columns = (SpinnerColumn(), TextColumn("{task.description:<24}"), BarColumn(), TimeElapsedColumn())
    with Bar(*columns, console=console or Console(stderr=True), transient=True) as bar:
        task = bar.add_task("Starting", total=1.0)

        def show(stage: str, fraction: float) -> None:
            bar.update(task, description=stage, completed=fraction)

        yield show
