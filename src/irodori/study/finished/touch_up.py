"""Touching up: a finished picture that is nearly there is given what it lacks, layer by layer."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from irodori.core.errors import IrodoriError, unknown_name
from irodori.core.liberty import LIFE
from irodori.core.recipe import FromFinished, Recipe, TouchUp
from irodori.core.work.progress import Progress
from irodori.formats.read_image import file_digest
from irodori.picture.finished import FinishedPicture
from irodori.retouch.touch import TOUCHES, touched
from irodori.settings.setting import find_setting
from irodori.study.finished.change import recipes_of
from irodori.study.finished.changing import found_light, lit_as, rendered, structure_of
from irodori.study.job import Job, check_source


def touch_up(
    picture: str | Path, *, only: str | Sequence[str] = (), structure: str | Path | None = None, old_light: str | None = None,
    progress: Progress | None = None, **told: Any,
) -> FinishedPicture:  # fmt: skip
    """A finished picture touched up, as `irodori touch-up` does it; `layers` of the result holds each touch.

    Parameters
    ----------
    picture
        The picture's file.
    only
        "noise", "windows", "relief", "foreground"; all where none is named.
    structure
        The model, capture or saved structure that it shows; None takes that of its own recipe, else reads the picture.
    old_light
        The light that it shows; None finds out.
    told
        Settings that say how the structure is opened, and `quality`.

    Raises
    ------
    IrodoriError
        When a setting is unknown or wrong, or as the stages say.
    """
    given = {find_setting(name).name: str(v) if isinstance(v, Path) else v for name, v in told.items()}
    wanted = (only,) if isinstance(only, str) else tuple(only)
    job = touch_up_job(
        str(picture), given, only=wanted, structure=None if structure is None else str(structure), old_light=old_light,
        progress=progress,
    )  # fmt: skip
    return job.run(progress)


def touch_up_job(
    picture: str, given: Mapping[str, Any], *, only: Sequence[str] = (), structure: str | None = None, old_light: str | None = None,
    progress: Progress | None = None,
) -> Job:  # fmt: skip
    """The job of touching up a picture, checked before any work but that of finding its view. Raises IrodoriError."""
    check_source(picture)
    for name in only:
        if name not in TOUCHES:
            raise IrodoriError(unknown_name("touch", name, TOUCHES))
    of, _ = recipes_of(picture, given, structure, old_light, progress)
    # As we would have it: each surface in the finish that is usual for it, with what grows there.
    by = of.but(finishes=of.finishes if of.structure else "", liberty=max(of.liberty, LIFE))
    step = TouchUp(what=tuple(name for name in TOUCHES if name in (only or TOUCHES)), of=of, by=by)
    return Job(Recipe(source=FromFinished(file=picture, digest=file_digest(Path(picture))), steps=(step,)))


def touch_up_step(picture: FinishedPicture, step: TouchUp, progress: Progress | None = None) -> FinishedPicture:
    """A finished picture touched up, as the step tells. Raises IrodoriError."""
    structure, beside = structure_of(picture, step.of, progress)
    of = found_light(step.of, structure, picture.encoded, beside, progress)
    by = lit_as(step.by, of)
    old, new = (
        rendered(Job(recipe, beside=beside).dress(structure), recipe, progress) for recipe in (of, by)
    )  # fmt: skip
    new = new.exposed_as(old.facts.exposure)
    done = touched(picture.encoded, old, new, step.what, progress)
    step = step.model_copy(update={"of": of, "by": by, "done": tuple(one.told for one in done)})
    layers = [("picture", _with_alpha(picture.encoded, np.ones(picture.encoded.shape[:2], np.float32)))]
    before = picture.encoded
    for one in done:
        layers.append((one.name, _with_alpha(_uncovered(before, one.encoded, one.cover), one.cover)))
        before = one.encoded
    return picture.after(step, done[-1].encoded if done else picture.encoded, tuple(layers))


def _uncovered(below: np.ndarray, above: np.ndarray, cover: np.ndarray) -> np.ndarray:
    """The colours that, laid over `below` by their cover, give `above`."""
    share = cover[..., None]
    return np.where(share > 0, np.clip(below + (above - below) / np.maximum(share, 1e-3), 0, 1), above)


def _with_alpha(encoded: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    return np.concatenate([encoded, alpha[..., None]], axis=2).astype(np.float32)
