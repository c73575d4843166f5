"""Variograms: how unlike values are by how far they lie apart, from points and as a law of the distance."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError

Shape = Literal["spherical", "exponential", "gaussian", "matern"]
_REST = 0.05
"""The range of a law that has no end is where this share of the likeness is left (common practice)."""
_MOST_POINTS, _BINS, _LEAST_PAIRS = 2500, 18, 10
_WIDEST = 3.0
_SEED = 5


@dataclass(frozen=True)
class Variogram:
    """γ(h) = nugget + sill·(1 − ρ(h/range)). `range` is a distance, `sill` without the nugget, in z's unit squared.

    `angle` (degrees from x towards y) is the direction in which the range holds; across it the range is `ratio` times
    as long.
    """

    shape: Shape
    nugget: float
    sill: float
    range: float
    smoothness: float = 1.5
    angle: float = 0.0
    ratio: float = 1.0

    def likeness(self, h: Floats) -> Floats:
        """ρ at distances of any shape, already turned and stretched by `turned`."""
        return likeness(self.shape, h / self.range, self.smoothness)

    def at(self, h: Floats) -> Floats:
        """γ at distances above zero, of any shape."""
        return self.nugget + self.sill * (1.0 - self.likeness(h))

    def turned(self, xy: Floats) -> Floats:
        """Places of shape (k, 2) so that distances are those along `angle` everywhere."""
        if self.ratio == 1.0:
            return xy
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        along, across = xy @ np.array([c, s]), xy @ np.array([-s, c])
        return np.column_stack([along, across / self.ratio])


def likeness(shape: Shape, share: Floats, smoothness: float) -> Floats:
    """The correlation at a distance of so many ranges; any shape of array."""
    if shape == "spherical":
        s = np.minimum(share, 1.0)
        made: Floats = s * s
        made *= 0.5
        made -= 1.5
        made *= s
        made += 1.0
        return made
    if shape == "exponential":
        return np.exp(math.log(_REST) * share)
    if shape == "gaussian":
        return np.exp(math.log(_REST) * share * share)
    return _matern(share * _matern_range(smoothness), smoothness)


def _matern(t: Floats, nu: float) -> Floats:
    if nu in (1.5, 2.5):  # closed forms: Bessel functions take a hundred times as long
        s = np.asarray(math.sqrt(2 * nu) * t)
        made: Floats = s + 1.0
        if nu == 2.5:
            made += s * s / 3
        np.negative(s, out=s)
        made *= np.exp(s, out=s)
        return made
    from scipy.special import gamma, kv

    s = math.sqrt(2 * nu) * np.maximum(t, 1e-12)
    with np.errstate(all="ignore"):
        made = 2 ** (1 - nu) / gamma(nu) * s**nu * kv(nu, s)
    return np.where(t < 1e-10, 1.0, np.nan_to_num(made, nan=0.0))


@lru_cache(maxsize=32)
def _matern_range(nu: float) -> float:
    from scipy.optimize import brentq

    return float(brentq(lambda t: float(_matern(np.array(t), nu)) - _REST, 1e-3, 50.0))


@dataclass(frozen=True, eq=False)
class Measured:
    """The variogram of points: mean distance, half the mean squared difference and number of pairs of each class."""

    h: Floats
    gamma: Floats
    pairs: Floats
    widest: float
    """The largest distance that is looked at: half of the largest between two points."""


def measured(xy: Floats, z: Floats) -> Measured:
    """The variogram of values z, of shape (n,), at places of shape (n, 2). More than 2,500 points are drawn from.

    Matheron's estimator (1962). Raises InputError for fewer than five points or equal values.
    """
    from scipy.spatial.distance import pdist

    if z.size < 5:
        raise InputError(f"a variogram needs five points and more, and there are {z.size}.")
    if not np.ptp(z) > 0:
        raise InputError("all values are equal: there is no variogram; every way of filling gives that value.")
    if z.size > _MOST_POINTS:
        drawn = np.random.default_rng(_SEED).choice(z.size, _MOST_POINTS, replace=False)
        xy, z = xy[drawn], z[drawn]
    h, half = pdist(xy), 0.5 * pdist(z[:, None], "sqeuclidean")
    widest = 0.5 * float(h.max())
    # classes of about the same number of pairs near zero, where the nugget is decided, wider ones further out
    edges = widest * np.linspace(0, 1, _BINS + 1) ** 1.3
    which = np.digitize(h, edges) - 1
    near = which < _BINS
    count = np.bincount(which[near], minlength=_BINS).astype(float)
    enough = count >= min(_LEAST_PAIRS, count.max())
    with np.errstate(invalid="ignore"):
        mean_h = np.bincount(which[near], h[near], _BINS) / count
        gamma = np.bincount(which[near], half[near], _BINS) / count
    return Measured(mean_h[enough], gamma[enough], count[enough], widest)


@dataclass(frozen=True)
class Settled:
    """A fitted variogram; `doubt` says why it is a guess, where it is one."""

    law: Variogram
    doubt: str = ""
    cost: float = 0.0
    """What was made least: to be compared between shapes fitted in the same way."""


SHAPES: tuple[Shape, ...] = ("spherical", "exponential", "matern")
"""The shapes among which the likeliest is chosen; the Gaussian one promises too much to be taken unasked."""


def settle(
    found: Measured, asked: Variogram, nugget: float | None, sill: float | None, range_: float | None
) -> Settled:
    """The variogram of a shape that fits best; what is given stays. Weights are pairs/γ² (Cressie 1985).

    For each range nugget and sill follow by least squares without negative ones; the range is looked for.
    """
    from scipy.optimize import minimize_scalar

    floor = 1e-3 * float(found.gamma.max())
    weights = np.sqrt(found.pairs) / np.maximum(found.gamma, floor)

    def with_range(length: float) -> tuple[float, Variogram]:
        rise = 1.0 - likeness(asked.shape, found.h / length, asked.smoothness)
        best_nugget, best_sill = _heights(rise, found.gamma, weights, nugget, sill)
        miss = weights * (best_nugget + best_sill * rise - found.gamma)
        return float(miss @ miss), replace(asked, nugget=best_nugget, sill=best_sill, range=length)

    if range_ is not None:
        law = with_range(range_)[1]
    else:
        least = 0.5 * float(found.h[0])
        tried = np.geomspace(least, _WIDEST * found.widest, 60)
        at = int(np.argmin([with_range(float(length))[0] for length in tried]))
        low, high = tried[max(at - 1, 0)], tried[min(at + 1, tried.size - 1)]
        fine = minimize_scalar(
            lambda t: with_range(math.exp(t))[0], bounds=(math.log(low), math.log(high)), method="bounded"
        )
        law = with_range(math.exp(float(fine.x)))[1]
    return Settled(law, _doubt(law, found.widest) if range_ is None else "", with_range(law.range)[0])


def _heights(
    rise: Floats, gamma: Floats, weights: Floats, nugget: float | None, sill: float | None
) -> tuple[float, float]:
    from scipy.optimize import nnls

    if nugget is not None and sill is not None:
        return nugget, sill
    ones = np.ones_like(rise)
    if nugget is not None or sill is not None:
        known = (nugget or 0.0) + (sill or 0.0) * rise
        column = rise if nugget is not None else ones
        wide = float((weights * column) @ (weights * column))
        free = max(float((weights * column) @ (weights * (gamma - known))) / wide, 0.0) if wide > 0 else 0.0
        return (nugget, free) if nugget is not None else (free, sill or 0.0)
    scale = float(gamma.max())
    found, _ = nnls(np.column_stack([ones, rise]) * weights[:, None] * scale, weights * gamma)
    return float(found[0] * scale), float(found[1] * scale)


_LIKELY_POINTS = 200
_LEAST_NOISE, _MOST_HEIGHT = 1e-9, 1e4
"""A nugget that is none, in sills; and how many times the scatter of the values sill and nugget may be."""


@dataclass(frozen=True, eq=False)
class _Likelihood:
    """How likely values are under variograms of a shape, by the logarithms of what is `free` of sill, nugget, range.

    Where sill and nugget are both free and points have no u of their own, the sill `follows` from their ratio: it is
    1, and what the values make of it is the height.
    """

    begin: Variogram
    z: Floats
    own: Floats
    apart: Floats
    known: tuple[float | None, float | None, float | None]
    follows: bool
    unit: float
    shortest: float
    longest: float

    @property
    def free(self) -> list[int]:
        """Which of sill, nugget and range are looked for."""
        return [k for k in range(3) if self.known[k] is None]

    def law(self, logs: Floats) -> Variogram:
        """The variogram of logarithms of shape (free,)."""
        made = list(self.known)
        for k, log in zip(self.free, logs, strict=True):
            made[k] = math.exp(log)
        return replace(self.begin, sill=made[0] or 0.0, nugget=made[1] or 0.0, range=made[2] or 1.0)

    def judged(self, logs: Floats) -> tuple[float, float]:
        """Minus twice the restricted likelihood, and the height."""
        one, n = self.law(logs), self.z.size
        beyond = max(one.sill, one.nugget) > _MOST_HEIGHT * self.unit
        if beyond or (self.known[2] is None and not self.shortest <= one.range <= self.longest):
            return math.inf, 1.0
        inner = one.sill * one.likeness(self.apart)
        inner[np.diag_indices(n)] += one.nugget + self.own + _LEAST_NOISE * one.sill
        logs_of, rest = _restricted(inner, self.z)
        if not self.follows:
            return logs_of + rest, 1.0
        height = max(rest / (n - 1), 1e-300)
        return logs_of + (n - 1) * (math.log(height) + 1.0), height


def likeliest(
    xy: Floats,
    z: Floats,
    own: Floats,
    begin: Variogram,
    nugget: float | None,
    sill: float | None,
    range_: float | None,
    widest: float,
) -> Settled:
    """The variogram under which the values are likeliest, by restricted maximum likelihood (Kitanidis 1983).

    `xy` has shape (n, 2), turned; `z` and `own`, the variance of each point's own u, have shape (n,). It begins from
    `begin`; what is given stays. More than 200 points are drawn from. Where sill and nugget are both free and points
    have no u of their own, the sill follows from their ratio, and only that and the range are looked for.
    """
    if z.size > _LIKELY_POINTS:
        drawn = np.random.default_rng(_SEED).choice(z.size, _LIKELY_POINTS, replace=False)
        xy, z, own = xy[drawn], z[drawn], own[drawn]
    apart = np.sqrt(((xy[:, None, :] - xy[None, :, :]) ** 2).sum(axis=-1))
    spread = float(np.var(z)) or 1.0
    shortest = 0.25 * float(np.median(np.sort(apart, axis=1)[:, 1]))
    follows = sill is None and nugget is None and not own.any()
    unit = 1.0 if follows else spread
    known = (1.0 if follows else sill, nugget, range_)
    found = _Likelihood(begin, z, own, apart, known, follows, unit, shortest, 4 * _WIDEST * widest)
    if not found.free:
        return Settled(found.law(np.empty(0)), "", found.judged(np.empty(0))[0])
    first = [max(begin.sill, 1e-3 * spread), max(begin.nugget, 1e-4 * spread), min(max(begin.range, shortest), widest)]
    begun = np.array([first[0], first[1] / first[0] if follows else first[1], first[2]])
    logs, cost = _looked_for(found, np.log(begun[found.free]))
    best, height = found.law(logs), found.judged(logs)[1]
    best = replace(best, sill=best.sill * height, nugget=best.nugget * height)
    if nugget is None and best.nugget <= 3 * _LEAST_NOISE * (best.sill if follows else spread):
        best = replace(best, nugget=0.0)
    return Settled(best, _doubt(best, 2 * widest) if range_ is None else "", cost)


def _looked_for(found: _Likelihood, start: Floats) -> tuple[Floats, float]:
    """The likeliest logarithms, and what was made least."""
    from scipy.optimize import minimize

    options: Any = {"maxiter": 60 * start.size, "xatol": 0.03, "fatol": 0.02}

    def look(logs: Floats) -> Any:
        return minimize(lambda one: found.judged(one)[0], logs, method="Nelder-Mead", options=options)  # type: ignore[call-overload]

    ended = look(start)
    law = found.law(ended.x)
    if 1 in found.free and law.nugget < 0.05 * law.sill:  # on a scale of logarithms nothing is far away
        without = ended.x.copy()
        without[found.free.index(1)] = math.log(_LEAST_NOISE * found.unit)
        ended = min(ended, look(without), key=lambda one: float(one.fun))
    return np.asarray(ended.x), float(ended.fun)


def _restricted(inner: Floats, z: Floats) -> tuple[float, float]:
    """The logarithms and the sum of squares of the restricted likelihood of z; inf for what is no covariance."""
    from scipy.linalg import solve_triangular

    try:
        factor = np.linalg.cholesky(inner)
    except np.linalg.LinAlgError:
        return math.inf, 1.0
    seen = solve_triangular(factor, np.column_stack([np.ones(z.size), z]), lower=True, check_finite=False)
    total = float(seen[:, 0] @ seen[:, 0])
    left = seen[:, 1] - seen[:, 0] * float(seen[:, 0] @ seen[:, 1]) / total
    return 2 * float(np.log(np.diag(factor)).sum()) + math.log(total), float(left @ left)


def _doubt(law: Variogram, widest: float) -> str:
    if law.sill <= 1e-6 * law.nugget:
        return "values do not become more alike nearer by: only the mean is known"
    if law.range > widest:
        return "the variogram does not settle within the extent; take a slope or bend out first, or set a range"
    return ""
