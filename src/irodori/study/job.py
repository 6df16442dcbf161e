"""From a recipe to its picture, stage by stage."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

import irodori
from irodori.brief import Brief, understand
from irodori.capture import open_capture, open_model
from irodori.capture.model.model import WHOLE_FILES, kept_view
from irodori.core.capture import Capture
from irodori.core.colour import encode_srgb
from irodori.core.errors import CaptureError, RecipeError
from irodori.core.model import ViewSpec
from irodori.core.recipe import BriefChoice, FromCapture, FromFinished, FromModel, FromStructure, LightChoice, Recipe
from irodori.core.scene import Scene
from irodori.core.structure import Structure
from irodori.core.work import late
from irodori.core.work.progress import Progress
from irodori.engine.rays.ray_scene import present_kernel, ray_kernel
from irodori.finishes import Schedule, read_schedule
from irodori.formats.made_before import made_before
from irodori.formats.read_image import file_digest, read_image
from irodori.light import make_light, read_lamps
from irodori.light.in_recipes import light_from
from irodori.picture import Picture, render
from irodori.picture.finished import FinishedPicture
from irodori.picture.look_choice import read_look
from irodori.retouch.enlarge import enlarged_structure
from irodori.scene.dress import OUTSIDE, Dressing, prepare, unsaid_light
from irodori.structure import read_structure

LOW_SUN = 0.03
"""Sine of the sun's height from which a view is chosen by it."""


