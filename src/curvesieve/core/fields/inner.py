"""The largest rectangle of a grid without gaps: what needs full rows and columns is read there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid
from curvesieve.core.typed import placed

_COARSE = 160
_LEAST = 4


def inner(grid: Grid) -> tuple[Grid, str]:
    """The largest rectangle of known nodes, and a few words on it; the grid itself and no words where it has no gaps.

    Of large grids it is looked for on every k-th node, so that it may be some nodes smaller than it could be. Raises
    InputError when it has fewer than four rows or columns.
    """
    if grid.known.all():
        return grid, ""
    thin = max(1, -(-max(grid.z.shape) // _COARSE))
    rows, columns = (thin * np.array(pair) for pair in _largest(_whole(grid.known, thin)))
    part = slice(int(rows[0]), int(rows[1])), slice(int(columns[0]), int(columns[1]))
    z = grid.z[part]
    if min(z.shape) < _LEAST:
        raise InputError("no part of the grid is known without gaps; fill outside the points, or crop the field.")
    x, y, names = grid.x[part[1]], grid.y[part[0]], grid.names
    made = Grid(x, y, z, None if grid.u is None else grid.u[part], names)
    told = (
        f"{name} {_ends(axis)} {unit}".strip() for name, axis, unit in (("x", x, names.x_unit), ("y", y, names.y_unit))
    )
    return made, f"of the part without gaps: {', '.join(told)}"


def _ends(axis: Floats) -> str:
    return " to ".join(placed(float(end), float(np.ptp(axis))) for end in axis[[0, -1]])


def _whole(known: NDArray[np.bool_], thin: int) -> NDArray[np.bool_]:
    """Whether all of a block of nodes is known, a block a place; an unfinished block at the end is left out."""
    rows, columns = (count // thin for count in known.shape)
    return np.asarray(known[: rows * thin, : columns * thin].reshape(rows, thin, columns, thin).all(axis=(1, 3)))


def _largest(known: NDArray[np.bool_]) -> tuple[tuple[int, int], tuple[int, int]]:
    """Rows and columns, from and before which, of the largest rectangle of true places (a stack of heights a row)."""
    best, found = 0, ((0, 0), (0, 0))
    heights = np.zeros(known.shape[1] + 1, dtype=int)
    for row, line in enumerate(known):
        heights[:-1] = np.where(line, heights[:-1] + 1, 0)
        stack: list[tuple[int, int]] = []
        for column, height in enumerate(heights.tolist()):
            start = column
            while stack and stack[-1][1] >= height:
                start, tall = stack.pop()
                if tall * (column - start) > best:
                    best, found = tall * (column - start), ((row - tall + 1, row + 1), (start, column))
            stack.append((start, height))
    return found
