"""What cleaning can take away, by name, and what of it a user wants kept or gone."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from irodori.core.errors import CaptureError, unknown_name

CLEANINGS = {
    "axes": "axis marks",
    "grid": "a ground grid",
    "outline": "selection outlines and their handles",
    "pointer": "the mouse pointer",
    "widget": "an orientation widget in a corner",
    "noise": "compression noise",
    "shadows": "shadows that the viewport casts",
    "textures": "what materials show inside their borders",
    "hatching": "hatching on a line drawing",
    "dark": "the dark ground under light lines",
    "inks": "the colours of a drawing's lines",
    "window": "the bars and panels of a program's window",
    "frame": "the margin and frame line around a picture",
    "page": "what lies round a photographed page",
    "paper": "the paper's tone and uneven light",
    "tones": "tones and colours laid between a sketch's lines",
}
"""Names of the cleanings and what they take away."""


@dataclass(frozen=True)
class Wanted:
    """Which cleanings are to be left out and which are to be done even where it is not certain that there is something."""

    keep: frozenset[str] = frozenset()
    remove: frozenset[str] = frozenset()

    @classmethod
    def told(cls, clean: bool, keep: Collection[str], remove: Collection[str]) -> Wanted:
        """What a user's choices come to: without `clean`, all but `remove` is kept. Raises CaptureError."""
        for name in (*keep, *remove):
            if name not in CLEANINGS:
                raise CaptureError(unknown_name("cleaning", name, list(CLEANINGS)))
        for name in keep:
            if name in remove:
                raise CaptureError(f"'{name}' is both to be kept and to be removed; say one of them")
        return cls(frozenset(keep if clean else set(CLEANINGS) - set(remove)), frozenset(remove))

    def may(self, name: str) -> bool:
        """Whether a cleaning may be done at all."""
        return name not in self.keep

    def must(self, name: str) -> bool:
        """Whether a cleaning is to be done even where it is not certain."""
        return name in self.remove

    def does(self, name: str, likely: bool) -> bool:
        """Whether a cleaning is to be done where it is `likely` or not that there is something."""
        return self.must(name) or (likely and self.may(name))
