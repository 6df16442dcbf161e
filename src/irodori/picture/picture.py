"""The finished picture with its light still in layers."""

from __future__ import annotations

import io
from collections.abc import Iterator, Mapping
from dataclasses import replace
from functools import cached_property
from pathlib import Path

import numpy as np

from irodori.core.errors import OutputError
from irodori.core.structure import Structure
from irodori.engine.trace import LAYERS, Traced
from irodori.formats.exr import write_exr
from irodori.formats.recipe_text import xmp_packet
from irodori.formats.write_image import check_suffix, write_image
from irodori.picture.develop import Development, develop, total_light


class Layers(Mapping[str, np.ndarray]):
    """Layers by name, each resolved to the picture's pixels when asked for: (H, W, 3) float32, cd/m² (albedo: ratio)."""

    def __init__(self, structure: Structure, traced: Traced) -> None:
        self._structure, self._traced = structure, traced
        ends = np.cumsum(list(LAYERS.values()))
        self._slices = {name: slice(end - width, end) for (name, width), end in zip(LAYERS.items(), ends)}

    def __getitem__(self, name: str) -> np.ndarray:
        if name in ("bounce", "reflection"):
            return self[f"{name} sun"] + self[f"{name} sky"] + self[f"{name} lamps"]
        values = self._traced.layers[:, self._slices[name]].copy()
        if name != "albedo":
            values *= np.float32(self._traced.unit)
        return self._structure.fragments.resolve(values, self._structure.size)

    def __iter__(self) -> Iterator[str]:
        return iter(self._slices)

    def __len__(self) -> int:
        return len(self._slices)


class Picture:
    """A rendering.

    Attributes
    ----------
    structure
        The structure it was made from.
    recipe
        Everything needed to make it again.
    layers
        Linear light by source; see `Layers`.
    developed
        (H, W, 3) uint8, sRGB.
    """

    def __init__(
        self, structure: Structure, traced: Traced, development: Development, recipe: dict, carried=None
    ) -> None:
        self.structure, self.recipe, self._carried = structure, recipe, carried
        self._traced, self._development = traced, development
        self.layers = Layers(structure, traced)

    @cached_property
    def encoded(self) -> np.ndarray:
        """(H, W, 3) float32, sRGB-encoded 0 … 1, before rounding."""
        radiance = total_light(self._traced.layers, 3)
        settings = replace(self._development, illuminant=self._illuminant())
        table = self.structure.surfaces
        loose = np.zeros(int(self.structure.fragments.region.max(initial=0)) + 1, bool)
        loose[table.loc[table["role"] == "planting", "id"].to_numpy()] = True
        developed = develop(self.structure.fragments, self.structure.size, radiance, settings, loose)
        return developed if self._carried is None else np.clip(developed * self._carried[..., None], 0, 1)

    def _illuminant(self) -> tuple[float, float, float]:
        """Colour of the light: half what falls outdoors, half what falls on the surfaces shown."""
        layers, fragments = self._traced.layers[::17], self.structure.fragments
        matt = (fragments.region[::17] > 0) & (layers[:, :3].min(axis=1) > 0.01)
        outdoors = np.array(self._development.illuminant)
        outdoors = outdoors / max(outdoors.sum(), 1e-9)
        if not matt.any():
            return tuple(outdoors.tolist())
        # Everything but mirrored and emitted light, over what it fell on.
        fallen = layers[matt, 3:21].reshape(-1, 6, 3).sum(axis=1) / layers[matt, :3]
        fallen = np.minimum(fallen, np.percentile(fallen, 95)).mean(axis=0)
        return tuple((outdoors + fallen / max(fallen.sum(), 1e-9)).tolist())

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
