"""How a text file is understood: delimiter, decimal mark, names, units, data."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from curvesieve.core.formats.cells import BLANKS, NO_NUMBER, NUMBER, is_number, split_cells

DELIMITER_NAMES = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar", BLANKS: "blanks"}
COMMENT_MARKS = "#%!;/*'\""
_PROBES = (60, 400, 4000)
"""How many lines are looked at, and how many when the first look finds little."""
_SURE_NUMBERS = 40
_MOST_ODD = 5
"""Odd rows in a row that data may hold: a ragged line, a repeated heading. More of them end the table."""
_UNIT_IN_NAME = (
    re.compile(r"^(?P<name>.*\S)\s*\((?P<unit>[^()]*(?:\([^()]*\))?[^()]*)\)$"),
    re.compile(r"^(?P<name>.*\S)\s*\[(?P<unit>[^\[\]]*)\]$"),
    re.compile(r"^(?P<name>.*?\S)\s*/\s*(?P<unit>\S.*)$"),
)


@dataclass(frozen=True)
class Layout:
    """Where things are in a text file. Rows count from 0; `last_row` is the last row of data, included.

    `name_row` and `unit_row` are None when the file has none.
    """

    delimiter: str
    decimal: str
    first_row: int
    last_row: int
    columns: int
    name_row: int | None = None
    unit_row: int | None = None

    @property
    def delimiter_name(self) -> str:
        return DELIMITER_NAMES[self.delimiter]

    def with_data_from(self, row: int, lines: Sequence[str]) -> Layout:
        """The same table, said to begin at another row; names and units are looked for again above it."""
        cells = split_cells(lines[row], self.delimiter)
        moved = replace(self, first_row=row, last_row=max(row, self.last_row), columns=len(cells))
        return find_names(moved, lines)


def find_layout(lines: Sequence[str]) -> Layout | None:
    """The layout whose block of number rows holds most, or None when no row holds a number.

    Every delimiter is tried with every decimal mark; a block is a run of rows with the same count of cells, of
    which at least one, and at least half, are numbers and none is another text. Blank rows and a few odd rows
    do not end a block; more columns win over fewer when as many rows agree.
    """
    best: tuple[float, Layout] | None = None
    probe: Sequence[str] = []
    for size in _PROBES:
        # A few hundred lines tell most files; only a long preamble needs a longer look.
        if best is not None and best[0] >= _SURE_NUMBERS:
            break
        probe = lines[:size]
        best = _best_block(probe)
        if len(lines) <= size:
            break
    if best is None:
        return None
    layout = best[1]
    if len(lines) > len(probe):
        layout = replace(layout, last_row=_last_number_row(lines, layout))
    return find_names(layout, lines)


def _best_block(probe: Sequence[str]) -> tuple[float, Layout] | None:
    """The best score and its layout, over all delimiters and decimal marks."""
    best: tuple[float, Layout] | None = None
    for delimiter in DELIMITER_NAMES:
        for decimal in (".", ","):
            if delimiter == decimal or (delimiter != BLANKS and not any(delimiter in line for line in probe)):
                continue
            found = _longest_block(probe, delimiter, decimal)
            if found is None:
                continue
            first, last, columns, rows = found
            # A single column is only believed when nothing else fits; on a tie, the first delimiter wins.
            score = rows * (columns if columns > 1 else 0.5)
            if best is None or score > best[0] * 1.001:
                best = score, Layout(delimiter, decimal, first, last, columns)
    return best


def _longest_block(lines: Sequence[str], delimiter: str, decimal: str) -> tuple[int, int, int, int] | None:
    """First row, last row, columns and count of number rows of the block that holds most numbers."""
    counts: list[tuple[int, int, bool]] = []  # row, cells when it is data, whether it holds a number at all
    for row, line in enumerate(lines):
        if line.strip():
            cells = split_cells(line, delimiter)
            numbers = _count_numbers(cells, decimal)
            counts.append((row, _cells_of_data(cells, numbers), numbers > 0))
    best: tuple[int, int, int, int] | None = None
    for columns in {count for _, count, _ in counts if count}:
        for run in _runs([i for i, (_, count, _) in enumerate(counts) if count == columns], counts):
            if best is None or len(run) * columns > best[2] * best[3]:
                best = counts[run[0]][0], counts[run[-1]][0], columns, len(run)
    return best


def _runs(places: list[int], counts: list[tuple[int, int, bool]]) -> list[list[int]]:
    """Data rows that belong together: at most `_MOST_ODD` odd rows between two of them."""
    runs: list[list[int]] = [[]]
    for place in places:
        if runs[-1] and place - runs[-1][-1] > _MOST_ODD + 1:
            runs.append([])
        runs[-1].append(place)
    return [_without_preamble(run, counts) for run in runs if run]


def _without_preamble(run: list[int], counts: list[tuple[int, int, bool]]) -> list[int]:
    """Drops a stray row or two of numbers that stand above a row of words: they belong to the preamble."""
    for i in range(1, min(3, len(run) - 2)):
        between = range(run[i - 1] + 1, run[i])
        if between and not any(counts[place][2] for place in between):
            return _without_preamble(run[i:], counts)
    return run


def _count_numbers(cells: list[str], decimal: str) -> int:
    match = NUMBER[decimal].match
    return sum(1 for cell in cells if match(cell))


def _cells_of_data(cells: list[str], numbers: int) -> int:
    """The count of cells when the row is data (numbers, with blanks or NaN between them), otherwise 0."""
    if not numbers or 2 * numbers < len(cells):
        return 0
    return len(cells) if numbers == len(cells) or numbers + blank_cells(cells) == len(cells) else 0


def number_row(cells: list[str], decimal: str) -> int:
    """The count of cells when the row is data, otherwise 0."""
    return _cells_of_data(cells, _count_numbers(cells, decimal))


def _last_number_row(lines: Sequence[str], layout: Layout) -> int:
    for row in range(len(lines) - 1, layout.first_row, -1):
        if number_row(split_cells(lines[row], layout.delimiter), layout.decimal) == layout.columns:
            return row
    return layout.last_row


def find_names(layout: Layout, lines: Sequence[str]) -> Layout:
    """Adds the rows above the data that name the channels and, below the names, give their units."""
    row = layout.first_row - 1
    while row >= 0 and not lines[row].strip():
        row -= 1
    if row < 0 or not (below := header_cells(lines[row], layout)):
        return replace(layout, name_row=None, unit_row=None)
    above_row = row - 1
    above = header_cells(lines[above_row], layout) if above_row >= 0 else []
    if above and _looks_like_units(below) and not _looks_like_units(above):
        return replace(layout, name_row=above_row, unit_row=row)
    return replace(layout, name_row=row, unit_row=None)


def header_cells(line: str, layout: Layout) -> list[str]:
    """The cells of a row when it can head the columns (as many cells, at least one a text); otherwise []."""
    bare = line.strip().lstrip(COMMENT_MARKS).strip() if line.strip()[:1] in COMMENT_MARKS[:3] else line
    for delimiter in dict.fromkeys(
        (layout.delimiter, "\t", BLANKS) if layout.delimiter == BLANKS else (layout.delimiter,)
    ):
        cells = split_cells(bare, delimiter)
        if len(cells) == layout.columns + 1 and cells[0].endswith(":"):
            cells = cells[1:]  # "Data:  y  x": the first word introduces the table
        if len(cells) == layout.columns and any(not is_number(cell, layout.decimal) for cell in cells if cell):
            return cells
        if layout.delimiter == BLANKS and re.search(r"\S\s{2,}\S", bare):
            wide = re.split(r"\s{2,}", bare.strip())
            if len(wide) == layout.columns:
                return wide
    return []


def _looks_like_units(cells: list[str]) -> bool:
    from curvesieve.core import units

    texts = [cell.strip("()[] ") for cell in cells]
    return any(texts) and all(not text or text in "-–1" or units.is_known(text) for text in texts)


def split_name(cell: str) -> tuple[str, str]:
    """``Raman shift (cm-1)`` → (``Raman shift``, ``cm-1``); a name without a unit has the unit ``""``."""
    from curvesieve.core import units

    text = cell.strip()
    for shape in _UNIT_IN_NAME:
        match = shape.match(text)
        if match and (shape is not _UNIT_IN_NAME[2] or units.is_known(match["unit"])):
            return match["name"].strip(), match["unit"].strip()
    return text, ""


def blank_cells(cells: list[str]) -> int:
    """How many cells say that there is no number."""
    return sum(cell.casefold() in NO_NUMBER for cell in cells)
