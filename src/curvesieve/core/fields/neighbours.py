"""The values around every point: of the nearest points, or of a window where points stand in rows and columns."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.points import Points

_PIECE = 200_000


def around(points: Points, count: int, own: bool) -> Iterator[tuple[slice, Floats]]:
    """For pieces of the points, the values around each: of shape (piece, about count), NaN where there are fewer.

    Of points in rows and columns it is the square window that holds about `count`, else the nearest points. Without
    `own` the point itself is not among them. Raises InputError for more neighbours than points.
    """
    if len(points) <= count:
        raise InputError(f"{count} neighbours are asked for, and there are {len(points)} points.")
    lattice = points.lattice
    if lattice is not None:
        yield from _windows(points, count, own)
        return
    plane = Plane(points, bool(points.unlike_axes))
    for first in range(0, len(points), _PIECE):
        part = slice(first, min(first + _PIECE, len(points)))
        which = np.asarray(plane.tree.query(plane.xy[part], count + 1)[1])
        yield part, points.z[which if own else _without(which, np.arange(part.start, part.stop))]


def _without(which: NDArray[np.intp], own: NDArray[np.intp]) -> NDArray[np.intp]:
    """Neighbours without the point itself, which is the first unless others are as near."""
    keep = which != own[:, None]
    keep[keep.all(axis=1), -1] = False
    return np.asarray(which[keep].reshape(len(which), -1), dtype=np.intp)


def _windows(points: Points, count: int, own: bool) -> Iterator[tuple[slice, Floats]]:
    lattice = points.lattice
    assert lattice is not None
    reach = max(int(np.ceil((np.sqrt(count + 1) - 1) / 2)), 1)
    table = lattice.spread(points.z)
    # a slope goes on beyond the edges, so that it is no spike there
    if min(table.shape) > reach:
        table = np.pad(table, reach, mode="reflect", reflect_type="odd")
    else:
        table = np.pad(table, reach, constant_values=np.nan)
    side = 2 * reach + 1
    windows = np.lib.stride_tricks.sliding_window_view(table, (side, side))
    piece = max(20_000_000 // side**2, 1)
    for first in range(0, len(points), piece):
        part = slice(first, min(first + piece, len(points)))
        values = windows[lattice.row[part], lattice.column[part]].reshape(-1, side * side)
        yield part, values if own else np.delete(values, side * side // 2, axis=1)
