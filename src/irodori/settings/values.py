"""What holds for one piece of work, and who said so: flag before earlier picture before file before default."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from irodori.core.recipe import Recipe
from irodori.settings.project_file import ProjectFile
from irodori.settings.setting import Setting

if TYPE_CHECKING:
    from irodori.brief import Brief

GIVEN, DEFAULT = "given", "default"


@dataclass(frozen=True)
class Value:
    """What was told, what the recipe keeps of it, and where it came from."""

    told: Any
    kept: Any
    whence: str


@dataclass(frozen=True)
class Values:
    """The settings of one piece of work by name.

    Attributes
    ----------
    known
        The settings that it takes.
    by_name
        What holds of each.
    base
        The recipe that all else comes from.
    brief
        The brief that was told, understood, its decisions marked where something else goes before them.
    """

    known: tuple[Setting, ...]
    by_name: dict[str, Value]
    base: Recipe = field(default_factory=Recipe)
    brief: Brief | None = None

    def __getitem__(self, name: str) -> Any:
        """What was told of a setting, or its default; None for one that this work does not take."""
        value = self.by_name.get(name)
        return None if value is None else value.told

    def kept(self, name: str) -> Any:
        """What the recipe keeps of it."""
        value = self.by_name.get(name)
        return None if value is None else value.kept

    def was_told(self, name: str) -> bool:
        """Whether anybody said it."""
        value = self.by_name.get(name)
        return value is not None and value.whence != DEFAULT

    def explained(self) -> list[tuple[str, str, str]]:
        """Name, value and whence of each, for people."""
        rows = []
        for one in self.known:
            value = self.by_name[one.name]
            told = value.told
            text = (
                "–" if told is None or told == [] else "yes" if told is True else "no" if told is False else str(told)
            )
            if isinstance(told, list):
                text = ", ".join(map(str, told)) or "–"
            rows.append((one.name, text.replace("\n", " ")[:90], value.whence))
        return rows


def resolve(
    known: Iterable[Setting], given: Mapping[str, Any], file: ProjectFile | None = None, like: tuple[str, Recipe] | None = None
) -> Values:  # fmt: skip
    """What holds.

    Parameters
    ----------
    known
        The settings that the work takes.
    given
        What was said outright, by the settings' names; None for what was not.
    file
        The project file.
    like
        Name and recipe of an earlier picture whose decisions hold where nothing was given; the file then says nothing.

    Raises
    ------
    IrodoriError
        When a value is wrong.
    """
    known = tuple(known)
    by_name = {}
    for one in known:
        told = given.get(one.name)
        if told is not None and told != []:
            by_name[one.name] = Value(told, one.checked(told), GIVEN)
        elif like is not None and one.path:
            by_name[one.name] = Value(_in_recipe(like[1], one.path), None, f"recipe of {like[0]}")
        elif like is None and file is not None and one.name in file.values:
            told = file.values[one.name]
            by_name[one.name] = Value(told, one.checked(told), str(file.path))
        else:
            kept = one.default if one.default is None or one.read is None else one.read(one.default)
            by_name[one.name] = Value(one.default, kept, DEFAULT)
    return Values(known, by_name, like[1] if like else Recipe())


def _in_recipe(recipe: Recipe, path: str) -> Any:
    value: Any = recipe
    for part in path.split("."):
        value = getattr(value, part, None)
    return getattr(value, "name", value)
