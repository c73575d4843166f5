"""The points that a measure looks at, and where the u of a measured quantity comes from: theirs, or their scatter."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError, counted

_MAD_TO_SIGMA = 1.4826
"""Standard deviation over median absolute deviation for normal noise, 1/Φ⁻¹(3/4)."""
_FEWEST = 9
_LONG, _EVERY = 4000, 4
_SAME = 1e-12
"""Share of the extent of x within which two x are the same."""
_PIECE = 8192
"""Points at a time, so that what is worked on stays in the processor's cache."""


@dataclass(frozen=True, eq=False)
class Stretch:
    """Points of a curve that its steps left in, in the order of x: arrays of shape (n,), and their `rows` in it."""

    x: Floats
    y: Floats
    u: Floats | None
    rows: NDArray[np.intp]
    known: dict[str, Any] = field(default_factory=dict, repr=False)
    """What was worked out of these very points, once for all that ask."""

    def __len__(self) -> int:
        return int(self.x.size)

    def take(self, which: Any) -> Stretch:
        """Some of the points: a slice, or an array of places or of yes and no."""
        u = None if self.u is None else self.u[which]
        return Stretch(self.x[which], self.y[which], u, self.rows[which])


@dataclass(frozen=True)
class Spread:
    """Where the standard uncertainty of a curve's points is from: their own u, or one `noise` for all; None: unknown.

    `said` tells which, for the sentence of a measure.
    """

    noise: float | None
    said: str

    def at(self, points: Stretch) -> Floats | None:
        """The u of some points of the curve, of shape (n,), or None where nothing tells it."""
        if points.u is not None:
            return points.u
        return None if self.noise is None else np.full(len(points), self.noise)

    def of(self, gradient: Floats, points: Stretch) -> float | None:
        """√Σ(gᵢuᵢ)²: the u of a quantity with these slopes against the points' y, of shape (n,), taken as independent.

        JCGM 100:2008, 5.1.2.
        """
        u = self.at(points)
        return None if u is None else float(np.sqrt(np.sum((gradient * u) ** 2)))


def noise_along(x: Floats, y: Floats) -> float:
    """The standard deviation of the noise of a curve with rising x, blind to level, slope and bend; NaN for few points.

    The robust size of each point's distance from the cubic through the two neighbours on either side, over what that
    distance has for independent noise (after T. Gasser, L. Sroka, C. Jennen-Steinmetz, Biometrika 73 (1986) 625; from
    memory; with four neighbours for two, and the median for their mean). `x` and `y` have shape (n,); the unit is that
    of y. Points that share their x with a neighbour are passed over.
    """
    if x.size < _FEWEST or not x[-1] > x[0]:
        return math.nan
    x = (x - x[0]) / (x[-1] - x[0])  # products of three distances stay numbers, whatever the unit
    distinct = np.concatenate([[True], np.diff(x) > _SAME])
    x, y = x[distinct], y[distinct]
    if x.size < _FEWEST:
        return math.nan
    apart = np.empty(x.size - 4)
    for begin in range(0, apart.size, _PIECE):
        piece = slice(begin, begin + _PIECE + 4)
        apart[begin : begin + _PIECE] = off_cubic(x[piece], y[piece])
    return float(_MAD_TO_SIGMA * np.median(apart))


