"""Fits of a family: one formula to many curves, each parameter each curve's own, one for all, or on a law."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.arrow import Watch
from curvesieve.core.fitting.arrow_steps import solve_arrow
from curvesieve.core.fitting.batch import alike_of, fit_alike
from curvesieve.core.fitting.fits import fit_asked, fit_model, limited, stated
from curvesieve.core.fitting.joint import JointProblem
from curvesieve.core.fitting.joint_result import JointResult
from curvesieve.core.fitting.joint_told import told
from curvesieve.core.fitting.problem import Problem, state_problem, weighing
from curvesieve.core.fitting.request import Bounds, Request
from curvesieve.core.fitting.sharing import CONDITION, Sharing
from curvesieve.core.formula import understood_variable
from curvesieve.core.models import FormulaSum, Model, Term, formula_sum, is_known, term_of, term_sum

_FIRST_STEPS = 30
"""Steps of the curves' own parameters alone, before what is shared moves."""
_FEW = 8
"""Fewer curves are fitted one by one."""
_MUCH_BETTER = 1.5
"""A neighbour's values are a better start where they leave so much less scatter."""
Values = Mapping[str, float]


def fit_family(
    model: str,
    curves: Sequence[Curve],
    conditions: Sequence[float] | None = None,
    shared: Collection[str] = (),
    by_condition: Mapping[str, str] | None = None,
    start: Values | None = None,
    hold: Collection[str] = (),
    weights: str = "u",
    scaled: bool = True,
    bounds: Bounds | None = None,
) -> JointResult:
    """Fits one formula, or a library term by name, to several curves at once.

    Parameters in `shared` are one for all curves; those in `by_condition` follow a law, a formula in ``c``, the
    condition of each curve, whose own parameters are fitted too (``{"k": "k0*exp(-E/c)"}``); all others are each
    curve's own. Without a `start` for all, each curve is fitted by itself first; laws begin at what was found. Either
    all curves have u or none has; u are scaled by the scatter of all unless `scaled` is False. Raises InputError, by
    the number of the curve, for what cannot be fitted, and where units differ from curve to curve.
    """
    sharing = Sharing(tuple(shared), dict(by_condition or {}))
    labels = [f"curve {k + 1}" for k in range(len(curves))]
    same_units(curves, labels)
    used = [curve.used for curve in curves]
    summed, term = _sum_for(model, used)
    request = Request(dict(start or {}), hold, bounds or {}, {}, "squared", weights, scaled)
    made = [_start_of(model, summed, term, one, label, request) for one, label in zip(used, labels, strict=True)]
    problem = JointProblem([one for one, _ in made], conditions, sharing, labels)
    own, border = _first_guess(problem, [values for _, values in made])
    return told(problem, solve_arrow(problem, own, border), model, weights, scaled)


def _sum_for(model: str, curves: Sequence[Curve]) -> tuple[FormulaSum, Term | None]:
    """The formula to fit; a library term's basis spans the x of all curves: its weights mean the same in each."""
    if not is_known(model):
        return formula_sum(model, (understood_variable(model),)), None
    spans = [(float(one.x.min()), float(one.x.max())) for one in curves if len(one)]
    span = (min(low for low, _ in spans), max(high for _, high in spans)) if spans else None
    term = term_of(model, span)
    if term.over_peaks:
        raise InputError(f"{term.label} is made of the peaks that stand on it, and cannot be fitted by its name alone.")
    return term_sum(term), term


def _start_of(
    model: str, summed: FormulaSum, term: Term | None, used: Curve, label: str, asked: Request
) -> tuple[Problem, Values]:
    """The problem of one curve, and where it begins: what it gives by itself, where no start is given for all."""
    try:
        found: Values = asked.start
        if set(found) < set(summed.names):
            text = term.formula if term is not None and term.basis else model  # another basis has other weights
            found = fit_asked(text, used.x, used.y, used.u, asked, summed.variables[0]).values
        u = weighing(asked.weights, used.y, used.u)
        if not asked.scaled and u is None:
            raise InputError("scaled=False takes u as it is, but no u is given.")
        problem = state_problem(summed, used.x, used.y, u, replace(asked, start=found))
        return limited(problem, {p.name: (p.lower, p.upper) for p in term.parameters} if term else {}), found
    except InputError as error:
        raise InputError(f"{label[0].upper()}{label[1:]}: {error}") from error


def fit_jointly(
    model: Model,
    curves: Sequence[Curve],
    labels: Sequence[str],
    conditions: Sequence[float | None],
    sharing: Sharing,
    known: Sequence[Values | None] = (),
    watch: Watch | None = None,
    stop: Callable[[], None] = lambda: None,
) -> JointResult:
    """Fits a study's model to the curves that passed, all at once; `known` are values to begin from, where there are.

    `watch` is given all parameters, of shape (parameters, curves), at each step; it and `stop`, which is asked while
    starts are found, may raise. Raises InputError, by the label of the curve, for what cannot be fitted.
    """
    same_units(curves, labels)
    starts = starts_of(model, curves, labels, known or [None] * len(curves), stop)
    members = []
    for curve, label, values in zip(curves, labels, starts, strict=True):
        try:
            one, said = stated(model.starting_at(dict(values)), curve)
        except InputError as error:
            raise InputError(f"{label}: {error}") from error
        members.append(limited(one, said.limits))
    problem = JointProblem(members, conditions, sharing, labels)
    own, border = _first_guess(problem, starts)
    own = solve_arrow(problem, own, border, None, keep_border=True, most=_FIRST_STEPS).own
    place = solve_arrow(problem, own, border, watch)
    return told(problem, place, said.formula, model.weights, model.scaled)


