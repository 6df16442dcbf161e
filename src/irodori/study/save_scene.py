"""A dressed scene as a glTF binary that others can look at: surfaces under their names, finishes as metal and roughness, patterns as textures."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.errors import IrodoriError
from irodori.core.file_looks import FileLook
from irodori.core.geometry.frames import face_normals, surface_frames, unit_rows
from irodori.core.scene import Scene
from irodori.engine.surface.mean_albedo import with_mean_albedo
from irodori.engine.surface.surface_look import Places, Weather, look_at_surfaces
from irodori.engine.surface.tables import AS_FOUND, GLASS, LAMP, WATER, Tables, build_tables
from irodori.finishes import FINISHES
from irodori.finishes.registry import patterns
from irodori.finishes.slots import SLOT
from irodori.formats.atomic import whole_file
from irodori.scene.assign import all_surfaces
from irodori.scene.far_shore import PARTS as FAR_PARTS

TILE = 384
"""px of a baked texture's sides."""

UNITS, BROAD = 6, 2.4
"""Units of a pattern that a texture holds, and the m that one holds of a pattern without units."""

PANE = 0.25
"""Opacity of glass for those who do not trace rays."""

LARGEST = 6_000_000
"""Triangles beyond which a scene is no longer handed on."""


@dataclass(frozen=True)
class Saved:
    """What was written: the file, and how many surfaces, materials and textures it holds."""

    path: Path
    surfaces: int
    materials: int
    textures: int


def save_scene(scene: Scene, path: str | Path) -> Saved:
    """Write a scene as .glb (glTF 2.0, ISO/IEC 12113): what was understood of the model, in its finishes, with what was added.

    A pattern is baked into a texture that repeats after a few of its units; light, sky and horizon are not part of it. Raises
    IrodoriError for another kind of file, and for scenes too large to be handed on.
    """
    import trimesh

    path = Path(path)
    if path.suffix.lower() != ".glb":
        raise IrodoriError(f"'{path}' is no .glb file; scenes are saved as glTF binary")
    if len(scene.mesh) > LARGEST:
        raise IrodoriError(f"The scene has {len(scene.mesh):,} triangles; {LARGEST:,} are the most that are saved")
    tables = _even(scene)
    table = all_surfaces(scene.structure).set_index("id")
    own = int(max(scene.structure.surfaces["id"].max(), table.index.max())) + 1
    far = range(own, own + len(FAR_PARTS))
    out, made, textures = trimesh.Scene(), {}, 0
    order = np.argsort(scene.mesh.surface, kind="stable")
    ids, starts = np.unique(scene.mesh.surface[order], return_index=True)
    count = 0
    for surface, at in zip(ids.tolist(), np.split(order, starts[1:])):
        if surface in far or (surface < own and surface not in table.index):
            continue
        if surface in table.index:
            # What a picture shows has no names: what it was read as tells who opens the file.
            name = str(table["name"][surface]) or str(table["role"][surface])
        else:
            name = f"surroundings {scene.finish_names[tables.finish[surface]]}"
        triangles, uv = scene.mesh.triangles[at], None
        look = _brought(scene, tables, surface)
        key = (int(tables.finish[surface]), id(look) if look else tables.base[surface].tobytes())
        if key not in made:
            made[key] = _as_brought(look) if look else _material(tables, scene, surface)
            textures += look is not None or made[key][1] is not None
        material, size = made[key]
        if look is not None:
            uv = _coordinates(scene, look, at)
        elif size is not None:
            uv = _laid(triangles, float(tables.axis[surface]), size)
        _add(out, f"{name or 'surface'} #{surface}", triangles, uv, material)
        count += 1
    with whole_file(path) as temporary:
        temporary.write_bytes(out.export(file_type="glb"))
    return Saved(path, count, len(made), textures)


def _even(scene: Scene) -> Tables:
    """The tables of a scene without the small differences of tone between like surfaces: they would be a material each."""
    tables = build_tables(scene)
    rows = tables.rows[tables.finish]
    found = rows[:, SLOT["as_found"]] > 0.5
    base = np.where(found[:, None], scene.tint, rows[:, SLOT["red"] : SLOT["blue"] + 1])
    return with_mean_albedo(replace(tables, base=np.clip(base, 0.004, 0.9).round(3).astype(np.float32)))


def _brought(scene: Scene, tables: Tables, surface: int) -> FileLook | None:
    """The look of a surface that keeps a texture of its file."""
    looks = scene.mesh.looks
    if looks is None or scene.finish_names[tables.finish[surface]] != AS_FOUND:
        return None
    look = looks.look_of(surface)
    return look if look is not None and look.base is not None else None


def _as_brought(look: FileLook):
    """A material with its file's texture."""
    from PIL import Image
    from trimesh.visual.material import PBRMaterial

    assert look.base is not None
    rough = 1.0 if look.roughness is None else look.roughness
    material = PBRMaterial(
        name=look.name or AS_FOUND, baseColorFactor=_colour(np.array(look.colour)), roughnessFactor=rough,
        metallicFactor=look.metalness or 0.0, baseColorTexture=Image.fromarray(look.base.pixels[..., :3]),
    )  # fmt: skip
    return material, None


