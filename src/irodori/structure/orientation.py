"""Which way each region faces: evidence from the lines on its border, from its place and from its colour."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.core.camera import Camera

LEVEL, SIDE_A, SIDE_B, SLOPE_A, SLOPE_B, CARD = range(6)
"""Kinds of plane: level; upright facing the first or second axis; sloping and holding one of them; upright card."""


@dataclass(frozen=True, eq=False)
class Regions:
    """Measurements of each region, index 0 unused.

    `area` (R,), `box` (R, 4) x0 y0 x1 y1, `colour` (R, 3) 8-bit sRGB mean, `pixels` up to 200 positions each.
    """

    labels: np.ndarray
    area: np.ndarray
    box: np.ndarray
    colour: np.ndarray
    pixels: list[np.ndarray]


def measure_regions(labels: np.ndarray, colour: np.ndarray) -> Regions:
    """Measure every label of (H, W)."""
    from scipy import ndimage

    count = int(labels.max()) + 1
    area = np.bincount(labels.ravel(), minlength=count)
    box = np.zeros((count, 4))
    for index, found in enumerate(ndimage.find_objects(labels), 1):
        if found is not None:
            box[index] = (found[1].start, found[0].start, found[1].stop, found[0].stop)
    order = np.argsort(labels.ravel(), kind="stable")
    starts = np.concatenate([[0], np.cumsum(area)])
    pixels = []
    for index in range(count):
        own = order[starts[index] : starts[index + 1]]
        own = own[:: max(1, len(own) // 200)]
        y, x = np.divmod(own, labels.shape[1])
        pixels.append(np.stack([x + 0.5, y + 0.5], axis=1))
    return Regions(labels, area, box, colour, pixels)


def border_evidence(labels: np.ndarray, segments: np.ndarray, axis: np.ndarray) -> tuple[np.ndarray, list[list[int]]]:
    """Length of each axis' segments on each region's border, (R, 4): axes a, b, up, none.

    Also the segments without an axis that border each region.
    """
    height, width = labels.shape
    count = int(labels.max()) + 1
    evidence = np.zeros((count, 4))
    loose: list[list[int]] = [[] for _ in range(count)]
    for index, (x0, y0, x1, y1) in enumerate(segments):
        length = np.hypot(x1 - x0, y1 - y0)
        steps = max(int(length // 4), 2)
        t = (np.arange(steps) + 0.5) / steps
        across = np.array([-(y1 - y0), x1 - x0]) / length
        near: dict[int, float] = {}
        for side in (-2.5, 2.5):
            x = np.clip((x0 + t * (x1 - x0) + across[0] * side).astype(int), 0, width - 1)
            y = np.clip((y0 + t * (y1 - y0) + across[1] * side).astype(int), 0, height - 1)
            found, times = np.unique(labels[y, x], return_counts=True)
            for region, hits in zip(found.tolist(), times.tolist()):
                near[region] = max(near.get(region, 0.0), hits / steps)
        for region, share in near.items():
            if share < 0.2:
                continue
            evidence[region, axis[index]] += share * length
            if axis[index] < 0:
                loose[region].append(index)
    return evidence, loose


def choose_planes(
    regions: Regions, camera: Camera, evidence: np.ndarray, loose: list[list[int]], segments: np.ndarray,
    sky: int, planting: list[int],
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:  # fmt: skip
    """Choose a plane's kind and unit normal for every region.

    Returns kinds (R,) int, normals (R, 3) facing the camera, world frame, and confidence (R,).
    """
    count = len(regions.area)
    kinds, normals, confidence = np.zeros(count, int), np.zeros((count, 3)), np.zeros(count)
    pooled = _pool_by_colour(regions, evidence)
    horizon = camera.horizon()
    for region in range(1, count):
        if region == sky or regions.area[region] == 0:
            continue
        rays = camera.rays(*regions.pixels[region].T)[1].astype(float)
        if region in planting:
            kinds[region], confidence[region] = CARD, 0.6
            mean = rays.mean(axis=0) * [1, 1, 0]
            normals[region] = -mean / max(np.linalg.norm(mean), 1e-9)
            continue
        options = _options(region, regions, camera, pooled[region], loose[region], segments, rays, horizon)
        options.sort(key=lambda o: -o[0])
        for score, kind, normal in options:
            facing = rays @ normal
            if np.mean(facing > 0) > 0.5:
                normal, facing = -normal, -facing
            # A plane seen from one side cannot cross its own vanishing line.
            if np.mean(facing > -1e-4) > 0.02:
                continue
            kinds[region], normals[region] = kind, normal
            second = max((o[0] for o in options if o[1] != kind), default=0.0)
            confidence[region] = np.clip(0.4 + 0.6 * (score - second) / (abs(score) + 30.0), 0.05, 0.99)
            break
        else:
            kinds[region], confidence[region] = CARD, 0.1
            mean = rays.mean(axis=0) * [1, 1, 0]
            normals[region] = -mean / max(np.linalg.norm(mean), 1e-9)
    return kinds, normals, confidence


def _pool_by_colour(regions: Regions, evidence: np.ndarray) -> np.ndarray:
    """Under a viewport's fixed light, one material facing one way has one colour: let such regions vote together."""
    key = np.rint(regions.colour / 2.0).astype(np.int64)
    _, group = np.unique(key, axis=0, return_inverse=True)
    group = group.ravel()
    total = np.zeros((group.max() + 1, 4))
    np.add.at(total, group, evidence)
    shared = total[group]
    scale = np.minimum(1.0, 260.0 / np.maximum(shared.sum(axis=1, keepdims=True), 1.0))
    return evidence + shared * scale


