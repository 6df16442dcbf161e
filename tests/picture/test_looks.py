"""Looks drawn from knowledge: in register, calibrated, the same from view to view and at any size."""

import json

import numpy as np
import pytest
from lxml import etree
from PIL import Image

import irodori as iro
from irodori.core.fragments import Fragments
from irodori.demo.files import demo_path
from irodori.picture.drawing.hatching import hatched_surfaces, hatching, split_layers
from irodori.picture.drawing.laying import cover_of
from irodori.picture.drawing.outlines import outlines
from irodori.picture.drawing.paper import caught, tooth
from irodori.picture.drawing.strokes import built
from irodori.picture.look_choice import read_look
from irodori.picture.looks import looks

DRAWN = [name for name in looks() if name != "photographic"]


@pytest.fixture(scope="module")
def day(model):
    """The landing by day from its model, large enough for pens."""
    return iro.render(iro.dress(model.view("landing", width=800).exact, None, "afternoon"), "draft")


@pytest.fixture(scope="module")
def sketch_picture():
    """A sketch, and what is rendered of it."""
    capture = iro.open_capture(demo_path("landing-sketch.png"))
    return capture, iro.render(iro.dress(iro.read_structure(capture), None, "noon"), "draft")


@pytest.mark.parametrize("name", DRAWN)
def test_each_look_is_another_picture_in_register(day, model, name):
    drawn = day.as_look(name)
    assert drawn.encoded.shape == day.encoded.shape and np.isfinite(drawn.encoded).all()
    assert 0 <= drawn.encoded.min() and drawn.encoded.max() <= 1 and drawn.encoded.std() > 0.03
    assert np.abs(drawn.encoded - day.encoded).mean() > 0.02 and drawn.recipe.look == name
    proof = iro.prove(model.view("landing", width=800), drawn)
    assert proof.edge_recall > 0.96 and proof.drift["median"] < 0.5, proof.reasons


def test_a_drawing_that_moved_is_told(day, model):
    """Outlines tell where edges lie; moved by 1.5 px they are out of register, and so is what is saved."""
    import cv2

    view = model.view("landing", width=800)
    drawn = day.as_look("pen and ink")
    still = drawn.unhatched
    assert still is not None and iro.prove(view, drawn).drift["median"] < 0.15
    moved = cv2.warpAffine(
        still,
        np.float32([[1, 0, 1.5], [0, 1, 0]]),
        still.shape[1::-1],
        flags=cv2.INTER_CUBIC,
        borderMode=cv2.BORDER_REPLICATE,
    )
    told = iro.prove(view, moved.clip(0, 1))
    assert not told.in_register and told.similarity["shift"][0] == pytest.approx(1.5, abs=0.2)
    assert np.abs(iro.prove(view, still).similarity["shift"]).max() < 0.15


def test_there_are_the_looks_that_studios_ask_for():
    assert len(DRAWN) >= 16
    assert {"pen and ink", "pencil", "watercolour", "marker", "white card model", "collage"} <= set(DRAWN)


@pytest.mark.parametrize("share", [0.08, 0.2, 0.33, 0.45])
def test_hatching_covers_the_share_that_was_asked_for(day, share):
    buffers = day.buffers
    surfaces = hatched_surfaces(buffers, built(buffers))
    cover = np.full(buffers.region.shape, share, np.float32)
    laid = cover_of(hatching(buffers, surfaces, cover, np.pi / 2, 0.9), buffers.size)
    areas = []
    for one in surfaces:
        inner = buffers.region == one.surface
        # A stroke's edge beside another surface is not of this one.
        for axis in (0, 1):
            for step in (-2, 2):
                inner &= np.roll(buffers.region, step, axis) == one.surface
        if not one.curved and inner.sum() > 4000:
            areas.append(float(laid[inner].mean()))
    assert len(areas) >= 4
    assert np.median(np.abs(np.array(areas) - share)) < 0.03 * share + 0.004
    assert abs(np.mean(areas) - share) < 0.03 * share + 0.004


def test_layers_together_are_as_dark_as_asked():
    dark = np.linspace(0, 0.9, 50, dtype=np.float32)
    left = np.prod([1 - one for one in split_layers(dark, 4)], axis=0)
    assert 1 - left == pytest.approx(dark, abs=1e-5)


