"""Curves that come from no record: of two columns of a ledger, a family's mean, a chart's series, a field's slice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.steps.combine import Average
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study.document import FromChart, FromField, FromLedger, FromMean, LedgerColumn
from curvesieve.core.study.fields import slice_curve
from curvesieve.core.study.ledger import Ledger, Row, in_unit, ledger_of
from curvesieve.core.study.outcomes import drawn_from, known
from curvesieve.core.study.study import Study
from curvesieve.core.tracing.parts import TraceSpec
from curvesieve.core.tracing.values import curve_of

Passed = Callable[[str], Curve]
"""What gives a curve of the study, by its id, as it passed what it gives through; see `Study.giving`."""


def made_curve(study: Study, curve_id: str, passed: Passed, through: Callable[[str], Sieved]) -> Curve:
    """The curve of a source that is no record; raises InputError with the reason where there is none.

    `through` gives another curve in its whole sieve, so that it can be read off.
    """
    source = study.entry(curve_id).source
    if curve_id in study.needs(curve_id):
        raise InputError("This curve is made of itself; take it out of the family, or out of the steps, it comes from.")
    if isinstance(source, FromChart):
        return _of_chart(study, source)
    if isinstance(source, FromField):
        return slice_curve(study, source, passed)
    assert isinstance(source, FromLedger | FromMean), "asked of a curve that comes from a record"
    family = next((f for f in study.document.families if f.id == source.family), None)
    if family is None:
        raise InputError("The family that this curve is made of is not in the study any more.")
    if isinstance(source, FromLedger):
        members = study.members(curve_id)
        read = {id_: known(study, id_) or drawn_from(study, id_, through(id_))[1] for id_ in members}
        return _of_columns(ledger_of(study, family, read), source, curve_id)
    found = [passed(id_) for id_ in study.members(curve_id)]
    if not found:
        raise InputError(f"The family {family.label} has no curve to take the {source.by} of.")
    return Average(by=source.by).passing(found[0], _Rest(found[1:])).curve


def lacking(study: Study, curve_id: str) -> list[str]:
    """The labels of the curves that a curve of a ledger has no point for, as one of their two numbers is not there.

    Of readings that are known by now.
    """
    source = study.entry(curve_id).source
    family = next((f for f in study.document.families if f.id == getattr(source, "family", None)), None)
    if not isinstance(source, FromLedger) or family is None:
        return []
    rows = [row for row in ledger_of(study, family).rows if row.curve.id != curve_id]
    return [row.curve.label for row in rows if _number(row, source.x) is None or _number(row, source.y) is None]


def _of_chart(study: Study, source: FromChart) -> Curve:
    found = study.series(source)
    if found is None:
        raise InputError("The chart or the series that this curve was traced from is not in the study any more.")
    x, y, series = found
    return curve_of(TraceSpec(x=x, y=y), series)


@dataclass(frozen=True)
class _Rest:
    """The other curves of the family, for the average."""

    curves: list[Curve]

    def curve(self, name: str) -> Curve:
        raise InputError(f"there is no curve {name!r} here.")

    def family(self) -> list[Curve]:
        return self.curves


def _of_columns(ledger: Ledger, source: FromLedger, curve_id: str) -> Curve:
    """A point for each curve of the ledger that has both numbers, in the order of x; u where each y has one."""
    rows = [row for row in ledger.rows if row.curve.id != curve_id]
    found = [(_number(row, source.x), _number(row, source.y)) for row in rows]
    points = [(x[0], y[0], y[1]) for x, y in found if x is not None and y is not None]
    x_label, y_label = _title(ledger, source.x), _title(ledger, source.y)
    if not points:
        raise InputError(
            f"No curve of {ledger.title} has both {x_label} and {y_label} in the ledger; look at its fits and readings."
        )
    x, y, u = np.array([(x, y, np.nan if u is None else u) for x, y, u in points], float).T
    order = np.argsort(x, kind="stable")
    known = bool(np.all(np.isfinite(u)) and np.all(u > 0))
    x_unit, y_unit = _unit(ledger, source.x), _unit(ledger, source.y)
    return Curve(x[order], y[order], u[order] if known else None, x_label, y_label, x_unit, y_unit)


def _number(row: Row, column: LedgerColumn) -> tuple[float, float | None] | None:
    if column.key is None:
        return None if row.curve.condition is None else (row.curve.condition, None)
    cell = row.cells.get(column.key)
    if cell is None:
        return None
    cell = cell if cell.unit == column.unit else in_unit(cell, column.unit)
    return cell.value, cell.u


def _title(ledger: Ledger, column: LedgerColumn) -> str:
    if column.key is None:
        return ledger.condition[0] or "condition"
    titles = [c.title for c in (*ledger.columns, *ledger.hidden) if c.key == column.key]
    return titles[0] if titles else column.key.quantity


def _unit(ledger: Ledger, column: LedgerColumn) -> str:
    return ledger.condition[1] if column.key is None else column.unit
