"""Families of parallel lines beyond the Manhattan frame: wings turned in plan, and pitches of roofs.

Every segment and the camera span a plane of interpretation with normal m. A level line in it runs along m × up, a
sloping line in the vertical plane square to a ridge runs along m × ridge: one angle each, and segments that belong
together agree in it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from irodori.core.camera import Camera
from irodori.core.geometry.frames import unit_rows
from irodori.structure.camera.frame import curved

UP = np.array([0.0, 0.0, 1.0])
UPRIGHTS = 2
"""Family of the lines that run upright."""

LEVEL_WAY = 0.05
"""Sine of its rise up to which a direction is level."""

FEWEST = 2
MOST = 6
SHORTEST_OF_FAMILY = 22.0
LEAST = 140.0
"""px of segments that a further direction must explain."""

LEAST_WING = 0.04
"""Share of all lines' length that a wing must explain."""

INDOORS = 0.5
"""Times that which a wing must explain in a room."""

STEEP = np.radians(52.0)
PITCH_FIRST = 1.3
"""Any sloping edge can be read as a level one of some wing; roofs are the plainer reading."""

BIN = np.radians(0.75)
BOTH_SIDES, MUCH_MORE = 1.4, 1.3
"""Times as far apart as lines of one side that both sides of a gable may be; and times as much as one side that both explain."""

KEPT = 0.5
"""Share of the usual slack within which what looks like a chord of a curve counts as an edge of the frame."""

ON_HORIZON = 0.5
"""Share of the usual slack within which a line is on the horizon."""

WAVER = 2.5
"""How much less exactly lines drawn by hand keep a direction."""


@dataclass(frozen=True, eq=False)
class Families:
    """`ways` (K, 3) unit world directions, the first three east, north and up; `label` (N,) family of each segment, −1
    = none; `normals` (L, 3) the planes they span: level, facing east, facing north, wings, slopes."""

    ways: np.ndarray
    label: np.ndarray
    normals: np.ndarray

    @cached_property
    def level(self) -> np.ndarray:
        """Which segments run along a level direction, (N,) bool."""
        return _runs_level(self.ways, self.label)


def _runs_level(ways: np.ndarray, label: np.ndarray) -> np.ndarray:
    return (label >= 0) & (np.abs(ways[label, 2]) < LEVEL_WAY)


def interpretation_normals(segments: np.ndarray, camera: Camera) -> np.ndarray:
    """Unit normals (N, 3), world, of the planes through each segment and the eye (parallel: along the view)."""
    o0, d0 = (a.astype(float) for a in camera.rays(segments[:, 0], segments[:, 1]))
    o1, d1 = (a.astype(float) for a in camera.rays(segments[:, 2], segments[:, 3]))
    m = np.cross(d0, d1) if camera.projection == "perspective" else np.cross(o1 - o0, d0)
    return unit_rows(m)


def find_families(
    segments: np.ndarray, camera: Camera, frame_label: np.ndarray, *, by_hand: bool = False, indoors: bool = False
) -> Families:
    """Sort segments into the frame's families and find further ones among the rest.

    Lines drawn `by_hand` waver: directions that are nearly one are one. `indoors` tables stand askew more often than
    ceilings slope.
    """
    ways = [np.array([1.0, 0, 0]), np.array([0, 1.0, 0]), UP]
    normals = [UP, np.array([1.0, 0, 0]), np.array([0, 1.0, 0])]
    if len(segments) == 0:
        return Families(np.array(ways), frame_label, np.array(normals))
    m = interpretation_normals(segments, camera)
    length = np.hypot(segments[:, 2] - segments[:, 0], segments[:, 3] - segments[:, 1])
    # How exactly a segment tells its plane, radians.
    waver = WAVER if by_hand else 1.0
    slack = waver * np.maximum(np.radians(0.6), np.arctan(1.2 / length))
    weight = np.minimum(length, 0.3 * camera.size[0])
    # Edges that meet at a flat angle look like chords; by chance a chord seldom keeps a direction of the frame so well.
    miss = np.abs(m @ np.array(ways).T)[np.arange(len(m)), np.maximum(frame_label, 0)]
    straight = ~curved(segments) | ((frame_label >= 0) & (miss < np.sin(KEPT * slack)))
    # What lies on the horizon may run in any level direction.
    straight &= np.hypot(m[:, 0], m[:, 1]) > np.sin(ON_HORIZON * slack)
    label = np.where(straight, frame_label, -1)
    overhead = np.zeros(len(m), bool)
    if indoors:
        middle = (segments[:, :2] + segments[:, 2:]) / 2
        overhead = camera.rays(*middle.T)[1][:, 2] > 0
    long = length > SHORTEST_OF_FAMILY
    for _ in range(MOST):
        # A gable's one side may run as tables do that stand askew, its two sides do not.
        askew = (label > UPRIGHTS) & _runs_level(np.array(ways), label)
        loose = (label < 0) & straight & long
        found = _best_peak(m, weight, loose, askew & overhead & long, ways, slack, waver * BIN, indoors)
        if found is None:
            break
        if found.gable:
            label[askew & (np.abs(m @ np.array(found.ways).T) < np.sin(slack)[:, None]).any(axis=1)] = -1
        for way in found.ways:
            own = (label < 0) & straight & (np.abs(m @ way) < np.sin(slack))
            label[own] = len(ways)
            ways.append(way)
        normals += found.normals
    normals = np.array(normals)
    return Families(np.array(ways), label, normals / np.linalg.norm(normals, axis=1, keepdims=True))


