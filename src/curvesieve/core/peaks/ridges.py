"""Peaks followed through the responses of a curve, from the narrowest width at which each is seen to larger ones."""

from __future__ import annotations

import math
from bisect import bisect
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.signal import find_peaks as maxima
from scipy.signal import peak_widths

from curvesieve.core.curve import Floats
from curvesieve.core.peaks.scales import BEST, Response

SIGNIFICANCE = 5.0
"""How many of its own standard deviations, by all of its points, a peak stands out at the least."""
_SEEN = 4.0
"""The same for what is followed from one width to the next."""
_SPLIT = 1.5
"""A peak beside another must rise by so much more from the dip between them: noise makes dips on every slope."""
_NEAR = 0.5
"""Share of a width within which what is seen at the next larger one is the same peak."""
_PAST = 0.8
"""A response that falls to this share of its best, going to larger widths, is over: what comes then is not the peak."""
_ANEW = 2.0
"""A response that many times the best of a peak that was over already is that of a larger one, which had a ripple."""
_RIM = 0.7
"""The response beside a dip is below this share of its depth; of a Gaussian one 0.45."""
_RIM_REACH = 8.0
"""And it is no farther than so many widths."""


@dataclass
class Ridge:
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
        """Whether its top lies within the data: near an end the curve must fall towards it, or it may be all slope.

        `y` and `noise` have shape (n,).
        """
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


def ridges_of(seen: Iterable[Response]) -> list[Ridge]:
    """The peaks that are maxima at some width, each followed to larger widths until it is lost in another."""
    made: list[Ridge] = []
    for response in seen:
        there = _maxima(response)
        places = [one.place for one in there]
        led: dict[int, list[Ridge]] = {}
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
                made.append(Ridge(one.place, one.place))
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
