"""The way out: channels as CSV, TSV, XLSX, JSON, HDF5 or JCAMP-DX. What is written reads back to the same values."""

from __future__ import annotations

import io
import json
import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError
from curvesieve.core.formats.layout import ABOUT
from curvesieve.core.record import Channel, Record

_MAX_SHEET_ROWS = 1_048_570


@dataclass(frozen=True)
class Sheet:
    """What is written: channels under a title, and lines of `key: value` about them."""

    title: str
    channels: tuple[Channel, ...]
    metadata: tuple[tuple[str, str], ...] = ()

    @property
    def rows(self) -> list[list[float]]:
        """The numbers row by row, NaN where a channel has none."""
        return np.column_stack([channel.values for channel in self.channels]).tolist()  # type: ignore[no-any-return]


@dataclass(frozen=True)
class Writer:
    """A format to write: its suffix and its name."""

    suffix: str
    label: str
    write: Callable[[Sheet], bytes]


def of_record(record: Record) -> Sheet:
    """A record with all its channels and its preamble."""
    return Sheet(record.source.name, record.channels, record.metadata)


def of_curve(curve: Curve, title: str, about: Sequence[tuple[str, str]] = (), more: Sequence[Channel] = ()) -> Sheet:
    """A curve as x, y, u (where it has one), flag (0 measured, 1 patched, 2 left out; the sum when both), and `more`.

    `about` says where it comes from: source file, hash, steps, formula.
    """
    x_label, y_label = curve.x_label, curve.y_label
    channels = [Channel(x_label, curve.x_unit, curve.x)]
    channels.append(Channel(y_label if y_label != x_label else f"{y_label} 2", curve.y_unit, curve.y))
    if curve.u is not None:
        channels.append(Channel(f"u of {y_label}", curve.y_unit, curve.u))
    channels.append(Channel("flag", "", curve.flags.astype(np.float64)))
    flags = ", ".join(f"{flag.value} {flag.name.lower().replace('_', ' ')}" for flag in (Flag.PATCHED, Flag.LEFT_OUT))  # type: ignore[union-attr]
    return Sheet(title, (*channels, *more), (("title", title), *about, ("flags", f"0 measured, {flags}")))


def write(sheet: Sheet, suffix: str) -> bytes:
    """The file of a sheet; raises InputError when the suffix is of no known format or the format cannot hold it."""
    writer = next((writer for writer in WRITERS if writer.suffix == suffix.casefold()), None)
    if writer is None:
        known = ", ".join(writer.suffix for writer in WRITERS)
        raise InputError(f"“{suffix or 'no suffix'}” is no format that can be written; end the name with {known}.")
    return writer.write(sheet)


def _heading(channel: Channel) -> str:
    return f"{channel.name} ({channel.unit})" if channel.unit else channel.name


def _text(delimiter: str) -> Callable[[Sheet], bytes]:
    def written(sheet: Sheet) -> bytes:
        import csv

        file = io.StringIO()
        writer = csv.writer(file, delimiter=delimiter, lineterminator="\n")
        about = _about(sheet.metadata)
        # What is said about the numbers is the heading of a last, empty column: any reader finds the channels under
        # their own names in the first row, and a column without a number beside them.
        writer.writerow([*(_one_line(_heading(channel)) for channel in sheet.channels), *about])
        blank = [""] * len(about)
        writer.writerows([*("NaN" if math.isnan(v) else repr(v) for v in row), *blank] for row in sheet.rows)
        return file.getvalue().encode("utf-8")

    return written


def _about(metadata: Sequence[tuple[str, str]]) -> list[str]:
    """The lines of the preamble in one cell, ``about: key=value | key=value``; none when there are none."""
    said = [f"{_one_line(key).replace('=', ' ')}={_one_line(value)}".replace("|", "/") for key, value in metadata]
    return [f"{ABOUT} {' | '.join(said)}"] if said else []


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _xlsx(sheet: Sheet) -> bytes:
    import openpyxl

    if len(sheet.channels[0].values) > _MAX_SHEET_ROWS:
        raise InputError(f"A spreadsheet holds {_MAX_SHEET_ROWS:,} rows; write CSV or HDF5 instead.")
    book = openpyxl.Workbook(write_only=True)
    page = book.create_sheet("data")
    page.append([_plain_cell(channel.name) for channel in sheet.channels])
    page.append([_plain_cell(channel.unit) for channel in sheet.channels])
    for row in sheet.rows:
        page.append([_number_cell(page, value) for value in row])
    about = book.create_sheet("about")
    for key, value in sheet.metadata:
        about.append([_plain_cell(key), _plain_cell(value)])
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def book_of_tables(tables: Mapping[str, Sequence[Sequence[str]]]) -> bytes:
    """A spreadsheet with a page a table, by its title; the first row has the headings, numbers are numbers."""
    import openpyxl

    book = openpyxl.Workbook(write_only=True)
    for i, (title, rows) in enumerate(tables.items()):
        name = re.sub(r"[\[\]:*?/\\]", " ", title)[:25] or "ledger"
        page = book.create_sheet(name if name not in book.sheetnames else f"{name} {i + 1}")
        for k, row in enumerate(rows):
            page.append([_cell(page, text, k > 0 and 0 < j < len(row) - 1) for j, text in enumerate(row)])
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def _cell(page: Any, text: str, may_be_number: bool) -> Any:
    try:
        return _number_cell(page, float(text)) if may_be_number and text else _plain_cell(text)
    except ValueError:
        return _plain_cell(text)


