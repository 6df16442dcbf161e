"""A finished picture that is worked on: its own pixels, and what was done to them."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np

import irodori
from irodori.core.colour import decode_srgb
from irodori.core.errors import OutputError
from irodori.core.recipe import FromFinished, Output, Recipe, Step
from irodori.core.work import late
from irodori.formats.exr import write_exr
from irodori.formats.openraster import write_openraster
from irodori.formats.print_size import read_print_size
from irodori.formats.recipe_text import xmp_packet
from irodori.formats.vector_file import VECTORS
from irodori.formats.write_image import LAYERED, check_suffix, write_image

if TYPE_CHECKING:
    from PIL import Image


def check_pixels(path: str | Path, *, layered: bool = False) -> str:
    """The ending of a file that can hold a finished picture; its layers too, where it is `layered`. Raises OutputError."""
    suffix = check_suffix(path, (LAYERED,))
    if suffix in VECTORS or (suffix in (LAYERED, ".exr") and not layered):
        lacks = "strokes" if suffix in VECTORS else "layers"
        raise OutputError(f"This picture has no {lacks} for '{suffix}'; write .png or .tif")
    return suffix


class FinishedPicture:
    """A picture as it was found, or as steps left it; nothing is known of its light.

    Attributes
    ----------
    encoded
        (H, W, 3) float32, sRGB-encoded 0 … 1.
    recipe
        Which picture it was, and every step since.
    layers
        What the last step laid over it, the lowest first: name and (H, W, 4) float32 encoded with straight alpha; none but of touches.
    """

    def __init__(self, encoded: np.ndarray, recipe: Recipe, layers: tuple[tuple[str, np.ndarray], ...] = ()) -> None:
        self.encoded, self.recipe, self.layers = np.asarray(encoded, np.float32), recipe, layers

    @classmethod
    def found(cls, encoded: np.ndarray, source: FromFinished) -> FinishedPicture:
        """The picture of a file before anything is done to it."""
        return cls(encoded, Recipe(irodori=irodori.__version__, source=source))

    def after(
        self, step: Step, encoded: np.ndarray, layers: tuple[tuple[str, np.ndarray], ...] = ()
    ) -> FinishedPicture:
        """This picture after a step that left these pixels, and laid `layers` over those before."""
        return FinishedPicture(np.clip(encoded, 0, 1), self.recipe.but(steps=(*self.recipe.steps, step)), layers)

    @property
    def size(self) -> tuple[int, int]:
        """(width, height), px."""
        return self.encoded.shape[1], self.encoded.shape[0]

    @property
    def developed(self) -> np.ndarray:
        """(H, W, 3) uint8, sRGB."""
        return np.rint(self.encoded * 255).astype(np.uint8)

    @property
    def is_drawn(self) -> bool:
        """Whether it is drawn by strokes of ours: never."""
        return False

    def save(self, path: str | Path, *, bits: Literal[8, 16] = 8, print_size: str = "") -> Path:
        """Write it with its recipe inside: PNG and TIFF in 8 or 16 bits, JPEG and WebP in 8; with its layers as OpenRaster or OpenEXR.

        Raises OutputError.
        """
        if bits not in (8, 16):
            raise OutputError(f"A picture has 8 or 16 bits a channel, not {bits}")
        suffix = check_pixels(path, layered=bool(self.layers))
        dpi = read_print_size(print_size).dpi if print_size else None
        recipe = self.recipe.but(output=Output(bits=bits, print_size=print_size))
        if suffix == LAYERED:
            eight = [(name, np.rint(pixels * 255).astype(np.uint8)) for name, pixels in self.layers]
            write_openraster(path, eight, self.developed, recipe.text)
            return Path(path)
        if suffix == ".exr":
            write_exr(path, self._linear_layers(), {"xmp": xmp_packet(recipe)})
            return Path(path)
        pixels = np.rint(self.encoded * (255 if bits == 8 else 65535)).astype(f"u{bits // 8}")
        write_image(path, pixels, recipe=recipe, dpi=dpi)
        return Path(path)

    def _linear_layers(self) -> dict[str, np.ndarray]:
        """The channels of an OpenEXR: the picture, and each layer linear with alpha multiplied in, as that format has it."""
        channels = dict(zip("RGB", np.moveaxis(decode_srgb(self.encoded).astype(np.float32), 2, 0)))
        for name, pixels in self.layers:
            linear = decode_srgb(pixels[..., :3]) * pixels[..., 3:]
            for part, plane in zip("RGBA", (*np.moveaxis(linear, 2, 0), pixels[..., 3])):
                channels[f"{name}.{part}"] = plane.astype(np.float32)
        return channels

    def to_pil(self) -> Image.Image:
        """The picture as a Pillow image."""
        from PIL import Image

        return Image.fromarray(self.developed)

    def __array__(self, dtype=None, copy=None) -> np.ndarray:
        return self.developed if dtype is None else self.developed.astype(dtype)

    def _repr_png_(self) -> bytes:
        return late.do("encode png", self.developed)

    def __repr__(self) -> str:
        width, height = self.size
        return f"<FinishedPicture {width}×{height}, {' → '.join(step.step for step in self.recipe.steps) or 'as found'}>"
