"""Choosing views: candidates over bearings, heights and lenses are looked at in small id pictures, and the best shown first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from irodori.capture.model.photographer.subject import Subject, subject_of
from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.core.model import SMALLEST_BUILDING, ModelData, ViewSpec
from irodori.engine.rays.ray_scene import RayScene, rays_of

KINDS = ("eye level", "three-quarter", "aerial", "interior")
"""Kinds of views that are chosen."""

SMALL = (144, 90)
"""Size of the pictures by which candidates are judged, px."""

FILL, TALLEST = 0.64, 0.78
"""Shares of the picture's width and height that a building fills, whichever comes first."""

BEARINGS = np.arange(0.0, 360.0, 22.5)
LENSES = {"eye level": (52.0, 40.0), "three-quarter": (44.0,), "aerial": (44.0,)}
"""Horizontal fields of view tried, degrees."""

RISE = {"eye level": 0.0, "three-quarter": 11.0, "aerial": 36.0}
"""Degrees above the level from which one looks."""

TELLS = {
    "door": 7.0,
    "sign": 6.0,
    "glazing": 2.0,
    "stair": 2.0,
    "railing": 1.6,
    "column": 1.6,
    "frame": 1.5,
    "fabric": 2.5,
    "lamp": 2.0,
    "furniture": 2.0,
    "soffit": 1.2,
    "roof": 0.6,
    "wall": 0.3,
}
"""How much a pixel of each role tells of a building."""

USUAL = {"eye level": 0.55, "three-quarter": 0.0, "aerial": -0.5, "": 0.0}
"""What speaks for each kind of view of a low building."""

INSIDE = ("furniture", "fabric", "lamp", "door", "glazing", "stair", "sign", "railing", "vehicle", "planting", "other")
"""Roles of what a room is furnished with, and opens by."""

ROOM_EYE, ROOM_FIELD = 1.5, 72.0
"""m over the floor from which rooms are seen, and the horizontal field, degrees: wide, and not yet distorting."""

TELLS_OF_FRONTS = {"door": 7.0, "sign": 6.0, "glazing": 2.0, "stair": 1.5, "railing": 1.0, "fabric": 1.0}
"""How much a pixel of each role says that a face is the front."""

FRONT, FACED = 1.2, 0.72
"""How much it is worth that the front is faced, and the cosine from which it is."""

SUNLIT = 0.5
"""How much it is worth that the sun comes from the side."""

MOST_SPOTS = 32
"""Places in a room from which one looks about."""

WIDEST = 82.0
"""Degrees of the lens in the smallest rooms."""

CEILING = 9.0
"""m over the eye within which a room has its ceiling."""


@dataclass(frozen=True)
class Chosen:
    """A view, how good it is, and of which kind."""

    view: ViewSpec
    score: float
    kind: str


