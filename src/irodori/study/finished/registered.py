"""A model's view brought into register with a picture of it that was cropped, enlarged or shifted."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np

from irodori.core.colour import encode_srgb
from irodori.core.recipe import FromCapture, FromModel, Recipe, ViewCamera
from irodori.core.structure import Structure
from irodori.core.work.progress import Progress, report
from irodori.formats.read_image import read_image
from irodori.proof import prove
from irodori.proof.edges import edge_energy
from irodori.proof.evidence import border_image
from irodori.settings.to_recipe import same_file
from irodori.study.job import Job

COARSE = 256
"""px of the longer side at which places are compared as a whole."""

SCALES = np.exp(np.linspace(np.log(0.6), np.log(2.4), 57))
"""How much larger a picture may show a thing than the view: steps of 2.5 %."""

FINER = (0.012, 0.006, 0.003)
"""Steps of scale in which the best is looked for more finely."""

CLEARER = 1.12
"""How much better a place must fit than the one where nothing is moved."""

ROUNDS, STILL = 5, 0.03
"""Times that the view is brought nearer, and px of what is left from which it stays."""

IN_PLACE, EXACT = 0.97, 0.15
"""Edge recall and median drift, px, from which a view fits a picture as it is."""

LEAST_SHARE = 0.15
"""Share of the picture's frame that the view must fill at a place."""


@dataclass(frozen=True)
class Fit:
    """Where a view lies in a picture: `scale` about the middle, then `shift` (x, y) px; and how well it fits, 0 … 1."""

    scale: float
    shift: tuple[float, float]
    score: float


def registered(recipe: Recipe, picture: str | Path, progress: Progress | None = None) -> Recipe:
    """The recipe of what a picture shows, its structure brought into the picture's frame; unchanged where it fits as it is.

    Of a model the camera is turned: a crop, another size and a shift of the lens are found by comparing edges as a whole, at many scales, and then
    to a hundredth of a pixel by the proof's own measure. A capture or a saved structure of which the picture is some whole number
    of times the size is enlarged.
    """
    source = recipe.source
    if isinstance(source, FromCapture) and same_file(recipe, str(picture)):
        return recipe
    encoded = encode_srgb(read_image(Path(picture)).rgb)
    if not isinstance(source, FromModel):
        return _as_large(recipe, encoded.shape[1::-1])
    report(progress, "Finding the view", 0.0)
    structure = _structure(recipe)
    if structure.size != encoded.shape[1::-1]:
        return recipe
    first = prove(structure, encoded)
    if first.edge_recall > IN_PLACE and first.drift["median"] < EXACT:
        return recipe
    best, recall, proof = recipe, first.edge_recall, first
    fit = coarse_fit(structure, encoded)
    if fit.scale != 1.0 or fit.shift != (0.0, 0.0):
        moved = _moved(recipe, structure, fit.scale, fit.shift)
        nearer = _structure(moved)
        there = prove(nearer, encoded)
        if there.edge_recall > recall:
            best, recall, structure, proof = moved, there.edge_recall, nearer, there
    for turn in range(ROUNDS):
        report(progress, "Finding the view", (turn + 1) / (ROUNDS + 1))
        scale, shift = proof.similarity["scale"], proof.similarity["shift"]
        if np.hypot(*shift) + abs(scale - 1) * max(structure.size) / 2 < STILL:
            break
        moved = _moved(best, structure, scale, shift)
        nearer = _structure(moved)
        proof = prove(nearer, encoded)
        if proof.edge_recall < recall - 0.002:
            break
        best, structure, recall = moved, nearer, max(recall, proof.edge_recall)
    return best if recall > first.edge_recall + 0.002 else recipe


def _as_large(recipe: Recipe, size: tuple[int, int]) -> Recipe:
    """The recipe of a reading with its structure as large as a picture, where that is some whole number of times its size."""
    own = _structure(recipe).size
    times = size[0] // own[0]
    if not 2 <= times <= 8 or size != (times * own[0], times * own[1]):
        return recipe
    return recipe.but(reading=recipe.reading.model_copy(update={"enlarged": times}))


