"""Models of named meshes, z up, written as a file and opened again."""

import numpy as np
import trimesh

import irodori as iro


def saved(folder, parts):
    """The model of meshes by their names, as glTF binary: y up there."""
    scene = trimesh.Scene()
    for name, mesh in parts.items():
        mesh = mesh.copy()
        mesh.apply_transform(trimesh.transformations.rotation_matrix(-np.pi / 2, (1, 0, 0)))
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    scene.export(folder / "a.glb")
    return iro.open_model(folder / "a.glb")
