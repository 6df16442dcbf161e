"""The light of the engine and of the sky against closed forms and standards."""

from datetime import UTC, datetime, timedelta

import cv2
import numpy as np
import pandas as pd
import pvlib
import pytest
import trimesh
from test_engine import level, middle, quad, scene_of, uniform_light

import irodori as iro
from irodori.core.colour import encode_srgb, luminance
from irodori.core.model import ViewSpec
from irodori.core.scene import row_elevations
from irodori.engine.light.sunlight import BOTH, NONE, Sun, sun_share, sun_visibility
from irodori.engine.rays.ray_scene import RayScene
from irodori.engine.stage import SEEN, as_seen
from irodori.formats.model.parts import Part
from irodori.light.sky import clear_sky
from irodori.light.sun_position import sun_position


@pytest.mark.parametrize("rho", [0.5, 0.8])
def test_a_closed_white_room_keeps_its_light(rho):
    # Inside a sphere every place sees every other alike: bounced light is Φ ρ / (A (1 − ρ)) lx everywhere.
    ball = trimesh.creation.icosphere(subdivisions=4, radius=3.0)
    area = float(ball.area)
    room = Part("vault", "", (rho,) * 3, 1.0, np.asarray(ball.triangles)[:, ::-1])
    cube = trimesh.creation.box((0.06, 0.06, 0.06))
    lamp = Part("lamp", "", (1.0, 1.0, 1.0), 1.0, np.asarray(cube.triangles))
    light = uniform_light(1e-9)
    object.__setattr__(light, "lamp_level", 1.0)
    view = ViewSpec("in", (0.0, -2.0, 0.0), (0.0, 3.0, 0.4), field=60.0, ground=False)
    scene, structure = scene_of([room, lamp], light, view)
    picture = iro.render(scene, "review")
    lamps = scene.lamps.luminance[scene.mesh.surface]
    edges = scene.mesh.triangles[:, 1:] - scene.mesh.triangles[:, :1]
    lumens = np.pi * (lamps * np.linalg.norm(np.cross(edges[:, 0], edges[:, 1]), axis=1) / 2).sum()
    albedo = picture.layers["albedo"]
    vault = (structure.regions > 0) & (albedo[..., 0] < 0.95) & (picture.layers["lamps"].mean(axis=2) < 1e4)
    own = float(albedo[vault].mean())
    # What lands on the lamp is gone.
    lost = 6 * 0.06**2 / area
    expected = own / np.pi * lumens / area * own / (1 - own * (1 - lost))
    assert luminance(picture.layers["bounce lamps"][vault]).mean() == pytest.approx(expected, rel=0.01)


def test_form_factor_of_a_wall_beside_a_floor():
    # A point at distance d before the middle of a wall a wide and b high: the hidden share of a uniform sky is
    # F = (1/π) · (atan(w/d) − d/√(d² + b²) · atan(w/√(d² + b²))), w = a/2 (Howell, configuration factor B-4).
    half, high, away = 3.0, 4.0, 1.5
    wall = Part("wall", "", (0.0,) * 3, 1.0, quad((-half, 0, 0), (half, 0, 0), (half, 0, high), (-half, 0, high)))
    view = ViewSpec("foot", (0.0, -away - 1e-3, 3.0), (0.0, -away, 0.0), field=4.0, ground=False)
    scene, _ = scene_of([level(0.5), wall], uniform_light(1000.0), view)
    # The blackest finish still bounces a little; the sky's own layer does not hold that.
    picture = iro.render(scene, "final")
    reach = np.hypot(away, high)
    hidden = (np.arctan(half / away) - away / reach * np.arctan(half / reach)) / np.pi
    albedo = float(np.median(picture.layers["albedo"]))
    assert middle(picture, "sky") == pytest.approx(albedo * 1000.0 * (1 - hidden), rel=0.01)


def zenith_sun(cosine, **changes):
    light = {"lux": np.ones(3, np.float32), "eye": np.zeros(3, np.float32)} | changes
    return Sun(np.float32([0, 0, 1]), cosine, **light)


