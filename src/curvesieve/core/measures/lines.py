"""Measures of straight parts."""

from __future__ import annotations

import math
from typing import Literal, Self

import numpy as np

from curvesieve.core.curve import Curve, Flag
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitted_line import FittedLine, fitted_line, robust_line
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield, said_band
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import Stretch, band, whole
from curvesieve.core.shapes import Line
from curvesieve.core.straight import straight_stretch, surest_stretch

_MODULUS_R2 = 0.9995
_FEW, _SURE, _TURN = 8, 4.5, 0.01
"""Points that a bend is asked of; times its u that it must be; share of the slope that it must turn it by."""


class StraightPart(Banded, Measure):
    """A straight line through a stretch of the curve, by least squares.

    Weighted by u where it is known; the uncertainties are then those that follow from u, otherwise from the scatter of
    the points about the line (s² = RSS/(n − parameters)). The *found* stretch is the longest whose residuals are no
    rougher than the noise along the curve (1.3 times) and whose curvature is within three of its own u. The steepest is
    looked for among the longest from each of 64 places on, and three of its own u are taken off for a fair race. For
    the surest see `straight.surest_stretch`; its u has that of how far it may bend, and points that a step wrote, as
    those of a toe, do not count.
    *Robust* counts residuals beyond 1.345 of their robust size no more than linearly (P. J. Huber, Robust Statistics,
    Wiley 1981, 7.6 and 7.10; from memory).
    """

    slug = "straight-part"
    label = "Straight part"
    group = "lines"
    summary = "Slope and intercept of a straight stretch"
    words = "modulus line linear regression gradient tangent intercept stiffness slope"
    reference = "least squares, JCGM 100:2008, H.3"
    handles = (Band(when="by: band, found"),)
    yields = (Yield("slope", "slope", -1, 1), Yield("intercept", "intercept", 0, 1, True),
              Yield("r2", "R²", aside=True))  # fmt: skip

    by: Literal["band", "first points", "y range", "found"] = RuleField(
        "band", label="over", help="A band of x, the first points, a range of y, or the best straight stretch."
    )
    low: float | None = RuleField(
        None, label="from", unit="x", help="Where the band begins; empty: at the start.", when="by: band, found"
    )
    high: float | None = RuleField(
        None, label="to", unit="x", help="Where it ends; empty: at the end.", when="by: band, found"
    )
    count: int = RuleField(10, label="points", ge=2, le=10_000_000, help="How many points.", when="by: first points")
    y_low: float | None = RuleField(None, label="y from", unit="y", help="The smallest y.", when="by: y range")
    y_high: float | None = RuleField(None, label="y to", unit="y", help="The largest y.", when="by: y range")
    prefer: Literal["longest", "steepest", "surest"] = RuleField(
        "longest", label="prefer", when="by: found",
        help="The longest, the steepest, or on the way to the top the one whose slope is known best (a modulus).",
    )  # fmt: skip
    intercept: Literal["free", "zero"] = RuleField(
        "free", label="intercept", help="Whether the line goes where it will, or through zero."
    )

    fit: Literal["squared", "robust"] = RuleField(
        "squared", label="fit", help="By least squares, or so that single outliers hardly count (Huber)."
    )

    modulus: bool = RuleField(
        False, label="as a modulus",
        help="A word of warning where R² is below 0.9995 or the residuals bend; the surest stretch has it always.",
    )  # fmt: skip

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """The best straight stretch, where there is one."""
        try:
            straight_stretch(whole(curve))
        except InputError:
            return cls()
        return cls(by="found")

    def take(self, seen: Seen) -> Taken:
        points, turn, told = self._points(seen)
        line = self._fitted(points)
        at_zero = line.intercept - line.slope * line.origin
        u_slope = u_zero = None
        if line.covariance is not None:
            lever = np.array([1.0, -line.origin])
            u_slope = math.hypot(math.sqrt(float(line.covariance[1, 1])), turn)
            u_zero = math.hypot(math.sqrt(max(float(lever @ line.covariance @ lever), 0.0)), turn * line.origin)
        found = [Found("slope", line.slope, line.slopes[1], u_slope)]
        if self.intercept == "free":
            found.append(Found("intercept", at_zero, line.slopes[0] - line.origin * line.slopes[1], u_zero))
        if math.isfinite(line.r2):
            found.append(Found("r2", line.r2))
        ends = np.array([points.x[0], points.x[-1]])
        how = "u from the u of the points" if points.u is not None else "u from the scatter about the line"
        if self.fit == "robust":
            how = "robust; u from the scatter about the line"
        if turn:
            how += " and from how far the stretch may bend"
        if line.covariance is None:
            how = "no u: as many parameters as points"
        said = f"{ends[0]:.6g} to {ends[1]:.6g}, {counted(len(points), 'point')}"
        said += f", R² {line.r2:.5f}" if math.isfinite(line.r2) else ""
        if not told and (self.modulus or (self.by == "found" and self.prefer == "surest")):
            told = _not_straight(points, line)
        return Taken(tuple(found), said, points, (Line(ends, at_zero + line.slope * ends),), how, told)

    def _fitted(self, points: Stretch) -> FittedLine:
        free = self.intercept == "free"
        return robust_line(points, free) if self.fit == "robust" else fitted_line(points, free)

    def _points(self, seen: Seen) -> tuple[Stretch, float, str]:
        """The points of the line, how much its slope may be off as they bend, and a word of warning."""
        if self.by == "found" and self.prefer == "surest":
            points = seen.band(self.low, self.high, 10)
            written = (seen.curve.flags[points.rows] & Flag.PATCHED) != 0  # by a step, as of a toe: straight by itself
            surest = surest_stretch(points.take(~written) if written.any() else points)
            told = f"the curve is steeper before it, by {surest.steeper:.1%}: its beginning is not straight"
            return surest.points, surest.turn, told if surest.steeper else ""
        return self._plain_points(seen), 0.0, ""

    def _plain_points(self, seen: Seen) -> Stretch:
        match self.by:
            case "first points":
                first = np.argsort(seen.whole.rows, kind="stable")[: self.count]
                return band(seen.whole.take(np.sort(first)), None, None, 2)
            case "y range":
                points = seen.whole
                low, high = (v if v is not None else s * math.inf for v, s in ((self.y_low, -1), (self.y_high, 1)))
                inside = (points.y >= low) & (points.y <= high)
                if inside.sum() < 2:
                    raise InputError(f"there are fewer than two points with y from {low:g} to {high:g}.")
                return points.take(inside)
            case "found":
                return straight_stretch(seen.band(self.low, self.high, 10), self.prefer)
        return seen.band(self.low, self.high, 2)

    def digest(self) -> str:
        where = {"first points": f"first {self.count} points", "found": f"{self.prefer} straight stretch"}
        said = where.get(self.by, said_band(self.low, self.high) if self.by == "band" else "a range of y")
        return said + (", through zero" if self.intercept == "zero" else "") + (", robust" * (self.fit == "robust"))


