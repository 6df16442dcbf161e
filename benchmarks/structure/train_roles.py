"""Train the reader of roles: `python benchmarks/structure/train_roles.py FOLDER [--scenes N] [--into FOLDER]`.

Draws random scenes, reads them, keeps in FOLDER what was measured of their regions and what these truly are, and trains
on it. What FOLDER holds already is not drawn again. Needs `pip install -e ".[benchmark,train]"`, and on two cores about
an hour and a half for the 410 that the shipped weights were trained on.
"""

from __future__ import annotations

import argparse
import tempfile
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from random_scenes import random_scene
from scipy import sparse

from irodori.core.roles import ROLES
from irodori.structure.roles import rules as roles
from irodori.structure.roles.evidence import Evidence, measure_evidence
from irodori.structure.roles.reader import NETWORKS, STAGES, WEIGHTS, stage_file

SCENES = 410
KINDS = ("shaded", "line")
OTHER_KINDS = ("sketch", "messy", "clay", "sketch", "glassy")
"""Every scene is drawn in both of the first and in one of the others."""

EMPTY, POOR, CLOSE = 0.6, 5, 0.6
"""Share of sky, number of roles and m before the eye by which a scene shows too little to learn from."""

SCALES = (1.0, 0.8, 1.25)
"""Times its size in which every scene is learned from: what tells a picture's scale may mislead."""

HIDDEN, DROP, SMOOTH = 128, 0.3, 0.03
"""Width of the network, the share of it that is left out while training, and how much of a label is spread."""

EPOCHS, BATCH, RATE, DECAY = 25, 8, 2e-3, 1e-3

MOST = 2.0
"""What all regions of one role weigh together at most."""

FAR = 5.0
"""Standard deviations beyond which a measure counts no more."""


def gather(seed: int, folder: Path) -> None:
    """Draw and read one scene and keep what was measured of it, a file for each kind."""
    import cv2
    from draw import draw, truth_of

    import irodori as iro

    kinds = [*KINDS, OTHER_KINDS[seed % len(OTHER_KINDS)]]
    wanted = [kind for kind in kinds if not (folder / f"{seed}-{kind}.npz").exists()]
    if not wanted:
        return
    scene = random_scene(seed)
    truth = truth_of(scene)
    if (truth.surface == 0).mean() > EMPTY or len(np.unique(truth.role)) < POOR or truth.depth.min() < CLOSE:
        return
    names = ["sky", *truth.roles]
    for kind in wanted:
        with (
            tempfile.TemporaryDirectory() as place,
            mock.patch.object(roles, "hear_the_reader") as asked,
        ):
            picture = f"{place}/scene.png"
            cv2.imwrite(picture, draw(scene, kind, truth)[..., ::-1])
            iro.read_structure(iro.open_capture(picture), cache=False)
        if asked.called:  # not for what was read as a plan
            keep(asked.call_args.args[0], truth.role + 1, names, folder / f"{seed}-{kind}.npz")


def keep(evidence: Evidence, role: np.ndarray, names: list[str], path: Path) -> None:
    """Keep measures, ties, the true role of each region and how much it weighs; `role` (H, W) index into `names`."""
    regions = evidence.regions
    shown = np.zeros((len(regions.area), len(names)))
    np.add.at(shown, (regions.labels.ravel(), role.ravel()), 1)
    true = np.array([ROLES.index(name) for name in names])[shown.argmax(axis=1)]
    # Every role of a scene weighs about the same, whatever it fills, as in the score; roots keep small regions in, and a
    # role in many pieces, as leaves are, weighs no more than another.
    weight = 0.01 + np.sqrt((shown / np.maximum(shown.sum(axis=0), 1)).max(axis=1))
    weight[regions.area == 0] = 0
    weight *= np.minimum(MOST / np.maximum(np.bincount(true, weight, len(ROLES)), 1e-9), 1)[true]
    weight[[0, evidence.sky]] = 0
    links = {}
    for n, tie in enumerate(evidence.ties):
        links |= {f"rows{n}": tie.tocoo().row, f"columns{n}": tie.tocoo().col, f"shares{n}": tie.tocoo().data}
    measures = np.stack([measure_evidence(_scaled(evidence, times)) for times in SCALES])
    partial = path.with_suffix(".part.npz")
    np.savez_compressed(partial, measures=measures, true=true, weight=weight, **links)
    partial.replace(path)


