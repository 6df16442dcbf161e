"""Reading the structure of a capture."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from irodori.core.camera import Camera
from irodori.core.capture import DRAWN, Capture
from irodori.core.colour import decode_srgb, encode_8_bit
from irodori.core.errors import StructureError
from irodori.core.ink import find_ink, ink_colour
from irodori.core.progress import Progress, report
from irodori.core.segments import find_segments
from irodori.core.structure import STRUCTURE_COLUMNS, Structure
from irodori.core.zones import zone_means
from irodori.structure.cache import cached_structure, keep_structure
from irodori.structure.carried_on import carried_faces, upright_edges
from irodori.structure.correct import (
    correct_frame,
    correct_planes,
    correct_regions,
    correct_roles,
    corrected_sky,
    known_length,
)
from irodori.structure.corrections import Corrections, corrections_for
from irodori.structure.coverage import border_coverage, make_fragments
from irodori.structure.crowns import drawn_crowns, drawn_hills, green_crowns
from irodori.structure.drawn_regions import bridges
from irodori.structure.elevation import (
    customary_size,
    earth,
    flat_distance,
    front_planes,
    is_elevation,
    on_the_ground,
    squarely,
)
from irodori.structure.families import UP, Families, find_families
from irodori.structure.fans import find_fans, turn_fans
from irodori.structure.find_regions import find_drawn_regions, find_regions
from irodori.structure.frame import Frame
from irodori.structure.from_passes import structure_from_passes
from irodori.structure.offsets import solve_offsets
from irodori.structure.on_planes import NEAREST, depth_on_planes
from irodori.structure.open_sky import more_sky, tell_sky
from irodori.structure.orientation import LEVEL, Planes, choose_planes, lie_level
from irodori.structure.plan import (
    OUTER_WALL,
    OUTER_WALL_SAID,
    Plan,
    find_plan,
    from_above,
    level_planes,
    plan_heights,
    plan_roles,
)
from irodori.structure.regions import Regions, line_sides, measure_regions
from irodori.structure.relief import relief, slope_roofs
from irodori.structure.risers import level_risers
from irodori.structure.roles import guess_roles, is_outdoors
from irodori.structure.round import Round, find_round, round_crowns
from irodori.structure.scale import EYE_HEIGHT, to_scale
from irodori.structure.see_through import shows_hidden_lines
from irodori.structure.tones import is_lit
from irodori.structure.vanishing import NOISE, PRIOR_FOCAL, estimate_frame

PARALLEL_SPAN = 24.0
"""Width, m, that a parallel view is taken to show where nothing tells its scale."""

FROM_HIGH_UP = -0.25
"""Sine of the pitch of a view up to which it shows no sky even out of doors."""

WIREFRAME = "A wireframe, it seems: hidden lines are taken for borders; let the 3D program hide them and capture again"
DOUBT = 0.5
"""How much less sure a wireframe's surfaces are."""


def read_structure(
    capture: Capture, *, eye_height: float | None = None, corrections: Corrections | str | Path | None = None,
    learned: bool = True, cache: bool = True, progress: Progress | None = None,
) -> Structure:  # fmt: skip
    """Read the structure of a capture: exact when passes or a model came with it, else from its pixels.

    Parameters
    ----------
    capture
        From `open_capture` or a model's view.
    eye_height
        Height of the camera over the ground, m, which gives pixels their scale; None takes 1.6 m, or typical
        storey heights in views from above.
    corrections
        What a user says was read wrongly: a corrections file, or what was read of one. None takes the file beside
        the capture ("quay.reading.toml" for "quay.png") if there is one. Exact structures need none.
    learned
        Let the learned reader settle what surfaces are; without it rules alone do.
    cache
        Keep the reading in the user's cache folder, by the capture's content.

    Raises
    ------
    StructureError
        When there is nothing to read, or a correction cannot be understood or met.
    """
    if capture.exact is not None:
        return capture.exact
    if eye_height is not None and not 0.05 <= eye_height <= 2000:
        raise StructureError(f"An eye height of {eye_height} m is not plausible; give metres above the ground")
    given = corrections if isinstance(corrections, Corrections) else corrections_for(capture, corrections)
    key = f"{capture.digest}-{eye_height or 0:.3f}-{capture.north:.2f}"
    if given.text:
        key += "-" + hashlib.sha256(given.text.encode()).hexdigest()[:12]
    if not learned:
        key += "-rules"
    structure = cached_structure(key) if cache else None
    if structure is None:
        if "depth" in capture.passes:
            structure = structure_from_passes(capture)
        else:
            structure = _read_pixels(capture, eye_height or given.eye_height, given, learned, progress)
        if cache:
            keep_structure(key, structure)
    origin = {**capture.origin, "eye_height": eye_height, "learned": learned}
    if given.text:
        origin["corrections"] = given.text
    return replace(structure, image=capture.image, textured=capture.textured, origin=origin)


