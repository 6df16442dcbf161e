"""Models drawn after everything was made for the others, with the role that each object was meant to have: what names and geometry tell
of them is measured by the area that a view shows.

    python benchmarks/models/newcomers.py            roles right by visible area, worst first
    python benchmarks/models/newcomers.py FOLDER     writes the models
"""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import trimesh
from PIL import Image

sys.path.insert(0, str(Path(__file__).parent))
from make_models import BLUE, DARK, GLASS, GREEN, GREY, RED, SAND, WHITE, WOOD, Kit

import irodori as iro

ALIKE = (
    {"paving", "floor", "slab"}, {"wall", "slab", "column"}, {"ground", "lawn"}, {"roof", "slab"}, {"frame", "wall"}, {"soffit", "ceiling", "roof"},
    {"furniture", "fabric"}, {"other", "furniture"}, {"stair", "paving"},
)  # fmt: skip
"""Roles between which nobody sees a difference."""


class Labelled(Kit):
    """A kit whose objects say what they are meant to be."""

    def __init__(self) -> None:
        super().__init__()
        self.roles: dict[str, str] = {}

    def put(self, role: str, name: str, low, high, colour, material: str = "", alpha: float = 1.0) -> None:
        self.roles[name] = role
        self.box(name, low, high, colour, material, alpha)

    def turned(self, role: str, name: str, mesh: trimesh.Trimesh, colour, material: str = "") -> None:
        self.roles[name] = role
        self.add(name, mesh, colour, material)


def schule() -> Labelled:
    """A German school of two storeys, 4,400 km from the origin, as surveyors count."""
    kit = Labelled()
    kit.put("paving", "Pausenhof Pflaster", (-8, -16, -0.2), (38, 0, 0), GREY)
    kit.put("lawn", "Rasenflaeche", (-30, -16, -0.2), (-8, 30, 0), GREEN)
    kit.put("wall", "Sockel", (0, 0, 0), (30, 12, 0.5), GREY, "Sichtbeton")
    for storey, z in enumerate((0.5, 4.1)):
        kit.put("wall", f"Bruestung {storey}", (0, 0, z), (30, 0.3, z + 0.9), WHITE, "Putz")
        kit.put("wall", f"Sturz {storey}", (0, 0, z + 2.8), (30, 0.3, z + 3.6), WHITE, "Putz")
        kit.put("wall", f"Rueckwand {storey}", (0, 11.7, z), (30, 12, z + 3.6), WHITE, "Putz")
        kit.put("wall", f"Giebelwand West {storey}", (0, 0.3, z), (0.3, 11.7, z + 3.6), RED, "Klinker")
        kit.put("wall", f"Giebelwand Ost {storey}", (29.7, 0.3, z), (30, 11.7, z + 3.6), RED, "Klinker")
        for i in range(8):
            x = 0.4 + 3.7 * i
            if storey == 0 and i == 3:
                kit.put("door", "Eingangstuer", (x, 0.1, z), (x + 3.0, 0.2, z + 2.8), WOOD, "Eiche")
                continue
            kit.put(
                "glazing",
                f"Fenster {storey}.{i:02d}",
                (x, 0.12, z + 0.9),
                (x + 3.0, 0.15, z + 2.8),
                GLASS,
                "Isolierglas",
                0.35,
            )
            kit.put("wall", f"Pfeiler {storey}.{i:02d}", (x + 3.0, 0, z + 0.9), (x + 3.7, 0.3, z + 2.8), WHITE, "Putz")
    kit.put("roof", "Flachdach Kies", (0, 0, 7.7), (30, 12, 8.0), GREY)
    kit.put("roof", "Attika", (-0.1, -0.1, 7.7), (30.1, 0.15, 8.4), DARK, "Blech")
    kit.put("wall", "Technikaufbau", (20, 4, 8.0), (25, 8, 10.2), GREY, "Trapezblech")
    kit.put("roof", "Vordach", (10, -2.5, 3.4), (16, 0, 3.6), DARK)
    for x in (10.2, 15.8):
        kit.put("column", f"Stuetze {x:.0f}", (x - 0.1, -2.4, 0), (x + 0.1, -2.2, 3.4), DARK, "Stahl")
    for i in range(3):
        kit.put("stair", f"Stufe {i}", (10.5, -1.2 - 0.3 * i, 0), (15.5, -0.3 * i, 0.5 - 0.16 * i), GREY)
    kit.put("railing", "Gelaender", (10.3, -1.8, 0.5), (10.35, 0, 1.5), DARK, "Stahl")
    for i, x in enumerate((-5, 34)):
        crown = trimesh.creation.icosphere(2, 2.4)
        crown.apply_translation((x, -6, 5.0))
        kit.turned("planting", f"Linde {i} Krone", crown, GREEN, "Laub")
        kit.turned(
            "planting",
            f"Linde {i} Stamm",
            trimesh.creation.cylinder(0.2, 3, transform=trimesh.transformations.translation_matrix((x, -6, 1.5))),
            WOOD,
            "Rinde",
        )
    kit.scene.apply_transform(trimesh.transformations.translation_matrix((4_400_000.0, 0, -5_300_000.0)))
    return kit


