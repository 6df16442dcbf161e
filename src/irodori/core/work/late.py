"""What shared data can do but higher rooms own: core names the task, `irodori` says which room does it.

So `structure.save(…)` reads well, and core still imports nothing of ours.
"""

from __future__ import annotations

import importlib
from typing import Any

_ROOMS: dict[str, tuple[str, str]] = {}


def register(task: str, module: str, function: str) -> None:
    """Say that `function` of `module`, loaded when first wanted, does a task."""
    _ROOMS[task] = (module, function)


def do(task: str, *given: Any, **options: Any) -> Any:
    """Have a registered task done."""
    module, function = _ROOMS[task]
    return getattr(importlib.import_module(module), function)(*given, **options)
