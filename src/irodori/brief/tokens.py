"""From text to tokens: phrases of the lexicon, numbers, sizes, and words that nobody knows."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import TYPE_CHECKING

from irodori.brief.lexicon import LONGEST, Language, Meaning, language, languages, split_words

if TYPE_CHECKING:
    from spellchecker import WordFrequency

SURELY = 300
"""Times a word must be in the dictionary's texts to be no slip of the pen."""

WRAPPED = 48
"""Letters of a line from which its end is no end of a thought."""


@dataclass(frozen=True)
class Token:
    """A piece of the text that means something.

    Attributes
    ----------
    text
        As it stands there.
    start, end
        Where, in letters.
    meanings
        What it can mean; empty for a word that nobody knows.
    value
        The number, or the size in mm as text, where it is one.
    read_as
        The word it was taken for, when it was misspelt.
    """

    text: str
    start: int
    end: int
    meanings: tuple[Meaning, ...] = ()
    value: str = ""
    read_as: str = ""

    def key(self, subject: str) -> str | None:
        """What it means as `subject`, or None."""
        return next((m.key for m in self.meanings if m.subject == subject), None)

    def has(self, subject: str, *keys: str) -> bool:
        """Whether it can mean one of `keys`, or anything of the subject."""
        return any(m.subject == subject and (not keys or m.key in keys) for m in self.meanings)

    @property
    def notes(self) -> tuple[str, ...]:
        """What is to be told of how it was read."""
        return (f"'{self.text}' read as '{self.read_as}'",) if self.read_as else ()

    @property
    def is_stop(self) -> bool:
        """Whether it is punctuation."""
        return self.has("stop")


_PIECE = re.compile(
    r"(?P<size>\d+(?:[.,]\d+)?\s*(?:x|×)\s*\d+(?:[.,]\d+)?\s*(?:mm|cm|m\b)?|\d+(?:[.,]\d+)?\s*(?:mm|cm|m)\b(?:\s+(?:wide|long|high|tall|thick|deep|breit|lang|hoch|dick)\b)?)"
    r"|(?P<clock>\d{1,2}(?:[:.]\d{2})\s*(?:am|pm|h|uhr)?\b|\d{1,2}\s*(?:am|pm|uhr|o['’]clock|in the (?:morning|afternoon|evening)|(?:morgens|abends))\b)|(?P<hex>#[0-9a-f]{6}\b)"
    r"|(?P<number>\d+)|(?P<word>[^\W\d_]+(?:['’][^\W\d_]+)?|&)|(?P<stop>[,;.:!?\n()])",
    re.IGNORECASE,
)


def language_of(text: str) -> Language:
    """The language that most of a text's words belong to; English when it is even."""
    counts = []
    for code in languages():
        known = language(code)
        stems = [known.stem(word) for word in split_words(text)]
        # A word's own letters tell more than its parts.
        counts.append(
            sum(
                1.0 if s in known.fillers or known.knows(s) else 0.8 if known.parts_of(w) else 0.0
                for s, w in zip(stems, split_words(text))
            )
        )
    return language(languages()[counts.index(max(counts))])


def tokens_of(text: str, known: Language) -> list[Token]:
    """The tokens of a text: the longest phrases that the lexicon has, from left to right."""
    pieces = [(m.lastgroup or "", m.group(), m.start(), m.end()) for m in _PIECE.finditer(text)]
    out: list[Token] = []
    i = 0
    while i < len(pieces):
        kind, piece, start, end = pieces[i]
        if kind == "stop" and piece == ":":
            out.append(Token(piece, start, end, (Meaning("grammar", "is"),)))
        elif kind == "stop" and _is_wrap(text, start):
            pass
        elif kind == "stop":
            out.append(Token(piece, start, end, (Meaning("stop", piece),)))
        elif kind == "size":
            out.append(Token(piece, start, end, (Meaning("size", ""),), _millimetres(piece)))
        elif kind == "clock":
            out.append(Token(piece, start, end, (Meaning("clock", ""),), f"{_hour(piece):g}"))
        elif kind == "hex":
            out.append(Token(piece, start, end, (Meaning("colour", piece.casefold()),)))
        elif kind == "number":
            out.append(Token(piece, start, end, (Meaning("number", piece),), piece))
        else:
            count, found = _longest(pieces, i, known)
            if count:
                end = pieces[i + count - 1][3]
                out.append(Token(text[start:end], start, end, found))
                i += count
                continue
            out += _single(piece, start, end, known)
        i += 1
    return out


def _is_wrap(text: str, place: int) -> bool:
    """Whether a line that ends at `place` is a long one that goes on in the next."""
    after = text[place + 1 :].lstrip(" ")
    return (
        text[place] == "\n"
        and place - text.rfind("\n", 0, place) > WRAPPED
        and not after.startswith(("-", "*", "•", "\n"))
    )


