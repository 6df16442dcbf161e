"""Growing leaves into crowns that came as a mass: a solid of a model, a few large cards, an outline read from pixels.

A modeller's tree is a ball on a stick, and a reading knows of a tree only its outline. What is shown instead has leaves of true
size in sprays, thin at the rim and dense within, and dark where they shade each other; the crown stays where it was.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple
from weakref import WeakKeyDictionary

import numpy as np

from irodori.core.camera import Camera
from irodori.core.colour import encode_srgb
from irodori.core.fragments import Fragments
from irodori.core.geometry.frames import face_normals, unit_rows
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.engine.rays.ray_scene import RayScene
from irodori.entourage.leaves import lay_leaves
from irodori.scene.cover import Added, cover_structure

LEAF = 0.11
"""Length of a leaf, m; small leaves stand in sprays that are seen as one."""

SHARPEST = 2.4
"""Least length of a leaf in the picture, px."""

UNSEEN = 0.4
"""Length of a leaf of what stands outside the picture, m: only its shadow and mirror image are seen."""

LEAF_AREA = 0.42
"""Area of a leaf over its length squared."""

DENSE, OF_CARDS = 4.5, 3.0
"""Area of a crown's leaves over that of its outline; and over that of cards that stood for them."""

MOST = 45_000
"""Leaves of one crown; where more would be needed they are larger."""

SPRAY = 0.34
"""Radius of a spray of leaves, m."""

CARD = 0.6
"""Largest extent of a card, m; what is larger is a solid."""

SLIM = 14.0
"""Longest edge squared over area from which a triangle is a blade of grass or reed, which is drawn as it is."""

SMALLEST_CROWN = 0.5
"""Least extent of a crown, m."""

STRAY = 5
"""px by which leaves read one by one may stand apart and are of one crown."""

SPECK, GAP = 90, 250
"""px under which a region in the sky beside leaves is one; and a gap among leaves is closed."""

UNLIKE_SKY, MEDIAN = 0.08, 31
"""Encoded difference from the sky's tone around, the median over so many px, from which a pixel of it shows a leaf."""

DEEPEST = 0.3
"""How far a crown reaches from its middle towards the eye, as a share of its distance."""

FEWEST = 60
"""px of a crown in the picture under which its outline says too little to grow into."""

CORE = 1.6
"""Distance from the outline, in radii of a spray, from which what leaves leave open is the dark inside of the crown."""

SAMPLES = 4
"""Samples along each side of a pixel that finds what stands behind a crown."""


@dataclass(frozen=True, eq=False)
class Grown:
    """`surfaces` (S,) bool that were grown; `mesh` with leaves in place of masses; the fragments with them, and the share of
    each pixel that is crown now or was it before, `covered` (H, W) float32."""

    surfaces: np.ndarray
    mesh: Mesh
    fragments: Fragments
    covered: np.ndarray


class _Sprays(NamedTuple):
    """Sprays of leaves: `place`, `outward` (N, 3); `radius`, `leaf` (N,) m; `count` (N,) leaves; `surface` (N,)."""

    place: np.ndarray
    outward: np.ndarray
    radius: np.ndarray
    leaf: np.ndarray
    count: np.ndarray
    surface: np.ndarray


_grown: WeakKeyDictionary[Structure, tuple[bytes, int, Grown | None]] = WeakKeyDictionary()
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
    key = (leafy.tobytes(), seed)
    kept = _grown.get(structure)
    if kept is None or kept[:2] != key:
        kept = _grown[structure] = (*key, _grow(structure, mesh, leafy, protected, seed))
    return kept[2]


