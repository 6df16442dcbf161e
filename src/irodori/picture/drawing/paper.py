"""Paper: its colour and its tooth."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb, hex_to_linear
from irodori.core.errors import IrodoriError, unknown_name

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


def tooth(size: tuple[int, int], scale: float, *, coarse: float = 1.0, seed: int = 1) -> np.ndarray:
    """Height of the paper, (H, W) float32, spread evenly over 0 … 1, so that a share of it lies above any threshold.

    `scale` px of this picture are one of a picture 1280 wide; `coarse` is a factor on the grain.
    """
    import cv2

    rng = np.random.default_rng(seed)
    grain = np.zeros((BLOCK, BLOCK), np.float32)
    for sigma, share in ((0.55, 1.0), (1.1, 0.9), (2.6, 0.5)):
        sigma *= coarse * max(scale, 0.35)
        noise = rng.standard_normal((BLOCK, BLOCK)).astype(np.float32)
        soft = cv2.GaussianBlur(noise, (0, 0), sigma, borderType=cv2.BORDER_WRAP)
        grain += share * soft / max(float(soft.std()), 1e-6)
    order = np.empty(BLOCK * BLOCK, np.float32)
    order[np.argsort(grain, axis=None, kind="stable")] = (np.arange(BLOCK * BLOCK, dtype=np.float32) + 0.5) / BLOCK**2
    tile = order.reshape(BLOCK, BLOCK)
    width, height = size
    return np.tile(tile, (-(-height // BLOCK), -(-width // BLOCK)))[:height, :width]


def caught(pressure: np.ndarray, height: np.ndarray, softness: float) -> np.ndarray:
    """How much of a dry medium paper catches, (H, W): first its heights, with pressure its valleys too; the mean over the paper is
    the pressure itself."""
    half = np.float32(softness)
    # The mean over even heights of a slope from p + s to p − s is p; near 0 and 1 the slope narrows so that it stays so.
    slope = np.minimum(np.minimum(pressure, 1 - pressure), half).astype(np.float32)
    return np.where(slope > 1e-4, np.clip((pressure - (1 - height)) / np.maximum(2 * slope, 1e-4) + 0.5, 0, 1), pressure)
