"""Captures of the truth scenes, drawn by VTK: an independent toolkit, so that nothing is tuned to our own drawing."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache

import cv2
import numpy as np
import vtk
from parts import Part, TruthScene
from textures import FINE, hatching, places, texture_factor
from vtk.util.numpy_support import numpy_to_vtk, vtk_to_numpy

from irodori.core.camera import Camera
from irodori.demo.pen import pen_sketch, visible_runs

KINDS = (
    "shaded",
    "clay",
    "colour",
    "messy",
    "textured",
    "bare",
    "shadowed",
    "glassy",
    "dim",
    "line",
    "inked",
    "hatched",
    "wireframe",
    "sketch",
    "pencil",
    "marker",
)
CREASE = 24.0
STYLED = ("styled", "styled messy", "styled flat", "styled line", "styled sketch")
"""Kinds drawn as different programs and hands do, another way for each scene: see `styles`."""

FELT = {"wall": (0.95, 0.9, 0.86), "roof": (0.85, 0.66, 0.6), "glazing": (0.75, 0.85, 0.93), "lawn": (0.78, 0.9, 0.7)}
"""Shares of the paper's colour that a felt pen leaves on surfaces of a role."""

FLAT_ROOFS = ("roof", "canopy", "cornice", "crown", "top", "edge", "attic", "porch", "parapet")
"""What slabs that cover a building or a place are called, by the last word."""

LIGHTS = (((-0.5, -0.8, 1.0), 0.85), ((0.9, -0.2, 0.35), 0.35), ((-0.2, 0.9, -0.3), 0.2))
"""Ways towards the viewport's lights and their powers."""

SUN = (1.0, -0.55, 0.9)
"""Way towards the first light where it casts shadows: from the side."""

DIM = (0.13, 0.145, 0.165)
"""A dark background, and what a drawing in colours lies on."""

INKS = ((255, 255, 255), (255, 230, 60), (70, 220, 240), (255, 110, 100), (120, 230, 120))
"""What the lines of such a drawing are drawn with."""

CLEAR = 0.35
"""Opacity of a viewport's glass."""
vtk.vtkObject.GlobalWarningDisplayOff()


@dataclass(frozen=True)
class Truth:
    """`surface` (H, W) int from 1, 0 = sky; `depth` (H, W) m; `normal` (H, W, 3) world; `role` (H, W) index."""

    surface: np.ndarray
    depth: np.ndarray
    normal: np.ndarray
    role: np.ndarray
    roles: list[str]
    camera: Camera


def _poly(triangles: np.ndarray) -> vtk.vtkPolyData:
    """Triangles (T, 3, 3) with shared corners, so that edges know both their faces."""
    return _welded(_corners(triangles))


def _corners(triangles: np.ndarray) -> bytes:
    return np.ascontiguousarray(triangles, np.float64).tobytes()


@lru_cache(maxsize=4096)
def _welded(corners: bytes) -> vtk.vtkPolyData:
    triangles = np.frombuffer(corners).reshape(-1, 3, 3)
    flat = np.round(triangles.reshape(-1, 3), 6)
    points, index = np.unique(flat, axis=0, return_inverse=True)
    cells = np.column_stack([np.full(len(triangles), 3), index.reshape(-1, 3)]).astype(np.int64)
    poly, held, faces = vtk.vtkPolyData(), vtk.vtkPoints(), vtk.vtkCellArray()
    held.SetData(numpy_to_vtk(points, deep=True))
    faces.ImportLegacyFormat(vtk.util.numpy_support.numpy_to_vtkIdTypeArray(cells.ravel(), deep=True))
    poly.SetPoints(held)
    poly.SetPolys(faces)
    return poly


def _window(camera: Camera, samples: int) -> tuple[vtk.vtkRenderWindow, vtk.vtkRenderer]:
    width, height = camera.size
    view = vtk.vtkCamera()
    forward, up = camera.rotation[2], -camera.rotation[1]
    view.SetPosition(*camera.position)
    view.SetFocalPoint(*(camera.position + forward * 10))
    view.SetViewUp(*up)
    cx, cy = camera.matrix[0, 2] / width, camera.matrix[1, 2] / height
    view.SetWindowCenter(1 - 2 * cx, 2 * cy - 1)
    if camera.projection == "parallel":
        view.ParallelProjectionOn()
        view.SetParallelScale(height / 2 / camera.focal)
    else:
        view.SetViewAngle(2 * np.degrees(np.arctan(height / 2 / camera.focal)))
    renderer = vtk.vtkRenderer()
    renderer.SetActiveCamera(view)
    window = vtk.vtkRenderWindow()
    window.SetOffScreenRendering(1)
    window.SetMultiSamples(samples)
    window.SetSize(width, height)
    window.AddRenderer(renderer)
    return window, renderer


