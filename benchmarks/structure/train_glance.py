"""Train what sees a picture at a glance: `python benchmarks/structure/train_glance.py FOLDER [--each N] [--into FILE]`.

Draws scenes of the families to learn from, and random ones, as different programs and hands do, keeps them small in FOLDER with
what they truly show, and trains a network on them. What FOLDER holds already is not drawn again. Needs
`pip install -e ".[benchmark,train]"`.
"""

from __future__ import annotations

import argparse
import io
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path

import cv2
import numpy as np
from families import FAMILIES, scene_of
from parts import TruthScene

from irodori.structure.glance.canvas import CELL, HIGH, WIDE, Canvas
from irodori.structure.glance.glance import CLASSES, SEEN_AS, WEIGHTS

EACH, FIRST, RANDOM, WILD = 10, 100, 67, 146
"""How many scenes of each family, from which number on: smaller ones are read to see how good the reading is; how many random ones and
how many of no family."""

SMALL, SKETCHED = (0.42, 0.62), (0.7, 0.9)
"""Times its size that a scene is drawn at: sketches larger, for the pen is of one breadth."""

KINDS = ("styled", "styled", "styled messy", "styled flat", "styled line", "styled sketch")

WIDTHS, BLOCKS, WHOLE = (24, 48, 80, 128, 192), (2, 2, 2, 1), 5
"""Channels of the network at 1/2, 1/4 … of the canvas, its blocks at each but the first, and how many figures tell the whole."""

EPOCHS, BATCH, RATE, DECAY = 13, 16, 3e-3, 1e-2

OTHER_HUES = 0.15
"""How often what is red is green or blue instead: people colour models as they please."""


def gather(name: str, folder: Path) -> None:
    """Draw one scene in every kind and keep it small."""
    path = folder / f"{name}.npz"
    if path.exists():
        return
    from random_scenes import random_scene
    from wild_scenes import wild_scene

    if name.isdigit():
        scene = random_scene(int(name))
    else:
        scene = wild_scene(int(name[5:])) if name.startswith("wild-") else scene_of(FAMILIES, name)
    rng = np.random.default_rng([*name.encode()])
    kept: dict[str, list] = {}
    for number, kind in enumerate(KINDS):
        for key, value in _drawn(replace(scene, name=f"{name}-{number}"), kind, rng).items():
            kept.setdefault(key, []).append(value)
    partial = path.with_suffix(".part.npz")
    np.savez(partial, **{key: np.stack(values) for key, values in kept.items() if key != "image"}, **{f"image{n}": one for n, one in enumerate(kept["image"])})  # fmt: skip
    partial.replace(path)


def _drawn(scene: TruthScene, kind: str, rng: np.random.Generator) -> dict[str, np.ndarray]:
    """A scene drawn in a kind: small, and what its cells and the whole of it truly are."""
    from draw import at_size, draw, draw_in, truth_of
    from spoilt import is_alone, is_room
    from styles import BASE, style_of

    by_hand = kind == "styled sketch"
    factor = float(rng.uniform(*(SKETCHED if by_hand else SMALL)))
    small = at_size(scene, factor)
    truth = truth_of(small, surfaces=False)
    if by_hand:
        image = draw(small, kind, truth)
    else:
        style = style_of(scene, kind)
        image = draw_in(small, BASE[kind], truth, replace(style, width=max(0.7, style.width * factor * 1.3)))
    camera, canvas = small.camera, Canvas(small.camera.size)
    known = SEEN_AS | {"mirror": "glazing"}
    seen_as = np.array([CLASSES.index("sky"), *(CLASSES.index(known[role]) for role in truth.roles)])
    shares = canvas.cells((seen_as[truth.role + 1][..., None] == np.arange(len(CLASSES))).astype(np.float32))
    normal = canvas.cells((truth.normal @ camera.rotation.T).astype(np.float32))
    names = np.array(["sky", *truth.roles], dtype=object)[truth.role + 1]
    room = scene.what == "room" or is_room(names)
    whole = [
        room, is_alone(names, room), camera.projection == "parallel", camera.rotation[2, 2],
        np.log(camera.focal / np.sqrt(np.prod(camera.size))) if camera.projection == "perspective" else 0.0,
    ]  # fmt: skip
    return {
        "image": canvas.shrink(image),
        "size": np.array(camera.size),
        "role": np.where(shares.sum(axis=2) > 0.5, shares.argmax(axis=2), 255).astype(np.uint8),
        "normal": np.rint(normal * 127).astype(np.int8),
        "whole": np.array(whole, np.float32),
    }


