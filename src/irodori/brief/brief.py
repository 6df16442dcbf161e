"""What a brief was understood as."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import pandas as pd


ON_SURFACES = ("finish", "colour", "tone", "surface")
"""Subjects of decisions on what surfaces are made of."""


@dataclass(frozen=True)
class Place:
    """Where a decision acts, in the lexicon's keys.

    Attributes
    ----------
    part
        What part of a building: "wall"; "" for none in particular, "everything" for all.
    of
        Which building: "kiosk".
    relation, to
        How it lies to something: "before", "hall"; "in", "foreground"; "on", "upper floor".
    others
        Parts that are left out of "everything".
    """

    part: str = ""
    of: str = ""
    relation: str = ""
    to: str = ""
    others: tuple[str, ...] = ()

    def __str__(self) -> str:
        text = self.part
        if self.of:
            text += f" of {self.of}" if text else self.of
        if self.to:
            text += f" {self.relation} {self.to}" if self.relation else f" {self.to}"
        if self.others:
            text += f" except {', '.join(self.others)}"
        return text.strip()


@dataclass(frozen=True)
class Decision:
    """One thing that a phrase decides.

    Attributes
    ----------
    subject
        "finish", "colour", "tone", "light", "weather", "season", "lamps", "life", "add", "leave out", "massing", "warmth", "exposure", "contrast",
        "glare", "development", "sun", "view", "look", "quality", "lens" or "mood".
    value
        What is decided, in our names.
    place
        Where it acts, for finishes, colours and things.
    details
        What is said besides: "dark", "40 mm", "aged 1".
    phrase
        The words that said it.
    start
        Where they begin in the brief; orders decisions, since later ones win.
    notes
        What was assumed, as sentences.
    overruled
        By what, when something else won; "" when it holds.
    """

    subject: str
    value: str
    place: Place = Place()
    details: tuple[str, ...] = ()
    phrase: str = ""
    start: int = 0
    notes: tuple[str, ...] = ()
    overruled: str = ""

    @property
    def line(self) -> str:
        """The decision in one line, as "finish roof of kiosk: sedum roof"."""
        if self.subject in ("finish", "colour", "tone"):
            return "; ".join((f"{self.subject} {self.place}: {self.value}", *self.details))
        if self.subject == "add":
            return "; ".join((f"add {self.value}: {self.details[0]}", *((str(self.place),) if str(self.place) else ())))
        text = f"{self.subject}: {self.value}" + (f" {' '.join(self.details)}" if self.details else "")
        return f"{text} {self.place}" if str(self.place) else text

    @property
    def is_whole(self) -> bool:
        """Whether it acts on the whole picture."""
        return self.subject not in (*ON_SURFACES, "add", "leave out", "massing")

    @property
    def words(self) -> str:
        """The phrase on one line."""
        return self.phrase.replace("\n", " ")

    def __str__(self) -> str:
        return self.line


@dataclass(frozen=True)
class Unknown:
    """Words that came to nothing: with the nearest known ones, or why ("": nobody knows them)."""

    phrase: str
    start: int
    nearest: tuple[str, ...] = ()
    why: str = ""

    @property
    def note(self) -> str:
        """What is to be told of it."""
        if self.why:
            return self.why
        return f"nearest known: {', '.join(self.nearest)}" if self.nearest else "no known words are near"


@dataclass(frozen=True)
class Brief:
    """A brief as it was understood; nothing in it is passed over in silence.

    Attributes
    ----------
    text, avoid
        The words.
    language
        Code of the language they were read in.
    decisions
        What they decide, in the order of the text; those of `avoid` last.
    unknown
        What was not understood.
    acts
        For each decision, where it was understood for a structure: the surfaces that it changes, their m², and what is to be told.
    """

    text: str
    avoid: str = ""
    language: str = "en"
    decisions: tuple[Decision, ...] = ()
    unknown: tuple[Unknown, ...] = ()
    acts: tuple[tuple[int, float, str], ...] = ()

    @property
    def holding(self) -> tuple[Decision, ...]:
        """The decisions that nothing overruled."""
        return tuple(d for d in self.decisions if not d.overruled)

    @property
    def lines(self) -> list[str]:
        """The decisions that hold, one line each."""
        return [d.line for d in self.holding]

    def value(self, subject: str) -> str | None:
        """What holds of a subject, the last word of it; None when the brief says nothing."""
        return next((d.value for d in reversed(self.holding) if d.subject == subject), None)

    def table(self) -> pd.DataFrame:
        """Phrase, decision, where it acts, and notes; what was not understood stands at the end."""
        import pandas as pd

        acts = self.acts or ((0, 0.0, ""),) * len(self.decisions)
        rows = []
        for d, (count, area, told) in zip(self.decisions, acts):
            where = str(d.place) + (f": {count} surfaces, {area:.1f} m²" if count else "")
            notes = (*d.notes, *((f"overruled: {d.overruled}",) if d.overruled else ()), *((told,) if told else ()))
            rows.append((d.phrase, _decided(d), where, "; ".join(notes)))
        rows += [(u.phrase, "not understood", "", u.note) for u in self.unknown]
        return pd.DataFrame(rows, columns=["phrase", "decision", "where", "note"])

    def __repr__(self) -> str:
        return f"<Brief: {len(self.holding)} decisions, {len(self.unknown)} phrases not understood>"

    def _repr_html_(self) -> str:
        return self.table()._repr_html_()


def _decided(decision: Decision) -> str:
    """A decision without its place, for a table that has a column for that."""
    return replace(decision, place=Place()).line.replace(" :", ":")
