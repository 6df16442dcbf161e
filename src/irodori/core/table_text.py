"""Lists that designers keep as CSV or TOML: the finish schedule, the entourage list."""

from __future__ import annotations

import csv
import io
import re
import tomllib
from dataclasses import dataclass
from pathlib import Path

from irodori.core.errors import IrodoriError, unknown_name


@dataclass(frozen=True)
class TableForm:
    """What a list is called, the name of its TOML tables, its columns, those it needs, and the error it raises."""

    title: str
    entry: str
    columns: tuple[str, ...]
    needed: tuple[str, ...]
    error: type[IrodoriError]


def read_entries(source: str | Path, form: TableForm) -> tuple[str, str, list[tuple[int, dict[str, str]]]]:
    """The text of a list, its name, and its entries as (line, cells by column).

    `source` is a path or, with a line break in it, the text itself. Raises the form's error.
    """
    text, name = _text_of(source, form)
    as_toml = name.casefold().endswith(".toml") or text.lstrip().startswith("[[")
    return text, name, _toml_entries(text, name, form) if as_toml else _csv_entries(text, name, form)


def _text_of(source: str | Path, form: TableForm) -> tuple[str, str]:
    if isinstance(source, str) and "\n" in source:
        return source, form.title
    try:
        return Path(source).read_text(encoding="utf-8-sig"), str(source)
    except FileNotFoundError:
        raise form.error(f"There is no {form.title} '{source}'") from None
    except (OSError, UnicodeDecodeError) as error:
        raise form.error(f"The {form.title} '{source}' cannot be read as text: {error}") from None


def _csv_entries(text: str, name: str, form: TableForm) -> list[tuple[int, dict]]:
    title = form.title.capitalize()
    first = text.lstrip().split("\n", 1)[0]
    try:
        delimiter = csv.Sniffer().sniff(first, delimiters=",;\t").delimiter
    except csv.Error:
        delimiter = ","  # a single column
    reader = csv.DictReader(io.StringIO(text), delimiter=delimiter)
    header = [(h or "").strip().casefold() for h in reader.fieldnames or []]
    header = ["colour" if h == "color" else h for h in header]
    for column in header:
        if column not in form.columns:
            raise form.error(f"{title} '{name}': {unknown_name('column', column, form.columns)}")
    for needed in form.needed:
        if needed not in header:
            raise form.error(f"{title} '{name}' has no column '{needed}'; it needs {' and '.join(form.needed)}")
    reader.fieldnames = header
    entries = []
    try:
        for row in reader:
            if None in row:
                raise form.error(
                    f"{title} '{name}', line {reader.line_num}: more cells than columns; quote cells with commas"
                )
            entries.append((reader.line_num, {k: (v or "").strip() for k, v in row.items()}))
    except csv.Error as error:
        raise form.error(f"{title} '{name}', line {reader.line_num + 1}, is no CSV: {error}") from None
    return [(n, e) for n, e in entries if any(e.values()) and not next(iter(e.values())).startswith("#")]


def _toml_entries(text: str, name: str, form: TableForm) -> list[tuple[int, dict]]:
    title = form.title.capitalize()
    try:
        tables = tomllib.loads(text).get(form.entry, [])
    except tomllib.TOMLDecodeError as error:
        raise form.error(f"{title} '{name}' is not valid TOML: {error}") from None
    if not isinstance(tables, list) or not tables:
        raise form.error(f"{title} '{name}' has no [[{form.entry}]] tables")
    for table in tables:
        for key in table:
            if key not in form.columns:
                raise form.error(f"{title} '{name}': {unknown_name('entry', key, form.columns)}")
    return [(i, {k: str(v).strip() for k, v in t.items()}) for i, t in enumerate(tables, 1)]


def tables_text(title: str, entries: list[dict]) -> str:
    """Entries as TOML tables `[[title]]`, which `read_entries` reads."""
    import tomli_w

    return "\n".join(f"[[{title}]]\n{tomli_w.dumps(entry)}" for entry in entries)


def number_in(
    name: str, text: str, least: float, most: float, error: type[IrodoriError], unit: str = "a number"
) -> float | None:
    """The number in a cell, None when it is empty; a unit sign (m, lm, K, °) may follow. Raises `error`."""
    bare = re.sub(r"(m|lm|k|°)$", "", text.strip().casefold()).strip()
    if not bare:
        return None
    try:
        value = float(bare)
    except ValueError:
        value = float("nan")
    if not least <= value <= most:
        raise error(f"{name} '{text.strip()}' is not understood; write {unit} from {least:g} to {most:g}")
    return value