def _not_straight(points: Stretch, line: FittedLine) -> str:
    """Why a line is no modulus: its R², or residuals that a parabola describes, whose slope turns by 1 % or more.

    The parabola's term counts from 4.5 of its own u on, by the scatter about it. Empty: nothing is against it.
    """
    if line.r2 < _MODULUS_R2:
        return f"R² is below {_MODULUS_R2}: hardly straight enough for a modulus (common practice)"
    half = float(np.ptp(points.x)) / 2
    if len(points) < _FEW or not half > 0:
        return ""
    t = (points.x - (points.x[0] + points.x[-1]) / 2) / half
    basis = np.linalg.qr(np.array([np.ones(t.size), t, t * t]).T)[0]
    residual = points.y - line.at(points.x)
    size = float(basis[:, 2] @ residual)
    rest = residual - basis @ (basis.T @ residual)
    scatter = math.sqrt(float(rest @ rest) / (t.size - 3))
    bend = size / float(basis[:, 2] @ (t * t))  # of t², so that the slope turns by twice that from the middle to an end
    turn = abs(2 * bend / half / line.slope) if line.slope else 0.0
    if abs(size) <= _SURE * scatter or turn < _TURN:
        return ""
    return f"the residuals bend: the slope turns by {turn:.1%} from the middle of the stretch to its ends"