@pytest.mark.parametrize("height", [4.0, 20.0])
def test_penumbra_has_the_width_of_the_suns_disc(height):
    # A straight edge `height` above the ground, the sun in the zenith: the share of the disc seen is that of a
    # circular segment, over a width of 2 h tan r.
    slab = quad((0, -50, height), (50, -50, height), (50, 50, height), (0, 50, height))
    radius = np.radians(0.2666)
    half = height * np.tan(radius)
    x = np.linspace(-1.3 * half, 1.3 * half, 400)
    points = np.stack([x, np.zeros_like(x), np.zeros_like(x)], axis=1).astype(np.float32)
    up = np.tile(np.float32([0, 0, 1]), (len(x), 1))
    seen = sun_visibility(
        RayScene(slab.astype(np.float32)), points, up, np.arange(len(x), dtype=np.uint32),
        zenith_sun(float(np.cos(radius))), 512, np.full(len(x), 1e-4, np.float32),
    ) / 512  # fmt: skip
    s = np.clip(-x / half, -1, 1)
    exact = 0.5 + (s * np.sqrt(1 - s * s) + np.arcsin(s)) / np.pi

    def width(share):
        return np.interp(0.1, share[::-1], x[::-1]) - np.interp(0.9, share[::-1], x[::-1])

    assert width(seen) == pytest.approx(width(exact), rel=0.03)
    assert np.abs(seen - exact).max() < 0.03


def test_rays_are_spared_only_where_neighbours_agree():
    # A 40 × 40 px plan of ground, 5 cm a pixel, half under a slab 8 m up: a penumbra 7 cm wide.
    slab = quad((1.0, -50, 8), (50, -50, 8), (50, 50, 8), (1.0, 50, 8))
    y, x = np.divmod(np.arange(1600), 40)
    points = np.stack([x * 0.05, y * 0.05, 0 * x], axis=1).astype(np.float32)
    up, lift = np.tile(np.float32([0, 0, 1]), (1600, 1)), np.full(1600, 1e-4, np.float32)
    sun, keys = zenith_sun(float(np.cos(np.radians(0.2666)))), np.arange(1600, dtype=np.uint32)
    sides = np.ones(1600, np.int8)
    scene = RayScene(slab.astype(np.float32))
    whole = sun_visibility(scene, points, up, keys, sun, 24, lift) / 24
    asked = scene.traced
    share = sun_share(scene, points, up, keys, sun, 24, lift, sides, np.arange(1600), 40)
    assert np.allclose(share, whole, atol=1e-6)
    assert scene.traced - asked < 0.5 * asked
    # Leaves are lit from either side, the sky from none.
    sides[:800], sides[800:] = BOTH, NONE
    share = sun_share(scene, points, -up, keys, sun, 24, -lift, sides, np.arange(1600), 40)
    assert np.allclose(share[:800], whole[:800], atol=1e-6) and not share[800:].any()


def test_a_shadow_thinner_than_a_pixel_comes_out_even():
    # Straight down on ground, 5 cm a pixel, under a rod 1 cm wide: each pixel it crosses loses a fifth of its light, wherever in the
    # pixel it lies; points alone would see all or nothing.
    rod = quad((-50, -0.005, 0.5), (50, -0.005, 0.5), (50, 0.005, 0.5), (-50, 0.005, 0.5)).astype(np.float32)
    points = np.zeros((400, 3), np.float32)
    points[:, 0] = np.arange(400) * 0.05
    points[:, 1] = np.linspace(-0.02, 0.02, 400)
    up, down = np.tile(np.float32([0, 0, 1]), (400, 1)), np.tile(np.float32([0, 0, -1]), (400, 1))
    keys = (np.arange(400, dtype=np.uint32) * np.uint32(2654435761)).astype(np.uint32)
    areas = down, np.full(400, 0.05, np.float32)
    scene, lift, sun = RayScene(rod), np.full(400, 1e-4, np.float32), zenith_sun(float(np.cos(np.radians(0.01))))
    seen = sun_visibility(scene, points, up, keys, sun, 64, lift, areas=areas) / 64
    assert seen.mean() == pytest.approx(0.8, abs=0.01) and np.abs(seen - 0.8).max() < 0.08
    alone = sun_visibility(scene, points, up, keys, sun, 64, lift) / 64
    assert np.abs(alone - 0.8).max() > 0.15


