"""The recipe: every decision that made a picture, typed and versioned. The only description of how it came to be."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Discriminator, Field, SerializeAsAny, ValidationError, model_validator

from irodori.core.corrections import Corrections
from irodori.core.errors import RecipeError
from irodori.core.recipe.old_recipes import upgraded
from irodori.core.recipe.words import differences, told
from irodori.core.work import late

VERSION = 2
"""Raised whenever a recipe says something that older code would not understand; `old_recipes` gains a step then."""


CHANCES = ("sky", "planting", "people", "wear")
"""Parts of what depends on chance, each of which may depend on a seed of its own."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class FromCapture(_Part):
    """A picture file that was opened, and how. `digest`: SHA-256 of its bytes."""

    what: Literal["capture"] = "capture"
    file: str
    digest: str | None = None
    kind: str | None = None
    clean: bool = True
    keep: tuple[str, ...] = ()
    remove: tuple[str, ...] = ()
    north: float = 0.0
    passes: dict[str, str] = {}
    near: float | None = None
    far: float | None = None


class ViewCamera(_Part):
    """Where a view is taken from, as in `ViewSpec`; metres, world frame."""

    position: tuple[float, float, float]
    target: tuple[float, float, float]
    field: float = 60.0
    span: float | None = None
    aspect: float = 1.6
    up: tuple[float, float, float] = (0.0, 0.0, 1.0)
    shift: tuple[float, float] = (0.5, 0.5)
    cut: tuple[float, float, float, float] | None = None


class MassChange(_Part):
    """A change of a model's massing: of which building (words of its names, parted by "|"; "" for the largest), what, and to what."""

    building: str = ""
    what: Literal["storey", "roof", "bay"]
    value: str = "1"


class FromModel(_Part):
    """Model files and the view of them. `digest` is that of the files and how they were opened; `camera` is None in
    recipes of old, which found the view by its name alone, in the model or in the file `views`."""

    what: Literal["model"] = "model"
    files: tuple[str, ...]
    digest: str | None = None
    up: str | None = None
    unit: str | None = None
    north: float = 0.0
    views: str | None = None
    view: str | None = None
    camera: ViewCamera | None = None
    width: int | None = None
    height: int | None = None
    ground: bool | None = None
    style: str = "shaded"
    compose: str | None = None
    cutaway: bool = False
    as_modelled: bool = False
    massing: tuple[MassChange, ...] = ()


class FromStructure(_Part):
    """A structure that was saved."""

    what: Literal["structure"] = "structure"
    file: str


class FromFinished(_Part):
    """A finished picture that is worked on as it is: all its pixels stay but for what the steps do."""

    what: Literal["finished"] = "finished"
    file: str
    digest: str | None = None


class FromMemory(_Part):
    """Pixels or a model that lay in no file: whoever repeats the picture gives them. The rest is as in `FromCapture`."""

    what: Literal["memory"] = "memory"
    kind: str | None = None
    clean: bool = True
    keep: tuple[str, ...] = ()
    remove: tuple[str, ...] = ()
    north: float = 0.0


Source = Annotated[FromCapture | FromModel | FromStructure | FromFinished | FromMemory, Discriminator("what")]


class Reading(_Part):
    """How a capture was read; `enlarged`: how many times as large as the capture its structure was made then."""

    eye_height: float | None = None
    learned: bool = True
    corrections: Corrections = Corrections()
    enlarged: Annotated[int, Field(ge=1, le=8)] = 1


class LightChoice(_Part):
    """A light by its name, "" for the one that is usual for what is seen, or by place and moment. `sun`: azimuth and elevation, degrees, that a moment came to; `facing`: where the view
    looks, degrees clockwise from the model's +y axis, for a sun by its side."""

    name: str = ""
    north: float = 0.0
    sun: tuple[float, float] | None = None
    facing: float = 0.0


class LightInFull(_Part):
    """A light that was built by hand, with all its numbers; arrays as `irodori.core.recipe.array_text` writes them."""

    name: str
    clouds: tuple[float, ...] = ()
    values: dict[str, float]
    arrays: dict[str, str]


class Balance(_Part):
    """Factors on what each source gives, stops, and how far the light keeps its colour (None: as the light says)."""

    sun: float = 1.0
    sky: float = 1.0
    lamps: float = 1.0
    reflections: float = 1.0
    exposure: float = 0.0
    warmth: float | None = None


class DevelopmentChoice(_Part):
    """As `irodori.picture.film.find_film`."""

    name: str = "plain"
    contrast: float = 0.0
    glare: float = 1.0
    mired: float = 0.0


