"""Normal equations in the shape of an arrow: a block a curve, and a border for what the curves share.

Each block is solved by itself and the border from what they leave (the Schur complement), so that the work grows in
proportion to the curves. Marquardt steps on scaled columns, as in `quick`, kept inside limits. Where parameters hang
together so much that products of columns lose them, the steps go on from triangles of the columns (QR); the
covariances are always from those.
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
_RANK = 1e-10
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
        """Lengths of the columns: of each curve's own, and of the border's, of shapes (m, o) and (b,)."""
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
        """The nearest values that keep to the limits, of shapes (m, o) and (b,)."""
        return np.clip(own, self.own_low, self.own_high), np.clip(border, self.border_low, self.border_high)

    def stuck(self, own: Floats, border: Floats, arrow: Arrow, keep_border: bool = False) -> Stuck:
        """What lies on an end and would only go down beyond it; `own` has shape (m, o), `border` (b,)."""
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
        """The equations at a place of shapes (m, o) and (b,); None where the model has no value there."""

    def factors(self, own: Floats, border: Floats) -> Floats | None:
        """Triangles of the curves' columns (own, border's, residual) there, of shape (m, o + b + 1, o + b + 1)."""

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
            damping, growth = (damping / 10 if gained > promised / 4 else damping), 2.0
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
        step = _step(self.arrow, stuck, damping) if factors is None else _careful_step(factors, stuck, damping)
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
class _Triangles:
    """Triangles after damping, of scaled columns: `own` (m, o, o), `across` (m, o, b), `rest` (m, o) of the residual;
    `border` (b, b) and `border_rest` (b,) of what they leave."""

    own: Floats
    across: Floats
    rest: Floats
    border: Floats
    border_rest: Floats
    long: Floats
    wide: Floats


def _triangles(factors: Floats, stuck: Stuck, damping: float) -> _Triangles | None:
    """None where a column that should move has no length."""
    m, o = stuck.own.shape
    b = stuck.border.size
    long = np.where(stuck.own, 1.0, np.sqrt(np.einsum("mij,mij->mj", factors[:, :, :o], factors[:, :, :o])))
    wide = np.where(stuck.border, 1.0, np.sqrt(np.einsum("mij,mij->j", factors[:, :, o:-1], factors[:, :, o:-1])))
    if not (long > 0).all() or not (wide > 0).all():
        return None
    scaled = factors.copy()
    scaled[:, :, :o] *= (~stuck.own / long)[:, None, :]
    scaled[:, :, o:-1] *= ~stuck.border / wide
    rows = np.zeros((m, o, o + b + 1))
    rows[:, :, :o] = np.where(stuck.own, 1.0, math.sqrt(damping))[:, :, None] * np.eye(o)
    each = np.asarray(np.linalg.qr(np.concatenate([scaled, rows], axis=1), mode="r"))
    left = np.concatenate([
        each[:, o:, o:].reshape(-1, b + 1),
        np.concatenate([np.diag(np.where(stuck.border, 1.0, math.sqrt(damping))), np.zeros((b, 1))], axis=1),
    ])  # fmt: skip
    whole = np.asarray(np.linalg.qr(left, mode="r"))
    return _Triangles(
        each[:, :o, :o], each[:, :o, o:-1], each[:, :o, -1], whole[:b, :b], whole[:b, -1], long, wide
    )  # fmt: skip


def _careful_step(factors: Floats, stuck: Stuck, damping: float) -> tuple[Floats, Floats] | None:
    made = _triangles(factors, stuck, damping)
    if made is None:
        return None
    try:
        moved = np.linalg.solve(made.border, made.border_rest) if made.wide.size else np.zeros(0)
        each = np.linalg.solve(made.own, (made.rest - made.across @ moved)[:, :, None])[:, :, 0]
    except np.linalg.LinAlgError:
        return None
    step = -each / made.long, -moved / made.wide
    return step if np.isfinite(step[0]).all() and np.isfinite(step[1]).all() else None


@dataclass(frozen=True, eq=False)
class Spread:
    """Covariances over the variance, of each curve's own parameters with the border, (m, o + b, o + b).

    None where some cannot be told apart: those of curve `curve` (None: of the border) at `places`.
    """

    blocks: Floats | None
    curve: int | None = None
    places: tuple[int, ...] = ()


def spread_of(problem: ArrowProblem, place: Place) -> Spread:
    """The covariances at a place; what is stuck has none, and the others' hold for it where it lies."""
    factors = problem.factors(place.own, place.border)
    made = None if factors is None else _triangles(factors, place.stuck, 0.0)
    if made is None:
        return Spread(None)
    m, o = made.long.shape
    b = made.wide.size
    if o:
        _, values, turned = np.linalg.svd(made.own)
        worst = int(np.argmin(values[:, -1]))
        if values[worst, -1] <= _RANK:
            return Spread(None, worst, _large(turned[worst, -1]))
    if b:
        _, values, turned = np.linalg.svd(made.border)
        if values[-1] <= _RANK:  # of columns of length 1, before those of the curves were taken out
            return Spread(None, None, _large(turned[-1]))
    root, border_root = np.linalg.inv(made.own), np.linalg.inv(made.border)
    ahead, shared = root @ made.across, border_root @ border_root.T
    blocks = np.empty((m, o + b, o + b))
    blocks[:, :o, :o] = root @ np.swapaxes(root, 1, 2) + ahead @ shared @ np.swapaxes(ahead, 1, 2)
    blocks[:, :o, o:] = -ahead @ shared
    blocks[:, o:, :o] = np.swapaxes(blocks[:, :o, o:], 1, 2)
    blocks[:, o:, o:] = shared
    free, loose = ~place.stuck.own / made.long, ~place.stuck.border / made.wide
    lengths = np.concatenate([free, np.broadcast_to(loose, (m, b))], axis=1)
    return Spread(np.asarray(blocks * (lengths[:, :, None] * lengths[:, None, :])))


def _large(vector: Floats) -> tuple[int, ...]:
    size = np.abs(vector)
    return tuple(np.flatnonzero(size >= 0.1 * size.max()).tolist())
