"""Places where the picture differs: edges gone or moved, gathered into spots."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.proof.edges import EdgePieces

JOIN = 22.0
"""px within which two pieces belong to one spot."""

LEAST = 56.0
"""px of edge below which a spot is noise."""

SHARE = 0.6
"""Share of a spot's edges that must have changed."""


CLEARLY = 1.3
"""px from which edges count as moved, not merely as measured beside a neighbour."""


@dataclass(frozen=True)
class Change:
    """A place that differs.

    Attributes
    ----------
    kind
        "lost": the reference's edges are not there; "moved": they are, but elsewhere.
    box
        x0, y0, x1, y1, px.
    length
        px of edge concerned.
    drift
        Median distance moved, px (0 for lost).
    """

    kind: str
    box: tuple[int, int, int, int]
    length: float
    drift: float = 0.0

    def __str__(self) -> str:
        x0, y0, x1, y1 = self.box
        what = f"{self.length:.0f} px of edge lost" if self.kind == "lost" else f"edges moved by {self.drift:.1f} px"
        return f"{what} at x {x0}–{x1}, y {y0}–{y1}"


def find_changes(pieces: EdgePieces, changed: np.ndarray, drift: np.ndarray, kind: str) -> list[Change]:
    """Gather `changed` (P,) pieces into spots, the longest first."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    index = np.flatnonzero(changed)
    if not len(index):
        return []
    centre = pieces.centre[index]
    pairs = cKDTree(centre).query_pairs(JOIN, output_type="ndarray")
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(len(index), len(index)))
    _, spot = connected_components(graph, directed=False)
    everything = cKDTree(pieces.centre)
    found = []
    for s in np.unique(spot):
        members = index[spot == s]
        length = float(pieces.length[members].sum())
        if length < LEAST:
            continue
        near = np.unique(np.concatenate(everything.query_ball_point(pieces.centre[members], JOIN / 2)).astype(int))
        if length < SHARE * float(pieces.length[near].sum()):
            continue
        low, high = pieces.centre[members].min(axis=0) - 4, pieces.centre[members].max(axis=0) + 4
        box = tuple(np.concatenate([np.maximum(np.floor(low), 0), np.ceil(high)]).astype(int).tolist())
        far = float(np.median(np.abs(drift[members]))) if kind == "moved" else 0.0
        if kind == "moved" and far < CLEARLY:
            continue
        found.append(Change(kind, box, length, far))
    return sorted(found, key=lambda c: -c.length)
