"""The ledger: readings as a table, a row a curve or a peak, with the means of groups of rows."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.trace import in_unit as traced_in_unit
from curvesieve.core.reading import Reading, ReadingKey
from curvesieve.core.readings import statistics_of
from curvesieve.core.readings.fitted import SYMBOLS
from curvesieve.core.study.document import ColumnLook, CurveEntry, Family, FitEntry
from curvesieve.core.study.keys import ByParts
from curvesieve.core.study.outcomes import Outcomes, known
from curvesieve.core.study.study import Study
from curvesieve.core.tracing.told import told_of

By = Literal["curve", "peak"]


@dataclass(frozen=True)
class Column:
    """A column: the readings of one key in one unit, shown in `shown_in`."""

    title: str
    unit: str
    key: ReadingKey
    shown_in: str = ""
    has_u: bool = True
    """Whether its readings have an uncertainty; statistics have none."""
    aside: bool = False
    """Whether it is hidden unless somebody asks for it."""

    @property
    def final_unit(self) -> str:
        """The unit of what `Row.cell` gives."""
        return self.shown_in or self.unit

    @property
    def heading(self) -> str:
        """The title with the unit that is shown."""
        return units.labelled(self.title, self.final_unit)


@dataclass(frozen=True)
class Row:
    """A curve, or one of its peaks, with its readings by key. `state` is ``fitted``, ``not fitted``, ``read`` …"""

    curve: CurveEntry
    cells: dict[ReadingKey, Reading]
    state: str
    part: int = 0

    @property
    def settled(self) -> bool:
        """Whether all is there that can be: fitted or read, and what is missing is absent by nature."""
        return self.state.split(", ")[0] in ("fitted", "read") and "failed" not in self.state

    def cell(self, column: Column) -> Reading | None:
        """The reading that belongs in a column: the same quantity of the column's unit, in the one that is shown."""
        found = self.cells.get(column.key)
        if found is None or found.unit != column.unit:
            return None
        return found if not column.shown_in else in_unit(found, column.shown_in)


@dataclass(frozen=True)
class Spread:
    """What a column holds over some rows: mean, s of a sample (NaN for one), half of its 95 % interval, how many.

    `doubtful` is how many of them are.
    """

    n: int
    mean: float
    s: float
    half: float
    doubtful: int = 0


@dataclass(frozen=True)
class Group:
    """Rows that belong together by name, and what their columns hold; the last group, of all rows, has no name."""

    name: str
    rows: int
    columns: tuple[Spread | None, ...]


@dataclass(frozen=True)
class Ledger:
    """The readings of a family in the order of its groups and its condition."""

    title: str
    condition: tuple[str, str]
    columns: tuple[Column, ...]
    rows: tuple[Row, ...]
    hidden: tuple[Column, ...] = ()
    by: By = "curve"
    family: str = ""
    """The id of the family; empty for curves that are in none."""

    @property
    def is_grouped(self) -> bool:
        """Whether any of its curves is in a group."""
        return any(row.curve.group for row in self.rows)

    def groups(self) -> list[Group]:
        """The groups in the order of the rows, and all rows together at the end."""
        names = list(dict.fromkeys(row.curve.group for row in self.rows if row.curve.group))
        parts = [(name, [row for row in self.rows if row.curve.group == name]) for name in names]
        return [
            Group(name, len(rows), tuple(_spread(rows, column) for column in self.columns))
            for name, rows in (*parts, ("", list(self.rows)))
        ]


def in_unit(reading: Reading, unit: str) -> Reading:
    """A reading in another unit of its kind. Raises InputError for one of another kind."""
    return traced_in_unit((reading, None), unit)[0]


def _spread(rows: Sequence[Row], column: Column) -> Spread | None:
    from scipy.special import stdtrit

    cells = [cell for row in rows if (cell := row.cell(column)) is not None]
    values = np.array([cell.value for cell in cells])
    if not values.size:
        return None
    s = float(np.std(values, ddof=1)) if values.size > 1 else math.nan
    half = float(stdtrit(values.size - 1, 0.975)) * s / math.sqrt(values.size) if values.size > 1 else math.nan
    return Spread(values.size, float(np.mean(values)), s, half, sum(bool(cell.doubt) for cell in cells))


_sets: dict[tuple[Column, ...], tuple[Column, ...]] = {}
"""The columns that rows fill, the same object for all that fill the same."""
_rows: ByParts[tuple[Row, tuple[Column, ...]]] = ByParts()


