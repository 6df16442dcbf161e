"""Steps: what is done to a picture afterwards, by its recipe."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.errors import RecipeError
from irodori.core.recipe import Change, Enlarge, Relight, TouchUp
from irodori.core.recipe.mask_text import mask_from_text
from irodori.core.work.progress import Progress
from irodori.formats.read_image import file_digest, read_image
from irodori.picture import Picture, render
from irodori.picture.finished import FinishedPicture
from irodori.retouch import relit
from irodori.retouch.enlarge import enlarged_pixels
from irodori.retouch.old_light import old_light
from irodori.retouch.own_look import kept_as_found
from irodori.study.finished.changing import change_part, structure_of
from irodori.study.finished.touch_up import touch_up_step
from irodori.study.job import Job


def change(
    picture: Picture | FinishedPicture, step: Change, progress: Progress | None = None
) -> Picture | FinishedPicture:
    """Part of a picture rendered anew, as the step tells."""
    if isinstance(picture, FinishedPicture):
        return change_part(picture, step, progress)
    job = Job(step.by)
    scene = job.dress(picture.structure)
    return render(scene, step.by.quality, only=mask_from_text(step.mask), over=picture, progress=progress)


def relight(picture: Picture, step: Relight, progress: Progress | None = None) -> Picture:
    """What was rendered in a new light, with the own pixels of a finished picture, as the step tells.

    Raises CaptureError or RecipeError when the picture is not there or has changed.
    """
    encoded = _pixels(picture, step)
    recipe = picture.recipe.but(steps=())
    dressing = Job(recipe).dressing(picture.structure)
    if step.old is None:
        step = step.model_copy(update={"old": old_light(dressing, encoded)})
    scene = dressing.under(step.old.name)
    old = render(scene, recipe.quality, progress=progress)
    return relit(encoded, old, picture, kept_as_found(scene), step)


def touch_up(picture: FinishedPicture, step: TouchUp, progress: Progress | None = None) -> FinishedPicture:
    """A finished picture given what it lacks, as the step tells. Raises IrodoriError."""
    return touch_up_step(picture, step, progress)


def enlarge(picture: FinishedPicture, step: Enlarge, progress: Progress | None = None) -> FinishedPicture:
    """A finished picture made larger by its own pixels, as the step tells. Raises IrodoriError when what it shows has another size."""
    fragments = None if step.by is None else structure_of(picture, step.by, progress)[0].fragments
    return picture.after(step, enlarged_pixels(picture.encoded, step.times, fragments, progress))


def _pixels(picture: Picture, step: Relight) -> np.ndarray:
    """The finished picture that a step names, (H, W, 3) float32 encoded. Raises CaptureError, RecipeError."""
    if not step.picture:
        if picture.structure.image is None:
            raise RecipeError("The structure holds no picture to relight; say which with its file")
        return encode_srgb(picture.structure.image)
    if not Path(step.picture).is_file():
        raise RecipeError(f"The picture '{step.picture}' that was relit is not there; put it back")
    if step.digest and file_digest(Path(step.picture)) != step.digest:
        raise RecipeError(f"The picture '{step.picture}' has changed since it was relit")
    return encode_srgb(read_image(Path(step.picture)).rgb)


def find_steps() -> None:
    """Load everything that knows a step."""
    from irodori.settings.setting import settings

    settings()
