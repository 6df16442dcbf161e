"""Edges of the model that a selection outline hid, drawn again once it is gone."""

from __future__ import annotations

import numpy as np

from irodori.capture.cleaning.overlay import AXES, GAP, HANDLES, OUTLINE, SHORTEST_PIECE, Overlay, straight_pieces
from irodori.core.pixels.ink import drawn_edges, ink_colour

TWICE = 0.6
"""Share of a piece by which it repeats another."""

HANDLE = 14.0
"""px from the end of a piece within which the handle lies that hid the rest of it."""

STUB, SURE = 4, 40
"""px of a stretch of a line that has one of so many px elsewhere."""

MEETING = 12
"""px within which a line goes on to the edge of what stands before it."""

BESIDE, FINER = 3.0, 16
"""px to either side of a piece within which the outline tells where its middle runs, and the parts of a px in which that is
told."""


def redraw(encoded: np.ndarray, given: np.ndarray, overlays: list[Overlay]) -> np.ndarray:
    """A filled 8-bit picture (H, W, 3) with the edges that selection outlines lay over, in the line that `given` draws edges
    with, where it draws any; also where an axis lay over both."""
    import cv2

    none = np.zeros(encoded.shape[:2], bool)
    outline, axis, handles = (
        np.logical_or.reduce([none, *(o.mask for o in overlays if o.what == what)]) for what in (OUTLINE, AXES, HANDLES)
    )
    if not outline.any() or not (drawn := drawn_edges(given)).any():
        return encoded
    hidden = (outline | axis | handles).astype(np.uint8)
    held = cv2.connectedComponentsWithStats(handles.astype(np.uint8), connectivity=8)[3][1:]
    deep = cv2.distanceTransform(outline.astype(np.uint8), cv2.DIST_L2, 5)
    crest = (deep >= cv2.dilate(deep, np.ones((3, 3), np.uint8)) - 0.2) & (deep > 0.9)
    pieces = straight_pieces(crest, GAP)
    out, done = encoded.copy(), np.zeros(hidden.shape, np.uint8)
    edge = drawn & (hidden == 0)
    line = [int(v) for v in ink_colour(given, drawn)]
    places = np.column_stack(np.nonzero(outline)[::-1]).astype(float)
    length = np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1])
    for piece in pieces[np.argsort(-length, kind="stable")]:
        for start, end in _hidden_runs(_to_handles(_in_the_middle(piece, places), held), hidden):
            walk = np.rint(np.linspace(start, end, int(np.hypot(*(end - start))) + 1)).astype(int)
            if done[walk[:, 1], walk[:, 0]].mean() > TWICE:
                continue
            cv2.line(done, *(tuple(int(v) for v in np.rint(p)) for p in (start, end)), 1, 5)
            way = (end - start) / np.hypot(*(end - start))
            ends = start - _to_edge(start, -way, edge) * way, end + _to_edge(end, way, edge) * way
            cv2.line(hidden, *(tuple(int(v) for v in np.rint(p)) for p in ends), 1, 3)
            cv2.line(out, *(tuple(int(v) for v in np.rint(p * FINER)) for p in ends), line, 1, cv2.LINE_AA, 4)
    return np.where(hidden[..., None] > 0, out, encoded)


def _to_edge(place: np.ndarray, way: np.ndarray, edge: np.ndarray) -> int:
    """px from a line's end on to the next edge (H, W) bool; 0 where none is near."""
    height, width = edge.shape
    steps = place + np.arange(MEETING + 1)[:, None] * way
    x, y = np.clip(np.rint(steps).astype(int), 0, [width - 1, height - 1]).T
    return int(np.argmax(edge[y, x]))


def _in_the_middle(piece: np.ndarray, places: np.ndarray) -> np.ndarray:
    """A piece (2, 2) found to the pixel, moved to the middle of the outline's `places` (N, 2) beside it."""
    ends = piece.reshape(2, 2)
    for _ in range(2):
        way = ends[1] - ends[0]
        length = np.hypot(*way)
        way = way / length
        along, aside = (places - ends[0]) @ way, (places - ends[0]) @ [-way[1], way[0]]
        # Near its ends another side of the outline may lie beside it.
        near = (np.abs(aside) < BESIDE) & (along > BESIDE) & (along < length - BESIDE)
        if near.sum() < SHORTEST_PIECE:
            break
        slope, shift = np.polyfit(along[near], aside[near], 1)
        ends = ends + (shift + slope * np.array([0.0, length]))[:, None] * [-way[1], way[0]]
    return ends


def _to_handles(ends: np.ndarray, handles: np.ndarray) -> np.ndarray:
    """A piece (2, 2) that ends short of handles (N, 2), carried on to their middle."""
    way = (ends[1] - ends[0]) / np.hypot(*(ends[1] - ends[0]))
    out = ends.copy()
    for index, outward in ((0, -way), (1, way)):
        along = (handles - ends[index]) @ outward
        aside = np.abs((handles - ends[index]) @ [-way[1], way[0]])
        near = (along > 0) & (along < HANDLE) & (aside < BESIDE)
        if near.any():
            out[index] = ends[index] + along[near].min() * outward
    return out


def _hidden_runs(ends: np.ndarray, hidden: np.ndarray) -> list[tuple[np.ndarray, np.ndarray]]:
    """The stretches of a line (2, 2) that a helper hid."""
    height, width = hidden.shape
    count = int(np.hypot(*(ends[1] - ends[0]))) + 1
    places = np.linspace(*ends, count)
    x, y = np.clip(np.rint(places).astype(int), 0, [width - 1, height - 1]).T
    own = np.concatenate([[False], hidden[y, x] > 0, [False]])
    starts, stops = np.flatnonzero(own[1:] & ~own[:-1]), np.flatnonzero(own[:-1] & ~own[1:]) - 1
    least = STUB if len(starts) and (stops - starts).max() > SURE else SHORTEST_PIECE
    return [(places[a], places[b]) for a, b in zip(starts, stops) if b - a >= least]
