"""Peaks and dips that can be seen in data: where they are and how wide, the most prominent first."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats

_MOST = 8
_FEWEST_POINTS = 12
_MOST_TOPS, _SURE_NARROW = 60, 8.0
"""Tops looked at of each running mean, and how many times its noise a narrow one must stand out."""


@dataclass(frozen=True)
class Sight:
    """A peak or dip: its place on x, and its full width at half prominence."""

    place: float
    width: float
    prominence: float


def sights(x: Floats, y: Floats) -> list[Sight]:
    """Up to eight peaks and dips that stand out of the noise; none in data of a few points.

    Looked for in two running means: over a sixtieth of the points, in which broad ones are seen, and over three, in
    which narrow ones survive; of those at one place the more prominent counts.
    `x` and `y` have shape (n,), in any order.
    """
    if y.size < _FEWEST_POINTS:
        return []
    order = np.argsort(x, kind="stable")
    x, y = x[order], y[order]
    wide = max(3, y.size // 60) | 1
    found = _seen(x, y, wide, 2.0)
    if wide > 3:
        found += _seen(x, y, 3, _SURE_NARROW)
    found.sort(key=lambda sight: -sight.prominence)
    kept: list[Sight] = []
    for sight in found:
        if all(abs(sight.place - other.place) > (sight.width + other.width) / 4 for other in kept):
            kept.append(sight)
        if len(kept) == _MOST:
            break
    return kept


def _seen(x: Floats, y: Floats, width: int, sure: float) -> list[Sight]:
    """Peaks and dips of a running mean over so many points, more prominent than so many times its noise."""
    from scipy.signal import find_peaks, peak_widths

    smooth = np.convolve(np.pad(y, width // 2, mode="edge"), np.full(width, 1 / width), mode="valid")
    noise = 1.4826 * float(np.median(np.abs(np.diff(smooth)))) or 1e-300
    index = np.arange(y.size)
    found = []
    for sign in (1, -1):
        tops, facts = find_peaks(sign * smooth, prominence=sure * noise)
        best = np.sort(np.argsort(-facts["prominences"], kind="stable")[:_MOST_TOPS])
        tops, heights = tops[best], facts["prominences"][best]
        _, _, left, right = peak_widths(sign * smooth, tops, rel_height=0.5)
        edges = np.interp(right, index, x) - np.interp(left, index, x)
        rows = zip(x[tops].tolist(), edges.tolist(), heights.tolist(), strict=True)
        found += [Sight(*row) for row in rows if row[1] > 0]
    return found
