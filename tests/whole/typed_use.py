"""The public API as a user's own program uses it; checked by mypy, never run."""

from pathlib import Path

import numpy as np
import pandas as pd
from PIL import Image

import irodori as iro


def from_a_capture(source: Path) -> bytes:
    capture: iro.Capture = iro.open_capture(source, kind="shaded", keep=["grid"])
    structure: iro.Structure = iro.read_structure(capture, eye_height=1.7)
    scene: iro.Scene = iro.dress(structure, finishes="finishes.csv", light="dusk", seed=7)
    picture: iro.Picture = iro.render(scene, "draft", look="photographic")
    report: iro.Registration = iro.prove(capture, picture)
    assert report.in_register and report.edge_recall > 0.97
    saved: Path = picture.save("dusk.png", bits=16)
    recipe: iro.Recipe = iro.Recipe.of(saved)
    differences: list[str] = recipe.difference(picture.recipe)
    table: pd.DataFrame = scene.assignments_table()
    pixels: np.ndarray = np.asarray(picture)
    image: Image.Image = picture.to_pil()
    return f"{len(table)} {pixels.shape} {image.size} {differences}".encode()


def from_memory(pixels: np.ndarray, image: Image.Image) -> iro.Structure:
    with open("capture.png", "rb") as file:
        iro.open_capture(file)
    iro.open_capture(image)
    return iro.read_structure(iro.open_capture(pixels))


def by_hand(structure: iro.Structure) -> iro.Picture:
    rules = (iro.Rule("A", iro.Selector("role", "wall"), iro.FINISHES["slate"]),)
    light: iro.Light = iro.make_light("noon")
    over = iro.render(iro.dress(structure, iro.Schedule(rules), light))
    part = iro.render(iro.dress(structure, None, light), "draft", only=np.ones((8, 8), bool), over=over)
    return part.rebalanced(lamps=0.5).through_lens(grain=0.2).as_look("photographic")


def many(model: str) -> None:
    view = iro.open_model(model, up="z").view("eye level", width=800)
    for name, picture in iro.series(iro.read_structure(view), None, ["dawn", "dusk"], quality="draft"):
        picture.save(f"{name}.png")
    with iro.rich_progress() as bar:
        iro.make(model, light="noon", quality="draft", progress=bar)
