"""The place where a joint fit ended, told as results with a word on whether to believe them."""

from __future__ import annotations

import math

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitting.arrow import Place, without_effect
from curvesieve.core.fitting.averages_told import words_of_several
from curvesieve.core.fitting.joint import JointProblem
from curvesieve.core.fitting.joint_result import JointResult
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.result import FitResult, FittedParameter, Statistics
from curvesieve.core.fitting.triangles import spread_of

_UNLIKE = 3.0
"""Scatter so many times that of the middle curve is no longer taken for one and the same."""


def told(problem: JointProblem, place: Place, formula: str, weights: str, scaled: bool) -> JointResult:
    """The place where a joint fit ended, as results with u from the whole problem.

    Raises InputError where it ran away beyond all numbers.
    """
    full = problem.full(place.own, place.border)
    if not np.isfinite(full).all() or not math.isfinite(place.arrow.cost):
        raise InputError("The joint fit ran away beyond all numbers; choose other starts, or limit its parameters.")
    n = sum(one.y.size for one in problem.members)
    dof = n - problem.count + int(place.stuck.own.sum() + place.stuck.border.sum())
    least = place.arrow.cost
    variance = least / dof if scaled and dof > 0 else (None if scaled else 1.0)
    converged, message, warnings = _judged(problem, place)
    spread = spread_of(problem, place)
    if variance is None:
        warnings.append("There are as many parameters as points: no uncertainty can be given.")
    elif spread.blocks is None and converged:
        warnings.append(f"{_mixed(problem, spread.curve, spread.places)} cannot be told apart by these curves.")
    blocks = None if variance is None or spread.blocks is None else spread.blocks * variance
    if blocks is not None and not np.isfinite(blocks).all():
        blocks = None
        warnings.append("The uncertainties lie beyond all numbers; hold or share more parameters.")
    slopes = problem.mapped(place.border)[1]
    tell = _Teller(problem, place, formula, weights, scaled, converged, message)
    curves = tuple(
        tell.curve(k, full[:, k], slopes[k], None if blocks is None else blocks[k]) for k in range(len(problem.members))
    )
    o = len(problem.own_names)
    covariance = None if blocks is None else blocks[0][o:, o:]
    numbers = [
        FittedParameter(float(value), _u(covariance, i) if not stuck else None, False, False, bool(stuck))
        for i, (value, stuck) in enumerate(zip(place.border, place.stuck.border, strict=True))
    ]
    return JointResult(
        curves=curves,
        shared=dict(zip(problem.sharing.shared, numbers, strict=False)),
        laws={law.name: dict(zip(law.names, numbers[law.places], strict=True)) for law in problem.laws},
        border=problem.border_names,
        covariance=None if covariance is None else tuple(map(tuple, covariance.tolist())),
        statistics=_statistics(problem, full, dof, weights != "proportional"),
        count=problem.count,
        converged=converged,
        message=message,
        iterations=place.iterations,
        warnings=(*warnings, *_unlike(problem, curves), *words_of_several(problem.members, full, problem.labels)),
    )


def _u(covariance: Floats | None, i: int) -> float | None:
    return None if covariance is None else math.sqrt(max(float(covariance[i, i]), 0.0))


def _judged(problem: JointProblem, place: Place) -> tuple[bool, str, list[str]]:
    """Whether the place is a minimum to believe in, a sentence, and what to be careful with."""
    own, border = without_effect(place)
    dead = [f"{problem.own_names[j]} of {problem.labels[i]}" for i, j in zip(*np.nonzero(own), strict=True)]
    dead += [problem.border_names[k] for k in np.flatnonzero(border)]
    if dead:
        more = f" and {len(dead) - 3} more" if len(dead) > 3 else ""
        verb = "has" if len(dead) == 1 else "have"
        return False, f"{', '.join(dead[:3])}{more} {verb} no effect where the fit ended. Hold or leave out.", []
    beyond = problem.beyond(place.border)
    if beyond is not None:
        return False, f"The law takes {beyond[0]} of {beyond[1]} beyond its limits. Choose another law or start.", []
    if not place.converged:
        return False, "Did not converge: the steps stopped where the fit could still improve. Try other starts.", []
    hit = []
    for j in np.flatnonzero(place.stuck.own.any(axis=0)):
        labels = [problem.labels[i] for i in np.flatnonzero(place.stuck.own[:, j])]
        more = f" and {len(labels) - 3} more" if len(labels) > 3 else ""
        hit.append(f"{problem.own_names[j]} of {', '.join(labels[:3])}{more}")
    hit += [problem.border_names[k] for k in np.flatnonzero(place.stuck.border)]
    warnings = [f"{name} ended on its bound and has no u; those of the others hold for it fixed there." for name in hit]
    return True, f"converged in {counted(place.iterations, 'step')}", warnings


def _mixed(problem: JointProblem, curve: int | None, places: tuple[int, ...]) -> str:
    """The names of parameters that go into each other."""
    if curve is not None:
        return f"{', '.join(problem.own_names[j] for j in places)} of {problem.labels[curve]}"
    return ", ".join(problem.border_names[k] for k in places) or "Some parameters"


