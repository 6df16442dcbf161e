"""How a painter simplifies: sun and shade as shapes, a surface as one tone, water as level bands, clouds as three tones."""

from __future__ import annotations

import cv2
import numpy as np

from irodori.core.colour import luminance
from irodori.core.roles import ROLES
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.maquette import noise_at, places
from irodori.picture.drawing.nature import Nature
from irodori.picture.drawing.tone import blurred_within, even, in_shade

IN_PANES = 0.10
"""Difference in encoded colour that stays an edge in what is seen through glazing."""

WAVE, RANK, BEND = 1.5, 0.05, 0.30
"""m that waves which bend what water mirrors are long, the share of the way to the next one behind, and m by which they bend it."""

LEAST_BEND, MOST_BEND = 1.5, 26.0
"""px of a picture 1280 wide between which it is bent."""

MIRRORED = (4.0, 7.0)
"""px of a picture 1280 wide, across and down, over which mirrored things are one."""

FEWEST = 30
"""px of an area below which its colour is that of the surface as a whole."""

BLUE, CLOUD, CLOUD_SHADE = range(3)
"""The tones of a sky."""


def shaded_areas(buffers: Buffers, dark: np.ndarray, *, by_tone: bool = True) -> tuple[np.ndarray, np.ndarray]:
    """Where shade is, (H, W) bool, and a number for each surface's part in the sun and in the shade, (H, W) int32, 0 in the sky.

    Planting is one; `dark` (H, W) tells shade where there is no sun, if `by_tone`.
    """
    shade = in_shade(buffers, dark, by_tone=by_tone) & ~buffers.natural[buffers.region]
    # A hand draws no specks, nor frays the edge of a shadow.
    size = 2 * int(1.5 * buffers.scale) + 3
    shade = np.where(buffers.border_cover > 0, shade, cv2.medianBlur(shade.astype(np.uint8), size) > 0)
    areas = np.where(buffers.loose[buffers.region], 1_000_003, buffers.region) * 2 + shade
    return shade, np.where(buffers.region == 0, 0, areas).astype(np.int32)


def painted_colours(
    buffers: Buffers, areas: np.ndarray, reach: float, *, leaves: float = 5.0, flatness: float = 0.0, steps: int = 0
) -> np.ndarray:
    """The developed picture as a brush takes it in, (H, W, 3) float32 encoded.

    Parameters
    ----------
    areas
        (H, W) int: what is painted in one go; from `shaded_areas`.
    reach, leaves
        px of a picture 1280 wide over which colours are evened within an area, and within leaves.
    flatness
        0 keeps what then remains of light that grows and fades, 1 gives each area its mean colour.
    steps
        How many tones leaves and water are painted in; 0 as many as there are.
    """
    photo = buffers.photograph
    scale = buffers.scale
    out = _flattened(buffers, photo, areas, reach, flatness)
    panes = buffers.panes[buffers.region] & (buffers.region > 0)
    if panes.any() and reach > 1:
        seen = cv2.bilateralFilter(photo, int(7 * scale) | 1, IN_PANES, 3.0 * scale)
        out = np.where(panes[..., None], seen, out)
    leafy = buffers.loose[buffers.region]
    if leafy.any():
        out = np.where(
            leafy[..., None], stepped(blurred_within(photo, leafy, leaves * scale, leaves * scale), leafy, steps), out
        )
    wet = buffers.role == ROLES.index("water")
    if wet.any():
        out = np.where(wet[..., None], stepped(bent_by_waves(buffers, photo, wet), wet, steps), out)
    sky = buffers.region == 0
    if sky.any():
        out = np.where(sky[..., None], cv2.GaussianBlur(photo, (0, 0), 3.0 * scale), out)
    return np.clip(out, 0, 1)


def painted_tone(buffers: Buffers, dark: np.ndarray, areas: np.ndarray, *, flatness: float = 1.0) -> np.ndarray:
    """Darkness (H, W) as flat tones: of areas as in `painted_colours`, of leaves as masses."""
    out = _flattened(buffers, dark[..., None], areas, 8.0, flatness)[..., 0]
    leafy, wet = buffers.loose[buffers.region], buffers.role == ROLES.index("water")
    if leafy.any():
        sigma = 3.0 * buffers.scale
        out = np.where(leafy, blurred_within(dark, leafy, sigma, sigma), out)
    return np.where(wet, dark, out)


