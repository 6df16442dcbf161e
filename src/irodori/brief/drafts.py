"""What is being said of surfaces, phrase by phrase, and the decisions that come of it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from irodori.brief.brief import Decision, Place
from irodori.brief.lexicon import meanings

BOTH_WAYS = tuple(f"{wood}, {way}" for wood in ("larch boards", "weathered larch") for way in ("level", "upright"))
"""Finishes that the catalogue has upright and level."""


@dataclass
class Adjectives:
    """What waits for a noun."""

    colour: str = ""
    words: list[str] = field(default_factory=list)
    size: str = ""
    degree: int = 2
    number: str = ""
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
    made: bool = False
    """Whether it is of what a change of massing makes, so that it need not be said what it is made of."""


def usual_part(draft: Draft) -> str:
    return draft.usual or (meanings()["material"][draft.material]["usual"] if draft.material else "wall")


def part_for(material: str, building: str) -> str:
    """The part of something that a material goes onto: a quay and a pontoon are paved."""
    usual = meanings()["material"][material]["usual"]
    flat = ("quay", "pontoon", "gangway", "shore")
    if building in flat:
        return "paving" if usual in ("paving", "floor", "ground") else usual
    # A house "in oak" has walls of it.
    return usual if not building or usual in ("wall", "roof", "glazing", "water") else "wall"


def decisions_of(draft: Draft, text: str) -> list[Decision]:
    """What a draft decides, place by place."""
    phrase = text[draft.start : draft.end]
    places = draft.places or [Place(usual_part(draft))]
    notes = list(draft.notes)
    if not draft.places and draft.material:
        notes.append(f"no part was named: taken for the {usual_part(draft)}")
    out = []
    for place in places:
        if not place.part:
            # A storey has walls before all.
            storey = meanings()["place"].get(place.to, {}).get("kind") == "storey"
            part = part_for(draft.material, place.of) if draft.material and not storey else "wall"
            place = replace(place, part=part)
        if draft.keep and not draft.material and not draft.adjectives:
            out.append(Decision("finish", "as found", place, (), phrase, draft.start, tuple(notes)))
        elif draft.material:
            value, details, said = choose_finish(draft.material, place.part, draft.adjectives)
            if place.part == "glazing" and meanings()["material"][draft.material]["usual"] != "glazing":
                # "larch windows": what holds the panes.
                place = replace(place, part="frame")
                value, details, said = choose_finish(draft.material, place.part, draft.adjectives)
                said.append("a window of it is taken for its frames")
            out.append(Decision("finish", value, place, details, phrase, draft.start, (*notes, *said)))
        elif treated := next(
            (w for w in draft.adjectives.words if place.part in meanings()["modifier"].get(w, {}).get("on", {})), None
        ):
            details = _details(_without(draft.adjectives, treated))
            out.append(
                Decision(
                    "finish",
                    meanings()["modifier"][treated]["on"][place.part],
                    place,
                    details,
                    phrase,
                    draft.start,
                    tuple(notes),
                )
            )
        elif draft.adjectives.colour:
            if place.part == "glazing":
                # Who says "black windows" means what holds the panes.
                place = replace(place, part="frame")
                notes.append("the colour of a window is taken for its frames")
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
