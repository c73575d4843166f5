"""The rows of a table, read piece by piece: through pandas where a piece is clean, with care where it is not."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import counted
from curvesieve.core.formats.cells import BLANKS, FIXED, NO_NUMBER, NUMBER, is_number, number
from curvesieve.core.formats.layout import Layout, header_cells
from curvesieve.core.formats.moments import MomentColumn, seconds
from curvesieve.core.formats.text_lines import Lines

Floats = NDArray[np.float64]
LeftOut = tuple[int, str]
_FAST_ROWS = 300
"""From this many rows on, the fast reader pays for loading it."""
_PIECE_ROWS = 65_536
_MAX_LISTED = 10_000
_NO_NUMBER_SPELLINGS = ["", "NaN", "NAN", "NA", "N/A", "Inf", "INF", "-Inf", "-INF", "+Inf", "#N/A", "None", "NULL"]


@dataclass(frozen=True)
class ReadRows:
    """What was read: `table` of shape (channels, rows), NaN where there is no number, and what was left out.

    `plain` tells that all cells are plain numbers, which the fast reader took.
    """

    table: Floats
    last_row: int
    left_out: tuple[LeftOut, ...] = ()
    count_left_out: int = 0
    word_columns: tuple[str, ...] = ()
    plain: bool = False


def read_rows(lines: Sequence[str], layout: Layout, watch: Callable[[float], None] | None = None) -> ReadRows:
    """All rows of a layout that fit, up to where another table begins."""
    rows = layout.last_row - layout.first_row + 1
    whole = np.empty((len(layout.channels), rows)) if rows > _PIECE_ROWS else None
    parts: list[Floats] = []
    left_out: list[LeftOut] = []
    at = count = 0
    last_row, plain = layout.last_row, True
    for first in range(layout.first_row, layout.last_row + 1, _PIECE_ROWS):
        last = min(first + _PIECE_ROWS - 1, layout.last_row)
        part = _read_fast(lines, layout, first, last)
        if part is None:
            plain = False
            part, odd, end = _read_carefully(lines, layout, first, last)
            count += len(odd)
            left_out += odd[: _MAX_LISTED - len(left_out)]
            last_row = end if end < last else last_row
        if whole is not None:
            whole[:, at : at + part.shape[1]] = part
        else:
            parts.append(part)
        at += part.shape[1]
        if watch is not None:
            watch((last - layout.first_row + 1) / rows)
        if last_row < last:
            break
    table = parts[0] if whole is None else whole[:, :at]
    table.setflags(write=False)
    words = header_cells(lines[layout.name_row], layout) if layout.texts and layout.name_row is not None else []
    names = tuple(words[i] if i < len(words) else f"column {i + 1}" for i in layout.texts)
    return ReadRows(table, last_row, tuple(left_out), count, names, plain)


def _read_carefully(lines: Sequence[str], layout: Layout, first: int, last: int) -> tuple[Floats, list[LeftOut], int]:
    """The rows that fit, those that do not with the reason, and the last row of this table."""
    moments = {moment.column: moment for moment in layout.moments}
    rows: list[list[float]] = []
    said: dict[int, list[str]] = {column: [] for column in moments}
    left_out: list[LeftOut] = []
    names = header_cells(lines[layout.name_row], layout) if layout.name_row is not None else []
    end, last_data = last, first
    for row in range(first, last + 1):
        line = lines[row]
        if not line.strip():
            continue
        cells = layout.cells(line)
        if layout.is_data(cells) or is_blank(cells, layout):
            last_data = row
            for column, texts in said.items():
                texts.append(cells[column])
            rows.append(
                [
                    float("nan") if i in moments else number(cells[i], layout.decimal, layout.thousands) or 0.0
                    for i in layout.channels
                ]
            )
        elif rows and _begins_another(lines, row, layout, names, rows):
            end = last_data
            left_out = [(place, reason) for place, reason in left_out if place < end]
            break
        else:
            left_out.append((row, _reason(cells, layout, names)))
    table = np.array(rows, dtype=np.float64).reshape(-1, len(layout.channels)).T
    for column, texts in said.items():
        table[layout.channels.index(column)] = seconds(texts, moments[column])
    return np.ascontiguousarray(table), left_out, end


def is_blank(cells: list[str], layout: Layout) -> bool:
    """A row of the right count in which every cell says that there is no number."""
    return len(cells) == layout.columns > 1 and all(cells[i].casefold() in NO_NUMBER for i in layout.channels)


def _reason(cells: list[str], layout: Layout, names: list[str]) -> str:
    if names and cells == names:
        return "the heading once more"
    if len(cells) != layout.columns:
        return f"{counted(len(cells), 'cell')} instead of {layout.columns}"
    other = "," if layout.decimal == "." else "."
    for i in layout.channels:
        if not is_number(cells[i], layout.decimal) and NUMBER[other].match(cells[i]):
            return f"a decimal {'comma' if other == ',' else 'point'}, unlike the other rows: {cells[i]}"
    return "text among the numbers"


def _begins_another(
    lines: Sequence[str], row: int, layout: Layout, names: list[str], before: Sequence[list[float]]
) -> bool:
    """Whether an odd row heads a table of its own: words as wide as the table, or rows of another width.

    The table's own heading, printed once more, begins another table only when its first column starts afresh.
    """
    cells = header_cells(lines[row], layout)
    ahead = [line for line in lines[row + 1 : row + 8] if line.strip()]
    if cells and not any(is_number(cell, layout.decimal) for cell in cells):
        data = next((split for line in ahead[:2] if layout.is_data(split := layout.cells(line))), None)
        if data is None or not names:
            return False
        following = number(data[layout.channels[0]], layout.decimal, layout.thousands)
        afresh = following is not None and (following - before[-1][0]) * (before[-1][0] - before[0][0]) < 0
        return cells != names or afresh
    width = len(layout.cells(lines[row]))
    if width < 2 or width == layout.columns or (row > 0 and layout.is_data(layout.cells(lines[row - 1]))):
        return False
    widths = [_number_width(line, layout) for line in ahead[:5]]
    return any(w != layout.columns and w >= 2 and widths[i : i + 3] == [w, w, w] for i, w in enumerate(widths[:2]))


def _number_width(line: str, layout: Layout) -> int:
    """How many numbers a row holds when it holds nothing else, otherwise 0."""
    cells = layout.cells(line)
    return len(cells) if all(number(cell, layout.decimal) is not None for cell in cells) else 0


def _read_fast(lines: Sequence[str], layout: Layout, first: int, last: int) -> Floats | None:
    """The same rows through pandas' C reader; None when the piece is small or not clean all through."""
    if last - first < _FAST_ROWS or layout.delimiter == FIXED or (layout.texts and layout.delimiter == BLANKS):
        return None
    import pandas as pd

    content = lines.bytes_of(first, last) if isinstance(lines, Lines) else "\n".join(lines[first : last + 1]).encode()
    if any(mark in content for mark in (b'"', b"d", b"D") if not (layout.texts and mark != b'"')):
        return None  # quotes and Fortran exponents are for the careful reader
    how = _pandas_words(layout, content)
    # Without a look for blanks in every cell it is twice as fast; a blank then raises, and the second way is taken.
    for blanks in ({"na_filter": False}, {"na_values": sorted(NO_NUMBER - {""}) + _NO_NUMBER_SPELLINGS}):
        try:
            read_ = pd.read_csv(io.BytesIO(content), **how, **blanks)
        except (ValueError, pd.errors.ParserError):
            continue
        table = _as_table(read_, layout)
        if table is None or np.isfinite(table).all():
            return table
        # pandas fills short rows without a word, and they are to be told: blanks are believed only when every row
        # has all its delimiters.
        ends = len(how.get("names", layout.channels)) - 1
        if layout.delimiter != BLANKS and content.count(layout.delimiter.encode()) == ends * len(read_):
            return np.where(np.isinf(table), np.nan, table)
    return None