def _grow(structure: Structure, mesh: Mesh, leafy: np.ndarray, protected: np.ndarray, seed: int) -> Grown | None:
    rng = np.random.default_rng(seed)
    outline = None
    if structure.mesh is None:
        outlines = _outlines(structure, leafy, protected)
        if outlines is None:
            return None
        sprays, outline, back = _sprays_in_outlines(structure.camera, outlines, rng)
        # Their stray leaves go with them.
        shown = np.unique(structure.regions[outlines.label > 0])
        shown = shown[(leafy | outlines.stray)[np.minimum(shown, len(leafy) - 1)]]
    else:
        sprays = _sprays_in_solids(mesh, structure.camera, leafy, rng)
        shown = np.zeros(0, np.int64)
    if sprays is None or not len(sprays.place):
        return None
    grown = np.unique(sprays.surface)
    replaced = np.zeros(len(leafy), bool)
    replaced[grown] = replaced[shown] = True
    leaves, surface = _leaves(sprays, rng)
    if outline is not None:
        keep = _within(outline, structure.camera, leaves, surface)
        leaves, surface = leaves[keep], surface[keep]
    old = replaced[np.minimum(mesh.surface, len(replaced) - 1)]
    if structure.mesh is not None:
        slim = _slim(mesh.triangles)
        old &= ~slim
    rest = Mesh(mesh.triangles[~old], mesh.surface[~old], mesh.parts)
    if outline is None:
        behind = _behind_in_model(structure, rest, replaced)
    else:
        behind = _behind_in_picture(structure, replaced, outline, back)
    owner = np.searchsorted(grown, surface).astype(np.int32)
    order = np.argsort(owner, kind="stable")
    leaves, surface, owner = leaves[order], surface[order], owner[order]
    normals = np.repeat(unit_rows(face_normals(leaves))[:, None], 3, axis=1).astype(np.float32)
    ones = np.ones(len(grown))
    added = Added(
        leaves, normals, surface, owner, ones.astype(np.float32), ones > 0, grown.astype(np.int32), ones > 1, ones > 1
    )
    cover = cover_structure(behind, structure.camera, added, protected)
    # In its old outline a crown may hide anything, beyond it no architecture.
    was = np.zeros(structure.regions.size, bool)
    was[structure.fragments.pixel[replaced[structure.fragments.region]]] = True
    kept = protected[np.minimum(structure.regions, len(protected) - 1)] & ~was.reshape(structure.regions.shape)
    fragments = _with_kept(cover.fragments, behind, kept.ravel())
    crown = replaced[structure.regions] if outline is None else replaced[structure.regions] | (outline > 0)
    covered = np.where(kept, 0, np.where(crown, 1, cover.covered)).astype(np.float32)
    whole = Mesh(
        np.concatenate([rest.triangles, leaves]), np.concatenate([rest.surface, surface]).astype(np.int32), mesh.parts
    )
    return Grown(replaced, whole, fragments, covered)


def _with_kept(fragments: Fragments, before: Fragments, kept: np.ndarray) -> Fragments:
    """The fragments, with those of `before` in the pixels `kept` (H·W,)."""
    from_before = kept[before.pixel]
    columns = [
        getattr(before, name)[from_before] for name in ("pixel", "region", "weight", "depth", "normal", "offset")
    ]
    return _joined(fragments, ~kept[fragments.pixel], *columns)


def _leaves(sprays: _Sprays, rng) -> tuple[np.ndarray, np.ndarray]:
    """Triangles (T, 3, 3) float32 of all leaves, and the surface of each (T,)."""
    spray = np.repeat(np.arange(len(sprays.place)), sprays.count)
    aside = rng.normal(size=(len(spray), 3)) * [0.6, 0.6, 0.42]
    at = sprays.place[spray] + aside * sprays.radius[spray, None]
    outward = unit_rows(sprays.outward[spray] + 0.6 * aside)
    size = sprays.leaf[spray] * rng.uniform(0.75, 1.25, len(spray))
    triangles = lay_leaves(at, outward, size, "broad", rng)
    return triangles.astype(np.float32), np.tile(sprays.surface[spray], 2).astype(np.int32)


def _slim(triangles: np.ndarray) -> np.ndarray:
    """Which triangles (T, 3, 3) are blades."""
    longest = np.max(((triangles - np.roll(triangles, 1, axis=1)) ** 2).sum(axis=2), axis=1)
    area = np.linalg.norm(face_normals(triangles), axis=1) / 2
    return longest > SLIM * np.maximum(area, 1e-9)


