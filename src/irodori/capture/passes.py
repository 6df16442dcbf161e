"""Passes that come beside a picture: depth, normal, id."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.errors import CaptureError, unknown_name
from irodori.formats.exr import read_exr
from irodori.formats.read_image import read_image

NAMES = ("depth", "normal", "id")


def read_passes(
    paths: dict[str, str | Path], size: tuple[int, int], near: float | None, far: float | None
) -> dict[str, np.ndarray]:
    """Read passes and check their size against `size` (width, height). Raises CaptureError."""
    buffers: dict[str, np.ndarray] = {}
    for name, path in paths.items():
        if name not in NAMES:
            raise CaptureError(unknown_name("pass", name, NAMES))
        buffer = {"depth": _depth, "normal": _normal, "id": _id}[name](Path(path), near, far)
        if buffer.shape[:2] != (size[1], size[0]):
            raise CaptureError(
                f"The {name} pass '{path}' is {buffer.shape[1]} × {buffer.shape[0]} pixels, the capture "
                f"{size[0]} × {size[1]}: export both at the same size"
            )
        buffers[name] = buffer
    return buffers


def _exr_layers(path: Path, names: tuple[tuple[str, ...], ...]) -> list[np.ndarray]:
    channels, _ = read_exr(path)
    folded = {k.casefold().split(".")[-1]: v for k, v in channels.items()}
    for wanted in names:
        if all(w in folded for w in wanted):
            return [folded[w].astype(np.float32) for w in wanted]
    raise CaptureError(
        f"'{path}' has channels {', '.join(channels)}; expected {' or '.join('/'.join(n) for n in names)}"
    )


def _depth(path: Path, near: float | None, far: float | None) -> np.ndarray:
    if path.suffix.lower() == ".exr":
        depth = _exr_layers(path, (("depth",), ("z",), ("v",), ("y",), ("r",)))[0].copy()
        depth[~np.isfinite(depth) | (depth <= 0) | (depth > 1e6)] = np.inf
        return depth
    if near is None or far is None:
        raise CaptureError(f"A depth picture needs its range: give near and far in metres for '{path}'")
    if not far > near >= 0:
        raise CaptureError(f"The depth range {near} … {far} m is not increasing; near must be below far")
    encoded = encode_srgb(read_image(path).rgb[..., 0])
    depth = (near + encoded * (far - near)).astype(np.float32)
    depth[encoded >= 0.99999] = np.inf
    return depth


def _normal(path: Path, near: float | None, far: float | None) -> np.ndarray:
    if path.suffix.lower() == ".exr":
        stacked = np.stack(_exr_layers(path, (("x", "y", "z"), ("r", "g", "b"))), axis=-1)
    else:
        stacked = encode_srgb(read_image(path).rgb) * 2 - 1
    length = np.linalg.norm(stacked, axis=-1, keepdims=True)
    return np.where(length > 0.3, stacked / np.maximum(length, 1e-6), 0).astype(np.float32)


def _id(path: Path, near: float | None, far: float | None) -> np.ndarray:
    encoded = np.rint(encode_srgb(read_image(path).rgb) * 255).astype(np.int64)
    packed = (encoded[..., 0] << 16) | (encoded[..., 1] << 8) | encoded[..., 2]
    _, labels = np.unique(packed, return_inverse=True)
    return labels.reshape(packed.shape).astype(np.int32)
