"""The finished picture with its light still in layers."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import numpy as np

from irodori.core.colour import luminance
from irodori.core.errors import IrodoriError, OutputError
from irodori.core.recipe import Balance, DevelopmentChoice, Facts, HeldExposure, LensChoice, Output, Recipe, Step
from irodori.core.scene import Shown
from irodori.core.structure import Structure
from irodori.core.work import late
from irodori.engine.image.layers import LAYERS, Traced
from irodori.formats.print_size import PrintSize, read_print_size
from irodori.formats.vector_file import VECTORS, write_vectors
from irodori.formats.write_image import check_suffix, write_image
from irodori.picture.buffers import Buffers
from irodori.picture.carried_lines import CarriedLines, check_lines
from irodori.picture.develop import Development, automatic_exposure
from irodori.picture.drawing import SHEET
from irodori.picture.drawing.sheet import Sheet
from irodori.picture.drawing.vectors import sheet_size, stroked
from irodori.picture.drawn import sheet_of, with_kept
from irodori.picture.film import find_film
from irodori.picture.lens import Lens, through_lens
from irodori.picture.look_choice import is_photographic, read_look

if TYPE_CHECKING:
    from PIL import Image

DAYLIT = 0.25
"""Share of daylight in a room below which its lamps alone say what is white."""

EVERY = 61
"""Of so many fragments one tells the colour of the light."""


class Layers(Mapping[str, np.ndarray]):
    """Layers by name, each resolved to the picture's pixels when asked for: (H, W, 3) float32, cd/m² (albedo: ratio)."""

    def __init__(self, shown: Shown, size: tuple[int, int], traced: Traced) -> None:
        self._shown, self._size, self._traced = shown, size, traced

    def __getitem__(self, name: str) -> np.ndarray:
        if name in ("bounce", "reflection"):
            return self[f"{name} sun"] + self[f"{name} sky"] + self[f"{name} lamps"]
        values = self._traced.of(name).copy()
        if name != "albedo":
            values *= np.float32(self._traced.unit)
        return self._shown.fragments.resolve(values, self._size)

    def __iter__(self) -> Iterator[str]:
        return iter(self._traced.names)

    def __len__(self) -> int:
        return len(self._traced.names)

    def __repr__(self) -> str:
        return f"<Layers {', '.join(self)}>"


