"""Ways over Delaunay's triangles, and the nearest point."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.ways.base import Filler, Stop, Way, unwatched


class _Nearest(Filler):
    def __init__(self, plane: Plane) -> None:
        self.plane = plane

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        return self.plane.points.z[self.plane.nearest(xy)[1]], None


class _OverTriangles(Filler):
    def __init__(self, plane: Plane, cubic: bool) -> None:
        from scipy.interpolate import CloughTocher2DInterpolator, LinearNDInterpolator

        z = plane.points.z
        self._middle, self._extent = float(z.mean()), float(np.ptp(z)) or 1.0
        made = CloughTocher2DInterpolator if cubic else LinearNDInterpolator
        self._filler = made(plane.triangles, (z - self._middle) / self._extent)

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        return np.asarray(self._filler(xy)) * self._extent + self._middle, None


class Nearest(Way):
    """Every place has the value of the nearest point."""

    slug = "nearest"
    label = "Nearest point"
    group = "between points"
    summary = "The value of the nearest point: steps, nothing invented"
    words = "voronoi cells steps"
    told = "the value of the nearest point"

    def put_to(self, plane: Plane) -> Filler:
        return _Nearest(plane)


class Linear(Way):
    """Planes over Delaunay's triangles."""

    slug = "linear"
    label = "Linear"
    group = "between points"
    summary = "Planes over the triangles between the points: never beyond their corners"
    words = "delaunay triangulation barycentric"
    reference = "Delaunay (1934), Bull. Acad. Sci. USSR 7, 793"
    told = "planes over Delaunay’s triangles"

    def put_to(self, plane: Plane) -> Filler:
        return _OverTriangles(plane, cubic=False)


class Cubic(Way):
    """Piecewise cubic, with continuous slopes, over Delaunay's triangles."""

    slug = "cubic"
    label = "Cubic"
    group = "between points"
    summary = "Cubic pieces over the triangles, with continuous slopes"
    words = "clough tocher smooth"
    reference = "Alfeld (1984), Comput. Aided Geom. Des. 1, 169"
    told = "cubic pieces over Delaunay’s triangles"

    def put_to(self, plane: Plane) -> Filler:
        return _OverTriangles(plane, cubic=True)
