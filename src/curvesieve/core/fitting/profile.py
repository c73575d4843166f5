"""Profile intervals and bootstrap: uncertainties that do not take the model for a straight one near the minimum.

Profile: D. M. Bates and D. G. Watts, Nonlinear Regression Analysis (1988), section 6.1. Bootstrap of residuals:
B. Efron and R. J. Tibshirani, An Introduction to the Bootstrap (1993), section 9.4 (both from memory).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.prediction import coverage
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.result import FitResult
from curvesieve.core.fitting.solver import solve

_MOST_STEPS, _MOST_HALVINGS = 60, 60
_STEEP, _SMOOTH, _MET = 0.75, 0.5, 1e-7
"""Rises of a profile, in shares of the limit: over one step, what is walked in smaller ones and what needs no second
start; and how near to the limit its end must be."""
_EVALUATIONS = 60
"""Per parameter, for a fit on the way: where a profile runs out flat, others have no end."""
_LEAST_STEP, _FAR = 1e-9, 300.0
"""Of the first step, the one to the limit of a straight model: nothing narrower is followed, and beyond is no limit."""
_BOOTSTRAPS = 400
_SEED = 93
Watch = Callable[[float], None]


@dataclass(frozen=True)
class Interval:
    """An interval of a parameter at a level; an end that the data do not limit is infinite."""

    name: str
    low: float
    high: float
    level: float


@dataclass(frozen=True, eq=False)
class Bootstrap:
    """Fits to data drawn again: s. d. and percentile interval of each free parameter; `failed` did not converge."""

    intervals: tuple[Interval, ...]
    sd: dict[str, float]
    samples: Floats
    failed: int


def _unsure(result: FitResult, name: str) -> float:
    """A first step for a parameter that has no u, since it lies on its bound."""
    return 0.1 * abs(result.parameters[name].value) or 1e-3


def _must_be_squared(problem: Problem, what: str) -> None:
    if problem.loss != "squared":
        raise InputError(f"{what} needs the squared loss; the one in force is {problem.loss}.")


def profile_intervals(
    problem: Problem, result: FitResult, level: float = 0.95, watch: Watch | None = None, without: Collection[str] = ()
) -> tuple[Interval, ...]:
    """For each free parameter, the values at which the best fit of the others is worse by just the level's limit.

    Those of `without` are not asked for. The limit on the sum of squares S is S_min·(1 + t²/dof), or S_min + k² where
    u is taken as it is. `watch` is told the share done and may raise to stop. Raises InputError when there is nothing
    to measure, or when a fit on the way is better than the result.
    """
    _must_be_squared(problem, "A profile interval")
    if not result.converged:
        raise InputError("The fit did not converge, so there is no minimum to measure from; try other starts.")
    if result.covariance is None or result.statistics.dof < 1:
        raise InputError("Without uncertainties there is no profile to draw; use more points or hold a parameter.")
    k = coverage(result, level)
    allowed = k**2 * (result.statistics.least / result.statistics.dof if result.scaled else 1.0)
    found = []
    names = [name for name in result.free if name not in without]
    for i, name in enumerate(names):
        walk = _Walk(problem, result, name, allowed)
        first = k * (result.parameters[name].u or _unsure(result, name))
        try:
            low, high = (walk.end(side, first) for side in (-1, 1))
        except _Better as better:
            at = better.full[walk.place]
            raise InputError(
                f"A better fit was found on the way, at {name} = {at:.6g}: fit again from there, then ask again."
            ) from None
        found.append(Interval(name, low, high, level))
        if watch is not None:
            watch((i + 1) / len(names))
    return tuple(found)


@dataclass(frozen=True, eq=False)
class _Spot:
    """A place on a profile: the parameter's value, how far the root of the sum has risen (1 is the limit), and the full
    vector of the best fit there."""

    at: float
    rise: float
    full: Floats


class _Walk:
    """The profile of one parameter, walked outwards from the estimate: each fit begins where its neighbour ended."""

    def __init__(self, problem: Problem, result: FitResult, name: str, allowed: float) -> None:
        self.problem, self.name, self.allowed = problem, name, allowed
        self.place = problem.model.names.index(name)
        self.row = list(problem.free).index(self.place)
        self.rss = result.statistics.least
        full = np.array([result.parameters[n].value for n in problem.model.names])
        self.top = _Spot(float(full[self.place]), 0.0, full)

    def end(self, side: int, first: float) -> float:
        """Where the profile rises to its limit on one side, from a first step of `first`; infinite where it does not.

        A step over which the profile rises by much is taken in halves: what looks like a cliff is most often a fit that
        ended in another valley. A real one, where the model ceases to have a value, leaves the end open.
        """
        wall = float((self.problem.lower if side < 0 else self.problem.upper)[self.row])
        before, good, step = self.top, self.top, first
        for _ in range(_MOST_STEPS):
            at = good.at + side * step
            at = max(at, wall) if side < 0 else min(at, wall)
            spot = self.spot(at, before, good)
            if spot is None or spot.rise - good.rise > _STEEP:
                step /= 10 if spot is None else 4
                if step < _LEAST_STEP * (abs(good.at) if spot is None else first):
                    return side * math.inf if spot is None else good.at
                continue
            if spot.rise > 1:
                return self._between(good, spot)
            if at == wall:
                return wall
            if abs(at - self.top.at) > _FAR * first:
                break
            gained = spot.rise - good.rise
            reach = abs(at - good.at)
            step = min(4 * reach, max(1.1 * reach * (1 - spot.rise) / gained, reach / 3)) if gained > 0 else 4 * reach
            before, good = good, spot
        return side * math.inf

    def spot(self, at: float, before: _Spot, good: _Spot) -> _Spot | None:
        """The best fit at a value, from the neighbour's and from where the last two point; None where there is none."""
        starts = [good.full]
        if before.at != good.at:
            starts.insert(0, good.full + (good.full - before.full) * (at - good.at) / (good.at - before.at))
        best: _Spot | None = None
        for start in starts:
            try:
                cost, full = _profiled(self.problem, start, self.place, at)
            except (InputError, np.linalg.LinAlgError):
                continue
            if not math.isfinite(cost):
                continue
            if cost < self.rss * (1 - 1e-7) - 1e-300:
                raise _Better(full)
            rise = math.sqrt(max(cost - self.rss, 0.0) / self.allowed)
            if best is None or rise < best.rise:
                best = _Spot(at, rise, full)
            if best.rise - good.rise < _SMOOTH:
                break
        return best

    def _between(self, near: _Spot, far: _Spot) -> float:
        """The value where the rise is 1 between two spots, by the secant kept inside and halved where it is slow."""
        before = near
        for _ in range(_MOST_HALVINGS):
            share = (1 - near.rise) / (far.rise - near.rise)
            at = near.at + min(max(share, 0.02), 0.98) * (far.at - near.at)
            if abs(far.at - near.at) <= 1e-9 * (abs(at) + abs(self.top.at - at)):
                return at
            spot = self.spot(at, before, near)
            if spot is None:
                return near.at
            if abs(spot.rise - 1) < _MET:
                return at
            if spot.rise > 1:
                far = spot
            else:
                before, near = near, spot
        return near.at


