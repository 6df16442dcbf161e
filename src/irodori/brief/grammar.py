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
from dataclasses import dataclass, field, replace

from irodori.brief.brief import Decision, Place, Unknown
from irodori.brief.lexicon import Language, meanings
from irodori.brief.tokens import Token, nearest_phrases

NOTHING_SAID = "it is known, but nothing here says what it is to do"

TASKS = ("grammar", "relation", "filler", "stop")
"""Subjects of words that only bind others together."""

SURFACES = ("material", "part", "building")
"""Subjects of words for what finishes go onto."""

STOPS = ",;.:!?\n()"
BREAKS = ";.!?\n"
"""Stops after which nothing refers back to what was said before."""

GENERIC = ("boards", "timber", "stone", "tiles", "render", "decking", "steel", "paint", "parquet")
"""Materials that may follow a closer one and mean the same."""

PLURAL = ("people", "children", "kids", "visitors")
MASS = ("reeds", "ivy", "lavender", "feather grass", "perennials", "wild vine", "far trees")
"""Things that no one counts."""

BOTH_WAYS = tuple(f"{wood}, {way}" for wood in ("larch boards", "weathered larch") for way in ("level", "upright"))
"""Finishes that the catalogue has upright and level."""

ONE = ("hills", "townscape")


@dataclass
class Adjectives:
    """What waits for a noun."""

    colour: str = ""
    words: list[str] = field(default_factory=list)
    size: str = ""
    degree: int = 2
    number: str = ""
    article: bool = False
    start: int = -1

    def __bool__(self) -> bool:
        return bool(self.colour or self.words or self.size)

    def take(self, other: Adjectives) -> None:
        """Add another's words."""
        self.colour = other.colour or self.colour
        self.words += [w for w in other.words if w not in self.words]
        self.size = other.size or self.size
        self.degree = other.degree if other.degree != 2 else self.degree


@dataclass
class Draft:
    """A finish, colour or tone whose parts are still being said."""

    start: int
    end: int
    material: str = ""
    places: list[Place] = field(default_factory=list)
    adjectives: Adjectives = field(default_factory=Adjectives)
    keep: bool = False
    usual: str = ""
    notes: list[str] = field(default_factory=list)


def read(
    tokens: Sequence[Token], text: str, known: Language, *, avoided: bool = False
) -> tuple[list[Decision], list[Unknown]]:
    """The decisions of a text's tokens, and what was not understood; `avoided` reads every phrase as a thing not wanted."""
    return _Reader(tokens, text, known, avoided).read()


class _Reader:
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
        self.spans: list[tuple[int, int]] = []
        self.used: set[int] = set()

    def read(self) -> tuple[list[Decision], list[Unknown]]:
        for token in self.tokens:
            if not token.meanings:
                self.unknown.append(Unknown(token.text, token.start, nearest_phrases(token.text, self.known)))
        for clause, stop in _clauses(self.tokens):
            _Clause(self, clause).read()
            if stop and stop in BREAKS:
                self._settle()
                self.waiting = Adjectives()
        self._settle()
        self._say_view()
        self._nothing_in_silence()
        return sorted(self.decisions, key=lambda d: d.start), self.unknown

    def decide(self, subject: str, value: str, first: Token, last: Token | None = None, **more) -> None:
        """Enter a decision; said twice, it counts once."""
        end = (last or first).end
        new = Decision(subject, value, phrase=self.text[first.start : end], start=first.start, **more)
        self.decisions = [d for d in self.decisions if d.line != new.line]
        self.decisions.append(_noted(new, first))
        self.spans.append((first.start, end))

    def nothing_said(self, token: Token) -> None:
        """Tell back a word that is known, but came to nothing."""
        if all(u.start != token.start for u in self.unknown):
            self.unknown.append(Unknown(token.text, token.start, (), NOTHING_SAID))

    def _nothing_in_silence(self) -> None:
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

    def _say_view(self) -> None:
        names = [t.key("view") for t in self.view if t.has("view")]
        bearings = [t.key("bearing") for t in self.view if t.has("bearing")]
        if names or bearings:
            value = " ".join(filter(None, (names[-1] if names else "eye level", bearings[-1] if bearings else "")))
            self.used |= {t.start for t in self.view}
            first = min(self.view, key=lambda t: t.start)
            self.decide("view", value, first, first)

    def _settle(self) -> None:
        for draft in self.drafts:
            self.decisions += _decided(draft, self.text)
        self.drafts = []


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


def _noted(decision: Decision, token: Token) -> Decision:
    return (
        replace(decision, notes=(*decision.notes, f"'{token.text}' read as '{token.read_as}'"))
        if token.read_as
        else decision
    )


