"""Fits: of a formula to arrays, and of a study's model to a curve."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.averages_told import words_on_averages
from curvesieve.core.fitting.bounded import MOST_EVALUATIONS
from curvesieve.core.fitting.following import following_from
from curvesieve.core.fitting.problem import Problem, state_problem, stated_bounds, weighing
from curvesieve.core.fitting.request import Bounds, Request
from curvesieve.core.fitting.result import FitResult, FittedParameter
from curvesieve.core.fitting.solver import MANY, Solution, on_bound, solve
from curvesieve.core.fitting.uncertainty import covariance, statistics
from curvesieve.core.formula import understood_variable, uses
from curvesieve.core.models import FormulaSum, Model, Term, formula_sum, is_known, term_of, term_sum
from curvesieve.core.models.starts import Data

Floats = NDArray[np.float64]
_BETTER, _ALIKE, _ENOUGH = 0.999999, 1.000001, 2
"""A fit is better, or the same, by so much of the sum of squares; so many more of the same end the search."""
_TRIED = 25
"""Evaluations per parameter for each start of a search: a good one needs a tenth, a bad one would take all."""
Watch = Callable[[Floats], None]


def fit(
    model: str,
    x: ArrayLike,
    y: ArrayLike,
    u: ArrayLike | None = None,
    start: Mapping[str, float] | None = None,
    hold: Collection[str] = (),
    bounds: Bounds | None = None,
    ties: Mapping[str, str] | None = None,
    loss: str = "squared",
    variable: str | tuple[str, ...] | None = None,
    *,
    weights: str = "u",
    scaled: bool = True,
) -> FitResult:
    """Fits a formula, or a library term by name, to y(x).

    `x` has shape (n,), or (k, n) with k names in `variable`; a formula's own variable is understood where none is
    named (see `understood_variable`). `y` and `u` (the standard uncertainty of y) have
    shape (n,). `start` maps parameters to where the fit begins; those of a library term that are not named have its own
    rule's, those of a formula are looked for in the data (see `search`), and the best of the fits is given. `hold`
    keeps parameters at their start, `bounds` limits them (an end of None is open), `ties` computes them from others
    (``{"b": "2*a"}``). `loss` is one of `LOSSES`, `weights` one of `WEIGHTS`. The covariance is multiplied by the
    scatter found unless `scaled` is False: then u is taken as it is.
    A polynomial's parameters weigh Legendre polynomials over the range of x; the coefficients of its powers of x are
    in the result's `follows`, as a peak's area is.
    Raises InputError when something given is wrong; a fit that does not converge says so in its result.
    """
    request = Request(start or {}, hold, bounds or {}, ties or {}, loss, weights, scaled)
    return fit_asked(model, x, y, u, request, variable)


def fit_asked(
    model: str,
    x: ArrayLike,
    y: ArrayLike,
    u: ArrayLike | None,
    request: Request,
    variable: str | tuple[str, ...] | None = None,
) -> FitResult:
    """`fit`, with what is asked as one value. Shapes and errors are those of `fit`.

    Raises InputError as `fit` does.
    """
    if variable is None:
        variable = "x" if is_known(model) else understood_variable(model)
    variables = (variable,) if isinstance(variable, str) else tuple(variable)
    xs, ys = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    us = weighing(request.weights, ys, None if u is None else np.asarray(u, dtype=np.float64))
    if not request.scaled and us is None:
        raise InputError("scaled=False takes u as it is, but no u is given.")
    term = term_of(model, (float(np.min(xs)), float(np.max(xs)))) if is_known(model) and xs.size else None
    if term is not None and term.over_peaks:
        raise InputError(f"{term.label} is made of the peaks that stand on it, and cannot be fitted by its name alone.")
    summed = term_sum(term) if term else formula_sum(model, variables)
    if term is None:
        _must_vary(summed, model, variables)
    starts = dict(request.start)
    readable = xs.ndim == 1 and xs.shape == ys.shape and bool(np.isfinite(xs).all() and np.isfinite(ys).all())
    if term and term.has_rule and readable:
        starts = term.start_values(Data(xs, ys)) | starts
    if term and term.search and readable and not set(summed.names) <= set(starts):
        starts = term.search(Data(xs, ys), starts)
    limits = stated_bounds(request.bounds)
    sought = [name for name in summed.names if name not in {*starts, *request.hold, *request.ties}]
    starts = _within(dict.fromkeys(sought, 1.0), limits) | starts
    known = {p.name for p in term.parameters if p.held} - set(request.start) if term else set()
    request = replace(request, hold=(*request.hold, *sorted(known)))
    problem = state_problem(summed, xs, ys, us, replace(request, start=starts, bounds=limits))
    said = _Said(model, request.weights, request.scaled, _limits_of(term, limits))
    found = searched(problem, said, sought) if sought else _solved(problem, said)
    return found if term is None else found.model_copy(update={"follows": following_from(term, found)})


def _must_vary(summed: FormulaSum, model: str, variables: tuple[str, ...]) -> None:
    """Refuses a formula in which no variable stands: only a flat line could come of it."""
    if not any(uses(piece.formula, piece.formula.variables) for piece in summed.pieces):
        named = " and ".join(variables)
        raise InputError(
            f"Nothing varies in {model!r}: {named} does not stand in it. Name the variable that does "
            '(variable="t"), or write it as x.'
        )


@dataclass(frozen=True)
class _Said:
    """What a result repeats of the request, and the limits beyond which parameters mean nothing."""

    formula: str
    weights: str = "u"
    scaled: bool = True
    limits: Mapping[str, tuple[float, float]] = field(default_factory=dict)


def _limits_of(term: Term | None, bounds: Mapping[str, tuple[float, float]]) -> dict[str, tuple[float, float]]:
    """A term's own limits on the sides on which the user has set none."""
    return {p.name: _open_sides((p.lower, p.upper), bounds.get(p.name)) for p in term.parameters} if term else {}


