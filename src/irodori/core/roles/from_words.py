"""Roles from the names that people give to objects, layers and materials, in several languages (words.toml)."""

from __future__ import annotations

import re
import tomllib
import unicodedata
from functools import cache, lru_cache
from importlib import resources
from typing import NamedTuple

BODY = "body"
"""What a word for a whole building tells."""

LONGEST = 3
"""Words of the longest phrase."""

SHORTEST_HEAD = 4
"""Letters from which a word may be the end of a longer one: "Aussenwand", "footpath"."""

_LEAF = re.compile(r"\b(doors?|gates?|windows?|casements?) +lea(?:f|ves)\b")
_HUMP = re.compile(r"(?<=[^\W\d_A-Z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])")
_SPLIT = re.compile(r"[\W\d_]+")


class _Language(NamedTuple):
    """`roles` by words and phrases, longest-first `ends` that a compound may have, whether the head of a name stands `first`."""

    roles: dict[str, str]
    ends: tuple[str, ...]
    plurals: tuple[str, ...]
    first: bool


class _Match(NamedTuple):
    """A role with where its words begin and end, how many letters tell it, and whether its language puts the head first."""

    role: str
    begin: int
    end: int
    letters: int
    first: bool


@cache
def _languages() -> tuple[_Language, ...]:
    told = tomllib.loads((resources.files("irodori.core.roles") / "words.toml").read_text("utf-8"))
    out = []
    for entries in told.values():
        head, plurals = entries.pop("head"), tuple(entries.pop("plurals"))
        roles = {folded(word): role for role, words in entries.items() for word in words}
        ends = sorted((word for word in roles if len(word) >= SHORTEST_HEAD and " " not in word), key=len, reverse=True)
        out.append(_Language(roles, tuple(ends), plurals, head == "first"))
    return tuple(out)


def folded(text: str) -> str:
    plain = unicodedata.normalize("NFD", text.casefold())
    return "".join(letter for letter in plain if not unicodedata.combining(letter))


@lru_cache(maxsize=16384)
def role_from_words(*texts: str) -> str | None:
    """The role that an object's or material's name suggests, or None. Earlier texts count first.

    The head of a name decides: its last word in English and German, its first in French, Italian and Spanish.

    >>> role_from_words("hall roof east", "zinc"), role_from_words("boat shed wall"), role_from_words("sign panel 2")
    ('roof', 'wall', 'sign')
    >>> role_from_words("door leaf 2"), role_from_words("birch leaves"), role_from_words("tower_plant")
    ('door', 'planting', 'wall')
    >>> role_from_words("gangway railing"), role_from_words("gangway decking"), role_from_words("IfcWallStandardCase.12")
    ('railing', 'paving', 'wall')
    >>> role_from_words("Aussenwand_02"), role_from_words("Mur_exterieur"), role_from_words("A-GLAZ-FULL"), role_from_words("Cube.001")
    ('wall', 'wall', 'glazing', None)
    """
    for text in texts:
        matches = _matches(text)
        if not matches:
            continue
        matches = [m for m in matches if m.role != BODY] or [m._replace(role="wall") for m in matches]
        # A name is of one language: the one whose words tell most of it.
        letters = {first: sum(m.letters for m in matches if m.first == first) for first in (False, True)}
        first = letters[True] > letters[False]
        own = [m for m in matches if m.first == first]
        return (min(own, key=lambda m: m.begin) if first else max(own, key=lambda m: (m.end, m.letters))).role
    return None


def _matches(text: str) -> list[_Match]:
    """What the words of a name tell, in every language."""
    # The leaf of a door is no plant's.
    return _told_by(_LEAF.sub(r"\1", " ".join(_SPLIT.split(folded(_HUMP.sub(" ", text)))).strip()))


@lru_cache(maxsize=16384)
def _told_by(plain: str) -> list[_Match]:
    """What words say, without the numbers by which parts of one kind differ."""
    words = plain.split()
    out = []
    for known in _languages():
        i = 0
        while i < len(words):
            for n in range(min(LONGEST, len(words) - i), 0, -1):
                phrase = " ".join(words[i : i + n])
                if (found := _role_of(phrase, known, whole=n > 1)) is not None:
                    out.append(_Match(found[0], i, i + n, found[1], known.first))
                    i += n - 1
                    break
            i += 1
    return out


def _role_of(phrase: str, known: _Language, whole: bool) -> tuple[str, int] | None:
    """The role of a word or phrase, and how many of its letters tell it."""
    forms = [phrase, *(phrase[: -len(p)] for p in known.plurals if phrase.endswith(p) and len(phrase) - len(p) >= 3)]
    for form in forms:
        if form in known.roles:
            return known.roles[form], len(form)
    # French, Italian and Spanish build no compounds.
    if whole or known.first or len(phrase) < SHORTEST_HEAD + 2:
        return None
    ends = (end for form in forms for end in known.ends if form.endswith(end) and len(form) > len(end) + 1)
    end = next(ends, None)
    return None if end is None else (known.roles[end], len(end))


@cache
def _species() -> list[tuple[str, re.Pattern[str]]]:
    told = tomllib.loads((resources.files("irodori.core.roles") / "species.toml").read_text("utf-8"))
    return [(kind, re.compile(r"\b(?:" + "|".join(words) + ")")) for kind, words in told.items()]


@lru_cache(maxsize=16384)
def species_from_words(text: str) -> str | None:
    """The tree of the entourage's catalogue that a name tells of; its timber is called the same, so shape has to agree.

    >>> species_from_words("Eiche_02"), species_from_words("Picea abies"), species_from_words("tree 4")
    ('oak', 'spruce', None)
    """
    name = " ".join(_SPLIT.split(folded(_HUMP.sub(" ", text))))
    return next((kind for kind, pattern in _species() if pattern.search(name)), None)
