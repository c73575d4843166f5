"""Covariance, rank and statistics at the place where a fit ended."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.linalg.lapack import dtrtri

from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.result import Statistics
from curvesieve.core.fitting.solver import TUNING, Solution, on_bound

Floats = NDArray[np.float64]
_SAFE_DIAGONAL = 1e-4
_RANK_LIMIT = 1e-12
"""Smallest singular value of the column-scaled Jacobian, against the largest, that still counts."""


def covariance(problem: Problem, solution: Solution, scaled: bool = True) -> tuple[Floats | None, list[str], list[str]]:
    """(JᵀJ)⁻¹ times the residual variance, by singular values of the scaled Jacobian.

    Returns it (None when the Jacobian has not full rank or no degree of freedom is left), the parameters that have
    no effect, and those that trade off. A parameter on its bound is taken as fixed there: its row and column are
    zero, and the others' entries hold on that condition. The variance is rss/dof (NIST StRD certifies this form), 1
    when not `scaled` (the u of the points is taken as it is); for a robust loss it is the M-estimator's factor (Huber
    1981, eq. 6.5 of chapter 7; from memory).
    It has the shape (free, free).
    """
    lengths = solution.lengths
    names = [problem.model.names[i] for i in problem.free]
    stuck = on_bound(problem, solution.values)
    if stuck.any():
        return _inside(problem, solution, ~stuck, scaled)
    dead = [name for name, length in zip(names, lengths, strict=True) if not length > 0 or not math.isfinite(length)]
    if dead:
        return None, dead, []
    if solution.triangle.diagonal().min() > _SAFE_DIAGONAL:  # far from dependent: no need of singular values
        inverse, _ = dtrtri(solution.triangle)
        root = inverse / lengths[:, None]
        variance = _variance(problem, solution) if scaled else 1.0
        return (None if variance is None else np.asarray(root @ root.T * variance)), [], []
    _, singular, vt = np.linalg.svd(solution.triangle)  # small, with the singular values of the whole Jacobian
    if singular[-1] <= _RANK_LIMIT * singular[0]:
        mixed = np.abs(vt[-1]) >= 0.1 * np.abs(vt[-1]).max()
        return None, [], [name for name, on in zip(names, mixed, strict=True) if on]
    root = vt.T / singular / lengths[:, None]
    variance = _variance(problem, solution) if scaled else 1.0
    return (None if variance is None else np.asarray(root @ root.T * variance)), [], []


def _inside(
    problem: Problem, solution: Solution, inside: NDArray[np.bool_], scaled: bool
) -> tuple[Floats | None, list[str], list[str]]:
    """The covariance of the parameters that lie on no bound, among zeros for the others."""
    whole = np.zeros((inside.size, inside.size))
    if not inside.any():
        return whole, [], []
    part = replace(
        solution, values=solution.values[inside], lengths=solution.lengths[inside],
        triangle=np.asarray(np.linalg.qr(solution.triangle[:, inside], mode="r")),
    )  # fmt: skip
    unbounded = np.full(int(inside.sum()), np.inf)
    freed = replace(problem, free=problem.free[inside], lower=-unbounded, upper=unbounded)
    matrix, dead, mixed = covariance(freed, part, scaled)
    if matrix is None:
        return None, dead, mixed
    whole[np.ix_(inside, inside)] = matrix
    return whole, dead, mixed


def _variance(problem: Problem, solution: Solution) -> float | None:
    r = solution.residuals
    dof = r.size - solution.values.size
    if dof <= 0:
        return None
    if problem.loss == "squared":
        return float(r @ r) / dof
    if problem.loss == "absolute":
        # Asymptotic variance 1/(2 f(0))² of a median regression; f(0) from the share of small residuals.
        width = solution.scale * r.size ** (-1 / 5)
        density = np.count_nonzero(np.abs(r) < width) / (2 * width * r.size)
        return float(1 / (2 * density) ** 2) * r.size / dof if density > 0 else None
    z = r / (TUNING[problem.loss] * solution.scale)
    if problem.loss == "huber":
        psi, slope = np.clip(z, -1, 1), (np.abs(z) < 1).astype(float)
    elif problem.loss == "soft_l1":
        psi, slope = z / np.sqrt(1 + z**2), (1 + z**2) ** -1.5
    else:
        psi, slope = z / (1 + z**2), (1 - z**2) / (1 + z**2) ** 2
    bend = float(slope.mean())
    if bend <= 0:
        return None
    correction = 1 + solution.values.size / r.size * float(slope.var()) / bend**2
    tuned = TUNING[problem.loss] * solution.scale
    return correction**2 * tuned**2 * float(psi @ psi) / dof / bend**2


def statistics(problem: Problem, solution: Solution, known: bool = True) -> Statistics:
    """Counts, sums of squares and what follows from them; see `Statistics`.

    A parameter on its bound takes no degree of freedom, but is counted where models are compared: it was free to move.

    `known` tells whether the weights are uncertainties, and not only in proportion to them.
    """
    r = solution.residuals
    n, k = r.size, int(np.count_nonzero(~on_bound(problem, solution.values)))
    dof = n - k
    least = float(r @ r)
    if problem.u is None:
        off = problem.y - np.add.reduce(problem.y) / n
        total, rss = float(off @ off), least
    else:
        weights = 1 / problem.u**2
        off = problem.y - float(weights @ problem.y / weights.sum())
        total, rss = float(weights @ off**2), float(np.sum((r * problem.u) ** 2))
    squared = problem.loss == "squared"
    r2 = 1 - least / total if total > 0 else None
    noise = n * math.log(least / n) if least / n > 0 and squared else None
    count = solution.values.size + 1
    room = n - count - 1
    return Statistics(
        n=n,
        dof=dof,
        rss=rss,
        rmse=math.sqrt(rss / n),
        r2=r2,
        adjusted_r2=1 - (1 - r2) * (n - 1) / dof if r2 is not None and dof > 0 and squared else None,
        residual_sd=solution.scale if not squared else math.sqrt(least / dof) if dof > 0 else None,
        reduced_chi2=least / dof if problem.u is not None and dof > 0 and squared and known else None,
        aicc=None if noise is None or room <= 0 else noise + 2 * count + 2 * count * (count + 1) / room,
        bic=None if noise is None else noise + count * math.log(n),
        chi2=None if problem.u is None else least,
    )
