"""Exact structure from passes that came beside a picture: depth, and normals and ids if there are any.

Passes say where surfaces are, not which lens saw them. The lens follows from the depths themselves: in perspective the
reciprocal depth of a plane is affine in the picture, 1/z = a·u + b·v + c, and its normal is (a·f, b·f, c); surfaces
that meet at a known angle (a right one, or the one the normal pass tells) then give the focal length f. In parallel
projection the depth itself is affine and the same equation gives the scale.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.camera import Camera
from irodori.core.capture import Capture
from irodori.core.colour import decode_srgb, encode_8_bit
from irodori.core.errors import StructureError
from irodori.core.pixels.ink import find_ink, ink_colour
from irodori.core.pixels.nearest import filled_from_nearest
from irodori.core.pixels.zones import zone_means
from irodori.core.structure import STRUCTURE_COLUMNS, Structure
from irodori.structure.regions.border_coverage import border_coverage, make_fragments
from irodori.structure.regions.find import find_regions
from irodori.structure.roles.rules import role_of_plane

SMALLEST = 60
MOST = 4000
"""Pixels from which a larger region has no more say about the lens."""

PRIOR_FOCAL = 0.87


@dataclass(frozen=True, eq=False)
class _Planes:
    """Planes fitted to regions: `coefficient` (R, 3) of 1/z (or z) over centred pixels, `error` (R,) relative, `area`."""

    coefficient: np.ndarray
    error: np.ndarray
    area: np.ndarray


def structure_from_passes(capture: Capture) -> Structure:
    """Structure of a capture with a depth pass.

    Raises
    ------
    StructureError
        When the depth pass is empty.
    """
    depth = capture.passes["depth"]
    solid = np.isfinite(depth)
    if solid.sum() < SMALLEST:
        raise StructureError("The depth pass shows nothing: every pixel lies at infinity")
    encoded = encode_8_bit(capture.image)
    normal = capture.passes.get("normal")
    ids = capture.passes.get("id")
    zones, plates = None, np.zeros(depth.shape, bool)
    pure = ~plates
    if ids is None and capture.kind in ("shaded", "line"):
        zones, pure, _, _, signs = find_regions(encoded)
        plates = np.isin(zones, signs)
    regions = _regions(depth, solid, normal, ids, zones)
    signs = np.flatnonzero(np.bincount(regions.ravel(), plates.ravel()) > 0.5 * np.bincount(regions.ravel()))
    colour = zone_means(encoded, regions)
    colour[signs] = zone_means(encoded, np.where(pure | ~np.isin(regions, signs), regions, 0))[signs]
    height, width = depth.shape
    projection = _projection(regions, depth)
    planes = _fit_planes(regions, 1 / depth if projection == "perspective" else depth)
    notes = []
    told = _region_normals(regions, normal) if normal is not None else None
    focal = _focal(planes, told, projection)
    if focal is None:
        focal = PRIOR_FOCAL * width
        notes.append("No two surfaces tell the lens; a normal one is assumed")
    own = _camera_normals(planes, focal, projection)
    rotation = _rotation(own, planes, told)
    matrix = np.array([[focal, 0, width / 2], [0, focal, height / 2], [0, 0, 1.0]])
    camera = Camera(matrix, rotation, np.zeros(3), projection, (width, height))
    world = own @ rotation
    camera = replace(camera, position=np.array([0.0, 0.0, _eye_height(camera, regions, depth, world, planes)]))
    return _assemble(capture, camera, regions, encoded, colour, signs, depth, world, planes, tuple(notes))


def _regions(depth, solid, normal, ids, zones) -> np.ndarray:
    """Connected regions (H, W) int32 from 1, 0 in the sky: by id, else by jumps and folds of the depth
    and, in a shaded capture, by the zones of its picture."""
    import cv2

    if ids is not None:
        joined = np.where(solid, ids + 1, 0)
        cut_right = joined[:, 1:] != joined[:, :-1]
        cut_down = joined[1:] != joined[:-1]
    else:
        inverse = np.where(solid, 1 / np.where(solid, depth, 1), 0).astype(np.float32)
        bend_x = np.abs(cv2.filter2D(inverse, -1, np.array([[1, -2, 1]], np.float32)))
        bend_y = np.abs(cv2.filter2D(inverse, -1, np.array([[1], [-2], [1]], np.float32)))
        limit = 2e-3 * inverse + 1e-7
        fold = (bend_x > limit) | (bend_y > limit)
        if normal is not None:
            turn = np.zeros(depth.shape, np.float32)
            turn[:, 1:] = np.abs(normal[:, 1:] - normal[:, :-1]).max(axis=2)
            turn[1:] = np.maximum(turn[1:], np.abs(normal[1:] - normal[:-1]).max(axis=2))
            fold = (turn > 0.05) | (np.abs(bend_x) > 20 * limit) | (np.abs(bend_y) > 20 * limit)
        joined = np.where(solid & ~fold, 1 if zones is None else zones, 0)
        cut_right = joined[:, 1:] != joined[:, :-1]
        cut_down = joined[1:] != joined[:-1]
    labels = _components(joined, cut_right, cut_down)
    area = np.bincount(labels.ravel())
    small = (area < SMALLEST // 4)[labels] & (labels > 0)
    undecided = (solid & (labels == 0)) | small
    if undecided.any() and (labels > 0).any():
        labels = labels.copy()
        labels[undecided] = 0
        labels = np.where(undecided, filled_from_nearest(labels, labels == 0), labels)
    labels[~solid] = 0
    used = np.unique(labels[labels > 0])
    lookup = np.zeros(int(labels.max()) + 1, np.int32)
    lookup[used] = np.arange(1, len(used) + 1)
    return lookup[labels]


def _components(values: np.ndarray, cut_right: np.ndarray, cut_down: np.ndarray) -> np.ndarray:
    """Connected areas of equal value, 0 kept."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    index = np.arange(values.size).reshape(values.shape)
    a = np.concatenate([index[:, 1:][~cut_right], index[1:][~cut_down]])
    b = np.concatenate([index[:, :-1][~cut_right], index[:-1][~cut_down]])
    graph = coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(values.size, values.size))
    _, label = connected_components(graph, directed=False)
    return np.where(values > 0, label.reshape(values.shape) + 1, 0)


