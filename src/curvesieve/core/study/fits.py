"""Fits of a study's curves: made, read off, and asked again."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, nearest
from curvesieve.core.fitting.prediction import Band, Fitted, fitted
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.formula import parse
from curvesieve.core.readings import fit_readings
from curvesieve.core.recipe import fit_passed, must_work
from curvesieve.core.study import edits
from curvesieve.core.study.document import FitEntry
from curvesieve.core.study.many import Fitted as Fit
from curvesieve.core.study.many import fit_many
from curvesieve.core.study.passing import sieve_family, sieved_curve, source_problem
from curvesieve.core.study.study import Study

_BAND_POINTS = 400


def fitted_curve(study: Study, curve_id: str) -> tuple[Problem, Fitted]:
    """The problem that the curve's fit solved, and the curve that it found; the fit must be current."""
    from curvesieve.core.fitting.fits import limited, stated

    fit = study.fit(curve_id)
    assert fit is not None, "asked of a curve without a fit"
    problem, said = stated(study.model(curve_id), sieved_curve(study, curve_id).curve)
    problem = limited(problem, said.limits)
    return problem, fitted(problem, fit.result)


def band_of(study: Study, curve_id: str) -> Band | None:
    """The confidence and prediction bands of a curve's fit over its range; None where there are none."""
    if not study.fit_is_current(curve_id):
        return None
    _, on = fitted_curve(study, curve_id)
    return on.band(np.linspace(on.low, on.high, _BAND_POINTS))


def derived_changed(study: Study, curve_id: str, derived: tuple[tuple[str, str], ...]) -> Study:
    """Other named formulas in the parameters of a curve's model; a current fit stays, with its readings made again.

    Raises InputError for a formula that cannot be worked out from the fit.
    """
    old = study.model(curve_id)
    for name, text in derived:
        known = [*old.names, *old.following]
        stray = [p for p in parse(text, ()).parameters if p not in known]
        if stray:
            raise InputError(
                f"{name}: there is no parameter {stray[0]!r} in this model; it has {', '.join(known)}"
                f"{nearest(stray[0], known)}"
            )
    current, fit = study.fit_is_current(curve_id), study.fit(curve_id)
    model = old.model_copy(update={"derived": derived})
    made = edits.set_model(curve_id, model)(study)
    if fit is None:
        return made
    if not current:
        return edits.change_curve(curve_id, lambda curve: curve.model_copy(update={"result": fit.key}))(made)
    curve = sieved_curve(study, curve_id).curve
    readings = fit_readings(model, fit.result, curve.x_unit, curve.y_unit, fit.basis)
    return edits.set_fit(curve_id, fit.model_copy(update={"key": made.fit_key(curve_id), "readings": readings}))(made)


def fit_curve(study: Study, curve_id: str, watch: Callable[[Floats], None] | None = None) -> FitEntry:
    """Fits the curve's model to what its sieve passes and reads off the peaks.

    Raises InputError when a step of the sieve cannot work (a fit of a curve that was not cleaned as asked
    would look right and be wrong), or when the model cannot be fitted.
    `watch` is given all parameters, of shape (parameters,).
    """
    problem = source_problem(study, curve_id)
    if problem:
        raise InputError(problem)
    made = sieved_curve(study, curve_id)
    return entry_of(study, curve_id, made.curve, fit_passed(study.model(curve_id), made, watch))


def entry_of(study: Study, curve_id: str, passed: Curve, found: Fit) -> FitEntry:
    """What a fit of a curve that passed found, as the study keeps it."""
    result, readings, basis = found
    return FitEntry(
        key=study.fit_key(curve_id), result=result, readings=readings, basis=basis, passed=len(passed),
        x_unit=passed.x_unit, y_unit=passed.y_unit,
    )  # fmt: skip


def fit_curves(
    study: Study,
    curve_ids: Sequence[str],
    watch: Callable[[float], None] | None = None,
    starts: Callable[[Mapping[str, Curve]], Mapping[str, Mapping[str, float]]] = lambda passed: {},
) -> tuple[dict[str, FitEntry], dict[str, str]]:
    """Fits of many curves on all cores, by id; and for those that cannot be fitted, the reason.

    `starts` may give, of the curves that passed, where some begin. `watch` is told the share done, and may raise.
    """
    told = watch or (lambda share: None)
    problems = {id_: said for id_ in curve_ids if (said := source_problem(study, id_))}
    rest = [id_ for id_ in curve_ids if id_ not in problems]
    made = dict(zip(rest, sieve_family(study, rest, lambda share: told(share / 2)), strict=True))
    for id_, one in made.items():
        try:
            must_work(one)
        except InputError as error:
            problems[id_] = str(error)
    ready = [id_ for id_ in rest if id_ not in problems]
    begun = starts({id_: made[id_].curve for id_ in ready})
    jobs = [
        (study.model(id_).starting_at(dict(begun.get(id_, {}))), made[id_].curve, len(made[id_].recorded))
        for id_ in ready
    ]
    fits: dict[str, FitEntry] = {}
    for id_, found in zip(ready, fit_many(jobs, lambda share: told(0.5 + share / 2)), strict=True):
        if isinstance(found, str):
            problems[id_] = found
        else:
            fits[id_] = entry_of(study, id_, made[id_].curve, found)
    return fits, problems
