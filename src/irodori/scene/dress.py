"""Putting finishes and light onto a structure."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

import numpy as np
import pandas as pd

from irodori.brief import Brief
from irodori.brief.settings import development_of, settings_of
from irodori.brief.understand import brief_in
from irodori.core.colour import blackbody_rgb, luminance
from irodori.core.errors import IrodoriError
from irodori.core.liberty import ARTICULATION, DETAIL, LIFE, LOOSE, USUAL, read_liberty
from irodori.core.model import Mesh
from irodori.core.recipe import CHANCES, BriefChoice, DevelopmentChoice, Recipe
from irodori.core.scene import LampTables, Light, Scene, Shown
from irodori.core.structure import Structure
from irodori.engine.rays.ray_scene import present_kernel
from irodori.entourage import read_entourage
from irodori.entourage.catalogue import check_season
from irodori.entourage.entourage_list import EntourageList
from irodori.finishes import FINISHES, Finish, Schedule, read_schedule
from irodori.finishes.slots import KINDS, SLOT
from irodori.light import make_light, read_lamps
from irodori.light.in_recipes import light_decisions
from irodori.light.lamps import LampSchedule
from irodori.light.seal import seal_of, sealed
from irodori.scene import far_shore
from irodori.scene.additions import Additions, add_entourage, protected_surfaces
from irodori.scene.articulation import articulate, members_of
from irodori.scene.asked import Acted, Asked, ask, asked_again, not_done, without_kinds
from irodori.scene.assign import Assignment, all_surfaces, assign_finishes
from irodori.scene.coursing import set_out_courses
from irodori.scene.detail import colours_of_leaves, found_detail, kept_detail
from irodori.scene.growing.grow import grow
from irodori.scene.growing.season import found_in_season, in_season
from irodori.scene.horizon import horizon_of
from irodori.scene.lamps import KELVIN, lamp_tables, lamps_of
from irodori.scene.life import people_in
from irodori.scene.masked import mask_texts, part_surfaces, read_masks
from irodori.scene.missing_rooms import room_frames
from irodori.scene.neighbours import settle
from irodori.scene.solids import solids_from_structure
from irodori.scene.unshade import unshaded_colours

OUTDOORS = 0.02
"""Share of sky in the view from which it is outdoors."""

UNDER_A_CEILING = 0.03
"""Share of ceiling in the view from which it is of a room."""

OUTSIDE, INSIDE = "golden hour", "morning, lamps on"
"""Lights of views when nobody says one."""

FEWEST_UNITS = {"boards": 1.6, "seams": 1.6, "courses": 1.2}
"""Units across a member under which it is one piece, without joints."""

IN_THE_CROWN = 0.6
"""Share of the light on a crown read as one mass that its leaves, which shade each other, give back of what one alone would."""

LEAF_REFLECTANCE, LEAF_PURITY = 0.15, 0.72
"""Reflectance of foliage to daylight, a little over that of single leaves' published 0.1 since they are kept as found."""


GROWN_OVER = ("context", "lawn", "ground")
"""Roles of what may be green with grass or woods."""