@dataclass(frozen=True)
class Job:
    """Making the picture that a recipe tells of.

    Attributes
    ----------
    recipe
        What is decided.
    schedule
        The finish schedule where it was read already (its masks lie beside it); None takes the recipe's text.
    beside
        The picture the recipe comes from: files that are not where the recipe says are looked for in its folder. None for a new one.
    moved
        Where the capture or model lies now.
    brief
        The brief where it was understood already; None reads the recipe's words.
    called
        The source as pictures are to tell of it, where it lies elsewhere for this work; None: as it lies.
    exact
        Insist on the version and the very files that the recipe tells of.
    """

    recipe: Recipe
    schedule: Schedule | None = None
    beside: Path | None = None
    moved: Path | None = None
    exact: bool = False
    brief: Brief | None = None
    called: Any = None

    def run(self, progress: Progress | None = None, *, cache: bool = True) -> Picture | FinishedPicture:
        """All stages one after the other; errors are those of the stages."""
        if isinstance(self.recipe.source, FromFinished):
            return self.found(self.recipe.source, progress)
        structure = self.read(self.open(progress, cache=cache), progress, cache=cache)
        return self.render(self.dress(structure), progress)

    def found(self, source: FromFinished, progress: Progress | None = None) -> FinishedPicture:
        """A finished picture after all that is done to it. Raises CaptureError or RecipeError when it is missing or has changed."""
        self._check_version()
        file = self._found(self.moved or source.file, source.digest)
        if source.digest and file_digest(file) != source.digest:
            raise RecipeError(f"'{file}' has changed since it was worked on")
        picture = FinishedPicture.found(encode_srgb(read_image(file).rgb), source)
        for step in self.recipe.steps:
            picture = late.do(f"step {step.step}", picture, step, progress=progress)
        return picture

    def open(self, progress: Progress | None = None, *, cache: bool = True) -> Capture:
        """Open what comes in, as it was kept where `cache` and nothing changed. Raises CaptureError, ModelError, or RecipeError when it is missing or has changed."""
        self._check_version()
        source = self.recipe.source
        with ray_kernel(self._rays()):
            if isinstance(source, FromModel):
                opened = self._open_view(source, progress, cache)
            elif isinstance(source, FromStructure):
                return capture_of_structure(self._found(self.moved or source.file, None))
            elif isinstance(source, FromCapture):
                opened = self._open_picture(source, cache)
            else:
                if self.moved is None:
                    raise RecipeError(
                        f"The recipe in '{self._name}' names neither a capture nor a model: what it was made from lay in memory; "
                        "give it with --capture"
                    )
                opened = open_capture(
                    self.moved, kind=source.kind, clean=source.clean, keep=source.keep, remove=source.remove, north=source.north
                )  # fmt: skip
        # A recipe keeps the name that the capture had, wherever it lies now.
        return replace(opened, origin=source) if self.exact else opened

    def read(self, capture: Capture, progress: Progress | None = None, *, cache: bool = True) -> Structure:
        """Read its structure. Raises StructureError, or RecipeError when another comes out than the recipe tells of."""
        told = self.recipe.reading
        structure = read_structure(
            capture, eye_height=told.eye_height, learned=told.learned, corrections=told.corrections, cache=cache, progress=progress
        )  # fmt: skip
        if told.enlarged > 1:
            structure = enlarged_structure(structure, told.enlarged)
            digest = hashlib.sha256(f"{structure.digest} × {told.enlarged}".encode()).hexdigest()
            structure = replace(structure, reading=told, digest=digest)
        if self.exact:
            if structure.digest != self.recipe.structure:
                raise RecipeError(
                    f"The structure read now differs from the one in '{self._name}': the capture or its passes changed"
                )
            structure = replace(structure, origin=self.recipe.source, reading=told)
        return structure if self.called is None else replace(structure, origin=_called(structure.origin, self.called))

    def dress(self, structure: Structure, gone: Sequence[int] = ()) -> Scene:
        """Dress it, without the additions `gone`. Raises FinishError, LightError, EntourageError."""
        return self.under(self.dressing(structure, gone))

    def dressing(self, structure: Structure, gone: Sequence[int] = ()) -> Dressing:
        """Dress it for any light. Raises FinishError, LightError, EntourageError."""
        told = self.recipe
        with ray_kernel(self._rays()):
            return prepare(
                structure, self.finish_schedule(), brief=self.brief_for(structure), lamps=read_lamps(told.lamps, told.photometry),
                entourage=told.entourage or None, season=told.season, life=told.life, seed=told.seed, kept_seeds=told.kept_seeds, liberty=told.liberty,
                gone=gone,
            )  # fmt: skip

    def under(self, dressing: Dressing) -> Scene:
        """What is dressed, in the light that the recipe tells of. Raises LightError."""
        told = self.recipe
        light = told.light.name if isinstance(told.light, LightChoice) else light_from(told.light)
        if not light:
            light = unsaid_light(dressing.structure, self.brief_for(dressing.structure))
        scene = dressing.under(light, exposure=told.exposure)
        # Here settings say how it is developed, the brief's among them.
        return replace(scene, recipe=scene.recipe.but(development=type(told.development)(), held=told.held))

    def brief_for(self, structure: Structure) -> BriefChoice | Brief:
        """The brief for a structure. Words are read once: where they were decided for this very one, what they came to stands in the recipe."""
        told = self.recipe
        if (told.brief.text or told.brief.avoid) and not (told.brief.decided and told.structure == structure.digest):
            return self.brief or understand(told.brief.text, avoid=told.brief.avoid)
        return told.brief

    def render(self, scene: Scene, progress: Progress | None = None) -> Picture:
        """Render it, with all that is done to the picture afterwards."""
        with ray_kernel(self._rays()):
            picture = render(scene, self.recipe.quality, look=self.recipe.look, progress=progress)
            return self.finish(picture, progress)

    def finish(self, picture: Picture, progress: Progress | None = None) -> Picture:
        """What is done to a picture as rendered: balance, development, lines, lens, steps."""
        told = self.recipe
        if told.balance != type(told.balance)():
            picture = picture.rebalanced(**dict(told.balance))
        if told.development != type(told.development)():
            picture = picture.developed_as(**dict(told.development))
        if told.lines != "none":
            picture = picture.with_lines(told.lines)
        if told.lens != type(told.lens)():
            picture = picture.through_lens(**dict(told.lens))
        for step in told.steps:
            picture = late.do(f"step {step.step}", picture, step, progress=progress)
        return picture

    def finish_schedule(self) -> Schedule:
        """The finish schedule, as it was read or as the recipe tells it. Raises FinishError."""
        if self.schedule is not None:
            return self.schedule
        told = self.recipe
        return read_schedule(told.finishes, catalogue=told.catalogue or None, masks=told.masks)

    @property
    def _name(self) -> str:
        return str(self.beside or "the recipe")

    def _rays(self) -> str | None:
        return self.recipe.rays or None

    def _check_version(self) -> None:
        if self.exact and self.recipe.irodori != irodori.__version__:
            raise RecipeError(
                f"'{self._name}' was made by irodori {self.recipe.irodori}, this is {irodori.__version__}: install that version, "
                "or allow differences"
            )

    def _open_picture(self, source: FromCapture, cache: bool) -> Capture:
        file = self._found(self.moved or source.file, source.digest)
        passes = {name: self._found(path, None) for name, path in source.passes.items()}
        if not cache:
            return self._open_files(source, file, passes)
        digests = [file_digest(path) for path in (file, *passes.values())]
        return made_before(
            "capture", lambda: self._open_files(source, file, passes), source, file, list(passes), digests
        )

    def _open_files(self, source: FromCapture, file: Path, passes: dict[str, Path]) -> Capture:
        return open_capture(
            file, passes or None, kind=source.kind, near=source.near, far=source.far, clean=source.clean, keep=source.keep,
            remove=source.remove, north=source.north,
        )  # fmt: skip

    def _open_view(self, source: FromModel, progress: Progress | None, cache: bool) -> Capture:
        paths = [self._found(file, None) for file in ([self.moved] if self.moved else source.files)]
        read = [*paths, self._found(source.views, None)] if source.views else paths
        whole = all(path.is_file() for path in read) and all(path.suffix.lower() in WHOLE_FILES for path in paths)
        if source.view is None and source.camera is None:
            source = source.model_copy(update={"view": read_look(self.recipe.look).view or None})
        sun = self._sun(source.north) if source.view is None and source.camera is None else None
        if not (cache and whole):
            return self._take_view(source, paths, sun, progress)
        made_from = source, sun, self.exact, present_kernel(), paths, [file_digest(path) for path in read]
        return made_before("view", lambda: self._take_view(source, paths, sun, progress), *made_from)

    def _take_view(self, source: FromModel, paths: list[Path], sun: float | None, progress: Progress | None) -> Capture:
        views = self._found(source.views, None) if source.views else None
        model = open_model(
            paths, up=source.up, unit=source.unit, north=source.north, views=views
        ).massed(*source.massing)  # fmt: skip
        if self.exact and source.digest and model.data.digest != source.digest:
            raise RecipeError(f"The model '{paths[0]}' has changed since '{self._name}' was made")
        view: str | ViewSpec | None = source.view
        if source.camera is not None:
            view = kept_view(source.view or "view", source.camera)
        elif view is None:
            view = model.default_view(sun)
        return model.view(
            view, width=source.width, height=source.height, ground=source.ground, style=source.style,
            compose=source.compose if source.camera is None else None, cutaway=source.cutaway and source.camera is None,
            as_modelled=source.as_modelled, progress=progress,
        )  # fmt: skip

    def _sun(self, north: float) -> float | None:
        """From where the sun of the light that was told shines, degrees clockwise from the model's +y; None where it does not, or the
        light follows the view."""
        told = self.recipe.light
        if isinstance(told, LightChoice) and "sun " in told.name:
            return None
        light = make_light(told.name or OUTSIDE, north=north) if isinstance(told, LightChoice) else light_from(told)
        way = light.dome.sun_direction
        return None if way[2] < LOW_SUN else float(np.degrees(np.arctan2(way[0], way[1])) % 360)

    def _found(self, file: str | Path, digest: str | None) -> Path:
        """The file, where the recipe says, or under its name beside the picture."""
        if self.beside is None:
            return Path(file)
        place = place_of(file, self.beside)
        if place is not None:
            if self.exact and digest and file_digest(place) != digest:
                raise RecipeError(
                    f"'{place}' is not the capture that '{self._name}' was made from: its content differs"
                )
            return place
        raise RecipeError(f"'{self._name}' was made from '{file}', which is not there; give its place with --capture")


