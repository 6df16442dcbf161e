"""How far a moving camera's pictures flicker: `python benchmarks/flicker.py [--quality NAME] [--width PX] [--degrees STEP]`.

Frames of an orbit round the landing are brought over each other by their depth, and what shows the same matt surface in two that follow each
other is compared, blurred by two pixels so that textures' own sampling does not count: steps of 255, mean and the worst hundredth.
"""

from __future__ import annotations

import argparse

import cv2
import numpy as np
from scipy.ndimage import map_coordinates

from irodori.capture import open_model
from irodori.core.recipe import FromModel, LightChoice, Recipe
from irodori.demo.files import demo_path
from irodori.picture import Picture
from irodori.study.job import Job
from irodori.study.moving import moving, orbited


def over(one: Picture, other: Picture) -> np.ndarray:
    """Differences (N,) in steps of 255 between what two pictures show of the same places."""
    a, b = one.structure, other.structure
    height, width = a.depth.shape
    matt = ~np.isin(a.regions, [0, *a.of_role("glazing", "water", "planting", "lamp")]) & np.isfinite(a.depth)
    y, x = np.nonzero(cv2.erode(matt.astype(np.uint8), np.ones((5, 5))) > 0)
    origins, ways = a.camera.rays(x + 0.5, y + 0.5)
    place, depth = b.camera.project(origins + ways * a.depth[y, x, None])
    inside = (place > 2).all(axis=1) & (place[:, 0] < width - 3) & (place[:, 1] < height - 3)
    x, y, place, depth = x[inside], y[inside], place[inside] - 0.5, depth[inside]
    at = np.rint(place).astype(int)
    seen = np.abs(b.depth[at[:, 1], at[:, 0]] / depth - 1) < 0.01
    x, y, place = x[seen], y[seen], place[seen]
    greys = [cv2.GaussianBlur(cv2.cvtColor(p.encoded, cv2.COLOR_RGB2GRAY), (0, 0), 2) for p in (one, other)]
    second = map_coordinates(greys[1], place[:, ::-1].T, order=1)
    return 255 * np.abs(greys[0][y, x] - second)


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("--quality", default="draft")
    given.add_argument("--width", type=int, default=640)
    given.add_argument("--degrees", type=float, default=0.5)
    given.add_argument("--frames", type=int, default=4)
    args = given.parse_args()

    view = next(v for v in open_model(demo_path("landing.glb")).views if v.name == "landing")
    print(f"{'light':14s} {'mean':>6s} {'p99':>6s}   of 255, {args.quality}, {args.degrees:g}° a frame")
    for light in ("afternoon", "dusk", "overcast"):
        source = FromModel(files=(str(demo_path("landing.glb")),), width=args.width, height=round(args.width / 1.6))
        job = Job(Recipe(source=source, light=LightChoice(name=light), quality=args.quality))
        pictures = list(moving(job, orbited(view, args.degrees * (args.frames - 1), args.frames)))
        away = np.concatenate([over(one, other) for one, other in zip(pictures, pictures[1:])])
        print(f"{light:14s} {away.mean():6.2f} {np.percentile(away, 99):6.2f}", flush=True)


if __name__ == "__main__":
    main()
