"""Models at the first try: names, roles, the view that is chosen, and the land about it."""

import numpy as np
import pytest
from make_models import MODELS

import irodori as iro
from irodori.capture.model.photographer import subject_of
from irodori.capture.model.surroundings import with_surroundings
from irodori.core.errors import ModelError
from irodori.core.model import SURROUNDINGS
from irodori.core.roles import ROLES, role_from_words

OUTSIDE = {
    "house": "front door",
    "german_house": "Haustuer",
    "italian_villa": "porta ingresso",
    "spanish_pavilion": "puerta",
}
ROOMS = ("room", "french_kitchen", "office")


@pytest.fixture(scope="module")
def models(tmp_path_factory):
    folder = tmp_path_factory.mktemp("models")
    found = {}
    for name, build in MODELS.items():
        build().scene.export(folder / f"{name}.glb")
        found[name] = iro.open_model(folder / f"{name}.glb")
    return found


@pytest.mark.parametrize(
    ("role", "names"),
    [
        ("wall", "Aussenwand_02|Mur_exterieur|parete nord|pared exterior|extWallNorth|A-WALL-EXTR|IfcWallStandardCase.3|tower_core|parapet"),
        ("glazing", "Fensterglas|fenêtre 12|vetro finestra|ventana_salon|CurtainWallPanel|A-GLAZ-FULL|h1_win_u1_glass"),
        ("roof", "Satteldach|toiture zinc|tetto in tegole|tejado rojo|flat roof|context_3_roof|hall roof east"),
        ("door", "Haustuer|porte d'entrée|porta ingresso|puerta principal|IfcDoor"),
        ("paving", "plaza|road|street|Gehweg|trottoir|marciapiede|acera|kerb"),
        ("planting", "Baum_12|arbre|albero 3|árbol|tree_canopy|L-PLNT-TREE"),
        ("frame", "fins_south|Fensterrahmen_3|menuiserie alu|telaio|marco"),
        ("stair", "Treppe|escalier|scala esterna|escalera|IfcStairFlight"),
        ("furniture", "OfficeChair|Esstisch|canapé|tavolo|silla|IfcFurniture"),
        ("slab", "coping|plinth|Fensterbank|socle RDC|solaio|losa|IfcSlab"),
    ],
)  # fmt: skip
def test_names_of_five_languages_and_codes_tell_roles(role, names):
    assert role in ROLES
    assert {name: role_from_words(name) for name in names.split("|")} == dict.fromkeys(names.split("|"), role)


@pytest.mark.parametrize("name", ["Cube.001", "Mesh_12", "Object", "Layer0", "", "x"])
def test_names_that_say_nothing_tell_nothing(name):
    assert role_from_words(name) is None


def test_geometry_tells_what_names_do_not(models):
    """A house of nameless cubes: its roof slopes, its walls stand, what is level in the open is walked on."""
    table = models["nameless_house"].data.surfaces
    sloped = table[(table["nz"] > 0.3) & (table["nz"] < 0.95)]
    assert (sloped.loc[sloped["material"] == "tiles", "role"] == "roof").all()
    assert (table.loc[(table["material"] == "render") & (table["nz"].abs() < 0.1), "role"] == "wall").all()
    assert set(table.loc[table["material"] == "grass", "role"]) == {"lawn"} and set(
        table.loc[table["material"] == "leaf", "role"]
    ) == {"planting"}
    plant = models["block"].data.surfaces
    assert not set(plant.loc[plant["name"] == "plant room", "role"]) & {"planting"}


@pytest.mark.parametrize("name", OUTSIDE)
def test_the_view_of_a_building_shows_its_door_and_two_faces(models, name):
    model = models[name]
    view = model.view(width=320, height=200).exact
    subject = subject_of(model.data)
    own = np.zeros(int(max(view.regions.max(), len(subject.own) - 1)) + 1, bool)
    own[: len(subject.own)] = subject.own
    shown = own[view.regions] & (view.regions > 0)
    columns = np.flatnonzero(shown.any(axis=0))
    assert 0.4 < (columns[-1] - columns[0] + 1) / 320 < 0.76
    assert not shown[:, [0, -1]].any() and not shown[[0, -1]].any(), "air around it"
    names = view.surfaces.set_index("id")["name"]
    doors = [i for i in np.unique(view.regions[shown]) if OUTSIDE[name] in names[i]]
    assert np.isin(view.regions, doors).sum() > 15
    upright = view.camera.rotation[1]
    assert abs(upright[2]) > 0.999, "verticals are upright"


@pytest.mark.parametrize("name", ROOMS)
def test_a_room_is_seen_from_inside(models, name):
    model = models[name]
    capture = model.view(width=320, height=200)
    low, high = model.data.mesh.bounds()
    eye = capture.exact.camera.position
    assert (eye > low).all() and (eye < high).all()
    roles = capture.exact.surfaces.set_index("id")["role"]
    seen = roles[np.unique(capture.exact.regions[capture.exact.regions > 0])]
    assert {"furniture", "wall", "ceiling"} <= set(seen)
    # Nothing close before the eye.
    assert np.percentile(capture.exact.depth, 1) > 0.4


def test_neighbours_and_plates_are_not_the_subject(models):
    subject = subject_of(models["block"].data)
    assert (subject.low[:2] > 3).all() and (subject.high[:2] < 37).all()


def test_best_views_are_asked_for_by_their_names(models):
    model = models["house"]
    views = model.best_views(5)
    assert len(views) == 5 == len({v.name for v in views})
    for view in views[:3]:
        again = model.view(view.name, width=64, height=40).exact.camera
        away = np.array(view.position) - view.target
        ahead = -again.rotation[2]
        assert np.degrees(np.arctan2(ahead[0], ahead[1])) == pytest.approx(
            np.degrees(np.arctan2(away[0], away[1])), abs=1.0
        )


def test_room_for_text_is_left_where_it_is_asked(models):
    model = models["house"]
    plain, left = model.view(width=320, height=200).exact, model.view(width=320, height=200, compose="left").exact
    table = plain.surfaces
    door = table.loc[table["name"].str.startswith("front door"), "id"].to_numpy()
    middle = [np.nonzero(np.isin(one.regions, door))[1].mean() for one in (plain, left)]
    assert middle[1] - middle[0] == pytest.approx(0.13 * 320, abs=3)
    with pytest.raises(ModelError, match="side"):
        model.view(compose="above")


def test_land_goes_on_to_the_horizon_in_the_plate_s_own_kind(models):
    for name, role in (("house", "lawn"), ("block", "ground"), ("chair", "other")):
        amid = with_surroundings(models[name].data)
        rows = amid.surfaces[amid.surfaces["name"] == SURROUNDINGS]
        assert rows.iloc[0]["role"] == role
        own = amid.mesh.triangles[np.isin(amid.mesh.surface, rows["id"])]
        assert np.ptp(own[..., :2].reshape(-1, 2), axis=0).min() > 50_000 and np.ptp(own[..., 2]) < 1e-3
    # From eye level no sky shows below the horizon.
    view = models["house"].view(width=160, height=100).exact
    horizon = view.camera.matrix[1, 2]
    assert (view.regions[int(horizon) + 2 :] > 0).all()


def test_without_it_a_model_stands_alone(models):
    alone = models["house"].view(width=160, height=100, ground=False).exact
    assert SURROUNDINGS not in set(alone.surfaces["name"])
