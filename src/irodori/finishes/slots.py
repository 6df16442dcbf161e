"""Where each parameter of a finish lies in its row of numbers."""

from __future__ import annotations

SLOTS = (
    "pattern", "red", "green", "blue", "joint_red", "joint_green", "joint_blue", "unit_u", "unit_v", "joint",
    "bond", "variation", "grain", "grain_size", "grain_stretch", "roughness", "metalness", "f0", "relief",
    "kind", "turn", "mottle", "translucency", "as_found", "laying", "hole", "age",
)  # fmt: skip
SLOT = {name: index for index, name in enumerate(SLOTS)}

LAYINGS = ("running", "english", "flemish")
KINDS = ("opaque", "glass", "water", "lamp")
