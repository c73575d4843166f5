"""How far a way of filling misses points that it was not shown: what tells one way from another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fields.between import Plane
from curvesieve.core.fields.points import Points
from curvesieve.core.fields.ways.base import Stop, Way, unwatched

_ONE_BY_ONE, _FOLDS = 60, 10
_LEAST = 4
_MOST, _SAMPLE = 20_000, 2_000
_CLUSTERED = 0.7
_SEED = 3


@dataclass(frozen=True, eq=False)
class LeftOut:
    """Misses (filled less measured) at points that were left out, all arrays of shape (k,).

    `which` are the points, `distance` how far the nearest of the others was, in units of the plane. NaN where the
    way reaches no value, as outside the hull of the others. `how` says which points were left out together.
    """

    which: NDArray[np.intp]
    misses: Floats
    distance: Floats
    how: str

    @property
    def reached(self) -> NDArray[np.bool_]:
        """Where the way had a value, of shape (k,)."""
        return np.isfinite(self.misses)

    def error(self, among: NDArray[np.bool_] | None = None) -> float:
        """The root mean square miss, of all that were reached or of those `among` them, a mask of shape (k,).

        NaN where there are none.
        """
        chosen = self.reached if among is None else among & self.reached
        return float(np.sqrt(np.mean(self.misses[chosen] ** 2))) if chosen.any() else float("nan")


def clustering(plane: Plane) -> float:
    """The mean distance to the nearest point over that of points thrown at random (Clark and Evans 1954).

    1 for random points, above for even ones, below for clusters.
    """
    n = len(plane.points)
    distance = np.asarray(plane.tree.query(plane.xy, 2)[0])[:, 1]
    sx, sy = np.ptp(plane.xy, axis=0)
    return float(distance.mean() / (0.5 * np.sqrt(sx * sy / n))) if sx * sy > 0 else 1.0


def folds(plane: Plane) -> tuple[list[NDArray[np.intp]], str]:
    """Which points are left out together, and that in words: one by one, in ten parts, or by blocks of clusters.

    Each part lists places from 0, of shape (k,).
    """
    n = len(plane.points)
    rng = np.random.default_rng(_SEED)
    if n <= _ONE_BY_ONE:
        return [np.array([i]) for i in range(n)], "one by one"
    if n > _MOST:
        return [np.sort(rng.choice(n, _SAMPLE, replace=False))], f"{_SAMPLE:,} of {n:,} at once"
    if clustering(plane) < _CLUSTERED:
        cells = np.floor((plane.xy - plane.xy.min(axis=0)) / (np.ptp(plane.xy, axis=0) + 1e-12) * 8).astype(np.intp)
        block = cells[:, 0] * 8 + cells[:, 1]
        part = rng.permutation(64)[block] % _FOLDS
        return [found for k in range(_FOLDS) if (found := np.flatnonzero(part == k)).size], "by blocks of clusters"
    return [np.sort(part) for part in np.array_split(rng.permutation(n), _FOLDS)], "in ten parts"


def left_out(points: Points, way: Way, scaled: bool, watch: Stop = unwatched) -> LeftOut:
    """The misses of a way at left-out points.

    What it found in all of them, as a variogram, is kept: common practice, as it rests on pairs of many. Raises
    InputError when the way cannot work on what is left.
    """
    if len(points) < _LEAST:
        raise InputError(f"of {counted(len(points), 'point')} none can be left out; {_LEAST} and more are needed.")
    plane = Plane(points, scaled)
    parts, how = folds(plane)
    if way.finds:
        way = way.kept(way.put_to(plane))
    which, misses, distance = [], [], []
    for number, part in enumerate(parts):
        watch(number / len(parts))
        rest = np.ones(len(points), dtype=bool)
        rest[part] = False
        others = Plane(points.take(rest), scaled)
        try:
            z, _ = way.put_to(others).at(others.put(points.places[part]))
        except InputError:
            if len(parts) == 1 or part.size > 1:
                raise
            z = np.full(part.size, np.nan)  # without this one point the others lie on a line
        which.append(part)
        misses.append(z - points.z[part])
        distance.append(others.nearest(others.put(points.places[part]))[0])
    return LeftOut(np.concatenate(which), np.concatenate(misses), np.concatenate(distance), how)


@dataclass(frozen=True)
class ErrorLaw:
    """u of a filled value at a distance d (in units of the plane) from the nearest point: √(a² + (b·d)²)."""

    near: float
    rise: float
    count: int

    def at(self, distance: Floats) -> Floats:
        """u at distances of any shape."""
        return np.hypot(self.near, self.rise * distance)

    @property
    def told(self) -> str:
        """What it rests on, in a few words."""
        return f"from misses at {counted(self.count, 'left-out point')}, by distance"


def error_law(found: LeftOut) -> ErrorLaw | None:
    """The law that the misses follow with the distance, by least squares of their squares; None of fewer than five."""
    from scipy.optimize import nnls

    ok = found.reached
    if np.count_nonzero(ok) < 5:
        return None
    squares, d2 = found.misses[ok] ** 2, found.distance[ok] ** 2
    scale, far = float(squares.mean()), float(d2.mean())
    if not scale > 0 or not far > 0:
        return ErrorLaw(float(np.sqrt(scale)), 0.0, int(ok.sum()))
    parts, _ = nnls(np.column_stack([np.ones(d2.size), d2 / far]), squares / scale)
    return ErrorLaw(float(np.sqrt(parts[0] * scale)), float(np.sqrt(parts[1] * scale / far)), int(ok.sum()))
