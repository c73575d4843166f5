"""The axes of a chart: marks at known values, skewed and turned axes, linear, logarithmic or reciprocal, with u.

Pixels are counted from the top left corner of the picture, their centres at halves.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted

Scale = Literal["linear", "log10", "ln", "reciprocal", "dates"]
"""Dates are even; their values are seconds."""
_FEWEST = 2
_SINE = 0.02
"""Axes that stand at a smaller angle than this (about 1°) are one axis marked twice."""

_THERE: Mapping[str, Callable[[Floats], Floats]] = {
    "linear": lambda v: v, "log10": np.log10, "ln": np.log, "reciprocal": lambda v: 1 / v,
    "dates": lambda v: v,
}  # fmt: skip
_BACK: Mapping[str, Callable[[Floats], Floats]] = {
    "linear": lambda s: s, "log10": lambda s: 10.0**s, "ln": np.exp, "reciprocal": lambda s: 1 / s,
    "dates": lambda s: s,
}  # fmt: skip
_RATES: Mapping[str, Callable[[Floats], Floats]] = {
    "linear": np.ones_like, "log10": lambda v: v * math.log(10), "ln": lambda v: v, "reciprocal": lambda v: -(v**2),
    "dates": np.ones_like,
}  # fmt: skip
"""How fast a value goes with its even scale."""
HALF_PIXEL = 0.5 / math.sqrt(3)
"""The standard uncertainty, in pixels, of what is drawn in whole pixels: half a pixel either way, all equally likely
(JCGM 100:2008, 4.3.7)."""
_BELIEVED = 0.5
"""As many marks as the uncertainty that is believed before any miss was seen counts for: so that twice the u covers
the truth in about 95 % of charts whose truth is known."""
_ON_TICK_PX = 1.5
"""Pixels that a mark may lie off a tick and still be on it."""
_FINEST_PX = 0.1
"""No place is believed better than to this, in pixels."""
_STEP_PX = 0.01
"""By which pixels are moved to find slopes."""


@dataclass(frozen=True)
class Mark:
    """A known place of an axis: its pixel and the value that stands there."""

    px: float
    py: float
    value: float
    typed: bool = True
    """False for a tick whose value follows from those that were typed."""


@dataclass(frozen=True, eq=False)
class Axis:
    """One calibrated axis: `begin` and `along` in pixels, along being one unit of the even scale, each of shape (2,).

    `misses` are how many pixels each mark lies off the line through all, along the axis; `u_px` is the standard
    uncertainty of a mark in pixels, from the misses where there are more than two marks.
    """

    scale: Scale
    marks: tuple[Mark, ...]
    begin: Floats
    along: Floats
    misses: Floats
    u_px: float

    @property
    def worst(self) -> float:
        """The largest miss of a mark, in pixels."""
        return float(np.abs(self.misses).max())


def calibrated(marks: Sequence[Mark], scale: Scale, name: str, u_px: float = HALF_PIXEL) -> Axis:
    """The axis through marks, by least squares where there are more than two.

    `u_px` is the standard uncertainty of a mark in pixels as it is believed before; what the misses of more than two
    marks say is set against it, as if it had been seen on two marks.

    Raises InputError for fewer than two, for two at one pixel or of one value, and for values that the scale has no
    place for.
    """
    if len(marks) < _FEWEST:
        raise InputError(f"The {name} axis needs two marks at least; it has {counted(len(marks), 'mark')}.")
    values = np.array([mark.value for mark in marks])
    if scale in ("log10", "ln") and (values <= 0).any():
        bad = float(values[values <= 0][0])
        raise InputError(f"A logarithmic {name} axis has no place for {bad:g}; give that mark another value.")
    if scale == "reciprocal" and (values == 0).any():
        raise InputError(f"A reciprocal {name} axis has no place for 0; give that mark another value.")
    even = _THERE[scale](values)
    places = np.array([(mark.px, mark.py) for mark in marks])
    spread = even - even.mean()
    if float(np.ptp(even)) == 0:
        raise InputError(f"All marks of the {name} axis have the value {values[0]:g}; two are needed that differ.")
    if float(np.ptp(places, axis=0).max()) == 0:
        raise InputError(f"All marks of the {name} axis are at one pixel; move one of them.")
    along = spread @ (places - places.mean(axis=0)) / float(spread @ spread)
    if float(np.hypot(*along)) == 0:
        raise InputError(f"The marks of the {name} axis say no direction: equal pixels have unlike values.")
    begin = places.mean(axis=0) - along * even.mean()
    off = places - (begin + even[:, None] * along)
    misses = off @ along / np.hypot(*along)
    spare = len(marks) - 2
    found = math.sqrt((float(misses @ misses) + _BELIEVED * u_px**2) / (spare + _BELIEVED))
    return Axis(scale, tuple(marks), begin, along, misses, found)


@dataclass(frozen=True, eq=False)
class Frame:
    """Both axes of a chart. Places are read along the other axis, so that axes may be skewed and turned."""

    x: Axis
    y: Axis

    def values(self, places: Floats) -> Floats:
        """The values (x, y) of pixels of shape (n, 2), of the same shape."""
        s = self._even(places)
        with np.errstate(over="ignore", divide="ignore"):
            return np.stack([_BACK[self.x.scale](s[:, 0]), _BACK[self.y.scale](s[:, 1])], axis=1)

    def pixels(self, values: Floats) -> Floats:
        """The pixels of values of shape (n, 2), of the same shape: no number where a scale has no place for a value."""
        with np.errstate(invalid="ignore", divide="ignore"):
            s = np.stack([_THERE[self.x.scale](values[:, 0]), _THERE[self.y.scale](values[:, 1])], axis=1)
        corner, base = self._base()
        return np.asarray(corner + s @ base.T)

    def _base(self) -> tuple[Floats, Floats]:
        """The pixel where both even scales are zero, of shape (2,), and their directions as columns, (2, 2)."""
        base = np.stack([self.x.along, self.y.along], axis=1)
        # begin of x has an unknown share of y in it and the other way round: the lines of both axes meet in the corner
        shares = np.linalg.solve(np.stack([self.x.along, -self.y.along], axis=1), self.y.begin - self.x.begin)
        corner = self.x.begin + shares[0] * self.x.along  # where the axes cross
        return corner - shares[0] * self.x.along - shares[1] * self.y.along, base

    @cached_property
    def _affine(self) -> tuple[Floats, Floats]:
        """From pixels to even scales: a matrix (2, 2) and what is added, (2,)."""
        corner, base = self._base()
        turn = np.linalg.inv(base)
        return np.asarray(turn, float), np.asarray(-turn @ corner, float)

    def _even(self, places: Floats) -> Floats:
        turn, shift = self._affine
        return np.asarray(places @ turn.T + shift)

    @property
    def u_px(self) -> float:
        """The standard uncertainty of a place that snapped, in pixels: how well the ticks of this picture are drawn.

        Never better than a tenth of a pixel, never worse than half a pixel either way.
        """
        return float(np.clip(math.sqrt((self.x.u_px**2 + self.y.u_px**2) / 2), _FINEST_PX, HALF_PIXEL))

    def u(self, places: Floats, u_px: float) -> Floats:
        """The standard uncertainty of the values of pixels of shape (n, 2), of the same shape.

        Of reading a place to `u_px` pixels in both directions, and of every mark to the `u_px` of its axis in both,
        carried on by the slopes against each (JCGM 100:2008, 5.1.2): an axis that is a little turned moves the other's
        values, too.
        """
        rates = self._rates(places)
        of_marks = (self._of_marks(places) ** 2).sum(axis=0)
        return np.asarray(np.abs(rates) * np.sqrt(u_px**2 * (self._affine[0] ** 2).sum(axis=1) + of_marks))

    def u_of_difference(self, places: Floats, axis: int) -> float:
        """The standard uncertainty of the difference of two places, of shape (2, 2), along the x (0) or y axis (1).

        What both have in common of the marks of the axes falls out (JCGM 100:2008, 5.2.2).
        """
        rates = self._rates(places)[:, axis]
        reading = self.u_px**2 * float((self._affine[0][axis] ** 2).sum()) * float((rates**2).sum())
        marks = rates * self._of_marks(places)[:, :, axis]
        return math.sqrt(reading + float(((marks[:, 0] - marks[:, 1]) ** 2).sum()))

    def _rates(self, places: Floats) -> Floats:
        """How fast values go with the even scales at pixels of shape (n, 2), of the same shape."""
        values = self.values(places)
        return np.stack([_RATES[self.x.scale](values[:, 0]), _RATES[self.y.scale](values[:, 1])], axis=1)

    def _of_marks(self, places: Floats) -> Floats:
        """What the u of each mark, in each direction, does to the even scales at pixels: shape (marks, n, 2)."""
        turns, shifts = self._moves
        return np.asarray(np.einsum("kij,nj->kni", turns, places) + shifts[:, None])

    @cached_property
    def _moves(self) -> tuple[Floats, Floats]:
        """How the map from pixels to even scales goes with each mark, times that mark's u: (k, 2, 2) and (k, 2)."""
        turns, shifts = [], []
        for name in ("x", "y"):
            axis: Axis = getattr(self, name)
            for number in range(len(axis.marks)):
                for across in (False, True):
                    more, less = (self._with(name, number, across, by)._affine for by in (_STEP_PX, -_STEP_PX))
                    turns.append(axis.u_px * (more[0] - less[0]) / (2 * _STEP_PX))
                    shifts.append(axis.u_px * (more[1] - less[1]) / (2 * _STEP_PX))
        return np.array(turns), np.array(shifts)

    def _with(self, name: str, number: int, across: bool, by: float) -> Frame:
        """The frame with one mark moved by so many pixels: the line through all follows it by least squares."""
        axis: Axis = getattr(self, name)
        even = _THERE[axis.scale](np.array([mark.value for mark in axis.marks]))
        spread = even - even.mean()
        turns = spread[number] / float(spread @ spread)
        move = np.array([0.0, by]) if across else np.array([by, 0.0])
        moved = replace(
            axis, along=axis.along + turns * move, begin=axis.begin + (1 / even.size - turns * even.mean()) * move
        )
        return replace(self, **{name: moved})


