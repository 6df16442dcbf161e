"""As a photographer would develop it; see `irodori.picture.develop`."""

from __future__ import annotations

from irodori.picture.buffers import Buffers
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.looks import look


@look("photographic", about="As a photographer would develop it")
def draw_photographic(buffers: Buffers, manner: Manner) -> Sheet:
    """Exposure, white balance, glare, a filmic curve, and a trace of every border."""
    return Sheet(buffers.size, ground=buffers.photograph)
