"""What is written, and what is done besides."""

from __future__ import annotations

from irodori.core.errors import OutputError, unknown_name
from irodori.settings.setting import setting

DEEP = (".png", ".tif", ".tiff")


def _out(value: str) -> str:
    from irodori.formats.atomic import check_writable
    from irodori.formats.write_image import check_suffix

    check_suffix(value)
    check_writable(value)
    return value


def _place(value: str) -> str:
    from irodori.formats.atomic import check_writable

    check_writable(value)
    return value


def _bits(value: int) -> int:
    if value not in (8, 16):
        raise OutputError(f"A picture has 8 or 16 bits a channel, not {value}")
    return value


def _format(value: str) -> str:
    from irodori.formats.write_image import WRITABLE

    suffix = f".{str(value).casefold().lstrip('.')}"
    if suffix not in WRITABLE:
        raise OutputError(unknown_name("format", str(value), [s[1:] for s in WRITABLE]))
    return suffix


def _print_size(value: str) -> str:
    from irodori.formats.print_size import read_print_size

    if value:
        read_print_size(value)
    return value


def check_bits(bits: int, suffix: str) -> None:
    """Raises OutputError when a format cannot hold so many bits."""
    if bits == 16 and suffix not in DEEP:
        raise OutputError(f"16 bits need PNG or TIFF, not '{suffix}'")


setting(
    "out", str, "output", "PNG, TIFF, JPEG, WebP, EXR for the linear layers, or SVG and PDF for a drawn look.", metavar="FILE", read=_out
)  # fmt: skip
setting(
    "format", str, "output", "Ending of the picture's file where --out does not name one.", default="png", metavar="NAME", read=_format,
    in_file=True,
)  # fmt: skip
setting("bits", int, "output", "8, or 16 for PNG and TIFF.", default=8, path="output.bits", read=_bits, in_file=True)
setting(
    "print size", str, "output", "Draw a drawn look anew for a print: 'A1', 'A2, 200 dpi', '600 x 400 mm'.", path="output.print_size",
    metavar="TEXT", read=_print_size, in_file=True,
)  # fmt: skip
setting(
    "placed", str, "output", "Write the additions with their places in the world, as a list to edit and use in any view.",
    metavar="FILE", read=_place,
)  # fmt: skip
setting("proof", bool, "output", "Prove afterwards that nothing moved.", default=True, off=True, in_file=True)
