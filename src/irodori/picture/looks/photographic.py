"""As a photographer would develop it; see `irodori.picture.develop`."""

from __future__ import annotations

import numpy as np

from irodori.picture.buffers import Buffers
from irodori.picture.develop import develop
from irodori.picture.looks import look


@look("photographic", about="As a photographer would develop it")
def draw_photographic(buffers: Buffers) -> np.ndarray:
    """Exposure, white balance, glare, a filmic curve, and a trace of every border."""
    return develop(
        buffers.fragments, buffers.size, buffers.light, buffers.development, buffers.natural, buffers.carried
    )  # fmt: skip
