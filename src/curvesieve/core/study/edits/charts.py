"""Edits of charts: pictures brought in, named, traced, removed; and their series brought in as curves."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from dataclasses import replace

from curvesieve.core.errors import InputError, counted
from curvesieve.core.study.document import ChartEntry, CurveEntry, Family, FromChart
from curvesieve.core.study.edits.base import Edit, free_name, new_id
from curvesieve.core.study.study import Study
from curvesieve.core.tracing.parts import Prepared, TraceSpec
from curvesieve.core.tracing.prepare import carried
from curvesieve.core.tracing.values import curve_of


def add_chart(content: bytes, name: str, chart_id: str = "") -> Edit:
    """A picture more, at the end, with its bytes; a name that is taken gets a number."""

    def edit(study: Study) -> Study:
        key = hashlib.sha256(content).hexdigest()
        free = free_name(name, {chart.name for chart in study.document.charts}, "chart")
        entry = ChartEntry(id=chart_id or new_id("chart"), name=free, picture=key)
        with_bytes = replace(study, sources={**study.sources, key: content})
        return with_bytes.with_document(charts=(*study.document.charts, entry))

    return edit


def chart_of(study: Study, chart_id: str) -> ChartEntry:
    """A chart by its id. Raises InputError where it is gone."""
    found = study.chart(chart_id)
    if found is None:
        raise InputError("This chart is not in the study any more.")
    return found


def name_chart(chart_id: str, name: str) -> Edit:
    """Another name for a chart. Raises InputError for an empty one, and for one that another chart has."""
    if not name.strip():
        raise InputError("A chart needs a name; the old one is kept.")

    def edit(study: Study) -> Study:
        if any(chart.name == name.strip() and chart.id != chart_id for chart in study.document.charts):
            raise InputError(f"There is a chart {name.strip()} already; choose another name.")
        return _changed(study, chart_id, name=name.strip())

    return edit


def retrace(chart_id: str, change: Callable[[TraceSpec], TraceSpec]) -> Edit:
    """Another trace in the place of a chart's. Raises InputError where a series falls out that curves come from."""

    def edit(study: Study) -> Study:
        old = chart_of(study, chart_id).trace
        new = change(old)
        if new == old:
            return study
        gone = {series.id for series in old.series} - {series.id for series in new.series}
        _refuse_if_used(study, chart_id, gone)
        return _changed(study, chart_id, trace=new)

    return edit


def prepare(chart_id: str, prepared: Prepared, size: tuple[int, int]) -> Edit:
    """Makes a picture ready in another way; what was traced goes along. `size` is its width and height as opened.

    Raises InputError for corners or a crop that cannot be.
    """

    def edit(study: Study) -> Study:
        chart = chart_of(study, chart_id)
        if prepared == chart.prepared:
            return study
        trace = carried(chart.trace, chart.prepared, prepared, size)
        return _changed(study, chart_id, prepared=prepared, trace=trace)

    return edit


def remove_chart(chart_id: str) -> Edit:
    """Takes a chart out of the study. Raises InputError where curves come from it."""

    def edit(study: Study) -> Study:
        _refuse_if_used(study, chart_id, {series.id for series in chart_of(study, chart_id).trace.series})
        return study.with_document(charts=tuple(one for one in study.document.charts if one.id != chart_id))

    return edit


def traced_curves(study: Study, chart_id: str) -> list[CurveEntry]:
    """The curves that come from a chart, in the order of the study."""
    curves = study.document.curves
    return [one for one in curves if isinstance(one.source, FromChart) and one.source.chart == chart_id]


def bring_in(chart_id: str, series_ids: Sequence[str], curve_ids: Sequence[str] = ()) -> Edit:
    """Series of a chart as curves that follow it: one beside all families, several as a family by their condition.

    Raises InputError for a series that makes no curve, and for one that is brought in already.
    """

    def edit(study: Study) -> Study:
        chart = chart_of(study, chart_id)
        there = {one.source.series for one in traced_curves(study, chart_id) if isinstance(one.source, FromChart)}
        made = []
        for number, id_ in enumerate(series_ids):
            series = next((one for one in chart.trace.series if one.id == id_), None)
            if series is None:
                raise InputError("This series is not in the chart any more.")
            if id_ in there:
                raise InputError(f"{series.name or 'This series'} is brought in already; its curve follows the chart.")
            curve_of(chart.trace, series)
            label = series.name or (chart.name if len(series_ids) == 1 else f"{chart.name} {number + 1}")
            source = FromChart(chart=chart_id, series=id_)
            curve = curve_ids[number] if number < len(curve_ids) else new_id("curve")
            made.append(CurveEntry(id=curve, label=label, source=source, condition=series.condition))
        with_curves = study.with_document(curves=(*study.document.curves, *made))
        if len(made) < 2:
            return with_curves
        family = Family(id=new_id("family"), label=chart.name, curves=tuple(one.id for one in made))
        return with_curves.with_document(families=(*study.document.families, family))

    return edit


def _changed(study: Study, chart_id: str, **changes: object) -> Study:
    charts = tuple(
        chart.model_copy(update=changes) if chart.id == chart_id else chart for chart in study.document.charts
    )
    return study.with_document(charts=charts)


def _refuse_if_used(study: Study, chart_id: str, series: set[str]) -> None:
    used = [
        one.label for one in traced_curves(study, chart_id)
        if isinstance(one.source, FromChart) and one.source.series in series
    ]  # fmt: skip
    if used:
        raise InputError(
            f"{counted(len(used), 'curve')} on the shelf {'come' if len(used) > 1 else 'comes'} from this "
            f"({', '.join(used[:3])}{' …' if len(used) > 3 else ''}); take it off the shelf first."
        )