def _sprays_in_solids(mesh: Mesh, camera: Camera, leafy: np.ndarray, rng) -> _Sprays | None:
    """Sprays in what a model has for crowns: in the shells of solids, about cards."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    own = np.flatnonzero(leafy[np.minimum(mesh.surface, len(leafy) - 1)])
    if not len(own):
        return None
    own = own[~_slim(mesh.triangles[own])]
    if not len(own):
        return None
    triangles, surface = mesh.triangles[own].astype(np.float64), mesh.surface[own]
    _, corner = np.unique(np.round(triangles.reshape(-1, 3), 3), axis=0, return_inverse=True)
    corner = corner.reshape(-1, 3)
    pairs = np.concatenate([corner[:, [0, 1]], corner[:, [1, 2]]])
    links = coo_array((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(corner.max() + 1,) * 2)
    piece = connected_components(links, directed=False)[1][corner[:, 0]]
    # One material's pieces may touch another's: a piece is of one surface.
    _, piece = np.unique(piece.astype(np.int64) * (int(surface.max()) + 1) + surface, return_inverse=True)
    pieces = int(piece.max()) + 1
    low, high = np.full((pieces, 3), np.inf), np.full((pieces, 3), -np.inf)
    np.minimum.at(low, piece, triangles.min(axis=1))
    np.maximum.at(high, piece, triangles.max(axis=1))
    middle, extent = (low + high) / 2, np.linalg.norm(high - low, axis=1)
    normal = face_normals(triangles)
    twice = np.linalg.norm(normal, axis=1)
    area = np.bincount(piece, twice / 2, minlength=pieces)
    card = extent < CARD
    if extent[~card].max(initial=0) < SMALLEST_CROWN and not card.any():
        return None
    # Cards and solids alike: as large as a spray, on their triangles.
    leaf = _leaf_sizes(camera, middle, extent)
    radius = np.where(card, 0.8 * extent, np.minimum(SPRAY, 0.16 * extent))
    fewest = np.sqrt(DENSE * area / 4 / (LEAF_AREA * MOST))
    leaf = np.where(card, leaf, np.maximum(leaf, fewest))
    wanted = np.where(card, OF_CARDS * area, DENSE * area / 4) / (LEAF_AREA * leaf**2)
    number = np.where(card, 1, np.maximum(area / (2.2 * radius**2), 6)).astype(int)
    # Which triangle each spray stands on: by area, within its piece.
    order = np.lexsort((np.arange(len(piece)), piece))
    share = np.cumsum(twice[order])
    ends = np.append(0, share)[np.searchsorted(piece[order], np.arange(pieces + 1))]
    of = np.repeat(np.arange(pieces), number)
    at = order[
        np.searchsorted(share, ends[of] + rng.uniform(0, 1, len(of)) * (ends[of + 1] - ends[of])).clip(
            0, len(order) - 1
        )
    ]
    u, v = rng.uniform(0, 1, (2, len(at), 1))
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    place = triangles[at, 0] + u * (triangles[at, 1] - triangles[at, 0]) + v * (triangles[at, 2] - triangles[at, 0])
    inward = middle[of] - place
    solid = ~card[of]
    # Mostly near the shell, and never beyond it.
    deep = np.linalg.norm(inward, axis=1)
    pull = np.maximum(
        0.55 * rng.uniform(0, 1, len(of)) ** 2, np.minimum(0.8 * radius[of] / np.maximum(deep, 1e-6), 0.9)
    )
    place = place + inward * np.where(solid, pull, 0)[:, None]
    outward = unit_rows(np.where(solid[:, None], -inward, rng.normal(size=inward.shape)) + [0, 0, 1e-6])
    per = wanted[of] / number[of]
    count = np.floor(per + rng.uniform(0, 1, len(of))).astype(int)
    return _Sprays(place, outward, radius[of], leaf[of], count, _first_of(piece, surface, pieces)[of])


def _first_of(piece: np.ndarray, surface: np.ndarray, pieces: int) -> np.ndarray:
    """The surface of each piece, (pieces,)."""
    out = np.zeros(pieces, np.int64)
    out[piece] = surface
    return out


def _leaf_sizes(camera: Camera, middle: np.ndarray, extent: np.ndarray) -> np.ndarray:
    """Length of the leaves of crowns about `middle` (N, 3) and of an `extent` (N,), m: large where they are far or out of sight."""
    spots, depth = camera.project(middle)
    near = np.maximum(depth, 0.2)
    reach = extent / camera.footprint(near)
    seen = ((spots > -reach[:, None]) & (spots < np.array(camera.size) + reach[:, None])).all(axis=1)
    if camera.projection == "perspective":
        seen &= depth > 0.2
    return np.where(seen, np.maximum(LEAF, SHARPEST * camera.footprint(near)), UNSEEN)


@dataclass(frozen=True, eq=False)
class _Outlines:
    """Crowns read from pixels: `label` (H, W) numbers them from 1, their stray leaves and the gaps between among them, `surface`
    (N,) is the id of each; `within` (H, W) px, the distance from the outline; `depth` (H, W) m; `stray` (S,) bool are
    leaves read as something else."""

    label: np.ndarray
    surface: np.ndarray
    within: np.ndarray
    depth: np.ndarray
    stray: np.ndarray


def _outlines(structure: Structure, leafy: np.ndarray, protected: np.ndarray) -> _Outlines | None:
    """The crowns of a reading: what is leafy, closed to masses, as far as nothing stands before them."""
    import cv2
    from scipy import ndimage

    regions = structure.regions
    own = leafy[np.minimum(regions, len(leafy) - 1)] & np.isfinite(structure.depth)
    if not own.any():
        return None
    stray = _strays(regions, own, len(leafy))
    own |= stray[np.minimum(regions, len(stray) - 1)] | _leaves_in_sky(structure, own)
    index = ndimage.distance_transform_edt(
        ~(own & np.isfinite(structure.depth)), return_distances=False, return_indices=True
    )
    depth = structure.depth[tuple(index)]
    closed = cv2.morphologyEx(own.astype(np.uint8), cv2.MORPH_CLOSE, _disc(STRAY)) > 0
    before = protected[np.minimum(regions, len(protected) - 1)] | (structure.depth < 0.98 * depth)
    mask = own | (closed & ~before)
    _, hole, size, _ = cv2.connectedComponentsWithStats((~mask).astype(np.uint8), connectivity=4)
    filled = size[:, cv2.CC_STAT_AREA] < GAP
    mask |= filled[hole] & ~before
    count, label, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    large = stats[:, cv2.CC_STAT_AREA] >= FEWEST
    large[0] = False
    surface = np.zeros(count, np.int64)
    for number in np.flatnonzero(large):
        ids = regions[own & (label == number)]
        ids = ids[leafy[np.minimum(ids, len(leafy) - 1)]]
        surface[number] = np.bincount(ids).argmax() if len(ids) else 0
    large &= surface > 0
    if not large.any():
        return None
    renumbered = np.where(large, np.cumsum(large), 0)
    label = renumbered[label]
    within = cv2.distanceTransform(np.pad(label > 0, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    return _Outlines(label, surface[large], within, depth, stray)


def _leaves_in_sky(structure: Structure, own: np.ndarray) -> np.ndarray:
    """Pixels (H, W) bool of the sky close by what is leafy, `own` (H, W), that show something else: leaves too small to be read."""
    import cv2

    sky = structure.regions == 0
    if structure.image is None or not sky.any():
        return np.zeros(own.shape, bool)
    near = sky & (cv2.dilate(own.astype(np.uint8), _disc(3 * STRAY)) > 0)
    shown = encode_srgb(structure.image)
    around = cv2.medianBlur(np.rint(shown * 255).astype(np.uint8), MEDIAN).astype(np.float32) / 255
    return near & (np.abs(shown - around).max(axis=2) > UNLIKE_SKY)


def _strays(regions: np.ndarray, own: np.ndarray, count: int) -> np.ndarray:
    """Specks (count,) bool close by what is leafy, `own` (H, W), in the sky or among leaves: leaves too, whatever they were read as."""
    import cv2

    area = np.bincount(regions.ravel(), minlength=count)[:count]
    small = (area > 0) & (area < SPECK)
    small[0] = False
    near = cv2.dilate(own.astype(np.uint8), _disc(3 * STRAY)) > 0
    for way in (regions[:, :-1], regions[:, 1:]), (regions[:-1], regions[1:]):
        for here, there in (way, way[::-1]):
            beside = here != there
            other = ~((there == 0) | small[np.minimum(there, count - 1)])
            leaf = np.isin(there, np.unique(regions[own]))
            small[here[beside & other & ~leaf]] = False
    apart = np.bincount(regions[~near].ravel(), minlength=count)[:count]
    return small & (apart == 0)


def _disc(radius: int) -> np.ndarray:
    import cv2

    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2)


def _sprays_in_outlines(camera: Camera, outlines: _Outlines, rng) -> tuple[_Sprays, np.ndarray, np.ndarray]:
    """Sprays in crowns read from pixels, as deep as they are broad; how far (H, W) each pixel of theirs lies from the
    outline, in radii of a spray; and the depth (H, W) m of the crown's back."""
    import cv2

    inside = np.zeros(outlines.label.shape, np.float32)
    back = outlines.depth.copy()
    found: list[_Sprays] = []
    for number, surface in enumerate(outlines.surface.tolist(), 1):
        y, x = np.nonzero(outlines.label == number)
        top, left = max(y.min() - 2, 0), max(x.min() - 2, 0)
        box = np.s_[top : y.max() + 3, left : x.max() + 3]
        own = outlines.label[box] == number
        within = np.where(own, outlines.within[box], 0)
        broad = float(within.max())
        middle = float(np.median(outlines.depth[box][own]))
        metre = 1.0 / float(camera.footprint(np.float64(middle)))
        depth = np.clip(outlines.depth[box], (1 - DEEPEST) * middle, (1 + DEEPEST) * middle)
        thick = np.minimum(np.sqrt(np.maximum(within * (2 * broad - within), 0.0)), DEEPEST * middle * metre)
        radius = max(min(SPRAY * metre, 0.3 * broad), 2.0)
        inside[box] = np.where(own, within / radius, inside[box])
        back[box] += np.where(own, thick / metre, 0)
        # How far off a crown is, is not well known: its leaves are small beside it all the same.
        leaf = max(min(LEAF * metre, 0.05 * broad), SHARPEST, np.sqrt(DENSE * len(y) / (LEAF_AREA * MOST)))
        number = max(int(2.2 * DENSE * len(y) / (np.pi * radius**2)), 8)
        # More of them where the crown is thick.
        weight = (0.45 + thick / broad)[own]
        chosen = rng.choice(len(y), number, p=weight / weight.sum())
        row, column = y[chosen] - top, x[chosen] - left
        deep = thick[row, column]
        aside = rng.uniform(-1, 1, number)
        origins, ways = camera.rays(x[chosen] + rng.uniform(0, 1, number), y[chosen] + rng.uniform(0, 1, number))
        place = origins + ways * (depth[row, column] + aside * deep / metre)[:, None]
        slopes = np.gradient(cv2.GaussianBlur(within, (0, 0), max(radius / 2, 1.0)))
        down, right = (-slope[row, column] * (1 - deep / broad) for slope in slopes)
        outward = np.stack([right, down, aside * deep / broad], axis=1) @ camera.rotation + [0, 0, 0.2]
        per = DENSE * len(y) / (LEAF_AREA * leaf**2) / number
        count = np.floor(per + rng.uniform(0, 1, number)).astype(int)
        same = np.ones(number)
        found.append(
            _Sprays(
                place,
                unit_rows(outward),
                same * radius / metre,
                same * leaf / metre,
                count,
                (same * surface).astype(int),
            )
        )
    return _Sprays(*(np.concatenate(rows) for rows in zip(*found))), inside, back


