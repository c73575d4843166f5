"""A field for scripts: points filled in, in one call."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass
from functools import cached_property
from typing import Any, get_args

import numpy as np
from numpy.typing import ArrayLike

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, nearest
from curvesieve.core.fields.contours import Line, lines_of
from curvesieve.core.fields.grid import Grid, GridSpec
from curvesieve.core.fields.left_out import LeftOut, error_law, left_out
from curvesieve.core.fields.points import Gathered, Names, Points, gather
from curvesieve.core.fields.slices import SliceSpec, cut
from curvesieve.core.fields.surface import Filling, Outside, Surface, fill
from curvesieve.core.fields.ways.base import Way, parse_way, registered_ways


@dataclass(frozen=True, eq=False)
class Field:
    """A surface with its grid. `x` has shape (m,), `y` (n,), `z` and `u` (n, m): z[row of y, column of x].

    `told` says what became of rows without numbers and of doubled places. u is that of the kriging or of the fitted
    law, of other ways it is from their misses at left-out points, by distance.
    """

    surface: Surface
    grid: Grid
    told: str
    missed: LeftOut | None = None

    @property
    def x(self) -> Floats:
        """The columns, of shape (m,)."""
        return self.grid.x

    @property
    def y(self) -> Floats:
        """The rows, of shape (n,)."""
        return self.grid.y

    @property
    def z(self) -> Floats:
        """The values, of shape (n, m); NaN where nothing is known."""
        return self.grid.z

    @property
    def u(self) -> Floats | None:
        """The standard uncertainty of z, of shape (n, m)."""
        return self.grid.u

    @cached_property
    def left_out_error(self) -> float:
        """The root mean square miss at points that were left out; NaN where none could be judged."""
        if self.missed is not None:
            return self.missed.error()
        filling = self.surface.filling
        try:
            return left_out(self.surface.points, filling.way, filling.scaled).error()
        except InputError:
            return float("nan")

    def at(self, x: ArrayLike, y: ArrayLike) -> tuple[Floats, Floats | None]:
        """z and u at places, all of one shape; NaN where nothing is known."""
        xs, ys = np.broadcast_arrays(np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64))
        z, u = self.surface.at(xs.ravel(), ys.ravel())
        return z.reshape(xs.shape), None if u is None else u.reshape(xs.shape)

    def slice(
        self,
        x: float | None = None,
        y: float | None = None,
        ends: tuple[float, float, float, float] | None = None,
        width: float = 0.0,
    ) -> Curve:
        """The slice at a y (along x), at an x (along y), or from (x0, y0) to (x1, y1), as a curve.

        Raises InputError for another number of them, or where nothing is known.
        """
        if sum(given is not None for given in (x, y, ends)) != 1:
            raise InputError("give one of x, y and ends for a slice.")
        if ends is not None:
            spec = SliceSpec(along="line", ends=ends, width=width)
        elif y is not None:
            spec = SliceSpec(along="x", at=y, width=width)
        else:
            assert x is not None
            spec = SliceSpec(along="y", at=x, width=width)
        return cut(self.surface, spec).curve()

    def contours(self, levels: ArrayLike) -> list[Line]:
        """The lines of equal z at levels of shape (k,)."""
        return lines_of(self.grid, np.atleast_1d(np.asarray(levels, dtype=np.float64)))


def grid(
    x: ArrayLike,
    y: ArrayLike,
    z: ArrayLike,
    u: ArrayLike | None = None,
    *,
    way: str | Way = "kriging",
    settings: Mapping[str, Any] | None = None,
    shape: tuple[int, int] = (101, 101),
    step: float | None = None,
    outside: Outside = "empty",
    value: float = 0.0,
    reach: float | None = None,
    scaled: bool | None = None,
) -> Field:
    """Fills in between points z(x, y), all of shape (n,), on a grid of `shape` (rows, columns) or steps.

    `way` is named as `curvesieve grid --way` has it, with its `settings` by name. Outside the points stands nothing,
    the nearest point, `value` or what a law says; nothing stands further than `reach` from all points. `scaled`
    measures distances in shares of the extents of x and y; None decides it by these. Rows without numbers are left
    out and doubled places averaged.
    Raises InputError with what is wrong and what to do.
    """
    gathered = gather(x, y, z, u)
    return filled(gathered, way_named(way, settings or {}), shape, step, outside, value, reach, scaled)


def filled(gathered: Gathered, way: Way, shape: tuple[int, int], step: float | None, outside: Outside, value: float,
           reach: float | None, scaled: bool | None) -> Field:  # fmt: skip
    """`grid` for points that are gathered. `shape` is (rows, columns). Raises InputError as `grid` does."""
    points = gathered.points
    if min(shape) < 2:
        raise InputError(f"a grid needs two rows and two columns and more, but {shape[0]} × {shape[1]} are asked for.")
    if outside not in get_args(Outside):
        raise InputError(f"outside must be {', '.join(get_args(Outside))}, but is {outside!r}.")
    spec = GridSpec(columns=shape[1], rows=shape[0], step=step)
    stretch = bool(points.unlike_axes) if scaled is None else scaled
    filling = Filling(way=way, grid=spec, outside=outside, value=value, reach=reach, scaled=stretch)
    surface, missed = fill(points, filling), None
    if not surface.filler.u_told and way.slug != "as-measured":
        with suppress(InputError):  # so few points that none can be left out: no u
            missed = left_out(points, way, stretch)
            surface = fill(points, filling, error_law(missed))
    return Field(surface, surface.grid(), gathered.told, missed)


def way_named(way: str | Way, settings: Mapping[str, Any]) -> Way:
    """A way by its slug and settings; raises InputError, which names what is not known."""
    if isinstance(way, Way):
        return way
    known = list(registered_ways())
    if way not in known:
        raise InputError(f"There is no way {way!r}; known are {', '.join(known)}{nearest(way, known)}")
    return parse_way({"way": way, **settings})


__all__ = ["Field", "Names", "Points", "filled", "grid", "way_named"]
