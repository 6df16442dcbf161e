"""Models cut open: against volumes and areas that a ruler gives."""

import numpy as np
import pytest
import trimesh

import irodori as iro
from irodori.capture.model.cut_open import CUT, cut_open
from irodori.capture.model.views import find_view
from irodori.core.model import ModelData
from irodori.core.roles import ROLES
from named_models import saved


def box(low, high):
    return trimesh.creation.box(bounds=(low, high))


@pytest.fixture
def pipe(tmp_path):
    """A square tube, 2 m wide outside and 1 m inside, 4 m tall: four walls."""
    walls = {
        "wall south": box((0, 0, 0), (2, 0.5, 4)), "wall north": box((0, 1.5, 0), (2, 2, 4)), "wall west": box((0, 0.5, 0), (0.5, 1.5, 4)),
        "wall east": box((1.5, 0.5, 0), (2, 1.5, 4)),
    }  # fmt: skip
    return saved(tmp_path, walls)


def area(triangles):
    return (
        np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1).sum() / 2
    )


def test_a_cut_is_closed_by_faces_of_one_tone_and_what_lies_beyond_is_gone(pipe):
    opened = cut_open(pipe.data, (0.0, 0.0, 1.0, 2.5))
    assert opened.mesh.triangles[..., 2].max() <= 2.5 + 1e-5
    row = opened.surfaces.set_index("name").loc[CUT]
    # What the plane cuts through is the tube's wall: 2² − 1² m².
    assert row["area_m2"] == pytest.approx(3.0, rel=1e-4) and row["role"] in ROLES
    sides = opened.mesh.surface != row["id"]
    assert area(opened.mesh.triangles[sides]) == pytest.approx(
        area(pipe.data.mesh.triangles) * (2.5 / 4) + 3.0 - 3.0 * 2.5 / 4, rel=0.08
    )
    assert opened.digest != pipe.data.digest and isinstance(opened, ModelData)
    assert cut_open(pipe.data, (0.0, 0.0, 1.0, 2.5)).digest == opened.digest


def test_volumes_of_both_halves_add_up(tmp_path):
    """A solid ball, cut off its middle: by the divergence theorem, with the cut closed."""
    ball = trimesh.creation.icosphere(3, 1.0)
    model = saved(tmp_path, {"wall ball": ball})
    way = np.array([1.0, 2.0, 2.0]) / 3
    volumes = []
    for plane in ((*way, 0.3), (*(-way), -0.3)):
        mesh = cut_open(model.data, plane).mesh
        soup = mesh.triangles.astype(float)
        cap = mesh.surface == mesh.surface.max()
        # The cap may be wound either way: count it as facing out.
        signed = np.einsum("tk,tk->t", soup[:, 0], np.cross(soup[:, 1], soup[:, 2])) / 6
        out = np.sign(np.cross(soup[:, 1] - soup[:, 0], soup[:, 2] - soup[:, 0]) @ np.array(plane[:3]))
        volumes.append(signed[~cap].sum() + (signed[cap] * out[cap]).sum())
    # A ball's cap of height h holds π h² (3 − h) / 3.
    assert volumes[0] + volumes[1] == pytest.approx(ball.volume, rel=1e-3)
    assert volumes[1] == pytest.approx(np.pi * 0.7**2 * 2.3 / 3, rel=0.03)


@pytest.fixture
def room(tmp_path):
    parts = {
        "floor": box((0, 0, -0.2), (6, 4, 0)), "ceiling": box((0, 0, 2.7), (6, 4, 2.9)), "wall south": box((0, -0.2, -0.2), (6, 0, 2.9)),
        "wall north": box((0, 4, -0.2), (6, 4.2, 2.9)), "wall west": box((-0.2, -0.2, -0.2), (0, 4.2, 2.9)), "wall east": box((6, -0.2, -0.2), (6.2, 4.2, 2.9)),
        "table": box((2, 1.6, 0.7), (3.4, 2.4, 0.75)), "sofa": box((0.1, 1, 0), (0.9, 3, 0.8)), "chair": box((4.6, 1.4, 0), (5.1, 1.9, 0.45)),
        "cupboard": box((1.5, 3.5, 0), (3, 3.95, 2)),
    }  # fmt: skip
    return saved(tmp_path, parts)


def test_a_room_cut_away_is_seen_whole_from_before_it(room):
    capture = room.view("interior", width=320, cutaway=True)
    spec = capture.origin.camera
    assert spec.cut is not None
    structure = capture.exact
    low, high = room.data.mesh.bounds()
    eye = structure.camera.position
    assert (eye[:2] < low[:2]).any() or (eye[:2] > high[:2]).any()
    roles = set(structure.surfaces.loc[structure.surfaces["area_px"] > 20, "role"])
    assert {"furniture", "floor", "ceiling", "wall"} <= roles
    assert (structure.surfaces["name"] == CUT).any()
    # Looking along its walls: the far wall faces the camera.
    assert np.abs(structure.camera.rotation[2]).max() > 0.999


def test_a_dolls_house_shows_its_floor_from_above(room):
    structure = room.view("dolls' house", width=320).exact
    assert structure.camera.position[2] > 3
    seen = structure.surfaces.set_index("name")["area_px"]
    assert seen["floor"].sum() > 1500 and seen["table"].sum() > 50 and "ceiling" not in seen
    with pytest.raises(iro.IrodoriError, match="dolls' house 1"):
        room.view("dolls' house 3")


def test_a_section_is_parallel_and_cuts_the_middle(room):
    view = find_view(room.data, "section south")
    assert view.span is not None and view.cut[:3] == pytest.approx((0, -1, 0), abs=1e-9)
    structure = room.view("section south", width=320).exact
    cut = structure.surfaces.set_index("name").loc[CUT]
    assert cut["area_px"] > 500 and structure.camera.projection == "parallel"


def test_there_is_nothing_to_cut_away_before_a_plan(room):
    with pytest.raises(iro.IrodoriError, match="nothing to cut away"):
        room.view("plan", cutaway=True)


def test_pictures_of_what_was_cut_repeat(room, tmp_path):
    picture = iro.make(room.data.sources[0], view="dolls' house", quality="draft", width=160)
    picture.save(tmp_path / "cut.png")
    again = iro.repeat(tmp_path / "cut.png")
    assert np.array_equal(again.encoded, picture.encoded)
