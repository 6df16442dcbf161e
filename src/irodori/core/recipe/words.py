"""What a recipe decides, and how two differ, in words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel

from irodori.core.corrections import Corrections

_DECISIONS = (
    ("irodori", "made by irodori"), ("source", "source"), ("reading", "reading"), ("structure", "what was read"),
    ("catalogue", "own catalogue of finishes"), ("finishes", "finish schedule"), ("masks", "masks"), ("lamps", "lamp schedule"),
    ("photometry", "photometric files"), ("entourage", "entourage list"), ("brief", "brief"), ("liberty", "liberty"), ("season", "season"), ("life", "life"), ("light", "light"),
    ("exposure", "exposure"), ("held", "exposure held"), ("seed", "seed"), ("kept_seeds", "seeds kept"), ("quality", "quality"), ("rays", "ray kernel"), ("balance", "balance"),
    ("development", "development"), ("lines", "lines"), ("lens", "lens"), ("look", "look"), ("output", "output"), ("steps", "steps"),
)  # fmt: skip

OF_FINISHED = ("irodori", "source", "output", "steps")


def told(recipe: Any) -> list[tuple[str, str]]:
    """Every decision of a `Recipe` that is not as by default, in words."""
    rows = []
    finished = recipe.source.what == "finished"
    for name, words in _DECISIONS:
        if finished and name not in OF_FINISHED:
            continue  # nothing was decided of a picture that was found
        value = getattr(recipe, name)
        if name in ("catalogue", "finishes", "lamps", "entourage") and value:
            rows.append((words, f"{len(value.strip().splitlines())} lines"))
        elif name == "light":
            rows.append((words, value.name))
        elif name == "steps":
            for n, step in enumerate(value, 1):
                rows.append((f"step {n}", step.step))
                rows += [(f"  {part.replace('_', ' ')}", _in_words(inner)) for part, inner in _plain(step)]
        elif isinstance(value, BaseModel):
            for part in type(value).model_fields:
                inner = getattr(value, part)
                if inner != type(value).model_fields[part].default and part != "what":
                    rows.append((f"{words}, {part.replace('_', ' ')}", _in_words(inner)))
        elif value not in ("", {}, ()):
            rows.append((words, _in_words(value)))
    return rows


def differences(one: Any, two: Any) -> Iterator[str]:
    """Which decisions of two `Recipe`s differ, one sentence each."""
    for name, words in _DECISIONS:
        a, b = getattr(one, name), getattr(two, name)
        if a == b:
            continue
        if name == "structure" and (one.source, one.reading) != (two.source, two.reading):
            continue  # said already
        if name == "light":
            yield f"{words}: '{a.name}' here, '{b.name}' there" + (", with other values" if a.name == b.name else "")
        elif name == "steps":
            yield f"{words}: {_in_words([s.step for s in a])} here, {_in_words([s.step for s in b])} there"
        elif isinstance(a, BaseModel) and type(a) is type(b):
            for part in type(a).model_fields:
                x, y = getattr(a, part), getattr(b, part)
                if x != y:
                    yield f"{words}, {part.replace('_', ' ')}: {_in_words(x)} here, {_in_words(y)} there"
        elif (isinstance(a, str) and max(len(a), len(b)) > 60) or (isinstance(a, str) and "\n" in a + b):
            yield f"{words}: {_lines_apart(a, b)}"
        else:
            yield f"{words}: {_in_words(a)} here, {_in_words(b)} there"


def _in_words(value: Any) -> str:
    if value is None or value == () or value == [] or value == "" or value == {}:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Corrections):
        parts = [
            f"{len(value.length)} known lengths" * bool(value.length),
            f"{len(value.surface)} surfaces" * bool(value.surface),
        ]
        parts.append("the camera" if value.camera != type(value.camera)() else "")
        parts.append("the eye height" if value.eye_height is not None else "")
        return " and ".join(filter(None, parts)) or "none"
    if isinstance(value, BaseModel):
        told = [
            f"{n.replace('_', ' ')} {_in_words(getattr(value, n))}"
            for n in sorted(value.model_fields_set)
            if n != "what"
        ]
        return "; ".join(told) or "as usual"
    if isinstance(value, tuple | list):
        return ", ".join(_in_words(v) for v in value)
    if isinstance(value, dict):
        return ", ".join(value)
    if isinstance(value, float):
        return f"{value:g}"
    text = str(value)
    return text if len(text) <= 60 else f"{text[:24]}…"


def _lines_apart(a: str, b: str) -> str:
    """How two texts differ, in words."""
    if not a or not b:
        return "only there" if not a else "only here"
    ours, theirs = a.splitlines(), b.splitlines()
    here = [line for line in ours if line not in theirs]
    there = [line for line in theirs if line not in ours]
    said = [
        f"'{lines[0].strip()}'{f' and {len(lines) - 1} more' if len(lines) > 1 else ''} only {where}"
        for lines, where in ((here, "here"), (there, "there"))
        if lines
    ]
    return "; ".join(said) or "the same lines in another order"


def _plain(step: Any) -> Iterator[tuple[str, Any]]:
    """What a step tells in few words: neither masks nor whole recipes."""
    for part in type(step).model_fields:
        inner = getattr(step, part)
        if part not in ("step", "mask", "by", "digest") and inner not in (None, "", ()):
            yield part, inner.name if hasattr(inner, "name") else inner
