"""What was made from something in use, kept for the next time it is wanted."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any, Generic, TypeVar
from weakref import WeakKeyDictionary

Made = TypeVar("Made")


class Kept(Generic[Made]):
    """The last thing made from each owner, as long as the owner lives; what was made must not refer to it.

    >>> class Plan: ...
    >>> plan, walls = Plan(), Kept()
    >>> walls.of(plan, "brick", lambda: "laid"), walls.of(plan, "brick", lambda: "laid again")
    ('laid', 'laid')
    >>> walls.of(plan, "render", lambda: "plastered")
    'plastered'
    """

    def __init__(self) -> None:
        self._last: WeakKeyDictionary[Any, tuple[Hashable, Made]] = WeakKeyDictionary()

    def of(self, owner: Any, key: Hashable, make: Callable[[], Made]) -> Made:
        """What was made last from `owner` with an equal `key`; otherwise `make` is called."""
        last = self._last.get(owner)
        if last is None or last[0] != key:
            last = self._last[owner] = key, make()
        return last[1]
