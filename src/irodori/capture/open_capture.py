"""Opening a picture as a capture."""

from __future__ import annotations

import hashlib
from collections.abc import Collection
from pathlib import Path

import numpy as np

from irodori.capture.cleaning.clean import clean as clean_picture
from irodori.capture.kind import detect_kind
from irodori.capture.page.sheet import lay_out
from irodori.capture.passes import read_passes
from irodori.core.capture import Capture, Kind
from irodori.core.cleanings import Wanted
from irodori.core.errors import CaptureError
from irodori.core.recipe import FromCapture, FromMemory
from irodori.formats.read_image import PIXEL_LIMIT, Readable, file_digest, name_of, read_image

SMALLEST = 16
"""Pixels a side below which there is nothing to read."""


def open_capture(
    source: Readable,
    passes: dict[str, str | Path] | None = None,
    *,
    kind: Kind | None = None,
    near: float | None = None,
    far: float | None = None,
    clean: bool = True,
    keep: Collection[str] = (),
    remove: Collection[str] = (),
    north: float = 0.0,
    pixel_limit: int = PIXEL_LIMIT,
) -> Capture:
    """Open a viewport capture, a line drawing or a finished picture.

    Parameters
    ----------
    source
        PNG, JPEG, WebP, TIFF or BMP: a path, or a file opened as "rb"; or pixels, sRGB-encoded: an array (H, W), (H, W, 3) or
        (H, W, 4), uint8, uint16 or float 0 … 1, or a Pillow image. Pictures made of what lies in no file can be repeated
        only by who still has it.
    passes
        Files beside it: "depth" (EXR in metres, or a 16-bit picture with `near` and `far`), "normal"
        (EXR, or a picture with n·0.5+0.5), "id" (one flat colour a surface).
    kind
        "shaded", "line", "sketch" (on paper) or "finished"; None tells it from the picture.
    near, far
        Metres at black and white of a 16-bit depth pass.
    clean
        Take away what is not the model: what the 3D program painted over it (grid, axis marks, selection outline,
        pointer, orientation widget), a window or a frame round it, and its shadows, textures, hatching, compression noise, paper; lines drawn light on
        dark, or in colours, become black on white. What is transparent lies on white.
    keep, remove
        Names of `CLEANINGS` to leave out, and to do even where it is not certain that there is something.

    Raises
    ------
    CaptureError
        When a file is missing, damaged, no picture, too large or too small, or a pass has another size; when a
        cleaning is unknown, or both to be kept and removed.
    """
    wanted = Wanted.told(clean, keep, remove)
    path = name_of(source)
    loaded = read_image(source, pixel_limit=pixel_limit)
    height, width = loaded.rgb.shape[:2]
    if min(height, width) < SMALLEST:
        raise CaptureError(
            f"'{path}' is only {width} × {height} pixels; a capture needs at least {SMALLEST} × {SMALLEST}"
        )
    buffers = read_passes(passes or {}, (width, height), near, far)
    laid = lay_out(loaded.rgb, loaded.alpha, kind, wanted, framed=not buffers)
    found = kind or detect_kind(laid.image)
    cleaned = clean_picture(laid.image, found, wanted, done=laid.done)
    image, alpha, said = cleaned.image, laid.alpha, laid.done.values()
    if image.shape != laid.image.shape:
        if buffers:
            raise CaptureError("Passes cannot lie beside a photographed page; give the passes with a scan, or alone")
        alpha = None
    in_file = Path(path).is_file() and not isinstance(source, np.ndarray) and not hasattr(source, "convert")
    told: dict = {
        "kind": kind, "clean": clean, "keep": sorted(wanted.keep) if clean else [], "remove": sorted(wanted.remove),
        "north": north,
    }  # fmt: skip
    hasher = hashlib.sha256(np.ascontiguousarray(image).tobytes())
    if alpha is not None:
        hasher.update(np.ascontiguousarray(alpha).tobytes())
    hasher.update(" ".join([found, str(image.shape), *said]).encode())
    for name in sorted(buffers):
        hasher.update(name.encode() + np.ascontiguousarray(buffers[name]).tobytes())
    return Capture(
        image=image, alpha=alpha, kind=found, digest=hasher.hexdigest(), passes=buffers,
        source=str(path) if in_file else "", removed=(*said, *cleaned.removed), north=north,
        lossy=cleaned.lossy, textured=cleaned.textured,
        origin=FromCapture(
            file=str(path), digest=file_digest(path), near=near, far=far,
            passes={k: str(v) for k, v in (passes or {}).items()}, **told,
        ) if in_file else FromMemory(**told),
    )  # fmt: skip
