"""Liberty: how much may be added that the capture does not show."""

from __future__ import annotations

import math

from irodori.core.errors import IrodoriError, unknown_name

STEPS: tuple[tuple[float, str], ...] = (
    (0.0, "finishes and light only"),
    (0.2, "and wear and surface detail: age, soil where things meet, leaves of crowns, blades of lawns"),
    (0.4, "and what is behind glass, and loose things in free places"),
    (0.6, "and planting, people, and what neighbouring houses have"),
    (
        0.8,
        "and articulation inside a plain surface: cladding, seams and joints in its own colour, mullions, transoms and louvres of large panes, bands at the feet of walls",
    ),
    (
        1.0,
        "and massing of models where a brief asks for it: a storey more, a form of roof, a bay; no proof against what came in can pass",
    ),
)
"""What each step allows beyond the one before; a value between two counts as the lower one."""

DETAIL, LOOSE, LIFE, ARTICULATION, MASSING = (step for step, _ in STEPS[1:])

NAMED = {"faithful": 0.2, "presentation": 0.6, "atmospheric": 0.8, "concept": 1.0}
USUAL = 0.6


def read_liberty(value: float | str) -> float:
    """A liberty by number, 0 … 1, or by a name of `NAMED`. Raises IrodoriError.

    >>> read_liberty("faithful"), read_liberty("0.4"), read_liberty(1)
    (0.2, 0.4, 1.0)
    """
    text = str(value).strip().casefold()
    if text in NAMED:
        return NAMED[text]
    try:
        number = float(text)
    except ValueError:
        raise IrodoriError(unknown_name("liberty", str(value), [*NAMED, "0 to 1"])) from None
    if not (math.isfinite(number) and 0 <= number <= 1):
        raise IrodoriError(
            f"A liberty of {value} is out of range; give 0 (finishes and light only) to 1, or {', '.join(NAMED)}"
        )
    return number
