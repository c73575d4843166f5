"""Guinier's law, its forms for rods and sheets, and the stretch of a curve over which it holds."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.log_fits import log_fitted
from curvesieve.core.scatter import Stretch

FORMS = {"particle": (0, 3.0), "rod": (1, 2.0), "sheet": (2, 1.0)}
"""The power of q that stands before I, and what Rg² is divided by: ln(qⁿ·I) = ln(I₀) − q²Rg²/m."""
LEAST = 5
_OF_SPHERE = 0.0048
"""ln P of a sphere falls below −(qRg)²/3 by so many times (qRg)⁴ (its series to the fourth order)."""
REACH = 1.3
"""The q·Rg that the law is trusted to; common practice for globules."""
_BENT, _OFF = 3.0, 3.5
"""A stretch bends where its bend is so many times its u; points before it are off its line where their mean is by so
many of its u."""
_BEGINS, _ENDS, _CAREFUL, _NEARLY = 16, 32, 12, 1.05
"""Places that a stretch may begin and end at, how many of the best are fitted with care, and how far beyond the largest
q·Rg the rough ones may be."""


@dataclass(frozen=True, eq=False)
class Fall:
    """qⁿ·I = height·exp(−rate·q²) over some points; what both change by with the y of each, of shape (2, points).

    `covariance` is theirs by the points' u or by the scatter, None for two points; `turn` is how far the rate may be
    off as the curve bends, of the size of a standard uncertainty.
    """

    points: Stretch
    form: str
    height: float
    rate: float
    slopes: Floats
    covariance: Floats | None
    turn: float
    bend: float
    """The bend of ln(qⁿ·I) in q⁴ over its own u; 0 where too few points tell it."""
    chi2: float | None
    """Per degree of freedom, where the points have u."""

    @property
    def radius(self) -> float:
        """Rg: of a particle, across a rod, across a sheet. Raises InputError where nothing falls."""
        if not self.rate > 0:
            raise InputError("the curve does not fall there, so that it has no radius; choose another band.")
        return math.sqrt(FORMS[self.form][1] * self.rate)

    @property
    def u_rate(self) -> float | None:
        """The standard uncertainty of the rate, with how far the stretch may bend."""
        return None if self.covariance is None else math.hypot(math.sqrt(float(self.covariance[1, 1])), self.turn)

    @property
    def reach(self) -> float:
        """q·Rg at the last point."""
        return float(self.points.x[-1]) * self.radius

    def at(self, x: Floats) -> Floats:
        """The law at x, as the curve's own y; both of shape (n,)."""
        return np.asarray(self.height * np.exp(-self.rate * x * x) / x ** FORMS[self.form][0])


def fall(points: Stretch, form: str = "particle") -> Fall:
    """Guinier's law through points, by least squares of I itself, weighted by u; without u by a u in proportion to I.

    I at zero or below counts like the rest. Raises InputError for fewer than two points, and where no point is above 0.
    """
    if len(points) < 2 or np.ptp(points.x) == 0:
        raise InputError("Guinier's law needs two points at different q; widen the band.")
    n = FORMS[form][0]
    t, z = points.x**2, points.y * points.x**n
    u = None if points.u is None else points.u * points.x**n
    straight = log_fitted(t, z, u)
    values, covariance = straight.values, straight.covariance
    turn = bend = 0.0
    if len(points) > 3:
        bent = log_fitted(t, z, u, 2)
        if bent.covariance is not None and covariance is not None and bent.covariance[2, 2] > 0:
            bend = float(bent.values[2] / math.sqrt(bent.covariance[2, 2]))
            apart = float(bent.values[1] - values[1]) ** 2 - max(float(bent.covariance[1, 1] - covariance[1, 1]), 0.0)
            turn = math.sqrt(max(apart, 0.0))
    of_sphere = _OF_SPHERE * float(t[-1]) * (3 * abs(values[1])) ** 2
    scale = points.x**n
    height = math.exp(float(values[0]))
    slopes = np.array([height * straight.slopes[0], -straight.slopes[1]]) * scale
    if covariance is not None:
        sign = np.array([height, -1.0])
        covariance = covariance * np.outer(sign, sign)
    return Fall(
        points, form, height, -float(values[1]), slopes, covariance, math.hypot(turn, of_sphere), bend, straight.chi2
    )


@dataclass(frozen=True, eq=False)
class Found:
    """The fall over the stretch that was found; what the points before it do: ``upturn``, ``downturn`` or nothing."""

    fall: Fall
    before: str = ""