def dress(
    structure: Structure,
    finishes: str | Path | Schedule | None = None,
    light: str | Light | None = None,
    *,
    catalogue: str | Path | None = None,
    lamps: str | Path | LampSchedule | None = None,
    entourage: str | Path | EntourageList | None = None,
    season: str | None = None,
    life: str | None = None,
    exposure: float | None = None,
    seed: int = 7,
    kept_seeds: Mapping[str, int] | None = None,
    brief: str | Brief | BriefChoice | None = None,
    avoid: str = "",
    liberty: float | str = USUAL,
) -> Scene:
    """Put finishes, light and entourage onto a structure.

    Parameters
    ----------
    structure
        From `read_structure`.
    finishes
        A finish schedule: path to CSV or TOML, its text, or None (finishes by role, the rest as found).
    light
        A named setting, a place and moment, or a `Light`; None: as the brief says, else as `usual_light` has it.
    catalogue
        Finishes of the user's own that the schedule names: path to TOML in the form of our catalogue, or its text.
    lamps
        A lamp schedule: path to CSV or TOML, its text, or None (lamps by their names in the model, else by size).
    entourage
        A list of what to add where: path to CSV or TOML, its text, or None. Additions never cover architecture unless
        their entry asks for it; `scene.shown.listed` says what became of each.
    season
        "spring", "summer", "autumn" or "winter", for plants whose entry names none; None: as the brief says, else summer.
    life
        People besides those of the list: "none", "few" (two or three), "lively" (five to twelve), a number as digits, or "usual" for the place;
        None: as the brief says, else none.
    exposure
        Stops on top of the automatic exposure; None: as the brief says, else 0.
    seed, kept_seeds
        What all chance in the picture depends on; other seeds for some of "sky", "planting", "people", "wear".
    brief, avoid
        What is wanted and what is not, in words; or what `irodori.understand` made of them, or what a recipe keeps of that. What is
        given beside it goes before it. `scene.acted` says what became of each phrase.
    liberty
        How much may be added that the capture does not show: 0 … 1 or a name, see `irodori.core.liberty`. What asks for more is not
        done, and `scene.unmatched` says so.


    Raises
    ------
    BriefError, FinishError, LightError, EntourageError
        When the schedule, the light, or the entourage list cannot be understood.
    IrodoriError
        When the structure has no surface.
    """
    brief = brief_in(brief, avoid)
    said = settings_of(brief, {"light": light if isinstance(light, str) else None}) if isinstance(brief, Brief) else {}
    dressing = prepare(
        structure, finishes, catalogue=catalogue, lamps=lamps, entourage=entourage, season=season or str(said.get("season", "summer")),
        life=life or str(said.get("life", "none")), seed=seed, kept_seeds=kept_seeds, brief=brief, liberty=read_liberty(liberty),
    )  # fmt: skip
    if exposure is None:
        exposure = float(said.get("exposure", 0.0))  # type: ignore[arg-type]
    if light is None:
        light = unsaid_light(structure, brief)
    return dressing.under(light, exposure=exposure)


def unsaid_light(structure: Structure, brief: Brief | BriefChoice | None) -> str:
    """The light of a view when only a brief may say one: its own, or the usual one."""
    said = settings_of(brief, {"light": None}) if isinstance(brief, Brief) else {}
    return str(said["light"]) if "light" in said else usual_light(structure)


def usual_light(structure: Structure) -> str:
    """The light that a view is shown in when nobody says one: low sun outdoors, a clear morning with the lamps on in rooms."""
    if (structure.regions == 0).mean() >= OUTDOORS or structure.camera.projection == "parallel":
        return OUTSIDE
    role = structure.surfaces.set_index("id")["role"]
    above = np.isin(structure.regions, role.index[role == "ceiling"]).mean()
    return INSIDE if above >= UNDER_A_CEILING else OUTSIDE


@dataclass(frozen=True, eq=False)
class Dressing:
    """A structure with all but its light; `under` gives the scene in one. Several lights share one dressing."""

    structure: Structure
    mesh: Mesh
    shown: Shown
    finishes: tuple[Finish, ...]
    finish_of: np.ndarray
    tint: np.ndarray
    axis: np.ndarray
    courses: tuple[np.ndarray, np.ndarray]
    rooms: np.ndarray
    sun_reach: float
    skyline: np.ndarray | None
    as_found: np.ndarray | None
    lamps: LampTables
    assignments: tuple[dict, ...]
    unmatched: tuple[str, ...]
    seed: int
    recipe: Recipe
    acted: tuple[Acted, ...] = ()

    @cached_property
    def _rows(self) -> np.ndarray:
        return np.stack([f.row for f in self.finishes]).astype(np.float32)

    def under(self, light: str | Light, *, exposure: float = 0.0) -> Scene:
        """The scene in a light, as `dress` gives it. Raises LightError."""
        structure = self.structure
        if isinstance(light, Light):
            lit = light if not exposure else _brighter(light, exposure)
        else:
            lit = make_light(light, north=structure.north, exposure=exposure, facing=structure.camera.facing)
        decided, stops = light_decisions(lit)
        lamps = self.lamps
        if lit.lamp_kelvin:
            lamps = replace(
                lamps, colour=np.tile(blackbody_rgb(lit.lamp_kelvin).astype(np.float32), (len(lamps.colour), 1))
            )
        return Scene(
            structure=structure, shown=self.shown, mesh=self.mesh, finish_of=self.finish_of, finishes=self._rows,
            finish_names=tuple(f.name for f in self.finishes), tint=self.tint,
            axis=self.axis, courses=self.courses, light=lit, seed=self.seed, lamps=lamps,
            as_found=self.as_found, rooms=self.rooms, room_colour=blackbody_rgb(lit.lamp_kelvin or KELVIN), sun_reach=self.sun_reach, skyline=self.skyline,
            assignments=self.assignments, unmatched=self.unmatched, recipe=self.recipe.but(light=decided, exposure=stops), acted=self.acted, soiled=self.recipe.liberty >= DETAIL,
        )  # fmt: skip


