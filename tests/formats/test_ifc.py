"""IFC files: classes, openings, spaces, units and true north, against a file written by its own reader's library."""

import numpy as np
import pytest

import irodori as iro
from irodori.core.errors import ModelError

ifcopenshell = pytest.importorskip("ifcopenshell")


@pytest.fixture(scope="module")
def house(tmp_path_factory):
    """Walls of 6 × 5 m in mm, a door in an opening, a slab, a roof, a room; true north lies 30° clockwise from +y."""
    import ifcopenshell.api

    run = ifcopenshell.api.run
    file = run("project.create_file", version="IFC4")
    project = run("root.create_entity", file, ifc_class="IfcProject", name="P")
    run("unit.assign_unit", file, length={"is_metric": True, "raw": "MILLIMETERS"})
    context = run("context.add_context", file, context_type="Model")
    north = np.radians(30)
    context.TrueNorth = file.create_entity("IfcDirection", (float(np.sin(north)), float(np.cos(north))))
    body = run(
        "context.add_context",
        file,
        context_type="Model",
        context_identifier="Body",
        target_view="MODEL_VIEW",
        parent=context,
    )
    levels = [
        run("root.create_entity", file, ifc_class=c, name=c) for c in ("IfcSite", "IfcBuilding", "IfcBuildingStorey")
    ]
    for above, below in zip([project, *levels], levels):
        run("aggregate.assign_object", file, products=[below], relating_object=above)

    def element(kind, name, place, long, tall, thick, predefined=None):
        made = run("root.create_entity", file, ifc_class=kind, name=name, predefined_type=predefined)
        shape = run("geometry.add_wall_representation", file, context=body, length=long, height=tall, thickness=thick)
        run("geometry.assign_representation", file, product=made, representation=shape)
        matrix = np.eye(4)
        matrix[:3, 3] = place
        run("geometry.edit_object_placement", file, product=made, matrix=matrix)
        return made

    wall = element("IfcWall", "Basic:1", (0, 0, 0), 6, 3, 0.3)
    element("IfcWall", "Basic:2", (0, 5, 0), 6, 3, 0.3)
    element("IfcSlab", "S1", (0, 0, -0.3), 6, 0.3, 5.3, "BASESLAB")
    element("IfcSlab", "S2", (-0.3, -0.3, 3), 6.6, 0.3, 5.9, "ROOF")
    element("IfcDoor", "D1", (2, 0.1, 0), 1.0, 2.1, 0.06)
    element("IfcFurniture", "Object 12", (3, 2, 0), 1.0, 0.75, 0.8)
    opening = element("IfcOpeningElement", "O1", (2, -0.1, 0), 1.0, 2.1, 0.6)
    run("feature.add_feature", file, feature=opening, element=wall)
    room = element("IfcSpace", "Room", (0.3, 0.3, 0), 5.4, 2.7, 4.4)
    run("aggregate.assign_object", file, products=[room], relating_object=levels[-1])
    path = tmp_path_factory.mktemp("ifc") / "house.ifc"
    file.write(str(path))
    return iro.open_model(path)


def test_classes_are_roles_and_spaces_stay_out(house):
    roles = house.data.surfaces.groupby("name")["role"].agg(set)
    assert {name: next(iter(found)) for name, found in roles.items() if len(found) == 1} == {
        "Basic:1 IfcWall": "wall", "Basic:2 IfcWall": "wall", "S1 IfcSlab": "slab", "S2 roof": "roof", "D1 IfcDoor": "door",
        "Object 12 IfcFurniture": "furniture",
    }  # fmt: skip


def test_units_are_metres_and_openings_are_cut(house):
    low, high = house.data.mesh.bounds()
    assert np.allclose(low, (-0.3, -0.3, -0.3), atol=1e-4) and np.allclose(high, (6.3, 5.6, 3.3), atol=1e-4)
    table = house.data.surfaces
    front = table[(table["name"] == "Basic:1 IfcWall") & (table["ny"] < -0.99)]
    assert front["area_m2"].max() == pytest.approx(6 * 3 - 1.0 * 2.1, abs=1e-3)
    assert "IFC standard" in house.notes[0]


def test_true_north_is_taken(house):
    assert house.data.north == pytest.approx(330.0)


def test_a_view_of_it_is_chosen_and_shows_the_door(house):
    view = house.view(width=240, height=150).exact
    roles = view.surfaces.set_index("id")["role"]
    assert "door" in set(roles[np.unique(view.regions[view.regions > 0])])


def test_what_is_no_ifc_is_said(tmp_path):
    (tmp_path / "bad.ifc").write_text("ISO-10303-21;\nnothing\n")
    with pytest.raises(ModelError, match=r"bad\.ifc"):
        iro.open_model(tmp_path / "bad.ifc")