class _Better(Exception):
    """A fit on the way that is better than the result; carries its full vector."""

    def __init__(self, full: Floats) -> None:
        super().__init__()
        self.full = full


def _profiled(problem: Problem, here: Floats, place: int, at: float) -> tuple[float, Floats]:
    """The least sum of squares with one parameter held at a value, and the full vector there."""
    start = here.copy()
    start[place] = at
    kept = problem.free != place
    lower, upper = problem.lower[kept], problem.upper[kept]
    start[problem.free[kept]] = np.clip(start[problem.free[kept]], lower, upper)
    held = replace(problem, start=problem.ties.fill(start), free=problem.free[kept], lower=lower, upper=upper)
    if not held.free.size:
        r = held.residuals(np.empty(0))
        return float(r @ r), held.start
    solution = solve(held, most=_EVALUATIONS)
    return float(solution.residuals @ solution.residuals), held.full(solution.values)


def bootstrap(
    problem: Problem, result: FitResult, level: float = 0.95, runs: int = _BOOTSTRAPS, watch: Watch | None = None
) -> Bootstrap:
    """Refits data made of the fitted curve and residuals drawn from those found, each widened by √(n/dof).

    Always the same draws. `watch` as in `profile_intervals`.
    Raises InputError when too few of the fits end.
    """
    dof = result.statistics.dof
    if dof < 1:
        raise InputError("With as many parameters as points there are no residuals to draw from.")
    here = np.array([result.parameters[n].value for n in problem.model.names])
    start = replace(problem, start=here)
    residuals = -start.residuals(here[problem.free])
    weight = 1.0 if problem.u is None else problem.u
    curve = problem.y - residuals * weight
    centred = (residuals - residuals.mean()) * math.sqrt(residuals.size / dof)
    rng = np.random.default_rng(_SEED)
    samples, failed = [], 0
    for run in range(runs):
        drawn = replace(start, y=curve + rng.choice(centred, centred.size) * weight)
        try:
            solution = solve(drawn)
        except (InputError, np.linalg.LinAlgError):
            failed += 1
            continue
        if solution.converged:
            samples.append(solution.values)
        else:
            failed += 1
        if watch is not None:
            watch((run + 1) / runs)
    if len(samples) < max(20, runs // 2):
        raise InputError(f"Only {len(samples)} of {runs} fits to data drawn again converged: no interval can be given.")
    table = np.array(samples)
    ends = np.quantile(table, [(1 - level) / 2, (1 + level) / 2], axis=0)
    intervals = tuple(Interval(n, float(ends[0, i]), float(ends[1, i]), level) for i, n in enumerate(result.free))
    sd = dict(zip(result.free, table.std(axis=0, ddof=1).tolist(), strict=True))
    return Bootstrap(intervals, sd, table, failed)
