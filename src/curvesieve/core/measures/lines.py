"""Measures of straight parts."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal, Self

import numpy as np

from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield, said_band
from curvesieve.core.measures.spread import Stretch, band, whole
from curvesieve.core.measures.stretches import straight_stretch, surest_stretch
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.shapes import Line

_MODULUS_R2 = 0.9995
_HUBER, _TURNS = 1.345, 100
"""Residuals count fully up to so many of their robust size (95 % efficiency for normal noise); turns at the most."""


@dataclass(frozen=True, eq=False)
class Fitted:
    """y = intercept + slope·(x − origin), the covariance of the two, and R²."""

    slope: float
    intercept: float
    slopes: Floats
    """Of intercept and slope against each y, of shape (2, n)."""
    covariance: Floats | None
    r2: float
    origin: float

    def at(self, x: Floats) -> Floats:
        """The y of the line at x, both of shape (n,)."""
        return self.intercept + self.slope * (x - self.origin)


class StraightPart(Banded, Measure):
    """A straight line through a stretch of the curve, by least squares.

    Weighted by u where it is known; the uncertainties are then those that follow from u, otherwise from the scatter of
    the points about the line (s² = RSS/(n − parameters)). The *found* stretch is the longest whose residuals are no
    rougher than the noise along the curve (1.3 times) and whose curvature is within three of its own u. The steepest is
    looked for among the longest from each of 64 places on, and three of its own u are taken off for a fair race. For
    the surest see `stretches.surest_stretch`; its u has that of how far it may bend.
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
        if not told and self.by == "found" and self.prefer == "surest" and line.r2 < _MODULUS_R2:
            told = f"R² is below {_MODULUS_R2}: hardly straight enough for a modulus (common practice)"
        return Taken(tuple(found), said, points, (Line(ends, at_zero + line.slope * ends),), how, told)

    def _fitted(self, points: Stretch) -> Fitted:
        free = self.intercept == "free"
        return robust_line(points, free) if self.fit == "robust" else fitted_line(points, free)

    def _points(self, seen: Seen) -> tuple[Stretch, float, str]:
        """The points of the line, how much its slope may be off as they bend, and a word of warning."""
        if self.by == "found" and self.prefer == "surest":
            surest = surest_stretch(seen.band(self.low, self.high, 10))
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


def fitted_line(points: Stretch, free: bool) -> Fitted:
    if np.ptp(points.x) == 0:
        raise InputError(f"all points have the same x, {points.x[0]:g}; no line is told by them.")
    weights = np.ones(len(points)) if points.u is None else 1 / points.u**2
    origin = float(np.average(points.x, weights=weights)) if free else 0.0
    x, y = points.x - origin, points.y
    columns = [np.ones(x.size), x] if free else [x]
    size = [float(np.sqrt(np.sum(weights * c * c))) for c in columns]
    design = np.array([c / s for c, s in zip(columns, size, strict=True)])
    normal = (design * weights) @ design.T
    against = np.linalg.solve(normal, design * weights) / np.array(size)[:, None]
    values = against @ y
    slopes = against if free else np.array([np.zeros(x.size), against[0]])
    fitted = np.array(values) @ np.array(columns)
    residual = y - fitted
    dof = x.size - len(columns)
    covariance = None
    if points.u is not None or dof > 0:
        scale = 1.0 if points.u is not None else float(residual @ residual) / dof
        inverse = np.linalg.inv(normal) / np.outer(size, size) * scale
        covariance = inverse if free else np.array([[0.0, 0.0], [0.0, inverse[0, 0]]])
    about = y - np.average(y, weights=weights) if free else y
    total = float(np.sum(weights * about**2))
    r2 = 1 - float(np.sum(weights * residual**2)) / total if total > 0 else math.nan
    intercept, slope = (float(values[0]), float(values[1])) if free else (0.0, float(values[0]))
    return Fitted(slope, intercept, slopes, covariance, r2, origin)


def robust_line(points: Stretch, free: bool) -> Fitted:
    """The line of Huber's M-estimate; shapes and errors are those of `fitted_line`.

    The scale is the median absolute residual over 0.6745, again at each turn. Its covariance is that of 7.6 in Huber:
    κ²·[Σψ²/(n − p)]/(mean ψ′)²·(XᵀX)⁻¹ with κ = 1 + p/n·var(ψ′)/(mean ψ′)².
    """
    line = fitted_line(points, free)
    sizes = np.ones(len(points)) if points.u is None else points.u
    count = 2 if free else 1
    if len(points) <= count + 1:
        return line
    for _ in range(_TURNS):
        residual = (points.y - line.at(points.x)) / sizes
        scale = float(np.median(np.abs(residual))) / 0.6745
        if not scale > 0:
            return line  # half of the points or more lie on it
        weight = np.minimum(1.0, _HUBER * scale / np.maximum(np.abs(residual), 1e-300))
        bent = replace(points, u=sizes / np.sqrt(weight))
        new = fitted_line(bent, free)
        moved = max(abs(new.slope - line.slope) * float(np.ptp(points.x)), abs(new.intercept - line.intercept))
        line = new
        if moved <= 1e-12 * float(np.abs(points.y).max()):
            break
    residual = (points.y - line.at(points.x)) / (sizes * scale)
    inside = np.abs(residual) <= _HUBER
    share, n = float(inside.mean()), len(points)
    psi2 = float(np.sum(np.clip(residual, -_HUBER, _HUBER) ** 2)) / (n - count) * scale**2
    kappa = 1 + count / n * share * (1 - share) / share**2
    plain = fitted_line(replace(points, u=sizes), free)
    assert plain.covariance is not None
    slopes = plain.slopes * inside / share
    covariance = plain.covariance * kappa**2 * psi2 / share**2
    return replace(line, covariance=covariance, slopes=slopes, r2=math.nan)  # no share of a sum of squares