class Looking:
    """A model being looked at."""

    def __init__(self, data: ModelData, sun: float | None = None) -> None:
        self.data, self.subject, self.sun = data, subject_of(data), sun
        self.rays, own = rays_of(data.mesh), self.subject.own[data.mesh.surface]
        self.alone = self.rays if own.all() else RayScene(data.mesh.triangles[own])
        self.normals = data.mesh.normals()

    def ids(self, camera: Camera, rays: RayScene | None = None) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Surface ids (0: nothing), depths and triangles that a camera sees, (H, W) each."""
        width, height = camera.size
        y, x = np.mgrid[0:height, 0:width]
        origins, ways = camera.rays(x.ravel() + 0.5, y.ravel() + 0.5)
        depth, hit = (rays or self.rays).closest(origins, ways)
        surface = np.where(hit >= 0, self.data.mesh.surface[np.maximum(hit, 0)], 0)
        return surface.reshape(height, width), depth.reshape(height, width), hit.reshape(height, width)

    @cached_property
    def front(self) -> np.ndarray:
        """Which way the face with most doors, signs and glazing looks, (2,) unit; 0 where no face has more than others."""
        worth = np.zeros(len(BEARINGS))
        triangles = np.flatnonzero(self.subject.own[self.data.mesh.surface])
        for angle in BEARINGS[::2]:
            view = _framed(self.subject, "three-quarter", float(angle), 44.0)
            _, _, hit = self.ids(camera_of(view), self.alone)
            shown = triangles[hit[hit >= 0]]
            told = np.array([TELLS_OF_FRONTS.get(r, 0.0) for r in self.subject.role[self.data.mesh.surface[shown]]])
            normal = self.normals[shown]
            away = np.array(view.position) - view.target
            normal = normal * np.sign(normal @ away + 1e-9)[:, None]
            upright = np.abs(normal[:, 2]) < 0.3
            way = np.round(np.degrees(np.arctan2(normal[:, 0], normal[:, 1])) / 22.5).astype(int) % len(BEARINGS)
            worth += np.bincount(way[upright], told[upright], len(BEARINGS))
        if worth.max() < 1.25 * worth.mean() or not worth.any():
            return np.zeros(2)
        angle = np.radians(BEARINGS[int(worth.argmax())])
        return np.array([np.sin(angle), np.cos(angle)])

    def first_role(self, place, up: float) -> tuple[str, float]:
        """Role of what is first met straight up (1) or down (−1) from a place, "" for nothing, and how far off it is, m."""
        far, hit = self.rays.closest(np.float32([place]), np.float32([[0, 0, up]]))
        return ("", np.inf) if hit[0] < 0 else (str(self.subject.role[self.data.mesh.surface[hit[0]]]), float(far[0]))


def best_views(
    data: ModelData, kinds: Sequence[str] = ("eye level", "three-quarter"), *, bearing: float | None = None, count: int = 1,
    sun: float | None = None,
) -> list[Chosen]:  # fmt: skip
    """The best views of a model, best first and each from somewhere else.

    Parameters
    ----------
    kinds
        Of `KINDS`; a room is only seen from inside, and what is no room only from outside, unless that is all that is asked.
    bearing
        From where one looks, degrees clockwise from the model's +y; None chooses.
    count
        How many.
    sun
        From where the sun shines, degrees clockwise from the model's +y; None does not ask.

    Returns
    -------
    list of Chosen
        Empty where nothing can be seen so.
    """
    looking = Looking(data, sun)
    outside = [k for k in kinds if k != "interior"]
    if looking.subject.size.max() < SMALLEST_BUILDING and "three-quarter" in outside:
        outside = ["three-quarter"]
    found: list[Chosen] = []
    if outside:
        found = _outside(looking, outside, bearing)
    if "interior" in kinds:
        rooms = _interiors(looking)
        if found and rooms:
            found = rooms if _is_room(looking, found, rooms) else found
        else:
            found = found or rooms
    return _apart(sorted(found, key=lambda c: -c.score), count)


def _apart(found: list[Chosen], count: int) -> list[Chosen]:
    """The best that differ in where they stand or look."""
    out: list[Chosen] = []
    for one in found:
        place, target = np.array(one.view.position), np.array(one.view.target)
        way = (target - place) / np.linalg.norm(target - place)
        for other in out:
            there, then = np.array(other.view.position), np.array(other.view.target)
            alike = way @ (then - there) / np.linalg.norm(then - there) > 0.94 and one.kind == other.kind
            # Outside a bearing is seen once; in a room one may look the same way from elsewhere.
            if alike and (one.kind != "interior" or np.linalg.norm(place - there) < 1.2):
                break
        else:
            out.append(one)
        if len(out) == count:
            break
    return out


def _outside(looking: Looking, kinds: Sequence[str], bearing: float | None) -> list[Chosen]:
    out = []
    for kind in kinds:
        for angle in BEARINGS if bearing is None else (bearing,):
            for field in LENSES[kind]:
                view = _framed(looking.subject, kind, float(angle), field)
                if kind == "eye level":
                    view = _standing(looking, view)
                if view is not None:
                    out.append(_judged(looking, view, kind))
    return [one for one in out if one.score > -8] or out


def _framed(subject: Subject, kind: str, bearing: float, field: float) -> ViewSpec:
    """A view that the subject fills as it should, with upright verticals where the camera is not far above it."""
    angle, rise = np.radians(bearing), np.radians(RISE[kind])
    towards = np.array([np.sin(angle), np.cos(angle), 0.0])
    middle = (subject.low + subject.high) / 2
    small = float(subject.size.max()) < SMALLEST_BUILDING
    level = kind != "aerial" and not small
    if small and kind == "three-quarter":
        rise = np.radians(24.0)
    slope = np.tan(np.radians(field) / 2)
    away = max(float(np.linalg.norm(subject.size)), 2.0)
    for _ in range(40):
        eye = middle + towards * away * np.cos(rise) + np.array([0, 0, away * np.sin(rise)])
        if kind == "eye level" and not small:
            eye[2] = subject.ground + EYE_HEIGHT
        u, v, depth = _seen(subject.corners, eye, -towards if level else (middle - eye) / np.linalg.norm(middle - eye))
        if depth.min() <= 0.3:
            away *= 1.3
            continue
        wide, tall = float(np.ptp(u)) / (2 * slope), float(np.ptp(v)) / (2 * slope / 1.6)
        filled = max(wide / FILL, tall / TALLEST)
        if abs(filled - 1) < 0.01:
            break
        away *= filled**0.8
    # The middle of what is seen goes to the middle of the picture by shifting the lens, not by turning it.
    x = 0.5 - float(u.max() + u.min()) / 2 / (2 * slope)
    # What is low stands low in the picture: there is more in the sky than on a lawn.
    low = 0.07 * max(0.0, 1.0 - tall / 0.45) if kind == "eye level" and not small else 0.0
    y = 0.53 + low - float(v.max() + v.min()) / 2 / (2 * slope / 1.6)
    target = eye + (-towards if level else (middle - eye))
    y = float(np.clip(y, -0.2, 1.3))
    return ViewSpec(
        kind, tuple(eye), tuple(target), field=field, origin="intent", shift=(float(np.clip(x, -0.2, 1.2)), y)
    )


def _seen(points: np.ndarray, eye: np.ndarray, forward: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Tangents to the right and downwards, and depths, of points (N, 3) for an eye."""
    right = np.cross(forward, [0, 0, 1.0])
    right /= np.linalg.norm(right)
    down = np.cross(forward, right)
    local = points - eye
    depth = local @ forward
    safe = np.maximum(depth, 1e-3)
    return local @ right / safe, local @ down / safe, depth


