"""A curve asked without a fit: y at an x by several ways side by side, and what a stretch of it holds."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted

_WINDOW = 24
"""Points on each side that a spline's value is taken from: one this far away counts for less than 1e-13 of its y."""
_TURN = 0.01
"""Share of its u by which a point is moved to see what a way that is not linear in y makes of it."""


@dataclass(frozen=True)
class AtX:
    """y at an x by one way; `u` is None where the points' own is not known; `about`: where it is from."""

    way: str
    y: float
    u: float | None
    about: str


@dataclass(frozen=True)
class OverBand:
    """What the points between two x hold, ends included; points that are left out are not counted.

    `sd` is that of a sample (n − 1), `standard_error` sd/√n; both NaN for a single point. The places are x.
    """

    n: int
    mean: float
    sd: float
    standard_error: float
    low: float
    low_at: float
    high: float
    high_at: float
    total: float


def y_at(curve: Curve, x: float) -> list[AtX]:
    """y at x by the nearest and the previous point, straight lines, splines of degree two and three, a monotone cubic.

    The splines are SciPy's: ``make_interp_spline`` with k = 2, ``CubicSpline`` (not-a-knot), ``PchipInterpolator``
    (Fritsch and Butland 1984). u carries that of the points through, taken as independent. Beyond the data, nearest and
    previous keep the last point and the others go on as they end; every answer there says so. Points that share an x
    count as their mean. Raises InputError when x turns back, or the curve has fewer than two points.
    """
    if not math.isfinite(x):
        raise InputError("Ask for y at a number, such as 12.5.")
    xs, ys, us = _in_order(curve)
    beyond = x < xs[0] or x > xs[-1]
    right = int(np.searchsorted(xs, x, side="right"))
    before = max(right - 1, 0)
    close = before if right == xs.size or x - xs[before] <= xs[right] - x else right
    first, last = max(0, before - _WINDOW), min(xs.size, before + _WINDOW + 2)
    near = slice(first, last)
    wx, wy = xs[near], ys[near]
    wu = None if us is None else us[near]
    word = f"beyond the data, which end at {xs[0] if x < xs[0] else xs[-1]:.6g}" if beyond else ""

    def at_point(way: str, i: int) -> AtX:
        return AtX(way, float(ys[i]), None if us is None else float(us[i]), word or f"at {xs[i]:.6g}")

    none = AtX("previous point", math.nan, None, f"there is none before {xs[0]:.6g}")
    found = [at_point("nearest point", close), none if x < xs[0] else at_point("previous point", before)]
    for way, least, at in _WAYS:
        if xs.size < least:
            found.append(AtX(way, math.nan, None, f"needs {least} points"))
            continue
        found.append(AtX(way, at(wx, wy, x), _carried(wx, wy, wu, x, at), word))
    return found


def _in_order(curve: Curve) -> tuple[Floats, Floats, Floats | None]:
    """x rising, without doubles, with y and u; the points left out are not there."""
    used = curve.used
    xs, ys, us = used.x, used.y, used.u
    if xs.size > 1 and np.all(np.diff(xs) <= 0):
        xs, ys, us = xs[::-1], ys[::-1], None if us is None else us[::-1]
    if np.any(np.diff(xs) < 0):
        raise InputError(
            f"{curve.x_label or 'x'} turns back, so that several y belong to one x. Keep a branch of the curve by a "
            "step, then ask again."
        )
    if np.any(np.diff(xs) == 0):
        xs, place, count = np.unique(xs, return_inverse=True, return_counts=True)
        ys = np.bincount(place, ys) / count
        us = None if us is None else np.sqrt(np.bincount(place, us**2)) / count
    if xs.size < 2:
        raise InputError(f"The curve has {counted(int(xs.size), 'point')} at different x; two are needed.")
    return xs, ys, us


def _line(xs: Floats, ys: Floats, x: float) -> float:
    i = min(max(int(np.searchsorted(xs, x, side="right")) - 1, 0), xs.size - 2)
    share = (x - xs[i]) / (xs[i + 1] - xs[i])
    return float(ys[i] + share * (ys[i + 1] - ys[i]))


def _parabola(xs: Floats, ys: Floats, x: float) -> float:
    from scipy.interpolate import make_interp_spline

    return float(make_interp_spline(xs, ys, k=2)(x))


def _cubic(xs: Floats, ys: Floats, x: float) -> float:
    from scipy.interpolate import CubicSpline

    return float(CubicSpline(xs, ys)(x))


def _monotone(xs: Floats, ys: Floats, x: float) -> float:
    from scipy.interpolate import PchipInterpolator

    return float(PchipInterpolator(xs, ys)(x))


_At = Callable[[Floats, Floats, float], float]
_WAYS: tuple[tuple[str, int, _At], ...] = (
    ("straight lines", 2, _line),
    ("quadratic spline", 3, _parabola),
    ("cubic spline", 4, _cubic),
    ("monotone cubic", 2, _monotone),
)


def _carried(xs: Floats, ys: Floats, us: Floats | None, x: float, at: _At) -> float | None:
    """u of a way's answer: each point is moved by a small share of its u to both sides."""
    if us is None:
        return None
    total = 0.0
    for i in range(xs.size):
        step = np.zeros(xs.size)
        step[i] = _TURN * us[i]
        total += ((at(xs, ys + step, x) - at(xs, ys - step, x)) / (2 * _TURN)) ** 2
    return math.sqrt(total)


def over(curve: Curve, low: float | None, high: float | None) -> OverBand:
    """What the points from low to high hold (None: to the end). Raises InputError when there is none."""
    used = curve.used
    if low is not None and high is not None and low > high:
        low, high = high, low
    inside = np.ones(len(used), bool)
    if low is not None:
        inside &= used.x >= low
    if high is not None:
        inside &= used.x <= high
    y, x = used.y[inside], used.x[inside]
    if not y.size:
        raise InputError(
            f"There is no point between {low:g} and {high:g}." if len(used) else "The curve has no points."
        )
    sd = float(np.std(y, ddof=1)) if y.size > 1 else math.nan
    at_low, at_high = int(np.argmin(y)), int(np.argmax(y))
    return OverBand(
        n=int(y.size), mean=float(np.mean(y)), sd=sd, standard_error=sd / math.sqrt(y.size),
        low=float(y[at_low]), low_at=float(x[at_low]), high=float(y[at_high]), high_at=float(x[at_high]),
        total=math.fsum(y.tolist()),
    )  # fmt: skip
