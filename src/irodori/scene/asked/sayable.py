"""What can be said about a structure: phrases that would act on it."""

from __future__ import annotations

import numpy as np

from irodori.brief.brief import Place
from irodori.brief.lexicon import meanings
from irodori.core.structure import Structure
from irodori.scene.asked.areas import areas_of
from irodori.scene.asked.places import Places
from irodori.scene.assign import all_surfaces
from irodori.scene.solids import solids_from_structure

EXAMPLES = {
    "wall": "larch {}", "roof": "zinc {}", "floor": "terrazzo {}", "ceiling": "ash {}", "paving": "granite setts on the {}", "ground": "meadow on the {}",
    "door": "red {}", "frame": "black {}", "railing": "black steel {}", "glazing": "frosted {}", "stair": "granite {}", "column": "oak {}", "furniture": "walnut {}",
    "fabric": "linen {}", "water": "calm {}", "bench": "oak {}", "counter": "marble {}", "table": "oak {}", "canopy": "copper {}", "soffit": "timber {}",
}  # fmt: skip
"""A phrase for each part, to begin from."""

PLURAL = {"wall": "walls", "door": "doors", "frame": "window frames", "railing": "railings", "glazing": "windows", "stair": "steps", "column": "columns", "fabric": "curtains"}  # fmt: skip
WHOLE = (
    "at dusk",
    "after rain",
    "a few people",
    "in autumn",
    "three birches on the left",
    "lamps on",
    "cosy",
    "slightly warmer",
)


def sayable(structure: Structure) -> list[tuple[str, int, float]]:
    """Phrases that would act on a structure, the surfaces each would change (0: the whole picture) and their m²."""
    mesh = structure.mesh or solids_from_structure(structure)
    places = Places(structure, all_surfaces(structure), mesh)
    area = areas_of(structure, mesh, int(places.ids.max()) + 1)
    rows = []
    seen: set[tuple] = set()
    for part, example in EXAMPLES.items():
        of_all, _ = places.surfaces(Place(part))
        name = PLURAL.get(part, part)
        if len(of_all):
            rows.append((example.format(name), len(of_all), float(area[of_all].sum())))
            seen.add(tuple(of_all))
        for building in (b for b in meanings()["building"] if b != "house"):
            own, note = places.surfaces(Place(part, building))
            if len(own) and not note and places.named and tuple(own) not in seen:
                seen.add(tuple(own))
                told = f"{building} {name}" if building != "neighbour" else f"neighbouring houses' {name}"
                rows.append((example.format(told), len(own), float(area[own].sum())))
    return sorted(rows, key=lambda r: -r[2]) + [(phrase, 0, float(np.nan)) for phrase in WHOLE]
