"""Delimited, blank-separated and fixed-width text: understood first, then read, one table after the other."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import frozen
from curvesieve.core.errors import InputError, counted
from curvesieve.core.formats.cells import bracketed, decode, is_rule, split_cells
from curvesieve.core.formats.layout import (
    ABOUT,
    Layout,
    find_layout,
    header_cells,
    is_moment_pattern,
    split_name,
    unwrapped,
)
from curvesieve.core.formats.moments import since_first
from curvesieve.core.formats.rows import LeftOut, is_blank, read_rows
from curvesieve.core.formats.text_lines import holds
from curvesieve.core.record import Channel, Record, Source

Floats = NDArray[np.float64]
Watch = Callable[[float], None]
"""Told the share that is read, from 0 to 1; it may raise to stop."""
_KEY_VALUE = re.compile(r"^[#%!;*\s]*(?P<key>[^:=\t;,]{1,60}?)\s*[:=;\t]\s*(?P<value>\S.*)$")
_FEW_ROWS = 3
_MAX_TABLES, _MAX_DEPTH = 200, 20
_MAX_METADATA = 1000
MAX_CHANNELS = 2000
"""More columns than this are no table of channels; a map or a picture is another matter."""


@dataclass(frozen=True)
class Understanding:
    """A table and how it is read: its lines, their encoding and layout. Tables of other formats are shown as text.

    `left_out` are the rows within the data that could not be used, each with the reason.
    """

    name: str
    encoding: str
    lines: Sequence[str] = field(repr=False)
    layout: Layout
    format: str = "text"
    left_out: tuple[LeftOut, ...] = field(default=(), repr=False)

    def row_kind(self, row: int) -> str:
        """What a row is taken for: ``names``, ``units``, ``data`` or ``left out``."""
        layout = self.layout
        if row in (layout.name_row, layout.unit_row):
            return "names" if row == layout.name_row else "units"
        inside = layout.first_row <= row <= layout.last_row
        return "data" if inside and layout.is_data(layout.cells(self.lines[row])) else "left out"


def understand(source: Source) -> Understanding:
    """Finds encoding, delimiter, decimal mark, names, units and data rows of a text's fullest table.

    Raises InputError when the bytes are no text or no row holds a number.
    """
    lines, encoding = decode(source.content, source.name)
    layout = find_layout(lines)
    if layout is None:
        raise InputError(
            f"{source.name} holds text but no row of numbers (looked at {counted(len(lines), 'row')}); "
            "choose a file that has a table in it."
        )
    if len(layout.channels) > MAX_CHANNELS:
        raise InputError(
            f"{source.name} has a table of {layout.columns:,} columns; at most {MAX_CHANNELS:,} are read. "
            "Split it, or turn it so that its columns are the channels."
        )
    return Understanding(source.name, encoding, lines, layout)


def read(source: Source, watch: Watch | None = None) -> list[tuple[Understanding, Record]]:
    """All tables of a text, in their order; at least one. Raises InputError as `understand` and `to_record` do."""
    found = understand(source)
    made = _read_between(source, found, 0, len(found.lines), found.layout, watch)
    made[-1] = with_tail(*made[-1])
    if len(made) == 1:
        return made
    return [_titled(understood, record, i + 1) for i, (understood, record) in enumerate(made)]


def _read_between(
    source: Source, found: Understanding, begin: int, end: int, first: Layout, watch: Watch | None, depth: int = 0
) -> list[tuple[Understanding, Record]]:
    """The table of a layout between two rows, with those before it and those behind it."""
    made: list[tuple[Understanding, Record]] = []
    layout: Layout | None = first
    while layout is not None and len(made) < _MAX_TABLES:
        this = to_record(source, replace(found, layout=layout), watch, begin)
        earlier = _another(found, begin, layout.head) if depth < _MAX_DEPTH else None
        if earlier is not None:
            made += _read_between(source, found, begin, layout.head, earlier, watch, depth + 1)
        made.append(this)
        begin = this[0].layout.last_row + 1
        layout = _another(found, begin, end)
    return made


def _another(found: Understanding, begin: int, end: int) -> Layout | None:
    """A further table between two rows: some rows of several columns, under names of their own."""
    if end - begin <= _FEW_ROWS:
        return None
    lines = found.lines if end == len(found.lines) else found.lines[:end]
    layout = find_layout(lines, begin)
    if layout is None or layout.name_row is None or len(layout.channels) < 2:
        return None
    return layout if layout.last_row - layout.first_row + 1 >= _FEW_ROWS else None


def is_last(found: Understanding) -> bool:
    """Whether no further table stands behind this one in its text."""
    return found.format == "text" and _another(found, found.layout.last_row + 1, len(found.lines)) is None


def _titled(found: Understanding, record: Record, number: int) -> tuple[Understanding, Record]:
    """A table of several, named by the line of words right above it, or by its number."""
    above = found.layout.head - 1
    title = found.lines[above].strip().strip("#%![]*=-: ").strip() if above >= 0 else ""
    if not any(map(str.isalpha, title)) or len(title) > 40 or _KEY_VALUE.match(title):
        title = f"table {number}"
    name = f"{found.name} · {title}"
    return replace(found, name=name), replace(record, source=replace(record.source, name=name))


def to_record(
    source: Source, found: Understanding, watch: Watch | None = None, begin: int = 0
) -> tuple[Understanding, Record]:
    """The record that an understanding gives, and the understanding with what the reading found.

    The table ends where another one begins. Raises InputError when no row can be read.
    """
    layout, lines = found.layout, found.lines
    read_ = read_rows(lines, layout, watch)
    table, layout = read_.table, replace(layout, last_row=read_.last_row)
    if not table.shape[1]:
        raise InputError(f"{source.name}: no row from row {layout.first_row + 1} on can be read as numbers.")
    notes = _notes(read_.left_out, read_.count_left_out)
    channels = []
    moments = {moment.column: moment for moment in layout.moments}
    for (name, unit), column, values in zip(_names(lines, layout), layout.channels, table, strict=True):
        if column in moments:
            values, origin = since_first(values, moments[column])
            values.setflags(write=False)
            unit = "s" if not unit or is_moment_pattern(unit) else unit
            notes.append(f"{name}: {origin}")
        channels.append(Channel(name, unit, frozen(values)))
    within = {} if read_.plain else _in_brackets(lines, replace(layout, last_row=read_.last_row))
    for column, u in within.items():
        of = channels[layout.channels.index(column)]
        u.setflags(write=False)
        channels.append(Channel(f"u({of.name})", of.unit, frozen(u)))
    notes += [f"{name}: a column of words, left out" for name in read_.word_columns]
    metadata = []
    for row in range(begin, min(layout.first_row, begin + _MAX_METADATA)):
        match = _KEY_VALUE.match(lines[row]) if row not in (layout.name_row, layout.unit_row) else None
        if match:
            metadata.append((match["key"].strip(), match["value"].strip()))
    if layout.name_row is not None:
        metadata += _about_column(lines[layout.name_row], layout)
    record = Record(source, tuple(channels), tuple(metadata), tuple(_about(notes, channels, table)))
    return replace(found, layout=layout, left_out=read_.left_out), record


def with_tail(found: Understanding, record: Record) -> tuple[Understanding, Record]:
    """The last table of a text with what stands behind its last row: rows that nobody reads are counted and said."""
    first, lines, layout = found.layout.last_row + 1, found.lines, found.layout
    left: list[LeftOut] = []
    for row in range(first, len(lines)):
        line = lines[row]
        if line.strip() and not is_rule(line):
            left.append((row, "text after the last row of numbers"))
    if not left:
        return found, record
    row, _ = left[0]
    shown = lines[row].strip()
    note = (
        f"{counted(len(left), 'row')} after the last row of numbers not read (first: row {row + 1}, "
        f"“{shown[:40]}{'…' if len(shown) > 40 else ''}”)"
    )
    left_out = (*found.left_out, *left[: max(0, 10_000 - len(found.left_out))])
    return replace(found, layout=layout, left_out=left_out), replace(record, notes=(*record.notes, note))


def _in_brackets(lines: Sequence[str], layout: Layout) -> dict[int, Floats]:
    """The uncertainties that cells have in brackets, by column, for each row read; for tables in which some do."""
    places = [i for i in layout.channels if i not in {moment.column for moment in layout.moments}]
    if not holds(lines, "(", layout.first_row, layout.last_row):
        return {}
    found: dict[int, list[float]] = {i: [] for i in places}
    for row in range(layout.first_row, layout.last_row + 1):
        cells = layout.cells(lines[row])
        if lines[row].strip() and (layout.is_data(cells) or is_blank(cells, layout)):
            for i in places:
                found[i].append(bracketed(cells[i], layout.decimal))
    columns = {i: np.array(values) for i, values in found.items()}
    return {i: u for i, u in columns.items() if np.isfinite(u).any()}


def _names(lines: Sequence[str], layout: Layout) -> list[tuple[str, str]]:
    """Name and unit of each channel; names that come twice are numbered."""
    heads = header_cells(lines[layout.name_row], layout) if layout.name_row is not None else []
    unit_cells = header_cells(lines[layout.unit_row], layout) if layout.unit_row is not None else []
    named: list[tuple[str, str]] = []
    for i in layout.channels:
        name, unit = split_name(heads[i]) if i < len(heads) else ("", "")
        unit = unwrapped(unit_cells[i]) if i < len(unit_cells) else unit
        named.append((name or f"column {i + 1}", unit))
    names = numbered([name for name, _ in named])
    return [(name, unit) for name, (_, unit) in zip(names, named, strict=True)]


def numbered(names: Sequence[str]) -> list[str]:
    """The names with a number behind those that come again, so that each is told from all others."""
    told: dict[str, None] = {}
    for base in names:
        name, count = base, 2
        while name in told:
            name, count = f"{base} {count}", count + 1
        told[name] = None
    return list(told)


def _notes(left_out: Sequence[LeftOut], count: int) -> list[str]:
    if not left_out:
        return []
    row, reason = left_out[0]
    return [f"{counted(count, 'row')} left out (first: row {row + 1}, {reason})"]


def _about_column(heading: str, layout: Layout) -> list[tuple[str, str]]:
    """What a CSV of ours says about its numbers in the heading of its last column."""
    last = split_cells(heading, layout.delimiter)[-1] if ABOUT in heading else ""
    pairs = (part.partition("=") for part in last.removeprefix(ABOUT).split("|")) if last.startswith(ABOUT) else ()
    return [(key.strip(), value.strip()) for key, sign, value in pairs if sign]


def _about(notes: list[str], channels: Sequence[Channel], table: Floats) -> list[str]:
    """The notes, with one about values that are missing."""
    missing = ~np.isfinite(table)
    if not missing.any():
        return notes
    row, column = (int(i[0]) for i in np.nonzero(missing.T))
    said = (
        f"{counted(int(missing.any(axis=0).sum()), 'row')} without a number "
        f"(first: {channels[column].name}, data row {row + 1}: blank, NaN or infinite)"
    )
    return [*notes[:1], said, *notes[1:]] if notes and "left out (" in notes[0] else [said, *notes]
