"""How a fixture spreads its light: tables of intensity by direction, from formulas or from IES LM-63 files.

A table is (VERTICAL, HORIZONTAL) float64, cd for each lumen: rows by the angle from the fixture's axis, 0° … 180°, columns
by the angle around it, 0° … 350°, starting at the side it faces.
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np

from irodori.core.errors import LightError

VERTICAL, HORIZONTAL = 91, 36
ANGLES = np.radians(np.linspace(0, 180, VERTICAL))
AROUND = np.radians(np.arange(HORIZONTAL) * 10.0)


def total_lumens(table: np.ndarray) -> float:
    """Lumens of a table of intensities, cd: the integral over the sphere."""
    return float(np.trapezoid(table.mean(axis=1) * np.sin(ANGLES), ANGLES) * 2 * np.pi)


def spread(name: str, beam: float = 60.0) -> np.ndarray:
    """The table of a named spread for 1 lm.

    "even" in all directions; "beam" around the axis, `beam` degrees wide where it falls to half; "up and down" along
    the axis both ways; "ring" low and all round, as a bollard's; "street" far along both sides, nothing upwards.

    >>> round(total_lumens(spread("beam", 40.0)), 6)
    1.0
    """
    t = ANGLES[:, None]
    below = np.cos(t).clip(0)
    if name == "even":
        shape = np.ones((VERTICAL, 1))
    elif name == "beam":
        shape = below ** (np.log(0.5) / np.log(np.cos(np.radians(beam / 2))))
    elif name == "up and down":
        shape = np.abs(np.cos(t)) ** 4
    elif name == "ring":
        shape = np.exp(-(((np.degrees(t) - 66) / 17) ** 2)) * (np.degrees(t) < 88)
    elif name == "street":
        # A pool around the foot, and a share that reaches on to the next mast.
        shape = below * (
            1.1 + np.exp(-(((np.degrees(t) - 58) / 15) ** 2)) * 1.9 * (0.55 + 0.45 * np.cos(2 * AROUND)[None])
        )
    else:
        raise LightError(f"There is no spread of light called '{name}'")
    table = np.broadcast_to(shape, (VERTICAL, HORIZONTAL)).astype(float)
    return table / total_lumens(table)


def read_ies(source: str | Path) -> np.ndarray:
    """Read a photometric file (IES LM-63-86 to LM-63-19, type C).

    Parameters
    ----------
    source
        A path, or the file's text.

    Returns
    -------
    (VERTICAL, HORIZONTAL) float64, cd; `total_lumens` of it is the fixture's lumens.

    Raises
    ------
    LightError
        When the file is missing, damaged, or of another type than C.
    """
    text, name = _text_of(source)
    match = re.search(r"^\s*TILT\s*=\s*(\S+)[^\n]*\n", text, re.MULTILINE)
    if not match:
        raise LightError(f"'{name}' is no IES file: it has no TILT line")
    try:
        numbers = [float(v) for v in re.split(r"[\s,]+", text[match.end() :].strip())]
        if match[1].upper() == "INCLUDE":
            pairs = int(numbers[1])
            numbers = numbers[2 + 2 * pairs :]
        _, _, factor, vertical, horizontal, kind = numbers[:6]
        ballast = numbers[10]
        rows, columns = int(vertical), int(horizontal)
        at = 13
        theta, phi = np.array(numbers[at : at + rows]), np.array(numbers[at + rows : at + rows + columns])
        at += rows + columns
        values = np.array(numbers[at : at + rows * columns]).reshape(columns, rows)
    except (ValueError, IndexError):
        raise LightError(f"'{name}' is damaged: its numbers end early or are no numbers") from None
    if kind != 1:
        raise LightError(
            f"'{name}' holds photometry of type {'?CBA'[int(kind)] if kind in (2, 3) else kind}; only type C is read"
        )
    if (np.diff(theta) <= 0).any() or (np.diff(phi) <= 0).any() or (values < 0).any() or not np.isfinite(values).all():
        raise LightError(f"'{name}' is damaged: angles must rise and intensities be 0 or more")
    return _resample(theta, phi, values * factor * ballast)


def _text_of(source: str | Path) -> tuple[str, str]:
    if isinstance(source, str) and "\n" in source:
        return source, "photometric file"
    try:
        return Path(source).read_text(encoding="latin-1").replace("\r", "\n"), str(source)
    except OSError:
        raise LightError(f"There is no photometric file '{source}'") from None


def _resample(theta: np.ndarray, phi: np.ndarray, values: np.ndarray) -> np.ndarray:
    """To the table's angles; a file may give a quarter or a half of the turn, which then repeats mirrored."""
    rows = np.stack([np.interp(np.degrees(ANGLES), theta, row, left=0.0, right=0.0) for row in values])
    if len(phi) == 1:
        return np.repeat(rows.T, HORIZONTAL, axis=1)
    turn = np.degrees(AROUND)
    if phi[-1] <= 90:
        turn = np.where(turn > 180, 360 - turn, turn)
        turn = np.where(turn > 90, 180 - turn, turn)
    elif phi[-1] <= 180:
        turn = np.where(turn > 180, 360 - turn, turn)
    return np.stack([np.interp(turn, phi, column) for column in rows.T])
