"""What was said so far in a brief."""

from __future__ import annotations

from collections.abc import Sequence

from irodori.brief.brief import Decision, Unknown
from irodori.brief.drafts import Adjectives, Draft, decisions_of
from irodori.brief.lexicon import Language
from irodori.brief.tokens import Token, nearest_phrases

NOTHING_SAID = "it is known, but nothing here says what it is to do"

TASKS = ("grammar", "relation", "filler", "stop")
"""Subjects of words that only bind others together."""


class Said:
    """What was said so far: decisions, drafts that may still grow, and words that came to nothing.

    `waiting` are adjectives whose noun is in the next clause; `used` the beginnings of words that are accounted for though no phrase
    of a decision holds them; `avoided` whether all that is read is not wanted.
    """

    def __init__(self, tokens: Sequence[Token], text: str, known: Language, avoided: bool) -> None:
        self.tokens, self.text, self.known, self.avoided = list(tokens), text, known, avoided
        self.decisions: list[Decision] = []
        self.unknown: list[Unknown] = []
        self.drafts: list[Draft] = []
        self.waiting = Adjectives()
        self.correcting = False
        self.view: list[Token] = []
        self.spans: list[tuple[int, int]] = []
        self.used: set[int] = set()

    def unknown_words(self) -> None:
        """Enter the words that nobody knows."""
        for token in self.tokens:
            if not token.meanings:
                self.unknown.append(Unknown(token.text, token.start, nearest_phrases(token.text, self.known)))

    def decide(self, subject: str, value: str, first: Token, last: Token | None = None, **more) -> None:
        """Enter a decision; said twice, it counts once."""
        end = (last or first).end
        notes = (*more.pop("notes", ()), *first.notes)
        new = Decision(subject, value, phrase=self.text[first.start : end], start=first.start, notes=notes, **more)
        self.decisions = [d for d in self.decisions if d.line != new.line]
        self.decisions.append(new)
        self.spans.append((first.start, end))

    def nothing_said(self, token: Token) -> None:
        """Tell back a word that is known, but came to nothing."""
        if all(u.start != token.start for u in self.unknown):
            self.unknown.append(Unknown(token.text, token.start, (), NOTHING_SAID))

    def nothing_in_silence(self) -> None:
        """Words that mean something but came to nothing are told back, too."""
        spans = [*self.spans, *((d.start, d.start + len(d.phrase)) for d in self.decisions)]
        for token in self.tokens:
            if token.start in self.used or token.has("place", "inside", "outside"):
                continue
            telling = [
                m for m in token.meanings if m.subject not in TASKS and not (m.subject == "number" and m.key == "1")
            ]
            if telling and not any(a <= token.start and token.end <= b for a, b in spans):
                self.nothing_said(token)

    def say_view(self) -> None:
        """Enter the view that words of several clauses tell."""
        names = [t.key("view") for t in self.view if t.has("view")]
        bearings = [t.key("bearing") for t in self.view if t.has("bearing")]
        if names or bearings:
            value = " ".join(filter(None, (names[-1] if names else "eye level", bearings[-1] if bearings else "")))
            self.used |= {t.start for t in self.view}
            first = min(self.view, key=lambda t: t.start)
            self.decide("view", value, first, first)

    def settle(self) -> None:
        """Enter what the drafts decide: nothing more is said of them."""
        for draft in self.drafts:
            self.decisions += decisions_of(draft, self.text)
        self.drafts = []