def _fit_planes(regions: np.ndarray, values: np.ndarray) -> _Planes:
    height, width = regions.shape
    y, x = np.mgrid[0:height, 0:width]
    inside = regions > 0
    label = regions[inside]
    count = int(regions.max()) + 1
    u, v, w = x[inside] + 0.5 - width / 2, y[inside] + 0.5 - height / 2, values[inside].astype(np.float64)
    basis = np.stack([u, v, np.ones_like(u)], axis=1)
    weight = np.ones(len(w))
    coefficient = np.zeros((count, 3))
    for _ in range(3):  # the second and third time without what does not lie on the plane
        normal_matrix = np.zeros((count, 3, 3))
        right = np.zeros((count, 3))
        for i in range(3):
            right[:, i] = np.bincount(label, weight * basis[:, i] * w, minlength=count)
            for j in range(3):
                normal_matrix[:, i, j] = np.bincount(label, weight * basis[:, i] * basis[:, j], minlength=count)
        normal_matrix += 1e-9 * np.eye(3)
        coefficient = np.linalg.solve(normal_matrix, right[..., None])[..., 0]
        left = np.abs((coefficient[label] * basis).sum(axis=1) - w) / np.maximum(np.abs(w), 1e-9)
        weight = 1 / (1 + (left / 2e-3) ** 2)
    area = np.bincount(label, minlength=count)
    error = np.bincount(label, left, minlength=count) / np.maximum(area, 1)
    return _Planes(coefficient, error, area)


def _projection(regions: np.ndarray, depth: np.ndarray) -> str:
    """Perspective, unless depth itself is affine on the regions and its reciprocal is not."""
    near = _fit_planes(regions, np.where(np.isfinite(depth), 1 / depth, 0))
    flat = _fit_planes(regions, np.where(np.isfinite(depth), depth, 0))
    large = near.area > SMALLEST
    if not large.any():
        return "perspective"
    a = np.average(near.error[large], weights=near.area[large])
    b = np.average(flat.error[large], weights=flat.area[large])
    return "parallel" if b < 0.3 * a else "perspective"


