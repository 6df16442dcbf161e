"""The structure of a capture, put together from its regions, their planes and what they are."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from irodori.core.camera import EYE_HEIGHT, Camera
from irodori.core.colour import decode_srgb
from irodori.core.pixels.ink import find_ink, ink_colour
from irodori.core.structure import STRUCTURE_COLUMNS, Structure
from irodori.structure.camera.line_directions import UP
from irodori.structure.corrections.apply import SURE
from irodori.structure.curves.cylinders import Cylinder
from irodori.structure.curves.rounds import Round
from irodori.structure.distance.on_planes import NEAREST, depth_on_planes
from irodori.structure.regions.border_coverage import border_coverage, make_fragments
from irodori.structure.regions.join import pieces_behind_posts
from irodori.structure.regions.measure import Regions
from irodori.structure.regions.pane_frames import one_plane, with_pane_frames
from irodori.structure.regions.straight_borders import straightened
from irodori.structure.stages.reading import Surfaces, Told

if TYPE_CHECKING:
    import pandas as pd


FARTHEST = 400.0
"""m beyond which a surface does not go on behind posts."""


def assemble(told: Told, read: Surfaces, said: tuple[str, ...] = ()) -> Structure:
    """The structure of a capture from what was read of it; `said` comes before the notes of the stages."""
    capture, encoded, segments = told.page.capture, told.page.encoded, told.page.segments
    frame, regions, camera = told.view.frame, told.background.regions, read.camera
    normals, distance, roles, sure, sky = read.normal, read.distance, read.roles, read.sure, read.sky
    notes = (*said, *told.view.notes, *read.notes)
    height, width = encoded.shape[:2]
    ground = [
        r
        for r, role in enumerate(roles)
        if role in ("paving", "lawn", "floor", "slab", "ground") and normals[r][2] > 0.9
    ]
    biggest = max(ground, key=lambda r: regions.area[r]) if ground else None
    eye = float(distance[biggest]) if biggest is not None else EYE_HEIGHT
    camera = replace(camera, position=np.array([0.0, 0.0, eye]))
    ink = ink_colour(encoded, find_ink(encoded))
    if not (told.page.traits.drawn or capture.lossy or capture.textured is not None):
        regions = _with_pieces(told, read)
    coverage = border_coverage(encoded, regions.labels, regions.colour, ink)
    if told.page.traits.by_hand:
        coverage = straightened(coverage, width / 1280)
    if told.page.traits.drawn:
        panes = [r for r, role in enumerate(roles) if role == "glazing" and r != sky]
        normals, distance = one_plane(coverage.labels, panes, normals, distance)
        coverage, framed = with_pane_frames(coverage, panes, width / 1280)
        normals, distance, sure, colour = (
            np.concatenate([own, own[framed]]) for own in (normals, distance, sure, regions.colour)
        )
        roles = [*roles, *["frame"] * len(framed)]
        regions = replace(regions, area=np.bincount(coverage.labels.ravel(), minlength=len(roles)), colour=colour)
    # From here on the sky is 0.
    ids = np.arange(len(regions.area), dtype=np.int32)
    if sky:
        ids[sky] = 0
    final_normals = normals.copy()
    final_normals[sky if sky else 0] = 0
    final_normals[0] = 0

    shape = _Shape(camera, final_normals, distance, read.rounds, read.cylinders)
    coverage = replace(coverage, labels=ids[coverage.labels], second=ids[coverage.second])
    fragments = make_fragments(coverage, shape.depth, shape.normal)
    region_map = coverage.labels
    ys, xs = np.mgrid[0:height, 0:width]
    centres = xs.ravel() + 0.5, ys.ravel() + 0.5
    depth = shape.depth(region_map.ravel(), *centres).reshape(height, width)
    normal = shape.normal(region_map.ravel(), *centres).reshape(height, width, 3)
    table = _table(regions, camera, final_normals, distance, roles, sure, sky)
    weight = table["area_px"].to_numpy(float)
    confidence = (
        float(np.average(table["confidence"], weights=weight)) * (0.4 + 0.6 * frame.share) if len(table) else 0.0
    )
    vanishing = (np.linalg.inv(camera.rotation) @ frame.axes.T).T
    return Structure(
        camera=camera, regions=region_map, depth=depth, normal=normal,
        fragments=fragments, lines=segments.astype(np.float32), surfaces=table, confidence=confidence,
        kind=capture.kind, vanishing=vanishing, digest=capture.digest, notes=(*capture.removed, *notes),
        north=capture.north,
    )  # fmt: skip


def _with_pieces(told: Told, read: Surfaces) -> Regions:
    """Regions in which pieces seen between posts and rails are of the surface behind them. Told last: what is read of a surface is
    read of its large part."""
    regions = told.background.regions
    apart = {
        0,
        read.sky,
        *told.areas.planting,
        *read.rounds,
        *read.cylinders,
        *np.flatnonzero(read.sure >= SURE).tolist(),
    }
    pieces = pieces_behind_posts(told.page.encoded, regions.labels, told.areas.pure, sorted(apart))
    own = np.arange(len(regions.area), dtype=regions.labels.dtype)
    for piece, whole in pieces.items():
        y, x = np.nonzero(regions.labels == piece)
        depth = depth_on_planes(read.camera, read.normal, read.distance, np.full(len(x), whole), x + 0.5, y + 0.5)
        if (depth > NEAREST).all() and (depth < FARTHEST).all():
            own[piece] = whole
    labels = own[regions.labels]
    return replace(regions, labels=labels, area=np.bincount(labels.ravel(), minlength=len(own)))


@dataclass(frozen=True, eq=False)
class _Shape:
    """What regions are: planes of `normals` (R, 3) and `distance` (R,) m, with the relief of curves before them, and cylinders."""

    camera: Camera
    normals: np.ndarray
    distance: np.ndarray
    rounds: dict[int, Round]
    cylinders: dict[int, Cylinder]

    def depth(self, region: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        """Depth (N,) float32, m, at picture positions on regions; infinite for region 0, the sky."""
        depth = np.full(len(region), np.inf, np.float32)
        solid = np.flatnonzero(region > 0)
        own = region[solid]
        depth[solid] = depth_on_planes(self.camera, self.normals, self.distance, own, x[solid], y[solid])
        for number, cylinder in self.cylinders.items():
            at = np.flatnonzero(region == number)
            away, _, _ = cylinder.hit(self._rays(x[at], y[at]))
            depth[at] = away * self.distance[number] / cylinder.distance
        for number, curve in self.rounds.items():
            at = np.flatnonzero(region == number)
            depth[at] -= curve.radius(self.camera, depth[at]) * curve.relief(x[at], y[at])[2]
        return np.maximum(depth, NEAREST)

    def normal(self, region: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        """Unit normals (N, 3) float32 there, world."""
        out = self.normals[region].astype(np.float32)
        for number, cylinder in self.cylinders.items():
            at = np.flatnonzero(region == number)
            out[at] = cylinder.hit(self._rays(x[at], y[at]))[1]
        for number, curve in self.rounds.items():
            at = np.flatnonzero(region == number)
            right, down, towards = curve.relief(x[at], y[at])
            facing, up = self.normals[number], UP
            if not curve.upright:
                # A ball turns its middle to the eye, from above and below too.
                facing = -self._rays(*np.array(curve.centre)[:, None])[0]
                facing /= np.linalg.norm(facing)
            side = np.cross(UP, facing)
            side /= np.linalg.norm(side)
            if not curve.upright:
                up = np.cross(facing, side)
            out[at] = right[:, None] * side - down[:, None] * up + towards[:, None] * facing
        return out

    def _rays(self, x: np.ndarray, y: np.ndarray) -> np.ndarray:
        return self.camera.rays(x, y)[1].astype(float)


def _table(
    regions: Regions, camera: Camera, normals: np.ndarray, distance: np.ndarray, roles: list[str], sure: np.ndarray, sky: int
) -> pd.DataFrame:  # fmt: skip
    """The surfaces' table, a row for each region but the sky."""
    import pandas as pd

    rows = []
    for region in range(1, len(regions.area)):
        if region == sky or regions.area[region] == 0:
            continue
        n = normals[region]
        rows.append({
            "id": region, "role": roles[region], "name": "", "material": "",
            "colour": tuple(float(c) for c in decode_srgb(regions.colour[region] / 255.0)), "opacity": 1.0,
            "nx": n[0], "ny": n[1], "nz": n[2], "offset": float(n @ camera.position - distance[region]),
            "area_px": int(regions.area[region]), "confidence": float(sure[region]),
        })  # fmt: skip
    return pd.DataFrame(rows, columns=list(STRUCTURE_COLUMNS))
