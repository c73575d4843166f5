"""Levenberg–Marquardt inside bounds for many parameters, on the normal equations.

Where a step would pass a bound, the parameter is put on it and the step of all others is solved for again, knowing
that: cut steps alone lead astray when many are cut (active sets as in Å. Björck, Numerical Methods for Least Squares
Problems, 1996, section 5.2; from memory). A parameter on its bound is let go again when the slope leads inside. The
damping follows Nielsen's rule, as in `quick`.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.quick import gram

Floats = NDArray[np.float64]
_FIRST_DAMPING, _MOST_DAMPING = 1e-3, 1e10
_GAIN, _CREEPS, _FLAT, _LITTLE, _WORTH = 1e-13, 1e-7, 1e-9, 0.05, 1e-9
_MOST_TURNS = 6
"""Times that, at rest, a parameter is put on a bound or let go from one."""
_MOST_SETS = 8
"""Times that a step is solved for again with more parameters on their bounds."""


def steps_inside(problem: Problem, p: Floats, watch: Callable[[Floats], None] | None, most: int) -> tuple[Floats, int]:
    """The place where the steps came to rest inside the bounds, or where they were after `most`; and how many.

    `p` has shape (free,) and lies inside; so does the place.
    """
    k = p.size
    sums = gram(problem.stacked(p))
    damped = _Damped(np.zeros(k), np.zeros(k, bool))
    inside, turns = p.copy(), _MOST_TURNS
    for iteration in range(1, most + 1):
        if watch is not None:
            watch(p)
        inside = np.where((p > problem.lower) & (p < problem.upper), p, inside)
        found = damped.step(problem, p, sums)
        if found is not None:
            p, sums = found
        if damped.at_rest:
            other = _onto_bounds(problem, p, sums) or _off_bounds(problem, p, sums, inside)
            if other is None or not turns:
                return p, iteration
            (p, sums), turns = other, turns - 1
            damped.begin()
    return p, most


@dataclass
class _Damped:
    """The damping of the steps, and what was learnt of the parameters on the way.

    `scale` are the largest lengths of their columns: they never shrink, so that a parameter that hardly matters where
    it is now does not run away (as in MINPACK). `stuck` are those that no slope would lead away from a bound.
    """

    scale: Floats
    stuck: NDArray[np.bool_]
    damping: float = _FIRST_DAMPING
    growth: float = 2.0

    @property
    def at_rest(self) -> bool:
        return self.damping > _MOST_DAMPING

    def begin(self) -> None:
        """Damps as at first."""
        self.damping, self.growth = _FIRST_DAMPING, 2.0

    def step(self, problem: Problem, p: Floats, sums: Floats) -> tuple[Floats, Floats] | None:
        """The next place and its sums, none larger; None where no step is any good."""
        k = p.size
        cost = float(sums[k, k])
        self.scale = np.maximum(self.scale, np.sqrt(sums.diagonal()[:k]))
        while not self.at_rest:
            moved = _step(problem, p, sums, self.damping, np.where(self.scale > 0, self.scale, 1.0), self.stuck)
            if moved is not None:
                made = gram(problem.stacked(moved))
                if self._is_stuck(problem, p, moved, made):
                    continue
                step, new_cost = p - moved, float(made[k, k])
                promised = float(2 * step @ sums[:k, k] - step @ sums[:k, :k] @ step)
                if math.isfinite(np.add.reduce(made, axis=None)):
                    if abs(promised) <= _GAIN * cost:
                        self.damping = math.inf
                        return (moved, made) if new_cost <= cost else None
                    if new_cost < cost and promised > 0:
                        gain = (cost - new_cost) / promised
                        self.damping = max(self.damping * max(0.03, 1 - (2 * gain - 1) ** 3), 1e-12)
                        self.growth = 2.0
                        return moved, made
            self.damping, self.growth = self.damping * self.growth, self.growth * 2
        return None

    def _is_stuck(self, problem: Problem, p: Floats, moved: Floats, made: Floats) -> bool:
        """Whether some came onto a bound where the model does not feel them, or has no value: half of the way, then."""
        flat = ((moved == problem.lower) | (moved == problem.upper)) & (moved != p) & ~self.stuck
        if math.isfinite(np.add.reduce(made, axis=None)):
            flat &= made.diagonal()[: p.size] <= (_FLAT * self.scale) ** 2
        self.stuck |= flat
        return bool(flat.any())


def _onto_bounds(problem: Problem, p: Floats, sums: Floats) -> tuple[Floats, Floats] | None:
    """The place with one parameter more on a bound that it creeps towards, where the sum is no larger there; its sums.

    A width of zero is approached ever more slowly: the model hardly feels the last of the way.
    """
    k = p.size
    pull, lengths = sums[:k, k], np.sqrt(sums.diagonal()[:k])
    with np.errstate(all="ignore"):
        cosines = pull / (lengths * math.sqrt(sums[k, k]))
    for bound, side in ((problem.lower, 1.0), (problem.upper, -1.0)):
        for place in np.flatnonzero((side * cosines > _CREEPS) & np.isfinite(bound) & (p != bound)):
            moved = p.copy()
            moved[place] = bound[place]
            made = gram(problem.stacked(moved))
            if math.isfinite(np.add.reduce(made, axis=None)) and made[k, k] <= sums[k, k] * (1 + 1e-12):
                return moved, made
    return None


def _off_bounds(problem: Problem, p: Floats, sums: Floats, inside: Floats) -> tuple[Floats, Floats] | None:
    """The place with one parameter let go from a bound where no slope leads away, and yet the sum falls; its sums.

    `inside` are the latest values that each had inside its bounds.
    """
    k = p.size
    for place in np.flatnonzero(((p == problem.lower) | (p == problem.upper)) & (sums.diagonal()[:k] == 0)):
        moved = p.copy()
        moved[place] += _LITTLE * (inside[place] - p[place])
        made = gram(problem.stacked(moved))
        if math.isfinite(np.add.reduce(made, axis=None)) and made[k, k] < sums[k, k] * (1 - _WORTH):
            return moved, made
    return None


def _step(
    problem: Problem, p: Floats, sums: Floats, damping: float, scale: Floats, stuck: NDArray[np.bool_]
) -> Floats | None:
    """Where a damped step leads inside the bounds; None where it cannot be solved for.

    Parameters that are `stuck` go half of the way to a bound at the most.
    """
    k = p.size
    lower, upper = problem.lower, problem.upper
    square, pull = sums[:k, :k], sums[:k, k]
    scaled = square / np.outer(scale, scale)
    side = pull / scale
    fixed = ((p <= lower) & (pull >= 0)) | ((p >= upper) & (pull <= 0)) | (square.diagonal() == 0)
    step, ends = np.zeros(k), np.full(k, math.nan)
    for _ in range(_MOST_SETS):
        free = ~fixed
        if not free.any():
            break
        matrix = scaled[np.ix_(free, free)] + damping * np.eye(int(free.sum()))
        try:
            step[free] = np.linalg.solve(matrix, side[free] - scaled[np.ix_(free, fixed)] @ step[fixed])
        except np.linalg.LinAlgError:
            return None
        moved = p - step / scale
        beyond = free & ((moved < lower) | (moved > upper))
        if not beyond.any():
            break
        bound = np.clip(moved, lower, upper)
        bound = np.where(stuck, (p + bound) / 2, bound)
        step[beyond], ends[beyond] = ((p - bound) * scale)[beyond], bound[beyond]
        fixed = fixed | beyond
    moved = np.where(np.isnan(ends), p - step / scale, ends)  # on the bound to the last digit
    return np.asarray(np.clip(moved, lower, upper))
