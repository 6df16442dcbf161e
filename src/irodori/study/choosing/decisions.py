"""Decisions that options differ in, as people write them."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from irodori.brief.lexicon import meanings
from irodori.brief.understand import understand
from irodori.core.errors import IrodoriError, unknown_name
from irodori.settings.setting import Setting, of_groups

GROUPS = ("model", "north", "reading", "dressing", "light", "quality", "developing")
"""Groups of settings that options may differ in."""

FINISH, WEATHER, MOOD, AS_IT_IS = "finish", "weather", "mood", "as it is"
"""Decisions that are no settings of their own: what one place is made of, the weather of whatever light, a word for the whole as briefs
know it; and the value that leaves a decision as it is."""

MOST = 10_000
"""Options of one run at most."""

_LADDER = re.compile(r"([-+−]?\d+(?:\.\d+)?)\s+to\s+([-+−]?\d+(?:\.\d+)?)\s+in\s+(\d+)", re.IGNORECASE)


@dataclass(frozen=True)
class Decision:
    """A decision by `name`, as "light" or "finish role wall", and the values that it takes, as people write them."""

    name: str
    values: tuple[str, ...]

    @property
    def short(self) -> str:
        """What it is called under a picture."""
        return self.name.removeprefix(f"{FINISH} ").removeprefix("role ").removeprefix("name ")

    @property
    def is_ladder(self) -> bool:
        """Whether its values are numbers that go up or down by even steps."""
        numbers = [re.findall(r"[-+]?\d+(?:\.\d+)?", value) for value in self.values]
        if len(self.values) < 3 or any(len(own) != 1 for own in numbers):
            return False
        steps = np.diff([float(own[0]) for own in numbers])
        return bool(steps.any() and np.abs(steps - steps.mean()).max() < 0.02 * np.abs(steps).max())


def decision_of(name: str, values: Sequence[Any]) -> Decision:
    """A decision, each of its values checked before any work. Raises IrodoriError."""
    own = name.strip()
    kind, _, where = own.partition(" ")
    if not own:
        raise IrodoriError("A decision needs a name: 'light: dawn | dusk'")
    if kind.casefold() == FINISH and where:
        own = f"{FINISH} {where.strip()}"
    elif own.casefold() in (WEATHER, MOOD):
        own = own.casefold()
    else:
        own = _setting(own).name
    told = [str(value).strip() for value in values]
    spread = tuple(rung for value in told for rung in _rungs(value))
    if not spread or not all(spread):
        raise IrodoriError(f"'{own}' has an empty value; write '{own}: one | other'")
    twice = [value for value in spread if spread.count(value) > 1]
    if twice:
        raise IrodoriError(f"'{own}' has the value '{twice[0]}' twice")
    decision = Decision(own, spread)
    for value in spread:
        check_value(own, value)
    return decision


def read_decision(text: str) -> Decision:
    """A decision from "light: dawn | dusk" or "exposure: -1 to 1 in 5". Raises IrodoriError."""
    name, colon, values = text.partition(":")
    if not colon:
        raise IrodoriError(f"'{text}' names no values; write 'light: dawn | dusk'")
    return decision_of(name, values.split("|"))


def check_value(name: str, value: str) -> None:
    """Whether a decision can take a value. Raises IrodoriError."""
    if value == AS_IT_IS:
        return
    if name.startswith(f"{FINISH} "):
        from irodori.core.selectors import parse_selector

        # The finish may be one of the user's own, which the plan knows.
        parse_selector(name.removeprefix(f"{FINISH} "))
    elif name == WEATHER:
        from irodori.light import WEATHERS

        if value not in WEATHERS:
            raise IrodoriError(unknown_name("weather", value, list(WEATHERS)))
    elif name == MOOD:
        if not any(decision.subject == "mood" for decision in understand(value).decisions):
            raise IrodoriError(unknown_name("mood", value, meanings()["mood"]))
    else:
        told_value(name, value)


def told_value(name: str, value: str) -> Any:
    """What a setting is told by a value that people wrote. Raises IrodoriError."""
    one = _setting(name)
    told: Any = value
    if one.kind in (int, float):
        try:
            told = one.kind(value.replace("−", "-"))
        except ValueError:
            raise IrodoriError(f"{one.name}: '{value}' is no {'whole ' if one.kind is int else ''}number") from None
    elif one.kind is bool:
        words = {"yes": True, "no": False, "on": True, "off": False}
        if value.casefold() not in words:
            raise IrodoriError(f"{one.name}: '{value}' is neither yes nor no")
        told = words[value.casefold()]
    elif one.kind is list:
        told = [value]
    one.checked(told)
    return told


def _setting(name: str) -> Setting:
    known = {one.name.replace("-", " ").casefold(): one for one in of_groups(*GROUPS)}
    found = known.get(name.replace("_", " ").replace("-", " ").casefold())
    if found is None:
        raise IrodoriError(unknown_name("decision", name, [*known, WEATHER, MOOD, f"{FINISH} role wall"]))
    return found


def _rungs(value: str) -> list[str]:
    """The steps of a ladder such as "grain 0 to 1 in 3", or the value itself. Raises IrodoriError."""
    found = _LADDER.search(value)
    if not found:
        return [value]
    first, last = (float(number.replace("−", "-")) for number in found.group(1, 2))
    count = int(found[3])
    if not 2 <= count <= MOST:
        raise IrodoriError(f"'{value}' has {count} steps; give 2 or more")
    numbers = [f"{number:.4g}" for number in np.linspace(first, last, count)]
    return [value[: found.start()] + ("0" if number == "-0" else number) + value[found.end() :] for number in numbers]


def throws_of_chance(seeds: int, first: int) -> list[Decision]:
    """The decision that throws chance anew, from the seed `first` on; none for a single throw. Raises IrodoriError."""
    if seeds < 1:
        raise IrodoriError(f"{seeds} throws of chance are none; give 1 or more")
    return [decision_of("seed", [first + n for n in range(seeds)])] if seeds > 1 else []


def combined(decisions: Sequence[Decision], *, paired: bool = False) -> list[dict[str, str]]:
    """What each option chooses, by decision: all combinations, the last decision changing fastest; or, `paired`, first with first
    and so on. Raises IrodoriError."""
    names = [one.name for one in decisions]
    twice = [name for name in names if names.count(name) > 1]
    if twice:
        raise IrodoriError(f"'{twice[0]}' is varied twice; write all its values once")
    if not decisions:
        raise IrodoriError("Nothing is varied; give --vary 'light: dawn | dusk', or a table")
    if paired:
        counts = {len(one.values) for one in decisions}
        if len(counts) > 1:
            told = ", ".join(f"{one.name} has {len(one.values)}" for one in decisions)
            raise IrodoriError(f"Paired decisions need as many values each: {told}")
        rows: Iterable[tuple[str, ...]] = zip(*(one.values for one in decisions))
    else:
        if np.prod([float(len(one.values)) for one in decisions]) > MOST:
            raise IrodoriError(f"That is more than {MOST} options; vary less at a time")
        rows = itertools.product(*(one.values for one in decisions))
    return [dict(zip(names, row)) for row in rows]


def varying(choices: Sequence[Mapping[str, str]]) -> list[str]:
    """The decisions in which some options differ, in their order; all of them if none do."""
    names = list(dict.fromkeys(name for one in choices for name in one))
    differ = [name for name in names if len({one.get(name, AS_IT_IS) for one in choices}) > 1]
    return differ or names
