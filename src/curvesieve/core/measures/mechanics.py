"""Measures of mechanical tests, on a curve of stress against strain (or of force against extension)."""

from __future__ import annotations

from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted
from curvesieve.core.intake.machine import TALL
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.local import crossing_at, crossings
from curvesieve.core.measures.outcome import own_name
from curvesieve.core.measures.trace import Trace, Traced, doubt_of, in_unit
from curvesieve.core.rules import RuleField
from curvesieve.core.scatter import Stretch, single_valued
from curvesieve.core.shapes import Line, Point


class OfElastic(Measure):
    """A measure that stands on the elastic line: a straight part before it in the list, by its name."""

    group = "mechanics"

    line: str = RuleField("E", label="elastic line", help="The name of the straight part before this: its slope.")

    def _line(self, seen: Seen) -> tuple[Traced, Traced | None]:
        """Slope and intercept of the elastic line in the units of the curve; None: it goes through zero."""
        axes, name = seen.curve, own_name(self.line)
        slope = seen.earlier.asked(name, " Take a straight part over the elastic stretch, and give it that name.")
        intercept = seen.earlier.named(f"{name}_intercept")
        return (
            in_unit(slope, units.power_product(axes.x_unit, -1, axes.y_unit, 1)),
            None if intercept is None else in_unit(intercept, axes.y_unit),
        )


def strain_in(curve: Curve, percent: float) -> float:
    """A strain of so many percent in the unit of a curve's x. Raises InputError where x is no strain."""
    base = units.in_base(curve.x_unit)
    if base.powers:
        shown = units.shown(curve.x_unit)
        raise InputError(
            f"x is in {shown}, and an offset in % needs a strain; compute the strain when the file is brought in."
        )
    return percent / 100 / base.factor


_DROP, _WITHIN = 0.4, 5
"""A break is a fall by this share of the largest y so far, over so many points."""


_LEAST_HIGH = 0.1
"""Share of the largest y that must have been reached before a fall is a break."""
_CLEAR = 10
"""Times the noise that a fall is deep: thousands of points of a level differ by seven."""


def break_of(points: Stretch, noise: float, drop: float = _DROP, within: int = _WITHIN) -> tuple[int, bool]:
    """The place of the last point before a break, and whether there is one; else the last point of all.

    Noise about the zero of the beginning is no break: before it y has been at a tenth of its largest value at least,
    and it falls by ten times the `noise`.
    """
    high = np.maximum.accumulate(points.y)
    ready = high >= _LEAST_HIGH * high[-1]
    later = points.y[np.minimum(np.arange(len(points)) + within, len(points) - 1)]
    falls = np.flatnonzero((points.y - later >= np.maximum(drop * high, _CLEAR * noise)) & ready & (high > 0))
    if not falls.size:
        return len(points) - 1, False
    place = int(falls[0])  # the last point before the first large step down within the reach
    steps = points.y[place : place + within] - points.y[place + 1 : place + 1 + within]
    return place + int(np.argmax(steps > 0.25 * drop * high[place])), True


def _unbroken(seen: Seen) -> Stretch:
    """The points up to the break."""
    points = single_valued(seen.whole)
    return points.take(slice(0, break_of(points, _noise(seen, points))[0] + 1))


def _noise(seen: Seen, points: Stretch) -> float:
    """The noise of the points, 0 where it is not known."""
    u = seen.spread.at(points)
    return 0.0 if u is None else float(np.median(u))


class OffsetYield(OfElastic):
    """Where the curve meets its elastic line moved by a strain: the offset yield strength, Rp0.2 for 0.2 %.

    The crossing lies on the straight line between two points, told as by *x at value*; u has that of the points and of
    the elastic line, with the correlation of its slope and intercept. ASTM E8/E8M, ISO 6892-1 (proof strength); from
    memory.
    """

    slug = "offset-yield"
    label = "Offset yield"
    summary = "Where the curve meets the elastic line moved by 0.2 %"
    words = "rp0.2 proof strength yield stress offset elastic limit"
    reference = "ASTM E8/E8M, ISO 6892-1"
    yields = (Yield("yield-strength", "Rp", 0, 1), Yield("yield-strain", "εp", 1, 0, True))

    offset: float = RuleField(0.2, label="offset", unit="%", ge=0, le=100, help="How far the line is moved, in strain.")

    def take(self, seen: Seen) -> Taken:
        by_slope, by_intercept = self._line(seen)
        slope, intercept = by_slope[0].value, 0.0 if by_intercept is None else by_intercept[0].value
        moved = strain_in(seen.curve, self.offset)
        points = _unbroken(seen)
        over = points.y - intercept - slope * (points.x - moved)
        u = seen.spread.at(points)
        span = by_slope[0].basis.span
        begin = span[0] if span is not None else float(points.x[0])
        behind = [one for one in crossings(points.x, over, u) if points.x[one[1]] > begin and not one[2]]
        if not behind:
            raise InputError(
                f"the line moved by {self.offset:g} % never meets the curve: it breaks before it yields so far. That "
                "is no fault of a brittle material."
            )
        met = crossing_at(points.x, over, u, behind[0])
        at = met.x - moved
        y = intercept + slope * at
        total, away = float(met.slopes.sum()), float(met.slopes @ (points.x - moved))
        parts: list[tuple[Trace, float, float]] = []
        if u is not None:
            passage = slice(met.first, met.last + 1)  # nowhere else has it slopes
            parts.append((Trace(points.rows[passage], (met.slopes * u)[passage]), 1.0, slope))
        for traced, by_x, direct in ((by_slope, -away, at), (by_intercept, -total, 1.0)):
            trace = None if traced is None else traced[1]
            if trace is not None:
                parts.append((trace, by_x, slope * by_x + direct))
        trace_x = Trace.sum([(trace, by_x) for trace, by_x, _ in parts]) if parts else None
        trace_y = Trace.sum([(trace, by_y) for trace, _, by_y in parts]) if parts else None
        foot = moved - intercept / slope
        ends = np.array([foot, met.x])
        near = points.take(slice(met.first, met.last + 1))
        found = (
            Found("yield-strength", y, u=None if trace_y is None else trace_y.u, trace=trace_y),
            Found("yield-strain", met.x, u=None if trace_x is None else trace_x.u, trace=trace_x),
        )
        said = f"the elastic line moved by {self.offset:g} %, met at {met.x:.6g}"
        how = "u from the points and the elastic line" if parts else "no u: neither points nor line have one"
        line = Line(ends, intercept + slope * (ends - moved), "aid")
        tall = float(np.abs(points.x).max())
        doubt = doubt_of([by_slope])
        if not doubt and not seen.curve.x_unit.strip() and tall > TALL:
            doubt = (
                f"x has no unit and goes to {tall:.4g}: if it is in percent, say so on the Intake bench; the slope too"
            )
        return Taken(found, said, near, (line, Point(met.x, y)), how, doubt)

    def digest(self) -> str:
        return f"{self.line} moved by {self.offset:g} %"


