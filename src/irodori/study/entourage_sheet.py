"""The entourage sheet: every kind that can be added, in real light and at its real size."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irodori.core.camera import EYE_HEIGHT
from irodori.core.errors import EntourageError
from irodori.core.geometry.shapes import box
from irodori.core.model import ViewSpec
from irodori.core.selectors import Selector
from irodori.core.work.progress import Progress, report
from irodori.engine.trace import Quality
from irodori.entourage import Kind
from irodori.entourage.entourage_list import EntourageList, Entry, Where
from irodori.finishes import FINISHES, Schedule
from irodori.finishes.schedule import Rule
from irodori.formats.model.parts import Part
from irodori.picture import render
from irodori.scene import dress
from irodori.structure import read_structure
from irodori.study.sample_view import view_parts

COLUMNS = 6
CELL = (214, 200)
"""px of one kind on the sheet."""

FIELD = 34.0
"""Degrees across a sample."""

GROUNDS = {"boat": "still water", "sailing boat": "still water", "reeds": "still water"}
PAVED = ("people", "vehicles", "loose furniture", "lamps", "climber")


def kind_sample(
    kind: Kind, *, season: str = "summer", light: str = "afternoon", quality: Quality = "review",
    size: tuple[int, int] = (1280, 800), progress: Progress | None = None,
) -> np.ndarray:  # fmt: skip
    """One kind standing by itself, filling the picture, (H, W, 3) uint8 sRGB.

    Hedges are shown as a length of 4 m, grasses and beds as a patch, climbers on a wall.
    """
    tall, wide = _room(kind)
    across = max(wide * 1.25, tall * 1.2 * size[0] / size[1])
    distance = across / 2 / np.tan(np.radians(FIELD / 2))
    parts = [Part("ground", "", (0.6, 0.6, 0.58), 1.0, box((-400, -400, -0.5), (400, 400, 0.0)))]
    if kind.form == "climber":
        parts.append(Part("wall", "", (0.8, 0.79, 0.76), 1.0, box((-20, 0.0, 0), (20, 0.3, kind.height * 1.5))))
    eye = (-0.25 * distance, -distance, max(EYE_HEIGHT, 0.22 * tall))
    view = ViewSpec("sample", eye, (0.0, 0.0, tall * 0.47), field=FIELD, aspect=size[0] / size[1], ground=False)
    structure = read_structure(view_parts(parts, view, "entourage", width=size[0], height=size[1], progress=progress))
    ground = GROUNDS.get(kind.form, GROUNDS.get(kind.name, "concrete slabs" if kind.family in PAVED else "lawn"))
    rules = (
        Rule("", Selector("name", "ground"), FINISHES[ground]),
        Rule("", Selector("name", "wall"), FINISHES["white render"]),
    )
    scene = dress(
        structure, Schedule(rules, ""), light, entourage=EntourageList(tuple(_entries(kind)), kind.name), season=season
    )
    return render(scene, quality, progress=progress).developed


def _room(kind: Kind) -> tuple[float, float]:
    """Height and width, m, that a sample needs."""
    wide = {"hedge": 4.6, "grass": 3.0, "flowers": 2.6, "vehicles": 4.6, "people": 1.0, "loose furniture": 2.0}
    across = max(kind.spread, wide.get(kind.family, 0.0))
    across = {"sailing boat": 7.0, "bicycle": 2.2}.get(kind.form, across)
    if kind.form == "horizon":
        return 30.0, 90.0
    return kind.height, across


def _entries(kind: Kind) -> list[Entry]:
    if kind.form == "horizon":
        return [Entry("", kind, Where("horizon"))]
    facing = 165.0 if kind.family in ("people", "vehicles", "loose furniture") else None
    points: tuple[tuple[float, ...], ...] = ((0.0, 0.0, 0.0),)
    if kind.family == "hedge":
        points, facing = tuple((-2 + kind.spacing * (k + 0.5), 0.0, 0.0) for k in range(round(4 / kind.spacing))), 90.0
    elif kind.family in ("grass", "flowers"):
        step = kind.spacing
        points = tuple(
            (i * step - 1.2 + 0.3 * step * (j % 2), j * step - 0.8, 0.0)
            for j in range(int(1.6 / step))
            for i in range(int(2.4 / step))
        )
    elif kind.form == "climber":
        facing = 180.0
    return [Entry("", kind, Where("at", points), facing=facing, height=None if kind.is_plant else kind.height)]


def entourage_sheet(
    kinds: Sequence[Kind], *, season: str = "summer", light: str = "afternoon", quality: Quality = "review",
    progress: Progress | None = None,
) -> np.ndarray:  # fmt: skip
    """Samples of several kinds with their names and heights, (H, W, 3) uint8 sRGB.

    Raises
    ------
    EntourageError
        When there is no kind to show.
    """
    import cv2

    if not kinds:
        raise EntourageError("There is no kind to show")
    rows = -(-len(kinds) // COLUMNS)
    width, height = CELL
    foot = 22
    sheet = np.full((rows * (height + foot), min(COLUMNS, len(kinds)) * width, 3), 246, np.uint8)
    for index, kind in enumerate(kinds):
        report(progress, "Drawing the sheet", index / len(kinds))
        x, y = index % COLUMNS * width, index // COLUMNS * (height + foot)
        sample = kind_sample(kind, season=season, light=light, quality=quality, size=(width - 4, height))
        sheet[y : y + height, x + 2 : x + width - 2] = sample
        label = f"{kind.name}, {kind.height:g} m"
        cv2.putText(
            sheet, label, (x + 5, y + height + 15), cv2.FONT_HERSHEY_SIMPLEX, 0.38, (40, 40, 40), 1, cv2.LINE_AA
        )
    return sheet
