"""Normal equations in the shape of an arrow: a block a curve, and a border for what the curves share.

Each block is solved by itself and the border from what they leave (the Schur complement), so that the work grows in
proportion to the curves. Marquardt steps on scaled columns, as in `quick`, kept inside limits.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError

_STEPS, _LAST = 200, 4
_FIRST, _MOST_DAMPING = 1e-3, 1e12
_STEP, _GAIN, _RIGHT = 1e-9, 1e-15, 1e-6
"""The steps end when one is so small against the parameters, or promises so little; it is a minimum where no column of
the Jacobian is more than so much along the residual."""
_RANK = 1e-12
Watch = Callable[[Floats], None]
Mask = NDArray[np.bool_]


@dataclass(frozen=True, eq=False)
class Arrow:
    """The normal equations at a place, of m curves with o parameters of their own and b in the border.

    `own` is (m, o, o), `across` (m, o, b), `border` (b, b); `own_down` (m, o) and `border_down` (b,) are the gradients;
    `squares` are the sums of squares of the curves, (m,).
    """

    own: Floats
    across: Floats
    border: Floats
    own_down: Floats
    border_down: Floats
    squares: Floats

    @property
    def cost(self) -> float:
        """The sum of squares of all curves."""
        return float(self.squares.sum())

    @property
    def lengths(self) -> tuple[Floats, Floats]:
        """Lengths of the columns: of each curve's own, (m, o), and of the border's, (b,)."""
        return np.sqrt(np.einsum("moo->mo", self.own)), np.sqrt(np.diag(self.border))


@dataclass(frozen=True, eq=False)
class Stuck:
    """Which parameters do not move: they lie on a limit and would go beyond it, or are kept. Of shapes (m, o), (b,)."""

    own: Mask
    border: Mask


@dataclass(frozen=True, eq=False)
class Limits:
    """Ends of the curves' own parameters, each of shape (m, o), and of the border's, (b,)."""

    own_low: Floats
    own_high: Floats
    border_low: Floats
    border_high: Floats

    def inside(self, own: Floats, border: Floats) -> tuple[Floats, Floats]:
        """The nearest values that keep to the limits."""
        return np.clip(own, self.own_low, self.own_high), np.clip(border, self.border_low, self.border_high)

    def stuck(self, own: Floats, border: Floats, arrow: Arrow, keep_border: bool = False) -> Stuck:
        """What lies on an end and would only go down beyond it."""
        return Stuck(
            _pressed(own, self.own_low, self.own_high, arrow.own_down),
            np.ones(border.size, dtype=bool)
            if keep_border
            else _pressed(border, self.border_low, self.border_high, arrow.border_down),
        )


def _pressed(values: Floats, low: Floats, high: Floats, down: Floats) -> Mask:
    return np.asarray(((values <= low) & (down > 0)) | ((values >= high) & (down < 0)))


class ArrowProblem(Protocol):
    """What can be solved: its equations at a place, its limits, and all parameters for a watch."""

    @property
    def limits(self) -> Limits:
        """Where the parameters may lie."""

    def arrow(self, own: Floats, border: Floats) -> Arrow | None:
        """The equations at a place; None where the model has no value there."""

    def full(self, own: Floats, border: Floats) -> Floats:
        """All parameters of each curve, of shape (parameters, m)."""


@dataclass(frozen=True, eq=False)
class Place:
    """Values of the curves' own parameters, (m, o), and of the border, (b,), with the equations there.

    `stuck` are those that ended on a limit.
    """

    own: Floats
    border: Floats
    arrow: Arrow
    stuck: Stuck
    iterations: int = 0
    converged: bool = False


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


def solve_arrow(
    problem: ArrowProblem, own: Floats, border: Floats, watch: Watch | None = None, keep_border: bool = False,
    most: int = _STEPS,
) -> Place:  # fmt: skip
    """The place where the steps come to rest from a start. `own` is (m, o), `border` (b,).

    `watch` is given all parameters, of shape (parameters, m), at each place, and may raise. With `keep_border` only the
    curves' own parameters move. Raises InputError where the model has no value at the start.
    """
    limits = problem.limits
    own, border = limits.inside(own, border)
    arrow = problem.arrow(own, border)
    if arrow is None:
        raise InputError("The model has no value at the start of some curve; give other starts.")
    damping, growth, iterations, last = _FIRST, 2.0, 0, False
    while iterations < most and not last:
        iterations += 1
        if watch is not None:
            watch(problem.full(own, border))
        step = _step(arrow, limits.stuck(own, border, arrow, keep_border), damping)
        tried = None if step is None else limits.inside(own + step[0], border + step[1])
        after = None if tried is None else problem.arrow(*tried)
        if tried is None or after is None or not after.cost <= arrow.cost * (1 + 1e-12):
            damping, growth = damping * growth, growth * 2
            if damping > _MOST_DAMPING:
                break
            continue
        moved = tried[0] - own, tried[1] - border
        promised = -float(np.sum(arrow.own_down * moved[0]) + arrow.border_down @ moved[1])
        size = max(_against(moved[0], own), _against(moved[1], border))
        gained = arrow.cost - after.cost
        (own, border), arrow = tried, after
        damping, growth = (damping / 10 if gained > promised / 4 else damping), 2.0
        last = size <= _STEP or promised <= _GAIN * arrow.cost
    if last:
        own, border, arrow = _polished(problem, own, border, arrow, keep_border)
    stuck = limits.stuck(own, border, arrow, keep_border)
    return Place(own, border, arrow, stuck, iterations, _is_minimum(arrow, stuck))


def _against(step: Floats, values: Floats) -> float:
    """The largest step against the size of what it moves."""
    if not step.size:
        return 0.0
    return float(np.max(np.abs(step) / np.maximum(np.abs(values), 1e-300)))


def _polished(
    problem: ArrowProblem, own: Floats, border: Floats, arrow: Arrow, keep_border: bool
) -> tuple[Floats, Floats, Arrow]:
    """A few steps without damping, which take the parameters to rounding."""
    for _ in range(_LAST):
        step = _step(arrow, problem.limits.stuck(own, border, arrow, keep_border), 0.0)
        tried = None if step is None else problem.limits.inside(own + step[0], border + step[1])
        after = None if tried is None else problem.arrow(*tried)
        if tried is None or after is None or not after.cost <= arrow.cost * (1 + 1e-13):
            break
        (own, border), arrow = tried, after
    return own, border, arrow


def without_effect(place: Place) -> tuple[Mask, Mask]:
    """Parameters whose columns are zero where the fit ended, of shapes (m, o) and (b,)."""
    long, wide = place.arrow.lengths
    return ~(long > 0) & ~place.stuck.own, ~(wide > 0) & ~place.stuck.border


def _is_minimum(arrow: Arrow, stuck: Stuck) -> bool:
    """Whether no column of what may move goes along the residual."""
    made = _scaled(arrow, stuck)
    if made is None:
        return False
    tiny = max(arrow.cost, 1e-300)
    along = np.abs(made.own_down) / np.sqrt(np.maximum(arrow.squares, 1e-24 * tiny))[:, None]
    shared = np.abs(made.border_down) / math.sqrt(tiny)
    return max(float(along.max(initial=0.0)), float(shared.max(initial=0.0))) <= _RIGHT


@dataclass(frozen=True, eq=False)
class Spread:
    """Covariances over the variance, of each curve's own parameters with the border, (m, o + b, o + b).

    None where some cannot be told apart: those of curve `curve` (None: of the border) at `places`.
    """

    blocks: Floats | None
    curve: int | None = None
    places: tuple[int, ...] = ()


def spread_of(place: Place) -> Spread:
    """The covariances at a place; what is stuck has none, and the others' hold for it where it lies."""
    made = _scaled(place.arrow, place.stuck)
    if made is None:
        return Spread(None)
    m, o, b = len(made.own), made.long.shape[1], made.wide.size
    if o:
        values, vectors = np.linalg.eigh(made.own)
        worst = int(np.argmin(values[:, 0]))
        if values[worst, 0] <= _RANK:
            return Spread(None, worst, _large(vectors[worst][:, 0]))
    inverse = np.linalg.inv(made.own)
    ahead = inverse @ made.across
    left = made.border - np.einsum("mob,mod->bd", made.across, ahead)
    if b:
        values, vectors = np.linalg.eigh(left)
        if values[0] <= _RANK:
            return Spread(None, None, _large(vectors[:, 0]))
    shared = np.linalg.inv(left)
    blocks = np.empty((m, o + b, o + b))
    blocks[:, :o, :o] = inverse + ahead @ shared @ np.swapaxes(ahead, 1, 2)
    blocks[:, :o, o:] = -ahead @ shared
    blocks[:, o:, :o] = np.swapaxes(blocks[:, :o, o:], 1, 2)
    blocks[:, o:, o:] = shared
    free, loose = ~place.stuck.own / made.long, ~place.stuck.border / made.wide
    lengths = np.concatenate([free, np.broadcast_to(loose, (m, b))], axis=1)
    return Spread(np.asarray(blocks * (lengths[:, :, None] * lengths[:, None, :])))


def _large(vector: Floats) -> tuple[int, ...]:
    size = np.abs(vector)
    return tuple(np.flatnonzero(size >= 0.1 * size.max()).tolist())
