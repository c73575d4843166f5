"""Measures of single places: extremes, values, crossings, ends, steps, slopes."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.in_band import InBand
from curvesieve.core.measures.local import around, vertex
from curvesieve.core.rules import Mark, RuleField
from curvesieve.core.scatter import Stretch, joined, single_valued
from curvesieve.core.shapes import Line, Point

_BETWEEN = "between points along straight lines"


class _Extreme(InBand):
    """The highest or lowest point, raw or at the top of a parabola through the points around it."""

    reference = "least squares; JCGM 100:2008, 5.1.2"
    group = "points"

    by: Literal["parabola", "the point itself"] = RuleField(
        "parabola", label="by", help="The top of a parabola through the points around it, or the point as it is."
    )
    points: int = RuleField(
        7, label="points", ge=3, le=100_001, help="How many points the parabola is fitted to.", when="by: parabola"
    )

    sign: ClassVar[int]

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """By the point itself where that lies so close to an end that no parabola has its top there."""
        y = cls.sign * curve.used.y
        place = int(np.argmax(y)) if y.size else 0
        at_end = min(place, y.size - 1 - place) < max(4, 0.03 * y.size)
        return cls(by="the point itself") if at_end else cls()

    def take(self, seen: Seen) -> Taken:
        curve, sign = self.stretch(seen), self.sign
        symbol, at_symbol = (one.quantity for one in self.yields)
        k = int(np.argmax(sign * curve.y))
        x, y = float(curve.x[k]), float(curve.y[k])
        if self.by == "the point itself" or len(curve) < 3:
            found = (Found(symbol, y, np.ones(1)), Found(at_symbol, x))
            said = f"the point itself, at {x:.6g}, which has no u"
            return Taken(found, said, curve.take(slice(k, k + 1)), (Point(x, y),))
        near = curve.take(around(k, self.points, len(curve)))
        place, value, by_place, by_value = vertex(near.x, near.y, x)
        if not near.x[0] <= place <= near.x[-1] or sign * (value - y) > 3 * np.ptp(near.y):
            raise InputError(
                f"the points around x = {x:g} have no {symbol} between them: the extreme lies at the end of the band. "
                "Widen it, or take the point itself."
            )
        t = np.linspace(near.x[0], near.x[-1], 41)
        fit = np.polynomial.Polynomial.fit(near.x, near.y, 2)
        said = f"parabola through {counted(len(near), 'point')} around {x:.6g}"
        shapes = (Line(t, np.asarray(fit(t))), Point(place, value))
        return Taken((Found(symbol, value, by_value), Found(at_symbol, place, by_place)), said, near, shapes)


class HighestPoint(_Extreme):
    """The largest y of a band, and where it is."""

    slug = "highest-point"
    label = "Highest point"
    sign = 1
    summary = "The largest y, and where it is"
    words = "maximum max peak top strength apex"
    yields = (Yield("maximum", "ymax", 0, 1), Yield("x-at-maximum", "xmax", 1, 0))


class LowestPoint(_Extreme):
    """The smallest y of a band, and where it is."""

    slug = "lowest-point"
    label = "Lowest point"
    sign = -1
    summary = "The smallest y, and where it is"
    words = "minimum min valley bottom dip"
    yields = (Yield("minimum", "ymin", 0, 1), Yield("x-at-minimum", "xmin", 1, 0))


class ValueAt(Measure):
    """y at an x, on the straight line between the two points beside it. Beyond the data there is none."""

    slug = "value-at"
    label = "Value at x"
    group = "points"
    summary = "y at an x"
    words = "read interpolate ordinate y at"
    reference = "JCGM 100:2008, 5.1.2"
    handles = (Mark(),)
    yields = (Yield("y", "y", 0, 1),)

    at: float | None = RuleField(None, label="x", unit="x", help="Where y is read; drag the mark.")

    def take(self, seen: Seen) -> Taken:
        if self.at is None:
            raise InputError("x is not set; drag the mark, or type one.")
        curve = single_valued(seen.band(None, None, 2))
        y, weights = value_along(curve, self.at)
        said = f"at {self.at:.6g}, {_BETWEEN}"
        beside = weights != 0
        found = Found("y", y, weights[beside])
        return Taken((found,), said, curve.take(beside), (Point(self.at, y),))

    def digest(self) -> str:
        return "nowhere yet" if self.at is None else f"at {self.at:g}"


def value_along(curve: Stretch, x: float) -> tuple[float, Floats]:
    """y at x along straight lines, and the weight of each point in it, of shape (n,)."""
    if not curve.x[0] <= x <= curve.x[-1]:
        raise InputError(f"x = {x:g} lies beyond the curve, which runs from {curve.x[0]:g} to {curve.x[-1]:g}.")
    right = min(max(int(np.searchsorted(curve.x, x)), 1), len(curve) - 1)
    share = (x - curve.x[right - 1]) / (curve.x[right] - curve.x[right - 1])
    weights = np.zeros(len(curve))
    weights[right - 1], weights[right] = 1 - share, share
    return float(weights @ curve.y), weights


class Ends(Measure):
    """The first and the last point, in the order of the curve."""

    slug = "ends"
    label = "First and last point"
    group = "points"
    summary = "x and y of both ends"
    words = "start begin final break extent"
    reference = "the points themselves"
    yields = (Yield("first-x", "x1", 1, 0), Yield("first-y", "y1", 0, 1), Yield("last-x", "xn", 1, 0),
              Yield("last-y", "yn", 0, 1))  # fmt: skip

    def take(self, seen: Seen) -> Taken:
        rows = seen.whole.rows
        both = seen.whole.take(np.array([int(np.argmin(rows)), int(np.argmax(rows))]))
        (x1, xn), (y1, yn) = both.x.tolist(), both.y.tolist()
        found = (Found("first-x", x1), Found("first-y", y1, np.array([1.0, 0.0])), Found("last-x", xn),
                 Found("last-y", yn, np.array([0.0, 1.0])))  # fmt: skip
        return Taken(found, "the points themselves; no u of x", both, (Point(x1, y1), Point(xn, yn)))

    def digest(self) -> str:
        return ""


class StepHeight(Measure):
    """How far y stands higher behind a place than before it: the means of a stretch on both sides.

    A slope that goes through is taken off where `level` is off: the straight lines of both stretches, prolonged to the
    place, are compared in place of the means.
    """

    slug = "step-height"
    label = "Step height"
    group = "points"
    summary = "How much y jumps at a place"
    words = "jump edge difference offset plateau"
    reference = "difference of two means or of two straight lines; JCGM 100:2008, 5.1.2"
    handles = (Mark(),)
    yields = (Yield("step", "Δy", 0, 1, gap=True),)

    at: float | None = RuleField(None, label="x", unit="x", help="Where the step is; drag the mark.")
    reach: float | None = RuleField(
        None, label="reach", unit="x", gt=0, help="How far to look on both sides; empty: a tenth of the curve."
    )
    apart: float = RuleField(0.0, label="apart", unit="x", ge=0, help="What is left out on both sides of the place.")
    level: bool = RuleField(
        True, label="level sides", help="Off: the sides are straight lines, prolonged to the place."
    )

    def take(self, seen: Seen) -> Taken:
        if self.at is None:
            raise InputError("the place of the step is not set; drag the mark, or type an x.")
        reach = self.reach or float(np.ptp(seen.whole.x)) / 10
        least = 1 if self.level else 2
        left = seen.band(self.at - self.apart - reach, self.at - self.apart, least)
        right = seen.band(self.at + self.apart, self.at + self.apart + reach, least)
        right = right.take(right.x > self.at) if self.apart == 0 else right
        if not len(right):
            raise InputError(f"there is no point behind x = {self.at:g} within {reach:g}.")
        values, parts, shapes = [], [], []
        for side in (left, right):
            weights = self._weights(side)
            values.append(float(weights @ side.y))
            parts.append(weights)
            shapes.append(Line(np.array([side.x[0], self.at, side.x[-1]]), self._along(side)))
        said = f"{counted(len(left), 'point')} before, {counted(len(right), 'point')} behind {self.at:.6g}"
        jump = Line(np.array([self.at, self.at]), np.array(values), "result")
        found = Found("step", values[1] - values[0], np.concatenate([-parts[0], parts[1]]))
        return Taken((found,), said, joined(left, right), (*shapes, jump))

    def _weights(self, side: Stretch) -> Floats:
        """The weight of each point of a side in what it says of the place, of shape (n,)."""
        even = np.full(len(side), 1 / len(side))
        if self.level:
            return even
        about = side.x - side.x.mean()
        total = float(about @ about)
        if total == 0:
            raise InputError("all points of a side have the same x; no line is told by them.")
        assert self.at is not None
        return np.asarray(even + (self.at - float(side.x.mean())) * about / total)

    def _along(self, side: Stretch) -> Floats:
        value = float(self._weights(side) @ side.y)
        if self.level:
            return np.full(3, value)
        slope, level = np.polyfit(side.x - side.x.mean(), side.y, 1)
        assert self.at is not None
        return np.asarray(level + slope * (np.array([side.x[0], self.at, side.x[-1]]) - side.x.mean()))

    def digest(self) -> str:
        return "nowhere yet" if self.at is None else f"at {self.at:g}"


class SlopeAt(Measure):
    """dy/dx at an x: of the straight line of least squares through the points around it."""

    slug = "slope-at"
    label = "Slope at x"
    group = "points"
    summary = "dy/dx at a place"
    words = "tangent derivative gradient rate"
    reference = "least squares, JCGM 100:2008, H.3"
    handles = (Mark(),)
    yields = (Yield("slope", "dy/dx", -1, 1),)

    at: float | None = RuleField(None, label="x", unit="x", help="Where the slope is taken; drag the mark.")
    points: int = RuleField(9, label="points", ge=2, le=100_001, help="How many points the line is fitted to.")

    def take(self, seen: Seen) -> Taken:
        if self.at is None:
            raise InputError("x is not set; drag the mark, or type one.")
        curve = seen.band(None, None, 2)
        if not curve.x[0] <= self.at <= curve.x[-1]:
            raise InputError(
                f"x = {self.at:g} lies beyond the curve, which runs from {curve.x[0]:g} to {curve.x[-1]:g}."
            )
        nearest = np.argsort(np.abs(curve.x - self.at), kind="stable")[: self.points]
        near = curve.take(np.sort(nearest))
        about = near.x - near.x.mean()
        total = float(about @ about)
        if total == 0:
            raise InputError(f"all points around x = {self.at:g} have the same x; no line is told by them.")
        weights = about / total
        slope = float(weights @ near.y)
        ends = np.array([near.x[0], near.x[-1]])
        said = f"line through {counted(len(near), 'point')} around {self.at:.6g}"
        line = Line(ends, near.y.mean() + slope * (ends - near.x.mean()))
        return Taken((Found("slope", slope, weights),), said, near, (line,))

    def digest(self) -> str:
        return "nowhere yet" if self.at is None else f"at {self.at:g}"
