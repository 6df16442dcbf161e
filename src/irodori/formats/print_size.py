"""Sizes of prints, as words: "A1", "A2, 200 dpi", "600 x 400 mm"."""

from __future__ import annotations

import re
from typing import NamedTuple

from irodori.core.errors import OutputError

SHEETS = {"A0": (1189, 841), "A1": (841, 594), "A2": (594, 420), "A3": (420, 297), "A4": (297, 210), "A5": (210, 148)}
"""Longer and shorter side of sheets, mm (ISO 216)."""

USUAL = 300
"""Pixels per inch unless told."""

RANGE = (36, 1200)
MOST = 400_000_000
"""Pixels per inch that make sense, and pixels that are written at most."""

INCH = 25.4


class PrintSize(NamedTuple):
    """Sides of a sheet, mm, the longer first, and pixels per inch."""

    longer: float
    shorter: float
    dpi: float

    def width(self, size: tuple[int, int]) -> float:
        """mm that a picture's longer side has, so that a picture of `size` px fits on the sheet."""
        return min(self.longer, self.shorter * max(size) / min(size))

    def factor(self, size: tuple[int, int]) -> float:
        """How many times a picture of `size` px is enlarged. Raises OutputError when it would be too large."""
        factor = self.width(size) / INCH * self.dpi / max(size)
        if factor**2 * size[0] * size[1] > MOST:
            raise OutputError(
                f"A print of {factor**2 * size[0] * size[1] / 1e6:.0f} megapixels is too large; give fewer dpi"
            )
        return factor


def read_print_size(text: str) -> PrintSize:
    """What words say of a print's size. Raises OutputError."""
    told = re.fullmatch(
        r"\s*(?:(a[0-5])|([\d.]+)\s*[x×]\s*([\d.]+)\s*mm)\s*(?:(?:,|at)\s*([\d.]+)\s*dpi)?\s*", text.casefold()
    )
    try:
        if told is None:
            raise ValueError
        sides = SHEETS[told[1].upper()] if told[1] else sorted((float(told[2]), float(told[3])), reverse=True)
        size = PrintSize(float(sides[0]), float(sides[1]), float(told[4] or USUAL))
    except ValueError:
        raise OutputError(f"'{text}' is no size of a print; write 'A1', 'A2, 200 dpi' or '600 x 400 mm'") from None
    if not RANGE[0] <= size.dpi <= RANGE[1]:
        raise OutputError(f"{size.dpi:g} dpi are out of range; give {RANGE[0]} to {RANGE[1]}")
    if size.shorter < 10:
        raise OutputError(f"A print {size.shorter:g} mm high is too small; give 10 mm at least")
    return size