class LensChoice(_Part):
    """As `irodori.picture.lens.Lens`."""

    vignette: float = 0.0
    grain: float = 0.0
    aperture: float = 0.0
    focus: float = 0.0
    upright: bool = False


class HeldExposure(_Part):
    """Exposure and white of an earlier picture that hold for this one: `metered` in units of `unit` cd/m², `white` RGB, as in `Facts`."""

    metered: float
    unit: float
    white: tuple[float, float, float]


class BriefChoice(_Part):
    """A brief: its words, what each phrase was decided to mean, and what that came to on this structure.

    `finishes` with `catalogue` is a finish schedule of single surfaces, `entourage` a list with places, `unwanted` kinds of things
    that are left out: what makes the picture again without reading a word. Light, season and the like stand where they always do.
    """

    text: str = ""
    avoid: str = ""
    language: str = ""
    decided: tuple[tuple[str, str], ...] = ()
    finishes: str = ""
    catalogue: str = ""
    entourage: str = ""
    unwanted: tuple[str, ...] = ()


class Output(_Part):
    """How the file was written; `print_size` as "A1, 300 dpi", "" as large as it was made."""

    bits: Literal[8, 16] = 8
    print_size: str = ""


class Facts(_Part):
    """What came of the decisions and is kept for later use; no decisions themselves.

    `covered`: which pixels additions cover (`irodori.core.recipe.mask_text`). `metered`: the exposure that was metered, in units of
    `unit` cd/m². `white`: the illuminant's colour, RGB. `held`: what is white to rays, cd/m².
    """

    covered: str | None = None
    metered: float | None = None
    unit: float | None = None
    white: tuple[float, float, float] | None = None
    held: float | None = None

    @property
    def exposure(self) -> HeldExposure | None:
        """The exposure and white for another picture to hold; None where they were not kept."""
        if self.metered is None or self.unit is None or self.white is None:
            return None
        return HeldExposure(metered=self.metered, unit=self.unit, white=self.white)


class Step(_Part):
    """One thing done to the picture afterwards. A kind of step is a subclass with its own `step: Literal[…]`, which makes it
    known; the room that does it is registered as `"step <name>"` in `irodori.core.work.late`, a function of picture and step."""

    step: str

    def __init_subclass__(cls, **options: Any) -> None:
        super().__init_subclass__(**options)
        _STEPS.append(cls)


_STEPS: list[type[Step]] = []


