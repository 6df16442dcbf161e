"""What can be scheduled of a structure, and a schedule drafted from what its surfaces have."""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass

import numpy as np

from irodori.core.colour import linear_to_hex
from irodori.core.scene import Scene
from irodori.core.selectors import matching_surfaces, names_of, parse_selector
from irodori.core.structure import Structure
from irodori.finishes import FINISHES
from irodori.finishes.catalogue import Finish
from irodori.finishes.schedule import COLUMNS
from irodori.finishes.slots import SLOT
from irodori.scene.asked.areas import areas_of
from irodori.scene.assign import all_surfaces

COMPASS = ("north", "south", "east", "west", "left", "right", "front", "back")
SMALLEST = 0.0004
"""Share of the picture from which a surface of a reading is worth a row of its own."""

NOT_MADE = ("sky", "person", "context")
"""Roles that no one schedules."""


@dataclass(frozen=True)
class Item:
    """Something that can be scheduled.

    Attributes
    ----------
    mark
        "F01", in the order of the list.
    where
        The selector that means it and nothing else.
    role
        Of its surfaces.
    finish
        What it has now.
    reason
        Who said so.
    surfaces
        Ids of its surfaces.
    area
        m² of all of them in a model, of what is seen in a reading.
    share
        Of the picture, 0 … 1.
    spot
        (x, y) px inside its largest piece, or None where nothing of it shows.
    """

    mark: str
    where: str
    role: str
    finish: Finish
    reason: str
    surfaces: tuple[int, ...]
    area: float
    share: float
    spot: tuple[int, int] | None


def schedulable(scene: Scene) -> list[Item]:
    """What can be scheduled of a scene's structure, the most seen first; hidden surfaces come with those of their name."""
    structure = scene.structure
    table = all_surfaces(structure)
    table = table[~table["role"].isin(NOT_MADE)]
    groups = _by_name(structure, table) if (table["name"].fillna("") != "").any() else _by_colour(structure, table)
    area = areas_of(structure, scene.mesh, int(table["id"].max()) + 1)
    shown = np.bincount(structure.regions.ravel(), minlength=len(area)) / structure.regions.size
    given = {a["surface"]: a for a in scene.assignments}
    roles = table.set_index("id")["role"]
    found = []
    for where, ids in groups:
        ids = [i for i in ids if i in given]
        share = float(shown[ids].sum()) if ids else 0.0
        if not ids or share == 0 or (structure.mesh is None and share < SMALLEST):
            continue
        most = max(ids, key=lambda i: (shown[i], area[i]))
        finish = FINISHES.get(str(given[most]["finish"])) or _known_as(str(given[most]["finish"]))
        found.append(
            (share, where, str(roles[most]), finish, str(given[most]["why"]), tuple(ids), float(area[ids].sum()))
        )
    found.sort(key=lambda item: -item[0])
    return [
        Item(f"F{n:02d}", where, role, finish, why, ids, m2, share, _spot(structure, ids)) for n, (share, where, role, finish, why, ids, m2) in enumerate(found, 1)
    ]  # fmt: skip


def _known_as(name: str) -> Finish:
    """The catalogue's finish under a name that was numbered to tell it from its likes."""
    return FINISHES.get(re.sub(r" \(\d+\)$", "", name), FINISHES["as found"])


def _by_name(structure: Structure, table) -> list[tuple[str, list[int]]]:
    """Groups of surfaces whose names begin alike, with the selector that means just them."""
    words = names_of(table)
    stems: dict[tuple[str, str], list[int]] = {}
    for row in table.itertuples():
        stems.setdefault((_stem(str(row.name or row.material)), row.role), []).append(int(row.id))
    out = []
    for (stem, role), ids in stems.items():
        for where in (f"name {stem}*", f"name {stem}", f"name {stem} [0-9]*", f"role {role}"):
            meant = (
                matching_surfaces(structure, table, words, parse_selector(where))
                if stem or where.startswith("role")
                else ()
            )
            if set(map(int, meant)) == set(ids):
                out.append((where, ids))
                break
        else:
            out.append((_by_numbers(ids), ids))
    return out


