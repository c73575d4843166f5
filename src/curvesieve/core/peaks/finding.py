"""Peaks found in a curve: where it stands out against its noise, at any width, shoulders and curved ground included."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.peaks.noise import noise_of
from curvesieve.core.peaks.ridges import SIGNIFICANCE, Ridge, ridges_of
from curvesieve.core.peaks.scales import edged, response_to_gaussian, responses
from curvesieve.core.scatter import Stretch, whole

LEAST = 3.0
"""The height over the noise of a point that a peak has at the least, where nothing else is asked for."""
MOST = 200
"""So many candidates are told at the most, the most significant ones."""
_FEWEST = 12
_NARROW = 0.3
"""Both neighbours of a peak's top are below this share of it: it is narrower than two points."""
_SPIKE = "narrower than two points, as a spike is"
_FEWEST_WIDE, _AT_EDGE = 1.8, 0.9
_CLIPPED = 3
_FAR, _AGAIN = 3.0, 4
"""The ground is looked for within so many widths."""


@dataclass(frozen=True)
class FoundPeak:
    """A peak as it was found, in the units of the curve: a start for a fit, no result.

    `height` is over the ground beside it, negative for a dip, `noise` the standard deviation of the points there.
    `significance` says how many of its own standard deviations it stands out. `doubt` says what speaks against it.
    """

    center: float
    height: float
    fwhm: float
    noise: float
    significance: float
    shoulder: bool = False
    """Whether it makes no maximum of its own, and is seen by its curvature only."""
    doubt: str = ""

    @property
    def signal_to_noise(self) -> float:
        """Its height over the noise of a point."""
        return abs(self.height) / self.noise if self.noise > 0 else math.inf


@dataclass(frozen=True)
class Found:
    """What was found in a curve, in the order of x, and sentences on what is odd about it."""

    peaks: tuple[FoundPeak, ...]
    notes: tuple[str, ...] = ()


def find_peaks(
    curve: Curve,
    least: float = LEAST,
    widest: float | None = None,
    dips: bool = False,
) -> Found:
    """The peaks of a curve, or its dips, in the order of x.

    `least` is the least height over the noise of a point; whatever it is, a peak must stand out by all of its points
    (`ridges.SIGNIFICANCE`). `widest` is the largest FWHM in the unit of x (None: a quarter of the range). Points that
    are left out are not looked at. Raises InputError for too few points, or for a request that means nothing.
    """
    if not 0 <= least < math.inf:
        raise InputError(f"The least signal to noise must be zero or more, not {least:g}.")
    every = whole(curve)
    points = _distinct(every)
    n = len(points)
    if n < _FEWEST:
        raise InputError(f"There are {counted(n, 'point')} to find peaks in, and {_FEWEST} are needed.")
    x, y = points.x, -points.y if dips else points.y
    if not float(np.ptp(y)) > 0:
        return Found((), (f"All {n:,} points have the same y, {points.y[0]:g}: there is no peak.",))
    scale = float(np.max(np.abs(y)))
    y = _with_tops(y) / scale  # squares stay numbers, whatever the unit
    noise = (noise_of(x, points.y) if points.u is None else points.u) / scale
    spacing = float(np.median(np.diff(x)))
    most = n / 4 if widest is None else widest / spacing
    if not most > 0:
        raise InputError(f"The widest peak must be wider than nothing, not {widest:g}.")
    ridges = ridges_of(responses(y, noise, max(most, 3.0)))
    ridges = [one for one in ridges if one.best >= SIGNIFICANCE and one.inside(y, noise)]
    ridges.sort(key=lambda one: one.place)
    ends = [0.0, *((a.place + b.place) / 2 for a, b in pairwise(ridges)), n - 1.0]
    found = [_told(one, pair, x, y, noise, scale) for one, pair in zip(ridges, pairwise(ends), strict=False)]
    found = [one for one in found if one.signal_to_noise >= least and one.fwhm <= most * spacing * 1.5]
    notes: list[str] = []
    if len(every) > n:
        shared = counted(len(every) - n, "point")
        notes.append(f"{shared} with an x that stands before already were not looked at; put Sort and merge before.")
    if len(found) > MOST:
        notes.append(
            f"{len(found):,} candidates stand out; the {MOST} most significant are told. Ask for a higher signal to "
            "noise."
        )
        found = sorted(found, key=lambda one: -one.significance)[:MOST]
    found.sort(key=lambda one: one.center)
    found = [replace(one, height=-one.height) if dips else one for one in found]
    notes += _clipped(points, dips)
    return Found(tuple(found), tuple(notes))


def _distinct(points: Stretch) -> Stretch:
    """The same with every x once: the mean of the points that share one would have another noise, so the first."""
    rising = np.concatenate([[True], np.diff(points.x) > 0])
    return points if rising.all() else points.take(rising)


