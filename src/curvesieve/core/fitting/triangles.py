"""Triangles of the columns of many curves with a border (QR): steps and covariances that keep what products lose."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.fitting.arrow import ArrowProblem, Place, Stuck

_RANK = 1e-10
"""Columns of length 1 whose smallest singular value is so little cannot be told apart."""


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


def careful_step(factors: Floats, stuck: Stuck, damping: float) -> tuple[Floats, Floats] | None:
    """The step downhill at a damping, of shapes (m, o) and (b,), from triangles of shape (m, o + b + 1, o + b + 1).

    None where the equations cannot be solved.
    """
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
