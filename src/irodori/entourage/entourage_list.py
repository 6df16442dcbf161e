"""The entourage list: what is added where. A planting list is one of plants only."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass
from pathlib import Path

from irodori.core.errors import EntourageError, FinishError, unknown_name
from irodori.core.selectors import Selector, parse_selector
from irodori.core.table_text import TableForm, number_in, read_entries, tables_text
from irodori.entourage.catalogue import ENTOURAGE, Kind, check_season, find_kind, kind_entry, read_kinds

COLUMNS = ("mark", "what", "where", "height", "spacing", "number", "facing", "season", "manner", "over", "note")
MANNERS = ("solid", "translucent", "drawn")

_LIST = TableForm("entourage list", "addition", COLUMNS, ("what", "where"), EntourageError)


WAYS = {
    "pixel": (1, "pixel 412,640"), "line": (2, "line 100,600 900,640"), "area": (3, "area 80,700 400,690 420,780"),
    "at": (1, "at 12.5,-3"), "along": (2, "along 10,17 24,17"), "within": (3, "within 4,3 9,3 9,8"),
}  # fmt: skip
"""Points that each way of placing needs at least, and an example: three in the picture, three in the world (m)."""


@dataclass(frozen=True)
class Where:
    """A place: `way` is a key of `WAYS` with its points, "horizon", or "surfaces" with a selector."""

    way: str
    points: tuple[tuple[float, ...], ...] = ()
    selector: Selector | None = None

    def __str__(self) -> str:
        if self.selector is not None:
            return str(self.selector)
        return " ".join([self.way, *(",".join(f"{v:g}" for v in p) for p in self.points)])


@dataclass(frozen=True)
class Entry:
    """One line of the list; None where it leaves a value open. `over`: may cover architecture."""

    mark: str
    kind: Kind
    where: Where
    height: float | None = None
    spacing: float | None = None
    number: int | None = None
    facing: float | None = None
    season: str = ""
    manner: str = "solid"
    over: bool = False
    note: str = ""


@dataclass(frozen=True)
class EntourageList:
    """The entries in their order, and the text they were read from ("" for entries put together in Python)."""

    entries: tuple[Entry, ...]
    text: str = ""

    def in_full(self) -> EntourageList:
        """This list with a text that says what the entries say, kinds of the user's own included; for recipes."""
        if not self.entries:
            return EntourageList(())
        try:
            if self.text and read_entourage(self.text).entries == self.entries:
                return self
        except EntourageError:
            pass  # a text that tells nothing is written anew
        import tomli_w

        kinds, entries = {}, []
        for entry in self.entries:
            if ENTOURAGE.get(entry.kind.name) != entry.kind:
                kinds[entry.kind.name] = kind_entry(entry.kind)
            told = {
                "mark": entry.mark, "what": entry.kind.name, "where": _place_text(entry.where), "season": entry.season,
                "manner": entry.manner, "over": "yes" if entry.over else "", "note": entry.note,
            } | {name: _exact(getattr(entry, name)) for name in ("height", "spacing", "number", "facing")}  # fmt: skip
            entries.append({k: v for k, v in told.items() if v})
        own = "\n" + tomli_w.dumps({"kind": kinds}) if kinds else ""
        return EntourageList(self.entries, tables_text("addition", entries) + own)


def _exact(value: float | None) -> str:
    return "" if value is None else repr(value)


def _place_text(where: Where) -> str:
    if where.selector is not None:
        return str(where.selector)
    return " ".join([where.way, *(",".join(repr(float(v)) for v in p) for p in where.points)])