def same_units(curves: Sequence[Curve], labels: Sequence[str]) -> None:
    """Raises InputError where the curves are not all in the units of the first."""
    from curvesieve.core import units

    for curve, label in zip(curves, labels, strict=True):
        for axis in ("x", "y"):
            here, first = (str(getattr(one, f"{axis}_unit")) for one in (curve, curves[0]))
            if units.shown(here) != units.shown(first):
                raise InputError(
                    f"{axis} of {label} is in {units.shown(here) or 'no unit'}, that of {labels[0]} in "
                    f"{units.shown(first) or 'no unit'}; convert it in its sieve, or leave it out."
                )


def starts_of(
    model: Model,
    curves: Sequence[Curve],
    labels: Sequence[str],
    known: Sequence[Values | None],
    stop: Callable[[], None] = lambda: None,
) -> list[Values]:
    """Where each curve begins: what is known of it, what it gives by itself, or from its neighbour where better.

    `stop` is asked between curves and may raise. Raises InputError, by the label of the curve, for one that gives none.
    """
    found: list[Values] = []
    before: Values | None = None
    missing = [k for k, given in enumerate(known) if given is None]
    quick = dict(zip(missing, starts_alike(model, [curves[k] for k in missing]), strict=True))
    known = [quick.get(k) if given is None else given for k, given in enumerate(known)]
    for curve, label, given in zip(curves, labels, known, strict=True):
        if given is None:
            stop()
            given = _alone(model, curve, label, before)
        found.append(given)
        before = given
    return found


def starts_alike(
    model: Model, curves: Sequence[Curve], watch: Callable[[float], None] | None = None
) -> list[Values | None]:
    """What many curves give each by itself from the model's starts, all at once; None for one that came to no rest.

    All None where there are few, or where the model asks for more than squares made least within its limits.
    `watch` is told the share done and may raise to stop.
    """
    nothing: list[Values | None] = [None] * len(curves)
    if len(curves) < _FEW or model.ties or model.loss != "squared":
        return nothing
    stated_ones = []
    for curve in curves:
        try:
            problem, said = stated(model, curve)
        except InputError:
            return nothing
        stated_ones.append(limited(problem, said.limits))
    first = stated_ones[0]
    if any(one.model is not first.model for one in stated_ones):
        return nothing
    ended = fit_alike(alike_of(stated_ones), np.array([one.start for one in stated_ones]), watch)
    names = first.model.names
    for k, (one, values) in enumerate(zip(stated_ones, ended.values, strict=True)):
        inside = (one.lower < values[one.free]) & (values[one.free] < one.upper)
        if ended.converged[k] and inside.all():
            nothing[k] = dict(zip(names, values.tolist(), strict=True))
    return nothing


def _alone(model: Model, curve: Curve, label: str, before: Values | None) -> Values:
    """The values of a curve by itself; those that it begins with where it gives none, as another may settle them."""
    tried = []
    for values in [{}] if before is None else [{}, before]:
        try:
            made = fit_model(model.starting_at(dict(values)), curve)
        except InputError as error:
            refused = error
            continue
        least = made.statistics.least
        tried.append((made.converged, -least * (_MUCH_BETTER if values else 1.0), made.values))
    if not tried:
        raise InputError(f"{label}: {refused}") from refused
    return max(tried, key=lambda one: one[:2])[2]


def _first_guess(problem: JointProblem, found: Sequence[Values]) -> tuple[Floats, Floats]:
    """Values of the curves' own parameters, and of the border: the middle of what the curves gave by themselves."""
    own = np.array([[one[name] for name in problem.own_names] for one in found]).reshape(len(found), -1)
    border = np.empty(len(problem.border_names))
    for k, name in enumerate(problem.sharing.shared):
        border[k] = float(np.median([one[name] for one in found]))
    for law in problem.laws:
        values = np.array([one[law.name] for one in found])
        border[law.places] = _law_through(problem.sharing.laws[law.name], law.names, problem.conditions, values)
    return own, border


def _law_through(text: str, names: Sequence[str], conditions: Floats, values: Floats) -> list[float]:
    """The parameters of a law that goes through what the curves gave, robustly: some may have gone astray.

    Raises InputError where it has no value there.
    """
    loss = "soft_l1" if values.size > len(names) + 2 else "squared"
    request = replace(Request(), loss=loss, weights="none")
    try:
        found = fit_asked(text, conditions, values, None, request, CONDITION)
    except InputError as error:
        raise InputError(f"The law {text} cannot begin: {error}") from error
    return [found.values[name] for name in names]
