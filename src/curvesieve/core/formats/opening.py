"""The way in: a path or bytes become a Record, whatever the format."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from curvesieve.core.errors import InputError
from curvesieve.core.formats import arrays, hdf5, heights, jcamp, json_tables, spreadsheet, text
from curvesieve.core.formats.archives import unzip_gzip
from curvesieve.core.formats.cells import decode
from curvesieve.core.formats.layout import DELIMITER_NAMES, Layout, find_layout
from curvesieve.core.formats.table import Table
from curvesieve.core.formats.text import Understanding, Watch
from curvesieve.core.record import FileBytes, Record, Source

MAX_HELD = 512 * 2**20
"""Larger files are read in pieces, and the study keeps their hash instead of their bytes."""


@dataclass(frozen=True)
class Format:
    """A format that is told by its first bytes; what none recognises is read as text."""

    label: str
    recognises: Callable[[bytes], bool]
    read: Callable[[Source], list[Table]]


FORMATS = (
    Format("HDF5", hdf5.recognises, hdf5.read),
    Format("NumPy arrays", arrays.recognises_numpy, arrays.read_numpy),
    Format("spreadsheet", spreadsheet.recognises, spreadsheet.read),
    Format("canSAS XML", arrays.recognises_xml, arrays.read_cansas),
    Format("height map", heights.recognises, heights.read),
    Format("JCAMP-DX", jcamp.recognises, jcamp.read),
    Format("JSON", json_tables.recognises, json_tables.read),
)


def read(path: str | Path) -> Record:
    """The record of a file. Raises InputError with one sentence when the file is missing, empty or not a table."""
    return read_bytes(load(path))


def load(path: str | Path) -> Source:
    """The bytes of a file, read once, or in pieces when it is large. Raises InputError when it cannot be read."""
    path = Path(path)
    try:
        if path.is_dir():
            raise InputError(f"{path.name} is a folder; choose a file in it.")
        size = path.stat().st_size
        if size > MAX_HELD:
            return Source(path.name, FileBytes(path, size), str(path.absolute()))
        with path.open("rb") as file:
            content = file.read()
    except OSError as error:
        raise InputError(f"{path.name} cannot be read from {path.parent}: {error.strerror or error}.") from error
    if len(content) < size:
        raise InputError(f"{path.name} became shorter while it was read; wait until it is complete and try again.")
    return Source(path.name, content, str(path.absolute()))


def read_bytes(source: Source) -> Record:
    """The record of bytes that are already in memory: the fullest table of the file that could be a curve."""
    return main_table(tables(source)).record


def main_table(found: list[Table]) -> Table:
    """The table with most numbers among those that could be a curve, or else the first."""
    curves = [table for table in found if len(table.record.channels) > 1]
    return max(curves, key=lambda table: len(table.record) * len(table.record.channels), default=found[0])


_FAULTS = (
    ArithmeticError, AssertionError, AttributeError, LookupError, OSError, RuntimeError, TypeError, ValueError,
)  # fmt: skip
"""What a reader may fail with at bytes that nobody thought of: one file's end, and not that of others."""


def tables(source: Source, watch: Watch | None = None) -> list[Table]:
    """All tables of a file, whatever its format; at least one. Raises InputError when there is none.

    `watch` is told the share that is read, and may raise to stop.
    """
    try:
        return _tables(source, watch)
    except InputError:
        raise
    except _FAULTS as error:
        raise InputError(
            f"{source.name} cannot be understood ({type(error).__name__}: {error}); it may be damaged. Export it anew."
        ) from error


def _tables(source: Source, watch: Watch | None) -> list[Table]:
    head = source.content[:4096]
    if not head.strip() and not source.held.strip():
        raise InputError(f"{source.name} is empty; there is nothing to read in it.")
    if not source.held and (head.startswith(b"\x1f\x8b") or any(known.recognises(head) for known in FORMATS)):
        raise InputError(
            f"{source.name} has {len(source.content) / 2**20:.0f} MiB; beyond {MAX_HELD // 2**20} MiB only text is "
            "read. Export the part that you need."
        )
    if head.startswith(b"%PDF"):
        raise InputError(f"{source.name} is a PDF, whose tables are pictures of numbers; export text or a spreadsheet.")
    if head.startswith(b"\x1f\x8b"):
        inner = Source(source.name, unzip_gzip(source), source.path)
        # The file's own bytes stay the source; only the reading is done on what was packed.
        return [_with_source(table, source) for table in tables(inner)]
    for known in FORMATS:
        if known.recognises(head):
            found = known.read(source)
            if not found:
                raise InputError(f"{source.name} holds no table of numbers.")
            return found
    return [Table(found, record) for found, record in text.read(source, watch)]


def reread(table: Table, layout: Layout) -> Table:
    """The same table by a corrected layout; raises InputError when it makes no numbers."""
    made = text.to_record(table.record.source, replace(table.found, layout=layout))
    return Table(*(text.with_tail(*made) if text.is_last(made[0]) else made))


def reread_with(table: Table, delimiter: str, decimal: str) -> Table:
    """The same table with a delimiter and a decimal mark that the user knows; raises InputError when it has no rows."""
    layout = find_layout(table.found.lines, only=(delimiter, decimal)) if delimiter != decimal else None
    if layout is None:
        marks = f"{DELIMITER_NAMES[delimiter]} between the cells and a decimal {'comma' if decimal == ',' else 'point'}"
        raise InputError(f"{table.found.name} has no row of numbers with {marks}; it is read as before.")
    return reread(table, layout)


def as_text(source: Source) -> Understanding | None:
    """The lines of a file that was not understood, none of them taken for data; None when it holds no text."""
    try:
        lines, encoding = decode(source.content, source.name)
    except InputError:
        return None
    nothing = Layout(delimiter=",", decimal=".", first_row=len(lines), last_row=len(lines) - 1, columns=0)
    return Understanding(source.name, encoding, lines, nothing)


def pointed_at(source: Source, found: Understanding, row: int) -> Table:
    """The table that begins in a row which the user pointed at; raises InputError when none does."""
    layout = find_layout(found.lines, row)
    if layout is None:
        raise InputError(
            f"{source.name}: from row {row + 1} on there is no row of numbers. Point at the first row of numbers, or "
            "export the table as CSV."
        )
    return Table(*text.with_tail(*text.to_record(source, replace(found, layout=layout))))


def _with_source(table: Table, source: Source) -> Table:
    return replace(table, record=replace(table.record, source=replace(source, name=table.record.source.name)))
