"""Models as people have them on disk, made in code: buildings, rooms, blocks, landscapes, products, under several habits of naming.

`python benchmarks/models/make_models.py FOLDER` writes them. Those in `APART` were drawn after views were chosen, and have mended that since; draw others to measure it anew.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
import trimesh

WHITE, GREY, DARK, WOOD, RED, GLASS, GREEN, SAND, BLUE = (
    (0.85, 0.84, 0.8), (0.55, 0.55, 0.55), (0.2, 0.2, 0.21), (0.6, 0.42, 0.25), (0.55, 0.2, 0.15), (0.6, 0.75, 0.8), (0.3, 0.45, 0.2),
    (0.76, 0.7, 0.55), (0.2, 0.35, 0.6),
)  # fmt: skip


class Kit:
    """Named objects with a material each, z up, m."""

    def __init__(self, opaque: bool = False) -> None:
        self.scene, self.opaque = trimesh.Scene(), opaque

    def add(self, name: str, mesh: trimesh.Trimesh, colour, material: str = "", alpha: float = 1.0) -> None:
        rgba = [int(255 * c) for c in colour] + [int(255 * (1.0 if self.opaque else alpha))]
        made = trimesh.visual.material.PBRMaterial(
            name=material or name, baseColorFactor=rgba, alphaMode="BLEND" if rgba[3] < 255 else "OPAQUE"
        )
        mesh = mesh.copy()
        mesh.visual = trimesh.visual.TextureVisuals(material=made)
        mesh.apply_transform(trimesh.transformations.rotation_matrix(-np.pi / 2, (1, 0, 0)))
        self.scene.add_geometry(mesh, node_name=self._free(name), geom_name=self._free(name))

    def _free(self, name: str) -> str:
        return name if name not in self.scene.geometry else f"{name}_{len(self.scene.geometry)}"

    def box(self, name: str, low, high, colour, material: str = "", alpha: float = 1.0) -> None:
        low, high = np.minimum(low, high).astype(float), np.maximum(low, high).astype(float)
        self.add(
            name,
            trimesh.creation.box(high - low, trimesh.transformations.translation_matrix((low + high) / 2)),
            colour,
            material,
            alpha,
        )

    def gable(self, name: str, low, high, eaves: float, ridge: float, colour, material: str = "") -> None:
        """A pitched roof over an oblong, its ridge along x."""
        (x0, y0), (x1, y1) = low, high
        m = (y0 + y1) / 2
        points = [(x0, y0, eaves), (x1, y0, eaves), (x1, y1, eaves), (x0, y1, eaves), (x0, m, ridge), (x1, m, ridge)]
        faces = [(0, 1, 5), (0, 5, 4), (2, 3, 4), (2, 4, 5), (0, 4, 3), (1, 2, 5), (0, 2, 1), (0, 3, 2)]
        self.add(name, trimesh.Trimesh(points, faces, process=False), colour, material)

    def ball(self, name: str, centre, radius: float, colour, material: str = "") -> None:
        mesh = trimesh.creation.icosphere(2, radius)
        mesh.apply_translation(centre)
        self.add(name, mesh, colour, material)

    def post(
        self, name: str, x: float, y: float, z0: float, z1: float, radius: float, colour, material: str = ""
    ) -> None:
        mesh = trimesh.creation.cylinder(radius, z1 - z0, sections=16)
        mesh.apply_translation((x, y, (z0 + z1) / 2))
        self.add(name, mesh, colour, material)

    def tree(self, name: str, x: float, y: float, tall: float, crown: str = " crown", trunk: str = " trunk") -> None:
        self.post(name + trunk, x, y, 0, tall * 0.45, 0.14, WOOD, "bark")
        self.ball(name + crown, (x, y, tall * 0.68), tall * 0.32, GREEN, "leaf")


def shell(
    kit: Kit,
    names: dict[str, str],
    wide: float,
    deep: float,
    tall: float,
    door: float,
    windows: list[tuple[float, float]],
    thick: float = 0.3,
) -> None:
    """Four walls whose south side has a door at x `door` and windows from … to …, each sill to head 0.9 … 2.1 m."""
    w, colour = names["wall"], WHITE
    kit.box(w + names["n"], (0, deep - thick, 0), (wide, deep, tall), colour, "render")
    kit.box(w + names["w"], (0, 0, 0), (thick, deep, tall), colour, "render")
    kit.box(w + names["e"], (wide - thick, 0, 0), (wide, deep, tall), colour, "render")
    openings = sorted([(door, door + 1.1, 0.0, 2.15), *((a, b, 0.9, 2.1) for a, b in windows)])
    x = 0.0
    for a, b, z0, z1 in openings:
        kit.box(w + names["s"], (x, 0, 0), (a, thick, tall), colour, "render")
        kit.box(w + names["s"], (a, 0, z1), (b, thick, tall), colour, "render")
        if z0:
            kit.box(w + names["s"], (a, 0, 0), (b, thick, z0), colour, "render")
            kit.box(names["glass"], (a, 0.12, z0), (b, 0.14, z1), GLASS, "glass", 0.3)
            kit.box(names["frame"], (a, 0.08, z0), (a + 0.06, 0.18, z1), DARK, "metal")
            kit.box(names["frame"], (b - 0.06, 0.08, z0), (b, 0.18, z1), DARK, "metal")
        else:
            kit.box(names["door"], (a + 0.05, 0.1, 0), (b - 0.05, 0.16, z1), RED, "oak")
        x = b
    kit.box(w + names["s"], (x, 0, 0), (wide, thick, tall), colour, "render")


EN = {
    "wall": "wall ",
    "n": "north",
    "s": "south",
    "e": "east",
    "w": "west",
    "glass": "window pane",
    "frame": "window frame",
    "door": "front door",
}
DE = {
    "wall": "Aussenwand_",
    "n": "Nord",
    "s": "Sued",
    "e": "Ost",
    "w": "West",
    "glass": "Fensterglas",
    "frame": "Fensterrahmen",
    "door": "Haustuer",
}
FR = {
    "wall": "Mur_",
    "n": "nord",
    "s": "sud",
    "e": "est",
    "w": "ouest",
    "glass": "vitrage",
    "frame": "chassis",
    "door": "porte entree",
}
IT = {
    "wall": "parete ",
    "n": "nord",
    "s": "sud",
    "e": "est",
    "w": "ovest",
    "glass": "vetro finestra",
    "frame": "telaio",
    "door": "porta ingresso",
}
ES = {
    "wall": "pared_",
    "n": "norte",
    "s": "sur",
    "e": "este",
    "w": "oeste",
    "glass": "vidrio",
    "frame": "marco",
    "door": "puerta principal",
}
NONE = {k: "Cube." for k in EN} | {"n": "001", "s": "002", "e": "003", "w": "004"}


def house(names=EN, roof="roof", plate="site", tree="tree", opaque=False) -> Kit:
    """A house with its door and windows to the south on a small plate."""
    kit = Kit(opaque)
    shell(kit, names, 11, 7.5, 3.2, 4.6, [(1, 3), (6.8, 8.2), (9, 10.3)])
    kit.gable(roof, (-0.5, -0.6), (11.5, 8.1), 3.2, 6.4, RED, "tiles")
    kit.box(plate, (-9, -9, -0.2), (20, 17, 0), GREEN, "grass")
    kit.tree(tree, -4, -3, 6.5)
    kit.tree(tree + " 2", 15, 11, 8)
    return kit


def german_house() -> Kit:
    kit = house(DE, "Satteldach", "Gelaende", "Baum")
    kit.box("Gehweg", (4.2, -9, 0), (6.2, 0, 0.03), GREY, "Pflaster")
    kit.box("Schornstein", (8, 4, 4), (8.7, 4.7, 7.2), RED, "Backstein")
    return kit


def spanish_pavilion() -> Kit:
    """A flat pavilion on posts, glazed to the west, with a pool."""
    kit = Kit()
    kit.box("losa", (0, 0, 0), (12, 8, 0.3), GREY, "hormigon")
    kit.box("cubierta", (-1.2, -1.2, 3.3), (13.2, 9.2, 3.6), WHITE, "hormigon blanco")
    kit.box("pared_este", (11.7, 0, 0.3), (12, 8, 3.3), SAND, "piedra")
    kit.box("pared_norte", (4, 7.7, 0.3), (12, 8, 3.3), SAND, "piedra")
    for i in range(4):
        kit.box("vidrio", (0.05, 0.1 + 2 * i, 0.3), (0.09, 2 + 2 * i, 3.3), GLASS, "cristal", 0.25)
        kit.box("marco", (0, 2 * i, 0.3), (0.12, 2 * i + 0.08, 3.3), DARK, "aluminio")
    kit.box("puerta", (0, 3.9, 0.3), (0.1, 4.9, 2.6), WOOD, "madera")
    for x, y in ((-0.8, -0.8), (6, -0.8), (12.8, -0.8), (-0.8, 8.8)):
        kit.post("pilar", x, y, 0, 3.3, 0.1, DARK)
    kit.box("agua estanque", (-9, 0, -0.3), (-3, 8, -0.1), BLUE, "agua", 0.7)
    kit.box("pavimento exterior", (-12, -8, -0.4), (20, 16, -0.31), SAND, "piedra")
    kit.tree("arbol", 16, -3, 6, " copa", " tronco")
    return kit


def room(names: dict[str, str] | None = None, roofed: bool = True) -> Kit:
    """A living room: a closed box from outside, furnished inside, a window in one wall."""
    n = names or {
        k: k for k in ("wall", "floor", "ceiling", "sofa", "table", "chair", "lamp", "rug", "shelf", "window", "door")
    }
    kit = Kit()
    kit.box(n["floor"], (0, 0, -0.1), (6, 4.5, 0), WOOD, "oak")
    if roofed:
        kit.box(n["ceiling"], (0, 0, 2.7), (6, 4.5, 2.8), WHITE)
    kit.box(n["wall"] + "1", (-0.2, -0.2, 0), (0, 4.7, 2.7), WHITE)
    kit.box(n["wall"] + "2", (6, -0.2, 0), (6.2, 4.7, 2.7), WHITE)
    kit.box(n["wall"] + "3", (-0.2, -0.2, 0), (6.2, 0, 2.7), WHITE)
    for a, b, z0, z1 in ((0, 1.6, 0, 2.7), (4.4, 6, 0, 2.7), (1.6, 4.4, 0, 0.6), (1.6, 4.4, 2.3, 2.7)):
        kit.box(n["wall"] + "4", (a, 4.5, z0), (b, 4.7, z1), WHITE)
    kit.box(n["window"], (1.6, 4.58, 0.6), (4.4, 4.6, 2.3), GLASS, "glass", 0.2)
    kit.box(n["door"], (5.94, 0.6, 0), (6, 1.5, 2.05), WOOD)
    kit.box(n["sofa"], (0.3, 1.4, 0), (1.2, 3.5, 0.42), BLUE, "wool")
    kit.box(n["sofa"], (0.1, 1.4, 0.42), (0.35, 3.5, 0.85), BLUE, "wool")
    kit.box(n["table"], (1.9, 2, 0.38), (2.9, 3, 0.42), WOOD)
    for x, y in ((1.95, 2.05), (2.85, 2.95), (1.95, 2.95), (2.85, 2.05)):
        kit.post(n["table"], x, y, 0, 0.38, 0.025, DARK)
    kit.box(n["chair"], (3.8, 2.2, 0.4), (4.3, 2.7, 0.45), RED)
    kit.box(n["chair"], (4.25, 2.2, 0.45), (4.3, 2.7, 0.9), RED)
    kit.box(n["shelf"], (2, 0.02, 0), (4, 0.35, 2), WOOD)
    kit.post(n["lamp"], 3, 2.3, 2.1, 2.7, 0.01, DARK)
    kit.ball(n["lamp"], (3, 2.3, 2.0), 0.18, WHITE)
    kit.box(n["rug"], (1.3, 1.3, 0), (4, 3.6, 0.015), SAND)
    return kit


def french_kitchen() -> Kit:
    n = {
        "wall": "mur_",
        "floor": "sol carrelage",
        "ceiling": "plafond",
        "sofa": "plan de travail",
        "table": "table",
        "chair": "chaise",
        "lamp": "suspension",
        "rug": "tapis",
        "shelf": "etagere",
        "window": "fenetre",
        "door": "porte",
    }
    kit = room(n)
    for i in range(4):
        kit.box("meuble bas", (0.6 + 0.6 * i, 0.02, 0), (1.18 + 0.6 * i, 0.6, 0.88), WHITE)
    kit.box("evier", (1, 0.1, 0.86), (1.5, 0.5, 0.9), GREY)
    return kit


def block() -> Kit:
    """A city block: nine plain volumes, streets, a designed one in the middle with windows."""
    kit = Kit()
    kit.box("terrain", (-70, -70, -1), (110, 110, 0), GREY, "asphalt")
    for i in range(3):
        for j in range(3):
            x, y = -40 + 45 * i, -40 + 45 * j
            tall = 12 + 5 * ((i * 7 + j * 3) % 4)
            if i == j == 1:
                continue
            kit.box(f"existing building {i}{j}", (x, y, 0), (x + 30, y + 26, tall), WHITE, "context")
    kit.box("office volume", (5, 5, 0), (35, 31, 22), WHITE, "facade")
    for floor in range(6):
        for k in range(9):
            kit.box(
                "office window",
                (6.5 + 3.1 * k, 4.9, 1.2 + 3.5 * floor),
                (8.7 + 3.1 * k, 5, 3.4 + 3.5 * floor),
                GLASS,
                "glass",
                0.4,
            )
            if k < 7:
                kit.box(
                    "office window",
                    (35, 6.5 + 3.4 * k, 1.2 + 3.5 * floor),
                    (35.1, 8.9 + 3.4 * k, 3.4 + 3.5 * floor),
                    GLASS,
                    "glass",
                    0.4,
                )
    kit.box("office entrance door", (18, 4.8, 0), (21, 4.9, 3), DARK)
    kit.box("office roof", (4.6, 4.6, 22), (35.4, 31.4, 22.5), GREY)
    kit.box("plant room", (14, 12, 22.5), (26, 22, 25), GREY)
    for k in range(5):
        kit.tree(f"tree {k}", -2 + 9 * k, -5, 7)
    return kit


def chair() -> Kit:
    """A product: a chair alone, no ground."""
    kit = Kit()
    kit.box("seat", (0, 0, 0.42), (0.46, 0.44, 0.46), WOOD)
    kit.box("back rest", (0, 0.4, 0.5), (0.46, 0.43, 0.9), WOOD)
    for x in (0.02, 0.42):
        for y in (0.02, 0.4):
            kit.box("leg", (x, y, 0), (x + 0.03, y + 0.03, 0.9 if y > 0.2 else 0.42), DARK)
    return kit


def park() -> Kit:
    """A landscape: a pond, a path, many trees, two benches and a small shelter."""
    kit = Kit()
    kit.box("lawn", (-25, -20, -0.3), (25, 20, 0), GREEN)
    kit.box("gravel path", (-25, -3, 0), (25, -1, 0.02), SAND)
    kit.box("pond water", (4, 4, 0), (16, 12, 0.03), BLUE, "water", 0.8)
    for i in range(12):
        kit.tree(f"lime tree {i}", -22 + 4 * i, 2 + 5 * (i % 3) + (12 if 6 <= i else 0) % 14, 5 + i % 4)
    for x in (-8, 2):
        kit.box("bench", (x, -4.2, 0.4), (x + 1.8, -3.7, 0.46), WOOD)
        kit.box("bench", (x + 0.1, -4.1, 0), (x + 0.2, -3.8, 0.4), DARK)
        kit.box("bench", (x + 1.6, -4.1, 0), (x + 1.7, -3.8, 0.4), DARK)
    for x in (-16, -12):
        for y in (-12, -9):
            kit.post("shelter post", x, y, 0, 2.6, 0.08, WOOD)
    kit.gable("shelter roof", (-16.6, -12.6), (-11.4, -8.4), 2.6, 3.9, DARK)
    return kit


def italian_villa() -> Kit:
    kit = Kit()
    shell(kit, IT, 14, 10, 6.4, 6.4, [(1.2, 2.4), (3.6, 4.8), (9.2, 10.4), (11.6, 12.8)])
    for a in (1.2, 3.6, 6.4, 9.2, 11.6):
        kit.box("vetro finestra", (a, -0.02, 4.0), (a + 1.2, 0.02, 5.5), GLASS, "vetro", 0.35)
        kit.box("persiana", (a - 0.6, -0.06, 4.0), (a - 0.02, -0.01, 5.5), GREEN, "legno")
    kit.gable("tetto in tegole", (-0.8, -0.8), (14.8, 10.8), 6.4, 9.4, RED, "coppi")
    kit.box("terreno", (-20, -25, -0.5), (34, 30, 0), SAND, "terra")
    kit.box("vialetto", (6, -25, 0), (8, 0, 0.04), SAND, "ghiaia")
    for i in range(4):
        kit.tree(f"albero {i}", -6 + 8 * i if i < 2 else 18 + 4 * i, -10 + 6 * (i % 2), 7, " chioma", " tronco")
    return kit


def nameless_house() -> Kit:
    return house(NONE, "Cube.010", "Plane", "Sphere")


def office() -> Kit:
    """An office floor: desks and chairs in rows, glass on a side, columns."""
    kit = Kit()
    kit.box("Floor", (0, 0, -0.3), (16, 10, 0), GREY, "carpet")
    kit.box("Ceiling", (0, 0, 3), (16, 10, 3.3), WHITE)
    kit.box("WallNorth", (0, 10, 0), (16, 10.2, 3), WHITE)
    kit.box("WallWest", (-0.2, 0, 0), (0, 10, 3), WHITE)
    kit.box("WallEast", (16, 0, 0), (16.2, 10, 3), WHITE)
    for k in range(8):
        kit.box("CurtainWallPanel", (0.05 + 2 * k, -0.03, 0), (1.95 + 2 * k, 0, 3), GLASS, "Glass", 0.2)
        kit.box("Mullion", (2 * k - 0.04, -0.08, 0), (2 * k + 0.04, 0.06, 3), DARK, "Steel")
    for x in (4, 8, 12):
        kit.post("Column", x, 5, 0, 3, 0.2, WHITE)
    for i in range(4):
        for j in range(2):
            x, y = 1.5 + 3.6 * i, 1.8 + 4.6 * j
            kit.box("DeskTop", (x, y, 0.7), (x + 1.6, y + 0.8, 0.74), WOOD)
            kit.box("DeskLeg", (x, y, 0), (x + 0.05, y + 0.8, 0.7), DARK)
            kit.box("DeskLeg", (x + 1.55, y, 0), (x + 1.6, y + 0.8, 0.7), DARK)
            kit.box("Monitor", (x + 0.5, y + 0.55, 0.85), (x + 1.1, y + 0.58, 1.2), DARK)
            kit.box("OfficeChair", (x + 0.55, y - 0.6, 0.42), (x + 1.05, y - 0.1, 0.5), BLUE)
            kit.box("OfficeChair", (x + 0.55, y - 0.65, 0.5), (x + 1.05, y - 0.58, 1.0), BLUE)
            kit.box("PendantLight", (x, y + 0.3, 2.4), (x + 1.5, y + 0.4, 2.45), WHITE)
    return kit


MODELS: dict[str, Callable[[], Kit]] = {
    "house": house, "german_house": german_house, "spanish_pavilion": spanish_pavilion, "room": room, "french_kitchen": french_kitchen,
    "block": block, "chair": chair, "park": park, "italian_villa": italian_villa, "nameless_house": nameless_house, "office": office,
}  # fmt: skip


def barn() -> Kit:
    """A barn turned by 30 degrees, its gate in the gable end, one colour, English layer codes."""
    kit = Kit()
    kit.box("A-WALL-EXTR", (0, 0, 0), (18, 0.2, 4), WOOD)
    kit.box("A-WALL-EXTR", (0, 9.8, 0), (18, 10, 4), WOOD)
    kit.box("A-WALL-EXTR", (0, 0, 0), (0.2, 3, 4), WOOD)
    kit.box("A-WALL-EXTR", (0, 7, 0), (0.2, 10, 4), WOOD)
    kit.box("A-WALL-EXTR", (17.8, 0, 0), (18, 10, 4), WOOD)
    kit.box("A-DOOR-BARN", (0.05, 3, 0), (0.15, 7, 3.6), RED)
    kit.gable("A-ROOF", (-0.6, -0.6), (18.6, 10.6), 4, 8.2, DARK)
    kit.box("C-TOPO", (-30, -30, -1), (50, 40, 0), GREEN, "meadow")
    for name in kit.scene.geometry:
        kit.scene.geometry[name].apply_transform(trimesh.transformations.rotation_matrix(np.radians(30), (0, 1, 0)))
    return kit


def chapel() -> Kit:
    """A chapel with a tower, German names, no plate at all."""
    kit = Kit()
    shell(kit, DE, 16, 8, 6, 2.4, [(5.5, 6.5), (8, 9), (10.5, 11.5)])
    kit.gable("Dach", (-0.4, -0.4), (16.4, 8.4), 6, 11, DARK)
    kit.box("Turm_Wand", (16, 1.5, 0), (21, 6.5, 18), WHITE)
    kit.box("Turm_Fenster", (18, 1.45, 13), (19, 1.5, 15.5), DARK, "Glas", 0.5)
    kit.gable("Turmdach", (15.7, 1.2), (21.3, 6.8), 18, 24, DARK)
    return kit


def bathroom() -> Kit:
    """A bathroom, Italian names, a small high window, ceiling missing."""
    kit = Kit()
    kit.box("pavimento", (0, 0, -0.1), (3.2, 2.4, 0), GREY, "piastrelle")
    for name, low, high in (
        ("parete 1", (-0.1, -0.1, 0), (0, 2.5, 2.6)),
        ("parete 2", (3.2, -0.1, 0), (3.3, 2.5, 2.6)),
        ("parete 3", (-0.1, 2.4, 0), (3.3, 2.5, 2.6)),
        ("parete 4", (-0.1, -0.1, 0), (3.3, 0, 2.6)),
    ):
        kit.box(name, low, high, WHITE)
    kit.box("soffitto", (-0.1, -0.1, 2.6), (3.3, 2.5, 2.7), WHITE)
    kit.box("vasca", (0.05, 0.05, 0), (0.75, 1.75, 0.55), WHITE)
    kit.box("lavandino", (1.4, 1.95, 0.75), (2.1, 2.4, 0.9), WHITE)
    kit.box("specchio", (1.4, 2.37, 1.2), (2.1, 2.4, 1.9), GLASS)
    kit.box("finestra vetro", (3.18, 1, 1.5), (3.2, 1.8, 2.2), GLASS, "vetro", 0.3)
    kit.box("porta", (2.3, 0, 0), (3.1, 0.04, 2.05), WOOD)
    kit.post("lampada", 1.6, 1.2, 2.4, 2.6, 0.15, WHITE)
    return kit


def terrace() -> Kit:
    """Six row houses in French, each with door and windows to the street in the north, gardens behind."""
    kit = Kit()
    for i in range(6):
        x = 6 * i
        kit.box("mur mitoyen", (x, 0, 0), (x + 0.2, 9, 6), WHITE)
        kit.box("facade jardin", (x, 0, 0), (x + 6, 0.2, 6), WHITE)
        kit.box("facade rue", (x, 8.8, 0), (x + 6, 9, 6), (WHITE, SAND, RED)[i % 3])
        kit.box("porte entree", (x + 0.8, 8.98, 0), (x + 1.8, 9.04, 2.2), BLUE)
        for z in (0.9, 3.7):
            kit.box("fenetre", (x + 2.8, 8.98, z), (x + 4.8, 9.03, z + 1.3), GLASS, "verre", 0.4)
        kit.gable("toiture tuiles", (x, -0.3), (x + 6, 9.3), 6, 8.6, RED)
        kit.box("jardin pelouse", (x, -10, -0.1), (x + 6, 0, 0), GREEN)
        kit.box("haie", (x + 5.9, -10, 0), (x + 6.1, 0, 1.2), GREEN)
    kit.box("trottoir", (-4, 9, -0.1), (40, 11.5, 0), GREY)
    kit.box("rue chaussee", (-4, 11.5, -0.2), (40, 18, -0.1), DARK)
    return kit


def lamp_product() -> Kit:
    kit = Kit()
    kit.post("base", 0, 0, 0, 0.02, 0.12, DARK, "steel")
    kit.post("stem", 0, 0, 0.02, 0.45, 0.01, DARK, "brass")
    mesh = trimesh.creation.cone(0.16, 0.2, sections=32)
    mesh.apply_translation((0, 0, 0.4))
    kit.add("shade", mesh, WHITE, "linen")
    return kit


def footbridge() -> Kit:
    """A bridge over a river between two banks, with railings and trees: no building at all."""
    kit = Kit()
    kit.box("terreno", (-40, -30, -3), (-8, 30, 0), GREEN, "cesped")
    kit.box("terreno", (8, -30, -3), (40, 30, 0), GREEN, "cesped")
    kit.box("agua rio", (-8, -30, -1.6), (8, 30, -1.5), BLUE, "agua")
    kit.box("tablero losa", (-10, -1.2, 0), (10, 1.2, 0.3), WOOD)
    for y in (-1.15, 1.15):
        kit.box("pasamanos", (-10, y - 0.03, 1.3), (10, y + 0.03, 1.36), DARK)
        for k in range(21):
            kit.post("barandilla", -10 + k, y, 0.3, 1.3, 0.015, DARK)
    for x, y in ((-14, 6), (-16, -8), (13, 9), (15, -5)):
        kit.tree("arbol", x, y, 7, " copa", " tronco")
    return kit


def stair_hall() -> Kit:
    """A hall over two storeys with a stair and a gallery, German names, doors, a rooflight."""
    kit = Kit()
    kit.box("Fussboden", (0, 0, -0.2), (8, 6, 0), WOOD)
    kit.box("Decke", (0, 0, 5.6), (8, 6, 5.8), WHITE)
    for name, low, high in (
        ("Wand_1", (-0.2, 0, 0), (0, 6, 5.6)),
        ("Wand_2", (8, 0, 0), (8.2, 6, 5.6)),
        ("Wand_3", (0, -0.2, 0), (8, 0, 5.6)),
        ("Wand_4", (0, 6, 0), (8, 6.2, 5.6)),
    ):
        kit.box(name, low, high, WHITE)
    for k in range(16):
        kit.box("Treppenstufe", (1 + 0.28 * k, 4.8, 0.17 * k), (1.32 + 0.28 * k, 5.9, 0.17 * (k + 1)), WOOD)
    kit.box("Galerie Geschossdecke", (5.5, 0, 2.8), (8, 6, 3.0), WHITE)
    for k in range(12):
        kit.post("Gelaender", 5.5, 0.2 + 0.4 * k, 3, 4, 0.012, DARK)
    kit.box("Handlauf", (5.47, 0, 3.95), (5.53, 4.8, 4.0), WOOD)
    kit.box("Fensterglas", (2, -0.02, 0.8), (5, 0, 4.6), GLASS, "Glas", 0.2)
    kit.box("Innentuer", (7.95, 2, 0), (8, 3, 2.1), WOOD)
    kit.box("Bank", (2.4, 0.4, 0), (4.2, 0.9, 0.45), RED)
    kit.ball("Pendelleuchte", (3, 2.6, 3.6), 0.3, WHITE)
    return kit


def stl_house() -> Kit:
    """One mesh without names or colours."""
    return house(NONE, "Cube.010", "Plane", "Sphere", opaque=True)


APART: dict[str, Callable[[], Kit]] = {
    "barn": barn, "chapel": chapel, "bathroom": bathroom, "terrace": terrace, "lamp_product": lamp_product, "footbridge": footbridge,
    "stair_hall": stair_hall,
}  # fmt: skip


def write(folder: Path) -> list[Path]:
    """All models, those kept apart in a folder of their own; one of them as STL, one as OBJ."""
    out = []
    for where, models in ((folder, MODELS), (folder / "apart", APART)):
        where.mkdir(parents=True, exist_ok=True)
        for name, build in models.items():
            path = where / f"{name}.glb"
            build().scene.export(path)
            out.append(path)
    for path, kit in (
        (folder / "apart" / "nameless.stl", stl_house()),
        (folder / "apart" / "villa.obj", italian_villa()),
    ):
        turned = kit.scene.copy()
        turned.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0, 0)))
        if path.suffix == ".stl":
            turned.to_mesh().export(path)
        else:
            turned.export(path)
        out.append(path)
    return out


if __name__ == "__main__":
    for path in write(Path(sys.argv[1])):
        print(path)
