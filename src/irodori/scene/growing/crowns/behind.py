"""What shows between the leaves of a crown that was a mass: what stands behind it."""

from __future__ import annotations

from dataclasses import fields

import numpy as np

from irodori.core.fragments import Fragments
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.engine.rays.ray_scene import RayScene

CORE = 1.6
"""Distance from the outline, in radii of a spray, from which what leaves leave open is the dark inside of the crown."""

SAMPLES = 4
"""Samples along each side of a pixel that finds what stands behind a crown."""


def behind_in_model(structure: Structure, rest: Mesh, replaced: np.ndarray) -> Fragments:
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
    found = Fragments(
        pixel[first], region[first], count / SAMPLES**2, np.where(tri[first] >= 0, depth[first], np.inf), facing[first], offset
    )  # fmt: skip
    return joined(fragments, ~open_to[fragments.pixel], found)


def behind_in_picture(structure: Structure, replaced: np.ndarray, inside: np.ndarray, back: np.ndarray) -> Fragments:
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
    shown = Fragments(pixel, region, fragments.weight[own], depth, normal, fragments.offset[own])
    return joined(fragments, ~own, shown)


def joined(fragments: Fragments, kept: np.ndarray, fresh: Fragments) -> Fragments:
    """The fragments `kept` (N,) bool with fresh ones, sorted by pixel, the largest of each first."""
    columns = []
    for field in fields(Fragments):
        old = getattr(fragments, field.name)
        columns.append(np.concatenate([old[kept], getattr(fresh, field.name).astype(old.dtype)]))
    joint = Fragments(*columns)
    order = np.lexsort((-joint.weight, joint.pixel))
    return Fragments(*(column[order] for column in columns))