def _options(region, regions, camera, evidence, loose, segments, rays, horizon):
    a, b, up, none = evidence
    x0, y0, x1, y1 = regions.box[region]
    middle = (y0 + y1) / 2
    line = (horizon[0][1] + horizon[1][1]) / 2 if horizon else 0.4 * camera.size[1]
    below = (middle - line) / camera.size[1]
    broad = np.sqrt(regions.area[region])
    level_prior = 0.55 * broad * np.clip(below * 6, -0.6, 1.0) if abs(below) > 0.02 else -0.3 * broad
    # What spans the picture at its foot is ground.
    if y1 >= camera.size[1] - 3 and (x1 - x0) > 0.5 * camera.size[0]:
        level_prior += 2.0 * broad
    tall = (y1 - y0) / max(x1 - x0, 1)
    if tall > 2.5:
        level_prior -= 0.8 * (y1 - y0)
    options = [
        (a + b - up - 0.6 * none + level_prior, LEVEL, np.array([0.0, 0.0, 1.0])),
        (b + up - a - 0.6 * none, SIDE_A, np.array([1.0, 0.0, 0.0])),
        (a + up - b - 0.6 * none, SIDE_B, np.array([0.0, 1.0, 0.0])),
    ]
    for kind, along, other in ((SLOPE_A, a, b), (SLOPE_B, b, a)):
        angle = _slope_angle(camera, segments[loose], 0 if kind == SLOPE_A else 1) if loose else None
        if angle is None:
            continue
        across = np.array([0.0, 1.0, 0.0]) if kind == SLOPE_A else np.array([1.0, 0.0, 0.0])
        normal = -np.sin(angle) * across + np.cos(angle) * np.array([0, 0, 1.0])
        options.append((along + 1.1 * none - 1.2 * up - 0.8 * other - 0.15 * broad, kind, normal))
    return options


def _slope_angle(camera: Camera, segments: np.ndarray, along: int) -> float | None:
    """Pitch, radians, signed, of a roof that holds world axis `along`, from its sloping edges."""
    across = np.array([0.0, 1.0, 0.0]) if along == 0 else np.array([1.0, 0.0, 0.0])
    angles, weights = [], []
    for x0, y0, x1, y1 in segments:
        _, d = camera.rays(np.array([x0, x1]), np.array([y0, y1]))
        plane = np.cross(d[0].astype(float), d[1].astype(float))
        if abs(plane[2]) < 1e-9:
            continue
        angle = np.arctan(-(across @ plane) / plane[2])
        if np.radians(6) < abs(angle) < np.radians(68):
            angles.append(angle)
            weights.append(np.hypot(x1 - x0, y1 - y0))
    if not angles:
        return None
    order = np.argsort(angles)
    running = np.cumsum(np.array(weights)[order])
    return float(np.array(angles)[order][np.searchsorted(running, running[-1] / 2)])
