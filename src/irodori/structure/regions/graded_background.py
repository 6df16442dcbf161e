"""A background whose colour changes over the picture, and what parts of it lie apart from the rest."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import largest_channel

LEAST_CHANGE = 10.0
"""8-bit steps from the picture's top to its foot, from which a background is no plain one."""

NEAR, MOSTLY = 6.0, 0.75
"""8-bit steps from the background's colour at a place, and the share of a piece that must be so near."""

ROW_STEPS, IN_ROW, LOSSY = 2.0, 0.97, 7.0
"""8-bit steps from its row's usual colour up to which a pixel is of a backdrop, in a picture that was compressed too; and the share of
its pixels that are."""

STEP = 4
ROUNDS = 6


def background_pieces(encoded: np.ndarray, labels: np.ndarray, sky: int) -> np.ndarray:
    """Labels that show the background where the sky's own change of colour, carried on, says so.

    Grids, axis marks and compression part such backgrounds, and between things they show in pieces.

    Parameters
    ----------
    encoded
        (H, W, 3) uint8 sRGB.
    labels
        (H, W), `sky` among them.

    Returns
    -------
    numpy.ndarray
        Labels, ascending, without the sky's own; none where the background is plain.
    """
    height, width = labels.shape
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x / width - 0.5, y / height - 0.5
    basis = np.stack([np.ones_like(x), x, y, y * y], axis=-1)
    area = np.maximum(np.bincount(labels.ravel()), 1)
    found = np.zeros(len(area), bool)
    found[sky] = True
    for _ in range(ROUNDS):
        own = found[labels]
        colours, places = encoded[own][::STEP].astype(np.float32), basis[own][::STEP]
        if len(places) < 100:
            break
        # A short piece tells the slope, not yet the bend.
        terms = 4 if np.ptp(places[:, 2]) > 0.5 else 3
        plan, *_ = np.linalg.lstsq(places[:, :terms], colours, rcond=None)
        if np.ptp(basis[:, [0, -1], :terms] @ plan, axis=0).max() < LEAST_CHANGE:
            break
        expected = basis[..., :terms] @ plan
        near = largest_channel(np.abs(encoded - expected)) < NEAR
        if near[own].mean() < MOSTLY:
            break
        more = np.bincount(labels.ravel(), near.ravel(), len(area)) > MOSTLY * area
        more[0] = False
        if not (more & ~found).any():
            break
        found |= more
    found[[0, sky]] = False
    return np.flatnonzero(found)


def is_backdrop(encoded: np.ndarray, own: np.ndarray, *, lossy: bool) -> bool:
    """Whether a place (H, W) bool of an 8-bit picture changes from top to foot and not at all from side to side, as the backdrop of a
    viewport does and hardly any surface: neither light that falls off nor a plane seen at an angle keeps to the picture's rows."""
    rows = np.flatnonzero(own.sum(axis=1) > 0.1 * own.shape[1])
    if len(rows) < 0.05 * len(own):
        return False
    usual = np.array([np.median(encoded[y][own[y]], axis=0) for y in rows])
    if np.ptp(usual, axis=0).max() < LEAST_CHANGE or np.abs(np.diff(usual, axis=0)).max() > LEAST_CHANGE:
        return False
    apart = largest_channel(np.abs(encoded[rows].astype(np.float32) - usual[:, None].astype(np.float32)))
    return bool((apart[own[rows]] <= (LOSSY if lossy else ROW_STEPS)).mean() > IN_ROW)
