"""Measures of what lies under a curve: areas, moments, widths."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitted_line import fitted_line
from curvesieve.core.measures.base import Found, Seen, Taken, Yield
from curvesieve.core.measures.in_band import InBand
from curvesieve.core.measures.local import around, crossing_at, crossings, vertex
from curvesieve.core.measures.outcome import own_name
from curvesieve.core.measures.trace import Trace, doubt_of, in_unit
from curvesieve.core.rules import Band, Flanks, RuleField
from curvesieve.core.scatter import Stretch, single_valued
from curvesieve.core.shapes import Fill, Line, Point

Base = Literal["zero", "chord", "value", "line beside"]


@dataclass(frozen=True, eq=False)
class _Over:
    """Points of a band with their heights over a base, and the points that both rest on.

    `shares` has shape (n, m): of each of the m points that make the base in the base under each of the n; these are at
    `makers` in `used`, the points themselves at `own`.
    """

    points: Stretch
    height: Floats
    used: Stretch
    own: slice
    makers: NDArray[np.intp]
    shares: Floats

    def slopes(self, against_heights: Floats) -> Floats:
        """Slopes against the y of `used` from slopes against the heights, of shape (n,)."""
        slopes = np.zeros(len(self.used))
        slopes[self.own] = against_heights
        np.subtract.at(slopes, self.makers, against_heights @ self.shares)
        return slopes

    @property
    def base(self) -> Floats:
        """The y of the base under each point."""
        return self.points.y - self.height


class _OverBase(InBand):
    """A band of the curve over a base: zero, a value, the chord between its ends, or a line through what is beside."""

    group = "areas"
    handles = (Band(), Flanks(when="base: line beside"))

    base: Base = RuleField(
        "zero",
        label="over",
        help="Zero, a value, the chord between the band's ends, or a line through what is beside it.",
    )
    value: float = RuleField(0.0, label="value", unit="y", help="The y that counts as nothing.", when="base: value")
    flank: float | None = RuleField(
        None, label="beside", unit="x", gt=0, when="base: line beside",
        help="How wide the stretches on both sides are that the line is fitted to; empty: as wide as the band.",
    )  # fmt: skip

    def _over(self, seen: Seen, least: int) -> _Over:
        points = single_valued(self.stretch(seen, least))
        n, whole = len(points), slice(None)
        if self.base == "chord":
            along = (points.x - points.x[0]) / (points.x[-1] - points.x[0])
            shares = np.column_stack([1 - along, along])
            return _Over(points, points.y - shares @ points.y[[0, -1]], points, whole, np.array([0, n - 1]), shares)
        if self.base == "line beside":
            return self._over_line(seen, points)
        level = self.value if self.base == "value" else 0.0
        return _Over(points, points.y - level, points, whole, np.zeros(0, np.intp), np.zeros((n, 0)))

    def _over_line(self, seen: Seen, points: Stretch) -> _Over:
        """Over the line of least squares through the points within the flanks on both sides."""
        if self.low is None or self.high is None:
            raise InputError("a line beside the band needs both ends of the band; drag it inwards.")
        flank = self.flank if self.flank is not None else self.high - self.low
        x = seen.whole.x
        first, last = np.searchsorted(x, [self.low, self.low - flank], "left")[::-1]
        after, end = np.searchsorted(x, [self.high, self.high + flank], "right")
        if last == first or end == after:
            raise InputError(
                f"there is no point beside the band on the {'left' if last == first else 'right'}; the line needs some "
                "on both sides."
            )
        used = single_valued(seen.whole.take(slice(first, end)))
        makers = np.concatenate([np.arange(last - first), np.arange(after - first, end - first)])
        line = fitted_line(used.take(makers), True)
        shares = line.slopes[0] + (points.x - line.origin)[:, None] * line.slopes[1]
        return _Over(
            points, points.y - shares @ used.y[makers], used, slice(last - first, after - first), makers, shares
        )

    def _said_base(self) -> str:
        named = {"zero": "zero", "chord": "the chord", "line beside": "the line beside"}
        return named.get(self.base, f"{self.value:g}")


class Area(_OverBase):
    """The area between the curve and its base over a band, whose ends are points of the curve.

    The trapezium rule takes straight lines between the points, Simpson's parabolas through three (irregular spacing:
    K. V. Cartwright, J. Math. Sci. Math. Educ. 12 (2017) 1; from memory). An unsigned area counts what lies below the
    base, too, and goes with straight lines.
    """

    slug = "area"
    label = "Area"
    summary = "The area under a stretch of the curve"
    words = "integral integrate energy work toughness sum"
    reference = "trapezium or Simpson's rule; JCGM 100:2008, 5.1.2"
    yields = (Yield("area", "area", 1, 1),)

    rule: Literal["trapezium", "simpson"] = RuleField("trapezium", label="rule", help="What lies between the points.")
    until: str = RuleField(
        "",
        label="until",
        help="A reading of x before this at which the area ends, such as break_strain; empty: as above.",
    )
    signed: bool = RuleField(True, label="signed", help="Whether what lies below the base counts against the rest.")

    def take(self, seen: Seen) -> Taken:
        if self.until.strip():
            return self._until(seen)
        over = self._over(seen, 2)
        points, height = over.points, over.height
        if not self.signed:
            if self.rule == "simpson":
                raise InputError("an unsigned area goes with straight lines; choose the trapezium rule.")
            area, slopes = unsigned_area(points.x, height)
        else:
            slopes = simpson_weights(points.x) if self.rule == "simpson" else trapezium_weights(points.x)
            area = float(slopes @ height)
        said = f"{self.rule}, {counted(len(points), 'point')}, over {self._said_base()}"
        found = (Found("area", area, over.slopes(slopes)),)
        return Taken(found, said, over.used, (Fill(points.x, over.base, points.y),))

    def _until(self, seen: Seen) -> Taken:
        """To where an earlier reading says, on the straight line between two points; u has that of the end, too."""
        name = own_name(self.until)
        traced = seen.earlier.asked(name)
        if self.base in ("chord", "line beside") or not self.signed or self.rule == "simpson":
            raise InputError("an area until a reading is signed, by the trapezium rule, over zero or a value.")
        reading, trace = in_unit(traced, seen.curve.x_unit)
        end = reading.value
        points = single_valued(seen.band(self.low, None))
        for own in (points.x[0], points.x[-1]):  # a place that went through another unit is the same place
            if abs(end - own) <= 1e-12 * abs(own):
                end = float(own)
        inside = int(np.searchsorted(points.x, end, "right"))  # the points up to the end
        if inside == 0 or end > points.x[-1]:
            raise InputError(f"{name}, at {end:.6g}, lies beyond the points of the band.")
        cut = end > points.x[inside - 1]
        used = points.take(slice(0, inside + cut))
        level = self.value if self.base == "value" else 0.0
        last = inside - 1
        share = (end - used.x[last]) / (used.x[-1] - used.x[last]) if cut else 0.0
        slopes = np.zeros(len(used))
        slopes[:inside] = trapezium_weights(used.x[:inside])
        slopes[[last, -1]] += np.array([1 - share / 2, share / 2]) * (end - used.x[last])
        height = float(used.y[last] + share * (used.y[-1] - used.y[last])) - level
        area = float(slopes @ (used.y - level))
        x = np.append(used.x[:inside], end)
        fill = Fill(x, np.full_like(x, level), np.append(used.y[:inside], height + level))
        said = f"trapezium rule over {self._said_base()}, until {name} at {end:.6g}"
        sigma = seen.spread.at(used)
        if trace is None or sigma is None:
            return Taken((Found("area", area, slopes),), said, used, (fill,), warning=doubt_of([traced]))
        whole = Trace.sum([(Trace(used.rows, slopes * sigma), 1.0), (trace, height)])
        how = f"{seen.spread.said}, and from that of {name}"
        return Taken((Found("area", area, u=whole.u, trace=whole),), said, used, (fill,), how, doubt_of([traced]))

    def digest(self) -> str:
        until = f"until {self.until}" if self.until else self.said_band()
        return f"{until}, over {self._said_base()}"


def trapezium_weights(x: Floats) -> Floats:
    """The weight of each y in ∫ y dx of straight lines between points; `x` has shape (n,), and may go to and fro."""
    steps = np.diff(x)
    weights = np.zeros(x.size)
    weights[:-1] += steps / 2
    weights[1:] += steps / 2
    return weights


def simpson_weights(x: Floats) -> Floats:
    """The weight of each y in the area of parabolas through three points each; `x` has shape (n,), rising.

    An interval that is left over at the end belongs to the parabola through the last three points.
    """
    if x.size < 3:
        return trapezium_weights(x)
    h = np.diff(x)
    weights = np.zeros(x.size)
    pairs = np.arange(0, x.size - 2, 2)
    a, b = h[pairs], h[pairs + 1]
    np.add.at(weights, pairs, (a + b) / 6 * (2 - b / a))
    np.add.at(weights, pairs + 1, (a + b) ** 3 / (6 * a * b))
    np.add.at(weights, pairs + 2, (a + b) / 6 * (2 - a / b))
    if x.size % 2 == 0:
        a1, b1 = float(h[-2]), float(h[-1])
        weights[-1] += (2 * b1**2 + 3 * a1 * b1) / (6 * (a1 + b1))
        weights[-2] += (b1**2 + 3 * a1 * b1) / (6 * a1)
        weights[-3] -= b1**3 / (6 * a1 * (a1 + b1))
    return weights


def unsigned_area(x: Floats, y: Floats) -> tuple[float, Floats]:
    """∫|y|dx along straight lines, and its slopes against the points' y; all of shape (n,), x rising."""
    h, y0, y1 = np.diff(x), y[:-1], y[1:]
    share = np.divide(np.abs(y0), np.abs(y0) + np.abs(y1), out=np.full(h.size, 0.5), where=(y0 * y1) < 0)
    cross = (y0 * y1) < 0
    s0, s1 = np.sign(np.where(y0 != 0, y0, y1)), np.sign(np.where(y1 != 0, y1, y0))
    by0 = np.where(cross, s0 * (share - share**2 / 2) + s1 * (1 - share) ** 2 / 2, s0 / 2) * h
    by1 = np.where(cross, s0 * share**2 / 2 + s1 * (0.5 - share**2 / 2), s1 / 2) * h
    slopes = np.zeros(x.size)
    slopes[:-1] += by0
    slopes[1:] += by1
    return float(slopes @ y), slopes


