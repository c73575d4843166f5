"""Marquardt steps of an arrow's equations, on scaled columns, kept inside limits.

Where parameters hang together so much that products of columns lose them, the steps go on from triangles of these.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.arrow import Arrow, ArrowProblem, Place, Stuck, Watch
from curvesieve.core.fitting.triangles import careful_step

_STEPS, _LAST = 200, 4
_FIRST, _MOST_DAMPING = 1e-3, 1e12
_LESS = 0.2
"""The damping of a step that held what it promised, against that before (H. B. Nielsen, IMM-REP-1999-05: a third; from
memory)."""
_STEP, _GAIN, _RIGHT = 1e-9, 1e-15, 1e-6
"""The steps end when one is so small against the parameters, or promises so little; it is a minimum where no column of
the Jacobian is more than so much along the residual."""


def solve_arrow(
    problem: ArrowProblem, own: Floats, border: Floats, watch: Watch | None = None, keep_border: bool = False,
    most: int = _STEPS,
) -> Place:  # fmt: skip
    """The place where the steps come to rest from a start. `own` is (m, o), `border` (b,).

    `watch` is given all parameters, of shape (parameters, m), at each place, and may raise. With `keep_border` only the
    curves' own parameters move. Raises InputError where the model has no value at the start.
    """
    own, border = problem.limits.inside(own, border)
    walk = _Walk(problem, own, border, watch, keep_border)
    walk.go(most, careful=False)
    if not walk.is_minimum and not keep_border:
        walk.go(most, careful=True)
    return walk.place()


class _Walk:
    """Marquardt's steps from a place, by normal equations or by triangles."""

    def __init__(
        self, problem: ArrowProblem, own: Floats, border: Floats, watch: Watch | None, keep_border: bool
    ) -> None:
        self.problem, self.own, self.border = problem, own, border
        self.watch, self.keep_border = watch, keep_border
        arrow = problem.arrow(own, border)
        if arrow is None:
            raise InputError("The model has no value at the start of some curve; give other starts.")
        self.arrow = arrow
        self.iterations = 0

    @property
    def stuck(self) -> Stuck:
        """What lies on a limit and would go beyond it, or is kept."""
        return self.problem.limits.stuck(self.own, self.border, self.arrow, self.keep_border)

    @property
    def is_minimum(self) -> bool:
        """Whether the steps may end here."""
        return _is_minimum(self.arrow, self.stuck)

    def place(self) -> Place:
        """Where it stands."""
        return Place(self.own, self.border, self.arrow, self.stuck, self.iterations, self.is_minimum)

    def go(self, most: int, careful: bool) -> None:
        """Steps until one is so small, promises so little, or none is left that leads down."""
        damping, growth, last = _FIRST, 2.0, False
        factors: Floats | None = None
        for _ in range(most):
            self.iterations += 1
            if self.watch is not None:
                self.watch(self.problem.full(self.own, self.border))
            if careful and factors is None:
                factors = self.problem.factors(self.own, self.border)
            moved = self._moved(damping, factors)
            if moved is None:
                damping, growth = damping * growth, growth * 2
                if damping > _MOST_DAMPING:
                    return
                continue
            promised, gained, size, cost = moved
            factors = None
            held = min(gained / promised, 1.0) if promised > 0 else 1.0
            damping, growth = damping * max(_LESS, 1 - (2 * held - 1) ** 3), 2.0
            last = size <= _STEP or promised <= _GAIN * cost
            if last:
                break
        if last:
            self._polish(careful)

    def _moved(
        self, damping: float, factors: Floats | None, worse: float = 1e-12
    ) -> tuple[float, float, float, float] | None:
        """Takes a step where it leads down: what it promised and gained, its size, and the cost before."""
        stuck = self.stuck
        step = _step(self.arrow, stuck, damping) if factors is None else careful_step(factors, stuck, damping)
        if step is None:
            return None
        tried = self.problem.limits.inside(self.own + step[0], self.border + step[1])
        after = self.problem.arrow(*tried)
        before = self.arrow.cost
        if after is None or not after.cost <= before * (1 + worse):
            return None
        moved = tried[0] - self.own, tried[1] - self.border
        promised = -float(np.sum(self.arrow.own_down * moved[0]) + self.arrow.border_down @ moved[1])
        size = max(_against(moved[0], self.own), _against(moved[1], self.border))
        (self.own, self.border), self.arrow = tried, after
        return promised, before - after.cost, size, before

    def _polish(self, careful: bool) -> None:
        """A few steps without damping, which take the parameters to rounding."""
        for _ in range(_LAST):
            factors = self.problem.factors(self.own, self.border) if careful else None
            if self._moved(0.0, factors, 1e-13) is None:
                return