def _region_normals(regions: np.ndarray, normal: np.ndarray) -> np.ndarray:
    """Mean normal of each region from the normal pass, (R, 3), zero where it turns."""
    label = regions.ravel()
    count = int(regions.max()) + 1
    total = np.stack([np.bincount(label, normal[..., k].ravel(), minlength=count) for k in range(3)], axis=1)
    total /= np.maximum(np.bincount(label, minlength=count), 1)[:, None]
    length = np.linalg.norm(total, axis=1, keepdims=True)
    return np.where(length > 0.97, total / np.maximum(length, 1e-9), 0.0)


def _focal(planes: _Planes, told: np.ndarray | None, projection: str) -> float | None:
    """Focal length (or scale), px, by a weighted vote over pairs of regions; None when no pair tells it."""
    good = np.flatnonzero((planes.area > SMALLEST) & (planes.error < 2e-3))
    good = good[np.argsort(-planes.area[good])][:90]
    scale = np.linalg.norm(planes.coefficient[good], axis=1)
    a, b, c = (planes.coefficient[good] / np.maximum(scale, 1e-30)[:, None]).T
    if projection == "parallel":
        a, b, c = planes.coefficient[good, 0], planes.coefficient[good, 1], -np.ones(len(good))
    votes, weights = [], []
    for i in range(len(good)):
        for j in range(i):
            weight = np.sqrt(min(planes.area[good[i]], MOST) * float(min(planes.area[good[j]], MOST)))
            along, across = a[i] * a[j] + b[i] * b[j], c[i] * c[j]
            cosine = 0.0
            if told is not None:
                ti, tj = told[good[i]], told[good[j]]
                if not ti.any() or not tj.any():
                    continue
                cosine = float(ti @ tj)
            f2 = _solve(along, across, a[i] ** 2 + b[i] ** 2, c[i] ** 2, a[j] ** 2 + b[j] ** 2, c[j] ** 2, cosine)
            for value in f2:
                votes.append(np.sqrt(value))
                weights.append(weight)
    if not votes:
        return None
    logs, weights = np.log(np.array(votes)), np.array(weights)
    # The mode: where most votes agree to a hundredth.
    best = max(range(len(logs)), key=lambda k: weights[np.abs(logs - logs[k]) < 0.01].sum())
    near = np.abs(logs - logs[best]) < 0.01
    order = np.argsort(logs[near])
    running = np.cumsum(weights[near][order])
    return float(np.exp(logs[near][order][np.searchsorted(running, running[-1] / 2)]))


def _solve(along, across, si, ci, sj, cj, cosine) -> list[float]:
    """f² for which the angle between two planes has `cosine`: (f²·along + across)² = cos²·(f²·si + ci)(f²·sj + cj)."""
    if abs(cosine) < 0.02:
        return [-across / along] if along * across < 0 and abs(along) > 1e-12 else []
    k = cosine * cosine
    p, q, r = along * along - k * si * sj, 2 * along * across - k * (si * cj + ci * sj), across * across - k * ci * cj
    root = q * q - 4 * p * r
    if root < 0 or abs(p) < 1e-30:
        return []
    values = [(-q + s * np.sqrt(root)) / (2 * p) for s in (1, -1)]
    return [v for v in values if v > 0 and (v * along + across) * cosine > 0]


def _camera_normals(planes: _Planes, focal: float, projection: str) -> np.ndarray:
    """Unit normals (R, 3) in the camera's frame, towards the camera."""
    if projection == "parallel":
        n = np.stack(
            [planes.coefficient[:, 0] * focal, planes.coefficient[:, 1] * focal, -np.ones(len(planes.area))], axis=1
        )
    else:
        n = -planes.coefficient * np.array([focal, focal, 1.0])
    return n / np.maximum(np.linalg.norm(n, axis=1, keepdims=True), 1e-30)


