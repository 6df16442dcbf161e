"""The step that changes part of a finished picture."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np

from irodori.core.errors import IrodoriError
from irodori.core.recipe import Change, LightChoice, Recipe
from irodori.core.recipe.mask_text import mask_from_text
from irodori.core.scene import Scene
from irodori.core.selectors import Selector, matching_surfaces, names_of, parse_selector
from irodori.core.structure import Structure
from irodori.core.work.progress import Progress, report
from irodori.finishes import FINISHES, Rule, read_catalogue
from irodori.finishes.catalogue import find_finish
from irodori.picture import Picture, render
from irodori.picture.finished import FinishedPicture
from irodori.retouch.changed import changed, kept_surfaces, weights
from irodori.retouch.old_light import old_light
from irodori.retouch.patches import filled
from irodori.scene.additions import PROTECTED
from irodori.scene.assign import all_surfaces
from irodori.study.finished.without import without
from irodori.study.job import Job

INSIDE, MOSTLY = 0.5, 0.2
"""Share of a surface that lies in a mask, or of the mask that it fills, from which a finish for what is there means it."""

IN_PART = 0.7
"""Share of an addition's box in the picture that must lie in a part for it to go with that."""

TOO_MUCH = 0.7
"""Share of the picture beyond which nothing tells what stood there."""

EDGE = 2
"""px round what was put or removed that are changed with it: there it was mixed with what is behind."""


def structure_of(
    picture: FinishedPicture, of: Recipe, progress: Progress | None = None
) -> tuple[Structure, Path]:
    """What a finished picture shows, and its file, beside which other files are looked for. Raises IrodoriError where that has another size."""
    beside = Path(getattr(picture.recipe.source, "file", ""))
    job = Job(of, beside=beside)
    structure = job.read(job.open(progress), progress)
    if structure.size != picture.size:
        raise IrodoriError(
            f"The picture has {picture.size[0]} × {picture.size[1]} pixels, its structure {structure.size[0]} × {structure.size[1]}"
        )
    return structure, beside


def found_light(
    of: Recipe, structure: Structure, encoded: np.ndarray, beside: Path, progress: Progress | None = None
) -> Recipe:
    """The recipe of what a picture shows with its light, found out where it was not told."""
    return of.but(light=old_light(Job(of, beside=beside).dressing(structure), encoded, progress)) if _unlit(of) else of


def lit_as(recipe: Recipe, of: Recipe) -> Recipe:
    """The recipe in the light of another, where it tells of none."""
    return recipe.but(light=of.light) if _unlit(recipe) else recipe


def _unlit(recipe: Recipe) -> bool:
    return isinstance(recipe.light, LightChoice) and not recipe.light.name


def change_part(picture: FinishedPicture, step: Change, progress: Progress | None = None) -> FinishedPicture:
    """A finished picture with a part of it changed, as the step tells. Raises IrodoriError."""
    structure, beside = structure_of(picture, step.of, progress)
    part, meant = _part(structure, step)
    if step.remove and structure.mesh is None:
        # Of what stands behind things nothing is known but what shows around them.
        part = _edged(part)
        if part.mean() > TOO_MUCH:
            raise IrodoriError("So much is to go that nothing is left to rebuild it from; remove less")
        return _laid(picture, filled(picture.encoded, part), part, step)
    of = found_light(step.of, structure, picture.encoded, beside, progress)
    step = step.model_copy(update={"of": of, "by": lit_as(step.by, of)})
    as_is, to_be = Job(step.of, beside=beside), Job(_dressed(step, meant), beside=beside)
    old_scene = as_is.dress(structure)
    by_place = step.remove and not step.where
    gone = _standing(old_scene, part) if by_place else ()
    later = without(structure, meant) if step.remove and len(meant) else structure
    new_scene = to_be.dress(later, gone)
    old, new = rendered(old_scene, as_is.recipe, progress), rendered(new_scene, to_be.recipe, progress)
    same = step.of.light == step.by.light
    if same:
        new = new.exposed_as(old.facts.exposure)
    kept = kept_surfaces(old, new, _finishes(old_scene), _finishes(new_scene), same)
    report(progress, "Changing", 0.0)
    here = meant if step.where and not step.remove else np.zeros(0, np.int64)
    # What no model knows of goes as well.
    unknown = part if by_place and not len(gone) else None
    after = changed(picture.encoded, old, new, kept, here, same, step, unknown)
    if part is None or step.remove:
        part = _edged(after.apart) if part is None or step.where else part | _edged(after.apart)
    if not part.any():
        raise IrodoriError("Nothing of the picture would change; say another place, or what is to be put where it shows")
    if step.thrown:
        part = part | after.thrown
    return _laid(picture, after.whole, part, step)


def _laid(picture: FinishedPicture, whole: np.ndarray, part: np.ndarray, step: Change) -> FinishedPicture:
    """The picture with `whole` (H, W, 3) in a part of it (H, W) bool; elsewhere no pixel changes."""
    share = weights(part, step.soft)[..., None]
    encoded = np.where(share > 0, picture.encoded + share * (whole - picture.encoded), picture.encoded)
    return picture.after(step, encoded)


