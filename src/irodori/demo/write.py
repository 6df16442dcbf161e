"""Writing the scenario: the glTF model with its cameras, and captures taken from it."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from irodori.core.camera import Camera
from irodori.core.colour import encode_srgb, hex_to_linear
from irodori.core.roles import role_from_words
from irodori.demo.files import CAPTURES, MODEL
from irodori.demo.landing import MATERIALS, WATER, build_landing, landing_views
from irodori.demo.pen import pen_sketch, visible_runs
from irodori.formats.write_image import write_image


def write_model(path: Path) -> Path:
    """Write the landing as GLB (y up, metres) with named parts, materials and cameras."""
    import trimesh
    from pygltflib import GLTF2, Node, Perspective
    from pygltflib import Camera as GltfCamera

    from irodori.formats.atomic import whole_file

    scene = trimesh.Scene()
    materials = {
        name: trimesh.visual.material.PBRMaterial(
            name=name, baseColorFactor=[*hex_to_linear(colour).tolist(), opacity],
            alphaMode="BLEND" if opacity < 1 else "OPAQUE", metallicFactor=0.0, roughnessFactor=0.8, doubleSided=True,
        )
        for name, (colour, opacity) in MATERIALS.items()
    }  # fmt: skip
    for name, material, soup in build_landing():
        points = np.stack([soup[..., 0], soup[..., 2], -soup[..., 1]], axis=-1).reshape(-1, 3)
        vertices, index = np.unique(np.round(points, 5), axis=0, return_inverse=True)
        mesh = trimesh.Trimesh(vertices, index.reshape(-1, 3), process=False)
        mesh.visual = trimesh.visual.TextureVisuals(material=materials[material])
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    gltf = GLTF2.load_from_bytes(scene.export(file_type="glb", include_normals=False))
    for view in landing_views():
        camera = Camera.look(
            np.array(view.position), np.array(view.target), size=(1280, round(1280 / view.aspect)), field=view.field
        )
        across = np.tan(np.radians(view.field) / 2)
        gltf.cameras.append(
            GltfCamera(type="perspective", name=view.name, perspective=Perspective(
                yfov=float(2 * np.arctan(across / view.aspect)), aspectRatio=view.aspect, znear=0.1))
        )  # fmt: skip
        axes = np.stack([camera.rotation[0], -camera.rotation[1], -camera.rotation[2], camera.position])
        turned = np.stack([axes[:, 0], axes[:, 2], -axes[:, 1]], axis=1)
        matrix = np.eye(4)
        matrix[:3] = turned.T
        gltf.nodes.append(Node(name=view.name, camera=len(gltf.cameras) - 1, matrix=matrix.T.ravel().tolist()))
        gltf.scenes[gltf.scene or 0].nodes.append(len(gltf.nodes) - 1)
    with whole_file(path) as temporary:
        gltf.save_binary(str(temporary))
    return path


def write_captures(model_path: Path, folder: Path) -> list[Path]:
    """Write every shipped capture, 1280 pixels on the long side."""
    from irodori.capture.model.model import open_model

    model = open_model(model_path)
    written = []
    for name, (view, style) in CAPTURES.items():
        tall, by_hand = view == "gangway", style == "sketch"
        size = {"width": None if tall else 1280, "height": 1280 if tall else None}
        capture = model.view(view, **size, style="line" if by_hand else style)
        encoded = encode_srgb(capture.image) * 255
        if "messy" in name:
            encoded = paint_helpers(encoded, capture)
        if by_hand:
            encoded = sketch_by_hand(capture)
        path = folder / name
        write_image(path, np.rint(encoded).clip(0, 255).astype(np.uint8))
        written.append(path)
    return written


def sketch_by_hand(capture) -> np.ndarray:
    """The view as somebody would sketch it with a pen: edges, and the outlines of crowns; (H, W, 3) uint8."""
    import cv2
    import trimesh
    from scipy.ndimage import gaussian_filter1d

    structure = capture.exact
    edges = []
    for name, material, soup in build_landing():
        if role_from_words(name, material) == "planting":
            continue
        mesh = trimesh.Trimesh(soup.reshape(-1, 3), np.arange(3 * len(soup)).reshape(-1, 3), process=False)
        mesh.merge_vertices(merge_tex=True, merge_norm=True, digits_vertex=4)
        mesh.update_faces(mesh.nondegenerate_faces())
        sharp = mesh.face_adjacency_edges[mesh.face_adjacency_angles > np.radians(25)]
        kinds, times = np.unique(mesh.edges_sorted, axis=0, return_counts=True)
        edges.append(mesh.vertices[np.concatenate([sharp, kinds[times != 2]])])
        edges.append(trimesh.intersections.mesh_plane(mesh, (0, 0, 1), (0, 0, WATER)))
    crowns = np.isin(structure.regions, structure.of_role("planting")).astype(np.uint8)
    # A hand follows the mass of the leaves, not each of them.
    round_brush = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (15, 15))
    crowns = cv2.morphologyEx(crowns, cv2.MORPH_CLOSE, round_brush)
    crowns = cv2.morphologyEx(crowns, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9)))
    outlines, _ = cv2.findContours(crowns, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    curves = []
    for outline in outlines:
        if cv2.contourArea(outline) > 80:
            ring = np.vstack([outline[:, 0], outline[:1, 0]]).astype(float)
            curves.append(gaussian_filter1d(ring, 2.5, axis=0, mode="wrap") + 0.5)
    runs = visible_runs(np.concatenate(edges), structure.camera, structure.depth)
    return pen_sketch(runs, structure.size, seed=7, curves=curves)


def paint_helpers(encoded: np.ndarray, capture) -> np.ndarray:
    """Paint what a 3D program leaves over a model: ground grid, axis marks, a selection outline."""
    import cv2

    structure = capture.exact
    camera, canvas = structure.camera, encoded.copy()
    height, width = canvas.shape[:2]
    lowest = float(structure.surfaces.set_index("role").loc[["water"], "offset"].min())

    def line(a, b, colour, strength):
        steps = np.linspace(0, 1, 400)[:, None]
        points = np.array(a) * (1 - steps) + np.array(b) * steps
        xy, depth = camera.project(points)
        good = (depth > 0.2) & (xy[:, 0] > -50) & (xy[:, 0] < width + 50) & (xy[:, 1] > -50) & (xy[:, 1] < height + 50)
        layer = np.zeros((height, width), np.uint8)
        for i in np.flatnonzero(good[:-1] & good[1:]):
            p, q = xy[i], xy[i + 1]
            x, y = int(np.clip(p[0], 0, width - 1)), int(np.clip(p[1], 0, height - 1))
            if structure.depth[y, x] > depth[i] - 0.4:  # the grid hides behind the model
                cv2.line(
                    layer,
                    tuple(np.rint(p * 16).astype(int).tolist()),
                    tuple(np.rint(q * 16).astype(int).tolist()),
                    255,
                    1,
                    cv2.LINE_AA,
                    4,
                )
        alpha = (layer / 255.0 * strength)[..., None]
        canvas[:] = canvas * (1 - alpha) + np.array(colour) * alpha

    for at in np.arange(-60, 61, 5.0):
        line((at, -60, lowest), (at, 60, lowest), (150, 150, 150), 0.75)
        line((-60, at, lowest), (60, at, lowest), (150, 150, 150), 0.75)
    line((0, -60, lowest), (0, 60, lowest), (70, 170, 70), 1.0)
    line((-60, 0, lowest), (60, 0, lowest), (200, 60, 60), 1.0)
    corner = np.array([60, height - 60])
    for axis, colour in (((1, 0, 0), (200, 60, 60)), ((0, 1, 0), (70, 170, 70)), ((0, 0, 1), (60, 90, 210))):
        tip = corner + (camera.rotation @ np.array(axis))[:2] * 42
        cv2.line(canvas, tuple(corner.tolist()), tuple(np.rint(tip).astype(int).tolist()), colour, 2, cv2.LINE_AA)
    chosen = structure.surfaces.loc[structure.surfaces["name"].str.startswith("kiosk wall"), "id"]
    mask = np.isin(structure.regions, chosen).astype(np.uint8)
    outlines, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    cv2.drawContours(canvas, outlines, -1, (255, 140, 0), 2, cv2.LINE_AA)
    return canvas


def write_demo(folder: str | Path) -> list[Path]:
    """Make the scenario's model and captures again, in `folder`.

    The shipped files were made with ``write_demo("src/irodori/demo/data")``.
    """
    folder = Path(folder)
    folder.mkdir(parents=True, exist_ok=True)
    model = write_model(folder / MODEL)
    return [model, *write_captures(model, folder)]
