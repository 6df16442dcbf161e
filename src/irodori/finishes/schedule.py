"""The finish schedule: which finish goes where."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

from irodori.core.colour import hex_to_linear
from irodori.core.errors import FinishError, unknown_name
from irodori.core.roles import ROLES
from irodori.core.table_text import TableForm, read_entries
from irodori.finishes.catalogue import Finish, find_finish

COLUMNS = ("mark", "where", "finish", "size", "joint", "laying", "colour", "variation", "gloss", "age", "note")

SPECIFICITY = {"pixel": 5, "surface": 4, "name": 3, "colour": 2, "role": 1, "all": 0}
"""The most specific selector wins; among equals the later rule."""


@dataclass(frozen=True)
class Selector:
    """Where a rule applies: `kind` is a key of `SPECIFICITY`, `value` its text, number or point."""

    kind: str
    value: object

    def __str__(self) -> str:
        return "everything" if self.kind == "all" else f"{self.kind} {self.value}"


@dataclass(frozen=True)
class Rule:
    """One line of the schedule."""

    mark: str
    where: Selector
    finish: Finish
    note: str = ""


@dataclass(frozen=True)
class Schedule:
    """The rules in their order, and the text they were read from (for the recipe)."""

    rules: tuple[Rule, ...]
    text: str
    source: str = ""


def parse_selector(text: str) -> Selector:
    """Read a selector.

    "role wall", "name kiosk*", "colour #c59a6a", "surface 12", "pixel 640,380" or "all"; bare words are a role
    when they are one, else a name. Raises FinishError.

    >>> parse_selector("roof")
    Selector(kind='role', value='roof')
    """
    folded = text.strip()
    kind, _, rest = folded.partition(" ")
    kind, rest = kind.casefold().rstrip(":"), rest.strip()
    if folded.casefold() in ("all", "everything", "*"):
        return Selector("all", "")
    if not folded:
        raise FinishError("an empty selector; say where, for example 'role wall' or 'name hall roof'")
    if folded.casefold() in ROLES:
        return Selector("role", folded.casefold())
    if kind == "role":
        if rest.casefold() not in ROLES:
            raise FinishError(unknown_name("role", rest, ROLES))
        return Selector("role", rest.casefold())
    if kind in ("colour", "color") and rest:
        try:
            hex_to_linear(rest)
        except ValueError as error:
            raise FinishError(str(error)) from None
        return Selector("colour", rest.casefold())
    if kind == "surface":
        if not rest.isdigit():
            raise FinishError(f"'{text}' names no surface; write 'surface 12'")
        return Selector("surface", int(rest))
    if kind == "pixel":
        match = re.fullmatch(r"(\d+)\s*[,; ]\s*(\d+)", rest)
        if not match:
            raise FinishError(f"'{text}' names no pixel; write 'pixel 640,380'")
        return Selector("pixel", (int(match[1]), int(match[2])))
    return Selector("name", rest if kind == "name" and rest else folded)


def read_schedule(source: str | Path | Schedule | None) -> Schedule:
    """Read a schedule.

    Parameters
    ----------
    source
        A path to CSV (columns as in `COLUMNS`; only where and finish are needed) or
        TOML (`[[finish]]` tables with the same entries), the text itself, or None for an empty schedule.

    Raises
    ------
    FinishError
        When the file is missing, a column or entry is unknown, or a value cannot be understood.
    """
    if source is None:
        return Schedule((), "")
    if isinstance(source, Schedule):
        return source
    text, name, entries = read_entries(source, _TABLE)
    return Schedule(tuple(_rule(entry, number, name) for number, entry in entries), text, name)


_TABLE = TableForm("finish schedule", "finish", COLUMNS, ("where", "finish"), FinishError)


def _rule(entry: dict, number: int, name: str) -> Rule:
    try:
        finish = find_finish(entry.get("finish", ""))
        joint, joint_colour = _joint(entry.get("joint", ""))
        changes = {
            "colour": entry.get("colour") or None, "size": _size(entry.get("size", "")), "joint": joint,
            "joint_colour": joint_colour, "laying": entry.get("laying") or None,
            **{name: _share(name, entry.get(name, "")) for name in ("variation", "gloss", "age")},
        }  # fmt: skip
        if any(value is not None for value in changes.values()):
            finish = finish.changed(**changes)
        return Rule(entry.get("mark", ""), parse_selector(entry.get("where", "")), finish, entry.get("note", ""))
    except FinishError as error:
        raise FinishError(f"Finish schedule '{name}', line {number}: {error}") from None


def _size(text: str) -> tuple[float, float] | None:
    """ "215 x 65" in millimetres to metres."""
    if not text:
        return None
    numbers = re.findall(r"\d+(?:\.\d+)?", text)
    if not 1 <= len(numbers) <= 2 or re.search(r"[a-zA-Z]", re.sub(r"mm|x", "", text.casefold())):
        raise FinishError(f"size '{text}' is not understood; write millimetres like 215 x 65")
    values = [float(n) / 1000 for n in numbers]
    return values[0], values[-1]


def _joint(text: str) -> tuple[float | None, str | None]:
    """ "10 #b0a898": a joint's width in millimetres, its colour, or both."""
    if not text:
        return None, None
    match = re.fullmatch(r"(\d+(?:\.\d+)?)?\s*(?:mm)?\s*(#[0-9a-fA-F]{6})?", text)
    if not match:
        raise FinishError(f"joint '{text}' is not understood; write millimetres and a colour like 10 #b0a898")
    return (float(match[1]) / 1000 if match[1] else None), match[2]


def _share(name: str, text: str) -> float | None:
    """A number 0 … 1, or a percentage."""
    if not text:
        return None
    match = re.fullmatch(r"(\d+(?:\.\d+)?)\s*(%?)", text)
    value = float(match[1]) / (100 if match[2] else 1) if match else 2.0
    if value > 1:
        raise FinishError(f"{name} '{text}' is not understood; write a number from 0 to 1")
    return value