def _rotation(own: np.ndarray, planes: _Planes, told: np.ndarray | None) -> np.ndarray:
    """World to camera, from the normal pass where it is in the world's frame, else from the largest level and upright planes."""
    weight = np.where(planes.error < 5e-3, np.sqrt(planes.area.astype(float)), 0.0)
    weight[0] = 0
    if told is not None:
        use = weight * told.any(axis=1)
        u, _, vt = np.linalg.svd((own * use[:, None]).T @ told)
        rotation = u @ np.diag([1, 1, np.sign(np.linalg.det(u @ vt))]) @ vt
        # A pass in the camera's own frame (x right, y up, z to the viewer) tells nothing about what is level.
        in_camera = np.degrees(np.arccos(np.clip((np.trace(rotation @ np.diag([1.0, -1, -1])) - 1) / 2, -1, 1))) < 3
        if use.sum() > 0 and not in_camera:
            return rotation
    level = weight * (own[:, 1] < -0.35)
    up = own[level.argmax()] if level.max() > 0 else np.array([0.0, -1.0, 0.0])
    upright = weight * (np.abs(own @ up) < 0.08)
    wall = own[upright.argmax()] if upright.max() > 0 else np.array([0.0, 0.0, -1.0])
    wall = wall - up * (wall @ up)
    wall /= np.linalg.norm(wall)
    axes = [wall, np.cross(up, wall), -wall, -np.cross(up, wall)]
    north = max(axes, key=lambda axis: axis[2])  # the view heads nearest north
    return np.stack([np.cross(north, up), north, up], axis=1)


def _eye_height(camera, regions, depth, world, planes) -> float:
    """Height of the camera over the largest level surface below it, m."""
    level = np.where((world[:, 2] > 0.95) & (planes.error < 0.01), planes.area, 0)
    level[0] = 0
    if not level.any():
        return 1.6
    y, x = np.nonzero(regions == level.argmax())
    step = max(1, len(x) // 2000)
    origins, directions = camera.rays(x[::step] + 0.5, y[::step] + 0.5)
    points = origins + directions * depth[y[::step], x[::step], None]
    return float(-np.median(points[:, 2]))


def _assemble(capture, camera, regions, encoded, colour, signs, depth, world, planes, notes) -> Structure:
    import pandas as pd

    height, width = depth.shape
    coverage = border_coverage(encoded, regions, colour, ink_colour(encoded, find_ink(encoded)))
    normals = world.copy()
    normals[0] = 0
    offset = np.zeros(len(normals))
    flat = planes.error < 5e-3
    for region in range(1, len(normals)):
        y, x = np.nonzero(regions == region)
        if not len(x):
            continue
        step = max(1, len(x) // 400)
        origins, directions = camera.rays(x[::step] + 0.5, y[::step] + 0.5)
        points = origins + directions * depth[y[::step], x[::step], None]
        offset[region] = np.median(points @ normals[region])

    def depth_of(region, x, y):
        at = np.clip(y.astype(int), 0, height - 1), np.clip(x.astype(int), 0, width - 1)
        own, here = depth[at], regions[at] == region
        here &= ~flat[region] | ((x % 1 == 0.5) & (y % 1 == 0.5))
        origins, directions = camera.rays(x, y)
        cosine = (directions * normals[region]).sum(axis=1)
        reached = (offset[region] - (origins * normals[region]).sum(axis=1)) / np.where(
            np.abs(cosine) < 1e-6, -1e-6, cosine
        )
        out = np.where(here, own, np.clip(reached, 0.05, 5000))
        return np.where(region == 0, np.inf, out).astype(np.float32)

    # Passes show what lies in the middle of a pixel; the picture's anti-aliasing knows what fills most of it.
    fragments = make_fragments(coverage, depth_of, lambda region, x, y: normals[region])
    first = fragments.take(fragments.first())
    lowest = min((offset[r] for r in range(1, len(normals)) if normals[r][2] > 0.95), default=0.0)
    rows = []
    for region in range(1, len(normals)):
        n = normals[region]
        role = "sign" if region in signs else role_of_plane(n, offset[region] - lowest, colour[region])
        rows.append({
            "id": region, "role": role, "name": "", "material": "",
            "colour": tuple(float(c) for c in decode_srgb(colour[region] / 255.0)), "opacity": 1.0,
            "nx": n[0], "ny": n[1], "nz": n[2], "offset": float(offset[region]) if flat[region] else np.nan,
            "area_px": int(planes.area[region]), "confidence": 0.95 if flat[region] else 0.7,
        })  # fmt: skip
    table = pd.DataFrame(rows, columns=list(STRUCTURE_COLUMNS))
    return Structure(
        camera=camera, regions=coverage.labels, depth=first.depth.reshape(height, width),
        normal=normals[coverage.labels].astype(np.float32),
        fragments=fragments, lines=np.zeros((0, 4), np.float32), surfaces=table, confidence=0.9, kind="passes",
        vanishing=np.eye(3), digest=capture.digest, notes=(*capture.removed, *notes), north=capture.north,
    )  # fmt: skip