def place_of(file: str | Path, picture: Path) -> Path | None:
    """Where a file lies that a picture's recipe names: there, or under its name beside the picture; None where it is gone."""
    return next((p for p in (Path(file), picture.parent / Path(file).name) if p.is_file()), None)


def _called(origin: Any, source: Any) -> Any:
    """Where a capture came from, told with the names that its files have in `source`."""
    names = {name: getattr(source, name) for name in ("file", "files", "passes", "views") if hasattr(source, name)}
    return origin.model_copy(update={name: value for name, value in names.items() if hasattr(origin, name)})


def capture_of_structure(path: str | Path) -> Capture:
    """A saved structure as a capture whose reading is done. Raises StructureError."""
    structure = Structure.load(path)
    image = structure.image
    if image is None:
        from irodori.core.colour import decode_srgb
        from irodori.proof.evidence import border_image

        image = decode_srgb(border_image(structure))
    origin = FromStructure(file=str(path))
    return Capture(
        image=image, kind="passes", digest=structure.digest, exact=replace(structure, origin=origin), mesh=structure.mesh,
        source=str(path), notes=structure.notes, north=structure.north, origin=origin,
    )  # fmt: skip


def repeat(
    path: str | Path, *, capture: str | Path | None = None, check: bool = True, progress: Progress | None = None
) -> Picture:
    """Make a picture again.

    Saved in the same format and bits (`picture.recipe.output.bits`), the file is the same byte for byte on the same machine.

    Parameters
    ----------
    path
        A picture saved by `Picture.save`.
    capture
        Where the capture or model lies now, when it was moved.
    check
        Insist on the same version of Irodori and the same capture; without it the recipe is used as far as it goes.

    Raises
    ------
    RecipeError
        When the picture holds no recipe, was made by another version, or its capture is missing or has changed.
    """
    recipe = Recipe.of(path)
    if not recipe.structure and not isinstance(recipe.source, FromFinished):
        raise RecipeError(f"The recipe in '{path}' tells of no picture; it cannot be repeated")
    job = Job(recipe, beside=Path(path), moved=Path(capture) if capture else None, exact=check)
    picture = job.run(progress)
    # What the file said of how it was written goes on.
    picture.recipe = picture.recipe.but(output=recipe.output)
    return picture


def check_source(path: str | Path) -> None:
    """Whether there is such a file at all. Raises CaptureError or ModelError."""
    from irodori.core.errors import ModelError
    from irodori.formats.model.mesh_file import SUFFIXES

    if not Path(path).exists():
        kind = ModelError if Path(path).suffix.lower() in SUFFIXES else CaptureError
        raise kind(f"There is no file '{path}'")
