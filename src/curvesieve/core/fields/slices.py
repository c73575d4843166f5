"""Slices through a surface: lines along x, along y, or anywhere, with what was measured beside them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.contours import round_step
from curvesieve.core.fields.points import Names, Points
from curvesieve.core.fields.surface import Surface
from curvesieve.core.typed import placed, rounded

_ACROSS = 9
"""A slice with a width is the mean of so many lines across it."""
MOST_SLICES = 500


class SliceSpec(BaseModel):
    """One slice: along x at a y, along y at an x, or from (x0, y0) to (x1, y1); averaged over `width` across it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    along: Literal["x", "y", "line"] = "x"
    at: float = 0.0
    ends: tuple[float, float, float, float] = (0.0, 0.0, 1.0, 1.0)
    width: float = Field(default=0.0, ge=0)

    def named(self, names: Names) -> str:
        """``y = 4 mm``."""
        if self.along == "line":
            x0, y0, x1, y1 = self.ends
            begin, end = (f"({placed(x, abs(x1 - x0))}, {placed(y, abs(y1 - y0))})" for x, y in ((x0, y0), (x1, y1)))
            return f"{begin} to {end}"
        name, unit = (names.y, names.y_unit) if self.along == "x" else (names.x, names.x_unit)
        return f"{name} = {self.at:.10g} {unit}".strip()


class SliceSet(BaseModel):
    """Slices along x or y, the first, the last and so many in all; and lines of their own."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    along: Literal["x", "y"] = "x"
    first: float | None = None
    last: float | None = None
    count: int = Field(default=5, ge=0, le=MOST_SLICES)
    width: float = Field(default=0.0, ge=0)
    lines: tuple[SliceSpec, ...] = Field(default=(), max_length=MOST_SLICES)

    def specs(self, points: Points) -> tuple[SliceSpec, ...]:
        """The slices over these points; where no ends are set, round ones a tenth of the extent from the sides."""
        values = points.y if self.along == "x" else points.x
        low, high = float(values.min()), float(values.max())
        step = round_step(0.05 * (high - low)) if high > low else 1.0
        first = step * round((low + 0.1 * (high - low)) / step) if self.first is None else self.first
        last = step * round((high - 0.1 * (high - low)) / step) if self.last is None else self.last
        even = np.linspace(first, last, self.count) if self.count > 1 else np.full(self.count, 0.5 * (first + last))
        places = even.tolist()
        first_ones, between, last_ones = places[:1], rounded(tuple(places[1:-1]), high - low), places[1:][-1:]
        at = (*first_ones, *between, *last_ones)  # the ends are as they were set, to every digit
        return (*(SliceSpec(along=self.along, at=one, width=self.width) for one in at), *self.lines)


@dataclass(frozen=True, eq=False)
class Slice:
    """A slice cut: places of shape (k, 2), how far along it they are, z and u there, NaN where nothing is known."""

    spec: SliceSpec
    places: Floats
    along: Floats
    z: Floats
    u: Floats | None
    names: Names

    @property
    def known(self) -> bool:
        """Whether anything is known along it."""
        return bool(np.isfinite(self.z).any())

    def curve(self) -> Curve:
        """The slice as a curve. Raises InputError where nothing is known along it."""
        known = np.isfinite(self.z)
        u = None if self.u is None or not np.all(self.u[known] > 0) else self.u[known]
        if not known.any():
            raise InputError(
                f"the slice at {self.spec.named(self.names)} meets nothing that is known; move it over the points."
            )
        name, unit = self.axis
        return Curve(
            self.along[known],
            self.z[known],
            u,
            x_label=name,
            y_label=self.names.z,
            x_unit=unit,
            y_unit=self.names.z_unit,
        )

    @property
    def axis(self) -> tuple[str, str]:
        """What is along the slice, and its unit."""
        if self.spec.along == "line":
            return "distance", self.names.x_unit if self.names.x_unit == self.names.y_unit else ""
        return (self.names.x, self.names.x_unit) if self.spec.along == "x" else (self.names.y, self.names.y_unit)


def cut(surface: Surface, spec: SliceSpec, count: int | None = None) -> Slice:
    """A slice with as many places as the grid has along it, or `count`. u is not made less by averaging over a width:
    neighbours share their errors. Raises InputError for a line without length."""
    x, y = surface.axes()
    if spec.along == "x":
        xs = x if count is None else np.linspace(x[0], x[-1], count)
        places, along = np.column_stack([xs, np.full(xs.size, spec.at)]), xs
        across = np.array([0.0, 1.0])
    elif spec.along == "y":
        ys = y if count is None else np.linspace(y[0], y[-1], count)
        places, along = np.column_stack([np.full(ys.size, spec.at), ys]), ys
        across = np.array([1.0, 0.0])
    else:
        x0, y0, x1, y1 = spec.ends
        length = float(np.hypot(x1 - x0, y1 - y0))
        if not length > 0:
            raise InputError("a slice needs two ends that differ.")
        share = np.linspace(0, 1, count or max(x.size, y.size))
        places, along = np.column_stack([x0 + share * (x1 - x0), y0 + share * (y1 - y0)]), share * length
        across = np.array([-(y1 - y0), x1 - x0]) / length
    offsets = np.linspace(-0.5, 0.5, _ACROSS) * spec.width if spec.width > 0 else np.zeros(1)
    every = np.concatenate([places + offset * across for offset in offsets])
    z, u = surface.at(every[:, 0], every[:, 1])
    z, u = _mean(z, len(offsets)), None if u is None else _mean(u, len(offsets))
    return Slice(spec, places, along, z, u, surface.points.names)


def _mean(values: Floats, times: int) -> Floats:
    table = values.reshape(times, -1)
    known = np.isfinite(table)
    count = known.sum(axis=0)
    total = np.where(known, table, 0.0).sum(axis=0)
    return np.where(count > 0, total / np.maximum(count, 1), np.nan)


def beside(points: Points, spec: SliceSpec, within: float) -> tuple[Floats, Floats]:
    """Measured points no further than `within` from a slice: how far along it they are, and z; both of shape (k,)."""
    if spec.along == "x":
        along, off = points.x, points.y - spec.at
    elif spec.along == "y":
        along, off = points.y, points.x - spec.at
    else:
        x0, y0, x1, y1 = spec.ends
        length = np.hypot(x1 - x0, y1 - y0) or 1.0
        dx, dy = (x1 - x0) / length, (y1 - y0) / length
        along, off = (points.x - x0) * dx + (points.y - y0) * dy, (points.y - y0) * dx - (points.x - x0) * dy
        off = np.where((along < 0) | (along > length), np.inf, off)
    near = np.abs(off) <= within
    return along[near], points.z[near]
