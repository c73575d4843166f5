"""How a text file is understood: delimiter, decimal mark, names, units, data."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from curvesieve.core.formats.blocks import best_block
from curvesieve.core.formats.cells import (
    BLANKS,
    FIXED,
    GROUPED,
    NO_NUMBER,
    is_number,
    is_rule,
    number,
    split_cells,
    thousands_mark,
)
from curvesieve.core.formats.moments import MOMENT, MomentColumn, order_of
from curvesieve.core.formats.text_lines import held

DELIMITER_NAMES = {",": "comma", ";": "semicolon", "\t": "tab", "|": "bar", BLANKS: "blanks", FIXED: "fixed width"}
ABOUT = "about:"
"""How the heading of the last, empty column begins that a CSV of ours has: it says where the numbers come from."""
COMMENT_MARKS = "#%!;/*'\""
_PROBES = (24, 60, 400, 4000)
"""How many lines are looked at, and how many when the first look finds little."""
_SURE_NUMBERS = 40
_UNIT_IN_NAME = (
    re.compile(r"^(?P<name>.*\S)\s*\((?P<unit>[^()]*(?:\([^()]*\))?[^()]*)\)$"),
    re.compile(r"^(?P<name>.*\S)\s*\[(?P<unit>[^\[\]]*)\]$"),
    re.compile(r"^(?P<name>.*\S)\s+/\s+(?P<unit>\S.*)$"),
    re.compile(r"^(?P<name>.*?\S)\s*/\s*(?P<unit>\S.*)$"),
)
_DATE_PATTERN = re.compile(r"[dmyhsDMYHS.:/ _-]{5,}$")


@dataclass(frozen=True)
class Layout:
    """Where things are in a text file. Rows count from 0; `last_row` is the last row of data, included.

    `name_row` and `unit_row` are None when the file has none. `columns` counts all cells of a data row: `texts`
    are those that hold words and make no channel, `moments` those that hold dates or clock times. `thousands` is
    the mark between thousands, `edges` the places of the columns of a fixed-width table.
    """

    delimiter: str
    decimal: str
    first_row: int
    last_row: int
    columns: int
    name_row: int | None = None
    unit_row: int | None = None
    thousands: str = ""
    texts: tuple[int, ...] = ()
    moments: tuple[MomentColumn, ...] = ()
    edges: tuple[tuple[int, int], ...] = ()

    @property
    def delimiter_name(self) -> str:
        """The delimiter in a word: ``comma``, ``tab`` …"""
        return DELIMITER_NAMES[self.delimiter]

    @property
    def head(self) -> int:
        """The first row that belongs to the table: its names, or its data."""
        return self.first_row if self.name_row is None else self.name_row

    @property
    def channels(self) -> list[int]:
        """The columns that become channels."""
        return [i for i in range(self.columns) if i not in self.texts]

    def cells(self, line: str) -> list[str]:
        """The cells of a line; as many as `columns` when it fits."""
        if self.edges:
            outside = line[self.edges[-1][1] :].strip()
            return [line[a:b].strip() for a, b in self.edges] + ([outside] if outside else [])
        cells = split_cells(line, self.delimiter)
        if len(cells) == self.columns - 1 and self.delimiter != BLANKS and line.rstrip(" \r").endswith(self.delimiter):
            cells.append("")  # the last value is missing, not the column
        return cells

    def is_data(self, cells: Sequence[str]) -> bool:
        """Whether the cells can be a row of data: as many as there are columns, with a number among them."""
        if len(cells) != self.columns:
            return False
        moments = {moment.column for moment in self.moments}
        some = False
        for i in self.channels:
            if i in moments:
                if not MOMENT.match(cells[i]) and cells[i].casefold() not in NO_NUMBER:
                    return False
            elif (value := number(cells[i], self.decimal, self.thousands)) is None:
                return False
            else:
                some = some or value == value
        return some

    def with_data_from(self, row: int, lines: Sequence[str]) -> Layout:
        """The same table, said to begin at another row; names and units are looked for again above it."""
        cells = self.cells(lines[row])
        same = replace(self, texts=(), moments=(), edges=())
        moved = replace(same, first_row=row, last_row=max(row, self.last_row), columns=len(cells))
        if self.columns == len(cells):
            moved = replace(moved, texts=self.texts, moments=self.moments, edges=self.edges)
        return find_names(moved, lines)


def find_layout(lines: Sequence[str], start: int = 0, only: tuple[str, str] | None = None) -> Layout | None:
    """The layout whose block of number rows, from a row on, holds most; None when no row holds a number.

    See `blocks.best_block` for what counts, and for `only`. Names and units are looked for above the block.
    """
    best = None
    probe: Sequence[str] = []
    for size in _PROBES:
        # A few hundred lines tell most files; only a long preamble needs a longer look.
        if best is not None and best.score >= _SURE_NUMBERS:
            break
        probe = lines[start : start + size]
        best = best_block(probe, only)
        if len(lines) - start <= size:
            break
    if best is None:
        return None
    moments = tuple(order_of(column, cells) for column, cells in best.moments)
    layout = Layout(
        best.delimiter, best.decimal, start + best.first, start + best.last, best.columns,
        thousands=best.thousands, texts=best.texts, moments=moments, edges=best.edges,
    )  # fmt: skip
    if len(lines) - start > len(probe):
        if not layout.thousands and (mark := _later_thousands(lines, layout)):
            layout = replace(layout, thousands=mark)
        layout = replace(layout, last_row=_last_data_row(lines, layout))
    return find_names(layout, lines, start)


_LOOKED_AT = 4000


def _later_thousands(lines: Sequence[str], layout: Layout) -> str:
    """The mark between thousands that appears only farther down, where the numbers grow; empty when there is none."""
    other = "." if layout.decimal == "," else ","
    signs = ["'", "’", *([other] if other != layout.delimiter else [])]
    if layout.delimiter not in (BLANKS, FIXED):
        signs += ["\u00a0", "\u202f"]
        # A blank behind every delimiter would have all rows looked at; such files set no blanks between thousands.
        signs += [" "] if f"{layout.delimiter} " not in lines[layout.first_row] else []
    stride = max(1, (len(lines) - layout.last_row) // _LOOKED_AT)
    found = held(lines, signs, layout.last_row, len(lines) - 1)
    looked_at = map(lines.__getitem__, range(layout.last_row, len(lines), stride))
    for line in looked_at if found else ():
        if not any(sign in line for sign in found):
            continue
        cells = layout.cells(line)
        if len(cells) != layout.columns:
            continue
        marks = [thousands_mark(cell, layout.decimal) for cell in cells if GROUPED[layout.decimal].match(cell)]
        sure = next((mark for mark in marks if mark), "")
        if sure and layout.thousands != sure and replace(layout, thousands=sure).is_data(cells):
            return sure
    return ""


def _last_data_row(lines: Sequence[str], layout: Layout) -> int:
    for row in range(len(lines) - 1, layout.first_row, -1):
        if layout.is_data(layout.cells(lines[row])):
            return row
    return layout.last_row


def find_names(layout: Layout, lines: Sequence[str], start: int = 0) -> Layout:
    """Adds the rows above the data that name the channels and, below the names, give their units."""
    row = layout.first_row - 1
    row = _above(lines, row, start)
    if row < start or not (below := header_cells(lines[row], layout)):
        return replace(layout, name_row=None, unit_row=None)
    above_row = _above(lines, row - 1, start, blanks=False)
    above = header_cells(lines[above_row], layout) if above_row >= start else []
    if above and _looks_like_units(below):
        return replace(layout, name_row=above_row, unit_row=row)
    return replace(layout, name_row=row, unit_row=None)


def _above(lines: Sequence[str], row: int, start: int, blanks: bool = True) -> int:
    """The row itself, or the next one above it that is no drawn line (and not blank)."""
    while row >= start and (is_rule(lines[row]) or (blanks and not lines[row].strip())):
        row -= 1
    return row


def header_cells(line: str, layout: Layout) -> list[str]:
    """The cells of a row when it can head the columns (as many cells, at least one a text); otherwise []."""
    text = line.strip()
    is_comment = text[:1] in COMMENT_MARKS[:3] and not text[1:].lstrip().startswith(layout.delimiter.strip() or "\0")
    bare = text.lstrip(COMMENT_MARKS).strip() if text and is_comment else line
    blanks = layout.delimiter in (BLANKS, FIXED)
    for delimiter in ("\t", BLANKS) if blanks else (layout.delimiter,):
        cells = split_cells(bare, delimiter)
        if len(cells) == layout.columns + 1 and cells[-1].startswith(ABOUT):
            cells = cells[:-1]
        if len(cells) == layout.columns - 1 and delimiter != BLANKS and bare.rstrip(" \r").endswith(delimiter):
            cells.append("")
        if len(cells) == layout.columns + 1 and cells[0].endswith(":"):
            cells = cells[1:]  # "Data:  y  x": the first word introduces the table
        if len(cells) == layout.columns and any(_is_word(cell) for cell in cells if cell):
            return cells
        if blanks and re.search(r"\S\s{2,}\S", bare):
            wide = re.split(r"\s{2,}", bare.strip())
            if len(wide) == layout.columns:
                return wide
    return []


def _is_word(cell: str) -> bool:
    """Whether a cell is no number under either decimal mark."""
    return not is_number(cell, ".") and not is_number(cell, ",")


def _looks_like_units(cells: list[str]) -> bool:
    from curvesieve.core import units

    texts = [unwrapped(cell) for cell in cells]
    return any(texts) and all(
        not text or text in "-–1" or units.is_known(text) or _DATE_PATTERN.match(text) for text in texts
    )


def split_name(cell: str) -> tuple[str, str]:
    """``Raman shift (cm-1)`` → (``Raman shift``, ``cm-1``); a name without a unit has the unit ``""``."""
    from curvesieve.core import units

    text = cell.strip()
    for shape in _UNIT_IN_NAME:
        match = shape.match(text)
        if match and (shape in _UNIT_IN_NAME[:2] or units.is_known(match["unit"])):
            if shape is _UNIT_IN_NAME[0] and not _in_brackets_a_unit(match["unit"]):
                continue
            return match["name"].strip().removesuffix("/").strip(), match["unit"].strip()
    return text, ""


def _in_brackets_a_unit(text: str) -> bool:
    """Whether what a name has in brackets may be a unit; ``Re(Z)`` names a part of something."""
    from curvesieve.core import units

    return units.is_known(text) or len(text) != 1


def unwrapped(text: str) -> str:
    """A unit's text without brackets all around it: ``[N]`` → ``N``, but ``W/(m·K)`` as it is."""
    plain = text.strip()
    for left, right in ("()", "[]"):
        if plain.startswith(left) and plain.endswith(right) and plain.find(right) == len(plain) - 1:
            return plain[1:-1].strip()
    return plain


def is_moment_pattern(unit: str) -> bool:
    """Whether a unit cell only says how a date or a clock time is written, as ``hh:mm:ss`` does."""
    return _DATE_PATTERN.match(unit) is not None