@dataclass(frozen=True, eq=False)
class _Found:
    score: float
    ways: list[np.ndarray]
    normals: list[np.ndarray]
    gable: bool = False


def _best_peak(m, weight, loose, askew, ways, slack, width, indoors: bool) -> _Found | None:
    """The further direction, of a wing or of a roof's pitch, that explains most of the `loose` segments.

    Both sides of a gable may take back segments that run `askew`.
    """
    found = []
    level = np.cross(m, UP)
    good = loose & (np.linalg.norm(level, axis=1) > 0.05)
    turn = _peak((np.arctan2(level[:, 1], level[:, 0]) % np.pi)[good], weight[good], np.pi, width)
    if turn is not None and min(turn % (np.pi / 2), np.pi / 2 - turn % (np.pi / 2)) > np.radians(3):
        way = np.array([np.cos(turn), np.sin(turn), 0])
        other = np.array([-way[1], way[0], 0])
        score = _explained((way, other), m, weight, loose, slack)
        if score > (INDOORS if indoors else 1.0) * max(LEAST_WING * weight.sum(), 2 * LEAST):
            found.append(_Found(score, [way, other], [other, way]))
    for ridge, across in ((ways[0], ways[1]), (ways[1], ways[0])):
        slope = np.cross(m, ridge)
        angle = np.arctan(np.abs(slope @ UP) / np.maximum(np.abs(slope @ across), 1e-9))
        pitched = (np.linalg.norm(slope, axis=1) > 0.1) & (angle > np.radians(9)) & (angle < np.radians(72))
        explained, pitch, both, gable = 0.0, 0.0, [], False
        for some in (loose, loose | askew) if askew.any() else (loose,):
            for tried in _pitches(angle[some & pitched], weight[some & pitched], width):
                ways_of = [np.cos(tried) * across + sign * np.sin(tried) * UP for sign in (1, -1)]
                if some is not loose and min(_explained([way], m, weight, some, slack) for way in ways_of) < LEAST:
                    continue
                more = _explained(ways_of, m, weight, some, slack)
                if more > MUCH_MORE * explained:
                    explained, pitch, both, gable = more, tried, ways_of, some is not loose
        score = (1.0 if indoors else PITCH_FIRST) * explained * (1.0 if pitch < STEEP else 0.5)
        if score < LEAST:
            continue
        found.append(_Found(score, both, [np.cross(ridge, way) for way in both], gable))
    return max(found, key=lambda f: f.score, default=None)


def _pitches(angle: np.ndarray, weight: np.ndarray, width: float) -> list[float]:
    """Pitches to try: the one most lines agree in, and the mean of both sides of a gable, which a camera that is a little
    askew parts."""
    pitch = _peak(angle, weight, None, width)
    if pitch is None:
        return []
    near = np.abs(angle - pitch) < BOTH_SIDES * width
    return [pitch, float(np.average(angle[near], weights=weight[near]))]


def _explained(ways, m, weight, loose, slack) -> float:
    own = np.zeros(len(m), bool)
    for way in ways:
        own |= np.abs(m @ way) < np.sin(slack)
    return float(weight[own & loose].sum())


def _peak(angle: np.ndarray, weight: np.ndarray, period: float | None, width: float) -> float | None:
    """The angle that most weight agrees in, give or take `width`, or None when fewer than two segments or little weight do."""
    if len(angle) < FEWEST:
        return None
    apart = np.abs(angle[:, None] - angle[None])
    if period:
        apart = np.minimum(apart, period - apart)
    near = apart < width
    votes = near @ weight
    best = int(votes.argmax())
    own = near[best]
    if own.sum() < FEWEST or votes[best] < 60:
        return None
    base = angle[best]
    shift = angle[own] - base
    if period:
        shift = (shift + period / 2) % period - period / 2
    order = np.argsort(shift)
    running = np.cumsum(weight[own][order])
    return float(base + shift[order][np.searchsorted(running, running[-1] / 2)])
