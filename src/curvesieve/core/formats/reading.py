"""The way in: a path or bytes become a Record, whatever the format."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from curvesieve.core.errors import InputError
from curvesieve.core.formats import arrays, hdf5, jcamp, spreadsheet, text
from curvesieve.core.formats.archives import unzip_gzip
from curvesieve.core.formats.layout import Layout
from curvesieve.core.formats.table import Table
from curvesieve.core.record import Record, Source

MAX_BYTES = 512 * 2**20
"""Larger files are refused: the study keeps every source file's bytes."""


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
    Format("JCAMP-DX", jcamp.recognises, jcamp.read),
)


def read(path: str | Path) -> Record:
    """The record of a file. Raises InputError with one sentence when the file is missing, empty or not a table."""
    return read_bytes(load(path))


def load(path: str | Path) -> Source:
    """The bytes of a file, read once. Raises InputError when it is gone, unreadable, empty or too large."""
    path = Path(path)
    try:
        if path.is_dir():
            raise InputError(f"{path.name} is a folder; choose a file in it.")
        size = path.stat().st_size
        if size > MAX_BYTES:
            raise InputError(
                f"{path.name} has {size / 2**20:.0f} MiB; files up to {MAX_BYTES // 2**20} MiB can be read."
            )
        with path.open("rb") as file:
            content = file.read()
    except OSError as error:
        raise InputError(f"{path.name} cannot be read from {path.parent}: {error.strerror or error}.") from error
    if len(content) < size:
        raise InputError(f"{path.name} became shorter while it was read; wait until it is complete and try again.")
    return Source(path.name, content, str(path.absolute()))


def read_bytes(source: Source) -> Record:
    """The record of bytes that are already in memory: the first table of the file that could be a curve."""
    return main_table(tables(source)).record


def main_table(found: list[Table]) -> Table:
    """The first table that could be a curve, or else the first."""
    return next((table for table in found if len(table.record.channels) > 1), found[0])


def tables(source: Source) -> list[Table]:
    """All tables of a file, whatever its format; at least one. Raises InputError when there is none."""
    if not source.content[:4096].strip() and not source.content.strip():
        raise InputError(f"{source.name} is empty; there is nothing to read in it.")
    if source.content.startswith(b"\x1f\x8b"):
        inner = Source(source.name, unzip_gzip(source), source.path)
        # The file's own bytes stay the source; only the reading is done on what was packed.
        return [_with_source(table, source) for table in tables(inner)]
    for known in FORMATS:
        if known.recognises(source.content):
            found = known.read(source)
            if not found:
                raise InputError(f"{source.name} holds no table of numbers.")
            return found
    understood = text.understand(source)
    return [Table(understood, text.to_record(source, understood))]


def reread(table: Table, layout: Layout) -> Table:
    """The same table by a corrected layout; raises InputError when it makes no numbers."""
    found = replace(table.found, layout=layout)
    return Table(found, text.to_record(table.record.source, found))


def _with_source(table: Table, source: Source) -> Table:
    return replace(table, record=replace(table.record, source=replace(source, name=table.record.source.name)))
