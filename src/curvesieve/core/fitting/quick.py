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

from curvesieve.core.fitting.problem import Problem

Floats = NDArray[np.float64]
_MAX_ITERATIONS = 60
_FIRST_DAMPING = 1e-3
_MAX_DAMPING = 1e8
_STEP, _GAIN, _SURE = 1e-7, 1e-14, 1e-11
"""The iteration ends when a step, or what it promises, is this small against the parameters or the sum of squares."""


@dataclass(frozen=True, eq=False)
class Place:
    """Values of the free parameters with residuals and Jacobian there. `at_rest`: the steps had come to an end;
    `sure`: they shrank so fast that the next one would change nothing."""

    values: Floats
    residuals: Floats
    jacobian: Floats
    iterations: int
    at_rest: bool
    sure: bool


def normal_equations(
    problem: Problem, start: Floats, watch: Callable[[Floats], None] | None, most: int = _MAX_ITERATIONS
) -> Place | None:
    """The place where the steps came to rest, or where they were after `most` of them; None when they broke down.

    `watch` is called with the free parameters at every accepted place and may raise.
    """
    p = start
    r, j = problem.both(p)
    cost = float(np.dot(r, r))
    damping, growth = _FIRST_DAMPING, 2.0
    before = math.inf
    for iteration in range(1, most + 1):
        if watch is not None:
            watch(p)
        square = j @ j.T
        lengths = np.sqrt(square.diagonal())
        shortest = float(lengths.min())
        if not (shortest > 0 and math.isfinite(cost)):
            return None
        matrix, gradient = square / (lengths[:, None] * lengths), (j @ r) / lengths
        diagonal = matrix.reshape(-1)[:: p.size + 1]
        while True:
            diagonal[:] = 1.0 + damping
            step = np.linalg.solve(matrix, gradient)
            length_squared = float(np.dot(step, step))
            promised = damping * length_squared + float(np.dot(step, gradient))
            change = step / lengths
            moved = p - change
            new_r, new_j = problem.both(moved)
            new_cost = float(np.dot(new_r, new_r))
            size = float(np.abs(change / moved).max())
            small = promised <= _GAIN * cost or size <= _STEP
            if new_cost <= cost or small:
                break
            damping, growth = damping * growth, growth * 2
            if not damping <= _MAX_DAMPING:
                return None
        if new_cost <= cost:
            gain = (cost - new_cost) / promised if promised > 0 else 1.0
            damping, growth = damping * max(0.03, 1 - (2 * gain - 1) ** 3), 2.0
            p, r, j, cost = moved, new_r, new_j, new_cost
        if small:
            return Place(p, r, j, iteration, True, size * size / before <= _SURE)
        before = size
    return Place(p, r, j, most, False, False)