def _picture(seed: int, colour, course: int) -> Image.Image:
    """A texture of courses with pale joints."""
    rng = np.random.default_rng(seed)
    pixels = np.full((256, 256, 3), 205, np.uint8)
    for row in range(0, 256, course):
        shift = (row // course % 2) * course
        for column in range(-course, 256, 2 * course):
            tone = np.array(colour) * 255 + rng.normal(0, 14)
            pixels[row + 2 : row + course, max(column + shift + 2, 0) : column + shift + 2 * course] = tone.clip(0, 255)
    return Image.fromarray(pixels)


def maison() -> Labelled:
    """A French house with pictures of brick and tiles on its walls and roof."""
    kit = Labelled()
    brick, tiles = _picture(1, (0.6, 0.32, 0.24), 16), _picture(2, (0.5, 0.3, 0.25), 32)

    def textured(role: str, name: str, points, picture: Image.Image, across: float) -> None:
        points = np.array(points, float)
        side, up = points[1] - points[0], points[-1] - points[0]
        u, v = side / np.linalg.norm(side), up / np.linalg.norm(up)
        uv = np.stack([(points - points[0]) @ u, (points - points[0]) @ v], axis=1) / across
        faces = [(0, i, i + 1) for i in range(1, len(points) - 1)]
        mesh = trimesh.Trimesh(points, faces, process=False)
        mesh.apply_transform(trimesh.transformations.rotation_matrix(-np.pi / 2, (1, 0, 0)))
        made = trimesh.visual.material.PBRMaterial(
            name=name, baseColorTexture=picture, metallicFactor=0.0, roughnessFactor=0.9
        )
        mesh.visual = trimesh.visual.TextureVisuals(uv=uv, material=made)
        kit.roles[name] = role
        kit.scene.add_geometry(mesh, node_name=name, geom_name=name)

    kit.put("lawn", "gazon", (-12, -12, -0.2), (22, 18, 0), GREEN)
    kit.put("paving", "allee pavee", (3.6, -12, -0.19), (5.4, 0, 0.02), SAND)
    x, holes = 0.0, [(1.0, 2.4, 0.9), (4.0, 5.0, 0.0), (6.6, 8.0, 0.9)]
    for number, (a, b, sill) in enumerate(holes):
        textured("wall", f"mur facade {number}", [(x, 0, 0), (a, 0, 0), (a, 0, 3), (x, 0, 3)], brick, 1.2)
        textured("wall", f"linteau {number}", [(a, 0, 2.2), (b, 0, 2.2), (b, 0, 3), (a, 0, 3)], brick, 1.2)
        if sill:
            textured("wall", f"allege {number}", [(a, 0, 0), (b, 0, 0), (b, 0, sill), (a, 0, sill)], brick, 1.2)
            kit.put("glazing", f"fenetre vitree {number}", (a, 0.1, sill), (b, 0.12, 2.2), GLASS, "verre", 0.3)
            kit.put("door", f"volet {number}", (a - 0.5, -0.06, sill), (a, 0, 2.2), BLUE, "bois peint")
        else:
            kit.put("door", "porte d'entree", (a, 0.06, 0), (b, 0.12, 2.2), WOOD, "chene")
        x = b
    textured("wall", "mur facade 9", [(x, 0, 0), (9, 0, 0), (9, 0, 3), (x, 0, 3)], brick, 1.2)
    textured("wall", "mur pignon droit", [(9, 0, 0), (9, 7, 0), (9, 7, 3), (9, 3.5, 5.4), (9, 0, 3)], brick, 1.2)
    textured("wall", "mur pignon gauche", [(0, 7, 0), (0, 0, 0), (0, 0, 3), (0, 3.5, 5.4), (0, 7, 3)], brick, 1.2)
    textured("wall", "mur arriere", [(9, 7, 0), (0, 7, 0), (0, 7, 3), (9, 7, 3)], brick, 1.2)
    textured(
        "roof", "toiture sud", [(-0.4, -0.5, 2.7), (9.4, -0.5, 2.7), (9.4, 3.5, 5.5), (-0.4, 3.5, 5.5)], tiles, 2.0
    )
    textured("roof", "toiture nord", [(9.4, 7.5, 2.7), (-0.4, 7.5, 2.7), (-0.4, 3.5, 5.5), (9.4, 3.5, 5.5)], tiles, 2.0)
    kit.put("roof", "souche cheminee", (6.5, 3.0, 4.4), (7.2, 3.8, 6.4), RED)
    kit.put("wall", "muret", (-12, -12, 0), (3.4, -11.7, 0.8), SAND, "pierre")
    cone = trimesh.creation.cone(0.8, 6.0)
    cone.apply_translation((12, 2, 0))
    kit.turned("planting", "cypres", cone, GREEN)
    return kit


def plaza() -> Labelled:
    """A Spanish library on its square, with boxes for people and a car."""
    kit = Labelled()
    kit.put("paving", "pavimento plaza", (-20, -24, -0.2), (30, 14, 0), SAND)
    kit.put("wall", "fachada lateral oeste", (0, 0, 0), (0.3, 10, 6.4), WHITE, "hormigon")
    kit.put("wall", "fachada lateral este", (17.7, 0, 0), (18, 10, 6.4), WHITE, "hormigon")
    kit.put("wall", "fachada trasera", (0, 9.7, 0), (18, 10, 6.4), WHITE, "hormigon")
    kit.put("wall", "fachada dintel", (0, 0, 4.6), (18, 0.3, 6.4), WHITE, "hormigon")
    for i in range(6):
        x = 0.3 + 2.9 * i
        kit.put(
            "door" if i == 2 else "glazing",
            "puerta principal" if i == 2 else f"ventanal {i}",
            (x, 0.1, 0),
            (x + 2.7, 0.14, 4.6),
            WOOD if i == 2 else GLASS,
            "madera" if i == 2 else "vidrio",
            1.0 if i == 2 else 0.3,
        )
        kit.put("column", f"pilar {i}", (x + 2.7, 0, 0), (x + 2.9, 0.3, 4.6), GREY, "acero")
    kit.put("roof", "cubierta", (-0.8, -1.6, 6.4), (18.8, 10.5, 6.8), DARK, "zinc")
    kit.put("sign", "rotulo biblioteca", (6, -0.1, 5.1), (12, 0, 5.9), BLUE)
    for i, (x, y) in enumerate([(4, -6), (5, -6.4), (11, -4), (-4, -9)]):
        kit.put("person", f"persona {i}", (x, y, 0), (x + 0.5, y + 0.3, 1.72), RED)
    kit.put("vehicle", "coche aparcado", (22, -14, 0.1), (26.3, -12.2, 1.5), BLUE)
    for i, (x, y) in enumerate([(-8, -5), (-8, -15), (24, -4)]):
        kit.tree(f"arbol {i}", x, y, 6.0, " copa", " tronco")
        kit.roles |= {f"arbol {i} copa": "planting", f"arbol {i} tronco": "planting"}
    kit.put("furniture", "banco", (-3, -4, 0), (-1, -3.5, 0.45), WOOD)
    kit.put("lamp", "farola cabeza", (14, -8, 4.0), (14.4, -7.6, 4.3), WHITE)
    kit.put("lamp", "farola poste", (14.15, -7.85, 0), (14.25, -7.75, 4.0), DARK)
    return kit


def negozio() -> Labelled:
    """An Italian shop from inside."""
    kit = Labelled()
    kit.put("floor", "pavimento", (0, 0, -0.1), (8, 6, 0), SAND, "gres")
    kit.put("ceiling", "soffitto", (0, 0, 3.1), (8, 6, 3.2), WHITE, "intonaco")
    kit.put("wall", "parete nord", (0, 6, 0), (8, 6.2, 3.1), WHITE, "intonaco")
    kit.put("wall", "parete ovest", (-0.2, 0, 0), (0, 6, 3.1), WHITE, "intonaco")
    kit.put("wall", "parete est", (8, 0, 0), (8.2, 6, 3.1), RED, "intonaco rosso")
    kit.put("wall", "parete sud sinistra", (0, -0.2, 0), (1, 0, 3.1), WHITE, "intonaco")
    kit.put("wall", "parete sud destra", (7, -0.2, 0), (8, 0, 3.1), WHITE, "intonaco")
    kit.put("wall", "architrave", (1, -0.2, 2.6), (7, 0, 3.1), WHITE, "intonaco")
    kit.put("glazing", "vetrina", (1, -0.12, 0), (5.6, -0.1, 2.6), GLASS, "vetro", 0.25)
    kit.put("door", "porta", (5.7, -0.14, 0), (6.9, -0.08, 2.6), DARK, "alluminio")
    kit.put("furniture", "bancone", (1.2, 3.8, 0), (4.2, 4.5, 1.1), WOOD, "rovere")
    for i in range(4):
        kit.put(
            "furniture",
            f"scaffale {i}",
            (0.05, 0.8 + 1.2 * i, 0.3 + 0.02 * i),
            (0.4, 1.8 + 1.2 * i, 2.3),
            WOOD,
            "rovere",
        )
    kit.put("furniture", "tavolino", (5, 2, 0.42), (6.2, 2.8, 0.46), WOOD)
    kit.put("furniture", "sedia", (6.6, 2.2, 0), (7.0, 2.6, 0.46), BLUE)
    kit.put("furniture", "tappeto", (4.4, 1.4, 0.0), (7.2, 3.4, 0.02), BLUE, "lana")
    kit.ball("lampada sospesa", (2.7, 4.2, 2.2), 0.22, WHITE)
    kit.roles["lampada sospesa"] = "lamp"
    return kit


def stop_dxf(path: Path) -> dict[str, str]:
    """A bus stop drawn in mm on layers of the usual code."""
    import ezdxf
    from ezdxf.render.forms import cube

    drawing = ezdxf.new()
    drawing.header["$INSUNITS"] = 4
    layers = {
        "A-WALL-GLAZ": "glazing",
        "S-COLS": "column",
        "A-ROOF": "roof",
        "L-PAVE": "paving",
        "A-FURN-BNCH": "furniture",
        "L-LAWN": "lawn",
        "A-SIGN": "sign",
        "C-ROAD": "paving",
    }
    for colour, layer in enumerate(layers, start=30):
        drawing.layers.add(layer, color=colour)

    def box(layer: str, low, high) -> None:
        low, high = np.array(low, float), np.array(high, float)
        form = cube().scale(*(high - low)).translate(*((low + high) / 2))
        form.render_mesh(drawing.modelspace(), dxfattribs={"layer": layer})

    box("L-PAVE", (-4000, -1500, -200), (9000, 3000, 0))
    box("C-ROAD", (-9000, -8000, -350), (14000, -1500, -120))
    box("L-LAWN", (-9000, 3000, -200), (14000, 12000, 0))
    for x in (0, 1700, 3400, 5000):
        box("S-COLS", (x, 1900, 0), (x + 100, 2000, 2500))
    box("A-WALL-GLAZ", (100, 1940, 300), (5000, 1960, 2300))
    box("A-WALL-GLAZ", (0, 600, 300), (20, 1900, 2300))
    box("A-ROOF", (-300, -300, 2500), (5400, 2300, 2620))
    box("A-FURN-BNCH", (800, 1300, 380), (4200, 1750, 450))
    box("A-SIGN", (5600, 900, 1900), (5650, 1500, 2600))
    drawing.saveas(path)
    return layers


def kiosk_usd(path: Path) -> dict[str, str]:
    """A kiosk in cm as a USD stage."""
    from pxr import Usd, UsdGeom, Vt

    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, "Y")
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    roles = {}

    def box(role: str, name: str, low, high, colour) -> None:
        roles[name] = role
        mesh = UsdGeom.Mesh.Define(stage, f"/Kiosk/{name}")
        made = trimesh.creation.box(bounds=(low, high))
        turned = made.vertices[:, [0, 2, 1]] * (100.0, 100.0, -100.0)
        mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(turned.astype(np.float32)))
        mesh.CreateFaceVertexCountsAttr([3] * len(made.faces))
        mesh.CreateFaceVertexIndicesAttr(made.faces.reshape(-1).tolist())
        mesh.CreateDisplayColorAttr([tuple(float(c) for c in colour)])

    box("paving", "Forecourt_Paving", (-6, -6, -0.15), (10, 8, 0), GREY)
    for name, low, high in (
        ("Wall_Back", (0, 3, 0), (4, 3.2, 2.8)), ("Wall_Left", (0, 0, 0), (0.2, 3.2, 2.8)), ("Wall_Right", (3.8, 0, 0), (4, 3.2, 2.8)),
        ("Wall_Front_Low", (0.2, 0, 0), (2.8, 0.2, 1.0)), ("Wall_Front_High", (0.2, 0, 2.2), (3.8, 0.2, 2.8)),
    ):  # fmt: skip
        box("wall", name, low, high, RED)
    box("glazing", "Hatch_Glass", (0.2, 0.05, 1.0), (2.8, 0.08, 2.2), GLASS)
    box("door", "Side_Door", (2.8, 0.05, 0), (3.8, 0.12, 2.2), WOOD)
    box("roof", "Roof_Slab_Metal_Roof", (-0.6, -1.2, 2.8), (4.6, 3.8, 2.95), DARK)
    box("sign", "Kiosk_Sign", (0.6, -1.25, 2.95), (3.4, -1.15, 3.5), WHITE)
    box("furniture", "Counter_Shelf", (0.2, -0.35, 0.95), (2.8, 0.0, 1.0), WOOD)
    stage.GetRootLayer().Save()
    return roles


