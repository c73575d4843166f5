"""Many like curves fitted each by itself, all at once: Marquardt steps with a damping of each curve's own.

What one step needs of all curves is one evaluation of the formula over all of their points and one product a curve;
curves that have come to rest drop out. Those that do not are left to the careful solver.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.models import FormulaSum

_STEPS, _FIRST, _MOST_DAMPING = 60, 1e-3, 1e8
_STEP, _GAIN, _RIGHT = 1e-8, 1e-15, 1e-6
"""A curve is at rest when its step is so small, or promises so little; it is at a minimum where no column of its
Jacobian is more than so much along its residual."""
CHUNK = 400_000
"""Numbers of a Jacobian that are worked on at a time, so that they stay in the processor's cache."""


@dataclass(frozen=True, eq=False)
class Alike:
    """Curves of one formula: `x`, `y` and `weight` (1/u; None: all alike) of shape (m, n).

    Shorter curves are filled up with points of weight 0.
    """

    model: FormulaSum
    x: Floats
    y: Floats
    weight: Floats | None = None
    tidied: bool = False
    """Whether slopes that are not there are set to zero; see `Problem`."""
    free: tuple[int, ...] | None = None
    """The places of the parameters that move; None: all."""

    def take(self, which: NDArray[np.intp] | slice) -> Alike:
        """Some of the curves."""
        weight = None if self.weight is None else self.weight[which]
        return Alike(self.model, self.x[which], self.y[which], weight, self.tidied, self.free)

    def sums(self, p: Floats) -> Floats:
        """Sums of products of the Jacobian's columns of what is free and the residual, at all parameters, (m, all).

        Of shape (m, free + 1, free + 1).
        """
        stacked = self.model.both_along([self.x], p.T[:, :, None])
        stacked[-1] -= self.y
        if self.tidied:
            slopes = stacked[:-1]
            slopes[np.isnan(slopes) & np.isfinite(stacked[-1])] = 0.0
        if self.free is not None:
            stacked = stacked[[*self.free, -1]]
        if self.weight is not None:
            stacked *= self.weight
            stacked[:, self.weight == 0] = 0.0
        each = stacked.transpose(1, 0, 2)
        return np.asarray(each @ each.transpose(0, 2, 1))


def alike_of(members: Sequence[Problem]) -> Alike:
    """Problems of one formula as one; their curves may be of different lengths."""
    m, n = len(members), max(one.y.size for one in members)
    x, y = np.empty((m, n)), np.zeros((m, n))
    weight = np.zeros((m, n))
    for k, one in enumerate(members):
        size = one.y.size
        x[k, :size], x[k, size:] = one.rows[0], one.rows[0][-1]
        y[k, :size] = one.y
        weight[k, :size] = 1.0 if one.u is None else 1 / one.u
    plain = bool((weight == 1.0).all())
    first = members[0]
    free = None if first.free.size == first.start.size else tuple(first.free.tolist())
    return Alike(first.model, x, y, None if plain else weight, any(one.edged for one in members), free)


@dataclass(frozen=True, eq=False)
class Ended:
    """Where the curves ended: `values` (m, all), the sums there, and whether each is at a minimum, (m,)."""

    values: Floats
    sums: Floats
    converged: NDArray[np.bool_]


def fit_alike(alike: Alike, start: Floats, watch: Callable[[float], None] | None = None) -> Ended:
    """Fits each of many curves from its own start, of shape (m, all). `watch` is told the share done and may raise."""
    m, k = start.shape
    each = max(CHUNK // (alike.x.shape[1] * (k + 1)), 1)
    parts = []
    for first in range(0, m, each):
        part = slice(first, min(first + each, m))
        parts.append(_chunk(alike.take(part), start[part]))
        if watch is not None:
            watch(min(first + each, m) / m)
    return Ended(*(np.concatenate([getattr(one, name) for one in parts]) for name in ("values", "sums", "converged")))


def _chunk(alike: Alike, start: Floats) -> Ended:
    free = list(range(start.shape[1]) if alike.free is None else alike.free)
    k = len(free)
    p = start.copy()
    with np.errstate(all="ignore"):
        sums = alike.sums(p)
        damping, growth = np.full(p.shape[0], _FIRST), np.full(p.shape[0], 2.0)
        going = np.flatnonzero(np.isfinite(sums).all(axis=(1, 2)))
        part, tried = alike.take(going), 0
        while going.size and tried < _STEPS:
            tried += 1
            step, promised = _steps(sums[going], damping[going], k)
            moved = p[going]
            moved[:, free] += step
            after = part.sums(moved)
            cost, new = sums[going, k, k], after[:, k, k]
            better = np.isfinite(after).all(axis=(1, 2)) & (new <= cost * (1 + 1e-12))
            gain = np.where(promised > 0, (cost - new) / np.where(promised > 0, promised, 1.0), 1.0)
            size = np.max(np.abs(step) / np.maximum(np.abs(moved[:, free]), 1e-300), axis=1)
            taken = going[better]
            p[taken], sums[taken] = moved[better], after[better]
            damping[taken] *= np.maximum(0.03, 1 - (2 * gain[better] - 1) ** 3)
            growth[taken] = 2.0
            lost = going[~better]
            damping[lost] *= growth[lost]
            growth[lost] *= 2
            rest = (better & ((size <= _STEP) | (promised <= _GAIN * cost))) | (damping[going] > _MOST_DAMPING)
            if rest.any():
                going = going[~rest]
                part = alike.take(going)
        lengths = np.sqrt(np.einsum("mii->mi", sums))
        right = np.abs(sums[:, :k, k]) <= _RIGHT * lengths[:, :k] * lengths[:, k:]
        converged = np.isfinite(sums).all(axis=(1, 2)) & right.all(axis=1)
    return Ended(p, sums, converged)


def _steps(sums: Floats, damping: Floats, k: int) -> tuple[Floats, Floats]:
    """A step of each curve, (m, k), and what it promises to take off the sum of squares, (m,)."""
    lengths = np.sqrt(np.einsum("mii->mi", sums[:, :k, :k]))
    lengths = np.where(lengths > 0, lengths, 1.0)
    matrix = sums[:, :k, :k] / (lengths[:, :, None] * lengths[:, None, :])
    matrix = matrix + damping[:, None, None] * np.eye(k)
    down = sums[:, :k, k] / lengths
    try:
        scaled = -np.linalg.solve(matrix, down[:, :, None])[:, :, 0]
    except np.linalg.LinAlgError:  # one of them cannot be solved: they all get the little that is safe
        scaled = -down / (1 + damping[:, None])
    promised = np.einsum("mi,mi->m", scaled, damping[:, None] * scaled - down)
    return scaled / lengths, promised
