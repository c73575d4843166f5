"""What lies between and around points: the hull, the distance to the next point, the range of the neighbours."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.points import Points

NEIGHBOURS = 12
"""So many nearest points are the neighbours of a place, with the corners of its triangle."""
_CHUNK = 50_000
_EDGE = 1e-9


class Plane:
    """The places of points in a plane of even units: x and y over their `scale`, from the middle.

    What is built, as triangles, is kept. Raises InputError when asked for triangles of fewer than three points, or of
    points on one line.
    """

    def __init__(self, points: Points, scaled: bool) -> None:
        sx, sy = points.spans
        whole = max(sx, sy) or 1.0
        self.scale = np.array([sx or whole, sy or whole]) if scaled else np.array([whole, whole])
        self.middle = np.array([points.x.min() + sx / 2, points.y.min() + sy / 2])
        self.points = points
        self.xy = self.put(points.places)

    def put(self, places: Floats) -> Floats:
        """Places of shape (k, 2) in the units of the plane."""
        return np.asarray((places - self.middle) / self.scale)

    @cached_property
    def tree(self):  # type: ignore[no-untyped-def]  # SciPy is loaded when it is first needed
        """Finds the nearest points."""
        from scipy.spatial import cKDTree

        return cKDTree(self.xy)

    @cached_property
    def triangles(self):  # type: ignore[no-untyped-def]
        """Delaunay's triangles between the points. Raises InputError for points on one line."""
        from scipy.spatial import Delaunay, QhullError

        self.check_spread()
        try:
            return Delaunay(self.xy)
        except (QhullError, ValueError) as error:
            raise InputError("all points lie on one line; a surface needs points on both sides of it.") from error

    def check_spread(self) -> None:
        """Raises InputError when the points are fewer than three or lie on one line."""
        if len(self.points) < 3:
            raise InputError(f"a surface needs three points and more; there {'is' if len(self.points) == 1 else 'are'} "
                             f"{len(self.points)}.")  # fmt: skip
        shares = np.linalg.svd(self.xy - self.xy.mean(axis=0), compute_uv=False)
        if shares[1] <= 1e-9 * shares[0]:
            raise InputError("all points lie on one line; a surface needs points on both sides of it.")

    @cached_property
    def _sides(self) -> Floats:
        from scipy.spatial import ConvexHull

        return np.asarray(ConvexHull(self.xy).equations)

    def inside(self, xy: Floats) -> NDArray[np.bool_]:
        """Whether places of shape (k, 2), in units of the plane, lie within the hull of the points."""
        sides = self._sides
        middle = self.xy[:: max(len(self.xy) // 100, 1)].mean(axis=0)
        room = float(-(sides[:, :2] @ middle + sides[:, 2]).max())  # a circle about the middle that is inside for sure
        left = np.flatnonzero(((xy - middle) ** 2).sum(axis=1) >= max(room, 0.0) ** 2)
        near = xy[left]
        outer = np.zeros(len(near), dtype=bool)
        for side in sides:
            outer |= near @ side[:2] + side[2] > _EDGE
        made = np.ones(len(xy), dtype=bool)
        made[left] = ~outer
        return made

    def nearest(self, xy: Floats) -> tuple[Floats, NDArray[np.intp]]:
        """Distance to the nearest point and which it is, of shape (k,); in units of the plane."""
        distance, which = self.tree.query(xy, workers=-1)
        return np.asarray(distance), np.asarray(which, dtype=np.intp)

    def beyond(self, xy: Floats, z: Floats) -> NDArray[np.bool_]:
        """Where values of shape (k,) lie outside the range of the measured values around: see `NEIGHBOURS`.

        Values that are not known are not beyond.
        """
        values = self.points.z
        count = min(NEIGHBOURS, len(self.points))
        margin = 1e-9 * float(np.ptp(values))
        made = np.zeros(len(xy), dtype=bool)
        for first in range(0, len(xy), _CHUNK):
            part = slice(first, first + _CHUNK)
            around = np.asarray(self.tree.query(xy[part], count, workers=-1)[1]).reshape(len(xy[part]), count)
            in_triangle = self.triangles.find_simplex(xy[part])
            corners = np.asarray(self.triangles.simplices)[np.maximum(in_triangle, 0)]
            corners = np.where(in_triangle[:, None] >= 0, corners, around[:, :1])
            near = values[np.concatenate([around, corners], axis=1)]
            with np.errstate(invalid="ignore"):
                made[part] = (z[part] < near.min(axis=1) - margin) | (z[part] > near.max(axis=1) + margin)
        return made
