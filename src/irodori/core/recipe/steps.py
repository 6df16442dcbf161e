"""The steps that are known: what is done to a picture afterwards."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from irodori.core.recipe.recipe import LightChoice, Recipe, Step


class Change(Step):
    """Part of the picture rendered anew: `mask` (`irodori.core.recipe.mask_text`) says where, `by` with which decisions.

    Of a finished picture, `of` tells what it shows: there the picture's own look is kept, and only what differs between the renderings
    `of` and `by` changes. `where` (selectors) and `outline` (a polygon, px) say where too; without any of them it is wherever something was
    put or removed. `grow`: px; `soft`: px inside the border in which the change fades out; `thrown`: the shadows, reflections and glow that
    the change throws are changed as well; `finish`: what the surfaces there are made of; `remove`: what is there goes.
    """

    step: Literal["change"] = "change"
    mask: str = ""
    by: Recipe
    of: Recipe | None = None
    where: tuple[str, ...] = ()
    outline: tuple[tuple[float, float], ...] = ()
    grow: int = 0
    soft: Annotated[float, Field(ge=0)] = 0.0
    thrown: bool = False
    finish: str = ""
    remove: bool = False


class Relight(Step):
    """The own pixels of a finished picture laid over what was rendered of its structure in a new light.

    `picture`: the file, "" for the very capture that the structure was read from; `digest`: SHA-256 of its bytes; `old`: the light that it
    shows, None to find that out; `keep_detail`: share, 0 … 1, of its fine detail that is kept.
    """

    step: Literal["relight"] = "relight"
    picture: str = ""
    digest: str = ""
    old: LightChoice | None = None
    keep_detail: Annotated[float, Field(ge=0, le=1)] = 1.0


class Enlarge(Step):
    """A finished picture made `times` as large, by its own pixels; `by`: what it is a picture of, from which its borders are told."""

    step: Literal["enlarge"] = "enlarge"
    times: Annotated[int, Field(ge=2, le=8)] = 2
    by: Recipe | None = None


class TouchUp(Step):
    """A finished picture given what it lacks: `what` of "noise", "windows", "relief" and "foreground"; `of` tells what it shows, `by` what it
    could be; `done`: what came of it, in words."""

    step: Literal["touch up"] = "touch up"
    what: tuple[str, ...] = ()
    of: Recipe
    by: Recipe
    done: tuple[str, ...] = ()