class Picture:
    """A rendering.

    Attributes
    ----------
    structure
        The structure it was made from.
    shown
        What of it is seen, and the additions before it: `shown.listed` says what stands where.
    recipe
        Every decision that made it; enough to make it again.
    layers
        Linear light by source; see `Layers`.
    developed
        (H, W, 3) uint8, sRGB.
    """

    def __init__(
        self, structure: Structure, shown: Shown, traced: Traced, development: Development, recipe: Recipe,
        carried: CarriedLines | None = None, over: tuple[Picture, np.ndarray] | None = None,
    ) -> None:  # fmt: skip
        self.structure, self.shown, self.recipe, self._carried = structure, shown, recipe, carried
        self._traced, self._development, self._over = traced, development, over
        self._before: tuple[Picture, Step] | None = None
        self.layers = Layers(shown, structure.size, traced)

    def _but(
        self, recipe: Recipe, same: Callable[[Picture], Picture], *, traced: Traced | None = None,
        development: Development | None = None,
    ) -> Picture:  # fmt: skip
        """This picture after something was done to it; `same` does it to the picture that shows outside the mask of a change, and
        to what a step was done to."""
        if self._before is not None:
            before, step = self._before
            return late.do(f"step {step.step}", same(before), step)
        over = None if self._over is None else (same(self._over[0]), self._over[1])
        return Picture(
            self.structure, self.shown, traced or self._traced, development or self._development, recipe, self._carried, over
        )  # fmt: skip

    def rebalanced(
        self, *, sun: float = 1.0, sky: float = 1.0, lamps: float = 1.0, reflections: float = 1.0, exposure: float = 0.0,
        warmth: float | None = None,
    ) -> Picture:  # fmt: skip
        """This picture developed again with its light in another balance; nothing is traced.

        Parameters
        ----------
        sun, sky, lamps
            Factors on what each source gives, directly, by bounces and in mirrors. The sky that is seen goes with
            `sky`.
        reflections
            Factor on everything mirrored or seen through glass.
        exposure
            Further stops. The automatic exposure stays that of the light as traced, so that a dimmed lamp looks dimmer.
        warmth
            How far the picture keeps the light's own colour, 0 … 1; None leaves it.

        Raises
        ------
        IrodoriError
            When a factor is negative or not a number.
        """
        factors = {"sun": sun, "sky": sky, "lamps": lamps, "reflections": reflections}
        for name, value in factors.items():
            if not (np.isfinite(value) and value >= 0):
                raise IrodoriError(f"{name} {value} is no factor; give 0 or more")
        settings = replace(
            self._development, exposure=self._development.exposure + exposure, metered=self._metered(),
            warmth=self._development.warmth if warmth is None else warmth,
        )  # fmt: skip
        before = self.recipe.balance
        balance = Balance(
            **{name: value * getattr(before, name) for name, value in factors.items()}, exposure=exposure + before.exposure,
            warmth=before.warmth if warmth is None else warmth,
        )  # fmt: skip
        return self._but(
            self.recipe.but(balance=balance),
            lambda below: below.rebalanced(**factors, exposure=exposure, warmth=warmth),
            traced=self._traced.times(layer_gains(**factors)), development=settings,
        )  # fmt: skip

    def exposed_as(self, held: HeldExposure) -> Picture:
        """This picture in the exposure and white of another one; nothing is traced."""
        metered = held.metered * self._traced.unit / held.unit
        return self._but(
            self.recipe.but(held=held), lambda below: below.exposed_as(held),
            development=replace(self._development, metered=metered, white=held.white),
        )  # fmt: skip

    def developed_as(self, name: str, *, contrast: float = 0.0, glare: float = 1.0, mired: float = 0.0) -> Picture:
        """This picture in another development; nothing is traced, and the exposure stays.

        Parameters
        ----------
        name
            "soft", "plain" or "crisp".
        contrast
            More (above 0) or less than that has of its own, −1 … 1.
        glare
            Factor on the veil round bright places, 0 … 5.
        mired
            A filter before the lens: warmer (above 0) or cooler, −100 … 200.

        Raises
        ------
        IrodoriError
            When the name is unknown or a value is out of range.
        """
        chosen = DevelopmentChoice(name=name, contrast=contrast, glare=glare, mired=mired)
        settings = replace(self._development, film=find_film(name, contrast, glare, mired), metered=self._metered())
        return self._but(
            self.recipe.but(development=chosen), lambda below: below.developed_as(name, contrast=contrast, glare=glare, mired=mired),
            development=settings,
        )  # fmt: skip

    def with_lines(self, lines: str) -> Picture:
        """This picture with the lines of its capture as `lines` says; nothing is traced.

        Parameters
        ----------
        lines
            "none", "fine" (one fine line along borders, where the capture has one) or "as drawn".

        Raises
        ------
        IrodoriError
            When there is no such choice.
        """
        return self._but(self.recipe.but(lines=check_lines(lines)), lambda below: below.with_lines(lines))

    def through_lens(
        self, *, vignette: float = 0.0, grain: float = 0.0, aperture: float = 0.0, focus: float = 0.0,
        upright: bool = False,
    ) -> Picture:  # fmt: skip
        """This picture as a lens and film would give it; nothing is traced.

        Parameters
        ----------
        vignette, grain, aperture, focus, upright
            As in `irodori.picture.lens.Lens`. `upright` moves the geometry, so prove the picture before.

        Raises
        ------
        IrodoriError
            When a value is out of range.
        """
        lens = Lens(vignette, grain, aperture, focus, upright)
        recipe = self.recipe.but(lens=LensChoice(**lens.as_dict()))
        return self._but(recipe, lambda below: below.through_lens(**lens.as_dict()))

    def after(self, step: Step, encoded: np.ndarray) -> Picture:
        """This picture after a step that drew it anew, (H, W, 3) float32 sRGB-encoded 0 … 1, which its recipe then tells of.

        What is done to it later (balance, lens, look) is done before the step, which is then done again.
        """
        recipe = self.recipe.but(steps=(*self.recipe.steps, step))
        picture = Picture(
            self.structure, self.shown, self._traced, self._development, recipe, self._carried, self._over
        )
        picture._before = (self, step)
        picture.__dict__["encoded"] = np.clip(np.asarray(encoded, np.float32), 0, 1)
        return picture

    def times(self, factor: np.ndarray, step: Step) -> Picture:
        """This picture with the light of each fragment, and its albedo, times `factor` (N, 3), which a step tells of that its recipe then
        holds. Lines of the capture are taken to be in the factor."""
        layers = (self._traced.layers.reshape(len(factor), -1, 3) * factor[:, None]).reshape(len(factor), -1)
        np.clip(layers[:, :3], 0, 1, out=layers[:, :3])
        recipe = self.recipe.but(steps=(*self.recipe.steps, step))
        return Picture(
            self.structure, self.shown, replace(self._traced, layers=layers), self._development, recipe, None, self._over
        )  # fmt: skip

    def as_look(self, look: str) -> Picture:
        """This picture in another look, drawn from the same light; nothing is traced.

        `look` is a name of `irodori.looks()` with settings, or several with their weights: "pen and ink, looseness 0.3",
        "watercolour 0.7, pencil 0.3, paper cream". Raises IrodoriError.
        """
        chosen = read_look(look).text
        picture = self._but(self.recipe.but(look=chosen), lambda below: below.as_look(chosen))
        if self._before is None and "buffers" in self.__dict__:
            picture.__dict__["buffers"] = self.buffers  # all that is known stays: light, depth, what was evened
        return picture

    @property
    def lens(self) -> Lens:
        """What it is seen through."""
        return Lens(**dict(self.recipe.lens))

    def _metered(self) -> float:
        """The automatic exposure of the light as traced."""
        if self._development.metered is not None:
            return self._development.metered
        return automatic_exposure(
            self.shown.fragments, self._traced.light(), self._traced.of("albedo"), self.shown.panes
        )  # fmt: skip

    @cached_property
    def buffers(self) -> Buffers:
        """All that looks may draw from."""
        settings = replace(self._development, illuminant=self._illuminant(), metered=self._metered())
        carried = None if self._carried is None else self._carried.factor(self.recipe.lines)
        own = carried is not None and self.recipe.lines == "as drawn"
        return Buffers(self.structure, self.shown, self._traced, settings, self.recipe.seed, carried, own)

    @cached_property
    def encoded(self) -> np.ndarray:
        """(H, W, 3) float32, sRGB-encoded 0 … 1, before rounding."""
        choice = read_look(self.recipe.look)
        drawn = (
            self.buffers.photograph
            if is_photographic(choice)
            else with_kept(self.buffers, choice, self.drawing.picture())
        )
        if not self.lens.is_plain:
            depth = self.shown.fragments.depth[self.shown.fragments.first()].reshape(drawn.shape[:2])
            drawn = through_lens(
                drawn, depth, self.structure.camera, self.lens, self._development.film, self.recipe.seed
            )
        if self._over is not None:
            below, mask = self._over
            drawn = np.where(mask[..., None], drawn, below.encoded)
        return drawn

    def _illuminant(self) -> tuple[float, float, float]:
        """Colour of the light: half what falls outdoors, half what falls on the surfaces shown.

        Outdoors counts less where it is darker than they are, as the square root of the ratio: at night lamps alone say what is white.
        """
        if self._development.white is not None:
            return self._development.white
        albedo, fragments = self._traced.of("albedo")[::EVERY], self.shown.fragments
        matt = (fragments.region[::EVERY] > 0) & (albedo.min(axis=1) > 0.01)
        outdoors = np.array(self._development.illuminant)
        if not matt.any():
            return tuple((outdoors / max(outdoors.sum(), 1e-9)).tolist())
        # Everything but mirrored and emitted light, over what it fell on; radiance of a white surface, so π of it is illuminance.
        fallen = self._traced.fallen(slice(None, None, EVERY))[matt] / albedo[matt]
        fallen = np.minimum(fallen, np.percentile(fallen, 95)).mean(axis=0) * np.pi * self._traced.unit
        share = np.sqrt(min(luminance(outdoors) / max(luminance(fallen), 1e-9), 1.0))
        if not (fragments.region[::EVERY] == 0).any():
            share *= min(self._daylight(matt) / DAYLIT, 1.0)
        return tuple((share * outdoors / max(outdoors.sum(), 1e-9) + fallen / max(fallen.sum(), 1e-9)).tolist())

    def _daylight(self, matt: np.ndarray) -> float:
        """Share of daylight in what falls on the fragments `matt` of every `EVERY`th."""
        lamps = sum(self._traced.of(name)[::EVERY][matt] for name in ("lamps", "bounce lamps"))
        all_ = self._traced.fallen(slice(None, None, EVERY))[matt]
        return 1.0 - float(luminance(lamps.mean(axis=0)) / max(luminance(all_.mean(axis=0)), 1e-9))

    @property
    def facts(self) -> Facts:
        """What came of the recipe's decisions: exposure and white, which a change over this picture keeps."""
        settings = self.buffers.development
        return self.recipe.facts.model_copy(
            update={"metered": settings.metered, "unit": self._traced.unit, "white": settings.illuminant, "held": self._traced.white}
        )  # fmt: skip

    @cached_property
    def developed(self) -> np.ndarray:
        return np.rint(self.encoded * 255).astype(np.uint8)

    @property
    def size(self) -> tuple[int, int]:
        """(width, height), px."""
        return self.structure.size

    @property
    def rays(self) -> int:
        """Rays that were traced for it."""
        return self._traced.rays

    def save(self, path: str | Path, *, bits: Literal[8, 16] = 8, print_size: str = "") -> Path:
        """Write the picture with its recipe inside.

        PNG and TIFF in 8 or 16 bits, JPEG and WebP in 8; ".exr" writes the linear layers, depth, normal and id, and the
        picture as developed, for `Picture.load`; ".svg" and ".pdf" a drawn look as paths in mm. For a `print_size`, as "A1, 300 dpi",
        the strokes of a drawn look are drawn anew, finer, and what is painted is enlarged. Raises OutputError.
        """
        if bits not in (8, 16):
            raise OutputError(f"A picture has 8 or 16 bits a channel, not {bits}")
        recipe = self.recipe.but(output=Output(bits=bits, print_size=print_size), facts=self.facts)
        if check_suffix(path) == ".exr":
            if print_size:
                raise OutputError("Layers of light have no size of a print; write the drawing as a picture")
            late.do("save picture layers", self, path, recipe)
            return Path(path)
        size = read_print_size(print_size) if print_size else None
        if check_suffix(path) in VECTORS:
            self._save_vectors(path, recipe, size)
            return Path(path)
        shown = self.encoded if size is None else self._printed(size.factor(self.size))
        encoded = np.rint(shown * (255 if bits == 8 else 65535)).astype(f"u{bits // 8}")
        write_image(path, encoded, recipe=recipe, dpi=size.dpi if size else None)
        return Path(path)

    @property
    def _is_drawing_alone(self) -> bool:
        """Whether `drawing` is all there is to see."""
        unchanged = self.lens.is_plain and self._over is None and self._before is None
        return unchanged and self.is_drawn and not read_look(self.recipe.look).keep

    def _printed(self, factor: float) -> np.ndarray:
        """The drawing `factor` times as large, (H, W, 3) float32 encoded. Raises OutputError where it is not a drawing alone."""
        if not self.is_drawn or read_look(self.recipe.look).keep:
            raise OutputError(
                "Only drawings are drawn anew for a print, with nothing kept photographic; give a drawn look, or a larger width"
            )
        if not self._is_drawing_alone:
            raise OutputError(
                "A drawing that was changed after it was drawn cannot be drawn anew for a print; print it as it is"
            )
        return self.drawing.picture(factor)

    @cached_property
    def drawing(self) -> Sheet:
        """The picture as strokes and what is painted under them; `drawing.picture(4)` draws it four times as large, finer."""
        return sheet_of(self.buffers, read_look(self.recipe.look))

    @property
    def unhatched(self) -> np.ndarray | None:
        """The picture without the strokes that fill areas, (H, W, 3) float32 encoded; None where there are none, or it is seen
        through a lens or changed since: among strokes the place of an edge cannot be told."""
        if not self._is_drawing_alone or not any(one.fills and len(one.paths) for one in self.drawing.layers):
            return None
        return self.drawing.without_fills().picture()

    @property
    def is_drawn(self) -> bool:
        """Whether it is in another look than the photographic."""
        return not is_photographic(read_look(self.recipe.look))

    @property
    def outline_ink(self) -> np.ndarray | None:
        """Colour (3,) encoded of the lines that outline what is drawn, None in a photographic picture and where the capture's own strokes
        do: a line over the border of two tones tells where that lies only to who knows its ink."""
        if not self.is_drawn:
            return None
        return next((np.array(one.ink, np.float32) for one in self.drawing.layers if one.name == "outlines"), None)

    def _save_vectors(self, path: str | Path, recipe: Recipe, size: PrintSize | None) -> None:
        sheet = self.drawing
        longer = size.width(self.size) if size else SHEET
        if not any(len(one.paths) for one in sheet.layers):
            raise OutputError(
                f"'{self.recipe.look}' has no strokes to write as vectors; take a drawn look, such as pen and ink"
            )
        table = self.structure.surfaces
        names = dict(zip(table["id"].tolist(), table["name"].tolist()))
        ground = None if sheet.ground is None else np.rint(sheet.ground * 255).astype(np.uint8)
        write_vectors(
            path,
            sheet_size(sheet, longer),
            sheet.paper,
            ground,
            stroked(sheet, names, longer),
            self.recipe.look,
            recipe.text,
        )

    @classmethod
    def load(cls, path: str | Path) -> Picture:
        """Read what `save` wrote as ".exr": layers, structure buffers, recipe. Raises CaptureError or RecipeError.

        Its light can be rebalanced and drawn in other looks; borders are those of whole pixels then.
        """
        return late.do("load picture layers", path)

    def to_pil(self) -> Image.Image:
        """The developed picture as a Pillow image."""
        from PIL import Image

        return Image.fromarray(self.developed)

    def __array__(self, dtype=None, copy=None) -> np.ndarray:
        array = self.developed if dtype is None else self.developed.astype(dtype)
        return array.copy() if copy and array is self.developed else array

    def _repr_png_(self) -> bytes:
        return late.do("encode png", self.developed)

    def __repr__(self) -> str:
        width, height = self.size
        look = "" if self.recipe.look == "photographic" else f", {self.recipe.look}"
        return f"<Picture {width}×{height}, {self.recipe.quality}, {self.recipe.light.name}{look}>"


def layer_gains(*, sun: float, sky: float, lamps: float, reflections: float) -> dict[str, float]:
    """The gain of each layer for factors on the sources; the sky that is seen goes with `sky`."""
    source = {"sun": sun, "sky": sky, "lamps": lamps, "backdrop": sky}
    return {
        name: source[name.split()[-1]] * (reflections if name.startswith("reflection") else 1.0)
        for name in LAYERS
        if name != "albedo"
    }
