"""JSON: {"channels": [{"name", "unit", "values"}]} as `writing` makes it, or plain lists of numbers by name."""

from __future__ import annotations

import json
from typing import Any

import numpy as np

from curvesieve.core.errors import InputError
from curvesieve.core.formats.table import Table, from_channels
from curvesieve.core.formats.text import MAX_CHANNELS
from curvesieve.core.record import Source


def recognises(head: bytes) -> bool:
    return head.lstrip(b"\xef\xbb\xbf \r\n\t").startswith(b"{")


def read(source: Source) -> list[Table]:
    """The one table of a JSON file. Raises InputError when it holds no lists of numbers of one length."""
    try:
        data = json.loads(source.held)
    except (ValueError, RecursionError) as error:
        raise InputError(f"{source.name} is damaged JSON ({type(error).__name__}: {str(error)[:120]}).") from error
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
