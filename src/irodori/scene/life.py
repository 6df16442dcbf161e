"""People where a picture of a place would have them: on what is walked on, in pairs and alone, nobody cut, no sign hidden."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from irodori.core.structure import Structure
from irodori.entourage.catalogue import ENTOURAGE, check_life
from irodori.entourage.entourage_list import EntourageList, Entry, Where

PUBLIC = 70.0
"""m² of what is walked on from which a place is a public one."""

WALKED_ON = ("paving", "floor", "ground", "slab", "stair")
NEVER_BEFORE = ("sign", "lamp", "person", "vehicle")
"""Roles that nobody stands before."""

NEAREST, FARTHEST = 3.5, 45.0
"""m from the eye between which people stand: nearer ones would be seen too closely, farther ones are specks."""

LEAST_PX = 22
"""px of a person's height under which nobody is seen."""

TALL, BROAD = 1.78, 0.62
"""m that is kept free for one."""

CLEAR = 0.55
"""m around the feet that must be walked on too."""

SEEN = 0.97
"""Share of a person that must not be hidden."""

ROOM_EACH = 14.0
"""m² of what is walked on for one more person in a lively place."""

APART, TOGETHER = 2.2, 0.95
"""m between groups, and between two who talk."""

SEATS = (0.36, 0.56)
"""m over the ground of what is sat on."""

TRIES = 900


class _Person(NamedTuple):
    what: str
    foot: np.ndarray
    facing: float


def people_in(structure: Structure, life: str, seed: int) -> EntourageList:
    """People for a view, as entries at places in the world; the same structure and seed give the same ones.

    Parameters
    ----------
    life
        One of `irodori.entourage.catalogue.LIFE`, or how many people, as digits.

    Raises
    ------
    EntourageError
        When there is no such choice.
    """
    life = check_life(life)
    if life == "none":
        return EntourageList(())
    place = _Place(structure)
    if not len(place.feet):
        return EntourageList(())
    rng = np.random.default_rng(seed)
    lively = life == "lively" or (life == "usual" and place.area > PUBLIC)
    wanted = (
        int(life)
        if life.isdigit()
        else int(np.clip(place.area / ROOM_EACH, 5, 12))
        if lively
        else int(rng.integers(2, 4))
    )
    people = place.seats(rng)[: min(2 if lively else 1, wanted)]
    for index in rng.permutation(len(place.feet))[:TRIES]:
        if len(people) >= wanted:
            break
        foot = place.feet[index]
        if any(np.hypot(*(foot - one.foot)[:2]) < APART for one in people) or not place.has_room(foot):
            continue
        people += _group(place, foot, wanted - len(people), rng)
    entries = [
        Entry(
            "",
            ENTOURAGE[one.what],
            Where("at", (tuple(np.round(one.foot, 3).tolist()),)),
            facing=round(one.facing, 1),
            over=True,
        )
        for one in people
    ]
    return EntourageList(tuple(entries)).in_full()


