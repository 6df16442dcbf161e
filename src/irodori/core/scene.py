"""The scene: structure, finishes and light together, ready to trace. Plain arrays, no behaviour."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from irodori.core.model import Mesh
from irodori.core.recipe import Recipe
from irodori.core.short import Short

if TYPE_CHECKING:
    import pandas as pd

    from irodori.core.fragments import Fragments
    from irodori.core.structure import Structure

SKY_ROWS, SKY_COLUMNS = 96, 128


def row_elevations(rows: int = SKY_ROWS) -> np.ndarray:
    """Elevation of each row of a sky table, radians, from −90° to 90°, crowded at the horizon."""
    t = np.linspace(-1, 1, rows)
    return np.sign(t) * t**2 * np.pi / 2


def sky_illuminance(table: np.ndarray) -> np.ndarray:
    """Illuminance (3,), lx per channel, of open level ground under a sky table (as `SkyDome.table`), without the sun."""
    elevation = row_elevations(table.shape[0])
    upper = elevation >= 0
    e = elevation[upper]
    ring = table[upper].mean(axis=1) * (np.sin(e) * np.cos(e))[:, None] * 2 * np.pi
    return np.trapezoid(ring, e, axis=0)


@dataclass(frozen=True, eq=False, repr=False)
class SkyDome(Short):
    """Radiance of the sky by direction.

    Attributes
    ----------
    table
        (E, A, 3) float32, cd/m² per linear Rec.709 channel; rows from nadir (-90°) to zenith (+90°) with the
        elevation warped so that rows crowd at the horizon, columns by azimuth clockwise from north.
    sun_direction
        (3,) float32, unit, towards the sun (or the moon).
    sun_radiance
        (3,) float32, cd/m² per channel over the disc; zero when it is below the horizon.
    sun_cosine
        Cosine of the disc's angular radius.
    sun_illuminance
        (3,) float32, lx per channel on a surface that faces the sun.
    """

    table: np.ndarray
    sun_direction: np.ndarray
    sun_radiance: np.ndarray
    sun_cosine: float
    sun_illuminance: np.ndarray


class CloudKind(NamedTuple):
    """A kind of cloud; `light/clouds.toml` says what its numbers mean. Metres, extinction in 1/m."""

    base: float
    thick: float
    size: float
    drawn: float
    flat: float
    billow: float
    soft: float
    dense: float
    fine: float
    glow: float


@dataclass(frozen=True, eq=False, repr=False)
class Light(Short):
    """Sun, sky and lamps of one moment.

    Attributes
    ----------
    name
        The setting's name, or the moment.
    dome
        The sky and sun.
    lamp_level
        Share of the lamps that burn, 0 … 1.
    room_level
        Share of the lamps in rooms behind glazing, 0 … 1.
    exposure
        Correction to the automatic exposure, stops.
    warmth
        How far the picture keeps the light's own colour, 0 (neutral) … 1.
    haze
        Visibility of distance: extinction, 1/m.
    cover
        Share of the sky under clouds, 0 … 1.
    parameters
        What is needed to make this light again.
    clouds
        Their kind; none are seen without one.
    lamp_kelvin
        Colour temperature of all lamps, K; 0 as each has its own.
    wind
        How choppy water is: a factor on its waves.
    wet, snow
        How far rain has wetted and snow covered what lies open to the sky, 0 … 1.
    """

    name: str
    dome: SkyDome
    lamp_level: float
    room_level: float
    exposure: float
    warmth: float
    haze: float
    cover: float
    parameters: dict
    wet: float = 0.0
    snow: float = 0.0
    wind: float = 1.0
    clouds: CloudKind | None = None
    lamp_kelvin: float = 0.0


@dataclass(frozen=True, eq=False, repr=False)
class LampTables(Short):
    """The lamps of a scene by surface id.

    Attributes
    ----------
    luminance
        (S,) float32, cd/m² of the luminous surface, before the light's level; 0: no lamp.
    lumens
        (S,) float32, lm.
    colour
        (S, 3) float32, luminance 1.
    spread
        (S,) int32: row of `tables`, or −1 where the surface glows evenly.
    axis, side
        (S, 3) float32, unit: the fixture's axis, and where its side at 0° looks.
    tables
        (K, V, A) float32, cd/lm by the angle from the axis (0° … 180°) and around it (0° … 350°).
    """

    luminance: np.ndarray
    lumens: np.ndarray
    colour: np.ndarray
    spread: np.ndarray
    axis: np.ndarray
    side: np.ndarray
    tables: np.ndarray


@dataclass(frozen=True, eq=False, repr=False)
class Shown(Short):
    """What the picture shows: the structure, with additions before it.

    Attributes
    ----------
    fragments
        The structure's fragments, those of additions laid before them.
    loose, panes
        (S,) bool by surface id: planting; glazing.
    covered
        (H, W) float32: share of each pixel under additions; None when there are none.
    listed
        One entry an addition: what, where, its size, its box in the picture and its state.
    """

    fragments: Fragments
    loose: np.ndarray
    panes: np.ndarray
    covered: np.ndarray | None = None
    listed: tuple[dict, ...] = ()


@dataclass(frozen=True, eq=False, repr=False)
class Scene(Short):
    """Everything the tracer needs.

    Attributes
    ----------
    structure
        What must not move.
    shown
        What the picture shows of it, additions included.
    mesh
        Triangles for light transport; `mesh.surface` indexes the finish tables.
    finish_of
        (S,) int32: row of `finishes` for each surface id.
    finishes
        (F, P) float32; the numbers are named in `irodori.finishes.slots`.
    tint
        (S, 3) float32: the colour in the capture or model of each surface, linear.
    axis
        (S,) float32: direction of the surface's laying, radians from east, for horizontal surfaces.
    courses
        (S,) float32 each: the height, m, at which courses of masonry begin, and their height over that of the finish.
    lamps
        Surfaces and fixtures that give light.
    as_found
        (H, W, 3) float32 or None: the capture's own picture, for surfaces that keep it.
    rooms
        (S, 4) float32, m: the bays of rooms to be imagined behind glazing that has none: where a bay begins along the
        glass, its width (0: none to imagine), where a floor lies, its height; in the surface's own axes.
    room_colour
        (3,) float32: colour of the lamps in such rooms, luminance 1.
    sun_reach
        m, level, from the camera to where the horizon stands: it never hides the sun, the light says when that sets.
    skyline
        (N,) float32: by bearing from +y towards +x, the sine of the height that the bank behind the camera hides; 0 where it is
        open. None without a bank.
    assignments
        One entry a surface shown: which finish and which rule put it there.
    unmatched
        Rules of the schedule that matched nothing, and what of a brief could not be done.
    acted
        What became of each of a brief's decisions (`irodori.scene.asked.Acted`).
    soiled
        Whether soil and wet lie where things meet.
    """

    structure: Structure
    shown: Shown
    mesh: Mesh
    finish_of: np.ndarray
    finishes: np.ndarray
    finish_names: tuple[str, ...]
    tint: np.ndarray
    axis: np.ndarray
    courses: tuple[np.ndarray, np.ndarray]
    lamps: LampTables
    light: Light
    seed: int
    as_found: np.ndarray | None = None
    rooms: np.ndarray | None = None
    room_colour: np.ndarray | None = None
    sun_reach: float = np.inf
    skyline: np.ndarray | None = None
    assignments: tuple[dict, ...] = ()
    unmatched: tuple[str, ...] = ()
    recipe: Recipe = field(default_factory=Recipe)
    acted: tuple = ()
    soiled: bool = True

    def assignments_table(self) -> pd.DataFrame:
        """Which finish each surface has and which rule put it there: id, role, name, finish, why, share of the picture."""
        import pandas as pd

        table = pd.DataFrame(self.assignments, columns=["surface", "finish", "why"]).rename(columns={"surface": "id"})
        known = self.structure.surfaces[["id", "role", "name", "area_px"]]
        table = known.merge(table, on="id", how="right")
        table["share"] = table.pop("area_px").fillna(0) / self.structure.regions.size
        return table

    def brief_table(self) -> pd.DataFrame:
        """What became of a brief: phrase, decision, place, surfaces, m², whether it is done, and what is to be told of it."""
        import pandas as pd

        rows = [(a.decision.phrase, a.decision.line, str(a.decision.place), len(a.surfaces), a.area, a.done, "; ".join(filter(None, (a.note, *a.decision.notes)))) for a in self.acted]  # fmt: skip
        return pd.DataFrame(rows, columns=["phrase", "decision", "place", "surfaces", "area_m2", "done", "note"])

    def additions_table(self) -> pd.DataFrame:
        """What was added: what, where, its size and its state, one row each."""
        import pandas as pd

        return pd.DataFrame(list(self.shown.listed))

    def __repr__(self) -> str:
        width, height = self.structure.size
        return (
            f"<Scene {width}×{height}, {self.light.name}: {len(self.assignments)} surfaces in {len(set(self.finish_names))} finishes, "
            f"{len(self.shown.listed)} additions, {len(self.mesh):,} triangles>"
        )
