"""Acting on a brief: which surfaces change to what, which things come where, and what could not be done."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import pandas as pd

from irodori.brief import Brief, Decision
from irodori.brief.brief import ON_SURFACES, Place
from irodori.brief.lexicon import colour_of, meanings
from irodori.core.colour import hex_to_linear, linear_to_hex
from irodori.core.errors import FinishError
from irodori.core.liberty import LIFE, LOOSE, MASSING, USUAL
from irodori.core.model import Mesh
from irodori.core.recipe import BriefChoice
from irodori.core.selectors import Selector
from irodori.core.structure import Structure
from irodori.entourage import EntourageList, Entry
from irodori.entourage.catalogue import ENTOURAGE
from irodori.entourage.entourage_list import Where
from irodori.finishes import FINISHES, Finish, Rule, Schedule, read_schedule
from irodori.finishes.catalogue import LAYING
from irodori.finishes.usual import DRAWN_BY_ROLE
from irodori.scene.asked.areas import areas_of
from irodori.scene.asked.places import Places
from irodori.scene.asked.spots import SOME, spots_for
from irodori.scene.assign import Assignment, all_surfaces

LIVING = ("broadleaf", "conifer", "shrub", "clipped", "hedge", "grass", "bed", "climber", "person", "horizon")
"""Forms of what is planted, lives, or stands far away."""

DARKER, LIGHTER = 0.42, 0.5
"""Share of its light that a colour keeps when it is made darker; share of the way to white when lighter."""


@dataclass(frozen=True)
class Acted:
    """What became of one decision: the surfaces it changed, their m² (as read), and a sentence where something is to be told."""

    decision: Decision
    surfaces: tuple[int, ...] = ()
    area: float = 0.0
    note: str = ""
    done: bool = True

    @classmethod
    def refused(cls, decision: Decision, why: str) -> Acted:
        """One that could not be done."""
        return cls(decision, note=why, done=False)


@dataclass(frozen=True)
class Asked:
    """What a brief comes to in a scene.

    Attributes
    ----------
    finishes
        A rule for each surface that it changes.
    entourage
        The things it brings, at places in the world.
    acted
        What became of each decision.
    unwanted
        Kinds of things that are to be left out.
    """

    finishes: Schedule = field(default_factory=lambda: Schedule(()))
    entourage: EntourageList = field(default_factory=lambda: EntourageList(()))
    acted: tuple[Acted, ...] = ()
    unwanted: tuple[str, ...] = ()

    def assigned(self, assignments: Sequence[Assignment], scheduled: set[int]) -> list[Assignment]:
        """Assignments with the brief's; what the finish schedule says of a surface goes before."""
        rules = self._rules
        return [
            Assignment(a.surface, rules[a.surface].finish, f"brief: {rules[a.surface].note}")
            if a.surface in rules and a.surface not in scheduled
            else a
            for a in assignments
        ]

    def after(self, listed: Sequence[dict]) -> tuple[Acted, ...]:
        """What became of each decision, once it is known what became of the things (`scene.shown.listed`)."""
        states = {item["mark"]: item["state"] for item in listed}
        own: dict[str, list[str]] = {}
        for entry in self.entourage.entries:
            own.setdefault(entry.note, []).append(states.get(entry.mark, "placed"))
        out = []
        for one in self.acted:
            found = own.get(one.decision.words, []) if one.decision.subject == "add" and one.done else []
            lost = [s for s in found if s.startswith("left out") or s.endswith("not in sight")]
            if lost:
                why = "it would cover architecture" if lost[0].startswith("left out") else "it is not in sight there"
                one = replace(one, done=len(lost) < len(found), note=f"{len(lost)} of {len(found)} left out: {why}")
            out.append(one)
        return tuple(out)

    @property
    def surfaces(self) -> set[int]:
        """The surfaces that it changes."""
        return set(self._rules)

    @property
    def _rules(self) -> dict[int, Rule]:
        """The finishes' rules by surface."""
        return {int(rule.where.value): rule for rule in self.finishes.rules}  # type: ignore[call-overload]

    def kept(self, brief: Brief) -> BriefChoice:
        """What a recipe keeps of it."""
        full = self.finishes.in_full()
        said = tuple(
            (d.phrase, d.line if not d.overruled else f"{d.line} (overruled: {d.overruled})") for d in brief.decisions
        )
        missed = tuple((u.phrase, "not understood") for u in brief.unknown)
        return BriefChoice(
            text=brief.text, avoid=brief.avoid, language=brief.language, decided=(*said, *missed), finishes=full.text,
            catalogue=full.catalogue, entourage=self.entourage.in_full().text, unwanted=self.unwanted,
        )  # fmt: skip


def asked_again(kept: BriefChoice) -> Asked:
    """What a recipe keeps of a brief, as it was decided then; no word is read again. Raises FinishError, EntourageError."""
    from irodori.entourage import read_entourage

    return Asked(
        read_schedule(kept.finishes or None, catalogue=kept.catalogue or None),
        read_entourage(kept.entourage or None),
        (),
        kept.unwanted,
    )


