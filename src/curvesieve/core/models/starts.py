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


def exponential(data: Data) -> dict[str, float]:
    """Through the low levels at the beginning, in the middle and at the end: two equal steps give all values."""
    x, y = data.x, data.y
    low, high = float(x.min()), float(x.max())
    span = (high - low) or 1.0
    places = np.array([0.05, 0.5, 0.95]) * span + low
    first, middle, last = (_level(y[np.abs(x - place) <= span / 15]) for place in places)
    ratio = (last - middle) / (middle - first) if middle != first else 0.5
    if not (0.02 < ratio < 50) or abs(ratio - 1) < 1e-3:
        ratio = 0.5 if abs(last) < abs(first) else 2.0
    length = float(places[1] - places[0]) / -np.log(ratio)
    fall = np.exp(-places / length)
    amplitude = (first - last) / float(fall[0] - fall[2]) if fall[0] != fall[2] else first
    return {"offset": first - amplitude * float(fall[0]), "amplitude": amplitude, "length": float(length)}


def step(data: Data) -> dict[str, float]:
    """From the levels of the first and the last tenth, with the edge where the data cross half way."""
    order = np.argsort(data.x, kind="stable")
    x, y = data.x[order], data.y[order]
    tenth = max(1, x.size // 10)
    before, after = float(np.median(y[:tenth])), float(np.median(y[-tenth:]))
    half = (y - (before + after) / 2) * (1 if after >= before else -1)
    crossed = np.flatnonzero(half > 0)
    edge = float(x[crossed[0]]) if crossed.size else float(x[x.size // 2])
    return {"offset": before, "step": after - before, "edge": edge, "width": (float(x[-1] - x[0]) or 1.0) / 20}
