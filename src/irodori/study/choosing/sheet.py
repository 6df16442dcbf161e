"""Sheets for choosing: pictures side by side with what differs written under each; for screens and for paper."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from irodori.core.errors import IrodoriError
from irodori.formats.atomic import whole_file
from irodori.study.choosing.decisions import AS_IT_IS, Decision, varying

PAPER, INK, PALE = (250, 250, 248), (40, 40, 40), (125, 125, 122)
MARGIN, GAP, LINE = 28.0, 14.0, 20.0
"""Of the page, between cells, and from line to line, in px of the sheet."""

TEXT, TITLE = 15.0, 22.0
"""Heights of what is written, px."""

WIDTH = 1600.0
MOST_COLUMNS = 6

SAME = 5
"""8-bit steps up to which a pixel counts as the same."""

CUT = 0.22
"""Side of a crop over the picture's width."""


@dataclass(frozen=True, eq=False)
class Shown:
    """A picture (H, W, 3) uint8 sRGB on a sheet, and what its option chooses, by decision."""

    picture: np.ndarray
    choices: Mapping[str, str]


@dataclass(frozen=True)
class _Placed:
    """A picture or a text at its place on the sheet, px from its top left corner."""

    what: np.ndarray | str
    x: float
    y: float
    wide: float
    high: float
    colour: tuple[int, int, int] = INK


@dataclass(frozen=True)
class Sheet:
    """A sheet laid out: `placed` on `size`, px."""

    placed: tuple[_Placed, ...]
    size: tuple[float, float]

    def picture(self) -> np.ndarray:
        """The sheet as (h, w, 3) uint8 sRGB."""
        import cv2
        from PIL import Image, ImageDraw, ImageFont

        page = np.full((round(self.size[1]), round(self.size[0]), 3), PAPER, np.uint8)
        for one in self.placed:
            if not isinstance(one.what, str):
                wide, high = round(one.wide), round(one.high)
                way = cv2.INTER_AREA if wide < one.what.shape[1] else cv2.INTER_CUBIC
                x, y = round(one.x), round(one.y)
                page[y : y + high, x : x + wide] = cv2.resize(one.what, (wide, high), interpolation=way)
        image = Image.fromarray(page)
        draw = ImageDraw.Draw(image)
        for one in self.placed:
            if isinstance(one.what, str):
                font = ImageFont.load_default(one.high)
                draw.text((one.x, one.y), _fitted(one.what, one.wide, font.getlength), fill=one.colour, font=font)
        return np.asarray(image)

    def save(self, path: str | Path) -> Path:
        """Write it as PNG or, with text as text, as PDF, by the file's ending. Raises OutputError."""
        if Path(path).suffix.lower() != ".pdf":
            from irodori.formats.write_image import write_image

            write_image(Path(path), self.picture())
            return Path(path)
        with whole_file(path) as temporary:
            self._write_pdf(temporary)
        return Path(path)

    def _write_pdf(self, path: Path) -> None:
        from PIL import Image
        from reportlab.lib.utils import ImageReader
        from reportlab.pdfbase.pdfmetrics import stringWidth
        from reportlab.pdfgen.canvas import Canvas

        # A4 and its like lie across; a long sheet keeps its proportions.
        scale = 842.0 / self.size[0]
        tall = self.size[1] * scale
        canvas = Canvas(str(path), pagesize=(842.0, tall), invariant=1)
        for one in self.placed:
            if isinstance(one.what, str):
                size = one.high * scale
                canvas.setFillColorRGB(*(value / 255 for value in one.colour))
                canvas.setFont("Helvetica", size)
                told = _fitted(one.what, one.wide * scale, lambda text, size=size: stringWidth(text, "Helvetica", size))
                canvas.drawString(one.x * scale, tall - one.y * scale - size * 0.95, told)
            else:
                place = one.x * scale, tall - (one.y + one.high) * scale
                canvas.drawImage(ImageReader(Image.fromarray(one.what)), *place, one.wide * scale, one.high * scale)
        canvas.save()


def _fitted(text: str, wide: float, length) -> str:
    """As much of a text as fits."""
    if length(text) <= wide:
        return text
    while text and length(text + "…") > wide:
        text = text[:-1]
    return text.rstrip() + "…"


