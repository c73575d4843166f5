"""Profile intervals and bootstrap: uncertainties that do not take the model for a straight one near the minimum.

Profile: D. M. Bates and D. G. Watts, Nonlinear Regression Analysis (1988), section 6.1. Bootstrap of residuals:
B. Efron and R. J. Tibshirani, An Introduction to the Bootstrap (1993), section 9.4 (both from memory).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.prediction import coverage
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.result import FitResult
from curvesieve.core.fitting.solver import solve

_MOST_DOUBLINGS = 12
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


def _must_be_squared(problem: Problem, what: str) -> None:
    if problem.loss != "squared":
        raise InputError(f"{what} needs the squared loss; the one in force is {problem.loss}.")


def profile_intervals(
    problem: Problem, result: FitResult, level: float = 0.95, watch: Watch | None = None
) -> tuple[Interval, ...]:
    """For each free parameter, the values at which the best fit of the others is worse by just the level's limit.

    The limit on the sum of squares S is S_min·(1 + t²/dof), or S_min + k² where u is taken as it is. `watch` is told
    the share done and may raise to stop. Raises InputError when there is nothing to measure, or when a fit on the way
    is better than the result.
    """
    _must_be_squared(problem, "A profile interval")
    if result.covariance is None or result.statistics.dof < 1:
        raise InputError("Without uncertainties there is no profile to draw; use more points or hold a parameter.")
    k = coverage(result, level)
    rss = result.statistics.rss
    allowed = k**2 * (rss / result.statistics.dof if result.scaled else 1.0)
    found = []
    for i, name in enumerate(result.free):
        low, high = (_end(problem, result, name, side, rss, allowed, k) for side in (-1, 1))
        found.append(Interval(name, low, high, level))
        if watch is not None:
            watch((i + 1) / len(result.free))
    return tuple(found)


def _end(problem: Problem, result: FitResult, name: str, side: int, rss: float, allowed: float, k: float) -> float:
    """Where the profile of a parameter rises by `allowed`, on one side."""
    from scipy.optimize import brentq

    place = problem.model.names.index(name)
    row = list(problem.free).index(place)
    value, u = result.parameters[name].value, result.parameters[name].u or 0.0
    here = np.array([result.parameters[n].value for n in problem.model.names])

    def excess(at: float) -> float:
        """How far the root of the profile is above the limit, so that it is nearly straight in `at`."""
        nonlocal here
        cost, here = _profiled(problem, here, place, at)
        if cost < rss * (1 - 1e-7) - 1e-300:
            raise InputError(
                f"A better fit was found on the way, at {name} = {at:.6g}: fit again from there, then ask again."
            )
        return math.sqrt(max(cost - rss, 0.0) / allowed) - 1

    wall = float((problem.lower if side < 0 else problem.upper)[row])
    near, far = value, value + side * k * u
    for _ in range(_MOST_DOUBLINGS):
        far = max(far, wall) if side < 0 else min(far, wall)
        rise = excess(far)
        if rise > 0 or not math.isfinite(rise):
            break
        if far == wall:
            return wall
        near, far = far, value + 1.7 * (far - value)
    else:
        return side * math.inf
    return float(
        brentq(lambda at: excess(at) if at != value else -1.0, near, far, xtol=1e-9 * (abs(far) + u), rtol=1e-12)
    )


def _profiled(problem: Problem, here: Floats, place: int, at: float) -> tuple[float, Floats]:
    """The least sum of squares with one parameter held at a value, and the full vector there."""
    start = here.copy()
    start[place] = at
    kept = problem.free != place
    held = replace(
        problem, start=problem.ties.fill(start), free=problem.free[kept],
        lower=problem.lower[kept], upper=problem.upper[kept],
    )  # fmt: skip
    if not held.free.size:
        r = held.residuals(np.empty(0))
        return float(r @ r), held.start
    solution = solve(held)
    return float(solution.residuals @ solution.residuals), held.full(solution.values)


def bootstrap(
    problem: Problem, result: FitResult, level: float = 0.95, runs: int = _BOOTSTRAPS, watch: Watch | None = None
) -> Bootstrap:
    """Refits data made of the fitted curve and residuals drawn from those found, each widened by √(n/dof).

    Always the same draws. `watch` as in `profile_intervals`.
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
