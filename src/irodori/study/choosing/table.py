"""Options as a table: one row an option, one column a decision, and what came of each."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import pandas as pd

from irodori.core.errors import IrodoriError
from irodori.formats.atomic import whole_file
from irodori.study.choosing.decisions import AS_IT_IS, MOST, decision_of

RESULTS = ("picture", "seconds", "in register", "note")
"""Columns that are filled in; whoever gives the table again gives them, too."""


def read_table(path: str | Path) -> list[dict[str, str]]:
    """What each option chooses, by decision, from a CSV; an empty cell leaves the decision as it is. Raises IrodoriError."""
    file = Path(path)
    if not file.is_file():
        raise IrodoriError(f"There is no table '{path}'")
    try:
        table = pd.read_csv(file, dtype=str, keep_default_na=False, skipinitialspace=True)
    except (ValueError, UnicodeDecodeError, OSError) as error:
        raise IrodoriError(f"'{path}' is no table of options: {str(error).splitlines()[0]}") from None
    names = [name for name in table.columns if name.strip().casefold() not in (*RESULTS, "option")]
    if not names or table.empty:
        raise IrodoriError(f"'{path}' has no options; write a column a decision, as 'light', and a row an option")
    if len(table) > MOST:
        raise IrodoriError(f"'{path}' has more than {MOST} options")
    choices: list[dict[str, str]] = [{} for _ in range(len(table))]
    for name in names:
        told = [value.strip() or AS_IT_IS for value in table[name]]
        try:
            own = decision_of(name, list(dict.fromkeys(told))).name
        except IrodoriError as error:
            raise type(error)(f"'{path}', column '{name}': {error}") from None
        for choice, value in zip(choices, told):
            choice[own] = value
    return choices


def write_table(
    path: str | Path, choices: Sequence[Mapping[str, str]], results: Sequence[Mapping[str, object]] = ()
) -> Path:
    """Write options with what came of them, a row each. Raises OutputError."""
    rows = [
        {"option": number, **choice, **{name: (results[number - 1].get(name, "") if results else "") for name in RESULTS}}
        for number, choice in enumerate(choices, 1)
    ]  # fmt: skip
    with whole_file(path) as temporary:
        pd.DataFrame(rows).to_csv(temporary, index=False)
    return Path(path)
