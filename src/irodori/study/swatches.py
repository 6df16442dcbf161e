"""The swatch sheet: every finish on a real panel, in real light."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from irodori.core.errors import FinishError
from irodori.core.model import ViewSpec
from irodori.core.selectors import Selector
from irodori.core.work.progress import Progress
from irodori.engine.trace import Quality
from irodori.finishes import FINISHES, Finish, Schedule
from irodori.finishes.schedule import Rule
from irodori.formats.model.parts import Part
from irodori.picture import render
from irodori.scene import dress
from irodori.structure import read_structure
from irodori.study.sample_view import view_parts

COLUMNS = 8
PANEL = (2.0, 1.4)
"""m; seen at about 70 px a metre, as façades are."""

GAP = (0.24, 0.5)
WIDTH = 1280
BRIGHTER = 0.8
"""Stops over automatic exposure, which would make the pale wall behind the panels grey."""


def swatch_sheet(
    finishes: Sequence[Finish],
    *,
    light: str = "afternoon",
    quality: Quality = "review",
    progress: Progress | None = None,
) -> np.ndarray:
    """Draw a sheet of finishes with their names, (H, W, 3) uint8 sRGB.

    Every swatch is a panel of 2 × 1.4 m standing in the named light, rendered like any surface; water and lamps,
    which do not stand on walls, are left out.

    Raises
    ------
    FinishError
        When there is no finish to show.
    """
    finishes = sorted((f for f in finishes if f.kind not in ("water", "lamp")), key=lambda f: f.family)
    if not finishes:
        raise FinishError("There is no finish to show")

    sheet, corners = _panels(finishes, light, quality, progress)
    return _labelled(sheet, finishes, corners)


def _panels(
    finishes: Sequence[Finish], light: str, quality: Quality, progress: Progress | None
) -> tuple[np.ndarray, list[tuple[int, int, int, int]]]:
    """A wall of panels in the order of the finishes, and where each shows: left, top, right, bottom."""
    rows = -(-len(finishes) // COLUMNS)
    pitch = (PANEL[0] + GAP[0], PANEL[1] + GAP[1])
    parts, rules = [], []
    for index, finish in enumerate(finishes):
        column, row = index % COLUMNS, index // COLUMNS
        x, z = column * pitch[0], (rows - 1 - row) * pitch[1] + 0.4
        name = f"panel {index}"
        parts.append(Part(name, "", (0.5, 0.5, 0.5), 1.0, _box((x, 0.0, z), (x + PANEL[0], 0.08, z + PANEL[1]))))
        rules.append(Rule("", Selector("name", name), finish, ""))
    width, height = COLUMNS * pitch[0] + GAP[0], rows * pitch[1] + 0.2
    parts.append(Part("backing wall", "", (0.86, 0.86, 0.84), 1.0, _box((-9, 0.10, -3), (width + 9, 0.4, height + 9))))
    centre = (width / 2 - GAP[0], 0.0, height / 2 + 0.1)
    view = ViewSpec("swatches", (centre[0], -40.0, centre[2]), centre, span=width, aspect=width / height, ground=False)
    capture = view_parts(parts, view, "swatches", width=WIDTH, progress=progress)
    structure = read_structure(capture)
    picture = render(dress(structure, Schedule(tuple(rules), ""), light, exposure=BRIGHTER), quality, progress=progress)
    corners = []
    for index in range(len(finishes)):
        column, row = index % COLUMNS, index // COLUMNS
        low = np.array([column * pitch[0], 0.0, (rows - 1 - row) * pitch[1] + 0.4])
        (x0, y1), (x1, y0) = structure.camera.project(np.stack([low, low + [PANEL[0], 0.0, PANEL[1]]]))[0]
        corners.append((round(x0), round(y0), round(x1), round(y1)))
    return np.ascontiguousarray(picture.developed), corners


def finish_sample(
    finish: Finish, *, light: str = "afternoon", quality: Quality = "review", progress: Progress | None = None
) -> np.ndarray:
    """One finish at arm's length, on a wall, a cube and a ball, (H, W, 3) uint8 sRGB.

    Water lies in a basin instead; a lamp cannot be shown.

    Raises
    ------
    FinishError
        When the finish is a lamp.
    """
    import trimesh

    if finish.kind == "lamp":
        raise FinishError(f"'{finish.name}' is a source of light and has no sample")
    ball = trimesh.creation.icosphere(subdivisions=6, radius=0.42)
    ball.apply_translation((1.05, -0.75, 0.42))
    shown = [("wall sample", _box((-2.0, 0.0, 0.0), (2.0, 0.2, 2.4)))]
    if finish.kind == "water":
        shown = [("basin", _box((-3.0, -4.4, -0.2), (3.0, 1.5, 0.05)))]
    elif finish.kind != "glass":
        shown += [("cube", _box((-1.4, -1.3, 0.0), (-0.6, -0.5, 0.8))), ("ball", np.asarray(ball.triangles))]
    ground = ("ground slab", _box((-30, -30, -0.3), (30, 30, -0.2 if finish.kind == "water" else 0.0)))
    # Something for glass to show and water to mirror.
    back = ("screen", _box((-3.2, 2.6, 0.0), (3.2, 2.8, 2.1)))
    parts = [Part(name, "", (0.62, 0.61, 0.58), 1.0, soup) for name, soup in (*shown, ground, back)]
    rules = [Rule("", Selector("name", name), finish, "") for name, _ in shown]
    rules.append(Rule("", Selector("name", "screen"), FINISHES["larch boards, upright"], ""))
    view = ViewSpec("sample", (0.7, -5.4, 1.6), (0.0, 0.0, 0.95), field=42.0, aspect=1.6, ground=False)
    capture = view_parts(parts, view, "sample", width=WIDTH, progress=progress)
    scene = dress(read_structure(capture), Schedule(tuple(rules), ""), light, exposure=BRIGHTER / 2)
    return render(scene, quality, progress=progress).developed


def swatches(
    finishes: Sequence[Finish], *, quality: Quality = "draft", progress: Progress | None = None
) -> list[np.ndarray | None]:
    """A panel of each finish by itself, (h, w, 3) uint8 sRGB; None for water and lamps, which stand on no wall."""
    shown = [f for f in finishes if f.kind not in ("water", "lamp")]
    if not shown:
        return [None for _ in finishes]
    sheet, corners = _panels(shown, "afternoon", quality, progress)
    panels = iter([sheet[y0:y1, x0:x1] for x0, y0, x1, y1 in corners])
    return [None if f.kind in ("water", "lamp") else next(panels) for f in finishes]


def _box(low: tuple, high: tuple) -> np.ndarray:
    """Triangles (12, 3, 3) of a box, facing out."""
    import trimesh

    size = np.subtract(high, low)
    box = trimesh.creation.box(size, trimesh.transformations.translation_matrix(np.add(low, high) / 2))
    return np.asarray(box.triangles, np.float64)


def _labelled(
    sheet: np.ndarray, finishes: Sequence[Finish], corners: Sequence[tuple[int, int, int, int]]
) -> np.ndarray:
    import cv2

    for finish, (left, _, _, bottom) in zip(finishes, corners):
        cv2.putText(
            sheet, finish.name, (left, bottom + 15), cv2.FONT_HERSHEY_SIMPLEX, 0.38, (40, 40, 40), 1, cv2.LINE_AA
        )
    return sheet
