"""How a capture is read."""

from __future__ import annotations

from typing import TYPE_CHECKING

from irodori.core.errors import StructureError
from irodori.settings.setting import setting

if TYPE_CHECKING:
    from irodori.core.corrections import KnownLength


def _eye_height(value: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.05 <= value <= 2000:
        raise StructureError(f"An eye height of {value} m is not plausible; give metres above the ground")
    return float(value)


def _length(value: str) -> KnownLength:
    from irodori.core.corrections import parse_length

    return parse_length(str(value))


def _said(value: str) -> str:
    from irodori.core.corrections import parse_said

    parse_said(str(value))
    return str(value)


setting(
    "eye height", float, "reading", "Height of the camera over the ground, which gives a capture its scale.", metavar="M",
    path="reading.eye_height", read=_eye_height, in_file=True,
)  # fmt: skip
setting(
    "length", str, "reading", "A known dimension, which gives a capture its scale: '412,305 640,310 = 2.10 m'.", metavar="TEXT",
    read=_length,
)  # fmt: skip
setting(
    "corrections", str, "reading", "Corrections to the reading; otherwise the .reading.toml beside the capture.", metavar="FILE",
    is_path=True,
)  # fmt: skip
setting(
    "say", str, "reading", "What was read wrongly, in one line: '640,700 water; 500,80 ceiling; horizon 410; scene room'.", metavar="TEXT",
    read=_said,
)  # fmt: skip
setting(
    "rules only", bool, "reading", "Tell what surfaces are by rules alone, without the learned reader.", default=False
)  # fmt: skip
