"""NIST StRD nonlinear regression files (public domain): data, starts and certified values.

Source: NIST Statistical Reference Datasets, Nonlinear Regression, https://www.itl.nist.gov/div898/strd/nls/nls_main.shtml
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path

STRD = Path(__file__).parents[1] / "reference" / "strd"
_ROW = re.compile(r"^\s*(b\d+) =\s+(\S+)\s+(\S+)\s+(\S+)\s+(\S+)", re.M)


@dataclass(frozen=True)
class Certified:
    """Two starts, the certified values and their certified standard deviations, by parameter."""

    path: Path
    starts: tuple[dict[str, float], dict[str, float]]
    value: dict[str, float]
    sd: dict[str, float]
    rss: float


def certified(name: str) -> Certified:
    path = STRD / f"{name}.dat"
    text = path.read_text()
    rows = _ROW.findall(text)
    columns = [{row[0]: float(row[i]) for row in rows} for i in range(1, 5)]
    rss = re.search(r"Residual Sum of Squares:\s+(\S+)", text)
    assert rss is not None
    return Certified(path, (columns[0], columns[1]), columns[2], columns[3], float(rss[1]))


def digits(found: float, known: float) -> float:
    """How many digits agree (log relative error, capped at the 11 that are certified)."""
    from math import log10

    return 11.0 if found == known else min(11.0, -log10(abs(found - known) / abs(known)))
