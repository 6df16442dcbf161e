"""Options that say what comes in, shared by the commands, and opening it."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated

import typer

from irodori.core.cleanings import CLEANINGS

SourceArgument = Annotated[
    str, typer.Argument(metavar="CAPTURE_OR_MODEL", help="A picture, or a glTF/GLB, OBJ, STL or PLY model.")
]
ViewOption = Annotated[
    str | None, typer.Option("--view", help="View of a model: a name, or words like 'eye level southwest'.")
]
WithOption = Annotated[
    list[str] | None, typer.Option("--with", metavar="MODEL", help="A further model to place in the same scene.")
]
ViewsOption = Annotated[str | None, typer.Option("--views", metavar="FILE", help="TOML file of named views.")]
UpOption = Annotated[str | None, typer.Option("--up", help="Up axis of the model file: y or z.")]
UnitOption = Annotated[str | None, typer.Option("--unit", help="Unit of the model file: m, cm, mm, ft or in.")]
NorthOption = Annotated[
    float,
    typer.Option("--north", metavar="DEGREES", help="Azimuth of the model's +y axis, or of the view's own north."),
]
WidthOption = Annotated[int | None, typer.Option("--width", metavar="PX", help="Width of a model's picture.")]
HeightOption = Annotated[int | None, typer.Option("--height", metavar="PX", help="Height of a model's picture.")]
GroundOption = Annotated[
    bool | None, typer.Option("--ground/--no-ground", help="Show a ground plane under a model that has none.")
]
DepthOption = Annotated[
    str | None,
    typer.Option(
        "--depth", metavar="FILE", help="Depth pass: EXR in metres, or a 16-bit picture with --near and --far."
    ),
]
NormalOption = Annotated[str | None, typer.Option("--normal", metavar="FILE", help="Normal pass.")]
IdOption = Annotated[str | None, typer.Option("--id", metavar="FILE", help="Id pass: one flat colour a surface.")]
NearOption = Annotated[
    float | None, typer.Option("--near", metavar="M", help="Metres at black of a 16-bit depth pass.")
]
FarOption = Annotated[float | None, typer.Option("--far", metavar="M", help="Metres at white of a 16-bit depth pass.")]
KindOption = Annotated[
    str | None,
    typer.Option(
        "--kind", help="Kind of capture: shaded, line, sketch or finished; told from the picture if not given."
    ),
]
AsIsOption = Annotated[
    bool, typer.Option("--as-is", help="Clean nothing: read the capture with all that lies over the model.")
]
KeepOption = Annotated[
    list[str] | None,
    typer.Option("--keep", metavar="NAME", help=f"Leave this in when cleaning: {', '.join(CLEANINGS)}."),
]
RemoveOption = Annotated[
    list[str] | None,
    typer.Option("--remove", metavar="NAME", help="Clean this away even if it is not certain; names as for --keep."),
]
EyeOption = Annotated[
    float | None,
    typer.Option(
        "--eye-height", metavar="M", help="Height of the camera over the ground, which gives a capture its scale."
    ),
]
LengthOption = Annotated[
    str | None,
    typer.Option(
        "--length",
        metavar="TEXT",
        help="A known dimension, which gives a capture its scale: '412,305 640,310 = 2.10 m'.",
    ),
]
CorrectionsOption = Annotated[
    str | None,
    typer.Option(
        "--corrections",
        metavar="FILE",
        help="Corrections to the reading; otherwise the .reading.toml beside the capture.",
    ),
]
RulesOption = Annotated[
    bool, typer.Option("--rules-only", help="Tell what surfaces are by rules alone, without the learned reader.")
]
JsonOption = Annotated[bool, typer.Option("--json", help="Answer in JSON.")]


@dataclass
class Source:
    """What the options said."""

    path: str
    view: str | None = None
    others: list[str] = field(default_factory=list)
    views: str | None = None
    up: str | None = None
    unit: str | None = None
    north: float = 0.0
    width: int | None = None
    height: int | None = None
    ground: bool | None = None
    passes: dict[str, str] = field(default_factory=dict)
    near: float | None = None
    far: float | None = None
    kind: str | None = None
    as_is: bool = False
    keep: list[str] | None = None
    remove: list[str] | None = None

    @property
    def is_model(self) -> bool:
        from irodori.formats.mesh_file import SUFFIXES

        return Path(self.path).suffix.lower() in SUFFIXES

    def check(self) -> None:
        """Whether there is such a file at all, before anything slow begins. Raises CaptureError or ModelError."""
        from irodori.core.errors import CaptureError, ModelError

        if not Path(self.path).exists():
            raise (ModelError if self.is_model else CaptureError)(f"There is no file '{self.path}'")

    def open_model(self):
        """The model. Raises ModelError."""
        from irodori.capture import open_model

        return open_model([self.path, *self.others], up=self.up, unit=self.unit, north=self.north, views=self.views)

    def open(self, progress=None):
        """The capture, from a picture or from a model's view. Raises CaptureError or ModelError."""
        from irodori.capture import open_capture
        from irodori.core.errors import CaptureError, unknown_name

        if self.is_model:
            if self.passes:
                raise CaptureError("Passes belong to a picture; a model brings its own")
            return self.open_model().view(
                self.view, width=self.width, height=self.height, ground=self.ground, progress=progress
            )
        given = {
            "--view": self.view,
            "--views": self.views,
            "--with": self.others,
            "--width": self.width,
            "--height": self.height,
        }
        for option, value in given.items():
            if value:
                raise CaptureError(f"{option} is for models; '{self.path}' is read as a picture")
        kinds = ("shaded", "line", "sketch", "finished")
        if self.kind is not None and self.kind not in kinds:
            raise CaptureError(unknown_name("kind", self.kind, kinds))
        return open_capture(
            self.path, self.passes or None, kind=self.kind, near=self.near, far=self.far,
            clean=not self.as_is, keep=self.keep or (), remove=self.remove or (), north=self.north,
        )  # fmt: skip


def corrections_of(capture, file: str | None, length: str | None):
    """The corrections from a file, or from the one beside the capture, with a length given as an option put first."""
    from irodori.structure.corrections import corrections_for, parse_length

    given = corrections_for(capture, file)
    if length is None:
        return given
    return given.model_copy(update={"length": (parse_length(length), *given.length)})


def passes_of(depth: str | None, normal: str | None, identity: str | None) -> dict[str, str]:
    """The passes that were given. Raises CaptureError when normals or ids come without depth."""
    from irodori.core.errors import CaptureError

    given = {"depth": depth, "normal": normal, "id": identity}
    found = {name: path for name, path in given.items() if path}
    if found and "depth" not in found:
        raise CaptureError("Passes need at least a depth pass; give --depth")
    return found
