"""From a picture to the brief that would give its light, mood and materials, in the same vocabulary."""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from functools import cache

import numpy as np

from irodori.brief.lexicon import meanings
from irodori.core.colour import decode_srgb, encode_srgb, hex_to_linear, linear_to_hex
from irodori.core.errors import BriefError
from irodori.finishes import FINISHES

COLOURS = 5
"""Colours of the palette."""

SAME = 9.0
"""CIE Lab distance within which a material answers to a colour of the palette."""

GREYS = (
    "white",
    "off-white",
    "black",
    "grey",
    "warm grey",
    "cool grey",
    "light grey",
    "dark grey",
    "silver",
    "light blue",
    "blue",
    "dark blue",
)

FAMILIES = ("brick", "concrete", "stone", "plaster and render", "timber", "metal", "ground", "roof", "interior")


@dataclass(frozen=True)
class Shade:
    """A colour of the palette: sRGB hex, its share of the picture, its name, and materials that have it."""

    colour: str
    share: float
    name: str
    materials: tuple[str, ...]


@dataclass(frozen=True)
class Description:
    """What a picture says.

    Attributes
    ----------
    light
        The kind of light; see `light_of`.
    sun
        "from the left", "from the right", or "" where no side is brighter.
    contrast
        "soft", "plain" or "crisp".
    sky
        The sky's colour by name; "" where none shows.
    palette
        Its main colours, the largest first.
    """

    light: str
    sun: str
    contrast: str
    sky: str
    palette: tuple[Shade, ...]

    @property
    def brief(self) -> str:
        """The brief that would give its light, mood and materials."""
        materials = []
        for shade in self.palette:
            for name in shade.materials[:1]:
                # Greys may be anything: only what has a colour tells a material.
                if name not in materials and shade.name not in GREYS:
                    materials.append(name)
        words = {"soft": "soft", "crisp": "crisp"}.get(self.contrast, "")
        return ", ".join(filter(None, (self.light, words, *materials[:3])))


def light_of(lab: np.ndarray) -> str:
    """The kind of light of a picture (H, W, 3) CIE Lab: "night", "blue hour", "dusk", "overcast", "golden hour" or "noon".

    By what tells them apart to the eye: how dark it is, whether the sky is grey, blue or pale over dark ground, and how yellow is
    what the light falls on. Hours of the same bright day are not told apart.
    """
    light = lab[..., 0]
    upper, lower = lab[: max(len(lab) // 5, 1)].reshape(-1, 3), lab[len(lab) // 2 :].reshape(-1, 3)
    lit = lower[lower[:, 0] >= np.percentile(lower[:, 0], 75), 2].mean()
    chroma = np.hypot(lab[..., 1], lab[..., 2])
    above, blue, ground = upper[:, 0].mean(), -upper[:, 2].mean(), lower[:, 2].mean()
    lamplit = float(((lab[..., 2] > 25) & (light > 50)).mean())
    if np.median(light) < 16 and above < 25:
        return "night"
    if blue > 15 and lit > 24 and above > 30:
        return "blue hour"
    if above < 70 and blue < 0 and ground > 18 and lamplit > 0.3:
        return "dusk"  # a room by its lamps
    if blue > 10 and above - lower[:, 0].mean() > 40 and ground < 2 and chroma.mean() > 14:
        return "dusk"
    if ground < -6 and above < 45:
        return "dusk"
    if above > 80 and blue < 2.5 and chroma.mean() < 9:
        return "overcast"
    return "golden hour" if lit > 18.5 and ground > 7.5 else "noon"


def describe(picture: np.ndarray) -> Description:
    """Describe a picture.

    Parameters
    ----------
    picture
        (H, W, 3) uint8 sRGB, or float32 linear-light Rec.709.

    Raises
    ------
    BriefError
        When it is no picture of three channels.
    """
    image = np.asarray(picture)
    if image.ndim != 3 or image.shape[2] != 3 or min(image.shape[:2]) < 8:
        raise BriefError(f"A picture to describe has (height, width, 3) numbers; this has {image.shape}")
    if image.dtype == np.uint8:
        image = decode_srgb(image / np.float32(255))
    lab = _lab(np.clip(image[:: max(1, image.shape[0] // 200), :: max(1, image.shape[1] // 200)], 0, 1))
    light, grey = light_of(lab), lab[..., 0]
    spread = float(np.subtract(*np.percentile(grey, (95, 5))))
    third = grey.shape[1] // 3
    left, right = float(grey[:, :third].mean()), float(grey[:, -third:].mean())
    sun = (
        ""
        if abs(left - right) < 6 or light in ("overcast", "night")
        else "from the left"
        if left > right
        else "from the right"
    )
    contrast = "soft" if spread < 52 else "crisp" if spread > 78 else "plain"
    return Description(
        light,
        sun,
        contrast,
        _colour_name(lab[: max(len(lab) // 8, 1)].reshape(-1, 3).mean(axis=0)),
        tuple(_palette(lab)),
    )


def _palette(lab: np.ndarray) -> list[Shade]:
    """Main colours by k-means in CIE Lab, from fixed beginnings."""
    from scipy.cluster.vq import kmeans2

    points = lab.reshape(-1, 3).astype(float)
    order = np.argsort(points[:, 0], kind="stable")
    begin = points[order[np.linspace(0, len(order) - 1, COLOURS).astype(int)]]
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # a picture may have fewer colours
        centres, label = kmeans2(points, begin, minit="matrix", iter=20, missing="warn")
    shares = np.bincount(label, minlength=COLOURS) / len(label)
    out = []
    for k in np.argsort(-shares):
        if shares[k] < 0.03:
            continue
        out.append(Shade(_hex(centres[k]), float(shares[k]), _colour_name(centres[k]), _materials(centres[k])))
    return out


@cache
def _known_colours() -> tuple[list[str], np.ndarray]:
    colours = meanings()["colour"]
    return list(colours), np.array([_lab(hex_to_linear(c)[None])[0] for c in colours.values()])


def _colour_name(lab: np.ndarray) -> str:
    names, known = _known_colours()
    return names[int(np.linalg.norm(known - lab, axis=1).argmin())]


def _materials(lab: np.ndarray) -> tuple[str, ...]:
    """Words for materials whose own colour is near, lightness counting half since light changes it."""
    found = []
    for key, told in meanings()["material"].items():
        finish = FINISHES[told["finish"]]
        if finish.family not in FAMILIES:
            continue
        own = _lab(hex_to_linear(finish.colour)[None])[0]
        distance = float(np.linalg.norm((own - lab) * (0.5, 1, 1)))
        if distance < SAME:
            found.append((distance, key))
    return tuple(key for _, key in sorted(found)[:3])


def _lab(rgb: np.ndarray) -> np.ndarray:
    """CIE Lab of linear Rec.709, for (…, 3)."""
    import cv2

    flat = encode_srgb(np.asarray(rgb, np.float32)).reshape(1, -1, 3).astype(np.float32)
    return cv2.cvtColor(flat, cv2.COLOR_RGB2Lab).reshape(np.shape(rgb))


def _hex(lab: np.ndarray) -> str:
    import cv2

    rgb = cv2.cvtColor(np.asarray(lab, np.float32).reshape(1, 1, 3), cv2.COLOR_Lab2RGB)[0, 0]
    return linear_to_hex(decode_srgb(np.clip(rgb, 0, 1)))
