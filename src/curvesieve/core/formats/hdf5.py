"""HDF5: NXdata and NXcanSAS groups are recognised; elsewhere, 1-D arrays of equal length in a group are a table."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError
from curvesieve.core.formats.table import Table, from_channels
from curvesieve.core.record import Source

_MAX_GROUPS = 5000
_MAX_NODES = 25_000_000


def recognises(content: bytes) -> bool:
    """Whether a file with these first bytes is HDF5."""
    return content.startswith(b"\x89HDF\r\n\x1a\n")


def read(source: Source) -> list[Table]:
    """A table for each group that holds channels; NXdata and NXcanSAS come first.

    Raises InputError when there is none, or the file is damaged.
    """
    import h5py

    found: list[tuple[bool, str, list[tuple[str, str, NDArray[np.float64]]]]] = []
    try:
        with h5py.File(io.BytesIO(source.held), "r") as file:
            groups: list[tuple[str, Any]] = [("", file)]
            file.visititems(lambda name, item: groups.append((name, item)) if isinstance(item, h5py.Group) else None)
            for name, group in groups[:_MAX_GROUPS]:
                channels = _map(group, h5py) or _channels(group, h5py)
                if channels:
                    found.append((not _is_nexus(group), name, channels))
    except Exception as error:  # h5py raises many kinds for a damaged file
        raise InputError(f"{source.name} is a damaged or truncated HDF5 file ({error}).") from error
    if not found:
        raise InputError(f"{source.name} holds no 1-D numbers that could be channels.")
    found.sort(key=lambda item: item[0])
    return [from_channels(source, "hdf5", name if len(found) > 1 else "", channels) for _, name, channels in found]


def _text(value: Any) -> str:
    if isinstance(value, bytes):
        return value.decode("utf-8", "replace")
    if isinstance(value, np.ndarray):
        return _text(value.flat[0]) if value.size else ""
    return str(value)


def _is_nexus(group: Any) -> bool:
    marks = (_text(group.attrs.get(key, "")) for key in ("NX_class", "canSAS_class"))
    return any(mark in ("NXdata", "SASdata") for mark in marks)


def _map(group: Any, h5py: Any) -> list[tuple[str, str, NDArray[np.float64]]]:
    """A signal over two axes (NXdata) as x, y, z and, where there is one, u: a row a node; empty for other groups."""
    signal = _text(group.attrs.get("signal", ""))
    axes = [_text(name) for name in np.atleast_1d(group.attrs.get("axes", []))]
    if signal not in group or len(axes) != 2 or not isinstance(group[signal], h5py.Dataset) or group[signal].ndim != 2:
        return []
    rows, columns = group[signal].shape
    if rows * columns > _MAX_NODES:
        raise InputError(f"{signal} has {rows:,} × {columns:,} values; beyond {_MAX_NODES:,} it is not read.")

    def axis(name: str, count: int) -> tuple[str, str, NDArray[np.float64]]:
        if name in group and group[name].shape == (count,):
            return name, _text(group[name].attrs.get("units", "")), np.asarray(group[name][()], dtype=np.float64)
        return (name if name not in (".", "") else "place"), "", np.arange(count, dtype=np.float64)

    (y_name, y_unit, y), (x_name, x_unit, x) = axis(axes[0], rows), axis(axes[1], columns)

    def told(name: str) -> str:
        return _text(group[name].attrs.get("long_name", "")) or name if name in group else name

    made = [(told(x_name), x_unit, np.tile(x, rows)), (told(y_name), y_unit, np.repeat(y, columns))]
    for name in (signal, f"{signal}_errors"):
        if name in group and group[name].shape == (rows, columns):
            unit = _text(group[name].attrs.get("units", ""))
            made.append((told(name), unit, np.asarray(group[name][()], dtype=np.float64).ravel()))
    return made


def _channels(group: Any, h5py: Any) -> list[tuple[str, str, NDArray[np.float64]]]:
    """The 1-D numeric datasets of the most common length; axes first where the group names them."""
    data = {
        name: item
        for name, item in group.items()
        if isinstance(item, h5py.Dataset) and item.ndim == 1 and item.dtype.kind in "iuf" and item.size > 1
    }
    if not data:
        return []
    sizes = [item.size for item in data.values()]
    length = max(set(sizes), key=sizes.count)
    first = [_text(name) for key in ("axes", "I_axes", "signal") for name in np.atleast_1d(group.attrs.get(key, []))]
    order = [name for name in dict.fromkeys([*first, *data]) if name in data and data[name].size == length]
    return [
        (name, _text(data[name].attrs.get("units", "")), np.asarray(data[name][()], dtype=np.float64)) for name in order
    ]
