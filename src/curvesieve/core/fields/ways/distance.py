"""Means of the neighbours, weighted by a power of their distance."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.ways.base import Filler, Stop, Way, unwatched
from curvesieve.core.rules import RuleField

_PIECE = 100_000
_HIT = 1e-12


class _ByDistance(Filler):
    def __init__(self, plane: Plane, power: float, neighbours: int, radius: float | None) -> None:
        self.plane, self.power = plane, power
        self.count = min(neighbours, len(plane.points))
        self.radius = np.inf if radius is None else radius / max(plane.scale)

    def at(self, xy: Floats, watch: Stop = unwatched) -> tuple[Floats, Floats | None]:
        z = self.plane.points.z
        padded = np.append(z, 0.0)  # the tree gives the number of points where it found no more
        made = np.empty(len(xy))
        for first in range(0, len(xy), _PIECE):
            watch(first / len(xy))
            part = slice(first, first + _PIECE)
            far, which = self.plane.tree.query(xy[part], self.count, distance_upper_bound=self.radius, workers=-1)
            far, which = far.reshape(-1, self.count), which.reshape(-1, self.count)
            nearest = far[:, :1]
            hit = nearest[:, 0] <= _HIT
            with np.errstate(all="ignore"):
                weights = (nearest / far) ** self.power  # relative to the nearest: no power overflows
                weights[~np.isfinite(weights)] = 0.0
                weights[hit] = 0.0
                weights[hit, 0] = 1.0
                made[part] = np.einsum("ij,ij->i", weights, padded[which]) / weights.sum(axis=1)
        return made, None


class InverseDistance(Way):
    """The mean of the neighbours, each weighted by 1/distance to a power."""

    slug = "inverse-distance"
    label = "Inverse distance"
    group = "between points"
    summary = "Means of the neighbours, the nearer the heavier: never beyond them, flat at every point"
    words = "idw weighting shepard"
    reference = "Shepard (1968), Proc. 23rd ACM National Conf., 517"
    told = "means of {neighbours} neighbours by 1/distance to the power of {power}"

    power: float = RuleField(
        2.0, label="power", help="of the distance; more lets the nearest count for more", gt=0, le=20
    )
    neighbours: int = RuleField(12, label="neighbours", help="points for each place", ge=1, le=2000)
    radius: float | None = RuleField(
        None, label="radius", help="no further than this, in the longer axis’ unit; beyond all points stays empty", gt=0
    )

    def put_to(self, plane: Plane) -> Filler:
        return _ByDistance(plane, self.power, self.neighbours, self.radius)