def _number_cell(page: Any, value: float) -> Any:
    """A cell with all 17 digits of the number: openpyxl by itself writes 16, which is not the same number."""
    from openpyxl.cell import WriteOnlyCell

    if math.isnan(value):
        return None
    cell = WriteOnlyCell(page, 0.0)
    cell._value = repr(value)
    return cell


def _plain_cell(text: str) -> str:
    """A text that a spreadsheet takes for a text: no control characters, never a formula."""
    plain = "".join(c for c in text if c.isprintable())
    return f"'{plain}" if plain[:1] in "=+-@" and plain[1:] else plain


def _json(sheet: Sheet) -> bytes:
    channels = [
        {
            "name": channel.name,
            "unit": channel.unit,
            "values": [None if math.isnan(value) else value for value in channel.values.tolist()],
        }
        for channel in sheet.channels
    ]
    made = {"title": sheet.title, "metadata": [list(pair) for pair in sheet.metadata], "channels": channels}
    return json.dumps(made, ensure_ascii=False).encode("utf-8")


def _hdf5(sheet: Sheet) -> bytes:
    import h5py

    file = io.BytesIO()
    with h5py.File(file, "w", track_order=True) as out:
        out.attrs["default"] = "data"
        group: Any = out.create_group("data", track_order=True)
        group.attrs["NX_class"] = "NXdata"
        group.attrs["axes"] = _node(sheet.channels[0].name)
        if len(sheet.channels) > 1:
            group.attrs["signal"] = _node(sheet.channels[1].name)
        for channel in sheet.channels:
            data = group.create_dataset(_node(channel.name), data=channel.values)
            data.attrs["units"], data.attrs["long_name"] = channel.unit, channel.name
        for key, value in sheet.metadata:
            group.attrs[_node(key)] = value
    return file.getvalue()


def _node(name: str) -> str:
    """A name that HDF5 takes for one node: no path in it."""
    return name.replace("/", "∕").replace("\0", "") or "channel"


def _jcamp(sheet: Sheet) -> bytes:
    """JCAMP-DX 4.24: (XY..XY) pairs in full, as the digits of X++(Y..Y) would have to be rounded."""
    x, y = _pair(sheet.channels)
    lines = [
        f"##TITLE={_one_line(sheet.title)}", "##JCAMP-DX=4.24", "##DATA TYPE=UNKNOWN", "##ORIGIN=", "##OWNER=",
        *(f"##$ABOUT={_one_line(key)}: {_one_line(value)}" for key, value in sheet.metadata),
        *(f"##{axis}UNITS={_jcamp_unit(c.unit)}" for axis, c in (("X", x), ("Y", y))),
        f"##XLABEL={_one_line(x.name)}", f"##YLABEL={_one_line(y.name)}", "##XFACTOR=1", "##YFACTOR=1",
        f"##FIRSTX={float(x.values[0])!r}", f"##LASTX={float(x.values[-1])!r}", f"##NPOINTS={x.values.size}",
        "##XYPOINTS=(XY..XY)",
    ]  # fmt: skip
    lines += [f"{a!r}, {b!r}" for a, b in zip(x.values.tolist(), y.values.tolist(), strict=True)]
    return ("\n".join([*lines, "##END="]) + "\n").encode("utf-8")


def _jcamp_unit(unit: str) -> str:
    """The unit's text, nothing where there is none, and arbitrary units only where they are said."""
    if unit == "a.u.":
        return "ARBITRARY UNITS"
    return units.written(unit) or ("1" if unit.strip() else "")


def _pair(channels: Sequence[Channel]) -> tuple[Channel, Channel]:
    if len(channels) > 2 and channels[-1].name != "flag":
        raise InputError("JCAMP-DX holds one curve, x and y; write CSV, XLSX, JSON or HDF5 for more channels.")
    if len(channels) < 2 or not (np.isfinite(channels[0].values) & np.isfinite(channels[1].values)).all():
        raise InputError("JCAMP-DX needs a number in every row of x and y; write CSV, XLSX, JSON or HDF5 instead.")
    return channels[0], channels[1]


WRITERS = (
    Writer(".csv", "CSV, comma-separated text", _text(",")),
    Writer(".tsv", "TSV, tab-separated text", _text("\t")),
    Writer(".xlsx", "XLSX spreadsheet", _xlsx),
    Writer(".json", "JSON", _json),
    Writer(".h5", "HDF5 (NXdata)", _hdf5),
    Writer(".jdx", "JCAMP-DX, x and y only", _jcamp),
)
