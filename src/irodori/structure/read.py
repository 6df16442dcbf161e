"""Reading the structure of a capture."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from pathlib import Path

from irodori.core.capture import Capture
from irodori.core.corrections import Corrections
from irodori.core.errors import StructureError
from irodori.core.recipe import Reading
from irodori.core.structure import Structure
from irodori.core.work.progress import Progress, report
from irodori.structure.assemble import assemble
from irodori.structure.cache import cached_structure, keep_structure
from irodori.structure.camera.read_camera import search_frames
from irodori.structure.corrections.file import corrections_for
from irodori.structure.flat_views.elevation import is_elevation
from irodori.structure.from_passes import structure_from_passes
from irodori.structure.glance.glance import glance_at
from irodori.structure.show.doubts import doubts
from irodori.structure.stages.areas import find_areas
from irodori.structure.stages.background import tell_background
from irodori.structure.stages.faces import is_flat, seen_areas
from irodori.structure.stages.lens import usual_lens
from irodori.structure.stages.page import look_at_page
from irodori.structure.stages.reading import Told
from irodori.structure.stages.routes import choose_route
from irodori.structure.stages.view import read_view

BY_HAND = "Some of it as corrected by hand"


def read_structure(
    capture: Capture, *, eye_height: float | None = None, corrections: Corrections | str | Path | None = None,
    say: str = "", learned: bool = True, cache: bool = True, progress: Progress | None = None,
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
    say
        More of it in one line, as "640,700 water; horizon 410; scene room"; `irodori.core.corrections.parse_said`.
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
    if say:
        given = given.and_said(say)
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
            structure = read_pixels(capture, eye_height or given.eye_height, given, learned, progress)
        if cache:
            keep_structure(key, structure)
    reading = Reading(eye_height=eye_height, learned=learned, corrections=given)
    return replace(
        structure, image=capture.image, textured=capture.textured, origin=capture.origin, reading=reading
    )  # fmt: skip


def read_pixels(
    capture: Capture, eye_height: float | None, given: Corrections, learned: bool, progress: Progress | None
) -> Structure:
    """The structure from pixels alone, stage by stage."""
    report(progress, "Reading lines", 0.0)
    page = look_at_page(capture)
    report(progress, "Reading regions", 0.1)
    areas = find_areas(page, given)
    report(progress, "Reading the camera", 0.5)
    frames = search_frames(page.capture, page.segments)
    view, glance = read_view(page, frames, given), None
    if learned:
        glance = glance_at(page.encoded)
        # How what is seen square on faces, lines tell better than a glance.
        view = view if glance is None or is_elevation(view.camera) else read_view(page, frames, given, glance)
    if glance is not None:
        glance = replace(glance, trusted=not is_elevation(view.camera) and is_flat(page, areas))
        areas = seen_areas(page, areas, view, given, glance)
    report(progress, "Reading planes", 0.6)
    background = tell_background(page, areas, view, given, glance)
    lens = usual_lens(view, background)
    if lens is not None and given.camera.focal is None:
        view = view.through(lens)
        background = tell_background(page, areas, view, given, glance)
    told = Told(page, areas, view, background, given, eye_height, learned)
    route = choose_route(told)
    report(progress, "Reading depth", 0.8)
    surfaces = route(told)
    structure = assemble(told, surfaces, (BY_HAND,) if given.text else ())
    seems = "" if glance is None or given.camera.scene else glance.scene
    return replace(structure, notes=(*structure.notes, *doubts(structure, seems)))
