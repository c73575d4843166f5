"""The straight stretches of a curve: the longest, the steepest, and the one whose slope is known best."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.scatter import Stretch, noise_of_points

_PLACES = 64
"""Ends that a straight stretch is looked for between."""
_LEAST_SHARE = 0.04
"""Share of the points that a straight stretch must have, and ten points."""
_BENT, _ROUGH = 3.0, 1.3
"""A stretch is straight while its curvature is below so many of its own u, and its residuals are below so many times
the noise along the curve."""
_STEEPER = 0.01
"""Share by which the beginning of a curve may be steeper than its surest stretch before that is told."""
_SURE = 4.5
"""Times its u that points must lie off a line before they are surely off it."""
_LEAST_RISE, _WHOLE_STEPS = 0.1, 1e-3
"""Share of the way to the top that the surest stretch must rise; how near to whole multiples a coarse y must be."""
_MANY = 16_000
"""Of more points than these, as many are asked whether y is in coarse steps."""
Ints = NDArray[np.intp]


def straight_stretch(points: Stretch, prefer: str = "longest") -> Stretch:
    """The straight stretch of a curve in the order of x that is longest, or steepest; see `StraightPart`.

    Raises InputError when there is none.
    """
    n = len(points)
    least = max(10, math.ceil(_LEAST_SHARE * n))
    if n < least or np.ptp(points.x) == 0:
        raise InputError(f"{counted(n, 'point')} are too few to look for a straight stretch; ten are needed.")
    noise = _noise(points)
    places = np.unique(np.round(np.linspace(0, n, min(_PLACES, n) + 1)).astype(int))
    first, last = _pairs(places, least)
    found = _straightness(points, places, first, last, noise)
    slope, u_slope = found.slope, found.u
    good = np.flatnonzero((found.bend <= _BENT) & (found.rough <= _ROUGH))
    if not good.size:
        raise InputError("no stretch of this curve is straight within its noise; give a band by hand.")
    if prefer == "longest":
        order = np.lexsort((np.abs(slope[good]), (last - first)[good]))
    else:  # of those that begin at one place the longest counts, and of these the one that is surely steepest
        longest = {int(first[k]): k for k in good[np.argsort(last[good], kind="stable")]}
        good = np.array(list(longest.values()))
        order = np.argsort(np.abs(slope[good]) - _BENT * u_slope[good], kind="stable")
    at = good[order[-1]]
    return points.take(slice(int(first[at]), int(last[at])))


@dataclass(frozen=True, eq=False)
class Surest:
    """A stretch, and how much its slope may be off where its line meets zero, as it bends: in the unit of the slope, as
    a standard uncertainty.

    `steeper` is by what share the curve is surely steeper before it, 0 where it is not: a curve that bends from its
    beginning on has no straight part that is that of its beginning.
    """

    points: Stretch
    turn: float
    steeper: float


def surest_stretch(points: Stretch) -> Surest:
    """The stretch on the way to the top (or bottom) of a curve whose slope is known best.

    Ends are looked for at 64 levels of y, so that a short elastic part of a long test has as many as a long one. Of
    stretches that rise by a tenth of the way, have ten points and residuals no rougher than 1.3 times the noise, that
    with the least u is taken: of the line, and of how far the slope turns from its middle to its ends by a parabola
    (that turn and its own u, squared and added). The turn is told as far as to where the line meets zero. After the
    thought of ASTM E3076 (noise and quantisation judged first; from memory), not its procedure. Raises InputError where
    there is none.
    """
    if len(points) < 10 or np.ptp(points.x) == 0:
        raise InputError(f"{counted(len(points), 'point')} are too few to look for a straight stretch; ten are needed.")
    sign = 1.0 if points.y.max() >= -points.y.min() else -1.0
    rising = points.take(slice(0, int(np.argmax(sign * points.y)) + 1))
    if len(rising) < 10:
        before = counted(len(rising), "point")
        raise InputError(f"{before} up to the top are too few to look for a straight stretch; give a band by hand.")
    high = np.maximum.accumulate(sign * rising.y)
    levels = np.linspace(float(high[0]), float(high[-1]), _PLACES + 1)
    places = np.unique(np.searchsorted(high, levels))
    noise = _noise(points)
    first, last = _pairs(places, 10)
    rise = sign * (rising.y[last] - rising.y[first])
    ready = rise >= _LEAST_RISE * (high[-1] - high[0])
    first, last = first[ready], last[ready]
    if not first.size:
        raise InputError("the way to the top has too few points for a straight stretch; give a band by hand.")
    found = _straightness(rising, places, first, last, noise)
    total = np.hypot(found.u, found.turn)
    good = np.flatnonzero((found.rough <= _ROUGH) & (sign * found.slope > 0) & np.isfinite(total))
    if not good.size:
        raise InputError("no stretch on the way to the top is straight within its noise; give a band by hand.")
    best = good[np.argmin(total[good] / np.abs(found.slope[good]))]
    begin, end = int(first[best]), int(last[best])
    slope, u = float(found.slope[best]), float(total[best])
    chosen = rising.take(slice(begin, end))
    steeper = max(_steeper(rising, begin, slope, u, noise), _bent(rising, chosen, begin, sign * noise))
    return Surest(chosen, float(found.turn[best]) * _far(chosen, slope), steeper)


def _far(chosen: Stretch, slope: float) -> float:
    """How much farther it is from the middle of a stretch to where its line meets zero than to its ends; at least 1."""
    half = float(chosen.x[-1] - chosen.x[0]) / 2
    return max(1.0, abs(float(chosen.y.mean()) / slope) / half) if half > 0 else 1.0


def _bent(points: Stretch, chosen: Stretch, begin: int, noise: float) -> float:
    """By what share a curve is steeper before a stretch: its line meets zero before the curve begins, and what lies
    between is surely on the near side of it.

    No toe is like that, behind whose beginning the line meets zero, and no preload, whose points lie on the line. The
    sign of `noise` is that of y.
    """
    if begin < 10:
        return 0.0
    about = chosen.x - chosen.x.mean()
    slope = float(about @ chosen.y) / float(about @ about)
    level = float(chosen.y.mean())
    x, y = points.x[:begin], points.y[:begin]
    zero = float(chosen.x.mean()) - level / slope
    line = level + slope * (x - chosen.x.mean())
    away = float(np.mean(y - line)) / noise
    reach = float(x.mean() - chosen.x.mean())
    u = math.sqrt(1 / begin + 1 / len(chosen) + reach**2 / float(about @ about))
    if zero > x[0] or away > -_SURE * u:
        return 0.0
    far = float(chosen.x.mean() - x[0])
    return max(-float(np.mean(y - line)) / (abs(slope) * far), _STEEPER) if far > 0 else 0.0


def _steeper(points: Stretch, begin: int, slope: float, u: float, noise: float) -> float:
    """By what share the first part of what lies before a stretch is surely steeper than it."""
    before = points.take(slice(0, max(begin // 2, min(begin, 10))))
    if len(before) < 10 or np.ptp(before.x) == 0:
        return 0.0
    about = before.x - before.x.mean()
    own, own_u = float(about @ before.y) / float(about @ about), noise / math.sqrt(float(about @ about))
    more = (own - slope) / slope
    return more if more > _STEEPER and abs(own - slope) > 3 * math.hypot(u, own_u) else 0.0


def _pairs(places: Ints, least: int) -> tuple[Ints, Ints]:
    """First and last of all stretches between places that have so many points."""
    first, last = (places[side] for side in np.triu_indices(places.size, 1))
    ready = last - first >= least
    return first[ready], last[ready]


def _noise(points: Stretch) -> float:
    """The noise along the curve; of a y in coarse steps at the least that of rounding to them, step/√12."""
    noise = noise_of_points(points)
    if len(points) > _MANY:
        points = points.take(slice(0, None, len(points) // _MANY))
    least = max(1e-9 * float(np.abs(points.y).max()), 1e-300)
    steps = np.diff(np.unique(points.y))
    if steps.size:
        many = steps / steps.min()
        if np.abs(many - np.round(many)).max() < _WHOLE_STEPS:
            least = max(least, float(steps.min()) / math.sqrt(12))
    return max(noise if math.isfinite(noise) else 0.0, least)


@dataclass(frozen=True, eq=False)
class _Straightness:
    """Of stretches: slope and its u, curvature in units of its own u, residuals in units of the noise, turn.

    The turn is how far the slope of a parabola goes from the middle to an end, with its own u. All have the shape
    (stretches,).
    """

    slope: Floats
    u: Floats
    bend: Floats
    rough: Floats
    turn: Floats


def _straightness(
    points: Stretch, places: NDArray[np.intp], first: NDArray[np.intp], last: NDArray[np.intp], noise: float
) -> _Straightness:
    """How straight stretches between `places` are, from sums over the pieces between these, not the points again."""
    middle, half = float(points.x[0] + points.x[-1]) / 2, float(np.ptp(points.x)) / 2
    t, y = (points.x - middle) / half, points.y - points.y.mean()
    t, y = t[: int(places[-1])], y[: int(places[-1])]
    t2, yt = t * t, y * t
    columns = (np.ones(t.size), t, t2, t2 * t, t2 * t2, y, yt, yt * t, y * y)
    sums = np.zeros((len(columns), places.size))
    sums[:, 1:] = np.cumsum([np.add.reduceat(column, places[:-1]) for column in columns], axis=1)
    where = np.searchsorted(places, np.array([first, last]))
    m0, m1, m2, m3, m4, y0, y1, y2, yy = sums[:, where[1]] - sums[:, where[0]]
    two = m0 * m2 - m1**2
    slope = (m0 * y1 - m1 * y0) / two
    level = (y0 - slope * m1) / m0
    rss = np.maximum(yy - level * y0 - slope * y1, 0.0)
    three = m0 * (m2 * m4 - m3**2) - m1 * (m1 * m4 - m2 * m3) + m2 * (m1 * m3 - m2**2)
    curvature = (y0 * (m1 * m3 - m2**2) - y1 * (m0 * m3 - m1 * m2) + y2 * two) / three
    with np.errstate(invalid="ignore", divide="ignore"):  # too few points for a parabola: no number, and not chosen
        u_bend = noise * np.sqrt(two / three)
    reach = (points.x[last - 1] - points.x[first]) / half
    turn = np.hypot(curvature, u_bend) * reach / half
    rough = np.sqrt(rss / (m0 - 2)) / noise
    return _Straightness(slope / half, noise * np.sqrt(m0 / two) / half, np.abs(curvature) / u_bend, rough, turn)
