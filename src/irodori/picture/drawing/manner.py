"""Settings that all drawn looks share."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Manner:
    """Settings of a drawing.

    Attributes
    ----------
    looseness
        0 draws every line where it is, 1 sketches quickly; None as the look usually is.
    line_weight
        Factor on the width of lines.
    colours
        How many colours there are: 0 as many as the look has, 1 one ink.
    ink, paper
        #rrggbb, and that or the name of a paper; "" as the look has them.
    """

    looseness: float | None = None
    line_weight: float = 1.0
    colours: int = 0
    ink: str = ""
    paper: str = ""
