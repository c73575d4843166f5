"""From pixels to numbers: what a trace says, each number with its u."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.axes import Frame, calibrated, framed
from curvesieve.core.tracing.parts import AxisSpec, BarSpec, Place, SeriesSpec, Spread, TraceSpec
from curvesieve.core.tracing.typed import said

_BY_HAND_PX = 0.5
"""The standard uncertainty of a place that was set by hand, without a line's width, in pixels."""
_NORMAL_95 = 1.959964
"""Half of a 95 % interval in standard errors, for many values."""
_ON_BASE = 3.0
"""A bar begins at the base line of all where it misses it by fewer u than this."""


def frame_of(trace: TraceSpec) -> Frame:
    """Both axes calibrated; raises InputError with what is wrong with their marks."""
    x = calibrated(trace.x.counted(), trace.x.scale, "x")
    y = calibrated(trace.y.counted(), trace.y.scale, "y")
    return framed(x, y)


@dataclass(frozen=True, eq=False)
class Traced:
    """The numbers of a series, each of shape (n,), in the units of the axes, with standard uncertainties."""

    x: Floats
    y: Floats
    u_x: Floats
    u_y: Floats


def traced(frame: Frame, series: SeriesSpec) -> Traced:
    """The numbers of the points, marks or line of a series.

    Of a line, which has no places along itself, `u_y` is that of y at a given x: it has in it how steep the line is.
    Raises InputError where there are no places, or one has no number on its axis.
    """
    places = np.array(series.places, float).reshape(-1, 2)
    if len(places) == 0:
        raise InputError(f"{series.name or 'This series'} has no point yet; click one on the picture.")
    values = frame.values(places)
    if not np.isfinite(values).all():
        bad = int(np.flatnonzero(~np.isfinite(values).all(axis=1))[0])
        raise InputError(
            f"Point {bad + 1} of {series.name or 'the series'} is beyond what its axes have numbers for; remove it."
        )
    u = frame.u(places, frame.u_px)
    if series.by_hand:
        hand = np.array(series.by_hand)
        u[hand] = frame.u(places[hand], math.hypot(_BY_HAND_PX, series.width / 2 / math.sqrt(3)))
    if series.kind == "line" and len(places) > 1:
        u[:, 1] = _u_at_x(frame, places, values, u)
    if series.order == "x":
        order = np.argsort(values[:, 0], kind="stable")
        values, u = values[order], u[order]
    return Traced(values[:, 0], values[:, 1], u[:, 0], u[:, 1])


def _u_at_x(frame: Frame, places: Floats, values: Floats, u: Floats) -> Floats:
    """The uncertainty of y at a given x, of shape (n,): that of x brings the slope of the line in (JCGM 100, 5.1.2).

    Where the line stands upright, what it passes within half a pixel of x is taken.
    """
    steps = np.gradient(places, axis=0)
    long_ = np.maximum(np.hypot(*steps.T), 1e-9)[:, None]
    there, back = frame.values(places + 0.5 * steps / long_), frame.values(places - 0.5 * steps / long_)
    along = there - back
    with np.errstate(divide="ignore", invalid="ignore"):
        slope = np.abs(along[:, 1] / along[:, 0])
    steepest = np.abs(along[:, 1]) / np.maximum(u[:, 0], 1e-300)
    slope = np.minimum(np.where(np.isfinite(slope), slope, np.inf), steepest)
    return np.asarray(np.hypot(u[:, 1], slope * u[:, 0]))


def between(axis: AxisSpec, value: float) -> str:
    """Where a value is among those that were marked on its axis, in words: a check by eye (common practice)."""
    marked = sorted({mark.value - axis.first for mark in axis.marks})
    words = [said(one + axis.first, axis.scale) for one in marked]
    above = next((k for k, one in enumerate(marked) if one >= value), len(marked))
    if above == 0:
        return f"before {words[0]}" if value < marked[0] else f"at {words[0]}"
    if above == len(marked):
        return f"beyond {words[-1]}"
    return f"between {words[above - 1]} and {words[above]}"


def curve_of(trace: TraceSpec, series: SeriesSpec) -> Curve:
    """A series as a curve: x, y, u of y, with the names and units of the axes. Raises InputError as `traced`.

    Bars stand at the numbers that they are named by, such as a loading, else at 1, 2, 3 …; their u has in it what their
    whiskers say, see `standard_uncertainty`.
    """
    frame = frame_of(trace)
    if series.kind == "bars":
        return _of_bars(trace, series, traced_bars(frame, series))
    found = traced(frame, series)
    x_label, y_label = trace.x.label or "x", trace.y.label or series.name or "y"
    x_label, y_label = (
        f"{text} since {said(axis.first, axis.scale)}" if axis.scale == "dates" else text
        for text, axis in ((x_label, trace.x), (y_label, trace.y))
    )
    return Curve(
        found.x, found.y, found.u_y, x_label, y_label, trace.x.unit_of_numbers, trace.y.unit_of_numbers
    )  # fmt: skip


