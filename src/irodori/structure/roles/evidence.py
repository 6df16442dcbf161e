"""What is measured of regions to tell their roles, and how regions are tied to each other."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy import sparse

from irodori.core.camera import Camera
from irodori.core.roles import ROLES
from irodori.structure.regions.measure import Regions
from irodori.structure.roles.building_pieces import Piece

ALIKE, LEVELS = 0.35, 0.25
"""Logarithm by which the sizes of alike faces may differ, and m by which their feet and heads may."""

FACING, ONE_PLANE = 0.98, (0.03, 0.05)
"""Cosine from which on two faces face one way, and the share of their distance and m by which one plane's may differ."""

PAPER = 255.0
"""8-bit tone that all regions of a drawing count as."""

SPECK = 2e-5
"""Share of the picture below which a face is not compared with others."""

HIGHEST = 40.0
"""m up to which heights count."""


@dataclass(frozen=True, eq=False)
class Evidence:
    """What was read of the regions of a picture (R,), index 0 unused, before their roles are settled.

    `normals` (R, 3) and `distance` (R,) m of their planes, `eye` m over the ground, `rounds` which are round and whether
    upright, `roles` what the rules take them for; in drawings colours say nothing (`coloured` False).
    """

    regions: Regions
    pieces: list[Piece]
    camera: Camera
    normals: np.ndarray
    distance: np.ndarray
    eye: float
    sky: int
    planting: list[int]
    rounds: dict[int, bool]
    outdoors: bool
    coloured: bool
    roles: list[str]

    @cached_property
    def ties(self) -> list[sparse.csr_matrix]:
        """Which regions each one hears, (R, R) each, rows summing to one or nothing: all around it by shared border,
        those right above, those right beneath, those around in its own plane, faces of its size that face its way, and
        the one that takes most of its border."""
        count = len(self.regions.area)
        own, other, size = self.regions.neighbours
        upper, lower, along = self.regions.stacked
        near = (
            np.abs(self.distance[own] - self.distance[other]) < ONE_PLANE[0] * np.abs(self.distance[own]) + ONE_PLANE[1]
        )
        like, alike = np.nonzero(self.alike[1])
        host = np.array([piece.host for piece in self.pieces])
        hosted = np.flatnonzero(host)
        links = [
            (own, other, size),
            (lower, upper, along),
            (upper, lower, along),
            (own, other, size * (near & self._facing(own, other))),
            (like, alike, np.ones(len(like))),
            (hosted, host[hosted], np.ones(len(hosted))),
        ]
        out = []
        for rows, columns, weight in links:
            matrix = sparse.coo_matrix((weight.astype(float), (rows, columns)), (count, count)).tocsr()
            total = np.asarray(matrix.sum(axis=1)).ravel()
            out.append((sparse.diags(1 / np.where(total > 0, total, 1)) @ matrix).tocsr())
        return out

    @cached_property
    def alike(self) -> tuple[np.ndarray, np.ndarray]:
        """Pairs (R, R) of upright faces that face one way: in one row and as wide, and of one size anywhere."""
        count = len(self.regions.area)
        low, high, wide = (np.array([getattr(p, name) for p in self.pieces]) for name in ("low", "high", "wide"))
        upright = (np.abs(self.normals[:, 2]) < 0.3) & self.normals.any(axis=1)
        own = np.flatnonzero(upright & (self.regions.area > SPECK * self.regions.labels.size))
        facing = np.abs(self.normals[own] @ self.normals[own].T) > FACING
        np.fill_diagonal(facing, False)
        tall, broad = (np.log(np.maximum(value, 1e-3))[own] for value in (high - low, wide))
        facing &= np.abs(broad[:, None] - broad) < ALIKE
        row = facing.copy()
        for value in (low[own], high[own]):
            row &= np.abs(value[:, None] - value) < LEVELS
        out = []
        for pairs in (row, facing & (np.abs(tall[:, None] - tall) < ALIKE)):
            whole = np.zeros((count, count), bool)
            whole[np.ix_(own, own)] = pairs
            out.append(whole)
        return out[0], out[1]

    def _facing(self, a: np.ndarray, b: np.ndarray) -> np.ndarray:
        return np.abs((self.normals[a] * self.normals[b]).sum(axis=1)) > FACING