class Break(Measure):
    """The last point before the stress falls: where a specimen breaks.

    The break is the first fall by the share from the largest y so far, between two neighbours or over a few points, and
    by ten times the noise, once a tenth of the largest y of all was reached; the point before it is taken. A record
    that ends without a fall ends at the break.
    """

    slug = "break"
    label = "Break"
    group = "mechanics"
    summary = "The last point before the stress falls"
    words = "fracture rupture failure elongation at break end of test"
    reference = "common practice; ISO 527-1"
    handles = ()
    yields = (Yield("break-strain", "εb", 1, 0), Yield("break-stress", "σb", 0, 1))

    drop: float = RuleField(
        _DROP, label="fall by", gt=0, lt=1, help="The share of the largest y so far that y loses at the break."
    )
    within: int = RuleField(
        _WITHIN, label="within", unit="points", ge=1, le=1000, help="Over how many points it falls."
    )

    def take(self, seen: Seen) -> Taken:
        points = seen.whole
        place, falls = break_of(points, _noise(seen, points), self.drop, self.within)
        x, y = float(points.x[place]), float(points.y[place])
        said = f"{'before the fall' if falls else 'the end of the record'}, {counted(place + 1, 'point')} on"
        used = points.take(slice(place, place + 1))
        shapes = (Line(np.array([x, x]), np.array([min(0.0, float(points.y.min())), y]), "aid"), Point(x, y))
        return Taken(
            (Found("break-strain", x), Found("break-stress", y, np.ones(1))), f"{said}; x has no u", used, shapes
        )


class YieldPoint(Measure):
    """The upper yield point, where the stress first falls though the strain grows, and the lower: the least after it.

    A fall counts when it is deeper than the share of the stress and ten times the noise. ISO 6892-1, ReH and ReL: the
    first point behind the upper one is passed over as a transient; from memory. u is that of one point as it stands.
    """

    slug = "yield-point"
    label = "Upper and lower yield point"
    group = "mechanics"
    summary = "Where the stress first falls, and the least after it"
    words = "reh rel sharp yield luders discontinuous"
    reference = "ISO 6892-1"
    handles = ()
    yields = (
        Yield("upper-yield", "ReH", 0, 1),
        Yield("lower-yield", "ReL", 0, 1),
        Yield("x-at-upper", "εu", 1, 0, True),
    )

    fall: float = RuleField(0.005, label="fall by", gt=0, lt=1, help="The share of the stress that it falls by.")
    until: Literal["it has risen again", "the end"] = RuleField(
        "it has risen again", label="lower until", help="How far the lower yield point is looked for."
    )

    def take(self, seen: Seen) -> Taken:
        points = _unbroken(seen)
        noise = _noise(seen, points)
        high = np.maximum.accumulate(points.y)
        fallen = np.flatnonzero((high - points.y > np.maximum(self.fall * high, _CLEAR * noise)) & (high > 0))
        if not fallen.size or fallen[0] >= len(points) - 2:
            raise InputError(
                f"the stress nowhere falls by {self.fall:.2g} of itself: there is no upper yield point. Take an offset "
                "yield."
            )
        top = int(np.argmax(points.y[: fallen[0] + 1]))
        again = np.flatnonzero(points.y[fallen[0] :] >= points.y[top])
        end = int(fallen[0] + again[0]) if again.size and self.until == "it has risen again" else len(points)
        behind = points.y[fallen[0] + 1 : end]
        if not behind.size:
            raise InputError("the stress falls at its last points only: it is a break, and no yield point.")
        low = int(fallen[0]) + 1 + int(np.argmin(behind))
        used = points.take(np.array([top, low]))
        found = (
            Found("upper-yield", float(points.y[top]), np.array([1.0, 0.0])),
            Found("lower-yield", float(points.y[low]), np.array([0.0, 1.0])),
            Found("x-at-upper", float(points.x[top])),
        )
        shapes = tuple(Point(float(points.x[k]), float(points.y[k])) for k in (low, top))
        return Taken(found, f"the points themselves, at {points.x[top]:.6g} and {points.x[low]:.6g}", used, shapes)