def _told(ridge: Ridge, between: tuple[float, float], x: Floats, y: Floats, noise: Floats, scale: float) -> FoundPeak:
    """A ridge as a peak in the units of the curve; its neighbours begin at the places that it is `between`."""
    n = x.size
    place = min(max(ridge.place, 0.0), n - 1.0)
    at = min(round(place), n - 1)
    before = min(int(place), n - 2)
    center = float(x[before] + (place - before) * (x[before + 1] - x[before]))
    spacing = float(x[min(at + 1, n - 1)] - x[max(at - 1, 0)]) / (min(at + 1, n - 1) - max(at - 1, 0))
    each = ridge.best / response_to_gaussian(ridge.width, ridge.widths[int(np.argmax(ridge.values))])
    height, width = each * float(noise[at]), ridge.width
    for _ in range(_AGAIN):
        seen = _over_ground(y, at, width, (round(between[0]), round(between[1])))
        if seen is None:
            break
        settled = width / 1.5 <= seen[1] <= 1.5 * width
        height, width = seen
        if settled:
            break
    top = max(at - 1, 0) + int(np.argmax(y[max(at - 1, 0) : at + 2]))
    doubt = ""
    if 0 < top < n - 1 and width <= 2.5:
        ground = float(np.median(y[max(top - 8, 0) : top + 9]))
        high = float(y[top]) - ground
        if max(float(y[top - 1]), float(y[top + 1])) - ground < _NARROW * high:
            doubt = _SPIKE
    if not doubt and width < _FEWEST_WIDE:
        doubt = _SPIKE
    if not doubt and min(place, n - 1 - place) < _AT_EDGE * width:
        doubt = "at the edge: a part of it is beyond the data"
    half = max(int(width / 2), 1)
    low, high_end = max(at - half, 0), min(at + half + 1, n)
    inner = y[low:high_end]
    slope_only = bool(np.argmax(_smoothed(inner)) in (0, inner.size - 1)) if inner.size >= 3 else False
    return FoundPeak(
        center, height * scale, width * abs(spacing), float(noise[at]) * scale, ridge.best, slope_only, doubt
    )


def _over_ground(y: Floats, at: int, width: float, between: tuple[int, int]) -> tuple[float, float] | None:
    """Height over the ground on both sides and full width at half of it, in points, of a lightly smoothed curve.

    Where it does not fall to half on one side before its neighbour, the other side counts twice; None where neither.
    """
    by = max(int(width / 4), 1)
    low, high = max(between[0], at - int(_FAR * width) - 2), min(between[1], at + int(_FAR * width) + 2)
    if high - low < 3:
        return None
    part = y[max(low - by, 0) : high + by + 1]
    smooth = np.convolve(edged(part, by // 2), np.full(by, 1 / by), "valid")
    top = min(at - max(low - by, 0), smooth.size - 1)
    left, right = smooth[: top + 1][::-1], smooth[top:]
    a, b = int(np.argmin(left)), int(np.argmin(right))
    if a + b == 0:
        return None
    ground = (float(left[a]) * b + float(right[b]) * a) / (a + b)
    height = float(smooth[top]) - ground
    if not height > 0:
        return None
    sides = [_falls_to(side, ground + height / 2) for side in (left, right)]
    reached = [side for side in sides if side is not None]
    return (height, max(2 * sum(reached) / len(reached), 1.0)) if reached else None


def _falls_to(side: Floats, level: float) -> float | None:
    """How many points out a side first falls to a level; None where it does not."""
    below = np.flatnonzero(side <= level)
    if not below.size or not below[0]:
        return None
    k = int(below[0])
    return k - 1 + float((side[k - 1] - level) / (side[k - 1] - side[k]))


def _smoothed(values: Floats) -> Floats:
    width = max(values.size // 4, 1)
    return np.convolve(edged(values, width // 2), np.full(width, 1 / width), "valid")


def _runs(y: Floats) -> list[tuple[int, int]]:
    """Where several points in a row share the largest y: first and last place of each."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], y == y.max(), [False]]).astype(np.int8)))
    pairs = zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True)
    return [(first, end - 1) for first, end in pairs if end - first >= _CLIPPED]


def _with_tops(y: Floats) -> Floats:
    """The curve with an arch over each top that is cut off, so that its two corners are not taken for peaks."""
    made = y.copy()
    for first, last in _runs(y):
        t = np.linspace(0, 1, last - first + 1)
        rise = float(y[first] - y[max(first - 1, 0)]), float(y[last] - y[min(last + 1, y.size - 1)])
        steep = max(*rise, 0.0) * (last - first)
        made[first : last + 1] += steep * t * (1 - t)
    return made


def _clipped(points: Stretch, dips: bool) -> list[str]:
    """A word on tops that are cut off."""
    y = -points.y if dips else points.y
    return [
        f"{counted(last - first + 1, 'point')} from x = {points.x[first]:.6g} on all have y = {points.y[first]:g}: a "
        "detector that was full? Leave them out of the fit, or the top is too low."
        for first, last in _runs(y)
    ]
