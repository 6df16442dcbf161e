"""Phrases to decisions: modifiers bind to the noun they stand by, places to what they follow, and later words win.

A clause ends at a comma, semicolon or full stop. Within it phrases are read from left to right:

- adjectives wait for their noun ("dark red brick"); without one they fall back on what was decided last ("walls white", "roof in
  zinc, dark green");
- a material takes the part that follows it ("zinc roof"), that it is on ("setts on the quay"), or that it is said of ("walls in
  brick"); without any, the part it is usual for;
- things take their number and place ("three birches on the left");
- all else (light, weather, people, mood, development) decides by itself.
"""

from __future__ import annotations

from collections.abc import Sequence

from irodori.brief.brief import Decision, Unknown
from irodori.brief.clause import Clause
from irodori.brief.drafts import Adjectives
from irodori.brief.lexicon import Language
from irodori.brief.said import Said
from irodori.brief.tokens import Token

BREAKS = ";.!?\n"
"""Stops after which nothing refers back to what was said before."""


def read(
    tokens: Sequence[Token], text: str, known: Language, *, avoided: bool = False
) -> tuple[list[Decision], list[Unknown]]:
    """The decisions of a text's tokens, and what was not understood; `avoided` reads every phrase as a thing not wanted."""
    said = Said(tokens, text, known, avoided)
    said.unknown_words()
    for clause, stop in _clauses(list(tokens)):
        Clause(said, clause).read()
        if stop and stop in BREAKS:
            said.settle()
            said.waiting = Adjectives()
    said.settle()
    said.say_view()
    said.say_hour()
    said.nothing_in_silence()
    return sorted(said.decisions, key=lambda d: d.start), said.unknown


def _clauses(tokens: list[Token]) -> list[tuple[list[Token], str]]:
    """The tokens between stops, and the stop after each."""
    out, current = [], []
    for token in tokens:
        if token.is_stop:
            out.append((current, token.text))
            current = []
        else:
            current.append(token)
    out.append((current, ""))
    return [(clause, stop) for clause, stop in out if clause or stop in BREAKS]
