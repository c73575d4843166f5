"""Levenberg–Marquardt on the normal equations: a third of the time of QR steps where the problem is well conditioned.

The steps are those of Marquardt with columns scaled to length one and Nielsen's rule for the damping (Madsen,
Nielsen and Tingleff 2004, section 3.2; from memory). It gives up rather than guess: whoever calls it goes on with
MINPACK from the same start.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.linalg.blas import dgemm
from scipy.linalg.lapack import dposv

from curvesieve.core.fitting.problem import Problem

Floats = NDArray[np.float64]
QUICK_ITERATIONS = 60
_FIRST_DAMPING = 1e-3
_MAX_DAMPING = 1e8
_STEP, _AHEAD, _GAIN, _SURE, _UNFELT = 1e-7, 1e-8, 1e-14, 1e-8, 1e3
"""The iteration ends when a step, the one ahead of it, or what a step promises, is this small against the parameters or
the sum of squares; and one more, without looking again, is all that is needed where the one ahead is this small."""


def gram(rows: Floats) -> Floats:
    """rows·rowsᵀ. By the general product: BLAS's own for a matrix and its transpose takes four times as long here.

    From shape (k, n) to shape (k, k).
    """
    product: Floats = dgemm(1.0, rows.T, rows.T, trans_a=1)
    return product


@dataclass(frozen=True, eq=False)
class Place:
    """Values of the free parameters with the stacked Jacobian and residuals there (see `Problem.stacked`) and their
    `gram`. `at_rest`: the steps had come to an end.

    The next step would be the last where the smallest diagonal of the scaled R is above `sure_above`: the steps
    shrank fast, and the damping was too small to be the reason.
    """

    values: Floats
    stacked: Floats
    sums: Floats
    iterations: int = 0
    at_rest: bool = False
    sure_above: float = math.inf


def normal_equations(
    problem: Problem, start: Floats, watch: Callable[[Floats], None] | None, most: int = QUICK_ITERATIONS
) -> Place | None:
    """The place where the steps came to rest, or where they were after `most` of them; None when they broke down.

    `watch` is called with the free parameters at every accepted place and may raise.
    `start` has shape (free,).
    """
    p, k = start, start.size
    stacked = problem.stacked(p)
    sums = gram(stacked)
    cost = float(sums[k, k])
    damping, growth = _FIRST_DAMPING, 2.0
    before = 1.0
    for iteration in range(1, most + 1):
        if watch is not None:
            watch(p)
        squares, gradient = sums.diagonal()[:k], sums[:k, k]
        lengths = squares.tolist()  # so few numbers are quicker as plain floats
        if not (min(lengths) > 0 and math.isfinite(cost)):
            tidied = problem.tidy()
            return None if tidied is problem else normal_equations(tidied, p, watch, most)
        while True:
            matrix = sums[:k, :k].copy()
            matrix.reshape(-1)[:: k + 1] *= 1.0 + damping  # columns of any length are damped alike
            used = damping
            _, step, failed = dposv(matrix, gradient)
            if failed:
                return None
            moved = p - step
            each = zip(step.tolist(), lengths, gradient.tolist(), strict=True)
            promised = sum(s * (damping * length * s + g) for s, length, g in each)
            new_stacked = problem.stacked(moved)
            new_sums = gram(new_stacked)
            new_cost = float(new_sums[k, k])
            size = max(map(abs, (step / moved).tolist()))
            # Steps that shrink by a factor, or by their square, leave size²/before to go after this one.
            ahead = size * size / before
            small = promised <= _GAIN * cost or size <= _STEP or (size < before / 4 and ahead <= _AHEAD)
            if new_cost <= cost or small:
                break
            damping, growth = damping * growth, growth * 2
            if not damping <= _MAX_DAMPING:
                return None
        if new_cost <= cost:
            gain = (cost - new_cost) / promised if promised > 0 else 1.0
            damping, growth = damping * max(0.03, 1 - (2 * gain - 1) ** 3), 2.0
            p, stacked, sums, cost = moved, new_stacked, new_sums, new_cost
        if small:
            sure_above = math.sqrt(_UNFELT * used) if ahead <= _SURE else math.inf
            return Place(p, stacked, sums, iteration, True, sure_above)
        before = size
    return Place(p, stacked, sums, most)
