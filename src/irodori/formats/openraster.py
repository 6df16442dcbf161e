"""OpenRaster: pictures in layers for image editors (openraster.org, baseline 0.0.5)."""

from __future__ import annotations

import zipfile
from collections.abc import Sequence
from pathlib import Path
from xml.etree import ElementTree

import numpy as np

from irodori.formats.atomic import whole_file
from irodori.formats.write_image import encode_png

THUMB = 256
"""px of the longer side of the small picture inside."""

EPOCH = (1980, 1, 1, 0, 0, 0)
"""The date of the parts, the earliest that a zip can tell: the same picture is the same file."""


def write_openraster(path: str | Path, layers: Sequence[tuple[str, np.ndarray]], merged: np.ndarray, recipe: str = "") -> None:
    """Write layers, the lowest first, each with its name, (H, W, 4) uint8 sRGB with straight alpha, laid over each other plainly.

    `merged` (H, W, 3) uint8 is what they come to; `recipe` its recipe as text. Raises OutputError.
    """
    height, width = merged.shape[:2]
    image = ElementTree.Element("image", {"version": "0.0.5", "w": str(width), "h": str(height)})
    stack = ElementTree.SubElement(image, "stack")
    files: list[tuple[str, bytes]] = []
    for number, (name, pixels) in reversed(list(enumerate(layers))):
        source = f"data/layer{number}.png"
        ElementTree.SubElement(stack, "layer", {
            "name": name, "src": source, "x": "0", "y": "0", "opacity": "1.0", "visibility": "visible",
            "composite-op": "svg:src-over",
        })  # fmt: skip
        files.append((source, encode_png(pixels)))
    files += [("mergedimage.png", encode_png(merged)), ("Thumbnails/thumbnail.png", encode_png(_small(merged)))]
    if recipe:
        files.append(("irodori/recipe.json", recipe.encode()))
    stack_xml = b'<?xml version="1.0" encoding="UTF-8"?>' + ElementTree.tostring(image, encoding="utf-8")
    with whole_file(path) as temporary, zipfile.ZipFile(temporary, "w") as packed:
        packed.writestr(zipfile.ZipInfo("mimetype", EPOCH), b"image/openraster", zipfile.ZIP_STORED)
        for name, data in [("stack.xml", stack_xml), *files]:
            way = zipfile.ZIP_STORED if name.endswith(".png") else zipfile.ZIP_DEFLATED
            packed.writestr(zipfile.ZipInfo(name, EPOCH), data, way)


def _small(picture: np.ndarray) -> np.ndarray:
    import cv2

    scale = min(THUMB / max(picture.shape[:2]), 1.0)
    size = max(round(picture.shape[1] * scale), 1), max(round(picture.shape[0] * scale), 1)
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
