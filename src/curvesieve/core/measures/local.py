"""What several measures read around one place: the top of a parabola, a crossing of a level."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError

_AWAY = 4.0
"""A curve is away from a level where a point is so many of its u from it (by noise alone: one in 16,000)."""


def around(k: int, count: int, n: int) -> slice:
    """The `count` points (an odd number, at most n) about point k, or as near as the ends allow."""
    half = (min(count, n) - 1) // 2
    first = min(max(k - half, 0), n - 2 * half - 1)
    return slice(first, first + 2 * half + 1)


def vertex(x: Floats, y: Floats, origin: float) -> tuple[float, float, Floats, Floats]:
    """Where the parabola of least squares is level and its value there, and the slopes of both against each y."""
    size = float(np.abs(x - origin).max()) or 1.0
    t = (x - origin) / size
    inverse = np.linalg.pinv(np.array([np.ones(t.size), t, t * t]).T)
    c0, c1, c2 = inverse @ y
    if c2 == 0:
        raise InputError("the points around it lie on a straight line, which has no top.")
    top = -c1 / (2 * c2)
    by_place = (-inverse[1] / (2 * c2) + c1 * inverse[2] / (2 * c2 * c2)) * size
    by_value = inverse[0] + top * inverse[1] + top * top * inverse[2]  # level there: the place does not count
    return origin + size * float(top), float(c0 + c1 * top + c2 * top * top), by_place, by_value


@dataclass(frozen=True, eq=False)
class Crossing:
    """Where a curve passes a level: its x, the slopes of x against each y of the curve (n,), against the level, and k.

    `first` and `last` are the points that the line was laid through, ends included.
    """

    x: float
    slopes: Floats
    against_level: float
    rising: bool
    first: int
    last: int


def crossings(x: Floats, y: Floats, u: Floats | None = None) -> list[tuple[int, int, bool]]:
    """The places where y goes through zero, as first and last point of the passage, and whether upward.

    All arrays have shape (n,), x is rising. Noise takes a curve to and fro over a level: changes of sign between which
    it never leaves zero by four of its own u are one passage, and none if it comes back to the side that it came
    from. A point on zero counts once; a stretch that lies on zero counts where it is left on the other side.
    """
    side = np.sign(y)
    if y.size > 1 and side[0] == 0:
        side[0] = -side[1]
    places = np.flatnonzero(side != 0)
    places = places[np.flatnonzero(np.diff(side[places]) != 0)]  # the last point before each change of sign
    after = np.array([k + 1 + int(np.argmax(side[k + 1 :] != 0)) for k in places], dtype=int)
    found: list[tuple[int, int, bool]] = []
    begin = 0
    for one in range(places.size):
        last = one + 1 == places.size
        if not last and not _leaves(y, u, after[one], places[one + 1]):
            continue
        if (one - begin) % 2 == 0:
            found.append((int(places[begin]), int(after[one]), bool(side[after[one]] > 0)))
        begin = one + 1
    return found


def _leaves(y: Floats, u: Floats | None, first: int, last: int) -> bool:
    return u is None or bool((np.abs(y[first : last + 1]) > _AWAY * u[first : last + 1]).any())


def crossing_at(x: Floats, y: Floats, u: Floats | None, passage: tuple[int, int, bool]) -> Crossing:
    """The x where y goes through zero in a passage of `crossings`: on the straight line between its two points.

    Where more points lie within four of their u of zero around it, on the line of least squares through these and as
    many on the other side. All arrays have shape (n,). Raises InputError when that line is level.
    """
    first, last, rising = passage
    middle = (float(x[first]) + float(x[last])) / 2
    if u is not None:
        first, last = _near(x, y, u, first, last)
    slopes = np.zeros(y.size)
    if last - first == 1:
        steep = (float(y[last]) - float(y[first])) / (float(x[last]) - float(x[first]))
        at = float(x[first]) - float(y[first]) / steep
        share = (at - float(x[first])) / (float(x[last]) - float(x[first]))
        slopes[first], slopes[last] = -(1 - share) / steep, -share / steep
        return Crossing(at, slopes, 1 / steep, rising, first, last)
    at, steep, slopes[first : last + 1] = _through(x[first : last + 1], y[first : last + 1], middle)
    return Crossing(at, slopes, 1 / steep, rising, first, last)


def _near(x: Floats, y: Floats, u: Floats, first: int, last: int) -> tuple[int, int]:
    """The first and last point of the line that tells a passage between two points."""
    near = np.abs(y) <= _AWAY * u
    low, high = first, last
    while low > 0 and near[low - 1] and near[low]:
        low -= 1
    while high < y.size - 1 and near[high + 1] and near[high]:
        high += 1
    more = max(first - low, high - last)
    return max(first - more, 0), min(last + more, y.size - 1)


def _through(x: Floats, y: Floats, origin: float) -> tuple[float, float, Floats]:
    """Where the line of least squares is zero, its slope, and how the place hangs on each y, of shape (n,)."""
    t = x - origin
    about = t - t.mean()
    total = float(about @ about)
    steep, level = float(about @ y) / total, float(y.mean())
    if steep == 0:
        raise InputError(f"the curve is level where it meets this y, about x = {origin:g}; no crossing is told by it.")
    at = float(t.mean()) - level / steep
    return origin + at, steep, -1 / (steep * t.size) + level / steep**2 * about / total
