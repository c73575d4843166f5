"""Delimited and blank-separated text: understood first, then read by a fast or a careful way."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import frozen
from curvesieve.core.errors import InputError, counted
from curvesieve.core.formats.cells import BLANKS, NO_NUMBER, decode, number, split_cells
from curvesieve.core.formats.layout import Layout, find_layout, header_cells, split_name
from curvesieve.core.formats.lines import Lines
from curvesieve.core.record import Channel, Record, Source

Floats = NDArray[np.float64]
_FAST_ROWS = 300
"""From this many rows on, the fast reader pays for loading it."""
_NO_NUMBER_SPELLINGS = ["", "NaN", "NAN", "NA", "N/A", "Inf", "INF", "-Inf", "-INF", "+Inf", "#N/A", "None", "NULL"]
_KEY_VALUE = re.compile(r"^[#%!\s]*(?P<key>[^:=\t;,]{1,60}?)\s*[:=;\t]\s*(?P<value>\S.*)$")


@dataclass(frozen=True)
class Understanding:
    """A table and how it is read: its lines, their encoding and layout. Tables of other formats are shown as text."""

    name: str
    encoding: str
    lines: Sequence[str] = field(repr=False)
    layout: Layout
    format: str = "text"

    def row_kind(self, row: int) -> str:
        """What a row is taken for: ``names``, ``units``, ``data`` or ``left out``."""
        layout = self.layout
        if row in (layout.name_row, layout.unit_row):
            return "names" if row == layout.name_row else "units"
        if layout.first_row <= row <= layout.last_row and _row_values(self.lines[row], layout) is not None:
            return "data"
        return "left out"


def understand(source: Source) -> Understanding:
    """Finds encoding, delimiter, decimal mark, names, units and data rows of a text file.

    Raises InputError when the bytes are no text or no row holds a number.
    """
    lines, encoding = decode(source.content, source.name)
    layout = find_layout(lines)
    if layout is None:
        raise InputError(
            f"{source.name} holds text but no row of numbers (looked at {counted(len(lines), 'row')}); "
            "choose a file that has a table in it."
        )
    return Understanding(source.name, encoding, lines, layout)


def to_record(source: Source, found: Understanding) -> Record:
    """The record that an understanding gives; see `understand`."""
    layout, lines = found.layout, found.lines
    left_out: list[tuple[int, str]] = []
    table = _read_fast(lines, layout)
    if table is None:
        table, left_out = _read_carefully(lines, layout)
    if not len(table):
        raise InputError(f"{source.name}: no row from row {layout.first_row + 1} on can be read as numbers.")
    names = _names(lines, layout)
    channels = tuple(Channel(n, unit, frozen(table[:, i])) for i, (n, unit) in enumerate(names))
    metadata = []
    for row in range(layout.first_row):
        match = _KEY_VALUE.match(lines[row]) if row not in (layout.name_row, layout.unit_row) else None
        if match:
            metadata.append((match["key"].strip(), match["value"].strip()))
    return Record(source, channels, tuple(metadata), tuple(_notes(table, left_out, channels)))


def _row_values(line: str, layout: Layout) -> list[float] | None:
    cells = split_cells(line, layout.delimiter)
    if len(cells) == layout.columns - 1 and layout.delimiter != BLANKS and line.rstrip().endswith(layout.delimiter):
        cells.append("")  # the last value is missing, not the column
    if len(cells) != layout.columns:
        return None
    values = [number(cell, layout.decimal) for cell in cells]
    return None if any(value is None for value in values) else [v for v in values if v is not None]


def _read_carefully(lines: Sequence[str], layout: Layout) -> tuple[Floats, list[tuple[int, str]]]:
    """All rows that fit, and the (row, reason) of those that do not."""
    rows, left_out = [], []
    for row in range(layout.first_row, layout.last_row + 1):
        if not lines[row].strip():
            continue
        values = _row_values(lines[row], layout)
        if values is not None:
            rows.append(values)
        else:
            cells = split_cells(lines[row], layout.delimiter)
            ragged = len(cells) != layout.columns
            reason = (
                f"{counted(len(cells), 'cell')} instead of {layout.columns}" if ragged else "text among the numbers"
            )
            left_out.append((row, reason))
    return np.array(rows, dtype=np.float64).reshape(-1, layout.columns), left_out


def _read_fast(lines: Sequence[str], layout: Layout) -> Floats | None:
    """The same table through pandas' C reader; None when the block is small or not clean all through."""
    if layout.last_row - layout.first_row < _FAST_ROWS:
        return None
    import pandas as pd

    if not isinstance(lines, Lines):
        lines = Lines("\n".join(lines).encode(), "utf-8")
    begin, end = lines.span(layout.first_row, layout.last_row)
    if any(lines.content.find(mark, begin, end) >= 0 for mark in (b'"', b"d", b"D")):
        return None  # quotes and Fortran exponents are for the careful reader
    delimiter = layout.delimiter.encode()
    how: dict[str, Any] = {
        "sep": r"\s+" if layout.delimiter == BLANKS else layout.delimiter,
        "decimal": layout.decimal,
        "header": None,
        "dtype": np.float64,
        "skipinitialspace": lines.content.find(delimiter + b" ", begin, begin + 1000) >= 0,
        "keep_default_na": False,
    }
    # Without a look for blanks in every cell it is twice as fast; a blank then raises, and the second way is taken.
    for blanks in ({"na_filter": False}, {"na_values": sorted(NO_NUMBER - {""}) + _NO_NUMBER_SPELLINGS}):
        try:
            table = pd.read_csv(lines.open(layout.first_row, layout.last_row), **how, **blanks).to_numpy()
        except (ValueError, pd.errors.ParserError):
            continue
        # pandas fills short rows without a word, and they are to be told: blanks are believed only when every row
        # has all its delimiters.
        cells = (layout.columns - 1) * len(table)
        whole = layout.delimiter != BLANKS and lines.content.count(delimiter, begin, end) == cells
        if table.shape[1] == layout.columns and (whole or np.isfinite(table).all()):
            return np.where(np.isinf(table), np.nan, table) if np.isinf(table).any() else table
    return None


def _names(lines: Sequence[str], layout: Layout) -> list[tuple[str, str]]:
    heads = header_cells(lines[layout.name_row], layout) if layout.name_row is not None else []
    unit_cells = header_cells(lines[layout.unit_row], layout) if layout.unit_row is not None else []
    named: list[tuple[str, str]] = []
    taken: set[str] = set()
    for i in range(layout.columns):
        name, unit = split_name(heads[i]) if i < len(heads) else ("", "")
        unit = unit_cells[i].strip("()[] ") if i < len(unit_cells) else unit
        name = base = name or f"column {i + 1}"
        count = 2
        while name in taken:
            name, count = f"{base} {count}", count + 1
        taken.add(name)
        named.append((name, unit))
    return named


def _notes(table: Floats, left_out: list[tuple[int, str]], channels: tuple[Channel, ...]) -> list[str]:
    notes = []
    if left_out:
        row, reason = left_out[0]
        notes.append(f"{counted(len(left_out), 'row')} left out (first: row {row + 1}, {reason})")
    missing = ~np.isfinite(table)
    if missing.any():
        row, column = (int(i[0]) for i in np.nonzero(missing))
        notes.append(
            f"{counted(int(missing.any(axis=1).sum()), 'row')} without a number "
            f"(first: {channels[column].name}, data row {row + 1}: blank, NaN or infinite)"
        )
    return notes