def measure_evidence(evidence: Evidence) -> np.ndarray:
    """Measures of every region, (R, M) float32: its own and those of what it hears."""
    regions, camera, normals = evidence.regions, evidence.camera, evidence.normals
    count, (height, width) = len(regions.area), regions.labels.shape
    low, high, wide, thin, long, even, share, host = np.array(
        [(p.low, p.high, p.wide, p.thin, p.long, p.even, p.share, p.host) for p in evidence.pieces]
    ).T
    host = host.astype(int)
    shape, curve = _shapes(evidence), np.zeros(count, int)
    for region, upright in evidence.rounds.items():
        curve[region] = 1 if upright else 2
    tint, light, vivid = _tones(evidence)
    box = regions.main_box
    across = np.maximum(np.hypot(box[:, 2] - box[:, 0], box[:, 3] - box[:, 1]), 1)
    # How far away it is: what a pixel spans there.
    span = thin * across / np.maximum(regions.area, 1)
    tall = np.clip(high - low, 0, HIGHEST)
    own, other, size = regions.neighbours
    border = np.maximum(np.bincount(own, size, count), 1)
    parallel = np.bincount(own, size * evidence._facing(own, other), count) / border
    of_host = np.stack(
        [
            np.log(np.maximum(regions.area[host], 1) / np.maximum(regions.area, 1)),
            np.abs((normals * normals[host]).sum(axis=1)),
            np.clip(high[host] - high, -10, 10),
            np.clip(low - low[host], -10, 10),
            light - light[host],
            np.abs(tint - tint[host]).max(axis=1),
        ],
        axis=1,
    )
    own_measures = np.stack(
        [
            normals[:, 2],
            normals @ camera.rotation[2],
            np.clip(low, -5, HIGHEST),
            np.clip(high, -5, HIGHEST),
            tall,
            np.log(np.maximum(wide, 0.01)),
            np.log(np.maximum(tall, 0.01)),
            np.log(np.maximum(tall, 0.01) / np.maximum(wide, 0.01)),
            np.log(np.maximum(thin, 0.001)),
            np.log(np.maximum(long, 1.0)),
            even,
            share,
            np.log(np.maximum(span, 1e-5)),
            np.log(regions.area / (height * width) + 1e-7),
            *(box / [width, height, width, height]).T,
            regions.area / np.maximum(np.prod(box[:, 2:] - box[:, :2], axis=1), 1),
            *((box < 2)[:, :2] | (box[:, 2:] > np.array([width, height]) - 2)).T,
            light,
            vivid,
            parallel,
            *(np.log1p(pairs.sum(axis=1)) for pairs in evidence.alike),
            np.minimum(np.bincount(own, minlength=count), 30),
        ],
        axis=1,
    )
    of_picture = [
        float(evidence.outdoors),
        float(evidence.coloured),
        np.log(max(abs(evidence.eye), 0.1)),
        camera.rotation[2, 2],
        float(camera.projection == "parallel"),
    ]
    told = np.concatenate([shape, np.eye(len(ROLES))[[ROLES.index(role) for role in evidence.roles]]], axis=1)
    heard = [tie @ told for tie in evidence.ties]
    parts = [own_measures, of_host, tint, np.eye(3)[curve], told, *heard, np.tile(of_picture, (count, 1))]
    return np.concatenate(parts, axis=1).astype(np.float32)


def _shapes(evidence: Evidence) -> np.ndarray:
    """Sky, planting, level from above, level from below, upright or sloping: which each region is, (R, 6)."""
    up = evidence.normals[:, 2]
    shape = np.full(len(up), 5)
    shape[up > 0.95], shape[up < -0.95], shape[np.abs(up) < 0.2] = 2, 3, 4
    shape[evidence.planting] = 1
    if evidence.sky:
        shape[evidence.sky] = 0
    return np.eye(6)[shape]


def _tones(evidence: Evidence) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Shares of red, green and blue (R, 3), lightness and how vivid, (R,); the same for all of a drawing."""
    colour = evidence.regions.colour if evidence.coloured else np.full_like(evidence.regions.colour, PAPER)
    most = colour.max(axis=1)
    tint = colour / np.maximum(colour.sum(axis=1, keepdims=True), 1e-6)
    return tint, most / 255.0, (most - colour.min(axis=1)) / np.maximum(most, 1e-6)