def prepare(
    structure: Structure, finishes: str | Path | Schedule | None = None, *, catalogue: str | Path | None = None,
    lamps: str | Path | LampSchedule | None = None, entourage: str | Path | EntourageList | None = None,
    season: str = "summer", life: str = "none", seed: int = 7, kept_seeds: Mapping[str, int] | None = None,
    brief: Brief | BriefChoice | None = None, liberty: float = USUAL, gone: Sequence[int] = (),
) -> Dressing:  # fmt: skip
    """Dress a structure for several lights; the parameters are those of `dress`. `gone`: which additions, by their places in
    `scene.shown.listed`, are left out."""
    if not len(structure.surfaces):
        raise IrodoriError("The structure has no surfaces: there is nothing to dress")
    check_season(season)
    # What was built or changed in Python is written out in full; what was just read from a text says what that says.
    schedule = finishes.in_full() if isinstance(finishes, Schedule) else read_schedule(finishes, catalogue=catalogue)
    additions = entourage.in_full() if isinstance(entourage, EntourageList) else read_entourage(entourage)
    fixtures = lamps.in_full() if isinstance(lamps, LampSchedule) else read_lamps(lamps)
    masks = read_masks(schedule, structure.size)
    structure, masked = part_surfaces(structure, masks)
    beyond_liberty = [f"life '{life}' needs a liberty of {LIFE:g}"] if life != "none" and liberty < LIFE else []
    shown_life = "none" if beyond_liberty else life
    seeds = {part: (kept_seeds or {}).get(part, seed) for part in CHANCES}
    people = people_in(structure, shown_life, seeds["people"])
    settled = settle(structure, seeds["planting"]) if shown_life != "none" else []
    detail = found_detail(structure)
    assignments, unmatched, scheduled = assign_finishes(structure, schedule, detail, masked)
    given, without = lamps_of(structure, all_surfaces(structure), fixtures)
    glowing = FINISHES["lamp"]
    assignments = [Assignment(a.surface, glowing, "lamp schedule") if a.surface in given else a for a in assignments]
    mesh = structure.mesh or solids_from_structure(structure)
    asked, kept = Asked(), BriefChoice()
    if isinstance(brief, Brief):
        asked = ask(brief, structure, mesh, assignments, scheduled, seed=seed, liberty=liberty)
        kept = asked.kept(brief)
    elif brief is not None:
        asked, kept = asked_again(brief), brief
    assignments = asked.assigned(assignments, scheduled)
    members = []
    if liberty >= ARTICULATION:
        members = members_of(structure, mesh, assignments, scheduled | asked.surfaces, seed)
        assignments = articulate(structure, assignments, scheduled | asked.surfaces, seed)
    if liberty < DETAIL:
        assignments = [replace(a, finish=a.finish.but(age=0.0)) if a.finish.age else a for a in assignments]
    assignments = in_season(assignments, season, seeds["planting"])
    # Some ids are kept for the far shore, which views of rooms have not.
    own = int(max(structure.surfaces["id"].max(), mesh.surface.max(initial=0), *mesh.parts)) + 1
    beyond = own + len(far_shore.PARTS)
    # Of all surfaces: behind a crown some may show that were hidden.
    protected = protected_surfaces(structure, own)
    growth = grow(structure, mesh, assignments, scheduled, protected, liberty, first=beyond, seed=seeds["planting"])
    assignments, blades = growth.assignments, growth.blades
    dressed, laid = growth.structure, growth.mesh
    plots = [entry for some in settled for entry in some.plot]
    far = horizon_of(structure) if liberty >= LIFE else []
    around = without_kinds(EntourageList((*people.entries, *plots, *far)), asked.unwanted)
    everything = EntourageList((*growth.entries, *additions.entries, *asked.entourage.entries, *around.entries))
    added = add_entourage(
        dressed, laid, everything, settled, members, season=season, seed=seeds["planting"], first=beyond + len(blades), gone=gone,
    )  # fmt: skip
    acted = asked.after(added.listed if added else ())
    new = (*blades, *(added.surfaces if added else ()))
    bank = [FINISHES[name] for name, _ in far_shore.PARTS]
    chosen, finish_of = _palette(assignments, [*bank, *(f for _, f in new)], _breadths(mesh, own), own)
    count = len(finish_of)
    leafed = np.zeros(count, bool)
    leafed[:own] = growth.leafed
    kind = np.array([f.row[SLOT["kind"]] for f in chosen])[finish_of]
    leaves = np.array([f.name == "foliage" for f in chosen])[finish_of]
    slopes = np.isin(np.arange(count), [surface for role in GROWN_OVER for surface in structure.of_role(role)])
    tint = found_in_season(_tints(structure, leaves, leafed), leaves, slopes, season, seeds["planting"])
    tint = np.clip(tint, 0.02, 0.85)
    tint[own:beyond] = [colour for _, colour in far_shore.PARTS]
    whole, sun_reach, skyline = _with_horizon(structure, laid, added, own)
    recipe = Recipe(
        source=structure.origin, reading=structure.reading, structure=structure.digest, catalogue=schedule.catalogue,
        finishes=schedule.text, masks=mask_texts(masks), lamps=fixtures.text, photometry=fixtures.files,
        entourage=additions.text, season=season, life=life, seed=seed, kept_seeds=dict(kept_seeds or {}), rays=present_kernel(), brief=kept, liberty=liberty,
        development=DevelopmentChoice(**development_of(brief)) if isinstance(brief, Brief) else DevelopmentChoice(),
    )  # fmt: skip
    return Dressing(
        structure, whole, _shown(dressed, new, added, growth.covered, beyond, count), tuple(chosen), finish_of, tint,
        mesh.measures.upto(count).laying, set_out_courses(structure, mesh, chosen, finish_of),
        _rooms(structure, whole, kind, liberty), sun_reach, skyline,
        # The leaves of crowns that were grown have another texture than the one found.
        kept_detail(detail, structure.regions, np.array([f.as_found for f in chosen])[finish_of] & ~leafed),
        lamp_tables(whole, kind == KINDS.index("lamp"), given, _names(structure, new, beyond)),
        tuple({"surface": a.surface, "finish": a.finish.name, "why": a.reason} for a in assignments),
        (*unmatched, *without, *not_done(acted), *beyond_liberty), seed, recipe, acted,
    )  # fmt: skip