def test_ink_follows_the_light(day):
    """Rank correlation, surface by surface, of what falls on a place and how light it is drawn."""
    from scipy.ndimage import uniform_filter
    from scipy.stats import spearmanr

    from irodori.picture.drawing.tone import light_greys

    drawn = day.as_look("pen and ink, looseness 0").encoded.mean(axis=2)
    buffers = day.buffers
    light = light_greys(buffers)[buffers.fragments.first()].reshape(drawn.shape)
    place = built(buffers)[buffers.region]
    ids = np.unique(buffers.region[place])
    inner = uniform_filter((buffers.border_cover == 0).astype(np.float32), 5) > 0.999
    pairs = [
        (light[own].mean(), drawn[own].mean())
        for own in ((buffers.region == i) & inner for i in ids)
        if own.sum() > 150
    ]
    assert len(pairs) > 25
    assert spearmanr(*np.array(pairs).T).statistic > 0.9


def test_outlines_lie_on_a_slanted_border():
    """A border of known place, from the share of each pixel on either side of it."""
    width, height, slope = 60, 40, 0.31
    x0 = 17.4
    pixel, region, weight = [], [], []
    for y in range(height):
        for x in range(width):
            # Share left of x = x0 + slope · y, integrated over the pixel.
            ys = y + (np.arange(50) + 0.5) / 50
            left = float(np.clip(x0 + slope * ys - x, 0, 1).mean())
            for number, share in sorted(((1, left), (2, 1 - left)), key=lambda one: -one[1]):
                if share > 0:
                    pixel.append(y * width + x)
                    region.append(number)
                    weight.append(share)
    count = len(pixel)
    region = np.array(region, np.int32)
    fragments = Fragments(
        np.array(pixel, np.int32), region, np.array(weight, np.float32), np.where(region == 1, 5.0, 9.0).astype(np.float32),
        np.tile(np.float32([0, -1, 0]), (count, 1)), np.full((count, 2), 0.5, np.float32),
    )  # fmt: skip
    paths, away = outlines(fragments, (width, height), np.zeros(3, bool))
    assert len(paths) == 1 and paths.surface[0] == 1 and away[0] == pytest.approx(5.0)
    x, y = paths.points.T
    assert np.abs(x - (x0 + slope * y)).max() < 0.08
    assert y.min() < 0.8 and y.max() > height - 0.8


def test_strokes_stay_on_their_surfaces_from_view_to_view(model):
    """Strokes of one view, moved to another 0.3 m aside, lie where that one draws its own."""
    from dataclasses import replace

    from scipy.spatial import cKDTree

    spec = next(v for v in model.views if v.name == "landing")
    aside = replace(spec, name="aside", position=(spec.position[0] + 0.3, *spec.position[1:]))
    drawn = []
    for one in (spec, aside):
        buffers = iro.render(iro.dress(model.view(one, width=800).exact, None, "afternoon"), "draft").buffers
        surfaces = hatched_surfaces(buffers, built(buffers))
        cover = np.full(buffers.region.shape, 0.3, np.float32)
        drawn.append((buffers, {s.surface: s for s in surfaces}, hatching(buffers, surfaces, cover, np.pi / 2, 0.9)))
    (first, known, paths), (second, also, others) = drawn
    errors = []
    for surface in known.keys() & also.keys():
        own, theirs = (p.take(p.surface == surface) for p in (paths, others))
        if known[surface].curved or len(own) < 12 or len(theirs) < 12:
            continue
        normal, offset = known[surface].normal, known[surface].offset
        camera = first.structure.camera
        origins, ways = camera.rays(*own.points.T.astype(float))
        reach = (offset - origins @ normal) / (ways @ normal)
        moved, _ = second.structure.camera.project(origins + ways * reach[:, None])
        width, height = second.size
        inside = (moved > 3).all(axis=1) & (moved[:, 0] < width - 3) & (moved[:, 1] < height - 3)
        moved = moved[inside]
        at = moved.astype(int)
        moved = moved[second.region[at[:, 1], at[:, 0]] == surface]
        if len(moved) < 50:
            continue
        # Along a stroke the points of both lie anywhere: only what is across counts.
        wide = own.width[0]
        assert wide > 0
        near, index = cKDTree(theirs.points).query(moved, k=2)
        a, b = theirs.points[index[:, 0]], theirs.points[index[:, 1]]
        way = b - a
        length = np.maximum(np.hypot(*way.T), 1e-6)
        across = np.abs((moved - a)[:, 0] * way[:, 1] - (moved - a)[:, 1] * way[:, 0]) / length
        errors.append(float(np.median(np.minimum(across, near[:, 0]))))
    assert len(errors) > 8
    assert np.mean(errors) < 0.5


