"""The minimisation itself: Levenberg–Marquardt by MINPACK; trust region where bounds or a robust loss ask for it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError
from curvesieve.core.fitting.problem import Problem

Floats = NDArray[np.float64]
_TOLERANCE = 1e-15
"""At the level of rounding: iterations near the minimum are cheap and digits are what users come for."""
_MAX_EVALUATIONS_PER_PARAMETER = 400
_GRADIENT_LIMIT = 1e-6
"""Largest cosine between residual and a Jacobian column that still counts as a minimum."""
_ROUNDING_RESIDUAL = 1e-11
"""A residual this small against the data leaves no direction to speak of."""
TUNING = {"huber": 1.345, "soft_l1": 1.345, "cauchy": 2.385}
"""Scale of a robust loss in units of the noise, for 95 % efficiency (Holland and Welsch 1977; from memory)."""


class Cancelled(Exception):
    """The user stopped the fit."""


@dataclass(frozen=True, eq=False)
class Solution:
    """Where the solver ended, in the free parameters, and what it says of that place."""

    values: Floats
    converged: bool
    message: str
    iterations: int
    scale: float = 1.0
    """Noise scale a robust loss was set by, in units of the weighted residual; 1 for squared."""


def solve(problem: Problem, watch: Callable[[Floats], None] | None = None) -> Solution:
    """Minimises the problem's loss from its start. `watch` sees each Jacobian's place and may raise Cancelled."""
    start = problem.start[problem.free]
    with np.errstate(all="ignore"):
        r = problem.residuals(start)
        if not np.isfinite(np.dot(r, r)):
            raise InputError(
                "The model has no finite value at its start; choose other starts (a log or root of a negative?)."
            )
        if problem.loss == "squared" and not problem.bounded:
            return _levenberg_marquardt(problem, start, watch)
        return _trust_region(problem, start, watch)


def _levenberg_marquardt(problem: Problem, start: Floats, watch: Callable[[Floats], None] | None) -> Solution:
    from scipy.optimize import leastsq

    huge = np.full(problem.y.size, 1e150)

    def residuals(p: Floats) -> Floats:
        r = problem.residuals(p)
        # MINPACK takes a step back when the sum grows, but loses its way in NaN.
        return r if np.isfinite(np.dot(r, r)) else huge

    def jacobian(p: Floats) -> Floats:
        if watch is not None:
            watch(p)
        return problem.jacobian(p)

    limit = _MAX_EVALUATIONS_PER_PARAMETER * (start.size + 1)
    values, _, info, _, status = leastsq(
        residuals, start, Dfun=jacobian, col_deriv=True, full_output=True,
        ftol=_TOLERANCE, xtol=_TOLERANCE, gtol=_TOLERANCE, maxfev=limit,
    )  # fmt: skip
    iterations = int(info["njev"])  # type: ignore[typeddict-item]  # there whenever Dfun is
    if status == 5 and not is_minimum(problem, values):
        return Solution(values, False, f"Stopped after {limit} evaluations without reaching a minimum.", iterations)
    return _judged(problem, values, iterations)


def _judged(problem: Problem, values: Floats, iterations: int) -> Solution:
    if is_minimum(problem, values):
        return Solution(values, True, "Converged: no parameter can improve the fit.", iterations)
    message = "Did not converge: the solver stopped where the fit could still improve. Try other starts."
    return Solution(values, False, message, iterations)


def is_minimum(problem: Problem, values: Floats) -> bool:
    """Whether the residual is at right angles to every Jacobian column, or vanishes to rounding."""
    r = problem.residuals(values)
    norm = float(np.linalg.norm(r))
    size = float(np.linalg.norm(problem.y if problem.u is None else problem.y / problem.u))
    if norm <= _ROUNDING_RESIDUAL * size:
        return True
    j = problem.jacobian(values)
    lengths = np.sqrt(np.einsum("ij,ij->i", j, j))
    lengths[lengths == 0] = 1.0
    return bool(np.isfinite(norm) and np.max(np.abs(j @ r) / lengths) <= _GRADIENT_LIMIT * norm)


def _trust_region(problem: Problem, start: Floats, watch: Callable[[Floats], None] | None) -> Solution:
    from scipy.optimize import least_squares

    inside = np.clip(start, problem.lower, problem.upper)

    def jacobian(p: Floats) -> Floats:
        if watch is not None:
            watch(p)
        return problem.jacobian(p).T.copy()

    def run(p: Floats, loss: str, scale: float) -> tuple[Floats, bool, int]:
        result = least_squares(
            problem.residuals, p, jac=jacobian, bounds=(problem.lower, problem.upper), method="trf", x_scale="jac",
            loss=loss,  # type: ignore[arg-type]  # one of LOSSES
            f_scale=scale, ftol=1e-15, xtol=1e-15, gtol=1e-15,
            max_nfev=_MAX_EVALUATIONS_PER_PARAMETER * (start.size + 1),
        )  # fmt: skip
        return np.asarray(result.x), bool(result.status > 0), int(result.njev or 0)

    values, converged, iterations = run(inside, "soft_l1" if problem.loss == "absolute" else "linear", 1.0)
    scale = 1.0
    if problem.loss != "squared":
        # The noise is measured on a fit that outliers cannot pull: absolute deviations, approached from above.
        span = float(np.max(np.abs(problem.residuals(values)))) or 1.0
        for factor in (0.1, 1e-2, 1e-3, 1e-4, 1e-6, 1e-8):
            values, converged, more = run(values, "soft_l1", factor * span)
            iterations += more
        scale = 1.4826 * float(np.median(np.abs(problem.residuals(values)))) or 1.0
        if problem.loss != "absolute":
            values, converged, more = run(values, problem.loss, TUNING[problem.loss] * scale)
            iterations += more
    if problem.loss == "squared" and not _at_bound(problem, values).any():
        return _judged(problem, values, iterations)
    message = "Converged." if converged else "Stopped without converging; try other starts."
    return Solution(values, converged, message, iterations, scale)


def _at_bound(problem: Problem, values: Floats) -> NDArray[np.bool_]:
    """Which free parameters lie on a bound, to within rounding of their size."""
    reach = 1e-8 * np.maximum(np.abs(values), 1e-300)
    return (values - problem.lower <= reach) | (problem.upper - values <= reach)


def at_bound(problem: Problem, values: Floats) -> list[str]:
    """The names of the free parameters that ended on a bound."""
    hit = _at_bound(problem, values)
    return [problem.model.names[i] for i, on in zip(problem.free, hit, strict=True) if on]
