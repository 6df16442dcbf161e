"""The proof: is a picture in register with its reference?"""

from __future__ import annotations

from dataclasses import asdict, dataclass, field, fields
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from irodori.core.capture import Capture
from irodori.core.errors import CaptureError
from irodori.core.short import Short
from irodori.core.structure import Structure
from irodori.core.work import late
from irodori.core.work.kept import Kept
from irodori.core.work.progress import Progress, report
from irodori.proof.centres import centre_of_edge
from irodori.proof.changes import Change, find_changes
from irodori.proof.edges import EdgePieces, edge_energy, find_pieces
from irodori.proof.evidence import Evidence, evidence_of, same_size
from irodori.proof.heatmap import draw_heatmap
from irodori.proof.peaks import height_at, nearest_line, nearest_peak, strongest_peak
from irodori.proof.profiles import NEAR, REACH, Profiles, S, pool_profiles
from irodori.proof.similarity import apply_similarity, coarse_shift, fit_similarity

if TYPE_CHECKING:
    import pandas as pd

WEAKEST_REFERENCE = 5 / 255
"""Encoded units a pixel: fainter edges of a reference are not counted."""

WEAKEST_PICTURE = 1.2 / 255
"""After pooling along the edge this is above the noise and the rounding of 8-bit files."""

FLANK = 1.0
"""px from a slim member's middle within which its flanks are looked for."""

ENOUGH_PIECES = 1500
"""Pieces of edge from which the motion of the whole picture is told."""

BESIDE, RIVAL = 1.75, 0.6
"""Edges about so many px apart run into each other, if the other has at least this share of the energy."""

LEAST_RECALL = 0.97
MOST_SHIFT = 0.35
MOST_STRETCH = 0.6
MOST_MEDIAN = 0.25
MOST_P95 = 1.0


@dataclass(frozen=True, eq=False, repr=False)
class Registration(Short):
    """What the proof found.

    Attributes
    ----------
    in_register
        The verdict.
    reasons
        Why not, as sentences; empty when in register.
    edge_recall
        Share of the reference's edge length that the picture shows within 1 px.
    edge_precision
        Of the picture's edges that run along one of the reference's within 4 px, the share within 1 px.
    drift
        "median", "p95", "max": distance between the reference's edges and the picture's, px.
    similarity
        "scale" (ratio), "rotation" (degrees, clockwise in the picture), "shift" (x, y px), about the middle.
    changed
        Places where edges are lost or moved.
    """

    in_register: bool
    reasons: tuple[str, ...]
    edge_recall: float
    edge_precision: float
    drift: dict[str, float]
    similarity: dict
    changed: tuple[Change, ...]
    notes: tuple[str, ...]
    pieces: EdgePieces = field(repr=False)
    offset: np.ndarray = field(repr=False)
    found: np.ndarray = field(repr=False)
    picture: np.ndarray = field(repr=False)

    def changes_table(self) -> pd.DataFrame:
        """Where edges are lost or moved: one row a place."""
        import pandas as pd

        columns = [f.name for f in fields(Change)]
        return pd.DataFrame([asdict(change) for change in self.changed], columns=columns)

    def _repr_png_(self) -> bytes:
        return late.do("encode png", self.heatmap())

    def heatmap(self) -> np.ndarray:
        """The picture in grey with its edges coloured by drift, uint8 (H, W, 3); changed places are boxed."""
        return draw_heatmap(self.picture, self.pieces, self.offset, self.found, self.changed)

    def as_dict(self) -> dict:
        """Plain numbers for JSON."""
        return {
            "in_register": self.in_register, "reasons": list(self.reasons), "edge_recall": self.edge_recall,
            "edge_precision": self.edge_precision, "drift": self.drift, "similarity": self.similarity,
            "changed": [{"kind": c.kind, "box": list(c.box), "length_px": c.length, "drift_px": c.drift} for c in self.changed],
            "notes": list(self.notes), "edge_pieces": len(self.pieces),
        }  # fmt: skip

    def __repr__(self) -> str:
        verdict = "in register" if self.in_register else "OUT OF REGISTER"
        return f"<Registration {verdict}: recall {self.edge_recall:.4f} at 1 px, median drift {self.drift['median']:.3f} px>"


