"""Reading one clause of a brief, from left to right."""

from __future__ import annotations

from dataclasses import replace

from irodori.brief.brief import Place
from irodori.brief.drafts import Adjectives, Draft
from irodori.brief.lexicon import FALLS, meanings
from irodori.brief.places import PlacePhrases
from irodori.brief.said import LIKE_ANOTHER
from irodori.brief.things import ThingPhrases
from irodori.brief.tokens import Token

SURFACES = ("material", "part", "building")
"""Subjects of words for what finishes go onto."""

PLAIN = ("light", "weather", "season", "quality", "lens", "look")
"""Subjects of words that decide by themselves."""


MUCH_OF = (
    ("modifier", ("dark", "darker"), "exposure", -1), ("adjust", ("dimmer",), "exposure", -1),
    ("adjust", ("brighter",), "exposure", 1), ("modifier", ("light", "lighter"), "exposure", 1),
    ("modifier", ("warm",), "warmth", 1), ("adjust", ("warmer",), "warmth", 1), ("colour", ("orange", "yellow", "red"), "warmth", 1),
    ("modifier", ("cool",), "warmth", -1), ("adjust", ("cooler",), "warmth", -1), ("colour", ("blue",), "warmth", -1),
    ("adjust", ("contrast",), "contrast", 1), ("adjust", ("glare",), "glare", 1),
)  # fmt: skip
"""Words of what a picture can have too much of, and what that is."""


