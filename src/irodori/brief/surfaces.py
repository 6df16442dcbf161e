"""Phrases of surfaces: what they are made of, which ones, and what is said of them besides."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief.brief import Place
from irodori.brief.cursor import Cursor
from irodori.brief.drafts import Adjectives, Draft, part_for, usual_part
from irodori.brief.lexicon import meanings
from irodori.brief.said import NOT_THIS, OF_UNKNOWN
from irodori.brief.tokens import Token

OPEN_AIR = ("paving", "ground", "lawn", "water", "planting")
"""Parts that are of no building."""

GENERIC = ("boards", "timber", "stone", "tiles", "render", "decking", "steel", "paint", "parquet")
"""Materials that may follow a closer one and mean the same."""


LESS = {"glossy": "matt", "polished": "matt", "matt": "glossy", "old": "new", "weathered": "new"}
"""Modifiers, and what less of each is; less dark or warm is told by the whole clause."""

BROAD = ("tiles", "boards", "timber", "stone", "paint", "steel")
"""Materials so broad that an unknown word before them makes something else of them."""


class SurfacePhrases(Cursor):
    """Reading of materials, targets and their places."""

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
            if self.comparison < 0:
                if word in ("dark", "light", "warm", "cool"):
                    adjectives.words.append(word)
                    return adjectives
                if word not in LESS:
                    # Half as much of it is not in the catalogue.
                    self.so_far.nothing_said(token)
                    return adjectives
                word = LESS[word]
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
            if self._is_denied_of():
                return self._denied(token)
            so_far.decide("leave out", key, token)
            return Adjectives()
        if self.preferring and self.drafted and self.i > 1 and self.tokens[self.i - 2].has("relation"):
            # "I'd prefer zinc to slate".
            so_far.decide("leave out", key, token)
            return Adjectives()
        if key == "paint" and self.drafted and (self.drafted[-1].material or self.drafted[-1].adjectives):
            # "brick walls painted white".
            self.drafted[-1].end = token.end
            return adjectives
        if self._open() is None and (
            self._is_orphan(token)
            or (not self._part_follows() and self._is_led_by_unknown(token))
            or (key in BROAD and not self._part_follows() and self._has_unknown_word_before(token))
            or (key == "tiles" and not self._part_follows())
        ):
            so_far.nothing_said(token, OF_UNKNOWN)
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
        waiting = so_far.drafts[-1] if so_far.drafts else None
        if waiting is not None and waiting.made and not waiting.material and not self.drafted and before is not None:
            open_one = waiting  # "a gable roof on the kiosk, in slate"
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
            if open_one.material in GENERIC:
                # "new decking in larch" stays where decking goes.
                open_one.places = [
                    p if p.part else replace(p, part=part_for(open_one.material, p.of)) for p in open_one.places
                ]
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
            self._start(draft)
        # What it goes onto, if that is still to come.
        if not draft.places:
            nxt = self._peek()
            if nxt is not None and nxt.has("grammar", "all") and (self._ahead(1, "part") or self._ahead(1, "building")):
                self.i += 1  # "render all walls"
                nxt = self._peek()
            if (
                nxt is not None
                and nxt.has("grammar", "all")
                and not (self._ahead(1, "part") or self._ahead(1, "building"))
            ):
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
            elif nxt is not None and self._is_onto(nxt):
                self._onto(draft)
            draft.end = max(draft.end, self.tokens[self.i - 1].end)
        if not draft.places and (to := meanings()["place"].get(self.lead.to)) is not None:
            usual = meanings()["material"][key]["usual"]
            draft.places = [self._in(Place("" if to["kind"] == "storey" else usual), self.lead.to)]
        if self.joined_by_with and draft.places and not draft.places[0].of and len(self.drafted) > 1:
            before = self.drafted[-2].places
            if before and before[0].of:
                draft.places = [replace(p, of=before[0].of) if p.part not in OPEN_AIR else p for p in draft.places]
        elif self.joined_by_with and not draft.places and len(self.drafted) > 1 and self.drafted[-2].places:
            of = self.drafted[-2].places[0].of
            usual = meanings()["material"][key]["usual"]
            draft.places = [Place(usual, of)] if of else []
        return Adjectives()

    def _denied(self, token: Token) -> Adjectives:
        """What is not to be said of a noun: what it should be instead is not known."""
        while self.i < len(self.tokens) and not self.tokens[self.i].has("grammar", "and", "but"):
            self.i += 1
        self.so_far.nothing_said(token, NOT_THIS, self.tokens[self.i - 1])
        return Adjectives()

    def _is_onto(self, token: Token) -> bool:
        """Whether what a material goes onto begins here: "setts on the quay", "slate for the roof"."""
        return (token.has("relation") or token.has("grammar", "of")) and self._place_follows(1)

    def _part_follows(self) -> bool:
        nxt = self._peek()
        return nxt is not None and (nxt.has("part") or nxt.has("building") or nxt.has("relation"))

    def _note(self, draft: Draft, token: Token) -> None:
        draft.notes += token.notes

    def _start(self, draft: Draft) -> None:
        """Begin something that more may be said of."""
        self.drafted.append(draft)
        self.so_far.drafts.append(draft)

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
        if place.part != "everything" and not place.to and not self.no and self._names_something_unknown(last):
            so_far.nothing_said(token, OF_UNKNOWN)
            so_far.used.add(last.start)
            return Adjectives()
        if self.no:
            if self._is_denied_of():
                return self._denied(token)
            if place.part:
                so_far.decide("leave out", str(place), token, last)
            return Adjectives()
        start = adjectives.start if adjectives.start >= 0 else token.start
        # "red door", "dark roof": said all with it, unless a material follows.
        draft = Draft(start, last.end, places=[place], adjectives=adjectives or Adjectives())
        self._note(draft, token)
        if self.joined_by_with and not place.of and self.drafted and self.drafted[-1].places:
            draft.places = [replace(place, of=self.drafted[-1].places[0].of if place.part not in OPEN_AIR else "")]
        self._start(draft)
        self._also(draft)
        draft.keep = self.keep
        if self.keep and place.part == "everything" and not place.others:
            # What was said before is no less wanted.
            others = self.so_far.parts()
            draft.places = [replace(p, others=others) for p in draft.places]
        return Adjectives()

    def _read_target(self) -> Place:
        """Part and building, in either order, and what tells it more closely."""
        part = of = ""
        if self.tokens[self.i].has("grammar", "all") and not self.tokens[self.i].has("part"):
            self.i += 1
            after = self._peek()
            if self.tokens[self.i - 1].has("grammar", "others"):
                return Place("everything", others=self.so_far.parts())
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
        return self._in(place, token.key("place") or "")

    def _in(self, place: Place, key: str) -> Place:
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
        relation = self.tokens[self.i].key("relation") or "on"
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
        if token.has("place") and not token.has("relation"):
            self.i += 1
            return self._place_alone(token, draft, adjectives)
        if self.i + 1 == len(self.tokens):
            self.i += 1
            return adjectives
        if not (self._leading_place() or self._closer(draft) or self._lead_of_things() or self._where_the_last_is()):
            self._place_of_all_else()
        return adjectives

    def _place_alone(self, token: Token, draft: Draft | None, adjectives: Adjectives) -> Adjectives:
        """A place without a preposition, which was just read: "upper floor in slate", "the left wall blue", "… upstairs"."""
        storey = meanings()["place"][token.key("place") or ""]["kind"] == "storey"
        if not self.drafted and storey and self._material_follows():
            # "upper floor in slate": of the part that the material is usual for.
            self._start(Draft(token.start, token.end, places=[self._at(Place(), token)], adjectives=adjectives))
            return Adjectives()
        follows = self._peek()
        if follows is not None and follows.has("part") and not follows.has("material") and self._is_said_of(self.i):
            # "the left wall blue".
            start = token.start if adjectives.start < 0 else adjectives.start
            places = [self._at(self._read_target(), token)]
            self._start(Draft(start, self.tokens[self.i - 1].end, places=places, adjectives=adjectives))
            return Adjectives()
        said = draft.places[-1] if draft is not None and draft.places else Place()
        if self.drafted and said.to and said.to != token.key("place") and follows is not None:
            # "… and the right one yellow".
            self._start(Draft(token.start, token.end, places=[self._at(replace(said, relation="", to=""), token)]))
            return adjectives
        if not self.drafted and not self.things and self._leads():
            self.lead = Place(to=token.key("place") or "")
            return adjectives
        if draft is None or token.key("place") in ("inside", "outside"):
            return adjectives
        if (draft.places or draft.material) and (draft.material or draft.adjectives):
            usual = [Place("" if storey else usual_part(draft))]
            draft.places = [self._at(p, token) for p in (draft.places or usual)]
            draft.end = token.end
        return adjectives

    def _leading_place(self) -> bool:
        """ "in the foreground a meadow": where what follows is; whether it was read."""
        nxt = self.tokens[self.i + 1]
        if self.drafted or self.things or not nxt.has("place") or nxt.has("part"):
            return False
        self.i += 2
        if not self._leads():
            self.i -= 2
            return False
        self.lead = Place(to=nxt.key("place") or "")
        return True

    def _closer(self, draft: Draft | None) -> bool:
        """ "… of the kiosk", "… on the left", "… on the walls": of what was said of surfaces; whether it was read."""
        if draft is None:
            return False
        at, nxt = self.i, self.tokens[self.i + 1]
        if (self.only or self.drafted) and not self.things and (nxt.has("building") or nxt.has("place")):
            self.i += 2
            places = draft.places or [Place(usual_part(draft))]
            if nxt.has("building"):
                draft.places = [replace(p, of=p.of or nxt.key("building") or "") for p in places]
            else:
                draft.places = [self._at(p, nxt) for p in places]
            draft.end = max(draft.end, nxt.end)
            return True
        if (self.drafted or not at) and draft.material and not draft.places and nxt.has("part"):
            self._onto(draft)
            return True
        return False

    def _lead_of_things(self) -> bool:
        """ "in front of the hall two benches": where the things are that follow; whether there was such a place."""
        at, nxt, after = self.i, self.tokens[self.i + 1], self.tokens[self.i + 2 :]
        if self.drafted or self.things or not after or not (nxt.has("building") or nxt.has("place")):
            return False
        if any(t.has("thing") for t in after) and not any(t.has("material") for t in after):
            self.lead = self._thing_place()
            self.so_far.used |= {t.start for t in self.tokens[at : self.i]}
        else:
            self.i += 1
        return True

    def _where_the_last_is(self) -> bool:
        """ "a woman … walking along the quay": where the last thing is; whether it was read."""
        if not self.things or not self.tokens[self.i].has("relation") or not self._place_follows(1):
            return False
        at, last = self.i, self.so_far.decisions[self.things[-1]]
        if str(last.place):
            return False
        self.so_far.decisions[self.things[-1]] = replace(last, place=self._thing_place())
        self.so_far.used |= {t.start for t in self.tokens[at : self.i]}
        return True

    def _place_of_all_else(self) -> None:
        """ "at dusk", "in the morning", or a place of what decides by itself."""
        token, nxt = self.tokens[self.i : self.i + 2]
        said_of = self._is_said_of(self.i + 1)
        self.i += 1
        if nxt.has("building") or (nxt.has("part") and not said_of):
            self.i += 1
            if self.things or len(self.so_far.decisions) > self.decided:
                self.so_far.used |= {token.start, nxt.start}
            else:
                self.bare.append((Place(nxt.key("part") or "", nxt.key("building") or ""), nxt))

    def _leads(self) -> bool:
        """Whether what follows is something that the place just read is said of."""
        for token in self.tokens[self.i :]:
            if token.has("material") or token.has("thing"):
                return not token.has("part")
            if not (token.has("modifier") or token.has("colour") or token.has("number") or token.has("size")):
                return False
        return False

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
                    self._start(started)

    def _said_everything(self) -> bool:
        return bool(self.drafted) and "everything" in [p.part for p in self.drafted[-1].places]

    def _replace(self) -> None:
        """ "replace the brick with …", "instead of zinc …": what goes is only where it was usual."""
        token = self._peek()
        if token is not None and token.has("material") and not token.has("part"):
            self.replacing = meanings()["material"][token.key("material") or ""]["usual"]
            self.i += 1
            nxt = self._peek()
            if nxt is not None and nxt.has("grammar", "with", "by", "is"):
                self.i += 1
