"""Which surfaces are lamps, and what each gives."""

from __future__ import annotations

import math

import numpy as np
import pandas as pd

from irodori.core.colour import blackbody_rgb, luminance
from irodori.core.errors import FinishError, LightError
from irodori.core.file_looks import FileLook
from irodori.core.model import Mesh
from irodori.core.scene import LampTables
from irodori.core.selectors import SPECIFICITY, matching_surfaces, names_of, parse_selector
from irodori.core.structure import Structure
from irodori.light.distributions import HORIZONTAL, VERTICAL
from irodori.light.distributions import spread as spread_table
from irodori.light.lamps import Lamp, LampSchedule, lamp_from_words
from irodori.scene.as_filed import glows

KELVIN = 3100.0
WHITE = 300.0
"""cd/m² of an emission of 1 in a file: as bright as a screen's white (sRGB viewing conditions, IEC 61966-2-1, have 80; today's 250 to 500)."""

LUMENS = 6000.0
"""lm of a lamp of no known kind with 0.3 m² of luminous surface; more or less with its size."""


def lamps_of(structure: Structure, table: pd.DataFrame, schedule: LampSchedule) -> tuple[dict[int, Lamp], list[str]]:
    """The lamp that the schedule gives each surface it names, and the rules that matched nothing.

    The most specific rule wins, among equals the later. Raises LightError for a wrong selector.
    """
    words = names_of(table)
    best: dict[int, tuple[tuple[int, int], Lamp]] = {}
    unmatched = []
    for order, rule in enumerate(schedule.rules):
        try:
            where = parse_selector(rule.where)
            found = matching_surfaces(structure, table, words, where)
        except FinishError as error:
            raise LightError(str(error)) from None
        if not len(found):
            unmatched.append(f"{rule.mark + ': ' if rule.mark else ''}{where} → {rule.lamp.kind} matched nothing")
        rank = (SPECIFICITY[where.kind], order)
        for surface in found.tolist():
            if surface not in best or rank >= best[surface][0]:
                best[surface] = (rank, rule.lamp)
    return {surface: lamp for surface, (_, lamp) in best.items()}, unmatched


def lamp_tables(mesh: Mesh, is_lamp: np.ndarray, given: dict[int, Lamp], table: pd.DataFrame) -> LampTables:
    """What every surface gives: by the schedule, else by the kind its name suggests, else by its size.

    `is_lamp` (S,) bool: surfaces whose finish is luminous.
    """
    count = len(is_lamp)
    area = mesh.measures.upto(count).area.astype(float)
    lumens = np.where(is_lamp & (area > 0), LUMENS * np.clip(area / 0.3, 0.3, 1.6), 0.0)
    colour = np.tile(blackbody_rgb(KELVIN), (count, 1))
    spread = np.full(count, -1, np.int32)
    axis, side = np.tile([0.0, 0.0, -1.0], (count, 1)), np.tile([0.0, 1.0, 0.0], (count, 1))
    tables: list[np.ndarray] = []
    names = table.set_index("id")[["name", "material"]]
    for surface in np.flatnonzero(lumens > 0).tolist():
        filed = mesh.looks.look_of(surface) if mesh.looks is not None and surface not in given else None
        if filed is not None and glows(filed):
            lumens[surface], colour[surface] = _as_filed(filed, area[surface])
            if filed.cone is not None:
                spread[surface] = len(tables)
                tables.append(spread_table("beam", min(math.degrees(2 * filed.cone[1]), 170.0)))
                axis[surface], side[surface] = _along(np.array(filed.cone[0]))
            continue
        lamp = given.get(surface) or (lamp_from_words(*names.loc[surface]) if surface in names.index else None)
        if lamp is None:
            continue
        colour[surface] = blackbody_rgb(lamp.kelvin)
        # A glowing body of unknown lumens gives what its size suggests.
        if surface in given or lamp.table is not None:
            lumens[surface] = lamp.lumens
        axis[surface], side[surface] = _frame(lamp)
        if lamp.table is not None:
            same = next((i for i, known in enumerate(tables) if np.array_equal(known, lamp.table)), len(tables))
            if same == len(tables):
                tables.append(lamp.table)
            spread[surface] = same
    with np.errstate(divide="ignore", invalid="ignore"):
        # A luminous surface that glows evenly: lumens = π · luminance · area.
        luminance = np.where(lumens > 0, lumens / (np.pi * area), 0.0)
    stack = np.stack(tables) if tables else np.zeros((0, VERTICAL, HORIZONTAL))
    as_floats = (a.astype(np.float32) for a in (luminance, lumens, colour))
    return LampTables(*as_floats, spread, axis.astype(np.float32), side.astype(np.float32), stack.astype(np.float32))


def _as_filed(look: FileLook, area: float) -> tuple[float, np.ndarray]:
    """Lumens and colour (3,), luminance 1, of what a file lets glow."""
    emission = np.asarray(look.emission, float)
    value = max(float(luminance(emission)), 1e-9)
    return look.lumens or math.pi * area * WHITE * value, emission / value


def _along(axis: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A fixture's axis and its side at 0°, for a beam of one."""
    other = np.array([1.0, 0.0, 0.0]) if abs(axis[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
    side = np.cross(axis, other)
    return axis, side / np.linalg.norm(side)


def _frame(lamp: Lamp) -> tuple[np.ndarray, np.ndarray]:
    """The fixture's axis and its side at 0°."""
    turn, tilt = math.radians(lamp.facing), math.radians(lamp.tilt)
    level = np.array([math.sin(turn), math.cos(turn), 0.0])
    down = np.array([0.0, 0.0, -1.0])
    return math.cos(tilt) * down + math.sin(tilt) * level, math.cos(tilt) * level - math.sin(tilt) * down