class Clause(ThingPhrases, PlacePhrases):
    """Reading one clause: each phrase by what it is of."""

    def read(self) -> None:
        so_far = self.so_far
        if not self.tokens:
            return
        adjectives, so_far.waiting = so_far.waiting, Adjectives()
        if [t.key("grammar") for t in self.tokens] == ["no"] and not so_far.avoided and len(self.all) == 1:
            so_far.correcting = True
            return
        last = self.tokens[-1]
        self.no |= any(t.has("grammar", "away") for t in self.tokens) or (
            len(self.tokens) > 1 and last.has("grammar", "no")
        )
        if self._counts_the_last():
            return
        self.lamps = [t for t in self.tokens if t.has("lamps")]
        while self.i < len(self.tokens):
            adjectives = self._next(adjectives)
        if self.lamps:
            self._lamps()
        self._rest(adjectives)
        self._bare()
        for draft in self.drafted:
            if draft.made and draft.places[0].of:
                # "a gable roof in slate on the kiosk".
                so_far.decisions = [
                    replace(d, place=Place(of=draft.places[0].of))
                    if d.start == draft.start and d.subject == "massing"
                    else d
                    for d in so_far.decisions
                ]

    def _counts_the_last(self) -> bool:
        """ "silver birches, at least ten": how many of what was named last."""
        so_far = self.so_far
        numbers = [t for t in self.tokens if t.has("number")]
        if len(numbers) != 1 or any(not (t.has("number") or t.has("grammar", "roughly")) for t in self.tokens):
            return False
        if not so_far.decisions or so_far.decisions[-1].subject != "add":
            return False
        so_far.decisions[-1] = replace(so_far.decisions[-1], details=(numbers[0].key("number") or "1",))
        so_far.used |= {t.start for t in self.tokens}
        return True

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
        if token.has("sun"):
            self.so_far.decide("sun", token.key("sun") or "", token)
            self.i += 1
            return adjectives
        if token.has("view") or token.has("bearing"):
            if token.has("view", "interior") and " " not in token.text and not self._is_of_picture():
                self.so_far.nothing_said(
                    token
                )  # "the interior glowing", "seen through the windows", "a white interior"
                adjectives = Adjectives()
            elif token.has("bearing") and " " not in token.text and not any(t.has("view") for t in self.tokens):
                self.so_far.nothing_said(token)  # "the north side" is a face, and no place to look from
            else:
                self.so_far.view.append(token)
            self.i += 1
            return adjectives
        if token.has("massing"):
            return self._massing(token, adjectives)
        if token.has("life"):
            return self._life(token, adjectives)
        if token.has("thing") and not self._is_material_here(token, adjectives):
            return self._thing(token, adjectives)
        if token.has("adjust") and not (token.has("modifier") and self._noun_follows()):
            return self._adjust(token, adjectives)
        if token.has("mood") and not (token.has("modifier") and self._noun_follows()):
            self.so_far.decide("leave out" if self.no else "mood", token.key("mood") or "", token)
            self.i += 1
            return adjectives
        if token.has("grammar", "too") and self._too_much(token, at=self.i + 1):
            return adjectives
        if token.has("grammar", "same"):
            return self._same()
        if token.has("clock"):
            self.so_far.clock.append(token)
            self.i += 1
            return adjectives
        if token.has("month"):
            self.so_far.month = token
            self.so_far.decide("season", meanings()["month"][token.key("month") or ""]["season"], token)
            self.i += 1
            return adjectives
        if self.comparison and token.has("colour", "blue", "orange", "yellow", "red") and not self._noun_follows():
            sign = -1 if token.has("colour", "blue") else 1
            self.so_far.decide(
                "warmth", f"{sign * self.comparison * adjectives.degree:+d}", self.tokens[self.i - 1], token
            )
            self.i += 1
            return Adjectives()
        if token.has("colour") or token.has("modifier") or token.has("size") or token.has("number"):
            return self._adjective(token, adjectives)
        if any(token.has(subject) for subject in SURFACES) or token.has("grammar", "all"):
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
            if self._too_much(token, at=self.i, slight=True):
                return adjectives
            self.no = True
        elif task == "but":
            if self.i == len(self.tokens):
                return adjectives  # "not lit yet"
            self.no = self.so_far.avoided
            if self._said_everything():
                self._except()
        elif task == "except":
            if self._said_everything():
                self._except()
            else:
                self.no = self.so_far.avoided
        elif token.text == ":":
            self.no = self.so_far.avoided  # "no nonsense: concrete floor"
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
        elif task == "prefer":
            self.preferring = True
        elif task == "some":
            adjectives.number = "some"
        return adjectives

    def _massing(self, token: Token, adjectives: Adjectives) -> Adjectives:
        """A storey more, a form of roof, a bay: of the building just named, or of the one that it is on."""
        key = token.key("massing") or ""
        self.i += 1
        if self.no:
            self.so_far.nothing_said(token)
            return Adjectives()
        first, named = self._first(adjectives, token), self._open()
        if not key.endswith("roof"):
            first = token
            for before in self.tokens[: self.i - 1]:
                if before.start >= adjectives.start >= 0 and before.has("number"):
                    first = before
                elif before.start >= adjectives.start >= 0:
                    self.so_far.nothing_said(before)
        if named is not None and named.places[0].of and not named.places[0].part:
            of = named.places[0].of
            self.drafted.remove(named)
            self.so_far.drafts.remove(named)
            self.so_far.used |= {t.start for t in self.tokens if named.start <= t.start < named.end}
        else:
            of = self._thing_place().to
        last = self.tokens[self.i - 1]
        number = adjectives.number or "1"
        details = (number,) if key == "storey" and number.isdigit() else ()
        self.so_far.decide("massing", key, first, last, details=details, place=Place(of=of))
        if key.endswith("roof"):
            # "a gable roof in slate".
            self._start(Draft(first.start, last.end, places=[Place("roof", of)], adjectives=adjectives, made=True))
        return Adjectives()

    def _is_of_picture(self) -> bool:
        """Whether the clause says nothing of surfaces, things or lamps."""
        own = ("part", "building", "material", "colour", "modifier", "thing", "lamps", "mood")
        return not any(t.has(subject) for t in self.tokens for subject in own)

    def _same(self) -> Adjectives:
        """ "the same colour as the roof": nothing is done of the whole clause."""
        self.so_far.nothing_said(self.tokens[0], LIKE_ANOTHER, self.tokens[-1])
        for draft in self.drafted:
            self.so_far.drafts.remove(draft)
        self.drafted, self.i = [], len(self.tokens)
        return Adjectives()

    def _too_much(self, first: Token, at: int, slight: bool = False) -> bool:
        """What there is too much of, said from `at` on, goes the other way: "too dark", and a little only: "not too dark"."""
        i = at
        while i < len(self.tokens) and self.tokens[i].has("grammar", "too", "much", "more"):
            i += 1
        if i == len(self.tokens) or (slight and i == at):
            return False
        word = self.tokens[i]
        for subject, keys, what, sign in MUCH_OF:
            if word.has(subject, *keys):
                self.so_far.decide(what, f"{-sign * (1 if slight else 2):+d}", first, word)
                self.i = i + 1
                return True
        if word.has("life", "lively", "few") and not slight:
            self.so_far.decide("life", "few", first, word)
            self.i = i + 1
            return True
        return False

    def _plain(self, token: Token, adjectives: Adjectives) -> Adjectives:
        subject = next(s for s in PLAIN if token.has(s))
        value = token.key(subject) or ""
        self.i += 1
        if subject == "weather" and value in FALLS.values() and self._head_is_unknown(self.all.index(token)):
            self.so_far.nothing_said(token)  # "rain pipes"
            return adjectives
        if (
            subject in ("light", "season")
            and self.i > 1
            and self.tokens[self.i - 2].has("modifier")
            and adjectives.words
        ):
            # "a wet evening": of the hour, and not of what comes.
            if "wet" in adjectives.words and not self.no:
                self.so_far.decide("weather", "after rain", self.tokens[self.i - 2])
            self.so_far.used.add(self.tokens[self.i - 2].start)
            adjectives = Adjectives()
        # "less haze"; but "low mist" is mist.
        fewer = self.comparison < 0 and subject == "weather" and self.tokens[self.i - 2].text.casefold() != "low"
        if self.no or fewer:
            self.comparison = 0
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
        if adjectives and not self.drafted and self.i > 1 and self.tokens[self.i - 1].has("grammar", "and"):
            self._rest(adjectives)  # "much darker and colder"
        told = meanings()["adjust"][key]
        self.i += 1
        if self.lamps and key in ("warmer", "cooler"):
            return adjectives  # of the lamps, and not of the picture
        if key in ("brighter", "dimmer") and (target := self._open()) is not None and not target.adjectives:
            # "the facade brighter".
            target.adjectives.words.append("light" if key == "brighter" else "dark")
            target.end = token.end
            return Adjectives()
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
        before = so_far.decisions[-1] if so_far.decisions else None
        if adjectives.colour and not so_far.drafts and before is not None and before.subject == "colour":
            # "The kiosk red. Dark red."
            so_far.decide("colour", adjectives.colour, first, self.tokens[-1], place=before.place)
            return
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
            if draft.material or draft.adjectives or draft.keep or draft.made:
                continue
            if self.keep:
                draft.keep = True
                continue
            so_far.drafts.remove(draft)
            said = [t for t in self.tokens if draft.start <= t.start < draft.end and not t.has("number")]
            if decided and not unknown and not any(t.has("material") for t in said):
                so_far.used |= {t.start for t in said}
            else:
                so_far.nothing_said(said[0] if said else self.tokens[0])
        for _, token in self.bare:
            if not self.drafted:
                so_far.nothing_said(token)
