"""Recipes of older versions, told as the present one would."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any


def upgraded(values: dict[str, Any], version: int) -> dict[str, Any]:
    """The decisions of a recipe of some version as the present version has them. Raises KeyError when one is missing."""
    while version in _STEPS:
        values = _STEPS[version](values)
        version += 1
    return values


def _typed(old: dict[str, Any]) -> dict[str, Any]:
    """Version 1 was a loose table: what it left out was as by default."""
    origin = dict(old["origin"])
    reading = {"eye_height": origin.get("eye_height"), "learned": origin.get("learned", True)}
    if origin.get("corrections"):
        import json

        reading["corrections"] = json.loads(origin["corrections"])
    light = dict(old["light"])
    new = {
        "version": 2, "irodori": old["irodori"], "source": _source(origin), "reading": reading, "structure": old["structure"],
        "light": {"name": light["light"], "north": light.get("north", 0.0), "sun": light.get("sun")},
        "exposure": light.get("exposure", 0.0), "seed": old["seed"], "quality": old["quality"],
        "output": {"bits": old.get("bits", 8)}, "facts": {"covered": old.get("covered")},
    }  # fmt: skip
    for name in ("finishes", "lamps", "photometry", "entourage", "season", "balance", "lens"):
        if name in old:
            new[name] = old[name]
    return new


def _source(origin: dict[str, Any]) -> dict[str, Any]:
    if "capture" in origin:
        taken = ("kind", "near", "far", "clean", "keep", "remove", "north", "passes")
        known = {name: origin[name] for name in taken if name in origin}
        return {"what": "capture", "file": origin["capture"], "digest": origin.get("capture_digest"), **known}
    if origin.get("model"):
        taken = ("up", "unit", "north", "views", "view", "width", "height", "ground", "style")
        known = {name: origin[name] for name in taken if name in origin}
        return {"what": "model", "files": origin["model"], "digest": origin.get("model_digest"), **known}
    return {"what": "memory"}


_STEPS: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _typed}
