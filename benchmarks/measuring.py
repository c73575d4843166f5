"""Measures: twelve of them on a family against bare NumPy calls, and a band dragged on a long curve."""

from __future__ import annotations

import numpy as np

from benchmarks.sieving import dragged
from benchmarks.timing import Row, against, at_most

_COUNT, _POINTS = 500, 1500
_MEASURES = (
    {"measure": "straight-part", "low": 1.0, "high": 3.0}, {"measure": "highest-point", "points": 101},
    {"measure": "lowest-point", "by": "the point itself"}, {"measure": "value-at", "at": 3.3}, {"measure": "ends"},
    {"measure": "step-height", "at": 6.0}, {"measure": "slope-at", "at": 3.3}, {"measure": "x-at-value", "y": 3.0},
    {"measure": "area"}, {"measure": "moments", "base": "chord", "low": 2.0, "high": 8.0},
    {"measure": "width-at-share", "points": 101}, {"measure": "mean-and-scatter", "low": 8.0},
)  # fmt: skip


def _curve(seed: int) -> tuple[np.ndarray, np.ndarray]:
    x = np.linspace(0, 10, _POINTS)
    y = 0.5 + 5 * np.exp(-(((x - 5) / 1.1) ** 2)) + np.random.default_rng(seed).normal(0, 0.03, x.size)
    return x, y


def _bare(x: np.ndarray, y: np.ndarray) -> list[float]:
    """The same numbers without u, units, checks or words."""
    found: list[float] = []
    band = (x >= 1) & (x <= 3)
    (slope, intercept), rss, *_ = np.polyfit(x[band], y[band], 1, full=True)
    found += [slope, intercept, 1 - rss[0] / np.sum((y[band] - y[band].mean()) ** 2)]
    at = int(np.argmax(y))
    a, b, c = np.polyfit(x[at - 50 : at + 51] - x[at], y[at - 50 : at + 51], 2)
    found += [x[at] - b / (2 * a), c - b * b / (4 * a)]
    at = int(np.argmin(y))
    found += [x[at], y[at]]
    found += [np.interp(3.3, x, y), x[0], y[0], x[-1], y[-1]]
    before, after = (x > 5) & (x < 6), (x > 6) & (x < 7)
    ends = [np.polyval(np.polyfit(x[side], y[side], 1), 6.0) for side in (before, after)]
    found.append(ends[1] - ends[0])
    at = int(np.searchsorted(x, 3.3))
    found.append(np.polyfit(x[at - 4 : at + 5], y[at - 4 : at + 5], 1)[0])
    found += _crossing(x, y, 3.0, np.flatnonzero(np.diff(np.sign(y - 3.0)))[:1])
    found.append(np.trapezoid(y, x))
    inside = (x >= 2) & (x <= 8)
    t, h = x[inside], y[inside] - np.interp(x[inside], x[inside][[0, -1]], y[inside][[0, -1]])
    total = np.trapezoid(h, t)
    center = np.trapezoid(h * t, t) / total
    found += [center, np.sqrt(np.trapezoid(h * (t - center) ** 2, t) / total)]
    half = y.max() / 2
    sides = np.flatnonzero(np.diff(np.sign(y - half)))
    found += _crossing(x, y, half, sides[[0, -1]])
    tail = y[x >= 8]
    found += [tail.mean(), tail.std(ddof=1), np.median(tail), np.ptp(tail)]
    return found


def _crossing(x: np.ndarray, y: np.ndarray, level: float, places: np.ndarray) -> list[float]:
    return [float(x[i] + (level - y[i]) / (y[i + 1] - y[i]) * (x[i + 1] - x[i])) for i in places]


def rows() -> list[Row]:
    return [_family(), _tension(), _dragging()]


def _family() -> Row:
    import curvesieve as cs
    from curvesieve.core.measures import parse_measure
    from curvesieve.core.measures.base import MeasureSlot
    from curvesieve.core.study.many_measures import MeasureJob, measure_many

    slots = tuple(MeasureSlot(id=f"m{k}", rule=parse_measure(m)) for k, m in enumerate(_MEASURES))
    numbers = [_curve(seed) for seed in range(_COUNT)]
    jobs = [MeasureJob(slots, cs.Curve(x, y, x_unit="s", y_unit="N"), _POINTS) for x, y in numbers]
    failed = [one.problem for found in measure_many(jobs) for one in found if one.problem]
    if failed:
        raise AssertionError(failed[:3])
    pair = against(lambda: measure_many(jobs), lambda: [_bare(x, y) for x, y in numbers], 5)
    what = f"twelve measures with u on {_COUNT} curves of {_POINTS:,} points, all cores"
    return at_most(what, "bare NumPy calls without u, one core", pair, 4.0)


def _tension() -> Row:
    """The recipe of a tension test, with its toe compensation and the search for the modulus, on one long record."""
    import curvesieve as cs
    from curvesieve.core.sets import TENSION
    from curvesieve.demo.tension import Machine, recorded, specimen

    x, y = recorded(specimen("round yield", 70_000, 300), Machine(points=100_000), np.random.default_rng(1))
    recipe, curve = TENSION.recipe_with(()), cs.Curve(x, y, x_unit="", y_unit="MPa")
    failed = [one.problem for one in recipe(curve).outcomes if one.problem]
    if failed:
        raise AssertionError(failed)
    pair = against(lambda: recipe(cs.Curve(x, y, x_unit="", y_unit="MPa")), lambda: np.polyfit(x, y, 1), 9)
    return at_most(
        "all of a tension test, toe compensation and ten readings, 100,000 points",
        "one numpy.polyfit of degree 1",
        pair,
        5.0,
    )


def _dragging() -> Row:
    """A band of a straight part dragged on 20,000 points, read and painted at each move."""
    from curvesieve.core.measures.lines import StraightPart
    from curvesieve.core.study import edits

    x = np.linspace(0, 10, 20_000)
    y = 3 * np.exp(-((x - 5) ** 2)) + 0.3 * x + np.random.default_rng(0).normal(0, 0.02, x.size)
    pair = dragged(
        x, y, "straight-part", lambda id_: edits.add_measure(id_, StraightPart(low=1, high=4)),
        lambda turn: StraightPart(low=1 + 0.1 * (turn % 9), high=4 + 0.1 * (turn % 7)),
    )  # fmt: skip
    return at_most("drag a band, 20,000 points, read and painted", "bare setData and repaint", pair, 3.0)
