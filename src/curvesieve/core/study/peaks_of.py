"""The peaks of a study's curves as rows, and as text; how many a curve has; the line of Williamson and Hall."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.measures.base import Seen
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.hall import HallLine, WilliamsonHall
from curvesieve.core.readings.peak_rows import COLUMNS, SHAPE, PeakRow, peak_rows
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.study import Study

if TYPE_CHECKING:
    from curvesieve.core.peaks.growing import Grown


def _seen(study: Study, curve_id: str) -> FitSeen | None:
    """The fit of a curve, where it is one of just its model and came to rest."""
    fit = study.fit(curve_id)
    if fit is None or not fit.result.converged or not study.fit_is_current(curve_id):
        return None
    return FitSeen(study.model(curve_id), fit.result, sieved_curve(study, curve_id).curve)


def peaks_of(study: Study, curve_id: str) -> tuple[PeakRow, ...]:
    """The peaks of a curve, from its fit where that is current, else at the starts of its model."""
    passed = sieved_curve(study, curve_id).curve
    return peak_rows(study.model(curve_id), _seen(study, curve_id), passed.x_unit, passed.y_unit)


def peaks_as_text(rows: Sequence[tuple[str, PeakRow]]) -> str:
    """Rows of peaks, each with its curve, as a table with tabs: every number with its u beside it, all digits."""
    if not rows:
        return ""
    cells = rows[0][1].cells
    head = ["curve", "peak", "profile"]
    for name in (*COLUMNS, SHAPE):
        unit = units.shown(cells[name].unit)
        head += [f"{name} ({unit})" if unit else name, f"u({name})"]
    lines = ["\t".join(head)]
    for curve, row in rows:
        line = [curve, row.label, row.kind]
        for name in (*COLUMNS, SHAPE):
            cell = row.cells[name]
            line += ["" if math.isnan(cell.value) else repr(cell.value), "" if cell.u is None else repr(cell.u)]
        lines.append("\t".join(line))
    return "\n".join(lines) + "\n"


def grown_models(
    study: Study, curve_id: str, profile: str, watch: Callable[[float], None], stop: Callable[[object], None]
) -> tuple[Grown, ...]:
    """Models of the curve with one peak more each, on the background that its model has. See `growing.how_many`."""
    from curvesieve.core.peaks.growing import how_many
    from curvesieve.core.peaks.making import BACKGROUND

    curve = sieved_curve(study, curve_id).curve
    model = study.model(curve_id)
    if not model.terms:
        model = model.with_background(BACKGROUND, curve)
    most = min(max(len(model.lines) + 4, 8), 40)
    return how_many(model, curve, most, profile, watch, stop)


def hall_line(study: Study, curve_id: str, rule: WilliamsonHall | None = None) -> HallLine:
    """Williamson and Hall's plot of a curve, by the measure that it has, or by another.

    Raises InputError where it has none, or where it cannot be drawn.
    """
    slots = [slot for slot in study.measures(curve_id) if isinstance(slot.rule, WilliamsonHall) and slot.on]
    chosen = rule or next((slot.rule for slot in slots if isinstance(slot.rule, WilliamsonHall)), None)
    if chosen is None:
        raise InputError("No reading Williamson–Hall is taken of this curve yet.")
    passed = sieved_curve(study, curve_id).curve
    return chosen.line(Seen.of(passed, study.quantities(curve_id), _seen(study, curve_id)))[0]
