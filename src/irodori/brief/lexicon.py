"""The lexicon: what words can mean (meanings.toml), and which words of a language mean it (one file a language)."""

from __future__ import annotations

import re
import tomllib
import unicodedata
from dataclasses import dataclass
from functools import cache
from importlib import resources

from irodori.core.errors import BriefError, unknown_name

FALLS = {"snow": "light snow", "rain": "after rain"}
"""What falls, and the weather in which it does: by its own name it can only be left out."""

LONGEST = 7
"""Words in the longest phrase that is looked up."""

SHORTEST_TAIL = 3
"""Letters of the shortest part of a compound."""


@dataclass(frozen=True)
class Meaning:
    """One thing a word can mean: `subject` is a table of meanings.toml, or "grammar", "number", "filler"; `key` an entry of it."""

    subject: str
    key: str


@cache
def meanings() -> dict[str, dict[str, dict]]:
    """What words can mean, by subject and key."""
    return tomllib.loads((resources.files("irodori.brief") / "words" / "meanings.toml").read_text("utf-8"))


def colour_of(name: str) -> str:
    """sRGB of a colour by its key, or by itself: "#8e2f26"."""
    return name if name.startswith("#") else meanings()["colour"][name]


def languages() -> tuple[str, ...]:
    """Codes of the languages there are word lists for, English first."""
    found = [f.name[:-5] for f in (resources.files("irodori.brief") / "words").iterdir() if f.name.endswith(".toml")]
    return ("en", *sorted(set(found) - {"en", "meanings"}))


@cache
def language(code: str) -> Language:
    """The words of a language. Raises BriefError for one without a list."""
    if code not in languages():
        raise BriefError(unknown_name("language", code, languages()))
    return Language(code)


class Language:
    """A language's words, looked up by their stems.

    Attributes
    ----------
    phrases
        Meanings by the stems of a phrase's words.
    spelt
        A phrase as the list spells it, by its stems.
    fillers
        Stems of words that decide nothing.
    common
        Stems of words that are spelt right and mean nothing here: never taken for misspellings.
    words
        Stems of all single words that phrases are made of, for finding misspellings.
    """

    def __init__(self, code: str) -> None:
        told = tomllib.loads((resources.files("irodori.brief") / "words" / f"{code}.toml").read_text("utf-8"))
        about = told.pop("language")
        self.code, self.name = code, about["name"]
        self._endings = sorted(about["endings"], key=len, reverse=True)
        self._joints = tuple(about["joints"])
        self.phrases: dict[tuple[str, ...], list[Meaning]] = {}
        self._exact: dict[tuple[str, ...], list[Meaning]] = {}
        self.spelt: dict[tuple[str, ...], str] = {}
        fillers = told.pop("filler")["words"]
        self.common = {self.stem(word) for word in told.pop("common", {}).get("words", ())}
        for subject, entries in told.items():
            for key, phrases in entries.items():
                for phrase in phrases:
                    words = split_words(phrase)
                    stems = tuple(self.stem(word) for word in words)
                    for table, form in ((self.phrases, stems), (self._exact, tuple(folded(word) for word in words))):
                        known = table.setdefault(form, [])
                        if Meaning(subject, key) not in known:
                            known.append(Meaning(subject, key))
                    self.spelt.setdefault(stems, phrase)
        self.fillers = {self.stem(word) for phrase in fillers for word in split_words(phrase)}
        self.words = sorted({stem for stems in self.phrases for stem in stems if len(stem) > 2})
        self._singles = {stems[0] for stems in self.phrases if len(stems) == 1}

    def meanings_of(self, words: list[str]) -> tuple[Meaning, ...]:
        """What a phrase means, () for nothing. As it is spelt comes first: German "aus", "außen" and "außer" have one stem."""
        exact = self._exact.get(tuple(folded(word) for word in words))
        return tuple(exact or self.phrases.get(tuple(self.stem(word) for word in words), ()))

    def stem(self, word: str) -> str:
        """A word without case, accents and endings, so that all its forms are found."""
        plain = _without_accents(word)
        if self.code == "en":
            plain = re.sub(r"'s$|'$", "", plain)
            if plain.endswith("ies") and len(plain) > 4:
                return plain[:-3] + "y"
            if plain.endswith(("ses", "xes", "ches", "shes")) and len(plain) > 4:
                return plain[:-2]
            return plain[:-1] if plain.endswith("s") and not plain.endswith("ss") and len(plain) > 3 else plain
        for ending in self._endings:
            if plain.endswith(ending) and len(plain) - len(ending) >= 3:
                plain = plain[: -len(ending)]
                break
        return re.sub(r"(.)\1$", r"\1", plain)

    def knows(self, stem: str) -> bool:
        """Whether a stem stands for something by itself."""
        return stem in self._singles

    def parts_of(self, word: str) -> tuple[str, ...] | None:
        """The stems of a compound's parts, each a word of the lexicon; None when it is none."""
        plain = _without_accents(word)
        return self._parted(plain) if len(plain) >= 2 * SHORTEST_TAIL + 1 else None

    def _parted(self, plain: str) -> tuple[str, ...] | None:
        for cut in range(len(plain) - SHORTEST_TAIL, SHORTEST_TAIL - 1, -1):
            head, tail = plain[:cut], plain[cut:]
            if not self.knows(stem := self.stem(tail)) and stem not in self.fillers:
                continue
            for joint in self._joints:
                if joint and not head.endswith(joint):
                    continue
                first = head[: len(head) - len(joint)] if joint else head
                if len(first) < SHORTEST_TAIL:
                    continue
                if self.knows(self.stem(first)):
                    return self.stem(first), stem
                if more := self._parted(first):
                    return (*more, stem)
        return None


_WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)?|&", re.UNICODE)


def folded(word: str) -> str:
    """A word without case; its accents and endings stay."""
    return word.casefold().replace("ß", "ss")


def _without_accents(word: str) -> str:
    plain = unicodedata.normalize("NFD", folded(word))
    return "".join(letter for letter in plain if not unicodedata.combining(letter))


def split_words(text: str) -> list[str]:
    """The words of a text; hyphens part them."""
    return [word.replace("’", "'") for word in _WORD.findall(text)]
