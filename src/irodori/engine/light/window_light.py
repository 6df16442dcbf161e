"""Imagined rooms that light what lies before their windows: as much as their panes show of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from irodori.core.colour import luminance
from irodori.core.geometry.frames import face_normals, unit_rows
from irodori.core.model import Mesh
from irodori.core.sampling import TO_LAMPS, lattice_point
from irodori.engine.surface.fresnel import fresnel_double_glazing
from irodori.engine.surface.imagined_rooms import room_radiance

SAMPLES = 24
"""Places on a window that tell what it sends each way."""

LEVEL, LEAST_COSINE = 0.9, 0.02
"""Sine of the slope from which glass lies level, and cosine of the angle from its normal below which it sends nothing."""

ONE_WALL = 0.35
"""m between planes of panes that are told as one window."""

OUTWARD = 0.9
"""Cosine up to which a pane's face looks the way that the glazing does."""


@dataclass(frozen=True, eq=False)
class Window:
    """The panes of one wall: `triangles` (N, 3, 3) wound to face outward, `lumens` (3,) that leave them, rooms burning in full;
    `table` (V, A) cd/lm by direction in `frame` (3, 3), as in `LampSet`."""

    triangles: np.ndarray
    lumens: np.ndarray
    frame: np.ndarray
    table: np.ndarray


def light_of_rooms(
    mesh: Mesh, panes: np.ndarray, outward: np.ndarray, rooms: np.ndarray, colour: np.ndarray, seed: int,
    shape: tuple[int, int],
) -> list[Window]:  # fmt: skip
    """The windows of a `mesh` and what their rooms send out, their lamps burning in full, in tables of some `shape`.

    `panes` (K,) are surface ids with a room in `rooms` (S, 4) behind them; `outward` (K, 3) unit, where they look.
    """
    walls: dict[tuple, list[tuple[np.ndarray, np.ndarray]]] = {}
    glass = np.isin(mesh.surface, panes)
    triangles, surface, normals = mesh.triangles[glass], mesh.surface[glass], mesh.normals()[glass]
    for pane, way in zip(panes, outward):
        own = surface == pane
        facing = normals[own] @ way
        faces = np.where(facing[:, None, None] < 0, triangles[own][:, ::-1], triangles[own])[np.abs(facing) > OUTWARD]
        if len(faces):
            # Of a pane with two faces the outer one.
            offset = faces.mean(axis=1) @ way
            faces = faces[offset > offset.max() - ONE_WALL / 2]
            wall = (*np.round(way * 8).astype(int).tolist(), round(float(offset.max()) / ONE_WALL))
            walls.setdefault(wall, []).append((faces, np.full(len(faces), pane)))
    windows = []
    vertical = np.linspace(0, np.pi, shape[0])
    solid_angle = (np.sin(vertical) * vertical[1] * 2 * np.pi / shape[1])[:, None]
    for parts in walls.values():
        faces, owner = (np.concatenate(each) for each in zip(*parts))
        normal = face_normals(faces)
        frame = _frame(unit_rows(normal.sum(axis=0)[None])[0])
        area = np.cumsum(np.linalg.norm(normal, axis=1) / 2)
        shares = (np.arange(SAMPLES) + 0.5) / SAMPLES
        at = np.minimum(np.searchsorted(area, area[-1] * shares), len(area) - 1)
        as_floats = (a.astype(np.float32) for a in (faces[at], rooms[owner[at]], frame, colour))
        sent = float(area[-1]) * _sent_out(*as_floats, seed, shape).astype(float)
        lumens = (sent * solid_angle[..., None]).sum(axis=(0, 1))
        if lumens.sum() > 0:
            windows.append(Window(faces, lumens, frame, luminance(sent) / luminance(lumens)))
    return windows


def _frame(outward: np.ndarray) -> np.ndarray:
    """Rows (3, 3): outward, the side at 90° and the axis, which runs down the glass or, where it lies level, along it."""
    down = np.array([0.0, 0.0, -1.0]) if abs(outward[2]) < LEVEL else np.array([0.0, -1.0, 0.0])
    axis = down - (down @ outward) * outward
    axis /= np.linalg.norm(axis)
    return np.stack([outward, np.cross(axis, outward), axis])


@njit(cache=True)
def _sent_out(faces, rooms, frame, colour, seed, shape):
    """Intensity (*shape, 3) of a m² of glass, cd, by the angle from the frame's axis and around it.

    What every way shows is the mean over a place on each of the triangles `faces` (N, 3, 3), with the `rooms` (N, 4) behind them,
    less what the glass holds back.
    """
    count = len(faces)
    out, shown = np.zeros((shape[0], shape[1], 3), np.float32), np.empty(9, np.float32)
    dark, one = np.zeros(3, np.float32), np.float32(1)
    nx, ny, nz = frame[0, 0], frame[0, 1], frame[0, 2]
    for v in range(shape[0]):
        along = np.float32(np.cos(np.pi * v / (shape[0] - 1)))
        away = np.float32(np.sin(np.pi * v / (shape[0] - 1)))
        for h in range(shape[1]):
            turn = 2 * np.pi * h / shape[1]
            p, q = away * np.float32(np.cos(turn)), away * np.float32(np.sin(turn))
            if p < LEAST_COSINE:
                continue
            dx = p * frame[0, 0] + q * frame[1, 0] + along * frame[2, 0]
            dy = p * frame[0, 1] + q * frame[1, 1] + along * frame[2, 1]
            dz = p * frame[0, 2] + q * frame[1, 2] + along * frame[2, 2]
            weight = p * (one - fresnel_double_glazing(p, np.float32(0.043))) / np.float32(count)
            for i in range(count):
                a, b = lattice_point(i, v * shape[1] + h, TO_LAMPS)
                if a + b > one:
                    a, b = one - a, one - b
                at = faces[i, 0] + a * (faces[i, 1] - faces[i, 0]) + b * (faces[i, 2] - faces[i, 0])
                room_radiance(
                    at[0], at[1], at[2], -dx, -dy, -dz, nx, ny, nz, rooms[i], dark, one, colour, seed, shown
                )  # fmt: skip
                for k in range(3):
                    out[v, h, k] += shown[6 + k] * weight
    return out
