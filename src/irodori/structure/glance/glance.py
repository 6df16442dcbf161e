"""What a small network sees of a picture at a glance: of each place of it, and of the whole.

It was trained from scratch on drawings of scenes that `benchmarks/structure/families.py` and `random_scenes.py` make, by
`train_glance.py` beside them. It is a residual network (He et al., Deep residual learning for image recognition, 2016) that
widens again to what it saw finer (Ronneberger et al., U-Net, 2015). It sees the picture and its mirror image, and what it makes of
the two is averaged: a mirrored picture means the same.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path
from threading import Lock

import cv2
import numpy as np

from irodori.core.camera import Camera
from irodori.core.roles import ROLES
from irodori.structure.glance.canvas import CELL, Canvas
from irodori.structure.regions.measure import Regions

WEIGHTS = Path(__file__).parent / "weights" / "glance.onnx"
"""The network, its weights as half floats."""

SEEN_AS = {
    "sky": "sky", "context": "wall", "ground": "ground", "paving": "ground", "lawn": "lawn", "water": "water",
    "planting": "planting", "wall": "wall", "column": "wall", "slab": "slab", "stair": "stair", "roof": "roof",
    "soffit": "soffit", "ceiling": "ceiling", "floor": "floor", "glazing": "glazing", "frame": "frame", "door": "door",
    "railing": "frame", "furniture": "thing", "fabric": "thing", "lamp": "thing", "sign": "thing", "person": "thing",
    "vehicle": "thing", "other": "thing",
}  # fmt: skip
"""What each role is seen as."""

CLASSES = tuple(dict.fromkeys(SEEN_AS.values()))
"""What is told apart at a glance."""

UNDER, OVER, ENOUGH = ("ground", "lawn", "water", "floor"), ("ceiling", "soffit"), 0.15
"""What lies level and faces up, and down; and the share of the picture that tells up for sure."""

BACKED = 0.03, 0.06
"""Share of the picture up to which a ceiling or a sky may be seen by mistake, and from which one is there."""

SAME = ("ground", "floor"), ("ceiling", "soffit")
"""What differs by the scene alone."""

NO_SKY, SURELY_SKY, LEAST_SKY = 0.15, 0.75, 0.01
"""How likely what is no sky seems one at most, and what is surely sky at least; and the share of the picture that a sky is at least which
only a glance finds."""

ONE_TONE, RATHER = 3.0, 0.5
"""8-bit steps within which something is of the sky's colour, and how likely that seems sky, too, at least."""

RATHER_BUILT, SEEMS_BUILT, LESS = 2.0, 0.3, 0.5
"""What lines tell for more of it is none where it is this many times likelier built, at least so likely, and this share as likely as the sky itself
to be sky."""

SURER_SKY, BUILT = 0.85, (0.1, 0.7, ("ceiling", "soffit", "wall", "roof"))
"""The same where lines or light tell, too; and how likely a sky that these tell seems one at most, and seems to be built at least, before it
is none."""

VOICE, CELLS_ACROSS = 0.6, 2.0
"""How far a facing counts there, and cells that a surface is across at least for all of that."""

FINE = 400_000
"""px of a picture of which each tells where its region lies; of a larger one every other does, or every third."""


