"""Opening 3D models and taking captures from them."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Literal, NamedTuple

import numpy as np

from irodori.capture.model.cut_open import cut_open
from irodori.capture.model.cut_surfaces import cut_surfaces
from irodori.capture.model.draw_viewport import Style, draw_viewport
from irodori.capture.model.exact_structure import exact_structure, view_digest
from irodori.capture.model.near_origin import near_origin
from irodori.capture.model.photographer import best_views
from irodori.capture.model.settle_roles import settle_roles
from irodori.capture.model.surroundings import with_surroundings
from irodori.capture.model.trace_view import trace_view
from irodori.capture.model.views import camera_for, composed, cut_away, find_view, read_views_file, view_by_intent
from irodori.core.capture import Capture
from irodori.core.colour import decode_srgb
from irodori.core.errors import ModelError
from irodori.core.geometry.frames import corners_of, face_normals
from irodori.core.model import SURFACE_COLUMNS, Mesh, ModelData, ViewSpec
from irodori.core.recipe import FromMemory, FromModel, MassChange, ViewCamera
from irodori.core.units import METRES
from irodori.core.work.progress import Progress
from irodori.formats.model.file_frame import file_frame
from irodori.formats.model.gltf_file import FileCamera
from irodori.formats.model.ifc_file import ifc_north
from irodori.formats.model.mesh_file import read_file
from irodori.formats.model.parts import Part

if TYPE_CHECKING:
    import pandas as pd


class Model:
    """A model opened from one or several files; ask it for views.

    Attributes
    ----------
    data
        Triangles, surfaces, views and notes.
    """

    def __init__(self, data: ModelData) -> None:
        self.data = data

    @property
    def views(self) -> tuple[ViewSpec, ...]:
        """Views that came with the model."""
        return self.data.views

    @property
    def notes(self) -> tuple[str, ...]:
        """What was assumed about axes and units."""
        return self.data.notes

    @cached_property
    def _with_ground(self) -> ModelData:
        return with_surroundings(self.data)

    def massed(self, *changes: MassChange) -> Model:
        """The model with its massing changed: storeys more, another roof, a bay. Raises ModelError as `reshaped` does."""
        from irodori.capture.model.massing import reshaped

        return Model(reshaped(self.data, changes)) if changes else self

    def default_view(self, sun: float | None = None) -> ViewSpec:
        """The first camera of the file, else the view that shows best what the model is about; `sun` as for `best_views`."""
        return self.data.views[0] if self.data.views else self.best_views(1, sun)[0]

    def best_views(self, count: int = 8, sun: float | None = None) -> list[ViewSpec]:
        """The views that a photographer would take, best first: from outside, or of a room from inside; their names ask for them again.

        With `sun`, its bearing in degrees clockwise from the model's +y, views that it lights from the side are better.
        """
        kinds = ("eye level", "three-quarter", "aerial", "interior")
        out: list[ViewSpec] = []
        for one in best_views(self.data, kinds, count=count, sun=sun):
            away = np.array(one.view.position) - one.view.target
            bearing = (np.degrees(np.arctan2(away[0], away[1])) - self.data.north) % 360
            told = len(out) + 1 if one.kind == "interior" else f"{bearing:.0f}"
            out.append(replace(one.view, name=one.kind if told == 1 else f"{one.kind} {told}"))
        return out or [view_by_intent(self.data, "three-quarter 215")]

    def view(
        self,
        name: str | ViewSpec | None = None,
        *,
        width: int | None = None,
        height: int | None = None,
        ground: bool | None = None,
        style: Style = "shaded",
        compose: str | None = None,
        cutaway: bool = False,
        as_modelled: bool = False,
        progress: Progress | None = None,
    ) -> Capture:
        """Take a capture with exact passes.

        Parameters
        ----------
        name
            A view's name, an intent ("three-quarter", "elevation south", …), a `ViewSpec`, or None for the
            default view.
        width, height
            Picture size, px; one side is enough.
        ground
            Let the land go on to the horizon about the model; None follows the view.
        style
            "shaded" or "line": how the capture's picture is drawn.
        compose
            "left", "right", "low" or "high": where room for text is left, by shifting the lens.
        cutaway
            For a view of a room: what stands before it is cut away, and one looks from further off.
        as_modelled
            Plants, people and cars stay as the model has them, where a scene would put grown ones in the place of placeholders.

        Raises
        ------
        ModelError
            When no such view exists.
        """
        spec = (
            self.default_view() if name is None else name if isinstance(name, ViewSpec) else find_view(self.data, name)
        )
        if cutaway and spec.cut is None:
            spec = cut_away(self.data, spec)
        if compose is not None:
            spec = composed(spec, compose)
        shown = spec.ground if ground is None else ground
        data = self._with_ground if shown else self.data
        if spec.cut is not None:
            data = cut_open(data, spec.cut, earth=shown and spec.span is not None)
        camera = camera_for(spec, width, height)
        roles = data.surfaces.set_index("id")["role"]
        loose = np.zeros(int(data.mesh.surface.max()) + 1, bool)
        loose[roles.index[roles == "planting"].to_numpy()] = True
        traced = trace_view(data.mesh, camera, keep_samples=True, loose=loose, progress=progress)
        digest = view_digest(data, camera)
        origin = FromModel(
            files=data.sources, digest=self.data.digest, view=spec.name, camera=_kept(spec), width=camera.size[0],
            height=camera.size[1], ground=shown, north=data.north, style=style, as_modelled=as_modelled, **data.assumed,
        ) if data.sources else FromMemory(north=data.north)  # fmt: skip
        structure = exact_structure(data, camera, traced.fragments, digest=digest, origin=origin)
        encoded = draw_viewport(structure, traced.samples, style=style)
        return Capture(
            image=decode_srgb(encoded / np.float32(255)), kind="passes", digest=digest, exact=structure,
            mesh=data.mesh, source=data.sources[0] if data.sources else "", view=spec.name, notes=data.notes,
            north=data.north, origin=origin,
        )  # fmt: skip

    def __repr__(self) -> str:
        return (
            f"<Model {', '.join(self.data.sources)}: {len(self.data.mesh):,} triangles, "
            f"{len(self.data.surfaces)} surfaces, views: {', '.join(v.name for v in self.views) or 'none'}>"
        )


def open_model(
    path: str | Path | Sequence[str | Path],
    *,
    up: Literal["y", "z"] | None = None,
    unit: str | None = None,
    north: float = 0.0,
    views: str | Path | None = None,
) -> Model:
    """Open glTF/GLB, OBJ, STL, PLY, COLLADA, 3MF, IFC, DXF or USD; several files are placed in one scene.

    Parameters
    ----------
    path
        One file or several.
    up
        Up axis of the files; None detects it (glTF is y up by its standard).
    unit
        "m", "cm", "mm", "ft" or "in"; None detects it (glTF is metres by its standard).
    north
        Azimuth of the model's +y axis, degrees clockwise from true north; 0 takes what an IFC file says.
    views
        A TOML file of named views; they come before the file's own cameras.

    Raises
    ------
    ModelError
        When a file is missing, damaged, without triangles, or an option is unknown.
    """
    paths = [Path(p) for p in ([path] if isinstance(path, str | Path) else path)]
    if not paths:
        raise ModelError("No model file was given")
    if unit is not None and unit not in METRES:
        raise ModelError(f"Unknown unit '{unit}'; use {', '.join(METRES)}")
    if up not in (None, "y", "z"):
        raise ModelError(f"Unknown up axis '{up}'; use y or z")
    named = read_views_file(views) if views else []
    content = hashlib.sha256()
    for file in paths:
        if file.is_file():  # what is wrong with one is told when it is read
            content.update(file.read_bytes())
    read = _read_once(paths, up, unit, content.hexdigest())
    named = [_shifted(view, read.origin) for view in named]
    north = north or read.north
    digest = hashlib.sha256(f"{content.hexdigest()} {up} {unit} {north}".encode()).hexdigest()
    data = ModelData(
        read.mesh, read.surfaces.copy(), (*named, *read.views), read.notes, digest, tuple(str(p) for p in paths), north,
        {"up": up, "unit": unit},
    )  # fmt: skip
    return Model(data)


class _Read(NamedTuple):
    """What files hold: triangles, their surfaces, cameras, what was assumed, where the first says that north is, and the place in their
    own coordinates, m, from which ours are counted."""

    mesh: Mesh
    surfaces: pd.DataFrame
    views: tuple[ViewSpec, ...]
    notes: tuple[str, ...]
    north: float
    origin: np.ndarray


_read: OrderedDict[tuple, _Read] = OrderedDict()
"""Models read last, by their content: one that is asked for again is not read again."""

WHOLE_FILES = (".glb", ".ifc", ".3mf")
"""Files that hold all that belongs to a model; others may name files that have changed."""

KEPT = 2


def _read_once(paths: list[Path], up: str | None, unit: str | None, content: str) -> _Read:
    """What some files hold. Raises ModelError."""
    key = (tuple(map(str, paths)), up, unit, content)
    if key in _read:
        _read.move_to_end(key)
        return _read[key]
    # The file is parsed once for its north and its shapes.
    north = ifc_north(paths[0]) if paths[0].suffix.lower() == ".ifc" and paths[0].is_file() else 0.0
    parts: list[Part] = []
    specs: list[ViewSpec] = []
    notes: list[str] = []
    for file in paths:
        found, cameras = read_file(file)
        axis, scale, said = _orient(file, found, up, unit)
        notes.append(said)
        parts += [_in_world(part, axis, scale) for part in found]
        specs += [_spec(c, axis, scale) for c in cameras]
    parts, origin, said = near_origin(parts)
    notes += said
    specs = [_shifted(spec, origin) for spec in specs]
    mesh, rows = cut_surfaces(parts)
    if not rows:
        raise ModelError(f"'{paths[0]}' holds only triangles without area")
    import pandas as pd

    surfaces = pd.DataFrame(settle_roles(mesh, rows), columns=list(SURFACE_COLUMNS))
    read = _Read(mesh, surfaces, tuple(specs), tuple(notes), north, origin)
    if all(path.suffix.lower() in WHOLE_FILES for path in paths):
        _read[key] = read
        if len(_read) > KEPT:
            _read.popitem(last=False)
    return read


def _shifted(view: ViewSpec, origin: np.ndarray) -> ViewSpec:
    """A view counted from a place."""
    if not origin.any():
        return view
    position, target = (tuple((np.array(p) - origin).tolist()) for p in (view.position, view.target))
    return replace(view, position=position, target=target)


def _orient(file: Path, parts: list[Part], up: str | None, unit: str | None) -> tuple[str, float, str]:
    """Up axis, metres of a unit, and how both are known."""
    frame = file_frame(file)
    axis = up or (frame.up if frame and frame.up else _guess_up(parts))
    said = f"by the {frame.name} standard" if frame else ""
    how_up = "as given" if up else said if frame and frame.up else "guessed from its level faces; --up to change"
    corners = np.stack([corners_of(p.triangles.reshape(-1, 3)) for p in parts])
    extent = float((corners[:, 1].max(axis=0) - corners[:, 0].min(axis=0)).max())
    if unit is None and frame is not None:
        metres, name = (
            frame.metres,
            next((n for n, m in METRES.items() if np.isclose(m, frame.metres)), f"{frame.metres:g} m"),
        )
    else:
        name = unit or ("m" if extent < 300 else "cm" if extent < 3000 else "mm")
        metres = METRES[name]
    how_unit = "as given" if unit else said or "guessed from its extent; --unit to change"
    return (
        axis,
        metres,
        f"{file.name}: {axis} is up ({how_up}), unit {name} ({how_unit}), {extent * metres:.1f} m across",
    )


def _guess_up(parts: list[Part]) -> str:
    """Buildings have more level area, and are lower, along their up axis."""
    triangles = np.concatenate([p.triangles for p in parts])
    normal = face_normals(triangles)
    area = np.linalg.norm(normal, axis=1)
    level = np.abs(normal) > 0.97 * np.maximum(area, 1e-12)[:, None]
    extent = np.ptp(triangles.reshape(-1, 3), axis=0)
    score = [(level[:, i] * area).sum() / max(extent[i], 1e-9) for i in range(3)]
    return "y" if score[1] > score[2] else "z"


def _in_world(part: Part, axis: str, scale: float) -> Part:
    look = part.look
    if look is not None and look.cone is not None:
        way, angle = look.cone
        look = replace(look, cone=(tuple(_to_world(np.array(way), axis).tolist()), angle))
    return replace(part, triangles=_to_world(part.triangles, axis) * scale, look=look)


def _to_world(points: np.ndarray, axis: str) -> np.ndarray:
    if axis == "z":
        return points
    return np.stack([points[..., 0], -points[..., 2], points[..., 1]], axis=-1)


def _kept(view: ViewSpec) -> ViewCamera:
    """A view as recipes keep it."""
    numbers = ("position", "target", "up", "shift")
    points = {name: tuple(float(v) for v in getattr(view, name)) for name in numbers}
    return ViewCamera(field=view.field, span=view.span, aspect=view.aspect, cut=view.cut, **points)


def kept_view(name: str, kept: ViewCamera) -> ViewSpec:
    """The view that a recipe tells of."""
    return ViewSpec(name, **dict(kept))


def _spec(camera: FileCamera, axis: str, scale: float) -> ViewSpec:
    position = _to_world(camera.matrix[:3, 3], axis) * scale
    forward = _to_world(-camera.matrix[:3, 2], axis)
    up = _to_world(camera.matrix[:3, 1], axis)
    aspect = camera.aspect or 1.6
    span = 2 * camera.ymag * aspect * scale if camera.ymag else None
    field = np.degrees(2 * np.arctan(np.tan((camera.yfov or 0.7) / 2) * aspect))
    return ViewSpec(
        camera.name, tuple(position), tuple(position + forward * 10), field=float(field), span=span,
        aspect=float(aspect), up=tuple(up),
    )  # fmt: skip
