"""Pictures from files: sRGB or profiled, 8 or 16 bit, upright, with the limits checked first."""

from __future__ import annotations

import hashlib
import io
import os
import warnings
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, BinaryIO, Union

import numpy as np

from irodori.core.colour import decode_srgb
from irodori.core.errors import CaptureError

if TYPE_CHECKING:
    from PIL import Image

PIXEL_LIMIT = 60_000_000
SUFFIXES = (".png", ".jpg", ".jpeg", ".webp", ".tif", ".tiff", ".bmp")


@dataclass(frozen=True, eq=False)
class LoadedImage:
    """`rgb` (H, W, 3) float32 linear Rec.709; `alpha` (H, W) float32 or None; `text` embedded by name."""

    rgb: np.ndarray
    alpha: np.ndarray | None
    text: dict[str, str]


Pixels = Union[np.ndarray, "Image.Image"]
"""A picture that lies in memory: (H, W), (H, W, 3) or (H, W, 4), sRGB-encoded, uint8, uint16 or float 0 … 1; or Pillow's."""

Readable = Union[str, Path, BinaryIO, np.ndarray, "Image.Image"]
"""Whatever a picture can be read from."""


def read_image(source: Readable, *, pixel_limit: int = PIXEL_LIMIT) -> LoadedImage:
    """Read a PNG, JPEG, WebP, TIFF or BMP, 8 or 16 bit, grey or colour, with or without alpha; or take it from memory.

    EXIF orientation is applied and an embedded RGB colour profile is converted to sRGB (8-bit files).
    Raises CaptureError when the file is missing, damaged, no picture, empty or larger than `pixel_limit`.
    """
    if isinstance(source, np.ndarray):
        return _from_array(source, pixel_limit)
    if isinstance(source, str | os.PathLike):
        path = Path(source)
        data = _read_bytes(path)
        image = _open(path, data)
    elif hasattr(source, "read"):
        path = Path(name_of(source))
        data = source.read()
        if not isinstance(data, bytes):
            raise CaptureError(f"'{path}' was opened as text; open it as 'rb'")
        image = _open(path, data)
    elif hasattr(source, "convert"):
        path, data, image = Path(name_of(source)), b"", source
    else:
        raise CaptureError(
            f"A picture is read from a path, a file, an array or a Pillow image, not from {type(source).__name__}"
        )
    width, height = image.size
    if width * height > pixel_limit:
        raise CaptureError(
            f"'{path}' has {width * height / 1e6:.0f} megapixels; the limit is {pixel_limit / 1e6:.0f}: scale it down"
        )
    deep = bool(data) and (image.mode.startswith("I") or _is_deep_colour(path, image, data))
    if not data and image.mode.startswith("I"):
        return _from_array(np.asarray(image).astype(np.uint16), pixel_limit)
    try:
        encoded = _decode_deep(path, data, image) if deep else _decode_plain(image)
    except (OSError, ValueError, SyntaxError, MemoryError) as error:
        raise CaptureError(f"'{path}' is damaged: {_reason(error)}; export it again") from None
    if encoded.size == 0:
        raise CaptureError(f"'{path}' is an empty picture")
    alpha = np.ascontiguousarray(encoded[..., 3]) if encoded.shape[2] == 4 else None
    text = {k: v for k, v in image.info.items() if isinstance(k, str) and isinstance(v, str)}
    return LoadedImage(decode_srgb(encoded[..., :3]), alpha, text)


def name_of(source: Readable) -> str:
    """What a picture is called: its file's name, or "from memory"."""
    if isinstance(source, str | os.PathLike):
        return os.fspath(source)
    name = getattr(source, "name", None) or getattr(source, "filename", None)
    return name if isinstance(name, str) and name else "from memory"


def _from_array(array: np.ndarray, pixel_limit: int) -> LoadedImage:
    if array.ndim not in (2, 3) or (array.ndim == 3 and array.shape[2] not in (1, 3, 4)) or array.size == 0:
        raise CaptureError(f"An array of pixels has shape (H, W), (H, W, 3) or (H, W, 4), not {array.shape}")
    if array.shape[0] * array.shape[1] > pixel_limit:
        raise CaptureError(
            f"The array has {array.shape[0] * array.shape[1] / 1e6:.0f} megapixels; the limit is {pixel_limit / 1e6:.0f}: "
            "scale it down"
        )
    if array.dtype.kind == "f":
        if not np.isfinite(array).all() or array.min() < 0 or array.max() > 1:
            raise CaptureError("An array of floats holds sRGB-encoded values from 0 to 1; these lie beyond")
        encoded = array.astype(np.float32)
    elif array.dtype in (np.uint8, np.uint16):
        encoded = array.astype(np.float32) / np.float32(np.iinfo(array.dtype).max)
    else:
        raise CaptureError(f"An array of pixels is uint8, uint16 or float, not {array.dtype}")
    coloured = _as_colour(encoded)
    alpha = np.ascontiguousarray(coloured[..., 3]) if coloured.shape[2] == 4 else None
    return LoadedImage(decode_srgb(coloured[..., :3]), alpha, {})