@dataclass(frozen=True, eq=False)
class Glance:
    """What is seen of a picture.

    Attributes
    ----------
    canvas
        What it was seen on.
    odds
        (h, w, classes) float32: how likely each cell shows each of `CLASSES`; they add up to 1.
    facing
        (h, w, 3) float32: the mean of the normals that it may have, in the camera's frame (x right, y down, z forward): the shorter
        the less sure.
    room, alone, parallel
        How likely the picture shows a room, a thing on its own, a parallel projection.
    lens
        Likely focal length over the geometric mean of the picture's sides.
    trusted
        Nothing else tells, neither light nor lines; else a glance is one voice among others.
    """

    canvas: Canvas
    odds: np.ndarray
    facing: np.ndarray
    room: float
    alone: float
    parallel: float
    lens: float
    trusted: bool = False

    def likely(self, *seen_as: str) -> np.ndarray:
        """How likely each cell is what is seen as any of these `CLASSES`, (h, w)."""
        return self.odds[..., [CLASSES.index(name) for name in seen_as]].sum(axis=2)

    @cached_property
    def solid(self) -> tuple[np.ndarray, np.ndarray]:
        """Which way each cell faces, unit (N, 3), and how sure that is of something solid, (N,)."""
        sure = np.linalg.norm(self.facing, axis=2).ravel()
        weight = np.minimum(sure, 1) * (1 - self.likely("sky")).ravel() * self._shown.ravel()
        return self.facing.reshape(-1, 3) / np.maximum(sure, 1e-6)[:, None], weight

    @cached_property
    def up(self) -> tuple[np.ndarray, float]:
        """Which way seems up, unit (3,), by what seems to lie level, and how sure that is: the share of the picture that does, up to 1."""
        level, over = self.likely(*UNDER) * self._shown, self.likely(*OVER) * self._shown
        way = ((level - over)[..., None] * self.facing).sum(axis=(0, 1))
        length = float(np.linalg.norm(way))
        return way / max(length, 1e-9), min(1.0, length / max(float(self._shown.sum()), 1.0) / ENOUGH)

    @property
    def scene(self) -> str:
        """ "room" or "outdoors" where the whole seems so and a ceiling or a sky shows besides; "" where that is open."""
        share = (self.odds * self._shown[..., None]).sum(axis=(0, 1)) / max(float(self._shown.sum()), 1.0)
        ceiling, sky = share[CLASSES.index("ceiling")], share[CLASSES.index("sky")]
        if ceiling > BACKED[1] and sky < BACKED[0] and self.room > 0.35:
            return "room"
        return "outdoors" if sky > BACKED[1] and ceiling < BACKED[0] and self.room < 0.5 else ""

    @cached_property
    def _shown(self) -> np.ndarray:
        """Which cells (h, w) show the picture."""
        (left, top), (wide, high) = self.canvas.corner, self.canvas.inside
        rows, columns = ((np.arange(cells) + 0.5) * CELL for cells in self.odds.shape[:2])
        return ((rows > top) & (rows < top + high))[:, None] & ((columns > left) & (columns < left + wide))

    def of_regions(self, regions: Regions) -> Seen:
        """The means over regions."""
        from scipy import sparse

        height, width = regions.labels.shape
        step = max(1, round(np.sqrt(height * width / FINE)))
        own = regions.labels[::step, ::step]
        (left, top), factor = self.canvas.corner, self.canvas.factor
        row, column = (
            np.clip(((np.arange(0, side, step) + 0.5) * factor + before) // CELL, 0, cells - 1).astype(int)
            for side, before, cells in ((height, top, self.odds.shape[0]), (width, left, self.odds.shape[1]))
        )
        cell = row[:, None] * self.odds.shape[1] + column
        shape = len(regions.area), self.odds.shape[0] * self.odds.shape[1]
        count = sparse.coo_matrix((np.ones(own.size), (own.ravel(), cell.ravel())), shape).tocsr()
        whole = np.maximum(np.asarray(count.sum(axis=1)), 1)
        odds, facing = (count @ each.reshape(shape[1], -1) / whole for each in (self.odds, self.facing))
        odds[odds.sum(axis=1) < 0.5] = 1 / len(CLASSES)
        if not self.trusted:
            # Which way a strip faces that is narrower than what is seen of it, lines tell better.
            box = regions.box
            breadth = regions.area / np.maximum((box[:, 2:] - box[:, :2]).max(axis=1), 1)
            facing = facing * np.clip(breadth * factor / (CELLS_ACROSS * CELL), 0, 1)[:, None]
        return Seen(odds, facing, self.scene, self.trusted)


@dataclass(frozen=True, eq=False)
class Seen:
    """The same of regions: `odds` (R, classes), `facing` (R, 3) in the camera's frame, the `scene` that all is, "" where that is open, and
    whether that is `trusted`."""

    odds: np.ndarray
    facing: np.ndarray
    scene: str
    trusted: bool = False

    def likely(self, seen_as: str) -> np.ndarray:
        """How likely each region is what is seen as one of `CLASSES`, (R,)."""
        return self.odds[:, CLASSES.index(seen_as)]

    @property
    def of_roles(self) -> np.ndarray:
        """How likely each region's role is seen as it is, (R, roles) in the order of `ROLES`.

        Grounds and floors, ceilings and soffits count as one: which they are is a matter of the scene.
        """
        odds = self.odds.copy()
        for pair in SAME:
            own = [CLASSES.index(name) for name in pair]
            odds[:, own] = odds[:, own].sum(axis=1, keepdims=True)
        return odds[:, [CLASSES.index(SEEN_AS[role]) for role in ROLES]]

    def sky(self, told: int, regions: Regions) -> int:
        """The region of the sky: the one that was `told`, unless it seems to be none; then the largest that surely is, 0 for none."""
        if told and not self._seems_none(told):
            return told
        surely = self._surely_sky & (regions.area > LEAST_SKY * regions.labels.size)
        return int(np.where(surely, regions.area, 0).argmax()) if surely.any() else 0

    def rest_of_sky(self, sky: int, told: list[int], regions: Regions) -> set[int]:
        """Regions that are sky, too: of those that were `told`, and others."""
        odds = self.likely("sky")
        alike = np.abs(regions.colour - regions.colour[sky]).max(axis=1) < ONE_TONE
        surely = self._surely_sky | (alike & (odds > RATHER) & (regions.area > LEAST_SKY * regions.labels.size))
        none = (self._built > np.maximum(RATHER_BUILT * odds, SEEMS_BUILT)) & (odds < LESS * odds[sky])
        return set(np.flatnonzero(surely & (regions.area > 0)).tolist()) | {one for one in told if not none[one]}

    @property
    def _built(self) -> np.ndarray:
        return np.sum([self.likely(name) for name in BUILT[2]], axis=0)

    @property
    def _surely_sky(self) -> np.ndarray:
        return self.likely("sky") > (SURELY_SKY if self.trusted else SURER_SKY)

    def _seems_none(self, sky: int) -> bool:
        """Whether a region that was told to be the sky seems to be none."""
        odds = self.likely("sky")[sky]
        if self.trusted:
            return odds < NO_SKY
        most, least_built, _ = BUILT
        return odds < most and self._built[sky] >= least_built

    def towards(self, camera: Camera) -> np.ndarray:
        """The mean normals in the world's frame, (R, 3), the shorter the less they count."""
        return self.facing @ camera.rotation * (1.0 if self.trusted else VOICE)


def glance_at(image: np.ndarray) -> Glance | None:
    """What is seen of a picture (H, W, 3) uint8 sRGB; None without weights."""
    if not WEIGHTS.is_file():
        return None
    canvas = Canvas((image.shape[1], image.shape[0]))
    small = canvas.shrink(image)
    cells, whole = _run(canvas.lay(small))
    other_cells, other_whole = _run(canvas.lay(np.ascontiguousarray(small[:, ::-1])))
    mirrored = other_cells[..., ::-1].copy()
    mirrored[len(CLASSES)] *= -1
    odds = (_softmax(cells[: len(CLASSES)]) + _softmax(mirrored[: len(CLASSES)])) / 2
    facing = (cells[len(CLASSES) :] + mirrored[len(CLASSES) :]) / 2
    whole = (whole + other_whole) / 2
    room, alone, parallel = (1 / (1 + np.exp(-whole[:3]))).tolist()
    lens = float(np.exp(whole[4]))
    return Glance(canvas, odds.transpose(1, 2, 0), facing.transpose(1, 2, 0), room, alone, parallel, lens)


def _softmax(values: np.ndarray) -> np.ndarray:
    powers = np.exp(values - values.max(axis=0))
    return powers / powers.sum(axis=0)


_asked = Lock()
"""A network holds what it works on: it is asked by one thread at a time."""


def _run(sheet: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    with _asked:
        network = _network(WEIGHTS.stat().st_mtime_ns)
        network.setInput(sheet[None])
        cells, whole = network.forward(["cells", "whole"])
        return cells[0].copy(), whole[0].copy()


@lru_cache(maxsize=1)
def _network(changed: int):
    """The network, kept open until its file, `changed` at some time, is another."""
    return cv2.dnn.readNetFromONNX(str(WEIGHTS))
