"""Every look on four sources, worst first: edges, drift, tone, small things, seconds.

python benchmarks/looks.py [day hall capture sketch] [--looseness 0.3] [--quality draft] [--sheets FOLDER]
"""

from __future__ import annotations

import argparse
import time
from pathlib import Path

import numpy as np
from scipy.ndimage import gaussian_filter
from scipy.stats import spearmanr

import irodori as iro
from irodori.demo.files import demo_path
from irodori.formats.write_image import write_image
from irodori.picture.drawing.strokes import built
from irodori.picture.drawing.tone import light_greys
from irodori.picture.looks import looks
from irodori.study.contact_sheet import contact_sheet

SMALL = {"bollard": 12, "sign": 40}
"""Things that have to be found again, by a word of their names, and px of their size in a picture 1280 wide."""

FOUND = 0.03
"""Encoded contrast of a thing's middle with what is about it, or within it, from which it is there."""


def captures() -> dict:
    model = iro.open_model(demo_path("landing.glb"))
    return {
        "day": lambda: model.view("landing", width=1280), "hall": lambda: model.view("hall", width=1280),
        "capture": lambda: iro.open_capture(demo_path("landing-shaded.png")), "sketch": lambda: iro.open_capture(demo_path("landing-sketch.png")),
    }  # fmt: skip


def tone(buffers, drawn: np.ndarray) -> float:
    """Rank correlation of light and look, surface by surface, in patches."""
    first = buffers.fragments.first()
    light = gaussian_filter(light_greys(buffers)[first].reshape(drawn.shape), 3)
    shown = gaussian_filter(drawn, 3)
    place = built(buffers)[buffers.region] & (gaussian_filter(buffers.border_cover, 2) < 0.02)
    ids, count = np.unique(buffers.region[place], return_counts=True)
    pairs = [
        (light[own].mean(), shown[own].mean()) for own in ((buffers.region == i) & place for i in ids[count > 120])
    ]
    return float(spearmanr(*np.array(pairs).T).statistic) if len(pairs) > 5 else np.nan


def lost(buffers, drawn: np.ndarray) -> list[str]:
    """Small things of which nothing shows."""
    table = buffers.structure.surfaces
    out = []
    for word in SMALL:
        for row in table[table["name"].str.casefold().str.contains(word)].itertuples():
            inside = buffers.region == row.id
            if not 20 < inside.sum() < 4000:
                continue
            near = gaussian_filter(inside.astype(np.float32), 3) > 0.02
            if float(drawn[near].max() - drawn[near].min()) < FOUND:
                out.append(str(row.name))
    return out


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("sources", nargs="*", default=["day", "hall", "capture", "sketch"])
    asked.add_argument("--looseness", type=float)
    asked.add_argument("--quality", default="draft")
    asked.add_argument("--sheets", help="folder for a sheet of each source")
    told = asked.parse_args()
    for name in told.sources:
        capture = captures()[name]()
        picture = iro.render(iro.dress(iro.read_structure(capture), None, "afternoon"), told.quality)
        buffers, rows, drawn = picture.buffers, [], []
        begun = time.perf_counter()
        assert buffers.photograph.size
        usual = time.perf_counter() - begun
        for look in looks():
            text = look if told.looseness is None else f"{look}, looseness {told.looseness}"
            for _ in range(2):  # the first compiles
                one = picture.as_look(text)
                begun = time.perf_counter()
                assert one.encoded.size
                seconds = time.perf_counter() - begun
            proof, grey = iro.prove(capture, one), one.encoded.mean(axis=2)
            drawn.append((look, one.developed))
            rows.append(
                (
                    proof.edge_recall,
                    look,
                    proof.in_register,
                    proof.drift["median"],
                    tone(buffers, grey),
                    lost(buffers, grey),
                    seconds - usual,
                )
            )
        print(f"\n{name}: worst first (recall, drift px, tone, seconds over the photographic development)")
        for recall, look, register, drift, ranks, gone, seconds in sorted(rows):
            print(
                f"  {look:20s} {recall:6.1%} {drift:5.2f} {ranks:6.2f} {seconds:6.2f} s  "
                f"{'' if register else 'OUT OF REGISTER '}{'lost: ' + ', '.join(sorted(set(gone))) if gone else ''}",
                flush=True,
            )
        if told.sheets:
            Path(told.sheets).mkdir(parents=True, exist_ok=True)
            write_image(Path(told.sheets) / f"looks-{name}.png", contact_sheet(drawn, width=1920))


if __name__ == "__main__":
    main()
