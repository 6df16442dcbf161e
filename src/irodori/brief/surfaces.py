"""Phrases of surfaces: what they are made of, which ones, and what is said of them besides."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief.brief import Place
from irodori.brief.cursor import Cursor
from irodori.brief.drafts import Adjectives, Draft, part_for
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
    """Reading of materials, and of the targets they go onto."""

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
        self.i += 1
        key = token.key("material") or ""
        for reading in (self._unwanted, self._told_again, self._left_to_others, self._corrected, self._told_twice):
            if (waiting := reading(token, key, adjectives)) is not None:
                return waiting
        draft = self._waiting_for(token)
        if draft is not None:
            draft.material, draft.end = key, token.end
            draft.adjectives.take(adjectives)
        else:
            start = adjectives.start if adjectives.start >= 0 else token.start
            draft = Draft(start, token.end, key, adjectives=adjectives)
            if self.replacing is not None:
                draft.usual, draft.start, self.replacing = self.replacing, self.tokens[0].start, None
                self.so_far.used |= {t.start for t in self.tokens[: self.i]}
            self._start(draft)
        self._note(draft, token)
        self._goes_where(draft)
        return Adjectives()

    def _unwanted(self, token: Token, key: str, adjectives: Adjectives) -> Adjectives | None:
        """A material that is not wanted: "no brick", "I'd prefer zinc to slate"."""
        if self.no and self._is_denied_of():
            return self._denied(token)
        if self.no or (self.preferring and self.drafted and self.i > 1 and self.tokens[self.i - 2].has("relation")):
            self.so_far.decide("leave out", key, token)
            return Adjectives()
        return None

    def _told_again(self, token: Token, key: str, adjectives: Adjectives) -> Adjectives | None:
        """Paint on what has its material: "brick walls painted white"."""
        if key == "paint" and self.drafted and (self.drafted[-1].material or self.drafted[-1].adjectives):
            self.drafted[-1].end = token.end
            return adjectives
        return None

    def _left_to_others(self, token: Token, key: str, adjectives: Adjectives) -> Adjectives | None:
        """What is only said of a word that nobody knows, or so broad that its part must be named."""
        if self._open() is not None:
            return None
        alone = not self._part_follows()
        broad = key == "tiles" or (key in BROAD and self._has_unknown_word_before(token))
        if self._is_orphan(token) or (alone and (broad or self._is_led_by_unknown(token))):
            self.so_far.nothing_said(token, OF_UNKNOWN)
            return Adjectives()
        return None

    def _corrected(self, token: Token, key: str, adjectives: Adjectives) -> Adjectives | None:
        """What takes the place of what was said: "zinc, no, copper"."""
        so_far = self.so_far
        if not (so_far.correcting and so_far.drafts):
            return None
        so_far.correcting = False
        draft = so_far.drafts[-1]
        draft.notes.append(f"'{token.text}' takes the place of '{so_far.text[draft.start : draft.end]}'")
        draft.material, draft.end = key, token.end
        draft.adjectives = adjectives
        return Adjectives()

    def _told_twice(self, token: Token, key: str, adjectives: Adjectives) -> Adjectives | None:
        """Two materials side by side: "larch boarding" says one thing twice, and the first tells more."""
        before = self.tokens[self.i - 2] if self.i > 1 else None
        if before is None or not before.has("material") or not self.drafted or self.drafted[-1].places or adjectives:
            return None
        self.drafted[-1].end = token.end
        if token.start != before.start and key not in GENERIC:
            self.drafted[-1].notes.append(f"'{token.text}' is another material: the first is taken")
        return adjectives

    def _waiting_for(self, token: Token) -> Draft | None:
        """What was named and waits for the material just read, or takes it in place of another; None when it begins something new."""
        told = (
            t
            for t in reversed(self.tokens[: self.i - 1])
            if not (t.has("modifier") or t.has("colour") or t.has("size"))
        )
        before = next(told, None)
        if before is None:
            return self._open()
        last = self.so_far.drafts[-1] if self.so_far.drafts else None
        if last is not None and last.made and not last.material and not self.drafted:
            return last  # "a gable roof on the kiosk, in slate"
        if before.has("grammar", "and"):
            return None  # "the hall lit and the lake calm": what "and" parts is not said of the same
        if (waiting := self._open()) is not None:
            return waiting
        if not before.has("grammar", "is") or not self.drafted or not self.drafted[-1].places:
            return None
        # "glass dome in copper": what is said later holds.
        draft = self.drafted[-1]
        draft.notes.append(f"'{token.text}' takes the place of {draft.material or 'what was said'}")
        if draft.material in GENERIC:
            # "new decking in larch" stays where decking goes.
            draft.places = [p if p.part else replace(p, part=part_for(draft.material, p.of)) for p in draft.places]
        return draft

    def _goes_where(self, draft: Draft) -> None:
        """Where a material goes: onto what follows it, where the clause began, or to what it was joined to."""
        if not draft.places:
            self._goes_onto(draft)
            draft.end = max(draft.end, self.tokens[self.i - 1].end)
        usual = meanings()["material"][draft.material]["usual"]
        if not draft.places and (to := meanings()["place"].get(self.lead.to)) is not None:
            draft.places = [self._in(Place("" if to["kind"] == "storey" else usual), self.lead.to)]
        joined = self.drafted[-2].places if self.joined_by_with and len(self.drafted) > 1 else []
        of = joined[0].of if joined else ""
        if of and not draft.places:
            draft.places = [Place(usual, of)]
        elif of and not draft.places[0].of:
            draft.places = [replace(p, of=of) if p.part not in OPEN_AIR else p for p in draft.places]

    def _goes_onto(self, draft: Draft) -> None:
        """What a material goes onto, where that is still to come."""
        nxt = self._peek()
        if nxt is not None and nxt.has("grammar", "all"):
            self.i += 1
            if not (self._ahead(0, "part") or self._ahead(0, "building")):
                draft.places = [self._nearer(Place("everything"))]  # "timber everywhere"
                return
            nxt = self._peek()  # "render all walls"
        if nxt is None:
            return
        if nxt.has("thing") and nxt.key("thing") in meanings()["part"]:
            # "leather benches": the ones there are.
            self.i += 1
            draft.places = [self._nearer(Place(nxt.key("thing") or ""))]
        elif (nxt.has("part") or nxt.has("building")) and not nxt.has("thing"):
            draft.places = [self._read_target()]
            self._also(draft)
        elif self._is_onto(nxt):
            self._onto(draft)

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
