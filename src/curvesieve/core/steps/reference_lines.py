"""Reference lines for calibrating x. Users add tables as text files: a name, then one position a line.

Raman lines: ASTM E1840, Standard Guide for Raman Shift Standards; the positions below are from memory. Reflections: 2θ
worked out by Bragg's law from the lattice parameters of NIST SRM 640 (silicon, 0.543 12 nm) and SRM 660 (LaB6, 0.415 69
nm), rounded and from memory, for Cu Kα1, λ = 0.154 059 3 nm.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import model_validator

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, nearest
from curvesieve.core.rules import Rule

CU_KA1_NM = 0.1540593
_SILICON_NM, _LAB6_NM = 0.54312, 0.41569
_SILICON_HKL = ((1, 1, 1), (2, 2, 0), (3, 1, 1), (4, 0, 0), (3, 3, 1), (4, 2, 2), (5, 1, 1), (4, 4, 0), (5, 3, 1))
_LAB6_HKL = (
    (1, 0, 0), (1, 1, 0), (1, 1, 1), (2, 0, 0), (2, 1, 0), (2, 1, 1), (2, 2, 0), (3, 0, 0), (3, 1, 0), (3, 1, 1),
)  # fmt: skip


def bragg(lattice_nm: float, planes: Sequence[tuple[int, int, int]], wavelength_nm: float = CU_KA1_NM) -> Floats:
    """2θ in degrees of a cubic lattice's planes: λ = 2 d sin θ with d = a/√(h² + k² + l²).

    Of shape (planes,), in the order of the planes.
    """
    return np.array(
        [
            2 * math.degrees(math.asin(wavelength_nm * math.sqrt(h * h + k * k + m * m) / (2 * lattice_nm)))
            for h, k, m in planes
        ]
    )


TABLES: dict[str, Floats] = {
    "none": np.empty(0),
    "cyclohexane": np.array([384.1, 426.3, 801.3, 1028.3, 1157.6, 1266.4, 1444.4, 2664.4, 2852.9, 2923.8, 2938.3]),
    "polystyrene": np.array(
        [620.9, 795.8, 1001.4, 1031.8, 1155.3, 1450.5, 1583.1, 1602.3, 2852.4, 2904.5, 3054.3]
    ),
    "paracetamol": np.array(
        [213.3, 329.2, 390.9, 465.1, 504.0, 651.6, 710.8, 797.2, 834.5, 857.9, 968.7, 1105.5, 1168.5, 1236.8, 1278.5,
         1323.9, 1371.5, 1515.1, 1561.5, 1648.4, 2931.1, 3064.6, 3102.4, 3326.6]
    ),
    "silicon, Raman": np.array([520.7]),
    "silicon, Cu Kα1": bragg(_SILICON_NM, _SILICON_HKL),
    "LaB6, Cu Kα1": bragg(_LAB6_NM, _LAB6_HKL),
}  # fmt: skip


OWN: dict[str, Floats] = {}
"""The user's tables, by name. A step that uses one carries its positions along; see `CalibrateX`."""


def add_tables(folder: Path) -> list[str]:
    """Adds the user's own tables: every ``NAME.lines`` in a folder, one position a line, # before words.

    Returns a sentence for each file that is no such table.
    """
    problems = []
    for path in sorted(folder.glob("*.lines")):
        try:
            rows = (row.split("#")[0].strip() for row in path.read_text(encoding="utf-8").splitlines())
            found = np.array([float(row) for row in rows if row])
            if not found.size or not np.isfinite(found).all():
                raise ValueError
        except (OSError, ValueError):
            problems.append(f"{path.name} in {folder} is no table of lines: it needs one number a line.")
            continue
        OWN[path.stem] = TABLES[path.stem] = found
    return problems


def lines_of(table: str) -> Floats:
    """The positions of a table; raises InputError when it is unknown. Of shape (lines,), rising."""
    if table not in TABLES:
        raise InputError(
            f"there is no table of lines {table!r}; known are {', '.join(TABLES)}{nearest(table, list(TABLES))}"
        )
    return TABLES[table]


def nearest_lines(table: str, lines: Floats, measured: Floats) -> Floats:
    """The line nearest to each position; raises InputError when there is none, or when two fall on one.

    `lines` has shape (k,), `measured` (m,), and so has the answer.
    """
    if not lines.size:
        raise InputError("give the reference lines, or choose a table to take them from.")
    found: Floats = lines[np.argmin(np.abs(lines[None, :] - measured[:, None]), axis=1)]
    if np.unique(found).size < found.size:
        raise InputError(
            f"two measured lines are nearest to the same line of {table}; give the reference lines by hand."
        )
    return found


class TakesTable(Rule):
    """A rule with a field `table`, and a field `carried`: name and positions of a table of one's own that is in use."""

    @model_validator(mode="before")
    @classmethod
    def _takes_along(cls, data: Any) -> Any:
        """The positions of the user's table, so that the rule works where that table is not known."""
        if not isinstance(data, dict) or (table := data.get("table", "none")) == (data.get("carried") or [None])[0]:
            return data
        return {**data, "carried": (table, tuple(OWN[table].tolist())) if table in OWN else None}

    def to_json(self) -> dict[str, Any]:
        """Its fields; what it carries only where there is something."""
        made = super().to_json()
        if made.get("carried") is None:
            made.pop("carried", None)
        return made

    def lines_known(self) -> Floats:
        """The positions of its table, of shape (lines,). Raises InputError when it is unknown."""
        carried = getattr(self, "carried", None)
        return lines_of(getattr(self, "table", "none")) if carried is None else np.array(carried[1])
