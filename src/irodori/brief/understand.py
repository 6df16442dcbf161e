"""Understanding a brief."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from irodori.brief.brief import Brief, Decision
from irodori.brief.grammar import read
from irodori.brief.lexicon import FALLS, language, meanings
from irodori.brief.tokens import language_of, tokens_of
from irodori.core.errors import BriefError
from irodori.core.work import late

if TYPE_CHECKING:
    from irodori.core.recipe import BriefChoice
    from irodori.core.structure import Structure

LONGEST_TEXT = 20_000
"""Letters of the longest text that is taken for a brief."""

ONCE = (
    "light",
    "weather",
    "season",
    "lamps",
    "life",
    "development",
    "sun",
    "view",
    "look",
    "quality",
    "warmth",
    "exposure",
    "contrast",
    "glare",
)
"""Subjects of which only one thing can hold."""

DAY = ("dawn", "morning", "noon", "afternoon", "golden hour", "dusk", "blue hour", "night")
"""Lights in the order of a day."""

PAIRED = ("finish", "colour", "tone")
"""Subjects of which one place can have only one."""


def understand(
    text: str, structure: Structure | None = None, *, avoid: str = "", language_code: str | None = None
) -> Brief:  # fmt: skip
    """Read a brief.

    Parameters
    ----------
    text
        What is wanted, in plain words.
    structure
        What it is said of: the brief then tells on how many surfaces and m² each decision acts (`brief.acts`, `brief.table()`), and why
        where it cannot; None reads the words alone.
    avoid
        What is not wanted: things, materials, weathers, separated by commas.
    language_code
        "en" or "de"; None finds out.

    Returns
    -------
    Brief
        Its decisions, and the words that were not understood with the nearest that are.

    Raises
    ------
    BriefError
        When the text is no text, is too long, or there is no word list for the language.

    Notes
    -----
    Rules for words that cannot hold together: what is to be avoided before what is wanted, later before earlier.
    """
    for said in (text, avoid):
        if not isinstance(said, str) or "\0" in said:
            raise BriefError("A brief is a text: write what you want in plain words")
        if len(said) > LONGEST_TEXT:
            raise BriefError(f"A brief of {len(said):,} letters is too long to be read; keep to {LONGEST_TEXT:,}")
    known = language(language_code) if language_code else language_of(f"{text} {avoid}")
    decisions, unknown = read(tokens_of(text, known), text, known)
    unwanted, strange = read(tokens_of(avoid, known), avoid, known, avoided=True)
    decisions += [replace(d, start=d.start + len(text) + 1) for d in unwanted]
    brief = Brief(text, avoid, known.code, tuple(_settled(decisions)), (*unknown, *strange))
    return brief if structure is None else late.do("say where", brief, structure)


def brief_in(brief: str | Brief | BriefChoice | None, avoid: str) -> Brief | BriefChoice | None:
    """A brief however it is given: words are read, what was understood or kept in a recipe stays as it is. Raises BriefError."""
    return understand(brief or "", avoid=avoid) if isinstance(brief, str) or (brief is None and avoid) else brief


def _settled(decisions: list[Decision]) -> list[Decision]:
    """The decisions with those marked that another overrules."""
    out = list(decisions)
    if any(d.subject == "light" and d.value in DAY for d in out):
        # "a cloudy afternoon": the sky of that hour.
        out = [replace(d, subject="weather") if d.subject == "light" and d.value == "overcast" else d for d in out]
    for i, one in enumerate(out):
        for other in out[i + 1 :]:
            if _excludes(other, one):
                out[i] = replace(one, overruled=f"'{other.phrase}' comes later")
    unwanted = [d for d in out if d.subject == "leave out"]
    for i, one in enumerate(out):
        for no in unwanted:
            if not one.overruled and _forbids(no, one):
                out[i] = replace(one, overruled=f"'{no.phrase}' is to be left out")
    return out


def _excludes(later: Decision, earlier: Decision) -> bool:
    if later.subject in ONCE:
        return later.subject == earlier.subject and later.value != earlier.value
    if later.subject in PAIRED and earlier.subject in PAIRED:
        both_material = later.subject == earlier.subject or "finish" not in (later.subject, earlier.subject)
        return both_material and later.place == earlier.place and later.value != earlier.value
    return False


def _forbids(no: Decision, wanted: Decision) -> bool:
    if wanted.subject == "add":
        told = meanings()["thing"].get(no.value.removeprefix("bare "), {})
        names = {no.value, *told.get("any", ())} if not no.value.startswith("bare ") else set()
        return wanted.value in names and (not str(no.place) or no.place == wanted.place)
    if wanted.subject == "weather":
        return FALLS.get(no.value, no.value) == wanted.value
    return wanted.subject in ("light", "season", "mood") and no.value == wanted.value