def _scaled(evidence: Evidence, times: float) -> Evidence:
    """The same scene, that many times as large."""
    pieces = [
        replace(piece, low=piece.low * times, high=piece.high * times, wide=piece.wide * times, thin=piece.thin * times)
        for piece in evidence.pieces
    ]
    return replace(evidence, pieces=pieces, distance=evidence.distance * times, eye=evidence.eye * times)


def load(path: Path) -> tuple:
    """Measures (scales, R, M), ties (R, R) each, roles (R,) and weights (R,)."""
    with np.load(path) as held:
        count = len(held["true"])
        ties = [
            sparse.coo_matrix((held[f"shares{n}"], (held[f"rows{n}"], held[f"columns{n}"])), (count, count))
            for n in range(sum(name.startswith("rows") for name in held))
        ]
        return held["measures"], ties, held["true"], held["weight"]


def train(paths: list[Path], into: Path, number: int) -> None:
    """Train one network on kept scenes and write its stages; its `number` tells where it starts from."""
    import torch
    from torch import nn

    class Heard(torch.autograd.Function):
        """What regions hear through a tie (R, R): a product with a sparse matrix, which SciPy's is several times faster for."""

        @staticmethod
        def forward(context, state, tie):
            context.tie = tie
            return torch.from_numpy(tie @ state.detach().numpy())

        @staticmethod
        def backward(context, slope):
            return torch.from_numpy(context.tie.T @ slope.numpy()), None

    class Reader(nn.Module):
        def __init__(self, measures: int, ties: int):
            super().__init__()
            self.first = nn.Linear(measures, HIDDEN)
            self.rounds = nn.ModuleList([nn.Linear(HIDDEN * (1 + ties), HIDDEN) for _ in range(STAGES - 1)])
            self.last = nn.Linear(HIDDEN, len(ROLES))
            self.leave_out, self.leave_measures = nn.Dropout(DROP), nn.Dropout(0.1)

        def forward(self, measures, ties):
            state = self.leave_out(torch.relu(self.first(self.leave_measures(measures))))
            for layer in self.rounds:
                heard = torch.cat([state, *(Heard.apply(state, tie) for tie in ties)], 1)
                state = state + self.leave_out(torch.relu(layer(heard)))
            return self.last(state)

    graphs = [load(path) for path in paths]
    known = np.concatenate([measures[0, weight > 0] for measures, _, _, weight in graphs])
    mean, spread = known.mean(axis=0), known.std(axis=0) + 1e-3
    torch.set_num_threads(2)
    torch.manual_seed(number)
    torch.use_deterministic_algorithms(True)
    order = np.random.default_rng(number)
    reader = Reader(known.shape[1], len(graphs[0][1]))
    steps = EPOCHS * -(-len(graphs) // BATCH)
    optimiser = torch.optim.AdamW(reader.parameters(), lr=RATE, weight_decay=DECAY)
    schedule = torch.optim.lr_scheduler.OneCycleLR(optimiser, RATE, total_steps=steps)
    for epoch in range(EPOCHS):
        losses = []
        for part in np.array_split(order.permutation(len(graphs)), steps // EPOCHS):
            measures, ties, true, weight = zip(*(graphs[n] for n in part))
            sizes = order.integers(len(SCALES), size=len(part))
            values = np.concatenate([one[size] for one, size in zip(measures, sizes)])
            values = np.clip((values - mean) / spread, -FAR, FAR)
            links = [
                sparse.block_diag([one[n] for one in ties], format="csr", dtype=np.float32) for n in range(len(ties[0]))
            ]
            told = reader(torch.tensor(values, dtype=torch.float32), links)
            loss = nn.functional.cross_entropy(
                told, torch.tensor(np.concatenate(true)), reduction="none", label_smoothing=SMOOTH
            )
            weights = torch.tensor(np.concatenate(weight), dtype=torch.float32)
            loss = (loss * weights).sum() / weights.sum()
            optimiser.zero_grad()
            loss.backward()
            optimiser.step()
            schedule.step()
            losses.append(float(loss.detach()))
        print(f"network {number}  epoch {epoch + 1:3d}  loss {np.mean(losses):.4f}", flush=True)
    write_stages(reader, mean, spread, into, number)


def write_stages(reader, mean: np.ndarray, spread: np.ndarray, into: Path, number: int) -> None:
    """Write what was learned as ONNX files, a stage each."""
    import onnx
    from onnx import TensorProto, helper, numpy_helper

    def linear(layer, name: str) -> list:
        weight, bias = layer.weight.detach().numpy().T, layer.bias.detach().numpy()
        return [numpy_helper.from_array(np.ascontiguousarray(weight), f"{name}w"), numpy_helper.from_array(bias, f"{name}b")]  # fmt: skip

    def node(kind: str, inputs: list[str], output: str, **more):
        return helper.make_node(kind, inputs, [output], **more)

    limits = [numpy_helper.from_array(np.float32(value), name) for value, name in ((-FAR, "least"), (FAR, "most"))]
    scale = [numpy_helper.from_array((1 / spread).astype(np.float32), "scale"), numpy_helper.from_array((-mean / spread).astype(np.float32), "shift")]  # fmt: skip
    stages = [
        (
            [
                node("Mul", ["in", "scale"], "scaled"),
                node("Add", ["scaled", "shift"], "even"),
                node("Clip", ["even", "least", "most"], "near"),
                node("Gemm", ["near", "firstw", "firstb"], "sum"),
                node("Relu", ["sum"], "out"),
            ],
            [*scale, *limits, *linear(reader.first, "first")],
            len(mean),
            HIDDEN,
        )
    ]
    for n, layer in enumerate(reader.rounds):
        own = [numpy_helper.from_array(np.array(value, np.int64), name) for value, name in (([0], "start"), ([HIDDEN], "end"), ([1], "axis"))]  # fmt: skip
        last = n == len(reader.rounds) - 1
        nodes = [
            node("Slice", ["in", "start", "end", "axis"], "own"),
            node("Gemm", ["in", "w", "b"], "sum"),
            node("Relu", ["sum"], "more"),
            node("Add", ["own", "more"], "state" if last else "out"),
        ]
        held = [*own, *linear(layer, "")]
        if last:
            nodes += [node("Gemm", ["state", "lastw", "lastb"], "told"), node("Softmax", ["told"], "out", axis=1)]
            held += linear(reader.last, "last")
        stages.append((nodes, held, layer.in_features, len(ROLES) if last else HIDDEN))
    into.mkdir(parents=True, exist_ok=True)
    for n, (nodes, held, wide, out) in enumerate(stages):
        ends = [helper.make_tensor_value_info(name, TensorProto.FLOAT, ["regions", size]) for name, size in (("in", wide), ("out", out))]  # fmt: skip
        graph = helper.make_graph(nodes, f"roles {n}", ends[:1], ends[1:], held)
        model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 13)], ir_version=8)
        onnx.checker.check_model(model)
        onnx.save(model, str(stage_file(into, number, n)))


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument("folder", type=Path)
    given.add_argument("--scenes", type=int, default=SCENES)
    given.add_argument("--into", type=Path, default=WEIGHTS)
    args = given.parse_args()
    args.folder.mkdir(parents=True, exist_ok=True)
    with ProcessPoolExecutor(2) as pool:
        for job in [pool.submit(gather, seed, args.folder) for seed in range(args.scenes)]:
            job.result()
    paths = [path for path in args.folder.glob("*-*.npz") if int(path.stem.split("-")[0]) < args.scenes]
    paths.sort(key=lambda path: (int(path.stem.split("-")[0]), path.stem))
    for number in range(NETWORKS):
        train(paths, args.into, number)


if __name__ == "__main__":
    main()