def _against(step: Floats, values: Floats) -> float:
    """The largest step against the size of what it moves."""
    if not step.size:
        return 0.0
    return float(np.max(np.abs(step) / np.maximum(np.abs(values), 1e-300)))


@dataclass(frozen=True, eq=False)
class _Scaled:
    """The equations with columns of length 1; what is stuck has a 1 on the diagonal and nothing else."""

    own: Floats
    across: Floats
    border: Floats
    own_down: Floats
    border_down: Floats
    long: Floats
    wide: Floats


def _scaled(arrow: Arrow, stuck: Stuck) -> _Scaled | None:
    """None where a column that should move has no length."""
    long, wide = arrow.lengths
    long, wide = np.where(stuck.own, 1.0, long), np.where(stuck.border, 1.0, wide)
    if not (long > 0).all() or not (wide > 0).all() or not (np.isfinite(long).all() and np.isfinite(wide).all()):
        return None
    free, loose = ~stuck.own / long, ~stuck.border / wide
    own = arrow.own * (free[:, :, None] * free[:, None, :]) + stuck.own[:, :, None] * np.eye(long.shape[1])
    return _Scaled(
        own,
        arrow.across * (free[:, :, None] * loose),
        arrow.border * np.outer(loose, loose) + np.diag(stuck.border.astype(float)),
        arrow.own_down * free,
        arrow.border_down * loose,
        long,
        wide,
    )


def _step(arrow: Arrow, stuck: Stuck, damping: float) -> tuple[Floats, Floats] | None:
    """The step downhill at a damping, of shapes (m, o) and (b,); None where the equations cannot be solved."""
    made = _scaled(arrow, stuck)
    if made is None:
        return None
    o, b = made.long.shape[1], made.wide.size
    own, border = made.own + damping * np.eye(o), made.border + damping * np.eye(b)
    try:
        if o:
            solved = np.linalg.solve(own, np.concatenate([made.across, made.own_down[:, :, None]], axis=2))
            border = border - np.einsum("mob,mod->bd", made.across, solved[:, :, :b])
            rest = made.border_down - np.einsum("mob,mo->b", made.across, solved[:, :, b])
        else:
            solved, rest = np.zeros((len(own), 0, b + 1)), made.border_down
        moved = np.linalg.solve(border, rest) if b else np.zeros(0)
    except np.linalg.LinAlgError:
        return None
    each = -(solved[:, :, b] - solved[:, :, :b] @ moved) / made.long
    shared = -moved / made.wide
    return (each, shared) if np.isfinite(each).all() and np.isfinite(shared).all() else None


def _is_minimum(arrow: Arrow, stuck: Stuck) -> bool:
    """Whether no column of what may move goes along the residual."""
    made = _scaled(arrow, stuck)
    if made is None:
        return False
    tiny = max(arrow.cost, 1e-300)
    along = np.abs(made.own_down) / np.sqrt(np.maximum(arrow.squares, 1e-24 * tiny))[:, None]
    shared = np.abs(made.border_down) / math.sqrt(tiny)
    return max(float(along.max(initial=0.0)), float(shared.max(initial=0.0))) <= _RIGHT
