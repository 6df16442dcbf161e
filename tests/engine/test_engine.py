"""Light transport against closed forms, and the engine's promises."""

import numpy as np
import pandas as pd
import pytest

import irodori as iro
from irodori.capture.model.cut_surfaces import cut_surfaces
from irodori.capture.model.model import Model
from irodori.core.errors import Cancelled
from irodori.core.model import SURFACE_COLUMNS, ModelData, ViewSpec
from irodori.core.scene import SKY_COLUMNS, SKY_ROWS, Light, SkyDome
from irodori.demo.files import demo_path
from irodori.engine.rays.ray_scene import RayScene
from irodori.engine.surface.fresnel import fresnel_dielectric, fresnel_double_glazing
from irodori.formats.model.parts import Part
from irodori.scene.likely import LIKELY


def uniform_light(luminance=1000.0, sun_lux=0.0, sun=(0.0, 0.0, 1.0)):
    """A sky of one luminance all round, and perhaps a sun."""
    table = np.full((SKY_ROWS, SKY_COLUMNS, 3), luminance, np.float32)
    dome = SkyDome(
        table, np.array(sun, np.float32), np.full(3, sun_lux * 14000, np.float32), float(np.cos(np.radians(0.27))),
        np.full(3, sun_lux, np.float32),
    )  # fmt: skip
    return Light("uniform", dome, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, {"light": "noon"})


def quad(a, b, c, d):
    return np.array([[a, b, c], [a, c, d]], float)


def scene_of(parts, light, view):
    mesh, rows = cut_surfaces(parts)
    data = ModelData(mesh, pd.DataFrame(rows, columns=list(SURFACE_COLUMNS)), digest="test")
    structure = iro.read_structure(Model(data).view(view, width=96))
    plain = "where,finish\n" + "".join(f"role {role},as found\n" for role in LIKELY)
    return iro.dress(structure, plain, light), structure


def level(albedo=0.5, half=60.0):
    soup = quad((-half, -half, 0), (half, -half, 0), (half, half, 0), (-half, half, 0))
    return Part("floor slab", "", (albedo,) * 3, 1.0, soup)


DOWN = ViewSpec("down", (0.0, -6.0, 5.0), (0.0, 0.0, 0.0), field=40.0, ground=False)


