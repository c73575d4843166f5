"""Peaks found in a curve: where it stands out against its noise, at any width, shoulders and curved ground included."""

from __future__ import annotations

import math
from bisect import bisect
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks as maxima
from scipy.signal import peak_widths

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.peaks.noise import noise_of
from curvesieve.core.peaks.scales import BEST, Response, response_to_gaussian, responses
from curvesieve.core.scatter import Stretch, whole

LEAST = 3.0
"""The height over the noise of a point that a peak has at the least, where nothing else is asked for."""
SIGNIFICANCE = 5.0
"""How many of its own standard deviations, by all of its points, a peak stands out at the least."""
_SEEN = 4.0
"""The same for what is followed from one width to the next."""
MOST = 200
"""So many candidates are told at the most, the most significant ones."""
_SPLIT = 1.5
"""A peak beside another must rise by so much more from the dip between them: noise makes dips on every slope."""
_FEWEST = 12
_NEAR = 0.5
"""Share of a width within which what is seen at the next larger one is the same peak."""
_PAST = 0.8
"""A response that falls to this share of its best, going to larger widths, is over: what comes then is not the peak."""
_ANEW = 2.0
"""A response that many times the best of a peak that was over already is that of a larger one, which had a ripple."""
_NARROW = 0.3
"""Both neighbours of a peak's top are below this share of it: it is narrower than two points."""
_SPIKE = "narrower than two points, as a spike is"
_FEWEST_WIDE, _AT_EDGE = 1.8, 0.9
_CLIPPED = 3
_RIM = 0.7
"""The response beside a dip is below this share of its depth; of a Gaussian one 0.45."""
_RIM_REACH = 8.0
"""And it is no farther than so many widths."""
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


