"""A surface seen from a side: which of its places is seen at each pixel, without a graphics card.

Every column of the picture is a ray over the plane, looked along from the front: what stands higher hides what is
behind it. So each pixel is worked out once, whatever the surface does.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.points import is_even

_DEPTH = 1.0
"""Steps along a ray for each pixel of the picture's height."""
_MARGIN_PX = 6.0
_EDGE_PX = 2.0


@dataclass(frozen=True)
class Eye:
    """From where: `turn` about the vertical and `tilt` above the plane in °, `height` of z in shares of a side."""

    turn: float = -60.0
    tilt: float = 35.0
    height: float = 0.5


@dataclass(frozen=True, eq=False)
class Turned:
    """A picture of shape (rows, columns): `seen` tells where a surface is, `z` which value, `x`, `y` which place.

    `scale` and `middle` take places of the eye to pixels; see `project`.
    """

    eye: Eye
    grid: Grid
    seen: NDArray[np.bool_]
    x: Floats
    y: Floats
    z: Floats
    scale: float
    middle: tuple[float, float]

    def project(self, x: Floats, y: Floats, z: Floats) -> tuple[Floats, Floats]:
        """Pixels (across, down) of places of any shape."""
        across, depth, up = _to_eye(self.grid, self.eye, x, y, z)
        tilt = math.radians(self.eye.tilt)
        return (
            self.middle[0] + self.scale * across,
            self.middle[1] - self.scale * (depth * math.sin(tilt) + up * math.cos(tilt)),
        )


def _frame(grid: Grid) -> tuple[float, float, float, float]:
    """The middles and half extents of x and y; each axis is as long as the other where their units differ."""
    wide, deep = float(grid.x[-1] - grid.x[0]) or 1.0, float(grid.y[-1] - grid.y[0]) or 1.0
    if grid.names.x_unit == grid.names.y_unit and max(wide, deep) < 5 * min(wide, deep):
        wide = deep = max(wide, deep)
    return 0.5 * float(grid.x[0] + grid.x[-1]), 0.5 * float(grid.y[0] + grid.y[-1]), wide, deep


def _heights(grid: Grid, z: Floats, height: float) -> Floats:
    values = grid.values
    low, high = (float(values.min()), float(values.max())) if values.size else (0.0, 1.0)
    return height * ((z - low) / (high - low) - 0.5) if high > low else np.zeros_like(z)


def _to_eye(grid: Grid, eye: Eye, x: Floats, y: Floats, z: Floats) -> tuple[Floats, Floats, Floats]:
    mid_x, mid_y, wide, deep = _frame(grid)
    u, v = (x - mid_x) / wide, (y - mid_y) / deep
    c, s = math.cos(math.radians(eye.turn)), math.sin(math.radians(eye.turn))
    return u * c - v * s, u * s + v * c, _heights(grid, z, eye.height)


def turned(grid: Grid, eye: Eye, width: int, height: int) -> Turned:
    """The surface in a picture of so many pixels."""
    from scipy.ndimage import map_coordinates

    tilt = math.radians(eye.tilt)
    half_x = 0.5 * float(grid.x[-1] - grid.x[0]) / _frame(grid)[2]
    half_y = 0.5 * float(grid.y[-1] - grid.y[0]) / _frame(grid)[3]
    reach = math.hypot(half_x, half_y)
    tall = 2 * reach * math.sin(tilt) + eye.height * math.cos(tilt)
    scale = min((width - 2 * _MARGIN_PX) / (2 * reach), (height - 2 * _MARGIN_PX) / tall) if reach > 0 else 1.0
    middle = (0.5 * width, 0.5 * height)

    across = (np.arange(width) + 0.5 - middle[0]) / scale
    steps = max(int(_DEPTH * height), 8)
    depth = np.linspace(-reach, reach, steps)
    mid_x, mid_y, wide, deep = _frame(grid)
    c, s = math.cos(math.radians(eye.turn)), math.sin(math.radians(eye.turn))
    x = mid_x + wide * (across[None, :] * c + depth[:, None] * s)
    y = mid_y + deep * (depth[:, None] * c - across[None, :] * s)
    z = map_coordinates(grid.z, [_among(grid.y, y), _among(grid.x, x)], order=1, cval=np.nan, prefilter=False)
    down = middle[1] - scale * (depth[:, None] * math.sin(tilt) + _heights(grid, z, eye.height) * math.cos(tilt))
    top = np.minimum.accumulate(np.where(np.isfinite(z), down, np.inf), axis=0)  # the highest pixel up to each step
    bottom = np.maximum.accumulate(np.where(np.isfinite(z), down, -np.inf), axis=0)[-1]
    which = _first_above(top, height)
    pixels = np.arange(height)[:, None]
    seen = (which < steps) & (pixels <= bottom[None, :])
    at = np.minimum(which, steps - 1), np.broadcast_to(np.arange(width), which.shape)
    seen &= np.isfinite(z[at])
    before = np.maximum(which - 1, 0), at[1]  # there is no wall at the edge of a gap
    seen &= np.isfinite(z[np.minimum(before[0], steps - 1), at[1]]) | (np.abs(down[at] - pixels) < _EDGE_PX)
    return Turned(eye, grid, seen, x[at], y[at], z[at], scale, middle)


def _among(axis: Floats, places: Floats) -> Floats:
    """Where places of any shape stand among the rows or columns of an axis, these counted from 0."""
    if is_even(axis):
        return np.asarray((places - axis[0]) / max(float(axis[-1] - axis[0]), 1e-300) * (axis.size - 1))
    return np.asarray(np.interp(places, axis, np.arange(axis.size), left=-1.0, right=float(axis.size)))


def _first_above(top: Floats, height: int) -> NDArray[np.intp]:
    """For each pixel, the first step whose highest pixel so far is at or above it: shape (height, columns)."""
    steps, width = top.shape
    rows = np.clip(np.ceil(np.where(np.isfinite(top), top, height + 1)), 0, height).astype(np.intp)
    rows *= width
    rows += np.arange(width)
    counts = np.bincount(rows.ravel(), minlength=(height + 1) * width).reshape(height + 1, width)
    # a pixel r is still open at a step whose top lies below it: as many steps as have their top beyond r
    return np.asarray(steps - np.cumsum(counts, axis=0)[:height])