def test_paper_catches_as_much_as_is_laid_down():
    rough = tooth((512, 512), 1.0)
    assert np.histogram(rough, 10, (0, 1))[0].std() < 0.02 * rough.size / 10
    for pressure in (0.05, 0.3, 0.7, 0.95):
        kept = caught(np.full(rough.shape, pressure, np.float32), rough, 1.0)
        assert kept.mean() == pytest.approx(pressure, abs=0.01) and 0 <= kept.min() and kept.max() <= 1
    assert kept.std() < caught(np.full(rough.shape, 0.5, np.float32), rough, 1.0).std()


def test_a_drawing_is_the_same_at_any_size_only_finer(day):
    sheet = day.as_look("pen and ink").drawing
    large = sheet.picture(3.0)
    width, height = sheet.size
    assert large.shape == (3 * height, 3 * width, 3)
    small = large.reshape(height, 3, width, 3, 3).mean(axis=(1, 3))
    assert np.abs(small - sheet.picture()).mean() < 0.02


def test_looks_mix_and_leave_parts_photographic(day):
    half = day.as_look("pencil 0.5").encoded
    full, photo = day.as_look("pencil").encoded, day.encoded
    assert np.abs(half - photo).mean() < np.abs(full - photo).mean()
    assert day.as_look("photographic").encoded is not None and np.array_equal(
        day.as_look("pencil, strength 0").encoded, photo
    )
    both = day.as_look("watercolour 0.7, pencil 0.3")
    assert both.recipe.look == "watercolour 0.7, pencil 0.3" and np.abs(both.encoded - full).mean() > 0.02
    kept = day.as_look("pen and ink, keep role roof").encoded
    fragments = day.buffers.fragments
    of_roof = np.isin(fragments.region, day.structure.of_role("roof")).astype(np.float32)
    roof = day.buffers.resolved(of_roof)[..., 0] > 0.9999
    wall = np.isin(day.buffers.region, day.structure.of_role("wall"))
    assert roof.any() and np.abs(kept - photo)[roof].max() < 1e-3 and np.abs(kept - photo)[wall].mean() > 0.05


@pytest.mark.parametrize(
    "text, told",
    [
        ("pencl", "did you mean 'pencil'"), ("pencil, looseness 3", "give 0 to 1"), ("pencil 2", "weight of 2"), ("pencil, paper plaid", "paper"),
        ("looseness 0.2", "names no look"), ("pencil, ink red", "#rrggbb"), ("pencil, pencil 0.2", "twice"), ("pencil, keep role dor", "role"),
        ("pencil, looseness", "needs a value"), ("", "names no look"),
    ],
)  # fmt: skip
def test_what_is_no_look_is_said_in_one_line(text, told):
    with pytest.raises(iro.IrodoriError, match=told) as error:
        read_look(text)
    assert "\n" not in str(error.value)


def test_words_of_a_look_come_back_the_same():
    for text in (
        "pen and ink",
        "pen and ink, looseness 0.3, line weight 1.5",
        "watercolour 0.7, pencil 0.3, paper cream, keep sky",
        "ink and one tone 0.5, ink #203a5c",
    ):
        assert read_look(text).text == text and read_look(read_look(text).text) == read_look(text)