def noise_of_points(points: Stretch) -> float:
    """The noise along some points (see `noise_along`); of many, every fourth piece of 4,000 tells it as well."""
    if "noise" not in points.known:
        x, y = points.x, points.y
        if len(points) > _LONG * _EVERY:
            pieces = np.flatnonzero(np.arange(len(points)) // _LONG % _EVERY == 0)
            x, y = x[pieces], y[pieces]
        points.known["noise"] = noise_along(x, y)
    return float(points.known["noise"])


def off_cubic(x: Floats, y: Floats) -> Floats:
    """How far each point is off the cubic through its four neighbours, over what noise of one gives.

    `x` and `y` have shape (n,), the answer (n − 4,), in the unit of y.
    """
    near = [x[k : x.size - 4 + k] for k in (0, 1, 3, 4)]
    a, b, c, d = (x[2:-2] - other for other in near)
    ab, ac, ad, bc, bd, cd = (one - other for one, other in combinations(near, 2))
    weights = (b * c * d / (ab * ac * ad), a * c * d / (ab * bc * bd), a * b * d / (ac * bc * cd),
               a * b * c / (ad * bd * cd))  # fmt: skip
    apart, squares = y[2:-2].copy(), np.ones(x.size - 4)
    for k, sign, weight in zip((0, 1, 3, 4), (-1, 1, -1, 1), weights, strict=True):
        apart += sign * weight * y[k : y.size - 4 + k]
        squares += weight * weight
    return np.abs(apart) / np.sqrt(squares)


def whole(curve: Curve) -> Stretch:
    """The used points of a curve, in the order of x."""
    rows = np.flatnonzero((curve.flags & Flag.LEFT_OUT) == 0)
    rows = rows[np.argsort(curve.x[rows], kind="stable")]
    return Stretch(curve.x[rows], curve.y[rows], None if curve.u is None else curve.u[rows], rows)


def joined(one: Stretch, other: Stretch) -> Stretch:
    """Two stretches that share no points, the one before the other."""
    u = None if one.u is None or other.u is None else np.concatenate([one.u, other.u])
    rows = np.concatenate([one.rows, other.rows])
    return Stretch(np.concatenate([one.x, other.x]), np.concatenate([one.y, other.y]), u, rows)


def spread_of(points: Stretch) -> Spread:
    """The spread of all points of a curve: their own u, or the noise along the curve, the same for all."""
    if points.u is not None:
        return Spread(None, "u from the u of the points")
    noise = noise_of_points(points)
    if not math.isfinite(noise):
        return Spread(None, f"no u: {counted(len(points), 'point')} are too few to tell their noise")
    return Spread(noise, "u from the scatter along the curve")


def band(points: Stretch, low: float | None, high: float | None, least: int = 1) -> Stretch:
    """The points from low to high, ends included (None: to the end). Raises InputError when fewer than `least`."""
    first = 0 if low is None else int(np.searchsorted(points.x, low, "left"))
    last = len(points) if high is None else int(np.searchsorted(points.x, high, "right"))
    count = max(last - first, 0)
    if count < least:
        ends = f"{'the start' if low is None else f'{low:g}'} and {'the end' if high is None else f'{high:g}'}"
        raise InputError(
            f"there {'is' if count == 1 else 'are'} {count or 'no'} point{'' if count == 1 else 's'} between {ends}, "
            f"and {least} {'is' if least == 1 else 'are'} needed; the curve runs from {points.x[0]:g} to "
            f"{points.x[-1]:g}. Drag the band over it."
        )
    return points if count == len(points) else points.take(slice(first, last))


_MOST_DECADES, _SMALLEST, _LARGEST = 12, 1e-40, 1e40


def above_zero(points: Stretch) -> Stretch:
    """The points with x above zero, as laws of scattering need; raises InputError where there are none.

    Neither may they be so far apart, or so small or large, that powers of them are beyond all numbers.
    """
    kept = points if len(points) and points.x[0] > 0 else points.take(points.x > 0)
    if not len(kept):
        raise InputError("no point there has q above zero, and laws of scattering need it.")
    low, high = float(kept.x[0]), float(kept.x[-1])
    if not (low > _SMALLEST and high < _LARGEST and high / low < 10.0**_MOST_DECADES):
        raise InputError(f"q from {low:.3g} to {high:.3g} is beyond what such laws are good for; choose its unit.")
    return kept


def passed_over(points: Stretch) -> str:
    """A word on the points that `above_zero` leaves, for the sentence of what uses it; nothing where there are none."""
    count = int((points.x <= 0).sum())
    return f"; {counted(count, 'point')} with q at or below 0 passed over" if count else ""


def of_decades(curve: Curve, *shares: float) -> tuple[float, ...]:
    """The x at shares of the curve's decades, to three digits; none for a curve without two x above zero."""
    x = curve.used.x
    x = x[x > 0]
    if x.size < 2:
        return ()
    low, high = float(x.min()), float(x.max())
    if not high / low < 10.0**_MOST_DECADES:
        return ()
    return tuple(float(f"{low * (high / low) ** share:.3g}") for share in shares)


def single_valued(points: Stretch) -> Stretch:
    """The same for measures that ask for y at an x: raises InputError where several points share an x."""
    shared = np.flatnonzero(np.diff(points.x) <= 0)
    if shared.size:
        at = float(points.x[shared[0]])
        raise InputError(
            f"several points share x = {at:g}, so that y has no one value; put Sort and merge before, or keep a branch."
        )
    return points