class Moments(_OverBase):
    """Centroid and standard deviation of what lies over the base, as of a distribution; and its skewness."""

    slug = "moments"
    label = "Centroid and moments"
    summary = "Centroid, width and skewness of a band, without a model"
    words = "centre center of mass centroid variance second moment skew"
    reference = "moments by the trapezium rule; JCGM 100:2008, 5.1.2"
    yields = (
        Yield("centroid", "centroid", 1, 0),
        Yield("deviation", "sd", 1, 0, gap=True),
        Yield("skewness", "skewness", aside=True),
    )

    def take(self, seen: Seen) -> Taken:
        over = self._over(seen, 3)
        points, height = over.points, over.height
        weights = trapezium_weights(points.x)
        total = float(weights @ height)
        if not total > 0:
            raise InputError(f"the area over {self._said_base()} is {total:g}; moments need one above zero.")
        parts = weights * height / total
        centroid = float(parts @ points.x)
        away = points.x - centroid
        variance, third = float(parts @ away**2), float(parts @ away**3)
        if not variance > 0:
            raise InputError("what lies below the base outweighs the rest far out; choose another band or base.")
        deviation = math.sqrt(variance)
        skewness = third / deviation**3
        by_height = weights / total
        slopes = {
            "centroid": by_height * away,
            "deviation": by_height * (away**2 - variance) / (2 * deviation),
        }
        slopes["skewness"] = (
            by_height * (away**3 - third - 3 * variance * away) / deviation**3
            - 3 * third / deviation**4 * slopes["deviation"]
        )
        values = {"centroid": centroid, "deviation": deviation, "skewness": skewness}
        found = tuple(Found(q, value, over.slopes(slopes[q])) for q, value in values.items())
        at = float(np.interp(centroid, points.x, points.y))
        shapes = (Fill(points.x, over.base, points.y), Point(centroid, at))
        said = f"{counted(len(points), 'point')}, over {self._said_base()}"
        return Taken(found, said, over.used, shapes)

    def digest(self) -> str:
        return f"over {self._said_base()}"


