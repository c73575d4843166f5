"""Measures of tests that go to and fro: a loop each, in the order in which it was recorded."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.areas import trapezium_weights
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.rules import RuleField
from curvesieve.core.scatter import noise_along
from curvesieve.core.shapes import Line, Point, Shape

_MOST = 500


class Loops(Measure):
    """Loops of loading and unloading: the energy that each loses, its secant modulus and its loss factor.

    A loop goes from a place where x turns up to the next such place. Energy lost: ∮ y dx along the points (trapezium);
    secant: between the loop's turning points; loss factor ΔW/(2π·W) with W = Δy·Δx/8, the energy of an elastic swing of
    the same amplitudes: for a linear material under a sine it is sin δ. Common practice. A loop that the record ends
    within is left out, and told.
    """

    slug = "loops"
    label = "Loops"
    group = "mechanics"
    summary = "Energy loss, secant and damping of each loop"
    words = "cycles hysteresis damping fatigue cyclic dissipation loss tan delta loading unloading"
    reference = "common practice; JCGM 100:2008, 5.1.2"
    handles = ()
    leads = False
    yields = (Yield("energy-lost", "ΔW", 1, 1), Yield("secant", "Es", -1, 1), Yield("loss-factor", "η"))

    turn: float = RuleField(
        0.2, label="turns by", gt=0, lt=1, help="The share of the whole extent of x that it must go back at a turn."
    )

    def take(self, seen: Seen) -> Taken:
        order = np.argsort(seen.whole.rows, kind="stable")
        points = seen.whole.take(order)
        extent = float(np.ptp(points.x))
        if not extent > 0:
            raise InputError(f"all points have the same x, {points.x[0]:g}; there is no loop.")
        lows, highs = turning_points(points.x, self.turn * extent)
        if len(lows) < 2:
            raise InputError(
                "x turns back nowhere so far, or only once: there is no loop. Lower the share by which it turns."
            )
        pairs = list(zip(lows[:-1], highs, lows[1:], strict=False))
        if len(pairs) > _MOST:
            raise InputError(f"there are {len(pairs):,} loops, and {_MOST} are the most; cut the curve into parts.")
        found: list[Found] = []
        shapes: list[Shape] = []
        for part, (first, top, last) in enumerate(pairs, 1):
            slopes = np.zeros(len(points))
            slopes[first : last + 1] = trapezium_weights(points.x[first : last + 1])
            energy = float(slopes @ points.y)
            dx, dy = float(points.x[top] - points.x[first]), float(points.y[top] - points.y[first])
            rise = np.zeros(len(points))
            rise[top], rise[first] = 1.0, -1.0
            found += [Found("energy-lost", energy, slopes, part=part), Found("secant", dy / dx, rise / dx, part=part)]
            if dy != 0:
                factor = 4 / (math.pi * dy * dx)
                by_y = factor * slopes - factor * energy / dy * rise
                found.append(Found("loss-factor", factor * energy, by_y, part=part))
            shapes.append(Line(points.x[[first, top]], points.y[[first, top]], "aid"))
            shapes.append(Point(float(points.x[top]), float(points.y[top])))
        how = ""
        if points.u is None:  # branches lie beside one another in x: their noise is that along the path
            noise = noise_along(np.arange(float(len(points))), points.y)
            how = "no u: too few points to tell their noise"
            if math.isfinite(noise):
                how = "u from the scatter along the path"
                found = [
                    replace(one, u=noise * float(np.linalg.norm(one.slopes))) for one in found if one.slopes is not None
                ]
        rest = len(points) - 1 - pairs[-1][2]
        said = counted(len(pairs), "loop") + (f"; {counted(rest, 'point')} behind the last are in none" if rest else "")
        return Taken(tuple(found), said, points, tuple(shapes), how)


def turning_points(x: Floats, least: float) -> tuple[list[int], list[int]]:
    """The places where x turns up (the beginning, if it goes up first, and an end that came down) and where it turns
    down, after having gone at least so far; `x` has shape (n,), in the order of the record."""
    lows: list[int] = []
    highs: list[int] = []
    low = high = 0
    way = 0
    for k in _candidates(x):
        low, high = (k if x[k] < x[low] else low), (k if x[k] > x[high] else high)
        if way <= 0 and x[k] - x[low] >= least:
            lows.append(low)
            way, high = 1, k
        elif way >= 0 and x[high] - x[k] >= least:
            if lows:
                highs.append(high)
            way, low = -1, k
    if way < 0 and highs and len(lows) == len(highs) and x[highs[-1]] - x[low] >= 0.5 * (x[highs[-1]] - x[lows[-1]]):
        lows.append(low)
    return lows, highs


def _candidates(x: Floats) -> NDArray[np.intp]:
    """The points where x may turn: those that are not between both neighbours, and the ends."""
    steps = np.sign(np.diff(x))
    inner = np.flatnonzero(steps[1:] != steps[:-1]) + 1
    return np.concatenate([[0], inner, [x.size - 1]]).astype(np.intp)
