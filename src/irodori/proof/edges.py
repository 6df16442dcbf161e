"""Finding edges and cutting them into short straight pieces that can be measured well below a pixel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

BLOCK = 14
"""Edges are pooled over pieces of at most this many pixels."""

FEWEST = 5
"""Edge pixels a piece must have."""

STRAIGHT = 0.45
"""Largest root-mean-square distance, px, of a piece's pixels from its line."""

ORIENTATIONS = 8


@dataclass(frozen=True, eq=False)
class EdgePieces:
    """Short straight pieces of edge.

    Attributes
    ----------
    centre
        (P, 2) float64, px (x, y).
    normal
        (P, 2) float64, unit, across the edge.
    length
        (P,) float64, px.
    strength
        (P,) float64, mean gradient energy's root, encoded units a pixel.
    point, piece
        (N, 2) float64 px, every edge pixel's place on its piece's line, and (N,) int64, the piece it belongs to.
    """

    centre: np.ndarray
    normal: np.ndarray
    length: np.ndarray
    strength: np.ndarray
    point: np.ndarray
    piece: np.ndarray

    def __len__(self) -> int:
        return len(self.centre)


def edge_energy(image: np.ndarray, reach: float = 1.0) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Gradient energy of an image (H, W, 3), gathered over `reach` px, so that a drawn line peaks at its centre.

    The larger eigenvalue of the colour structure tensor (Di Zenzo, CVGIP 33, 1986).

    Returns
    -------
    energy, nx, ny
        (H, W) float32; the unit direction across the edge.
    """
    import cv2

    xx = np.zeros(image.shape[:2], np.float32)
    yy, xy = xx.copy(), xx.copy()
    for channel in range(image.shape[2]):
        plane = np.ascontiguousarray(image[..., channel])
        dx = cv2.Scharr(plane, cv2.CV_32F, 1, 0, scale=1 / 32)
        dy = cv2.Scharr(plane, cv2.CV_32F, 0, 1, scale=1 / 32)
        xx += dx * dx
        yy += dy * dy
        xy += dx * dy
    xx, yy, xy = (cv2.GaussianBlur(t, (0, 0), reach) for t in (xx, yy, xy))
    half = np.sqrt(((xx - yy) / 2) ** 2 + xy**2)
    energy = (xx + yy) / 2 + half
    angle = 0.5 * np.arctan2(2 * xy, xx - yy)
    return energy, np.cos(angle), np.sin(angle)


def find_pieces(image: np.ndarray, weakest: float, block: int = BLOCK) -> EdgePieces:
    """Cut the edges of an image (H, W, 3; encoded 0 … 1) into pieces.

    Parameters
    ----------
    weakest
        Gradient, encoded units a pixel, below which nothing counts as an edge.
    """
    import cv2

    energy, nx, ny = edge_energy(image)
    x, y, place = _crests(energy, nx, ny, weakest**2)
    if not len(x):
        return _no_pieces()
    turn = np.arctan2(ny[y, x], nx[y, x]) % np.pi
    bin_of = np.rint(turn / np.pi * ORIENTATIONS).astype(np.int64) % ORIENTATIONS
    label = np.zeros(len(x), np.int64)
    for k in range(ORIENTATIONS):
        chosen = bin_of == k
        mask = np.zeros(energy.shape, np.uint8)
        mask[y[chosen], x[chosen]] = 1
        _, labels = cv2.connectedComponents(mask, connectivity=8)
        label[chosen] = labels[y[chosen], x[chosen]] * ORIENTATIONS + k
    rows = image.shape[0] // block + 1
    key = (label * (image.shape[1] // block + 1) + x // block) * rows + y // block
    _, piece = np.unique(key, return_inverse=True)
    return _fit(place, piece, np.sqrt(energy[y, x]), np.stack([nx[y, x], ny[y, x]], axis=1))


def _crests(energy, nx, ny, weakest):
    """Pixels where the energy peaks across the edge, and the peak's sub-pixel place."""

    height, width = energy.shape
    y, x = np.nonzero(energy > weakest)
    inside = (x > 2) & (x < width - 3) & (y > 2) & (y < height - 3)
    x, y = x[inside], y[inside]
    dx, dy = nx[y, x], ny[y, x]
    here = energy[y, x]

    def at(step):
        return _sample(energy, x + step * dx, y + step * dy)

    before, after = at(-1.0), at(1.0)
    crest = (here >= before) & (here > after)
    x, y, before, here, after = x[crest], y[crest], before[crest], here[crest], after[crest]
    bend = before - 2 * here + after
    step = np.where(np.abs(bend) > 1e-12, 0.5 * (before - after) / np.where(bend == 0, 1, bend), 0.0).clip(-0.7, 0.7)
    place = np.stack([x + 0.5 + step * nx[y, x], y + 0.5 + step * ny[y, x]], axis=1)
    return x, y, place


def _sample(plane: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Bilinear values at pixel indices (not centres) x, y."""
    x0, y0 = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    fx, fy = (x - x0).astype(np.float32), (y - y0).astype(np.float32)
    top = plane[y0, x0] * (1 - fx) + plane[y0, x0 + 1] * fx
    bottom = plane[y0 + 1, x0] * (1 - fx) + plane[y0 + 1, x0 + 1] * fx
    return top * (1 - fy) + bottom * fy


def _fit(place, piece, strength, across) -> EdgePieces:
    """A line through each piece; crooked and tiny pieces are dropped."""
    count = int(piece.max()) + 1
    size = np.bincount(piece, minlength=count)
    safe = np.maximum(size, 1)

    def mean(values):
        return np.bincount(piece, values, minlength=count) / safe

    cx, cy = mean(place[:, 0]), mean(place[:, 1])
    dx, dy = place[:, 0] - cx[piece], place[:, 1] - cy[piece]
    xx, yy, xy = mean(dx * dx), mean(dy * dy), mean(dx * dy)
    angle = 0.5 * np.arctan2(2 * xy, xx - yy)  # along the piece
    half = np.sqrt(((xx - yy) / 2) ** 2 + xy**2)
    spread = np.sqrt(np.maximum((xx + yy) / 2 - half, 0.0))
    normal = np.stack([-np.sin(angle), np.cos(angle)], axis=1)
    agree = np.abs((normal[piece] * across).sum(axis=1))
    good = (size >= FEWEST) & (spread < STRAIGHT) & (mean(agree) > 0.94)
    force = mean(strength)[good]
    new = np.cumsum(good) - 1
    kept = good[piece]
    piece, dx, dy = piece[kept], dx[kept], dy[kept]
    n = normal[piece]
    away = dx * n[:, 0] + dy * n[:, 1]
    on_line = place[kept] - away[:, None] * n
    length = np.sqrt(12 * np.maximum((xx + yy) / 2 + half, 0.0)) + 1
    return EdgePieces(np.stack([cx, cy], axis=1)[good], normal[good], length[good], force, on_line, new[piece])


def _no_pieces() -> EdgePieces:
    empty = np.zeros((0, 2))
    return EdgePieces(empty, empty, np.zeros(0), np.zeros(0), empty, np.zeros(0, np.int64))
