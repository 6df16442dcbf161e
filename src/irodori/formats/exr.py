"""OpenEXR: named float or integer channels, with text attributes."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from irodori.core.errors import CaptureError
from irodori.formats.atomic import whole_file


def write_exr(path: str | Path, channels: dict[str, np.ndarray], attributes: dict[str, str] | None = None) -> None:
    """Write (H, W) channels (float16, float32 or uint32) with ZIP compression. Raises OutputError."""
    import OpenEXR

    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **(attributes or {})}
    with whole_file(path) as temporary:
        OpenEXR.File(header, {k: np.ascontiguousarray(v) for k, v in channels.items()}).write(str(temporary))


def read_exr(path: str | Path) -> tuple[dict[str, np.ndarray], dict]:
    """Channels by name and the header's attributes. Raises CaptureError when it is not a readable EXR."""
    import OpenEXR

    if not Path(path).is_file():
        raise CaptureError(f"There is no file '{path}'")
    try:
        with OpenEXR.File(str(path), separate_channels=True) as file:
            channels = {name: np.array(c.pixels) for name, c in file.channels().items()}
            header = dict(file.header())
    except Exception:  # the binding raises bare RuntimeError and worse
        raise CaptureError(f"'{path}' is not a readable OpenEXR file; export it again") from None
    return channels, header
