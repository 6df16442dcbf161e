"""The finish schedule: which finish goes where."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

from irodori.core.errors import FinishError
from irodori.core.selectors import Selector, parse_selector
from irodori.core.table_text import TableForm, read_entries, tables_text
from irodori.finishes.catalogue import FINISHES, Finish, catalogue_entry, catalogue_text, find_finish, read_catalogue

COLUMNS = ("mark", "where", "finish", "size", "joint", "laying", "colour", "variation", "gloss", "age", "note")


OWN_LOOK = "own look"
"""Mark of rules by which surfaces keep the look that a finished picture gives them: nobody asked for it, so a brief goes before."""


@dataclass(frozen=True)
class Rule:
    """One line of the schedule."""

    mark: str
    where: Selector
    finish: Finish
    note: str = ""


@dataclass(frozen=True)
class Schedule:
    """The rules in their order.

    Attributes
    ----------
    rules
        In their order.
    text
        What they were read from; "" for rules put together in Python.
    source
        The file's name.
    catalogue
        The text of the user's own finishes, if any, that they name.
    masks
        What the masks that rules name cover, by the names they give them, as `irodori.core.recipe.mask_text` writes it.
    """

    rules: tuple[Rule, ...]
    text: str = ""
    source: str = ""
    catalogue: str = ""
    masks: Mapping[str, str] = field(default_factory=dict)

    def in_full(self) -> Schedule:
        """This schedule with texts that say what the rules say, finishes of the user's own included; for recipes."""
        if not self.rules and not self.text.strip():
            return replace(self, text="")
        try:
            if self.text and read_schedule(self.text, catalogue=self.catalogue, masks=self.masks).rules == self.rules:
                return self
        except FinishError:
            pass  # a text that tells nothing is written anew
        import tomli_w

        own: dict[str, Finish] = {}
        entries = []
        for rule in self.rules:
            name = rule.finish.name
            if FINISHES.get(name) != rule.finish:
                count = 1
                while own.get(name, named := rule.finish.but(name=name)) != named or name in FINISHES:
                    count += 1
                    name = f"{rule.finish.name} ({count})"
                own[name] = named
            entry = {"mark": rule.mark, "where": str(rule.where), "finish": name, "note": rule.note}
            entries.append({k: v for k, v in entry.items() if v})
        catalogue = {name: catalogue_entry(finish) for name, finish in own.items()}
        return replace(
            self, text=tables_text("finish", entries), catalogue=tomli_w.dumps(catalogue) if catalogue else "",
            rules=tuple(replace(r, finish=own.get(str(e["finish"]), r.finish)) for r, e in zip(self.rules, entries)),
        )  # fmt: skip


def read_schedule(
    source: str | Path | Schedule | None, *, catalogue: str | Path | None = None, masks: Mapping[str, str] | None = None
) -> Schedule:  # fmt: skip
    """Read a schedule.

    Parameters
    ----------
    source
        A path to CSV (columns as in `COLUMNS`; only where and finish are needed) or
        TOML (`[[finish]]` tables with the same entries), the text itself, or None for an empty schedule.
    catalogue
        The user's own finishes, as for `read_catalogue`.
    masks
        What masks hold by the names that rules give them, for a schedule taken from a recipe.

    Raises
    ------
    FinishError
        When the file is missing, a column or entry is unknown, or a value cannot be understood.
    """
    if isinstance(source, Schedule):
        return source
    known = read_catalogue(catalogue)
    own = catalogue_text(catalogue)[0] if catalogue else ""
    if source is None or source == "":
        return Schedule((), catalogue=own)
    text, name, entries = read_entries(source, _TABLE)
    rules = tuple(_rule(entry, number, name, known) for number, entry in entries)
    return Schedule(rules, text, name, own, dict(masks or {}))


_TABLE = TableForm("finish schedule", "finish", COLUMNS, ("where", "finish"), FinishError)


def _rule(entry: dict, number: int, name: str, catalogue: Mapping[str, Finish]) -> Rule:
    try:
        finish = find_finish(entry.get("finish", ""), catalogue)
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