def _standing(looking: Looking, view: ViewSpec) -> ViewSpec | None:
    """The view from where somebody can stand; None where nobody can."""
    place, subject = np.array(view.position), looking.subject
    if looking.first_role(place, 1.0)[0] not in ("", "planting"):
        return None  # under a roof, or in the ground
    above = subject.ground + 40.0
    under, far = looking.first_role((place[0], place[1], above), -1.0)
    if not under:
        return view
    level = above - far
    if under in ("wall", "roof", "context", "glazing", "vehicle", "planting") or level > subject.ground + 2.5:
        return None
    rise = max(level, subject.ground - 3.0) + EYE_HEIGHT - place[2]
    target = np.array(view.target) + (0, 0, rise)
    return replace(view, position=(place[0], place[1], place[2] + rise), target=tuple(target))


def camera_of(view: ViewSpec) -> Camera:
    """A small camera for a view."""
    return Camera.look(
        np.array(view.position), np.array(view.target), size=SMALL, field=view.field, centre=view.shift, up=view.up
    )


def _judged(looking: Looking, view: ViewSpec, kind: str) -> Chosen:
    subject, camera = looking.subject, camera_of(view)
    ids, depth, hit = looking.ids(camera)
    own = subject.own[ids] & (ids > 0)
    seen = int(own.sum())
    if seen < 30:
        return Chosen(view, -9.0, kind)
    alone = looking.ids(camera, looking.alone)[0] > 0
    hidden = 1.0 - seen / max(int(alone.sum()), 1)
    columns = np.flatnonzero(own.any(axis=0))
    width = (columns[-1] - columns[0] + 1) / SMALL[0]
    cut = own[:, [0, -1]].mean() + own[[0, -1]].mean()
    role = subject.role[ids[own]]
    worth = np.array([TELLS.get(r, 0.5) for r in role])
    rich = float(worth.mean())
    # Each part counts once it is large enough to be recognised.
    parts = np.bincount(subject.part[ids[own]])
    telling = np.isin(subject.role, list(TELLS)) & (subject.role != "wall")
    named = np.unique(subject.part[ids[own][telling[ids[own]]]])
    many = float(np.log1p((parts[named] >= 3).sum()))
    near = np.isfinite(depth) & (hit >= 0) & (depth < 0.12 * np.median(depth[own])) & ~own
    upright = looking.normals[hit[own]]
    sides = upright[np.abs(upright[:, 2]) < 0.3]
    second = _second_face(sides)
    if subject.size.max() < SMALLEST_BUILDING:
        # A product is turned a little.
        way = np.array(view.target) - view.position
        second = abs(float(np.sin(2 * np.arctan2(way[0], way[1])))) + 2.0 * float((upright[:, 2] > 0.7).mean())
    door = bool((np.isin(role, ("door",)).sum()) >= 2)
    low_building = subject.size[2] < 16
    away = np.array(view.position) - view.target
    # A front is seen well up to some way round its corner.
    faced = min(float(away[:2] @ looking.front / max(np.linalg.norm(away), 1e-9)), FACED) / FACED
    score = (
        _lit(looking.sun, away) + FRONT * faced + 1.1 * min(rich, 3.0) + 0.45 * many + 0.9 * second + 0.7 * door - 3.2 * hidden - 2.5 * cut - 6.0 * float(near.mean())
        - 3.0 * max(0.0, 0.4 - width) - 3.0 * max(0.0, width - 0.75) + USUAL[kind if low_building else ""]
    )  # fmt: skip
    if kind == "eye level" and looking.first_role(view.position, -1.0)[0] == "water":
        score -= 0.5
    return Chosen(view, float(score), kind)


