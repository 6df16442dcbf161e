"""Models of buildings: everything of one material under the light of the scene, on a plain ground."""

from __future__ import annotations

import numpy as np
from numba import njit

from irodori.core.colour import encode_srgb, luminance
from irodori.core.roles import ROLES
from irodori.core.sampling import chance
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.tone import FAINT, blurred_within, even, mean_of_surfaces
from irodori.picture.film import FILMS

WHITE_AT, WHITE = 0.85, 1.5
"""Share of the surfaces that get less light than what is shown as white, and the exposed light of that."""

NEUTRAL = 0.55
"""How far the colour of the light is taken away: models stand in studios."""

EVENED, LEAVES = 9.0, 2.6
"""px of a picture 1280 wide over which light on surfaces, and on leaves, is evened."""

DEEPER = 1.35
"""Exponent of light up to white."""

SMOOTH = 0.8
"""What water of a model gives back of the light, beside the rest of it."""


def irradiance(buffers: Buffers) -> np.ndarray:
    """What a white surface would give back at every fragment, (N, 3) float32 in units of light; where glazing and water hide it, as on
    surfaces that face the same way."""
    own = luminance(buffers.albedo)
    clear = buffers.panes[buffers.fragments.region] | (
        buffers.role_of[buffers.fragments.region] == ROLES.index("water")
    )
    known = (own > FAINT) & ~clear
    shown = buffers.albedo * buffers.matt[:, None]
    light = np.where(known[:, None], buffers.fallen / np.maximum(shown, 0.5 * FAINT), 0).astype(np.float32)
    surface = buffers.fragments.region > 0
    # Noise of dark surfaces would be spread with the light.
    roof = np.percentile(luminance(light[known & surface][::17]), 99.5) if (known & surface).any() else 1.0
    value = luminance(light)
    light *= np.minimum(1.0, roof / np.maximum(value, 1e-9))[:, None]
    hidden = np.flatnonzero(surface & ~known)
    if len(hidden):
        facing = np.rint(buffers.fragments.normal * 2).astype(int)
        key = (facing[:, 0] + 2) * 25 + (facing[:, 1] + 2) * 5 + facing[:, 2] + 2
        told = np.flatnonzero(surface & known)
        total = np.stack([np.bincount(key[told], light[told, k], 125) for k in range(3)], axis=1)
        count = np.bincount(key[told], minlength=125)
        mean = np.where(
            count[:, None] > 0, total / np.maximum(count, 1)[:, None], light[told].mean(axis=0) if len(told) else 0.5
        )
        light[hidden] = mean[key[hidden]]
    return light


def places(buffers: Buffers, pixels: np.ndarray | None = None) -> np.ndarray:
    """Where each fragment lies, or what fills most of some `pixels` (M,) int, (N, 3) float32 m; nonsense in the sky."""
    fragments = buffers.fragments
    if pixels is None:
        x, y = fragments.positions(buffers.size[0])
        away = fragments.depth
    else:
        y, x = (one + 0.5 for one in np.divmod(pixels, buffers.size[0]))
        away = buffers.depth.ravel()[pixels]
    origins, ways = buffers.structure.camera.rays(x, y)
    return origins + ways * np.where(np.isfinite(away), away, 0)[:, None]


