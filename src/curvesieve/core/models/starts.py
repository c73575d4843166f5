"""Start rules: rough values read off the data, near enough for a fit to begin."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Data:
    """What a start rule sees: the points in use, y less what other terms explain, and where the user pointed."""

    x: Floats
    y: Floats
    pointed: float | None = None


def _level(y: Floats) -> float:
    """A low level of the data that a few stray points do not move."""
    return float(np.quantile(y, 0.1)) if y.size else 0.0


def peak(data: Data) -> dict[str, float]:
    """Center, height and width of the peak pointed at, or else of the highest one.

    The top is the highest of a light running mean within a twentieth of the range around the pointer; the width
    is taken where the data fall to half of it on each side, the nearer side when one never does.
    """
    order = np.argsort(data.x, kind="stable")
    x, y = data.x[order], data.y[order]
    smooth = np.convolve(np.pad(y, 2, mode="edge"), np.full(5, 0.2), mode="valid") if y.size > 20 else y
    span = float(x[-1] - x[0]) or 1.0
    near = np.ones(x.size, bool)
    if data.pointed is not None:
        distance = np.abs(x - data.pointed)
        near = distance <= max(span / 40, float(distance.min()))
    top = int(np.flatnonzero(near)[np.argmax(smooth[near])])
    height = float(smooth[top])
    below = np.flatnonzero(smooth <= height / 2)
    sides = []
    if (right := below[below > top]).size:
        sides.append(float(x[right[0]] - x[top]))
    if (left := below[below < top]).size:
        sides.append(float(x[top] - x[left[-1]]))
    fwhm = 2 * min(sides) if sides else span / 10
    return {"center": float(x[top]), "height": height, "fwhm": max(fwhm, 2 * span / max(x.size, 2))}


def constant(data: Data) -> dict[str, float]:
    """The level that nine tenths of the points lie above."""
    return {"offset": _level(data.y)}


def line(data: Data) -> dict[str, float]:
    """The line through the low levels of the first and the last tenth of the range."""
    x, y = data.x, data.y
    low, high = float(x.min()), float(x.max())
    tenth = (high - low) / 10
    if tenth <= 0:
        return {"offset": _level(y), "slope": 0.0}
    first, last = x <= low + tenth, x >= high - tenth
    slope = (_level(y[last]) - _level(y[first])) / float(x[last].mean() - x[first].mean())
    return {"offset": _level(y[first]) - slope * float(x[first].mean()), "slope": slope}
