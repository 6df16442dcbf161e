"""The main job in one call: from a capture or model and what was told to a picture."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from irodori.core.errors import IrodoriError
from irodori.core.recipe import Recipe
from irodori.core.work.progress import Progress
from irodori.picture import Picture
from irodori.settings.by_brief import with_brief
from irodori.settings.project_file import find_project_file
from irodori.settings.setting import COMING_IN, PICTURE, find_setting, of_groups
from irodori.settings.to_recipe import recipe_of
from irodori.settings.values import resolve
from irodori.study.job import Job, check_source


def make(
    source: str | Path | None = None, *, like: str | Path | Picture | Recipe | None = None, project: str | Path | None = None,
    progress: Progress | None = None, **told: Any,
) -> Picture:  # fmt: skip
    """Open, read, dress and render, as `irodori render` does.

    Parameters
    ----------
    source
        A capture, a model or a saved structure; None takes that of `like`.
    like
        An earlier picture, its file or its recipe: all is decided as for it, but for what is told beside it.
    project
        The folder whose `irodori.toml` holds; None for none at all.
    told
        Settings by name, as `light="dusk"`, `finishes="finishes.csv"`, `eye_height=1.7`; those of `irodori render`.

    Raises
    ------
    IrodoriError
        When a setting is unknown or wrong, or as the stages say.
    """
    known = of_groups(*COMING_IN, *PICTURE)
    given = {find_setting(name).name: str(v) if isinstance(v, Path) else v for name, v in told.items()}
    if source is None and like is None:
        raise IrodoriError(
            "Say what to render: a capture, a model or a saved structure, or a picture that it is to be like"
        )
    earlier = None if like is None else (str(like), Recipe.of(like))
    if isinstance(like, Picture):
        # What came of its decisions is worked out when a picture is saved; it may be wanted before.
        earlier = (str(like), like.recipe.but(facts=like.facts))
    file = find_project_file(project) if project is not None else None
    values = resolve(known, given, file, earlier)
    values = with_brief(values)
    if source is not None:
        check_source(source)
    recipe, schedule = recipe_of(values, None if source is None else str(source))
    beside = Path(like) if source is None and isinstance(like, str | Path) else None
    return Job(recipe, schedule, beside=beside, brief=values.brief).run(progress)
