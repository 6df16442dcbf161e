"""Moving pictures: animated WebP, APNG and GIF; MP4 and WebM where an encoder is installed."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import numpy as np

from irodori.core.errors import OutputError
from irodori.formats.atomic import whole_file

ANIMATED = (".webp", ".png", ".apng", ".gif")
VIDEO = (".mp4", ".webm")
QUALITY = 88

MOST_TOLD = 40
"""Frames at most, about, that tell the colours of a GIF."""


def check_animation(path: str | Path) -> None:
    """Whether a file of such a name can be written here. Raises OutputError."""
    suffix = Path(path).suffix.lower()
    if suffix in VIDEO:
        try:
            import av  # noqa: F401
        except ImportError:
            raise OutputError(f"'{suffix}' needs an encoder: pip install av; or write .webp, .png or .gif") from None
    elif suffix not in ANIMATED:
        raise OutputError(f"'{path}' is no moving picture; write {', '.join((*ANIMATED, *VIDEO))}")


def write_animation(path: str | Path, frames: Iterable[np.ndarray], seconds: float = 1.0) -> Path:
    """Write frames (H, W, 3) uint8 sRGB, each shown for some `seconds`, over and over; by the file's ending.

    Raises OutputError when there is no frame, the ending is none of `ANIMATED` and `VIDEO`, or the file cannot be written.
    """
    check_animation(path)
    kept = [np.ascontiguousarray(frame) for frame in frames]
    if not kept:
        raise OutputError("A moving picture needs frames")
    if not 0.01 <= seconds <= 60:
        raise OutputError(f"{seconds:g} s a frame is out of range; give 0.01 to 60")
    with whole_file(path) as temporary:
        (_write_video if Path(path).suffix.lower() in VIDEO else _write_frames)(temporary, kept, seconds)
    return Path(path)


def _write_frames(path: Path, frames: list[np.ndarray], seconds: float) -> None:
    from PIL import Image

    kind = {".webp": "WEBP", ".gif": "GIF"}.get(path.suffix.lower(), "PNG")
    more = {"WEBP": {"quality": QUALITY, "method": 4}, "GIF": {"disposal": 2}}.get(kind, {})
    images = [Image.fromarray(frame) for frame in frames]
    if kind == "GIF":
        # One palette for all, so that still parts stand still.
        few = [np.asarray(image.resize((160, 100))) for image in images[:: max(1, len(images) // MOST_TOLD)]]
        palette = Image.fromarray(np.concatenate(few)).quantize(256, dither=Image.Dither.NONE)
        images = [image.quantize(palette=palette, dither=Image.Dither.FLOYDSTEINBERG) for image in images]
    images[0].save(
        path, kind, save_all=True, append_images=images[1:], duration=round(1000 * seconds), loop=0, **more
    )  # fmt: skip


def _write_video(path: Path, frames: list[np.ndarray], seconds: float) -> None:
    from fractions import Fraction

    import av

    height, width = frames[0].shape[:2]
    codec = "libx264" if path.suffix.lower() == ".mp4" else "libvpx-vp9"
    with av.open(str(path), "w") as file:
        stream = file.add_stream(codec, rate=Fraction(1 / seconds).limit_denominator(1000))
        stream.width, stream.height, stream.pix_fmt = width - width % 2, height - height % 2, "yuv420p"
        for frame in frames:
            shown = av.VideoFrame.from_ndarray(frame[: stream.height, : stream.width], format="rgb24")
            file.mux(stream.encode(shown))
        file.mux(stream.encode())
