"""Scenes drawn as different programs and hands do: a style by chance, the same for one scene every time."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from draw import Style, Truth, _all_edges, draw_in
from parts import TruthScene

from irodori.demo.pen import pen_sketch, visible_runs

BASE = {"styled": "shaded", "styled messy": "messy", "styled flat": "colour", "styled line": "line"}
"""What each kind is at heart."""

LIGHTS = (
    (((-0.5, -0.8, 1.0), 0.85), ((0.9, -0.2, 0.35), 0.35), ((-0.2, 0.9, -0.3), 0.2)),
    (((0.7, -0.9, 1.4), 1.0), ((-0.8, 0.2, 0.4), 0.25)),
    (((-0.9, -0.3, 0.7), 0.9), ((0.4, -0.9, 0.5), 0.5)),
    (((0.2, -0.4, 1.0), 0.6), ((-0.6, -0.7, 0.4), 0.4), ((0.8, 0.5, 0.3), 0.3)),
)
"""Ways towards a viewport's lights and their powers."""


def style_of(scene: TruthScene, kind: str) -> Style:
    """The style of a scene in a kind."""
    rng = np.random.default_rng([*scene.name.encode(), *kind.encode()])
    pick = lambda *what, p=None: what[int(rng.choice(len(what), p=p))]  # noqa: E731
    pale, deep = tuple(rng.uniform(0.86, 0.99, 3)), tuple(np.array((0.45, 0.62, 0.85)) + rng.uniform(-0.1, 0.12, 3))
    grey = (float(rng.uniform(0.6, 0.95)),) * 3
    dark = (float(rng.uniform(0.12, 0.3)),) * 3
    backgrounds = (((1, 1, 1),) * 2, (grey, grey), (pale, deep), (deep, pale), (dark, dark), ((0.80, 0.87, 0.93),) * 2)
    # What a sky is drawn as out of doors; in line drawings paper is white, or nearly so.
    background = pick(*backgrounds, p=(0.24, 0.16, 0.26, 0.06, 0.06, 0.22))
    if kind == "styled line":
        background = (((1, 1, 1),) * 2, ((0.97, 0.96, 0.92),) * 2)[int(rng.random() < 0.25)]
    edge = pick(
        (0.1, 0.1, 0.1), (0.0, 0.0, 0.0), (0.35, 0.35, 0.35), (0.2, 0.25, 0.45), None, p=(0.4, 0.25, 0.12, 0.08, 0.15)
    )
    if kind == "styled line" and edge is None:
        edge = (0.0, 0.0, 0.0)
    style = Style(
        edge=edge, width=float(pick(1.0, 1.6, 2.2, 3.0, p=(0.45, 0.25, 0.2, 0.1))), background=background,
        light=pick((0.35, 0.7), (0.55, 0.5), (0.2, 0.85), (0.75, 0.3)), lights=LIGHTS[int(rng.integers(len(LIGHTS)))],
        clear=float(pick(1.0, 0.4, p=(0.75, 0.25))), panes=pick(None, (0.35, 0.55, 0.85), (0.75, 0.85, 0.9), p=(0.6, 0.2, 0.2)),
        samples=int(pick(8, 0, p=(0.8, 0.2))), quality=int(rng.integers(75, 93)) if rng.random() < 0.3 else None,
    )  # fmt: skip
    return replace(style, clear=1.0, light=(1.0, 0.0)) if kind == "styled flat" else style


def draw_styled(scene: TruthScene, kind: str, truth: Truth) -> np.ndarray:
    """A capture (H, W, 3) uint8 sRGB of one of `draw.STYLED`."""
    if kind == "styled sketch":
        return _by_some_hand(scene, truth)
    return draw_in(scene, BASE[kind], truth, style_of(scene, kind))


def _by_some_hand(scene: TruthScene, truth: Truth) -> np.ndarray:
    """Strokes that miss their vanishing points and each other, doubled here and there, some forgotten."""
    rng = np.random.default_rng([*scene.name.encode(), 77])
    stray, doubled, forgotten = rng.uniform(0.6, 3.2), rng.uniform(0, 0.4), rng.uniform(0, 0.12)
    runs = []
    for run in visible_runs(_all_edges(scene), scene.camera, truth.depth):
        length = float(np.hypot(*(run[1] - run[0])))
        if (length < 40 and rng.random() < forgotten * 3) or rng.random() < forgotten * 0.3:
            continue
        for _ in range(1 + (rng.random() < doubled)):
            runs.append(run + rng.normal(0, stray, (2, 2)) * min(1.0, length / 60))
    return pen_sketch(runs, scene.camera.size, seed=int(rng.integers(1000)))
