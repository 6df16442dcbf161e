"""Massing of models: storeys more, roofs, bays, against what geometry says they measure."""

import numpy as np
import pytest
import trimesh

import irodori as iro
from irodori.core.errors import ModelError
from irodori.core.recipe import MassChange

LONG, WIDE, TALL = 10.0, 6.0, 3.0


@pytest.fixture(scope="module")
def village(tmp_path_factory):
    """A house with a flat roof and a window, a shed, and a quay, as a GLB file (y up)."""
    scene = trimesh.Scene()

    def block(name, low, high):
        low, high = np.array(low, float), np.array(high, float)
        mesh = trimesh.creation.box(high - low, trimesh.transformations.translation_matrix((low + high) / 2))
        mesh.apply_transform(trimesh.transformations.rotation_matrix(-np.pi / 2, (1, 0, 0)))
        scene.add_geometry(mesh, node_name=name, geom_name=name)

    for name, low, high in (
        ("house wall north", (0, WIDE - 0.2, 0), (LONG, WIDE, TALL)), ("house wall south", (0, 0, 0), (LONG, 0.2, TALL)),
        ("house wall east", (LONG - 0.2, 0, 0), (LONG, WIDE, TALL)), ("house wall west", (0, 0, 0), (0.2, WIDE, TALL)),
        ("house roof", (-0.3, -0.3, TALL), (LONG + 0.3, WIDE + 0.3, TALL + 0.3)),
        ("house window glass", (1, -0.02, 1), (9, 0.02, 2)),
        ("shed wall", (20, 0, 0), (23, 3, 2.6)), ("shed roof", (19.8, -0.2, 2.6), (23.2, 3.2, 2.8)),
        ("quay wall", (-5, -9, -2), (30, -8, 0)), ("quay paving", (-5, -8, -0.2), (30, 9, 0)),
    ):  # fmt: skip
        block(name, low, high)
    path = tmp_path_factory.mktemp("village") / "village.glb"
    scene.export(path)
    return iro.open_model(path)


def part(model, *words):
    """Triangles of the surfaces whose names hold a word, (T, 3, 3)."""
    table = model.data.surfaces
    ids = table["id"][[any(w in name for w in words) for name in table["name"]]]
    return model.data.mesh.triangles[np.isin(model.data.mesh.surface, ids)].astype(float)


def area(triangles):
    return (
        np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1).sum() / 2
    )


@pytest.mark.parametrize("storeys", [1, 3])
def test_a_storey_more_lifts_the_roof_and_repeats_the_walls(village, storeys):
    high = village.massed(MassChange(building="house", what="storey", value=str(storeys)))
    lift = part(high, "house roof")[..., 2].max() - (TALL + 0.3)
    assert 2.0 * storeys < lift <= 3.2 * storeys
    assert np.allclose(part(high, "house roof") - [0, 0, lift], part(village, "house roof"), atol=1e-4)
    upright = area(part(high, "house wall")) - area(part(village, "house wall"))
    # Four walls of .2 m: an outer and an inner side each, and the ends of the two longer ones lie within the others.
    assert upright == pytest.approx(lift * 2 * (2 * (LONG + 0.2) + 2 * (WIDE + 0.2)), rel=0.02)
    for one in ("shed", "quay"):
        assert np.array_equal(np.sort(part(high, one), axis=None), np.sort(part(village, one), axis=None))
    assert area(part(high, "window")) == pytest.approx((storeys + 1) * area(part(village, "window")), rel=0.05)


@pytest.mark.parametrize(("form", "pitch"), [("gable", 36.0), ("hipped", 28.0), ("flat", 0.0), ("shed", 8.0)])
def test_a_roof_covers_the_plan_at_its_pitch(village, form, pitch):
    roof = part(village.massed(MassChange(building="house", what="roof", value=form)), "house roof")
    normal = np.cross(roof[:, 1] - roof[:, 0], roof[:, 2] - roof[:, 0])
    size = np.linalg.norm(normal, axis=1)
    upward = normal[:, 2] > 0.3 * size
    low, high = roof[..., :2].min(axis=(0, 1)), roof[..., :2].max(axis=(0, 1))
    assert (low < 0).all() and (high > (LONG, WIDE)).all()
    steepness = np.degrees(np.arccos(np.clip(normal[upward, 2] / size[upward], -1, 1)))
    assert np.allclose(steepness, pitch, atol=0.5)
    # A roof of one pitch is its plan's area over the cosine (Lambert).
    assert area(roof[upward]) == pytest.approx(np.prod(high - low) / np.cos(np.radians(pitch)), rel=0.01)
    assert roof[..., 2].min() > 2.0


def test_a_bay_stands_where_no_window_is(village):
    bay = part(village.massed(MassChange(building="house", what="bay")), " bay")
    assert bay[..., 1].max() > WIDE + 0.8 and bay[..., 1].min() > WIDE - 0.3, "the south side has a window all along"
    assert bay[..., 2].min() > 0.2 and bay[..., 2].max() < TALL + 0.1


def test_without_a_name_the_largest_building_is_meant_and_no_quay(village):
    high = village.massed(MassChange(what="storey"))
    assert part(high, "house roof")[..., 2].max() > TALL + 2
    assert part(high, "quay")[..., 2].max() == pytest.approx(0.0) and part(high, "shed")[..., 2].max() < 2.9


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (MassChange(building="tower", what="storey"), "tower.*names begin with house, quay, shed"),
        (MassChange(building="shed", what="bay"), "No wall of the shed"), (MassChange(building="house", what="roof", value="onion"), "onion"),
    ],
)  # fmt: skip
def test_what_cannot_be_changed_is_said(village, change, says):
    with pytest.raises(ModelError, match=says):
        village.massed(change)


def test_a_brief_changes_massing_at_full_liberty_only_and_repeats(village, tmp_path):
    told = {"brief": "the house with a storey more", "quality": "draft", "width": 160, "height": 100}
    source = village.data.sources[0]
    bold, modest = iro.make(source, liberty="concept", **told), iro.make(source, **told)
    assert bold.recipe.source.massing == (MassChange(building="house|villa|cottage", what="storey", value="1"),)
    assert not modest.recipe.source.massing
    assert any("massing changed" in note for note in bold.structure.notes)
    bold.save(tmp_path / "bold.png")
    again = iro.repeat(tmp_path / "bold.png")
    assert np.array_equal(again.encoded, bold.encoded)
