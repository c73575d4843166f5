"""The noise of each point of a curve that has many peaks: by place, and rising with the level where counts do."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.scatter import off_cubic

_BLOCK, _WIDE = 128, 12
"""Points of a block whose noise is told together, and blocks to each side that have a say in what lies under peaks."""
_LONG, _EVERY = 20_000, 4
"""Of longer curves, every so many blocks tell it as well."""
_LOW, _OF_LOW = 0.35, 0.4538
"""The share of distances below which the noise is told: few are of peaks there; and that quantile of |normal|."""
_LEAST = 1e-9
"""Of the extent of y: no curve is surer than that, and one that was worked out without noise has none."""
_COUNTED = (0.5, 2.0)
"""Ratios of the variance to the level between which whole numbers are counts."""


def noise_of(x: Floats, y: Floats) -> Floats:
    """The standard deviation of the noise at each point, of shape (n,); NaN where it cannot be told.

    From each point's distance from the cubic through its four neighbours, in blocks, with the low ones for what lies
    under peaks. Where all y are whole numbers that scatter as counts do, the variance is their level, and one.
    `x` (rising, some may be shared) and `y` have shape (n,).
    """
    noise = _told_along(x, y)
    if _count(y, noise):
        level = np.convolve(np.pad(y, 4, mode="edge"), np.full(9, 1 / 9), "valid")
        return np.asarray(np.sqrt(level + 1))
    return noise


def are_counts(x: Floats, y: Floats) -> bool:
    """Whether the y are whole numbers of zero and more that scatter as counts do. `x` (rising) and `y` are (n,)."""
    return bool(x.size) and _count(y, _told_along(x, y))


def _told_along(x: Floats, y: Floats) -> Floats:
    """The noise at each point from those with an x of their own."""
    first = np.concatenate([[True], np.diff(x) > 0])
    return _along(x, y) if first.all() else np.interp(x, x[first], _along(x[first], y[first]))


def _along(x: Floats, y: Floats) -> Floats:
    if y.size < 9:
        return np.full(y.size, math.nan)
    span = float(x[-1] - x[0]) or 1.0
    every = _BLOCK if y.size <= _LONG else _EVERY * _BLOCK
    count = max((y.size - 4) // every, 1)
    size = min(_BLOCK, y.size - 4)
    rows = (np.arange(count)[:, None] * every + np.arange(size + 4)).ravel()
    with np.errstate(all="ignore"):  # from one block to the next x turns back
        apart = off_cubic((x[rows] - x[0]) / span, y[rows])
    apart = np.append(apart, np.zeros(4)).reshape(count, size + 4)[:, :size]  # the rest lies between two blocks
    each = np.quantile(apart, _LOW, axis=1) / _OF_LOW
    if count <= _WIDE:  # so few blocks tell it better together
        each = np.full(count, float(np.quantile(apart, _LOW)) / _OF_LOW)
    under = _low_of_neighbours(each)
    if not under.all():
        under = np.where(under > 0, under, _rounding(y))
    under = np.maximum(under, _LEAST * float(np.ptp(y)))
    return np.interp(np.arange(y.size), every * np.arange(count) + size / 2, under)  # no steps between the blocks


def _low_of_neighbours(each: Floats) -> Floats:
    """The median of a block and its neighbours, of shape (blocks,)."""
    padded = np.pad(each, _WIDE, mode="reflect" if each.size > _WIDE else "edge")
    near = np.lib.stride_tricks.sliding_window_view(padded, 2 * _WIDE + 1)
    return np.asarray(np.median(near, axis=1))


def _rounding(y: Floats) -> float:
    """A noise for data that show none: that of their steps, or of their digits: nothing is divided by zero."""
    steps = np.abs(np.diff(y))
    coarse = float(np.min(steps[steps > 0], initial=np.inf)) / math.sqrt(12) if (steps == 0).any() else 0.0
    return max(coarse if math.isfinite(coarse) else 0.0, float(np.abs(y).max()) * 1e-12, np.finfo(float).tiny)


def _count(y: Floats, noise: Floats) -> bool:
    """Whether the y are whole numbers of zero and more that scatter as counts do."""
    if float(y.min()) < 0 or not bool((y == np.rint(y)).all()):
        return False
    level = float(np.median(y))
    ratio = float(np.median(noise)) ** 2 / level if level > 0 else 0.0
    return _COUNTED[0] <= ratio <= _COUNTED[1]


def counts_or_u(curve: Curve) -> Literal["u", "counts"]:
    """How a fit weighs the points of a curve: by their u; as counts where they have none and are such."""
    used = curve.used
    order = np.argsort(used.x, kind="stable")
    return "counts" if used.u is None and are_counts(used.x[order], used.y[order]) else "u"
