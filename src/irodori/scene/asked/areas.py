"""How large surfaces are."""

from __future__ import annotations

import numpy as np

from irodori.core.model import Mesh
from irodori.core.structure import Structure


def areas_of(structure: Structure, mesh: Mesh, count: int) -> np.ndarray:
    """m² of each surface, (S,): all of it in a model, what is seen of it in a reading."""
    count = max(count, int(structure.fragments.region.max(initial=0)) + 1)
    if structure.mesh is not None:
        return mesh.measures.upto(count).area.astype(float)
    fragments = structure.fragments
    width = structure.size[0]
    x, y = fragments.positions(width)
    _, ways = structure.camera.rays(x, y)
    cosine = np.abs((ways * fragments.normal).sum(axis=1)) / np.maximum(np.linalg.norm(ways, axis=1), 1e-6)
    seen = (fragments.region > 0) & np.isfinite(fragments.depth)
    own = np.where(
        seen,
        structure.camera.footprint(np.where(seen, fragments.depth, 0)) ** 2
        / np.maximum(cosine, 0.03)
        * fragments.weight,
        0,
    )
    return np.bincount(fragments.region, own, count)