def of_decisions(brief: Brief, acted: Sequence[Acted]) -> list[Acted | None]:
    """What became of each of a brief's decisions; None for those that were overruled."""
    known = {(a.decision.start, a.decision.line): a for a in acted}
    return [known.get((d.start, d.line)) for d in brief.decisions]


def not_done(acted: Sequence[Acted]) -> tuple[str, ...]:
    """What could not be done, a sentence each."""
    return tuple(f"brief: '{a.decision.phrase}': {a.note}" for a in acted if not a.done and a.note)


def ask(
    brief: Brief,
    structure: Structure,
    mesh: Mesh,
    assignments: Sequence[Assignment],
    scheduled: set[int],
    *,
    seed: int,
    liberty: float = USUAL,
) -> Asked:
    """What a brief comes to on a structure.

    Parameters
    ----------
    mesh
        The structure's triangles, or the solids made for a reading.
    assignments
        What its surfaces have without the brief.
    scheduled
        Surfaces whose finish the schedule says: it goes before the brief.
    """
    table = all_surfaces(structure)
    places = Places(structure, table, mesh)
    surfaces = _Surfaces(structure, mesh, table.set_index("id"), places, assignments, scheduled)
    acted = [surfaces.act(d) for d in sorted(_with_moods(brief), key=_breadth)]
    entries: list[Entry] = []
    for decision in brief.holding:
        if decision.subject == "add":
            needed = _liberty_for(decision)
            if liberty < needed:
                acted.append(Acted.refused(decision, f"it needs a liberty of {needed:g}, and {liberty:g} is given"))
                continue
            done, new = _things(places, decision, seed)
            acted.append(done)
            entries += [replace(e, mark=f"B{len(entries) + n:02d}") for n, e in enumerate(new, 1)]
    unwanted = [d for d in brief.holding if d.subject == "leave out"]
    acted += [_left_out(d, structure) for d in unwanted]
    acted += [_massed(d, structure, liberty) for d in brief.holding if d.subject == "massing"]
    acted += [Acted(d) for d in brief.holding if d.is_whole]
    return Asked(
        surfaces.schedule(),
        EntourageList(tuple(entries)),
        tuple(sorted(acted, key=lambda a: a.decision.start)),
        _kinds(unwanted),
    )


def _with_moods(brief: Brief) -> list[Decision]:
    """The decisions on finishes, moods' before those that were said."""
    out = []
    for mood in (d for d in brief.holding if d.subject == "mood"):
        for part, finish in meanings()["mood"][mood.value].get("finish", {}).items():
            out.append(Decision("finish", finish, Place(part), (), mood.phrase, mood.start, ("by mood",)))
    return out + [d for d in brief.holding if d.subject in ON_SURFACES]


def _breadth(decision: Decision) -> tuple:
    """Broad decisions first: the narrower one holds, and among equals the later."""
    place = decision.place
    return ("by mood" not in decision.notes, place.part != "everything", bool(place.of), bool(place.to), decision.start)


class _Surfaces:
    """Finishes as they change decision by decision."""

    def __init__(
        self, structure: Structure, mesh: Mesh, table: pd.DataFrame, places: Places, assignments: Sequence[Assignment],
        scheduled: set[int],
    ) -> None:  # fmt: skip
        self.places, self.scheduled = places, scheduled
        self.finish = {a.surface: a.finish for a in assignments}
        self.changed: dict[int, str] = {}
        self.colour, self.role = table["colour"], table["role"]
        self.area = areas_of(structure, mesh, int(table.index.max()) + 1)

    def act(self, decision: Decision) -> Acted:
        ids, note = self.places.surfaces(decision.place)
        ids = np.array([i for i in ids.tolist() if i in self.finish], int)
        free = [i for i in ids.tolist() if i not in self.scheduled]
        if len(ids) and not free:
            return Acted.refused(decision, "the finish schedule says what it is made of, and goes before the brief")
        if not free:
            return Acted.refused(decision, note or "no surface can take it")
        if len(free) < len(ids):
            note = note or f"{len(ids) - len(free)} more have a finish by schedule, which goes before the brief"
        notes = [note] if note else []
        for i in free:
            try:
                self.finish[i] = self._new(i, decision, notes)
            except FinishError as error:
                return Acted.refused(decision, str(error))
            self.changed[i] = decision.words
        return Acted(decision, tuple(free), float(self.area[free].sum()), "; ".join(dict.fromkeys(notes)))

    def _new(self, surface: int, decision: Decision, notes: list[str]) -> Finish:
        base = self.finish[surface]
        if decision.subject == "finish":
            base = FINISHES[decision.value]
        elif base.name == "as found":
            base = (
                FINISHES[DRAWN_BY_ROLE.get(str(self.role[surface]), "painted plaster")]
                if decision.subject == "colour"
                else base
            )
        if decision.subject == "colour":
            base = base.changed(colour=colour_of(decision.value))
        details = (decision.value, *decision.details) if decision.subject == "tone" else decision.details
        if decision.subject == "surface":
            details = tuple(decision.value.split("; "))
        for detail in details:
            base = self._detailed(base, surface, detail, notes)
        return base

    def _detailed(self, finish: Finish, surface: int, detail: str, notes: list[str]) -> Finish:
        if size := re.fullmatch(r"(\d+(?:\.\d+)?)(?: x (\d+(?:\.\d+)?))? mm", detail):
            first = float(size[1]) / 1000
            second = float(size[2]) / 1000 if size[2] else first * finish.unit[1] / max(finish.unit[0], 1e-6)
            return finish.changed(size=(first, min(second, 50.0)))
        if detail.startswith("aged "):
            return finish.changed(age=0.35 if detail.endswith("1") else 0.7)
        if detail in ("glossy", "polished"):
            return finish.changed(gloss=0.88)
        if detail == "matt":
            return finish.changed(gloss=0.12)
        if detail in ("dark", "darker", "light", "lighter"):
            own = np.array(self.colour[surface], float) if finish.as_found else hex_to_linear(finish.colour)
            shifted = own * DARKER if detail.startswith("dark") else own + (1 - own) * LIGHTER * 0.6
            if detail.startswith("light"):
                shifted = np.maximum(shifted, own * 1.5)
            return finish.changed(colour=linear_to_hex(np.clip(shifted, 0.004, 0.85)))
        if detail.startswith("#") or detail in meanings()["colour"]:
            return finish.changed(colour=colour_of(detail))
        if detail in LAYING:
            return finish.changed(laying=detail)
        if detail == "new":
            return finish.changed(age=0.0)
        notes.append(f"'{detail}' says nothing of {finish.name}")
        return finish

    def schedule(self) -> Schedule:
        rules = [Rule("", Selector("surface", i), self.finish[i], self.changed[i]) for i in sorted(self.changed)]
        return Schedule(tuple(rules)).in_full()


