"""Spreadsheets: every sheet of numbers of an .xlsx (ECMA-376) or .ods (OpenDocument) file is a table."""

from __future__ import annotations

import datetime
import io
import re
import zipfile
from dataclasses import replace
from typing import Any

from curvesieve.core.errors import InputError, counted
from curvesieve.core.formats.archives import checked_zip
from curvesieve.core.formats.table import Table, from_cells
from curvesieve.core.record import Source

_MAX_ROWS, _MAX_COLUMNS = 1_100_000, 16_384


def recognises(content: bytes) -> bool:
    """Whether a file with these first bytes is a spreadsheet."""
    return content.startswith(b"PK\x03\x04") and not _is_arrays(content)


def _is_arrays(content: bytes) -> bool:
    return b".npy" in content[:300]


def read(source: Source) -> list[Table]:
    """The tables of all sheets that hold numbers, in their order.

    Raises InputError when there is none, or the file is damaged.
    """
    archive = checked_zip(source)
    names = archive.namelist()
    try:
        if "xl/workbook.xml" in names:
            return _read_xlsx(source)
        if "content.xml" in names:
            return _read_ods(source, archive)
    except InputError:
        raise
    except Exception as error:  # the libraries raise many kinds for a damaged file
        raise InputError(f"{source.name} is a damaged spreadsheet ({type(error).__name__}: {error}).") from error
    raise InputError(f"{source.name} is a ZIP archive, but no spreadsheet; unpack it and bring in the files in it.")


def _read_xlsx(source: Source) -> list[Table]:
    import openpyxl

    values = openpyxl.load_workbook(io.BytesIO(source.held), data_only=True)
    formulas = openpyxl.load_workbook(io.BytesIO(source.held), data_only=False)
    found = []
    for sheet in values.worksheets:
        for block in list(sheet.merged_cells.ranges):  # a heading over two columns names both
            text = sheet.cell(block.min_row, block.min_col).value
            sheet.unmerge_cells(str(block))
            for column in range(block.min_col, block.max_col + 1):
                sheet.cell(block.min_row, column).value = text
        rows, beyond = _rows_of(sheet)
        table = from_cells(source, "xlsx", _title(sheet.title, values.sheetnames), rows)
        missing = _without_value(sheet, formulas[sheet.title])
        if table is None and missing:
            raise InputError(_no_values(source, sheet.title, missing))
        if table is not None:
            found.append(_noted(table, missing, beyond))
    return found


_FAR = 10_000
"""So many blank rows end a sheet: a stray cell in its last row is no part of the table, nor worth a minute."""


def _rows_of(sheet: Any) -> tuple[list[list[str]], str]:
    """The texts of the rows of a sheet, and a word on filled rows far below them, which are not read.

    From the cells that there are (openpyxl keeps them by place): its own walk makes one for every place up to the last.
    """
    texts: dict[int, dict[int, str]] = {}
    for (row, column), cell in sheet._cells.items():
        if cell.value is not None:
            texts.setdefault(row, {})[column] = _text(cell.value)
    filled = sorted(texts)
    ends = [i for i in range(1, len(filled)) if filled[i] - filled[i - 1] > _FAR]
    kept, far = (filled[: ends[0]], filled[ends[0] :]) if ends else (filled, [])
    width = max((max(texts[row]) for row in kept), default=0)
    rows = [
        [texts.get(row, {}).get(column, "") for column in range(1, width + 1)]
        for row in range(1, (kept[-1] if kept else 0) + 1)
    ]
    word = f"{counted(len(far), 'row')} far below the others not read (first: row {far[0]})" if far else ""
    return rows, word


def _title(title: str, titles: list[str]) -> str:
    return title if len(titles) > 1 else ""


def _without_value(values: Any, formulas: Any) -> int:
    """How many formula cells have no cached value (the file was written without computing them)."""
    return sum(
        isinstance(cell.value, str)
        and cell.value.startswith("=")
        and (place not in values._cells or values._cells[place].value is None)
        for place, cell in formulas._cells.items()
    )


def _no_values(source: Source, sheet: str, missing: int) -> str:
    return (
        f"{source.name}, sheet {sheet}: {counted(missing, 'formula')} without a stored value, and no other numbers. "
        "Open it in a spreadsheet program, let it compute, and save it again."
    )


def _noted(table: Table, missing: int, beyond: str = "") -> Table:
    notes = [f"{counted(missing, 'formula cell')} without a stored value, left blank"] if missing else []
    notes += [beyond] if beyond else []
    return replace(table, record=replace(table.record, notes=(*table.record.notes, *notes))) if notes else table


def _text(value: Any) -> str:
    if value is None or isinstance(value, bool):
        return "" if value is None else str(value)
    if isinstance(value, (int, float)):
        return repr(value)
    if isinstance(value, (datetime.datetime, datetime.date, datetime.time)):
        return value.isoformat()
    return " ".join(str(value).split())


def _read_ods(source: Source, archive: zipfile.ZipFile) -> list[Table]:
    from defusedxml import DefusedXmlException, ElementTree

    # odfpy writes well but reads through a parser that trusts entities; the content is read safely here.
    try:
        root = ElementTree.fromstring(archive.read("content.xml"), forbid_dtd=True)
    except DefusedXmlException as error:
        raise InputError(f"{source.name} holds XML entities, which are not read.") from error
    table_ns = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
    sheets = list(root.iter(f"{table_ns}table"))
    names = [sheet.get(f"{table_ns}name", "") for sheet in sheets]
    found = []
    for sheet, name in zip(sheets, names, strict=True):
        rows: list[list[str]] = []
        for row in sheet.iter(f"{table_ns}table-row"):
            cells = _ods_cells(row, table_ns)
            repeat = int(row.get(f"{table_ns}number-rows-repeated", "1"))
            rows += [cells] * (min(repeat, _MAX_ROWS - len(rows)) if any(cells) else min(repeat, 1))
        table = from_cells(source, "ods", _title(name, names), rows)
        if table is not None:
            found.append(table)
    return found


def _clock(duration: str | None) -> str | None:
    """``PT10H20M05S`` as ``10:20:05``."""
    match = re.fullmatch(r"PT(\d+)H(\d+)M(\d+(?:[.,]\d+)?)S", duration or "")
    return f"{int(match[1])}:{int(match[2]):02d}:{match[3].replace(',', '.').zfill(2)}" if match else None


def _ods_cells(row: Any, table_ns: str) -> list[str]:
    office_ns = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
    cells: list[str] = []
    for cell in row:
        if not cell.tag.endswith(("table-cell", "covered-table-cell")):
            continue
        value = cell.get(f"{office_ns}value") or cell.get(f"{office_ns}date-value")
        value = value or _clock(cell.get(f"{office_ns}time-value"))
        text = value if value is not None else " ".join("".join(cell.itertext()).split())
        repeat = int(cell.get(f"{table_ns}number-columns-repeated", "1"))
        if cell.tag.endswith("covered-table-cell") and cells and not text:
            cells[-1:] = [cells[-1]] * (1 + min(repeat, _MAX_COLUMNS - len(cells)))
        else:
            cells += [text] * min(repeat if text or repeat < 100 else 1, _MAX_COLUMNS - len(cells))
    while cells and not cells[-1]:
        cells.pop()
    return cells
