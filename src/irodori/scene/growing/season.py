"""What a season does to the planting and the grass that a structure holds itself: their outlines stay, their colours turn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from irodori.core.colour import hex_to_linear, linear_to_hex
from irodori.finishes.catalogue import Finish
from irodori.scene.assign import Assignment
from irodori.scene.growing.grow import LEAVES

TURNED = {
    "spring": (("#86a446", 0.55), ("#93a548", 0.45), ("#7c8f3e", 0.4)),
    "autumn": (("#c9a032", 0.8), ("#b5622c", 0.75), ("#a8862f", 0.7), ("#6d6a35", 0.6), ("#8e4a2a", 0.7)),
    "winter": (("#7d6b57", 0.85), ("#85755f", 0.85), ("#3f5134", 0.5), ("#766655", 0.85)),
}
"""Colours that crowns and hedges turn to when it is not summer, and how far: one for each surface by chance, for no two trees turn alike, and some stay green."""

GRASS = {"spring": ("#7f9f45", 0.35), "autumn": ("#8f8748", 0.4), "winter": ("#9c936a", 0.6)}
"""The same for grass, all of it alike."""


def in_season(assignments: Sequence[Assignment], season: str, seed: int) -> list[Assignment]:
    """Assignments (by surface) whose leaves and grass have the season's colours, where these are the finish's own."""
    if season == "summer":
        return list(assignments)
    turned: dict[tuple[int, tuple[str, float]], Finish] = {}
    out = []
    for one in assignments:
        finish = one.finish
        if not finish.as_found and (finish.pattern in LEAVES or finish.pattern == "grass"):
            turn = GRASS[season] if finish.pattern == "grass" else _turn_of(season, one.surface, seed)
            # What turns alike shares its finish, as what does not turn does.
            if (id(finish), turn) not in turned:
                turned[id(finish), turn] = _turned(finish, turn)
            one = replace(one, finish=turned[id(finish), turn])
        out.append(one)
    return out


def found_in_season(tint: np.ndarray, leaves: np.ndarray, slopes: np.ndarray, season: str, seed: int) -> np.ndarray:
    """Linear colours (S, 3) of surfaces, those of `leaves` and of green `slopes`, (S,) bool each, turned: for what keeps the colour and the
    texture that the capture shows."""
    if season == "summer":
        return tint
    turned = tint.copy()
    for surface in np.flatnonzero(leaves).tolist():
        turned[surface] = _mixed(tint[surface], *_turn_of(season, surface, seed))
    for surface in np.flatnonzero(slopes & ~leaves & (tint[:, 1] > tint[:, [0, 2]].max(axis=1))).tolist():
        turned[surface] = _mixed(tint[surface], *GRASS[season])
    return turned


def _turned(finish: Finish, turn: tuple[str, float]) -> Finish:
    colour, joint = (linear_to_hex(_mixed(hex_to_linear(own), *turn)) for own in (finish.colour, finish.joint[1]))
    return finish.changed(colour=colour, joint_colour=joint if finish.pattern == "grass" else None)


def _turn_of(season: str, surface: int, seed: int) -> tuple[str, float]:
    return TURNED[season][int(np.random.default_rng([seed, surface]).integers(len(TURNED[season])))]


def _mixed(own: np.ndarray, other: str, share: float) -> np.ndarray:
    """A colour (3,) on its way to another, which keeps half of the way its own lightness."""
    own = np.asarray(own, float)
    aim = hex_to_linear(other)
    aim = aim * np.sqrt(max(own.sum(), 1e-4) / max(aim.sum(), 1e-4))
    return np.clip(own + share * (aim - own), 0.004, 0.8)