def lay_out(
    shown: Sequence[Shown], *, title: str = "", note: str = "", crop: tuple[float, float] | None = None, difference: bool = False,
    by: Sequence[str] = (), width: float = WIDTH,
) -> Sheet:  # fmt: skip
    """Lay out pictures of one size.

    Parameters
    ----------
    shown
        The pictures, in their order.
    title, note
        What stands over them, and in small under that.
    crop
        Middle, px of a picture, of a part that is shown enlarged under each.
    difference
        Show only what differs from the first picture; the rest pales.
    by
        Decisions to sort by, the first the slowest.
    width
        Of the sheet, px.

    Raises
    ------
    IrodoriError
        When there is none, or they are not of one size.
    """
    if not shown:
        raise IrodoriError("There is no picture to lay out")
    if len({one.picture.shape for one in shown}) > 1:
        raise IrodoriError("Pictures on one sheet need one size")
    differ = varying([one.choices for one in shown])
    shown = _sorted(shown, [name for name in by if name in differ])
    rows = _rows(shown, differ)
    columns = max(len(row) for row in rows)
    cell = (width - 2 * MARGIN - (columns - 1) * GAP) / columns
    high, wide = shown[0].picture.shape[:2]
    tall = cell * high / wide
    cut = None if crop is None else _cut(shown[0].picture.shape, crop)
    y = MARGIN
    placed: list[_Placed] = []
    for text, size, colour in ((title, TITLE, INK), (note, TEXT, PALE)):
        if text:
            placed.append(_Placed(text, MARGIN, y, width - 2 * MARGIN, size, colour))
            y += size * 1.5
    first = shown[0].picture
    for row in rows:
        lines = [_caption(one, differ) for one in row]
        below = max(len(own) for own in lines) * LINE
        for k, (one, caption) in enumerate(zip(row, lines)):
            x = MARGIN + k * (cell + GAP)
            picture = _differing(one.picture, first) if difference and one.picture is not first else one.picture
            placed.append(_Placed(picture, x, y, cell, tall))
            under = y + tall
            if cut is not None:
                part = one.picture[cut]
                strip = cell * part.shape[0] / part.shape[1]
                placed.append(_Placed(part, x, under + 4, cell, strip))
                under += 4 + strip
            placed += [
                _Placed(text, x, under + 5 + n * LINE, cell, TEXT, INK if n == 0 else PALE) for n, text in enumerate(caption)
            ]  # fmt: skip
        y = under + 5 + below + GAP
    return Sheet(tuple(placed), (width, y - GAP + MARGIN))


def most_different(pictures: Sequence[np.ndarray]) -> tuple[float, float]:
    """The middle, px, of the part in which pictures differ most."""
    import cv2

    small = np.stack([cv2.resize(one, (160, 100), interpolation=cv2.INTER_AREA) for one in pictures]).astype(np.float32)
    spread = cv2.blur(small.std(axis=0).mean(axis=2), (35, 22))
    y, x = np.unravel_index(int(spread.argmax()), spread.shape)
    high, wide = pictures[0].shape[:2]
    return (x + 0.5) * wide / 160, (y + 0.5) * high / 100


def _sorted(shown: Sequence[Shown], by: Sequence[str]) -> list[Shown]:
    """By the decisions' values, in the order in which these first come."""
    order = {name: list(dict.fromkeys(one.choices.get(name, AS_IT_IS) for one in shown)) for name in by}
    return sorted(shown, key=lambda one: [order[name].index(one.choices.get(name, AS_IT_IS)) for name in by])


def _rows(shown: Sequence[Shown], differ: Sequence[str]) -> list[list[Shown]]:
    """Rows in which the last decision runs through its values, if that fits; else as even as can be."""
    if len(differ) > 1:
        last = len({one.choices.get(differ[-1], AS_IT_IS) for one in shown})
        if 1 < last <= MOST_COLUMNS and len(shown) % last == 0:
            return [list(shown[n : n + last]) for n in range(0, len(shown), last)]
    columns = (
        len(shown) if len(shown) <= MOST_COLUMNS else int(np.ceil(len(shown) / np.ceil(len(shown) / MOST_COLUMNS)))
    )
    return [list(shown[n : n + columns]) for n in range(0, len(shown), columns)]


def _caption(one: Shown, differ: Sequence[str]) -> list[str]:
    """What an option chooses where options differ, a line each: the value alone where its decision goes without saying."""
    if len(differ) == 1:
        value = one.choices.get(differ[0], AS_IT_IS)
        return [f"{Decision(differ[0], (value,)).short} {value}" if _bare(value) else value]
    return [f"{Decision(name, ('',)).short}: {one.choices.get(name, AS_IT_IS)}" for name in differ]


def _bare(value: str) -> bool:
    """Whether a value is a number alone, which says nothing by itself."""
    try:
        float(value)
    except ValueError:
        return value == AS_IT_IS
    return True


def _differing(picture: np.ndarray, first: np.ndarray) -> np.ndarray:
    """A picture in which only that has colour which differs from the first one."""
    import cv2

    apart = np.abs(picture.astype(np.int16) - first).max(axis=2)
    share = cv2.GaussianBlur((apart > SAME).astype(np.float32), (0, 0), 1.0)[..., None]
    pale = 225 + 0.1 * picture.mean(axis=2, keepdims=True)
    return np.clip(picture * share + pale * (1 - share), 0, 255).astype(np.uint8)


def _cut(shape: tuple[int, ...], crop: tuple[float, float]) -> tuple[slice, slice]:
    high, wide = shape[:2]
    across, down = round(wide * CUT), round(wide * CUT * 0.6)
    down = min(down, high)
    x, y = round(crop[0] - across / 2), round(crop[1] - down / 2)
    x, y = min(max(x, 0), wide - across), min(max(y, 0), high - down)
    return slice(y, y + down), slice(x, x + across)