def _open_sides(own: tuple[float, float], given: tuple[float, float] | None) -> tuple[float, float]:
    if given is None:
        return own
    return (-math.inf if math.isfinite(given[0]) else own[0], math.inf if math.isfinite(given[1]) else own[1])


def _within(start: Mapping[str, float], bounds: Mapping[str, tuple[float, float]]) -> dict[str, float]:
    """The start moved inside its bounds."""
    return {name: float(np.clip(value, *bounds.get(name, (-np.inf, np.inf)))) for name, value in start.items()}


def searched(problem: Problem, said: _Said, sought: Collection[str]) -> FitResult:
    """The best of the fits from the most promising starts that the data give for the parameters `sought`.

    Raises InputError when no start leads anywhere.
    """
    from curvesieve.core.fitting.search import find_starts

    starts = find_starts(limited(problem, said.limits), sought)
    if not starts:
        raise InputError("The formula has no value on these x for any start that was tried; give starts of your own.")
    best: tuple[Problem, Solution] | None = None
    lowest, agreed = math.inf, 0
    for start in starts:
        try:
            found = _ended(replace(problem, start=start), said, most=_TRIED)
        except InputError:
            continue
        r = found[1].residuals
        cost = float(r @ r if problem.loss == "squared" else np.abs(r).sum())
        if not math.isfinite(cost):
            continue
        if best is None or (found[1].converged, -cost) > (best[1].converged, -lowest * _BETTER):
            best, lowest, agreed = found, cost, 0
        elif found[1].converged and best[1].converged and cost < lowest * _ALIKE:
            agreed += 1
        if agreed >= _ENOUGH:
            break
    if best is None:
        raise InputError("No start was found from which the formula can be fitted; give starts of your own.")
    if not best[1].converged:
        best = _ended(replace(best[0], start=best[0].full(best[1].values)), said)
    return _told(*best, said)


def stated(model: Model, curve: Curve) -> tuple[Problem, _Said]:
    """The problem that a study's model poses on a curve. Raises InputError for an empty or an impossible one."""
    if not model.terms:
        raise InputError("The model has no terms yet. Double-click a peak on the plot to add one, or choose a law.")
    used = model.in_use(curve)
    u = weighing(model.weights, used.y, used.u)
    if not model.scaled and u is None:
        raise InputError("This curve has no u that could be taken as it is; let u be scaled by the scatter.")
    bounds = model.bounds
    request = Request(model.start, model.held, bounds, model.ties, model.loss)
    problem = state_problem(model.sum, used.x, used.y, u, request)
    limits = {p.full_name(q.name): (q.lower, q.upper) for p in model.terms for q in p.term.parameters}
    limits = {name: _open_sides(pair, bounds.get(name)) for name, pair in limits.items()}
    limits = {name: pair for name, pair in limits.items() if np.isfinite(pair).any()}
    return problem, _Said(" + ".join(placed.term.label for placed in model.terms), model.weights, model.scaled, limits)


