"""What a look may draw from: everything known of a picture, by name."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

import numpy as np

from irodori.core.colour import luminance
from irodori.core.fragments import Fragments
from irodori.core.geometry.frames import surface_frames
from irodori.core.lines import LineSides, line_sides
from irodori.core.roles import ROLES
from irodori.core.scene import Shown
from irodori.core.structure import Structure
from irodori.engine.image.layers import Traced
from irodori.picture.develop import Development, develop, fragment_colours
from irodori.picture.joints import border_cover

NO_ROLE = -1

WIDE = 1280
"""px of the longer side of the picture that lengths in drawings are told for."""


class Buffers:
    """All that is known of a picture.

    What is per fragment has a row for each of `fragments`, and `resolved` blends it into pixels by coverage; what is per
    pixel has the picture's size, (H, W, …).

    Attributes
    ----------
    structure
        What must not move: camera, surfaces, lines.
    shown
        What is seen of it, additions before it.
    development
        Exposure and white, as metered.
    seed
        What all chance depends on.
    carried
        Fine lines that the capture shows within surfaces, or None.
    own_lines
        Whether `carried` holds all the strokes of the capture, so that outlines would draw them twice.
    """

    def __init__(
        self, structure: Structure, shown: Shown, traced: Traced, development: Development, seed: int,
        carried: np.ndarray | None = None, own_lines: bool = False,
    ) -> None:  # fmt: skip
        self.structure, self.shown, self.development, self.seed, self.carried = (
            structure,
            shown,
            development,
            seed,
            carried,
        )
        self.own_lines = own_lines
        self._traced = traced

    @property
    def fragments(self) -> Fragments:
        """The visible pieces of surface, pixel by pixel."""
        return self.shown.fragments

    @property
    def size(self) -> tuple[int, int]:
        """(width, height), px."""
        return self.structure.size

    @property
    def loose(self) -> np.ndarray:
        """(S,) bool by surface id: planting."""
        return self.shown.loose

    @cached_property
    def natural(self) -> np.ndarray:
        """(S,) bool by surface id: what has no joints among its like, planting, grass, bare ground and water."""
        out = self.loose.copy()
        ids = self.structure.of_role("lawn", "ground", "water")
        out[ids[ids < len(out)]] = True
        return out

    @property
    def panes(self) -> np.ndarray:
        """(S,) bool by surface id: glazing."""
        return self.shown.panes

    def resolved(self, values: np.ndarray) -> np.ndarray:
        """Values of fragments, (N,) or (N, C), blended into pixels, (H, W, C) float32."""
        return self.fragments.resolve(values if values.ndim > 1 else values[:, None], self.size)

    def layer(self, name: str) -> np.ndarray:
        """One layer of light of every fragment, (N, 3) float32, in units of `unit` cd/m²; `irodori.engine.image.layers.LAYERS`.

        Raises KeyError when there is no such layer.
        """
        return self._traced.of(name)

    @property
    def unit(self) -> float:
        """cd/m² of one unit of light."""
        return self._traced.unit

    @property
    def albedo(self) -> np.ndarray:
        """Colour of every fragment's surface, (N, 3) float32 linear, 0 … 1."""
        return self.layer("albedo")

    @cached_property
    def light(self) -> np.ndarray:
        """All light of every fragment together, (N, 3) float32, in units of `unit` cd/m²."""
        return self._traced.light()

    @cached_property
    def fallen(self) -> np.ndarray:
        """Light of every fragment that fell on it and was not mirrored, (N, 3) float32, times its albedo, in units of `unit` cd/m²."""
        return self._traced.fallen(slice(None))

    @cached_property
    def depth(self) -> np.ndarray:
        """(H, W) float32, m along the optical axis, of what fills most of each pixel, additions included; inf in the sky."""
        return self._of_first(self.fragments.depth)

    @cached_property
    def normal(self) -> np.ndarray:
        """(H, W, 3) float32, unit, world frame; zero in the sky."""
        return self._of_first(self.fragments.normal)

    @cached_property
    def region(self) -> np.ndarray:
        """(H, W) int32: the id of the surface; those of additions come after the structure's own; 0 in the sky."""
        return self._of_first(self.fragments.region)

    @cached_property
    def role(self) -> np.ndarray:
        """(H, W) int16: which of `irodori.core.roles.ROLES` the surface is; −1 in the sky and for additions but planting."""
        return self.role_of[self.region]

    @cached_property
    def role_of(self) -> np.ndarray:
        """The same by surface id, (S,) int16."""
        table = self.structure.surfaces
        out = np.full(max(len(self.loose), int(table["id"].max()) + 1 if len(table) else 1), NO_ROLE, np.int16)
        out[: len(self.loose)][self.loose] = ROLES.index("planting")
        number = {role: n for n, role in enumerate(ROLES)}
        out[table["id"].to_numpy()] = [number.get(role, NO_ROLE) for role in table["role"]]
        return out

    @cached_property
    def border_cover(self) -> np.ndarray:
        """(H, W) float32, 0 … 1: how much of a border between surfaces crosses each pixel."""
        return border_cover(self.fragments, self.size, self.loose)

    @property
    def lines(self) -> np.ndarray:
        """(L, 4) float32: the structure's line segments x0, y0, x1, y1, px."""
        return self.structure.lines

    @cached_property
    def line_sides(self) -> LineSides:
        """Whether each of `lines` is a fold or an outline, and the surfaces on its near and its far side."""
        return line_sides(self.lines, self.structure.regions, self.structure.depth)

    @property
    def sun_direction(self) -> np.ndarray:
        """(3,) float32, unit, towards the sun, or the moon."""
        return self._traced.sun_direction

    @cached_property
    def matt(self) -> np.ndarray:
        """(N,) float32, 0 … 1: the share of the light on each fragment that its surface does not mirror as metal."""
        metal = np.zeros(len(self.loose), np.float32)
        own = self._traced.metal[: len(metal)]
        metal[: len(own)] = own
        return 1 - metal[self.fragments.region]

    @cached_property
    def sun_seen(self) -> np.ndarray:
        """(N,) float32, 0 … 1: the share of the sun's light that reaches each fragment; 0 where it faces away."""
        facing = np.maximum(self.fragments.normal @ self.sun_direction, 0)
        unhindered = luminance(self.albedo * (self._traced.sun_lux / (np.pi * self.unit))) * facing * self.matt
        direct = luminance(self.layer("sun"))
        return np.where(unhindered > 1e-6, np.minimum(direct / np.maximum(unhindered, 1e-6), 1), 0).astype(np.float32)

    @cached_property
    def axes(self) -> tuple[np.ndarray, np.ndarray]:
        """Each fragment's surface's own axes in the world, (N, 3) float32 each: along its courses or boards, and across them."""
        laying = np.zeros(len(self.loose), np.float32)
        own = self._traced.axis[: len(laying)]
        laying[: len(own)] = own
        return surface_frames(self.fragments.normal, laying[self.fragments.region])

    @cached_property
    def photograph(self) -> np.ndarray:
        """The picture as it is developed, (H, W, 3) float32 encoded."""
        return develop(self.fragments, self.size, self.light, self.development, self.natural, self.carried)

    @cached_property
    def colours(self) -> np.ndarray:
        """What each fragment is developed to, (N, 3) float32 encoded."""
        return fragment_colours(self.fragments, self.size, self.light, self.development)

    @property
    def scale(self) -> float:
        """px of this picture for one of a picture `WIDE` px long."""
        return max(self.size) / WIDE

    def layers(self) -> Mapping[str, np.ndarray]:
        """Every layer of light by name; see `layer`."""
        return {name: self.layer(name) for name in self._traced.names}

    def _of_first(self, values: np.ndarray) -> np.ndarray:
        width, height = self.size
        return values[self.fragments.first()].reshape(height, width, *values.shape[1:])