def _rooms(structure: Structure, mesh: Mesh, kind: np.ndarray, liberty: float) -> np.ndarray:
    """Rooms to be imagined behind glass, (S, 4); none without the liberty for it."""
    if liberty < LOOSE:
        return np.zeros((len(kind), 4), np.float32)
    return room_frames(structure, mesh, kind == KINDS.index("glass"))


def _brighter(light: Light, stops: float) -> Light:
    """A light with a further correction to its exposure, which it tells of."""
    told = {**light.parameters, "exposure": light.parameters.get("exposure", 0.0) + stops}
    brighter = replace(light, exposure=light.exposure + stops, parameters=told)
    return sealed(brighter) if light.parameters.get("seal") == seal_of(light) else brighter


def _breadths(mesh: Mesh, count: int) -> np.ndarray:
    """The second largest side of each surface's bounding box, (S,) m; inf where it has no triangles."""
    size = mesh.measures.upto(count)
    sides = np.sort(size.high - size.low, axis=1)[:, 1]
    return np.where(size.area > 0, sides, np.inf)


def _names(structure: Structure, added: tuple, first: int) -> pd.DataFrame:
    """Names by which lamps are known: the model's, and the kinds of additions'."""
    own = all_surfaces(structure)[["id", "name", "material"]]
    new = [{"id": first + i, "name": part.lamp, "material": ""} for i, (part, _) in enumerate(added) if part.lamp]
    return pd.concat([own, pd.DataFrame(new)], ignore_index=True) if new else own


