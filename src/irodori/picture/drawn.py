"""Drawing a picture as it is chosen: one look or several mixed, over the photographic picture or parts of it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.roles import ROLES
from irodori.core.selectors import matching_surfaces, names_of, parse_selector
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.look_choice import LookChoice

SHOWS = 1.6
"""A look's strokes are fully there from this inverse share of the mix on: faint lines would be no lines."""


def with_kept(buffers: Buffers, choice: LookChoice, drawn: np.ndarray) -> np.ndarray:
    """A drawing, (H, W, 3) float32 encoded, with what stays photographic."""
    if not choice.keep:
        return drawn
    kept = buffers.resolved(surfaces_told(buffers, choice.keep)[buffers.fragments.region].astype(np.float32))
    return drawn + kept * (buffers.photograph - drawn)


AROUND = ("ground", "lawn", "paving", "water", "planting", "context", "person", "vehicle")
"""Roles of what stands about a building."""


def surfaces_told(buffers: Buffers, text: str) -> np.ndarray:
    """Which surfaces words mean, (S,) bool by surface id: a selector, "sky", "surroundings" (with the sky) or "building".

    Raises FinishError.
    """
    told = text.strip().casefold()
    count = len(buffers.role_of)
    out = np.zeros(count, bool)
    if told == "sky":
        out[0] = True
    elif told in ("surroundings", "building"):
        around = np.isin(buffers.role_of, [ROLES.index(role) for role in AROUND if role in ROLES])
        known = np.zeros(count, bool)
        known[buffers.structure.surfaces["id"].to_numpy()] = True
        around |= ~known  # additions and the sky
        out = around if told == "surroundings" else ~around
    else:
        where = parse_selector(text)
        table = buffers.structure.surfaces
        out[matching_surfaces(buffers.structure, table, names_of(table), where)] = True
        if where.kind == "role" and where.value == "planting":
            out |= np.pad(buffers.loose, (0, count - len(buffers.loose)))
    return out


def sheet_of(buffers: Buffers, choice: LookChoice) -> Sheet:
    """The mix of looks as one drawing: their grounds by weight, the strokes of each over them as strongly as it counts.

    Where the capture's own strokes stay as drawn, no outlines are drawn over them.
    """
    mixed = [(one, weight) for one, weight in choice.mixed if weight > 0]
    sheets = [(_with_own_lines(buffers, one.draw(buffers, choice.manner)), weight) for one, weight in mixed]
    left = 1 - sum(weight for _, weight in mixed)
    if len(sheets) == 1 and left < 1e-4:
        return sheets[0][0]
    ground = left * buffers.photograph if left > 1e-4 else np.zeros((*buffers.size[::-1], 3), np.float32)
    layers: list[Layer] = []
    lettering = None
    for sheet, weight in sheets:
        own = sheet.ground if sheet.ground is not None else np.array(sheet.paper, np.float32)
        ground = ground + np.float32(weight) * own
        layers += [replace(one, strength=one.strength * min(1.0, SHOWS * weight)) for one in sheet.layers]
        lettering = sheet.lettering if sheet.lettering is not None else lettering
    return Sheet(buffers.size, sheets[0][0].paper, np.clip(ground, 0, 1).astype(np.float32), tuple(layers), lettering)


def _with_own_lines(buffers: Buffers, sheet: Sheet) -> Sheet:
    if not buffers.own_lines:
        return sheet
    return replace(sheet, layers=tuple(one for one in sheet.layers if not one.name.startswith("outlines")))
