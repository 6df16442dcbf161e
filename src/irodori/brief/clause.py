"""Reading one clause of a brief, from left to right."""

from __future__ import annotations

from irodori.brief.drafts import Adjectives
from irodori.brief.lexicon import FALLS, meanings
from irodori.brief.surfaces import SurfacePhrases
from irodori.brief.things import ThingPhrases
from irodori.brief.tokens import Token

SURFACES = ("material", "part", "building")
"""Subjects of words for what finishes go onto."""

PLAIN = ("light", "weather", "season", "quality", "lens", "look")
"""Subjects of words that decide by themselves."""


class Clause(ThingPhrases, SurfacePhrases):
    """Reading one clause: each phrase by what it is of."""

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

    def _next(self, adjectives: Adjectives) -> Adjectives:
        """Read what begins at the present token; gives what still waits for a noun."""
        token = self.tokens[self.i]
        task = token.key("grammar")
        if token.has("lamps") and not (token.has("modifier") or token.has("adjust")):
            self.i += 1
            return adjectives
        if any(token.has(subject) for subject in PLAIN):
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
            self.so_far.decide("leave out" if self.no else "mood", token.key("mood") or "", token)
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
        if task == "no":
            if self._after_too():
                return adjectives
            self.no = True
        elif task == "but":
            self.no = self.so_far.avoided
            if self._said_everything():
                self._except()
        elif task == "except":
            if self._said_everything():
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
            self._replace()
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

    def _plain(self, token: Token, adjectives: Adjectives) -> Adjectives:
        subject = next(s for s in PLAIN if token.has(s))
        value = token.key(subject) or ""
        self.i += 1
        if self.no:
            self.so_far.decide(
                "leave out", next((fall for fall, weather in FALLS.items() if weather == value), value), token
            )
            return Adjectives()
        details = ()
        if subject == "lens" and adjectives.degree != 2:
            details = (str(adjectives.degree),)
        self.so_far.decide(subject, value, token, details=details)
        if subject == "weather":
            self._skip_place(where_alone=True)
        return Adjectives() if subject == "lens" else adjectives

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
            else:
                token = next((t for t in self.tokens if t.start == draft.start), self.tokens[0])
                so_far.nothing_said(token)
        for _, token in self.bare:
            if not unknown and not self.drafted:
                so_far.nothing_said(token)
