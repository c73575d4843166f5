"""The ledger: readings as a table, a row a curve; on screen, on the clipboard, and as CSV."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial

from curvesieve.core import units
from curvesieve.core.reading import Reading, ReadingKey
from curvesieve.core.readings import statistics_of
from curvesieve.core.study.document import CurveEntry, Family, FitEntry
from curvesieve.core.study.keys import ByParts
from curvesieve.core.study.study import Study


@dataclass(frozen=True)
class Column:
    """A column: the readings of one key in one unit."""

    title: str
    unit: str
    key: ReadingKey

    @property
    def heading(self) -> str:
        """The title with its unit."""
        return units.labelled(self.title, self.unit)

    @property
    def has_u(self) -> bool:
        """Whether its readings have an uncertainty; statistics have none."""
        return self.key.source != "statistics"


@dataclass(frozen=True)
class Row:
    """A curve with its readings by key. `state` is ``fitted``, ``not fitted``, ``out of date`` …"""

    curve: CurveEntry
    cells: dict[ReadingKey, Reading]
    state: str

    def cell(self, column: Column) -> Reading | None:
        """The reading that belongs in a column: the same quantity, in the column's unit."""
        found = self.cells.get(column.key)
        return found if found is not None and found.unit == column.unit else None


@dataclass(frozen=True)
class Ledger:
    """The readings of a family in the order of its condition."""

    title: str
    condition: tuple[str, str]
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]


_sets: dict[tuple[Column, ...], tuple[Column, ...]] = {}
"""The columns that rows fill, the same object for all that fill the same."""
_rows: ByParts[tuple[Row, tuple[Column, ...]]] = ByParts()


def ledger_of(study: Study, family: Family | None) -> Ledger:
    """The ledger of a family (None: of all curves), with the columns that any of its fits fill."""
    chosen = study.document.curves if family is None else tuple(study.entry(id_) for id_ in family.curves)
    curves = sorted(chosen, key=lambda c: (c.condition is None, c.condition or 0.0))
    rows: list[Row] = []
    columns: dict[tuple[ReadingKey, str], Column] = {}
    sets: dict[int, tuple[Column, ...]] = {}
    for curve in curves:
        state = study.fit_state(curve.id)
        fit = study.fit(curve.id) if state == "fitted" else None
        row, own = _rows.get((curve, fit, state), partial(_row, curve, fit, state))
        rows.append(row)
        sets[id(own)] = own
    for own in sets.values():
        for column in own:
            columns.setdefault((column.key, column.unit), column)
    ordered = _told_apart(sorted(columns.values(), key=lambda column: _place(column.key)))
    title = family.label if family else "all curves"
    condition = (family.condition, family.unit) if family else ("", "")
    return Ledger(title, condition, tuple(ordered), tuple(rows))


def _row(curve: CurveEntry, fit: FitEntry | None, state: str) -> tuple[Row, tuple[Column, ...]]:
    """A curve's row, and the columns that it fills."""
    readings = fit.readings if fit is not None else ()
    statistics = statistics_of(fit.result, fit.y_unit, fit.basis) if fit is not None and readings else []
    cells = {reading.key: reading for reading in (*readings, *statistics)}
    columns = tuple(Column(r.name, r.unit, r.key) for r in cells.values())
    return Row(curve, cells, state), _sets.setdefault(columns, columns)


def _place(key: ReadingKey) -> float:
    """Peaks in their order, then a law and one's own, then the statistics."""
    return math.inf if key.source == "statistics" else key.part or 1e9


def _told_apart(columns: list[Column]) -> list[Column]:
    """Columns that would have the same heading, numbered from the second on."""
    seen: dict[str, int] = {}
    made = []
    for column in columns:
        count = seen[column.heading] = seen.get(column.heading, 0) + 1
        made.append(column if count == 1 else replace(column, title=f"{column.title} #{count}"))
    return made


def _table(ledger: Ledger) -> list[list[str]]:
    head = ["curve"]
    if ledger.condition[0]:
        head.append(_plain(*ledger.condition))
    for column in ledger.columns:
        head.append(_plain(column.title, column.unit))
        if column.has_u:
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
            if column.has_u:
                line.append("" if cell is None or cell.u is None else repr(cell.u))
        table.append([*line, row.state])
    return table


def _plain(name: str, unit: str) -> str:
    return f"{name} ({units.written(unit)})" if unit else name


def to_csv(ledger: Ledger) -> str:
    """The ledger by RFC 4180: units and uncertainties in the header, one row a curve, all digits."""
    return as_csv(_table(ledger))


def to_tabs(ledger: Ledger) -> str:
    """The same, separated by tabs, as spreadsheets take it from the clipboard."""
    return "\n".join("\t".join(cell.replace("\t", " ") for cell in row) for row in _table(ledger)) + "\n"


def all_ledgers(study: Study) -> list[Ledger]:
    """The ledgers of all families, and of the curves that are in none, where there are any."""
    made = [ledger_of(study, family) for family in study.document.families]
    single = [curve.id for curve in study.document.curves if study.family_of(curve.id) is None]
    if single:
        made.append(ledger_of(study, Family(id="", label="single curves", curves=tuple(single))))
    return made


def as_table(ledgers: Sequence[Ledger]) -> list[list[str]]:
    """One table of several ledgers with the family in front; a single one is as the window writes it."""
    if len(ledgers) == 1:
        return _table(ledgers[0])
    columns: dict[tuple[ReadingKey, str], Column] = {}
    for ledger in ledgers:
        for column in ledger.columns:
            columns.setdefault((column.key, column.unit), column)
    union = tuple(_told_apart(sorted(columns.values(), key=lambda column: _place(column.key))))
    table: list[list[str]] = []
    for ledger in ledgers:
        head, *rows = _table(Ledger(ledger.title, ("", ""), union, ledger.rows))
        table = table or [["family", "curve", "condition", "unit of the condition", *head[1:]]]
        for row, line in zip(ledger.rows, rows, strict=True):
            value = "" if row.curve.condition is None else repr(row.curve.condition)
            table.append([ledger.title, line[0], value, units.written(ledger.condition[1]), *line[1:]])
    return table


def as_csv(table: Sequence[Sequence[str]]) -> str:
    """A table by RFC 4180."""
    buffer = io.StringIO()
    csv.writer(buffer).writerows(table)
    return buffer.getvalue()


def about_curve(study: Study, curve_id: str) -> list[tuple[str, str]]:
    """Where the numbers of a curve as it passed come from: file, hash, steps with their fields, and the law fitted."""
    record, fit = study.record_of(curve_id), study.fit(curve_id)
    found = [("source", study.origin(curve_id))]
    if record is not None:
        found.append(("sha256", record.source))
    found.append(("steps", study.sieve(curve_id).written()))
    if study.fit_is_current(curve_id) and fit is not None:
        values = ", ".join(f"{name} {p.value!r}" for name, p in fit.result.parameters.items())
        formulas = " + ".join(f"({placed.term.formula.splitlines()[-1]})" for placed in study.model(curve_id).terms)
        found += [("formula", formulas), ("fitted", values)]
    return found


def provenance(study: Study, curve: CurveEntry, reading: Reading) -> str:
    """One sentence on where a reading comes from: method, points, steps, file."""
    steps = [slot.title for slot in study.slots(curve.id) if slot.on]
    after = f" after {', '.join(steps)}" if steps else ", as recorded"
    method = f"{reading.method}, " if reading.key.source != "statistics" else ""
    points = f"{reading.basis.used:,} of {reading.basis.recorded:,} points of {study.origin(curve.id)}"
    return f"{reading.name} of {curve.label}: {method}{points}{after}"