def _flattened(
    buffers: Buffers, values: np.ndarray, areas: np.ndarray, reach: float, flatness: float
) -> np.ndarray:  # fmt: skip
    """Values (H, W, C) evened within each area over `reach` px of a picture 1280 wide, and then brought towards its mean."""
    out = even(buffers, values, reach * buffers.scale, within=areas)
    if flatness:
        out += flatness * (_means(out, areas, buffers.border_cover < 0.01) - out)
    return out


def _means(values: np.ndarray, areas: np.ndarray, told: np.ndarray) -> np.ndarray:
    """The mean of each area's values (H, W, C), of pixels that are `told`; of a speck, its own values."""
    _, number, count = np.unique(areas, return_inverse=True, return_counts=True)
    number = number.ravel()
    weight = told.ravel() + 1e-3
    total = np.bincount(number, weight, len(count))
    mean = [np.bincount(number, weight * values[..., k].ravel(), len(count)) / total for k in range(values.shape[2])]
    out = np.stack(mean, axis=-1).astype(np.float32)[number].reshape(values.shape)
    return np.where((count < FEWEST)[number].reshape(areas.shape)[..., None], values, out)


def stepped(colours: np.ndarray, place: np.ndarray, steps: int) -> np.ndarray:
    """Colours (H, W, 3) whose lightness within a place (H, W) bool is one of some `steps`, each as common as the others; hues stay."""
    if not steps:
        return colours
    grey = np.maximum(luminance(colours), 1e-3)
    inner = grey[place]
    at = np.quantile(inner, np.linspace(0, 1, steps + 1)[1:-1])
    number = np.digitize(inner, at)
    count = np.maximum(np.bincount(number, minlength=steps), 1)
    means = np.bincount(number, inner, steps) / count
    out = colours.copy()
    out[place] *= (means[number] / inner)[:, None]
    return out


def bent_by_waves(buffers: Buffers, values: np.ndarray, wet: np.ndarray) -> np.ndarray:
    """What water shows, (H, W) or (H, W, C) float32, without its ripples: mirrored things as one, their edges bent by few broad waves.

    The waves lie on the water, in metres, so they stay there from view to view and grow finer farther off.
    """
    scale = buffers.scale
    calm = blurred_within(values, wet, MIRRORED[0] * scale, MIRRORED[1] * scale)
    inside = np.flatnonzero(wet)
    # Rows of waves by the logarithm of their distance: as high in the picture as they are long, wherever they are.
    lateral = (places(buffers, inside) - buffers.structure.camera.position) @ buffers.structure.camera.rotation[0]
    away = np.log(np.maximum(buffers.depth.ravel()[inside], 0.1))
    place = np.stack([lateral / WAVE, away / RANK, np.zeros(len(inside))], axis=1)
    wide = np.clip(
        BEND / np.maximum(buffers.structure.camera.footprint(buffers.depth.ravel()[inside]), 1e-9),
        LEAST_BEND * scale, MOST_BEND * scale,
    )  # fmt: skip
    v, u = np.indices(wet.shape, np.float32)
    y, x = v[wet], u[wet]
    across = np.clip(x + wide * (2 * noise_at(place, 21) - 1), 0, wet.shape[1] - 1)
    down = np.clip(y + 0.2 * wide * (2 * noise_at(place, 22) - 1), 0, wet.shape[0] - 1)
    # Nothing is fetched from the shore.
    ashore = ~wet[down.astype(int), across.astype(int)]
    u[wet], v[wet] = np.where(ashore, x, across), np.where(ashore, y, down)
    got = cv2.remap(calm, u, v, cv2.INTER_LINEAR)
    return np.where(wet if values.ndim == 2 else wet[..., None], got, values)


def sky_tones(buffers: Buffers, nature: Nature) -> np.ndarray:
    """`BLUE`, `CLOUD` and `CLOUD_SHADE` over the picture, (H, W) int8, in rounded shapes; of use in the sky alone."""
    grey = cv2.GaussianBlur(luminance(buffers.photograph), (0, 0), 5.0 * buffers.scale)
    blue = cv2.GaussianBlur(nature.blue, (0, 0), 4.0 * buffers.scale)
    open_ = nature.open_sky > 0.99
    cloud = open_ & (blue < 0.35)
    middle = float(np.percentile(grey[cloud], 45)) if cloud.any() else 0.5
    out = np.where(blue > 0.35, BLUE, np.where(grey > middle, CLOUD, CLOUD_SHADE)).astype(np.uint8)
    size = min(2 * int(5 * buffers.scale) + 1, 255)
    return cv2.medianBlur(out, size).astype(np.int8)