@dataclass
class _Ridge:
    """One peak followed from the narrowest width at which it is seen to larger ones."""

    place: float
    """Where it was seen first, in points."""
    now: float
    widths: list[float] = field(default_factory=list)
    values: list[float] = field(default_factory=list)
    over: bool = False
    """Whether it was seen best at a smaller width already."""
    lost: bool = False
    """Whether another peak is seen in its place at larger widths."""

    def add(self, place: float, width: float, value: float) -> None:
        self.now = place
        if self.lost or (self.over and value < _ANEW * self.best):
            return
        if self.over:  # what was seen first was a ripple on the top of this
            self.over, self.widths, self.values = False, [], []
        if self.values and value < _PAST * self.best:
            self.over = True
            return
        if not self.values or value >= max(self.values):
            self.place = place if not self.widths or width <= 1.5 * self.widths[0] else self.place
        self.widths.append(width)
        self.values.append(value)

    def inside(self, y: Floats, noise: Floats) -> bool:
        """Whether its top lies within the data: near an end the curve must fall towards it, or it may be all slope."""
        room = min(self.place, y.size - 1 - self.place)
        if room >= self.width:
            return True
        many = max(int(room / 3), 1)
        at = round(self.place)
        top = float(np.mean(y[max(at - many // 2, 0) : at + many // 2 + 1]))
        end = float(np.mean(y[:many] if self.place < y.size / 2 else y[-many:]))
        return top - end > 3 * float(noise[at]) * math.sqrt(2 / many)

    @property
    def best(self) -> float:
        return max(self.values)

    @property
    def width(self) -> float:
        """The FWHM in points of a Gaussian that stands out best at the width that it does."""
        return max(self.widths[int(np.argmax(self.values))] / BEST, 1.5)


def find_peaks(
    curve: Curve,
    least: float = LEAST,
    widest: float | None = None,
    dips: bool = False,
) -> Found:
    """The peaks of a curve, or its dips, in the order of x.

    `least` is the least height over the noise of a point; whatever it is, a peak must stand out by all of its points
    (`SIGNIFICANCE`). `widest` is the largest FWHM in the unit of x (None: a quarter of the range). Points that are left
    out are not looked at. Raises InputError for too few points, or for a request that means nothing.
    """
    if not 0 <= least < math.inf:
        raise InputError(f"The least signal to noise must be zero or more, not {least:g}.")
    points = _distinct(whole(curve))
    n = len(points)
    if n < _FEWEST:
        raise InputError(f"There are {counted(n, 'point')} to find peaks in, and {_FEWEST} are needed.")
    x, y = points.x, -points.y if dips else points.y
    if not float(np.ptp(y)) > 0:
        return Found((), (f"All {n:,} points have the same y, {curve.y[0]:g}: there is no peak.",))
    scale = float(np.max(np.abs(y)))
    y = _with_tops(y) / scale  # squares stay numbers, whatever the unit
    noise = (noise_of(x, points.y) if points.u is None else points.u) / scale
    spacing = float(np.median(np.diff(x)))
    most = n / 4 if widest is None else widest / spacing
    if not most > 0:
        raise InputError(f"The widest peak must be wider than nothing, not {widest:g}.")
    ridges = _ridges(responses(y, noise, max(most, 3.0)))
    ridges = [one for one in ridges if one.best >= SIGNIFICANCE and one.inside(y, noise)]
    ridges.sort(key=lambda one: one.place)
    ends = [0.0, *((a.place + b.place) / 2 for a, b in pairwise(ridges)), n - 1.0]
    found = [_told(one, pair, x, y, noise, scale) for one, pair in zip(ridges, pairwise(ends), strict=False)]
    found = [one for one in found if one.signal_to_noise >= least and one.fwhm <= most * spacing * 1.5]
    notes: list[str] = []
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


def _ridges(seen: Iterable[Response]) -> list[_Ridge]:
    """The peaks that are maxima at some width, each followed to larger widths until it is lost in another."""
    made: list[_Ridge] = []
    for response in seen:
        there = _maxima(response)
        places = [one.place for one in there]
        led: dict[int, list[_Ridge]] = {}
        for ridge in made:
            k = _ruler(there, places, ridge.now)
            if k is not None:
                led.setdefault(k, []).append(ridge)
        for k, one in enumerate(there):
            if k in led:
                nearest = min(led[k], key=lambda ridge: abs(ridge.now - one.place))
                for ridge in led[k]:
                    ridge.lost |= ridge is not nearest
                    ridge.now = one.place
                nearest.add(one.place, response.fwhm, one.value)
            elif one.sure and not any(one.low <= ridge.place <= one.high for ridge in made):
                made.append(_Ridge(one.place, one.place))
                made[-1].add(one.place, response.fwhm, one.value)
    return made


def _ruler(there: list[_Maximum], places: list[float], at: float) -> int | None:
    """The nearest of the maxima, in their order, whose stretch a place lies in."""
    after = bisect(places, at)
    inside = [k for k in range(max(after - 2, 0), min(after + 2, len(there))) if there[k].low <= at <= there[k].high]
    return min(inside, key=lambda k: abs(places[k] - at), default=None)


@dataclass(frozen=True)
class _Maximum:
    """A maximum of a response, and the stretch that it rules, in points of the curve."""

    place: float
    value: float
    low: float
    high: float
    sure: bool


def _maxima(response: Response) -> list[_Maximum]:
    """The maxima that stand out, in their order."""
    value, every = response.value, response.every
    tops, about = maxima(value, height=_SEEN, prominence=_SEEN)
    rims = _rims(value, response.fwhm / every, tops)
    known = (value[tops], about["left_bases"], about["right_bases"])  # widths at half of the height itself
    _, _, left, right = peak_widths(value, tops, 0.5, known)
    reach = _NEAR * response.fwhm
    made = []
    for k, top in enumerate(tops.tolist()):
        if k in rims:
            continue
        place = _vertex(value, top) * every
        low, high = min(place - reach, float(left[k]) * every), max(place + reach, float(right[k]) * every)
        made.append(_Maximum(place, float(value[top]), low, high, about["prominences"][k] >= SIGNIFICANCE + _SPLIT))
    return made


def _rims(value: Floats, width: float, tops: NDArray[np.intp]) -> set[int]:
    """Which maxima are the rims of a dip, by their place in `tops`: beside it the curve bends as over a peak.

    A dip is a minimum that outdoes the maxima on both its sides; those beside a peak do not outdo the peak.
    """
    lows = maxima(-value, height=_SEEN)[0]
    after = np.searchsorted(tops, lows)
    inner = (after > 0) & (after < tops.size)
    lows, after = lows[inner], after[inner]
    one, other = tops[after - 1], tops[after]
    near = np.maximum(lows - one, other - lows) <= _RIM_REACH * width
    dip = near & (np.maximum(value[one], value[other]) < -_RIM * value[lows])
    return {*(after[dip] - 1).tolist(), *after[dip].tolist()}


def _vertex(values: Floats, top: int) -> float:
    """The place of the top of the parabola through a maximum and its neighbours."""
    if not 0 < top < values.size - 1:
        return float(top)
    before, at, after = values[top - 1 : top + 2]
    bend = before - 2 * at + after
    return top + 0.5 * float(before - after) / float(bend) if bend < 0 else float(top)


def _told(ridge: _Ridge, between: tuple[float, float], x: Floats, y: Floats, noise: Floats, scale: float) -> FoundPeak:
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
        settled = seen[1] <= 1.5 * width
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
    smooth = np.convolve(np.pad(part, by // 2, mode="edge"), np.full(by, 1 / by), "valid")
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
    return np.convolve(np.pad(values, width // 2, mode="edge"), np.full(width, 1 / width), "valid")


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
