"""Which of some places stand in a row: at even steps, or as the 1 to 9 of decades do."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats

_FEWEST_BETWEEN, _SHORTEST_DECADE, _OFF_DECADE = 6, 20.0, 1.0
"""Ticks of 2 to 9 that tell a decade; its least length, and how far each may lie off its place, in pixels."""
_FEWEST_TO_TELL, _END_PX = 5, 0.6
"""Ticks that tell whether the first and last belong to them, and how far off these may lie, in pixels."""
_OFF_COMB = 0.2
"""Share of the spacing that a tick may lie off even places and still belong to them."""


def decades(at: Floats) -> NDArray[np.bool_] | None:
    """Which of some places, of shape (n,), are those of decades, with those of 2 to 9 between; None where none are."""
    within = np.log10(np.arange(2, 10))
    for sense in (1, -1):
        places = np.sort(at * sense)
        best, most = None, _FEWEST_BETWEEN - 1
        for first in range(places.size - 1):
            for second in range(first + 1, min(first + 11, places.size)):
                decade = places[second] - places[first]
                if decade < _SHORTEST_DECADE:
                    continue
                held = np.abs(places[first] + within[:, None] * decade - places).min(axis=1) < _OFF_DECADE
                if held.sum() > most:
                    best, most = (places[first], decade), int(held.sum())
        if best is not None:
            off = (at * sense - best[0]) / best[1]
            return np.asarray(np.abs(off - np.round(off)) * best[1] < _OFF_DECADE)
    return None


def even_ones(at: Floats) -> NDArray[np.bool_]:
    """Which of some places, of shape (n,), are those of the best row of even steps."""
    best: NDArray[np.bool_] = np.zeros(at.size, bool)
    for first in range(at.size - 1):
        for second in range(first + 1, min(first + 4, at.size)):
            space = at[second] - at[first]
            if space < 4:
                continue
            off = (at - at[first]) / space
            fits = np.abs(off - np.round(off)) * space < max(1.0, _OFF_COMB * 0.1 * space)
            filled = fits.sum() / (abs(off[fits]).max() + 1)
            if fits.sum() > best.sum() and filled > 0.4:
                best = fits
    return _without_off_ends(at, best)


def _without_off_ends(at: Floats, even: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """A row of even places without first and last where those between tell of others: corners close to a step."""
    held = np.flatnonzero(even)
    held = held[np.argsort(at[held])]
    number = np.round((at[held] - at[held[0]]) / np.median(np.diff(at[held]))) if held.size >= _FEWEST_TO_TELL else held
    if np.unique(number).size < _FEWEST_TO_TELL:
        return even
    off = np.abs(at[held] - np.polyval(np.polyfit(number[1:-1], at[held][1:-1], 1), number))
    out = even.copy()
    for end in (0, -1):
        out[held[end]] = off[end] < max(_END_PX, 4 * off[1:-1].max())
    return out
