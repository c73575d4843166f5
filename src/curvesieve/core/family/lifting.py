"""How the curves of a family are set apart and made alike, to be seen together."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError

_MOST_DECADES = 300.0
_AIR = 0.08
"""The share of the tallest curve that is left free between neighbours."""


def lift_of(curves: Sequence[Curve], log: bool = False) -> float:
    """The offset from curve to curve, in the unit of y, at which no two neighbours touch where they share x.

    On a logarithmic axis it is a factor. 0 (or 1) where there is nothing to set apart.
    """
    rows = [_sampled(curve, log) for curve in curves]
    rows = [(x, y) for x, y in rows if x.size]
    heights = [float(np.ptp(y)) for _, y in rows]
    if len(rows) < 2:
        return 1.0 if log else 0.0
    need = max((_needed(below, above) for below, above in pairwise(rows)), default=0.0)
    made = max(need, 0.0) + _AIR * (max(heights) or max(float(np.abs(y).max()) for _, y in rows))
    return 10.0 ** min(float(made), _MOST_DECADES) if log else float(made)


def _sampled(curve: Curve, log: bool) -> tuple[Floats, Floats]:
    """A curve in the order of x, without what a logarithm has no place for."""
    used = curve.used
    x, y = _in_order(used)
    good = np.isfinite(y) & ((y > 0) if log else True)
    x, y = x[good], y[good]
    return x, np.log10(y) if log else y


def _in_order(curve: Curve) -> tuple[Floats, Floats]:
    order = np.argsort(curve.x, kind="stable")
    return curve.x[order], curve.y[order]


def _needed(below: tuple[Floats, Floats], above: tuple[Floats, Floats]) -> float:
    low, high = max(below[0][0], above[0][0]), min(below[0][-1], above[0][-1])
    if not low <= high:
        return 0.0
    x = np.union1d(below[0], above[0])
    x = x[(x >= low) & (x <= high)]
    return float((np.interp(x, *below) - np.interp(x, *above)).max())


def divisor(curve: Curve, how: str, low: float | None = None, high: float | None = None) -> float:
    """What y is divided by to be made alike: its maximum, its area, its mean in a band, or its value at `low`.

    In the unit of y (for an area, times that of x). Raises InputError where there is no such number above zero.
    """
    used = curve.used
    x, y = used.x, used.y
    if how == "as they are":
        return 1.0
    if not x.size:
        raise InputError("there is no point to go by.")
    if how == "by maximum":
        found, said = float(y.max()), "its maximum"
    elif how == "by area":
        with np.errstate(over="ignore"):
            found, said = float(np.trapezoid(*_in_order(used)[::-1])), "its area"
    elif how == "by a band":
        if low is None or high is None:
            raise InputError("give the two ends of the band.")
        inside = (x >= min(low, high)) & (x <= max(low, high))
        if not inside.any():
            raise InputError(f"it has no point between {low:g} and {high:g}.")
        found, said = float(y[inside].mean()), "its mean in the band"
    else:
        if low is None:
            raise InputError("give the place.")
        if not x.min() <= low <= x.max():
            raise InputError(f"it does not reach {low:g}.")
        found, said = float(np.interp(low, *_in_order(used))), f"its value at {low:g}"
    if not np.isfinite(found) or found <= 0:
        raise InputError(f"{said} is {found:.4g}, and only a number above zero can be divided by.")
    return found


def as_map(curves: Sequence[Curve], columns: int = 600) -> tuple[Floats, Floats]:
    """The curves as rows over one grid of x: the grid of shape (columns,), y of shape (curves, columns).

    Where a curve has no point near, its row has no number. Raises InputError where there is no curve with points.
    """
    used = [curve.used for curve in curves]
    spans = [(float(one.x.min()), float(one.x.max())) for one in used if len(one)]
    if not spans:
        raise InputError("There is no curve with points to draw as a map.")
    grid = np.linspace(min(low for low, _ in spans), max(high for _, high in spans), columns)
    rows = np.full((len(used), columns), np.nan)
    for row, one in zip(rows, used, strict=True):
        if len(one):
            row[:] = np.interp(grid, *_in_order(one), left=np.nan, right=np.nan)
    return grid, rows
