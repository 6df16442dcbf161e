"""Models far from their origin, as survey grids put them, brought near it; and what lies lost in the far distance left out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from irodori.core.errors import ModelError
from irodori.core.geometry.frames import corners_of
from irodori.formats.model.parts import Part, some_of

FAR = 4000.0
"""m from the origin from which coordinates lose millimetres in single precision."""

STEP = 100.0
"""m in which a new origin is chosen."""

LOST = 200_000.0
"""m from the middle of a model from which a triangle is a mistake."""

SMALLEST = 0.002
"""m across which a model is at least."""


def near_origin(parts: list[Part]) -> tuple[list[Part], np.ndarray, list[str]]:
    """Parts in metres counted from near their middle, the place from which they are, (3,) m, and what is to be told.

    Raises ModelError when nothing is left, or it is too small to be meant.
    """
    # A corner of each: what is lost lies far from most of them.
    middle = np.median(np.stack([part.triangles[len(part.triangles) // 2, 0] for part in parts]), axis=0)
    origin = np.where(np.abs(middle) > FAR, np.round(middle / STEP) * STEP, 0.0)
    notes = []
    if origin.any():
        parts = [replace(part, triangles=part.triangles - origin) for part in parts]
        notes.append(
            f"counted from {', '.join(f'{v:,.0f}' for v in origin)} m, near the model: it lies far from its origin"
        )
    kept, lost = [], 0
    for part in parts:
        if (np.abs(corners_of(part.triangles.reshape(-1, 3)) - (middle - origin)) < LOST).all():
            kept.append(part)
            continue
        near = (np.abs(part.triangles - (middle - origin)) < LOST).all(axis=(1, 2))
        lost += int((~near).sum())
        if near.any():
            kept.append(some_of(part, near))
    if lost:
        notes.append(f"{lost:,} triangles lie more than {LOST / 1000:.0f} km away and are left out")
    if not kept:
        raise ModelError("Nothing of the model lies near anything else of it; export it again")
    points = np.concatenate([part.triangles.reshape(-1, 3)[:: max(1, len(part.triangles) // 50)] for part in kept])
    if float(np.ptp(points, axis=0).max()) < SMALLEST:
        raise ModelError(
            f"The model is only {np.ptp(points, axis=0).max() * 1000:.2g} mm across; say its unit with --unit"
        )
    return kept, origin, notes
