"""Opening a picture as a capture."""

from __future__ import annotations

import hashlib
from collections.abc import Collection
from pathlib import Path

import numpy as np

from irodori.capture.clean import clean as clean_picture
from irodori.capture.frame_line import within_frame
from irodori.capture.kind import detect_kind
from irodori.capture.passes import read_passes
from irodori.capture.sheet import on_sheet, outline_of, turned_to_paper
from irodori.core.capture import Capture, Kind
from irodori.core.cleanings import CLEANINGS, Wanted
from irodori.core.colour import encode_8_bit
from irodori.core.errors import CaptureError
from irodori.formats.read_image import PIXEL_LIMIT, file_digest, read_image

SMALLEST = 16
"""Pixels a side below which there is nothing to read."""


def open_capture(
    path: str | Path,
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
    path
        PNG, JPEG, WebP, TIFF or BMP.
    passes
        Files beside it: "depth" (EXR in metres, or a 16-bit picture with `near` and `far`), "normal"
        (EXR, or a picture with n·0.5+0.5), "id" (one flat colour a surface).
    kind
        "shaded", "line", "sketch" (on paper) or "finished"; None tells it from the picture.
    near, far
        Metres at black and white of a 16-bit depth pass.
    clean
        Take away what is not the model: what the 3D program painted over it (grid, axis marks, selection outline,
        pointer, orientation widget), a frame round it, and its shadows, textures, hatching, compression noise, paper; lines drawn light on
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
    loaded = read_image(path, pixel_limit=pixel_limit)
    height, width = loaded.rgb.shape[:2]
    if min(height, width) < SMALLEST:
        raise CaptureError(
            f"'{path}' is only {width} × {height} pixels; a capture needs at least {SMALLEST} × {SMALLEST}"
        )
    buffers = read_passes(passes or {}, (width, height), near, far)
    shown, alpha = on_sheet(loaded.rgb, loaded.alpha), outline_of(loaded.alpha)
    inner = within_frame(encode_8_bit(shown)) if not buffers and wanted.may("frame") else None
    if inner is not None:
        shown, alpha = shown[inner], None if alpha is None else alpha[inner]
    shown, turned = turned_to_paper(shown, kind, wanted)
    early = [*["frame"] * (inner is not None), *[turned] * bool(turned)]
    found = kind or detect_kind(shown)
    cleaned = clean_picture(shown, found, wanted, done=early)
    said = [f"Turned {CLEANINGS[turned]} into black on white"] if turned else []
    if inner is not None:
        said.insert(0, f"Took off {CLEANINGS['frame']}: {shown.shape[1]} × {shown.shape[0]} px are left")
    image = cleaned.image
    if image.shape != shown.shape:
        if buffers:
            raise CaptureError("Passes cannot lie beside a photographed page; give the passes with a scan, or alone")
        alpha = None
    hasher = hashlib.sha256(np.ascontiguousarray(image).tobytes())
    if alpha is not None:
        hasher.update(np.ascontiguousarray(alpha).tobytes())
    hasher.update(" ".join([found, str(image.shape), *said]).encode())
    for name in sorted(buffers):
        hasher.update(name.encode() + np.ascontiguousarray(buffers[name]).tobytes())
    return Capture(
        image=image, alpha=alpha, kind=found, digest=hasher.hexdigest(), passes=buffers,
        source=str(path), removed=(*said, *cleaned.removed), north=north,
        lossy=cleaned.lossy, textured=cleaned.textured,
        origin={
            "capture": str(path), "capture_digest": file_digest(path), "kind": kind, "near": near, "far": far,
            "clean": clean, "keep": sorted(wanted.keep) if clean else [], "remove": sorted(wanted.remove), "north": north, "passes": {k: str(v) for k, v in (passes or {}).items()},
        },
    )  # fmt: skip