def test_vectors_show_what_the_picture_shows(day, tmp_path):
    drawn = day.as_look("pen and ink")
    drawn.save(tmp_path / "a.svg")
    drawn.save(tmp_path / "a.pdf")
    assert (tmp_path / "a.svg").stat().st_size < 15e6
    tree = etree.parse(tmp_path / "a.svg").getroot()
    name = {"s": "http://www.w3.org/2000/svg"}
    assert (
        tree.get("width") == "420mm" and json.loads(tree.findtext("s:desc", namespaces=name))["look"] == "pen and ink"
    )
    groups = [g.get("id") for g in tree.findall("s:g", name)]
    assert {"hatching: hatching", "outlines: silhouette", "outlines: fold"} <= set(groups)
    surfaces = {g.get("data-surface") for g in tree.iterfind(".//s:g", name)} - {None}
    assert set(day.structure.surfaces["name"]) & surfaces
    import pypdfium2

    document = pypdfium2.PdfDocument(tmp_path / "a.pdf")
    page = document[0]
    assert page.get_width() == pytest.approx(420 / 25.4 * 72, abs=1)
    shown = np.asarray(page.render(scale=3200 / page.get_width()).to_pil().convert("L"), float) / 255
    page.close()
    document.close()
    raster = (
        np.asarray(
            Image.fromarray((drawn.drawing.picture(4.0).mean(axis=2) * 255).astype(np.uint8)).resize(shown.shape[::-1]),
            float,
        )
        / 255
    )
    assert abs(shown.mean() - raster.mean()) < 0.03
    blocks = [v[:1920, :3200].reshape(24, 80, 40, 80).mean(axis=(1, 3)) for v in (shown, raster)]
    assert np.corrcoef(*(b.ravel() for b in blocks))[0, 1] > 0.97
    with pytest.raises(iro.IrodoriError, match="no strokes"):
        day.save(tmp_path / "b.svg")
    assert not (tmp_path / "b.svg").exists()


def test_looks_on_the_command_line(cli, tmp_path):
    source, size = (
        demo_path("landing.glb"),
        ("--view", "landing", "--width", "200", "--quality", "draft", "--light", "noon"),
    )
    made = cli("render", source, *size, "--no-proof", "--look", "Pen and ink, looseness 0.3", "--out", "ink.png")
    assert made.returncode == 0, made.stderr
    assert json.loads(cli("recipe", "ink.png", "--json").stdout)["look"] == "pen and ink, looseness 0.3"
    assert cli("repeat", "ink.png").stdout.strip().endswith("byte for byte")
    told = cli("render", source, *size, "--brief", "as a charcoal sketch", "--explain-brief", "--json")
    assert any(row["decision"] == "look: charcoal" and row["done"] for row in json.loads(told.stdout)["brief"])
    sheet = cli("looks", source, *size, "--out", "all.png", "--json")
    assert sheet.returncode == 0 and len(json.loads(sheet.stdout)["looks"]) == len(looks())
    assert Image.open(tmp_path / "all.png").size[0] == 1920
    none = cli("render", source, *size, "--out", "plain.svg")
    assert none.returncode == 2 and "drawn look" in none.stderr and not (tmp_path / "plain.svg").exists()
    assert cli("looks", "--out", "x.png").returncode == 2


def test_a_print_is_the_same_drawing_finer(day, tmp_path):
    """A4 at 150 dpi is as wide as ISO 216 says, says so, and has the same tones everywhere."""
    drawn = day.as_look("pen and ink")
    drawn.save(tmp_path / "a4.png", print_size="A4, 150 dpi")
    large = Image.open(tmp_path / "a4.png")
    assert large.size == (1754, 1096) and large.info["dpi"][0] == pytest.approx(150, abs=0.1)
    small = np.asarray(large.convert("RGB").resize(drawn.size, Image.Resampling.BOX), float) / 255
    blocks = [v[:480].reshape(12, 40, 20, 40, 3).mean(axis=(1, 3, 4)) for v in (small, drawn.encoded)]
    assert np.abs(blocks[0] - blocks[1]).mean() < 0.02
    drawn.save(tmp_path / "a4.svg", print_size="A4")
    assert etree.parse(tmp_path / "a4.svg").getroot().get("width") == "297mm"


@pytest.mark.parametrize(
    ("size", "told"),
    [
        ("A9", "no size of a print"),
        ("A0, 3 dpi", "out of range"),
        ("9000 x 9000 mm, 600 dpi", "too large"),
        ("5 x 5 mm", "too small"),
    ],
)
def test_what_is_no_print_is_said_in_one_line(day, tmp_path, size, told):
    with pytest.raises(iro.IrodoriError, match=told):
        day.as_look("pencil").save(tmp_path / "x.png", print_size=size)
    with pytest.raises(iro.IrodoriError, match=r"drawn look|larger width"):
        day.save(tmp_path / "x.png", print_size="A4")
    assert not (tmp_path / "x.png").exists()