def _lit(sun: float | None, away: np.ndarray) -> float:
    """What it is worth that the sun, from a bearing, comes from the side for a camera that lies `away` (3,) from what it looks at: one
    face is lit then and one in shade. Best over one's shoulder, worst against it."""
    if sun is None:
        return 0.0
    turned = abs((np.degrees(np.arctan2(away[0], away[1])) - sun + 180) % 360 - 180)
    return SUNLIT * float(np.interp(turned, (0, 35, 80, 120, 180), (0.4, 1.0, 1.0, 0.0, -0.5)))


def _second_face(normals: np.ndarray) -> float:
    """How well a second face is seen beside the first, 0 … 1: the share of the pixels with upright normals (N, 3) that look another way."""
    if not len(normals):
        return 0.0
    turned = np.degrees(np.arctan2(normals[:, 0], normals[:, 1])) % 180
    share = np.sort(np.bincount(np.floor(turned / 22.5).astype(int) % 8, minlength=8))[::-1] / len(normals)
    return min(float(share[1]) / 0.25, 1.0)


def _interiors(looking: Looking) -> list[Chosen]:
    """Views from inside enclosed spaces, in their corners and on their axes."""
    subject = looking.subject
    spots = _inside(looking)
    if not len(spots):
        return []
    # In a bathroom one stands closer to things than in a hall, with a wider lens that is shifted down to the floor.
    span = float(subject.size[:2].min())
    close = min(0.75, 0.12 * float(np.linalg.norm(subject.size[:2])))
    field = float(np.clip(ROOM_FIELD + 4 * (5 - span), ROOM_FIELD, WIDEST))
    shift = 0.5, float(np.clip(0.3 + 0.035 * span, 0.35, 0.46))
    rng = np.random.default_rng(3)
    if len(spots) > MOST_SPOTS:
        spots = spots[rng.choice(len(spots), MOST_SPOTS, replace=False)]
    out = []
    for spot in spots:
        for yaw in np.arange(0, 360, 30.0):
            angle = np.radians(yaw)
            way = np.array([np.sin(angle), np.cos(angle), 0.0])
            view = ViewSpec("interior", tuple(spot), tuple(spot + way), field=field, origin="intent", shift=shift)
            camera = Camera.look(spot, spot + way, size=(64, 40), field=field, centre=shift)
            ids, depth, hit = looking.ids(camera)
            role, part = subject.role[ids], subject.part[ids]
            sky = ids == 0
            near = (depth < close) & ~sky
            things = np.isin(role, INSIDE) & ~sky
            known = np.unique(part[things])
            counts = np.bincount(part[things], minlength=int(subject.part.max()) + 1)
            many = float(np.log1p((counts[known] >= 4).sum()))
            open_ = float(np.isin(role, ("glazing",)).mean())
            second = _second_face(looking.normals[hit[(role == "wall") & (hit >= 0)]])
            rim = np.concatenate([things[0], things[-1], things[:, 0], things[:, -1]])
            floor = float(np.isin(role, ("floor", "slab", "paving")).mean())
            reach = float(np.median(depth[~sky])) if (~sky).any() else 0.0
            score = (
                2.0 * many + 2.0 * min(open_, 0.12) / 0.12 * 0.35 + 0.5 * second + 0.35 * min(reach, 5.0) - 5.0 * float(near.mean())
                - 1.5 * float(sky.mean()) - 1.6 * float(rim.mean()) + 1.4 * min(floor, 0.16) / 0.16 + 2.0 * min(float(things.mean()), 0.35)
            )  # fmt: skip
            out.append(Chosen(view, float(score), "interior"))
    return sorted(out, key=lambda c: -c.score)[:40]