def ledger_of(
    study: Study, family: Family | None, read: Mapping[str, Outcomes] | None = None, by: By = "curve"
) -> Ledger:
    """The ledger of a family (None: of all curves), with the columns that any of its fits and measures fill.

    `read` is what measures read, by curve; without it, what is known of that by now.
    """
    chosen = study.document.curves if family is None else tuple(study.entry(id_) for id_ in family.curves)
    curves = sorted(chosen, key=lambda c: (c.condition is None, c.condition or 0.0))
    if any(curve.group for curve in curves):  # groups in the order of their first conditions, then those in none
        order = [*(group for group in dict.fromkeys(curve.group for curve in curves) if group), ""]
        curves.sort(key=lambda c: order.index(c.group))
    rows: list[Row] = []
    columns: dict[tuple[ReadingKey, str], Column] = {}
    sets: dict[int, tuple[Column, ...]] = {}
    for curve in curves:
        state = study.fit_state(curve.id)
        fit = study.fit(curve.id) if state == "fitted" else None
        outcomes = known(study, curve.id) if read is None else read.get(curve.id)
        if not study.measures(curve.id):
            outcomes = _NO_OUTCOMES
        said = state if study.model(curve.id).terms or outcomes is _NO_OUTCOMES else ""
        row, own = _rows.get((curve, fit, said, outcomes), partial(_row, curve, fit, said, outcomes))
        rows.append(row)
        sets[id(own)] = own
    for own in sets.values():
        for column in own:
            old = columns.setdefault((column.key, column.unit), column)
            if column.has_u and not old.has_u:
                columns[column.key, column.unit] = replace(old, has_u=True)
    if by == "peak":
        rows, found = _by_peak(rows)
    else:
        listed = [slot.id for curve in curves[:1] for slot in study.measures(curve.id)]
        places = {
            source: place for place, source in enumerate(listed)
        }  # also where the first curve has not all of them
        found = sorted(columns.values(), key=lambda column: (_place(column.key), places.get(column.key.source, -1)))
    shown, hidden = _looked(found, family.columns if family else ())
    condition = (family.condition, family.unit) if family else ("", "")
    title_, id_ = (family.label, family.id) if family else ("all curves", "")
    return Ledger(title_, condition, tuple(_told_apart(shown)), tuple(rows), tuple(hidden), by, id_)


_NO_OUTCOMES: Outcomes = ()


def _row(
    curve: CurveEntry, fit: FitEntry | None, state: str, outcomes: Outcomes | None
) -> tuple[Row, tuple[Column, ...]]:
    """A curve's row, and the columns that it fills."""
    readings = fit.readings if fit is not None else ()
    statistics = statistics_of(fit.result, fit.y_unit, fit.basis) if fit is not None and readings else []
    measured = [reading for one in outcomes or () for reading in one.readings]
    cells = {reading.key: reading for reading in (*readings, *measured, *statistics)}
    fitted = {reading.key for reading in readings}
    columns = tuple(
        Column(r.name, r.unit, r.key, has_u=r.u is not None or r.key in fitted, aside=r.aside) for r in cells.values()
    )
    return Row(curve, cells, _state(state, outcomes)), _sets.setdefault(columns, columns)


def _state(state: str, outcomes: Outcomes | None) -> str:
    """How far a curve is: its fit's state, where it has a model; how many readings failed or are doubtful."""
    if outcomes is None:
        return f"{state}, reading …".removeprefix(", ")
    failed = sum(bool(one.problem) and not one.absent for one in outcomes)
    absent = sum(one.absent for one in outcomes)
    doubtful = sum(bool(one.warning) for one in outcomes)
    said = f"{state}, {counted(failed, 'reading')} failed".removeprefix(", ") if failed else state or "read"
    said += f", {absent} not there" if absent else ""
    return f"{said}, {doubtful} doubtful" if doubtful else said


def _place(key: ReadingKey) -> float:
    """Peaks in their order, then a law, one's own and measures, then the statistics."""
    return math.inf if key.source == "statistics" else key.part or 1e9


