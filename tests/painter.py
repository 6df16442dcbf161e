"""Viewport pictures of small scenes, drawn without the library's own tracer."""

import cv2
import numpy as np
from numba import njit
from PIL import Image

import irodori as iro
from irodori.core.camera import Camera
from irodori.core.geometry import shapes

SIZE = (800, 500)
SKY = (205, 222, 238)


def camera_at(at=(-9, -13, 1.7), to=(0.5, 2, 2.0), **how):
    return Camera.look(at, to, size=SIZE, **{"field": 60.0, **how})


def save(folder, picture, name="view.png", **how):
    """Where a picture (H, W, 3 or 4) uint8 has been saved in a folder."""
    Image.fromarray(picture).save(folder / name, **how)
    return folder / name


def opened(folder, picture, name="view.png", **how):
    """A picture as a capture opened from a file."""
    return iro.open_capture(save(folder, picture, name, quality=85), **how)


def paint(parts, camera, *, line=False, background=SKY):
    """A viewport picture of parts by casting rays at twice the size, and depth and normal.

    A part is its 8-bit colour, its triangles (T, 3, 3) and, where it is smooth and has no edges of its own, True.
    `background` is a colour or a picture of twice the size.
    """
    over = 2
    width, height = SIZE[0] * over, SIZE[1] * over
    y, x = np.mgrid[0:height, 0:width]
    origins, rays = (a.astype(float) for a in camera.rays((x.ravel() + 0.5) / over, (y.ravel() + 0.5) / over))
    best = np.full(len(rays), np.inf)
    part, face = np.full(len(rays), -1), np.zeros((len(rays), 3))
    for index, (_, triangles, *_) in enumerate(parts):
        for a, b, c in triangles:
            seen = np.array([a, b, c], float)
            if camera.projection != "parallel":
                seen = before_eye(camera, seen)
            if not len(seen):
                continue
            place, _ = camera.project(seen)
            low, high = np.floor(place.min(0) * over - 1), np.ceil(place.max(0) * over + 1)
            (x0, y0), (x1, y1) = (np.clip(corner, 0, (width, height)).astype(int) for corner in (low, high))
            cast(origins, rays, np.array([a, b, c], float), index, (x0, x1, y0, y1), width, best, part, face)
    shade = 0.62 + 0.38 * np.clip(face @ np.array([-0.35, -0.55, 0.76]), 0, 1)
    colours = np.array([p[0] for p in parts] + [SKY], float)
    image = colours[part] * np.where(part >= 0, shade, 1.0)[:, None]
    beyond = np.broadcast_to(np.asarray(background, float), (height, width, 3)).reshape(-1, 3)
    image[part < 0] = beyond[part < 0]
    smooth = np.array([len(p) > 2 and p[2] for p in parts] + [True])
    key = part * 10 + np.where(smooth[part], 0, (face @ np.array([1, 2, 3.0])).round())
    key = key.reshape(height, width)
    edge = np.zeros(key.shape, bool)
    edge[:, 1:] |= key[:, 1:] != key[:, :-1]
    edge[1:] |= key[1:] != key[:-1]
    image = image.reshape(height, width, 3)
    if line:
        image[:] = 255
    image[cv2.dilate(edge.astype(np.uint8), np.ones((2, 2), np.uint8)) > 0] = 25
    picture = cv2.resize(image, SIZE, interpolation=cv2.INTER_AREA)
    middle = slice(1, None, 2)
    return (
        np.rint(picture).astype(np.uint8), best.reshape(height, width)[middle, middle],
        face.reshape(height, width, 3)[middle, middle],
    )  # fmt: skip


def before_eye(camera, corners, nearest=0.02):
    """The corners of the part of a triangle (3, 3) that lies before the eye."""
    _, ahead = camera.project(corners)
    out = []
    for k in range(3):
        p, q, far_p, far_q = corners[k], corners[(k + 1) % 3], ahead[k], ahead[(k + 1) % 3]
        if far_p >= nearest:
            out.append(p)
        if (far_p >= nearest) != (far_q >= nearest):
            out.append(p + (q - p) * (nearest - far_p) / (far_q - far_p))
    return np.array(out)