def _pandas_words(layout: Layout, content: bytes) -> dict[str, Any]:
    line = content[: content.find(b"\n")].rstrip(b" \r")
    delimiter = layout.delimiter.encode()
    trailing = layout.delimiter != BLANKS and line.endswith(delimiter) and line.count(delimiter) == layout.columns
    how: dict[str, Any] = {
        "sep": r"\s+" if layout.delimiter == BLANKS else layout.delimiter,
        "decimal": layout.decimal,
        "header": None,
        "dtype": np.float64,
        "skipinitialspace": delimiter + b" " in line,
        "keep_default_na": False,
    }
    if layout.thousands:
        how["thousands"] = layout.thousands
    if trailing or layout.texts or layout.moments:
        kinds: dict[int, Any] = dict.fromkeys(layout.channels, np.float64)
        kinds.update({moment.column: str for moment in layout.moments})
        names = list(range(layout.columns + trailing))
        how |= {"names": names, "index_col": False, "usecols": layout.channels, "dtype": kinds}
    return how


def _as_table(read_: Any, layout: Layout) -> Floats | None:
    """The data frame as (channels, rows); None when a moment in it cannot be read."""
    if not layout.moments:
        if read_.shape[1] != len(layout.channels):
            return None
        return np.ascontiguousarray(read_.to_numpy().T)
    columns = []
    how: dict[int, MomentColumn] = {moment.column: moment for moment in layout.moments}
    for column in layout.channels:
        values = read_[column]
        columns.append(seconds(values.to_list(), how[column]) if column in how else values.to_numpy(np.float64))
    table = np.array(columns)
    return table if np.isfinite(table).all() else None