def _within(inside: np.ndarray, camera: Camera, leaves: np.ndarray, surface: np.ndarray) -> np.ndarray:
    """Which leaves (T, 3, 3) have their middle in some crown's outline, (T,) bool."""
    spots, _ = camera.project(leaves.mean(axis=1))
    height, width = inside.shape
    x, y = np.floor(spots).astype(int).T
    shown = (x >= 0) & (x < width) & (y >= 0) & (y < height)
    keep = ~shown
    keep[shown] = inside[y[shown], x[shown]] > 0
    return keep


def _behind_in_model(structure: Structure, rest: Mesh, replaced: np.ndarray) -> Fragments:
    """The fragments with what stands behind the surfaces `replaced` (S,) in their place."""
    fragments, camera = structure.fragments, structure.camera
    open_to = np.zeros(structure.regions.size, bool)
    open_to[fragments.pixel[replaced[fragments.region]]] = True
    pixels = np.flatnonzero(open_to)
    if not len(pixels):
        return fragments
    scene, normals = RayScene(rest.triangles), rest.normals()
    steps = (np.arange(SAMPLES) + 0.5) / SAMPLES
    dx, dy = (a.ravel() for a in np.meshgrid(steps, steps))
    y, x = np.divmod(pixels, structure.regions.shape[1])
    origins, ways = camera.rays((x[:, None] + dx).ravel(), (y[:, None] + dy).ravel())
    depth, tri = scene.closest(origins, ways)
    region = np.where(tri >= 0, rest.surface[tri], 0)
    facing = np.where((tri >= 0)[:, None], normals[tri], 0).astype(np.float32)
    facing *= -np.sign((facing * ways).sum(axis=1, keepdims=True) + 1e-9).astype(np.float32)
    pixel = np.repeat(pixels, SAMPLES**2)
    # One piece a surface and turn.
    turn = (np.abs(facing) * 3.99).astype(np.int64) @ [1, 4, 16]
    key = (pixel.astype(np.int64) * (int(rest.surface.max(initial=0)) + 1) + region) * 64 + turn
    _, first, count = np.unique(key, return_index=True, return_counts=True)
    offset = np.stack([np.tile(dx, len(pixels))[first], np.tile(dy, len(pixels))[first]], axis=1)
    return _joined(
        fragments, ~open_to[fragments.pixel], pixel[first], region[first], count / SAMPLES**2,
        np.where(tri[first] >= 0, depth[first], np.inf), facing[first], offset,
    )  # fmt: skip