def _edged(part: np.ndarray) -> np.ndarray:
    """A part with what was mixed at its edge."""
    return cv2.dilate(part.astype(np.uint8), np.ones((2 * EDGE + 1, 2 * EDGE + 1), np.uint8)) > 0


def _part(structure: Structure, step: Change) -> tuple[np.ndarray | None, np.ndarray]:
    """The part that changes, (H, W) bool, None where what is put says it; and the ids of the surfaces that are meant."""
    height, width = structure.regions.shape
    part, meant = None, np.zeros(0, np.int64)
    if step.where:
        table = all_surfaces(structure)
        words = names_of(table)
        found: set[int] = set()
        for text in step.where:
            where = parse_selector(text)
            ids = (
                np.zeros(1, np.int64) if where == Selector("role", "sky") else matching_surfaces(structure, table, words, where)
            )
            if not len(ids):
                raise IrodoriError(f"'{text}' is nowhere in the picture; irodori read shows what was read")
            found |= set(map(int, ids))
            if step.remove and where.kind == "pixel":
                found |= set(map(int, _whole_things(structure, ids)))
        meant = np.array(sorted(found), np.int64)
        fragments = structure.fragments
        part = np.zeros(height * width, bool)
        part[fragments.pixel[np.isin(fragments.region, meant)]] = True
        part = part.reshape(height, width)
    for told in (_polygon(step.outline, (width, height)), mask_from_text(step.mask) if step.mask else None):
        if told is not None:
            if told.shape != (height, width):
                raise IrodoriError(f"The mask is {told.shape[1]} × {told.shape[0]} pixels, the picture {width} × {height}")
            part = told if part is None else part & told
    if part is not None:
        part = _grown(part, step.grow)
        if not part.any():
            raise IrodoriError("Nothing lies in the part that was told; give another place or a larger one")
        if not step.where:
            area = np.bincount(structure.regions.ravel())
            inside = np.bincount(structure.regions[part], minlength=len(area))
            wanted = inside > INSIDE * np.maximum(area, 1)
            if not step.remove:
                wanted |= inside > MOSTLY * part.sum()
            wanted[0] = False
            if step.remove:
                # A thing goes, the building that it stands before stays.
                built = structure.of_role(*PROTECTED)
                wanted[built[built < len(wanted)]] = False
            meant = np.flatnonzero(wanted & (inside > 0))
            if step.remove:
                meant = _whole_things(structure, meant)
    return part, meant


def _whole_things(structure: Structure, ids: np.ndarray) -> np.ndarray:
    """These surfaces and all that have their names: a thing goes as a whole, with its sides that are not seen."""
    table = all_surfaces(structure)
    names = set(table.loc[table["id"].isin(ids) & (table["name"] != ""), "name"])
    return np.union1d(ids, table.loc[table["name"].isin(names), "id"]).astype(np.int64)


def _standing(scene: Scene, part: np.ndarray) -> tuple[int, ...]:
    """Which additions, by their places in the list, stand in a part of the picture (H, W) bool."""
    out = []
    for place, item in enumerate(scene.shown.listed):
        if "box" not in item or item["state"].startswith("left out"):
            continue
        left, top, right, bottom = item["box"]
        if part[max(top, 0) : bottom + 1, max(left, 0) : right + 1].mean() > IN_PART:
            out.append(place)
    return tuple(out)


def _polygon(corners: tuple[tuple[float, float], ...], size: tuple[int, int]) -> np.ndarray | None:
    if not corners:
        return None
    out = np.zeros((size[1], size[0]), np.uint8)
    cv2.fillPoly(out, [np.rint(np.array(corners)).astype(np.int32)], 1)
    return out > 0


def _grown(mask: np.ndarray, by: int) -> np.ndarray:
    if not by:
        return mask
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * abs(by) + 1, 2 * abs(by) + 1))
    work = cv2.dilate if by > 0 else cv2.erode
    return work(mask.astype(np.uint8), disc) > 0


def _dressed(step: Change, meant: np.ndarray) -> Recipe:
    """What it is to show, with the finish for what is meant."""
    by = step.by
    if not step.finish:
        return by
    known = FINISHES | (read_catalogue(by.catalogue) if by.catalogue else {})
    if not (meant > 0).any():
        raise IrodoriError("No surface lies there that could be made of something; say which with --where")
    rule = Rule("", Selector("surface", tuple(map(int, meant[meant > 0]))), find_finish(step.finish, known))
    schedule = Job(by).finish_schedule()
    schedule = replace(schedule, rules=(*schedule.rules, rule), text="").in_full()
    return by.but(finishes=schedule.text, catalogue=schedule.catalogue or by.catalogue)


def rendered(scene: Scene, recipe: Recipe, progress: Progress | None = None) -> Picture:
    """A scene rendered as a recipe tells."""
    return Job(recipe).finish(render(scene, recipe.quality, progress=progress), progress)


def _finishes(scene: Scene) -> np.ndarray:
    """The name of each surface's finish, (S,) str."""
    return np.array(scene.finish_names)[scene.finish_of]
