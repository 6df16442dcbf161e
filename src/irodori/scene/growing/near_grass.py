"""Blades of grass on lawns near the eye: a few metres off a lawn is no texture any more."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from irodori.core.fragments import Fragments
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.core.work.kept import Kept
from irodori.scene.cover import as_added, cover_structure

FARTHEST = 24.0
"""m from the eye within which blades stand."""

TALL = 0.055
"""Height of mown grass, m; rough grass is `ROUGH` times as high."""

ROUGH = 3.0

SLIM, LEAST_WIDTH = 0.0035, 0.9
"""Width of a blade, m, and the least in the picture, px."""

THICK = 0.55
"""Area of the blades, seen from the side, over that of the ground they stand on."""

MOST = 150_000
"""Blades in a picture; where more would be needed they are broader."""

FEWEST = 300
"""px of a lawn so near under which it is left as it is."""

TONES = ((1.75, 0.6), (2.1, 0.32), (1.95, 0.08))
"""How light blades are beside the lawn, since they shade each other, and how many; the last are dry."""

DRY = np.array([1.35, 1.08, 0.75])
"""Factor on the colour of blades that are dry."""


@dataclass(frozen=True, eq=False)
class NearGrass:
    """`mesh` and `fragments` with the blades; `colours` (3, 3) linear, of their surfaces in order; (H, W) float32 share `covered`."""

    mesh: Mesh
    fragments: Fragments
    colours: np.ndarray
    covered: np.ndarray


_stood: Kept[NearGrass | None] = Kept()
"""Grass before what is seen now: another light or finish does not change it."""


def stand_grass(
    structure: Structure, mesh: Mesh, lawns: dict[int, tuple[np.ndarray, bool]], protected: np.ndarray, *, first: int, seed: int
) -> NearGrass | None:  # fmt: skip
    """Stand blades on lawns near the eye; None where there are none.

    Parameters
    ----------
    structure
        With the fragments that the blades are laid before.
    mesh
        What light meets; the blades are added to it.
    lawns
        By surface id: the grass's colour (3,) linear, and whether it is rough.
    first
        Id of the first of the blades' three surfaces.
    """
    key = (mesh, tuple((lawn, wild) for lawn, (_, wild) in lawns.items()), first, seed)
    stood = _stood.of(structure.fragments, key, lambda: _stand(structure, mesh, lawns, protected, first, seed))
    return None if stood is None else replace(stood, colours=_colours(structure, lawns))


def _colours(structure: Structure, lawns: dict[int, tuple[np.ndarray, bool]]) -> np.ndarray:
    """Linear colours (3, 3) of blades on lawns as large as they are in the picture."""
    size = [np.count_nonzero(structure.regions == lawn) + 1e-6 for lawn in lawns]
    colours = np.outer(
        [factor for factor, _ in TONES], np.average([lawns[lawn][0] for lawn in lawns], axis=0, weights=size)
    )
    colours[-1] *= DRY
    return colours


def _stand(structure: Structure, mesh: Mesh, lawns, protected: np.ndarray, first: int, seed: int) -> NearGrass | None:
    camera, regions = structure.camera, structure.regions
    if camera.projection != "perspective" or not lawns:
        return None
    near = np.isin(regions, list(lawns)) & (structure.depth < FARTHEST) & (structure.normal[..., 2] > 0.9)
    if near.sum() < FEWEST:
        return None
    rng = np.random.default_rng(seed)
    y, x = np.nonzero(near)
    depth = structure.depth[y, x]
    _, ways = camera.rays(x + 0.5, y + 0.5)
    foot = camera.footprint(depth)
    slant = np.maximum(np.abs((ways * structure.normal[y, x]).sum(axis=1)) / np.linalg.norm(ways, axis=1), 0.02)
    ground = foot**2 / slant
    rough = np.zeros(int(regions.max()) + 1, bool)
    rough[[lawn for lawn, (_, wild) in lawns.items() if wild]] = True
    tall = TALL * np.where(rough[regions[y, x]], ROUGH, 1.0)
    width = np.maximum(SLIM, LEAST_WIDTH * foot)
    # Thinner towards where they end, so that no line shows there.
    wanted = THICK * ground / (0.5 * width * tall) * np.clip((FARTHEST - depth) / (0.85 * FARTHEST), 0, 1) ** 3
    total = float(wanted.sum())
    count = int(min(total, MOST))
    if count < 50:
        return None
    broader = np.sqrt(max(total / MOST, 1.0))
    chosen = rng.choice(len(y), count, p=wanted / total)
    origins, aside = camera.rays(x[chosen] + rng.uniform(0, 1, count), y[chosen] + rng.uniform(0, 1, count))
    # Elsewhere in the pixel the ground is nearer or further off: where its plane is met.
    normal = structure.normal[y[chosen], x[chosen]].astype(float)
    across = (normal * aside).sum(axis=1)
    met = depth[chosen] * (normal * ways[chosen]).sum(axis=1) / np.where(np.abs(across) > 1e-6, across, 1e-6)
    root = origins + aside * np.clip(met, 0.5 * depth[chosen], 1.5 * depth[chosen])[:, None]
    high = (tall[chosen] * rng.uniform(0.55, 1.1, count))[:, None]
    turn = rng.uniform(0, 2 * np.pi, count)
    side = np.column_stack([np.cos(turn), np.sin(turn), np.zeros(count)]) * (0.5 * broader * width[chosen])[:, None]
    lean = np.column_stack([rng.normal(0, 0.45, (count, 2)), np.ones(count)]) * high
    middle = root + lean * [0.35, 0.35, 0.6]
    blades = np.concatenate([
        np.stack([root - side, root + side, middle + 0.7 * side], axis=1),
        np.stack([root - side, middle + 0.7 * side, middle - 0.7 * side], axis=1),
        np.stack([middle - 0.7 * side, middle + 0.7 * side, root + lean], axis=1),
    ]).astype(np.float32)  # fmt: skip
    tone = rng.choice(len(TONES), count, p=[share for _, share in TONES])
    surface = np.tile(first + tone, 3).astype(np.int32)
    stands_on = np.array([np.bincount(regions[near]).argmax()])
    added = as_added(blades, surface, np.zeros(len(blades), np.int32), stands_on, over=False)
    cover = cover_structure(structure.fragments, camera, added, protected)
    return NearGrass(mesh.with_triangles(blades, surface), cover.fragments, np.zeros((len(TONES), 3)), cover.covered)