def coarse_fit(structure: Structure, encoded: np.ndarray) -> Fit:
    """Where the borders of a structure lie in a picture of its size, (H, W, 3) encoded, by their edges as a whole."""
    height, width = encoded.shape[:2]
    factor = min(1.0, COARSE / max(height, width))
    size = max(round(width * factor), 16), max(round(height * factor), 16)
    theirs, ours = (_edges(image, size) for image in (encoded, border_image(structure)))
    none = _placed(ours, theirs, 1.0, only_here=True)
    best = max((_placed(ours, theirs, float(scale)) for scale in SCALES), key=lambda one: one.score)
    for step in FINER:
        tried = [_placed(ours, theirs, best.scale * (1 + k * step)) for k in (-1, 1)]
        best = max([best, *tried], key=lambda one: one.score)
    if best.score < CLEARER * none.score:
        return Fit(1.0, (0.0, 0.0), none.score)
    return Fit(best.scale, tuple(v / factor for v in best.shift), best.score)


def _edges(image: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Edges of an image, (h, w) float32, all about as strong: what is there counts, not how much it differs."""
    energy = np.sqrt(edge_energy(np.ascontiguousarray(image, np.float32))[0])
    small = cv2.resize(energy, size, interpolation=cv2.INTER_AREA)
    small = small / (small + np.percentile(small, 75) + 1e-4)
    return (small - cv2.GaussianBlur(small, (0, 0), 8)).astype(np.float32)


def _placed(ours: np.ndarray, theirs: np.ndarray, scale: float, only_here: bool = False) -> Fit:
    """The best place of `ours`, `scale` times as large, on `theirs`, both (h, w)."""
    height, width = theirs.shape
    middle = np.array([width / 2, height / 2])
    high, wide = round(height * max(scale, 1)) + height, round(width * max(scale, 1)) + width
    high, wide = cv2.getOptimalDFTSize(high), cv2.getOptimalDFTSize(wide)
    # Pixel centres of both go on each other where nothing is shifted.
    start = np.array([(wide - width) // 2, (high - height) // 2])
    turn = np.float32([[scale, 0, 0], [0, scale, 0]])
    turn[:, 2] = start + middle - scale * middle + (scale - 1) / 2
    large = cv2.warpAffine(ours, turn, (wide, high), flags=cv2.INTER_LINEAR, borderValue=0)
    mask = cv2.warpAffine(np.ones_like(ours), turn, (wide, high), flags=cv2.INTER_NEAREST, borderValue=0)
    frame, inside = np.zeros((high, wide), np.float32), np.zeros((high, wide), np.float32)
    frame[start[1] : start[1] + height, start[0] : start[0] + width] = theirs
    inside[start[1] : start[1] + height, start[0] : start[0] + width] = 1
    one, two = np.fft.rfft2(frame), np.fft.rfft2(large)
    shape = (high, wide)
    both = np.fft.irfft2(one * np.conj(two), shape)
    energy = np.fft.irfft2(np.fft.rfft2(inside) * np.conj(np.fft.rfft2(large**2)), shape)
    seen = np.fft.irfft2(np.fft.rfft2(frame**2) * np.conj(np.fft.rfft2(mask)), shape)
    filled = np.fft.irfft2(np.fft.rfft2(inside) * np.conj(np.fft.rfft2(mask)), shape) / (height * width)
    score = both / np.sqrt(np.maximum(energy, 1e-3) * np.maximum(seen, 1e-3))
    # A place that shows half of the view tells less than one that shows all.
    score *= np.sqrt(np.clip(filled, 0, 1)) * (filled > LEAST_SHARE)
    if only_here:
        return Fit(scale, (0.0, 0.0), float(score[0, 0]))
    y, x = np.unravel_index(int(np.argmax(score)), score.shape)
    shift = (float(x - wide if x > wide // 2 else x), float(y - high if y > high // 2 else y))
    return Fit(scale, shift, float(score[y, x]))


def _structure(recipe: Recipe) -> Structure:
    job = Job(recipe)
    return job.read(job.open())


def _moved(recipe: Recipe, structure: Structure, scale: float, shift: tuple[float, float]) -> Recipe:
    """The recipe with its camera such that what the structure shows lies `scale` times as large about the middle, then shifted, px."""
    camera = structure.camera
    width, height = camera.size
    focal = camera.focal * scale
    middle = np.array([width / 2, height / 2])
    centre = scale * (camera.matrix[:2, 2] - middle) + middle + np.array(shift)
    kept = structure.origin.camera
    update = {"shift": (float(centre[0] / width), float(centre[1] / height)), "aspect": width / height}
    if camera.projection == "parallel":
        update["span"] = float(width / focal)
    else:
        update["field"] = float(np.degrees(2 * np.arctan(0.5 * width / focal)))
    source = recipe.source.model_copy(
        update={
            "view": structure.origin.view,
            "camera": ViewCamera(**{**dict(kept), **update}),
            "width": width,
            "height": height,
        }
    )
    return recipe.but(source=source)
