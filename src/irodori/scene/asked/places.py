"""From a place in words to the surfaces that it means, in the picture and at the building."""

from __future__ import annotations

import re
from functools import cached_property

import numpy as np
import pandas as pd

from irodori.brief.brief import Place
from irodori.brief.lexicon import meanings
from irodori.core.model import Mesh
from irodori.core.structure import Structure
from irodori.scene.likely import waterside_surfaces

NOT_BUILT = ("sky", "context", "water", "planting", "lawn", "ground", "glazing", "lamp", "sign", "person", "vehicle")
"""Roles that "everything" leaves out: it means the building, not the lake, its panes or its signs."""

UPRIGHT_ROLES = ("wall", "column", "slab")
"""Roles that, said without a building, mean buildings and not the walls of a quay."""

PAVED = ("quay", "pontoon", "gangway", "shore")
MAIN = ("hall", "house", "tower", "pavilion", "school", "office", "garage")
"""What a picture without names may show as its one building."""

OF_A_BUILDING = ("wall", "roof", "glazing", "door", "column", "frame", "slab")

STOREY = 2.4
"""m over the foot of a wall from which a surface is of an upper floor."""

AROUND = 0.03
"""Share of the picture's width within which surfaces lie by each other."""


class Places:
    """The surfaces of a structure by what briefs call them.

    Parameters
    ----------
    table
        All surfaces, from `irodori.scene.assign.all_surfaces`.
    mesh
        The model's triangles or the solids of a reading: how high surfaces reach.
    """

    def __init__(self, structure: Structure, table: pd.DataFrame, mesh: Mesh) -> None:
        self.structure, self.mesh = structure, mesh
        self.ids = table["id"].to_numpy()
        self.role = table["role"].to_numpy(str)
        said = (table["name"].fillna("").astype(str) + " " + table["material"].fillna("").astype(str)).str.casefold()
        self.said = said.str.replace(r"[_\-.\d]+", " ", regex=True).to_numpy(str)
        names = table["name"].fillna("").astype(str).str.casefold().str.replace(r"[_\-.\d]+", " ", regex=True)
        self.name = names.to_numpy(str)
        self.named = bool((names != "").any())

    def _says(self, words: list[str], where: np.ndarray) -> np.ndarray:
        pattern = re.compile(r"\b(?:" + "|".join(map(re.escape, words)) + r")(?:s|es)?\b")
        return np.array([bool(pattern.search(text)) for text in where], bool)

    @cached_property
    def of_neighbours(self) -> np.ndarray:
        """Surfaces (S,) bool of houses that are not designed here."""
        return self._says(meanings()["building"]["neighbour"]["names"], self.name) | (self.role == "context")

    def surfaces(self, place: Place) -> tuple[np.ndarray, str]:
        """Ids that a place means, and a sentence on what was assumed, or why there are none."""
        if place.part == "everything":
            found = ~np.isin(self.role, NOT_BUILT) & ~self.of_neighbours
            for other in place.others:
                found &= ~(self._part(other)[0] if other in meanings()["part"] else self._building(other, "")[0])
            note = ""
            if place.of:
                inside, note = self._building(place.of, "")
                found &= inside
        else:
            found, note = self._part(place.part)
            if place.of:
                inside, more = self._building(place.of, place.part)
                found, note = found & inside, note or more
                if not found.any() and not note:
                    note = (
                        f"{place.of}: it has no {place.part} here" if inside.any() else f"there is no {place.of} here"
                    )
            else:
                found &= ~self.of_neighbours
                if set(meanings()["part"].get(place.part, {}).get("roles", ())) & set(UPRIGHT_ROLES):
                    found &= ~self._of_paved
        if not found.any() and not note:
            note = f"there is no {place.part or place.of} here"
        ids = self.ids[found]
        if place.to and len(ids):
            ids, more = self._nearer(ids, place)
            note = note or more
        return ids, note

    def _part(self, part: str) -> tuple[np.ndarray, str]:
        told = meanings()["part"].get(part)
        if told is None:
            return np.ones(len(self.ids), bool), ""
        if "finishes" in told:
            return self._says(
                ["larch", "oak", "ash", "timber", "wood", "boards", "pine", "spruce", "birch", "walnut"], self.said
            ) & ~np.isin(self.role, ("planting", "person")), ""
        roles = np.isin(self.role, told.get("roles", ()))
        if "names" not in told:
            return roles, ""
        by_name = self._says(told["names"], self.name)
        if by_name.any():
            return by_name, ""
        if self.named:
            return np.zeros(len(self.ids), bool), f"nothing here is called {part}"
        return roles, f"a picture has no names: taken for all {' and '.join(told.get('roles', ()))}"

    def _building(self, building: str, part: str) -> tuple[np.ndarray, str]:
        told = meanings()["building"].get(building, {"names": [building]})
        by_name = self._says(told["names"], self.name)
        if by_name.any():
            return by_name, ""
        if told.get("roles") and np.isin(self.role, told["roles"]).any():
            return np.isin(self.role, told["roles"]), ""
        everywhere = np.ones(len(self.ids), bool)
        if building == "house" and self.named:
            return ~self.of_neighbours, ""
        if not self.named and (building in MAIN or (building in PAVED and part in ("paving", "ground"))):
            return everywhere, f"a picture has no names: taken for all that is {part or 'built'}"
        return ~everywhere, f"there is no {building} here"

    @cached_property
    def _of_paved(self) -> np.ndarray:
        """Walls (S,) bool of quays and the like: by name, or as what stands in water."""
        by_name = self._says([w for b in PAVED for w in meanings()["building"][b]["names"]], self.name)
        if self.named:
            return by_name
        return by_name | np.isin(self.ids, list(waterside_surfaces(self.structure)))

    # ── what tells a surface more closely ──────────────────────────────────────────────────────

    def _nearer(self, ids: np.ndarray, place: Place) -> tuple[np.ndarray, str]:
        to = place.to
        if to in ("inside", "outside"):
            return ids, ""
        if to in ("upper floor", "lower floor"):
            return self._storey(ids, to)
        if to in meanings()["place"]:
            return self._in_picture(ids, to)
        return self._beside(ids, place)

    def _storey(self, ids: np.ndarray, to: str) -> tuple[np.ndarray, str]:
        size = self.mesh.measures.upto(int(max(ids.max(), self.mesh.surface.max(initial=0))) + 1)
        known = ids[size.area[ids] > 0]
        if not len(known):
            return known, "how high it reaches is not known"
        low, high = size.low[known, 2], size.high[known, 2]
        foot = low.min()
        if to == "upper floor" and high.max() < foot + 2 * STOREY:
            return known[:0], "it has no upper floor"
        chosen = known[low >= foot + STOREY] if to == "upper floor" else known[high <= foot + 2 * STOREY]
        if to == "upper floor" and not len(chosen):
            return chosen, "it runs over both floors: paint a mask for the part that is meant"
        if to == "lower floor" and not len(chosen):
            return chosen, "it runs over both floors: paint a mask for the part that is meant"
        return chosen, ""

    @cached_property
    def _centres(self) -> dict[int, tuple[float, float, float]]:
        """Middle of each surface shown, in shares of the picture, and its middle depth, m."""
        regions = self.structure.regions
        height, width = regions.shape
        y, x = np.mgrid[0:height, 0:width]
        count = int(regions.max(initial=0)) + 1
        flat = regions.ravel()
        total = np.maximum(np.bincount(flat, minlength=count), 1)
        depth = np.where(np.isfinite(self.structure.depth), self.structure.depth, 0).ravel()
        middle = [np.bincount(flat, v.ravel(), count) / total for v in (x / width, y / height)]
        far = np.bincount(flat, depth, count) / total
        return {int(i): (middle[0][i], middle[1][i], far[i]) for i in np.unique(flat) if i}

    def _in_picture(self, ids: np.ndarray, to: str) -> tuple[np.ndarray, str]:
        shown = [int(i) for i in ids if int(i) in self._centres]
        depths = sorted(self._centres[i][2] for i in shown)
        test = {
            "left": lambda c: c[0] < 0.42, "right": lambda c: c[0] > 0.58, "centre": lambda c: 0.3 < c[0] < 0.7,
            "foreground": lambda c: c[1] > 0.62 or c[2] <= depths[len(depths) // 3],
            "background": lambda c: c[2] >= depths[-1 - len(depths) // 3],
        }[to]  # fmt: skip
        chosen = [i for i in shown if test(self._centres[i])]
        return np.array(chosen, int), "" if chosen else f"nothing of it lies in the picture's {to}"

    def mask_of(self, name: str) -> np.ndarray:
        """Where something that a brief calls `name` shows, (H, W) bool."""
        place = Place(name) if name in meanings()["part"] else Place("", name)
        found = self._part(name)[0] if name in meanings()["part"] else self._building(place.of, "")[0]
        if not self.named and name in MAIN:
            found = np.isin(self.role, OF_A_BUILDING)
        elif not self.named and name in PAVED:
            found = np.isin(self.role, ("paving", "ground"))
        if name in meanings()["part"]:
            found = found & ~self.of_neighbours
        return np.isin(self.structure.regions, self.ids[found])

    def _beside(self, ids: np.ndarray, place: Place) -> tuple[np.ndarray, str]:
        import cv2

        mask = self.mask_of(place.to)
        if not mask.any():
            return np.zeros(0, int), f"there is no {place.to} in sight"
        own = np.unique(self.structure.regions[mask])
        ids = np.setdiff1d(ids, own)
        far = float(np.median(self.structure.depth[mask & np.isfinite(self.structure.depth)]))
        width = mask.shape[1]
        columns = np.flatnonzero(mask.any(axis=0))
        left, right = columns[0] / width, columns[-1] / width
        reach = max(int(AROUND * width), 2)
        near = set(
            np.unique(
                self.structure.regions[cv2.dilate(mask.view(np.uint8), np.ones((2 * reach + 1,) * 2, np.uint8)) > 0]
            ).tolist()
        )
        chosen = []
        for i in ids.tolist():
            if i not in self._centres:
                continue
            x, _, depth = self._centres[i]
            beside = left - 0.1 <= x <= right + 0.1 or i in near
            fits = {
                "before": beside and depth < far, "behind": beside and depth > far, "under": i in near,
            }.get(place.relation, i in near)  # fmt: skip
            if fits:
                chosen.append(i)
        return np.array(chosen, int), "" if chosen else f"nothing of it lies {place.relation} the {place.to}"