def _inside(looking: Looking) -> np.ndarray:
    """Places at eye height in enclosed spaces where somebody can stand, (N, 3) m."""
    subject = looking.subject
    step = max(0.5, float(subject.size[:2].max()) / 40)
    xs, ys = (np.arange(subject.low[i] + 0.35, subject.high[i] - 0.3, step) for i in (0, 1))
    if not len(xs) or not len(ys):
        return np.zeros((0, 3))
    plan = np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
    angles = np.radians(np.arange(0, 360, 20))
    fan = np.stack([np.sin(angles), np.cos(angles), 0 * angles], axis=1).astype(np.float32)
    for base in np.arange(subject.low[2], subject.high[2] - 1.8, 3.0):
        spots = np.column_stack([plan, np.full(len(plan), base + 1.7)]).astype(np.float32)
        up, over = looking.rays.closest(spots, np.tile(np.float32([[0, 0, 1]]), (len(spots), 1)))
        down, under = looking.rays.closest(spots, np.tile(np.float32([[0, 0, -1]]), (len(spots), 1)))
        fits = (over >= 0) & (up < CEILING) & (under >= 0) & (down > 0.9) & (down < 2.6)
        if not fits.any():
            continue
        spots = spots[fits]
        spots[:, 2] += ROOM_EYE - down[fits]
        reach, hit = looking.rays.closest(np.repeat(spots, len(fan), axis=0), np.tile(fan, (len(spots), 1)))
        reach = np.where(hit >= 0, reach, 200.0).reshape(len(spots), -1)
        enclosed = ((reach < 60).mean(axis=1) > 0.85) & (reach.min(axis=1) > 0.3)
        if enclosed.sum() >= 3:
            return spots[enclosed].astype(float)
    return np.zeros((0, 3))


def _is_room(looking: Looking, outside: list[Chosen], rooms: list[Chosen]) -> bool:
    """Whether a model is a room: there is more to see inside than outside, and outside it is plain."""
    best, inner = max(outside, key=lambda c: c.score), max(rooms, key=lambda c: c.score)
    outer = _things_seen(looking, camera_of(best.view))
    within = _things_seen(looking, camera_of(inner.view))
    roofed = bool(np.isin(looking.subject.role[looking.subject.own], ("roof",)).any())
    grounded = bool(np.isin(looking.subject.role, ("ground", "lawn", "planting", "paving", "water")).any())
    return within >= 3 and within > outer * (1.0 + 0.8 * roofed + 0.8 * grounded)


def _things_seen(looking: Looking, camera: Camera) -> int:
    """Named objects that are more than walls which a camera sees."""
    ids = looking.ids(camera)[0]
    role = looking.subject.role[ids]
    things = np.isin(role, [*INSIDE, "frame", "column", "soffit", "roof"]) & (ids > 0) & looking.subject.own[ids]
    counts = np.bincount(looking.subject.part[ids[things]]) if things.any() else np.zeros(1, int)
    return int((counts >= 6).sum())
