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
    `y` and `u` have shape (n,), the answer has that of operator(y).
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


_DRAWS, _SEED = 500, 17


def drawn_u(operator: Callable[[Floats], Floats], y: Floats, u: Floats | None) -> Floats | None:
    """u of operator(y) as the s. d. over many draws of normal noise (JCGM 101): for operators that bend within u.

    Always the same draws; 500 know a standard deviation to 3 %.
    `y` and `u` have shape (n,), the answer has that of operator(y).
    """
    if u is None:
        return None
    rng = np.random.default_rng(_SEED)
    base = operator(y)
    first, second = np.zeros_like(base), np.zeros_like(base)
    for _ in range(_DRAWS):
        apart = operator(y + u * rng.standard_normal(y.size)) - base
        first += apart
        second += apart**2
    variance = (second - first**2 / _DRAWS) / (_DRAWS - 1)
    return positive(np.sqrt(np.maximum(variance, 0.0)), u)


def positive(u: Floats, other: Floats) -> Floats:
    """u with those that vanish (a value that depends on no point, to first order) replaced by the typical one.

    A u of nothing would be a weight without bound, and a fit would follow that one point.
    Of shape (n,).
    """
    known = u[u > 1e-9 * float(np.median(other))]
    typical = float(np.median(known)) if known.size else float(np.median(other)) or 1.0
    return np.where(u > 1e-9 * float(np.median(other)), u, typical)


def spacing_of(x: Floats) -> tuple[float, bool]:
    """The mean step of x, and whether x is even: no point is off its place by a tenth of a step.

    Files round x, so that single steps differ; what matters to a filter is that no point drifts.
    `x` has shape (n,).
    """
    if x.size < 2:
        return 1.0, True
    mean = float(x[-1] - x[0]) / (x.size - 1)
    return mean, bool(np.all(np.abs(x - x[0] - mean * np.arange(x.size)) <= 0.1 * abs(mean)))
