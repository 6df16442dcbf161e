"""What commands that make pictures share: settings resolved, a job made, its stages shown."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from irodori.settings.setting import Setting

if TYPE_CHECKING:
    from irodori.settings.values import Values
    from irodori.study.job import Job


def resolved(known: Iterable[Setting], told: dict[str, Any], like: str | None = None) -> Values:
    """What holds, by options, an earlier picture, the project's file and defaults. Raises IrodoriError."""
    from irodori.core.recipe import Recipe
    from irodori.settings.by_brief import with_brief
    from irodori.settings.project_file import find_project_file
    from irodori.settings.values import resolve

    return with_brief(resolve(known, told, find_project_file(), (like, Recipe.of(like)) if like else None))


def job_of(values: Values, source: str | None, like: str | None = None) -> Job:
    """The job that settings ask for; what can be wrong is said here, before long work. Raises IrodoriError."""
    from irodori.core.errors import IrodoriError
    from irodori.settings.to_recipe import recipe_of
    from irodori.study.job import Job, check_source

    if source is None and like is None:
        raise IrodoriError("Say what to render: CAPTURE_OR_MODEL, or --like an earlier picture")
    if source is not None:
        check_source(source)
    recipe, schedule = recipe_of(values, source)
    return Job(recipe, schedule, beside=Path(like) if source is None and like else None, brief=values.brief)


def light_word(light: str) -> str:
    """A light's name as part of a file name."""
    import re

    return re.sub(r"[^\w+-]+", "-", light.split("@")[0].replace(":", "").strip())
