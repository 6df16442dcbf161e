"""What kind of capture a picture is."""

from __future__ import annotations

import numpy as np

from irodori.core.capture import Kind
from irodori.core.colour import encode_8_bit, largest_channel, least_channel
from irodori.core.pixels.flatness import is_drawn, local_span

PAPER = 0.70
"""Share of the picture that a drawing's paper takes at least."""

BROAD, COLOURED = 15, 0.03
"""px, odd, across which colour is an area's, as pens may have any; and share of the picture that such areas take on no paper."""

PLAIN = 0.05
"""Share of the picture in exactly one colour from which a program drew it."""


def detect_kind(image: np.ndarray) -> Kind:
    """Tell a line drawing, a sketch on paper, a shaded viewport and a finished picture apart.

    A drawing is mostly one light paper tone with little colour, dead even when a program drew it, with grain and
    uneven light when it was scanned or photographed; a viewport is mostly flat areas, under lossy compression too;
    anything else is a finished rendering or photo.
    """
    import cv2

    encoded = encode_8_bit(image)
    signed = encoded.astype(np.int16)
    grey = signed.mean(axis=2)
    spread = largest_channel(signed) - least_channel(signed)
    drawn = is_drawn(encoded)
    paper = np.percentile(grey, 80)
    coloured = cv2.morphologyEx((spread > 40).astype(np.uint8), cv2.MORPH_OPEN, np.ones((BROAD, BROAD), np.uint8))
    plain_paper = coloured.mean() < COLOURED
    if paper > 180 and (np.abs(grey - paper) < 12).mean() > PAPER and plain_paper:
        return "line" if drawn else "sketch"
    plain = _plain_share(encoded) > PLAIN
    if not drawn and plain_paper and np.median(spread) < 22:
        from irodori.capture.page.paper import find_page

        if find_page(encoded.astype(np.float32) / 255) is not None:
            return "sketch"
        small = cv2.resize(grey.astype(np.float32), None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
        near = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((21, 21), np.uint8))
        if not plain and np.percentile(near, 20) > 120 and (small > 0.93 * near).mean() > PAPER:
            return "sketch"
    # Gradient backgrounds look like grainy paper, so viewports come first.
    if drawn or plain or _is_compressed_viewport(signed):
        return "shaded"
    from irodori.capture.page.paper import is_on_paper

    return "sketch" if is_on_paper(encoded.astype(np.float32) / 255) else "finished"


def _plain_share(encoded: np.ndarray) -> float:
    """Share of the picture that lies in exactly one colour over 9 × 9 px, short of white, which scanners clip.

    A viewport has such areas even between textures; grain leaves none on a scan, a photo or a rendering.
    """
    return float(((local_span(encoded, 9) == 0) & (least_channel(encoded) < 250)).mean())


def _is_compressed_viewport(signed: np.ndarray) -> bool:
    """Whether flat areas and sharp edges show through noise of a few steps, as in a viewport saved lossily."""
    import cv2

    smooth = cv2.medianBlur(signed.clip(0, 255).astype(np.uint8), 7).astype(np.int16)
    noise = largest_channel(np.abs(signed - smooth))
    steps = [largest_channel(np.abs(np.diff(smooth, axis=axis))) for axis in (0, 1)]
    flat = np.mean([(s <= 2).mean() for s in steps])
    return bool(flat > 0.93 and (noise <= 6).mean() > 0.87)