@dataclass(frozen=True)
class Example:
    """A small picture with what it shows: image (h, w, 4), role and normal over the canvas' cells, and the whole's five figures."""

    size: tuple[int, int]
    image: np.ndarray
    role: np.ndarray
    normal: np.ndarray
    whole: np.ndarray


def load(path: Path) -> list[Example]:
    """All pictures of a scene."""
    with np.load(path) as held:
        return [
            Example(tuple(map(int, held["size"][n])), held[f"image{n}"], held["role"][n], held["normal"][n], held["whole"][n])
            for n in range(len(held["size"]))
        ]  # fmt: skip


def varied(example: Example, rng: np.random.Generator) -> tuple[np.ndarray, ...]:
    """The picture as the network gets it, and what it shows, mirrored, cropped, moved, and in other tones by chance."""
    image, role, normal, whole = example.image, example.role, example.normal.astype(np.float32) / 127, example.whole
    sheet = Canvas(example.size).lay(_toned(image, rng))
    known = 1.0
    if rng.random() < 0.5:
        sheet, role, normal = sheet[:, :, ::-1].copy(), role[:, ::-1], normal[:, ::-1] * np.float32([-1, 1, 1])
        sheet[6] *= -1
    if rng.random() < 0.6:
        grow, known = float(np.exp(rng.uniform(-0.1, 0.45))), 0.0
        room = abs(grow - 1) / 2
        shift = rng.uniform(-room, room, 2) * (WIDE, HIGH)
        place = sheet[5:].copy()
        sheet = _moved(sheet, grow, shift, cv2.INTER_LINEAR, 0.0)
        sheet[5:] = place
        sheet[:4] *= sheet[4]
        role = _moved(role[None], grow, shift / CELL, cv2.INTER_NEAREST, 255)[0]
        normal = _moved(normal.transpose(2, 0, 1), grow, shift / CELL, cv2.INTER_NEAREST, 0).transpose(1, 2, 0)
    return sheet, role.astype(np.int64), normal.transpose(2, 0, 1).copy(), np.append(whole, known).astype(np.float32)


def _moved(layers: np.ndarray, grow: float, shift: np.ndarray, way: int, beyond: float) -> np.ndarray:
    high, wide = layers.shape[1:]
    centre = np.array([wide, high]) / 2 - 0.5
    matrix = np.array([[grow, 0, centre[0] * (1 - grow) + shift[0]], [0, grow, centre[1] * (1 - grow) + shift[1]]])
    return np.stack([cv2.warpAffine(one, matrix, (wide, high), flags=way, borderValue=beyond) for one in layers])


