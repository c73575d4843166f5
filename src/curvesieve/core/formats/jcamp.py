"""JCAMP-DX 4.24 and 5.01: labelled records; tables as XYDATA, XYPOINTS or PEAK TABLE; linked blocks.

Compressed ordinates (ASDF) follow R. S. McDonald and P. A. Wilks, Appl. Spectrosc. 42 (1988) 151: SQZ puts sign
and first digit into one letter, DIF writes differences, DUP counts repetitions; a line of differences begins with
a check value that repeats the last ordinate of the line before.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from curvesieve.core import units
from curvesieve.core.errors import InputError, counted
from curvesieve.core.formats.cells import decode
from curvesieve.core.formats.table import Table, from_channels
from curvesieve.core.record import Source

Floats = NDArray[np.float64]
_LABEL = re.compile(r"^\s*##(?P<label>[^=]*)=(?P<value>.*)$")
_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
# In compressed rows an E is the digit 5; only with a sign after it is it an exponent.
_ROW_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]\d+)?")
_TOKEN = re.compile(r"[@A-Ia-i]\d*\.?\d*|[%J-Rj-r]\d*\.?\d*|[S-Zs]\d*|[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]\d+)?|\?")
_SQZ = {letter: str(digit) for digit, letter in enumerate("@ABCDEFGHI")} | {
    letter: f"-{digit}" for digit, letter in enumerate("abcdefghi", 1)
}
_DIF = {letter: str(digit) for digit, letter in enumerate("%JKLMNOPQR")} | {
    letter: f"-{digit}" for digit, letter in enumerate("jklmnopqr", 1)
}
_DUP = {letter: str(digit) for digit, letter in enumerate("STUVWXYZs", 1)}
_UNITS = {
    "1/CM": "cm-1",
    "NANOMETERS": "nm",
    "MICROMETERS": "um",
    "SECONDS": "s",
    "HZ": "Hz",
    "ARBITRARY UNITS": "a.u.",
}
_NAMES = {"1/CM": "wavenumber", "NANOMETERS": "wavelength", "MICROMETERS": "wavelength", "SECONDS": "time"}


def recognises(content: bytes) -> bool:
    """Whether a file with these first bytes is JCAMP-DX."""
    return re.search(rb"^\s*##\s*(TITLE|JCAMP)", content[:4000], re.M | re.I) is not None


@dataclass
class _Block:
    """The labelled records of one block; labels are in capitals without blanks, dashes, slashes, underscores."""

    labels: dict[str, str] = field(default_factory=dict)
    tables: list[tuple[str, str, list[str]]] = field(default_factory=list)

    def number(self, label: str, default: float | None = None) -> float | None:
        match = _NUMBER.search(self.labels.get(label, ""))
        return float(match[0]) if match else default


def read(source: Source) -> list[Table]:
    """A table for each data table of each block. Raises InputError when there is none."""
    text_lines, _ = decode(source.content, source.name)
    found = []
    blocks = _blocks(text_lines)
    many = sum(len(block.tables) for block in blocks) > 1
    for block in blocks:
        for kind, form, lines in block.tables:
            title = block.labels.get("TITLE", "") if many else ""
            found.append(_table(source, block, kind, form, lines, title))
    if not found:
        raise InputError(f"{source.name} is a JCAMP-DX file without XYDATA, XYPOINTS or PEAK TABLE.")
    return found


def _blocks(lines: Sequence[str]) -> list[_Block]:
    stack, done = [_Block()], []
    data: list[str] | None = None
    for whole in lines:
        line = whole.split("$$", 1)[0]
        match = _LABEL.match(line)
        if match is None:
            if data is not None and line.strip():
                data.append(line)
            continue
        label = re.sub(r"[\s\-/_]", "", match["label"]).upper()
        value, data = match["value"].strip(), None
        if label == "TITLE" and stack[-1].labels:
            stack.append(_Block())
        if label == "END":
            done.append(stack.pop() if len(stack) > 1 else stack[0])
            if len(stack) == 1 and done[-1] is stack[0]:
                stack = [_Block()]
        elif label in ("XYDATA", "XYPOINTS", "PEAKTABLE"):
            data = []
            stack[-1].tables.append((label, value.replace(" ", "").upper(), data))
        else:
            stack[-1].labels[label] = value
    return [*done, *(block for block in stack if block not in done)]


def _table(source: Source, block: _Block, kind: str, form: str, lines: list[str], title: str) -> Table:
    notes: list[str] = []
    if kind == "XYDATA" and "X++" in form:
        x, y = _xydata(source, block, lines, notes)
    else:
        numbers = [float(n) for line in lines for n in _NUMBER.findall(line)]
        if len(numbers) % 2:
            raise InputError(f"{source.name}: {kind} has {len(numbers)} numbers, which make no pairs of x and y.")
        pairs = np.array(numbers, dtype=np.float64).reshape(-1, 2)
        x, y = pairs[:, 0] * (block.number("XFACTOR", 1.0) or 1.0), pairs[:, 1] * (block.number("YFACTOR", 1.0) or 1.0)
    if not x.size:
        raise InputError(f"{source.name}: {kind} holds no numbers.")
    channels = [(*_named(block, "X"), x), (*_named(block, "Y"), y)]
    return from_channels(source, "jcamp", title, channels, list(block.labels.items()), notes)


def _named(block: _Block, axis: str) -> tuple[str, str]:
    """The name and the unit of an axis: its label where it has one, or what its unit says."""
    text, named = block.labels.get(f"{axis}UNITS", ""), block.labels.get(f"{axis}LABEL", "")
    known = text.upper() in _UNITS
    unit = _UNITS[text.upper()] if known else "" if text.upper() == "ARBITRARY UNITS" and named else text
    unit = unit if known or units.is_known(unit) else unit.lower()
    if named:
        return named, unit
    if axis == "X":
        return _NAMES.get(text.upper(), "x"), unit
    return ("y", unit) if known or not text else (text.lower(), "")


def _xydata(source: Source, block: _Block, lines: list[str], notes: list[str]) -> tuple[Floats, Floats]:
    ordinates: list[float] = []
    differences = False
    checks_failed = 0
    for row, line in enumerate(lines, 1):
        try:
            _, values, ends_in_difference = decode_line(line)
        except ValueError as error:
            raise InputError(f"{source.name}, row {row} of XYDATA: {error}.") from error
        if differences and values and ordinates:
            checks_failed += values[0] != ordinates[-1]
            ordinates.pop()  # the check value stands for it
        ordinates += values
        differences = ends_in_difference
    y = np.array(ordinates, dtype=np.float64) * (block.number("YFACTOR", 1.0) or 1.0)
    promised = block.number("NPOINTS")
    if promised is not None and int(promised) != y.size:
        notes.append(f"{counted(y.size, 'point')} found, {int(promised):,} promised by NPOINTS")
    if checks_failed:
        notes.append(f"{counted(checks_failed, 'check value')} of the difference form did not agree")
    first, last, delta = block.number("FIRSTX"), block.number("LASTX"), block.number("DELTAX")
    if first is None:
        raise InputError(f"{source.name} has no FIRSTX; x cannot be worked out.")
    if last is not None and y.size > 1:
        return first + (last - first) * (np.arange(y.size, dtype=np.float64) / (y.size - 1)), y
    if delta is None:
        raise InputError(f"{source.name} has neither LASTX nor DELTAX; x cannot be worked out.")
    return first + delta * np.arange(y.size, dtype=np.float64), y


def decode_line(line: str) -> tuple[float, list[float], bool]:
    """A line's x, its ordinates, and whether it ends in difference form. Raises ValueError at a strange character."""
    match = _ROW_NUMBER.match(line.strip())
    if match is None:
        raise ValueError("the line does not begin with x")
    rest = line.strip()[match.end() :]
    values: list[float] = []
    last_difference: float | None = None
    place = 0
    for token in _TOKEN.finditer(rest):
        between = rest[place : token.start()]
        if between.strip(" ,\t"):
            raise ValueError(f"{between.strip()!r} has no meaning there")
        place = token.end()
        mark, digits = token[0][0], token[0][1:]
        if token[0] == "?":
            values.append(float("nan"))
            last_difference = None
        elif mark in _SQZ:
            values.append(float(_SQZ[mark] + digits))
            last_difference = None
        elif mark in _DIF:
            if not values:
                raise ValueError("a difference stands where no value is before it")
            last_difference = float(_DIF[mark] + digits)
            values.append(values[-1] + last_difference)
        elif mark in _DUP:
            if not values:
                raise ValueError("a repetition stands where no value is before it")
            for _ in range(min(int(_DUP[mark] + digits), 10_000_000) - 1):
                values.append(values[-1] + (last_difference or 0.0))
        else:
            values.append(float(token[0]))
            last_difference = None
    if rest[place:].strip(" ,\t"):
        raise ValueError(f"{rest[place:].strip()[:12]!r} has no meaning there")
    return float(match[0]), values, last_difference is not None
