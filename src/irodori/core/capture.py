"""The capture: a picture that comes in, with what is known about it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Literal

import numpy as np

from irodori.core.colour import encode_8_bit
from irodori.core.model import Mesh
from irodori.core.recipe import FromMemory, Source
from irodori.core.work import late

if TYPE_CHECKING:
    from irodori.core.structure import Structure

Kind = Literal["shaded", "line", "sketch", "finished", "passes"]
DRAWN: tuple[Kind, ...] = ("line", "sketch")
"""Kinds that show lines on paper instead of colours."""


@dataclass(frozen=True, eq=False)
class Capture:
    """A picture that comes in.

    Attributes
    ----------
    image
        (H, W, 3) float32, linear-light Rec.709.
    alpha
        (H, W) float32, how far the picture covers what lies behind it: where it does not there is sky; or None.
    kind
        "shaded", "line", "sketch" (on paper), "finished" (a rendering or photo) or "passes" (exact buffers came with it).
    exact
        The exact structure, when passes or a model came with the picture.
    mesh
        The model's triangles, when the capture was taken from a model.
    passes
        Loose buffers that came beside a picture: depth (m), normal, id.
    source, view
        Where it came from.
    digest
        SHA-256 over pixels and passes; the key of the reading cache.
    removed
        What cleaning took away, as sentences.
    lossy
        Whether lossy compression has left its noise beside edges.
    textured
        (H, W, 3) uint8 sRGB, what was shown before textures were smoothed or hatching was taken off, whose lines tell the
        camera too; or None.
    origin
        What is needed to open this capture again; goes into every recipe.
    size
        (width, height).
    """

    image: np.ndarray
    kind: Kind
    digest: str
    alpha: np.ndarray | None = None
    exact: Structure | None = None
    mesh: Mesh | None = None
    passes: dict = field(default_factory=dict)
    source: str = ""
    view: str = ""
    removed: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    lossy: bool = False
    textured: np.ndarray | None = None
    north: float = 0.0
    origin: Source = field(default_factory=FromMemory)

    @property
    def size(self) -> tuple[int, int]:
        return self.image.shape[1], self.image.shape[0]

    @property
    def name(self) -> str:
        """A short name for files made from this capture."""
        from pathlib import Path

        stem = Path(self.source).stem or "capture"
        return f"{stem}-{self.view}".replace(" ", "-") if self.view else stem

    def _repr_png_(self) -> bytes:
        return late.do("encode png", encode_8_bit(self.image))

    def __repr__(self) -> str:
        width, height = self.size
        where = f" view '{self.view}'" if self.view else ""
        return f"<Capture {self.source or 'from memory'}{where}, {self.kind}, {width}×{height}>"
