"""Peaks and dips that can be seen in data: where they are and how wide, the most prominent first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats

_MOST = 8
_FEWEST_POINTS = 12


@dataclass(frozen=True)
class Sight:
    """A peak or dip: its place on x, and its full width at half prominence."""

    place: float
    width: float
    prominence: float


def sights(x: Floats, y: Floats) -> list[Sight]:
    """Up to eight peaks and dips that stand out of the noise; none in data of a few points."""
    from scipy.signal import find_peaks, peak_widths

    if y.size < _FEWEST_POINTS:
        return []
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    width = max(3, y.size // 60) | 1
    smooth = np.convolve(np.pad(y, width // 2, mode="edge"), np.full(width, 1 / width), mode="valid")
    noise = 1.4826 * float(np.median(np.abs(np.diff(smooth)))) or 1e-300
    found = []
    for sign in (1, -1):
        tops, facts = find_peaks(sign * smooth, prominence=2 * noise)
        spread, _, left, right = peak_widths(sign * smooth, tops, rel_height=0.5)
        del spread
        index = np.arange(y.size)
        edges = np.interp(right, index, x) - np.interp(left, index, x)
        found += [
            Sight(*row) for row in zip(x[tops].tolist(), edges.tolist(), facts["prominences"].tolist(), strict=True)
        ]
    found = [sight for sight in found if sight.width > 0]
    return sorted(found, key=lambda sight: -sight.prominence)[:_MOST]
