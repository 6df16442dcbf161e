"""The finish legend: numbers on the surfaces, and swatches, names and quantities beside; one A3 page, as PDF or as picture."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from irodori.core.colour import encode_8_bit, linear_to_hex
from irodori.core.errors import OutputError
from irodori.core.scene import Scene
from irodori.core.work.progress import Progress
from irodori.finishes import FINISHES, Finish
from irodori.formats.atomic import whole_file
from irodori.scene.schedulable import Item
from irodori.study.swatches import swatches

if TYPE_CHECKING:
    from reportlab.pdfgen.canvas import Canvas

PAGE = (1190.55, 841.89)
"""A3, landscape, points (1/72 inch)."""

MARGIN, GUTTER, HEAD = 36.0, 18.0, 40.0
PICTURE = 0.64
"""Share of the page's width for the picture."""

ROW, MOST = 24.0, 29
"""Points of a row, and rows on a page; what is seen least is left to the schedule."""

PALER = 0.45
"""How far the picture is paled towards paper, so that numbers stand out."""

INK, GREY, PAPER = (0.13, 0.13, 0.14), (0.45, 0.45, 0.46), (1.0, 1.0, 1.0)
ENDINGS = (".pdf", ".png")


def write_legend(
    path: str | Path, scene: Scene, items: Sequence[Item], *, title: str = "", progress: Progress | None = None
) -> Path:
    """Write the legend of a scene's finishes.

    Parameters
    ----------
    path
        Ends in .pdf (a vector page, text as text) or .png (the same page at 110 dpi).
    items
        From `irodori.scene.schedulable.schedulable`.
    title
        Stands over the page.

    Raises
    ------
    OutputError
        When the ending is another or the file cannot be written.
    """
    target = Path(path)
    if target.suffix.lower() not in ENDINGS:
        raise OutputError(f"A legend is written as {' or '.join(ENDINGS)}, not '{target.suffix or target.name}'")
    page = _page(scene, list(items), title, progress)
    with whole_file(target) as temporary:
        if target.suffix.lower() == ".pdf":
            temporary.write_bytes(page)
        else:
            _drawn(page).save(temporary, format="PNG")
    return target


def _drawn(page: bytes, dpi: float = 110.0):
    """The first page of a PDF as a Pillow image."""
    import pypdfium2

    document = pypdfium2.PdfDocument(page)
    try:
        return document[0].render(scale=dpi / 72).to_pil().convert("RGB")
    finally:
        document.close()


def _page(scene: Scene, items: list[Item], title: str, progress: Progress | None) -> bytes:
    from reportlab.pdfgen.canvas import Canvas

    out = io.BytesIO()
    # The same page has the same bytes: no time of making inside.
    canvas = Canvas(out, pagesize=PAGE, invariant=1, pageCompression=1)
    canvas.setTitle(title or "Finish legend")
    canvas.setFillColorRGB(*INK)
    canvas.setFont("Helvetica-Bold", 15)
    canvas.drawString(MARGIN, PAGE[1] - MARGIN - 8, title or "Finish legend")
    shown = [item for item in items if item.spot is not None][:MOST]
    _picture(canvas, scene, shown)
    _table(canvas, scene, shown, len(items), progress)
    canvas.setFont("Helvetica", 8)
    canvas.setFillColorRGB(*GREY)
    canvas.drawString(MARGIN, MARGIN - 12, _foot(scene))
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _foot(scene: Scene) -> str:
    if scene.structure.mesh is not None:
        return "Quantities: all surfaces of that name in the model, both sides and hidden ones included."
    scale = next((note for note in scene.structure.notes if "cale" in note), "")
    return "Quantities: what is seen in the picture, as read from it. " + scale