def _read_pixels(
    capture: Capture, eye_height: float | None, given: Corrections, learned: bool, progress: Progress | None
) -> Structure:
    encoded = encode_8_bit(capture.image)
    notes = ["Some of it as corrected by hand"] if given.text else []
    report(progress, "Reading lines", 0.0)
    segments = find_segments(encoded)
    report(progress, "Reading regions", 0.1)
    labels, pure, sky, planting, signs = _find_regions(capture, encoded, segments)
    shaded = capture.kind not in DRAWN
    labels = correct_regions(labels, given.surface)
    labels, sky, settled = corrected_sky(labels, sky, given.surface)
    report(progress, "Reading the camera", 0.5)
    camera, frame = _read_camera(capture, segments, given, notes)
    see_through = capture.kind == "line" and shows_hidden_lines(encoded, segments)
    if see_through:
        notes.append(WIREFRAME)
    report(progress, "Reading planes", 0.6)
    colour = _colours(capture, encoded, labels, pure)
    regions = measure_regions(labels, colour)
    by_hand = capture.kind == "sketch"
    families = find_families(segments, camera, frame.label, by_hand=by_hand)
    sides = line_sides(labels, segments)
    ceiling = ground = 0
    if sky and not settled:
        sky, ceiling, ground = tell_sky(sky, regions, camera, segments, sides, families, drawn=not shaded)
    if not sky and camera.rotation[2, 2] > FROM_HIGH_UP:
        families = find_families(segments, camera, frame.label, by_hand=by_hand, indoors=True)
    if sky and not shaded and not settled and (more := more_sky(sky, regions, camera, segments, sides, families)):
        labels = np.where(np.isin(labels, more), sky, labels)
        regions, sides = measure_regions(labels, colour), line_sides(labels, segments)
    if shaded:
        planting += green_crowns(regions, sides, encoded.mean(axis=2), pure, {sky, *planting})
    else:
        planting += drawn_crowns(regions, sides, sky)
        planting += drawn_hills(regions, camera, sides, families, sky, planting)
    # In a finished picture light falls off over flat surfaces too.
    by_shade = shaded and capture.kind != "finished"
    rounds = find_round(encoded, regions, camera, pure, {sky, *planting}, by_shade) | round_crowns(regions, planting)
    cards = sorted({*planting, *rounds})
    lit = shaded and is_lit(regions, sky)
    frontal = is_elevation(camera)
    if given.camera.view:
        frontal = given.camera.view == "elevation"
    if given.camera.view == "plan" or (frontal and not given.camera.view):
        plan = find_plan(regions, sure=given.camera.view == "plan")
        if plan is not None:
            return _read_plan(capture, camera, frame, regions, segments, encoded, plan, given, notes)
    fans = [] if frontal else find_fans(regions, [sky, *cards], lit=shaded)
    free = [face for fan in fans for face in fan.faces]
    if frontal:
        camera = squarely(camera)
        planes = front_planes(regions, sky, cards)
    else:
        planes = choose_planes(
            regions, camera, segments, sides, families, sky=sky, cards=sorted({*cards, *free}), lit=lit, by_hand=by_hand,
            ceiling=ceiling, ground=ground,
        )  # fmt: skip
        planes = turn_fans(planes, fans, regions, camera)
    report(progress, "Reading depth", 0.8)
    seen = _Seen(
        regions, segments, sides, families, sky, planting, rounds | {face: fan.drum for fan in fans for face in fan.faces},
        free, signs, lit, shaded, frontal, learned, eye_height, given,
    )  # fmt: skip
    read = _read_surfaces(seen, camera, correct_planes(planes, regions, camera, given.surface))
    if not frontal and (lain := lie_level(read.planes, regions, camera, read.roles, read.sure)) is not None:
        read = _read_surfaces(seen, camera, correct_planes(lain, regions, camera, given.surface))
    notes.append(read.said)
    return _assemble(
        capture, read.camera, frame, regions, segments, encoded, read.planes.normal, read.distance, read.roles,
        read.planes.sure * read.sure * (DOUBT if see_through else 1.0), sky, rounds, tuple(notes),
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Seen:
    """What is read of a picture before depth and roles; `free` regions stand by themselves."""

    regions: Regions
    segments: np.ndarray
    sides: np.ndarray
    families: Families
    sky: int
    planting: list[int]
    rounds: dict[int, Round]
    free: list[int]
    signs: list[int]
    lit: bool
    shaded: bool
    frontal: bool
    learned: bool
    eye_height: float | None
    given: Corrections


@dataclass(frozen=True, eq=False)
class _Read:
    """Camera and planes to scale, `distance` (R,) m, the sentence about the scale, roles and how `sure` (R,) they are."""

    camera: Camera
    planes: Planes
    distance: np.ndarray
    said: str
    roles: list[str]
    sure: np.ndarray


def _read_surfaces(seen: _Seen, camera: Camera, planes: Planes) -> _Read:
    """How far away the chosen planes are and what they are."""
    regions, given, sky = seen.regions, seen.given, seen.sky
    anchor = _ground(regions, planes.kind, planes.normal, sky)
    planes, distance = _read_depth(seen, camera, planes, anchor)
    camera, distance, said = to_scale(
        camera, regions, planes.normal, distance, eye_height=seen.eye_height, length=known_length(given), anchor=anchor,
        custom=customary_size(regions, sky) if seen.frontal else None, coloured=seen.shaded,
    )  # fmt: skip
    if seen.frontal:
        camera = on_the_ground(camera, regions, sky)
    outdoors = is_outdoors(
        regions, camera, planes.normal, float(distance[anchor]), sky, seen.planting, coloured=seen.shaded
    )
    roles, sure = guess_roles(
        regions, camera, planes.kind, planes.normal, distance, sky=sky, planting=seen.planting, rounds=seen.rounds,
        anchor=anchor, outdoors=outdoors, coloured=seen.shaded, learned=seen.learned,
    )  # fmt: skip
    for region in earth(regions, sky) if seen.frontal else ():
        roles[region] = "ground"
    for region in seen.signs:
        roles[region] = "sign"
    roles, sure = correct_roles(roles, sure, regions, given.surface)
    if seen.frontal:
        planes = correct_planes(slope_roofs(planes, regions, camera, roles, sky), regions, camera, given.surface)
        distance = relief(regions, camera, planes, roles, distance, sky)
    return _Read(camera, planes, distance, said, roles, sure)


def _read_depth(seen: _Seen, camera: Camera, planes: Planes, anchor: int) -> tuple[Planes, np.ndarray]:
    """How far each plane (R,) is, and the planes, of which what lies like treads and risers is mended by that."""
    regions, segments, sides, families = seen.regions, seen.segments, seen.sides, seen.families
    uprights = upright_edges(segments, sides, families)

    def solve(planes: Planes) -> np.ndarray:
        if seen.frontal:
            return flat_distance(regions)
        carried = carried_faces(segments, sides, families, planes.normal, seen.sky)
        return solve_offsets(
            regions, camera, planes.kind, planes.normal, seen.sky, anchor, EYE_HEIGHT, lit=seen.lit, carried=carried,
            uprights=uprights, free=seen.free,
        )  # fmt: skip

    distance = solve(planes)
    mended = level_risers(regions, planes, distance) if camera.projection == "perspective" else None
    if mended is None:
        return planes, distance
    planes = correct_planes(mended, regions, camera, seen.given.surface)
    return planes, solve(planes)


def _read_plan(
    capture: Capture, camera: Camera, frame: Frame, regions: Regions, segments: np.ndarray, encoded: np.ndarray, plan: Plan,
    given: Corrections, notes: list[str],
) -> Structure:  # fmt: skip
    """A view from straight above, in which all stands as high as its role is by custom."""
    camera = from_above(camera)
    planes = correct_planes(level_planes(regions), regions, camera, given.surface)
    camera, distance, said = to_scale(
        camera, regions, planes.normal, flat_distance(regions), eye_height=None, length=known_length(given),
        anchor=int(plan.outside[0]), custom=(plan.thickness, OUTER_WALL, OUTER_WALL_SAID),
    )  # fmt: skip
    notes += ["Read as a plan, cut through its walls", said]
    roles, role_sure = correct_roles(*plan_roles(regions, plan), regions, given.surface)
    return _assemble(
        capture, camera, frame, regions, segments, encoded, planes.normal, distance - plan_heights(roles), roles,
        planes.sure * role_sure, 0, {}, tuple(notes),
    )  # fmt: skip


def _find_regions(capture: Capture, encoded: np.ndarray, segments: np.ndarray):
    """Labels, which pixels are pure, the sky, planting and signs, as `find_regions` tells them, by the kind of capture."""
    if capture.kind == "sketch":
        return find_drawn_regions(encoded, segments)
    if capture.kind == "line":
        closed = np.where(bridges(segments, encoded.shape[:2])[..., None], encoded.min(axis=(0, 1)), encoded)
        return find_regions(closed, drawing=True)
    return find_regions(encoded, lossy=capture.lossy, smoothed=capture.textured is not None)


def _colours(capture: Capture, encoded: np.ndarray, labels: np.ndarray, pure: np.ndarray) -> np.ndarray:
    """Mean 8-bit colours (R, 3) of what each label's `pure` pixels show."""
    colour = zone_means(encoded, np.where(pure, labels, 0))
    colour = np.pad(colour, ((0, int(labels.max()) + 1 - len(colour)), (0, 0)))
    if capture.kind == "line":
        # Where lines leave no clean paper between them, it is of the same colour all the same.
        colour[1:][~colour[1:].any(axis=1)] = colour[np.bincount(labels.ravel()).argmax()]
    return colour


def _read_camera(capture: Capture, segments: np.ndarray, given: Corrections, notes: list[str]) -> tuple[Camera, Frame]:
    """The camera over the world's origin and the frame it was told from; what the lines do not tell goes into `notes`."""
    size = capture.size
    lines = segments
    if capture.textured is not None and capture.kind != "finished":
        # Courses and boards run with the building; a photo's clouds and ripples do not.
        lines = np.concatenate([segments, find_segments(capture.textured)])
    frame = estimate_frame(lines, size, noise=NOISE * (3.0 if capture.kind == "sketch" else 1.0))
    if frame is not None:
        frame = replace(frame, label=frame.label[: len(segments)])
    if frame is None or frame.share < 0.25:
        notes.append(
            "The lines do not tell the camera; a level view of normal width is assumed: give horizon and focal"
        )
        frame = _level_frame(segments, size[0])
    elif not frame.observed and given.camera.focal is None:
        notes.append(
            "The focal length cannot be seen in this view; a normal lens is assumed: give focal, or two vanishing points"
        )
    frame = _world_frame(correct_frame(frame, given.camera, size))
    return _camera(frame, size), frame


def _level_frame(segments: np.ndarray, width: int) -> Frame:
    angle = np.radians(35.0)
    axes = np.array([[np.cos(angle), 0, np.sin(angle)], [-np.sin(angle), 0, np.cos(angle)], [0, -1.0, 0]])
    return Frame(PRIOR_FOCAL * width, np.zeros(2), axes, np.full(len(segments), -1), 0.0, False)


def _world_frame(frame: Frame) -> Frame:
    """The same frame with its first axis east and its second north, so turned that the view heads nearest north."""
    a, b, up = frame.axes
    if np.cross(a, b) @ up < 0:
        b = -b
    turns = [(a, b, False), (b, -a, True), (-a, -b, False), (-b, a, True)]
    east, north, swapped = max(turns, key=lambda t: t[1][2])
    label = np.where(frame.label == 0, 1, np.where(frame.label == 1, 0, frame.label)) if swapped else frame.label
    return replace(frame, axes=np.stack([east, north, up]), label=label)


def _camera(frame: Frame, size: tuple[int, int]) -> Camera:
    """The camera over the world's origin."""
    projection = "parallel" if frame.make == "parallel" else "perspective"
    focal = frame.focal if projection == "perspective" else size[0] / PARALLEL_SPAN
    middle = frame.centre + np.array(size) / 2
    matrix = np.array([[focal, 0, middle[0]], [0, focal, middle[1]], [0, 0, 1.0]])
    return Camera(matrix, frame.axes.T.copy(), np.array([0.0, 0.0, EYE_HEIGHT]), projection, size)


def _ground(regions, kinds: np.ndarray, normals: np.ndarray, sky: int) -> int:
    """The level region that things stand on: large, low, and dry if there is a dry one."""
    level = np.flatnonzero((kinds == LEVEL) & (normals[:, 2] > 0) & (regions.area > 0))
    level = level[level != sky]
    if not len(level):
        rest = regions.area.copy()
        rest[[0, sky]] = 0
        return int(rest.argmax())
    colour = regions.colour[level]
    wet = colour[:, 2] > colour[:, 0] + 12
    score = regions.area[level] * np.where(wet, 0.12, 1.0) * (0.3 + regions.box[level, 3] / regions.labels.shape[0])
    return int(level[score.argmax()])


def _assemble(
    capture, camera, frame, regions, segments, encoded, normals, distance, roles, sure, sky, rounds, notes
) -> Structure:
    import pandas as pd

    height, width = encoded.shape[:2]
    ground = [
        r
        for r, role in enumerate(roles)
        if role in ("paving", "lawn", "floor", "slab", "ground") and normals[r][2] > 0.9
    ]
    biggest = max(ground, key=lambda r: regions.area[r]) if ground else None
    eye = float(distance[biggest]) if biggest is not None else EYE_HEIGHT
    camera = replace(camera, position=np.array([0.0, 0.0, eye]))
    ink = ink_colour(encoded, find_ink(encoded))
    coverage = border_coverage(encoded, regions.labels, regions.colour, ink)
    # From here on the sky is 0.
    ids = np.arange(len(regions.area), dtype=np.int32)
    if sky:
        ids[sky] = 0
    final_normals = normals.copy()
    final_normals[sky if sky else 0] = 0
    final_normals[0] = 0

    def depth_of(region, x, y):
        depth = np.full(len(region), np.inf, np.float32)
        solid = np.flatnonzero(region > 0)
        own = region[solid]
        depth[solid] = depth_on_planes(camera, final_normals, distance, own, x[solid], y[solid])
        for number, curve in rounds.items():
            at = np.flatnonzero(region == number)
            depth[at] -= curve.radius(camera, depth[at]) * curve.relief(x[at], y[at])[2]
        return np.maximum(depth, NEAREST)

    def normal_of(region, x, y):
        out = final_normals[region].astype(np.float32)
        for number, curve in rounds.items():
            at = np.flatnonzero(region == number)
            right, down, towards = curve.relief(x[at], y[at])
            facing, up = final_normals[number], UP
            if not curve.upright:
                # A ball turns its middle to the eye, from above and below too.
                facing = -camera.rays(*np.array(curve.centre)[:, None])[1][0].astype(float)
                facing /= np.linalg.norm(facing)
            side = np.cross(UP, facing)
            side /= np.linalg.norm(side)
            if not curve.upright:
                up = np.cross(facing, side)
            out[at] = right[:, None] * side - down[:, None] * up + towards[:, None] * facing
        return out

    coverage = replace(coverage, labels=ids[coverage.labels], second=ids[coverage.second])
    fragments = make_fragments(coverage, depth_of, normal_of)
    region_map = coverage.labels
    ys, xs = np.mgrid[0:height, 0:width]
    centres = xs.ravel() + 0.5, ys.ravel() + 0.5
    depth = depth_of(region_map.ravel(), *centres).reshape(height, width)
    normal = normal_of(region_map.ravel(), *centres).reshape(height, width, 3)
    rows = []
    for region in range(1, len(regions.area)):
        if region == sky or regions.area[region] == 0:
            continue
        n = final_normals[region]
        rows.append({
            "id": region, "role": roles[region], "name": "", "material": "",
            "colour": tuple(float(c) for c in decode_srgb(regions.colour[region] / 255.0)), "opacity": 1.0,
            "nx": n[0], "ny": n[1], "nz": n[2], "offset": float(n @ camera.position - distance[region]),
            "area_px": int(regions.area[region]), "confidence": float(sure[region]),
        })  # fmt: skip
    table = pd.DataFrame(rows, columns=list(STRUCTURE_COLUMNS))
    weight = table["area_px"].to_numpy(float)
    confidence = (
        float(np.average(table["confidence"], weights=weight)) * (0.4 + 0.6 * frame.share) if len(table) else 0.0
    )
    vanishing = (np.linalg.inv(camera.rotation) @ frame.axes.T).T
    return Structure(
        camera=camera, regions=region_map, depth=depth, normal=normal,
        fragments=fragments, lines=segments.astype(np.float32), surfaces=table, confidence=confidence,
        kind=capture.kind, vanishing=vanishing, digest=capture.digest, notes=(*capture.removed, *notes),
        north=capture.north,
    )  # fmt: skip
