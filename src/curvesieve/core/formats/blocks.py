"""The block of number rows in a text: every delimiter is tried with every decimal mark, and the fullest wins."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace

from curvesieve.core.formats.cells import BLANKS, FIXED, GROUPED, NO_NUMBER, NUMBER, split_cells, thousands_mark
from curvesieve.core.formats.moments import MOMENT

_DELIMITERS = (",", ";", "\t", "|", BLANKS)
_MOST_ODD = 5
"""Odd rows in a row that data may hold: a ragged line, a repeated heading. More of them end the table."""
_FEW_ROWS = 3
_FULL_SHARE = 0.9
"""A block with this share of all lines that have a digit needs no other reading beside it."""
_NUMBERISH = set("0123456789+-.,eEdDnaNAinfINF# \t")
Split = Callable[[str], list[str]]


@dataclass(frozen=True)
class Block:
    """Rows of numbers with the same count of cells; `score` is how many numbers it accounts for.

    `texts` are columns of words, `moments` columns of dates or clock times with some of their cells.
    """

    score: float
    delimiter: str
    decimal: str
    first: int
    last: int
    rows: int
    columns: int
    thousands: str = ""
    texts: tuple[int, ...] = ()
    moments: tuple[tuple[int, tuple[str, ...]], ...] = ()
    edges: tuple[tuple[int, int], ...] = ()


@dataclass(slots=True)
class _Row:
    place: int
    cells: list[str]
    kinds: str
    """A letter a cell: number, grouped number, moment, blank, text (w: perhaps a grouped number)."""

    numbers: int
    is_pure: bool
    """Numbers and moments, with blanks between them: at least one number, and no blank majority."""


def best_block(lines: Sequence[str], only: tuple[str, str] | None = None) -> Block | None:
    """The block of rows that holds most numbers, over all delimiters and decimal marks; None when there is none.

    A row is data when at least one cell, and at least half, are numbers or moments and none is another text. Blank
    rows and a few odd rows do not end a block; on a tie, the first delimiter wins. Where such rows are few, rows that
    have words in the same columns all through are taken too, and columns told by their place in the line. `only` is
    the delimiter and the decimal mark when they are known.
    """
    filled = [(place, line) for place, line in enumerate(lines) if line.strip()]
    text = "\n".join(line for _, line in filled)
    numeric = sum(any(map(str.isdigit, line)) for _, line in filled)
    tried: list[tuple[str, str, list[_Row]]] = []
    best: Block | None = None
    for delimiter in _DELIMITERS if only is None else (only[0],):
        if best is not None and best.columns > 1 and best.rows >= _FULL_SHARE * numeric:
            return best
        if delimiter != BLANKS and delimiter not in text:
            continue
        split = [(place, split_cells(line, delimiter)) for place, line in filled]
        quoted = delimiter != "," or '"' in text  # between quotes a comma can be a decimal one
        decimals = (".", ",") if "," in text and quoted else (".",)
        for decimal in decimals if only is None else (only[1],):
            rows = _rows(split, decimal)
            tried.append((delimiter, decimal, rows))
            best = _better(best, _pure_block(rows, delimiter, decimal))
    if best is not None and best.rows >= _FULL_SHARE * numeric:
        return best
    if best is None or best.rows < numeric / 2:
        for delimiter, decimal, rows in tried:
            worded = _worded_block(rows, delimiter, decimal)
            if worded is not None and (best is None or worded.rows > best.rows):
                best = worded
    if (best is None or best.delimiter == BLANKS) and (only is None or only[0] == FIXED):
        fixed = _fixed_block(filled)
        if fixed is not None and (best is None or fixed.rows > best.rows or fixed.columns > best.columns):
            best = _better(best, fixed)
    return best


def _better(best: Block | None, found: Block | None) -> Block | None:
    if found is None or (best is not None and found.score <= best.score * 1.001):
        return best
    return found


def _rows(split: Sequence[tuple[int, list[str]]], decimal: str) -> list[_Row]:
    """The kinds of all cells. Once a mark between thousands is sure somewhere, cells that could have one do have it."""
    match = NUMBER[decimal].match
    kinds = ["".join(["n" if match(cell) else _other_kind(cell, decimal) for cell in cells]) for _, cells in split]
    doubtful = "g" if any("g" in row for row in kinds) else "t"
    return [
        _row(place, cells, row.replace("w", doubtful) if "w" in row else row)
        for (place, cells), row in zip(split, kinds, strict=True)
    ]


def _row(place: int, cells: list[str], kinds: str) -> _Row:
    numbers = kinds.count("n") + kinds.count("g")
    is_pure = numbers > 0 and "t" not in kinds and 2 * (numbers + kinds.count("m")) >= len(kinds)
    return _Row(place, cells, kinds, numbers, is_pure)


def _other_kind(cell: str, decimal: str) -> str:
    if cell.casefold() in NO_NUMBER:
        return "b"
    if cell[0].isdigit() or cell[0] in "+-":
        if MOMENT.match(cell):
            return "m"
        if GROUPED[decimal].match(cell):
            return "g" if thousands_mark(cell, decimal) else "w"
    return "t"


def _pure_block(rows: Sequence[_Row], delimiter: str, decimal: str) -> Block | None:
    widths = {len(row.cells) for row in rows if row.is_pure}
    runs = (
        (width, run)
        for width in widths
        for run in _runs([i for i, row in enumerate(rows) if row.is_pure and len(row.cells) == width], rows)
    )
    return _fullest(runs, rows, delimiter, decimal, ())


def _worded_block(rows: Sequence[_Row], delimiter: str, decimal: str) -> Block | None:
    """A block whose rows have words in the same columns all through."""
    best: Block | None = None
    for width in {len(row.cells) for row in rows if row.numbers and len(row.cells) > 1}:
        fitting = [(i, row) for i, row in enumerate(rows) if len(row.cells) == width and row.numbers]
        texts = tuple(
            column for column in range(width) if 2 * sum(row.kinds[column] == "t" for _, row in fitting) > len(fitting)
        )
        places = [
            i for i, row in fitting if all(kind != "t" or column in texts for column, kind in enumerate(row.kinds))
        ]
        if len(places) < _FEW_ROWS or (delimiter == BLANKS and width - len(texts) < max(2, len(texts))):
            continue
        runs = ((width, run) for run in _runs(places, rows))
        best = _better(best, _fullest(runs, rows, delimiter, decimal, texts))
    return best


def _fullest(
    runs: Iterable[tuple[int, list[int]]], rows: Sequence[_Row], delimiter: str, decimal: str, texts: tuple[int, ...]
) -> Block | None:
    best: Block | None = None
    chosen: list[int] = []
    for width, run in runs:
        numbers = width - len(texts)
        # A single column is only believed when nothing else fits.
        score = len(run) * (numbers if width > 1 else 0.5)
        block = Block(score, delimiter, decimal, rows[run[0]].place, rows[run[-1]].place, len(run), width, texts=texts)
        if _better(best, block) is block:
            best, chosen = block, run
    if best is None:
        return None
    inside = [rows[i] for i in chosen]
    kinds = "".join(row.kinds for row in inside)
    if "m" in kinds:
        best = replace(best, moments=_moments(inside, best.columns))
    if "g" in kinds:
        grouped = [cell for row in inside for cell, kind in zip(row.cells, row.kinds, strict=True) if kind == "g"]
        sure = next((mark for cell in grouped if (mark := thousands_mark(cell, decimal))), "")
        match = GROUPED[decimal].match(grouped[0])
        best = replace(best, thousands=sure or (match["mark"] if match else ""))
    return best


def _moments(rows: Sequence[_Row], columns: int) -> tuple[tuple[int, tuple[str, ...]], ...]:
    found = []
    for column in range(columns):
        cells = tuple(row.cells[column] for row in rows if row.kinds[column] == "m")
        if 2 * len(cells) > len(rows):
            found.append((column, cells))
    return tuple(found)


def _runs(places: list[int], rows: Sequence[_Row]) -> list[list[int]]:
    """Data rows that belong together: at most `_MOST_ODD` odd rows between two of them."""
    runs: list[list[int]] = [[]]
    for place in places:
        if runs[-1] and place - runs[-1][-1] > _MOST_ODD + 1:
            runs.append([])
        runs[-1].append(place)
    return [_without_preamble(run, rows) for run in runs if run]


def _without_preamble(run: list[int], rows: Sequence[_Row]) -> list[int]:
    """Drops a stray row or two of numbers that stand above a row of words: they belong to the preamble."""
    for i in range(1, min(3, len(run) - 2)):
        between = range(run[i - 1] + 1, run[i])
        if between and not any(rows[place].numbers for place in between):
            return _without_preamble(run[i:], rows)
    return run


def _fixed_block(filled: Sequence[tuple[int, str]]) -> Block | None:
    """Columns told by the places that are blank in every row of numbers."""
    lines = [(place, line) for place, line in filled if set(line) <= _NUMBERISH and any(map(str.isdigit, line))]
    if len(lines) < _FEW_ROWS or any("\t" in line for _, line in lines):
        return None
    width = max(len(line.rstrip()) for _, line in lines)
    used = [False] * (width + 1)
    for _, line in lines:
        for i, character in enumerate(line[:width]):
            used[i] = used[i] or character != " "
    begins = [i for i in range(width) if used[i] and (i == 0 or not used[i - 1])]
    ends = [i + 1 for i in range(width) if used[i] and not used[i + 1]]
    # Numbers stand at the right of their columns: the blanks before one belong to it.
    edges = tuple((0 if k == 0 else ends[k - 1], ends[k]) for k in range(len(begins)))
    if len(edges) < 2:
        return None
    rows = _rows([(place, [line[a:b].strip() for a, b in edges]) for place, line in lines], ".")
    block = _pure_block(rows, FIXED, ".")
    return None if block is None else replace(block, edges=edges)