def prove(reference, picture, *, progress: Progress | None = None) -> Registration:
    """Compare the edges of a reference with those of a picture.

    Parameters
    ----------
    reference, picture
        A `Structure`, `Capture`, `Picture`, array or path each. A structure or a model's capture counts by its exact
        borders, everything else by its own pixels.

    Returns
    -------
    Registration

    Raises
    ------
    CaptureError
        When one cannot be read, their proportions differ, or the reference shows no edges.

    Notes
    -----
    The reference's edges are cut into straight pieces of up to 14 px. Across each piece both images are averaged along
    it, which cancels textures, and the peaks of gradient energy are compared. Where a picture holds additions its recipe
    says so; what they hide is not compared, and the notes say how much that is.
    """
    report(progress, "Finding edges", 0.0)
    known = _known(reference)
    base = known.evidence
    other = same_size(evidence_of(picture), base.size)
    hidden = _hidden(base, other)
    report(progress, "Measuring drift", 0.3)
    keep = _in_sight(known.pieces, hidden)
    if not keep.any():
        raise CaptureError(f"{base.name} shows no edges: there is nothing that could move")
    pieces, own = _take(known.pieces, keep), known.own.take(keep)
    peak, height, home, plain = (row[keep] for row in (known.peak, known.height, known.home, known.plain))
    seen = pool_profiles(other.image, pieces)
    weakest = np.full(len(pieces), WEAKEST_PICTURE**2)
    there = nearest_peak(seen.fine, home, NEAR + 0.5, weakest)
    place, clear = centre_of_edge(seen, there, other.ink)
    # Like is compared with like: centre with centre, gathered peak with gathered peak, and each flank of a line or slim
    # member with its own.
    gathered = nearest_peak(seen.energy, peak, NEAR + 0.5, weakest)
    line = nearest_line(seen.value, home, NEAR)
    offsets = [place - home, there - home, gathered - peak, line - home]
    for side in (-FLANK, 0.0, FLANK):
        flank = nearest_peak(own.fine, home + side, 0.8, 0.15 * height)
        offsets.append(nearest_peak(seen.fine, flank, NEAR + 0.5, weakest) - flank)
    # Edges that run into each other cannot be told apart at this scale: they are judged together.
    rival = RIVAL * height_at(own.fine, home)
    for side in (-BESIDE, BESIDE):
        beside = nearest_peak(own.fine, home + side, 0.75, rival)
        offsets.append(nearest_peak(seen.fine, beside, NEAR, weakest) - beside)
    offset = _least(*offsets)
    found = np.abs(offset) <= NEAR
    solution = _global_motion(base, other, pieces, seen, home, found)
    report(progress, "Looking for changes", 0.8)
    wide = nearest_peak(seen.energy, home, REACH - 1, np.maximum(weakest, 0.15 * height))
    far = wide - home
    moved = ~found & np.isfinite(far) & (np.abs(far) > NEAR)
    lost = ~found
    changed = [*find_changes(pieces, lost & ~moved, far, "lost"), *find_changes(pieces, moved, far, "moved")]
    if not changed:
        changed = find_changes(pieces, lost, far, "lost")
    total = pieces.length.sum()
    recall = float(pieces.length[found].sum() / total)
    clean = found & plain & clear & _alone(own.energy, home) & _alone(seen.energy, place)
    clean |= ~found & plain & _explained(pieces, far, solution, base.size)
    drift = _drift(np.where(found, place - home, far), found, clean)
    similarity = {
        "scale": 1 + float(solution[2]), "rotation": float(np.degrees(solution[3])),
        "shift": (float(solution[0]), float(solution[1])),
    }  # fmt: skip
    reasons = _reasons(recall, drift, solution, base.size, changed)
    report(progress, "Measuring drift", 1.0)
    return Registration(
        not reasons, reasons, recall, _precision(base, other, hidden), drift, similarity, tuple(changed),
        (*base.notes, *other.notes, *_hidden_note(hidden)), pieces, offset, found, other.image,
    )  # fmt: skip


