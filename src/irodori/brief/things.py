"""Phrases of things and people: how many, and where."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief.brief import Place
from irodori.brief.cursor import Cursor
from irodori.brief.drafts import Adjectives
from irodori.brief.lexicon import meanings
from irodori.brief.said import OF_UNKNOWN
from irodori.brief.tokens import Token

PLURAL = ("people", "children", "kids", "visitors")
MASS = ("reeds", "ivy", "lavender", "feather grass", "perennials", "wild vine", "far trees")
"""Things that no one counts."""

ONE = ("hills", "townscape")


class ThingPhrases(Cursor):
    """Reading of what is added, or not wanted."""

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

    def _thing(self, token: Token, adjectives: Adjectives) -> Adjectives:
        key = token.key("thing") or ""
        self.i += 1
        if self.no:
            self._without(token, key, adjectives)
            return Adjectives()
        if "bare" in adjectives.words and key == "tree":
            self.so_far.decide("season", "winter", token, notes=("trees are bare in winter",))
            return Adjectives()
        # "kids' playground", "visitors find".
        told = meanings()["thing"][key]
        compound = (told.get("people") or not self._is_plural(token, key)) and self._names_something_unknown(token)
        if (
            compound
            or self._is_led_by_unknown(token)
            or (key in ("tree", "shrub") and self._has_unknown_word_before(token))
        ):
            self.so_far.nothing_said(token, OF_UNKNOWN)
            return Adjectives()
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
        first = self._first(adjectives, token)
        place = self._thing_place()
        place = place if str(place) else self.lead
        end = self.tokens[self.i - 1]
        if meanings()["thing"][key].get("kind") in ("hills", "far trees", "townscape"):
            place = Place(to="horizon")
            number = "1"
        if people and key == "person" and not str(place) and number != "1":
            so_far.decide("life", "few" if number == "some" else number, first, end)
            return
        if str(place):
            # What was named before it in one breath stands there, too.
            for index in self.things:
                if not str(so_far.decisions[index].place):
                    so_far.decisions[index] = replace(so_far.decisions[index], place=place)
        value = {"family": "person"}.get(key, key)
        kinds = [
            i
            for i, d in enumerate(so_far.decisions)
            if d.subject == "add" and value in meanings()["thing"][d.value].get("any", ())
        ]
        if self.only and kinds and not str(place):
            # "trees behind the hall, but only birches".
            so_far.decisions[kinds[-1]] = replace(so_far.decisions[kinds[-1]], value=value)
            so_far.used |= {t.start for t in self.tokens}
            return
        so_far.decide("add", value, first, end, details=(number,), place=place)
        self.things.append(len(so_far.decisions) - 1)

    def _without(self, token: Token, key: str, adjectives: Adjectives) -> None:
        told = meanings()["thing"][key]
        place = self._thing_place()
        bare = "bare " if "bare" in adjectives.words else ""
        if told.get("people") and key == "person" and not str(place):
            self.so_far.decide("life", "none", token)
        else:
            first = self._first(adjectives, token)
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
