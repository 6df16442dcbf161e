"""The views that are chosen of models nobody set a camera in: worst first. `python benchmarks/models/views.py`."""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent))
from make_models import APART, MODELS

import irodori as iro
from irodori.capture.model.photographer import subject_of

ROOMS = ("room", "french_kitchen", "office", "bathroom", "stair_hall")
DOORLESS = ("chair", "park", "lamp_product", "footbridge", "nameless_house")
SIZE = 320, 200


def judged(model: iro.Model, name: str) -> tuple[list[str], float, float]:
    """What is wrong with the view chosen of a model, the share of the width that its subject fills, and seconds to choose."""
    start = time.perf_counter()
    spec = model.default_view()
    took = time.perf_counter() - start
    view = model.view(spec, width=SIZE[0], height=SIZE[1]).exact
    subject = subject_of(model.data)
    own = np.zeros(int(max(view.regions.max(), len(subject.own) - 1)) + 1, bool)
    own[: len(subject.own)] = subject.own
    shown = own[view.regions] & (view.regions > 0)
    roles = view.surfaces.set_index("id")["role"]
    faults = []
    low, high = model.data.mesh.bounds()
    inside = bool(
        (view.camera.position > low).all() and (view.camera.position < high).all() and spec.name.startswith("interior")
    )
    if name in ROOMS:
        if not inside:
            faults.append("not inside")
        if "furniture" not in set(roles[np.unique(view.regions[view.regions > 0])]):
            faults.append("no furniture in sight")
        return faults, 1.0, took
    columns = np.flatnonzero(shown.any(axis=0))
    width = (columns[-1] - columns[0] + 1) / SIZE[0] if len(columns) else 0.0
    if inside:
        faults.append("inside")
    if not 0.4 <= width <= 0.75:
        faults.append(f"{width:.0%} of the width")
    doors = [i for i in np.unique(view.regions[shown]) if roles[i] == "door"]
    if name not in DOORLESS and np.isin(view.regions, doors).sum() < 8:
        faults.append("no door in sight")
    return faults, width, took


def main() -> None:
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        for apart, models in ((False, MODELS), (True, APART)):
            for name, build in models.items():
                path = Path(folder) / f"{name}.glb"
                build().scene.export(path)
                rows.append((name, apart, *judged(iro.open_model(path), name)))
    for name, apart, faults, width, took in sorted(rows, key=lambda r: -len(r[2])):
        print(
            f"{name:16s} {'apart' if apart else '     '} {width:4.0%} of the width, chosen in {took:4.1f} s  {'; '.join(faults)}"
        )
    for apart in (False, True):
        own = [r for r in rows if r[1] == apart]
        print(f"{'kept apart' if apart else 'made for it'}: {sum(not r[2] for r in own)} of {len(own)} without fault")


if __name__ == "__main__":
    main()