class _Known(NamedTuple):
    """What is known of a reference: its evidence, its pieces of edge, their profiles, and where and how high the edges peak, where
    their centres are, and which have plain sides."""

    evidence: Evidence
    pieces: EdgePieces
    own: Profiles
    peak: np.ndarray
    height: np.ndarray
    home: np.ndarray
    plain: np.ndarray


_references: Kept[_Known] = Kept()
"""References in use: many pictures are proved against one."""


def _known(reference) -> _Known:
    """What is known of a reference; asked again for the same structure or capture, it is not measured again."""
    if isinstance(reference, Structure | Capture):
        return _references.of(reference, None, lambda: _measured(reference))
    return _measured(reference)


def _measured(reference) -> _Known:
    base = evidence_of(reference)
    pieces = find_pieces(base.image, WEAKEST_REFERENCE)
    if not len(pieces):
        raise CaptureError(f"{base.name} shows no edges: there is nothing that could move")
    own = pool_profiles(base.image, pieces)
    peak, height = strongest_peak(own.energy, NEAR)
    keep = np.isfinite(peak)
    if not keep.any():
        raise CaptureError(f"{base.name} shows no edges that can be measured")
    pieces, own, peak, height = _take(pieces, keep), own.take(keep), peak[keep], height[keep]
    return _Known(base, pieces, own, peak, height, *centre_of_edge(own, peak, base.ink))


