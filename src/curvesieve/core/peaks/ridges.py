"""Peaks followed through the responses of a curve, from the narrowest width at which each is seen to larger ones."""

from __future__ import annotations

import math
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
        led: dict[int, list[Ridge]] = {}
        for ridge, k in zip(made, there.rulers([ridge.now for ridge in made]), strict=True):
            if k >= 0:
                led.setdefault(k, []).append(ridge)
        begun = sorted(ridge.place for ridge in made)
        places, values = there.place.tolist(), there.value.tolist()
        for k, ridges in led.items():
            nearest = min(ridges, key=lambda ridge: abs(ridge.now - places[k]))
            for ridge in ridges:
                ridge.lost |= ridge is not nearest
                ridge.now = places[k]
            nearest.add(places[k], response.fwhm, values[k])
        # What is new begins where no ridge did before within the stretch that it rules.
        after, before = np.searchsorted(begun, there.low), np.searchsorted(begun, there.high, side="right")
        for k in np.flatnonzero(there.sure & (after == before)).tolist():
            if k not in led:
                made.append(Ridge(places[k], places[k]))
                made[-1].add(places[k], response.fwhm, values[k])
    return made


@dataclass(frozen=True, eq=False)
class _Maxima:
    """The maxima of a response in their order, and the stretches that they rule, in points of the curve: shape (m,)."""

    place: Floats
    value: Floats
    low: Floats
    high: Floats
    sure: NDArray[np.bool_]

    def rulers(self, places: list[float]) -> list[int]:
        """For each place the nearest of the maxima whose stretch it lies in; -1 where there is none."""
        if not self.place.size or not places:
            return [-1] * len(places)
        at = np.array(places)
        after = np.searchsorted(self.place, at, side="right")
        near = np.clip(after[:, None] + np.arange(-2, 2), 0, self.place.size - 1)
        far = np.abs(self.place[near] - at[:, None])
        far[(at[:, None] < self.low[near]) | (at[:, None] > self.high[near])] = np.inf
        best = np.argmin(far, axis=1)
        rows = np.arange(at.size)
        return [int(k) for k in np.where(np.isfinite(far[rows, best]), near[rows, best], -1)]


def _maxima(response: Response) -> _Maxima:
    """The maxima that stand out, in their order."""
    value, every = response.value, response.every
    tops, about = maxima(value, height=_SEEN, prominence=_SEEN)
    kept = np.ones(tops.size, bool)
    kept[list(_rims(value, response.fwhm / every, tops))] = False
    known = (value[tops], about["left_bases"], about["right_bases"])  # widths at half of the height itself
    _, _, left, right = peak_widths(value, tops, 0.5, known)
    reach = _NEAR * response.fwhm
    place = _vertices(value, tops) * every
    low, high = np.minimum(place - reach, left * every), np.maximum(place + reach, right * every)
    sure = about["prominences"] >= SIGNIFICANCE + _SPLIT
    return _Maxima(place[kept], value[tops][kept], low[kept], high[kept], sure[kept])


def _rims(value: Floats, width: float, tops: NDArray[np.intp]) -> set[int]:
    """Which maxima are the rims of a dip, by their place in `tops`: beside it the curve bends as over a peak.

    A dip is a minimum that outdoes the maxima on both its sides; those beside a peak do not outdo the peak.
    """
    deep = np.flatnonzero(value[1:-1] <= -_SEEN) + 1  # few: to look at these alone is ten times sooner
    lows = deep[(value[deep] < value[deep - 1]) & (value[deep] <= value[deep + 1])]
    after = np.searchsorted(tops, lows)
    inner = (after > 0) & (after < tops.size)
    lows, after = lows[inner], after[inner]
    one, other = tops[after - 1], tops[after]
    near = np.maximum(lows - one, other - lows) <= _RIM_REACH * width
    dip = near & (np.maximum(value[one], value[other]) < -_RIM * value[lows])
    return {*(after[dip] - 1).tolist(), *after[dip].tolist()}


def _vertices(values: Floats, tops: NDArray[np.intp]) -> Floats:
    """The places of the tops of the parabolas through maxima and their neighbours, of shape (tops,)."""
    before, at, after = values[tops - 1], values[tops], values[tops + 1]
    bend = before - 2 * at + after
    return np.asarray(tops + np.where(bend < 0, 0.5 * (before - after) / np.where(bend < 0, bend, -1.0), 0.0))