def _massed(decision: Decision, structure: Structure, liberty: float) -> Acted:
    """Massing is changed before a view is taken; here it is told whether it was."""
    if liberty < MASSING:
        return Acted.refused(decision, f"it needs a liberty of {MASSING:g}, and {liberty:g} is given")
    if getattr(structure.origin, "massing", ()):
        return Acted(decision, note="no proof against the model as it came")
    return Acted.refused(
        decision, "massing is changed on models, before their view is taken; here is only what was read"
    )


def _liberty_for(decision: Decision) -> float:
    """The liberty from which a thing may be added."""
    kind = ENTOURAGE[meanings()["thing"][decision.value]["kind"]]
    return LIFE if kind.form in LIVING else LOOSE


def _things(places: Places, decision: Decision, seed: int) -> tuple[Acted, list[Entry]]:
    told = meanings()["thing"][decision.value]
    kind = ENTOURAGE[told["kind"]]
    if decision.place.to == "horizon" or kind.form == "horizon":
        return Acted(decision), [Entry("", kind, Where("horizon"), note=decision.words)]
    count = SOME.get(kind.form, 4) if decision.details[0] == "some" else int(decision.details[0])
    height = next((float(d.split()[0]) / 1000 for d in decision.details[1:] if d.endswith("mm")), None)
    points, note = spots_for(places, kind, decision.place, count, seed)
    if not len(points):
        return Acted.refused(decision, note), []
    rng = np.random.default_rng([seed, 5])
    people = bool(told.get("people"))
    entries = [
        Entry(
            "", kind, Where("at", (tuple(np.round(point, 3).tolist()),)), height=height, facing=round(float(rng.uniform(-180, 180)), 1) if people else None,
            over=kind.form not in ("broadleaf", "conifer", "shrub", "hedge"), note=decision.words,
        )
        for point in points
    ]  # fmt: skip
    return Acted(decision, (), 0.0, note), entries


def _left_out(decision: Decision, structure: Structure) -> Acted:
    """What avoiding comes to: additions are left out; what the model or capture shows cannot be taken away."""
    key = decision.value.removeprefix("bare ")
    role = {
        "car": "vehicle",
        "rowing boat": "vehicle",
        "bicycle": "vehicle",
        "tree": "planting",
        "person": "person",
    }.get(key)
    if role and len(structure.of_role(role)):
        return Acted(
            decision, (), 0.0, f"what the capture or model shows of {role} stays: geometry is not taken away", True
        )
    return Acted(decision, (), 0.0, "none are added")


def _kinds(unwanted: Sequence[Decision]) -> tuple[str, ...]:
    out: list[str] = []
    for decision in unwanted:
        told = meanings()["thing"].get(decision.value.removeprefix("bare "), {})
        out += told.get("any", [told["kind"]] if "kind" in told else [])
        if decision.value in ("child", "person"):
            out += [
                name
                for name, kind in ENTOURAGE.items()
                if kind.form == "person" and (decision.value == "person" or name == "child")
            ]
    return tuple(dict.fromkeys(out))


def without_kinds(entourage: EntourageList, unwanted: Sequence[str]) -> EntourageList:
    """A list without entries of unwanted kinds."""
    if not unwanted:
        return entourage
    return replace(
        entourage, entries=tuple(e for e in entourage.entries if e.kind.name not in unwanted), text=""
    ).in_full()


__all__ = ["Acted", "Asked", "ask", "asked_again", "not_done", "without_kinds"]
