"""Gauss–Legendre nodes, as many of them as an oscillation through the range asks for."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
LADDER = tuple(int(16 * 1.5**k) for k in range(15))
"""How many nodes a rule may have: each rung half as many again, up to some 4,700."""
_A_TURN = 0.26
"""Nodes for each radian of phase through the range: e^(ikt) over −1 … 1 needs a degree of some k, and n nodes are exact
to the degree 2n − 1; with a twentieth to spare."""


@lru_cache(maxsize=64)
def legendre(count: int) -> tuple[Floats, Floats]:
    """Nodes and weights over 0 … 1, both of shape (count,)."""
    from scipy.special import roots_legendre

    t, w = roots_legendre(count)
    return np.asarray((t + 1) / 2), np.asarray(w / 2)


@lru_cache(maxsize=64)
def half(count: int) -> tuple[Floats, Floats]:
    """The upper half of the nodes over −1 … 1, for what is even: two ends are then as good as one.

    Nodes and weights of shape (count,).
    """
    from scipy.special import roots_legendre

    t, w = roots_legendre(2 * count)
    return np.asarray(t[count:]), np.asarray(w[count:])


def rungs(phase: Floats, least: int) -> Ints:
    """The rung of the ladder for each phase (radians through the range), of shape (n,); one more: beyond the ladder."""
    return np.searchsorted(np.array(LADDER), least + _A_TURN * np.abs(phase), side="left")


def groups(*rows: Ints) -> list[tuple[Ints, tuple[int, ...]]]:
    """The places that have the same rung in each of the rows, of shape (n,), and the counts of nodes there."""
    top = len(LADDER) - 1
    code = np.zeros(rows[0].size, np.intp)
    for row in rows:
        code = code * len(LADDER) + np.minimum(row, top)
    found = []
    for one in np.flatnonzero(np.bincount(code)).tolist():
        counts, rest = [], one
        for _ in rows:
            rest, rung = divmod(rest, len(LADDER))
            counts.append(LADDER[rung])
        found.append((np.flatnonzero(code == one), tuple(reversed(counts))))
    return found


def spans(places: Ints, width: int, most: int = 400_000) -> list[Ints]:
    """Places, of shape (n,), in parts, so that no array of so many numbers a place grows beyond the cache."""
    step = max(1, most // max(width, 1))
    return [places[first : first + step] for first in range(0, places.size, step)]
