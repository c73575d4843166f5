"""Lines, cells and numbers: the small change of text tables."""

from __future__ import annotations

import csv
import re

from curvesieve.core.errors import InputError
from curvesieve.core.formats.lines import Lines

BLANKS = " "
"""The delimiter that stands for any run of blanks."""

_EXPONENT = r"(?:[eEdD][+-]?\d+)?"
NUMBER = {
    ".": re.compile(rf"[+-]?(?:\d+(?:\.\d*)?|\.\d+){_EXPONENT}\Z"),
    ",": re.compile(rf"[+-]?(?:\d+(?:,\d*)?|,\d+){_EXPONENT}\Z"),
}
NO_NUMBER = {"", "-", "--", "nan", "na", "n/a", "inf", "+inf", "-inf", "infinity", "null", "none", "#n/a"}
"""What instruments write where there is no value; such cells become NaN (infinities too: they are no measurement)."""


def decode(content: bytes, name: str) -> tuple[Lines, str]:
    """The lines of a text and its encoding's name; raises InputError when the bytes are no text."""
    for mark, encoding in ((b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if content.startswith(mark):
            return Lines(_strictly(content, encoding, name).encode("utf-8"), "utf-8"), encoding
    head = content[:65536]
    if head.count(0) > len(head) // 4:
        little = head[1::2].count(0) > head[::2].count(0)
        try:
            text = content.decode("utf-16-le" if little else "utf-16-be")
            if sum(c.isprintable() or c.isspace() for c in text[:4096]) > 0.95 * len(text[:4096]):
                return Lines(text.encode("utf-8"), "utf-8"), "utf-16-le" if little else "utf-16-be"
        except UnicodeDecodeError:
            pass
    control = sum(head.count(bytes([code])) for code in range(32) if code not in (9, 10, 11, 12, 13, 26, 27))
    if control > len(head) // 200:
        raise InputError(f"{name} holds binary data, not text; export it from the instrument as text (CSV) first.")
    marked = content.startswith(b"\xef\xbb\xbf")
    try:
        if not content.isascii():
            content.decode("utf-8")
        return Lines(content[3:] if marked else content, "utf-8"), "utf-8-sig" if marked else "utf-8"
    except UnicodeDecodeError as error:
        if marked:
            raise InputError(f"{name} begins as UTF-8 text but is damaged at byte {error.start}.") from error
    from charset_normalizer import from_bytes

    guess = from_bytes(head, cp_isolation=["cp1252", "latin_1", "cp1250", "cp1251"]).best()
    encoding = guess.encoding if guess else "cp1252"
    return Lines(content, encoding), encoding


def _strictly(content: bytes, encoding: str, name: str) -> str:
    try:
        return content.decode(encoding)
    except UnicodeDecodeError as error:
        raise InputError(f"{name} begins as {encoding} text but is damaged at byte {error.start}.") from error


def split_cells(line: str, delimiter: str) -> list[str]:
    """The cells of a line, stripped; quotes as RFC 4180 has them. One trailing delimiter makes no cell."""
    if delimiter == BLANKS:
        return line.split()
    if '"' in line:
        cells = next(csv.reader([line], delimiter=delimiter, skipinitialspace=True), [])
    else:
        cells = line.split(delimiter)
    cells = [cell.strip() for cell in cells]
    if len(cells) > 1 and not cells[-1]:
        cells.pop()
    return cells


def number(cell: str, decimal: str) -> float | None:
    """The cell's value, NaN where it says there is none, or None when it is a text."""
    if NUMBER[decimal].match(cell):
        plain = cell.replace(",", ".") if decimal == "," else cell
        value = float(plain.replace("D", "e").replace("d", "e"))
        return value if abs(value) != float("inf") else float("nan")
    return float("nan") if cell.casefold() in NO_NUMBER else None


def is_number(cell: str, decimal: str) -> bool:
    """Whether the cell is written as a finite number."""
    return NUMBER[decimal].match(cell) is not None
