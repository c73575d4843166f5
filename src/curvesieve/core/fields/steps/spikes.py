"""Spikes of a field: points that stand far off the median of those around."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import counted
from curvesieve.core.fields.neighbours import around
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.steps.base import FieldPassed, FieldStep, taken_out
from curvesieve.core.rules import RuleField

_TO_SD = 1.4826
"""A median absolute deviation times this is the standard deviation of normal noise."""
_MEDIAN_LOSS = 1.2533


class Despike(FieldStep):
    """Points off the median of their neighbours by more than a number of typical deviations."""

    slug = "despike-field"
    label = "Remove spikes"
    group = "repair"
    summary = "Points far off the median of their neighbours; any of them can be given back"
    words = "outliers median filter hot pixels"
    reference = "Tukey (1977), Exploratory Data Analysis (running medians)"
    told = "points above {threshold} times the typical deviation from their neighbours were {instead}"

    neighbours: int = RuleField(8, label="neighbours", help="points around each that the median is of", ge=3, le=200)
    threshold: float = RuleField(
        6.0, label="threshold", help="in typical deviations of points from their medians", gt=0, le=1e6
    )
    instead: Literal["left out", "replaced"] = RuleField(
        "left out", label="spikes are", help="left out, or replaced by the median"
    )
    kept: tuple[tuple[float, float], ...] = RuleField(
        (), label="given back", help="places (x, y) of points that stay", carried=True
    )

    def apply(self, points: Points) -> FieldPassed:
        medians = local_medians(points, self.neighbours, own=False)
        off = points.z - medians
        off = np.where(np.isfinite(off), off, 0.0)
        typical = _TO_SD * float(np.median(np.abs(off - np.median(off))))
        spikes = np.abs(off - np.median(off)) > self.threshold * typical + 1e-12 * float(np.ptp(points.z))
        back = spikes & self._given_back(points)
        spikes &= ~back
        places, returned = np.flatnonzero(spikes), np.flatnonzero(back)
        said = f"{counted(places.size, 'spike')} {self.instead}" + (
            f", {returned.size} given back" if returned.size else ""
        )
        if self.instead == "left out":
            return FieldPassed.of(taken_out(points, spikes, "").points, said, places, returned)
        u = points.u
        if u is not None:
            u = np.where(spikes, _MEDIAN_LOSS * u / np.sqrt(self.neighbours), u)
        return FieldPassed.of(points.with_z(np.where(spikes, medians, points.z), u), said, None, returned)

    def _given_back(self, points: Points) -> NDArray[np.bool_]:
        made = np.zeros(len(points), dtype=bool)
        sx, sy = points.spans
        for x, y in self.kept:
            made |= (abs(points.x - x) <= 1e-9 * (sx or 1.0)) & (abs(points.y - y) <= 1e-9 * (sy or 1.0))
        return made


def local_medians(points: Points, count: int, own: bool) -> Floats:
    """The median of the values around each point, of shape (n,); see `neighbours.around`."""
    made = np.empty(len(points))
    for part, values in around(points, count, own):
        known = np.isfinite(values)
        made[part] = np.median(values, axis=1) if known.all() else _medians_with_gaps(values)
    return made


def _medians_with_gaps(values: Floats) -> Floats:
    ascending = np.sort(values, axis=1)  # NaN come last
    count = np.isfinite(values).sum(axis=1)
    rows = np.arange(len(values))
    low, high = np.maximum((count - 1) // 2, 0), np.maximum(count // 2, 0)
    return np.where(
        count > 0, 0.5 * (ascending[rows, low] + ascending[rows, np.minimum(high, values.shape[1] - 1)]), np.nan
    )
