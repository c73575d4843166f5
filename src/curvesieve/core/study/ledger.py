"""The ledger: readings as a table, a row a curve; on screen, on the clipboard, and as CSV."""

from __future__ import annotations

import csv
import io
import math
from dataclasses import dataclass, replace
from functools import partial

from curvesieve.core import units
from curvesieve.core.readings import FitReading
from curvesieve.core.study.document import CurveEntry, Family, Study
from curvesieve.core.study.keys import ByParts

STATISTIC = -1


@dataclass(frozen=True)
class Column:
    """A column: `peak` and `quantity` name a reading; the peak of a statistic is `STATISTIC`."""

    title: str
    unit: str
    peak: int
    quantity: str

    @property
    def key(self) -> tuple[int, str, str]:
        return self.peak, self.quantity, self.unit

    @property
    def heading(self) -> str:
        return units.labelled(self.title, self.unit)


@dataclass(frozen=True)
class Row:
    """A curve with its readings by (peak, quantity). `state` is ``fitted``, ``not fitted``, ``out of date`` …"""

    curve: CurveEntry
    cells: dict[tuple[int, str], FitReading]
    state: str

    def cell(self, column: Column) -> FitReading | None:
        """The reading that belongs in a column: the same quantity, in the column's unit."""
        found = self.cells.get((column.peak, column.quantity))
        return found if found is not None and found.unit == column.unit else None


@dataclass(frozen=True)
class Ledger:
    """The readings of a family in the order of its condition."""

    title: str
    condition: tuple[str, str]
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]


STATISTICS = (("r2", "R²"), ("rmse", "RMSE"))


_sets: dict[tuple[Column, ...], tuple[Column, ...]] = {}
"""The columns that rows fill, the same object for all that fill the same."""
_rows: ByParts[tuple[Row, tuple[Column, ...]]] = ByParts()


def ledger_of(study: Study, family: Family | None) -> Ledger:
    """The ledger of a family (None: of all curves), with the columns that any of its fits fill."""
    chosen = study.document.curves if family is None else tuple(study.entry(id_) for id_ in family.curves)
    curves = sorted(chosen, key=lambda c: (c.condition is None, c.condition or 0.0))
    rows: list[Row] = []
    columns: dict[tuple[int, str, str], Column] = {}
    sets: dict[int, tuple[Column, ...]] = {}
    for curve in curves:
        state = study.fit_state(curve.id)
        row, own = _rows.get((curve, state), partial(_row, curve, state))
        rows.append(row)
        sets[id(own)] = own
    for own in sets.values():
        for column in own:
            columns.setdefault(column.key, column)
    ordered = _told_apart([columns[key] for key in sorted(columns, key=lambda key: _place(key[0]))])
    title = family.label if family else "all curves"
    condition = (family.condition, family.unit) if family else ("", "")
    return Ledger(title, condition, tuple(ordered), tuple(rows))


def _row(curve: CurveEntry, state: str) -> tuple[Row, tuple[Column, ...]]:
    """A curve's row, and the columns that it fills."""
    readings = curve.fit.readings if curve.fit is not None and state == "fitted" else ()
    cells = {(r.peak, r.quantity): r for r in (*readings, *_statistics(curve, readings))}
    columns = tuple(Column(r.name, r.unit, r.peak, r.quantity) for r in cells.values())
    return Row(curve, cells, state), _sets.setdefault(columns, columns)


def _place(peak: int) -> float:
    """Peaks in their order, then a law and one's own, then the statistics."""
    return math.inf if peak == STATISTIC else peak or 1e9


def _told_apart(columns: list[Column]) -> list[Column]:
    """Columns that would have the same heading, numbered from the second on."""
    seen: dict[str, int] = {}
    made = []
    for column in columns:
        count = seen[column.heading] = seen.get(column.heading, 0) + 1
        made.append(column if count == 1 else replace(column, title=f"{column.title} #{count}"))
    return made


def _statistics(curve: CurveEntry, readings: tuple[FitReading, ...]) -> list[FitReading]:
    if not readings or curve.fit is None:
        return []
    found = []
    for name, label in STATISTICS:
        value = getattr(curve.fit.result.statistics, name)
        if value is not None:
            unit = curve.fit.y_unit if name == "rmse" else ""
            found.append(FitReading(label, name, value, None, unit, "of the fit", "", STATISTIC, name))
    return found


def _table(ledger: Ledger) -> list[list[str]]:
    head = ["curve"]
    if ledger.condition[0]:
        head.append(_plain(*ledger.condition))
    for column in ledger.columns:
        head.append(_plain(column.title, column.unit))
        if column.peak != STATISTIC:
            head.append(_plain(f"u({column.title})", column.unit))
    head.append("state")
    table = [head]
    for row in ledger.rows:
        line = [row.curve.label]
        if ledger.condition[0]:
            line.append("" if row.curve.condition is None else repr(row.curve.condition))
        for column in ledger.columns:
            cell = row.cell(column)
            line.append("" if cell is None else repr(cell.value))
            if column.peak != STATISTIC:
                line.append("" if cell is None or cell.u is None else repr(cell.u))
        table.append([*line, row.state])
    return table


def _plain(name: str, unit: str) -> str:
    return f"{name} ({units.written(unit)})" if unit else name


def to_csv(ledger: Ledger) -> str:
    """The ledger by RFC 4180: units and uncertainties in the header, one row a curve, all digits."""
    buffer = io.StringIO()
    csv.writer(buffer).writerows(_table(ledger))
    return buffer.getvalue()


def to_tabs(ledger: Ledger) -> str:
    """The same, separated by tabs, as spreadsheets take it from the clipboard."""
    return "\n".join("\t".join(cell.replace("\t", " ") for cell in row) for row in _table(ledger)) + "\n"


def about_curve(study: Study, curve_id: str) -> list[tuple[str, str]]:
    """Where the numbers of a curve as it passed come from: file, hash, steps with their fields, and the law fitted."""
    entry = study.entry(curve_id)
    record = study.record_entry(entry.record)
    found = [("source", record.file_name), ("sha256", record.source)]
    found.append(("steps", study.sieve(curve_id).written()))
    if study.fit_is_current(curve_id) and entry.fit is not None:
        values = ", ".join(f"{name} {p.value!r}" for name, p in entry.fit.result.parameters.items())
        formulas = " + ".join(f"({placed.term.formula.splitlines()[-1]})" for placed in entry.model.terms)
        found += [("formula", formulas), ("fitted", values)]
    return found


def provenance(study: Study, curve: CurveEntry, reading: FitReading) -> str:
    """One sentence on where a reading comes from: method, points, steps, file."""
    fit = curve.fit
    assert fit is not None, "a reading has a fit"
    record = study.record_entry(curve.record)
    steps = [slot.name or slot.rule.label for slot in study.slots(curve.id) if slot.on]
    after = f" after {', '.join(steps)}" if steps else ", as recorded"
    method = f"{reading.method}, " if reading.peak != STATISTIC else ""
    return (
        f"{reading.name} of {curve.label}: {method}{fit.used:,} of {fit.recorded:,} points of {record.file_name}{after}"
    )
