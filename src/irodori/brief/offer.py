"""Words offered: the vocabulary by subject, completions of half a brief, fuller briefs in several directions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from irodori.brief.brief import Brief
from irodori.brief.lexicon import Language, language, meanings, split_words
from irodori.brief.understand import PAIRED, understand
from irodori.core.errors import BriefError, unknown_name

SUBJECTS = {
    "material": "what surfaces are made of", "part": "parts of buildings and places", "building": "buildings and places, by their names",
    "place": "where: in the picture, or on the building", "colour": "colours", "modifier": "how a material is laid, aged, or treated",
    "light": "times of day", "sun": "where the sun stands, seen from here", "weather": "weather", "month": "months", "season": "seasons", "lamps": "lamps", "life": "people in general", "thing": "things to add",
    "mood": "moods and styles, each a set of decisions", "adjust": "changes against what there is", "view": "views of a model",
    "quality": "how much work a picture is", "massing": "changes of a model's massing, at liberty 1", "lens": "what a lens does", "look": "what it is drawn as",
}  # fmt: skip
"""Subjects of the vocabulary, and a line about each."""

DIRECTIONS = (
    ("evening", {"light": "dusk", "lamps": "warm", "weather": "after rain", "life": "few", "adjust": "soft"}),
    ("bright day", {"light": "morning", "weather": "cumulus", "season": "summer", "life": "lively", "adjust": "crisp"}),
    ("quiet", {"light": "dawn", "weather": "fog", "season": "autumn", "life": "none", "adjust": "soft"}),
    ("late sun", {"light": "golden hour", "season": "autumn", "life": "few", "lamps": "on"}),
    ("winter", {"season": "winter", "weather": "light snow", "light": "blue hour", "lamps": "warm", "life": "few"}),
    ("soft grey", {"light": "overcast", "weather": "", "life": "few", "adjust": "soft"}),
    ("night", {"light": "night", "lamps": "warm", "life": "few", "weather": "clear"}),
)  # fmt: skip
"""Directions in which a short brief can be filled out."""

FINISHED = {"wall": ("larch", "brick", "render", "charred timber", "travertine", "slate"), "roof": ("zinc", "slate", "clay tiles", "copper"), "paving": ("granite slabs", "setts", "gravel"), "floor": ("oak parquet", "terrazzo", "polished concrete")}  # fmt: skip
"""Materials that fill a part of which nothing was said."""

GROWN = ("birch", "hornbeam hedge", "lavender", "feather grass", "cherry", "maple")


def vocabulary(subject: str | None = None, language_code: str = "en") -> list[tuple[str, str, str]]:
    """What can be said.

    Parameters
    ----------
    subject
        One of `SUBJECTS`; None for all.

    Returns
    -------
    list of (subject, what it means in our names, the words for it)

    Raises
    ------
    BriefError
        When there is no such subject or language.
    """
    if subject is not None and subject not in SUBJECTS:
        raise BriefError(unknown_name("subject of words", subject, SUBJECTS))
    known = language(language_code)
    rows = []
    for name in SUBJECTS if subject is None else (subject,):
        for key in meanings()[name]:
            words = [
                known.spelt[stems]
                for stems, found in known.phrases.items()
                if any(m.subject == name and m.key == key for m in found)
            ]
            if words:
                rows.append((name, _meaning(name, key), ", ".join(words)))
    return rows


def _meaning(subject: str, key: str) -> str:
    told = meanings()[subject][key]
    if subject == "material":
        return f"{told['finish']} ({told['usual']})"
    if subject == "thing":
        return told.get("kind", key)
    if subject == "mood":
        return "; ".join(
            f"{k} {v}" if k != "finish" else ", ".join(f"{p}: {f}" for p, f in v.items()) for k, v in told.items()
        )
    return key


def complete(text: str, count: int = 8, *, language_code: str = "en") -> list[str]:
    """Ways in which half a brief may go on, the likeliest first; each is the whole text with its last words completed.

    >>> complete("a zinc roof, charred ti")[0]
    'a zinc roof, charred timber'
    """
    known = language(language_code)
    for words in range(3, 0, -1):
        tail = _tail(text, words)
        if tail is None:
            continue
        stub = tail.casefold()
        found = sorted(
            {p for stems, p in known.spelt.items() if p.casefold().startswith(stub) and p.casefold() != stub and known.phrases[stems][0].subject in SUBJECTS},
            key=lambda p: (len(p), p),
        )  # fmt: skip
        if found:
            return [text[: len(text) - len(tail)] + phrase for phrase in found[:count]]
    return _going_on(text, known, count)


def _tail(text: str, words: int) -> str | None:
    """The last few words of a text, as they stand there."""
    clause = text.replace(";", ",").replace(".", ",").rpartition(",")[2]
    pieces = clause.split()
    if len(pieces) < words or text.endswith((" ", ",")):
        return None
    tail = " ".join(pieces[-words:])
    start = text.rfind(tail)
    return text[start:] if start >= 0 else None


def _going_on(text: str, known: Language, count: int) -> list[str]:
    """What a whole brief does not say yet."""
    brief = understand(text, language_code=known.code)
    said = {d.subject for d in brief.decisions}
    out = []
    for subject, keys in (("light", ("dusk", "golden hour", "morning")), ("weather", ("after rain", "cumulus")), ("life", ("few", "lively")), ("season", ("autumn", "summer"))):  # fmt: skip
        if subject not in said:
            out += [f"{text.rstrip(' ,')}, {_spelt(known, subject, key)}" for key in keys]
    return out[:count]


@dataclass(frozen=True)
class Expansion:
    """A fuller brief: its text, the direction it takes, and the phrases that were added."""

    text: str
    direction: str
    added: tuple[str, ...]

    @property
    def marked(self) -> str:
        """The text with what was added in square brackets."""
        out = self.text
        for phrase in self.added:
            out = (
                out.replace(f", {phrase}", f", [{phrase}]", 1)
                if f", {phrase}" in out
                else out.replace(phrase, f"[{phrase}]", 1)
            )
        return out


def expand(text: str, seed: int = 7, count: int = 3) -> list[Expansion]:
    """A short brief as fuller ones in different directions.

    What the brief says stays; each direction fills in what it does not say. The same text and seed give the same ones.

    Raises
    ------
    BriefError
        When the text cannot be read as a brief.
    """
    brief = understand(text)
    known = language(brief.language)
    rng = np.random.default_rng([seed, *text.encode()])
    order = rng.permutation(len(DIRECTIONS))[:count]
    return [_filled(brief, known, *DIRECTIONS[i], rng) for i in order]


def _filled(brief: Brief, known: Language, name: str, wanted: dict[str, str], rng: np.random.Generator) -> Expansion:
    said = {d.subject for d in brief.holding}
    parts = {d.place.part for d in brief.holding if d.subject in PAIRED}
    told = {"adjust": "development"}
    added = []
    if not parts & {"everything"} and "mood" not in said:
        part = next((p for p in ("wall", "roof", "paving") if p not in parts), None)
        inside = bool(parts & {"floor", "ceiling"})
        if inside:
            part = next((p for p in ("floor",) if p not in parts), None)
        if part is not None:
            material = FINISHED[part][int(rng.integers(len(FINISHED[part])))]
            added.append(_made_of(known, material, part))
    if "add" not in said and wanted.get("season", "") != "winter" and not parts & {"floor", "ceiling"}:
        added.append(_spelt(known, "thing", GROWN[int(rng.integers(len(GROWN)))]))
    for subject, key in wanted.items():
        if (
            key
            and told.get(subject, subject) not in said
            and not (subject == "weather" and "light" in said and key == "clear")
        ):
            added.append(_spelt(known, subject, key))
    base = brief.text.strip().rstrip(".,; ")
    return Expansion(", ".join([*([base] if base else []), *added]), name, tuple(added))


def _made_of(known: Language, material: str, part: str) -> str:
    name, on = _spelt(known, "material", material), _spelt(known, "part", part)
    return f"{on} aus {name}" if known.code == "de" else f"{name} {on}"


def _spelt(known: Language, subject: str, key: str) -> str:
    """The first phrase of the list that means something and nothing else."""
    for stems, found in known.phrases.items():
        if any(m.subject == subject and m.key == key for m in found) and split_words(known.spelt[stems]):
            return known.spelt[stems]
    return key
