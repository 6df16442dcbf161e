"""The same picture means the same: mirrored, compressed, darker or larger."""

import cv2
import numpy as np
import pytest

import irodori as iro
from irodori.demo.files import demo_path

KEPT = {"mirrored": 0.9, "JPEG": 0.9, "darker": 0.9, "larger": 0.8}
"""Share of the pixels that keep their role."""


def roles_of(path):
    read = iro.read_structure(iro.open_capture(path))
    names = np.full(int(read.regions.max(initial=0)) + 1, "sky", dtype=object)
    names[read.surfaces.id] = read.surfaces.role
    return names[read.regions]


def copied(image, how):
    """A copy, and what brings its roles back over the picture's."""
    if how == "mirrored":
        return image[:, ::-1], lambda roles: roles[:, ::-1]
    if how == "larger":
        large = cv2.resize(image, None, fx=1.5, fy=1.5, interpolation=cv2.INTER_CUBIC)
        return large, lambda roles: roles[np.ix_(*(np.arange(side) * 3 // 2 for side in image.shape[:2]))]
    tone = np.rint(image * 0.8).astype(np.uint8) if how == "darker" else image
    return tone, lambda roles: roles


@pytest.fixture(scope="module")
def known():
    path = demo_path("landing-shaded.png")
    return cv2.imread(str(path))[..., ::-1], roles_of(path)


@pytest.mark.parametrize("how", KEPT)
def test_a_copy_keeps_its_roles(known, how, tmp_path):
    image, roles = known
    copy, back = copied(image, how)
    path = tmp_path / ("copy.jpg" if how == "JPEG" else "copy.png")
    cv2.imwrite(
        str(path), np.ascontiguousarray(copy[..., ::-1]), [cv2.IMWRITE_JPEG_QUALITY, 80] if how == "JPEG" else []
    )
    assert (back(roles_of(path)) == roles).mean() > KEPT[how]