NEWCOMERS: dict[str, Callable[[], Labelled]] = {"schule": schule, "maison": maison, "plaza": plaza, "negozio": negozio}


def write(folder: Path) -> dict[Path, dict[str, str]]:
    """All newcomers, and the roles of their objects."""
    folder.mkdir(parents=True, exist_ok=True)
    out = {}
    for name, build in NEWCOMERS.items():
        kit = build()
        kit.scene.export(folder / f"{name}.glb")
        out[folder / f"{name}.glb"] = kit.roles
    out[folder / "stop.dxf"] = stop_dxf(folder / "stop.dxf")
    out[folder / "kiosk.usda"] = kiosk_usd(folder / "kiosk.usda")
    return out


def right(model: iro.Model, roles: dict[str, str]) -> tuple[float, list[str]]:
    """Share of the area that the view chosen shows which has its right role, and what is wrong."""
    view = model.view(width=480, height=300, ground=False).exact
    wrong: dict[str, int] = {}
    seen = good = 0
    for row in view.surfaces.itertuples():
        want = next((roles[n] for n in (row.name, row.name.split(" ")[-1], row.material) if n in roles), None)
        if want is None or not row.area_px:
            continue
        seen += row.area_px
        if row.role == want or any({row.role, want} <= alike for alike in ALIKE):
            good += row.area_px
        else:
            wrong[f"{row.name}: {want} → {row.role}"] = wrong.get(f"{row.name}: {want} → {row.role}", 0) + row.area_px
    return good / max(seen, 1), [
        f"{name} ({px / max(seen, 1):.1%})" for name, px in sorted(wrong.items(), key=lambda w: -w[1])
    ]


def main() -> None:
    if len(sys.argv) > 1:
        for path in write(Path(sys.argv[1])):
            print(path)
        return
    with tempfile.TemporaryDirectory() as folder:
        found = [(path.name, *right(iro.open_model(path), roles)) for path, roles in write(Path(folder)).items()]
    for name, share, wrong in sorted(found, key=lambda f: f[1]):
        print(f"{name:14s} {share:6.1%} right  {'; '.join(wrong[:4])}")
    print(f"{sum(share >= 0.95 for _, share, _ in found)} of {len(found)} with 95 % of the visible area right")


if __name__ == "__main__":
    main()