def _pixels(window: vtk.vtkRenderWindow) -> np.ndarray:
    window.Render()
    grab = vtk.vtkWindowToImageFilter()
    grab.SetInput(window)
    grab.ReadFrontBufferOff()
    grab.Update()
    out = grab.GetOutput()
    width, height, _ = out.GetDimensions()
    flat = vtk_to_numpy(out.GetPointData().GetScalars())
    return np.ascontiguousarray(flat.reshape(height, width, -1)[::-1, :, :3])


def truth_of(scene: TruthScene, *, surfaces: bool = True) -> Truth:
    """What each pixel shows, from a picture of triangle numbers; without `surfaces` all that is solid is one, which is sooner told."""
    triangles = np.concatenate([p.triangles for p in scene.parts])
    part = np.repeat(np.arange(len(scene.parts)), [len(p.triangles) for p in scene.parts])
    seen = _triangles_seen(scene, triangles)
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True) + 1e-12
    surface = _surfaces(scene.parts, part) if surfaces else np.ones(len(triangles), int)
    named = np.array(["roof" if is_flat_roof(p) else p.role for p in scene.parts], object)[part]
    if "ceiling" not in named:
        # Out of doors the underside of what covers something is a soffit.
        named[np.isin(named, ("slab", "roof")) & (normals[:, 2] < -0.5)] = "soffit"
    roles = sorted(set(named))
    height, width = seen.shape
    ys, xs = np.mgrid[0:height, 0:width] + 0.5
    origin, way = (a.astype(np.float64) for a in scene.camera.rays(xs.ravel(), ys.ravel()))
    hit = seen.ravel() >= 0
    n, a = normals[seen.ravel()[hit]], triangles[seen.ravel()[hit], 0]
    depth = np.full(height * width, np.inf)
    slope = (way[hit] * n).sum(1)
    depth[hit] = ((a - origin[hit]) * n).sum(1) / np.where(np.abs(slope) < 1e-9, 1e-9, slope)
    normal = np.zeros((height * width, 3))
    normal[hit] = np.where(slope[:, None] > 0, -n, n)
    role = np.array([roles.index(name) for name in named])
    return Truth(
        np.where(seen >= 0, surface[seen], 0), depth.reshape(height, width), normal.reshape(height, width, 3),
        np.where(seen >= 0, role[seen], -1), roles, scene.camera,
    )  # fmt: skip


def _triangles_seen(scene: TruthScene, triangles: np.ndarray) -> np.ndarray:
    """Number of the triangle that each pixel (H, W) shows, -1 for none."""
    window, renderer = _window(scene.camera, 0)
    poly = _poly_soup(triangles)
    number = np.arange(1, len(triangles) + 1)
    rgb = np.stack([number & 255, (number >> 8) & 255, (number >> 16) & 255], axis=1).astype(np.uint8)
    poly.GetCellData().SetScalars(numpy_to_vtk(rgb, deep=True))
    mapper, actor = vtk.vtkPolyDataMapper(), vtk.vtkActor()
    mapper.SetInputData(poly)
    actor.SetMapper(mapper)
    actor.GetProperty().LightingOff()
    renderer.AddActor(actor)
    renderer.SetBackground(0, 0, 0)
    renderer.ResetCameraClippingRange()
    return _pixels(window).astype(np.int64) @ [1, 256, 65536] - 1


def _surfaces(parts: list[Part], part: np.ndarray) -> np.ndarray:
    """Number of the surface, from 1, that each triangle of a `part` (T,) is of."""
    import trimesh

    surface = np.zeros(len(part), int)
    top = 0
    for index, p in enumerate(parts):
        own = np.flatnonzero(part == index)
        mesh = trimesh.Trimesh(**trimesh.triangles.to_kwargs(np.round(p.triangles, 6)), process=True)
        smooth = mesh.face_adjacency_angles < np.radians(CREASE if p.smooth else 1.0)
        groups = trimesh.graph.connected_component_labels(mesh.face_adjacency[smooth], len(own))
        surface[own] = groups + top + 1
        top += groups.max() + 1
    return surface