class _Clause:
    """Reading one clause."""

    def __init__(self, reader: _Reader, tokens: list[Token]) -> None:
        self.reader = reader
        self.all = tokens
        # Fillers part nothing; what nobody knows was told already.
        self.tokens = [t for t in tokens if t.meanings and not _only_filler(t)]
        self.i = 0
        self.no = reader.avoided
        self.keep = False
        self.only = False
        self.replacing: str | None = None
        self.things: list[int] = []
        self.comparison = 0
        self.drafted: list[Draft] = []
        self.joined_by_with = False
        self.bare: list[tuple[Place, Token]] = []
        self.lamps: list[Token] = []
        self.decided = len(reader.decisions)

    def read(self) -> None:
        reader = self.reader
        adjectives, reader.waiting = reader.waiting, Adjectives()
        if [t.key("grammar") for t in self.tokens] == ["no"] and not reader.avoided:
            reader.correcting = True
            return
        self.lamps = [t for t in self.tokens if t.has("lamps")]
        while self.i < len(self.tokens):
            adjectives = self._next(adjectives)
        if self.lamps:
            self._lamps()
        self._rest(adjectives)
        self._bare()

    # ── one phrase after the other ─────────────────────────────────────────────────────────────

    def _next(self, adjectives: Adjectives) -> Adjectives:
        """Read what begins at the present token; gives what still waits for a noun."""
        token = self.tokens[self.i]
        task = token.key("grammar")
        if token.has("lamps") and not (token.has("modifier") or token.has("adjust")):
            self.i += 1
            return adjectives
        if (
            token.has("light")
            or token.has("weather")
            or token.has("season")
            or token.has("quality")
            or token.has("lens")
            or token.has("look")
        ):
            if not (token.has("light", "overcast") and self._ahead(1, "part")):
                return self._plain(token, adjectives)
        if token.has("view") or token.has("bearing"):
            self.reader.view.append(token)
            self.i += 1
            return adjectives
        if token.has("life"):
            return self._life(token, adjectives)
        if token.has("thing") and not self._is_material_here(token):
            return self._thing(token, adjectives)
        if token.has("adjust") and not (token.has("modifier") and self._noun_follows()):
            return self._adjust(token, adjectives)
        if token.has("mood") and not (token.has("modifier") and self._noun_follows()):
            if self.no:
                self.reader.decide("leave out", token.key("mood") or "", token)
            else:
                self.reader.decide("mood", token.key("mood") or "", token)
            self.i += 1
            return adjectives
        if token.has("colour") or token.has("modifier") or token.has("size") or token.has("number"):
            return self._adjective(token, adjectives)
        if any(token.has(subject) for subject in SURFACES) or task == "all":
            return self._surface(token, adjectives)
        if token.has("relation") and not (task == "is" and not self._place_follows(1)):
            return self._relation(adjectives)
        if token.has("place"):
            return self._relation(adjectives)
        return self._grammar(token, task, adjectives)

    def _grammar(self, token: Token, task: str | None, adjectives: Adjectives) -> Adjectives:
        self.i += 1
        if task in ("no",):
            if self._after_too():
                return adjectives
            self.no = True
        elif task == "but":
            self.no = self.reader.avoided
            if self.drafted and "everything" in [p.part for p in self.drafted[-1].places]:
                self._except()
        elif task == "except":
            self._except()
        elif task == "keep":
            self.keep = True
        elif task == "only":
            self.only = True
        elif task == "with":
            self.joined_by_with = True
        elif task in ("replace", "instead"):
            self._replace(task)
        elif task == "more":
            self.comparison = 1
        elif task == "less":
            self.comparison = -1
        elif task == "slightly":
            adjectives.degree = 1
        elif task == "much":
            adjectives.degree = 3
        elif task == "some":
            adjectives.number = "some"
        elif task == "is" and self.drafted and not adjectives:
            pass
        return adjectives

    def _after_too(self) -> bool:
        """ "not too dark": the other way, a little."""
        i = self.i
        if i + 1 < len(self.tokens) and self.tokens[i].has("grammar", "too"):
            word = self.tokens[i + 1]
            ways = (
                (("modifier", "dark", "darker"), "exposure", "+1"), (("adjust", "dimmer"), "exposure", "+1"),
                (("adjust", "brighter"), "exposure", "-1"), (("modifier", "light", "lighter"), "exposure", "-1"),
                (("modifier", "warm"), "warmth", "-1"), (("modifier", "cool"), "warmth", "+1"),
                (("adjust", "warmer"), "warmth", "-1"), (("adjust", "cooler"), "warmth", "+1"),
                (("adjust", "contrast"), "contrast", "-1"),
            )  # fmt: skip
            for (subject, *keys), what, value in ways:
                if word.has(subject, *keys):
                    self.reader.decide(what, value, self.tokens[i - 1], word)
                    self.i += 2
                    return True
        return False

    # ── what decides by itself ─────────────────────────────────────────────────────────────────

    def _plain(self, token: Token, adjectives: Adjectives) -> Adjectives:
        subject = next(s for s in ("light", "weather", "season", "quality", "lens", "look") if token.has(s))
        value = token.key(subject) or ""
        self.i += 1
        if self.no:
            wanted = {"light snow": "snow", "after rain": "rain"}.get(value, value)
            self.reader.decide("leave out", wanted, token)
            return Adjectives()
        details = ()
        if subject == "lens" and adjectives.degree != 2:
            details = (str(adjectives.degree),)
        self.reader.decide(subject, value, token, details=details)
        return Adjectives() if subject == "lens" else adjectives

    def _life(self, token: Token, adjectives: Adjectives) -> Adjectives:
        key = token.key("life") or ""
        self.i += 1
        if self.no:
            self.reader.decide("life", "none" if key != "lively" else "few", token)
        elif (
            key == "few"
            and self._relation_follows()
            and not token.text.casefold().startswith(("fewer", "weniger", "viel"))
        ):
            self._put(token, "person", "some", adjectives)
        else:
            self.reader.decide("life", key, token)
            self._skip_place()
        return Adjectives()

    def _adjust(self, token: Token, adjectives: Adjectives) -> Adjectives:
        key = token.key("adjust") or ""
        told = meanings()["adjust"][key]
        self.i += 1
        if "development" in told:
            self.reader.decide("development", told["development"], token)
            return adjectives
        sign = told["sign"] * (-1 if self.comparison < 0 or self.no else 1)
        first = (
            self.tokens[self.i - 2]
            if self.i > 1 and self.tokens[self.i - 2].has("grammar", "more", "less", "slightly", "much")
            else token
        )
        self.reader.decide(told["what"], f"{sign * adjectives.degree:+d}", first, token)
        self.comparison = 0
        return Adjectives()

    def _lamps(self) -> None:
        """What the clause says of lamps: on, off, warm or cool."""
        first, last = self.lamps[0], self.lamps[-1]
        warm = [t for t in self.tokens if t.has("modifier", "warm") or t.has("adjust", "warmer")]
        cool = [t for t in self.tokens if t.has("modifier", "cool") or t.has("adjust", "cooler")]
        named = [t for t in self.lamps if t.has("lamps", "on", "off", "warm", "cool")]
        clean = [t for t in self.lamps if not t.has("modifier")]
        if named:
            value = "off" if self.no else named[-1].key("lamps") or "on"
        elif warm or cool:
            value, first = (
                ("warm", min((warm[0], first), key=lambda t: t.start))
                if warm
                else ("cool", min((cool[0], first), key=lambda t: t.start))
            )
            last = max(last, (warm or cool)[-1], key=lambda t: t.end)
        elif clean and not any(t.has("light") for t in self.tokens):
            value = "off" if self.no else "on"
        else:
            return
        self.reader.decide("lamps", value, first, last)
        # Where they are is no matter: all lamps of a view go together.
        self.reader.used |= {t.start for t in self.tokens if t.has("building") or t.has("lamps")}

    # ── things ─────────────────────────────────────────────────────────────────────────────────

    def _thing(self, token: Token, adjectives: Adjectives) -> Adjectives:
        key = token.key("thing") or ""
        self.i += 1
        if self.no:
            self._without(token, key, adjectives)
            return Adjectives()
        told = meanings()["thing"][key]
        number = adjectives.number or str(told.get("number", ""))
        if not number or (number == "1" and told.get("number")):
            number = str(told["number"]) if told.get("number") else "some" if self._is_plural(token, key) else "1"
        if self.comparison < 0 and told.get("people"):
            self.reader.decide("life", "few", token)
            return Adjectives()
        if self.comparison > 0 and not adjectives.number:
            number = "some"
        self._put(token, key, number, adjectives)
        return Adjectives()

    def _put(self, token: Token, key: str, number: str, adjectives: Adjectives) -> None:
        """A thing with its number and the place that follows it."""
        reader = self.reader
        people = meanings()["thing"][key].get("people")
        first = token if adjectives.start < 0 else next((t for t in self.all if t.start == adjectives.start), token)
        place = self._thing_place()
        end = self.tokens[self.i - 1]
        if meanings()["thing"][key].get("kind") in ("hills", "far trees", "townscape"):
            place = Place(to="horizon")
            number = "1"
        if people and key == "person" and not str(place) and number not in ("1", "some"):
            reader.decide("life", number, first, end)
            return
        if people and key == "person" and not str(place) and number == "some":
            reader.decide("life", "few", first, end)
            return
        if str(place):
            # What was named before it in one breath stands there, too.
            for index in self.things:
                if not str(reader.decisions[index].place):
                    reader.decisions[index] = replace(reader.decisions[index], place=place)
            for index, decision in enumerate(reader.decisions[self.decided :], self.decided):
                if decision.subject == "life" and decision.value.isdigit() and "family" in decision.phrase:
                    reader.decisions[index] = replace(
                        decision, subject="add", value="person", details=(decision.value,), place=place
                    )
        value = {"family": "person"}.get(key, key)
        reader.decide("add", value, first, end, details=(number,), place=place)
        self.things.append(len(reader.decisions) - 1)

    def _without(self, token: Token, key: str, adjectives: Adjectives) -> None:
        told = meanings()["thing"][key]
        place = self._thing_place()
        bare = "bare " if "bare" in adjectives.words else ""
        if told.get("people") and key == "person" and not str(place):
            self.reader.decide("life", "none", token)
        else:
            first = next((t for t in self.all if t.start == adjectives.start), token)
            self.reader.decide("leave out", f"{bare}{key}", first, self.tokens[self.i - 1], place=place)

    def _is_plural(self, token: Token, key: str) -> bool:
        if key in MASS:
            return True
        if key in ONE:
            return False
        word = token.text.casefold().split()[-1]
        if self.reader.known.code == "de":
            return True
        return (
            word in PLURAL
            or (word.endswith("s") and not word.endswith("ss"))
            or token.text.casefold().startswith("people")
        )

    def _thing_place(self) -> Place:
        """The place that follows: "on the left", "behind the hall", "by the door"; nothing is taken when there is none."""
        i = self.i
        relation = ""
        if i < len(self.tokens) and self.tokens[i].has("relation"):
            relation = self.tokens[i].key("relation") or ""
            i += 1
        while i < len(self.tokens) and self.tokens[i].has("grammar", "of") and not self.tokens[i].has("relation"):
            i += 1
        if i >= len(self.tokens):
            return Place()
        token = self.tokens[i]
        if token.has("place"):
            self.i = i + 1
            return Place(to=token.key("place") or "")
        if not relation:
            # German puts "entlang" behind its noun.
            return Place()
        relation = "by" if relation == "at" else relation
        name = token.key("building") or token.key("part")
        if name is None:
            return Place()
        self.i = i + 1
        if self.i < len(self.tokens) and self.tokens[self.i].has("part") and token.has("building"):
            self.i += 1
        return Place(relation=relation, to=name)

    # ── finishes ───────────────────────────────────────────────────────────────────────────────

    def _adjective(self, token: Token, adjectives: Adjectives) -> Adjectives:
        self.i += 1
        if adjectives.start < 0:
            adjectives.start = token.start
        if token.has("number"):
            adjectives.number = token.key("number") or ""
        elif token.has("size"):
            adjectives.size = token.value
        elif token.has("colour") and not (token.has("modifier") and self._noun_follows() and not adjectives.words):
            if self.no and not self._noun_follows():
                adjectives.colour = ""
            else:
                adjectives.colour = token.key("colour") or ""
        else:
            word = token.key("modifier") or ""
            if not (self.lamps and word in ("warm", "cool")):
                adjectives.words.append(word)
        return adjectives

    def _surface(self, token: Token, adjectives: Adjectives) -> Adjectives:
        """A material or a target, with what belongs to it."""
        if token.has("material") and not (token.has("part") and self._is_part_here()):
            return self._material(token, adjectives)
        return self._target(token, adjectives)

    def _material(self, token: Token, adjectives: Adjectives) -> Adjectives:
        reader = self.reader
        self.i += 1
        key = token.key("material") or ""
        if self.no:
            reader.decide("leave out", key, token)
            return Adjectives()
        start = adjectives.start if adjectives.start >= 0 else token.start
        if reader.correcting and reader.drafts:
            reader.correcting = False
            draft = reader.drafts[-1]
            draft.notes.append(f"'{token.text}' takes the place of '{reader.text[draft.start : draft.end]}'")
            draft.material, draft.end = key, token.end
            draft.adjectives = adjectives
            return Adjectives()
        # Words of two materials side by side tell one more closely: "larch shingles" is in the lexicon, "slate stone" is stone.
        if (
            self.i > 1
            and self.tokens[self.i - 2].has("material")
            and self.drafted
            and not self.drafted[-1].places
            and not adjectives
        ):
            # "larch boarding" says one thing twice; the first tells more.
            self.drafted[-1].end = token.end
            if token.start != self.tokens[self.i - 2].start and key not in GENERIC:
                self.drafted[-1].notes.append(f"'{token.text}' is another material: the first is taken")
            return adjectives
        before = next(
            (
                t
                for t in reversed(self.tokens[: self.i - 1])
                if not (t.has("modifier") or t.has("colour") or t.has("size"))
            ),
            None,
        )
        # "the hall lit and the lake calm": what "and" parts is not said of the same.
        parted = before is not None and before.has("grammar", "and")
        open_one = None if parted else self._open()
        if open_one is not None:
            open_one.material, open_one.end = key, token.end
            open_one.adjectives.take(adjectives)
            self._note(open_one, token)
            draft = open_one
        else:
            draft = Draft(start, token.end, key, adjectives=adjectives)
            if self.replacing is not None:
                draft.usual, draft.start, self.replacing = self.replacing, self.tokens[0].start, None
            self._note(draft, token)
            self.drafted.append(draft)
            reader.drafts.append(draft)
        # What it goes onto, if that is still to come.
        if not draft.places:
            nxt = self._peek()
            if nxt is not None and (nxt.has("part") or nxt.has("building")) and not nxt.has("thing"):
                draft.places = [self._read_target()]
                self._also(draft)
            elif nxt is not None and nxt.has("relation") and self._place_follows(1):
                self._onto(draft)
            draft.end = max(draft.end, self.tokens[self.i - 1].end)
        if self.joined_by_with and draft.places and not draft.places[0].of and len(self.drafted) > 1:
            before = self.drafted[-2].places
            if before and before[0].of:
                draft.places = [replace(p, of=before[0].of) for p in draft.places]
        elif self.joined_by_with and not draft.places and len(self.drafted) > 1 and self.drafted[-2].places:
            of = self.drafted[-2].places[0].of
            usual = meanings()["material"][key]["usual"]
            draft.places = [Place(usual, of)] if of else []
        return Adjectives()

    def _note(self, draft: Draft, token: Token) -> None:
        if token.read_as:
            draft.notes.append(f"'{token.text}' read as '{token.read_as}'")

    def _open(self) -> Draft | None:
        """The target just named that still waits for its material."""
        draft = self.drafted[-1] if self.drafted else None
        return draft if draft is not None and not draft.material and not draft.keep and draft.places else None

    def _also(self, draft: Draft) -> None:
        """Further targets joined by "and" that have nothing of their own: "zinc on roof and canopy"."""
        while True:
            i = self.i
            if i + 1 >= len(self.tokens) or not self.tokens[i].has("grammar", "and"):
                return
            nxt = self.tokens[i + 1]
            if not (nxt.has("part") or nxt.has("building")) or nxt.has("thing") or nxt.has("material"):
                return
            after = self.tokens[i + 2] if i + 2 < len(self.tokens) else None
            if after is not None and (
                after.has("colour") or after.has("material") or after.has("grammar", "is") or after.has("modifier")
            ):
                return
            self.i = i + 1
            draft.places.append(self._read_target())

    def _target(self, token: Token, adjectives: Adjectives) -> Adjectives:
        reader = self.reader
        if token.has("grammar", "all") and not (token.has("part") or token.has("building")):
            nxt = self.tokens[self.i + 1] if self.i + 1 < len(self.tokens) else None
            if (
                nxt is not None
                and (nxt.has("part") or nxt.has("building") or nxt.has("material"))
                and not token.text.casefold().startswith("every")
            ):
                self.i += 1  # "all walls"
                return adjectives
        place = self._read_target()
        last = self.tokens[self.i - 1]
        if self.no:
            if place.part:
                reader.decide("leave out", str(place), token, last)
            return Adjectives()
        start = adjectives.start if adjectives.start >= 0 else token.start
        if adjectives:
            # "red door", "dark roof": said all with it, unless a material follows.
            draft = Draft(start, last.end, places=[place], adjectives=adjectives)
        else:
            draft = Draft(start, last.end, places=[place])
        self._note(draft, token)
        if self.joined_by_with and not place.of and self.drafted and self.drafted[-1].places:
            draft.places = [replace(place, of=self.drafted[-1].places[0].of)]
        self.drafted.append(draft)
        reader.drafts.append(draft)
        self._also(draft)
        draft.keep = self.keep
        return Adjectives()

    def _read_target(self) -> Place:
        """Part and building, in either order, and what tells it more closely."""
        part = of = ""
        if self.tokens[self.i].has("grammar", "all") and not self.tokens[self.i].has("part"):
            self.i += 1
            return Place("everything")
        while self.i < len(self.tokens):
            token = self.tokens[self.i]
            if token.has("building") and not of and not token.has("thing"):
                of = token.key("building") or ""
            elif token.has("part") and not part:
                part = token.key("part") or ""
            elif token.has("part") and part in ("glazing", "wall") and token.has("part", "frame", "glazing"):
                part = token.key("part") or ""
            elif (
                token.has("grammar", "of")
                and part
                and not of
                and self.i + 1 < len(self.tokens)
                and self.tokens[self.i + 1].has("building")
            ):
                pass
            else:
                break
            self.i += 1
        place = Place(part, of)
        return self._nearer(place)

    def _nearer(self, place: Place) -> Place:
        """With the place in the picture, on the building or beside something that follows: "on the upper floor"."""
        i = self.i
        if i >= len(self.tokens):
            return place
        token = self.tokens[i]
        if token.has("place") and not token.has("part"):
            self.i = i + 1
            return self._at(place, token)
        if token.has("relation") and i + 1 < len(self.tokens):
            nxt = self.tokens[i + 1]
            relation = token.key("relation") or ""
            if nxt.has("place") and not nxt.has("material"):
                self.i = i + 2
                return self._at(place, nxt)
            if nxt.has("building") and relation in ("at", "on") and not place.of:
                self.i = i + 2
                return replace(place, of=nxt.key("building") or "")
            if relation not in ("at", "on") and (nxt.has("building") or nxt.has("part")) and not nxt.has("material"):
                self.i = i + 2
                return replace(place, relation=relation, to=nxt.key("building") or nxt.key("part") or "")
        return place

    def _at(self, place: Place, token: Token) -> Place:
        key = token.key("place") or ""
        if key in ("inside", "outside") and not place.to:
            return replace(place, relation="", to=key)
        relation = (
            "on"
            if meanings()["place"][key]["kind"] == "storey"
            else "in"
            if key in ("foreground", "background")
            else "on the"
        )
        return replace(place, relation=relation, to=key)

    def _onto(self, draft: Draft) -> None:
        """A material's place, when it follows behind a preposition: "setts on the quay", "lawn in front of the house"."""
        usual = meanings()["material"][draft.material]["usual"]
        relation = self.tokens[self.i].key("relation") or ""
        token = self.tokens[self.i + 1]
        if token.has("place") and not token.has("part"):
            self.i += 2
            draft.places = [self._at(Place(usual), token)]
            return
        if relation in ("on", "at", "under"):
            self.i += 1
            place = self._read_target()
            draft.places = [place if place.part else replace(place, part=_part_of(draft.material, place.of))]
            self._also(draft)
            return
        self.i += 2
        ground = "ground" if usual in ("paving", "ground") and relation in ("before", "behind") else usual
        draft.places = [Place(ground, relation=relation, to=token.key("building") or token.key("part") or "")]

    def _relation(self, adjectives: Adjectives) -> Adjectives:
        """A place that stands by itself: it tells the last decision more closely, or says where what comes is."""
        token = self.tokens[self.i]
        draft = self.drafted[-1] if self.drafted else (self.reader.drafts[-1] if self.reader.drafts else None)
        at = self.i
        if token.has("place") and not token.has("relation"):
            self.i += 1
            told = meanings()["place"][token.key("place") or ""]
            if not self.drafted and told["kind"] == "storey" and self._material_follows():
                # "upper floor in slate": of the part that the material is usual for.
                started = Draft(token.start, token.end, places=[self._at(Place(), token)], adjectives=adjectives)
                self.drafted.append(started)
                self.reader.drafts.append(started)
                return Adjectives()
            if (
                draft is not None
                and draft.places
                and (draft.material or draft.adjectives)
                and token.key("place") not in ("inside", "outside")
            ):
                draft.places = [self._at(p, token) for p in draft.places]
                draft.end = token.end
            return adjectives
        nxt = self.tokens[at + 1] if at + 1 < len(self.tokens) else None
        if nxt is None:
            self.i += 1
            return adjectives
        if draft is not None and nxt.has("building") and (self.only or self.drafted) and not self.things:
            self.i += 2
            draft.end = max(draft.end, nxt.end)
            draft.places = [
                replace(p, of=p.of or nxt.key("building") or "") for p in (draft.places or [Place(_usual(draft))])
            ]
            draft.end = max(draft.end, nxt.end)
            return adjectives
        if draft is not None and nxt.has("place") and (self.only or self.drafted) and not self.things:
            self.i += 2
            draft.end = max(draft.end, nxt.end)
            draft.places = [self._at(p, nxt) for p in (draft.places or [Place(_usual(draft))])]
            return adjectives
        if draft is not None and draft.material and not draft.places and nxt.has("part"):
            self._onto(draft)
            return adjectives
        if (
            not self.drafted
            and not self.things
            and nxt is not None
            and (nxt.has("building") or nxt.has("place"))
            and at + 2 < len(self.tokens)
        ):
            self.i += 1
            return adjectives
        # "at dusk", "in the morning", or a place of what decides by itself.
        self.i += 1
        if nxt.has("building") or (nxt.has("part") and not self._is_said_of(at + 1)):
            self.i += 1
            if not (self.things or len(self.reader.decisions) > self.decided):
                self.bare.append((Place(nxt.key("part") or "", nxt.key("building") or ""), nxt))
        return adjectives

    def _except(self) -> None:
        """What is left out of "everything"."""
        others = []
        while self.i < len(self.tokens):
            token = self.tokens[self.i]
            if token.has("part"):
                others.append(token.key("part") or "")
            elif token.has("building"):
                others.append(token.key("building") or "")
            elif not (token.has("grammar", "and", "of", "is") or token.has("relation", "at")):
                break
            self.i += 1
        if self.drafted:
            draft = self.drafted[-1]
            draft.places = [replace(p, others=(*p.others, *others)) for p in draft.places]
            draft.end = self.tokens[self.i - 1].end

    def _replace(self, task: str) -> None:
        """ "replace the brick with …", "instead of zinc …": what goes is only where it was usual."""
        token = self._peek()
        if token is not None and token.has("material") and not token.has("part"):
            self.replacing = meanings()["material"][token.key("material") or ""]["usual"]
            self.i += 1
            nxt = self._peek()
            if nxt is not None and nxt.has("grammar", "with", "by", "is"):
                self.i += 1

    # ── what is left at a clause's end ─────────────────────────────────────────────────────────

    def _rest(self, adjectives: Adjectives) -> None:
        """Adjectives without a noun: they belong to what was decided last, else to the picture, else to what comes."""
        reader = self.reader
        if not adjectives:
            return
        if self.drafted:
            self.drafted[-1].adjectives.take(adjectives)
            self.drafted[-1].end = self.tokens[-1].end
            return
        if self.lamps:
            return
        first = next((t for t in self.tokens if t.start == adjectives.start), self.tokens[0])
        tones = {
            "dark": ("exposure", -1),
            "darker": ("exposure", -1),
            "light": ("exposure", 1),
            "lighter": ("exposure", 1),
            "warm": ("warmth", 1),
            "cool": ("warmth", -1),
        }
        said = [w for w in adjectives.words if w in tones]
        if reader.drafts and not (said and len(said) == len(adjectives.words) and said[0] in ("warm", "cool")):
            draft = reader.drafts[-1]
            draft.adjectives.take(adjectives)
            draft.end = self.tokens[-1].end
            return
        if "warm" in said or "cool" in said:
            # "warm light" is no paler one.
            said = [w for w in said if w != "light"]
            adjectives.words = [w for w in adjectives.words if w != "light"]
        if said and len(said) == len(adjectives.words) and not adjectives.colour:
            for word in said:
                what, sign = tones[word]
                reader.decide(what, f"{sign * adjectives.degree:+d}", first, self.tokens[-1])
            return
        if "wet" in adjectives.words and len(adjectives.words) == 1 and not adjectives.colour:
            reader.decide("weather", "after rain", first, self.tokens[-1])
            return
        reader.waiting = adjectives

    def _bare(self) -> None:
        """Targets of which nothing was said."""
        reader = self.reader
        unknown = any(not t.meanings for t in self.all)
        decided = len(reader.decisions) > self.decided
        for draft in self.drafted:
            if draft.material or draft.adjectives or draft.keep:
                continue
            if self.keep:
                draft.keep = True
                continue
            reader.drafts.remove(draft)
            if unknown or decided:
                reader.used |= {t.start for t in self.tokens if draft.start <= t.start < draft.end}
            if not unknown and not decided:
                token = next((t for t in self.tokens if t.start == draft.start), self.tokens[0])
                reader.nothing_said(token)
        for _, token in self.bare:
            if not unknown and not self.drafted:
                reader.nothing_said(token)

    # ── looking ahead ──────────────────────────────────────────────────────────────────────────

    def _peek(self) -> Token | None:
        return self.tokens[self.i] if self.i < len(self.tokens) else None

    def _ahead(self, n: int, subject: str) -> bool:
        return self.i + n < len(self.tokens) and self.tokens[self.i + n].has(subject)

    def _noun_follows(self) -> bool:
        """Whether a surface, a thing or a material comes after further adjectives."""
        for token in self.tokens[self.i + 1 :]:
            if (
                token.has("part")
                or token.has("material")
                or token.has("building")
                or token.has("thing")
                or token.has("lamps")
            ):
                return True
            if not (token.has("modifier") or token.has("colour") or token.has("size") or token.has("number")):
                return False
        return False

    def _place_follows(self, n: int) -> bool:
        if self.i + n >= len(self.tokens):
            return False
        token = self.tokens[self.i + n]
        return token.has("building") or token.has("place") or (token.has("part") and not token.has("material"))

    def _relation_follows(self) -> bool:
        return self.i + 1 < len(self.tokens) and self.tokens[self.i].has("relation") and self._place_follows(1)

    def _material_follows(self) -> bool:
        """Whether a material or colour is said of what was just named."""
        for token in self.tokens[self.i :]:
            if token.has("material") or token.has("colour"):
                return True
            if not (token.has("grammar", "is") or token.has("modifier") or token.has("relation", "at")):
                return False
        return False

    def _skip_place(self) -> None:
        """Pass over a place that only says where life is: "lively quay", "busy on the terrace"."""
        begin = self.i
        if self.i < len(self.tokens) and self.tokens[self.i].has("relation") and self._place_follows(1):
            self.i += 2
        elif self.i < len(self.tokens) and (self.tokens[self.i].has("building") or self.tokens[self.i].has("part")):
            self.i += 1
        self.reader.used |= {t.start for t in self.tokens[begin : self.i]}

    def _is_material_here(self, token: Token) -> bool:
        """Whether a word for a plant and its wood is the wood here: "cherry floor"."""
        return token.has("material") and (self._ahead(1, "part") or self._ahead(1, "building"))

    def _is_part_here(self) -> bool:
        return not self._noun_follows()

    def _is_said_of(self, index: int) -> bool:
        """Whether something is said of the part at `index`: an adjective or material follows it."""
        after = self.tokens[index + 1] if index + 1 < len(self.tokens) else None
        return after is not None and (after.has("material") or after.has("colour") or after.has("grammar", "is"))


