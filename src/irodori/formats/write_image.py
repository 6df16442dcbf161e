"""Pictures to files, with the recipe inside, written whole or not at all."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np

from irodori.core.errors import OutputError
from irodori.core.recipe import Recipe
from irodori.formats.atomic import whole_file
from irodori.formats.recipe_text import PNG_KEY, add_png_density, add_png_text, xmp_packet
from irodori.formats.vector_file import VECTORS

LAYERED = ".ora"
"""OpenRaster: finished pictures that were touched up, layer by layer."""

WRITABLE = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".exr", *VECTORS)


def check_suffix(path: str | Path, also: tuple[str, ...] = ()) -> str:
    """The lower-case ending of a file we can write, `also` these. Raises OutputError."""
    suffix = Path(path).suffix.lower()
    if suffix not in (*WRITABLE, *also):
        raise OutputError(f"Cannot write '{path}': end its name with {', '.join((*WRITABLE, *also))}")
    return suffix


def write_image(
    path: str | Path, encoded: np.ndarray, *, recipe: Recipe | None = None, dpi: float | None = None
) -> None:
    """Write an sRGB-encoded picture.

    Parameters
    ----------
    path
        Ends with .png, .jpg, .tif or .webp.
    encoded
        (H, W, 3) uint8 or uint16 (PNG and TIFF only), or (H, W) grey.
    recipe
        Stored as XMP.
    dpi
        Pixels per inch of a print; None says nothing of it.

    Raises
    ------
    OutputError
        When the ending is unknown, the depth does not fit the format or the place cannot be written.
    """
    suffix = check_suffix(path)
    if encoded.dtype == np.uint16 and suffix not in (".png", ".tif", ".tiff"):
        raise OutputError(f"16 bits need PNG or TIFF, not '{suffix}'")
    packet = xmp_packet(recipe) if recipe is not None else None
    if suffix == ".png":
        data = _png(encoded, packet, dpi)
    elif suffix in (".tif", ".tiff"):
        data = _tiff(encoded, packet, dpi)
    else:
        data = _lossy(encoded, packet, "JPEG" if suffix in (".jpg", ".jpeg") else "WEBP", dpi)
    with whole_file(path) as temporary:
        temporary.write_bytes(data)


def encode_png(encoded: np.ndarray) -> bytes:
    """A picture (H, W, 3), or (H, W, 4) with alpha, uint8 as the bytes of a PNG."""
    return _png(encoded, None)


def _png(encoded: np.ndarray, packet: str | None, dpi: float | None = None) -> bytes:
    import cv2

    order = {3: [2, 1, 0], 4: [2, 1, 0, 3]}
    pixels = encoded[..., order[encoded.shape[2]]] if encoded.ndim == 3 else encoded
    ok, buffer = cv2.imencode(".png", np.ascontiguousarray(pixels), [cv2.IMWRITE_PNG_COMPRESSION, 4])
    if not ok:
        raise OutputError("The picture could not be encoded as PNG")
    data = buffer.tobytes()
    if dpi is not None:
        data = add_png_density(data, dpi)
    return add_png_text(data, PNG_KEY, packet) if packet else data


def _tiff(encoded: np.ndarray, packet: str | None, dpi: float | None) -> bytes:
    import tifffile

    out = io.BytesIO()
    extra = [(700, 1, len(packet.encode()), packet.encode(), True)] if packet else []
    tifffile.imwrite(
        out, encoded, photometric="rgb" if encoded.ndim == 3 else "minisblack", compression="zlib",
        extratags=extra, metadata=None, software="irodori",
        resolution=(dpi, dpi) if dpi else None, resolutionunit="INCH" if dpi else None,
    )  # fmt: skip
    return out.getvalue()


def _lossy(encoded: np.ndarray, packet: str | None, kind: str, dpi: float | None) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    options: dict = {"quality": 95}
    if kind == "JPEG":
        options["subsampling"] = 0  # chroma subsampling would soften coloured edges
    if dpi and kind == "JPEG":
        options["dpi"] = (round(dpi), round(dpi))
    if packet:
        options["xmp"] = packet.encode()
    try:
        Image.fromarray(encoded).save(out, kind, **options)
    except ValueError as error:
        if packet and "XMP" in str(error):
            raise OutputError(f"{kind} has no room for so long a recipe; save as PNG or TIFF") from None
        raise
    return out.getvalue()
