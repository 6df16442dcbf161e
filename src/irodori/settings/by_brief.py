"""What a brief says of settings: before the project file and defaults, behind what was given outright."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief import Brief, understand
from irodori.brief.settings import settings_of
from irodori.core.errors import IrodoriError
from irodori.settings.values import GIVEN, Value, Values

BRIEF = "brief"

SUBJECTS = {
    "light": ("light", "weather", "lamps", "sun"), "development": ("development", "contrast", "warmth", "glare"), "exposure": ("exposure",),
    "season": ("season",), "life": ("life",), "quality": ("quality",), "look": ("look",), "view": ("view",), "lens": ("lens",),
}  # fmt: skip
"""The subjects of decisions that each setting stands for."""


def with_brief(values: Values) -> Values:
    """The values with what a brief among them decides, and the brief itself, understood.

    What was given outright goes before the brief; an earlier picture's words decided already. Raises BriefError.
    """
    if not any(_is_new(values, name) for name in ("brief", "avoid")):
        return values
    brief = understand(values["brief"] or "", avoid=values["avoid"] or "")
    by_name = dict(values.by_name)
    told = settings_of(brief, {name: values[name] for name in ("light", "development", "exposure")})
    for one in values.known:
        if one.name not in told:
            continue
        if by_name[one.name].whence == GIVEN:
            brief = _overruled(brief, one.name, f"{one.flag} was given, and goes before the brief")
            continue
        try:
            by_name[one.name] = Value(told[one.name], one.checked(told[one.name]), BRIEF)
        except IrodoriError as error:
            brief = _overruled(brief, one.name, str(error))
    for name in told.keys() - by_name.keys():
        brief = _overruled(brief, name, "this command has no use for it")
    return replace(values, by_name=by_name, brief=brief)


def _overruled(brief: Brief, name: str, why: str) -> Brief:
    """The brief with its decisions on a setting marked as not holding."""
    return replace(
        brief, decisions=tuple(replace(d, overruled=d.overruled or why) if d.subject in SUBJECTS[name] else d for d in brief.decisions)
    )  # fmt: skip


def _is_new(values: Values, name: str) -> bool:
    """Whether words come from outside and not from an earlier picture's recipe."""
    value = values.by_name.get(name)
    return value is not None and bool(value.told) and not value.whence.startswith("recipe of ")