def _only_filler(token: Token) -> bool:
    return all(m.subject == "filler" for m in token.meanings)


def _usual(draft: Draft) -> str:
    return draft.usual or (meanings()["material"][draft.material]["usual"] if draft.material else "wall")


def _part_of(material: str, building: str) -> str:
    """The part of something that a material goes onto: a quay and a pontoon are paved."""
    usual = meanings()["material"][material]["usual"]
    flat = ("quay", "pontoon", "gangway", "shore")
    return "paving" if building in flat and usual in ("paving", "floor", "ground") else usual


# ── from drafts to decisions ───────────────────────────────────────────────────────────────────


def _decided(draft: Draft, text: str) -> list[Decision]:
    """What a draft decides, place by place."""
    phrase = text[draft.start : draft.end]
    places = draft.places or [Place(_usual(draft))]
    notes = list(draft.notes)
    if not draft.places and draft.material:
        notes.append(f"no part was named: taken for the {_usual(draft)}")
    out = []
    for place in places:
        if not place.part:
            # A storey has walls before all.
            storey = meanings()["place"].get(place.to, {}).get("kind") == "storey"
            part = _part_of(draft.material, place.of) if draft.material and not storey else "wall"
            place = replace(place, part=part)
        if draft.keep and not draft.material and not draft.adjectives:
            out.append(Decision("finish", "as found", place, (), phrase, draft.start, tuple(notes)))
        elif draft.material:
            value, details, said = choose_finish(draft.material, place.part, draft.adjectives)
            out.append(Decision("finish", value, place, details, phrase, draft.start, (*notes, *said)))
        elif draft.adjectives.colour:
            details = _details(draft.adjectives, skip_colour=True)
            out.append(Decision("colour", draft.adjectives.colour, place, details, phrase, draft.start, tuple(notes)))
        elif tones := [w for w in draft.adjectives.words if w in ("dark", "light", "darker", "lighter", "pale")]:
            value = {"pale": "light"}.get(tones[0], tones[0])
            out.append(Decision("tone", value, place, (), phrase, draft.start, tuple(notes)))
        elif _details(draft.adjectives):
            out.append(
                Decision("surface", "; ".join(_details(draft.adjectives)), place, (), phrase, draft.start, tuple(notes))
            )
    return out