def middle(picture, layer):
    values = picture.layers[layer]
    h, w = values.shape[:2]
    return values[h // 3 : 2 * h // 3, w // 3 : 2 * w // 3].mean()


def test_open_ground_under_a_uniform_sky():
    # E = π L, reflected radiance = ρ L.
    scene, _ = scene_of([level(0.5)], uniform_light(1000.0), DOWN)
    picture = iro.render(scene, "review")
    assert middle(picture, "sky") == pytest.approx(500.0, rel=0.04)
    assert middle(picture, "sun") == 0


def test_sun_on_level_ground_follows_the_cosine():
    sun = np.array([0.0, -0.6, 0.8])
    scene, _ = scene_of([level(0.4)], uniform_light(1e-3, sun_lux=50_000.0, sun=tuple(sun)), DOWN)
    picture = iro.render(scene, "draft")
    assert middle(picture, "sun") == pytest.approx(0.4 / np.pi * 50_000 * 0.8, rel=0.03)


def test_a_wall_halves_the_sky_beside_it():
    # An endless wall hides half the hemisphere, cosine-weighted: the form factor is (1 − cos 90°) / 2 = 1/2.
    wall = Part(
        "wall", "", (0.02,) * 3, 1.0, quad((-400, 0.05, 0), (400, 0.05, 0), (400, 0.05, 400), (-400, 0.05, 400))
    )
    view = ViewSpec("foot", (0.0, -3.0, 2.0), (0.0, -0.02, 0.0), field=3.0, ground=False)
    scene, structure = scene_of([level(0.5), wall], uniform_light(1000.0), view)
    picture = iro.render(scene, "review")
    floor = structure.surfaces.loc[structure.surfaces["name"] == "floor slab", "id"].iloc[0]
    own = structure.regions == floor
    # Soil lies in the corner: the light is asked for, not what the floor gives back.
    values = 0.5 * picture.layers["sky"][own] / picture.layers["albedo"][own]
    assert values.mean() == pytest.approx(250.0, rel=0.12)
    assert 0.33 < picture.layers["albedo"][own].mean() < 0.48


def test_closed_white_room_keeps_energy():
    # In a closed room of albedo ρ the light that is absorbed is what a lamp gives: radiance stays finite and below
    # the sum of the series, Φ / A · 1 / (1 − ρ) / π.
    rho, side = 0.6, 4.0
    h = side / 2
    corners = [(-h, -h), (h, -h), (h, h), (-h, h)]
    walls = [
        Part(f"wall {i}", "", (rho,) * 3, 1.0, quad((*a, 0), (*a, side), (*b, side), (*b, 0)))
        for i, (a, b) in enumerate(zip(corners, corners[1:] + corners[:1]))
    ]
    floor = Part("floor", "", (rho,) * 3, 1.0, quad((-h, -h, 0), (h, -h, 0), (h, h, 0), (-h, h, 0)))
    roof = Part("ceiling", "", (rho,) * 3, 1.0, quad((-h, -h, side), (-h, h, side), (h, h, side), (h, -h, side)))
    e = 0.25
    lamp = Part("lamp", "", (1.0, 1.0, 1.0), 1.0, quad((-e, -e, 3.9), (-e, e, 3.9), (e, e, 3.9), (e, -e, 3.9)))
    view = ViewSpec("in", (-1.6, -1.6, 1.7), (1.5, 1.5, 0.8), field=70.0, ground=False)
    light = uniform_light(1e-6)
    object.__setattr__(light, "lamp_level", 1.0)
    scene, _ = scene_of([*walls, floor, roof, lamp], light, view)
    picture = iro.render(scene, "review")
    lumens = float((scene.lamps.luminance * np.pi).max() * (2 * e) ** 2)
    total = sum(picture.layers[name] for name in ("lamps", "bounce lamps"))
    area = 6 * side * side
    series = lumens / area * rho / (1 - rho) / np.pi
    assert 0.5 * series < np.median(total.mean(axis=2)) < 1.5 * series


@pytest.mark.parametrize("cosine", [1.0, 0.8, 0.5, 0.2, 0.05])
def test_fresnel_against_the_textbook(cosine):
    n = 1.5
    sine = np.sqrt(1 - cosine**2) / n
    inner = np.sqrt(1 - sine**2)
    rs = ((cosine - n * inner) / (cosine + n * inner)) ** 2
    rp = ((inner - n * cosine) / (inner + n * cosine)) ** 2
    f0 = np.float32(((n - 1) / (n + 1)) ** 2)
    assert fresnel_dielectric(np.float32(cosine), f0) == pytest.approx((rs + rp) / 2, rel=1e-3)


def test_double_glazing_mirrors_about_fifteen_percent():
    # Four surfaces of 4.3 %: 1 − (1 − r)⁴ ≈ 0.16, less what bounces back through.
    assert 0.13 < fresnel_double_glazing(np.float32(1.0), np.float32(0.043)) < 0.165


def test_rays_against_brute_force(model):
    # Every ray against every triangle in double precision (Möller and Trumbore, 1997).
    mesh = model.data.mesh
    rng = np.random.default_rng(3)
    origin = np.array([0.0, -20.0, 6.0])
    directions = rng.normal(size=(40, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    distance, tri = RayScene(mesh.triangles).closest(
        np.tile(origin.astype(np.float32), (40, 1)), directions.astype(np.float32)
    )
    corner = mesh.triangles.astype(float)
    e1, e2 = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
    for i, direction in enumerate(directions):
        p = np.cross(direction, e2)
        det = (e1 * p).sum(axis=1)
        det[np.abs(det) < 1e-12] = np.nan
        t = origin - corner[:, 0]
        u = (t * p).sum(axis=1) / det
        q = np.cross(t, e1)
        v = (q @ direction) / det
        far = (e2 * q).sum(axis=1) / det
        with np.errstate(invalid="ignore"):
            hits = far[(u >= 0) & (v >= 0) & (u + v <= 1) & (far > 1e-6)]
        assert (tri[i] >= 0) == bool(len(hits))
        if len(hits):
            assert distance[i] == pytest.approx(hits.min(), rel=1e-4)


def test_same_recipe_same_pixels(view):
    structure = iro.read_structure(view)
    first, second = (
        iro.render(iro.dress(structure, demo_path("finishes.csv"), "dusk"), "draft").encoded for _ in range(2)
    )
    assert np.array_equal(first, second)


def test_another_seed_another_grain(view, model_picture):
    other = iro.render(iro.dress(iro.read_structure(view), demo_path("finishes.csv"), "dusk", seed=8), "draft")
    assert not np.array_equal(other.developed, model_picture.developed)


def test_layers_add_up_to_the_picture(model_picture):
    layers = model_picture.layers
    assert {"albedo", "sun", "sky", "lamps", "backdrop"} <= set(layers)
    total = sum(layers[name] for name in layers if name != "albedo")
    assert np.isfinite(total).all() and (total >= 0).all()
    assert layers["lamps"].max() > 0
    grey = total.mean(axis=2).ravel()
    shown = model_picture.developed.mean(axis=2).ravel()
    assert np.corrcoef(np.argsort(np.argsort(grey)), np.argsort(np.argsort(shown)))[0, 1] > 0.9


def test_progress_can_stop_the_work(view):
    scene = iro.dress(iro.read_structure(view), None, "noon")
    with pytest.raises(Cancelled):
        iro.render(scene, "draft", progress=lambda stage, fraction: stage != "Lighting")


def test_unknown_quality(view):
    with pytest.raises(iro.IrodoriError, match="draft"):
        iro.render(iro.dress(iro.read_structure(view), None, "noon"), "drft")
