"""The points of a field: z at places in the plane, with u where it is known."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from curvesieve.core.curve import Floats, frozen
from curvesieve.core.errors import InputError, counted

_SAME_PLACE = 1e-9
"""Places that lie closer than this share of the extent are one place."""
_OFF_LATTICE = 1e-4
"""A row of a lattice may be off its place by this share of a step: files round."""
_MOST_GAPS = 0.5
_UNLIKE = 20.0


@dataclass(frozen=True)
class Names:
    """What x, y and z are called, and their units."""

    x: str = "x"
    y: str = "y"
    z: str = "z"
    x_unit: str = ""
    y_unit: str = ""
    z_unit: str = ""


@dataclass(frozen=True, eq=False)
class Points:
    """z at places (x, y), with the standard uncertainty u of z where it is known. Immutable.

    All arrays have shape (n,) and are finite, in the units of `names`.
    Raises InputError when the shapes differ, a value is not a number, or a u is not above zero.
    """

    x: Floats
    y: Floats
    z: Floats
    u: Floats | None = None
    names: Names = field(default_factory=Names)

    def __post_init__(self) -> None:
        given = {"x": self.x, "y": self.y, "z": self.z} | ({} if self.u is None else {"u": self.u})
        for name, values in given.items():
            array = frozen(values)
            if array.ndim != 1 or array.size != np.size(self.x):
                raise InputError(f"{name} has the shape {array.shape}, x has {np.size(self.x)} values; give one each.")
            if not np.isfinite(array).all():
                first = int(np.flatnonzero(~np.isfinite(array))[0]) + 1
                raise InputError(f"{name} is not a number at point {first}; leave such points out first.")
            object.__setattr__(self, name, array)
        if self.u is not None and self.u.size and float(self.u.min()) <= 0:
            raise InputError(f"u must be above zero, but is {self.u.min():g} at point {int(self.u.argmin()) + 1}.")

    def __len__(self) -> int:
        return int(self.x.size)

    @property
    def places(self) -> Floats:
        """The places, of shape (n, 2)."""
        return np.column_stack([self.x, self.y])

    def take(self, index: NDArray[Any]) -> Points:
        """The points that a mask of shape (n,), or places from 0, select."""
        u = None if self.u is None else self.u[index]
        return replace(self, x=self.x[index], y=self.y[index], z=self.z[index], u=u)

    def with_z(self, z: ArrayLike, u: Floats | None) -> Points:
        """The same places with other values, of shape (n,)."""
        return replace(self, z=frozen(z), u=u)

    @cached_property
    def spans(self) -> tuple[float, float]:
        """The extents of x and y."""
        if not len(self):
            return 0.0, 0.0
        return float(np.ptp(self.x)), float(np.ptp(self.y))

    @cached_property
    def unlike_axes(self) -> str:
        """A sentence where x and y are of such different kind or extent that distances mean little; else empty."""
        sx, sy = self.spans
        if self.names.x_unit != self.names.y_unit:
            return f"x is in {self.names.x_unit or 'no unit'} and y in {self.names.y_unit or 'no unit'}"
        if min(sx, sy) > 0 and max(sx, sy) / min(sx, sy) > _UNLIKE:
            return f"x spans {sx:.4g} and y {sy:.4g}"
        return ""

    @cached_property
    def lattice(self) -> Lattice | None:
        """The rows and columns that the points stand in, where they do; gaps are allowed."""
        return _lattice(self)

    @cached_property
    def digest(self) -> str:
        """A hash of all values and names."""
        sha = hashlib.sha256(repr((self.names, len(self), self.u is None)).encode())
        for array in (self.x, self.y, self.z, *(() if self.u is None else (self.u,))):
            sha.update(np.ascontiguousarray(array).data)
        return sha.hexdigest()


@dataclass(frozen=True, eq=False)
class Lattice:
    """Rows and columns: `x` of shape (m,), `y` of shape (n,), and for each point its `column` and `row`."""

    x: Floats
    y: Floats
    column: NDArray[np.intp]
    row: NDArray[np.intp]

    def spread(self, values: Floats) -> Floats:
        """Values of the points, of shape (points,), as rows and columns of shape (n, m); NaN in gaps."""
        made = np.full((self.y.size, self.x.size), np.nan)
        made[self.row, self.column] = values
        return made

    def gathered(self, table: Floats) -> Floats:
        """The values of a table of shape (n, m) at the points, of shape (points,)."""
        return np.asarray(table[self.row, self.column])

    @property
    def even(self) -> bool:
        """Whether rows and columns have even steps."""
        return all(is_even(axis) for axis in (self.x, self.y))


def is_even(axis: Floats) -> bool:
    """Whether places of shape (k,) stand in even steps, to 2 %."""
    steps = np.diff(axis)
    return bool(steps.size < 2 or np.ptp(steps) <= 0.02 * abs(float(steps.mean())))


def _levels(values: Floats) -> tuple[Floats, NDArray[np.intp]] | None:
    """The values that an axis takes, ascending, and which of them each point has; None when they are too many."""
    order = np.argsort(values, kind="stable")
    ascending = values[order]
    steps = np.diff(ascending)
    extent = float(ascending[-1] - ascending[0])
    if extent <= 0:
        return None
    wide = steps > extent * 1e-12
    typical = float(np.median(steps[wide])) if wide.any() else extent
    new = steps > max(_OFF_LATTICE * typical, extent * _SAME_PLACE)
    which = np.empty(values.size, np.intp)
    which[order] = np.concatenate([[0], np.cumsum(new)])
    count = int(which[order[-1]]) + 1
    if count > values.size // 2 or count < 2:
        return None
    return np.bincount(which, values, count) / np.bincount(which, minlength=count), which


def _lattice(points: Points) -> Lattice | None:
    if len(points) < 4:
        return None
    along_x, along_y = _levels(points.x), _levels(points.y)
    if along_x is None or along_y is None:
        return None
    (x, column), (y, row) = along_x, along_y
    cells = x.size * y.size
    if len(points) > cells or len(points) < (1 - _MOST_GAPS) * cells:
        return None
    place = row * x.size + column
    if np.unique(place).size < len(points):
        return None
    return Lattice(frozen(x), frozen(y), column, row)


@dataclass(frozen=True, eq=False)
class Gathered:
    """Points as a field takes them: `gone` rows had no number, `doubled` points stood at a place of another."""

    points: Points
    gone: int = 0
    doubled: int = 0
    furthest: float = 0.0
    """The largest difference of z at one place."""

    @property
    def told(self) -> str:
        """What became of rows without numbers and of doubled places, in a few words."""
        said = [counted(len(self.points), "point")]
        if self.gone:
            said.append(f"{counted(self.gone, 'row')} without numbers left out")
        if self.doubled:
            unit = f" {self.points.names.z_unit}".rstrip()
            said.append(f"{self.doubled:,} at a doubled place averaged (up to {self.furthest:.3g}{unit} apart)")
        return ", ".join(said)


def gather(
    x: ArrayLike, y: ArrayLike, z: ArrayLike, u: ArrayLike | None = None, names: Names | None = None
) -> Gathered:
    """The points of channels of shape (n,), rows without numbers left out and doubled places averaged.

    The mean of k values has u = √(Σu²)/k where u is known.
    Raises InputError when the shapes differ, no row has numbers in all, or a u is not above zero.
    """
    given = {"x": x, "y": y, "z": z} | ({} if u is None else {"u": u})
    columns = [np.asarray(values, dtype=np.float64) for values in given.values()]
    for name, column in zip(given, columns, strict=True):
        if column.ndim != 1 or column.size != columns[0].size:
            raise InputError(f"{name} has the shape {column.shape}, x {columns[0].shape}; give one value for each x.")
    known = np.logical_and.reduce([np.isfinite(column) for column in columns])
    if not known.any():
        raise InputError(f"no row has a number in all of {', '.join(given)}.")
    if not known.all():
        columns = [column[known] for column in columns]
    found = Points(columns[0], columns[1], columns[2], columns[3] if u is not None else None, names or Names())
    merged, doubled, furthest = _merged(found)
    return Gathered(merged, int(known.size - known.sum()), doubled, furthest)


def _merged(points: Points) -> tuple[Points, int, float]:
    n = len(points)
    if n < 2:
        return points, 0, 0.0
    sx, sy = (span or 1.0 for span in points.spans)
    fine_x = np.rint((points.x - points.x.min()) / (sx * _SAME_PLACE))
    fine_y = np.rint((points.y - points.y.min()) / (sy * _SAME_PLACE))
    order = np.lexsort((fine_y, fine_x))
    new = (np.diff(fine_x[order]) != 0) | (np.diff(fine_y[order]) != 0)
    if new.all():
        return points, 0, 0.0
    group = np.empty(n, np.intp)
    group[order] = np.concatenate([[0], np.cumsum(new)])
    count = int(group.max()) + 1
    first = np.full(count, n, np.intp)
    np.minimum.at(first, group, np.arange(n))
    stay = np.argsort(first)  # in the order of the file
    times = np.bincount(group, minlength=count)
    mean = np.bincount(group, points.z, count) / times
    u = None if points.u is None else np.sqrt(np.bincount(group, points.u**2, count)) / times
    least, most = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(least, group, points.z)
    np.maximum.at(most, group, points.z)
    places = first[stay]
    made = Points(points.x[places], points.y[places], mean[stay], None if u is None else u[stay], points.names)
    return made, n - count, float((most - least).max())
