"""USD (.usd, .usda, .usdc, .usdz) as plain parts: meshes, instances, UsdPreviewSurface with textures; what is hidden or a guide stays out."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from irodori.core.errors import ModelError
from irodori.core.file_looks import CLAMP, MIRROR, REPEAT, FileLook, FileMap
from irodori.formats.model.polygons import fans
from irodori.formats.model.textures import decoded_texture

WRAPS = {"clamp": CLAMP, "black": CLAMP, "mirror": MIRROR}

PLAIN = FileLook(colour=(0.445, 0.445, 0.445))


class Placed(NamedTuple):
    """A mesh where it stands: triangles (T, 3, 3), coordinates of its corners (T, 3, 4) or None, look and opacity."""

    name: str
    triangles: np.ndarray
    uv: np.ndarray | None
    look: FileLook
    opacity: float


def read_usd(path: Path) -> list[Placed]:
    """The meshes of a stage in its own units and axes. Raises ModelError when it is damaged, or the reader is not installed."""
    from pxr import Tf, Usd, UsdGeom

    stage = _opened(path)
    looks: dict[str, tuple[FileLook, float]] = {}
    out = []
    cache = UsdGeom.XformCache()
    for prim in Usd.PrimRange(stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
        try:
            if prim.IsA(UsdGeom.Mesh) and _shown(UsdGeom.Imageable(prim)):
                out += _mesh(UsdGeom.Mesh(prim), np.array(cache.GetLocalToWorldTransform(prim)).T, looks, stage)
        except (Tf.ErrorException, RuntimeError, ValueError, IndexError, TypeError) as error:
            raise ModelError(f"'{path}' is damaged at {prim.GetPath()}: {str(error).splitlines()[0][:80]}") from None
    return out


def usd_frame(path: Path) -> tuple[str, float]:
    """Up axis and metres of a unit, as a stage says."""
    from pxr import UsdGeom

    stage = _opened(path)
    return str(UsdGeom.GetStageUpAxis(stage)).casefold(), float(UsdGeom.GetStageMetersPerUnit(stage))


def _opened(path: Path) -> Any:
    try:
        from pxr import Tf, Usd
    except ImportError:
        raise ModelError(
            'USD needs a reader that is not installed; install it with: pip install "irodori[usd]"'
        ) from None
    try:
        return Usd.Stage.Open(str(path))
    except (Tf.ErrorException, RuntimeError) as error:
        raise ModelError(f"'{path}' is damaged or not USD: {str(error).splitlines()[-1][-120:]}") from None


def _shown(thing) -> bool:
    from pxr import UsdGeom

    return thing.ComputeVisibility() != UsdGeom.Tokens.invisible and thing.ComputePurpose() in ("default", "render")


def _mesh(mesh, matrix: np.ndarray, looks: dict[str, tuple[FileLook, float]], stage) -> Iterator[Placed]:
    points = np.array(mesh.GetPointsAttr().Get() or [], float).reshape(-1, 3)
    counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], int)
    corners = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], int)
    if not len(counts) or counts.sum() != len(corners) or not len(points):
        return
    if corners.min() < 0 or corners.max() >= len(points):
        raise ValueError("a face has a corner that is not there")
    world = points @ matrix[:3, :3].T + matrix[:3, 3]
    face, at = fans(counts)
    if mesh.GetOrientationAttr().Get() == "leftHanded":
        at = at[:, ::-1]
    uv = _coordinates(mesh, corners, face, at)
    triangles = world[corners[at]]
    if np.linalg.det(matrix[:3, :3]) < 0:
        triangles = triangles[:, ::-1]
        uv = None if uv is None else uv[:, ::-1]
    for faces, material in _subsets(mesh, len(counts)):
        chosen = faces[face]
        look, opacity = _look(material, looks, stage) if material else (_display(mesh), 1.0)
        if chosen.any():
            name = " ".join(part for part in str(mesh.GetPath()).split("/")[-2:] if part)
            yield Placed(name, triangles[chosen], None if uv is None else uv[chosen], look, opacity)


def _coordinates(mesh, corners: np.ndarray, face: np.ndarray, at: np.ndarray) -> np.ndarray | None:
    """Texture coordinates (T, 3, 4) of the mesh's first set, v down."""
    from pxr import UsdGeom

    interface = UsdGeom.PrimvarsAPI(mesh)
    primvar = next((p for name in ("st", "UVMap", "st0") if (p := interface.GetPrimvar(name)) and p.HasValue()), None)
    if primvar is None:
        return None
    values = np.array(primvar.ComputeFlattened() or [], float).reshape(-1, 2)
    by = primvar.GetInterpolation()
    places = {
        "vertex": corners[at],
        "varying": corners[at],
        "faceVarying": at,
        "uniform": np.stack([face] * 3, axis=1),
    }.get(by)
    if places is None or not len(values) or places.max() >= len(values):
        return None
    found = values[places]
    return np.concatenate([found[..., :1], 1 - found[..., 1:], 0 * found], axis=-1).astype(np.float32)