@njit(cache=True)
def cast(origins, rays, corners, index, box, width, best, part, face):
    """Meet the rays (N, 3) of a `box` of pixels with one triangle (3, 3), where it is nearer than what they met before."""
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    nx, ny, nz = normal
    facing = normal / np.sqrt((normal * normal).sum())
    # What lies on the inner side of each edge is inside: its normal within the plane, and how far the edge is along it.
    inner = np.empty((3, 4))
    for k in range(3):
        inner[k, :3] = np.cross(normal, corners[(k + 1) % 3] - corners[k])
        inner[k, 3] = (corners[k] * inner[k, :3]).sum()
    for y in range(box[2], box[3]):
        for i in range(y * width + box[0], y * width + box[1]):
            ox, oy, oz = origins[i]
            rx, ry, rz = rays[i]
            slope = rx * nx + ry * ny + rz * nz
            if abs(slope) < 1e-12:
                slope = 1e-12
            t = ((corners[0, 0] - ox) * nx + (corners[0, 1] - oy) * ny + (corners[0, 2] - oz) * nz) / slope
            if t <= 0.05 or t >= best[i]:
                continue
            px, py, pz = ox + t * rx, oy + t * ry, oz + t * rz
            inside = True
            for k in range(3):
                inside &= px * inner[k, 0] + py * inner[k, 1] + pz * inner[k, 2] - inner[k, 3] >= -1e-9
            if inside:
                best[i], part[i] = t, index
                for k in range(3):
                    face[i, k] = -np.sign(slope) * facing[k]


def house(earth, plaster, slate, timber, pane):
    """A house with a lower wing, a door and two panes on wide ground, each part in its colour."""
    return [
        (earth, shapes.quad((-60, -60, 0), (60, -60, 0), (60, 60, 0), (-60, 60, 0))),
        (plaster, shapes.box((-5, 0, 0), (4, 7, 4.2))),
        (slate, shapes.box((4, 1.5, 0), (8, 7, 2.6))),
        (timber, shapes.box((-1.2, -0.06, 0.0), (-0.2, 0.0, 2.1))),
        (pane, shapes.box((-4.2, -0.05, 1.0), (-2.2, 0.0, 2.4))),
        (pane, shapes.box((1.0, -0.05, 1.0), (3.2, 0.0, 2.4))),
    ]


def grid_over(image, camera, step, colour=(158, 158, 158), reach=40):
    """A picture (H, W, 3) with the lines of a ground grid over all of it."""
    over = image.copy()
    for k in np.arange(-30, 31):
        for a, b in (((k * step, -reach, 0), (k * step, reach, 0)), ((-reach, k * step, 0), (reach, k * step, 0))):
            place, ahead = camera.project(np.linspace(a, b, 400))
            for p, q, front in zip(place[:-1], place[1:], (ahead[:-1] > 0.3) & (ahead[1:] > 0.3)):
                if front and (np.abs(np.concatenate([p, q])) < 4000).all():
                    ends = [tuple(np.rint(e * 16).astype(int).tolist()) for e in (p, q)]
                    cv2.line(over, *ends, colour, 1, cv2.LINE_AA, 4)
    return over


def pixel(camera, point):
    """Row and column of the pixel that shows a place (3,) m."""
    (x, y), _ = (a[0] for a in camera.project(np.array([point], float)))
    assert 0 <= x < SIZE[0] and 0 <= y < SIZE[1]
    return int(y), int(x)


def role_at(structure, camera, point):
    """What the surface at a place (3,) m of a painted scene was read as."""
    region = int(structure.regions[pixel(camera, point)])
    return "sky" if region == 0 else structure.surfaces.set_index("id").role[region]


def share_deep(read, depth):
    """Share of what is solid in both whose depth is right within a quarter, whatever its scale."""
    both = np.isfinite(depth) & (read.regions > 0)
    ratio = read.depth[both] / depth[both]
    ratio /= np.median(ratio)
    return float((np.maximum(ratio, 1 / ratio) < 1.25).mean())


def share_right(read, normal, camera):
    solid = np.abs(normal).sum(axis=2) > 0
    dot = ((read.normal @ read.camera.rotation.T) * (normal @ camera.rotation.T)).sum(axis=2)[solid]
    return float((dot > np.cos(np.radians(11.25))).mean())
