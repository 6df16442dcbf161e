"""Views: from the file's cameras, from a small views file, or by intent."""

from __future__ import annotations

import re
import tomllib
from dataclasses import replace
from pathlib import Path

import numpy as np

from irodori.capture.model.photographer import KINDS, best_views, subject_of
from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.core.errors import ModelError, unknown_name
from irodori.core.model import ModelData, ViewSpec

BEARINGS = {
    "north": 0.0, "northeast": 45.0, "east": 90.0, "southeast": 135.0,
    "south": 180.0, "southwest": 225.0, "west": 270.0, "northwest": 315.0,
}  # fmt: skip
INTENTS = ("eye level", "three-quarter", "aerial", "elevation", "isometric", "plan", "interior")


def read_views_file(path: str | Path) -> tuple[ViewSpec, ...]:
    """Views from a TOML file of `[[view]]` tables. Raises ModelError with the entry that is wrong.

    Each has a `name`, and `position` and `target` (metres, world) with `field` (degrees) or `span` (metres,
    parallel). `aspect`, `ground` and `shift` are optional.
    """
    try:
        entries = tomllib.loads(Path(path).read_text(encoding="utf-8")).get("view", [])
    except FileNotFoundError:
        raise ModelError(f"There is no views file '{path}'") from None
    except (OSError, UnicodeDecodeError, tomllib.TOMLDecodeError) as error:
        raise ModelError(f"Views file '{path}' cannot be read: {error}") from None
    allowed = {"name", "position", "target", "field", "span", "aspect", "ground", "shift"}
    views = []
    for number, entry in enumerate(entries, 1):
        extra = set(entry) - allowed
        if extra:
            raise ModelError(unknown_name(f"entry in view {number} of '{path}':", extra.pop(), allowed))
        try:
            views.append(
                ViewSpec(
                    name=str(entry["name"]),
                    position=tuple(float(v) for v in entry["position"]),
                    target=tuple(float(v) for v in entry["target"]),
                    field=float(entry.get("field", 60.0)),
                    span=float(entry["span"]) if "span" in entry else None,
                    aspect=float(entry.get("aspect", 1.6)),
                    ground=bool(entry.get("ground", True)),
                    shift=tuple(float(v) for v in entry.get("shift", (0.5, 0.5))),
                    origin="views",
                )
            )
        except KeyError as missing:
            raise ModelError(f"View {number} of '{path}' lacks {missing}") from None
        except (TypeError, ValueError):
            raise ModelError(f"View {number} of '{path}' has a value that is not a number") from None
    if not views:
        raise ModelError(f"Views file '{path}' has no [[view]] entries")
    return tuple(views)


def camera_for(view: ViewSpec, width: int | None, height: int | None) -> Camera:
    """The camera of a view at a picture size; a missing side follows from the view's aspect."""
    if width is None and height is None:
        width = 1280 if view.aspect >= 1 else round(1280 * view.aspect)
    if width is None:
        width = round(height * view.aspect)
    if height is None:
        height = round(width / view.aspect)
    if width < 2 or height < 2:
        raise ModelError(f"A picture of {width} × {height} pixels is too small; ask for at least 2 × 2")
    try:
        return Camera.look(
            np.array(view.position), np.array(view.target), size=(width, height), field=view.field,
            span=view.span, up=view.up, centre=view.shift,
        )  # fmt: skip
    except ValueError as error:
        raise ModelError(f"View '{view.name}': {error}") from None


COMPOSED = {"left": (0.13, 0.0), "right": (-0.13, 0.0), "low": (0.0, -0.1), "high": (0.0, 0.1)}
"""Sides on which room for text can be left, and how far the lens is shifted for it, as a share of the picture."""


def composed(view: ViewSpec, side: str) -> ViewSpec:
    """A view with room for text on a side. Raises ModelError for no side of `COMPOSED`."""
    if side not in COMPOSED:
        raise ModelError(unknown_name("side", side, COMPOSED))
    across, down = COMPOSED[side]
    return replace(view, shift=(view.shift[0] + across, view.shift[1] + down))


def find_view(data: ModelData, wanted: str) -> ViewSpec:
    """The view called `wanted`, or the one that its words intend. Raises ModelError with the nearest names."""
    for view in data.views:
        if view.name.casefold() == wanted.casefold():
            return view
    intended = view_by_intent(data, wanted)
    if intended is None:
        names = [v.name for v in data.views] + list(INTENTS)
        raise ModelError(unknown_name("view", wanted, names))
    return intended