def is_flat_roof(part: Part) -> bool:
    """Whether a slab is the roof of what is under it: nothing in a picture tells it from flat roofs that are called so."""
    return part.role == "slab" and part.name.split()[-1] in FLAT_ROOFS


def at_size(scene: TruthScene, factor: float) -> TruthScene:
    """The same scene in a window `factor` times as large."""
    width, height = (max(1, round(side * factor)) for side in scene.camera.size)
    matrix = np.diag([factor, factor, 1.0]) @ scene.camera.matrix
    return replace(scene, camera=replace(scene.camera, matrix=matrix, size=(width, height)))


def fine_truth(scene: TruthScene) -> Truth:
    """The same at `FINE` times the camera's size."""
    return truth_of(at_size(scene, FINE))


def _poly_soup(triangles: np.ndarray) -> vtk.vtkPolyData:
    poly, held, faces = vtk.vtkPolyData(), vtk.vtkPoints(), vtk.vtkCellArray()
    held.SetData(numpy_to_vtk(triangles.reshape(-1, 3), deep=True))
    cells = np.column_stack([np.full(len(triangles), 3), np.arange(3 * len(triangles)).reshape(-1, 3)])
    faces.ImportLegacyFormat(vtk.util.numpy_support.numpy_to_vtkIdTypeArray(cells.ravel().astype(np.int64), deep=True))
    poly.SetPoints(held)
    poly.SetPolys(faces)
    return poly


@lru_cache(maxsize=4096)
def _folds(corners: bytes, smooth: bool) -> vtk.vtkPolyData:
    features = vtk.vtkFeatureEdges()
    features.SetInputData(_welded(corners))
    features.SetFeatureAngle(CREASE if smooth else 2.0)
    features.ManifoldEdgesOff()
    features.NonManifoldEdgesOff()
    features.ColoringOff()
    features.Update()
    return features.GetOutput()


def _edges(triangles: np.ndarray, camera: Camera, smooth: bool) -> list[vtk.vtkPolyData]:
    found = [_folds(_corners(triangles), smooth)]
    if smooth:
        rim = vtk.vtkPolyDataSilhouette()
        rim.SetInputData(_poly(triangles))
        view = vtk.vtkCamera()
        view.SetPosition(*camera.position)
        rim.SetCamera(view)
        rim.SetEnableFeatureAngle(0)
        rim.Update()
        found.append(rim.GetOutput())
    return found


def _ink(sketch: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The paper's colour (3,) and how dark the strokes on it are, (H, W, 3)."""
    paper = np.percentile(sketch.astype(np.float32), 90, axis=(0, 1))
    return paper, np.clip(1 - sketch / paper, 0, 1)


def _in_pencil(sketch: np.ndarray) -> np.ndarray:
    """The same strokes paler, and broken up by the paper's grain."""
    paper, ink = _ink(sketch)
    grain = cv2.GaussianBlur(np.random.default_rng(5).normal(size=ink.shape[:2]).astype(np.float32), (0, 0), 0.8)
    share = np.clip(0.55 + 0.22 * grain / grain.std(), 0.12, 0.9)[..., None]
    return np.clip(paper * (1 - ink * share), 0, 255).astype(np.uint8)


def _with_marker(sketch: np.ndarray, truth: Truth) -> np.ndarray:
    """The same strokes broader, and some surfaces filled with streaky colours that pass their edges here and there."""
    paper, ink = _ink(sketch)
    broad = cv2.dilate(ink, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (3, 3)))
    out = paper * (1 - 0.92 * cv2.GaussianBlur(broad, (0, 0), 0.7))
    noise = np.random.default_rng(5).normal(size=ink.shape[:2]).astype(np.float32)
    streaks = np.clip(0.6 * cv2.GaussianBlur(noise, (0, 0), sigmaX=9, sigmaY=1), -0.06, 0.06)[..., None]
    for role, colour in FELT.items():
        if role in truth.roles:
            own = (truth.role == truth.roles.index(role)).astype(np.float32)
            own = cv2.GaussianBlur(own, (0, 0), 2.0)[..., None] > 0.5
            out = np.where(own, out * (np.array(colour) + streaks), out)
    return np.clip(out, 0, 255).astype(np.uint8)


