"""What a client sees: tones of every light in four views of the demo, worst first, and whether panes mirror a band.

`python benchmarks/pictures.py [--quality review] [--width 1280] [--pictures FOLDER]`. Tones are 8-bit: a sunny photograph of a
building has about 8 / 120 / 245 at its percentiles 1 / 50 / 99 and a mean saturation of 0.25 to 0.4.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np

import irodori as iro
from irodori.core.colour import decode_srgb, encode_srgb, luminance
from irodori.demo.files import demo_path
from irodori.formats.write_image import write_image

VIEWS = ("landing", "aerial", "gangway", "hall")
SUNNY = ("morning", "noon", "afternoon", "golden hour")
GOAL = (8, 120, 245)


def tones(picture: iro.picture.Picture) -> tuple[np.ndarray, float]:
    """Percentiles 1, 50 and 99 of the luminance, 0 … 255, and the mean saturation."""
    shown = picture.developed
    grey = encode_srgb(luminance(decode_srgb(shown / np.float32(255)))) * 255
    most, least = shown.max(axis=2).astype(float), shown.min(axis=2).astype(float)
    return np.percentile(grey, (1, 50, 99)), float(np.mean((most - least) / np.maximum(most, 1)))


def band_in_glass(picture: iro.picture.Picture) -> tuple[float, float]:
    """Of what panes mirror, the share of its variance that rows alone tell (1: level bands), and its 90th over its 10th percentile."""
    panes = np.isin(picture.structure.regions, picture.structure.of_role("glazing"))
    if panes.sum() < 500:
        return np.nan, np.nan
    mirrored = np.log(luminance(picture.layers["reflection"]) + 1e-3)
    rows, columns = np.nonzero(panes)
    values = mirrored[rows, columns]
    means = np.bincount(rows, values) / np.maximum(np.bincount(rows), 1)
    spread = np.percentile(values, (10, 90))
    return float(np.var(means[rows]) / max(np.var(values), 1e-9)), float(np.exp(spread[1] - spread[0]))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--quality", default="draft")
    parser.add_argument("--width", type=int, default=640)
    parser.add_argument("--pictures", type=Path)
    told = parser.parse_args()
    model = iro.open_model(demo_path("landing.glb"))
    found = []
    for view in VIEWS:
        structure = iro.read_structure(model.view(view, width=told.width))
        for light, picture in iro.series(structure, demo_path("finishes.csv"), list(iro.LIGHTS), quality=told.quality):
            (low, middle, high), saturation = tones(picture)
            band, spread = band_in_glass(picture)
            off = (
                np.abs(np.array([low, middle, high]) - GOAL) @ (1, 0.3, 1) if light in SUNNY and view != "hall" else 0.0
            )
            found.append((off, view, light, low, middle, high, saturation, band, spread))
            if told.pictures:
                write_image(told.pictures / f"{view}-{light.replace(' ', '-')}.png", picture.developed)
    print("view     light          1 /  50 /  99   saturation   rows tell of panes   90th/10th in panes")
    for _, view, light, low, middle, high, saturation, band, spread in sorted(found, key=lambda row: -row[0]):
        print(
            f"{view:8s} {light:12s} {low:4.0f} {middle:5.0f} {high:5.0f}   {saturation:6.2f}       {band:8.2f}             {spread:8.1f}"
        )


if __name__ == "__main__":
    main()
