"""The catalogue of finishes, read from data and checked."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import cached_property
from importlib import resources
from pathlib import Path
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from irodori.core.colour import hex_to_linear
from irodori.core.errors import FinishError, unknown_name
from irodori.finishes.registry import pattern_number, patterns
from irodori.finishes.slots import KINDS, LAYINGS, SLOT, SLOTS


class Finish(BaseModel):
    """One finish; see `catalogue.toml` for what the entries mean. Lengths in metres, colours sRGB."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str
    family: str
    about: str
    pattern: str = "plain"
    kind: Literal[KINDS] = "opaque"
    colour: str
    joint: tuple[float, str] = (0.0, "#808080")
    unit: tuple[float, float] = (1.0, 1.0)
    bond: float = Field(0.0, ge=0, le=1)
    variation: float = Field(0.0, ge=0, le=1)
    grain: tuple[float, float, float] = (0.0, 0.05, 1.0)
    mottle: float = Field(0.0, ge=0, le=1)
    roughness: float = Field(0.8, ge=0, le=1)
    metalness: float = Field(0.0, ge=0, le=1)
    f0: float = Field(0.04, ge=0, le=1)
    relief: float = Field(0.0, ge=0)
    turn: bool = False
    translucency: float = Field(0.0, ge=0, le=1)
    as_found: bool = False
    laying: Literal[LAYINGS] = "running"
    hole: float = Field(0.0, ge=0)
    age: float = Field(0.0, ge=0, le=1)
    own: dict[str, float] = Field({}, description="numbers that only its pattern has")

    @model_validator(mode="before")
    @classmethod
    def _part_own(cls, values):
        """Numbers of the patterns' own stand beside the others in the catalogue."""
        patterns()  # known once all patterns are
        own = {name: value for name, value in values.items() if name in SLOT and name not in SLOTS}
        return {k: v for k, v in values.items() if k not in own} | (
            {"own": {**values.get("own", {}), **own}} if own else {}
        )

    @field_validator("pattern")
    @classmethod
    def _is_pattern(cls, value: str) -> str:
        if value not in (known := [p.name for p in patterns()]):
            raise ValueError(unknown_name("pattern", value, known))
        return value

    @field_validator("colour")
    @classmethod
    def _is_colour(cls, value: str) -> str:
        hex_to_linear(value)
        return value

    @field_validator("unit")
    @classmethod
    def _is_size(cls, value: tuple[float, float]) -> tuple[float, float]:
        if min(value) < 0.002:
            raise ValueError("unit sizes are in metres and at least 0.002")
        return value

    @cached_property
    def row(self) -> np.ndarray:
        """The numbers that kernels read, (P,) float32, by `SLOT`."""
        values = np.zeros(len(SLOT), np.float32)
        values[SLOT["pattern"]] = pattern_number(self.pattern)
        values[SLOT["red"] : SLOT["blue"] + 1] = hex_to_linear(self.colour)
        values[SLOT["joint_red"] : SLOT["joint_blue"] + 1] = hex_to_linear(self.joint[1])
        values[SLOT["unit_u"]], values[SLOT["unit_v"]] = self.unit
        values[SLOT["joint"]] = self.joint[0]
        values[SLOT["grain"]], values[SLOT["grain_size"]], values[SLOT["grain_stretch"]] = self.grain
        values[SLOT["kind"]] = KINDS.index(self.kind)
        values[SLOT["turn"]], values[SLOT["as_found"]] = float(self.turn), float(self.as_found)
        values[SLOT["laying"]] = LAYINGS.index(self.laying)
        for name in (
            "bond",
            "variation",
            "mottle",
            "roughness",
            "metalness",
            "f0",
            "relief",
            "translucency",
            "hole",
            "age",
        ):
            values[SLOT[name]] = getattr(self, name)
        for name, value in self.own.items():
            values[SLOT[name]] = value
        return values

    def changed(
        self, *, colour: str | None = None, size: tuple[float, float] | None = None, joint: float | None = None,
        joint_colour: str | None = None, laying: str | None = None, variation: float | None = None,
        gloss: float | None = None, age: float | None = None,
    ) -> Finish:  # fmt: skip
        """This finish with other values: lengths in m, colours sRGB, the rest 0 … 1; `laying` is a key of `LAYING`.

        Raises FinishError on a wrong value.
        """
        update: dict = {}
        if colour:
            update |= {"colour": colour, "as_found": False}
        if size:
            update["unit"] = size
        if joint is not None or joint_colour:
            update["joint"] = (self.joint[0] if joint is None else joint, joint_colour or self.joint[1])
        if laying:
            if laying.casefold() not in LAYING:
                raise FinishError(unknown_name("laying", laying, LAYING))
            update |= LAYING[laying.casefold()]
        if gloss is not None:
            update["roughness"] = 1.0 - gloss
        update |= {k: v for k, v in (("variation", variation), ("age", age)) if v is not None}
        try:
            return self.but(**update)
        except ValueError as error:
            problem = error.errors()[0] if hasattr(error, "errors") else {"msg": str(error), "loc": ()}
            where = "gloss" if problem["loc"][:1] == ("roughness",) else "".join(map(str, problem["loc"][:1]))
            reason = f"{where}: {problem['msg']}".removeprefix(": ").replace("Value error, ", "")
            raise FinishError(f"Finish '{self.name}': {reason}") from None

    def only_unit(self) -> Finish:
        """This finish for a member no wider than one unit: grain and tone, no joints."""
        return self.but(joint=(0.0, self.joint[1]), unit=(50.0, 50.0), relief=0.0)

    def but(self, **fields) -> Finish:
        """This finish with other values of its fields, checked."""
        # Not `model_copy`: it would take the cached `row` along.
        return Finish.model_validate(self.model_dump() | fields)


