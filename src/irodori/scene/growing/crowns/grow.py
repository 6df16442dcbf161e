"""Growing leaves into crowns that came as a mass: a solid of a model, a few large cards, an outline read from pixels.

A modeller's tree is a ball on a stick, and a reading knows of a tree only its outline. What is shown instead has leaves of true
size in sprays, thin at the rim and dense within, and dark where they shade each other; the crown stays where it was.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.fragments import Fragments
from irodori.core.model import Mesh
from irodori.core.recipe import FromMemory
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept
from irodori.engine.rays.ray_scene import present_kernel
from irodori.formats.made_before import made_before
from irodori.scene.cover import as_added, cover_structure
from irodori.scene.growing.crowns.behind import behind_in_model, behind_in_picture, joined
from irodori.scene.growing.crowns.in_outlines import find_outlines, sprays_in_outlines, within_outlines
from irodori.scene.growing.crowns.in_solids import are_blades, sprays_in_solids
from irodori.scene.growing.crowns.sprays import leaves_of


@dataclass(frozen=True, eq=False)
class Grown:
    """`surfaces` (S,) bool that were grown; `mesh` with leaves in place of masses; the fragments with them, and the share of
    each pixel that is crown now or was it before, `covered` (H, W) float32."""

    surfaces: np.ndarray
    mesh: Mesh
    fragments: Fragments
    covered: np.ndarray


_grown: Kept[Grown | None] = Kept()
"""Crowns of structures that are in use: another light, or a finish of something else, does not change them."""


def grow_crowns(structure: Structure, mesh: Mesh, leafy: np.ndarray, protected: np.ndarray, seed: int) -> Grown | None:
    """Grow leaves into the surfaces `leafy` (S,) bool; None when none of them is a mass.

    Asked again for the same structure it gives the same object.

    Parameters
    ----------
    mesh
        The structure's triangles, or the solids made for a reading.
    protected
        (S,) bool: what leaves beyond their crown's outline may not cover.
    """
    if not leafy.any():
        return None
    # Wherever it was read from, its crowns are the same.
    made_from = present_kernel(), replace(structure, origin=FromMemory()), mesh, leafy, protected, seed
    return _grown.of(
        structure, (leafy.tobytes(), seed),
        lambda: made_before("crowns", lambda: _grow(structure, mesh, leafy, protected, seed), *made_from),
    )  # fmt: skip


def _grow(structure: Structure, mesh: Mesh, leafy: np.ndarray, protected: np.ndarray, seed: int) -> Grown | None:
    rng = np.random.default_rng(seed)
    outline = None
    if structure.mesh is None:
        outlines = find_outlines(structure, leafy, protected)
        if outlines is None:
            return None
        sprays, outline, back = sprays_in_outlines(structure.camera, outlines, rng)
        # Their stray leaves go with them.
        shown = np.unique(structure.regions[outlines.label > 0])
        shown = shown[(leafy | outlines.stray)[np.minimum(shown, len(leafy) - 1)]]
    else:
        sprays = sprays_in_solids(mesh, structure.camera, leafy, rng)
        shown = np.zeros(0, np.int64)
    if sprays is None or not len(sprays.place):
        return None
    grown = np.unique(sprays.surface)
    replaced = np.zeros(len(leafy), bool)
    replaced[grown] = replaced[shown] = True
    leaves, surface = leaves_of(sprays, rng)
    if outline is not None:
        keep = within_outlines(outline, structure.camera, leaves)
        leaves, surface = leaves[keep], surface[keep]
    old = replaced[np.minimum(mesh.surface, len(replaced) - 1)]
    if structure.mesh is not None:
        old &= ~are_blades(mesh.triangles)
    rest = mesh.keep(~old)
    if outline is None:
        behind = behind_in_model(structure, rest, replaced)
    else:
        behind = behind_in_picture(structure, replaced, outline, back)
    owner = np.searchsorted(grown, surface).astype(np.int32)
    order = np.argsort(owner, kind="stable")
    leaves, surface, owner = leaves[order], surface[order], owner[order]
    added = as_added(leaves, surface, owner, grown, over=True)
    cover = cover_structure(behind, structure.camera, added, protected)
    # In its old outline a crown may hide anything, beyond it no architecture.
    was = np.zeros(structure.regions.size, bool)
    was[structure.fragments.pixel[replaced[structure.fragments.region]]] = True
    kept = protected[np.minimum(structure.regions, len(protected) - 1)] & ~was.reshape(structure.regions.shape)
    aside = kept.ravel()
    fragments = joined(cover.fragments, ~aside[cover.fragments.pixel], behind.take(aside[behind.pixel]))
    crown = replaced[structure.regions] if outline is None else replaced[structure.regions] | (outline > 0)
    covered = np.where(kept, 0, np.where(crown, 1, cover.covered)).astype(np.float32)
    return Grown(replaced, rest.with_triangles(leaves, surface), fragments, covered)
