"""Making a picture from a dressed scene."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import groupby
from pathlib import Path
from typing import Any

import numpy as np

import irodori
from irodori.core.errors import IrodoriError
from irodori.core.recipe import Change, DevelopmentChoice, Recipe
from irodori.core.recipe.mask_text import mask_text
from irodori.core.scene import Scene, SkyDome
from irodori.core.work.progress import Progress
from irodori.engine.image.layers import Traced
from irodori.engine.trace import Quality, check_quality, trace_lights
from irodori.formats.read_mask import read_mask
from irodori.picture.carried_lines import carried_lines
from irodori.picture.develop import Development
from irodori.picture.look_choice import read_look
from irodori.picture.looks import USUAL
from irodori.picture.part import laid_over
from irodori.picture.picture import Picture, layer_gains

LEAST_COVER = 0.04
"""Share of a pixel under additions from which the proof looks away."""


def render(
    scene: Scene, quality: Quality = "review", *, look: str = USUAL, only: np.ndarray | str | Path | Any = None,
    over: Picture | None = None, progress: Progress | None = None,
) -> Picture:  # fmt: skip
    """Trace and develop a scene.

    Parameters
    ----------
    scene
        From `dress`.
    quality
        "draft", "review" or "final".
    look
        What it is drawn as; see `Picture.as_look`.
    only, over
        A mask, (H, W) bool or 0 … 1, a Pillow image, or a file painted in any program, and the picture of the same structure
        that the result goes over: only what shows in the mask is traced, in that picture's exposure and white, and outside it
        no byte changes.
    progress
        `progress(stage, fraction)`; returning False stops the work.

    Raises
    ------
    IrodoriError
        When the quality or look is unknown, a mask comes without a picture or the other way round, or they do not fit the
        scene; `Cancelled` when stopped.
    """
    if (only is None) != (over is None):
        raise IrodoriError("A mask needs the picture that it goes over, and the other way round; give only and over")
    if over is None:
        return next(render_lights([scene], quality, look=look, progress=progress))
    check_quality(quality)
    if over.structure.digest != scene.structure.digest or over.size != scene.structure.size:
        raise IrodoriError("A change goes over a picture of the same structure; this one shows another")
    mask = read_mask(only, scene.structure.size)
    if not mask.any():
        raise IrodoriError("The mask is empty: paint white what is to change")
    traced = next(trace_lights([scene], quality, only=mask, white=over.facts.held, progress=progress))
    balance = over.recipe.balance
    traced = traced.times(layer_gains(**{n: getattr(balance, n) for n in ("sun", "sky", "lamps", "reflections")}))
    return _changed(scene, traced, quality, over, mask)


def render_lights(
    scenes: Sequence[Scene], quality: Quality = "review", *, look: str = USUAL, progress: Progress | None = None
) -> Iterator[Picture]:
    """Pictures of scenes that differ in nothing but their light; they share most of the work.

    Those that follow each other in one light, as such that differ in their exposure, are traced once. Parameters and errors are
    those of `render`, and so is each picture.
    """
    check_quality(quality)
    chosen = read_look(look).text
    lit = [list(own) for _, own in groupby(scenes, lambda scene: scene.recipe.light)]
    for alike, traced in zip(lit, trace_lights([own[0] for own in lit], quality, progress=progress)):
        for scene in alike:
            yield picture_of(scene, traced, quality, chosen)


def picture_of(scene: Scene, traced: Traced, quality: Quality, look: str) -> Picture:
    """The picture of a scene whose light was traced."""
    light = scene.light
    development = Development(light.exposure, light.warmth, tuple(illuminant(light.dome).tolist()))
    if (held := scene.recipe.held) is not None:
        development = replace(development, metered=held.metered * traced.unit / held.unit, white=held.white)
    recipe = scene.recipe.but(irodori=irodori.__version__, quality=quality, look=look)
    carried = carried_lines(scene.structure, scene.as_found)
    if scene.shown.covered is not None:
        covered = mask_text(scene.shown.covered > LEAST_COVER)
        recipe = recipe.but(facts=recipe.facts.model_copy(update={"covered": covered}))
        if carried is not None:
            carried = carried.beside(scene.shown.covered)
    picture = Picture(scene.structure, scene.shown, traced, development, recipe, carried)
    # A scene dressed by a brief says how it is to be developed.
    told = recipe.development
    return picture if told == DevelopmentChoice() else picture.developed_as(**dict(told))


def _changed(scene: Scene, traced: Traced, quality: Quality, over: Picture, mask: np.ndarray) -> Picture:
    """The picture `over` with what was traced in the mask, in its exposure, white, lens and look."""
    by: Recipe = scene.recipe.but(irodori=irodori.__version__, quality=quality)
    own = min(int(s.fragments.region.max(initial=0)) for s in (scene.structure, over.structure))
    shown, merged = laid_over(over.shown, over._traced, scene.shown, traced, mask, own)
    recipe = over.recipe.but(steps=(*over.recipe.steps, Change(mask=mask_text(mask, 1), by=by)))
    if shown.covered is not None:
        covered = mask_text(shown.covered > LEAST_COVER)
        recipe = recipe.but(facts=recipe.facts.model_copy(update={"covered": covered}))
    kept = over.buffers.development
    development = replace(kept, white=kept.illuminant)
    carried = carried_lines(scene.structure, scene.as_found)
    if carried is not None and shown.covered is not None:
        carried = carried.beside(shown.covered)
    return Picture(scene.structure, shown, merged, development, recipe, carried, (over, mask))


def illuminant(dome: SkyDome) -> np.ndarray:
    """Colour of the light that falls on level ground from sun and sky, (3,) RGB."""
    upper = dome.table[dome.table.shape[0] // 2 :]
    sky = upper.mean(axis=(0, 1)) * np.pi
    return sky + dome.sun_illuminance * max(float(dome.sun_direction[2]), 0.05)
