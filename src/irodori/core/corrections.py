"""Corrections: what a user says was read wrongly of a capture."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator

from irodori.core.errors import StructureError, unknown_name
from irodori.core.roles import ROLES
from irodori.core.units import METRES

WAYS = {"east": (1.0, 0.0), "north": (0.0, 1.0), "west": (-1.0, 0.0), "south": (0.0, -1.0)}
FACINGS = ("up", "down", *WAYS, "camera")
Point = tuple[float, float]


class _Entry(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class CameraCorrection(_Entry):
    """`focal` px; `horizon` y at the picture's left and right border, px; `centre` px, the principal point;
    `vanishing` px, where two level directions at right angles vanish; `view` says that a drawing without perspective
    is an elevation or a plan; `scene` that a view is of a room or of the open."""

    focal: Annotated[float, Field(gt=1)] | None = None
    horizon: tuple[float, float] | None = None
    centre: Point | None = None
    vanishing: tuple[Point, Point] | None = None
    view: Literal["elevation", "plan"] | None = None
    scene: Literal["room", "outdoors"] | None = None


class KnownLength(_Entry):
    """A dimension: its two ends, px, and metres."""

    start: Point = Field(alias="from")
    end: Point = Field(alias="to")
    metres: Annotated[float, Field(gt=0)]


class SurfaceCorrection(_Entry):
    """What the surface at a pixel is.

    `role`; `facing`, one of `FACINGS` or "slope 35 south" (degrees, and the way it looks down); `merge` with the
    surfaces at these pixels; `split` along the line through two pixels; `remove` it, so that its neighbours fill it.
    """

    at: Point
    role: str | None = None
    facing: str | None = None
    merge: tuple[Point, ...] = ()
    split: tuple[Point, Point] | None = None
    remove: bool = False

    @field_validator("role")
    @classmethod
    def _known_role(cls, role: str | None) -> str | None:
        if role is not None and role not in (*ROLES, "sky"):
            raise ValueError(unknown_name("role", role, (*ROLES, "sky")))
        return role

    @field_validator("facing")
    @classmethod
    def _known_facing(cls, facing: str | None) -> str | None:
        if facing is None or facing in FACINGS:
            return facing
        words = facing.split()
        if len(words) == 3 and words[0] == "slope" and words[2] in WAYS:
            try:
                if 0 < float(words[1]) < 90:
                    return facing
            except ValueError:
                pass
        raise ValueError(unknown_name("facing", facing, (*FACINGS, "slope 35 south")))


class Corrections(_Entry):
    """Everything a user corrected; empty by default."""

    eye_height: Annotated[float, Field(ge=0.05, le=2000)] | None = None
    camera: CameraCorrection = CameraCorrection()
    length: tuple[KnownLength, ...] = ()
    surface: tuple[SurfaceCorrection, ...] = ()

    @property
    def text(self) -> str:
        """The corrections as one line of JSON, "" when there are none; goes into recipes."""
        if self == Corrections():
            return ""
        return self.model_dump_json(exclude_defaults=True, by_alias=True)

    @classmethod
    def from_text(cls, text: str) -> Corrections:
        """The corrections that `text` told."""
        return cls.model_validate_json(text) if text else cls()

    def and_said(self, text: str) -> Corrections:
        """These corrections with what one line says besides, see `parse_said`; where both speak, the line counts. Raises StructureError."""
        said = parse_said(text)
        camera = self.camera.model_copy(update=said.camera.model_dump(exclude_defaults=True))
        return self.model_copy(
            update={
                "eye_height": said.eye_height or self.eye_height, "camera": camera, "length": (*said.length, *self.length),
                "surface": (*self.surface, *said.surface),
            }
        )  # fmt: skip


SAID = "'640,700 water', '500,80 ceiling', '30,40 facing up', '30,40 remove', 'horizon 410', 'focal 900', 'eye height 1.6', 'scene room'"
"""What one line may say."""


def parse_said(text: str) -> Corrections:
    """Corrections in one line, parted by semicolons: "640,700 water; horizon 410; scene room".

    Raises
    ------
    StructureError
        When a part is not understood.
    """
    camera: dict = {}
    whole: dict = {}
    surfaces: list[dict] = []
    number = r"[-+]?\d+(?:\.\d+)?"
    for part in filter(None, (p.strip() for p in text.casefold().split(";"))):
        at = re.fullmatch(rf"({number})\s*,\s*({number})\s+(?:(facing)\s+)?(.+)", part)
        told = re.fullmatch(rf"(horizon|focal|eye height)\s+({number})(?:\s*[, ]\s*({number}))?(?:\s*(?:px|m))?", part)
        scene = re.fullmatch(r"(scene|view)\s+(\w+)", part)
        if at:
            place = {"at": (float(at[1]), float(at[2]))}
            what = {"facing": at[4]} if at[3] else {"remove": True} if at[4] == "remove" else {"role": at[4]}
            surfaces.append(place | what)
        elif told and told[1] == "horizon":
            camera["horizon"] = (float(told[2]), float(told[3] or told[2]))
        elif told and told[3] is None:
            (camera if told[1] == "focal" else whole)[told[1].replace(" ", "_")] = float(told[2])
        elif scene:
            camera[scene[1]] = scene[2]
        else:
            raise StructureError(f"'{part}' is not understood; write, parted by semicolons, {SAID}")
    try:
        return Corrections.model_validate({**whole, "camera": camera, "surface": surfaces})
    except ValidationError as error:
        told_wrong = error.errors()[0]["msg"].removeprefix("Value error, ")
        raise StructureError(f"'{text}': {told_wrong}") from None


def parse_length(text: str) -> KnownLength:
    """A known dimension written as "412,305 640,310 = 2.10 m" (also cm, mm, ft, in).

    Raises
    ------
    StructureError
        When the text is not understood.
    """
    number = r"\s*([-+]?[\d.]+)\s*"
    found = re.fullmatch(rf"{number},{number}[ ;]{number},{number}={number}(m|cm|mm|ft|in)?\s*", text.strip())
    try:
        if found is None:
            raise ValueError
        x0, y0, x1, y1, value = (float(v) for v in found.groups()[:5])
        metres = value * METRES[found.group(6) or "m"]
        return KnownLength.model_validate({"from": (x0, y0), "to": (x1, y1), "metres": metres})
    except ValueError:
        raise StructureError(
            f"The length '{text}' is not understood; write two pixels and a dimension, '412,305 640,310 = 2.10 m'"
        ) from None
