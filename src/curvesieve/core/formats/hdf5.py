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
Channels = list[tuple[str, str, NDArray[np.float64]]]


def recognises(content: bytes) -> bool:
    """Whether a file with these first bytes is HDF5."""
    return content.startswith(b"\x89HDF\r\n\x1a\n")


def read(source: Source) -> list[Table]:
    """A table for each group that holds channels; NXdata and NXcanSAS come first.

    Raises InputError when there is none, or the file is damaged.
    """
    import h5py

    found: list[tuple[bool, str, Channels, list[str]]] = []
    try:
        with h5py.File(io.BytesIO(source.held), "r") as file:
            groups: list[tuple[str, Any]] = [("", file)]
            file.visititems(lambda name, item: groups.append((name, item)) if isinstance(item, h5py.Group) else None)
            for name, group in groups[:_MAX_GROUPS]:
                channels, notes = _map(group, h5py)
                channels = channels or _channels(group, h5py)
                if channels:
                    found.append((not _is_nexus(group), name, channels, notes))
    except InputError:
        raise
    except Exception as error:  # h5py raises many kinds for a damaged file
        raise InputError(f"{source.name} is a damaged or truncated HDF5 file ({error}).") from error
    if not found:
        raise InputError(f"{source.name} holds no 1-D numbers that could be channels.")
    found.sort(key=lambda item: item[0])
    several = len(found) > 1
    return [
        from_channels(source, "hdf5", name if several else "", channels, notes=notes)
        for _, name, channels, notes in found
    ]


def _text(value: Any) -> str:
    if isinstance(value, bytes):
        return value.decode("utf-8", "replace")
    if isinstance(value, np.ndarray):
        return _text(value.flat[0]) if value.size else ""
    return str(value)


def _is_nexus(group: Any) -> bool:
    marks = (_text(group.attrs.get(key, "")) for key in ("NX_class", "canSAS_class"))
    return any(mark in ("NXdata", "SASdata") for mark in marks)


def _map(group: Any, h5py: Any) -> tuple[Channels, list[str]]:
    """A signal over two axes (NXdata) as x, y, z and, where there is one, u: a row a node; empty for other groups.

    And notes on axes that are not a place for each row and column.
    """
    signal = _text(group.attrs.get("signal", ""))
    axes = [_text(name) for name in np.atleast_1d(group.attrs.get("axes", []))]
    if signal not in group or len(axes) != 2 or not isinstance(group[signal], h5py.Dataset) or group[signal].ndim != 2:
        return [], []
    shape, notes = group[signal].shape, list[str]()
    if shape[0] * shape[1] > _MAX_NODES:
        raise InputError(
            f"{signal} has {shape[0]:,} × {shape[1]:,} values; beyond {_MAX_NODES:,} a map is not read. Cut out a part."
        )
    made = [_axis(group, axes[place], place, shape, notes) for place in (1, 0)]
    parts = [name for name in (signal, f"{signal}_errors") if name in group and group[name].shape == shape]
    made += [(*_told(group, name), np.asarray(group[name][()], dtype=np.float64).ravel()) for name in parts]
    return made, notes


def _axis(
    group: Any, name: str, place: int, shape: tuple[int, int], notes: list[str]
) -> tuple[str, str, NDArray[np.float64]]:
    """Where the nodes of a map stand along one axis, of shape (nodes,): by rows (place 0) or columns (1), or each."""
    count = shape[place]
    if name in ("", ".") or name not in group:  # the standard's way of saying that there are none
        called, unit, values = name if name not in ("", ".") else "place", "", np.arange(count, dtype=np.float64)
    else:
        (called, unit), values = _told(group, name), np.asarray(group[name][()], dtype=np.float64)
    if values.shape == (count + 1,):
        notes.append(f"{called} has the edges of {count} places: their middles are taken")
        values = 0.5 * (values[1:] + values[:-1])
    if values.shape not in ((count,), shape):
        notes.append(f"{called} has the shape {values.shape}, which fits no {count} places: they are counted from 0")
        values, unit = np.arange(count, dtype=np.float64), ""
    return called, unit, np.broadcast_to(values[:, None] if place == 0 and values.ndim == 1 else values, shape).ravel()


def _told(group: Any, name: str) -> tuple[str, str]:
    """What a channel is called, and its unit."""
    attributes = group[name].attrs
    return _text(attributes.get("long_name", "")) or name, _text(attributes.get("units", ""))


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
