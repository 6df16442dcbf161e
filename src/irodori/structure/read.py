"""Reading the structure of a capture."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from pathlib import Path

import numpy as np

from irodori.core.camera import Camera
from irodori.core.capture import DRAWN, Capture
from irodori.core.colour import encode_8_bit
from irodori.core.errors import StructureError
from irodori.core.progress import Progress, report
from irodori.core.segments import find_segments
from irodori.core.structure import Structure
from irodori.core.zones import zone_means
from irodori.structure.assemble import assemble
from irodori.structure.cache import cached_structure, keep_structure
from irodori.structure.correct import (
    correct_planes,
    correct_regions,
    correct_roles,
    corrected_sky,
    known_length,
    turned_by_hand,
)
from irodori.structure.corrections import Corrections, corrections_for
from irodori.structure.crowns import drawn_crowns, drawn_hills, green_crowns, green_hills
from irodori.structure.curves import Curves, tell_curves
from irodori.structure.cylinders import Cylinder
from irodori.structure.drawn_regions import bridges
from irodori.structure.elevation import (
    flat_distance,
    front_planes,
    is_elevation,
    squarely,
)
from irodori.structure.facets import find_balls
from irodori.structure.families import find_families
from irodori.structure.fans import find_fans, turn_fans
from irodori.structure.find_regions import find_drawn_regions, find_regions
from irodori.structure.frame import Frame
from irodori.structure.from_passes import structure_from_passes
from irodori.structure.open_sky import empty_sky, more_sky, rest_of_dim_sky, tell_sky
from irodori.structure.orientation import choose_planes, lie_level
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
from irodori.structure.read_camera import read_camera
from irodori.structure.regions import Regions, line_sides, measure_regions
from irodori.structure.ridges import under_ridges
from irodori.structure.round import find_round, round_crowns
from irodori.structure.scale import to_scale
from irodori.structure.see_through import shows_hidden_lines
from irodori.structure.surfaces import Seen, read_surfaces
from irodori.structure.tones import is_lit

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
    labels, sky, empty = empty_sky(labels, sky, capture.alpha)
    labels = correct_regions(labels, given.surface)
    labels, sky, settled = corrected_sky(labels, sky, given.surface)
    settled |= empty and sky > 0
    report(progress, "Reading the camera", 0.5)
    camera, frame = read_camera(capture, segments, given, notes)
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
    more: list[int] = []
    if sky and not settled:
        if shaded:
            more = rest_of_dim_sky(sky, regions, encoded)
        else:
            more = more_sky(sky, regions, camera, segments, sides, families)
    if more:
        labels = np.where(np.isin(labels, more), sky, labels)
        regions, sides = measure_regions(labels, colour), line_sides(labels, segments)
    balls = find_balls(regions, [sky, *planting, *signs]) if shaded else {}
    for ball, (faces, _) in balls.items():
        labels = np.where(np.isin(labels, faces), ball, labels)
    if balls:
        regions, sides = measure_regions(labels, _colours(capture, encoded, labels, pure)), line_sides(labels, segments)
    if shaded:
        planting += green_crowns(regions, sides, encoded.mean(axis=2), pure, {sky, *planting})
        hills = green_hills(regions, camera, sides, families, sky, {sky, *planting})
    else:
        planting += drawn_crowns(regions, sides, sky)
        hills = drawn_hills(regions, camera, sides, families, sky, planting)
    # In a finished picture light falls off over flat surfaces too.
    by_shade = shaded and capture.kind != "finished"
    crowns, planting = round_crowns(regions, planting), [*planting, *hills]
    turned = turned_by_hand(regions, given.surface)
    rounds = find_round(encoded, regions, camera, pure, {sky, *planting, *turned}, by_shade) | crowns
    rounds |= {ball: curve for ball, (_, curve) in balls.items() if ball not in {*planting, *turned}}
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
    cylinders: dict[int, Cylinder] = {}
    if frontal:
        camera = squarely(camera)
        planes = front_planes(regions, sky, cards)
    else:
        planes = choose_planes(
            regions, camera, segments, sides, families, sky=sky, cards=sorted({*cards, *free}), leafy=planting, lit=lit,
            by_hand=by_hand, ceiling=ceiling, ground=ground,
            slopes=under_ridges(regions, camera, segments, sides, families) - {sky, *cards},
        )  # fmt: skip
        planes = turn_fans(planes, fans, regions, camera)
        planes, curves = tell_curves(
            regions, camera, planes, families.ways, Curves(rounds, {}, planting, hills), sky=sky, leave={*free, *turned},
            drawn=not shaded, by_hand=by_hand,
        )  # fmt: skip
        rounds, cylinders, planting, hills = curves
    report(progress, "Reading depth", 0.8)
    seen = Seen(
        regions, segments, sides, families, sky, planting, hills, rounds | {face: fan.drum for fan in fans for face in fan.faces},
        free, signs, cylinders, lit, shaded, frontal, learned, eye_height, given,
    )  # fmt: skip
    read = read_surfaces(seen, camera, correct_planes(planes, regions, camera, given.surface))
    if not frontal and (lain := lie_level(read.planes, regions, camera, read.roles, read.sure)) is not None:
        read = read_surfaces(seen, camera, correct_planes(lain, regions, camera, given.surface))
    notes.append(read.said)
    return assemble(
        capture, read.camera, frame, regions, segments, encoded, read.planes.normal, read.distance, read.roles,
        read.planes.sure * read.sure * (DOUBT if see_through else 1.0), sky, rounds, cylinders, tuple(notes),
    )  # fmt: skip


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
    return assemble(
        capture, camera, frame, regions, segments, encoded, planes.normal, distance - plan_heights(roles), roles,
        planes.sure * role_sure, 0, {}, {}, tuple(notes),
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
