"""From a kind to its parts: geometry in the size of the catalogue, kept for the next one like it."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from irodori.entourage import low_plants, vehicles
from irodori.entourage.catalogue import ENTOURAGE, Kind, Part
from irodori.entourage.conifers import grow_conifer
from irodori.entourage.lamp_posts import build_bollard_light, build_floor_lamp, build_street_lamp
from irodori.entourage.loose_furniture import build_bench, build_table, planter_tub, trunk
from irodori.entourage.people import build_person
from irodori.entourage.trees import grow_tree

PLANTS = {
    "broadleaf": grow_tree, "conifer": grow_conifer, "shrub": low_plants.grow_shrub, "clipped": low_plants.grow_clipped,
    "hedge": low_plants.grow_hedge, "grass": low_plants.grow_grass, "bed": low_plants.grow_bed,
    "climber": low_plants.grow_climber,
}  # fmt: skip

OTHERS = {
    "person": build_person, "car": lambda kind, seed: vehicles.build_car(seed),
    "boat": lambda kind, seed: vehicles.build_boat(seed), "sailing boat": lambda kind, seed: vehicles.build_sailing_boat(seed),
    "bicycle": lambda kind, seed: vehicles.build_bicycle(seed), "bench": lambda kind, seed: build_bench(),
    "table": lambda kind, seed: build_table(), "street lamp": lambda kind, seed: build_street_lamp(),
    "bollard light": lambda kind, seed: build_bollard_light(), "floor lamp": lambda kind, seed: build_floor_lamp(),
}  # fmt: skip

SHARES = (1.0, 0.5, 0.25, 0.1, 0.04)
"""Shares of the full number of leaves that are grown; which one depends on the size in the picture."""


@lru_cache(maxsize=160)
def build(kind: str | Kind, season: str = "summer", share: float = 1.0, seed: int = 0) -> tuple[Part, ...]:
    """Parts of one specimen of a kind, given by name or with its own values, in its catalogue size.

    `share` is one of `SHARES`. The same arguments give the same geometry.
    """
    kind = ENTOURAGE[kind] if isinstance(kind, str) else kind
    if kind.form in PLANTS:
        return tuple(PLANTS[kind.form](kind, season, share, seed))
    if kind.form == "planter":
        ball = ENTOURAGE["clipped ball"]
        crown = low_plants.grow_clipped(replace(ball, height=0.62, spread=0.62), season, share, seed)
        lifted = [Part(p.triangles + [0, 0, 0.66], p.finish, p.role) for p in crown]
        return (planter_tub(), trunk(0.8), *lifted)
    return tuple(OTHERS[kind.form](kind, seed))
