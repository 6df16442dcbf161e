"""The learned reader of roles: what a small network makes of the measures of regions and of those that they are tied to.

It was trained from scratch, on scenes that `benchmarks/structure/random_scenes.py` makes, by `train_roles.py` beside it.
It is a graph network (Gilmer et al., Neural message passing for quantum chemistry, 2017) in three stages with a round of
messages before each but the first. A stage is an ONNX file of its own: the ties between regions are sparse.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from threading import Lock

import cv2
import numpy as np

from irodori.structure.roles.evidence import Evidence, measure_evidence

WEIGHTS = Path(__file__).parent / "weights"
"""Folder of the stages: "roles-0-1.onnx" is the second one of the first network."""

NETWORKS, STAGES = 3, 3
"""How many networks are asked, trained alike from different starts (Lakshminarayanan et al., Simple and scalable
predictive uncertainty estimation using deep ensembles, 2017), and the stages of each."""


def likely_roles(evidence: Evidence) -> np.ndarray | None:
    """Probabilities (R, roles) float32 of every role, in the order of `ROLES`, for every region; None without weights."""
    files = [[stage_file(WEIGHTS, network, stage) for stage in range(STAGES)] for network in range(NETWORKS)]
    if not all(file.is_file() for stages in files for file in stages):
        return None
    measures = measure_evidence(evidence)
    told = []
    for first, *others in files:
        state = _run(first, measures)
        for file in others:
            state = _run(file, np.concatenate([state, *(tie @ state for tie in evidence.ties)], axis=1))
        told.append(state)
    return np.mean(told, axis=0)


def stage_file(folder: Path, network: int, stage: int) -> Path:
    """Where one stage of one network lies."""
    return folder / f"roles-{network}-{stage}.onnx"


_asked = Lock()
"""A network holds what it works on: it is asked by one thread at a time."""


def _run(file: Path, values: np.ndarray) -> np.ndarray:
    with _asked:
        network = _network(file, file.stat().st_mtime_ns)
        network.setInput(np.ascontiguousarray(values, np.float32))
        return network.forward().copy()


@lru_cache(maxsize=2 * NETWORKS * STAGES)
def _network(file: Path, changed: int):
    """A stage, kept open until its file, `changed` at some time, is another."""
    return cv2.dnn.readNetFromONNX(str(file))
