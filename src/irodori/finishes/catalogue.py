"""The catalogue of finishes, read from data and checked."""

from __future__ import annotations

import tomllib
from functools import cached_property
from importlib import resources
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, field_validator

from irodori.core.colour import hex_to_linear
from irodori.core.errors import FinishError, unknown_name
from irodori.core.scene import FINISH_PARAMETERS
from irodori.finishes.slots import KINDS, LAYINGS, PATTERNS, SLOT


class Finish(BaseModel):
    """One finish; see `catalogue.toml` for what the entries mean. Lengths in metres, colours sRGB."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str
    family: str
    about: str
    pattern: Literal[PATTERNS] = "plain"
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
        """The numbers that kernels read, (FINISH_PARAMETERS,) float32."""
        values = np.zeros(FINISH_PARAMETERS, np.float32)
        values[SLOT["pattern"]] = PATTERNS.index(self.pattern)
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
    for name, entry in data.items():
        # Variants may stand on variants, since the file is read from top to bottom.
        data[name] = data[entry["like"]] | {k: v for k, v in entry.items() if k != "like"} if "like" in entry else entry
        data[name].setdefault("age", 0.0 if data[name]["family"] in SHELTERED else OUTDOOR_AGE)
    return {name: Finish(name=name, **entry) for name, entry in data.items()}


FINISHES: dict[str, Finish] = _load()
"""Every finish by name."""


def find_finish(name: str) -> Finish:
    """The finish called `name`. Raises FinishError with the nearest names."""
    for known, finish in FINISHES.items():
        if known.casefold() == name.strip().casefold():
            return finish
    raise FinishError(unknown_name("finish", name, FINISHES))
