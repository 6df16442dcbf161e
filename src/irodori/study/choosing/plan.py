"""What is made: options with the recipe of each, the name of its file, and the key by which it is known to be made already."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any

import irodori
from irodori.core.errors import FinishError
from irodori.core.recipe import FromCapture, FromModel, FromStructure, LightChoice, Recipe
from irodori.core.selectors import parse_selector
from irodori.finishes import Schedule, read_schedule
from irodori.finishes.catalogue import Finish, find_finish, read_catalogue
from irodori.finishes.schedule import Rule
from irodori.formats.made_before import state_of_code
from irodori.formats.read_image import file_digest
from irodori.light import find_setting as find_light
from irodori.light.settings import parts_of_light
from irodori.scene.dress import OUTSIDE
from irodori.settings.by_brief import with_brief
from irodori.settings.project_file import ProjectFile
from irodori.settings.setting import COMING_IN, PICTURE, of_groups
from irodori.settings.to_recipe import recipe_of
from irodori.settings.values import resolve
from irodori.study.choosing.decisions import AS_IT_IS, FINISH, MOOD, WEATHER, told_value, varying
from irodori.study.job import Job

LONGEST_NAME = 90
"""Letters of what an option chooses in its file's name."""

AFTER = ("light", "exposure", "held", "quality", "balance", "development", "lines", "lens", "look", "output", "steps")
"""Decisions that leave the dressed scene as it is."""

DEVELOPED = ("exposure", "held", "balance", "development", "lines", "lens", "look", "output", "steps")
"""Decisions that leave the traced light as it is."""


@dataclass(frozen=True)
class Option:
    """One option: its `number` from 1, what it chooses by decision, the job that makes it, and its file's name."""

    number: int
    choices: Mapping[str, str]
    job: Job
    file: str

    @cached_property
    def key(self) -> str:
        """Tells whether a picture made before is this one: by its decisions, its sources' content, and the code."""
        told = hashlib.sha256(f"{irodori.__version__} {self.job.recipe.text}".encode())
        told.update(state_of_code())
        for path in files_of(self.job):
            told.update(_digest(path, path.stat().st_mtime_ns, path.stat().st_size) if path.is_file() else b"-")
        return told.hexdigest()

    @cached_property
    def read_as(self) -> str:
        """Equal for options of one structure."""
        recipe = self.job.recipe
        return f"{recipe.source.model_dump_json()} {recipe.reading.model_dump_json(by_alias=True)} {recipe.rays}"

    @cached_property
    def dressed_as(self) -> str:
        """Equal for options of one dressed scene."""
        return self.read_as + self._without(AFTER)

    @cached_property
    def traced_as(self) -> str:
        """Equal for options of one traced light."""
        return self.read_as + self._without(DEVELOPED)

    def _without(self, names: Sequence[str]) -> str:
        plain = Recipe()
        return self.job.recipe.but(**{name: getattr(plain, name) for name in names}).text


def planned(
    source: str | None, choices: Sequence[Mapping[str, str]], told: Mapping[str, Any], *, like: tuple[str, Recipe] | None = None,
    project: ProjectFile | None = None,
) -> list[Option]:  # fmt: skip
    """The options that `choices` ask for, all else as `told` by the settings' names; every one is checked before any work.

    Raises IrodoriError.
    """
    known = of_groups(*COMING_IN, *PICTURE)
    differ, out = varying(choices), []
    if told.get("keep seed"):
        # What stays is as all had it before any of them threw anew.
        first = told.get("seed") if told.get("seed") is not None else like[1].seed if like else Recipe().seed
        told = {**told, "keep seed": [part if " " in part.strip() else f"{part} {first}" for part in told["keep seed"]]}
    digits = max(2, len(str(len(choices))))
    for number, choice in enumerate(choices, 1):
        said = {name: value for name, value in choice.items() if value != AS_IT_IS}
        given = {
            **told,
            **{n: told_value(n, v) for n, v in said.items() if n not in (WEATHER, MOOD) and not _is_finish(n)},
        }
        if MOOD in said:
            words = resolve(known, given, project, like)["brief"]
            given["brief"] = f"{words}; {said[MOOD]}" if words else said[MOOD]
        values = with_brief(resolve(known, given, project, like))
        recipe, schedule = recipe_of(values, source)
        finishes = {name.removeprefix(f"{FINISH} "): value for name, value in said.items() if _is_finish(name)}
        if finishes:
            schedule = _with_finishes(recipe, schedule, finishes)
            recipe = recipe.but(finishes=schedule.text, catalogue=schedule.catalogue)
        if WEATHER in said:
            recipe = recipe.but(light=_in_weather(recipe, said[WEATHER]))
        words = "-".join(_word(choice.get(name, AS_IT_IS)) for name in differ)[:LONGEST_NAME].strip("-")
        beside = Path(like[0]) if source is None and like is not None else None
        job = Job(recipe, schedule, beside=beside, brief=values.brief)
        out.append(Option(number, choice, job, f"{number:0{digits}d}-{words}.png"))
    return out


def _is_finish(name: str) -> bool:
    return name.startswith(f"{FINISH} ")


def _word(value: str) -> str:
    """A value as part of a file name."""
    return re.sub(r"[^\w+.]+", "-", value.split("@")[0].replace(":", "")).strip("-.")


def _in_weather(recipe: Recipe, weather: str) -> LightChoice:
    """The light of a recipe in a weather, in place of its own. Raises LightError."""
    name = recipe.light.name if isinstance(recipe.light, LightChoice) else ""
    chosen = str(replace(parts_of_light(name or OUTSIDE), weather=weather))
    find_light(chosen)
    return LightChoice(name=chosen)


def _with_finishes(recipe: Recipe, schedule: Schedule | None, finishes: Mapping[str, str]) -> Schedule:
    """A recipe's finish schedule with finishes for some places more, which go before what it says of these. Raises FinishError."""
    base = schedule or read_schedule(recipe.finishes or None, catalogue=recipe.catalogue or None, masks=recipe.masks)
    known = read_catalogue(recipe.catalogue or None)
    more = [Rule("", parse_selector(where), _finish(name, known)) for where, name in finishes.items()]
    same = {str(rule.where) for rule in more}
    kept = [rule for rule in base.rules if str(rule.where) not in same]
    return replace(base, rules=(*kept, *more), text="").in_full()


def _finish(name: str, known: Mapping[str, Finish]) -> Finish:
    """The finish that is called so, or whose name begins so: 'red brick' is the first of the red bricks."""
    try:
        return find_finish(name, known)
    except FinishError:
        wanted = name.casefold().split()
        for other in known:
            if other.casefold().replace(",", "").split()[: len(wanted)] == wanted:
                return known[other]
        raise


@lru_cache(maxsize=64)
def _digest(path: Path, changed: int, size: int) -> bytes:
    """The digest of a file's content, taken once while it stays as `changed` at that time and of that size."""
    return file_digest(path).encode()


def files_of(job: Job) -> list[Path]:
    """What a job's source lies in."""
    source = job.recipe.source
    if isinstance(source, FromCapture):
        return [Path(source.file), *map(Path, source.passes.values())]
    if isinstance(source, FromModel):
        return [*map(Path, source.files), *([Path(source.views)] if source.views else [])]
    return [Path(source.file)] if isinstance(source, FromStructure) else []