@dataclass(frozen=True)
class Style:
    """How a program draws: colour and px of edges (None: none), the background's colours at the foot and at the top, ambient and diffuse
    light, ways towards lights with their powers, opacity and colour of panes (None: the model's own), samples a pixel, and JPEG quality
    (None: not compressed)."""

    edge: tuple[float, float, float] | None = (0.1, 0.1, 0.1)
    width: float = 1.0
    background: tuple[tuple[float, float, float], tuple[float, float, float]] = ((0.80, 0.87, 0.93), (0.80, 0.87, 0.93))
    light: tuple[float, float] = (0.35, 0.7)
    lights: tuple = LIGHTS
    clear: float = 1.0
    panes: tuple[float, float, float] | None = None
    samples: int = 8
    quality: int | None = None


def draw(scene: TruthScene, kind: str, truth: Truth) -> np.ndarray:
    """A capture (H, W, 3) uint8 sRGB of one of `KINDS` or `STYLED`."""
    if kind in STYLED:
        from styles import draw_styled

        return draw_styled(scene, kind, truth)
    return draw_in(scene, kind, truth, None)


def draw_in(scene: TruthScene, kind: str, truth: Truth, style: Style | None) -> np.ndarray:
    """The same in a `style` of drawing, or in the usual one."""
    if kind in ("sketch", "pencil", "marker"):
        sketch = pen_sketch(visible_runs(_all_edges(scene), scene.camera, truth.depth), scene.camera.size)
        return sketch if kind == "sketch" else _in_pencil(sketch) if kind == "pencil" else _with_marker(sketch, truth)
    usual, style = style is None, style or Style()
    window, renderer = _window(scene.camera, style.samples)
    lines = kind in ("line", "inked", "hatched", "wireframe")
    textured = kind in ("textured", "bare")  # with and without drawn edges
    shaded = kind in ("shaded", "messy", "clay", "shadowed", "glassy", "dim") or textured
    for part in scene.parts:
        poly = _poly(part.triangles)
        normals = vtk.vtkPolyDataNormals()
        normals.SetInputData(poly)
        normals.SetFeatureAngle(CREASE)
        normals.SplittingOn()
        normals.ConsistencyOff()
        mapper, actor = vtk.vtkPolyDataMapper(), vtk.vtkActor()
        mapper.SetInputConnection(normals.GetOutputPort())
        mapper.SetResolveCoincidentTopologyToPolygonOffset()
        mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(1.0, 1.0)
        actor.SetMapper(mapper)
        look = actor.GetProperty()
        colour = (0.86, 0.86, 0.86) if kind == "clay" else (1, 1, 1) if lines else np.array(part.colour) / 255
        look.SetColor(*colour)
        if part.smooth:
            look.SetInterpolationToPhong()
        else:
            look.SetInterpolationToFlat()
        if not shaded:
            look.LightingOff()
        if kind == "glassy" and part.role == "glazing":
            look.SetOpacity(CLEAR)
        if part.role == "glazing" and not lines:
            look.SetOpacity(min(look.GetOpacity(), style.clear))
            if style.panes is not None:
                look.SetColor(*style.panes)
        look.SetAmbient(style.light[0])
        look.SetDiffuse(style.light[1])
        if kind != "wireframe":
            renderer.AddActor(actor)
        if kind in ("colour", "bare") or style.edge is None:
            continue
        for edges in _edges(part.triangles, scene.camera, part.smooth):
            edge, drawn = vtk.vtkPolyDataMapper(), vtk.vtkActor()
            edge.SetInputData(edges)
            edge.ScalarVisibilityOff()
            edge.SetRelativeCoincidentTopologyLineOffsetParameters(-0.5, -2.0)
            edge.SetResolveCoincidentTopologyToPolygonOffset()
            drawn.SetMapper(edge)
            drawn.GetProperty().SetColor(*(style.edge if kind != "clay" else (0.45, 0.45, 0.45)))
            drawn.GetProperty().SetLineWidth(1.6 if lines and usual else style.width)
            drawn.GetProperty().LightingOff()
            renderer.AddActor(drawn)
    if shaded:
        renderer.RemoveAllLights()
        renderer.AutomaticLightCreationOff()
        for way, power in [(SUN, LIGHTS[0][1]), *LIGHTS[1:]] if kind == "shadowed" else style.lights:
            light = vtk.vtkLight()
            light.SetLightTypeToSceneLight()
            light.SetPositional(False)
            light.SetPosition(*(np.array(way) * 100))
            light.SetFocalPoint(0, 0, 0)
            light.SetIntensity(power)
            renderer.AddLight(light)
    if kind == "messy":
        _overlays(renderer, scene)
        cube = _turned_cube(window)
        renderer.GradientBackgroundOn()
        renderer.SetBackground(0.93, 0.95, 0.97)
        renderer.SetBackground2(0.66, 0.76, 0.88)
    elif not usual:
        renderer.GradientBackgroundOn()
        renderer.SetBackground(*style.background[0])
        renderer.SetBackground2(*style.background[1])
    elif lines:
        renderer.SetBackground(1, 1, 1)
    elif kind == "clay":
        renderer.SetBackground(0.97, 0.97, 0.97)
    elif kind == "dim":
        renderer.SetBackground(*DIM)
    else:
        renderer.SetBackground(0.80, 0.87, 0.93)
    renderer.ResetCameraClippingRange()
    if kind == "messy":
        cube.EnabledOn()
    if kind == "glassy" or style.clear < 1:
        window.SetMultiSamples(0)  # layers are peeled from each other at whole pixels only
        window.AlphaBitPlanesOn()
        renderer.SetUseDepthPeeling(1)
        renderer.UseFXAAOn()
    image = _pixels(window)
    if kind == "shadowed":
        renderer.GetLights().GetItemAsObject(0).SwitchOff()
        dark = shadows(scene, fine_truth(scene))[..., None]
        image = (image * (1 - dark) + _pixels(window) * dark + 0.5).astype(np.uint8)
    if kind == "hatched":
        image = np.clip(image * (1 - 0.75 * hatching(scene.camera, fine_truth(scene)))[..., None], 0, 255).astype(
            np.uint8
        )
    if kind == "inked":
        image = _in_colours(image, truth)
    if textured:
        image = np.clip(image * texture_factor(scene.camera, fine_truth(scene)), 0, 255).astype(np.uint8)
    if kind == "messy":
        image = _with_pointer(_with_handles(image, scene), scene)
    if kind == "messy" or style.quality is not None:
        _, data = cv2.imencode(".jpg", image[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, style.quality or 93])
        image = np.ascontiguousarray(cv2.imdecode(data, cv2.IMREAD_COLOR)[..., ::-1])
    return image