def test_a_sketch_keeps_its_own_strokes_where_asked(sketch_picture):
    """With its lines as drawn, a drawing of a sketch shows the sketch's ink and no outlines of its own beside it."""
    capture, picture = sketch_picture
    own = picture.with_lines("as drawn").as_look("pencil")
    assert iro.prove(capture, own).edge_recall > 0.99
    assert not any(one.name.startswith("outlines") for one in own.drawing.layers)
    assert any(one.name == "outlines" for one in picture.as_look("pencil").drawing.layers)
    ink = capture.image.mean(axis=2) < 0.1
    assert own.encoded[ink].mean() < 0.35


def test_metal_and_plaster_are_one_card_in_a_model(day):
    """What faces the same way in the sun gets the same light, whatever it is made of: the zinc roof is as white as the quay."""
    from irodori.picture.drawing.maquette import irradiance

    buffers = day.buffers
    assert buffers.matt.min() < 0.9
    light = irradiance(buffers).mean(axis=1)
    facing = buffers.fragments.normal @ buffers.sun_direction
    sunlit = (buffers.sun_seen > 0.9) & (buffers.fragments.weight > 0.99)
    metal, plain = (sunlit & place for place in (buffers.matt < 0.9, buffers.matt == 1))
    assert metal.sum() > 300 and plain.sum() > 300
    # Light from the sun grows with the cosine of its angle; the sky's share is between a tenth and a half of it.
    for group in (metal, plain):
        ratio = np.median(light[group] / facing[group])
        assert ratio == pytest.approx(np.median(light[plain] / facing[plain]), rel=0.35)


def test_water_is_painted_without_fetching_the_shore(day):
    """What water shows is bent within it: colours of the shore never get into it, and its mean tone stays."""
    from irodori.core.roles import ROLES
    from irodori.picture.drawing.masses import bent_by_waves, stepped

    buffers = day.buffers
    wet = buffers.role == ROLES.index("water")
    marked = np.where(wet, buffers.photograph.mean(axis=2), 9.0).astype(np.float32)
    bent = bent_by_waves(buffers, marked, wet)
    assert bent[wet].max() < 1.0 and (bent[~wet] == 9).all()
    assert bent[wet].mean() == pytest.approx(marked[wet].mean(), abs=0.01)
    painted = stepped(buffers.photograph, wet, 3)
    assert len(np.unique(painted[wet].dot([0.2126, 0.7152, 0.0722]).round(2))) <= 4
    assert (painted[~wet] == buffers.photograph[~wet]).all()


def test_signs_are_read_in_ink(day):
    """Letters are filled where they lie: what the ink of the sign covers is what its dark parts cover."""
    from irodori.core.roles import ROLES
    from irodori.picture.drawing.strokes import sign_layer

    buffers = day.buffers
    fragments, sign = buffers.fragments, buffers.role_of == ROLES.index("sign")
    ink = cover_of(sign_layer(buffers, (0, 0, 0)).paths, buffers.size)
    # On both signs of the landing red is darker than what it stands on.
    red = sign[fragments.region] & (buffers.albedo[:, 1] < 0.2)
    letters = buffers.resolved(red.astype(np.float32))[..., 0]
    assert letters.sum() > 200 and np.abs(ink - letters)[letters > 0.02].mean() < 0.03


def test_a_printed_model_is_seen_from_above(cli, tmp_path):
    """Models are drawn in axonometry unless a view is told; what a picture was read as can be saved, and drawn so too."""
    size = (
        "--width",
        "320",
        "--height",
        "200",
        "--quality",
        "draft",
        "--light",
        "noon",
        "--look",
        "printed model",
        "--json",
    )
    made = cli("render", demo_path("landing.glb"), *size, "--out", "above.png")
    assert made.returncode == 0, made.stderr
    recipe = json.loads(cli("recipe", "above.png", "--json").stdout)
    assert recipe["source"]["view"] == "axonometric"
    corners = np.asarray(Image.open(tmp_path / "above.png").convert("L"))[[0, -1]][:, [0, -1]]
    assert corners.min() > 200
    saved = cli("view", demo_path("landing-shaded.png"), "--save", "reading.glb")
    assert saved.returncode == 0, saved.stderr
    solids = iro.open_model(tmp_path / "reading.glb")
    assert {"roof", "wall", "glazing"} <= set(solids.data.surfaces["role"])
    camera = solids.view("axonometric", width=160).exact.camera
    assert camera.projection == "parallel" and np.degrees(np.arcsin(-camera.rotation[2, 2])) == pytest.approx(
        45, abs=0.1
    )
