"""How far away each plane lies: all borders vote together.

With q the logarithm of a plane's distance, a fold between two regions says that q_i − q_j equals the logarithm of
the ratio of their ray cosines along the border. Minimising the weighted absolute misfit (a linear programme) lets
occlusions stand as outliers.
"""

from __future__ import annotations

import numpy as np

from irodori.core.camera import Camera
from irodori.structure.orientation import CARD, LEVEL, Regions

PARALLEL_DEPTH = 60.0
"""m from the eye of a parallel view to what it stands on, which its lines cannot tell."""


def border_pairs(labels: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """All border places: regions on either side (a < b), position (N, 2) px, and whether b lies below a."""
    out = []
    for axis in (0, 1):
        first = labels[:-1] if axis == 0 else labels[:, :-1]
        second = labels[1:] if axis == 0 else labels[:, 1:]
        y, x = np.nonzero(first != second)
        a, b = first[y, x], second[y, x]
        place = np.stack([x + (0.5 if axis == 0 else 1.0), y + (1.0 if axis == 0 else 0.5)], axis=1)
        low, high = np.minimum(a, b), np.maximum(a, b)
        stacked = np.where(a < b, 1, -1) if axis == 0 else np.zeros(len(a), int)
        out.append((low, high, place, stacked))
    return tuple(np.concatenate(column) for column in zip(*out))


def solve_offsets(
    regions: Regions, camera: Camera, kinds: np.ndarray, normals: np.ndarray, sky: int, anchor: int, distance: float
) -> np.ndarray:
    """Distance of each plane from the camera, (R,) m; the plane of region `anchor` is held at `distance`.

    A plane is normal · (x − position) = −distance. In parallel projection distances may be negative.
    """
    from scipy.optimize import linprog
    from scipy.sparse import coo_matrix

    count = len(regions.area)
    low, high, place, stacked = border_pairs(regions.labels)
    good = (low != sky) & (high != sky) & (low > 0)
    low, high, place, stacked = low[good], high[good], place[good], stacked[good]
    origins, rays = (a.astype(float) for a in camera.rays(place[:, 0], place[:, 1]))
    origins -= camera.position
    cos_low, cos_high = -(normals[low] * rays).sum(1), -(normals[high] * rays).sum(1)
    usable = (cos_low > 1e-4) & (cos_high > 1e-4)
    low, high, stacked, cos_low, cos_high = (a[usable] for a in (low, high, stacked, cos_low, cos_high))
    parallel = camera.projection == "parallel"
    if parallel:  # q is the depth at the principal point; depths differ where logarithms did
        rise_low, rise_high = ((normals[r] * origins[usable]).sum(1) for r in (low, high))
        ratio, give = rise_high / cos_high - rise_low / cos_low, 0.04 * camera.size[0] / camera.focal / 4
    else:
        ratio, give = np.log(cos_low / cos_high), 0.04
    key = low.astype(np.int64) * count + high
    order = np.argsort(key, kind="stable")
    unique, starts = np.unique(key[order], return_index=True)
    ends = np.append(starts[1:], len(key))
    rows_i, rows_j, targets, weights = [], [], [], []
    for pair, a, b in zip(unique, starts, ends):
        i, j = int(pair // count), int(pair % count)
        chosen = order[a:b]
        values = ratio[chosen]
        middle = float(np.median(values))
        spread = float(np.median(np.abs(values - middle)))
        weight = min(len(values), 400) * np.exp(-spread / give) + 0.02
        weight *= _contact(kinds[i], kinds[j], normals[i], normals[j], stacked[chosen])
        rows_i.append(i)
        rows_j.append(j)
        targets.append(middle)
        weights.append(weight)
    m = len(targets)
    if m == 0:
        return np.full(count, distance if not parallel else PARALLEL_DEPTH)
    # Variables: q (count), then misfit (m). Minimise Σ w·e with |q_i − q_j − t| ≤ e, and a whisper of flatness.
    index = np.arange(m)
    ones = np.ones(m)
    data = np.concatenate([ones, -ones, -ones])
    row = np.concatenate([index, index, index])
    upper = coo_matrix((data, (row, np.concatenate([rows_i, rows_j, count + index]))), shape=(m, count + m))
    lower = coo_matrix(
        (data * np.repeat([-1, -1, 1], m), (row, np.concatenate([rows_i, rows_j, count + index]))), shape=(m, count + m)
    )
    from scipy.sparse import vstack

    targets = np.array(targets)
    held = PARALLEL_DEPTH if parallel else float(np.log(distance))
    bounds = [(-1e3, 1e3) if parallel else (-6, 9)] * count + [(0, None)] * m
    bounds[anchor] = (held,) * 2
    cost = np.concatenate([np.zeros(count), weights])
    result = linprog(
        cost, A_ub=vstack([upper, lower]).tocsr(), b_ub=np.concatenate([targets, -targets]), bounds=bounds,
        method="highs", options={"time_limit": 8.0},
    )  # fmt: skip
    q = result.x[:count] if result.x is not None else np.full(count, held)
    if parallel:
        return -q * (normals @ camera.rotation[2])
    return np.exp(np.clip(q, -6, 9))


def _contact(kind_i: int, kind_j: int, normal_i: np.ndarray, normal_j: np.ndarray, stacked: np.ndarray) -> float:
    """How likely two neighbours touch, as a factor on their border's vote."""
    share = np.mean(stacked)  # +1: region i lies above j all along
    upper, lower = (kind_i, kind_j) if share > 0 else (kind_j, kind_i)
    lower_normal = normal_j if share > 0 else normal_i
    standing = abs(share) > 0.3 and upper != LEVEL and lower == LEVEL and lower_normal[2] > 0
    if standing:
        return 6.0
    if kind_i == CARD or kind_j == CARD:
        return 0.05
    parallel = abs(normal_i @ normal_j) > 0.98
    hanging = abs(share) > 0.3 and upper == LEVEL and lower != LEVEL and lower_normal[2] > -0.5
    if hanging:  # the far edge of a floor against what stands behind it
        return 0.7
    return 0.06 if parallel else 1.0