def _longest(pieces: list[tuple], i: int, known: Language) -> tuple[int, tuple[Meaning, ...]]:
    """Pieces from the `i`th on that are one phrase of the lexicon, and what it means; 0 for none."""
    words: list[str] = []
    best: tuple[int, tuple[Meaning, ...]] = 0, ()
    for n in range(min(LONGEST, len(pieces) - i)):
        if pieces[i + n][0] != "word":
            break
        words.append(_mended(pieces[i + n][1].replace("’", "'"), known))
        if (found := known.meanings_of(words)) and (n > 0 or words[0] == pieces[i][1].replace("’", "'")):
            best = n + 1, found
    return best


@lru_cache(maxsize=4096)
def _mended(word: str, known: Language) -> str:
    """A word that stands in no phrase as the nearest one that does; a single one is judged more strictly, by `nearest_word`."""
    stem = known.stem(word)
    if stem in known.fillers or stem in known.common or stem in known.words or len(stem) < 5 or known.parts_of(word):
        return word
    return nearest_word(stem, known, single=False) or word


def _single(word: str, start: int, end: int, known: Language) -> list[Token]:
    """A word that no phrase begins with: filler, compound, misspelling, or unknown."""
    stem = known.stem(word.replace("’", "'"))
    if stem in known.fillers or len(word) == 1:
        return [Token(word, start, end, (Meaning("filler", ""),))]
    if parts := known.parts_of(word):
        if parts in known.phrases:
            return [Token(word, start, end, tuple(known.phrases[parts]))]
        return [Token(word, start, end, tuple(known.phrases[(part,)])) for part in parts if (part,) in known.phrases]
    near = nearest_word(stem, known)
    if near is None:
        return [Token(word, start, end)]
    if (near,) in known.phrases:
        return [Token(word, start, end, tuple(known.phrases[(near,)]), read_as=known.spelt[(near,)])]
    return [Token(word, start, end, (Meaning("filler", ""),))] if near in known.fillers else [Token(word, start, end)]


def nearest_word(stem: str, known: Language, single: bool = True) -> str | None:
    """The single word that a misspelt one is surely meant to be, or None."""
    from rapidfuzz import process
    from rapidfuzz.distance import OSA

    if len(stem) < 4:
        return None
    # One slip in a short word, two in a long one; the first letter is seldom wrong.
    slips = 1 if len(stem) < 9 else 2
    if stem in known.common:
        return None
    # A letter too many is rare in a short word: "read" is not "red".
    least = len(stem) if len(stem) < 6 else 3
    pool = [word for word in (*known.words, *known.fillers) if word[0] == stem[0] and len(word) >= least]
    found = process.extract(stem, pool, scorer=OSA.distance, score_cutoff=slips, limit=3)
    # Who slips twice does so further on: "blockwork" is no brickwork.
    singles = [
        word
        for word, far, _ in found
        if (far < 2 or word[:3] == stem[:3]) and (not single or known.knows(word) or word in known.fillers)
    ]
    # "beach" is no misspelt bench.
    return singles[0] if singles and not is_word(stem, known.code) else None


@lru_cache(maxsize=4096)
def is_word(stem: str, code: str) -> bool:
    """Whether a language has the word, whatever it means; False where there is no dictionary of the language."""
    frequencies = _dictionary(code)
    return frequencies is not None and any(
        frequencies[form] >= SURELY for form in (stem, f"{stem}s", f"{stem}e", f"{stem}en")
    )


@cache
def _dictionary(code: str) -> WordFrequency | None:
    """How often each word is written, from the dictionary's own texts; None for a language that it has not."""
    from spellchecker import SpellChecker

    return SpellChecker(language=code, distance=1).word_frequency if code in SpellChecker.languages() else None


def nearest_phrases(word: str, known: Language, count: int = 3) -> tuple[str, ...]:
    """Known phrases that look most like an unknown word, for telling the user."""
    from rapidfuzz import fuzz, process

    plain = known.stem(word)
    pool = {
        " ".join(stems): spelt
        for stems, spelt in known.spelt.items()
        if known.phrases[stems][0].subject not in ("grammar", "number")
    }
    found = process.extract(plain, list(pool), scorer=fuzz.WRatio, score_cutoff=76, limit=count)
    return tuple(pool[stems] for stems, _, _ in found)


def _hour(text: str) -> float:
    """ "7 pm" as 19, "19:30" as 19.5."""
    numbers = [int(n) for n in re.findall(r"\d+", text)]
    hour = numbers[0] + (numbers[1] / 60 if len(numbers) > 1 else 0.0)
    told = text.casefold()
    if any(half in told for half in ("pm", "noon", "evening", "abends")) and hour < 12:
        hour += 12
    # "3 o'clock" is no time of night.
    elif "clock" in told and hour < 7:
        hour += 12
    return hour % 24


def _millimetres(text: str) -> str:
    """ "4 cm" as "40 mm", "600 x 300" as "600 x 300 mm"."""
    numbers = [float(n.replace(",", ".")) for n in re.findall(r"\d+(?:[.,]\d+)?", text)]
    unit = re.search(r"\d\s*(mm|cm|m)\b", text)
    scale = {"mm": 1.0, "cm": 10.0, "m": 1000.0}[unit[1] if unit else "mm"]
    return " x ".join(f"{n * scale:g}" for n in numbers) + " mm"
