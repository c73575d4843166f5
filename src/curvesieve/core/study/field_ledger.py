"""The ledger of fields: a row a field, a column a reading; and its readings as lines of a table."""

from __future__ import annotations

from dataclasses import dataclass

from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.reading import Reading, ReadingKey
from curvesieve.core.study.fields import Passed, read
from curvesieve.core.study.study import Study

HEADINGS = ("field", "reading", "symbol", "value", "u", "unit", "method", "reference", "doubt")


@dataclass(frozen=True)
class FieldRow:
    """The readings of one field by their keys; `problem` says why there are none."""

    field: str
    name: str
    cells: dict[ReadingKey, Reading]
    problem: str = ""


@dataclass(frozen=True)
class FieldColumn:
    """One reading in one unit: fields in other units have a column of their own."""

    key: ReadingKey
    unit: str
    heading: str

    def of(self, row: FieldRow) -> Reading | None:
        """The reading of a row in this column."""
        one = row.cells.get(self.key)
        return one if one is not None and one.unit == self.unit else None


@dataclass(frozen=True)
class FieldLedger:
    """Rows in the order of the study, columns in the order in which they came."""

    columns: tuple[FieldColumn, ...]
    rows: tuple[FieldRow, ...]

    def lines(self) -> list[list[str]]:
        """A line a reading under `HEADINGS`, with all digits."""
        made = [list(HEADINGS)]
        for row in self.rows:
            for one in row.cells.values():
                u = "" if one.u is None else repr(one.u)
                made.append(
                    [row.name, one.name, one.symbol, repr(one.value), u, one.unit, one.method, one.reference, one.doubt]
                )
        return made


def field_ledger(study: Study, passed: Passed) -> FieldLedger:
    """The readings of all fields that have measures. What cannot be read is the problem of its row, not an error."""
    columns: dict[tuple[ReadingKey, str], FieldColumn] = {}
    rows = []
    for field in study.document.fields:
        if not field.measures:
            continue
        try:
            found = [one for outcome in read(study, field.id, passed) for one in outcome.readings]
        except InputError as error:
            rows.append(FieldRow(field.id, field.name, {}, str(error)))
            continue
        rows.append(FieldRow(field.id, field.name, {one.key: one for one in found}))
        for one in found:
            heading = units.labelled(one.symbol, one.unit)
            columns.setdefault((one.key, one.unit), FieldColumn(one.key, one.unit, heading))
    return FieldLedger(tuple(columns.values()), tuple(rows))
