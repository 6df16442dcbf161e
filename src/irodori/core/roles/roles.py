"""The roles that a surface can have."""

from __future__ import annotations

ROLES = (
    "sky", "context", "ground", "paving", "lawn", "water", "planting", "wall", "column", "slab", "stair",
    "roof", "soffit", "ceiling", "floor", "glazing", "frame", "door", "railing", "furniture", "fabric",
    "lamp", "sign", "person", "vehicle", "other",
)  # fmt: skip
