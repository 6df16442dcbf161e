"""What a brief says of settings: before the project file and defaults, behind what was given outright."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief import Brief, understand
from irodori.brief.settings import settings_of
from irodori.settings.values import GIVEN, Value, Values

BRIEF = "brief"


def brief_of(values: Values) -> Brief | None:
    """The brief that was told, understood; None when there is none. Raises BriefError."""
    text, avoid = values["brief"] or "", values["avoid"] or ""
    return understand(text, avoid) if text or avoid else None


def with_brief(values: Values, brief: Brief | None) -> Values:
    """The values with what the brief decides where nothing was given outright; an earlier picture's words decided already.

    Raises
    ------
    IrodoriError
        When what it says has no meaning here, as a look that there is not.
    """
    if brief is None or not _is_new(values):
        return values
    by_name = dict(values.by_name)
    told = settings_of(brief, {name: values[name] for name in ("light", "development", "exposure")})
    for one in values.known:
        if one.name in told and by_name[one.name].whence != GIVEN:
            by_name[one.name] = Value(told[one.name], one.checked(told[one.name]), BRIEF)
    return replace(values, by_name=by_name)


def _is_new(values: Values) -> bool:
    """Whether the words come from outside and not from an earlier picture's recipe."""
    return any(
        values.was_told(name) and not values.by_name[name].whence.startswith("recipe of ")
        for name in ("brief", "avoid")
    )
