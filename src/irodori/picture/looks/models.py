"""Looks of models that are built by hand or by machine: white card, timber blocks, clay, print."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import decode_srgb
from irodori.picture.buffers import Buffers
from irodori.picture.drawing.contours import contours
from irodori.picture.drawing.manner import Manner
from irodori.picture.drawing.maquette import footprint, grain, modelled, places
from irodori.picture.drawing.paper import paper_colour
from irodori.picture.drawing.sheet import Layer, Sheet
from irodori.picture.drawing.strokes import sign_layer
from irodori.picture.looks import look

CARD, BOARD = (0.86, 0.86, 0.85), (0.72, 0.72, 0.71)
"""Reflectances of white card, and of the grey board that it stands on."""

BEECH, BEECH_LATE, BASE = (0.56, 0.40, 0.24), (0.41, 0.27, 0.15), (0.62, 0.55, 0.45)
"""Linear colours of beech and its late wood, and of the ply that blocks stand on."""

TERRACOTTA, SLAB = (0.46, 0.30, 0.22), (0.40, 0.27, 0.20)

RESIN = (0.80, 0.80, 0.79)

WRITTEN = (0.16, 0.15, 0.15)
"""What letters are cut from."""

PRINTED = 0.09
"""m of the layers that a printed model is built of."""


def _behind(
    manner: Manner, top: tuple[float, float, float], foot: tuple[float, float, float]
) -> tuple[np.ndarray, np.ndarray]:
    """Colours of a backdrop: of the paper that the manner asks for, or these."""
    if manner.paper:
        told = paper_colour(manner.paper)
        return told * np.float32(0.94), told
    return np.array(top, np.float32), np.array(foot, np.float32)


def _model(
    buffers: Buffers, manner: Manner, material: np.ndarray, land: np.ndarray, *, glazing: float,
    backdrop: tuple[np.ndarray, np.ndarray], seams: tuple[float, tuple[float, float, float], float],
) -> Sheet:  # fmt: skip
    """A model of one material, linear (3,) or (N, 3), on its land, with `seams` of a weight, ink and strength, and what signs say."""
    weight, ink, strength = seams
    lines = contours(buffers, weight=weight * manner.line_weight, looseness=manner.looseness or 0.0)
    return Sheet(
        buffers.size, ground=modelled(buffers, material, land, glazing=glazing, backdrop=backdrop),
        layers=(Layer("outlines", lines, ink, once=True, strength=strength), sign_layer(buffers, WRITTEN, strength=0.85)),
        lettering=buffers.carried,
    )  # fmt: skip


@look("white card model", about="White card, cut and glued, in the light of the scene")
def draw_white_card_model(buffers: Buffers, manner: Manner) -> Sheet:
    """Card has fine dark seams where it meets."""
    return _model(
        buffers, manner, np.array(CARD), np.array(BOARD), glazing=0.58,
        backdrop=_behind(manner, (0.80, 0.81, 0.82), (0.90, 0.90, 0.90)), seams=(0.70, (0.36, 0.36, 0.37), 0.75),
    )  # fmt: skip


@look("timber block model", about="Blocks of beech on a plywood base")
def draw_timber_block_model(buffers: Buffers, manner: Manner) -> Sheet:
    """The grain runs along each surface's own axis; blocks differ a little."""
    rings = grain(buffers, (0.55, 9.0, 6.0), 1)
    fibre = grain(buffers, (2.2, 60.0, 40.0), 2)
    wide = np.clip(footprint(buffers) * 9.0, 0, 1)
    late = np.clip((1 - wide) * (0.9 * (rings - 0.42) + 0.35 * (fibre - 0.5)) + 0.30, 0, 1)[:, None]
    rng = np.random.default_rng(5)
    count = int(buffers.fragments.region.max()) + 1
    block = (1 + 0.16 * (rng.random(count) - 0.5))[buffers.fragments.region][:, None]
    timber = (np.array(BEECH) + late * (np.array(BEECH_LATE) - np.array(BEECH))) * block
    return _model(
        buffers, manner, timber, np.array(BASE), glazing=0.42,
        backdrop=_behind(manner, (0.74, 0.72, 0.69), (0.86, 0.84, 0.81)), seams=(0.55, (0.20, 0.13, 0.08), 0.55),
    )  # fmt: skip


@look("clay", about="Unglazed clay, its surface a little uneven")
def draw_clay(buffers: Buffers, manner: Manner) -> Sheet:
    """Soft edges, no lines but where pieces meet."""
    uneven = grain(buffers, (1.3, 1.3, 1.3), 3) * 0.6 + grain(buffers, (5.0, 5.0, 5.0), 4) * 0.4
    clay = np.array(TERRACOTTA) * (1 + 0.22 * (uneven - 0.5))[:, None]
    return _model(
        buffers, manner, clay, np.array(SLAB), glazing=0.55,
        backdrop=_behind(manner, (0.77, 0.74, 0.71), (0.87, 0.85, 0.82)), seams=(0.5, (0.22, 0.13, 0.10), 0.40),
    )  # fmt: skip


@look("printed model", about="Printed in layers, on plain white; models usually from above", view="axonometric")
def draw_printed_model(buffers: Buffers, manner: Manner) -> Sheet:
    """Fine level layers; the land is the plate, everything behind is white."""
    height = places(buffers)[:, 2]
    # Each layer is round at its rim: light above, dark below; level faces show none.
    level = np.clip(1 - np.abs(buffers.fragments.normal[:, 2]), 0, 1)
    fine = np.clip(1.2 - footprint(buffers) * 2.2 / PRINTED, 0, 1)
    ridge = 0.10 * np.sin(2 * np.pi * height / PRINTED) * level * fine
    resin = np.array(RESIN) * (1 + ridge)[:, None]
    white = decode_srgb(np.array([0.97, 0.97, 0.97]))
    return _model(
        buffers, manner, resin, white, glazing=0.66,
        backdrop=_behind(manner, (0.985, 0.985, 0.985), (0.985, 0.985, 0.985)), seams=(0.45, (0.42, 0.42, 0.44), 0.5),
    )  # fmt: skip