def view_by_intent(data: ModelData, words: str) -> ViewSpec | None:
    """A view from words such as "eye level southwest", "elevation 90" or "plan"; None when none is meant.

    A bearing says from where one looks: degrees clockwise from north, or a compass word.
    """
    folded = re.sub(r"[-_]", " ", words.casefold()).strip()
    intent = next((i for i in INTENTS if folded.startswith(i.replace("-", " "))), None)
    if intent is None:
        return None
    rest = folded[len(intent) :].strip().replace("from ", "").replace(" ", "")
    default = {"eye level": 200.0, "elevation": 180.0}.get(intent, 215.0)
    bearing: float | None
    if rest in BEARINGS:
        bearing = BEARINGS[rest]
    elif re.fullmatch(r"\d+(\.\d+)?", rest):
        bearing = float(rest)
    elif rest:
        return None
    else:
        bearing = None
    if intent in KINDS:
        # The best of its kind, from where it was asked.
        if intent == "interior":
            # Rooms have no bearings: "interior 2" is the second best.
            rank = 1 if bearing is None else max(int(bearing), 1)
            found = best_views(data, (intent,), count=rank)
        else:
            found = best_views(data, (intent,), bearing=None if bearing is None else bearing + data.north)
        if found:
            return replace(found[-1].view, name=words)
        if intent == "interior":
            raise ModelError("No enclosed room was found for an interior view; name a camera in a views file")
    return _outside(data, words, intent, (default if bearing is None else bearing) + data.north)


def _outside(data: ModelData, name: str, intent: str, bearing: float) -> ViewSpec:
    subject = subject_of(data)
    low, high = subject.low, subject.high
    centre = (low + high) / 2
    angle = np.radians(bearing)
    towards_viewer = np.array([np.sin(angle), np.cos(angle), 0.0])
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    if intent in ("elevation", "isometric", "plan"):
        rise = {"elevation": 0.0, "isometric": np.degrees(np.arctan(1 / np.sqrt(2))), "plan": 90.0}[intent]
        return _parallel(name, centre, corners, towards_viewer, rise)
    rise = {"eye level": 0.0, "three-quarter": 12.0, "aerial": 38.0}[intent]
    tilt = np.radians(rise)
    direction = np.cos(tilt) * towards_viewer + np.array([0, 0, np.sin(tilt)])
    field = 55.0
    target = centre.copy()
    if intent == "eye level":
        target[2] = low[2] + EYE_HEIGHT + 0.25 * (high[2] - low[2])
    distance = _distance_to_fit(corners, target, direction, field, 1.6)
    position = target + direction * distance
    if intent == "eye level":
        position[2] = low[2] + EYE_HEIGHT
        target[2] = position[2]
    shift = (0.5, 0.62) if intent == "eye level" else (0.5, 0.5)
    return ViewSpec(name, tuple(position), tuple(target), field=field, origin="intent", shift=shift)


def _parallel(name, centre, corners, towards_viewer, rise) -> ViewSpec:
    tilt = np.radians(rise)
    direction = np.cos(tilt) * towards_viewer + np.array([0, 0, np.sin(tilt)])
    up = (0.0, 1.0, 0.0) if rise > 89 else (0.0, 0.0, 1.0)
    right = np.cross(-direction, up)
    right /= np.linalg.norm(right)
    down = np.cross(-direction, right)
    across, along = np.ptp(corners @ right), np.ptp(corners @ down)
    span = max(across, along * 1.6) * 1.15
    reach = np.linalg.norm(np.ptp(corners, axis=0)) + 10
    return ViewSpec(name, tuple(centre + direction * reach), tuple(centre), span=float(span), origin="intent", up=up)


def _distance_to_fit(corners, target, direction, field, aspect) -> float:
    right = np.cross(-direction, [0, 0, 1.0])
    right /= np.linalg.norm(right)
    down = np.cross(-direction, right)
    slope = np.tan(np.radians(field) / 2)
    local = corners - target
    needed = np.maximum(np.abs(local @ right) / slope, np.abs(local @ down) / (slope / aspect)) + local @ direction
    return float(max(needed.max() * 1.12, 2.0))
