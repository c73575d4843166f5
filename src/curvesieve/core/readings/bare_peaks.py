"""Peaks read off a curve without a model: a band around each, its centroid, width and area over the band's chord."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.measures.areas import Area, Moments, WidthAtShare
from curvesieve.core.measures.base import Measure
from curvesieve.core.peaks.finding import FoundPeak
from curvesieve.core.typed import rounded

_REACH = 1.5
"""A band reaches so many widths to both sides, or to the middle between two peaks."""
_OF_WIDTH, _FEWEST = 3, 3
"""The top is that of a parabola through the points of a third of the width."""


def bare_measures(peaks: Sequence[FoundPeak], curve: Curve) -> list[tuple[Measure, str]]:
    """Centroid, width at half of the height and area of each peak, with names, in the order of x.

    Raises InputError where a band holds too few points.
    """
    order = sorted(peaks, key=lambda one: one.center)
    x = np.sort(curve.used.x)
    made: list[tuple[Measure, str]] = []
    for k, one in enumerate(order):
        low, high = one.center - _REACH * one.fwhm, one.center + _REACH * one.fwhm
        if k:
            low = max(low, (order[k - 1].center + one.center) / 2)
        if k + 1 < len(order):
            high = min(high, (order[k + 1].center + one.center) / 2)
        low, high = rounded((max(low, float(x[0])), min(high, float(x[-1]))), high - low)
        inside = int(np.searchsorted(x, high, side="right") - np.searchsorted(x, low))
        if inside < 2 * _FEWEST:
            raise InputError(f"The peak at {one.center:.6g} has {inside} points, too few to be read without a model.")
        of_width = int(inside * min(one.fwhm / (high - low), 1.0) / _OF_WIDTH)
        points = max(_FEWEST, min(of_width, inside)) | 1
        band = {"low": low, "high": high, "base": "chord"}
        name = f"{k + 1}"
        made += [
            (Moments.model_validate(band), f"centroid {name}"),
            (WidthAtShare.model_validate({**band, "points": min(points, inside)}), f"width {name}"),
            (Area.model_validate(band), f"area {name}"),
        ]
    return made
