"""Ray queries: our own tree against Embree's kernels, which know nothing of it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import irodori as iro
from irodori.engine.rays.ray_scene import RayScene, present_kernel, ray_kernel

REACH = np.float32(1e6)


def both(triangles):
    return RayScene(triangles, "embree"), RayScene(triangles, "own")


def agree(one, two, origins, directions):
    """Share of rays on which both say the same: distance within rounding, hit or none, and blocked or not."""
    (a, hit_a), (b, hit_b) = one.closest(origins, directions), two.closest(origins, directions)
    near = np.abs(a - b) <= 2e-4 * np.maximum(1, np.abs(a))
    same = ((hit_a >= 0) == (hit_b >= 0)) & (near | (hit_a < 0))
    reach = np.full(len(origins), REACH)
    return same.mean(), (one.occluded(origins, directions, reach) == two.occluded(origins, directions, reach)).mean()


@pytest.fixture(scope="module")
def scene(model):
    return model.data.mesh.triangles, both(model.data.mesh.triangles)


def test_views_and_bounces_agree(scene, view):
    _, (embree, own) = scene
    chance = np.random.default_rng(5)
    camera = view.exact.camera
    x, y = chance.uniform(0, view.size[0], 60_000), chance.uniform(0, view.size[1], 60_000)
    origins, directions = (np.ascontiguousarray(v, np.float32) for v in camera.rays(x, y))
    assert min(agree(embree, own, origins, directions)) >= 0.9999
    distance, hit = embree.closest(origins, directions)
    at = (origins + directions * distance[:, None])[hit >= 0] * np.float32(0.999) + origins[hit >= 0] * np.float32(
        0.001
    )
    way = chance.normal(size=at.shape).astype(np.float32)
    assert min(agree(embree, own, np.ascontiguousarray(at, np.float32), way)) >= 0.9999
    along = np.tile(np.float32([[0, 0, 1]]), (len(at), 1))
    assert min(agree(embree, own, np.ascontiguousarray(at, np.float32), along)) >= 0.9995


@settings(max_examples=40, deadline=None)
@given(st.integers(1, 300), st.integers(0, 2**31), st.sampled_from(["scattered", "flat", "same", "slivers", "grid"]))
def test_any_heap_of_triangles_is_found(count, seed, kind):
    chance = np.random.default_rng(seed)
    middle = chance.uniform(-5, 5, (count, 1, 3))
    if kind == "flat":
        middle[..., 2] = 0
    elif kind == "same":
        middle[:] = middle[0]
    elif kind == "grid":
        middle = np.round(middle)
    size = np.array([1.0, 1.0, 1e-4]) if kind == "slivers" else 1.0
    triangles = (middle + chance.normal(size=(count, 3, 3)) * size).astype(np.float32)
    embree, own = both(triangles)
    origins = chance.uniform(-9, 9, (200, 3)).astype(np.float32)
    directions = (middle[chance.integers(0, count, 200), 0] - origins).astype(np.float32)
    closest, occluded = agree(embree, own, origins, directions)
    assert closest >= 0.99 and occluded >= 0.99


def test_nothing_and_one_triangle():
    nothing = RayScene(np.zeros((0, 3, 3), np.float32), "own")
    up = np.float32([[0, 0, 1]])
    assert nothing.closest(up * 0, up)[1][0] == -1 and not nothing.occluded(up * 0, up, np.float32([9]))[0]
    one = RayScene(np.float32([[[-1, -1, 5], [3, -1, 5], [-1, 3, 5]]]), "own")
    distance, hit = one.closest(np.zeros((2, 3), np.float32), np.concatenate([up, -up]))
    assert distance[0] == 5 and hit.tolist() == [0, -1]
    reach = np.float32([4.9, 5.1, -1])
    assert one.occluded(np.zeros((3, 3), np.float32), np.repeat(up, 3, axis=0), reach).tolist() == [False, True, False]


def test_a_picture_by_our_own_kernel_is_the_same_picture(model, tmp_path):
    usual = iro.render(iro.dress(model.view("landing", width=240).exact, None, "noon"), "draft")
    with ray_kernel("own"):
        assert present_kernel() == "own"
        own = iro.render(iro.dress(model.view("landing", width=240).exact, None, "noon"), "draft")
    assert own.recipe.rays == "own" and usual.recipe.rays == "embree"
    assert usual.recipe.difference(own.recipe) == ["ray kernel: embree here, own there"]
    off = np.abs(own.encoded - usual.encoded).max(axis=2)
    assert np.median(off) < 1e-3 and (off > 0.05).mean() < 0.02
    again = iro.repeat(own.save(tmp_path / "a.png"))
    assert np.array_equal(again.developed, own.developed)


def test_an_unknown_kernel_is_named():
    with pytest.raises(iro.IrodoriError, match="embree"), ray_kernel("embre"):
        pass
