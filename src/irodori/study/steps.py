"""Steps: what is done to a picture afterwards, by its recipe."""

from __future__ import annotations

from irodori.core.recipe import Change
from irodori.core.recipe.mask_text import mask_from_text
from irodori.core.work.progress import Progress
from irodori.picture import Picture, render
from irodori.study.job import Job


def change(picture: Picture, step: Change, progress: Progress | None = None) -> Picture:
    """Part of a picture rendered anew, as the step tells."""
    job = Job(step.by)
    scene = job.dress(picture.structure)
    return render(scene, step.by.quality, only=mask_from_text(step.mask), over=picture, progress=progress)


def find_steps() -> None:
    """Load everything that knows a step."""
    from irodori.settings.setting import settings

    settings()
