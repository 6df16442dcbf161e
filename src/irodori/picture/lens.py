"""What a lens and a film add: depth of field, darker corners, grain, and verticals set upright. All off by default.

Only `upright` moves anything; it is for pictures whose register has been proved before.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, fields

import numpy as np
from numba import njit

from irodori.core.camera import Camera
from irodori.core.colour import decode_srgb, encode_srgb
from irodori.core.errors import IrodoriError
from irodori.core.sampling import unit_float
from irodori.core.work.tiles import for_each_tile, split_tiles
from irodori.picture.film import Film

SENSOR = 0.036
"""Width, m, of the frame that f-numbers refer to (ISO 1007 film, 36 × 24 mm)."""

WIDEST = 24.0
"""px, largest radius of a circle of confusion."""

GRAIN = 0.024
"""Encoded units of grain at full strength in middle tones."""


@dataclass(frozen=True)
class Lens:
    """Settings of a lens.

    Attributes
    ----------
    vignette
        0 (none) … 1 (a simple lens's natural fall of light, cos⁴ of the angle off the axis).
    grain
        0 (none) … 1 (fast film).
    aperture
        The f-number at a frame 36 mm wide; 0 for a pinhole, which is sharp everywhere.
    focus
        Distance that is sharp, m; 0 for the middle of the picture.
    upright
        Set verticals upright in a view that looks up or down. This moves the geometry.
    """

    vignette: float = 0.0
    grain: float = 0.0
    aperture: float = 0.0
    focus: float = 0.0
    upright: bool = False

    def __post_init__(self) -> None:
        for name, least, most in (("vignette", 0, 1), ("grain", 0, 1), ("aperture", 0, 64), ("focus", 0, 1e5)):
            value = getattr(self, name)
            if not (np.isfinite(value) and least <= value <= most):
                raise IrodoriError(f"{name} {value} is out of range; give {least} to {most:g}")

    @property
    def is_plain(self) -> bool:
        return self == Lens()

    def as_dict(self) -> dict:
        """What differs from a plain lens."""
        return {f.name: v for f, v in zip(fields(self), asdict(self).values()) if v != f.default}


def through_lens(image: np.ndarray, depth: np.ndarray, camera: Camera, lens: Lens, film: Film, seed: int) -> np.ndarray:
    """A developed picture as a lens and film would give it.

    Parameters
    ----------
    image
        (H, W, 3) float32, sRGB-encoded 0 … 1.
    depth
        (H, W) float32, m along the optical axis, inf in the sky.
    film
        What it was developed on: light is spread as light, not as tones.
    seed
        What the grain depends on.

    Returns
    -------
    (H, W, 3) float32, sRGB-encoded 0 … 1.
    """
    if lens.aperture > 0 and camera.projection == "perspective":
        image = _soften(image, circle_of_confusion(depth, camera, lens), depth, film)
    if lens.vignette > 0:
        scene = film.exposure(decode_srgb(image)) * (1 - lens.vignette * (1 - natural_fall(camera)))[..., None]
        image = encode_srgb(film.curve(scene.astype(np.float32)))
    if lens.grain > 0:
        image = np.clip(image + _grain(image, seed) * np.float32(lens.grain), 0, 1)
    return set_upright(image, camera) if lens.upright else image


def circle_of_confusion(depth: np.ndarray, camera: Camera, lens: Lens) -> np.ndarray:
    """Radius (H, W), px, over which each pixel's light is spread.

    The thin lens: c = A f |d − s| / (d (s − f)), with the aperture's width A = f / N (Ray, "Applied Photographic
    Optics", 3rd ed., 2002, ch. 22).
    """
    width, height = camera.size
    focal = camera.focal / width * SENSOR
    sharp = lens.focus
    if sharp <= 0:
        middle = depth[height * 2 // 5 : height * 3 // 5, width * 2 // 5 : width * 3 // 5]
        middle = middle[np.isfinite(middle)]
        sharp = float(np.median(middle)) if len(middle) else 10.0
    sharp = max(sharp, focal * 2)
    # |d − s| / d tends to 1 in the sky.
    away = np.abs(1 - sharp / np.maximum(depth, 1e-3))
    spread = focal / lens.aperture * focal * away / (sharp - focal)
    return np.minimum(spread / SENSOR * width / 2, WIDEST).astype(np.float32)


def natural_fall(camera: Camera) -> np.ndarray:
    """Light at each pixel over that on the axis, (H, W): cos⁴ of the angle off the axis."""
    width, height = camera.size
    x = (np.arange(width) + 0.5 - camera.matrix[0, 2]) / camera.matrix[0, 0]
    y = (np.arange(height) + 0.5 - camera.matrix[1, 2]) / camera.matrix[1, 1]
    if camera.projection == "parallel":
        x, y = x * camera.focal / width, y * camera.focal / width
    return 1 / (1 + x[None] ** 2 + y[:, None] ** 2) ** 2


def set_upright(image: np.ndarray, camera: Camera) -> np.ndarray:
    """The picture as a camera held level would have it: a homography, cropped to the same size."""
    import cv2

    forward = camera.rotation[2]
    if camera.projection == "parallel" or not 1e-4 < abs(forward[2]) < 0.6:
        return image
    level = Camera.look(camera.position, camera.position + forward * [1, 1, 0], size=camera.size)
    warp = camera.matrix @ level.rotation @ camera.rotation.T @ np.linalg.inv(camera.matrix)
    width, height = camera.size
    corners = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)[:, None]
    moved = cv2.perspectiveTransform(corners, warp)[:, 0]
    # The largest centred crop of the picture's proportions that the moved picture fills.
    middle = cv2.perspectiveTransform(np.array([[[width / 2, height / 2]]], np.float32), warp)[0, 0]
    half = 0.5
    for share in np.linspace(1.0, 0.3, 141):
        half = share / 2
        frame = middle + np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * (width * half, height * half)
        if all(cv2.pointPolygonTest(moved, (float(x), float(y)), False) >= 0 for x, y in frame):
            break
    scale = 0.5 / half
    fit = np.array([[scale, 0, width / 2 - scale * middle[0]], [0, scale, height / 2 - scale * middle[1]], [0, 0, 1.0]])
    # Pixel centres lie at integer + 0.5 in the camera's frame, at integers in the warp's.
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    out = cv2.warpPerspective(
        image, np.linalg.inv(shift) @ fit @ warp @ shift, (width, height), flags=cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return np.clip(out, 0, 1)


def _soften(image: np.ndarray, radius: np.ndarray, depth: np.ndarray, film: Film) -> np.ndarray:
    """Spread each pixel's light over its circle; sharp pixels are left as they are."""
    if radius.max() < 0.5:
        return image
    scene = np.ascontiguousarray(film.exposure(decode_srgb(image)))
    soft = np.empty_like(scene)

    def work(rows: tuple[int, int]) -> None:
        _spread(scene, radius, depth, soft, *rows)

    for_each_tile(split_tiles(image.shape[0], 16), work)
    soft = encode_srgb(film.curve(soft))
    share = np.clip((radius - 0.35) / 0.65, 0, 1)[..., None]
    # Foreground spills over what is sharp behind it.
    import cv2

    share = np.maximum(share, cv2.GaussianBlur(share[..., 0], (0, 0), max(float(radius.max()) / 3, 0.5))[..., None])
    return (image + (soft - image) * share).astype(np.float32)


@njit(cache=True, nogil=True)
def _spread(scene, radius, depth, out, top, bottom):
    height, width = radius.shape
    widest = int(np.ceil(radius.max()))
    for y in range(top, bottom):
        for x in range(width):
            own, at = radius[y, x], depth[y, x]
            red, green, blue, total = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for dy in range(-widest, widest + 1):
                ny = y + dy
                if ny < 0 or ny >= height:
                    continue
                for dx in range(-widest, widest + 1):
                    nx = x + dx
                    if nx < 0 or nx >= width:
                        continue
                    reach = radius[ny, nx]
                    if depth[ny, nx] > at * np.float32(1.02):
                        # What lies behind does not spill over what is before it.
                        reach = min(reach, own)
                    reach = max(reach, np.float32(0.5))
                    cover = reach + np.float32(0.5) - np.float32(np.sqrt(np.float32(dx * dx + dy * dy)))
                    if cover <= 0:
                        continue
                    weight = min(cover, np.float32(1)) / (reach * reach)
                    total += weight
                    red += weight * scene[ny, nx, 0]
                    green += weight * scene[ny, nx, 1]
                    blue += weight * scene[ny, nx, 2]
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = red / total, green / total, blue / total


@njit(cache=True)
def _noise(out, seed):
    for i in range(out.size):
        key = np.uint32(i) * np.uint32(2654435761) + np.uint32(seed)
        # Four uniform numbers add up to nearly a Gaussian.
        total = np.float32(0)
        for k in range(4):
            total += unit_float(key ^ np.uint32(k * 40503 + 1))
        out[i] = (total - np.float32(2)) * np.float32(1.732)


def _grain(image: np.ndarray, seed: int) -> np.ndarray:
    """Grain (H, W, 1), encoded units: clumps of a pixel or so, strongest in the middle tones."""
    import cv2

    noise = np.empty(image.shape[0] * image.shape[1], np.float32)
    _noise(noise, seed)
    clumps = cv2.GaussianBlur(noise.reshape(image.shape[:2]), (0, 0), 0.7)
    clumps /= max(float(clumps.std()), 1e-6)
    tone = image.mean(axis=2)
    return (GRAIN * clumps * (0.25 + 3 * tone * (1 - tone)))[..., None]