def _of_bars(trace: TraceSpec, series: SeriesSpec, bars: tuple[TracedBar, ...]) -> Curve:
    named = [_number_of(bar.name) for bar in bars]
    numbers = [one for one in named if one is not None]
    x = np.array(numbers if len(numbers) == len(bars) else np.arange(1.0, len(bars) + 1))
    y, u = np.array([bar.amount for bar in bars]).T
    spread = [None if b.half is None else standard_uncertainty(b.half, series.spread, series.count) for b in bars]
    if all(one is not None for one in spread):
        u = np.hypot(u, [one[0] for one in spread if one is not None])
    upright = axis_of(series) == 1
    across, along = (trace.x, trace.y) if upright else (trace.y, trace.x)
    order = np.argsort(x, kind="stable")
    whole = len(numbers) == len(bars)
    x_label = across.label or ("category" if whole else "bar")
    label = along.label or series.name or "value"
    return Curve(x[order], y[order], u[order], x_label, label, across.unit if whole else "", along.unit)


def _number_of(name: str) -> float | None:
    try:
        value = float(name.replace(",", ".").replace("−", "-"))
    except ValueError:
        return None
    return value if math.isfinite(value) else None


@dataclass(frozen=True)
class TracedBar:
    """A bar's numbers in the unit of its axis: `value` ± `u` where it ends, `base` where it begins.

    `height` ± `u_height` is the difference of both, for bars that are stacked. `lower` and `upper` are the ends of its
    whisker, `half` ± `u_half` its half-length by subtraction: upper end − value, or the mean of both where they differ
    by no more than their u.
    """

    name: str
    value: float
    u: float
    base: float
    height: float
    u_height: float
    lower: float | None = None
    upper: float | None = None
    half: float | None = None
    u_half: float | None = None
    stacked: bool = False

    @property
    def amount(self) -> tuple[float, float]:
        """What the bar says, with u: where it ends, or its height where it stands on another."""
        return (self.height, self.u_height) if self.stacked else (self.value, self.u)


def traced_bars(frame: Frame, series: SeriesSpec) -> tuple[TracedBar, ...]:
    """The numbers of the bars of a series, by the axis that they go along; raises InputError where it has none."""
    if not series.bars:
        raise InputError(f"{series.name or 'This series'} has no bar yet; click inside one.")
    axis = axis_of(series)
    bases = [_number(frame, bar.base, axis) for bar in series.bars]
    common = float(np.median([base[0] for base in bases]))
    return tuple(
        _bar(frame, bar, axis, base, abs(base[0] - common) > _ON_BASE * base[1])
        for bar, base in zip(series.bars, bases, strict=True)
    )


def axis_of(series: SeriesSpec) -> int:
    """The axis that bars go along: x (0) for those that lie, y (1) for those that stand."""
    way = np.array([np.subtract(bar.top, bar.base) for bar in series.bars]).reshape(-1, 2)
    return 0 if np.abs(way[:, 0]).sum() > np.abs(way[:, 1]).sum() else 1


def _number(frame: Frame, place: Place, axis: int) -> tuple[float, float]:
    at = np.array([place], float)
    value, u = float(frame.values(at)[0, axis]), float(frame.u(at, frame.u_px)[0, axis])
    if not math.isfinite(value):
        raise InputError("A bar ends beyond what its axis has numbers for; move its end, or calibrate the axis again.")
    return value, u


def _bar(frame: Frame, bar: BarSpec, axis: int, base: tuple[float, float], stacked: bool) -> TracedBar:
    value, u = _number(frame, bar.top, axis)
    height, u_height = _difference(frame, bar.top, bar.base, axis)
    lower, upper = (None if end is None else _number(frame, end, axis)[0] for end in (bar.lower, bar.upper))
    ends = [end for end in (bar.lower, bar.upper) if end is not None]
    halves = [_difference(frame, end, bar.top, axis) for end in ends]
    half = u_half = None
    if halves:
        half = float(np.mean([abs(one) for one, _ in halves]))
        u_half = math.sqrt(sum(one**2 for _, one in halves)) / len(halves)
    return TracedBar(bar.name, value, u, base[0], height, u_height, lower, upper, half, u_half, stacked)


def _difference(frame: Frame, end: Place, start: Place, axis: int) -> tuple[float, float]:
    """The difference of two places along an axis, and its u: what both share of the axes' marks falls out."""
    places = np.array([end, start], float)
    values = frame.values(places)[:, axis]
    return float(values[0] - values[1]), frame.u_of_difference(places, axis)


def standard_uncertainty(half: float, spread: Spread, count: int | None) -> tuple[float, str] | None:
    """What a whisker's half-length says of the u of its value, and how; None where it says nothing.

    A standard error is u; a standard deviation is divided by √n where n is known; half a 95 % interval is divided by
    the quantile of Student's t (of the normal distribution where n is not known).
    """
    if spread == "standard error":
        return half, "the standard error that the whisker shows"
    if spread == "standard deviation" and count:
        return half / math.sqrt(count), f"the standard deviation that the whisker shows, by √{count}"
    if spread == "95 % interval":
        if count:
            from scipy import stats

            factor = float(stats.t.ppf(0.975, count - 1))
        else:
            factor = _NORMAL_95
        return half / factor, f"half the 95 % interval that the whisker shows, by {factor:.3g}"
    return None
