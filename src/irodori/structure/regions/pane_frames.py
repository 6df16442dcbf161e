"""Frames of a drawing's panes: a pen draws a mullion as one line, and what is built there is a bar."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from irodori.structure.regions.border_coverage import Coverage
from irodori.structure.regions.straight_borders import LOOSE, cracks_by_pair, pixels_beside, straight_runs

HALF = 1.7
"""Half the breadth of a bar, px at a width of 1280."""

LEAST_PANE = 60
"""px under which a pane is too small to be framed."""

TURNED, APART = 0.97, 0.12
"""Cosine between normals, and ratio of distances, up to which neighbouring panes are of one window."""


def with_pane_frames(
    coverage: Coverage, panes: Sequence[int], unit: float = 1.0
) -> tuple[Coverage, list[int]]:  # fmt: skip
    """Coverage with a bar along every straight border of a pane.

    Parameters
    ----------
    panes
        Labels that are glass.
    unit
        The picture's width over 1280.

    Returns
    -------
    Coverage
        The bars of pane k have the label `top + 1 + k`, `top` the highest before.
    list of int
        The panes that got bars, in the order of these labels.
    """
    labels = coverage.labels
    area = np.bincount(labels.ravel())
    glass = {pane for pane in panes if pane < len(area) and area[pane] >= LEAST_PANE * unit**2}
    if not glass:
        return coverage, []
    out, second, share, toward = labels.copy(), coverage.second.copy(), coverage.share.copy(), coverage.toward.copy()
    framed: dict[int, int] = {}
    top = int(max(labels.max(), second.max()))
    half = HALF * unit
    for pair, cracks in cracks_by_pair(labels).items():
        inside = [pane for pane in pair if pane in glass]
        if not inside:
            continue
        # Of two panes the larger one's plane holds the bar between them.
        holder = max(inside, key=lambda pane: area[pane])
        bar = framed.setdefault(holder, top + 1 + len(framed))
        for run in straight_runs(cracks, LOOSE * unit):
            _lay_bar(run, inside, bar, half, labels, out, second, share, toward)
    if not framed:
        return coverage, []
    return replace(coverage, labels=out, second=second, share=share, toward=toward), list(framed)


def _lay_bar(run, inside, bar, half, labels, out, second, share, toward) -> None:
    """Give the pixels of panes within `half` px of a straight border to its bar, in place."""
    beside = pixels_beside(run, half + 1, half, labels.shape)
    if beside is None:
        return
    box, aside, near = beside.box, beside.aside, beside.near
    glass = near & np.isin(labels[box], inside)
    within = half - np.abs(aside)
    bars = glass & (within > 0)
    rim = glass & (within <= 0) & (within > -0.5)
    outward = np.where((aside < 0)[..., None], -beside.step, beside.step)
    # The pane beside a bar shows in its outer pixels, and the bar in the pane's.
    pane = np.where(bars, labels[box], bar)
    edge = (bars & (within < 0.5)) | rim
    fresh = edge & (out[box] != bar)
    second[box] = np.where(fresh, pane, second[box])
    share[box] = np.where(
        fresh, np.clip(0.5 - np.abs(within), 0, 0.5), np.where(bars & (np.abs(aside) > 0.5), 0, share[box])
    )
    toward[box] = np.where(fresh[..., None], np.where(bars[..., None], outward, -outward), toward[box])
    # What a wall's pixel shows of the pane beyond it is the bar now.
    beyond = near & ~glass & np.isin(second[box], inside) & (share[box] > 0)
    second[box] = np.where(beyond, bar, second[box])
    out[box] = np.where(bars, bar, out[box])


def one_plane(
    labels: np.ndarray, panes: Sequence[int], normals: np.ndarray, distance: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Normals (R, 3) and distances (R,) with the panes of each window on one plane.

    A drawing says little of each pane on its own, and panes on planes of their own would mirror each another piece of the world.
    """
    import cv2

    normals, distance = normals.copy(), distance.copy()
    glass = np.isin(labels, panes)
    if not glass.any():
        return normals, distance
    # Panes a mullion apart belong together.
    _, window = cv2.connectedComponents(cv2.dilate(glass.astype(np.uint8), np.ones((9, 9), np.uint8)), connectivity=8)
    area = np.bincount(labels.ravel(), minlength=len(distance))
    of: dict[int, list[int]] = {}
    for pane in panes:
        spots = window[labels == pane]
        if len(spots):
            of.setdefault(int(np.bincount(spots).argmax()), []).append(pane)
    for members in of.values():
        left = sorted(members, key=lambda pane: -area[pane])
        while left:
            first, *others = left
            near = APART * abs(distance[first])
            # The first is of its own plane even where its normal is not known, or it lies on the camera's side of the origin.
            same = [first, *(
                pane for pane in others
                if normals[pane] @ normals[first] > TURNED and abs(distance[pane] - distance[first]) < near
            )]  # fmt: skip
            left = [pane for pane in others if pane not in same]
            normals[same], distance[same] = normals[first], np.average(distance[same], weights=area[same])
    return normals, distance
