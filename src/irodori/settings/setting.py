"""A setting: one thing that can be told, with its default, its check and its place in the recipe."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irodori.core.errors import IrodoriError, unknown_name

if TYPE_CHECKING:
    from irodori.core.recipe import Step

KNOWN = Path(__file__).parent / "known"


COMING_IN = ("model", "north", "size", "passes", "cleaning", "reading")
"""Groups of settings that say what comes in and how it is read."""

PICTURE = ("dressing", "light", "quality", "developing", "output")
"""Groups that say what picture is made of it."""


@dataclass(frozen=True)
class Setting:
    """One thing that can be told.

    Attributes
    ----------
    name
        In words; the flag is `--` and the name with hyphens, the key in `irodori.toml` the same without `--`.
    kind
        str, int, float, bool, or list (of str: the flag may be repeated).
    group
        What it belongs to; commands take whole groups.
    about
        The line of `--help`.
    default
        What holds when nobody says anything; None where that depends on what comes in.
    metavar
        What stands for the value in `--help`.
    path
        Where its value goes in the recipe, as "source.kind"; "" for what is no decision on a picture.
    read
        Turns what was told into what the recipe keeps, and raises IrodoriError when it is wrong; it runs before any work begins.
    in_file
        Whether `irodori.toml` may say it.
    is_path
        Whether it names a file: in `irodori.toml` seen from there.
    off
        Of a bool: also have a flag `--no-…`.
    step
        Makes the step that is done to the finished picture from the value; `path` is "" then.
    """

    name: str
    kind: type
    group: str
    about: str
    default: Any = None
    metavar: str | None = None
    path: str = ""
    read: Callable[[Any], Any] | None = None
    in_file: bool = False
    is_path: bool = False
    off: bool = False
    step: Callable[[Any], Step] | None = None

    @property
    def flag(self) -> str:
        return "--" + self.name.replace(" ", "-")

    @property
    def key(self) -> str:
        """As a name in Python."""
        return self.name.replace(" ", "_").replace("-", "_")

    def checked(self, value: Any) -> Any:
        """What the recipe keeps of a value that was told. Raises IrodoriError."""
        try:
            if self.kind is float and isinstance(value, int) and not isinstance(value, bool):
                value = float(value)
            if self.kind is list and isinstance(value, str):
                value = [value]
            if isinstance(value, str) and "\0" in value:
                raise IrodoriError("a text with a null character in it is none that can be read")
            fits = isinstance(value, self.kind) and (self.kind is bool or not isinstance(value, bool))
            if not fits and not (self.kind is str and isinstance(value, Path)):
                raise IrodoriError(f"{value!r} is no {WORDS[self.kind]}")
            return value if self.read is None else self.read(value)
        except IrodoriError as error:
            text = str(error)
            raise type(error)(text if self.name in text.casefold() else f"{self.flag[2:]}: {text}") from None


WORDS = {str: "text", int: "whole number", float: "number", bool: "yes or no", list: "list"}

_registered: dict[str, Setting] = {}


def setting(name: str, kind: type, group: str, about: str, **more: Any) -> Setting:
    """Register a setting; `more` are further attributes of `Setting`. Raises ValueError when the name is taken."""
    if name in _registered:
        raise ValueError(f"there are two settings called '{name}'")
    new = Setting(name, kind, group, about, **more)
    _registered[name] = new
    return new


@cache
def settings() -> dict[str, Setting]:
    """Every setting by name; each file of `irodori/settings/known` registers its own."""
    for module in sorted(m.name for m in pkgutil.iter_modules([str(KNOWN)])):
        importlib.import_module(f"irodori.settings.known.{module}")
    return dict(_registered)


def of_groups(*groups: str) -> list[Setting]:
    """The settings of some groups, in the groups' order."""
    return [s for group in groups for s in settings().values() if s.group == group]


def find_setting(name: str) -> Setting:
    """The setting called `name`, with spaces, hyphens or underscores. Raises IrodoriError with the nearest names."""
    wanted = name.replace("_", " ").replace("-", " ").casefold()
    for known in settings().values():
        if known.name.replace("-", " ") == wanted:
            return known
    raise IrodoriError(unknown_name("setting", name, [s.key for s in settings().values()]))