def file_digest(path: str | Path) -> str:
    """SHA-256 of a file's bytes, hexadecimal. Raises CaptureError when it cannot be read."""
    return hashlib.sha256(_read_bytes(Path(path))).hexdigest()


def _read_bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except FileNotFoundError:
        raise CaptureError(f"There is no file '{path}'") from None
    except IsADirectoryError:
        raise CaptureError(f"'{path}' is a folder, not a picture") from None
    except OSError as error:
        raise CaptureError(f"Cannot read '{path}': {error.strerror or error}") from None


def _open(path: Path, data: bytes):
    from PIL import Image, UnidentifiedImageError

    if not data:
        raise CaptureError(f"'{path}' is an empty file")
    Image.MAX_IMAGE_PIXELS = None
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return Image.open(io.BytesIO(data))
    except UnidentifiedImageError:
        raise CaptureError(f"'{path}' is not a picture that can be read; use PNG, JPEG, WebP, TIFF or BMP") from None
    except (OSError, ValueError, SyntaxError) as error:
        raise CaptureError(f"'{path}' is damaged: {_reason(error)}; export it again") from None


def _reason(error: Exception) -> str:
    return str(error).splitlines()[0] if str(error) else type(error).__name__


def _is_deep_colour(path: Path, image, data: bytes) -> bool:
    # Pillow opens 16-bit colour PNG as 8-bit RGB; the IHDR chunk's bit depth tells.
    if image.format == "PNG":
        return len(data) > 24 and data[24] == 16
    if image.format == "TIFF":
        bits = image.tag_v2.get(258, (8,))
        return max(bits if isinstance(bits, tuple) else (bits,)) > 8
    return False


def _decode_deep(path: Path, data: bytes, image) -> np.ndarray:
    raw = _tiff_pixels(data) if image.format == "TIFF" else None
    if raw is None:
        import cv2

        raw = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
        if raw is None:
            raise ValueError("its 16-bit data cannot be decoded")
        if raw.ndim == 3:
            raw = raw[..., [2, 1, 0, *range(3, raw.shape[2])]]
    limit = float(np.iinfo(raw.dtype).max) if raw.dtype.kind in "ui" else 1.0
    return _as_colour(raw.astype(np.float32) / np.float32(limit))


def _tiff_pixels(data: bytes) -> np.ndarray | None:
    """A TIFF's numbers, (H, W) or (H, W, C); None where they are packed in a way (LZW) that needs another decoder."""
    import tifffile

    try:
        raw = tifffile.imread(io.BytesIO(data))
    except ValueError as error:
        if "imagecodecs" in str(error):
            return None
        raise
    if raw.ndim == 3 and raw.shape[0] in (3, 4) and raw.shape[2] not in (3, 4):
        raw = np.moveaxis(raw, 0, 2)
    return raw


def _decode_plain(image) -> np.ndarray:
    from PIL import Image, ImageCms, ImageOps

    profile = image.info.get("icc_profile")
    image = ImageOps.exif_transpose(image)
    has_alpha = image.mode in ("RGBA", "LA", "PA") or "transparency" in image.info
    alpha = image.convert("RGBA").getchannel("A") if has_alpha else None
    if profile and image.mode in ("RGB", "RGBA", "L", "CMYK"):
        try:
            source = ImageCms.ImageCmsProfile(io.BytesIO(profile))
            base = image.convert("RGB") if image.mode == "RGBA" else image
            image = ImageCms.profileToProfile(base, source, ImageCms.createProfile("sRGB"), outputMode="RGB")
        except ImageCms.PyCMSError:
            pass  # a broken profile is ignored, as viewers do
    rgb = np.asarray(image.convert("RGB"), np.float32) / np.float32(255.0)
    if alpha is None:
        return rgb
    if not isinstance(alpha, Image.Image):
        return rgb
    return np.dstack([rgb, np.asarray(alpha, np.float32) / np.float32(255.0)])


def _as_colour(values: np.ndarray) -> np.ndarray:
    if values.ndim == 2:
        return np.repeat(values[..., None], 3, axis=2)
    if values.shape[2] == 1:
        return np.repeat(values, 3, axis=2)
    if values.shape[2] == 2:
        return np.concatenate([np.repeat(values[..., :1], 3, axis=2), values[..., 1:]], axis=2)
    return values[..., :4]
