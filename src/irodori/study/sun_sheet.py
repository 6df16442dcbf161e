"""A sun study drawn: hours of sun as colours over the view, shadows outlined hour by hour, and what the colours mean."""

from __future__ import annotations

import numpy as np

from irodori.core.colour import encode_8_bit
from irodori.core.structure import Structure
from irodori.study.sun_study import SunStudy

COLOURS = np.array(
    [[44, 54, 92], [62, 92, 138], [96, 138, 150], [158, 172, 138], [216, 194, 116], [238, 168, 84], [228, 112, 66]], np.float32
)  # fmt: skip
"""From no sun to most, sRGB: lighter and warmer all the way."""

PAPER, INK = (250, 250, 248), (40, 40, 40)
PALE = 0.35
"""How much of the view's own tones shows through the colours."""

STRIP, FOOT = 150, 92
"""px, in a picture 1280 px wide, of the legend's length beside each hour label and of the strip under the picture."""


def draw_sun_study(structure: Structure, study: SunStudy, *, most: float | None = None) -> np.ndarray:
    """The study over its view with its legend below, (h, w, 3) uint8 sRGB; the warmest colour is for `most` hours, those of the
    sunniest place without it."""
    import cv2
    from PIL import Image, ImageDraw, ImageFont

    height, width = study.sunlight.shape
    scale = width / 1280
    most = study.longest if most is None else most
    view = _colours(structure, study, most)
    for number, shade in enumerate(study.shade.values()):
        _outline(view, shade, _tone(number, len(study.shade)), scale)
    foot = round(FOOT * scale)
    page = np.full((height + foot, width, 3), PAPER, np.uint8)
    page[:height] = view
    bar = round(360 * scale), round(14 * scale)
    x, y = round(24 * scale), height + round(40 * scale)
    ramp = _ramp(np.linspace(0, most, bar[0])[None], most)
    page[y : y + bar[1], x : x + bar[0]] = np.repeat(ramp, bar[1], axis=0)
    image = Image.fromarray(page)
    draw = ImageDraw.Draw(image)
    font, small = (ImageFont.load_default(size * scale) for size in (17, 13))
    title = f"{study.day:%d %B}, {study.clock}: hours of sun"
    draw.text((x, height + round(12 * scale)), title, fill=INK, font=font)
    step = next(s for s in (1, 2, 3, 4, 6) if most / s <= 9)
    for hours in np.arange(0, most + 1e-6, step):
        at = x + hours / most * (bar[0] - 1)
        draw.line([(at, y + bar[1]), (at, y + bar[1] + 4 * scale)], fill=INK, width=max(1, round(scale)))
        draw.text((at, y + bar[1] + 6 * scale), f"{hours:g} h", fill=INK, font=small, anchor="ma")
    x = round(460 * scale)
    if study.shade:
        draw.text((x, height + round(12 * scale)), "Shadows end at", fill=INK, font=font)
    for number, (hour, sun) in enumerate(study.suns.items()):
        colour = _tone(number, len(study.suns))
        at = x + number * round(STRIP * 0.7 * scale)
        draw.line([(at, y + 7 * scale), (at + 26 * scale, y + 7 * scale)], fill=colour, width=max(2, round(3 * scale)))
        draw.text((at + 32 * scale, y), _clock(hour), fill=INK, font=small)
        draw.text((at + 32 * scale, y + 16 * scale), f"{sun[1]:.0f}° high", fill=(120, 120, 118), font=small)
    page = np.asarray(image).copy()
    cv2.line(page, (0, height), (width, height), INK, 1)
    return page


def _colours(structure: Structure, study: SunStudy, most: float) -> np.ndarray:
    """The view (H, W, 3) uint8 in the study's colours, its own tones showing through."""
    shown = np.nan_to_num(study.sunlight)
    colour = _ramp(shown, most).astype(np.float32)
    solid = np.isfinite(study.sunlight)
    if structure.image is not None:
        own = encode_8_bit(structure.image).astype(np.float32).mean(axis=2, keepdims=True)
    else:
        own = np.full((*shown.shape, 1), 200.0, np.float32)
    middle = float(np.median(own[solid])) if solid.any() else 128.0
    shade = 1 - PALE + PALE * np.clip(own / max(middle, 1.0), 0.2, 1.5)
    shade *= np.where(_borders(structure.regions), 0.45, 1.0)[..., None]
    return np.where(solid[..., None], np.clip(colour * shade, 0, 255), PAPER).astype(np.uint8)


def _borders(regions: np.ndarray) -> np.ndarray:
    """Pixels (H, W) bool on which another surface begins."""
    out = np.zeros(regions.shape, bool)
    out[:, 1:] |= regions[:, 1:] != regions[:, :-1]
    out[1:] |= regions[1:] != regions[:-1]
    return out


def _ramp(hours: np.ndarray, most: float) -> np.ndarray:
    """Colours (…, 3) uint8 of hours (…)."""
    place = np.clip(hours / most, 0, 1) * (len(COLOURS) - 1)
    low = np.minimum(place.astype(int), len(COLOURS) - 2)
    share = (place - low)[..., None]
    return (COLOURS[low] * (1 - share) + COLOURS[low + 1] * share + 0.5).astype(np.uint8)


def _outline(view: np.ndarray, shade: np.ndarray, colour: tuple[int, int, int], scale: float) -> None:
    """Draw the outlines of what is in shade into a view (H, W, 3)."""
    import cv2

    least = 120 * scale**2
    parts, _ = cv2.findContours(shade.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    large = [part for part in parts if cv2.contourArea(part) > least]
    cv2.polylines(view, large, True, colour, max(1, round(1.3 * scale)), cv2.LINE_AA)


def _tone(number: int, count: int) -> tuple[int, int, int]:
    """The colour of the outlines of one hour of several: from blue in the morning to red in the evening."""
    early, noon, late = np.array([[20, 70, 190], [30, 30, 30], [190, 40, 30]])
    share = number / max(count - 1, 1)
    colour = early + (noon - early) * share * 2 if share < 0.5 else noon + (late - noon) * (share * 2 - 1)
    return tuple(int(v) for v in colour)


def _clock(hour: float) -> str:
    return f"{int(hour)}:{round(hour % 1 * 60):02d}"
