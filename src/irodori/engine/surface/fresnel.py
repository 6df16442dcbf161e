"""Reflectance of smooth surfaces."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def fresnel_dielectric(cosine, f0):
    """Unpolarised reflectance by Fresnel's equations; `f0` is the reflectance at normal incidence.

    `cosine` is that of the angle of incidence, 0 … 1.
    """
    root = np.float32(np.sqrt(f0))
    n = (np.float32(1) + root) / (np.float32(1) - root)
    c = min(max(cosine, np.float32(0)), np.float32(1))
    g2 = n * n - np.float32(1) + c * c
    g = np.float32(np.sqrt(g2))
    a = (g - c) / (g + c)
    b = (c * (g + c) - np.float32(1)) / (c * (g - c) + np.float32(1))
    return np.float32(0.5) * a * a * (np.float32(1) + b * b)


@njit(cache=True)
def fresnel_double_glazing(cosine, f0):
    """Reflectance of two panes, four surfaces, with the light that bounces between them (incoherent sum)."""
    r = fresnel_dielectric(cosine, f0)
    pane = np.float32(2) * r / (np.float32(1) + r)
    return np.float32(2) * pane / (np.float32(1) + pane)