def _picture(canvas: Canvas, scene: Scene, items: list[Item]) -> None:
    """The capture paled, with outlines of the surfaces and their numbers."""
    from PIL import Image
    from reportlab.lib.utils import ImageReader

    structure = scene.structure
    own = (
        structure.image
        if structure.image is not None
        else scene.tint[np.minimum(structure.regions, len(scene.tint) - 1)]
    )
    image = encode_8_bit(np.clip(own, 0, 1)).astype(float)
    image = image + (255 - image) * PALER
    of = np.zeros(int(structure.regions.max()) + 1, int)
    for number, item in enumerate(items, 1):
        of[[i for i in item.surfaces if i < len(of)]] = number
    label = of[structure.regions]
    edge = np.zeros(label.shape, bool)
    edge[:, 1:] |= label[:, 1:] != label[:, :-1]
    edge[1:] |= label[1:] != label[:-1]
    image[edge] = image[edge] * 0.35
    width, height = structure.size
    wide = (PAGE[0] - 2 * MARGIN) * PICTURE
    tall = min(wide * height / width, PAGE[1] - 2 * MARGIN - HEAD)
    wide = tall * width / height
    left, top = MARGIN, PAGE[1] - MARGIN - HEAD
    canvas.drawImage(ImageReader(Image.fromarray(image.astype(np.uint8))), left, top - tall, wide, tall)
    for number, item in enumerate(items, 1):
        assert item.spot is not None
        x, y = left + (item.spot[0] + 0.5) / width * wide, top - (item.spot[1] + 0.5) / height * tall
        radius = 8.0 if number < 10 else 9.0
        canvas.setFillColorRGB(*PAPER)
        canvas.setStrokeColorRGB(*INK)
        canvas.setLineWidth(0.8)
        canvas.circle(x, y, radius, stroke=1, fill=1)
        canvas.setFillColorRGB(*INK)
        canvas.setFont("Helvetica-Bold", 9)
        canvas.drawCentredString(x, y - 3.2, str(number))


def _table(canvas: Canvas, scene: Scene, items: list[Item], count: int, progress: Progress | None) -> None:
    """Number, swatch, finish, where and m² of each item."""
    from PIL import Image
    from reportlab.lib.utils import ImageReader

    left = MARGIN + (PAGE[0] - 2 * MARGIN) * PICTURE + GUTTER
    right, y = PAGE[0] - MARGIN, PAGE[1] - MARGIN - HEAD
    finishes = [_own(scene, item) for item in items]
    panels = swatches(finishes, progress=progress)
    for number, (item, panel) in enumerate(zip(items, panels), 1):
        y -= ROW
        canvas.setFillColorRGB(*INK)
        canvas.setFont("Helvetica-Bold", 9)
        canvas.drawRightString(left + 14, y + 8, str(number))
        if panel is not None and panel.size and item.finish.kind != "glass":
            canvas.drawImage(ImageReader(Image.fromarray(np.ascontiguousarray(panel))), left + 20, y + 1, 30, ROW - 3)
        else:
            canvas.setFillColorRGB(*(scene.tint[item.surfaces[0]] ** (1 / 2.2)).tolist())
            canvas.rect(left + 20, y + 1, 30, ROW - 3, stroke=0, fill=1)
            canvas.setFillColorRGB(*INK)
        canvas.setFont("Helvetica", 9)
        canvas.drawString(
            left + 57, y + 13, _fitted(canvas, f"{item.mark}  {item.finish.name}", right - left - 57 - 56)
        )
        canvas.drawRightString(right, y + 13, _quantity(item.area))
        canvas.setFont("Helvetica", 7.5)
        canvas.setFillColorRGB(*GREY)
        many = f", {len(item.surfaces)} surfaces" if len(item.surfaces) > 1 else ""
        canvas.drawString(
            left + 57,
            y + 4,
            _fitted(
                canvas, (item.role if item.where.startswith("surface") else item.where) + many, right - left - 57, 7.5
            ),
        )
    if count > len(items):
        canvas.setFillColorRGB(*GREY)
        canvas.setFont("Helvetica", 8)
        canvas.drawString(left + 57, y - 12, f"and {count - len(items)} smaller ones, in the schedule")


def _own(scene: Scene, item: Item) -> Finish:
    """An item's finish in the colour that it has here, for its swatch."""
    finish = item.finish
    if finish.name == "as found" or finish.family == "planting":
        finish = FINISHES["painted plaster"]
    elif not (finish.as_found or "colour as found" in item.reason):
        return finish
    return finish.changed(colour=linear_to_hex(np.clip(scene.tint[item.surfaces[0]], 0.004, 0.9)))


def _quantity(area: float) -> str:
    if area >= 10_000:
        return f"{area / 10_000:,.1f} ha"
    return f"{area:,.0f} m²" if area >= 20 else f"{area:.1f} m²"


def _fitted(canvas: Canvas, text: str, width: float, size: float = 9.0) -> str:
    """A text cut to a width, points."""
    while text and canvas.stringWidth(text, "Helvetica", size) > width:
        text = text[:-2].rstrip(" ,…") + "…"
    return text
