"""Fits of a family: one formula to many curves, each parameter each curve's own, one for all, or on a law."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.fits import fit_asked
from curvesieve.core.fitting.joint import CONDITION, JointProblem, Place, Sharing, solve_jointly
from curvesieve.core.fitting.problem import Problem, state_problem, weighing
from curvesieve.core.fitting.request import Request
from curvesieve.core.fitting.result import FitResult, FittedParameter, Statistics
from curvesieve.core.formula import understood_variable
from curvesieve.core.models import formula_sum, is_known, term_of

_RANK = 1e-12


@dataclass(frozen=True, eq=False)
class JointResult:
    """What a joint fit found: a result a curve, the shared parameters, the parameters of laws by the name of what they
    rule. `covariance` is that of `border` (shared ones, then those of laws), of shape (b, b); None where there is none.

    u of every number is from the whole problem. `statistics` are those of all curves together.
    """

    curves: tuple[FitResult, ...]
    shared: dict[str, FittedParameter]
    laws: dict[str, dict[str, FittedParameter]]
    border: tuple[str, ...]
    covariance: Floats | None
    statistics: Statistics
    converged: bool
    message: str
    iterations: int
    warnings: tuple[str, ...] = ()


def fit_family(
    model: str,
    curves: Sequence[Curve],
    conditions: Sequence[float] | None = None,
    shared: Collection[str] = (),
    by_condition: Mapping[str, str] | None = None,
    start: Mapping[str, float] | None = None,
    hold: Collection[str] = (),
    weights: str = "u",
    scaled: bool = True,
) -> JointResult:
    """Fits one formula, or a library term by name, to several curves at once.

    Parameters in `shared` are one for all curves; those in `by_condition` follow a law, a formula in ``c``, the
    condition of each curve, whose own parameters are fitted too (``{"k": "k0*exp(-E/c)"}``); all others are each
    curve's own. Without a `start` each curve is fitted by itself first, from its neighbour's values where that is
    better, and laws are fitted to what was found. Curves without u weigh alike; u are scaled by the scatter of all
    unless `scaled` is False. Raises InputError, by the number of the curve, for what cannot be fitted.
    """
    sharing = Sharing(tuple(shared), dict(by_condition or {}))
    made = [_start_of(model, curve, k, dict(start or {}), hold, weights) for k, curve in enumerate(curves, start=1)]
    problem = JointProblem([one for one, _ in made], conditions, sharing)
    own, border = _first_guess(problem, [values for _, values in made])
    return told(problem, solve_jointly(problem, own, border), model, scaled, weights)


def _start_of(
    model: str, curve: Curve, number: int, start: dict[str, float], hold: Collection[str], weights: str
) -> tuple[Problem, dict[str, float]]:
    """The problem of one curve, and where it begins: what it gives by itself, where no start is given for all."""
    used = curve.used
    try:
        found = fit_asked(model, used.x, used.y, used.u, Request(start, hold, {}, {}, "squared", weights, True))
        variable = "x" if is_known(model) else understood_variable(model)
        span = (float(used.x.min()), float(used.x.max()))
        term = term_of(model, span) if is_known(model) else None
        summed = formula_sum(term.formula, (term.variable,)) if term else formula_sum(model, (variable,))
        u = weighing(weights, used.y, used.u)
        problem = state_problem(summed, used.x, used.y, u, Request(found.values, hold, {}, {}))
    except InputError as error:
        raise InputError(f"Curve {number}: {error}") from error
    return problem, found.values


def _first_guess(problem: JointProblem, found: Sequence[Mapping[str, float]]) -> tuple[Floats, Floats]:
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
    request = Request({}, (), {}, {}, "soft_l1" if values.size > len(names) + 2 else "squared", "none", True)
    try:
        found = fit_asked(text, conditions, values, None, request, CONDITION)
    except InputError as error:
        raise InputError(f"The law {text} cannot begin: {error}") from error
    return [found.values[name] for name in names]


def told(problem: JointProblem, place: Place, formula: str, scaled: bool, weights: str) -> JointResult:
    """The place where a joint fit ended, as results with u from the whole problem."""
    arrow, m = place.arrow, len(problem.members)
    n = sum(one.y.size for one in problem.members)
    dof = n - problem.count
    least = arrow.cost
    variance = least / dof if scaled and dof > 0 else (None if scaled else 1.0)
    blocks = None if variance is None else _covariances(problem, place)
    warnings: list[str] = []
    if variance is not None and blocks is None:
        warnings.append("Some parameters cannot be told apart by these curves; hold one of them, or share fewer.")
    if variance is None:
        warnings.append("There are as many parameters as points: no uncertainty can be given.")
    full = problem.full(place.own, place.border)
    slopes = problem.mapped(place.border)[1]
    curves = tuple(
        _curve_told(problem, place, k, full[:, k], slopes[k], None if blocks is None or variance is None
                    else blocks[k] * variance, formula, weights, scaled)
        for k in range(m)
    )  # fmt: skip
    b, o = len(problem.border_names), len(problem.own_names)
    covariance = None if blocks is None or variance is None or not b else blocks[0][o:, o:] * variance
    us = [None] * b if covariance is None else [math.sqrt(max(float(v), 0.0)) for v in np.diag(covariance)]
    numbers = [FittedParameter(float(v), u) for v, u in zip(place.border, us, strict=True)]
    shared = dict(zip(problem.sharing.shared, numbers, strict=False))
    laws = {law.name: dict(zip(law.names, numbers[law.places], strict=True)) for law in problem.laws}
    return JointResult(
        curves, shared, laws, problem.border_names, covariance,
        _statistics(problem, full, dof), place.converged, place.message, place.iterations,
        tuple(warnings),
    )  # fmt: skip


def _covariances(problem: JointProblem, place: Place) -> Floats | None:
    """Covariances over the variance, of each curve's own parameters with the border, of shape (m, o + b, o + b).

    None where some cannot be told apart.
    """
    arrow = place.arrow
    m, o, b = len(problem.members), len(problem.own_names), len(problem.border_names)
    long = np.sqrt(np.einsum("moo->mo", arrow.own))
    wide = np.sqrt(np.diag(arrow.border))
    if not (long > 0).all() or not (wide > 0).all():
        return None
    own = arrow.own / (long[:, :, None] * long[:, None, :])
    across = arrow.across / (long[:, :, None] * wide)
    border = arrow.border / np.outer(wide, wide)
    if o and float(np.linalg.eigvalsh(own).min()) <= _RANK:
        return None
    inverse = np.linalg.inv(own) if o else np.zeros((m, 0, 0))
    ahead = inverse @ across if o else np.zeros((m, 0, b))
    left = border - np.einsum("mob,mod->bd", across, ahead)
    if b and float(np.linalg.eigvalsh(left).min()) <= _RANK:
        return None
    shared = np.linalg.inv(left) if b else np.zeros((0, 0))
    made = np.empty((m, o + b, o + b))
    made[:, :o, :o] = inverse + ahead @ shared @ np.swapaxes(ahead, 1, 2)
    made[:, :o, o:] = -ahead @ shared
    made[:, o:, :o] = np.swapaxes(made[:, :o, o:], 1, 2)
    made[:, o:, o:] = shared
    lengths = np.concatenate([long, np.broadcast_to(wide, (m, b))], axis=1)
    return np.asarray(made / (lengths[:, :, None] * lengths[:, None, :]))


def _curve_told(
    problem: JointProblem, place: Place, k: int, full: Floats, slopes: Floats, covariance: Floats | None, formula: str,
    weights: str, scaled: bool,
) -> FitResult:  # fmt: skip
    """The part of one curve: its free parameters are its own and those of the border, with their covariance."""
    member = problem.members[k]
    free = (*problem.own_names, *problem.border_names)
    o, shared = len(problem.own_names), len(problem.sharing.shared)
    spread: dict[str, tuple[float, ...]] = {}
    for j, name in enumerate(problem.mapped_names):
        if j >= shared:
            spread[name] = (*([0.0] * o), *slopes[j].tolist())
    if member.ties.tied:
        direct = member.ties.spread(full, member.free.tolist())
        rows = np.zeros((len(problem.free), len(free)))
        for i, name in enumerate(problem.free):
            rows[i] = spread.get(name) or [float(other == name) for other in free]
        spread |= {member.model.names[i]: tuple((direct[i] @ rows).tolist()) for i in member.ties.places}
    us: dict[str, float] = {}
    if covariance is not None:
        us = dict(zip(free, np.sqrt(np.maximum(np.diag(covariance), 0.0)).tolist(), strict=True))
        us |= {
            name: math.sqrt(max(float(np.array(row) @ covariance @ np.array(row)), 0.0)) for name, row in spread.items()
        }
    held = set(range(full.size)) - {*member.free.tolist(), *member.ties.places}
    r = member.residuals(full[member.free])
    return FitResult.model_construct(
        formula=formula,
        parameters={
            name: FittedParameter(value, us.get(name), i in held, name in spread)
            for i, (name, value) in enumerate(zip(member.model.names, full.tolist(), strict=True))
        },
        free=free,
        covariance=None if covariance is None else tuple(map(tuple, covariance.tolist())),
        scaled=scaled,
        statistics=_of_curve(member, r, r.size - o),
        converged=place.converged,
        message=place.message,
        iterations=place.iterations,
        loss="squared",
        weights=weights,
        scale=1.0,
        warnings=(),
        spread=spread,
        follows={},
    )


def _of_curve(member: Problem, r: Floats, dof: int) -> Statistics:
    """Those of one curve, which has `dof` beyond its own parameters; `r` are its weighed residuals, of shape (n,)."""
    return _stated(r.size, dof, *_sums(member, r), member.u is not None, None)


def _sums(member: Problem, r: Floats) -> tuple[float, float, float]:
    """The sum that is made least, that about the mean, and that of the plain residuals."""
    weight = np.ones(r.size) if member.u is None else 1 / member.u**2
    off = member.y - float(weight @ member.y / weight.sum())
    plain = r if member.u is None else r * member.u
    return float(r @ r), float(weight @ off**2), float(plain @ plain)


def _stated(
    n: int, dof: int, least: float, total: float, rss: float, weighed: bool, parameters: int | None
) -> Statistics:
    r2 = 1 - least / total if total > 0 else None
    aicc = bic = None
    if parameters is not None:
        count = parameters + 1
        level = n * math.log(max(least, 1e-300) / n)
        aicc = level + 2 * count * n / (n - count - 1) if n > count + 1 else None
        bic = level + count * math.log(n)
    return Statistics(
        n=n, dof=dof, rss=rss, rmse=math.sqrt(rss / n), r2=r2,
        adjusted_r2=None if r2 is None or dof <= 0 else 1 - (1 - r2) * (n - 1) / dof,
        residual_sd=math.sqrt(least / dof) if dof > 0 else None,
        reduced_chi2=least / dof if weighed and dof > 0 else None, aicc=aicc, bic=bic, chi2=least if weighed else None,
    )  # fmt: skip


def _statistics(problem: JointProblem, full: Floats, dof: int) -> Statistics:
    """Those of all curves together; R² about the mean of each curve."""
    sums = [_sums(one, one.residuals(full[one.free, k])) for k, one in enumerate(problem.members)]
    least, total, rss = (math.fsum(one[k] for one in sums) for k in range(3))
    weighed = any(one.u is not None for one in problem.members)
    return _stated(dof + problem.count, dof, least, total, rss, weighed, problem.count)