def modelled(
    buffers: Buffers, colour: np.ndarray, ground: np.ndarray, *, glazing: float, backdrop: tuple[np.ndarray, np.ndarray]
) -> np.ndarray:  # fmt: skip
    """The picture as a model of one material, (H, W, 3) float32 encoded.

    Parameters
    ----------
    colour
        (3,) or (N, 3) linear: reflectance of what is built, by fragment.
    ground
        (3,) linear: that of land and water about it.
    glazing
        Factor of panes on the rest.
    backdrop
        Encoded colours (3,) of the top and of the foot of what is behind, where the sky is.
    """
    fragments = buffers.fragments
    light = _quiet(buffers, irradiance(buffers))
    grey = luminance(light)[:, None]
    light = light + NEUTRAL * (grey - light)
    surface = fragments.region > 0
    weight = fragments.weight * surface
    white = _quantile(grey[:, 0], weight, WHITE_AT)
    # One strong lamp, and little from about: shade is deeper than under an open sky.
    light = light * np.clip(grey / max(white, 1e-9), 1e-3, 1) ** (DEEPER - 1)
    role = buffers.role_of[fragments.region]
    built = np.broadcast_to(np.asarray(colour, np.float32), light.shape)
    land = np.isin(role, [ROLES.index(r) for r in ("ground", "lawn", "water")])
    albedo = np.where(land[:, None], np.asarray(ground, np.float32), built)
    albedo = albedo * np.where(buffers.panes[fragments.region], glazing, 1.0)[:, None]
    albedo = albedo * np.where(role == ROLES.index("water"), SMOOTH, 1.0)[:, None]
    shown = encode_srgb(FILMS["plain"].curve(light * albedo * (WHITE / max(white, 1e-9))))
    top, foot = (np.asarray(one, np.float32) for one in backdrop)
    down = (fragments.pixel // buffers.size[0] / max(buffers.size[1] - 1, 1))[:, None]
    # From inside one sees the studio through clear panes.
    empty = (~surface | _lit_from_behind(buffers)[fragments.region])[:, None]
    shown = np.where(~empty, shown, top + (foot - top) * np.clip(down * 1.6, 0, 1))
    return np.clip(buffers.resolved(shown.astype(np.float32)), 0, 1)


def _quiet(buffers: Buffers, light: np.ndarray) -> np.ndarray:
    """Light of fragments (N, 3) without its noise: evened within what the sun reaches of a surface and what it does not, and over
    leaves as masses."""
    fragments, (width, height) = buffers.fragments, buffers.size
    first = light[fragments.first()].reshape(height, width, 3)
    sunlit = even(buffers, buffers.sun_seen, 2 * buffers.scale) > 0.5
    smooth = even(buffers, first, EVENED * buffers.scale, within=buffers.region * 2 + sunlit)
    leafy = buffers.loose[buffers.region]
    if leafy.any():
        sigma = LEAVES * buffers.scale
        smooth = np.where(leafy[..., None], blurred_within(first, leafy, sigma, sigma), smooth)
    own = fragments.region == buffers.region.ravel()[fragments.pixel]
    return np.where(own[:, None], smooth.reshape(-1, 3)[fragments.pixel], light)


def _lit_from_behind(buffers: Buffers) -> np.ndarray:
    """(S,) bool by surface id: panes that are brighter than most of the picture, as windows are from within."""
    grey = luminance(buffers.photograph)
    mean = mean_of_surfaces(buffers, grey)
    panes = np.pad(buffers.panes, (0, len(mean) - len(buffers.panes)))
    opaque = (buffers.region > 0) & ~panes[buffers.region]
    return panes & (mean > (np.quantile(grey[opaque], 0.7) if opaque.any() else 1.0))


def _quantile(values: np.ndarray, weight: np.ndarray, share: float) -> float:
    order = np.argsort(values, kind="stable")
    running = np.cumsum(weight[order])
    return float(values[order[min(int(np.searchsorted(running, share * running[-1])), len(order) - 1)]])


@njit(cache=True, nogil=True)
def _noise(x, y, z, seed):
    """Smooth chance 0 … 1 in space: values at whole places, blended (Perlin's fade)."""
    i, j, k = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
    u, v, w = x - i, y - j, z - k
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    total = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                share = (u if a else 1 - u) * (v if b else 1 - v) * (w if c else 1 - w)
                total += share * chance(i + a + 1000, j + b + 1000, (k + c + 1000) * 31 + seed)
    return total


@njit(cache=True, nogil=True)
def noise_at(points, seed):
    """Smooth chance (N,) float32, 0 … 1, at points (N, 3) whose cells are 1 wide."""
    out = np.empty(len(points), np.float32)
    for i in range(len(points)):
        out[i] = _noise(points[i, 0], points[i, 1], points[i, 2], seed)
    return out


def grain(buffers: Buffers, scales: tuple[float, float, float], seed: int) -> np.ndarray:
    """Noise (N,) 0 … 1 along each surface's own axes: cells a metre have along its boards, across them, and away from it."""
    place = places(buffers)
    along, across = buffers.axes
    local = np.stack(
        [(place * along).sum(axis=1), (place * across).sum(axis=1), (place * buffers.fragments.normal).sum(axis=1)],
        axis=1,
    )
    return noise_at(local * np.array(scales), seed)


def footprint(buffers: Buffers) -> np.ndarray:
    """m of a pixel at each fragment, (N,)."""
    depth = np.where(np.isfinite(buffers.fragments.depth), buffers.fragments.depth, 1e6)
    return buffers.structure.camera.footprint(depth)
