"""A grid: z in rows and columns, empty where nothing is known."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.points import Names, Points, is_even

MOST_CELLS = 25_000_000
ASK_CELLS = 1_000_000
"""A window asks back before a grid of more cells is made."""

_EVEN_NODES = 400


@dataclass(frozen=True, eq=False)
class Grid:
    """z in rows of y and columns of x: `x` has shape (m,), `y` (n,), `z` and `u` (n, m); NaN where nothing is known.

    x and y ascend. u is the standard uncertainty of z, None where the way of filling gives none.
    """

    x: Floats
    y: Floats
    z: Floats
    u: Floats | None = None
    names: Names = field(default_factory=Names)

    @cached_property
    def known(self) -> NDArray[np.bool_]:
        """Where there is a value, of shape (n, m)."""
        return np.isfinite(self.z)

    @cached_property
    def areas(self) -> Floats:
        """The area that stands for each node, of shape (n, m); see `shares`."""
        return np.outer(shares(self.y), shares(self.x))

    @property
    def values(self) -> Floats:
        """The known values, of shape (k,)."""
        known: Floats = np.extract(self.known, self.z)
        return known

    def evenly(self, table: Floats) -> Floats:
        """A table of the shape of the grid as a picture takes it, in even rows and columns: bilinear between nodes.

        The table itself where the axes are even; else of shape (rows, columns), 400 and more along an uneven axis.
        """
        for axis, places in ((0, self.y), (1, self.x)):
            if not is_even(places):
                wanted = np.linspace(places[0], places[-1], max(places.size, _EVEN_NODES))
                at = np.interp(wanted, places, np.arange(places.size))
                low = np.minimum(at.astype(np.intp), places.size - 2)
                share = at - low if axis else (at - low)[:, None]
                near, next_ = (np.take(table, low + k, axis=axis) for k in (0, 1))
                # on a node itself the other one does not count, be it a gap
                table = np.where(share <= 0, near, np.where(share >= 1, next_, near + share * (next_ - near)))
        return table

    def places(self) -> Floats:
        """The nodes, row by row, of shape (n·m, 2)."""
        return nodes(self.x, self.y)


def shares(axis: Floats) -> Floats:
    """How much of an axis, of shape (k,), stands for each of its places: half of the steps on each side."""
    if axis.size < 2:
        return np.ones(axis.size)
    half = np.diff(axis) / 2
    made: Floats = np.concatenate([half, [0.0]]) + np.concatenate([[0.0], half])
    return made


def nodes(x: Floats, y: Floats) -> Floats:
    """The places of a grid with axes of shape (m,) and (n,), row by row, of shape (n·m, 2)."""
    return np.column_stack([np.tile(x, y.size), np.repeat(y, x.size)])


class GridSpec(BaseModel):
    """Where a surface is worked out: columns and rows, or steps of a size, between limits (None: the points')."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    columns: int = Field(default=101, ge=2, le=100_000)
    rows: int = Field(default=101, ge=2, le=100_000)
    step: float | None = Field(default=None, gt=0)
    x_low: float | None = None
    x_high: float | None = None
    y_low: float | None = None
    y_high: float | None = None
    like: str = ""
    """The id of another field whose grid it has."""

    @model_validator(mode="after")
    def _in_order(self) -> GridSpec:
        for low, high, name in ((self.x_low, self.x_high, "x"), (self.y_low, self.y_high, "y")):
            if low is not None and high is not None and low >= high:
                raise ValueError(f"the limits of {name} must ascend, but are {low:g} and {high:g}")
        return self

    def axes(self, points: Points) -> tuple[Floats, Floats]:
        """The axes of the grid over these points, of shape (m,) and (n,). Raises InputError for too many cells."""
        made = []
        for values, count, low, high in (
            (points.x, self.columns, self.x_low, self.x_high), (points.y, self.rows, self.y_low, self.y_high),
        ):  # fmt: skip
            first = float(values.min()) if low is None else low
            last = float(values.max()) if high is None else high
            if not last > first:
                first, last = first - 0.5 * (abs(first) or 1.0), first + 0.5 * (abs(first) or 1.0)
            if self.step is not None:
                steps = math.floor((last - first) / self.step * (1 + 1e-12))
                count = steps + 1
                if count > MOST_CELLS:
                    raise InputError(f"steps of {self.step:g} over {last - first:g} are too many; choose a wider step.")
                if count < 2:
                    raise InputError(f"a step of {self.step:g} is wider than the {last - first:g} of the points.")
                last = first + steps * self.step
            made.append((first, last, count))
        if made[0][2] * made[1][2] > MOST_CELLS:
            raise InputError(
                f"{made[0][2]:,} × {made[1][2]:,} cells are more than the {MOST_CELLS:,} that are worked out; "
                "choose fewer columns and rows, or a wider step."
            )
        return np.linspace(*made[0]), np.linspace(*made[1])
