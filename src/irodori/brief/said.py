"""What was said so far in a brief."""

from __future__ import annotations

from collections.abc import Sequence

from irodori.brief.brief import ON_SURFACES, Decision, Unknown
from irodori.brief.drafts import Adjectives, Draft, decisions_of, usual_part
from irodori.brief.hours import light_of_hour
from irodori.brief.lexicon import Language, meanings
from irodori.brief.tokens import Token, nearest_phrases

NOTHING_SAID = "it is known, but nothing here says what it is to do"

LIKE_ANOTHER = "what it is to be like is not looked up: name the material or the colour"
NOT_THIS = "what it should be instead is not said"
OF_UNKNOWN = "it is known, but said of a word that is not"

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
        self.clock: list[Token] = []
        self.month: Token | None = None
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

    def nothing_said(self, token: Token, why: str = NOTHING_SAID, last: Token | None = None) -> None:
        """Tell back a word that is known, but came to nothing, or a phrase up to `last`."""
        end = (last or token).end
        self.used |= {t.start for t in self.tokens if token.start <= t.start < end}
        told = next((u for u in self.unknown if u.start == token.start), None)
        if told is not None and len(told.phrase) < end - token.start:
            self.unknown.remove(told)
            told = None
        if told is None:
            self.unknown.append(Unknown(self.text[token.start : end], token.start, (), why))

    def parts(self) -> tuple[str, ...]:
        """Parts and buildings of which something was said."""
        places = [p for draft in self.drafts if draft.material or draft.adjectives for p in draft.places]
        places += [d.place for d in self.decisions if d.subject in ON_SURFACES]
        named = [p.of or p.part for p in places] + [usual_part(d) for d in self.drafts if d.material and not d.places]
        return tuple(dict.fromkeys(name for name in named if name and name != "everything"))

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

    def say_hour(self) -> None:
        """Enter the light of the hour that a clock shows, in the month that was said."""
        for token in self.clock:
            month = int(meanings()["month"][self.month.key("month") or ""]["number"]) if self.month else 0
            light = light_of_hour(float(token.value), month)
            note = f"the light of that hour in {self.month.text if self.month else 'the middle of spring or autumn'}, half way to the pole"
            self.decide("light", light, token, notes=(note,))

    def settle(self) -> None:
        """Enter what the drafts decide: nothing more is said of them."""
        for draft in self.drafts:
            self.decisions += decisions_of(draft, self.text)
        self.drafts = []