def _behind_in_picture(structure: Structure, replaced: np.ndarray, inside: np.ndarray, back: np.ndarray) -> Fragments:
    """The same for a reading: at the rim what is seen beside the crown, further in its own dark inside."""
    from scipy import ndimage

    fragments, width = structure.fragments, structure.regions.shape[1]
    first = fragments.first()
    own = replaced[fragments.region]
    crown = replaced[structure.regions] | (
        np.bincount(fragments.pixel[own], minlength=structure.regions.size) > 0
    ).reshape(structure.regions.shape)
    # What stands before a crown is not behind it.
    reach = np.where(crown, structure.depth, np.float32(-np.inf))
    reach = ndimage.maximum_filter(reach, 9)
    beside = ~crown & ((structure.regions == 0) | (structure.depth > 0.98 * reach))
    if not beside.any():
        return fragments
    index = ndimage.distance_transform_edt(~beside, return_distances=False, return_indices=True)
    pixel = fragments.pixel[own]
    y, x = np.divmod(pixel, width)
    deep = inside[y, x] > CORE
    source = first[index[0][y, x] * width + index[1][y, x]]
    region = np.where(deep, fragments.region[own], fragments.region[source])
    depth = np.where(deep, back[y, x], np.maximum(fragments.depth[source], fragments.depth[own] * 1.02))
    normal = np.where(deep[:, None], fragments.normal[own], fragments.normal[source])
    return _joined(fragments, ~own, pixel, region, fragments.weight[own], depth, normal, fragments.offset[own])


def _joined(fragments: Fragments, kept: np.ndarray, *fresh: np.ndarray) -> Fragments:
    """The fragments `kept` with fresh ones, sorted by pixel, the largest of each first."""
    columns = [
        np.concatenate([getattr(fragments, name)[kept], rows.astype(getattr(fragments, name).dtype)])
        for name, rows in zip(("pixel", "region", "weight", "depth", "normal", "offset"), fresh)
    ]
    order = np.lexsort((-columns[2], columns[0]))
    return Fragments(*(column[order] for column in columns))