def _in_colours(image: np.ndarray, truth: Truth) -> np.ndarray:
    """A black drawing (H, W, 3) as one of coloured lines on a dark ground, each in the ink of the surface it lies on."""
    ink = (255.0 - image[..., :1]) / 255
    colour = np.array(INKS, float)[truth.surface % len(INKS)]
    return np.rint(np.array(DIM) * 255 * (1 - ink) + colour * ink).astype(np.uint8)


def shadows(scene: TruthScene, fine: Truth) -> np.ndarray:
    """Share of each pixel (H, W) that the viewport's sun does not reach although it faces it."""
    import trimesh

    sun = np.array(SUN) / np.linalg.norm(SUN)
    normal = fine.normal.reshape(-1, 3)
    faces = np.flatnonzero((normal @ sun > 0.02) & np.isfinite(fine.depth.ravel()))
    place = places(fine).reshape(-1, 3)[faces] + 2e-3 * normal[faces]
    triangles = np.concatenate([p.triangles for p in scene.parts])
    solid = trimesh.Trimesh(**trimesh.triangles.to_kwargs(triangles), process=False)
    dark = np.zeros(fine.depth.size, np.float32)
    dark[faces] = solid.ray.intersects_any(place, np.broadcast_to(sun, place.shape))
    return cv2.resize(dark.reshape(fine.depth.shape), scene.camera.size, interpolation=cv2.INTER_AREA)


def _turned_cube(window: vtk.vtkRenderWindow) -> vtk.vtkOrientationMarkerWidget:
    """A small cube in the upper right corner, turned as the view is."""
    cube, widget, hands = vtk.vtkAnnotatedCubeActor(), vtk.vtkOrientationMarkerWidget(), vtk.vtkRenderWindowInteractor()
    hands.SetRenderWindow(window)
    widget.SetOrientationMarker(cube)
    widget.SetInteractor(hands)
    widget.SetViewport(0.9, 0.84, 0.99, 0.99)
    return widget


