"""What comes in and how it is opened."""

from __future__ import annotations

from irodori.core.cleanings import CLEANINGS
from irodori.core.errors import CaptureError, ModelError, unknown_name
from irodori.core.units import METRES
from irodori.settings.setting import setting

KINDS = ("shaded", "line", "sketch", "finished")


def _one_of(word: str, choices: tuple[str, ...], error: type[Exception]):
    def read(value: str) -> str:
        if value not in choices:
            raise error(unknown_name(word, str(value), choices))
        return value

    return read


def _pixels(value: int) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not 2 <= value <= 40_000:
        raise ModelError(f"{value} is no size in pixels; give 2 to 40000")
    return value


def _size(value: str) -> tuple[int, int]:
    try:
        width, height = (int(part) for part in str(value).casefold().replace("×", "x").split("x"))
    except ValueError:
        raise ModelError(f"The size '{value}' is not understood; write pixels like 1280x800") from None
    return _pixels(width), _pixels(height)


def _cleanings(names: list[str]) -> list[str]:
    for name in names:
        if name not in CLEANINGS:
            raise CaptureError(unknown_name("cleaning", name, list(CLEANINGS)))
    return list(names)


setting("view", str, "model", "View of a model: a name, or words like 'eye level southwest'.", path="source.view")
setting("with", list, "model", "A further model to place in the same scene.", metavar="MODEL", is_path=True)
setting("views", str, "model", "TOML file of named views.", metavar="FILE", is_path=True, in_file=True)
setting(
    "up", str, "model", "Up axis of the model file: y or z.", path="source.up", in_file=True,
    read=_one_of("up axis", ("y", "z"), ModelError),
)  # fmt: skip
setting(
    "unit", str, "model", "Unit of the model file: m, cm, mm, ft or in.", path="source.unit", in_file=True,
    read=_one_of("unit", tuple(METRES), ModelError),
)  # fmt: skip
setting(
    "north", float, "north", "Azimuth of the model's +y axis, or of the view's own north.", default=0.0, metavar="DEGREES",
    path="source.north", in_file=True,
)  # fmt: skip
setting(
    "width", int, "size", "Width of a model's picture.", metavar="PX", path="source.width", read=_pixels, in_file=True
)  # fmt: skip
setting(
    "height", int, "size", "Height of a model's picture.", metavar="PX", path="source.height", read=_pixels, in_file=True
)  # fmt: skip
setting("size", str, "size", "Both together, as 1280x800.", metavar="PX", read=_size, in_file=True)
setting(
    "compose", str, "model", "Leave room for text on this side of a model's view: left, right, low or high.", metavar="SIDE",
    path="source.compose", in_file=True, read=_one_of("side", ("left", "right", "low", "high"), ModelError),
)  # fmt: skip
setting(
    "cutaway", bool, "model", "Cut away what stands before a room, and look at it from further off.", path="source.cutaway", in_file=True
)  # fmt: skip
setting(
    "as modelled", bool, "model", "Keep plants, people and cars as the model has them, placeholders too.", path="source.as_modelled",
    default=False, in_file=True,
)  # fmt: skip
setting(
    "ground", bool, "model", "Let the land about a model go on to the horizon.", path="source.ground", in_file=True, off=True
)  # fmt: skip
setting(
    "depth", str, "passes", "Depth pass: EXR in metres, or a 16-bit picture with --near and --far.", metavar="FILE", is_path=True
)  # fmt: skip
setting("normal", str, "passes", "Normal pass.", metavar="FILE", is_path=True)
setting("id", str, "passes", "Id pass: one flat colour a surface.", metavar="FILE", is_path=True)
setting("near", float, "passes", "Metres at black of a 16-bit depth pass.", metavar="M", path="source.near")
setting("far", float, "passes", "Metres at white of a 16-bit depth pass.", metavar="M", path="source.far")
setting(
    "kind", str, "cleaning", "Kind of capture: shaded, line, sketch or finished; told from the picture if not given.",
    path="source.kind", read=_one_of("kind", KINDS, CaptureError),
)  # fmt: skip
setting(
    "as is", bool, "cleaning", "Clean nothing: read the capture with all that lies over the model.", default=False
)  # fmt: skip
setting(
    "keep", list, "cleaning", f"Leave this in when cleaning: {', '.join(CLEANINGS)}.", default=[], metavar="NAME", path="source.keep",
    read=_cleanings,
)  # fmt: skip
setting(
    "remove", list, "cleaning", "Clean this away even if it is not certain; names as for --keep.", default=[], metavar="NAME",
    path="source.remove", read=_cleanings,
)  # fmt: skip
