"""Paper: its colour and its tooth."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from irodori.core.colour import encode_srgb, hex_to_linear
from irodori.core.errors import IrodoriError, unknown_name

if TYPE_CHECKING:
    from irodori.picture.drawing.manner import Manner

PAPERS = {
    "white": (0.985, 0.985, 0.98), "cream": (0.965, 0.945, 0.895), "grey": (0.80, 0.80, 0.79), "buff": (0.83, 0.76, 0.65),
    "pale blue": (0.90, 0.935, 0.965), "black": (0.10, 0.10, 0.11),
}  # fmt: skip
"""Papers by name, sRGB-encoded."""

BLOCK = 1024
"""px of the square of tooth that papers repeat, far beyond what an eye follows."""


def paper_colour(name: str) -> np.ndarray:
    """The colour of a paper by its name or as #rrggbb, (3,) float32 encoded. Raises IrodoriError."""
    if name.startswith("#"):
        try:
            return encode_srgb(hex_to_linear(name))
        except ValueError as error:
            raise IrodoriError(f"{error}; or a paper: {', '.join(PAPERS)}") from None
    if name not in PAPERS:
        raise IrodoriError(unknown_name("paper", name, PAPERS))
    return np.array(PAPERS[name], np.float32)


def paper_of(manner: Manner, usual: str) -> tuple[float, float, float]:
    """The paper that a drawing is on: the `usual` one unless its manner says so. Raises IrodoriError."""
    red, green, blue = paper_colour(manner.paper or usual).tolist()
    return red, green, blue


def tooth(size: tuple[int, int], scale: float, *, coarse: float = 1.0, seed: int = 1) -> np.ndarray:
    """Height of the paper, (H, W) float32, spread evenly over 0 … 1, so that a share of it lies above any threshold.

    `scale` px of this picture are one of a picture 1280 wide; `coarse` is a factor on the grain.
    """
    tile = _tile(round(coarse * max(scale, 0.35), 3), seed)
    width, height = size
    return np.tile(tile, (-(-height // BLOCK), -(-width // BLOCK)))[:height, :width]


@lru_cache(maxsize=6)
def _tile(sigma: float, seed: int) -> np.ndarray:
    """One square of tooth, grain of `sigma` px."""
    from scipy.ndimage import gaussian_filter

    rng = np.random.default_rng(seed)
    grain = np.zeros((BLOCK, BLOCK), np.float32)
    for size, share in ((0.55, 1.0), (1.1, 0.6), (2.6, 0.12)):
        noise = rng.standard_normal((BLOCK, BLOCK)).astype(np.float32)
        soft = gaussian_filter(noise, size * sigma, mode="wrap", truncate=3.0)
        grain += share * soft / max(float(soft.std()), 1e-6)
    order = np.empty(BLOCK * BLOCK, np.float32)
    order[np.argsort(grain, axis=None, kind="stable")] = (np.arange(BLOCK * BLOCK, dtype=np.float32) + 0.5) / BLOCK**2
    return order.reshape(BLOCK, BLOCK)


def caught(pressure: np.ndarray, height: np.ndarray, roughness: float) -> np.ndarray:
    """How much of a dry medium paper catches, (H, W): more on its heights than in its valleys, by `roughness` 0 … 1; the mean over the
    paper is the pressure itself."""
    return np.clip(pressure + np.float32(roughness) * pressure * (1 - pressure) * (2 * height - 1), 0, 1)
