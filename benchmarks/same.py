"""Whether a change alters anything: `python benchmarks/same.py record FILE`, then, after the change, `compare FILE`.

Digests of the readings of all demo captures and of twenty truth scenes in turning kinds, and of demo pictures in three
lights, from the model and from a capture. `compare` names every buffer that differs and exits with 1 when any does.
"""

from __future__ import annotations

import hashlib
import json
import sys
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent / "structure"))

KINDS = ("shaded", "line", "sketch", "messy")
LIGHTS = ("noon", "dusk", "night")
SCENES = 20


def digest(value) -> str:
    return hashlib.sha256(np.ascontiguousarray(value).tobytes()).hexdigest()[:16]


def of_structure(structure) -> dict[str, str]:
    """A digest of each part of a reading."""
    fragments = structure.fragments
    parts = {
        "regions": structure.regions, "depth": structure.depth, "normal": structure.normal, "lines": structure.lines,
        "vanishing": structure.vanishing, "matrix": structure.camera.matrix, "rotation": structure.camera.rotation,
        "position": structure.camera.position, "cover": fragments.weight, "cover regions": fragments.region,
        "cover depth": fragments.depth, "cover normal": fragments.normal, "offsets": fragments.offset,
    }  # fmt: skip
    found = {name: digest(part) for name, part in parts.items()}
    told = [
        structure.surfaces.to_json(double_precision=15),
        structure.kind,
        repr(structure.confidence),
        *structure.notes,
    ]
    return found | {"table": digest(np.frombuffer("\n".join(told).encode(), np.uint8))}


def of_picture(picture) -> dict[str, str]:
    """A digest of each part of a picture."""
    layers = {f"layer {name}": digest(picture.layers[name]) for name in picture.layers}
    return {"encoded": digest(picture.encoded), **layers}


def demo_reading(name: str) -> dict[str, str]:
    import irodori as iro
    from irodori.demo.files import demo_path
    from irodori.structure.corrections.file import corrections_for

    capture = iro.open_capture(demo_path(name))
    return of_structure(iro.read_structure(capture, corrections=corrections_for(capture), cache=False))


def truth_reading(name: str, kind: str) -> dict[str, str]:
    from run import drawn_scene

    import irodori as iro

    with drawn_scene(name, kind) as (path, _, _):
        return of_structure(iro.read_structure(iro.open_capture(path), cache=False))


def demo_picture(source: str, view: str | None, light: str, quality: str) -> dict[str, str]:
    import irodori as iro
    from irodori.demo.files import demo_path

    capture = iro.open_model(demo_path(source)).view(view) if view else iro.open_capture(demo_path(source))
    given = {"finishes": demo_path("finishes.csv"), "entourage": demo_path("entourage.csv")} if view else {}
    scene = iro.dress(iro.read_structure(capture), light=light, **given)
    return of_picture(iro.render(scene, quality))


def jobs() -> Iterator[tuple]:
    """What to look at: a name, a function and its arguments."""
    from scenes import KEPT_APART, TUNED

    from irodori.demo.files import CAPTURES

    for name in CAPTURES:
        yield f"reading {name}", demo_reading, (name,)
    for number, make in enumerate((TUNED + KEPT_APART)[::-2][:SCENES]):
        kind = KINDS[number % len(KINDS)]
        yield f"reading {make.__name__} {kind}", truth_reading, (make.__name__, kind)
    for light in LIGHTS:
        yield f"picture landing {light}", demo_picture, ("landing.glb", "landing", light, "review")
        yield f"picture hall {light}", demo_picture, ("landing.glb", "hall", light, "draft")
        yield f"picture capture {light}", demo_picture, ("landing-shaded.png", None, light, "draft")


def main() -> int:
    if len(sys.argv) != 3 or sys.argv[1] not in ("record", "compare"):
        sys.exit(__doc__)
    with ProcessPoolExecutor(2) as pool:
        asked = [(name, pool.submit(work, *given)) for name, work, given in jobs()]
        found = {name: job.result() for name, job in asked}
    if sys.argv[1] == "record":
        Path(sys.argv[2]).write_text(json.dumps(found, indent=1))
        print(f"{len(found)} digests in {sys.argv[2]}")
        return 0
    before = json.loads(Path(sys.argv[2]).read_text())
    changed = 0
    for name in before | found:
        old, new = before.get(name, {}), found.get(name, {})
        parts = [part for part in old | new if old.get(part) != new.get(part)]
        if parts:
            changed += 1
            print(f"{name}: {', '.join(parts)}")
    print(f"{len(found) - changed} of {len(found)} the same")
    return 1 if changed else 0


if __name__ == "__main__":
    sys.exit(main())
