"""How u goes through a step: the law of propagation of uncertainty (JCGM 100, 5.1.2) for independent points."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from curvesieve.core.curve import Floats

_PART = 0.01
"""The part of u by which points are moved to find the slopes; small enough for operators that are not linear."""


def carried(operator: Callable[[Floats], Floats], y: Floats, u: Floats | None, reach: int) -> Floats | None:
    """u of operator(y), or None when u is not known.

    Every point's slope is found by moving it; points further apart than twice `reach` (in points) are moved together,
    as none of the results depends on both.
    """
    if u is None:
        return None
    base = operator(y)
    total = np.zeros_like(base)
    spacing = min(y.size, 2 * reach + 1)
    for first in range(spacing):
        moved = y.copy()
        moved[first::spacing] += _PART * u[first::spacing]
        total += ((operator(moved) - base) / _PART) ** 2
    return positive(np.sqrt(total), u)


def positive(u: Floats, other: Floats) -> Floats:
    """u with zeros (a value that depends on no point) replaced by a vanishing part of the typical u."""
    least = 1e-12 * float(np.median(other)) or 1e-300
    return np.maximum(u, least)


def spacing_of(x: Floats) -> tuple[float, bool]:
    """The mean step of x, and whether x is even: no point is off its place by a tenth of a step.

    Files round x, so that single steps differ; what matters to a filter is that no point drifts.
    """
    if x.size < 2:
        return 1.0, True
    mean = float(x[-1] - x[0]) / (x.size - 1)
    return mean, bool(np.all(np.abs(x - x[0] - mean * np.arange(x.size)) <= 0.1 * abs(mean)))