def fit_model(model: Model, curve: Curve, watch: Watch | None = None) -> FitResult:
    """Fits a study's model to the points of the curve that are in use.

    `watch` is called with all parameters at each iteration and may raise to stop. Raises InputError when the model
    is empty or cannot be fitted to so few points.
    """
    return _solved(*stated(model, curve), watch)


def search_model(
    model: Model, curve: Curve, watch: Callable[[], None] = lambda: None, keep: Collection[str] = ()
) -> dict[str, float]:
    """The most promising start of a study's model from the data alone; holds, ties and limits are kept.

    A law with a search of its own has the starts in `keep` stay, too, but for factors of what it adds up. `watch` is
    called now and then and may raise to stop.
    Raises InputError when no start is found.
    """
    from curvesieve.core.fitting.search import find_starts

    problem, said = stated(model, curve)
    if (own := _own_search(model, problem, keep)) is not None:
        return own
    starts = find_starts(limited(problem, said.limits), model.names, watch)
    if not starts:
        raise InputError("No start was found: the formula has no value on these x. Give starts of your own.")
    return _in_order(model, dict(zip(model.names, starts[0].tolist(), strict=True)))


def _own_search(model: Model, problem: Problem, keep: Collection[str]) -> dict[str, float] | None:
    """Starts by the law's own search under the peaks as they stand; None for one without."""
    ground = model.background
    if ground is None or ground.term.search is None:
        return None
    above = model.without(0)
    y = problem.y - above.sum.evaluate(problem.rows[0], list(above.start.values()))
    held = {name: state.start for name, state in ground.parameters.items() if state.hold or state.tie}
    stay = {name: state.start for name, state in ground.parameters.items() if name in keep}
    found = ground.term.search(Data(problem.rows[0], y), held | stay) | held
    bounds = {name: ground.limits(name) for name in found}
    return model.start | {ground.full_name(name): value for name, value in _within(found, bounds).items()}


def _in_order(model: Model, values: dict[str, float]) -> dict[str, float]:
    """Groups of parameters that could change places, sorted by the first of each, so that names mean something."""
    made = dict(values)
    said = {*model.held, *model.ties, *model.bounds}
    for placed in model.terms:
        groups = [[placed.full_name(name) for name in group] for group in placed.term.alike]
        if said & {name for group in groups for name in group}:
            continue
        for group, source in zip(groups, sorted(groups, key=lambda names: values[names[0]]), strict=True):
            made |= dict(zip(group, (values[name] for name in source), strict=True))
    return made


def limited(problem: Problem, limits: Mapping[str, tuple[float, float]]) -> Problem:
    """The problem with limits beside its bounds, and its start moved inside them."""
    names = [problem.model.names[i] for i in problem.free]
    pairs = np.array([limits.get(name, (-np.inf, np.inf)) for name in names]).reshape(-1, 2)
    lower, upper = np.maximum(problem.lower, pairs[:, 0]), np.minimum(problem.upper, pairs[:, 1])
    start = problem.start.copy()
    start[problem.free] = np.clip(start[problem.free], lower, upper)
    return replace(problem, start=problem.ties.fill(start), lower=lower, upper=upper)


def _solved(problem: Problem, said: _Said, watch: Watch | None = None) -> FitResult:
    return _told(*_ended(problem, said, watch), said)


