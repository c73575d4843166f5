"""Measures in which a curve meets a line, or a level that it itself sets."""

from __future__ import annotations

from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitted_line import FittedLine, fitted_line
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.in_band import InBand
from curvesieve.core.measures.local import crossing_at, crossings
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import Stretch, single_valued
from curvesieve.core.shapes import Line, Point


class MeetingOfLines(Banded, Measure):
    """Where a straight part meets another, or the curve further on; the line may be moved along x first.

    Both lines are of least squares. The curve is met where it first passes the line behind the band, told as by
    *x at value*.
    """

    slug = "meeting-of-lines"
    label = "Crossing of lines"
    group = "lines"
    summary = "Where a straight part meets another, or the curve"
    words = "intersection onset tangent tangents offset intersect meets knee transition"
    reference = "least squares, JCGM 100:2008, H.3 and 5.1.2"
    handles = (
        Band(opens=(0.05, 0.25)),
        Band(low="other_low", high="other_high", when="meets: another line", opens=(0.75, 0.95)),
    )
    yields = (Yield("x", "x", 1, 0), Yield("y", "y", 0, 1))

    low: float | None = RuleField(None, label="from", unit="x", help="Where the straight part begins.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends.")
    meets: Literal["another line", "the curve"] = RuleField(
        "another line", label="meets", help="A second straight part, or the curve itself, behind the band."
    )
    other_low: float | None = RuleField(
        None, label="other from", unit="x", help="Where the other part begins.", when="meets: another line"
    )
    other_high: float | None = RuleField(
        None, label="other to", unit="x", help="Where it ends.", when="meets: another line"
    )
    shift: float = RuleField(0.0, label="moved by", unit="x", help="How far the first line is moved along x.")

    def take(self, seen: Seen) -> Taken:
        if self.low is None or self.high is None:
            raise InputError("the band of the straight part is not set; drag it, or type where it begins and ends.")
        part = seen.band(self.low, self.high, 2)
        line = fitted_line(part, True)
        if self.meets == "the curve":
            return self._curve(seen, part, line)
        if self.other_low is None or self.other_high is None:
            raise InputError("the band of the other line is not set; drag it, or type where it begins and ends.")
        other = seen.band(self.other_low, self.other_high, 2)
        second = fitted_line(other, True)
        apart = line.slope - second.slope
        if abs(apart) <= 1e-12 * max(abs(line.slope), abs(second.slope)):
            raise InputError("the two lines are parallel; they meet nowhere.")
        first_origin = line.origin + self.shift
        x = (second.intercept - line.intercept + line.slope * first_origin - second.slope * second.origin) / apart
        y = line.intercept + line.slope * (x - first_origin)
        of_first = line.slopes[0] + (x - first_origin) * line.slopes[1]
        of_second = second.slopes[0] + (x - second.origin) * second.slopes[1]
        rows = np.union1d(part.rows, other.rows)
        by_x, by_y = np.zeros(rows.size), np.zeros(rows.size)  # the bands may overlap
        at, behind = np.searchsorted(rows, part.rows), np.searchsorted(rows, other.rows)
        by_x[at] -= of_first / apart
        by_x[behind] += of_second / apart
        by_y[at] += of_first
        by_y += line.slope * by_x
        used = seen.whole.take(places_of(seen.whole, rows))
        ends = np.array([part.x[0], x])
        far = np.array([x, other.x[-1] if other.x[-1] > x else other.x[0]])
        shapes = (
            Line(ends, line.intercept + line.slope * (ends - first_origin)),
            Line(far, second.intercept + second.slope * (far - second.origin)),
            Point(x, y),
        )
        said = f"lines through {counted(len(part), 'point')} and {counted(len(other), 'point')}"
        return Taken((Found("x", x, by_x), Found("y", y, by_y)), said, used, shapes)

    def _curve(self, seen: Seen, part: Stretch, line: FittedLine) -> Taken:
        points = single_valued(seen.band(self.low, None, 2))
        origin = line.origin + self.shift
        over = points.y - line.intercept - line.slope * (points.x - origin)
        u = seen.spread.at(points)
        behind = [one for one in crossings(points.x, over, u) if one[0] >= len(part) - 1]
        if not behind:
            raise InputError("the curve does not meet the line behind the band; move the line, or choose another band.")
        met = crossing_at(points.x, over, u, behind[0])
        by_x = met.slopes.copy()
        total = float(met.slopes.sum())
        away = float(met.slopes @ (points.x - origin))
        by_x[: len(part)] -= total * line.slopes[0] + away * line.slopes[1]
        y = line.intercept + line.slope * (met.x - origin)
        by_y = line.slope * by_x
        by_y[: len(part)] += line.slopes[0] + (met.x - origin) * line.slopes[1]
        ends = np.array([part.x[0] + self.shift, met.x])
        drawn = Line(ends, line.intercept + line.slope * (ends - origin))
        said = f"line through {counted(len(part), 'point')}, met by the curve at {met.x:.6g}"
        return Taken((Found("x", met.x, by_x), Found("y", y, by_y)), said, points, (drawn, Point(met.x, y)))

    def digest(self) -> str:
        moved = f", moved by {self.shift:g}" if self.shift else ""
        return f"meets {self.meets}{moved}"


