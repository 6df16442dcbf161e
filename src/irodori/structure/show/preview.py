"""An annotated picture of a structure that a designer can check at a glance."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.pixels.borders import region_borders
from irodori.core.structure import Structure
from irodori.structure.camera.line_directions import interpretation_normals

ROLE_COLOURS = {
    "sky": (214, 226, 236), "context": (176, 184, 176), "ground": (190, 174, 142), "paving": (206, 194, 170),
    "lawn": (150, 188, 96), "water": (92, 146, 190), "planting": (84, 146, 74), "wall": (222, 170, 108),
    "column": (168, 116, 72), "slab": (164, 160, 156), "stair": (186, 152, 128), "roof": (186, 92, 78),
    "soffit": (214, 186, 214), "ceiling": (226, 206, 226), "floor": (204, 178, 140), "glazing": (128, 206, 216),
    "frame": (92, 96, 116), "door": (150, 84, 120), "railing": (70, 78, 92), "furniture": (196, 140, 40),
    "fabric": (206, 120, 150), "lamp": (250, 226, 90), "sign": (226, 88, 60), "person": (240, 150, 130),
    "vehicle": (110, 110, 170), "other": (200, 200, 200),
}  # fmt: skip


def role_colour(role: str) -> tuple[int, int, int]:
    """A steady 8-bit colour for each role, near to what it stands for."""
    return ROLE_COLOURS.get(role, ROLE_COLOURS["other"])


def draw_preview(structure: Structure) -> np.ndarray:
    """Regions tinted by role, borders, line families, horizon, vanishing points and role names, uint8 (H, W, 3)."""
    import cv2

    height, width = structure.regions.shape
    table = structure.surfaces
    tint = np.full((int(structure.regions.max()) + 1, 3), 235.0)
    for row in table.itertuples():
        if row.id < len(tint):
            tint[row.id] = role_colour(row.role)
    base = np.full((height, width, 3), 245.0)
    if structure.image is not None:
        base = encode_srgb(structure.image) * 255.0
    shade = 0.75 + 0.25 * np.clip(structure.normal @ np.array([-0.4, -0.5, 0.77], np.float32), -1, 1)[..., None]
    canvas = 0.30 * base + 0.70 * tint[structure.regions] * shade
    canvas[region_borders(structure.regions)] = 30
    canvas = np.ascontiguousarray(np.clip(canvas, 0, 255).astype(np.uint8))
    _draw_lines(canvas, structure)
    _draw_horizon(canvas, structure)
    _write_roles(canvas, structure)
    camera = structure.camera
    field = 2 * np.degrees(np.arctan(width / 2 / camera.focal)) if camera.projection == "perspective" else 0
    text = f"{structure.kind}   {len(table)} surfaces   field {field:.1f} deg   confidence {structure.confidence:.2f}"
    cv2.rectangle(canvas, (0, 0), (min(width, 11 * len(text)), 26), (255, 255, 255), -1)
    cv2.putText(canvas, text, (8, 18), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (20, 20, 20), 1, cv2.LINE_AA)
    return canvas


def _draw_lines(canvas: np.ndarray, structure: Structure) -> None:
    import cv2

    families = ((214, 60, 60), (60, 150, 60), (60, 90, 210))
    camera = structure.camera
    planes = interpretation_normals(np.asarray(structure.lines, float).reshape(-1, 4), camera)
    for (x0, y0, x1, y1), plane in zip(structure.lines, planes):
        colour = (120, 120, 120)
        if len(structure.vanishing):
            miss = np.abs(structure.vanishing @ plane)
            if miss.min() < 0.02:
                colour = families[int(miss.argmin()) % 3]
        cv2.line(
            canvas, (round(float(x0)), round(float(y0))), (round(float(x1)), round(float(y1))), colour, 1, cv2.LINE_AA
        )


def _draw_horizon(canvas: np.ndarray, structure: Structure) -> None:
    import cv2

    horizon = structure.camera.horizon()
    if horizon is not None and all(abs(p[1]) < 1e5 for p in horizon):
        (x0, y0), (x1, y1) = horizon
        cv2.line(canvas, (round(x0), round(y0)), (round(x1), round(y1)), (230, 120, 0), 2, cv2.LINE_AA)
        cv2.putText(
            canvas, "horizon", (10, max(int(y0) - 6, 40)), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (200, 100, 0), 1, cv2.LINE_AA
        )
    for index, axis in enumerate(structure.vanishing):
        local = structure.camera.rotation @ axis
        if abs(local[2]) < 1e-6 or structure.camera.projection == "parallel":
            continue
        point = structure.camera.matrix @ (local / local[2])
        if 0 <= point[0] < canvas.shape[1] and 0 <= point[1] < canvas.shape[0]:
            at = (round(float(point[0])), round(float(point[1])))
            cv2.drawMarker(canvas, at, (230, 0, 120), cv2.MARKER_CROSS, 22, 2, cv2.LINE_AA)
            cv2.putText(
                canvas,
                f"V{index + 1}",
                (at[0] + 10, at[1] - 8),
                cv2.FONT_HERSHEY_SIMPLEX,
                0.5,
                (200, 0, 100),
                1,
                cv2.LINE_AA,
            )


def _write_roles(canvas: np.ndarray, structure: Structure) -> None:
    import cv2

    regions, written = structure.regions, []
    for row in structure.surfaces.sort_values("area_px", ascending=False).head(40).itertuples():
        if row.area_px < 0.0025 * regions.size:
            continue
        mask = (regions == row.id).astype(np.uint8)
        inside = cv2.distanceTransform(mask, cv2.DIST_L2, 3)
        _, reach, _, at = cv2.minMaxLoc(inside)
        label = f"{row.role} {row.id}"
        if reach < 8:
            continue
        size, _ = cv2.getTextSize(label, cv2.FONT_HERSHEY_SIMPLEX, 0.42, 1)
        corner = (at[0] - size[0] // 2, at[1] + size[1] // 2)
        low = (corner[0] - 3, corner[1] - size[1] - 3)
        high = (corner[0] + size[0] + 3, corner[1] + 4)
        if any(low[0] < b[2] and b[0] < high[0] and low[1] < b[3] and b[1] < high[1] for b in written):
            continue
        written.append((*low, *high))
        cv2.rectangle(canvas, low, high, (250, 250, 250), -1)
        cv2.putText(canvas, label, corner, cv2.FONT_HERSHEY_SIMPLEX, 0.42, (20, 20, 20), 1, cv2.LINE_AA)