def framed(x: Axis, y: Axis) -> Frame:
    """The frame of two axes; raises InputError where they stand at one angle, so that no place has two values."""
    cross = float(x.along[0] * y.along[1] - x.along[1] * y.along[0])
    sine = abs(cross) / float(np.hypot(*x.along) * np.hypot(*y.along))
    if sine < _SINE:
        raise InputError("Both axes go in one direction; move the marks of one of them to the other axis.")
    return Frame(x, y)


def filled(marks: Sequence[Mark], scale: Scale, even: Floats) -> tuple[Mark, ...]:
    """Marks with the ticks between and beside them, whose values follow where ticks stand at even places.

    `even` are the pixels of ticks, of shape (n, 2), which stand evenly in their scale, as long ticks do. All stays as
    it is where the marks are not on such places, or fewer than two values differ.
    """
    values = _THERE[scale](np.array([mark.value for mark in marks])) if marks else np.empty(0)
    if len(marks) < _FEWEST or len(even) < _FEWEST or not np.all(np.isfinite(values)) or float(np.ptp(values)) == 0:
        return tuple(marks)
    places = np.array([(mark.px, mark.py) for mark in marks])
    way = places[int(np.argmax(values))] - places[int(np.argmin(values))]
    length = float(np.hypot(*way))
    if length == 0:
        return tuple(marks)
    at, ticks = (np.sort(of @ way / length) if of is even else of @ way / length for of in (places, even))
    space = float(np.median(np.diff(ticks)))
    number = np.round((ticks - ticks[0]) / space)
    if np.abs((ticks - ticks[0]) / space - number).max() * space > _ON_TICK_PX * 2:
        return tuple(marks)
    space, first = np.polyfit(number, ticks, 1) if number.size > 1 else (space, ticks[0])
    counted_ = np.round((at - first) / space)
    if np.abs((at - first) / space - counted_).max() * space > _ON_TICK_PX or float(np.ptp(counted_)) == 0:
        return tuple(marks)
    slope, start = np.polyfit(counted_, values, 1)
    more = []
    for place, n in zip(even[np.argsort(even @ way)], number, strict=True):
        if np.hypot(*(places - place).T).min() > _ON_TICK_PX:
            with np.errstate(over="ignore", divide="ignore"):
                value = float(_BACK[scale](np.array(start + slope * n)))
            if math.isfinite(value):
                more.append(Mark(float(place[0]), float(place[1]), value, typed=False))
    return (*marks, *more)
