"""Colour spaces: sRGB files, linear-light Rec.709 inside, lamps by colour temperature."""

from __future__ import annotations

import numpy as np

LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Rec.709 luminance weights of linear R, G, B."""

XYZ_TO_RGB = np.array(
    [
        [3.2404542, -1.5371385, -0.4985314],
        [-0.9692660, 1.8760108, 0.0415560],
        [0.0556434, -0.2040259, 1.0572252],
    ],
    np.float64,
)
"""CIE XYZ to linear Rec.709, D65 (IEC 61966-2-1)."""


def decode_srgb(encoded: np.ndarray) -> np.ndarray:
    """sRGB-encoded values 0 … 1 to linear light (IEC 61966-2-1), float32, same shape.

    >>> round(float(decode_srgb(np.array(0.5))), 4)
    0.214
    """
    c = np.asarray(encoded, np.float32)
    return np.where(c <= 0.04045, c / 12.92, ((np.maximum(c, 0.04045) + 0.055) / 1.055) ** 2.4).astype(np.float32)


OF_BYTES = decode_srgb(np.arange(256) / 255.0)
"""(256,) float64: the linear value of each sRGB byte."""


def encode_srgb(linear: np.ndarray) -> np.ndarray:
    """Linear light 0 … 1 to sRGB-encoded values (IEC 61966-2-1), float32, clipped to 0 … 1."""
    c = np.clip(np.asarray(linear, np.float32), 0.0, 1.0)
    return np.where(c <= 0.0031308, c * 12.92, 1.055 * np.maximum(c, 0.0031308) ** (1 / 2.4) - 0.055).astype(np.float32)


def encode_8_bit(image: np.ndarray) -> np.ndarray:
    """Linear-light values (…) as 8-bit sRGB, uint8."""
    return np.rint(encode_srgb(image) * 255).astype(np.uint8)


def is_green(encoded: np.ndarray) -> np.ndarray:
    """Which pixels (H, W) of an 8-bit picture (H, W, 3) are of a leaf's green."""
    signed = encoded.astype(np.int16)
    return (signed[..., 1] > signed[..., 0] + 6) & (signed[..., 1] > signed[..., 2] + 14)


def largest_channel(values: np.ndarray) -> np.ndarray:
    """The largest of three channels (…, 3); a reduction over so short an axis takes ten times as long."""
    return np.maximum(np.maximum(values[..., 0], values[..., 1]), values[..., 2])


def least_channel(values: np.ndarray) -> np.ndarray:
    """The least of three channels (…, 3)."""
    return np.minimum(np.minimum(values[..., 0], values[..., 1]), values[..., 2])


def mix_of(colours: np.ndarray, one: np.ndarray, other: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How far `colours` (N, 3) have gone from `one` (3,) or (N, 3) towards `other`, as a share of that way, and by how many
    steps of a channel they lie beside it, (N,) each."""
    moved, towards = colours - one, other - one
    share = (moved * towards).sum(axis=1) / np.maximum((towards**2).sum(axis=-1), 1)
    return share, np.abs(moved - share[:, None] * towards).max(axis=1)


def luminance(rgb: np.ndarray) -> np.ndarray:
    """Luminance of linear Rec.709 `(…, 3)`, in the unit of the input."""
    return np.asarray(rgb) @ LUMINANCE


def hex_to_linear(text: str) -> np.ndarray:
    """`#rrggbb` (sRGB) to linear Rec.709, shape (3,) float32. Raises ValueError on anything else.

    >>> hex_to_linear("#ffffff").tolist()
    [1.0, 1.0, 1.0]
    """
    digits = text.strip().lstrip("#")
    if len(digits) == 3:
        digits = "".join(d * 2 for d in digits)
    if len(digits) != 6:
        raise ValueError(f"'{text}' is not a colour like #a05030")
    return decode_srgb(np.array([int(digits[i : i + 2], 16) for i in (0, 2, 4)]) / 255.0)


def linear_to_hex(rgb: np.ndarray) -> str:
    """Linear Rec.709 (3,) to `#rrggbb`."""
    r, g, b = (encode_srgb(np.asarray(rgb)) * 255 + 0.5).astype(int).tolist()
    return f"#{r:02x}{g:02x}{b:02x}"


def blackbody_rgb(kelvin: float) -> np.ndarray:
    """Linear Rec.709 colour of a lamp of the given correlated colour temperature, luminance 1.

    Chromaticity on the Planckian locus by the cubic fit of Kim et al. (US patent 7024034, 2006),
    valid for 1,667 to 25,000 K; out-of-gamut blue of very warm lamps is clipped to zero.

    >>> bool(blackbody_rgb(2700)[0] > blackbody_rgb(2700)[2])
    True
    """
    t = float(np.clip(kelvin, 1667.0, 25000.0))
    if t <= 4000:
        x = -0.2661239e9 / t**3 - 0.2343589e6 / t**2 + 0.8776956e3 / t + 0.179910
    else:
        x = -3.0258469e9 / t**3 + 2.1070379e6 / t**2 + 0.2226347e3 / t + 0.240390
    if t <= 2222:
        y = -1.1063814 * x**3 - 1.34811020 * x**2 + 2.18555832 * x - 0.20219683
    elif t <= 4000:
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    rgb = np.maximum(XYZ_TO_RGB @ np.array([x / y, 1.0, (1 - x - y) / y]), 0.0)
    return (rgb / (rgb @ LUMINANCE)).astype(np.float32)
