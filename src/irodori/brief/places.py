"""Phrases of places that stand by themselves: they tell the last decision more closely, or say where what comes is."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief.brief import Place
from irodori.brief.drafts import Adjectives, Draft, usual_part
from irodori.brief.lexicon import meanings
from irodori.brief.surfaces import SurfacePhrases
from irodori.brief.tokens import Token


class PlacePhrases(SurfacePhrases):
    """Reading of places in the picture, on a building, or beside something."""

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
