"""Rules that a painted mask places: surfaces that lie in it in part are parted along its edge."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path

import numpy as np
import pandas as pd

from irodori.core.errors import CaptureError, FinishError
from irodori.core.fragments import Fragments
from irodori.core.recipe.mask_text import mask_from_text, mask_text
from irodori.core.structure import Structure
from irodori.finishes import Schedule
from irodori.formats.read_mask import read_mask

WHOLE, NOTHING = 0.97, 0.03
"""Shares of a surface's pixels in a mask from which all of it, and up to which nothing of it, is meant: hands waver at edges."""

FEWEST = 6
"""Pixels in a mask from which part of a surface counts."""


def read_masks(schedule: Schedule, size: tuple[int, int]) -> dict[str, np.ndarray]:
    """The masks that a schedule's rules name, (H, W) bool each, from the recipe's texts or from files beside the schedule.

    Raises FinishError when one is missing, unreadable or of another size than the picture, `size` (width, height).
    """
    found: dict[str, np.ndarray] = {}
    folder = Path(schedule.source).parent if schedule.source else Path()
    for rule in schedule.rules:
        name = str(rule.where.value)
        if rule.where.kind != "mask" or name in found:
            continue
        try:
            if name in schedule.masks:
                mask = mask_from_text(schedule.masks[name])
                found[name] = read_mask(mask, size)
            else:
                beside = folder / name
                found[name] = read_mask(beside if beside.exists() else name, size)
        except CaptureError as error:
            raise FinishError(f"Mask '{name}': {error}") from None
    return found


def mask_texts(masks: Mapping[str, np.ndarray]) -> dict[str, str]:
    """Masks as recipes keep them."""
    return {name: mask_text(mask, 1) for name, mask in masks.items()}


def part_surfaces(
    structure: Structure, masks: Mapping[str, np.ndarray]
) -> tuple[Structure, dict[str, frozenset[int]]]:  # fmt: skip
    """The structure with its surfaces parted along masks, and the ids of the surfaces that lie in each.

    A part has its surface's plane, role and name, and an id beyond all others; borders of the structure stay where they are.
    """
    inside: dict[str, frozenset[int]] = {}
    for name, mask in masks.items():
        structure, whole, parted = _part(structure, mask)
        inside = {
            other: ids | {new for old, new in parted.items() if old in ids} for other, ids in inside.items()
        }  # fmt: skip
        inside[name] = frozenset(whole) | frozenset(parted.values())
    return structure, inside


def _part(structure: Structure, mask: np.ndarray) -> tuple[Structure, list[int], dict[int, int]]:
    regions = structure.regions
    count = int(regions.max(initial=0)) + 1
    area = np.bincount(regions.ravel(), minlength=count)
    covered = np.bincount(regions[mask], minlength=count)
    share = covered / np.maximum(area, 1)
    candidates = [s for s in np.flatnonzero(covered) if s > 0 and (covered[s] >= FEWEST or share[s] > WHOLE)]
    whole = [int(s) for s in candidates if share[s] > WHOLE]
    partly = [int(s) for s in candidates if NOTHING < share[s] <= WHOLE or (share[s] <= NOTHING and covered[s] > 200)]
    if not partly:
        return structure, whole, {}
    top = max(int(structure.surfaces["id"].max()), count - 1)
    if structure.hidden_surfaces is not None and len(structure.hidden_surfaces):
        top = max(top, int(structure.hidden_surfaces["id"].max()))
    if structure.mesh is not None:
        top = max(top, int(structure.mesh.surface.max(initial=0)))
    new_id = {old: top + 1 + n for n, old in enumerate(partly)}
    renamed = np.arange(count, dtype=np.int32)
    for old, new in new_id.items():
        renamed[old] = new
    parted = np.where(mask, renamed[regions], regions)
    fragments = structure.fragments
    there = mask.ravel()[fragments.pixel]
    wide = np.arange(max(int(fragments.region.max(initial=0)) + 1, count), dtype=np.int32)
    wide[:count] = renamed
    ids = np.where(there, wide[fragments.region], fragments.region).astype(np.int32)
    table = structure.surfaces.copy()
    sizes = np.bincount(parted.ravel(), minlength=top + 1 + len(partly))
    rows = table[table["id"].isin(partly)].copy()
    rows["id"] = [new_id[i] for i in rows["id"]]
    table = pd.concat([table, rows], ignore_index=True)
    table["area_px"] = sizes[table["id"].to_numpy()]
    mesh = structure.mesh
    if mesh is not None:
        mesh = replace(mesh, parts={**mesh.parts, **{new: mesh.parts.get(old, old) for old, new in new_id.items()}})
    columns = [ids if name == "region" else getattr(fragments, name) for name in fragments.__dataclass_fields__]
    structure = replace(
        structure, regions=parted.astype(np.int32), fragments=Fragments(*columns), surfaces=table, mesh=mesh
    )  # fmt: skip
    return structure, whole, new_id
