"""Covariance, rank and statistics at the place where a fit ended."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy.linalg.lapack import dtrtri

from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.result import Statistics
from curvesieve.core.fitting.solver import TUNING, Solution

Floats = NDArray[np.float64]
_SAFE_DIAGONAL = 1e-4
_RANK_LIMIT = 1e-12
"""Smallest singular value of the column-scaled Jacobian, against the largest, that still counts."""


def covariance(problem: Problem, solution: Solution, scaled: bool = True) -> tuple[Floats | None, list[str], list[str]]:
    """(JᵀJ)⁻¹ times the residual variance, by singular values of the scaled Jacobian.

    Returns it (None when the Jacobian has not full rank or no degree of freedom is left), the parameters that have
    no effect, and those that trade off. The variance is rss/dof (NIST StRD certifies this form), 1 when not `scaled`
    (the u of the points is taken as it is); for a robust loss it is the M-estimator's factor (Huber 1981, eq. 6.5 of
    chapter 7; from memory).
    """
    lengths = solution.lengths
    names = [problem.model.names[i] for i in problem.free]
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


def statistics(problem: Problem, solution: Solution) -> Statistics:
    """Counts, sums of squares and what follows from them; see `Statistics`."""
    r = solution.residuals
    n, k = r.size, solution.values.size
    dof = n - k
    rss = float(r @ r)
    if problem.u is None:
        off = problem.y - np.add.reduce(problem.y) / n
        total, plain = float(off @ off), rss
    else:
        weights = 1 / problem.u**2
        off = problem.y - float(weights @ problem.y / weights.sum())
        total, plain = float(weights @ off**2), float(np.sum((r * problem.u) ** 2))
    r2 = 1 - rss / total if total > 0 else None
    noise = n * math.log(rss / n) if rss > 0 else None
    count = k + 1
    room = n - count - 1
    return Statistics(
        n=n,
        dof=dof,
        rss=rss,
        rmse=math.sqrt(plain / n),
        r2=r2,
        adjusted_r2=1 - (1 - r2) * (n - 1) / dof if r2 is not None and dof > 0 else None,
        residual_sd=math.sqrt(rss / dof) if dof > 0 else None,
        reduced_chi2=rss / dof if problem.u is not None and dof > 0 else None,
        aicc=None if noise is None or room <= 0 else noise + 2 * count + 2 * count * (count + 1) / room,
        bic=None if noise is None else noise + count * math.log(n),
    )
