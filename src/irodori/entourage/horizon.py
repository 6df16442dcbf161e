"""Horizons: far hills, a far tree line, the roofs of a small town, around what the camera sees."""

from __future__ import annotations

import math

import numpy as np

from irodori.core.camera import Camera
from irodori.core.geometry.frames import unit_rows
from irodori.core.geometry.shapes import gabled_house
from irodori.entourage.catalogue import Kind, Part, foliage, painted
from irodori.finishes import find_finish

RANGES = ((1500.0, 0.22), (2600.0, 0.52), (4300.0, 1.0))
"""Distance, m, and share of the height of each range of hills."""

NEAR, HIGH = 430.0, 30.0
"""Distance of trees and roofs, m; and in heights of the eye over the land, so that from above they are no wall close by."""

DEPTH = 260.0
"""How far below the ground it reaches, m, so that it closes the picture under a high camera."""

BOUGHS, SPRAYS, FLAKE = 16, 22, 0.042
"""Boughs of a far tree, sprays on each, and how large these are, in heights of the tree."""

MARGIN = 16.0
"""Degrees beyond the sides of the view."""


def build_horizon(kind: Kind, camera: Camera, ground: float, height: float, seed: int) -> list[Part]:
    """Parts in the world frame for what a camera sees; `ground` m is the level of the land."""
    forward = camera.rotation[2]
    heading = math.degrees(math.atan2(forward[0], forward[1]))
    half = MARGIN + (
        60.0 if camera.projection == "parallel" else math.degrees(math.atan(camera.size[0] / 2 / camera.focal))
    )
    bearings = np.radians(np.linspace(heading - half, heading + half, 700))
    rng = np.random.default_rng(seed)
    if kind.name == "hills":
        return [
            Part(
                _wall(camera, bearings, away, ground, _ridge(bearings, height * share, rng)),
                painted("hillside", tone),
                "context",
            )
            for (away, share), tone in zip(RANGES, ("#4f6040", "#53624a", "#59655a"))
        ]
    if kind.name == "far trees":
        return _tree_line(camera, bearings, ground, height, rng)
    return _town(camera, bearings, ground, height, rng)


def _ridge(bearings: np.ndarray, height: float, rng) -> np.ndarray:
    """Heights of a ridge: a sum of waves whose height falls with their length."""
    out = np.zeros(len(bearings))
    for octave in range(7):
        waves = 3.1 * 2**octave
        out += np.sin(bearings * waves + rng.uniform(0, 6.3)) * 0.55**octave * rng.uniform(0.7, 1.2)
    out = (out - out.min()) / (np.ptp(out) + 1e-9)
    return height * (0.3 + 0.7 * out)


def ring(camera: Camera, bearings: np.ndarray, away) -> np.ndarray:
    """Level places (N, 2) m at bearings (N,), radians from +y towards +x, so far away from a camera."""
    return camera.position[:2] + np.stack([np.sin(bearings), np.cos(bearings)], axis=1) * np.reshape(away, (-1, 1))


def _wall(camera, bearings, away, ground, heights) -> np.ndarray:
    """A slope that rises away from the viewer, so that it is lit like land."""
    foot, top = ring(camera, bearings, away), ring(camera, bearings, away + 2.2 * heights)
    low = np.column_stack([foot, np.full(len(foot), ground)])
    high = np.column_stack([top, ground + heights])
    skirt = low - [0, 0, DEPTH]
    strips = [np.stack([a[:-1], a[1:], b[1:], b[:-1]], axis=1) for a, b in ((skirt, low), (low, high))]
    quads = np.concatenate(strips)
    return np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])


def _near(camera: Camera, ground: float) -> float:
    """How far off trees and roofs stand, m."""
    return max(NEAR, HIGH * (float(camera.position[2]) - ground))


def _tree_line(camera, bearings, ground, height, rng) -> list[Part]:
    """Round and pointed crowns in two depths, each a bumpy dome of leaves."""
    parts, near = [], _near(camera, ground)
    for tone, push in (("#4c6233", 0.0), ("#3d5330", 0.0), ("#566c3c", 26.0)):
        crowns = []
        count = 190
        where = rng.uniform(bearings[0], bearings[-1], count)
        size = height * rng.uniform(0.55, 1.0, count)
        away = near + push + rng.uniform(-18, 18, count)
        for b, s, d in zip(where, size, away):
            middle = camera.position[:2] + d * np.array([np.sin(b), np.cos(b)])
            slim = rng.uniform(0.28, 0.5)
            # Boughs about the crown, and sprays of leaves about each: no flake is larger than a spray.
            way = unit_rows(rng.normal(size=(BOUGHS, 3)) + [0, 0, 0.25])
            bough = np.repeat(way * rng.uniform(0.55, 1.0, (BOUGHS, 1)), SPRAYS, axis=0) + rng.normal(
                0, 0.16, (BOUGHS * SPRAYS, 3)
            )
            at = np.array([*middle, ground + 0.55 * s]) + bough * s * (slim, slim, 0.45)
            crowns.append(at[:, None] + rng.normal(0, FLAKE * s, (len(at), 3, 3)))
        parts.append(Part(np.concatenate(crowns), foliage(tone), "planting"))
    low = np.full(len(bearings), height * 0.3)
    parts.append(Part(_wall(camera, bearings, near + 10, ground, low), foliage("#3a4d2c"), "planting"))
    return parts


def _town(camera, bearings, ground, height, rng) -> list[Part]:
    """Gabled houses in three rows, a few taller, among trees."""
    walls, roofs = [], []
    near = _near(camera, ground)
    for row in range(3):
        step = 0.026
        for b in np.arange(bearings[0], bearings[-1], step):
            b += rng.uniform(-0.3, 0.3) * step
            if rng.uniform() < 0.12:
                continue
            away = near + 34 * row + rng.uniform(-10, 10)
            wide, deep = rng.uniform(7, 13), rng.uniform(8, 12)
            tall = height * rng.uniform(0.42, 0.72) + 3.0 * row
            house, roof = gabled_house(wide, deep, tall, tall + wide * rng.uniform(0.3, 0.5))
            turn = b + rng.choice([0, math.pi / 2]) + rng.normal(0, 0.12)
            c, s = math.cos(turn), math.sin(turn)
            spin = np.array([[c, s, 0], [-s, c, 0], [0, 0, 1.0]])
            shift = np.append(camera.position[:2] + away * np.array([np.sin(b), np.cos(b)]), ground)
            walls.append(house @ spin + shift)
            roofs.append(roof @ spin + shift)
    tones = ("#d8cfbd", "#c9b496", "#b7a58f")
    parts = [Part(np.concatenate(walls[k::3]), painted("white render", tones[k]), "context") for k in range(3)]
    parts += [Part(np.concatenate(roofs[k::2]), find_finish(("clay tiles", "slate")[k]), "context") for k in range(2)]
    return parts + _tree_line(camera, bearings, ground, height * 0.5, rng)