def _stem(name: str) -> str:
    parts = name.split()
    while len(parts) > 1 and (parts[-1].casefold() in COMPASS or re.fullmatch(r"[\d.]+", parts[-1])):
        parts.pop()
    return " ".join(parts)


def _by_colour(structure: Structure, table) -> list[tuple[str, list[int]]]:
    """Groups of surfaces of one role, parted by colour where a role has several."""
    words = names_of(table)
    out = []
    for role, rows in table.groupby("role", sort=False):
        left = list(rows["id"])
        sizes = rows.set_index("id")["area_px"] if "area_px" in rows else None
        colours = rows.set_index("id")["colour"]
        if len(left) == 1 or _alike(colours):
            out.append((f"role {role}", [int(i) for i in left]))
            continue
        while left:
            most = max(left, key=lambda i: sizes[i] if sizes is not None else 0)
            where = f"colour {linear_to_hex(np.array(colours[most]))}"
            same = set(map(int, matching_surfaces(structure, rows, words, parse_selector(where)))) | {int(most)}
            meant = set(map(int, matching_surfaces(structure, table, words, parse_selector(where))))
            own = [int(i) for i in left if int(i) in same]
            out.append((where if meant == set(own) else _by_numbers(own), own))
            left = [i for i in left if int(i) not in same]
    return out


def _by_numbers(ids: list[int]) -> str:
    return f"surface {','.join(map(str, sorted(ids)))}"


def _alike(colours) -> bool:
    every = np.array([np.asarray(c, float) for c in colours])
    return bool(np.ptp(every, axis=0).max() < 0.06)


def _spot(structure: Structure, ids: tuple[int, ...]) -> tuple[int, int] | None:
    """The place farthest from the edges of the largest piece."""
    import cv2

    mask = np.isin(structure.regions, ids).astype(np.uint8)
    if not mask.any():
        return None
    inner = cv2.distanceTransform(np.pad(mask, 1), cv2.DIST_L2, 3)[1:-1, 1:-1]
    y, x = np.unravel_index(int(inner.argmax()), inner.shape)
    return int(x), int(y)


def drafted_schedule(scene: Scene, items: list[Item], notes: tuple[str, ...] = ()) -> str:
    """A finish schedule, CSV, that says what the items have now; read again it gives the same finishes.

    Parameters
    ----------
    notes
        What a brief left over; stands in the note column of rows of its own, without a finish being changed.
    """
    text = io.StringIO()
    sheet = csv.DictWriter(text, COLUMNS, lineterminator="\n")
    sheet.writeheader()
    for item in items:
        note = f"{item.area:.1f} m²" + (f"; {'; '.join(notes)}" if notes and item is items[0] else "")
        sheet.writerow(
            {"mark": item.mark, "where": item.where, "finish": item.finish.name, "note": note, **_changes(scene, item)}
        )
    return text.getvalue()


def _changes(scene: Scene, item: Item) -> dict[str, str]:
    """In what an item's finish differs from the catalogue's, as columns of a schedule."""
    most = item.surfaces[0] if item.spot is None else int(scene.structure.regions[item.spot[1], item.spot[0]])
    row, usual = scene.finishes[scene.finish_of[most]], item.finish.row

    def differs(*slots: str) -> bool:
        return any(abs(float(row[SLOT[s]]) - float(usual[SLOT[s]])) > 1e-4 for s in slots)

    out = {}
    found = row[SLOT["as_found"]] > 0.5
    if item.finish.name != "as found" and (differs("red", "green", "blue") or (found and not item.finish.as_found)):
        out["colour"] = linear_to_hex(
            np.asarray(scene.tint[most] if found else row[[SLOT["red"], SLOT["green"], SLOT["blue"]]])
        )
    if differs("unit_u", "unit_v"):
        out["size"] = f"{1000 * row[SLOT['unit_u']]:g} x {1000 * row[SLOT['unit_v']]:g}"
    if differs("age"):
        out["age"] = f"{row[SLOT['age']]:g}"
    if differs("roughness"):
        out["gloss"] = f"{1 - row[SLOT['roughness']]:g}"
    return out
