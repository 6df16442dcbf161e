"""Drawings as vectors: SVG (W3C, SVG 1.1) and PDF with true paths in millimetres, grouped by what they are and lie on."""

from __future__ import annotations

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from irodori.core.errors import OutputError
from irodori.core.short import Short
from irodori.formats.atomic import whole_file

VECTORS = (".svg", ".pdf")
POINTS_A_MM = 72 / 25.4


@dataclass(frozen=True, eq=False, repr=False)
class Stroked(Short):
    """Strokes of one width and colour: what they are, what they lie on, `colour` (3,) encoded, `width` mm, `opacity` 0 … 1, the
    lines, (N, 2) mm from the upper left corner each, and whether their ends are `rounded`."""

    kind: str
    surface: str
    colour: tuple[float, float, float]
    width: float
    opacity: float
    lines: list[np.ndarray]
    rounded: bool = True


def write_vectors(
    path: str | Path, size: tuple[float, float], paper: tuple[float, float, float], ground: np.ndarray | None,
    strokes: Sequence[Stroked], title: str, told: str = "",
) -> None:  # fmt: skip
    """Write a drawing.

    Parameters
    ----------
    path
        Ends with .svg or .pdf.
    size
        (width, height) of the sheet, mm.
    paper
        (3,) sRGB-encoded.
    ground
        (H, W, 3) uint8: what is painted under the strokes, or None.
    title, told
        What the file says it is, and the recipe that made it.

    Raises
    ------
    OutputError
        When it cannot be written there.
    """
    suffix = Path(path).suffix.lower()
    if suffix not in VECTORS:
        raise OutputError(f"'{path}' is no vector file; end its name with {' or '.join(VECTORS)}")
    with whole_file(path) as temporary:
        if suffix == ".svg":
            temporary.write_text(_svg(size, paper, ground, strokes, title, told), "utf-8")
        else:
            temporary.write_bytes(_pdf(size, paper, ground, strokes, title, told))


def _hex(colour: Sequence[float]) -> str:
    return "#" + "".join(f"{round(255 * min(max(c, 0), 1)):02x}" for c in colour)


def _painted(ground: np.ndarray, form: str) -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(ground).save(out, form, **({"quality": 92} if form == "JPEG" else {}))
    return out.getvalue()


def _svg(size, paper, ground, strokes, title, told) -> str:
    wide, high = size
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:g}mm" height="{high:g}mm" viewBox="0 0 {wide:g} {high:g}">',
        f"<title>{escape(title)}</title>", f"<desc>{escape(told)}</desc>",
        f'<rect width="{wide:g}" height="{high:g}" fill="{_hex(paper)}"/>',
    ]  # fmt: skip
    if ground is not None:
        data = base64.b64encode(_painted(ground, "JPEG")).decode()
        parts.append(
            f'<image width="{wide:g}" height="{high:g}" preserveAspectRatio="none" href="data:image/jpeg;base64,{data}"/>'
        )
    kind = surface = None
    for one in strokes:
        if one.kind != kind:
            cap = "round" if one.rounded else "butt"
            parts += (["</g>"] if surface is not None else []) + (["</g>"] if kind is not None else [])
            parts.append(f'<g id={quoteattr(one.kind)} fill="none" stroke-linecap="{cap}" stroke-linejoin="round">')
            kind, surface = one.kind, None
        if one.surface != surface:
            parts += ["</g>"] if surface is not None else []
            parts.append(f"<g data-surface={quoteattr(one.surface)}>")
            surface = one.surface
        seen = f' stroke-opacity="{one.opacity:.2g}"' if one.opacity < 1 else ""
        drawn = "".join(_moved(line) for line in one.lines)
        parts.append(f'<path stroke="{_hex(one.colour)}" stroke-width="{one.width:.3g}"{seen} d="{drawn}"/>')
    parts += (["</g>"] if surface is not None else []) + (["</g>"] if kind is not None else [])
    return "\n".join([*parts, "</svg>", ""])


def _moved(line: np.ndarray) -> str:
    """A path's data: absolute start, then steps from point to point, hundredths of a mm."""
    cents = np.rint(line * 100).astype(int)
    steps = np.diff(cents, axis=0)
    return f"M{cents[0, 0] / 100:g} {cents[0, 1] / 100:g}l" + " ".join(
        f"{x / 100:g} {y / 100:g}" for x, y in steps.tolist()
    )


def _pdf(size, paper, ground, strokes, title, told) -> bytes:
    from reportlab.lib.utils import ImageReader
    from reportlab.pdfgen.canvas import Canvas

    wide, high = (POINTS_A_MM * v for v in size)
    out = io.BytesIO()
    page = Canvas(out, pagesize=(wide, high), invariant=True)
    page.setTitle(title)
    page.setSubject(told)
    page.setFillColorRGB(*paper)
    page.rect(0, 0, wide, high, stroke=0, fill=1)
    if ground is not None:
        page.drawImage(ImageReader(io.BytesIO(_painted(ground, "JPEG"))), 0, 0, wide, high)
    page.setLineJoin(1)
    for one in strokes:
        page.setLineCap(1 if one.rounded else 0)
        page.setStrokeColorRGB(*one.colour)
        page.setStrokeAlpha(one.opacity)
        page.setLineWidth(one.width * POINTS_A_MM)
        drawn = page.beginPath()
        for line in one.lines:
            points = (line * POINTS_A_MM).tolist()
            drawn.moveTo(points[0][0], high - points[0][1])
            for x, y in points[1:]:
                drawn.lineTo(x, high - y)
        page.drawPath(drawn, stroke=1, fill=0)
    page.showPage()
    page.save()
    return out.getvalue()