def _coordinates(scene: Scene, look: FileLook, at: np.ndarray) -> np.ndarray:
    """Texture coordinates (3 T, 2) of triangles, v up as trimesh has it, where their file puts the texture."""
    looks, base = scene.mesh.looks, look.base
    assert looks is not None and base is not None
    placed = base.placed(base.own(looks.uv[np.maximum(looks.at[at], 0)]).reshape(-1, 2).astype(float))
    return np.stack([placed[:, 0], 1 - placed[:, 1]], axis=1)


def _laid(triangles: np.ndarray, axis: float, size: float) -> np.ndarray:
    """Texture coordinates (3 T, 2) of triangles (T, 3, 3) for a texture of a `size`, m, laid along their surface's axes."""
    normals = unit_rows(face_normals(triangles.astype(float)))
    u, v = surface_frames(normals, np.full(len(normals), axis))
    along = [(triangles * way[:, None]).sum(axis=2) for way in (u, v)]
    return np.stack(along, axis=2).reshape(-1, 2) / size


def _add(out, name: str, triangles: np.ndarray, uv: np.ndarray | None, material) -> None:
    """A surface's triangles, y up as glTF has it."""
    import trimesh

    corners = triangles.reshape(-1, 3).astype(float)
    upright = np.stack([corners[:, 0], corners[:, 2], -corners[:, 1]], axis=1)
    mesh = trimesh.Trimesh(upright, np.arange(len(corners)).reshape(-1, 3), process=False)
    mesh.visual = trimesh.visual.TextureVisuals(uv=np.zeros((len(corners), 2)) if uv is None else uv, material=material)
    out.add_geometry(mesh, node_name=name, geom_name=name)


def _material(tables: Tables, scene: Scene, surface: int):
    """What a surface is made of, as trimesh writes it, and m of its texture's sides; None without one."""
    from trimesh.visual.material import PBRMaterial

    row, kind = tables.rows[tables.finish[surface]], tables.kind[surface]
    name, mean = scene.finish_names[tables.finish[surface]], tables.mean[surface]
    shown = {
        "name": name,
        "roughnessFactor": float(row[SLOT["roughness"]]),
        "metallicFactor": float(row[SLOT["metalness"]]),
    }
    if kind == GLASS:
        return PBRMaterial(**shown, baseColorFactor=_colour(mean, PANE), alphaMode="BLEND", doubleSided=True), None
    if kind == LAMP:
        return PBRMaterial(
            **shown, baseColorFactor=_colour(mean), emissiveFactor=np.clip(scene.lamps.colour[surface], 0, 1)
        ), None
    plain = patterns()[int(row[SLOT["pattern"]])].kernel is None or name == AS_FOUND
    if plain or kind == WATER or tables.loose[surface]:
        return PBRMaterial(**shown, baseColorFactor=_colour(mean), doubleSided=bool(tables.loose[surface])), None
    finish = FINISHES.get(name)
    units = np.array([row[SLOT["unit_u"]], row[SLOT["unit_v"]]]) if finish is not None else np.ones(2)
    size = float(np.clip(UNITS * units.min() * max(round(units.max() / units.min()), 1), 0.6, 2 * BROAD))
    picture = _baked(tables, surface, size)
    return PBRMaterial(**shown, baseColorFactor=[255, 255, 255, 255], baseColorTexture=picture), size


def _baked(tables: Tables, surface: int, size: float):
    """A finish over `size` × `size` m, its light left out, as a picture."""
    from PIL import Image

    step = size / TILE
    y, x = np.divmod(np.arange(TILE * TILE), TILE)
    count = TILE * TILE
    # Upright, facing +y: there u runs along −x.
    spots = np.stack([-(x + 0.5) * step, np.zeros(count), size - (y + 0.5) * step], axis=1).astype(np.float32)
    facing = np.tile(np.float32([0, 1, 0]), (count, 1))
    alone = replace(
        tables, width=np.zeros_like(tables.width), begin=np.zeros_like(tables.begin), low=np.full_like(tables.low, -50),
        high=np.full_like(tables.high, 50), loose=np.zeros_like(tables.loose),
    )  # fmt: skip
    places = Places(
        np.full(count, surface, np.int32), spots, -facing, facing, np.full(count, step, np.float32), np.zeros(count, np.float32)
    )  # fmt: skip
    albedo = look_at_surfaces(alone, places, np.float32([0, 1, 0]), 7, Weather()).albedo
    return Image.fromarray(np.rint(encode_srgb(albedo.reshape(TILE, TILE, 3)) * 255).clip(0, 255).astype(np.uint8))


def _colour(linear: np.ndarray, opacity: float = 1.0) -> list[int]:
    """A factor as trimesh takes it, linear 0 … 255."""
    return [*np.rint(np.clip(linear, 0, 1) * 255).astype(int).tolist(), round(opacity * 255)]
