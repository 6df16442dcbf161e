"""A finished picture that is worked on: its own pixels, and what was done to them."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np

import irodori
from irodori.core.errors import OutputError
from irodori.core.recipe import FromFinished, Output, Recipe, Step
from irodori.core.work import late
from irodori.formats.print_size import read_print_size
from irodori.formats.vector_file import VECTORS
from irodori.formats.write_image import check_suffix, write_image

if TYPE_CHECKING:
    from PIL import Image


class FinishedPicture:
    """A picture as it was found, or as steps left it; nothing is known of its light.

    Attributes
    ----------
    encoded
        (H, W, 3) float32, sRGB-encoded 0 … 1.
    recipe
        Which picture it was, and every step since.
    """

    def __init__(self, encoded: np.ndarray, recipe: Recipe) -> None:
        self.encoded, self.recipe = np.asarray(encoded, np.float32), recipe

    @classmethod
    def found(cls, encoded: np.ndarray, source: FromFinished) -> FinishedPicture:
        """The picture of a file before anything is done to it."""
        return cls(encoded, Recipe(irodori=irodori.__version__, source=source))

    def after(self, step: Step, encoded: np.ndarray) -> FinishedPicture:
        """This picture after a step that left these pixels."""
        return FinishedPicture(
            np.clip(encoded, 0, 1), self.recipe.but(steps=(*self.recipe.steps, step))
        )

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
        """Write it with its recipe inside: PNG and TIFF in 8 or 16 bits, JPEG and WebP in 8. Raises OutputError."""
        if bits not in (8, 16):
            raise OutputError(f"A picture has 8 or 16 bits a channel, not {bits}")
        suffix = check_suffix(path)
        if suffix == ".exr" or suffix in VECTORS:
            raise OutputError(f"A finished picture has neither layers of light nor strokes for '{suffix}'; write .png or .tif")
        dpi = read_print_size(print_size).dpi if print_size else None
        recipe = self.recipe.but(output=Output(bits=bits, print_size=print_size))
        pixels = np.rint(self.encoded * (255 if bits == 8 else 65535)).astype(f"u{bits // 8}")
        write_image(path, pixels, recipe=recipe, dpi=dpi)
        return Path(path)

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