def places_of(points: Stretch, rows: np.ndarray) -> np.ndarray:
    """Where the rows of a curve are in its stretch that is in the order of x."""
    order = np.argsort(points.rows)
    return np.asarray(order[np.searchsorted(points.rows, rows, sorter=order)])


class Approach(InBand):
    """How long a curve takes from its first level to a share of the way to its last one.

    The levels are the means of as many points at both ends of the band; the time is read from where the band begins to
    where the curve first passes the share, told as by *x at value*. The half-time has the share 0.5, t₉₀ has 0.9.
    """

    slug = "approach"
    label = "Half-time of an approach"
    group = "points"
    summary = "Time to half (or another share) of the way to a final level"
    words = "half time t50 t90 rise time response settling relaxation decay lifetime"
    reference = "JCGM 100:2008, 5.1.2"
    yields = (
        Yield("time", "t", 1, 0, gap=True),
        Yield("first-level", "y1", 0, 1, True),
        Yield("last-level", "y2", 0, 1, True),
    )

    low: float | None = RuleField(None, label="from", unit="x", help="Where the approach begins; empty: at the start.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it is over; empty: at the end.")
    share: float = RuleField(0.5, label="share", gt=0, lt=1, help="Share of the way; 0.5 is the half-time.")
    points: int = RuleField(5, label="points", ge=1, le=100_001, help="How many points each level is the mean of.")

    def take(self, seen: Seen) -> Taken:
        curve = single_valued(self.stretch(seen, 2 * self.points + 1))
        weights = np.zeros((2, len(curve)))
        weights[0, : self.points] = weights[1, -self.points :] = 1 / self.points
        first, last = (float(level) for level in weights @ curve.y)
        level = first + self.share * (last - first)
        if first == last:
            raise InputError("the curve ends at the level at which it began; there is no way to share.")
        u = seen.spread.at(curve)
        ways = [one for one in crossings(curve.x, curve.y - level, u) if one[2] == (last > first)]
        if not ways:
            raise InputError(f"the curve does not pass {self.share:g} of the way; choose another band.")
        at = crossing_at(curve.x, curve.y - level, u, ways[0])
        begin = float(curve.x[0]) if self.low is None else self.low
        by_time: Floats = at.slopes + at.against_level * np.array([1 - self.share, self.share]) @ weights
        found = (Found("time", at.x - begin, by_time), Found("first-level", first, weights[0]),
                 Found("last-level", last, weights[1]))  # fmt: skip
        ends = curve.x[[0, -1]]
        shapes = (Line(ends, np.full(2, first)), Line(ends, np.full(2, last)), Point(at.x, level))
        said = f"{self.share:g} of the way from {first:.6g} to {last:.6g}, counted from {begin:.6g}"
        return Taken(found, said, curve, shapes)

    def digest(self) -> str:
        return f"{self.share:g} of the way"
