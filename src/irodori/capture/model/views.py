"""Views: from the file's cameras, from a small views file, or by intent."""

from __future__ import annotations

import re
import tomllib
from dataclasses import replace
from pathlib import Path

import numpy as np

from irodori.capture.model.photographer import KINDS, Subject, best_views, subject_of
from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.core.errors import ModelError, unknown_name
from irodori.core.model import ModelData, ViewSpec

BEARINGS = {
    "north": 0.0, "northeast": 45.0, "east": 90.0, "southeast": 135.0,
    "south": 180.0, "southwest": 225.0, "west": 270.0, "northwest": 315.0,
}  # fmt: skip
INTENTS = (
    "eye level",
    "three-quarter",
    "aerial",
    "elevation",
    "isometric",
    "axonometric",
    "plan",
    "interior",
    "section",
    "dolls' house",
)

RISES = {"elevation": 0.0, "isometric": float(np.degrees(np.arctan(1 / np.sqrt(2)))), "axonometric": 45.0, "plan": 90.0}
"""Degrees from which one looks down in parallel views."""

CUT_AT, DOOR_HEIGHT = 2.15, 1.9
"""m over a floor at which a dolls' house is cut, over its doors; and how high a storey is at least."""

LOOKED_DOWN = 52.0
"""Degrees from which one looks into a dolls' house."""

CUT_DEEP = 0.7
"""m within a room's outline at which what stands before it is cut away."""

WHOLE_ROOM = 46.0
"""Degrees of a lens through which a room is seen whole, once what stands before it is gone."""


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
    folded = re.sub(r"['\u2019]", "", re.sub(r"[-_]", " ", words.casefold())).strip()
    plain = {intent: intent.replace("-", " ").replace("'", "") for intent in INTENTS}
    intent = next((i for i in INTENTS if folded.startswith(plain[i])), None)
    if intent is None:
        return None
    rest = folded[len(plain[intent]) :].strip().replace("from ", "").replace(" ", "")
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
    if intent == "dolls' house":
        return _dolls_house(data, words, None if bearing is None else max(int(bearing), 1))
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
    if intent == "section":
        # Through its middle, seen as what lies behind.
        view = _parallel(name, centre, corners, towards_viewer, 0.0)
        return replace(view, cut=(*towards_viewer.tolist(), float(towards_viewer @ centre)))
    if intent in RISES:
        return _parallel(name, centre, corners, towards_viewer, RISES[intent])
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


def _dolls_house(data: ModelData, name: str, storey: int | None) -> ViewSpec:
    """A view from above into a storey, counted from 1, that is cut open over its doors; the one with most in it unless told.

    Raises ModelError when there is no such storey.
    """
    subject = subject_of(data)
    levels = _storeys(data)
    if storey is not None and storey > len(levels):
        raise ModelError(f"There are {len(levels)} storeys; ask for 'dolls' house 1' to '{len(levels)}'")
    level = levels[storey - 1] if storey is not None else max(levels, key=lambda z: _things_on(data, z))
    low, high = subject.low, np.minimum(subject.high, [np.inf, np.inf, level + CUT_AT])
    centre = (low + high) / 2
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (level, high[2])])
    angle, tilt = np.radians(200.0 + data.north), np.radians(LOOKED_DOWN)
    direction = np.array([np.sin(angle) * np.cos(tilt), np.cos(angle) * np.cos(tilt), np.sin(tilt)])
    away = _distance_to_fit(corners, centre, direction, 34.0, 1.6)
    return ViewSpec(
        name, tuple(centre + direction * away), tuple(centre), field=34.0, origin="intent", cut=(0.0, 0.0, 1.0, level + CUT_AT)
    )  # fmt: skip


def _storeys(data: ModelData) -> list[float]:
    """Levels of a subject's floors, m, from the lowest up; its foot where it has none."""
    subject, sizes, table = subject_of(data), data.mesh.measures, data.surfaces
    floors = table[(table["nz"] > 0.97) & table["role"].isin(["floor", "slab"])]
    ids = floors["id"].to_numpy()
    ids = ids[subject.own[ids] & (sizes.area[ids] > 4.0) & (sizes.high[ids, 2] < subject.high[2] - DOOR_HEIGHT)]
    levels: list[float] = []
    for level in sorted(sizes.high[ids, 2].tolist()):
        if not levels or level > levels[-1] + DOOR_HEIGHT:
            levels.append(float(level))
    return levels or [float(subject.low[2])]


def _things_on(data: ModelData, level: float) -> int:
    """How many surfaces stand on a storey."""
    low = data.mesh.measures.low[data.surfaces["id"].to_numpy(), 2]
    return int(((low > level - 0.1) & (low < level + CUT_AT)).sum())


def cut_away(data: ModelData, view: ViewSpec) -> ViewSpec:
    """A room's view from further off, without what stands before the place from where it was to be seen.

    Raises ModelError for views that look up or down, or from afar.
    """
    way = np.array(view.target, float) - view.position
    ahead = np.array([way[0], way[1], 0.0])
    if view.span is not None or np.linalg.norm(ahead) < 0.5 * np.linalg.norm(way):
        raise ModelError(f"'{view.name}' has nothing to cut away; take a view of a room, like 'interior'")
    subject = subject_of(data)
    ahead = _along_walls(subject, ahead / np.linalg.norm(ahead))
    across = np.array([ahead[1], -ahead[0], 0.0])
    spread = (subject.corners - subject.corners.mean(axis=0)) @ np.stack([ahead, across, [0, 0, 1.0]], axis=1)
    (near, left, low), (_, right, high) = spread.min(axis=0), spread.max(axis=0)
    centre = subject.corners.mean(axis=0)
    # Beyond the near wall, and so far off that all of the room is seen.
    cut = near + CUT_DEEP
    wide, tall = right - left, high - low
    slope = np.tan(np.radians(WHOLE_ROOM) / 2)
    back = 0.5 * max(wide, view.aspect * tall) * 1.06 / slope
    eye = centre + ahead * (cut - back) + across * (left + right) / 2
    eye[2] = centre[2] + (low + high) / 2
    plane = (*(-ahead).tolist(), float(-ahead @ (centre + ahead * cut)))
    return replace(
        view, position=tuple(eye.tolist()), target=tuple((eye + ahead).tolist()), field=WHOLE_ROOM, cut=plane, shift=(0.5, 0.5)
    )  # fmt: skip


def _along_walls(subject: Subject, ahead: np.ndarray) -> np.ndarray:
    """The direction along a subject's outline that is nearest to one, (3,) unit and level."""
    import cv2

    _, _, turn = cv2.minAreaRect(subject.corners[:, :2].astype(np.float32))
    angles = np.radians(turn + 90 * np.arange(4))
    ways = np.stack([np.cos(angles), np.sin(angles), np.zeros(4)], axis=1)
    return ways[np.argmax(ways @ ahead)]


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
