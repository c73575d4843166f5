"""Changes of a trace, each a function from trace to trace: marks of axes, places of series, bars."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Literal

import numpy as np

from curvesieve.core.changed import changed
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.axes import filled
from curvesieve.core.tracing.parts import AxisSpec, BarSpec, Kind, MarkSpec, Place, SeriesSpec, TraceSpec
from curvesieve.core.tracing.thin import redrawn

Change = Callable[[TraceSpec], TraceSpec]
AxisName = Literal["x", "y"]


# -- axes ---------------------------------------------------------------------------------------------


def with_axis(name: AxisName, even: Floats | None = None, **changes: Any) -> Change:
    """Other scale, label or unit of an axis; marks between typed ones follow anew (see `with_mark`)."""

    def change(trace: TraceSpec) -> TraceSpec:
        axis = changed(getattr(trace, name), **changes)
        return trace.model_copy(update={name: _filled(axis, even) if "scale" in changes else axis})

    return change


def with_mark(name: AxisName, place: Place, value: float, even: Floats | None = None) -> Change:
    """A mark more at a known value; one that stands within two pixels of it is replaced.

    `even` are pixels of ticks of shape (n, 2) that stand evenly: they take the values that follow from those typed.
    """

    def change(trace: TraceSpec) -> TraceSpec:
        axis: AxisSpec = getattr(trace, name)
        mark = changed(MarkSpec(px=place[0], py=place[1], value=0.0), value=value)
        rest = [one for one in typed(axis) if np.hypot(one.px - place[0], one.py - place[1]) > 2]
        return trace.model_copy(update={name: _filled(axis.model_copy(update={"marks": (*rest, mark)}), even)})

    return change


def without_mark(name: AxisName, number: int, even: Floats | None = None) -> Change:
    """The axis without one of its typed marks."""

    def change(trace: TraceSpec) -> TraceSpec:
        axis: AxisSpec = getattr(trace, name)
        rest = tuple(one for k, one in enumerate(typed(axis)) if k != number)
        return trace.model_copy(update={name: _filled(axis.model_copy(update={"marks": rest}), even)})

    return change


def typed(axis: AxisSpec) -> tuple[MarkSpec, ...]:
    """The marks whose values were typed."""
    return tuple(mark for mark in axis.marks if mark.typed)


def _filled(axis: AxisSpec, even: Floats | None) -> AxisSpec:
    marks = typed(axis)
    if even is None or any(_beyond(axis, mark.value) for mark in marks):
        return axis.model_copy(update={"marks": marks})
    made = filled([mark.mark() for mark in marks], axis.scale, even)
    more = tuple(MarkSpec(px=m.px, py=m.py, value=m.value, typed=False) for m in made if not m.typed)
    return axis.model_copy(update={"marks": (*marks, *more)})


def _beyond(axis: AxisSpec, value: float) -> bool:
    return (axis.scale in ("log10", "ln") and value <= 0) or (axis.scale == "reciprocal" and value == 0)


# -- series -------------------------------------------------------------------------------------------


def series_of(trace: TraceSpec, series_id: str) -> SeriesSpec:
    """A series by its id. Raises InputError where it is gone."""
    found = next((one for one in trace.series if one.id == series_id), None)
    if found is None:
        raise InputError("This series is not in the chart any more.")
    return found


def add_series(series: SeriesSpec) -> Change:
    """A series more, at the end."""
    return lambda trace: trace.model_copy(update={"series": (*trace.series, series)})


def change_series(series_id: str, **changes: Any) -> Change:
    """Other values of fields of a series."""

    def change(trace: TraceSpec) -> TraceSpec:
        new = changed(series_of(trace, series_id), **changes)
        return trace.model_copy(update={"series": tuple(new if one.id == series_id else one for one in trace.series)})

    return change


def remove_series(series_id: str) -> Change:
    """The trace without a series."""
    return lambda trace: trace.model_copy(update={"series": tuple(one for one in trace.series if one.id != series_id)})


def add_place(series_id: str, place: Place, by_hand: bool) -> Change:
    """A place more in a series of points; `by_hand` where it did not snap."""

    def change(trace: TraceSpec) -> TraceSpec:
        old = series_of(trace, series_id)
        numbers = (*old.by_hand, len(old.places)) if by_hand else old.by_hand
        kind: Kind = old.kind if old.places else "points"
        return change_series(series_id, kind=kind, places=(*old.places, place), by_hand=numbers)(trace)

    return change


def move_place(series_id: str, number: int, place: Place, by_hand: bool = True) -> Change:
    """Another place in the place of one."""

    def change(trace: TraceSpec) -> TraceSpec:
        old = series_of(trace, series_id)
        places = tuple(place if k == number else one for k, one in enumerate(old.places))
        numbers = {*old.by_hand, number} if by_hand else {*old.by_hand} - {number}
        return change_series(series_id, places=places, by_hand=tuple(sorted(numbers)))(trace)

    return change


def remove_place(series_id: str, number: int) -> Change:
    """A series without one of its places, or of its bars."""

    def change(trace: TraceSpec) -> TraceSpec:
        old = series_of(trace, series_id)
        if old.bars:
            bars = tuple(one for k, one in enumerate(old.bars) if k != number)
            return change_series(series_id, bars=bars)(trace)
        places = tuple(one for k, one in enumerate(old.places) if k != number)
        numbers = tuple(k - (k > number) for k in old.by_hand if k != number)
        return change_series(series_id, places=places, by_hand=numbers)(trace)

    return change


def set_line(series_id: str, places: Floats, width: float) -> Change:
    """A line that was followed, in the place of what the series had; `places` in pixels, of shape (n, 2)."""
    found = tuple((float(x), float(y)) for x, y in places)
    return change_series(series_id, kind="line", places=found, by_hand=(), bars=(), width=float(width))


def redraw_line(series_id: str, by_hand: Floats) -> Change:
    """A piece of a line drawn by hand, in pixels of shape (n, 2), in the place of what was there."""

    def change(trace: TraceSpec) -> TraceSpec:
        old = series_of(trace, series_id)
        if old.kind != "line" or len(old.places) < 2:
            raise InputError("Only a line can be drawn over; follow one first.")
        places = redrawn(np.array(old.places), by_hand)
        return set_line(series_id, places, old.width)(trace)

    return change


def add_marks(series_id: str, places: Floats) -> Change:
    """Marks that were found, in pixels of shape (n, 2), beside those that are there; none within two pixels of one."""

    def change(trace: TraceSpec) -> TraceSpec:
        old = series_of(trace, series_id)
        there = np.array(old.places, float).reshape(-1, 2)
        new = [p for p in places if len(there) == 0 or np.hypot(*(there - p).T).min() > 2]
        found = tuple((float(x), float(y)) for x, y in new)
        return change_series(series_id, kind="marks", places=(*old.places, *found), bars=())(trace)

    return change


def add_bars(series_id: str, bars: Sequence[BarSpec]) -> Change:
    """Bars that were found, beside those that are there; none whose end is within two pixels of one."""

    def change(trace: TraceSpec) -> TraceSpec:
        old = series_of(trace, series_id)
        new = [bar for bar in bars if all(np.hypot(*np.subtract(bar.top, one.top)) > 2 for one in old.bars)]
        return change_series(series_id, kind="bars", places=(), by_hand=(), bars=(*old.bars, *new))(trace)

    return change


def name_bar(series_id: str, number: int, name: str) -> Change:
    """What the chart calls a bar."""

    def change(trace: TraceSpec) -> TraceSpec:
        old = series_of(trace, series_id)
        bars = tuple(one.model_copy(update={"name": name}) if k == number else one for k, one in enumerate(old.bars))
        return change_series(series_id, bars=bars)(trace)

    return change


def set_whisker(series_id: str, place: Place) -> Change:
    """An end of the whisker of the bar that a place is nearest to, at the foot of that place on the bar's middle.

    Beyond the bar's end it is the outer end of the whisker, else the inner one. Raises InputError without a bar.
    """

    def change(trace: TraceSpec) -> TraceSpec:
        bars = list(series_of(trace, series_id).bars)
        if not bars:
            raise InputError("There is no bar here whose whisker this could be; read the bars first.")
        off = []
        for bar in bars:
            way = np.subtract(bar.top, bar.base) / max(np.hypot(*np.subtract(bar.top, bar.base)), 1e-9)
            to = np.subtract(place, bar.base)
            off.append(abs(float(to[0] * way[1] - to[1] * way[0])))
        number = int(np.argmin(off))
        bar = bars[number]
        long_ = float(np.hypot(*np.subtract(bar.top, bar.base)))
        way = np.subtract(bar.top, bar.base) / max(long_, 1e-9)
        along = float(np.subtract(place, bar.base) @ way)
        at = tuple(float(c) for c in np.array(bar.base) + along * way)
        rises = way[0] - way[1] > 0  # to the right, or up
        name = "upper" if (along > long_) == rises else "lower"
        bars[number] = bar.model_copy(update={name: at})
        return change_series(series_id, bars=tuple(bars))(trace)

    return change
