"""Putting finishes and light onto a structure."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from irodori.core.colour import blackbody_rgb, luminance
from irodori.core.errors import IrodoriError
from irodori.core.model import Mesh
from irodori.core.scene import Light, Scene
from irodori.core.structure import Structure
from irodori.finishes import FINISHES, Schedule, read_schedule
from irodori.finishes.slots import KINDS, SLOT
from irodori.light import make_light
from irodori.scene import far_shore
from irodori.scene.assign import all_surfaces, assign_finishes
from irodori.scene.detail import found_detail
from irodori.scene.laying import laying_axes, narrow_surfaces
from irodori.scene.missing_rooms import missing_rooms
from irodori.scene.solids import solids_from_structure
from irodori.scene.unshade import unshaded_colours

OUTDOORS = 0.02
"""Share of sky in the view from which it is outdoors."""

LEAF_REFLECTANCE, LEAF_PURITY = 0.15, 0.72
"""Reflectance of foliage to daylight, a little over that of single leaves' published 0.1 since they are kept as found."""

LAMP_KELVIN = 3100.0
LAMP_LUMENS = 6000.0
"""lm of a lamp with 0.3 m² of luminous surface; more or less with its size."""


def dress(
    structure: Structure,
    finishes: str | Path | Schedule | None = None,
    light: str | Light = "golden hour",
    *,
    exposure: float = 0.0,
    seed: int = 7,
) -> Scene:
    """Put finishes and light onto a structure.

    Parameters
    ----------
    structure
        From `read_structure`.
    finishes
        A finish schedule: path to CSV or TOML, its text, or None (finishes by role, the rest as found).
    light
        A named setting, a place and moment, or a `Light`.
    exposure
        Stops on top of the automatic exposure.
    seed
        What all chance in the picture depends on.

    Raises
    ------
    FinishError, LightError
        When the schedule or the light cannot be understood.
    IrodoriError
        When the structure has no surface.
    """
    if not len(structure.surfaces):
        raise IrodoriError("The structure has no surfaces: there is nothing to dress")
    schedule = read_schedule(finishes)
    lit = light if isinstance(light, Light) else make_light(light, north=structure.north, exposure=exposure)
    assignments, unmatched = assign_finishes(structure, schedule)
    mesh = structure.mesh or solids_from_structure(structure)
    count = int(max(structure.surfaces["id"].max(), mesh.surface.max(initial=0))) + 1

    mesh, shore = with_far_shore(structure, mesh, lit, count)
    count += shore
    chosen, finish_of = [FINISHES["as found"]], np.zeros(count, np.int32)
    # Rules share their finish objects, so identity tells finishes apart.
    index, plain = {id(FINISHES["as found"]): 0}, {}
    narrow = narrow_surfaces(mesh, count)
    for item in assignments:
        finish = item.finish
        if narrow[item.surface] < 1.6 * min(finish.unit) and finish.pattern in ("boards", "courses", "seams"):
            finish = plain[id(finish)] if id(finish) in plain else plain.setdefault(id(finish), finish.only_unit())
        key = id(finish)
        if key not in index:
            index[key] = len(chosen)
            chosen.append(finish)
        finish_of[item.surface] = index[key]
    rows = np.stack([f.row for f in chosen])

    table = all_surfaces(structure)
    if structure.mesh is None:
        table = table.assign(colour=unshaded_colours(table))
    tint = np.full((count, 3), 0.5, np.float32)
    tint[table["id"].to_numpy()] = np.array([list(c) for c in table["colour"]], np.float32)
    leaves = np.array([f.name == "foliage" for f in chosen])[finish_of]
    tint[leaves] = as_leaves(tint[leaves])
    if shore:
        tint[count - 1] = far_shore.COLOUR
    kind = rows[finish_of, SLOT["kind"]]
    luminance_of = lamp_luminance(mesh, kind == KINDS.index("lamp"))
    colour = np.tile(blackbody_rgb(LAMP_KELVIN), (count, 1))
    return Scene(
        structure=structure, mesh=mesh, finish_of=finish_of, finishes=rows.astype(np.float32),
        finish_names=tuple(f.name for f in chosen), tint=np.clip(tint, 0.02, 0.85), axis=laying_axes(mesh, count),
        lamp_luminance=luminance_of, lamp_colour=colour.astype(np.float32), light=lit, seed=seed,
        as_found=found_detail(structure, rows[finish_of, SLOT["as_found"]] > 0.5),
        rooms=missing_rooms(structure, mesh, kind == KINDS.index("glass")), room_colour=blackbody_rgb(LAMP_KELVIN),
        assignments=tuple({"surface": a.surface, "finish": a.finish.name, "why": a.reason} for a in assignments),
        unmatched=tuple(unmatched),
        recipe={"finishes": schedule.text, "light": lit.parameters, "seed": seed},
    )  # fmt: skip


def as_leaves(colour: np.ndarray) -> np.ndarray:
    """A modeller's green (N, 3) as leaves have it: they reflect a tenth of the light, and not so pure a colour."""
    value = luminance(colour)[:, None]
    muted = value + (colour - value) * LEAF_PURITY
    return muted * np.minimum(1.0, LEAF_REFLECTANCE / np.maximum(value, 1e-6))


def with_far_shore(structure: Structure, mesh: Mesh, light: Light, surface: int) -> tuple[Mesh, int]:
    """The mesh with a tree line behind the camera as `surface`, where the view is outdoors; and whether one was added."""
    if (structure.regions == 0).mean() < OUTDOORS:
        return mesh, 0
    trees = far_shore.far_shore(structure.camera, light.dome.sun_direction, mesh)
    if not len(trees):
        return mesh, 0
    added = np.full(len(trees), surface, np.int32)
    return Mesh(np.concatenate([mesh.triangles, trees]), np.concatenate([mesh.surface, added])), 1


def lamp_luminance(mesh: Mesh, is_lamp: np.ndarray) -> np.ndarray:
    """Luminance (S,), cd/m², that gives each lamp surface lumens fit for its size (Lambertian: Φ = π L A)."""
    cross = np.cross(mesh.triangles[:, 1] - mesh.triangles[:, 0], mesh.triangles[:, 2] - mesh.triangles[:, 0])
    area = np.bincount(mesh.surface, np.linalg.norm(cross, axis=1) / 2, minlength=len(is_lamp))[: len(is_lamp)]
    lumens = LAMP_LUMENS * np.clip(area / 0.3, 0.3, 1.6)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(is_lamp & (area > 0), lumens / (np.pi * area), 0.0).astype(np.float32)