class Recipe(_Part):
    """Every decision that made a picture; stored inside it.

    Attributes
    ----------
    version
        Of the recipe's form.
    irodori
        Version of Irodori that made the picture.
    source
        What came in and how it was opened.
    reading
        How it was read.
    structure
        Digest of what was read.
    catalogue
        The user's own finishes, TOML.
    finishes, lamps, entourage
        The schedules and the list, as their texts.
    masks, photometry
        What files that the schedules name hold, by the names they give them: masks; distributions of lamps.
    brief
        What was asked for in words; see `BriefChoice`.
    liberty
        How much may be added that the capture does not show; see `irodori.core.liberty`.
    light, exposure
        The light; stops beyond the automatic exposure.
    held
        An earlier picture's exposure and white, in place of the automatic ones.
    season, life, seed, quality
        As for `dress` and `render`.
    kept_seeds
        Parts of chance (`CHANCES`) that depend on another seed.
    rays
        The kernel that answers ray queries, "" for the usual one.
    balance, development, lines, lens, look
        How the picture was developed.
    output
        How it was written.
    steps
        What was done to it afterwards, in order.
    facts
        What came of it; see `Facts`.
    """

    version: Literal[2] = VERSION
    irodori: str = ""
    source: Source = FromMemory()
    reading: Reading = Reading()
    structure: str = ""
    catalogue: str = ""
    finishes: str = ""
    masks: dict[str, str] = {}
    lamps: str = ""
    photometry: dict[str, str] = {}
    entourage: str = ""
    brief: BriefChoice = BriefChoice()
    liberty: float = 0.6
    season: str = "summer"
    life: Annotated[str, Field(pattern=r"^(none|usual|few|lively|[1-9]\d?)$")] = "none"
    light: LightChoice | LightInFull = LightChoice()
    exposure: float = 0.0
    held: HeldExposure | None = None
    seed: int = 7
    kept_seeds: dict[Literal["sky", "planting", "people", "wear"], int] = {}
    quality: str = "review"
    rays: str = ""
    balance: Balance = Balance()
    development: DevelopmentChoice = DevelopmentChoice()
    lines: Literal["none", "fine", "as drawn"] = "none"
    lens: LensChoice = LensChoice()
    look: str = "photographic"
    output: Output = Output()
    steps: tuple[SerializeAsAny[Step], ...] = ()
    facts: Facts = Facts()

    @model_validator(mode="before")
    @classmethod
    def _typed_steps(cls, values: Any) -> Any:
        if not isinstance(values, dict) or not values.get("steps"):
            return values
        names = {
            s.step if isinstance(s, Step) else s.get("step") for s in values["steps"] if isinstance(s, Step | dict)
        }
        if not names <= {kind.model_fields["step"].default for kind in _STEPS}:
            late.do("find steps")  # rooms that nobody has needed so far may know them
        known = {kind.model_fields["step"].default: kind for kind in _STEPS}
        steps = []
        for given in values["steps"]:
            if isinstance(given, Step):
                steps.append(given)
            elif isinstance(given, dict) and given.get("step") in known:
                steps.append(known[given["step"]].model_validate(given))
            else:
                raise ValueError(f"an unknown step '{given.get('step') if isinstance(given, dict) else given}'")
        return values | {"steps": tuple(steps)}

    @classmethod
    def of(cls, picture: Any) -> Recipe:
        """The recipe of a picture, or that in a file that `Picture.save` or `Recipe.save` wrote.

        Raises
        ------
        RecipeError
            When there is none, it is damaged, or a newer Irodori wrote it.
        """
        if isinstance(picture, Recipe):
            return picture
        own = getattr(picture, "recipe", None)
        if isinstance(own, Recipe):
            return own
        return late.do("read recipe", picture)

    @classmethod
    def from_text(cls, text: str, name: str = "the picture") -> Recipe:
        """The recipe that `text` tells, JSON of this version or an older one; `name` says in errors where it stood.

        Raises
        ------
        RecipeError
            When it is damaged, or a newer Irodori wrote it.
        """
        try:
            values = json.loads(text)
            if not isinstance(values, dict):
                raise ValueError("it is no table of decisions")
        except ValueError as error:
            raise RecipeError(f"The recipe in '{name}' is damaged: {error}") from None
        version = values.get("version", 1)
        if not isinstance(version, int) or version > VERSION:
            raise RecipeError(
                f"The recipe in '{name}' has version {version}, which a newer Irodori wrote; this one knows up to {VERSION}: "
                "install a newer one"
            )
        try:
            return cls.model_validate(upgraded(values, version))
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(str(part) for part in first["loc"])
            reason = first["msg"].removeprefix("Value error, ")
            raise RecipeError(f"The recipe in '{name}' is damaged: {place + ': ' if place else ''}{reason}") from None
        except (KeyError, TypeError) as error:
            raise RecipeError(f"The recipe in '{name}' is damaged: {error} is missing or wrong") from None

    def seed_of(self, part: str) -> int:
        """The seed that a part of chance, one of `CHANCES`, depends on."""
        return self.kept_seeds.get(part, self.seed)  # type: ignore[call-overload]

    @property
    def text(self) -> str:
        """The recipe as JSON, without what is as it is by default; `from_text` reads it."""
        values = self.model_dump(mode="json", exclude_defaults=True, by_alias=True)
        return json.dumps(_marked(self, values), sort_keys=True, ensure_ascii=False)

    def save(self, path: str | Path) -> Path:
        """Write the recipe alone, as JSON; `irodori render --like` takes it too. Raises OutputError."""
        return late.do("save recipe", self, path)

    def but(self, **decisions: Any) -> Recipe:
        """This recipe with other decisions, checked."""
        return Recipe.model_validate({**dict(self), **decisions})

    def told(self) -> list[tuple[str, str]]:
        """Every decision that is not as by default, in words."""
        return told(self)

    def difference(self, other: Recipe) -> list[str]:
        """Which decisions differ, one sentence each; empty when all are the same. What merely came of them does not count.

        >>> Recipe(light=LightChoice(name="noon")).difference(Recipe(light=LightChoice(name="dusk")))
        ["light: 'noon' here, 'dusk' there"]
        """
        return list(differences(self, other))


MARKS = ("what", "step", "version")
"""By these parts, steps and recipes are known; Pydantic would leave them out as defaults."""


def _marked(part: BaseModel, written: dict[str, Any]) -> dict[str, Any]:
    """What was written of a part, with the marks of all that it holds."""
    for name in type(part).model_fields:
        value = getattr(part, name)
        if name in MARKS:
            written[name] = value
        elif isinstance(value, BaseModel) and name in written:
            _marked(value, written[name])
        elif isinstance(value, tuple) and name in written:
            for inner, text in zip(value, written[name]):
                if isinstance(inner, BaseModel):
                    _marked(inner, text)
    return written