def _ended(
    problem: Problem, said: _Said, watch: Watch | None = None, most: int = MOST_EVALUATIONS
) -> tuple[Problem, Solution]:
    """Where a fit ends, inside the limits; with the problem that it ended with.

    Many parameters are kept inside from the beginning: some of them would wander far before they are called back.
    """
    if said.limits and problem.free.size > MANY and problem.loss == "squared":
        problem = limited(problem, said.limits)
        return problem, solve(problem, _full_watch(problem, watch), most)
    solution = solve(problem, _full_watch(problem, watch), most)
    if said.limits:
        inside = limited(problem, said.limits)
        beyond = (solution.values < inside.lower) | (solution.values > inside.upper)
        if beyond.any():  # a width below zero and the like: begun again from its mirror image, and kept inside
            start = problem.full(np.where(beyond, np.abs(solution.values), solution.values))
            problem = limited(replace(problem, start=start), said.limits)
            solution = solve(problem, _full_watch(problem, watch), most)
    return problem, solution


def _full_watch(problem: Problem, watch: Watch | None) -> Watch | None:
    """A watch of full parameter vectors for a solver that knows the free ones."""
    return None if watch is None else lambda free: watch(problem.full(free))


def _outweighing(problem: Problem) -> list[str]:
    """A word on a single point whose weight is more than that of all others together."""
    if problem.u is None or problem.y.size < 3:
        return []
    at = int(np.argmin(problem.u))
    weights = (problem.u[at] / problem.u) ** 2
    if weights.sum() >= 2:
        return []
    name, x = problem.model.variables[0], problem.rows[0][at]
    return [f"The point at {name} = {x:.6g} has more weight than all others together: the fit follows it. Check its u."]


def _told(problem: Problem, solution: Solution, said: _Said) -> FitResult:
    matrix, dead, mixed = covariance(problem, solution, said.scaled)
    names = problem.model.names
    free = tuple(names[i] for i in problem.free)
    full = problem.full(solution.values)
    if not math.isfinite(np.add.reduce(full)) or not math.isfinite(solution.residuals @ solution.residuals):
        raise InputError("The fit ran away beyond all numbers; choose other starts, or limit its parameters.")
    if matrix is not None and not math.isfinite(np.add.reduce(matrix, axis=None)):
        matrix, mixed = None, list(free)
    us: dict[str, float] = {}
    spread: dict[str, tuple[float, ...]] = {}
    if matrix is not None:
        us = dict(zip(free, np.sqrt(np.diag(matrix)).tolist(), strict=True))
    if problem.ties.tied:
        slopes = problem.ties.spread(full, problem.free.tolist())
        spread = {names[i]: tuple(slopes[i].tolist()) for i in problem.ties.places}
        if matrix is not None:
            us |= {
                name: float(np.sqrt(max(np.array(row) @ matrix @ np.array(row), 0.0))) for name, row in spread.items()
            }
    hit = [name for name, on in zip(free, on_bound(problem, solution.values), strict=True) if on]
    us = {name: u for name, u in us.items() if name not in hit}
    warnings = [f"{name} ended on its bound and has no u; those of the others hold for it fixed there." for name in hit]
    warnings += _outweighing(problem)
    warnings += words_on_averages(problem, full)
    converged, message = solution.converged, solution.message
    if dead:
        converged = False
        verb = "has" if len(dead) == 1 else "have"
        message = f"{', '.join(dead)} {verb} no effect where the fit ended. Try other starts, hold or remove."
    if mixed:
        warnings.append(f"{', '.join(mixed)} cannot be told apart by these points; hold one of them.")
    elif matrix is None and not dead:
        warnings.append("There are as many parameters as points: no uncertainty can be given.")
    # What follows was just computed: there is nothing for pydantic to check.
    held = set(range(len(names))) - {*problem.free.tolist(), *problem.ties.places} if len(free) < len(names) else ()
    return FitResult.model_construct(
        formula=said.formula,
        parameters={
            name: FittedParameter(value, us.get(name), i in held, name in spread, name in hit)
            for i, (name, value) in enumerate(zip(names, full.tolist(), strict=True))
        },
        free=free,
        covariance=None if matrix is None else tuple(map(tuple, matrix.tolist())),
        scaled=said.scaled,
        statistics=statistics(problem, solution, said.weights != "proportional"),
        converged=converged,
        message=message,
        iterations=solution.iterations,
        loss=problem.loss,
        weights=said.weights,
        scale=solution.scale,
        warnings=tuple(warnings),
        spread=spread,
    )