LAYING: dict[str, dict] = {
    "half bond": {"laying": "running", "bond": 0.5},
    "third bond": {"laying": "running", "bond": 0.333},
    "stack bond": {"laying": "running", "bond": 0.0},
    "random bond": {"laying": "running", "bond": 1.0},
    "english bond": {"laying": "english"},
    "flemish bond": {"laying": "flemish"},
    "herringbone": {"pattern": "herringbone"},
    "basket": {"pattern": "basket"},
    "upright": {"turn": False},
    "level": {"turn": True},
}
"""Ways to lay units, as the schedule names them."""


SHELTERED = ("as found", "interior", "glass", "water", "lamp", "planting")
OUTDOOR_AGE = 0.15
"""Age of what stands in the rain, unless the catalogue says another."""


def _load() -> dict[str, Finish]:
    data = tomllib.loads((resources.files("irodori.finishes") / "catalogue.toml").read_text("utf-8"))
    for drawn in patterns():
        data |= drawn.finishes
    return _built(data, "catalogue.toml", {})


def _built(data: dict, source: str, others: Mapping[str, Finish]) -> dict[str, Finish]:
    """Finishes from tables, which are read from top to bottom, so that variants may stand on variants. Raises FinishError."""
    tables: dict[str, dict] = {}
    found = {}
    for name, entry in data.items():
        if not isinstance(entry, dict):
            raise FinishError(
                f"Catalogue '{source}': '{name}' is no finish; write a table [\"{name}\"] with its values"
            )
        entry = dict(entry)
        if "like" in entry:
            model = str(entry.pop("like"))
            if model not in tables and model not in others:
                raise FinishError(
                    f"Catalogue '{source}', '{name}': {unknown_name('finish', model, [*tables, *others])}"
                )
            entry = (tables[model] if model in tables else catalogue_entry(others[model])) | entry
        entry.setdefault("family", "own")
        entry.setdefault("about", "")
        entry.setdefault("age", 0.0 if entry["family"] in SHELTERED else OUTDOOR_AGE)
        tables[name] = entry
        try:
            found[name] = Finish(name=name, **entry)
        except ValidationError as error:
            first = error.errors()[0]
            place = str(first["loc"][0]) if first["loc"] else ""
            reason = first["msg"].removeprefix("Value error, ")
            if first["type"] == "extra_forbidden":
                reason, place = unknown_name("entry", place, [*Finish.model_fields, *SLOT]), ""
            raise FinishError(f"Catalogue '{source}', '{name}'{', ' + place if place else ''}: {reason}") from None
    return found


FINISHES: dict[str, Finish] = _load()
"""Every finish by name."""


def find_finish(name: str, catalogue: Mapping[str, Finish] | None = None) -> Finish:
    """The finish called `name`, in ours or in `catalogue`. Raises FinishError with the nearest names."""
    known = FINISHES if catalogue is None else catalogue
    for own, finish in known.items():
        if own.casefold() == name.strip().casefold():
            return finish
    raise FinishError(unknown_name("finish", name, known))


def read_catalogue(source: str | Path | None) -> dict[str, Finish]:
    """Our finishes and a user's own, which go before ours of the same name.

    Parameters
    ----------
    source
        A path to TOML in the form of our `catalogue.toml` (a table a finish; `like` takes over another, ours or theirs), the
        text itself, or None for ours alone.

    Raises
    ------
    FinishError
        When the file is missing, or an entry is unknown or wrong.
    """
    if source is None or source == "":
        return FINISHES
    text, name = catalogue_text(source)
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise FinishError(f"Catalogue '{name}' is not valid TOML: {error}") from None
    return FINISHES | _built(data, name, FINISHES)


def catalogue_text(source: str | Path) -> tuple[str, str]:
    """A catalogue's text and its name; `source` as for `read_catalogue`. Raises FinishError."""
    if isinstance(source, str) and ("\n" in source or source.lstrip().startswith("[")):
        return source, "catalogue"
    try:
        return Path(source).read_text(encoding="utf-8-sig"), str(source)
    except FileNotFoundError:
        raise FinishError(f"There is no catalogue '{source}'") from None
    except (OSError, UnicodeDecodeError) as error:
        raise FinishError(f"The catalogue '{source}' cannot be read as text: {error}") from None


def catalogue_entry(finish: Finish) -> dict:
    """A finish as a table of a catalogue, with every value that is not as by default."""
    entry = finish.model_dump(exclude_defaults=True, exclude={"name", "own"}, mode="json")
    return entry | {"age": finish.age} | finish.own
