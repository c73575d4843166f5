"""Ways for points that stand in rows and columns: as they were measured, and splines."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.points import Lattice, Points
from curvesieve.core.fields.ways.base import Filler, Stop, Way, unwatched
from curvesieve.core.rules import RuleField


def rows_of(points: Points) -> Lattice:
    """The rows and columns of the points. Raises InputError when they stand in none."""
    if points.lattice is None:
        raise InputError("the points do not stand in rows and columns; choose a way between scattered points.")
    return points.lattice


class _AsMeasured(Filler):
    """Between rows and columns: bilinear. u is that of the points, where they have one."""

    def __init__(self, plane: Plane) -> None:
        from scipy.interpolate import RegularGridInterpolator

        self.plane, points = plane, plane.points
        lattice = rows_of(points)

        def between(values: Floats) -> RegularGridInterpolator:
            axes = (lattice.y, lattice.x)
            return RegularGridInterpolator(axes, lattice.spread(values), bounds_error=False, fill_value=np.nan)

        self._z = between(points.z)
        self._u = None if points.u is None else between(points.u)
        self._edge = 1e-9 * np.array([np.ptp(lattice.y), np.ptp(lattice.x)])
        self._low = np.array([lattice.y[0], lattice.x[0]])
        self._high = np.array([lattice.y[-1], lattice.x[-1]])
        gaps = lattice.x.size * lattice.y.size - len(points)
        self.told = f"{lattice.x.size} × {lattice.y.size}" + (f", {gaps:,} gaps" if gaps else "")
        self.u_told = "of the points" if points.u is not None else ""

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        places = (xy * self.plane.scale + self.plane.middle)[:, ::-1]
        near = (places > self._low - self._edge) & (places < self._high + self._edge)
        places = np.where(near, np.clip(places, self._low, self._high), places)
        return np.asarray(self._z(places)), None if self._u is None else np.asarray(self._u(places))


class AsMeasured(Way):
    """The points' own rows and columns."""

    slug = "as-measured"
    label = "As measured"
    group = "grids"
    summary = "The rows and columns of the file as they are; gaps stay empty"
    words = "grid raster height map bilinear none"
    told = "the measured rows and columns themselves"

    def put_to(self, plane: Plane) -> Filler:
        return _AsMeasured(plane)

    def suits(self, points: Points) -> str:
        return "" if points.lattice is not None else "needs points in rows and columns"


class _Spline(Filler):
    def __init__(self, plane: Plane, degree: int, smoothing: float) -> None:
        from scipy.interpolate import RectBivariateSpline

        self.plane = plane
        points, lattice = plane.points, rows_of(plane.points)
        table = lattice.spread(points.z)
        if not np.isfinite(table).all():
            raise InputError(f"a spline needs full rows and columns; {int(np.isnan(table).sum()):,} places are empty.")
        if min(table.shape) <= degree:
            raise InputError(f"a spline of degree {degree} needs {degree + 1} rows and columns and more.")
        self._middle, self._extent = float(points.z.mean()), float(np.ptp(points.z)) or 1.0
        y, x = ((axis - axis[0]) / (axis[-1] - axis[0]) for axis in (lattice.y, lattice.x))
        self._low = np.array([lattice.x[0], lattice.y[0]])
        self._wide = np.array([lattice.x[-1] - lattice.x[0], lattice.y[-1] - lattice.y[0]])
        self._spline = RectBivariateSpline(y, x, (table - self._middle) / self._extent, kx=degree, ky=degree,
                                           s=smoothing * table.size)  # fmt: skip

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        x, y = ((xy * self.plane.scale + self.plane.middle - self._low) / self._wide).T
        z = self._spline(np.clip(y, 0, 1), np.clip(x, 0, 1), grid=False) * self._extent + self._middle
        out = (np.minimum(x, y) < -1e-9) | (np.maximum(x, y) > 1 + 1e-9)
        return np.where(out, np.nan, z), None


class Spline(Way):
    """Splines in x and y over full rows and columns."""

    slug = "spline"
    label = "Spline on a grid"
    group = "grids"
    summary = "Splines in x and y through, or near, full rows and columns"
    words = "bicubic tensor product"
    reference = "Dierckx (1993), Curve and Surface Fitting with Splines"
    told = "splines of degree {degree} in x and y, smoothing {smoothing}"

    degree: int = RuleField(3, label="degree", help="3 is cubic", ge=1, le=5)
    smoothing: float = RuleField(
        0.0, label="smoothing", help="0 goes through all points; else the mean square miss in z’s extent²", ge=0, le=1
    )  # fmt: skip

    def put_to(self, plane: Plane) -> Filler:
        return _Spline(plane, self.degree, self.smoothing)

    def suits(self, points: Points) -> str:
        return "" if points.lattice is not None else "needs points in rows and columns"
