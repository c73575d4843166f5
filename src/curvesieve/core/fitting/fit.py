"""Fits: of a formula to arrays, and of a study's model to a curve."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.problem import Problem, state_problem
from curvesieve.core.fitting.result import FitResult, FittedParameter
from curvesieve.core.fitting.solver import at_bound, solve
from curvesieve.core.fitting.uncertainty import covariance, statistics
from curvesieve.core.models import TERMS, FormulaSum, Model, formula_sum
from curvesieve.core.models.starts import Data

Floats = NDArray[np.float64]
_BETTER, _ALIKE, _ENOUGH = 0.999999, 1.000001, 2
"""A fit is better, or the same, by so much of the sum of squares; so many more of the same end the search."""
Watch = Callable[[Floats], None]


def fit(
    model: str,
    x: ArrayLike,
    y: ArrayLike,
    u: ArrayLike | None = None,
    *,
    start: Mapping[str, float] | None = None,
    hold: Collection[str] = (),
    bounds: Mapping[str, tuple[float, float]] | None = None,
    loss: str = "squared",
    variable: str | tuple[str, ...] = "x",
) -> FitResult:
    """Fits a formula, or a library term by name, to y(x).

    `x` has shape (n,), or (k, n) with k names in `variable`; `y` and `u` (the standard uncertainty of y) have
    shape (n,). `start` maps parameters to where the fit begins; for a library term it may be left out or name
    only some. Without any start, a formula's are looked for in the data (see `search`), and the best of the fits is
    given. `hold` keeps parameters at their start, `bounds` limits them. `loss` is one of `LOSSES`.
    Raises InputError when something given is wrong; a fit that does not converge says so in its result.
    """
    variables = (variable,) if isinstance(variable, str) else tuple(variable)
    xs, ys = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    term = TERMS.get(model)
    summed = formula_sum(term.formula if term else model, ("x",) if term else variables)
    starts = dict(start or {})
    if term and xs.ndim == 1 and xs.shape == ys.shape and xs.size:
        starts = term.start(Data(xs, ys)) | starts
    us = None if u is None else np.asarray(u, dtype=np.float64)
    if start is None and not term and not hold:
        return _searched(summed, xs, ys, us, bounds, loss, model)
    return _solved(state_problem(summed, xs, ys, us, starts, hold, bounds, loss), model)


def _searched(
    summed: FormulaSum, x: Floats, y: Floats, u: Floats | None, bounds: Mapping[str, tuple[float, float]] | None,
    loss: str, formula: str,
) -> FitResult:  # fmt: skip
    """The best of the fits from the most promising starts that the data give; see `search.find_starts`."""
    from curvesieve.core.fitting.search import find_starts

    checked = state_problem(summed, x, y, u, _within(dict.fromkeys(summed.names, 1.0), bounds), (), bounds, loss)
    starts = find_starts(summed, checked.rows, checked.y, checked.u)
    if not starts:
        raise InputError("The formula has no value on these x for any start that was tried; give starts of your own.")
    best: FitResult | None = None
    agreed = 0
    for start in starts:
        problem = state_problem(summed, x, y, u, _within(start, bounds), (), bounds, loss)
        try:
            found = _solved(problem, formula)
        except InputError:
            continue
        if not np.isfinite(found.statistics.rss):
            continue
        if best is None or (found.converged, -found.statistics.rss) > (best.converged, -best.statistics.rss * _BETTER):
            best, agreed = found, 0
        elif found.converged and best.converged and found.statistics.rss < best.statistics.rss * _ALIKE:
            agreed += 1
        if agreed >= _ENOUGH:
            break
    if best is None:
        raise InputError("No start was found from which the formula can be fitted; give starts of your own.")
    return best


def _within(start: Mapping[str, float], bounds: Mapping[str, tuple[float, float]] | None) -> dict[str, float]:
    """The start moved inside its bounds."""
    moved = dict(start)
    for name, (low, high) in (bounds or {}).items():
        if name in moved:
            moved[name] = float(np.clip(moved[name], low, high))
    return moved


def fit_model(model: Model, curve: Curve, watch: Watch | None = None) -> FitResult:
    """Fits a study's model to the points of the curve that are in use, weighted by u where it is known.

    `watch` is called with the free parameters at each iteration and may raise `Cancelled`. Raises InputError
    when the model is empty or cannot be fitted to so few points.
    """
    if not model.terms:
        raise InputError("The model has no terms yet. Double-click a peak on the plot to add one.")
    used = model.in_use(curve)
    problem = state_problem(model.sum, used.x, used.y, used.u, model.start, model.held)
    formula = " + ".join(placed.term.label for placed in model.terms)
    return _upright(_solved(problem, formula, watch), model)


def _upright(result: FitResult, model: Model) -> FitResult:
    """A width may come out negative, as its square is all that counts; it is reported as the positive one."""
    turned = {
        placed.full_name(p.name)
        for placed in model.peaks
        for p in placed.term.parameters
        if p.lower == 0 and result.parameters[placed.full_name(p.name)].value < 0
    }
    if not turned:
        return result
    signs = np.array([-1.0 if name in turned else 1.0 for name in result.free])
    parameters = {
        name: p.model_copy(update={"value": -p.value}) if name in turned else p for name, p in result.parameters.items()
    }
    matrix = result.covariance
    if matrix is not None:
        matrix = tuple(map(tuple, (np.array(matrix) * np.outer(signs, signs)).tolist()))
    return result.model_copy(update={"parameters": parameters, "covariance": matrix})


def _solved(problem: Problem, formula: str, watch: Watch | None = None) -> FitResult:
    solution = solve(problem, watch)
    matrix, dead, mixed = covariance(problem, solution)
    names = problem.model.names
    free = tuple(names[i] for i in problem.free)
    full = problem.full(solution.values)
    us: dict[str, float] = {}
    if matrix is not None:
        us = dict(zip(free, np.sqrt(np.diag(matrix)).tolist(), strict=True))
    warnings = [f"{name} ended on its bound." for name in at_bound(problem, solution.values)]
    converged, message = solution.converged, solution.message
    if dead:
        converged = False
        verb = "has" if len(dead) == 1 else "have"
        message = f"{', '.join(dead)} {verb} no effect where the fit ended. Try other starts, hold or remove."
    if mixed:
        warnings.append(f"{', '.join(mixed)} cannot be told apart by these points; hold one of them.")
    elif matrix is None and not dead:
        warnings.append("There are as many parameters as points: no uncertainty can be given.")
    return FitResult(
        formula=formula,
        parameters={
            name: FittedParameter(value=float(full[i]), u=us.get(name), held=i not in problem.free)
            for i, name in enumerate(names)
        },
        free=free,
        covariance=None if matrix is None else tuple(map(tuple, matrix.tolist())),
        scaled=True,
        statistics=statistics(problem, solution),
        converged=converged,
        message=message,
        iterations=solution.iterations,
        loss=problem.loss,
        warnings=tuple(warnings),
    )