def _line_actor(a, b, colour, width) -> vtk.vtkActor:
    source, mapper, actor = vtk.vtkLineSource(), vtk.vtkPolyDataMapper(), vtk.vtkActor()
    source.SetPoint1(*a)
    source.SetPoint2(*b)
    mapper.SetInputConnection(source.GetOutputPort())
    actor.SetMapper(mapper)
    actor.GetProperty().SetColor(*colour)
    actor.GetProperty().SetLineWidth(width)
    actor.GetProperty().LightingOff()
    return actor


def _overlays(renderer: vtk.vtkRenderer, scene: TruthScene) -> None:
    """Ground grid, axes and the outline of one selected part."""
    for i in range(-20, 21):
        for a, b in (((i * 2.0, -40, 0.004), (i * 2.0, 40, 0.004)), ((-40, i * 2.0, 0.004), (40, i * 2.0, 0.004))):
            renderer.AddActor(_line_actor(a, b, (0.62, 0.62, 0.62), 1.0))
    for end, colour in (((40, 0, 0.008), (0.9, 0.15, 0.15)), ((0, 40, 0.008), (0.15, 0.75, 0.15)), ((0, 0, 40), (0.15, 0.25, 0.9))):  # fmt: skip
        renderer.AddActor(_line_actor((0, 0, 0.008), end, colour, 1.5))
    chosen = _selected(scene)
    for lines in _edges(chosen.triangles, scene.camera, chosen.smooth):
        mapper, actor = vtk.vtkPolyDataMapper(), vtk.vtkActor()
        mapper.SetInputData(lines)
        actor.SetMapper(mapper)
        actor.GetProperty().SetColor(1.0, 0.55, 0.05)
        actor.GetProperty().SetLineWidth(3.0)
        actor.GetProperty().LightingOff()
        renderer.AddActor(actor)


def _selected(scene: TruthScene) -> Part:
    parts = [p for p in scene.parts if p.role in ("wall", "furniture")] or scene.parts
    return max(parts, key=lambda p: np.ptp(p.triangles[..., 2]))


def _with_handles(image: np.ndarray, scene: TruthScene) -> np.ndarray:
    """Squares at the corners of the selected part's box by which it is dragged."""
    low, high = _selected(scene).triangles.min(axis=(0, 1)), _selected(scene).triangles.max(axis=(0, 1))
    corners = np.array([[(low, high)[i >> k & 1][k] for k in range(3)] for i in range(8)])
    places, depth = scene.camera.project(corners)
    out = image.copy()
    for (x, y), d in zip(np.rint(places).astype(int), depth):
        if d > 0:
            cv2.rectangle(out, (x - 4, y - 4), (x + 4, y + 4), (255, 140, 13), -1)
    return out


def _with_pointer(image: np.ndarray, scene: TruthScene) -> np.ndarray:
    """A mouse pointer somewhere over the model."""
    arrow = np.array([(0, 0), (0, 17), (4, 13), (7, 20), (9, 19), (6, 12), (12, 12)])
    width, height = scene.camera.size
    place = np.array([0.4, 0.55]) * (width, height)
    out = np.ascontiguousarray(image)
    outline = np.rint((arrow * 1.1 + place) * 16).astype(np.int32)
    cv2.fillPoly(out, [outline], (255, 255, 255), cv2.LINE_AA, 4)
    cv2.polylines(out, [outline], True, (0, 0, 0), 1, cv2.LINE_AA, 4)
    return out


def _all_edges(scene: TruthScene) -> np.ndarray:
    """All edges of a scene, (E, 2, 3) m."""
    pieces = []
    for part in scene.parts:
        for lines in _edges(part.triangles, scene.camera, part.smooth):
            if lines.GetNumberOfCells() == 0:
                continue
            points = vtk_to_numpy(lines.GetPoints().GetData())
            ids = vtk.vtkIdList()
            for cell in range(lines.GetNumberOfCells()):
                lines.GetCellPoints(cell, ids)
                held = points[[ids.GetId(k) for k in range(ids.GetNumberOfIds())]]
                pieces += zip(held[:-1], held[1:])
    return np.array(pieces)
