"""A limited set of colours that stands for all of a picture's."""

from __future__ import annotations

import numpy as np

SAMPLES = 20_000


def _lab(encoded: np.ndarray) -> np.ndarray:
    """CIE L*a*b* of encoded colours (N, 3)."""
    import cv2

    return cv2.cvtColor(np.ascontiguousarray(encoded, np.float32).reshape(-1, 1, 3), cv2.COLOR_RGB2LAB).reshape(-1, 3)


def palette_of(colours: np.ndarray, count: int, seed: int) -> np.ndarray:
    """`count` colours (count, 3) float32 that stand best for a picture (H, W, 3), sRGB-encoded (k-means in CIE L*a*b*; small but
    striking colours count more than their share)."""
    import cv2

    flat = colours.reshape(-1, 3)
    rng = np.random.default_rng(seed)
    some = flat[rng.choice(len(flat), min(SAMPLES, len(flat)), replace=False)]
    lab = _lab(some)
    pure = np.hypot(lab[:, 1], lab[:, 2])
    chosen = rng.random(len(some)) < np.clip(0.25 + pure / 45, 0, 1)
    told, lab = some[chosen], lab[chosen]
    if len(lab) <= count:
        return np.resize(told, (count, 3)).astype(np.float32)
    cv2.setRNGSeed(seed & 0x7FFFFFFF)
    rule = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 0.5)
    _, label, _ = cv2.kmeans(np.ascontiguousarray(lab), count, None, rule, 2, cv2.KMEANS_PP_CENTERS)
    label = label.ravel()
    return np.stack(
        [np.median(told[label == k], axis=0) if (label == k).any() else told[0] for k in range(count)]
    ).astype(np.float32)


def nearest_of(colours: np.ndarray, palette: np.ndarray) -> np.ndarray:
    """Which of a palette each pixel (H, W, 3) is nearest to, (H, W) int."""
    lab, known = _lab(colours.reshape(-1, 3)), _lab(palette)
    best, index = np.full(len(lab), np.inf, np.float32), np.zeros(len(lab), np.int32)
    for k, one in enumerate(known):
        away = ((lab - one) ** 2).sum(axis=1)
        nearer = away < best
        best[nearer], index[nearer] = away[nearer], k
    return index.reshape(colours.shape[:2])
