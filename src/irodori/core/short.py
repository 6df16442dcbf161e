"""Short texts of things that hold arrays: what they are, never all their numbers."""

from __future__ import annotations

from dataclasses import fields
from typing import Any

import numpy as np

LONGEST = 40


class Short:
    """Gives a dataclass a `repr` of one line; use with `@dataclass(repr=False)`."""

    def __repr__(self) -> str:
        told = ", ".join(f"{f.name}={short_text(getattr(self, f.name))}" for f in fields(self) if f.repr)  # type: ignore[arg-type]
        return f"<{type(self).__name__} {told}>"


def short_text(value: Any) -> str:
    """A value in a few letters.

    >>> short_text(np.zeros((2, 3), np.float32))
    'float32 (2, 3)'
    """
    if isinstance(value, np.ndarray):
        return f"{value.dtype} {value.shape}"
    if isinstance(value, str | bool | int | float) or value is None:
        text = repr(value)
        return text if len(text) <= LONGEST else f"{text[: LONGEST - 1]}…"
    if isinstance(value, tuple | list | dict | set | frozenset):
        if len(value) > 3 or not all(isinstance(v, str | int | float) for v in value):
            return f"{len(value)} of {type(value).__name__}"
        return repr(value)
    text = repr(value)
    return text if len(text) <= 2 * LONGEST and "\n" not in text else f"<{type(value).__name__}>"
