"""Ways of filling side by side: how far they miss left-out points, and how much of them lies beyond its neighbours."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.left_out import ErrorLaw, LeftOut, error_law, left_out
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.surface import Filling, Surface, fill
from curvesieve.core.fields.ways.base import Stop, Way, registered_ways, unwatched

_MOST_LOOKED = 3_000


@dataclass(frozen=True, eq=False)
class Judged:
    """One way put to points: its error at left-out points and the share of its surface beyond the neighbours.

    `error` is over the points that all compared ways reach. `problem` says why it could not be put to the points.
    """

    way: Way
    error: float = float("nan")
    beyond: float = float("nan")
    law: ErrorLaw | None = None
    left_out: LeftOut | None = None
    told: str = ""
    problem: str = ""


def common_ways(points: Points, own: Way) -> list[Way]:
    """The ways that are set side by side on these points, the chosen one as it is set among them."""
    found = []
    for slug, way in registered_ways().items():
        if slug == own.slug:
            found.append(own)
        elif slug not in ("as-measured", "radial", "law") and not way().suits(points):
            found.append(way.for_points(points))
    return found


Missing = Callable[[Way, Stop], LeftOut]
"""What gives the misses of a way at left-out points; whoever has them already gives those."""


def judge(
    points: Points, way: Way, filling: Filling, watch: Stop = unwatched, missing: Missing | None = None
) -> Judged:
    """One way by itself; what it cannot do is its problem, not an error."""
    try:
        told = lambda share: watch(0.9 * share)  # noqa: E731
        found = left_out(points, way, filling.scaled, told) if missing is None else missing(way, told)
        surface = fill(points, filling.model_copy(update={"way": way}))
        share = beyond_share(surface, looked_at(surface))
    except InputError as error:
        return Judged(way, problem=str(error))
    return Judged(way, found.error(), share, error_law(found), found, surface.filler.told)


def compare(
    points: Points, ways: Sequence[Way], filling: Filling, watch: Stop = unwatched, missing: Missing | None = None
) -> list[Judged]:
    """Ways side by side, the least error first; errors are over the left-out points that all of them reach."""
    made = [
        judge(points, way, filling, lambda share, k=k: watch((k + share) / len(ways)), missing)  # type: ignore[misc]
        for k, way in enumerate(ways)
    ]
    reached = [one.left_out.reached for one in made if one.left_out is not None and one.left_out.reached.any()]
    among = np.logical_and.reduce(reached) if reached else None
    same = [
        one
        if one.left_out is None
        else replace(one, error=one.left_out.error(among if among is not None and among.any() else None))
        for one in made
    ]
    return sorted(same, key=lambda one: (not np.isfinite(one.error), one.error))


def looked_at(surface: Surface) -> Grid:
    """The surface on its grid, or on a coarser one of some 3,000 nodes: for shares."""
    x, y = surface.axes()
    thin = int(np.ceil(np.sqrt(x.size * y.size / _MOST_LOOKED)))
    return surface.grid((x[::thin], y[::thin]) if thin > 1 else (x, y))


def beyond(surface: Surface, grid: Grid) -> NDArray[np.bool_]:
    """Where a grid of a surface lies beyond its neighbours, of shape (n, m); nowhere outside the points."""
    xy = surface.plane.put(grid.places())
    made = np.zeros(len(xy), dtype=bool)
    within = surface.plane.inside(xy) & grid.known.ravel()
    made[within] = surface.plane.beyond(xy[within], grid.z.ravel()[within])
    return made.reshape(grid.z.shape)


def beyond_share(surface: Surface, grid: Grid) -> float:
    """The share of the known nodes that lie beyond their neighbours."""
    known = int(grid.known.sum())
    return float(beyond(surface, grid).sum()) / known if known else 0.0