class WidthAtShare(_OverBase):
    """How wide a peak is where it has a share of its height over the base, with no model of it.

    The height is the top of a parabola through the points around the highest, or that point's; the sides are where the
    curve first passes the share of it on the way outward, told as by *x at value*.
    """

    slug = "width-at-share"
    label = "Width at a share of the height"
    summary = "Full width at half (or another share of the) maximum, without a model"
    words = "fwhm half maximum breadth broadening linewidth"
    reference = "JCGM 100:2008, 5.1.2"
    yields = (
        Yield("width", "width", 1, 0, gap=True),
        Yield("left", "x1", 1, 0, True),
        Yield("right", "x2", 1, 0, True),
    )

    share: float = RuleField(0.5, label="share", gt=0, lt=1, help="Share of the height; 0.5 is the half.")
    by: Literal["parabola", "the point itself"] = RuleField(
        "parabola", label="height by", help="The top of a parabola through the points around it, or the highest point."
    )
    points: int = RuleField(
        7, label="points", ge=3, le=100_001, help="How many points the parabola is fitted to.", when="by: parabola"
    )

    def take(self, seen: Seen) -> Taken:
        over = self._over(seen, 3)
        points, height = over.points, over.height
        top, high, by_height = self._top(points.x, height)
        if not high > 0:
            raise InputError(f"nothing in the band lies above {self._said_base()}.")
        u, above = seen.spread.at(points), height - self.share * high
        passages = crossings(points.x, above, u)
        left = [one for one in passages if one[2] and one[0] < top]
        right = [one for one in passages if not one[2] and one[1] > top]
        if not left or not right:
            side = "left" if not left else "right"
            raise InputError(f"the peak does not fall to {self.share:g} of its height on the {side}; widen the band.")
        sides = [crossing_at(points.x, above, u, one) for one in (left[-1], right[0])]
        ends = [side.x for side in sides]
        slopes = [over.slopes(side.slopes + self.share * side.against_level * by_height) for side in sides]
        found = (
            Found("width", ends[1] - ends[0], slopes[1] - slopes[0]),
            Found("left", ends[0], slopes[0]),
            Found("right", ends[1], slopes[1]),
        )
        base = np.interp(ends, points.x, over.base)
        said = f"at {self.share:g} of {high:.6g} over {self._said_base()}"
        line = Line(np.array(ends), base + self.share * high, "result")
        return Taken(found, said, over.used, (line, Point(float(points.x[top]), float(points.y[top]))))

    def _top(self, x: Floats, height: Floats) -> tuple[int, float, Floats]:
        """The highest point, the height, and its slopes against all heights; arrays of shape (n,)."""
        top, slopes = int(np.argmax(height)), np.zeros(x.size)
        if self.by == "the point itself":
            slopes[top] = 1.0
            return top, float(height[top]), slopes
        near = around(top, self.points, x.size)
        place, value, _, slopes[near] = vertex(x[near], height[near], float(x[top]))
        if not x[near][0] <= place <= x[near][-1]:
            raise InputError("the highest point lies at the end of the band; widen it, or take the point itself.")
        return top, value, slopes

    def digest(self) -> str:
        return f"at {self.share:g}, over {self._said_base()}"
