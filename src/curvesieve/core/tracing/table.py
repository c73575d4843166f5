"""All numbers of a trace as one table, a row a point or bar, for files and for eyes."""

from __future__ import annotations

from collections.abc import Sequence

from curvesieve.core.tracing.axes import Frame
from curvesieve.core.tracing.parts import AxisSpec, SeriesSpec, TraceSpec
from curvesieve.core.tracing.values import frame_of, standard_uncertainty, traced, traced_bars


def rows_of(trace: TraceSpec) -> list[list[str]]:
    """A row of titles and a row for each point or bar: series, number or name, x, u of x, y, u of y, then whiskers.

    Columns that nothing is in are left out. Raises InputError for axes that cannot be calibrated, and for a series
    that has no numbers.
    """
    frame = frame_of(trace)
    titles = ["series", "point", _title(trace.x, "x"), _title(trace.x, "u(x)"), _title(trace.y, "y"),
              _title(trace.y, "u(y)"), "base", "height", "u(height)", "lower end", "upper end", "half-length",
              "u(half-length)", "the whisker is", "n", "u by the whisker"]  # fmt: skip
    rows = [row for number, series in enumerate(trace.series, 1) for row in _rows(frame, series, number)]
    used = [k for k in range(len(titles)) if k < 2 or any(row[k] for row in rows)]
    return [[titles[k] for k in used], *[[row[k] for k in used] for row in rows]]


def _title(axis: AxisSpec, name: str) -> str:
    said = name.replace("x", axis.label).replace("y", axis.label) if axis.label and "(" not in name else name
    return f"{said} ({axis.unit_of_numbers})" if axis.unit_of_numbers else said


def _rows(frame: Frame, series: SeriesSpec, number: int) -> list[list[str]]:
    name = series.name or f"series {number}"
    if series.kind != "bars":
        found = traced(frame, series)
        points = zip(found.x, found.u_x, found.y, found.u_y, strict=True)
        return [[name, str(k), *_numbers(point), *[""] * 10] for k, point in enumerate(points, 1)]
    out = []
    for k, bar in enumerate(traced_bars(frame, series), 1):
        known = None if bar.half is None else standard_uncertainty(bar.half, series.spread, series.count)
        numbers = [bar.value, bar.u, bar.base, bar.height, bar.u_height, bar.lower, bar.upper, bar.half, bar.u_half]
        spread = series.spread if bar.half is not None else ""
        count = str(series.count) if series.count and bar.half is not None else ""
        out.append(
            [name, bar.name or str(k), "", "", *_numbers(numbers), spread, count, *_numbers([known and known[0]])]
        )
    return out


def _numbers(values: Sequence[float | None]) -> list[str]:
    return ["" if value is None else repr(float(value)) for value in values]
