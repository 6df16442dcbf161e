"""The errors a user may meet. Every one is a sentence that says what was wrong and what would be right."""

from __future__ import annotations

import difflib
import re
from collections.abc import Iterable


class IrodoriError(Exception):
    """Base of every error that Irodori raises on purpose."""

    def __str__(self) -> str:
        # One line, whatever was quoted in it.
        return re.sub(r"\s*[\r\n]+\s*", " ", super().__str__())


class CaptureError(IrodoriError):
    """A picture or its passes cannot be used as a capture."""


class ModelError(IrodoriError):
    """A 3D model or one of its views cannot be used."""


class StructureError(IrodoriError):
    """No structure can be read, saved or loaded."""


class FinishError(IrodoriError):
    """A finish, a selector or a finish schedule is wrong."""


class LightError(IrodoriError):
    """A light setting is wrong."""


class EntourageError(IrodoriError):
    """A kind, a place or a line of the entourage list is wrong."""


class BriefError(IrodoriError):
    """A brief cannot be read."""


class RecipeError(IrodoriError):
    """A picture cannot be made again from its recipe."""


class OutputError(IrodoriError):
    """A result cannot be written."""


class Cancelled(IrodoriError):
    """The caller's progress callback asked to stop."""


def nearest_names(name: str, choices: Iterable[str], count: int = 3) -> list[str]:
    """The choices most like `name`, best first.

    >>> nearest_names("golden our", ["noon", "golden hour", "dusk"])
    ['golden hour']
    """
    by_fold = {c.casefold(): c for c in choices}
    found = difflib.get_close_matches(name.casefold(), list(by_fold), n=count, cutoff=0.45)
    return [by_fold[f] for f in found]


def unknown_name(kind: str, name: str, choices: Iterable[str]) -> str:
    """A one-line sentence for a name that is not among the choices."""
    name, choices = " ".join(str(name).split()), list(choices)
    near = nearest_names(name, choices)
    if near:
        hint = "did you mean " + " or ".join(f"'{n}'" for n in near) + "?"
    else:
        shown = sorted(choices)
        hint = "known: " + ", ".join(shown[:12]) + (", …" if len(shown) > 12 else "")
    return f"Unknown {kind} '{name}'; {hint}"
