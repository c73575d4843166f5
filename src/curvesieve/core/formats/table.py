"""One table of a file: how it is understood, and the record that it makes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import overload

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import frozen
from curvesieve.core.errors import InputError
from curvesieve.core.formats.cells import NUMBER
from curvesieve.core.formats.layout import Layout, find_layout
from curvesieve.core.formats.moments import MOMENT
from curvesieve.core.formats.text import MAX_CHANNELS, Understanding, numbered, to_record, with_tail
from curvesieve.core.record import Channel, Record, Source

_FEW_NUMBERS = 2


@dataclass(frozen=True, eq=False)
class Table:
    """A file may hold several tables (sheets, blocks, groups); each gives a record."""

    found: Understanding
    record: Record


def titled(source: Source, title: str) -> Source:
    """The same bytes under a name that says which table of the file is meant."""
    return replace(source, name=f"{source.name} · {title}") if title else source


def from_cells(source: Source, kind: str, title: str, rows: Sequence[Sequence[str]]) -> Table | None:
    """The table of a sheet of cells, understood like a text of tab-separated cells; None when it has no numbers.

    Columns beyond the last one that holds numbers (notes at the side) are left out.
    Raises InputError for a sheet too large to be read.
    """
    counts: dict[int, int] = {}
    for row in rows:
        for i, cell in enumerate(row):
            if NUMBER["."].match(cell) or MOMENT.match(cell):
                counts[i] = counts.get(i, 0) + 1
    used = [i for i, count in counts.items() if count >= min(_FEW_NUMBERS, max(counts.values()))]
    if not used:
        return None
    first, last = min(used), max(used)
    if last - first >= MAX_CHANNELS:
        raise InputError(f"{source.name} has a table of {last - first + 1} columns; at most {MAX_CHANNELS} are read.")
    width = last - first + 1
    # The tab at each line's end keeps blank last cells: the reader takes one empty end for a trailing delimiter.
    lines = ["\t".join([*row[first : last + 1], *[""] * (width - len(row[first : last + 1]))]) + "\t" for row in rows]
    layout = find_layout(lines)
    if layout is None:
        return None
    source = titled(source, title)
    found = Understanding(source.name, kind, lines, layout, kind)
    return Table(*with_tail(*to_record(source, found)))


class _WrittenLines(Sequence[str]):
    """Heading lines and then a line for each row of numbers, written out when it is looked at."""

    def __init__(self, head: list[str], columns: Sequence[NDArray[np.float64]]) -> None:
        self.head, self.columns = head, columns

    def __len__(self) -> int:
        return len(self.head) + int(self.columns[0].size)

    @overload
    def __getitem__(self, row: int) -> str: ...
    @overload
    def __getitem__(self, row: slice) -> list[str]: ...
    def __getitem__(self, row: int | slice) -> str | list[str]:
        if isinstance(row, slice):
            return [self[i] for i in range(*row.indices(len(self)))]
        row = range(len(self))[row]
        if row < len(self.head):
            return self.head[row]
        return "\t".join(repr(float(column[row - len(self.head)])) for column in self.columns)


def from_channels(
    source: Source,
    kind: str,
    title: str,
    channels: Sequence[tuple[str, str, NDArray[np.float64]]],
    metadata: Sequence[tuple[str, str]] = (),
    notes: Sequence[str] = (),
) -> Table:
    """The table of (name, unit, values) that a structured file gives; its lines are written out for the eye.

    All values have the same shape, (rows,).
    """
    source = titled(source, title)
    told_apart = numbered([name for name, _, _ in channels])
    channels = [(name, unit, values) for name, (_, unit, values) in zip(told_apart, channels, strict=True)]
    record = Record(
        source,
        tuple(Channel(name, unit, frozen(np.where(np.isfinite(v), v, np.nan))) for name, unit, v in channels),
        tuple(metadata),
        tuple(notes),
    )
    names = "\t".join(f"{name} ({unit})" if unit else name for name, unit, _ in channels)
    head = [f"{key}: {value}"[:200] for key, value in metadata][:40]
    lines = _WrittenLines([*head, names], [values for _, _, values in channels])
    layout = Layout("\t", ".", len(head) + 1, len(lines) - 1, len(channels), len(head))
    return Table(Understanding(source.name, kind, lines, layout, kind), record)
