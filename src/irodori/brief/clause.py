"""Reading one clause of a brief, from left to right."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief.brief import Place
from irodori.brief.drafts import Adjectives, Draft, part_for, usual_part
from irodori.brief.lexicon import meanings
from irodori.brief.said import Said
from irodori.brief.tokens import Token

SURFACES = ("material", "part", "building")
"""Subjects of words for what finishes go onto."""

OPEN_AIR = ("paving", "ground", "lawn", "water", "planting")
"""Parts that are of no building."""

GENERIC = ("boards", "timber", "stone", "tiles", "render", "decking", "steel", "paint", "parquet")
"""Materials that may follow a closer one and mean the same."""

PLURAL = ("people", "children", "kids", "visitors")
MASS = ("reeds", "ivy", "lavender", "feather grass", "perennials", "wild vine", "far trees")
"""Things that no one counts."""

ONE = ("hills", "townscape")


class Clause:
    """Reading one clause."""

    def __init__(self, said: Said, tokens: list[Token]) -> None:
        self.so_far = said
        self.all = tokens
        # Fillers part nothing; what nobody knows was told already.
        self.tokens = [t for t in tokens if t.meanings and not _only_filler(t)]
        self.i = 0
        self.no = said.avoided
        self.keep = False
        self.only = False
        self.replacing: str | None = None
        self.things: list[int] = []
        self.lead = Place()
        self.comparison = 0
        self.drafted: list[Draft] = []
        self.joined_by_with = False
        self.bare: list[tuple[Place, Token]] = []
        self.lamps: list[Token] = []
        self.decided = len(said.decisions)

    def read(self) -> None:
        so_far = self.so_far
        if not self.tokens:
            return
        adjectives, so_far.waiting = so_far.waiting, Adjectives()
        if [t.key("grammar") for t in self.tokens] == ["no"] and not so_far.avoided:
            so_far.correcting = True
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
            self.so_far.view.append(token)
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
                self.so_far.decide("leave out", token.key("mood") or "", token)
            else:
                self.so_far.decide("mood", token.key("mood") or "", token)
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
        last = self._open()
        if task in ("and", "but", "with") and adjectives and last is not None and not last.adjectives:
            # "the kiosk white and the shed black": what was said is said.
            last.adjectives.take(adjectives)
            last.end = token.start
            adjectives = Adjectives()
        if task in ("no",):
            if self._after_too():
                return adjectives
            self.no = True
        elif task == "but":
            self.no = self.so_far.avoided
            if self.drafted and "everything" in [p.part for p in self.drafted[-1].places]:
                self._except()
        elif task == "except":
            if self.drafted and "everything" in [p.part for p in self.drafted[-1].places]:
                self._except()
            else:
                self.no = self.so_far.avoided
        elif task == "keep":
            self.keep = True
        elif task == "only":
            self.only = True
        elif task in ("with", "its"):
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
        elif task == "hint":
            # A hint of something is less than any decision there is.
            if self.i < len(self.tokens):
                self.so_far.nothing_said(self.tokens[self.i])
                self.i += 1
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
                    self.so_far.decide(what, value, self.tokens[i - 1], word)
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
            self.so_far.decide("leave out", wanted, token)
            return Adjectives()
        details = ()
        if subject == "lens" and adjectives.degree != 2:
            details = (str(adjectives.degree),)
        self.so_far.decide(subject, value, token, details=details)
        if subject == "weather":
            self._skip_place(where_alone=True)
        return Adjectives() if subject == "lens" else adjectives

    def _life(self, token: Token, adjectives: Adjectives) -> Adjectives:
        key = token.key("life") or ""
        self.i += 1
        if key == "none" and not self.no and self._relation_follows():
            place = self._thing_place()
            self.so_far.decide("leave out", "person", token, self.tokens[self.i - 1], place=place)
        elif self.no:
            self.so_far.decide("life", "none" if key != "lively" else "few", token)
        elif (
            key == "few"
            and self._relation_follows()
            and not token.text.casefold().startswith(("fewer", "weniger", "viel"))
        ):
            self._put(token, "person", "some", adjectives)
        else:
            self.so_far.decide("life", key, token)
            self._skip_place()
        return Adjectives()

    def _adjust(self, token: Token, adjectives: Adjectives) -> Adjectives:
        key = token.key("adjust") or ""
        told = meanings()["adjust"][key]
        self.i += 1
        if (
            key == "brighter"
            and token.text.casefold() in ("bright", "hell")
            and any(t.has("light") for t in self.tokens)
        ):
            # "a bright morning": its sky.
            self.so_far.decide("weather", "clear", token)
            return adjectives
        if "development" in told:
            self.so_far.decide("development", told["development"], token)
            return adjectives
        sign = told["sign"] * (-1 if self.comparison < 0 or self.no else 1)
        first = (
            self.tokens[self.i - 2]
            if self.i > 1 and self.tokens[self.i - 2].has("grammar", "more", "less", "slightly", "much")
            else token
        )
        self.so_far.decide(told["what"], f"{sign * adjectives.degree:+d}", first, token)
        self.comparison = 0
        return Adjectives()

    def _lamps(self) -> None:
        """What the clause says of lamps: on, off, warm or cool."""
        first, last = self.lamps[0], self.lamps[-1]
        warm = [t for t in self.tokens if t.has("modifier", "warm") or t.has("adjust", "warmer")]
        cool = [t for t in self.tokens if t.has("modifier", "cool") or t.has("adjust", "cooler")]
        named = [t for t in self.lamps if t.has("lamps", "on", "off", "warm", "cool")]
        clean = [t for t in self.lamps if not t.has("modifier")]
        said = named[-1].key("lamps") if named else ""
        if said and (said != "on" or not (warm or cool)):
            value = "off" if self.no else said
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
        self.so_far.decide("lamps", value, first, last)
        # Where they are is no matter: all lamps of a view go together.
        self.so_far.used |= {
            t.start
            for t in self.tokens
            if t.has("building") or t.has("lamps") or t.has("modifier", "warm", "cool", "light")
        }

    # ── things ─────────────────────────────────────────────────────────────────────────────────

    def _thing(self, token: Token, adjectives: Adjectives) -> Adjectives:
        key = token.key("thing") or ""
        self.i += 1
        if self.no:
            self._without(token, key, adjectives)
            return Adjectives()
        if "bare" in adjectives.words and key == "tree":
            self.so_far.decide("season", "winter", token, notes=("trees are bare in winter",))
            return Adjectives()
        told = meanings()["thing"][key]
        number = adjectives.number or str(told.get("number", ""))
        if not number or (number == "1" and told.get("number")):
            number = str(told["number"]) if told.get("number") else "some" if self._is_plural(token, key) else "1"
        if self.comparison < 0 and told.get("people"):
            self.so_far.decide("life", "few", token)
            return Adjectives()
        if self.comparison > 0 and not adjectives.number:
            number = "some"
        self._put(token, key, number, adjectives)
        return Adjectives()

    def _put(self, token: Token, key: str, number: str, adjectives: Adjectives) -> None:
        """A thing with its number and the place that follows it."""
        so_far = self.so_far
        people = meanings()["thing"][key].get("people")
        first = token if adjectives.start < 0 else next((t for t in self.all if t.start == adjectives.start), token)
        place = self._thing_place()
        place = place if str(place) else self.lead
        end = self.tokens[self.i - 1]
        if meanings()["thing"][key].get("kind") in ("hills", "far trees", "townscape"):
            place = Place(to="horizon")
            number = "1"
        if people and key == "person" and not str(place) and number not in ("1", "some"):
            so_far.decide("life", number, first, end)
            return
        if people and key == "person" and not str(place) and number == "some":
            so_far.decide("life", "few", first, end)
            return
        if str(place):
            # What was named before it in one breath stands there, too.
            for index in self.things:
                if not str(so_far.decisions[index].place):
                    so_far.decisions[index] = replace(so_far.decisions[index], place=place)
            for index, decision in enumerate(so_far.decisions[self.decided :], self.decided):
                if decision.subject == "life" and decision.value.isdigit() and "family" in decision.phrase:
                    so_far.decisions[index] = replace(
                        decision, subject="add", value="person", details=(decision.value,), place=place
                    )
        value = {"family": "person"}.get(key, key)
        so_far.decide("add", value, first, end, details=(number,), place=place)
        self.things.append(len(so_far.decisions) - 1)

    def _without(self, token: Token, key: str, adjectives: Adjectives) -> None:
        told = meanings()["thing"][key]
        place = self._thing_place()
        bare = "bare " if "bare" in adjectives.words else ""
        if told.get("people") and key == "person" and not str(place):
            self.so_far.decide("life", "none", token)
        else:
            first = next((t for t in self.all if t.start == adjectives.start), token)
            self.so_far.decide("leave out", f"{bare}{key}", first, self.tokens[self.i - 1], place=place)

    def _is_plural(self, token: Token, key: str) -> bool:
        if key in MASS:
            return True
        if key in ONE:
            return False
        word = token.text.casefold().split()[-1]
        if self.so_far.known.code == "de":
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
        so_far = self.so_far
        self.i += 1
        key = token.key("material") or ""
        if self.no:
            so_far.decide("leave out", key, token)
            return Adjectives()
        start = adjectives.start if adjectives.start >= 0 else token.start
        if so_far.correcting and so_far.drafts:
            so_far.correcting = False
            draft = so_far.drafts[-1]
            draft.notes.append(f"'{token.text}' takes the place of '{so_far.text[draft.start : draft.end]}'")
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
        if (
            open_one is None
            and before is not None
            and before.has("grammar", "is")
            and self.drafted
            and self.drafted[-1].places
            and not parted
        ):
            # "glass dome in copper": what is said later holds.
            open_one = self.drafted[-1]
            open_one.notes.append(f"'{token.text}' takes the place of {open_one.material or 'what was said'}")
        if open_one is not None:
            open_one.material, open_one.end = key, token.end
            open_one.adjectives.take(adjectives)
            self._note(open_one, token)
            draft = open_one
        else:
            draft = Draft(start, token.end, key, adjectives=adjectives)
            if self.replacing is not None:
                draft.usual, draft.start, self.replacing = self.replacing, self.tokens[0].start, None
                so_far.used |= {t.start for t in self.tokens[: self.i]}
            self._note(draft, token)
            self.drafted.append(draft)
            so_far.drafts.append(draft)
        # What it goes onto, if that is still to come.
        if not draft.places:
            nxt = self._peek()
            if nxt is not None and nxt.has("grammar", "all"):
                # "timber everywhere".
                self.i += 1
                draft.places = [self._nearer(Place("everything"))]
            elif nxt is not None and nxt.has("thing") and nxt.key("thing") in meanings()["part"]:
                # "leather benches": the ones there are.
                self.i += 1
                draft.places = [self._nearer(Place(nxt.key("thing") or ""))]
            elif nxt is not None and (nxt.has("part") or nxt.has("building")) and not nxt.has("thing"):
                draft.places = [self._read_target()]
                self._also(draft)
            elif nxt is not None and nxt.has("relation") and self._place_follows(1):
                self._onto(draft)
            draft.end = max(draft.end, self.tokens[self.i - 1].end)
        if self.joined_by_with and draft.places and not draft.places[0].of and len(self.drafted) > 1:
            before = self.drafted[-2].places
            if before and before[0].of:
                draft.places = [replace(p, of=before[0].of) if p.part not in OPEN_AIR else p for p in draft.places]
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
            said_of = after is not None and (after.has("colour") or after.has("material") or after.has("modifier"))
            if said_of or (after is not None and after.has("grammar", "is") and (draft.material or draft.adjectives)):
                return
            self.i = i + 1
            draft.places.append(self._read_target())

    def _target(self, token: Token, adjectives: Adjectives) -> Adjectives:
        so_far = self.so_far
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
                so_far.decide("leave out", str(place), token, last)
            return Adjectives()
        start = adjectives.start if adjectives.start >= 0 else token.start
        if adjectives:
            # "red door", "dark roof": said all with it, unless a material follows.
            draft = Draft(start, last.end, places=[place], adjectives=adjectives)
        else:
            draft = Draft(start, last.end, places=[place])
        self._note(draft, token)
        if self.joined_by_with and not place.of and self.drafted and self.drafted[-1].places:
            draft.places = [replace(place, of=self.drafted[-1].places[0].of if place.part not in OPEN_AIR else "")]
        self.drafted.append(draft)
        so_far.drafts.append(draft)
        self._also(draft)
        draft.keep = self.keep
        return Adjectives()

    def _read_target(self) -> Place:
        """Part and building, in either order, and what tells it more closely."""
        part = of = ""
        if self.tokens[self.i].has("grammar", "all") and not self.tokens[self.i].has("part"):
            self.i += 1
            after = self._peek()
            if after is None or not (after.has("part") or after.has("building")):
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
            if relation not in ("at", "on") and nxt.key("thing") in meanings()["part"]:
                self.i = i + 2
                return replace(place, relation=relation, to=nxt.key("thing") or "")
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
            storey = meanings()["place"][token.key("place") or ""]["kind"] == "storey"
            draft.places = [self._at(Place("" if storey else usual), token)]
            return
        if relation in ("on", "at", "under"):
            self.i += 1
            place = self._read_target()
            draft.places = [place if place.part else replace(place, part=part_for(draft.material, place.of))]
            draft.end = max(draft.end, self.tokens[self.i - 1].end)
            self._also(draft)
            return
        self.i += 2
        ground = "ground" if usual in ("paving", "ground") and relation in ("before", "behind") else usual
        draft.places = [Place(ground, relation=relation, to=token.key("building") or token.key("part") or "")]
        draft.end = max(draft.end, token.end)

    def _relation(self, adjectives: Adjectives) -> Adjectives:
        """A place that stands by itself: it tells the last decision more closely, or says where what comes is."""
        token = self.tokens[self.i]
        draft = self.drafted[-1] if self.drafted else (self.so_far.drafts[-1] if self.so_far.drafts else None)
        at = self.i
        if token.has("place") and not token.has("relation"):
            self.i += 1
            told = meanings()["place"][token.key("place") or ""]
            if not self.drafted and told["kind"] == "storey" and self._material_follows():
                # "upper floor in slate": of the part that the material is usual for.
                started = Draft(token.start, token.end, places=[self._at(Place(), token)], adjectives=adjectives)
                self.drafted.append(started)
                self.so_far.drafts.append(started)
                return Adjectives()
            if (
                draft is not None
                and (draft.places or draft.material)
                and (draft.material or draft.adjectives)
                and token.key("place") not in ("inside", "outside")
            ):
                draft.places = [
                    self._at(p, token)
                    for p in (draft.places or [Place("" if told["kind"] == "storey" else usual_part(draft))])
                ]
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
                replace(p, of=p.of or nxt.key("building") or "") for p in (draft.places or [Place(usual_part(draft))])
            ]
            draft.end = max(draft.end, nxt.end)
            return adjectives
        if draft is not None and nxt.has("place") and (self.only or self.drafted) and not self.things:
            self.i += 2
            draft.end = max(draft.end, nxt.end)
            draft.places = [self._at(p, nxt) for p in (draft.places or [Place(usual_part(draft))])]
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
            if any(t.has("thing") for t in self.tokens[at + 2 :]) and not any(
                t.has("material") for t in self.tokens[at + 2 :]
            ):
                # "in front of the hall two benches".
                self.lead = self._thing_place()
                self.so_far.used |= {t.start for t in self.tokens[at : self.i]}
                return adjectives
            self.i += 1
            return adjectives
        # "at dusk", "in the morning", or a place of what decides by itself.
        self.i += 1
        if nxt.has("building") or (nxt.has("part") and not self._is_said_of(at + 1)):
            self.i += 1
            if self.things or len(self.so_far.decisions) > self.decided:
                self.so_far.used |= {token.start, nxt.start}
            else:
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
            if others and self._material_follows():
                # "… except the roof, which stays zinc".
                parts = [o for o in others if o in meanings()["part"]]
                started = Draft(self.tokens[self.i - 1].start, draft.end, places=[Place(part) for part in parts])
                if parts:
                    self.drafted.append(started)
                    self.so_far.drafts.append(started)

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
        so_far = self.so_far
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
        if "light" in adjectives.words and len(so_far.decisions) > self.decided:
            # "the light of dusk": the noun.
            so_far.used |= {t.start for t in self.tokens if t.has("modifier", "light")}
            adjectives.words.remove("light")
            if not adjectives:
                return
        said = [w for w in adjectives.words if w in tones]
        if any(not t.meanings for t in self.all):
            return  # they are said of something that nobody knows
        if so_far.drafts and not (said and len(said) == len(adjectives.words) and said[0] in ("warm", "cool")):
            draft = so_far.drafts[-1]
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
                way = -sign if self.comparison < 0 else sign
                so_far.decide(what, f"{way * adjectives.degree:+d}", first, self.tokens[-1])
            return
        if "wet" in adjectives.words and len(adjectives.words) == 1 and not adjectives.colour:
            so_far.decide("weather", "after rain", first, self.tokens[-1])
            return
        so_far.waiting = adjectives

    def _bare(self) -> None:
        """Targets of which nothing was said."""

        so_far = self.so_far
        unknown = any(not t.meanings for t in self.all)
        decided = len(so_far.decisions) > self.decided
        for draft in self.drafted:
            if draft.material or draft.adjectives or draft.keep:
                continue
            if self.keep:
                draft.keep = True
                continue
            so_far.drafts.remove(draft)
            if unknown or decided:
                so_far.used |= {t.start for t in self.tokens if draft.start <= t.start < draft.end}
            if not unknown and not decided:
                token = next((t for t in self.tokens if t.start == draft.start), self.tokens[0])
                so_far.nothing_said(token)
        for _, token in self.bare:
            if not unknown and not self.drafted:
                so_far.nothing_said(token)

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
        if token.has("grammar", "all") and self.i + n + 1 < len(self.tokens):
            token = self.tokens[self.i + n + 1]
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

    def _skip_place(self, where_alone: bool = False) -> None:
        """Pass over a place that only says where life is: "lively quay", "busy on the terrace"."""
        begin = self.i
        if self.i < len(self.tokens) and self.tokens[self.i].has("relation") and self._place_follows(1):
            self.i += 2
        elif (
            not where_alone
            and self.i < len(self.tokens)
            and (self.tokens[self.i].has("building") or self.tokens[self.i].has("part"))
        ):
            self.i += 1
        self.so_far.used |= {t.start for t in self.tokens[begin : self.i]}

    def _is_material_here(self, token: Token) -> bool:
        """Whether a word for a plant and its wood is the wood here: "cherry floor"."""
        return token.has("material") and (self._ahead(1, "part") or self._ahead(1, "building"))

    def _is_part_here(self) -> bool:
        """Whether a word for a material and for what is made of it is the thing here: "on the lawn", "the lawn in clover"."""
        before = self.tokens[self.i - 1] if self.i else None
        after = self.tokens[self.i + 1] if self.i + 1 < len(self.tokens) else None
        return (before is not None and before.has("relation")) or (
            after is not None and after.has("grammar", "is") and not after.has("relation", "before")
        )

    def _is_said_of(self, index: int) -> bool:
        """Whether something is said of the part at `index`: an adjective or material follows it."""
        after = self.tokens[index + 1] if index + 1 < len(self.tokens) else None
        return after is not None and (after.has("material") or after.has("colour") or after.has("grammar", "is"))


def _only_filler(token: Token) -> bool:
    return all(m.subject == "filler" for m in token.meanings)
