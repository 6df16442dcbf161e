"""The structure of a picture some times as large."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.colour import decode_srgb, encode_srgb
from irodori.core.pixels.finer import finer
from irodori.core.structure import Structure
from irodori.retouch.enlarge.pixels import enlarged_pixels


def enlarged_structure(structure: Structure, times: int) -> Structure:
    """What was read of a picture, as of one `times` as large: the same surfaces in the same places, with their borders between its pixels."""
    fragments, camera = finer(structure.fragments, structure.camera, times)
    width, height = camera.size
    first = fragments.first()
    table = structure.surfaces.copy()
    table["area_px"] = table["area_px"] * times**2
    image, textured = structure.image, structure.textured
    if image is not None:
        shown = enlarged_pixels(encode_srgb(image).astype(np.float32), times, structure.fragments)
        image = decode_srgb(shown).astype(np.float32)
    if textured is not None:
        shown = enlarged_pixels(textured.astype(np.float32) / 255, times, structure.fragments)
        textured = np.rint(shown * 255).astype(np.uint8)
    return replace(
        structure, camera=camera, fragments=fragments, regions=fragments.region[first].reshape(height, width),
        depth=fragments.depth[first].reshape(height, width), normal=fragments.normal[first].reshape(height, width, 3),
        lines=structure.lines * np.float32(times), surfaces=table, image=image, textured=textured,
    )  # fmt: skip
