"""The minimisation: Levenberg–Marquardt, quick or by MINPACK; trust region for bounds and robust losses."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.linalg.lapack import dpotrf, dpotrs

from curvesieve.core.errors import InputError
from curvesieve.core.fitting.bounded import (
    MOST_EVALUATIONS,
    ROUNDING_RESIDUAL,
    Ended,
    Rule,
    beyond_all_numbers,
    inside_bounds,
    projected,
)
from curvesieve.core.fitting.inside import steps_inside
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.quick import QUICK_ITERATIONS, Place, gram, normal_equations

Floats = NDArray[np.float64]
_STEP_TOLERANCE, _SUM_TOLERANCE = 1e-9, 1e-15
"""Relative changes of the parameters and of the sum of squares that end the iteration; a last Gauss–Newton step,
whose Jacobian the uncertainties need anyway, then takes the parameters to rounding."""
_MOST_POLISH, _SURE_STEP = 12, 1e-8
"""Last steps at the most, and the relative step after which the next would change nothing."""
_TRUSTED_DIAGONAL = 1e-5
"""Smallest diagonal of R for which normal equations, which square the condition, keep enough digits."""
_GRADIENT_LIMIT = 1e-6
"""Largest cosine between residual and a Jacobian column that still counts as a minimum."""
_GRADIENT_BEFORE = 1e-4
"""The same before a last step that was not looked at again; it makes the cosine some thousand times smaller."""
_LEAST_ON_THE_WAY = 5
MANY, _MANY_STEPS, _MANY_LAST, _MANY_QUICK, _MANY_REGION = 12, 150, 12, 25, 20
"""Free parameters beyond which normal equations are tried before the trust region, which takes much longer for many;
how many of their steps, how many last ones by QR, how many quick ones, that know no bounds, before them; and the
evaluations for each parameter of a trust region after them."""
_NEARER, _NEAR_ENOUGH = (0.1, 1e-2, 1e-3, 1e-4, 1e-6, 1e-8), 3
"""Scales, against the largest residual, at which a smooth loss comes near to that of absolute deviations; and how many
of them a fit needs that only measures the noise: the nearer, the less the place depends on all points."""
TUNING = {"huber": 1.345, "soft_l1": 1.345, "cauchy": 2.385}
"""Scale of a robust loss in units of the noise, for 95 % efficiency (Holland and Welsch 1977; from memory)."""


@dataclass(frozen=True, eq=False)
class Solution:
    """Where the solver ended, in the free parameters, and what it says of that place.

    `residuals` (n,) are those of that place. `lengths` are the column lengths of the Jacobian there, `triangle` the
    R of the QR factors of its columns scaled to length one; columns of no length are left as they are.
    """

    values: Floats
    residuals: Floats
    lengths: Floats
    triangle: Floats
    converged: bool
    message: str
    iterations: int
    scale: float = 1.0
    """Noise scale a robust loss was set by, in units of the weighted residual; 1 for squared."""


def solve(
    problem: Problem,
    watch: Callable[[Floats], None] | None = None,
    most: int = MOST_EVALUATIONS,
) -> Solution:
    """Minimises the problem's loss from its start, with at the most `most` evaluations for each parameter.

    `watch` sees each Jacobian's place and may raise to stop. Raises InputError where the numbers end: a sum beyond all
    floats, an algebra that finds no answer.
    A place has shape (free,).
    """
    try:
        return _solved(problem, watch, most)
    except np.linalg.LinAlgError as error:
        raise beyond_all_numbers() from error


def _solved(problem: Problem, watch: Callable[[Floats], None] | None, most: int) -> Solution:
    start = problem.start[problem.free]
    with np.errstate(all="ignore"):
        squared = problem.loss == "squared"
        found = _quickly(problem, start, watch) if squared else None
        if found is not None and not (problem.bounded and on_bound(problem, found.values).any()):
            return found  # a minimum inside the bounds is one without them, too
        problem = problem.tidy()
        if squared and not problem.bounded:
            return _levenberg_marquardt(problem, start, watch, most)
        return _bounded_or_robust(problem, start, watch, most)


def _quickly(problem: Problem, start: Floats, watch: Callable[[Floats], None] | None) -> Solution | None:
    """The solution by normal equations, where it is a minimum and they can be trusted; otherwise None."""
    try:
        most = _MANY_QUICK if problem.bounded and start.size > MANY else QUICK_ITERATIONS
        found = normal_equations(problem, start, watch, most)
    except np.linalg.LinAlgError:
        return None
    if found is None or not found.at_rest:
        return None
    solution = _ended(problem, found)
    trusted = np.abs(solution.triangle.diagonal()).min() > _TRUSTED_DIAGONAL
    return solution if trusted and solution.converged else None


def _levenberg_marquardt(
    problem: Problem, start: Floats, watch: Callable[[Floats], None] | None, most: int
) -> Solution:
    from scipy.optimize import leastsq

    begun = False

    def residuals(p: Floats) -> Floats:
        nonlocal begun
        r = problem.residuals(p)
        if not math.isfinite(np.dot(r, r)):
            if not begun:
                raise _no_value()
            # MINPACK takes a step back when the sum grows, but loses its way in NaN.
            return np.full(r.size, 1e150)
        begun = True
        return r

    def jacobian(p: Floats) -> Floats:
        if watch is not None:
            watch(p)
        return problem.both(p)[1]

    limit = most * (start.size + 1)
    values, _, info, _, status = leastsq(
        residuals, start, Dfun=jacobian, col_deriv=True, full_output=True,
        ftol=_SUM_TOLERANCE, xtol=_STEP_TOLERANCE, gtol=0.0, maxfev=limit,
    )  # fmt: skip
    iterations = int(info["njev"])  # type: ignore[typeddict-item]  # there whenever Dfun is
    values = np.asarray(values)
    solution = _ended(problem, _place(problem, values, iterations))
    if status == 5 and not solution.converged:
        return replace(solution, message=f"Stopped after {limit} evaluations without reaching a minimum.")
    return solution


def _no_value() -> InputError:
    return InputError("The model has no finite value at its start; choose other starts (a log or root of a negative?).")


def _place(problem: Problem, values: Floats, iterations: int = 0) -> Place:
    stacked = problem.stacked(values)
    return Place(values, stacked, gram(stacked), iterations)


def _ended(problem: Problem, place: Place) -> Solution:
    """Takes last Gauss–Newton steps while they lower the sum of squares and are worth a digit; judges the place."""
    iterations, k = place.iterations, place.values.size
    lengths, triangle = factored(place)
    near = triangle.diagonal().min() > place.sure_above
    if near:  # the last step is so small that residuals and Jacobian stay what they are: no need to look again
        step = dpotrs(triangle, place.sums[:k, k] / lengths)[0] / lengths
        place = replace(place, values=place.values - step)
    for _ in range(0 if near else _MOST_POLISH):
        if not lengths.all() or np.abs(triangle.diagonal()).min() < 1e-10:
            break
        # Seminormal equations RᵀR δ = Jᵀr: R alone is needed, and a step this small wants no more digits.
        step = dpotrs(triangle, place.sums[:k, k] / lengths)[0] / lengths
        moved = _place(problem, place.values - step)
        if not moved.sums[k, k] <= place.sums[k, k] * (1 + 1e-14):
            break
        place = moved
        if (np.abs(step) <= _SURE_STEP * np.abs(place.values)).all():
            break
        lengths, triangle = factored(place)
    converged = _is_minimum(problem, place, lengths, _GRADIENT_BEFORE if near else _GRADIENT_LIMIT)
    message = (
        "Converged: no parameter can improve the fit."
        if converged
        else "Did not converge: the solver stopped where the fit could still improve. Try other starts."
    )
    return Solution(place.values, place.stacked[-1], lengths, triangle, converged, message, iterations)


def factored(place: Place) -> tuple[Floats, Floats]:
    """Column lengths of the Jacobian of a place, and R of the QR factors of its columns scaled to length one.

    R comes from the Cholesky factor of the scaled normal matrix where that is safe, which is quicker.
    Lengths have shape (free,), R has (free, free).
    """
    k = place.values.size
    square = place.sums[:k, :k]
    lengths = np.sqrt(square.diagonal())
    if not math.isfinite(np.add.reduce(lengths)):
        return lengths, np.zeros(square.shape)
    scale = np.where(lengths > 0, lengths, 1.0)
    triangle, failed = dpotrf(square / (scale[:, None] * scale), clean=1)
    if not failed and triangle.diagonal().min() > _TRUSTED_DIAGONAL:
        return lengths, triangle
    # Singular to rounding: QR tells by how much.
    return lengths, np.asarray(np.linalg.qr((place.stacked[:-1] / scale[:, None]).T, mode="r"))


def _is_minimum(problem: Problem, place: Place, lengths: Floats, limit: float) -> bool:
    """Whether the residual is at right angles to every Jacobian column, or vanishes to rounding."""
    k = place.values.size
    norm = math.sqrt(place.sums[k, k])
    scaled = problem.y if problem.u is None else problem.y / problem.u
    if norm <= ROUNDING_RESIDUAL * math.sqrt(np.dot(scaled, scaled)):
        return True
    cosines = np.abs(place.sums[:k, k]) / np.where(lengths > 0, lengths, 1.0)
    return bool(math.isfinite(norm) and cosines.max() <= limit * norm)


def _bounded_or_robust(problem: Problem, start: Floats, watch: Callable[[Floats], None] | None, most: int) -> Solution:
    inside = np.clip(start, problem.lower, problem.upper)
    first = problem.residuals(inside)
    if not math.isfinite(float(first @ first)):
        raise _no_value()
    ended = Ended(inside, False, 0)
    rule = Rule("squared")

    def run(most: int = most, **changed: float | str) -> None:
        nonlocal ended, rule
        rule = replace(rule, **changed)  # type: ignore[arg-type]  # a loss or a scale
        made = inside_bounds(problem, ended.values, rule, watch, most)
        ended = replace(made, iterations=ended.iterations + made.iterations)

    scale = 1.0
    if problem.loss == "squared":
        if inside.size > MANY:
            near, count = steps_inside(problem, inside, watch, _MANY_STEPS)
            ended = projected(problem, near, rule, watch, _MANY_LAST)
            ended = replace(ended, iterations=ended.iterations + count)
        if not ended.converged:
            run(most if inside.size <= MANY else min(most, _MANY_REGION))
        if not on_bound(problem, ended.values).any():
            return _ended(problem, _place(problem, ended.values, ended.iterations))
    else:
        # The noise is measured on a fit that outliers cannot pull: absolute deviations, approached from above.
        on_the_way = max(_LEAST_ON_THE_WAY, most // 10)  # such a fit is only where the next one begins
        run(on_the_way, loss="soft_l1", scale=float(np.sqrt(np.mean(first**2))) or 1.0)
        span = float(np.max(np.abs(problem.residuals(ended.values)))) or 1.0
        for factor in _NEARER if problem.loss == "absolute" else _NEARER[:_NEAR_ENOUGH]:
            run(on_the_way, scale=factor * span)
        scale = 1.4826 * float(np.median(np.abs(problem.residuals(ended.values)))) or 1.0
        if problem.loss != "absolute":
            run(loss=problem.loss, scale=TUNING[problem.loss] * scale)
    message = "Converged." if ended.converged else "Stopped without converging; try other starts."
    place = _place(problem, ended.values)
    lengths, triangle = factored(place)
    return Solution(
        ended.values, place.stacked[-1], lengths, triangle, ended.converged, message, ended.iterations, scale
    )


def on_bound(problem: Problem, values: Floats) -> NDArray[np.bool_]:
    """Which free parameters lie on a bound: those that are equal to it, where the solver puts them.

    A mask of shape (free,), as `values`.
    """
    return np.asarray((values <= problem.lower) | (values >= problem.upper))