def choose_finish(material: str, part: str, adjectives: Adjectives) -> tuple[str, tuple[str, ...], list[str]]:
    """The catalogue's finish for a material on a part, with what of the adjectives is left, and what was assumed."""
    told = meanings()["material"][material]
    left = Adjectives(adjectives.colour, list(adjectives.words), adjectives.size, adjectives.degree)
    notes: list[str] = []
    finish = told.get("on", {}).get(part, told["finish"])
    if part in told.get("not_on", ()):
        notes.append(f"there is no {material} for a {part} in the catalogue: taken for {finish}")
    said = [*left.words, *([left.colour] if left.colour else [])]
    chosen = next((word for word in said if word in told.get("if", {})), None)
    alone = next((word for word in said if word in told.get("alone", {})), None)
    if chosen is not None:
        finish = told["if"][chosen]
        left = _without(left, chosen)
    elif alone is not None and len(said) == 1:
        finish = told["alone"][alone]
        left = _without(left, alone)
    elif "coloured" in told and (said and (left.colour or set(said) & {"light", "dark", "pale"})):
        finish = told["coloured"]
    # Upright or level are finishes of their own where there are both.
    for way, other in (("level", "upright"), ("upright", "level")):
        if way in left.words:
            turned = finish.replace(f", {other}", f", {way}")
            if turned in BOTH_WAYS:
                finish, left = turned, _without(left, way)
    # "dark red" of what is red already is only dark.
    head, _, tail = left.colour.rpartition(" ")
    if tail and tail in finish.split(",")[0].split():
        left.colour = ""
        if head in ("dark", "light", "pale"):
            left.words.insert(0, head)
    elif left.colour and left.colour in finish.split(",")[0].split():
        left.colour = ""
    named = finish.split(", ")
    left.words = [word for word in left.words if word not in named]
    return finish, _details(left), notes


def _without(adjectives: Adjectives, word: str) -> Adjectives:
    colour = "" if adjectives.colour == word else adjectives.colour
    return Adjectives(colour, [w for w in adjectives.words if w != word], adjectives.size, adjectives.degree)


def _details(adjectives: Adjectives, skip_colour: bool = False) -> tuple[str, ...]:
    """What is said of a finish besides its name."""
    out = []
    for word in adjectives.words:
        if word in ("weathered", "old"):
            out.append(f"aged {1 if adjectives.degree == 1 else 2}")
        elif word in ("darker", "lighter", "dark", "light"):
            out.append(word)
        elif word == "pale":
            out.append("light")
        elif word == "rough":
            out.append("matt")
        elif word not in ("warm", "cool"):
            out.append(word)
    if adjectives.colour and not skip_colour:
        out.append(adjectives.colour)
    if adjectives.size:
        out.append(adjectives.size)
    return tuple(dict.fromkeys(out))