def _palette(
    assignments: list[Assignment], added: list[Finish], narrow: np.ndarray, first: int
) -> tuple[list[Finish], np.ndarray]:
    """The finishes used, and which of them each surface has, (S,) int32; `added` are those of surfaces from `first` on."""
    chosen, finish_of = [FINISHES["as found"]], np.zeros(first + len(added), np.int32)
    # Rules share their finish objects, so identity tells finishes apart; additions repeat theirs by value.
    index, plain = {id(FINISHES["as found"]): 0}, {}
    for item in assignments:
        finish = item.finish
        fewest = FEWEST_UNITS.get(finish.pattern, 0)
        if narrow[item.surface] < fewest * min(finish.unit):
            finish = plain[id(finish)] if id(finish) in plain else plain.setdefault(id(finish), finish.only_unit())
        if id(finish) not in index:
            index[id(finish)] = len(chosen)
            chosen.append(finish)
        finish_of[item.surface] = index[id(finish)]
    same: dict[bytes, int] = {}
    for number, finish in enumerate(added):
        key = finish.row.tobytes()
        if key not in same:
            same[key] = len(chosen)
            chosen.append(finish)
        finish_of[first + number] = same[key]
    return chosen, finish_of


def _tints(structure: Structure, leaves: np.ndarray, leafed: np.ndarray) -> np.ndarray:
    """The colour of each surface as it came in, (S, 3); `leaves` (S,) bool, and which of them were grown into crowns, `leafed`."""
    table = all_surfaces(structure)
    if structure.mesh is None:
        table = table.assign(colour=unshaded_colours(table))
    tint = np.full((len(leaves), 3), 0.5, np.float32)
    tint[table["id"].to_numpy()] = np.array([list(c) for c in table["colour"]], np.float32)
    if structure.mesh is None:
        for surface, colour in colours_of_leaves(structure, np.flatnonzero(leaves)).items():
            tint[surface] = colour
    tint[leaves] = as_leaves(tint[leaves])
    if structure.mesh is None:
        tint[leaves & ~leafed] *= IN_THE_CROWN
    return tint


def _shown(
    structure: Structure, new: tuple, added: Additions | None, covered: list[np.ndarray], first: int, count: int
) -> Shown:
    """What is seen: the structure's fragments, with what grows there and the additions before them. `covered` (H, W) each are the
    shares of pixels under what grows, `new` the surfaces that were added, from the id `first` on."""
    loose, panes = np.zeros(count, bool), np.zeros(count, bool)
    loose[structure.of_role("planting")] = True
    panes[structure.of_role("glazing")] = True
    for number, (part, _) in enumerate(new):
        loose[first + number] = part.role == "planting"
    if added is not None:
        covered = [*covered, added.covered]
    hidden = np.maximum.reduce(covered) if covered else None
    if added is None:
        return Shown(structure.fragments, loose, panes, hidden)
    return Shown(added.fragments, loose, panes, hidden, added.listed)


def as_leaves(colour: np.ndarray) -> np.ndarray:
    """A modeller's green (N, 3) as leaves have it: they reflect a tenth of the light, and not so pure a colour."""
    value = luminance(colour)[:, None]
    muted = value + (colour - value) * LEAF_PURITY
    return muted * np.minimum(1.0, LEAF_REFLECTANCE / np.maximum(value, 1e-6))


def _with_horizon(
    structure: Structure, mesh: Mesh, added: Additions | None, surface: int
) -> tuple[Mesh, float, np.ndarray | None]:
    """The mesh with additions and, outdoors, a bank behind the camera as surfaces from `surface` on; how far off these begin, m;
    and what of the sky the bank hides."""
    eye, reach, skyline = structure.camera.position[:2], np.inf, None
    if (structure.regions == 0).mean() >= OUTDOORS:
        bank = far_shore.far_shore(structure.camera, mesh)
        if bank is not None:
            mesh = mesh.with_triangles(bank.triangles, surface + bank.part)
            reach, skyline = _nearest(bank.triangles, eye), bank.skyline
    if added:
        mesh = mesh.with_triangles(added.mesh.triangles, added.mesh.surface)
        reach = min(reach, _nearest(added.mesh.triangles[added.far], eye))
    return mesh, reach, skyline


def _nearest(triangles: np.ndarray, eye: np.ndarray) -> float:
    """Level distance of the nearest corner from the eye, a little less for the sides between; inf without any."""
    if not len(triangles):
        return np.inf
    return 0.99 * float(np.linalg.norm(triangles[..., :2].reshape(-1, 2) - eye, axis=1).min())
