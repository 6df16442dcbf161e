"""Scores of one reading against the truth."""

from __future__ import annotations

import cv2
import numpy as np
from draw import Truth

from irodori.core.pixels.borders import region_borders
from irodori.core.structure import Structure

NEAR = 11.25
BORDER = 2.0


def _boundary_f(read: np.ndarray, truth: np.ndarray) -> float:
    a, b = region_borders(read), region_borders(truth)
    if not a.any() or not b.any():
        return 0.0
    to_a = cv2.distanceTransform((~a).astype(np.uint8), cv2.DIST_L2, 5)
    to_b = cv2.distanceTransform((~b).astype(np.uint8), cv2.DIST_L2, 5)
    precision, recall = (to_b[a] <= BORDER).mean(), (to_a[b] <= BORDER).mean()
    return float(2 * precision * recall / max(precision + recall, 1e-9))


def _horizon(camera) -> np.ndarray | None:
    line = np.linalg.inv(camera.matrix).T @ (camera.rotation @ [0, 0, 1.0])
    if camera.projection == "parallel" or abs(line[1]) < 1e-9:
        return None
    return np.array([-(line[0] * x + line[2]) / line[1] for x in (0.0, camera.size[0])])


def score(read: Structure, truth: Truth) -> dict[str, float]:
    """Focal and horizon error, boundary F, normals, depth and roles; NaN where there is nothing to compare."""
    solid, found = truth.surface > 0, read.regions > 0
    parallel = truth.camera.projection == "parallel"
    out = {"projection": float(read.camera.projection == truth.camera.projection)}
    out["focal"] = np.nan if parallel else abs(read.camera.focal / truth.camera.focal - 1) * 100
    if read.camera.projection != truth.camera.projection:
        out["focal"] = np.nan if parallel else 100.0
    a, b = _horizon(read.camera), _horizon(truth.camera)
    out["horizon"] = np.nan
    if b is not None:
        out["horizon"] = 90.0
        if a is not None:
            out["horizon"] = float(min(np.degrees(np.arctan(np.abs(a - b).max() / truth.camera.focal)), 90.0))
    out["border F"] = _boundary_f(read.regions, truth.surface)
    theirs = read.normal @ read.camera.rotation.T
    ours = truth.normal @ truth.camera.rotation.T
    angle = np.degrees(np.arccos(np.clip((theirs * ours).sum(-1), -1, 1)))
    angle[~found] = 180.0
    angle = angle[solid]
    out["n mean"], out["n median"] = float(np.minimum(angle, 90).mean()), float(np.median(angle))
    out["n<11"] = float((angle < NEAR).mean())
    out["d abs"], out["d<1.25"] = _depth(read, truth, solid, found, parallel)
    out["roles"] = _roles(read, truth)
    return out


def _depth(read: Structure, truth: Truth, solid, found, parallel) -> tuple[float, float]:
    both = solid & found & np.isfinite(read.depth)
    if both.sum() < 100:
        return 1.0, 0.0
    d, t = read.depth[both].astype(float), truth.depth[both]
    if parallel:
        # Distance along a parallel view has no origin: scale and shift are free, errors are shares of the scene's depth.
        scale = np.subtract(*np.percentile(t, [90, 10])) / max(np.subtract(*np.percentile(d, [90, 10])), 1e-6)
        off = np.abs(scale * d + np.median(t - scale * d) - t) / max(np.ptp(t), 1e-6)
        near = (off < 0.1).sum() / solid.sum()
        return float(off.mean()), float(near)
    ratio = d / t
    ratio /= np.median(ratio)
    near = (np.maximum(ratio, 1 / np.maximum(ratio, 1e-9)) < 1.25).sum() / solid.sum()
    return float(np.minimum(np.abs(ratio - 1), 1).mean()), float(near)


def _roles(read: Structure, truth: Truth) -> float:
    names = ["sky", *truth.roles]
    lookup = np.full(int(read.regions.max()) + 1, -1)
    lookup[0] = 0
    for row in read.surfaces.itertuples():
        if row.id < len(lookup) and row.role in names:
            lookup[row.id] = names.index(row.role)
    told, true = lookup[read.regions], truth.role + 1
    shares = []
    for index in np.unique(true):
        union = ((told == index) | (true == index)).sum()
        if (true == index).sum() >= 0.002 * true.size:
            shares.append(((told == index) & (true == index)).sum() / union)
    return float(np.mean(shares))
