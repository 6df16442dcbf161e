"""Building a tree of boxes over triangles by the surface area heuristic with bins.

I. Wald, "On fast construction of SAH-based bounding volume hierarchies", IEEE Symposium on Interactive Ray Tracing 2007.
"""

from __future__ import annotations

import numpy as np
from numba import njit

BINS = 16
LEAF = 4
"""Most triangles of a leaf, where parting them further costs more than it saves."""

VISIT = np.float32(1.2)
"""Cost of visiting a node, in tests of a triangle."""


@njit(cache=True, nogil=True)
def _bounds(triangles, low, high, middle):
    for t in range(len(triangles)):
        for k in range(3):
            a, b, c = triangles[t, 0, k], triangles[t, 1, k], triangles[t, 2, k]
            low[t, k] = min(a, min(b, c))
            high[t, k] = max(a, max(b, c))
            middle[t, k] = np.float32(0.5) * (low[t, k] + high[t, k])


@njit(cache=True)
def _half_area(low, high):
    x, y, z = high[0] - low[0], high[1] - low[1], high[2] - low[2]
    return x * y + y * z + z * x


@njit(cache=True)
def _box_of(order, low, high, begin, end, out):
    for k in range(3):
        out[0, k], out[1, k] = np.float32(np.inf), np.float32(-np.inf)
    for i in range(begin, end):
        t = order[i]
        for k in range(3):
            out[0, k] = min(out[0, k], low[t, k])
            out[1, k] = max(out[1, k], high[t, k])


@njit(cache=True, nogil=True)
def _part(order, low, high, middle, begin, end, box, counts, boxes, swap):
    """Where to part triangles order[begin:end], which are put in that order; −1 where a leaf is cheaper."""
    count = end - begin
    best, best_axis, best_bin = np.float32(count), -1, -1
    whole = _half_area(box[0], box[1])
    best_low, best_scale = np.float32(0), np.float32(0)
    for axis in range(3):
        least, most = np.float32(np.inf), np.float32(-np.inf)
        for i in range(begin, end):
            m = middle[order[i], axis]
            least, most = min(least, m), max(most, m)
        if not most > least:
            continue
        scale = np.float32(BINS * 0.9999) / (most - least)
        counts[:] = 0
        boxes[:, 0, :] = np.float32(np.inf)
        boxes[:, 1, :] = np.float32(-np.inf)
        for i in range(begin, end):
            t = order[i]
            b = min(max(int((middle[t, axis] - least) * scale), 0), BINS - 1)
            counts[b] += 1
            for k in range(3):
                boxes[b, 0, k] = min(boxes[b, 0, k], low[t, k])
                boxes[b, 1, k] = max(boxes[b, 1, k], high[t, k])
        # From the right, then from the left.
        right_cost = np.zeros(BINS, np.float32)
        a = np.full(3, np.inf, np.float32)
        z = np.full(3, -np.inf, np.float32)
        n = 0
        for b in range(BINS - 1, 0, -1):
            n += counts[b]
            for k in range(3):
                a[k], z[k] = min(a[k], boxes[b, 0, k]), max(z[k], boxes[b, 1, k])
            right_cost[b] = np.float32(n) * _half_area(a, z) if n > 0 else np.float32(0)
        a[:] = np.inf
        z[:] = -np.inf
        n = 0
        for b in range(BINS - 1):
            n += counts[b]
            for k in range(3):
                a[k], z[k] = min(a[k], boxes[b, 0, k]), max(z[k], boxes[b, 1, k])
            if n == 0 or n == count:
                continue
            cost = VISIT + (np.float32(n) * _half_area(a, z) + right_cost[b + 1]) / max(whole, np.float32(1e-30))
            if cost < best or (best_axis < 0 and count > LEAF):
                best, best_axis, best_bin, best_low, best_scale = cost, axis, b, least, scale
    if best_axis < 0:
        return -1 if count <= 2 * LEAF else (begin + end) // 2
    left, right = begin, 0
    for i in range(begin, end):
        t = order[i]
        b = min(max(int((middle[t, best_axis] - best_low) * best_scale), 0), BINS - 1)
        if b <= best_bin:
            order[left] = t
            left += 1
        else:
            swap[right] = t
            right += 1
    for i in range(right):
        order[left + i] = swap[i]
    return left


@njit(cache=True, nogil=True)
def _build(low, high, middle, order, box, child, count):
    """Nodes in depth-first order; returns how many. `child` (N, 2): of an inner node its children, of a leaf where its triangles
    begin; `count` (N,) those of a leaf, 0 for inner nodes."""
    n = len(order)
    swap = np.empty(n, np.int32)
    counts = np.zeros(BINS, np.int64)
    boxes = np.zeros((BINS, 2, 3), np.float32)
    stack = np.empty((256, 3), np.int64)
    nodes, top = 1, 1
    stack[0, 0], stack[0, 1], stack[0, 2] = 0, 0, n
    while top > 0:
        top -= 1
        node, begin, end = stack[top, 0], stack[top, 1], stack[top, 2]
        _box_of(order, low, high, begin, end, box[node])
        cut = -1
        if end - begin > 1 and top < 250:
            cut = _part(order, low, high, middle, begin, end, box[node], counts, boxes, swap)
        if cut < 0:
            child[node, 0], count[node] = begin, end - begin
            continue
        count[node] = 0
        child[node, 0], child[node, 1] = nodes, nodes + 1
        # The larger part waits: the stack stays as deep as the logarithm of the number of triangles.
        first = 0 if cut - begin < end - cut else 1
        for side in (1 - first, first):
            stack[top, 0] = nodes + side
            stack[top, 1] = begin if side == 0 else cut
            stack[top, 2] = cut if side == 0 else end
            top += 1
        nodes += 2
    return nodes


def build_tree(triangles: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """A binary tree over triangles (T, 3, 3) float32.

    Returns
    -------
    order
        (T,) int32: triangles in the order of the leaves.
    box
        (N, 2, 3) float32: lowest and highest corner of each node.
    child
        (N, 2) int32: children of an inner node; of a leaf, where its triangles begin in `order`.
    count
        (N,) int32: triangles of a leaf, 0 for inner nodes.
    """
    n = len(triangles)
    low, high, middle = (np.empty((n, 3), np.float32) for _ in range(3))
    _bounds(triangles, low, high, middle)
    order = np.arange(n, dtype=np.int32)
    box, child = np.zeros((2 * n, 2, 3), np.float32), np.zeros((2 * n, 2), np.int32)
    count = np.zeros(2 * n, np.int32)
    nodes = _build(low, high, middle, order, box, child, count)
    return order, box[:nodes], child[:nodes], count[:nodes]
