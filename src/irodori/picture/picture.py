"""The finished picture with its light still in layers."""

from __future__ import annotations

import io
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from pathlib import Path

import numpy as np

from irodori.core.colour import luminance
from irodori.core.errors import IrodoriError, OutputError
from irodori.core.scene import Shown
from irodori.core.structure import Structure
from irodori.engine.compose import LAYERS
from irodori.engine.trace import Traced
from irodori.formats.exr import write_exr
from irodori.formats.recipe_text import xmp_packet
from irodori.formats.write_image import check_suffix, write_image
from irodori.picture.develop import Development, automatic_exposure, develop, total_light
from irodori.picture.lens import Lens, through_lens


class Layers(Mapping[str, np.ndarray]):
    """Layers by name, each resolved to the picture's pixels when asked for: (H, W, 3) float32, cd/m² (albedo: ratio).

    `spans` are their channels among those traced.
    """

    def __init__(self, shown: Shown, size: tuple[int, int], traced: Traced) -> None:
        self._shown, self._size, self._traced = shown, size, traced
        ends = np.cumsum(list(LAYERS.values()))
        self.spans = {name: slice(end - width, end) for (name, width), end in zip(LAYERS.items(), ends)}

    def __getitem__(self, name: str) -> np.ndarray:
        if name in ("bounce", "reflection"):
            return self[f"{name} sun"] + self[f"{name} sky"] + self[f"{name} lamps"]
        values = self._traced.layers[:, self.spans[name]].copy()
        if name != "albedo":
            values *= np.float32(self._traced.unit)
        return self._shown.fragments.resolve(values, self._size)

    def __iter__(self) -> Iterator[str]:
        return iter(self.spans)

    def __len__(self) -> int:
        return len(self.spans)


class Picture:
    """A rendering.

    Attributes
    ----------
    structure
        The structure it was made from.
    shown
        What of it is seen, and the additions before it: `shown.listed` says what stands where.
    recipe
        Everything needed to make it again.
    layers
        Linear light by source; see `Layers`.
    developed
        (H, W, 3) uint8, sRGB.
    """

    def __init__(
        self, structure: Structure, shown: Shown, traced: Traced, development: Development, recipe: dict, carried=None,
        lens: Lens | None = None,
    ) -> None:  # fmt: skip
        self.structure, self.shown, self.recipe, self._carried = structure, shown, recipe, carried
        self.lens = lens or Lens()
        self._traced, self._development = traced, development
        self.layers = Layers(shown, structure.size, traced)

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
        source = {"sun": sun, "sky": sky, "lamps": lamps, "backdrop": sky}
        gains = np.ones(self._traced.layers.shape[1], np.float32)
        for name, span in self.layers.spans.items():
            if name != "albedo":
                gains[span] = source[name.split()[-1]] * (reflections if name.startswith("reflection") else 1.0)
        traced = replace(self._traced, layers=self._traced.layers * gains)
        settings = replace(
            self._development, exposure=self._development.exposure + exposure, metered=self._metered(total_light(self._traced.layers, 3)),
            warmth=self._development.warmth if warmth is None else warmth,
        )  # fmt: skip
        before = self.recipe.get("balance", {})
        balance = {name: value * before.get(name, 1.0) for name, value in factors.items()}
        balance["exposure"] = exposure + before.get("exposure", 0.0)
        if warmth is not None or "warmth" in before:
            balance["warmth"] = settings.warmth
        recipe = {**self.recipe, "balance": balance}
        return Picture(self.structure, self.shown, traced, settings, recipe, self._carried, self.lens)

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
        recipe = {**self.recipe, "lens": lens.as_dict()}
        return Picture(self.structure, self.shown, self._traced, self._development, recipe, self._carried, lens)

    def _metered(self, radiance: np.ndarray) -> float:
        """The automatic exposure of the light as traced."""
        if self._development.metered is not None:
            return self._development.metered
        return automatic_exposure(self.shown.fragments, radiance, self._traced.layers[:, :3], self.shown.panes)

    @cached_property
    def encoded(self) -> np.ndarray:
        """(H, W, 3) float32, sRGB-encoded 0 … 1, before rounding."""
        radiance = total_light(self._traced.layers, 3)
        settings = replace(self._development, illuminant=self._illuminant(), metered=self._metered(radiance))
        developed = develop(
            self.shown.fragments, self.structure.size, radiance, settings, self.shown.loose, self._carried
        )
        if self.lens.is_plain:
            return developed
        depth = self.shown.fragments.depth[self.shown.fragments.first()].reshape(developed.shape[:2])
        return through_lens(developed, depth, self.structure.camera, self.lens, self.recipe.get("seed", 0))

    def _illuminant(self) -> tuple[float, float, float]:
        """Colour of the light: half what falls outdoors, half what falls on the surfaces shown.

        Outdoors counts less where it is darker than they are, as the square root of the ratio: at night lamps alone say what is white.
        """
        layers, fragments = self._traced.layers[::61], self.shown.fragments
        matt = (fragments.region[::61] > 0) & (layers[:, :3].min(axis=1) > 0.01)
        outdoors = np.array(self._development.illuminant)
        if not matt.any():
            return tuple((outdoors / max(outdoors.sum(), 1e-9)).tolist())
        # Everything but mirrored and emitted light, over what it fell on; radiance of a white surface, so π of it is illuminance.
        fallen = layers[matt, 3:21].reshape(-1, 6, 3).sum(axis=1) / layers[matt, :3]
        fallen = np.minimum(fallen, np.percentile(fallen, 95)).mean(axis=0) * np.pi * self._traced.unit
        share = np.sqrt(min(luminance(outdoors) / max(luminance(fallen), 1e-9), 1.0))
        return tuple((share * outdoors / max(outdoors.sum(), 1e-9) + fallen / max(fallen.sum(), 1e-9)).tolist())

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

    def save(self, path: str | Path, *, bits: int = 8) -> Path:
        """Write the picture with its recipe inside.

        PNG and TIFF in 8 or 16 bits, JPEG and WebP in 8; ".exr" writes the linear layers and the developed picture
        is left out. Raises OutputError.
        """
        if bits not in (8, 16):
            raise OutputError(f"A picture has 8 or 16 bits a channel, not {bits}")
        recipe = {**self.recipe, "bits": bits}
        if check_suffix(path) == ".exr":
            channels = {}
            total = np.zeros((self.size[1], self.size[0], 3), np.float32)
            for name in self.layers:
                layer = self.layers[name]
                if name != "albedo":
                    total += layer
                for i, channel in enumerate("RGB"):
                    channels[f"{name.replace(' ', '_')}.{channel}"] = layer[..., i].astype(np.float32)
            for i, channel in enumerate("RGB"):
                channels[channel] = total[..., i]
            write_exr(path, channels, {"xmp": xmp_packet(recipe)})
            return Path(path)
        encoded = self.developed if bits == 8 else np.rint(self.encoded * 65535).astype(np.uint16)
        write_image(path, encoded, recipe=recipe)
        return Path(path)

    def _repr_png_(self) -> bytes:
        from PIL import Image

        out = io.BytesIO()
        Image.fromarray(self.developed).save(out, "PNG")
        return out.getvalue()

    def __repr__(self) -> str:
        width, height = self.size
        return f"<Picture {width}×{height}, {self.recipe.get('quality')}, {self.recipe.get('light', {}).get('light')}>"
