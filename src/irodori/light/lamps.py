"""Lamps: their kinds, and the lamp schedule that says which stands where."""

from __future__ import annotations

import re
import tomllib
from dataclasses import dataclass, field
from importlib import resources
from pathlib import Path

import numpy as np

from irodori.core.errors import LightError, unknown_name
from irodori.core.recipe.array_text import array_from_text, array_text
from irodori.core.table_text import TableForm, number_in, read_entries, tables_text
from irodori.light.distributions import read_ies, spread, total_lumens

COLUMNS = ("mark", "where", "lamp", "lumens", "kelvin", "distribution", "facing", "tilt", "note")

_SCHEDULE = TableForm("lamp schedule", "lamp", COLUMNS, ("where",), LightError)


@dataclass(frozen=True, eq=False)
class Lamp:
    """A lamp as a fixture.

    Attributes
    ----------
    kind
        Key of `LAMPS`.
    lumens, kelvin
        Lumens; colour temperature, K.
    table
        Intensity by direction for 1 lm (see `irodori.light.distributions`), or None: its surface glows evenly.
    facing, tilt
        Where the side at 0° looks, degrees clockwise from north; how far the axis leans that way from straight down.
    """

    kind: str
    lumens: float
    kelvin: float
    table: np.ndarray | None = None
    facing: float = 0.0
    tilt: float = 0.0


@dataclass(frozen=True)
class LampRule:
    """One line of the schedule; `where` is a selector's text."""

    mark: str
    where: str
    lamp: Lamp


@dataclass(frozen=True)
class LampSchedule:
    """The rules in their order, the text they were read from ("" for rules put together in Python), and the photometric
    files it names by path."""

    rules: tuple[LampRule, ...]
    text: str = ""
    files: dict[str, str] = field(default_factory=dict)

    def in_full(self) -> LampSchedule:
        """This schedule with a text and tables that say what the rules say; for recipes."""
        if not self.rules:
            return LampSchedule(())
        try:
            if self.text and _same(read_lamps(self.text, self.files).rules, self.rules):
                return self
        except LightError:
            pass  # a text that tells nothing is written anew
        entries, files = [], {}
        for number, rule in enumerate(self.rules, 1):
            lamp = rule.lamp
            entry = {
                "mark": rule.mark, "where": rule.where, "lamp": lamp.kind, "lumens": repr(float(lamp.lumens)),
                "kelvin": repr(float(lamp.kelvin)), "facing": repr(float(lamp.facing)), "tilt": repr(float(lamp.tilt)),
            }  # fmt: skip
            if lamp.table is None:
                entry["distribution"] = EVEN
            else:
                entry["distribution"] = f"table {number}"
                files[entry["distribution"]] = array_text(np.asarray(lamp.table, np.float64))
            entries.append({k: v for k, v in entry.items() if v})
        return LampSchedule(self.rules, tables_text("lamp", entries), files)


EVEN = "surface"
"""Distribution of a lamp whose surface glows evenly."""


def _same(a: tuple[LampRule, ...], b: tuple[LampRule, ...]) -> bool:
    def numbers(rule: LampRule) -> tuple:
        lamp = rule.lamp
        return rule.mark, rule.where, lamp.kind, lamp.lumens, lamp.kelvin, lamp.facing, lamp.tilt, lamp.table is None

    return [numbers(r) for r in a] == [numbers(r) for r in b] and all(
        x.lamp.table is None or np.array_equal(x.lamp.table, y.lamp.table) for x, y in zip(a, b)
    )


def _load() -> dict[str, dict]:
    return tomllib.loads((resources.files("irodori.light") / "fixtures.toml").read_text("utf-8"))


LAMPS: dict[str, dict] = _load()
"""Every kind of lamp by name."""


def make_lamp(kind: str) -> Lamp:
    """A lamp of a kind as the catalogue has it. Raises LightError with the nearest names."""
    wanted = kind.strip().casefold()
    if wanted not in LAMPS:
        raise LightError(unknown_name("lamp", kind, LAMPS))
    entry = LAMPS[wanted]
    table = None if entry["spread"] == "face" else spread(entry["spread"], entry.get("beam", 60.0))
    return Lamp(wanted, float(entry["lumens"]), float(entry["kelvin"]), table)


def lamp_from_words(*texts: str) -> Lamp | None:
    """The kind that a part's name or material suggests, or None.

    >>> lamp_from_words("hall pendant lamp 2").kind
    'pendant'
    """
    for text in texts:
        folded = re.sub(r"[_\-.\d]", " ", str(text).casefold())
        for kind, entry in LAMPS.items():
            if any(re.search(rf"\b{word}", folded) for word in entry["words"]):
                return make_lamp(kind)
    return None


def read_lamps(source: str | Path | LampSchedule | None, files: dict[str, str] | None = None) -> LampSchedule:
    """Read a lamp schedule.

    Parameters
    ----------
    source
        A path to CSV (columns as in `COLUMNS`; only where is needed) or TOML (`[[lamp]]` tables), the text itself, or
        None. `distribution` is the path of an IES file, seen from the schedule's folder, "beam 40", or
        "surface" for a lamp whose surface glows evenly.
    files
        Texts of photometric files by the path that the schedule gives, for a schedule taken from a recipe.

    Raises
    ------
    LightError
        When a file is missing, a column or lamp is unknown, or a value cannot be understood.
    """
    if source is None or source == "":
        return LampSchedule(())
    if isinstance(source, LampSchedule):
        return source
    text, name, entries = read_entries(source, _SCHEDULE)
    folder = Path(name).parent if "\n" not in str(source) else Path()
    known = dict(files or {})
    rules = []
    for number, cells in entries:
        try:
            rules.append(_rule(cells, folder, known))
        except LightError as error:
            raise LightError(f"Lamp schedule '{name}', line {number}: {error}") from None
    return LampSchedule(tuple(rules), text, known)


def _rule(cells: dict, folder: Path, files: dict[str, str]) -> LampRule:
    if not cells.get("where"):
        raise LightError("no place; say where, for example 'role lamp' or 'name pendant*'")
    lamp = make_lamp(cells["lamp"]) if cells.get("lamp") else make_lamp("pendant")
    lumens, table = lamp.lumens, lamp.table
    named = cells.get("distribution", "")
    if named.casefold().startswith("beam"):
        table = spread("beam", _number("beam", named[4:], 4, 170) or 60.0)
    elif named == EVEN:
        table = None
    elif named.startswith("table ") and named in files:
        table = array_from_text(files[named])
    elif named:
        if named not in files:
            try:
                files[named] = (folder / named).read_text(encoding="latin-1")
            except OSError:
                raise LightError(f"there is no photometric file '{folder / named}'") from None
        intensities = read_ies(files[named] + "\n")
        lumens = total_lumens(intensities)
        if lumens <= 0:
            raise LightError(f"'{named}' gives no light")
        table = intensities / lumens
    return LampRule(
        cells.get("mark", ""), cells["where"],
        Lamp(
            lamp.kind, _number("lumens", cells.get("lumens", ""), 1, 1e6) or lumens,
            _number("kelvin", cells.get("kelvin", ""), 1000, 20000) or lamp.kelvin, table,
            _number("facing", cells.get("facing", ""), -360, 360) or 0.0, _number("tilt", cells.get("tilt", ""), -180, 180) or 0.0,
        ),
    )  # fmt: skip


def _number(name: str, text: str, least: float, most: float) -> float | None:
    return number_in(name, text, least, most, LightError)
