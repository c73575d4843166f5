"""Measures of mechanical tests, on a curve of stress against strain (or of force against extension)."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np

from curvesieve.core import units
from curvesieve.core.breaking import DROP, WITHIN, break_of
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.of_elastic import OfElastic, noise_of, unbroken
from curvesieve.core.measures.points import value_along
from curvesieve.core.measures.trace import Trace, doubt_of
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import single_valued
from curvesieve.core.shapes import Line, Point
from curvesieve.core.typed import rounded


class Chord(Banded, Measure):
    """The slope of the straight line between the curve's values at two x: the chord modulus; from zero, the secant.

    The values lie on the straight lines between points. ISO 527-1 takes the strains 0.05 % and 0.25 %; from memory.
    """

    slug = "chord"
    label = "Chord or secant modulus"
    group = "mechanics"
    summary = "The slope between the curve at two strains, or from zero to one"
    words = "chord secant modulus iso 527 stiffness young elastic"
    reference = "ISO 527-1; JCGM 100:2008, 5.1.2"
    handles = (Band(when="start: a strain"),)
    yields = (Yield("slope", "Ech", -1, 1),)

    start: Literal["a strain", "zero"] = RuleField(
        "a strain", label="from", help="Whether the chord begins at a strain, or as a secant at zero strain and stress."
    )
    low: float | None = RuleField(
        None, label="first x", unit="x", when="start: a strain", help="Empty: a strain of 0.05 %, as ISO 527 has it."
    )
    high: float | None = RuleField(
        None, label="last x", unit="x", help="Where it ends; empty: at a strain of 0.25 %."
    )  # fmt: skip

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """The strains of the standard, where the curve is one of them; else a stretch of its beginning."""
        x = curve.used.x
        base = units.in_base(curve.x_unit)
        if not x.size or (not base.powers and x.min() <= 5e-4 / base.factor and x.max() >= 2.5e-3 / base.factor):
            return cls()
        first, span = float(x.min()), float(np.ptp(x))
        low, high = rounded((first + 0.05 * span, first + 0.25 * span), span)
        return cls(low=low, high=high)

    def take(self, seen: Seen) -> Taken:
        points = single_valued(seen.band(None, None, 2))
        low, high = (self._place(seen.curve, at, usual) for at, usual in ((self.low, 5e-4), (self.high, 2.5e-3)))
        ends = [high] if self.start == "zero" else [low, high]
        values = [value_along(points, at) for at in ends]
        x0, y0, w0 = (0.0, 0.0, np.zeros(len(points))) if self.start == "zero" else (low, *values[0])
        y1, w1 = values[-1]
        if high == x0:
            raise InputError("both ends of the chord have the same x; move one of them.")
        slopes = (w1 - w0) / (high - x0)
        beside = slopes != 0
        used = points.take(beside)
        said = f"from {x0:.6g} to {high:.6g}, on straight lines between points"
        shapes = (Line(np.array([x0, high]), np.array([y0, y1])), Point(high, y1))
        return Taken((Found("slope", (y1 - y0) / (high - x0), slopes[beside]),), said, used, shapes)

    @staticmethod
    def _place(curve: Curve, at: float | None, usual: float) -> float:
        if at is not None:
            return at
        base = units.in_base(curve.x_unit)
        if base.powers:
            raise InputError(f"x is in {units.shown(curve.x_unit)} and no strain: say from where to where, in x.")
        return usual / base.factor

    def digest(self) -> str:
        first = "zero" if self.start == "zero" else "0.05 %" if self.low is None else f"{self.low:g}"
        return f"from {first} to {'0.25 %' if self.high is None else f'{self.high:g}'}"


class Elongation(OfElastic):
    """The strain at the largest stress or at the break, and what of it is permanent: without the elastic part.

    The elastic part is what the elastic line needs for the stress there, so that the permanent one counts from the
    line's own zero: Ag and Agt, A and At of ISO 6892-1; from memory. u of the permanent part has that of the line; the
    total is an x, which has none.
    """

    slug = "elongation"
    label = "Elongation"
    summary = "Strain at the maximum or at break, the elastic part taken off"
    words = "percent elongation uniform plastic permanent a ag agt ductility fracture"
    reference = "ISO 6892-1"
    yields = (Yield("permanent-strain", "εpl", 1, 0), Yield("total-strain", "εt", 1, 0))

    at: Literal["the break", "the maximum"] = RuleField(
        "the break", label="at", help="At the last point before the stress falls, or at the largest stress."
    )

    def take(self, seen: Seen) -> Taken:
        elastic, points = self.elastic(seen), unbroken(seen)
        place = len(points) - 1 if self.at == "the break" else int(np.argmax(points.y))
        x, y = float(points.x[place]), float(points.y[place])
        one = points.take(slice(place, place + 1))
        recovered = (y - elastic.intercept) / elastic.slope
        parts = elastic.traces_of(recovered / elastic.slope, 1 / elastic.slope)
        u = seen.spread.at(one)
        parts += [] if u is None else [(Trace(one.rows, -u / elastic.slope), 1.0)]
        trace = Trace.sum(parts) if parts else None
        found = (
            Found("permanent-strain", x - recovered, u=None if trace is None else trace.u, trace=trace),
            Found("total-strain", x - elastic.zero),
        )
        foot = x - recovered
        shapes = (Line(np.array([foot, x]), np.array([0.0, y]), "aid"), Point(x, y))
        said = f"at {x:.6g}; elastic part {y / elastic.slope:.4g} taken off for the permanent one"
        how = "u of the elastic part alone: x has none" if parts else "no u: neither points nor line have one"
        return Taken(found, said, one, shapes, how, doubt_of([elastic.by_slope]))

    def digest(self) -> str:
        return f"at {self.at}, elastic part by {self.line}"


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
        DROP, label="fall by", gt=0, lt=1, help="The share of the largest y so far that y loses at the break."
    )
    within: int = RuleField(WITHIN, label="within", unit="points", ge=1, le=1000, help="Over how many points it falls.")

    def take(self, seen: Seen) -> Taken:
        points = seen.whole
        place, falls = break_of(points, noise_of(seen, points), self.drop, self.within)
        x, y = float(points.x[place]), float(points.y[place])
        said = f"{'before the fall' if falls else 'the end of the record'}, {counted(place + 1, 'point')} on"
        used = points.take(slice(place, place + 1))
        shapes = (Line(np.array([x, x]), np.array([min(0.0, float(points.y.min())), y]), "aid"), Point(x, y))
        return Taken(
            (Found("break-strain", x), Found("break-stress", y, np.ones(1))), f"{said}; x has no u", used, shapes
        )