def _hidden(*sides: Evidence) -> np.ndarray | None:
    """Pixels under additions in either picture and those beside them, whose edges say nothing about the structure."""
    import cv2

    masks = [side.covered for side in sides if side.covered is not None]
    if not masks:
        return None
    return cv2.dilate(np.logical_or.reduce(masks).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0


def _hidden_note(hidden: np.ndarray | None) -> list[str]:
    return (
        []
        if hidden is None
        else [f"{100 * hidden.mean():.0f} % of the picture lie under or beside additions and were not compared"]
    )


def _in_sight(pieces: EdgePieces, hidden: np.ndarray | None) -> np.ndarray:
    """Which pieces (P,) bool lie nowhere under or beside additions."""
    if hidden is None or not len(pieces):
        return np.ones(len(pieces), bool)
    x, y = pieces.point.astype(int).T
    inside = hidden[y.clip(0, hidden.shape[0] - 1), x.clip(0, hidden.shape[1] - 1)]
    return np.bincount(pieces.piece, inside, minlength=len(pieces)) == 0


def _least(*offsets: np.ndarray) -> np.ndarray:
    """The smallest in size of several measurements, NaN only where all are."""
    stacked = np.stack(offsets)
    best = np.where(np.isfinite(stacked), np.abs(stacked), np.inf).argmin(axis=0)
    return stacked[best, np.arange(stacked.shape[1])]


def _take(pieces: EdgePieces, keep: np.ndarray) -> EdgePieces:
    new = np.cumsum(keep) - 1
    rows = keep[pieces.piece]
    return EdgePieces(
        pieces.centre[keep], pieces.normal[keep], pieces.length[keep], pieces.strength[keep],
        pieces.point[rows], new[pieces.piece[rows]],
    )  # fmt: skip


def _alone(energy: np.ndarray, place: np.ndarray) -> np.ndarray:
    """Whether a piece's peak stands alone: another edge close by would pull at its place."""
    away = np.abs(S[None] - np.nan_to_num(place)[:, None])
    top = np.where(away <= 0.6, energy, 0).max(axis=1)
    ring = np.where((away > 2.5) & (away < 4.5), energy, 0).max(axis=1)
    return ring < 0.25 * top


def _global_motion(base: Evidence, other: Evidence, pieces: EdgePieces, seen: Profiles, home, found) -> np.ndarray:
    """Scale, rotation and shift, looked for again from where the last estimate points; `seen` is what is there without any."""
    middle = np.array(base.size) / 2
    start = np.zeros(4)
    if found.mean() < 0.9:
        start[:2] = coarse_shift(edge_energy(base.image)[0], edge_energy(other.image)[0])
    # Four numbers are told by some of the pieces as well as by all.
    some = np.zeros(len(pieces), bool)
    some[:: max(1, len(pieces) // ENOUGH_PIECES)] = True
    pieces, seen, home = _take(pieces, some), seen.take(some), home[some]
    weight = pieces.length * np.minimum(pieces.strength, 0.1)
    solution = start
    for turn in range(5):
        if solution.any():
            seen = pool_profiles(other.image, pieces, apply_similarity(solution, pieces.point, middle))
        peak, height = strongest_peak(seen.energy, REACH - 1 if turn < 2 else 2.5)
        place = centre_of_edge(seen, peak, other.ink)[0]
        good = np.isfinite(place) & (height > (4 * WEAKEST_PICTURE) ** 2)
        if good.sum() < 8:
            return solution
        more = fit_similarity(
            pieces.centre[good], pieces.normal[good], (place - home)[good], weight[good], middle, solution
        )
        solution = solution + more
        if np.abs(more[:2]).max() < 0.01 and np.abs(more[2:]).max() * middle.max() < 0.01:
            break
    return solution


def _explained(pieces: EdgePieces, far: np.ndarray, solution: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Pieces beyond a pixel that lie where the global motion takes them: these are moved, not mistaken."""
    middle = np.array(size) / 2
    motion = apply_similarity(solution, pieces.centre, middle) - pieces.centre
    return np.abs((motion * pieces.normal).sum(axis=1) - far) < 0.5


def _drift(offset, found, clean) -> dict[str, float]:
    measured = np.abs(offset[clean]) if clean.any() else np.abs(offset[found])
    measured = measured[np.isfinite(measured)]
    if not len(measured):
        return {"median": float("inf"), "p95": float("inf"), "max": float("inf")}
    return {
        "median": float(np.median(measured)),
        "p95": float(np.percentile(measured, 95)),
        "max": float(measured.max()),
    }


def _precision(base: Evidence, other: Evidence, hidden: np.ndarray | None) -> float:
    pieces = find_pieces(other.image, 2 * WEAKEST_REFERENCE)
    pieces = _take(pieces, _in_sight(pieces, hidden))
    if not len(pieces):
        return 0.0
    own = pool_profiles(base.image, pieces)
    place = nearest_peak(own.energy, np.zeros(len(pieces)), 4.0, np.full(len(pieces), WEAKEST_REFERENCE**2))
    beside = np.isfinite(place)
    if not beside.any():
        return 0.0
    exact = beside & (np.abs(place) <= NEAR)
    return float(pieces.length[exact].sum() / pieces.length[beside].sum())


def _reasons(recall, drift, solution, size, changed) -> tuple[str, ...]:
    reasons = []
    half = 0.5 * float(np.hypot(*size))
    shift = float(np.hypot(solution[0], solution[1]))
    if shift > MOST_SHIFT:
        reasons.append(f"the picture is shifted by {solution[0]:+.2f}, {solution[1]:+.2f} px")
    if abs(solution[2]) * half > MOST_STRETCH:
        reasons.append(f"the picture is scaled by {100 * solution[2]:+.2f} %")
    if abs(solution[3]) * half > MOST_STRETCH:
        reasons.append(f"the picture is turned by {np.degrees(solution[3]):+.3f}°")
    if changed:
        more = f" and {len(changed) - 1} more places" if len(changed) > 1 else ""
        reasons.append(f"{changed[0]}{more}")
    if recall < LEAST_RECALL:
        reasons.append(f"only {100 * recall:.1f} % of the edges are within 1 px")
    if drift["median"] > MOST_MEDIAN or drift["p95"] > MOST_P95:
        reasons.append(f"edges drift by {drift['median']:.2f} px (median), {drift['p95']:.2f} px (95 %)")
    return tuple(reasons)
