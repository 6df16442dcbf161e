"""Plain solids as triangle lists (T, 3, 3) float64, metres, z up."""

from __future__ import annotations

import numpy as np

_QUAD = np.array([[0, 1, 2], [0, 2, 3]])


def quad(a, b, c, d) -> np.ndarray:
    """Two triangles of a quadrilateral, corners anticlockwise seen from its front."""
    return np.array([a, b, c, d], float)[_QUAD]


def box(low, high) -> np.ndarray:
    """An axis-parallel box."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    return prism([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], z0, z1)


def quarter_turned(points: np.ndarray, times: int) -> np.ndarray:
    """Points (…, 3) turned about z, clockwise from above."""
    x, y, z = np.moveaxis(np.asarray(points, float), -1, 0)
    for _ in range(times % 4):
        x, y = y + 0.0, -x
    return np.stack([x, y, z], axis=-1)


def prism(outline, z0: float, z1: float) -> np.ndarray:
    """A convex outline in plan (anticlockwise) extruded from z0 to z1."""
    points = np.array(outline, float)
    n = len(points)
    low = np.column_stack([points, np.full(n, z0)])
    high = np.column_stack([points, np.full(n, z1)])
    faces = [quad(low[i], low[(i + 1) % n], high[(i + 1) % n], high[i]) for i in range(n)]
    fan = [[0, i, i + 1] for i in range(1, n - 1)]
    return np.concatenate([*faces, high[fan], low[fan][:, ::-1]])


def extrude_along(profile, axis: int, start: float, end: float) -> np.ndarray:
    """A convex profile extruded along x (axis 0; profile in y, z) or y (axis 1; profile in x, z)."""
    solid = prism(profile, start, end)
    if axis == 0:  # (y, z, x) -> (x, y, z) keeps handedness
        return solid[..., [2, 0, 1]]
    return solid[..., [0, 2, 1]][:, ::-1]


def sheet(profile, axis: int, start: float, end: float, thickness: float) -> np.ndarray:
    """An open profile of straight pieces, thickened downwards and extruded: a folded roof."""
    pieces = []
    for (a0, z0), (a1, z1) in zip(profile[:-1], profile[1:]):
        outline = [(a0, z0 - thickness), (a1, z1 - thickness), (a1, z1), (a0, z0)]
        pieces.append(extrude_along(outline, axis, start, end))
    return np.concatenate(pieces)


def cylinder(x, y, z0, z1, r0, r1=None, sides=12, lean=(0.0, 0.0)) -> np.ndarray:
    """An upright, possibly tapering and leaning cylinder."""
    r1 = r0 if r1 is None else r1
    angles = np.arange(sides) * 2 * np.pi / sides
    ring = np.column_stack([np.cos(angles), np.sin(angles)])
    low = np.column_stack([ring * r0 + (x, y), np.full(sides, z0)])
    high = np.column_stack([ring * r1 + (x + lean[0], y + lean[1]), np.full(sides, z1)])
    faces = [quad(low[i], low[(i + 1) % sides], high[(i + 1) % sides], high[i]) for i in range(sides)]
    fan = [[0, i, i + 1] for i in range(1, sides - 1)]
    return np.concatenate([*faces, high[fan], low[fan][:, ::-1]])


def swept(points, radii, sides: int = 8) -> np.ndarray:
    """A round bar through `points` (n, 3) with `radii` (n,), open at its ends."""
    points, radii = np.asarray(points, float), np.asarray(radii, float)
    along = np.gradient(points, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True) + 1e-12
    side = np.cross(along, np.where(np.abs(along[:, 2:]) < 0.9, [[0, 0, 1.0]], [[1.0, 0, 0]]))
    side /= np.linalg.norm(side, axis=1, keepdims=True) + 1e-12
    other = np.cross(along, side)
    angles = np.arange(sides) * 2 * np.pi / sides
    ring = np.cos(angles)[None, :, None] * side[:, None] + np.sin(angles)[None, :, None] * other[:, None]
    return loft(points[:, None] + ring * radii[:, None, None])


def loft(rings, closed: bool = True) -> np.ndarray:
    """The skin over `rings` (n, k, 3), each with the same number of points, closed or open."""
    rings = np.asarray(rings, float)
    if closed:
        rings = np.concatenate([rings, rings[:, :1]], axis=1)
    a, an, b, bn = rings[:-1, :-1], rings[:-1, 1:], rings[1:, :-1], rings[1:, 1:]
    return np.stack([np.stack([a, an, bn], axis=2), np.stack([a, bn, b], axis=2)], axis=2).reshape(-1, 3, 3)


def ellipsoid(centre, radii, rings: int = 8) -> np.ndarray:
    """An ellipsoid with half axes `radii` along x, y, z."""
    return ball((0, 0, 0), 1.0, rings) * np.array(radii, float) + np.array(centre, float)


def tube(a, b, radius: float, sides: int = 8) -> np.ndarray:
    """A round bar from point a to point b."""
    a, b = np.array(a, float), np.array(b, float)
    along = (b - a) / np.linalg.norm(b - a)
    side = np.cross(along, [0, 0, 1.0] if abs(along[2]) < 0.9 else [1.0, 0, 0])
    side /= np.linalg.norm(side)
    other = np.cross(along, side)
    angles = np.arange(sides) * 2 * np.pi / sides
    ring = np.cos(angles)[:, None] * side + np.sin(angles)[:, None] * other
    low, high = a + ring * radius, b + ring * radius
    return np.concatenate([quad(low[i], low[(i + 1) % sides], high[(i + 1) % sides], high[i]) for i in range(sides)])


def ball(centre, radius: float, rings: int = 8) -> np.ndarray:
    """A sphere."""
    faces = []
    lat = np.linspace(-np.pi / 2, np.pi / 2, rings + 1)
    lon = np.linspace(0, 2 * np.pi, 2 * rings + 1)

    def at(i, j):
        return np.array(centre) + radius * np.array(
            [np.cos(lat[i]) * np.cos(lon[j]), np.cos(lat[i]) * np.sin(lon[j]), np.sin(lat[i])]
        )

    for i in range(rings):
        for j in range(2 * rings):
            faces.append(quad(at(i, j), at(i, j + 1), at(i + 1, j + 1), at(i + 1, j)))
    return np.concatenate(faces)


def gabled_house(wide: float, deep: float, eaves: float, ridge: float) -> tuple[np.ndarray, np.ndarray]:
    """Walls and roof of a house about the origin, its ridge along y."""
    x, y = wide / 2, deep / 2
    a, b, c, d = (np.array(p, float) for p in ((-x, -y, 0), (x, -y, 0), (x, y, 0), (-x, y, 0)))
    up, top = np.array([0, 0, eaves]), np.array([0, 0, ridge])
    front, back = np.array([0, -y, 0]) + top, np.array([0, y, 0]) + top
    quads = [(a, b, b + up, a + up), (b, c, c + up, b + up), (c, d, d + up, c + up), (d, a, a + up, d + up)]
    walls = [t for p, q, r, s in quads for t in ((p, q, r), (p, r, s))]
    walls += [(a + up, b + up, front), (c + up, d + up, back)]
    slopes = [(a + up, front, back, d + up), (b + up, c + up, back, front)]
    return np.array(walls), np.array([t for p, q, r, s in slopes for t in ((p, q, r), (p, r, s))])
