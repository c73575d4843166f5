"""JSON: {"channels": [{"name", "unit", "values"}]} as `writing` makes it, or plain lists of numbers by name."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from curvesieve.core.errors import InputError, counted
from curvesieve.core.formats.table import Table, from_channels
from curvesieve.core.formats.text import MAX_CHANNELS
from curvesieve.core.record import Source


def recognises(head: bytes) -> bool:
    """Whether a file with these first bytes is a JSON table."""
    begin = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    return begin.startswith(b"{") or (begin.startswith(b"[") and begin[1:].lstrip().startswith(b"{"))


def read(source: Source) -> list[Table]:
    """The one table of a JSON file. Raises InputError when it holds no lists of numbers of one length."""
    try:
        data = json.loads(source.held)
    except (ValueError, RecursionError) as error:
        raise InputError(f"{source.name} is damaged JSON ({type(error).__name__}: {str(error)[:120]}).") from error
    if isinstance(data, list):
        return [_of_rows(source, data)]
    described = data.get("channels")
    if not isinstance(described, list):
        described = [{"name": name, "values": values} for name, values in data.items() if isinstance(values, list)]
    channels = [_channel(source, i, entry) for i, entry in enumerate(described[: MAX_CHANNELS + 1])]
    sizes = {values.size for _, _, values in channels}
    if not channels or len(channels) > MAX_CHANNELS or len(sizes) != 1 or sizes == {0}:
        raise InputError(f"{source.name} is JSON without lists of numbers of one length, by name.")
    pairs = data.get("metadata") if isinstance(data.get("metadata"), list) else []
    metadata = [(str(pair[0]), str(pair[1])) for pair in pairs if isinstance(pair, list) and len(pair) == 2]
    return [from_channels(source, "json", "", channels, metadata)]


def _of_rows(source: Source, rows: list[Any]) -> Table:
    """The table of a list of objects, a row each; what is no number in a channel that has some is missing."""
    names = list(dict.fromkeys(name for row in rows if isinstance(row, dict) for name in row))
    channels, notes = [], []
    for name in names[: MAX_CHANNELS + 1]:
        cells = [row.get(name) if isinstance(row, dict) else None for row in rows]
        good = [isinstance(cell, int | float) and not isinstance(cell, bool) for cell in cells]
        if not any(good):
            notes.append(f"{name}: words, left out")
            continue
        missing = len(cells) - sum(good)
        if missing:
            notes.append(f"{name}: {counted(missing, 'row')} without a number")
        values = [float(cell) if ok and cell is not None else np.nan for cell, ok in zip(cells, good, strict=True)]
        channels.append((name, "", np.array(values)))
    if not channels or len(channels) > MAX_CHANNELS:
        raise InputError(f"{source.name} is JSON without numbers by name.")
    return from_channels(source, "json", "", channels, (), notes)


def _channel(source: Source, place: int, entry: Any) -> tuple[str, str, np.ndarray]:
    fields = entry if isinstance(entry, dict) else {}
    values = fields.get("values")
    name = str(fields.get("name", f"column {place + 1}"))
    try:
        if not isinstance(values, list):
            raise TypeError
        array = np.array([np.nan if value is None else value for value in values], dtype=np.float64)
        if array.ndim != 1:
            raise TypeError
    except (TypeError, ValueError, OverflowError):
        raise InputError(f"{source.name}: the values of {name} are not a list of numbers.") from None
    return name, str(fields.get("unit", "")), array
