"""What a picture is drawn as: one or several looks with their weights, and the few settings that all looks share, as words."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from irodori.core.errors import IrodoriError
from irodori.core.selectors import parse_selector
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.paper import paper_colour
from irodori.picture.looks import USUAL, Look, find_look, looks

MOST_LOOKS = 5

USUAL_MANNER = Manner()

PARTS = ("sky", "surroundings", "building")
"""Parts of a picture that stay photographic by a word; else a selector says which."""

LIMITS = {"strength": (0.0, 1.0), "looseness": (0.0, 1.0), "line weight": (0.2, 4.0), "colours": (1, 24)}
"""The settings that are numbers, with the least and the most of each."""


@dataclass(frozen=True)
class LookChoice:
    """What a picture is drawn as.

    Attributes
    ----------
    mixed
        Looks and the weight of each, 0 … 1; what they leave of 1 stays photographic.
    manner
        Settings of all of them.
    keep
        What stays photographic: a selector as in finish schedules, such as "role planting"; "" nothing.
    """

    mixed: tuple[tuple[Look, float], ...]
    manner: Manner = USUAL_MANNER
    keep: str = ""

    @property
    def text(self) -> str:
        """The words that `read_look` reads it from."""
        alone = len(self.mixed) == 1
        parts = [one.name if alone and weight == 1 else f"{one.name} {weight:g}" for one, weight in self.mixed]
        told = self.manner
        if told.looseness is not None:
            parts.append(f"looseness {told.looseness:g}")
        if told.line_weight != 1:
            parts.append(f"line weight {told.line_weight:g}")
        if told.colours:
            parts.append(f"colours {told.colours}")
        parts += [f"{name} {value}" for name, value in (("ink", told.ink), ("paper", told.paper)) if value]
        return ", ".join(parts + ([f"keep {self.keep}"] if self.keep else []))

    @property
    def view(self) -> str:
        """The view that a model is drawn from unless told: that of the look which counts most; "" the usual one."""
        return max(self.mixed, key=lambda one: one[1])[0].view


def read_look(text: str) -> LookChoice:
    """What words say of a look: "pen and ink, looseness 0.3" or "watercolour 0.7, pencil 0.3".

    Raises IrodoriError when a look or setting is unknown, or a value is out of range.
    """
    known, mixed, manner, keep, strength = looks(), [], Manner(), "", 1.0
    for part in filter(None, (p.strip() for p in str(text).split(","))):
        words = part.casefold()
        setting = next((name for name in (*LIMITS, "paper", "ink", "keep") if words.startswith(f"{name} ")), None)
        if words in LIMITS or words in ("paper", "ink", "keep"):
            raise IrodoriError(f"'{part}' needs a value, as in '{part} {_example(words)}'")
        if setting == "keep":
            keep = part[len("keep") :].strip()
            if keep.casefold() not in PARTS:
                parse_selector(keep)
        elif setting == "paper":
            paper_colour(words[len("paper") :].strip())
            manner = replace(manner, paper=words[len("paper") :].strip())
        elif setting == "ink" and not any(words.startswith(name) for name in known):
            ink = words[len("ink") :].strip()
            if not re.fullmatch("#[0-9a-f]{6}", ink):
                raise IrodoriError(f"'{ink}' is no ink; write it as #rrggbb, as in 'ink #203a5c'")
            manner = replace(manner, ink=ink)
        elif setting in LIMITS:
            value = _number(part, setting, words[len(setting) :])
            if setting == "strength":
                strength = value
            elif setting == "colours":
                manner = replace(manner, colours=round(value))
            else:
                manner = replace(manner, **{setting.replace(" ", "_"): value})
        else:
            mixed.append(_weighed(part))
    if not mixed:
        raise IrodoriError(f"'{text}' names no look; begin with one, as in 'pencil, looseness 0.3'")
    names = [one.name for one, _ in mixed]
    if len(set(names)) < len(names):
        raise IrodoriError(f"'{text}' names a look twice")
    if len(mixed) > MOST_LOOKS:
        raise IrodoriError(f"{len(mixed)} looks are mixed; take {MOST_LOOKS} at most")
    total = sum(weight for _, weight in mixed)
    factor = strength / max(total, 1.0)
    weighed = tuple((one, round(weight * factor, 4)) for one, weight in mixed)
    return LookChoice(weighed, manner, keep)


def _example(name: str) -> str:
    return {"paper": "cream", "ink": "#203a5c", "keep": "role planting", "colours": "3", "line weight": "1.5"}.get(
        name, "0.3"
    )


def _number(part: str, name: str, text: str) -> float:
    low, high = LIMITS[name]
    try:
        value = float(text)
    except ValueError:
        raise IrodoriError(f"'{part}' is not understood; write '{name} {_example(name)}'") from None
    if not low <= value <= high:
        raise IrodoriError(f"A {name} of {value:g} is out of range; give {low:g} to {high:g}")
    return value


def _weighed(part: str) -> tuple[Look, float]:
    """A look and its weight."""
    found = re.fullmatch(r"(.*?)\s+([-+.\d]+)", part)
    if found is None or part.casefold() in looks():
        return find_look(part), 1.0
    try:
        weight = float(found[2])
    except ValueError:
        raise IrodoriError(f"'{found[2]}' is no weight; give 0 to 1 after the look's name") from None
    if not 0 <= weight <= 1:
        raise IrodoriError(f"A weight of {weight:g} is out of range; give 0 to 1")
    return find_look(found[1]), weight


def is_photographic(choice: LookChoice) -> bool:
    """Whether nothing is drawn."""
    return all(one.name == USUAL or weight == 0 for one, weight in choice.mixed)
