"""Compiled kernels on disk, where Numba's own bookkeeping falls short."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable
from pathlib import Path


def forget_older_kernels(file: Path, sources: Iterable[Path]) -> None:
    """Forget the kernels of `file` that were compiled before any of `sources` (files, or folders whose list counts) changed.

    Numba keeps a kernel by its own file alone: those that call functions of other files would go on calling the old ones.
    Call it before the kernels are defined.
    """
    with contextlib.suppress(OSError):  # an installed package that cannot be written does not change either
        changed = max(source.stat().st_mtime_ns for source in sources)
        for index in (file.parent / "__pycache__").glob(f"{file.stem}.*.nbi"):
            if index.stat().st_mtime_ns < changed:
                index.unlink()
