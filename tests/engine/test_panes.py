"""What is seen through glass: as bright as what passes, wherever it stands, and with smooth edges."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.geometry import shapes
from irodori.core.model import ViewSpec
from irodori.engine.surface.fresnel import fresnel_double_glazing
from irodori.formats.model.parts import Part
from irodori.study.sample_view import view_parts

WHITE = (0.7, 0.7, 0.7)


def picture_of(glazed, things, finishes="where,finish\nall,as found", quality="review"):
    """A pavilion open to the north and glazed (or open) to the viewer in the south, with things in it."""
    outer = [
        shapes.box((-4, 6, 0), (4, 6.2, 3)), shapes.box((-4.2, 0, 0), (-4, 6.2, 3)), shapes.box((4, 0, 0), (4.2, 6.2, 3)),
    ]  # fmt: skip
    parts = [
        Part(
            "floor slab", "render", (0.5,) * 3, 1.0, shapes.quad((-20, -20, 0), (20, -20, 0), (20, 20, 0), (-20, 20, 0))
        ),
        Part("wall", "render", WHITE, 1.0, np.concatenate(outer)),
        *things,
    ]
    if glazed:
        pane = shapes.quad((-3.9, 0.1, 0), (3.9, 0.1, 0), (3.9, 0.1, 3), (-3.9, 0.1, 3))
        parts.append(Part("front glass", "glass", (0.9,) * 3, 0.3, pane))
    view = ViewSpec("here", (0.0, -9.0, 1.5), (0.0, 0.0, 1.5), 40.0)
    structure = iro.read_structure(view_parts(parts, view, "panes", width=360, height=240))
    return structure, iro.render(iro.dress(structure, finishes, "overcast"), quality)


@pytest.mark.parametrize("quality", ["draft", "review"])
def test_what_stands_behind_glass_is_as_bright_as_what_passes(quality):
    """A panel that nothing but the view through the pane leads to: its back is to the room, its face to the glass."""
    panel = Part("panel", "render", WHITE, 1.0, shapes.box((-0.6, 1.2, 0.6), (0.6, 1.25, 2.4)))
    rules = "where,finish\nall,as found\nname front glass,clear glass"
    structure, bare = picture_of(False, [panel], quality=quality)
    _, glazed = picture_of(True, [panel], rules, quality)
    middle = np.s_[105:135, 165:195]
    lit = bare.layers["albedo"].mean(axis=2)[middle] * sum(
        bare.layers[n].mean(axis=2)[middle] for n in ("sky", "bounce sky")
    )
    passed = glazed.layers["reflection sky"].mean(axis=2)[middle].mean()
    share = 1 - float(fresnel_double_glazing(np.float32(0.99), np.float32(0.043)))
    assert structure.of_role("wall", "furniture", "other", "slab").size
    # The pane also mirrors the grey sky: between what passes and that on top.
    tinted = share * lit.mean() / np.pi
    assert passed > 0.75 * tinted, (passed, tinted, lit.mean())


def test_edges_close_behind_glass_are_smooth():
    """A slanting bar 5 cm behind the pane: along its edge the tones between take every value."""
    bar = shapes.box((-4, 0.15, 1.4), (4, 0.2, 1.6)).copy()
    bar[..., 2] += 0.12 * bar[..., 0]
    things = [Part("bar", "render", (0.02,) * 3, 1.0, bar)]
    _, picture = picture_of(True, things, "where,finish\nall,as found\nname front glass,clear glass")
    tone = picture.developed.mean(axis=2)
    between = []
    for x in range(130, 230):
        column = tone[60:190, x]
        dark, bright = column.min(), np.percentile(column, 80)
        share = (column - dark) / (bright - dark)
        edge = int(share.argmin())
        between += [s for s in share[edge - 6 : edge + 7] if 0.12 < s < 0.88]
    # Two edges of a hundred columns each; hard ones would have hardly any pixel between.
    assert len(between) > 120
    assert np.histogram(between, 4, (0.12, 0.88))[0].min() > 10