def test_lamps_shadows_have_smooth_edges_at_review():
    """Under a lamp, a board over ground: against a final, whose light is worked out at every pixel."""
    board = Part("board", "", (0.4,) * 3, 1.0, quad((-0.6, 0, 0.6), (0.6, 0, 0.6), (0.6, 0.8, 0.6), (-0.6, 0.8, 0.6)))
    cube = trimesh.creation.box((0.04, 0.04, 0.04))
    cube.apply_translation((0.0, 0.3, 2.4))
    lamp = Part("lamp", "", (1.0, 1.0, 1.0), 1.0, np.asarray(cube.triangles))
    light = uniform_light(1e-9)
    object.__setattr__(light, "lamp_level", 1.0)
    view = ViewSpec("edge", (0.0, -3.0, 1.8), (0.0, 0.4, 0.0), field=45.0, ground=False)
    scene, structure = scene_of([level(0.5), board, lamp], light, view)
    review, final = (iro.render(scene, quality).layers["lamps"].mean(axis=2) for quality in ("review", "final"))
    ground = np.isfinite(structure.depth) & (np.abs(structure.normal[..., 2]) > 0.99)
    lit = np.percentile(final[ground], 90)
    edge = np.zeros_like(ground)
    edge[:, 1:-1] = np.abs(final[:, 2:] - final[:, :-2]) > 0.25 * lit
    edge &= cv2.erode(ground.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    assert edge.sum() > 30
    assert np.abs(review - final)[edge].mean() < 0.09 * lit


def test_a_lamp_is_seen_a_little_over_white():
    seen = as_seen(np.float32([[9e4, 8e4, 6e4], [3.0, 2.0, 1.0]]), 100.0)
    assert luminance(seen)[0] == pytest.approx(SEEN * 100.0, rel=1e-4) and seen[0, 0] / seen[0, 2] == pytest.approx(1.5)
    assert seen[1].tolist() == [3.0, 2.0, 1.0]


def test_what_stands_on_the_horizon_never_hides_the_sun():
    wall = quad((30, -50, 0), (30, 50, 0), (30, 50, 40), (30, -50, 40)).astype(np.float32)
    points = np.float32([[0, 0, 1], [10, 3, 1], [60, 0, 1]])
    west = np.tile(np.float32([1, 0, 0]), (3, 1))
    low = np.float32([0.98, 0, 0.19899749])
    for reach, seen in ((np.inf, [0, 0, 1]), (29.0, [1, 1, 1])):
        sun = Sun(low, 1.0, np.ones(3, np.float32), np.zeros(3, np.float32), reach)
        got = sun_visibility(
            RayScene(wall), points, west, np.arange(3, dtype=np.uint32), sun, 1, np.full(3, 1e-3, np.float32)
        )
        assert got.tolist() == seen


def test_sun_position_over_a_year_and_sixty_latitudes():
    start = datetime(2026, 1, 3, 1, 10, tzinfo=UTC)
    moments = [start + timedelta(days=15.2 * k, hours=1.7 * k) for k in range(24)]
    worst = 0.0
    for latitude in np.linspace(-88.5, 88.5, 60):
        longitude = float((latitude * 7) % 360 - 180)
        theirs = pvlib.solarposition.get_solarposition(pd.DatetimeIndex(moments), latitude, longitude)
        ours = np.array([sun_position(m, float(latitude), longitude) for m in moments])
        a, b = np.radians(ours), np.radians(theirs[["azimuth", "elevation"]].to_numpy())
        cosine = np.sin(a[:, 1]) * np.sin(b[:, 1]) + np.cos(a[:, 1]) * np.cos(b[:, 1]) * np.cos(a[:, 0] - b[:, 0])
        worst = max(worst, float(np.degrees(np.arccos(np.clip(cosine, -1, 1))).max()))
    assert worst < 0.02


def cie_clear_sky(zenith_angle, sun_angle, sun_zenith):
    """Relative luminance of the CIE standard clear sky, type 12 (CIE S 011/E:2003)."""
    a, b, c, d, e = -1.0, -0.32, 10.0, -3.0, 0.45

    def gradation(z):
        return 1 + a * np.exp(b / np.maximum(np.cos(z), 1e-3))

    def indicatrix(chi):
        return 1 + c * (np.exp(d * chi) - np.exp(d * np.pi / 2)) + e * np.cos(chi) ** 2

    return gradation(zenith_angle) * indicatrix(sun_angle) / (gradation(0.0) * indicatrix(sun_zenith))


@pytest.mark.parametrize("elevation", [20.0, 40.0, 60.0])
def test_clear_sky_against_the_cie_standard(elevation):
    dome = clear_sky(180.0, elevation, turbidity=2.45)
    rows, columns = dome.table.shape[:2]
    gamma = row_elevations(rows)
    azimuth = np.arange(columns) * 2 * np.pi / columns
    up = np.flatnonzero(gamma > np.radians(5))
    z = (np.pi / 2 - gamma[up])[:, None] + 0 * azimuth
    direction = np.stack([np.sin(z) * np.sin(azimuth), np.sin(z) * np.cos(azimuth), np.cos(z)], axis=-1)
    chi = np.arccos(np.clip(direction @ dome.sun_direction, -1, 1))
    theirs = cie_clear_sky(z, chi, np.radians(90 - elevation))
    ours = luminance(dome.table)[up]
    weight = np.gradient(gamma)[up][:, None] * np.sin(z) * (chi > np.radians(10))
    ours = ours / np.average(ours, weights=weight)
    theirs = theirs / np.average(theirs, weights=weight)
    rms = np.sqrt(np.average((ours - theirs) ** 2, weights=weight)) / np.average(theirs, weights=weight)
    assert rms < 0.15


def test_the_sky_turns_bluer_through_dusk():
    blueness = []
    for elevation in (2.0, 0.0, -2.0, -4.0, -6.0):
        table = clear_sky(290.0, elevation, turbidity=2.4).table
        middle = table.shape[0] // 2
        bands = table[-4:], table[middle + 22 :], table[middle + 2 : middle + 4]
        zenith, dome, horizon = (band.mean(axis=(0, 1)) for band in bands)
        blueness.append([zenith[2] / zenith[0], dome[2] / dome[0], horizon[2] / horizon[0]])
    assert (np.diff(blueness, axis=0) > 0).all(), blueness


@pytest.mark.parametrize("light", [("sun", 90_000.0, 2000.0), ("shade", 0.0, 4000.0)])
def test_a_grey_card_comes_out_mid_grey_in_sun_and_in_shade(light):
    _, lux, sky = light
    view = ViewSpec("card", (0.0, -3.0, 2.0), (0.0, 0.0, 0.0), field=20.0, ground=False)
    scene, _ = scene_of([level(0.18)], uniform_light(sky, sun_lux=lux, sun=(0.0, -0.5, 0.8660254)), view)
    shown = iro.render(scene, "draft").encoded
    assert shown.mean() == pytest.approx(float(encode_srgb(np.float32(0.18))), abs=0.03)


def test_a_shaded_card_beside_a_lit_one_keeps_its_distance():
    # One exposure for both: the lit card is brighter by the ratio of their light, held in by the film's shoulder.
    roof = Part("roof", "", (0.2,) * 3, 1.0, quad((-60, 0, 30), (0, 0, 30), (0, 60, 30), (-60, 60, 30)))
    view = ViewSpec("cards", (0.0, 15.0, 12.0), (0.0, 15.2, 0.0), field=60.0, ground=False)
    scene, _ = scene_of([level(0.18), roof], uniform_light(2000.0, sun_lux=60_000.0, sun=(0.0, 0.0, 1.0)), view)
    picture = iro.render(scene, "draft")
    total = picture.layers["sun"].mean(axis=2) + picture.layers["sky"].mean(axis=2)
    lit = picture.layers["sun"].mean(axis=2) > 100
    assert lit.any() and (~lit).any()
    shown = picture.encoded.mean(axis=2)
    assert shown[~lit].mean() > 0.1 and shown[lit].mean() < 0.93
    assert total[lit].mean() > 5 * total[~lit].mean() and shown[lit].mean() > shown[~lit].mean() + 0.2