def found_fall(points: Stretch, form: str = "particle", most: float = REACH) -> Found:
    """The stretch with q·Rg up to `most` whose rate is known best, its bend taken in; points before it may be left.

    Raises InputError when no stretch falls so.
    """
    positive = points.take(points.x > 0)
    if len(positive) < LEAST:
        raise InputError(
            f"{counted(len(positive), 'point')} with q above zero are too few for Guinier's law; {LEAST} are needed."
        )
    best: Fall | None = None
    for first, end in _promising(positive, form, most):
        try:
            one = fall(positive.take(slice(first, end)), form)
            if one.u_rate is None or abs(one.bend) > _BENT or one.reach > most:
                continue
        except InputError:
            continue
        if best is None or one.u_rate / one.rate < best.u_rate / best.rate:  # type: ignore[operator]
            best = one
    if best is None:
        raise InputError(
            f"no stretch of {LEAST} points falls by Guinier's law with q·Rg up to {most:g}; the smallest q may be too "
            "large for this size, or give a band by hand."
        )
    return Found(best, _before(positive, best))


def _promising(points: Stretch, form: str, most: float) -> list[tuple[int, int]]:
    """The stretches, as first and end, whose rate a line through ln(qⁿI) tells best; all at once, from running sums."""
    n = len(points)
    last = max(1, min(n - LEAST, n // 2))
    begins = np.unique(np.round(np.linspace(0, last, min(last, _BEGINS))).astype(int))
    ends = np.unique(np.round(np.geomspace(LEAST, n, _ENDS)).astype(int))
    first, end = (one.ravel() for one in np.meshgrid(begins, ends, indexing="ij"))
    good = end - first >= LEAST
    first, end = first[good], end[good]
    top = float(points.x[-1]) ** 2
    t, z = points.x**2 / top, points.y * (points.x / points.x[-1]) ** FORMS[form][0]
    above = z > 0
    log_z = np.log(np.where(above, z, 1.0))
    weight = above * (1.0 if points.u is None else (points.y / points.u) ** 2)
    powers = np.array([t**k for k in range(5)])
    rows = np.concatenate([weight * powers, weight * log_z * powers[:3], [weight * log_z**2, above * 1.0]])
    run = np.concatenate([np.zeros((rows.shape[0], 1)), np.cumsum(rows, axis=1)], axis=1)
    sums = run[:, end] - run[:, first]
    with np.errstate(all="ignore"):
        count = sums[9]
        line, bent = _polynomial(sums, 2), _polynomial(sums, 3)
        scale = 1.0 if points.u is not None else np.maximum(line[2], 1e-30) / np.maximum(count - 2, 1)
        rate, var = -line[0], line[1] * scale
        apart = np.where(count > 3, (bent[0] - line[0]) ** 2 - (bent[1] - line[1]) * scale, 0.0)
        t_end = t[end - 1]
        size = np.sqrt(var + np.maximum(apart, 0) + (_OF_SPHERE * t_end * 9 * rate**2) ** 2) / rate
        reach = np.sqrt(FORMS[form][1] * rate * t_end)
        fine = (rate > 0) & (reach <= most * _NEARLY) & np.isfinite(size) & (count >= LEAST - 1)
    order = np.flatnonzero(fine)[np.argsort(size[fine], kind="stable")][:_CAREFUL]
    return [(int(first[k]), int(end[k])) for k in order]


def _polynomial(sums: Floats, terms: int) -> tuple[Floats, Floats, Floats]:
    """The slope at t = 0 of weighted polynomials, its variance for u as they are, and the weighted squares left."""
    matrix = np.array([[sums[i + j] for j in range(terms)] for i in range(terms)]).transpose(2, 0, 1)
    side = sums[5 : 5 + terms].T
    inverse = np.linalg.pinv(matrix)
    values = np.einsum("kij,kj->ki", inverse, side)
    return values[:, 1], inverse[:, 1, 1], sums[8] - np.einsum("ki,ki->k", values, side)


def guinier_radius(x: Floats, y: Floats) -> float:
    """A rough radius of gyration: −3·d(ln y)/d(x²) over the smallest x, out to where x·Rg is 1.3.

    `x` and `y` have shape (n,), in the order of x, all above zero. Without a fall it is 1 over the middle x.
    """
    size, rough = x.size, 1 / float(np.sqrt(x[0] * x[-1]))
    for count in sorted({min(size, max(5, size // k)) for k in (20, 10, 6, 4, 3, 2)}):
        slope = float(np.polyfit(x[:count] ** 2, np.log(y[:count]), 1, w=np.sqrt(y[:count] / y[:count].max()))[0])
        if slope < 0:
            found = float(np.sqrt(-3 * slope))
            if x[count - 1] * found >= REACH or count == size:
                return found
            rough = found
    return rough


def _before(points: Stretch, best: Fall) -> str:
    """Whether the points before a stretch lie off its line, all together."""
    count = int(np.searchsorted(points.x, best.points.x[0]))
    if not count:
        return ""
    before = points.take(slice(0, count))
    law = best.at(before.x)
    if before.u is not None:
        off = float(((before.y - law) / before.u).sum()) / math.sqrt(count)
    else:
        spread = float(np.std(best.points.y / best.at(best.points.x) - 1)) or 1e-12
        off = float((before.y / law - 1).sum()) / spread / math.sqrt(count)
    return "upturn" if off > _OFF else "downturn" if off < -_OFF else ""
