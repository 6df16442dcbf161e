"""What a finished picture shows, apart: its light and its surfaces, as layers and as a picture to judge by."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.errors import OutputError
from irodori.core.recipe import FromCapture, FromFinished
from irodori.core.work.progress import Progress
from irodori.formats.exr import write_exr
from irodori.formats.read_image import read_image
from irodori.formats.write_image import check_suffix, write_image
from irodori.picture.finished import FinishedPicture
from irodori.retouch.split import Split, split
from irodori.settings.setting import find_setting
from irodori.settings.to_recipe import same_file
from irodori.study.contact_sheet import contact_sheet
from irodori.study.finished.change import recipes_of
from irodori.study.finished.changing import found_light, rendered, structure_of
from irodori.study.job import Job, check_source

UNSURE = 0.3
"""Share of light and shade explained below which the light is a guess."""

BRIGHT = 0.9
"""Encoded tone of the brightest light in the picture of it."""


@dataclass(frozen=True, eq=False)
class TakenApart:
    """A picture, its parts and the name of the light that it was found to show; `by_itself`: whether its structure was read from it, whose
    colours then hold its light and shade, so that nothing tells how well these are explained."""

    encoded: np.ndarray
    parts: Split
    light: str
    by_itself: bool = False

    @property
    def sure(self) -> bool:
        """Whether its light and shade are explained well enough to be relied on."""
        return self.parts.explained >= UNSURE and not self.by_itself

    @property
    def told(self) -> str:
        """The light, and how well it is known, in words."""
        if self.by_itself:
            return f"{self.light}, a guess by its sky and shade: there is no structure to tell"
        unsure = "" if self.sure else ": unsure"
        return f"{self.light}, {100 * self.parts.explained:.0f} % of light and shade explained{unsure}"

    def sheet(self) -> np.ndarray:
        """The picture, its surfaces without light, and its light on white surfaces, (h, w, 3) uint8."""
        pictures = [
            ("the picture", self.encoded),
            ("its surfaces without light", encode_srgb(self.parts.reflectance)),
            (f"its light: {self.told}", encode_srgb(np.clip(self.parts.light, 0, 1)) * BRIGHT),
        ]
        eight = [(name, np.rint(np.clip(one, 0, 1) * 255).astype(np.uint8)) for name, one in pictures]
        return contact_sheet(eight, width=1920, columns=3)

    def save(self, path: str | Path) -> Path:
        """Write the sheet, or as ".exr" the parts as layers `reflectance` and `light`, linear. Raises OutputError."""
        suffix = check_suffix(path)
        if suffix == ".exr":
            channels = {}
            for name, values in (("reflectance", self.parts.reflectance), ("light", self.parts.light)):
                channels |= {f"{name}.{part}": values[..., k] for k, part in enumerate("RGB")}
            write_exr(path, channels, {"light": self.light, "explained": f"{self.parts.explained:.3f}"})
        elif suffix in (".svg", ".pdf"):
            raise OutputError(f"Light has no strokes to write as '{suffix}'; write .png or .exr")
        else:
            write_image(path, self.sheet())
        return Path(path)


def take_apart(
    picture: str | Path, *, structure: str | Path | None = None, old_light: str | None = None, progress: Progress | None = None,
    **told: Any,
) -> TakenApart:  # fmt: skip
    """A finished picture apart into the light that it shows and its surfaces without it.

    Parameters
    ----------
    picture, structure, old_light, told
        As for `irodori.change`; `told` says how the structure is opened, and the `quality`.

    Raises
    ------
    IrodoriError
        When a setting is unknown or wrong, or as the stages say.
    """
    given = {find_setting(name).name: str(v) if isinstance(v, Path) else v for name, v in told.items()}
    return taken_apart(str(picture), given, None if structure is None else str(structure), old_light, progress)


def taken_apart(
    picture: str, given: Mapping[str, Any], structure: str | None, old_light: str | None, progress: Progress | None = None
) -> TakenApart:  # fmt: skip
    """As `take_apart`, by settings' names. Raises IrodoriError."""
    check_source(picture)
    of, _ = recipes_of(picture, given, structure, old_light, progress)
    encoded = encode_srgb(read_image(Path(picture)).rgb)
    found = FinishedPicture.found(encoded, FromFinished(file=picture))
    shown, beside = structure_of(found, of, progress)
    of = found_light(of, shown, encoded, beside, progress)
    old = rendered(Job(of, beside=beside).dress(shown), of, progress)
    by_itself = isinstance(of.source, FromCapture) and same_file(of, picture)
    return TakenApart(encoded, split(encoded, old), of.light.name, by_itself)