def read_entourage(source: str | Path | EntourageList | None) -> EntourageList:
    """Read an entourage list.

    Parameters
    ----------
    source
        A path to CSV (columns as in `COLUMNS`; only what and where are needed) or TOML (`[[addition]]` tables with the
        same entries; `[kind."name"]` tables bring kinds of your own), the text itself, or None for an empty list.

    Raises
    ------
    EntourageError
        When the file is missing, a column, kind or place is unknown, or a value cannot be understood.
    """
    if isinstance(source, EntourageList):
        return source
    if source is None or source == "":
        return EntourageList(())
    text, name, entries = read_entries(source, _LIST)
    kinds = ENTOURAGE | (_own_kinds(text, name) if re.search(r"^\[kind\.", text, re.M) else {})
    return EntourageList(tuple(_entry(cells, number, name, kinds) for number, cells in entries), text)


def _own_kinds(text: str, name: str) -> dict[str, Kind]:
    """Kinds that a list in TOML brings along, `[kind."name"]` tables as in our catalogue."""
    try:
        return read_kinds(tomllib.loads(text).get("kind", {}))
    except (tomllib.TOMLDecodeError, TypeError) as error:
        raise EntourageError(f"Entourage list '{name}': its own kinds cannot be read: {error}") from None


def parse_where(text: str) -> Where:
    """Read a place.

    "pixel 412,640", "line 100,600 900,640", "area 80,700 400,690 420,780" in the picture; "at 12.5,-3", "along 10,17 24,17",
    "within 4,3 9,3 9,8" in metres east and north (heights may follow); "horizon"; or a selector as in the finish schedule.
    Raises EntourageError.

    >>> parse_where("at 12.5,-3").points
    ((12.5, -3.0),)
    """
    word, _, rest = text.strip().partition(" ")
    word = word.casefold().rstrip(":")
    if word == "horizon":
        return Where("horizon")
    if word in WAYS:
        needed, example = WAYS[word]
        sizes = (2,) if word in ("pixel", "line", "area", "within") else (2, 3)
        points = [re.split(r"\s*,\s*", p) for p in re.sub(r"\s*,\s*", ",", rest).split()]
        try:
            numbers = tuple(tuple(float(v) for v in p) for p in points)
        except ValueError:
            numbers = ()
        if len(numbers) < needed or any(len(p) not in sizes for p in numbers):
            raise EntourageError(f"where '{text}' is not understood; write points like '{example}'")
        return Where(word, numbers)
    try:
        return Where("surfaces", selector=parse_selector(text))
    except FinishError as error:
        raise EntourageError(str(error)) from None


def _entry(cells: dict, number: int, name: str, kinds: dict[str, Kind]) -> Entry:
    try:
        kind = find_kind(cells.get("what", ""), kinds)
        where = parse_where(cells.get("where", ""))
        if (kind.form == "horizon") != (where.way == "horizon"):
            raise EntourageError(
                f"{kind.name} belongs at the horizon; write where = horizon" if kind.form == "horizon"
                else f"{kind.name} cannot stand at the horizon; give a pixel, a line, an area or 'at x,y'"
            )  # fmt: skip
        season, manner = cells.get("season", "").casefold(), cells.get("manner", "").casefold() or "solid"
        if season:
            check_season(season)
        if manner not in MANNERS:
            raise EntourageError(unknown_name("manner", manner, MANNERS))
        over = cells.get("over", "").casefold()
        if over not in ("", "yes", "no", "true", "false"):
            raise EntourageError(f"over '{over}' is not understood; write yes or no")
        count = _number("number", cells.get("number", ""), 1, 1e6)
        return Entry(
            cells.get("mark", ""), kind, where, _number("height", cells.get("height", ""), 0.02, 500),
            _number("spacing", cells.get("spacing", ""), 0.03, 500), None if count is None else int(count),
            _number("facing", cells.get("facing", ""), -360, 360), season, manner, over in ("yes", "true"),
            cells.get("note", ""),
        )  # fmt: skip
    except EntourageError as error:
        raise EntourageError(f"Entourage list '{name}', line {number}: {error}") from None


def _number(name: str, text: str, least: float, most: float) -> float | None:
    unit = {"facing": "degrees from north, clockwise,", "number": "a whole number"}.get(name, "metres")
    return number_in(name, text, least, most, EntourageError, unit)