def _toned(image: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """A small picture lighter, darker, paler, of another tint, noisy, or its hues another's."""
    colour, apart = image[..., :3].astype(np.float32) / 255, image[..., 3:]
    if rng.random() < OTHER_HUES:
        colour = colour[..., rng.permutation(3)]
    if rng.random() < 0.7:
        colour = colour ** float(np.exp(rng.normal(0, 0.25))) * rng.uniform(0.72, 1.12) * rng.uniform(0.94, 1.06, 3)
        grey = colour.mean(axis=2, keepdims=True)
        colour = grey + (colour - grey) * rng.uniform(0.3, 1.25)
    if rng.random() < 0.3:
        colour = colour + rng.normal(0, 0.02, colour.shape)
    return np.concatenate([np.clip(colour * 255, 0, 255).astype(np.uint8), apart], axis=2)


def network():
    """The network, untrained."""
    import torch
    from torch import nn

    def step(wide: int, out: int, stride: int = 1, size: int = 3):
        return nn.Sequential(nn.Conv2d(wide, out, size, stride, size // 2, bias=False), nn.BatchNorm2d(out), nn.ReLU())

    class Block(nn.Module):
        def __init__(self, wide: int):
            super().__init__()
            self.first = step(wide, wide)
            self.second = nn.Sequential(nn.Conv2d(wide, wide, 3, 1, 1, bias=False), nn.BatchNorm2d(wide))

        def forward(self, x):
            return torch.relu(x + self.second(self.first(x)))

    class Glance(nn.Module):
        def __init__(self):
            super().__init__()
            self.stem = step(7, WIDTHS[0], 2)
            self.down = nn.ModuleList()
            for wide, out, blocks in zip(WIDTHS, WIDTHS[1:], BLOCKS):
                self.down.append(nn.Sequential(step(wide, out, 2), *(Block(out) for _ in range(blocks))))
            self.context = nn.Linear(WIDTHS[-1], WIDTHS[-1])
            self.whole = nn.Sequential(nn.Linear(WIDTHS[-1], 64), nn.ReLU(), nn.Dropout(0.2), nn.Linear(64, WHOLE))
            self.up = nn.ModuleList(step(wide, out, size=1) for wide, out in zip(WIDTHS[:1:-1], WIDTHS[-2:0:-1]))
            self.merge = nn.ModuleList(step(out, out) for out in WIDTHS[-2:0:-1])
            self.leave_out = nn.Dropout2d(0.1)
            self.cells = nn.Conv2d(WIDTHS[1], len(CLASSES) + 3, 1)

        def forward(self, x):
            state, held = self.stem(x), []
            for layer in self.down:
                state = layer(state)
                held.append(state)
            pooled = state.mean(dim=(2, 3))
            state = torch.relu(state + self.context(pooled)[:, :, None, None])
            for up, merge, beside in zip(self.up, self.merge, held[-2::-1]):
                state = merge(nn.functional.interpolate(up(state), scale_factor=2, mode="nearest") + beside)
            return self.cells(self.leave_out(state)), self.whole(pooled)

    return Glance()


def train(paths: list[Path], into: Path, epochs: int, checks: list[Path]) -> None:
    """Train on kept scenes and write the network; `checks` are told of only."""
    import torch
    from torch import nn

    examples = [one for path in paths for one in load(path)]
    check = [one for path in checks for one in load(path)]
    share = np.bincount(np.concatenate([e.role[e.role < 255] for e in examples]), minlength=len(CLASSES)) + 1.0
    weight = torch.tensor((share / share.sum()) ** -0.4, dtype=torch.float32)
    weight /= weight.mean()
    torch.manual_seed(1)
    torch.set_num_threads(2)
    model = network()
    print(
        f"{len(examples)} pictures, {sum(p.numel() for p in model.parameters()) / 1e6:.2f} million weights", flush=True
    )
    steps = epochs * (len(examples) // BATCH)
    optimiser = torch.optim.AdamW(model.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, RATE, total_steps=steps, pct_start=0.15)

    def loss_of(batch):
        sheet, role, normal, whole = (torch.from_numpy(np.stack(each)) for each in zip(*batch))
        cells, told = model(sheet)
        as_role = nn.functional.cross_entropy(
            cells[:, : len(CLASSES)], role, weight, ignore_index=255, label_smoothing=0.03
        )
        solid = ((role != 255) & (role != CLASSES.index("sky"))).float()[:, None]
        as_normal = ((cells[:, len(CLASSES) :] - normal) ** 2 * solid).sum() / solid.sum().clamp(min=1)
        as_kind = nn.functional.binary_cross_entropy_with_logits(told[:, :3], whole[:, :3])
        known = whole[:, 5:]
        lens = known * torch.cat([torch.ones_like(known), 1 - whole[:, 2:3]], 1)
        as_camera = (((told[:, 3:] - whole[:, 3:5]) ** 2) * lens).mean()
        return as_role + 2 * as_normal + 0.3 * as_kind + 0.5 * as_camera, cells, told

    def batches(rng):
        order = rng.permutation(len(examples))
        with ThreadPoolExecutor(1) as pool:
            parts = [order[n : n + BATCH] for n in range(0, len(order) - BATCH + 1, BATCH)]
            make = lambda part: [varied(examples[n], rng) for n in part]  # noqa: E731
            ahead = pool.submit(make, parts[0])
            for part in [*parts[1:], None]:
                ready = ahead.result()
                if part is not None:
                    ahead = pool.submit(make, part)
                yield ready

    for epoch in range(epochs):
        model.train()
        rng, began, losses = np.random.default_rng(epoch), time.perf_counter(), []
        for batch in batches(rng):
            loss, _, _ = loss_of(batch)
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
            losses.append(float(loss.detach()))
        said = f"epoch {epoch + 1:3d}  loss {np.mean(losses):.4f}  {time.perf_counter() - began:.0f} s"
        if check and (epoch % 3 == 2 or epoch == epochs - 1):
            said += "  " + _checked(model, check)
        print(said, flush=True)
        write(model, into)


def _checked(model, check: list[Example]) -> str:
    """Share of cells whose role is right, mean dot product of normals, and share of rooms and parallel views told."""
    import torch

    model.eval()
    right, dots, told = [], [], []
    with torch.no_grad():
        for one in check:
            cells, whole = model(torch.from_numpy(Canvas(one.size).lay(one.image))[None])
            known, solid = one.role < 255, (one.role < 255) & (one.role != CLASSES.index("sky"))
            right.append((cells[0, : len(CLASSES)].argmax(0).numpy() == one.role)[known].mean())
            out = cells[0, len(CLASSES) :].permute(1, 2, 0).numpy()
            out = out / np.maximum(np.linalg.norm(out, axis=2, keepdims=True), 1e-6)
            true = one.normal.astype(np.float32) / 127
            if solid.any():
                dots.append(((out * true).sum(axis=2)[solid] > 0.82).mean())
            told.append((whole[0, :3].numpy() > 0) == (one.whole[:3] > 0.5))
    room, alone, parallel = np.mean(told, axis=0)
    return f"roles {np.mean(right):.3f}  normals within 35 degrees {np.mean(dots):.3f}  room {room:.3f} alone {alone:.3f} parallel {parallel:.3f}"


def write(model, into: Path) -> None:
    """Write the network as ONNX, its weights as half floats."""
    import onnx
    import torch
    from onnx import numpy_helper

    model.eval()
    held = io.BytesIO()
    torch.onnx.export(
        model, torch.zeros(1, 7, HIGH, WIDE), held, input_names=["in"], output_names=["cells", "whole"], opset_version=13,
        dynamo=False,
    )  # fmt: skip
    graph = onnx.load_from_string(held.getvalue())
    for one in graph.graph.initializer:
        if one.data_type == onnx.TensorProto.FLOAT:
            values = numpy_helper.to_array(one)
            one.CopyFrom(numpy_helper.from_array(values.astype(np.float16), one.name))
    into.parent.mkdir(parents=True, exist_ok=True)
    partial = into.with_suffix(".part")
    onnx.save(graph, str(partial))
    partial.replace(into)


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("folder", type=Path)
    given.add_argument("--each", type=int, default=EACH)
    given.add_argument("--gather-only", action="store_true")
    given.add_argument("--epochs", type=int, default=EPOCHS)
    given.add_argument("--into", type=Path, default=WEIGHTS)
    given.add_argument("--leave-out", nargs="*", default=[], help="families to check on, not to learn from")
    args = given.parse_args()
    args.folder.mkdir(parents=True, exist_ok=True)
    names = [f"{kind}-{FIRST + n}" for n in range(args.each) for kind in FAMILIES]
    random = [*map(str, range(RANDOM)), *(f"wild-{n}" for n in range(WILD))]
    with ProcessPoolExecutor(2) as pool:
        for job in [pool.submit(gather, name, args.folder) for pair in _mixed(names, random) for name in pair]:
            job.result()
    if args.gather_only:
        return
    kept = sorted(args.folder.glob("*.npz"), key=lambda path: path.stem)
    kept = [path for path in kept if ".part" not in path.name]
    away = [path for path in kept if path.stem.rsplit("-", 1)[0] in args.leave_out]
    train([path for path in kept if path not in away], args.into, args.epochs, away)


def _mixed(names: list[str], others: list[str]):
    """Both lists spread through each other, so that what there is at any time is of all kinds."""
    step = max(1, len(names) // max(len(others), 1))
    for n in range(0, len(names), step):
        yield names[n : n + step] + others[n // step : n // step + 1]


if __name__ == "__main__":
    main()
