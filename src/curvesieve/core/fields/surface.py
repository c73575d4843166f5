"""A surface: points filled in by a way, on a grid and anywhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, SerializeAsAny, field_serializer, field_validator

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.grid import Grid, GridSpec, nodes
from curvesieve.core.fields.left_out import ErrorLaw
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.ways.base import Filler, Stop, Way, parse_way, unwatched
from curvesieve.core.fields.ways.kriging import Kriging
from curvesieve.core.fields.ways.lattice import AsMeasured

Outside = Literal["empty", "nearest", "value", "law"]


class Filling(BaseModel):
    """How a field is filled in: the way, the grid, and what stands outside the points.

    `outside` is what stands beyond the hull of the points: nothing, the nearest point, `value`, or what a law says.
    Nothing stands further than `reach` from all points, where that is set. `scaled` measures distances in shares of
    the extents of x and y.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    way: SerializeAsAny[Way] = Field(default_factory=Kriging)
    grid: GridSpec = GridSpec()
    outside: Outside = "empty"
    value: float = 0.0
    reach: float | None = Field(default=None, gt=0)
    scaled: bool = False

    @field_validator("way", mode="before")
    @classmethod
    def _parse(cls, given: object) -> Way:
        return given if isinstance(given, Way) else parse_way(given)

    @field_serializer("way")
    def _write(self, way: Way) -> dict[str, object]:
        return way.to_json()


def filling_for(points: Points) -> Filling:
    """The filling a user starts from: rows and columns as they are, else kriging, scaled where the axes are unlike."""
    way: Way = Kriging() if points.lattice is None else AsMeasured()
    return Filling(way=way, scaled=bool(points.unlike_axes))


@dataclass(frozen=True, eq=False)
class Surface:
    """Points filled in. `filler` is the way put to them; `law` gives u where the way itself gives none."""

    points: Points
    filling: Filling
    plane: Plane
    filler: Filler
    law: ErrorLaw | None = None

    @property
    def u_told(self) -> str:
        """What the u of the surface rests on; empty where it has none."""
        return self.filler.u_told or (self.law.told if self.law is not None else "")

    def at(self, x: Floats, y: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        """z and u at places, all of shape (k,); NaN where nothing is known. Never extrapolated without being asked."""
        xy = self.plane.put(np.column_stack([x, y]))
        spec = self.filling
        hull = self._within(xy)
        known = hull | (spec.outside != "empty")
        if spec.reach is not None:
            known &= self.plane.nearest(xy)[0] <= spec.reach / float(max(self.plane.scale))
        z, u = np.full(len(xy), np.nan), None
        inner = known if spec.outside == "law" else known & hull
        if inner.any():
            z[inner], found = self.filler.at(xy[inner], watch)
            u = self._u(xy, inner, found)
        outer = known & ~inner
        if outer.any():
            z[outer] = spec.value if spec.outside == "value" else self.points.z[self.plane.nearest(xy[outer])[1]]
        return z, None if u is None else np.where(np.isfinite(z), u, np.nan)

    def _within(self, xy: Floats) -> NDArray[np.bool_]:
        return np.ones(len(xy), dtype=bool) if isinstance(self.filling.way, AsMeasured) else self.plane.inside(xy)

    def _u(self, xy: Floats, inner: NDArray[np.bool_], found: Floats | None) -> Floats | None:
        if found is None and self.law is None:
            return None
        u = np.full(len(xy), np.nan)
        u[inner] = found if found is not None else self.law.at(self.plane.nearest(xy[inner])[0])  # type: ignore[union-attr]
        return u

    def grid(self, axes: tuple[Floats, Floats] | None = None, watch: Stop = unwatched) -> Grid:
        """The surface on its grid, or on axes of shape (m,) and (n,). Raises InputError for too many cells."""
        x, y = axes if axes is not None else self.axes()
        lattice = self.points.lattice if isinstance(self.filling.way, AsMeasured) else None
        if lattice is not None and x is lattice.x and y is lattice.y:
            u = None if self.points.u is None else lattice.spread(self.points.u)
            return Grid(x, y, lattice.spread(self.points.z), u, self.points.names)
        places = nodes(x, y)
        z, u = self.at(places[:, 0], places[:, 1], watch)
        shape = (y.size, x.size)
        return Grid(x, y, z.reshape(shape), None if u is None else u.reshape(shape), self.points.names)

    def axes(self) -> tuple[Floats, Floats]:
        """The axes of the surface's own grid, of shape (m,) and (n,): as measured, they are those of the points."""
        lattice = self.points.lattice if isinstance(self.filling.way, AsMeasured) else None
        if lattice is not None:
            return lattice.x, lattice.y
        return self.filling.grid.axes(self.points)


def fill(points: Points, filling: Filling, law: ErrorLaw | None = None) -> Surface:
    """The surface of points. Raises InputError when the way cannot work on them, with what to do."""
    if not len(points):
        raise InputError("no point is left; look at the steps of the field's sieve.")
    why = filling.way.suits(points)
    if why:
        raise InputError(f"{filling.way.label} {why}; choose another way.")
    if filling.outside == "law" and not filling.way.law:
        raise InputError("only a law holds outside the points; choose empty, the nearest point or a value.")
    plane = Plane(points, filling.scaled)
    if not isinstance(filling.way, AsMeasured):
        plane.check_spread()
    return Surface(points, filling, plane, filling.way.put_to(plane), law)
