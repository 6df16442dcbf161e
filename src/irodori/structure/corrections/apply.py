"""Applying a user's corrections while a capture is read."""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.core.corrections import WAYS, Corrections, SurfaceCorrection
from irodori.core.errors import StructureError
from irodori.core.pixels.nearest import filled_from_nearest
from irodori.structure.planes.choose import CARD, LEVEL, SLOPE, UPRIGHT, Planes, card_normal
from irodori.structure.regions.measure import Regions

SURE = 0.99


def correct_regions(labels: np.ndarray, given: tuple[SurfaceCorrection, ...]) -> np.ndarray:
    """Labels (H, W) int32 after what is to be removed, split and merged.

    Raises
    ------
    StructureError
        When a pixel lies outside the picture.
    """

    for entry in given:
        here = _label_at(labels, entry.at)
        for point in entry.merge:
            labels = np.where(labels == _label_at(labels, point), here, labels)
        if entry.split:
            (x0, y0), (x1, y1) = entry.split
            y, x = np.mgrid[0 : labels.shape[0], 0 : labels.shape[1]] + 0.5
            own = (x1 - x0) * (entry.at[1] + 0.5 - y0) - (y1 - y0) * (entry.at[0] + 0.5 - x0)
            beyond = ((x1 - x0) * (y - y0) - (y1 - y0) * (x - x0)) * (own or 1.0) < 0
            labels = np.where((labels == here) & beyond, labels.max() + 1, labels)
        if entry.remove:
            gone = labels == here
            if gone.all():
                raise StructureError("A correction removes the only surface there is")
            labels = filled_from_nearest(labels, gone)
    return labels.astype(np.int32)


def correct_planes(planes: Planes, regions: Regions, camera: Camera, given: tuple[SurfaceCorrection, ...]) -> Planes:
    """Planes with the facings that the user gave."""
    kind, normal, sure = planes.kind.copy(), planes.normal.copy(), planes.sure.copy()
    for entry in given:
        if entry.facing is None:
            continue
        region = _label_at(regions.labels, entry.at)
        kind[region], normal[region] = _plane(entry.facing, regions.pixels[region], camera)
        sure[region] = SURE
    return Planes(kind, normal, sure)


def turned_by_hand(regions: Regions, given: tuple[SurfaceCorrection, ...]) -> set[int]:
    """The regions of which the user gave the facing."""
    return {_label_at(regions.labels, entry.at) for entry in given if entry.facing is not None}


def correct_roles(
    roles: list[str], sure: np.ndarray, regions: Regions, given: tuple[SurfaceCorrection, ...]
) -> tuple[list[str], np.ndarray]:
    """Roles with those that the user gave."""
    roles, sure = list(roles), sure.copy()
    for entry in given:
        if entry.role:
            region = _label_at(regions.labels, entry.at)
            roles[region], sure[region] = entry.role, SURE
    return roles, sure


def corrected_sky(labels: np.ndarray, sky: int, given: tuple[SurfaceCorrection, ...]) -> tuple[np.ndarray, int, bool]:
    """Labels in which all that the user calls sky is one, its number, and whether the user settled what is sky."""
    said = [_label_at(labels, e.at) for e in given if e.role == "sky"]
    not_sky = any(e.role not in (None, "sky") and _label_at(labels, e.at) == sky for e in given)
    if not_sky:
        sky = 0
    for label in said:
        if sky:
            labels = np.where(labels == label, sky, labels)
        else:
            sky = label
    return labels, sky, bool(said)


def known_length(given: Corrections) -> tuple[np.ndarray, float] | None:
    """Ends (2, 2) px and metres of the first known dimension, or None."""
    if not given.length:
        return None
    first = given.length[0]
    return np.array([first.start, first.end]), first.metres


def _label_at(labels: np.ndarray, at: tuple[float, float]) -> int:
    x, y = int(at[0]), int(at[1])
    if not (0 <= x < labels.shape[1] and 0 <= y < labels.shape[0]):
        raise StructureError(
            f"A correction at {x}, {y} lies outside the picture of {labels.shape[1]} × {labels.shape[0]} pixels"
        )
    return int(labels[y, x])


def _plane(facing: str, pixels: np.ndarray, camera: Camera) -> tuple[int, np.ndarray]:
    if facing in ("up", "down"):
        return LEVEL, np.array([0.0, 0.0, 1.0 if facing == "up" else -1.0])
    if facing == "camera":
        return CARD, card_normal(pixels, camera)
    if facing in WAYS:
        return UPRIGHT, np.array([*WAYS[facing], 0.0])
    _, degrees, way = facing.split()
    angle = np.radians(float(degrees))
    return SLOPE, np.array([*(np.sin(angle) * np.array(WAYS[way])), np.cos(angle)])
