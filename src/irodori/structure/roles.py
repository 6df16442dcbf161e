"""What each region is, by orientation, place and colour."""

from __future__ import annotations

import colorsys

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.orientation import CARD, LEVEL, SLOPE, Regions


def guess_roles(
    regions: Regions, camera: Camera, kinds: np.ndarray, normals: np.ndarray, distance: np.ndarray, *,
    sky: int, planting: list[int], outdoors: bool,
) -> tuple[list[str], np.ndarray]:  # fmt: skip
    """A role and its confidence for every region (index 0 unused)."""
    count = len(regions.area)
    roles, sure = ["other"] * count, np.full(count, 0.5)
    for region in range(1, count):
        if regions.area[region] == 0:
            continue
        if region == sky:
            roles[region], sure[region] = "sky", 0.95
            continue
        if region in planting:
            roles[region], sure[region] = "planting", 0.8
            continue
        blue, green, lightness = _tone(regions.colour[region])
        x0, y0, x1, y1 = regions.box[region]
        thin = regions.area[region] / max(max(x1 - x0, y1 - y0), 1) < 0.012 * camera.size[0]
        roles[region], sure[region] = _role(
            kinds[region], normals[region], blue, green, lightness, thin, regions, region, outdoors
        )
    return roles, sure


def role_of_plane(normal: np.ndarray, height: float, colour: np.ndarray) -> str:
    """Role of a surface whose unit normal (3,), height over the lowest level surface (m) and 8-bit colour (3,) are known."""
    blue, green, lightness = _tone(colour)
    if normal[2] > 0.95:
        if height > 2.4:
            return "roof"
        return "water" if blue else "lawn" if green else "paving"
    if normal[2] < -0.3:
        return "soffit"
    if normal[2] > 0.2:
        return "lawn" if green else "roof"
    if blue and lightness > 0.25:
        return "glazing"
    return "planting" if green else "wall"


def _tone(colour: np.ndarray) -> tuple[bool, bool, float]:
    """Whether an 8-bit colour is a blue or a green, and its lightness."""
    hue, lightness, saturation = colorsys.rgb_to_hls(*(colour / 255.0))
    return 0.47 < hue < 0.66 and saturation > 0.10, 0.17 < hue < 0.42 and saturation > 0.16, lightness


def _role(kind, normal, blue, green, lightness, thin, regions, region, outdoors) -> tuple[str, float]:
    if kind == LEVEL and normal[2] > 0:
        if not outdoors:
            return "floor", 0.7
        if blue:
            return "water", 0.75
        if green:
            return "lawn", 0.75
        return ("paving", 0.6) if regions.area[region] > 0.004 * regions.labels.size else ("slab", 0.4)
    if kind == LEVEL:
        return ("soffit" if outdoors else "ceiling"), 0.65
    if kind == SLOPE:
        if normal[2] < 0:
            return ("soffit" if outdoors else "ceiling"), 0.6
        return ("lawn", 0.5) if green else ("roof", 0.75)
    if blue and lightness > 0.25:
        return "glazing", 0.7
    if green and kind == CARD:
        return "planting", 0.5
    if thin:
        return ("frame", 0.6) if lightness < 0.35 else ("column", 0.5)
    return "wall", 0.6