def _subsets(mesh, count: int) -> Iterator[tuple[np.ndarray, Any]]:
    """Faces (F,) bool of each material, and the material or None."""
    from pxr import UsdShade

    rest = np.ones(count, bool)
    for subset in UsdShade.MaterialBindingAPI(mesh).GetMaterialBindSubsets():
        own = np.zeros(count, bool)
        own[[i for i in subset.GetIndicesAttr().Get() or [] if 0 <= i < count]] = True
        material, _ = UsdShade.MaterialBindingAPI(subset).ComputeBoundMaterial()
        rest &= ~own
        yield own, material
    material, _ = UsdShade.MaterialBindingAPI(mesh).ComputeBoundMaterial()
    yield rest, material


def _display(mesh) -> FileLook:
    """What a mesh without a material is shown as."""
    told = mesh.GetDisplayColorAttr().Get()
    return FileLook(colour=tuple(float(v) for v in told[0])) if told else PLAIN  # type: ignore[arg-type]


def _look(material, looks: dict[str, tuple[FileLook, float]], stage) -> tuple[FileLook, float]:
    key = str(material.GetPath())
    if key not in looks:
        looks[key] = _preview(material, stage)
    return looks[key]


def _preview(material, stage) -> tuple[FileLook, float]:
    """What a UsdPreviewSurface says."""
    name = material.GetPrim().GetName()
    shader, *_ = material.ComputeSurfaceSource()
    if not shader or shader.GetIdAttr().Get() != "UsdPreviewSurface":
        return FileLook(name, PLAIN.colour), 1.0
    colour, base = _input(shader, "diffuseColor", (0.18, 0.18, 0.18), stage)
    emission, _ = _input(shader, "emissiveColor", (0.0, 0.0, 0.0), stage)
    rough, _ = _input(shader, "roughness", 0.5, stage)
    metal, _ = _input(shader, "metallic", 0.0, stage)
    opacity, _ = _input(shader, "opacity", 1.0, stage)
    _, normals = _input(shader, "normal", None, stage)
    rgb = (1.0, 1.0, 1.0) if base is not None else tuple(float(v) for v in colour)
    look = FileLook(name, rgb, float(rough), float(metal), tuple(float(v) for v in emission), base, None, normals)  # type: ignore[arg-type]
    return look, float(opacity)


def _input(shader, name: str, usual: Any, stage) -> tuple[Any, FileMap | None]:
    """The value of a shader's input, and the texture that it is connected to."""
    from pxr import UsdShade

    given = shader.GetInput(name)
    if not given:
        return usual, None
    sources = given.GetConnectedSources()[0]
    if sources:
        texture = UsdShade.Shader(sources[0].source.GetPrim())
        if texture and texture.GetIdAttr().Get() == "UsdUVTexture":
            return usual, _texture(texture)
    value = given.Get()
    return (usual if value is None else value), None


def _texture(texture) -> FileMap | None:
    from pxr import Ar

    file = texture.GetInput("file")
    asset = file.Get() if file else None
    if asset is None:
        return None
    resolver = Ar.GetResolver()
    found = resolver.OpenAsset(Ar.ResolvedPath(asset.resolvedPath or asset.path))
    pixels = decoded_texture(bytes(found.GetBuffer())) if found else None
    if pixels is None:
        return None
    wrap = tuple(WRAPS.get(str(g.Get()) if (g := texture.GetInput(n)) else "", REPEAT) for n in ("wrapS", "wrapT"))
    return FileMap(pixels, wrap=wrap)  # type: ignore[arg-type]
