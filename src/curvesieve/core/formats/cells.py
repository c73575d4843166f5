"""Lines, cells and numbers: the small change of text tables."""

from __future__ import annotations

import codecs
import csv
import re

from curvesieve.core.errors import InputError
from curvesieve.core.formats.text_lines import Lines, pieces
from curvesieve.core.record import Content

BLANKS = " "
"""The delimiter that stands for any run of blanks."""
FIXED = "fixed"
"""Stands for columns told by their places in the line."""

_EXPONENT = r"(?:[eEdD][+-]?\d+)?"
_IN_BRACKETS = r"(?:\(\d+\))?"
"""The uncertainty in the last digits, as in 2.345(12); see `bracketed`."""
NUMBER = {
    ".": re.compile(rf"[+-]?(?:\d+(?:\.\d*)?|\.\d+){_IN_BRACKETS}{_EXPONENT}\Z"),
    ",": re.compile(rf"[+-]?(?:\d+(?:,\d*)?|,\d+){_IN_BRACKETS}{_EXPONENT}\Z"),
}
GROUPED = {
    decimal: re.compile(
        rf"[+-]?\d{{1,3}}(?P<mark>[{other}'’ \u00a0\u202f])\d{{3}}"
        rf"(?P<more>(?:(?P=mark)\d{{3}})*(?:[{decimal}]\d*)?{_EXPONENT})\Z"
    )
    for decimal, other in ((".", ","), (",", "."))
}
"""Numbers with marks between their thousands."""
NO_NUMBER = {"", "-", "--", "nan", "na", "n/a", "inf", "+inf", "-inf", "infinity", "null", "none", "#n/a"}
"""What instruments write where there is no value; such cells become NaN (infinities too: they are no measurement)."""
_CONTROL = bytes(code for code in range(32) if code not in (9, 10, 11, 12, 13, 26, 27))
_MAX_DECODED = 512 * 2**20


def decode(content: Content, name: str) -> tuple[Lines, str]:
    """The lines of a text and its encoding's name; raises InputError when the bytes are no text."""
    head = content[:65536]
    wide = _wide_encoding(head)
    if wide:
        if len(content) > _MAX_DECODED:
            raise InputError(f"{name} is {wide} text of {len(content) / 2**20:.0f} MiB; save it as UTF-8 to read it.")
        return Lines(_strictly(content[:], wide, name).encode("utf-8"), "utf-8"), wide
    if len(head) - len(head.translate(None, _CONTROL)) > len(head) // 200:
        raise InputError(f"{name} holds binary data, not text; export it from the instrument as text (CSV) first.")
    marked = head.startswith(b"\xef\xbb\xbf")
    damage = _first_not_utf8(content)
    if damage is None:
        return Lines(content, "utf-8", 3 if marked else 0), "utf-8-sig" if marked else "utf-8"
    if marked:
        raise InputError(f"{name} begins as UTF-8 text but is damaged at byte {damage}.")
    from charset_normalizer import from_bytes

    guess = from_bytes(head, cp_isolation=["cp1252", "latin_1", "cp1250", "cp1251"]).best()
    encoding = guess.encoding if guess else "cp1252"
    return Lines(content, encoding), encoding


def _wide_encoding(head: bytes) -> str:
    """The UTF-16 that the first bytes show, or nothing."""
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    if head.count(0) <= len(head) // 4:
        return ""
    encoding = "utf-16-le" if head[1::2].count(0) > head[::2].count(0) else "utf-16-be"
    text = head.decode(encoding, "replace")[:4096]
    readable = sum(c.isprintable() or c.isspace() for c in text) > 0.95 * len(text) and "\ufffd" not in text[:-2]
    return encoding if readable else ""


def _strictly(content: bytes, encoding: str, name: str) -> str:
    try:
        return content.decode(encoding)
    except UnicodeDecodeError as error:
        raise InputError(f"{name} begins as {encoding} text but is damaged at byte {error.start}.") from error


def _first_not_utf8(content: Content) -> int | None:
    """Where the bytes stop being UTF-8, or None when they are all through."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    for at, piece in pieces(content):
        if piece.isascii() and not decoder.getstate()[0]:
            continue
        try:
            decoder.decode(piece)
        except UnicodeDecodeError as error:
            return at + error.start
    return len(content) - 1 if decoder.getstate()[0] else None


def split_cells(line: str, delimiter: str) -> list[str]:
    """The cells of a line, stripped; quotes as RFC 4180 has them. One trailing delimiter makes no cell."""
    if "−" in line:  # a true minus sign, as typesetters write it
        line = line.replace("−", "-")
    if delimiter == BLANKS:
        return line.split()
    if delimiter == "|":  # a table with bars at its edges, too
        line = line.strip()
        line = line[line.startswith("|") : len(line) - (len(line) > 1 and line.endswith("|"))]
    if '"' in line:
        cells = next(csv.reader([line], delimiter=delimiter, skipinitialspace=True), [])
    else:
        cells = line.split(delimiter)
    cells = [cell.strip() for cell in cells]
    if len(cells) > 1 and not cells[-1]:
        cells.pop()
    return cells


def number(cell: str, decimal: str, thousands: str = "") -> float | None:
    """The cell's value, NaN where it says there is none, or None when it is a text.

    `thousands` is the mark that the table sets between thousands, if any.
    """
    if thousands and thousands in cell and GROUPED[decimal].match(cell):
        cell = cell.replace(thousands, "")
    if NUMBER[decimal].match(cell):
        plain = cell.replace(",", ".") if decimal == "," else cell
        if "(" in plain:
            plain = plain[: plain.index("(")] + plain[plain.index(")") + 1 :]
        value = float(plain.replace("D", "e").replace("d", "e"))
        return value if abs(value) != float("inf") else float("nan")
    return float("nan") if cell.casefold() in NO_NUMBER else None


def bracketed(cell: str, decimal: str) -> float:
    """The uncertainty that a cell such as 2.345(12) has in brackets, 0.012 there; NaN where it has none."""
    if "(" not in cell or not NUMBER[decimal].match(cell):
        return float("nan")
    plain = cell.replace(",", ".") if decimal == "," else cell
    digits, _, rest = plain.partition("(")
    last, _, power = rest.partition(")")
    exponent = int(re.split(r"[eEdD]", power)[-1] or 0) - len(digits.partition(".")[2])
    return float(f"{last}e{exponent}")


def is_rule(line: str) -> bool:
    """Whether a line is drawn, as ``+---+---+`` is, and says nothing."""
    text = line.strip()
    return bool(text) and set(text) <= set("+-|=: ") and "--" in text.replace("=", "-")


def thousands_mark(cell: str, decimal: str) -> str:
    """The mark between thousands where it can be nothing else: 1,234.5 and 1'234, but not 1,234 alone."""
    match = GROUPED[decimal].match(cell)
    return match["mark"] if match and (match["more"] or match["mark"] not in ".,") else ""


def is_number(cell: str, decimal: str) -> bool:
    """Whether the cell is written as a finite number."""
    return NUMBER[decimal].match(cell) is not None