def _unlike(problem: JointProblem, curves: tuple[FitResult, ...]) -> list[str]:
    """A word on curves that scatter much more than the others: one scatter is taken for all."""
    sds = [one.statistics.residual_sd or 0.0 for one in curves]
    middle = float(np.median(sds)) if sds else 0.0
    wild = [label for label, sd in zip(problem.labels, sds, strict=True) if middle > 0 and sd > _UNLIKE * middle]
    if not wild or len(sds) < 3:
        return []
    more = f" and {len(wild) - 3} more" if len(wild) > 3 else ""
    return [
        f"{', '.join(wild[:3])}{more} {'scatters' if len(wild) == 1 else 'scatter'} more than {_UNLIKE:g} times as "
        "much as the others, and u is from the scatter of all: give points their u, or leave it out."
    ]


class _Teller:
    """Tells the part of each curve."""

    def __init__(
        self, problem: JointProblem, place: Place, formula: str, weights: str, scaled: bool, converged: bool,
        message: str,
    ) -> None:  # fmt: skip
        self.problem, self.place = problem, place
        self.formula, self.weights, self.scaled = formula, weights, scaled
        self.converged, self.message = converged, message

    def curve(self, k: int, full: Floats, slopes: Floats, covariance: Floats | None) -> FitResult:
        """The part of one curve: its free parameters are its own and those of the border, with their covariance.

        `full` has shape (parameters,), `slopes` (mapped, b), `covariance` (o + b, o + b).
        """
        problem = self.problem
        member = problem.members[k]
        free = (*problem.own_names, *problem.border_names)
        spread = self._spread(member, full, slopes, free)
        stuck = self.place.stuck
        hit = {name for name, on in zip(free, [*stuck.own[k], *stuck.border], strict=True) if on}
        us: dict[str, float] = {}
        if covariance is not None:
            us = dict(zip(free, np.sqrt(np.maximum(np.diag(covariance), 0.0)).tolist(), strict=True))
            us |= {
                name: math.sqrt(max(float(np.array(row) @ covariance @ np.array(row)), 0.0))
                for name, row in spread.items()
            }
        held = set(range(full.size)) - {*member.free.tolist(), *member.ties.places}
        r = member.residuals(full[member.free])
        return FitResult.model_construct(
            formula=self.formula,
            parameters={
                name: FittedParameter(
                    value, None if name in hit else us.get(name), i in held, name in spread, name in hit
                )
                for i, (name, value) in enumerate(zip(member.model.names, full.tolist(), strict=True))
            },
            free=free,
            covariance=None if covariance is None else tuple(map(tuple, covariance.tolist())),
            scaled=self.scaled,
            statistics=_of_curve(member, r, r.size - len(problem.own_names), self.weights != "proportional"),
            converged=self.converged,
            message=self.message,
            iterations=self.place.iterations,
            loss="squared",
            weights=self.weights,
            scale=1.0,
            warnings=(),
            spread=spread,
            follows={},
        )

    def _spread(
        self, member: Problem, full: Floats, slopes: Floats, free: tuple[str, ...]
    ) -> dict[str, tuple[float, ...]]:
        """Slopes against the free numbers of what a law gives, and of what is tied."""
        problem = self.problem
        o, shared = len(problem.own_names), len(problem.sharing.shared)
        spread = {
            name: (*([0.0] * o), *slopes[j].tolist()) for j, name in enumerate(problem.mapped_names) if j >= shared
        }
        if member.ties.tied:
            direct = member.ties.spread(full, member.free.tolist())
            rows = np.array([spread.get(name) or [float(other == name) for other in free] for name in problem.free])
            spread |= {member.model.names[i]: tuple((direct[i] @ rows).tolist()) for i in member.ties.places}
        return spread


def _of_curve(member: Problem, r: Floats, dof: int, known: bool) -> Statistics:
    """Those of one curve, which has `dof` beyond its own parameters; `r` are its weighed residuals, of shape (n,)."""
    return _stated(r.size, dof, *_sums(member, r), member.u is not None, None, known)


def _sums(member: Problem, r: Floats) -> tuple[float, float, float]:
    """The sum that is made least, that about the mean, and that of the plain residuals."""
    weight = np.ones(r.size) if member.u is None else 1 / member.u**2
    off = member.y - float(weight @ member.y / weight.sum())
    plain = r if member.u is None else r * member.u
    return float(r @ r), float(weight @ off**2), float(plain @ plain)


def _stated(
    n: int, dof: int, least: float, total: float, rss: float, weighed: bool, parameters: int | None, known: bool
) -> Statistics:
    r2 = 1 - least / total if total > 0 else None
    aicc = bic = None
    if parameters is not None and least > 0:
        count, level = parameters + 1, n * math.log(least / n)
        aicc = level + 2 * count * n / (n - count - 1) if n > count + 1 else None
        bic = level + count * math.log(n)
    return Statistics(
        n=n, dof=dof, rss=rss, rmse=math.sqrt(rss / n), r2=r2,
        adjusted_r2=None if r2 is None or dof <= 0 else 1 - (1 - r2) * (n - 1) / dof,
        residual_sd=math.sqrt(least / dof) if dof > 0 else None,
        reduced_chi2=least / dof if weighed and known and dof > 0 else None,
        aicc=aicc, bic=bic, chi2=least if weighed else None,
    )  # fmt: skip


def _statistics(problem: JointProblem, full: Floats, dof: int, known: bool) -> Statistics:
    """Those of all curves together; R² about the mean of each curve."""
    sums = [_sums(one, one.residuals(full[one.free, k])) for k, one in enumerate(problem.members)]
    least, total, rss = (math.fsum(one[k] for one in sums) for k in range(3))
    n = sum(one.y.size for one in problem.members)
    weighed = any(one.u is not None for one in problem.members)
    return _stated(n, dof, least, total, rss, weighed, problem.count, known)