def _looked(found: Sequence[Column], looks: Sequence[ColumnLook]) -> tuple[list[Column], list[Column]]:
    """The columns as they are to be shown, and those that are not."""
    look_of = {look.key: look for look in looks}
    order = {look.key: place for place, look in enumerate(looks)}
    shown: list[Column] = []
    hidden: list[Column] = []
    for column in sorted(found, key=lambda column: order.get(column.key, len(order))):
        look = look_of.get(column.key)
        if look is None:
            (hidden if column.aside else shown).append(column)
            continue
        unit = look.unit if look.unit != column.unit and _may_be_in(column.unit, look.unit) else ""
        made = replace(column, title=look.title or column.title, shown_in=unit)
        (hidden if (column.aside and look.shown is None) or look.shown is False else shown).append(made)
    return shown, hidden


def _may_be_in(unit: str, other: str) -> bool:
    return bool(other) and units.in_base(unit).powers == units.in_base(other).powers


def check_unit(column: Column, unit: str) -> None:
    """Raises InputError where a column cannot be shown in a unit."""
    if unit:
        try:
            units.convert(np.zeros(1), column.unit, unit)
        except InputError as error:
            raise InputError(f"{column.title} stays in {units.shown(column.unit) or 'no unit'}: {error}") from error


def _by_peak(rows: Sequence[Row]) -> tuple[list[Row], list[Column]]:
    """A row for each peak or loop, with the readings that have its number; those of the whole curve are left out."""
    made: list[Row] = []
    found: dict[tuple[ReadingKey, str], Column] = {}
    for row in rows:
        for part in sorted({key.part for key in row.cells if key.part}):
            cells = {}
            for key, reading in row.cells.items():
                if key.part != part:
                    continue
                whole = ReadingKey(key.source, key.quantity)
                cells[whole] = reading
                title = SYMBOLS.get(key.quantity, key.quantity)
                found.setdefault((whole, reading.unit), Column(title, reading.unit, whole))
            made.append(Row(row.curve, cells, row.state, part))
    return made, list(found.values())


def _told_apart(columns: Sequence[Column]) -> Iterator[Column]:
    """Columns that would have the same heading, numbered from the second on."""
    seen: dict[str, int] = {}
    for column in columns:
        count = seen[column.heading] = seen.get(column.heading, 0) + 1
        yield column if count == 1 else replace(column, title=f"{column.title} #{count}")


def all_ledgers(study: Study, read: Mapping[str, Outcomes] | None = None) -> list[Ledger]:
    """The ledgers of all families, and of the curves that are in none, where there are any."""
    made = [ledger_of(study, family, read) for family in study.document.families]
    single = [curve.id for curve in study.document.curves if study.family_of(curve.id) is None]
    if single:
        made.append(ledger_of(study, Family(id="", label="single curves", curves=tuple(single)), read))
    return made


def joined(ledgers: Sequence[Ledger]) -> tuple[Column, ...]:
    """The columns of several ledgers, each once."""
    columns: dict[tuple[ReadingKey, str, str], Column] = {}
    for ledger in ledgers:
        for column in ledger.columns:
            columns.setdefault((column.key, column.unit, column.shown_in), column)
    return tuple(_told_apart(sorted(columns.values(), key=lambda column: _place(column.key))))


def provenance(study: Study, curve: CurveEntry, reading: Reading) -> str:
    """One sentence on where a reading comes from: method, points, steps, file."""
    steps = [slot.title for slot in study.slots(curve.id) if slot.on]
    after = f" after {', '.join(steps)}" if steps else ", as recorded"
    method = f"{reading.how}, " if reading.key.source != "statistics" else ""
    points = f"{reading.basis.used:,} of {reading.basis.recorded:,} points of {study.origin(curve.id)}"
    return f"{reading.name} of {curve.label}: {method}{points}{after}"


def about_curve(study: Study, curve_id: str) -> list[tuple[str, str]]:
    """Where the numbers of a curve as it passed come from: file, hash, steps with their fields, and the law fitted."""
    record, chart, fit = study.record_of(curve_id), study.chart_of(curve_id), study.fit(curve_id)
    found = [("source", study.origin(curve_id))]
    if record is not None:
        found.append(("sha256", record.source))
    if chart is not None:
        found += [("sha256", chart.picture), ("traced", told_of(chart.trace))]
    found.append(("steps", study.sieve(curve_id).written()))
    if study.fit_is_current(curve_id) and fit is not None:
        values = ", ".join(f"{name} {p.value!r}" for name, p in fit.result.parameters.items())
        formulas = " + ".join(f"({placed.term.formula.splitlines()[-1]})" for placed in study.model(curve_id).terms)
        found += [("formula", formulas), ("fitted", values)]
    return found