class _Place:
    """What is walked on in a view, and whether somebody fits there."""

    def __init__(self, structure: Structure) -> None:
        import cv2

        self.structure, self.camera = structure, structure.camera
        walked = np.isin(structure.regions, structure.of_role(*WALKED_ON)) & (structure.normal[..., 2] > 0.95)
        walked &= np.isfinite(structure.depth)
        self.walked = walked
        self.never = np.isin(structure.regions, structure.of_role(*NEVER_BEFORE))
        y, x = np.nonzero(walked)
        keep = slice(None, None, max(1, len(y) // 60_000))
        y, x = y[keep], x[keep]
        origins, ways = self.camera.rays(x + 0.5, y + 0.5)
        depth = structure.depth[y, x]
        points = (origins + ways * depth[:, None]).astype(float)
        away = np.linalg.norm(points - self.camera.position, axis=1)
        tall = TALL / np.maximum(self.camera.footprint(np.maximum(depth, 0.1)), 1e-6)
        near = (
            (away > NEAREST) & (away < FARTHEST) & (tall > LEAST_PX)
            if self.camera.projection == "perspective"
            else tall > LEAST_PX
        )
        self.feet = points[near]
        # As many pixels as a square metre of level ground takes at each place.
        share = self.camera.footprint(depth[near]) ** 2 / np.maximum(
            np.abs(ways[near, 2]) / np.linalg.norm(ways[near], axis=1), 0.02
        )
        self.area = float(share.sum() * max(1, walked.sum() / max(len(y), 1)))
        # Even in the world: a pixel far away stands for more ground.
        rng = np.random.default_rng(0)
        if len(self.feet):
            chance = share / share.sum()
            self.feet = self.feet[rng.choice(len(self.feet), min(len(self.feet), 4000), p=chance)]
        self.ground = cv2.erode(walked.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0

    def has_room(self, foot: np.ndarray) -> bool:
        """Whether a person at `foot` stands clear of all, wholly in sight, and before nothing that must be read."""
        around = np.array([(CLEAR, 0, 0), (-CLEAR, 0, 0), (0, CLEAR, 0), (0, -CLEAR, 0), (0, 0, 0)]) + foot
        spots, depth = self.camera.project(around)
        height, width = self.walked.shape
        x, y = np.floor(spots).astype(int).T
        if ((x < 0) | (y < 0) | (x >= width) | (y >= height)).any() or not self.ground[y, x].all():
            return False
        # On the same level as the feet: not beyond an edge.
        if (np.abs(self.structure.depth[y, x] / np.maximum(depth, 0.1) - 1) > 0.03).any():
            return False
        side = self.camera.rotation[0] * BROAD / 2
        box, far = self.camera.project(
            np.array([foot - side, foot + side, foot + [0, 0, TALL] - side, foot + [0, 0, TALL] + side])
        )
        low, high = np.floor(box.min(axis=0)).astype(int), np.ceil(box.max(axis=0)).astype(int)
        if (low < 1).any() or high[0] >= width - 1 or high[1] >= height - 1:
            return False
        behind = np.s_[low[1] : high[1], low[0] : high[0]]
        if self.never[behind].any():
            return False
        return bool((self.structure.depth[behind] > far.mean() * 0.985).mean() >= SEEN)

    def seats(self, rng) -> list[_Person]:
        """People sitting on what is as high as a seat, facing away from what is behind it or along the view."""
        out = []
        structure = self.structure
        level = np.median(self.feet[:, 2])
        for row in structure.surfaces.itertuples():
            if row.role != "furniture" or row.nz < 0.95 or not SEATS[0] < row.offset - level < SEATS[1]:
                continue
            own = structure.regions == row.id
            if own.sum() < 40:
                continue
            y, x = np.nonzero(own)
            pick = rng.integers(len(y))
            origin, way = self.camera.rays(np.array([x[pick] + 0.5]), np.array([y[pick] + 0.5]))
            foot = (origin + way * structure.depth[y[pick], x[pick]])[0].astype(float)
            if np.linalg.norm(foot - self.camera.position) < FARTHEST and self._before_all(foot):
                if all(np.hypot(*(foot - other.foot)[:2]) > APART for other in out):
                    out.append(_Person("person sitting", foot, self.towards_eye(foot) + rng.uniform(-25, 25)))
        return out

    def _before_all(self, foot: np.ndarray) -> bool:
        """Whether one who sits at `foot` is in the picture, and in sight."""
        side = self.camera.rotation[0] * BROAD
        spots, depth = self.camera.project(
            np.array(
                [
                    foot - [0, 0, 0.5] - side,
                    foot - [0, 0, 0.5] + side,
                    foot + [0, 0, 0.95] - side,
                    foot + [0, 0, 0.95] + side,
                ]
            )
        )
        low, high = np.floor(spots.min(axis=0)).astype(int), np.ceil(spots.max(axis=0)).astype(int)
        height, width = self.walked.shape
        if (low < 2).any() or high[0] >= width - 2 or high[1] >= height - 2 or depth.min() < NEAREST:
            return False
        upper = np.s_[low[1] : (low[1] + high[1]) // 2, low[0] : high[0]]
        return bool((self.structure.depth[upper] > 0.97 * depth.mean()).mean() > SEEN and not self.never[upper].any())

    def towards_eye(self, foot: np.ndarray) -> float:
        """Bearing from a place to the camera, degrees from north, clockwise."""
        way = self.camera.position - foot if self.camera.projection == "perspective" else -self.camera.rotation[2]
        return float(np.degrees(np.arctan2(way[0], way[1])))


def _group(place: _Place, foot: np.ndarray, most: int, rng) -> list[_Person]:
    """One person, or two or three together, about a place that has room."""
    kind = rng.uniform()
    across = np.degrees(np.arctan2(place.camera.rotation[0][0], place.camera.rotation[0][1]))
    if most >= 2 and kind < 0.4:  # two who talk
        turn = across + rng.uniform(-35, 35)
        way = np.array([np.sin(np.radians(turn)), np.cos(np.radians(turn)), 0])
        other = foot + way * TOGETHER
        if place.has_room(other):
            return [
                _Person("person talking", foot, turn + rng.uniform(-15, 15)),
                _Person("person listening", other, turn + 180),
            ]
    turn = across + rng.choice([0.0, 180.0]) + rng.uniform(-30, 30)
    if most >= 2 and kind < 0.65:  # two who walk, one may be a child
        way = np.array([np.cos(np.radians(turn)), -np.sin(np.radians(turn)), 0])
        other = foot + way * 0.7
        if place.has_room(other):
            beside = "child" if rng.uniform() < 0.4 else "person strolling"
            return [
                _Person("person walking" if beside == "child" else "person strolling", foot, turn),
                _Person(beside, other, turn + 4),
            ]
    alone = rng.choice(
        ["person walking", "person standing", "person phoning", "old person", "person strolling"],
        p=[0.35, 0.2, 0.12, 0.13, 0.2],
    )
    if alone in ("person standing", "person phoning"):
        turn = rng.uniform(0, 360)
    return [_Person(str(alone), foot, float(turn))]
