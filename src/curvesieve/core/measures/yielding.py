"""Measures of where a material yields: the curve against its elastic line, and upper and lower yield points."""

from __future__ import annotations

from typing import Literal

import numpy as np

from curvesieve.core.breaking import CLEAR
from curvesieve.core.curve import Floats
from curvesieve.core.errors import Absent, InputError
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.local import crossing_at, crossings
from curvesieve.core.measures.of_elastic import Elastic, OfElastic, noise_of, strain_in, tall_doubt, unbroken
from curvesieve.core.measures.trace import Trace, doubt_of
from curvesieve.core.rules import RuleField
from curvesieve.core.shapes import Line, Point


class _MeetsLine(OfElastic):
    """Where the curve meets its elastic line after that was moved along x, or laid flatter about its zero.

    The crossing lies on the straight line between two points, told as by *x at value*; u has that of the points and of
    the elastic line, with the correlation of its slope and intercept.
    """

    def _meet(self, seen: Seen, moved: float, share: float, words: str, absent: str) -> Taken:
        elastic = self.elastic(seen)
        steep, zero = elastic.slope * (1 - share), elastic.zero
        points = unbroken(seen)
        away = points.x - zero - moved
        over = points.y - steep * away
        u = seen.spread.at(points)
        begin = elastic.begin if elastic.begin is not None else float(points.x[0])
        behind = [one for one in crossings(points.x, over, u) if points.x[one[1]] > begin and not one[2]]
        if not behind:
            raise Absent(absent)
        met = crossing_at(points.x, over, u, behind[0])
        at = met.x
        y = steep * (at - zero - moved)
        against = _by_line(elastic, share, points.x - zero - moved)  # the line's y at each point, by its two numbers
        here = _by_line(elastic, share, np.array([at - zero - moved]))
        parts: list[tuple[Trace, float, float]] = []
        if u is not None:
            passage = slice(met.first, met.last + 1)  # nowhere else has it slopes
            parts.append((Trace(points.rows[passage], (met.slopes * u)[passage]), 1.0, steep))
        for traced, numbers, direct in zip((elastic.by_slope, elastic.by_intercept), against, here, strict=True):
            if traced is not None and traced[1] is not None:
                by_x = -float(met.slopes @ numbers)
                parts.append((traced[1], by_x, steep * by_x + float(direct[0])))
        trace_x = Trace.sum([(trace, by_x) for trace, by_x, _ in parts]) if parts else None
        trace_y = Trace.sum([(trace, by_y) for trace, _, by_y in parts]) if parts else None
        stress, strain = (one.quantity for one in self.yields)
        found = (
            Found(stress, y, u=None if trace_y is None else trace_y.u, trace=trace_y),
            Found(strain, at, u=None if trace_x is None else trace_x.u, trace=trace_x),
        )
        how = "u from the points and the elastic line" if parts else "no u: neither points nor line have one"
        ends = np.array([zero + moved, at])
        doubt = doubt_of([elastic.by_slope]) or tall_doubt(seen)
        near = points.take(slice(met.first, met.last + 1))
        shapes = (Line(ends, steep * (ends - zero - moved), "aid"), Point(at, y))
        return Taken(found, f"{words}, met at {at:.6g}", near, shapes, how, doubt)


def _by_line(elastic: Elastic, share: float, away: Floats) -> tuple[Floats, Floats]:
    """How the y of the changed line hangs on slope and intercept of the elastic one; `away`: x from its zero, (n,)."""
    flat = 1 - share
    return flat * (away - elastic.intercept / elastic.slope), np.full(away.size, flat)


class OffsetYield(_MeetsLine):
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
        absent = (
            f"the line moved by {self.offset:g} % never meets the curve: it breaks before it yields so far. That is no "
            "fault of a brittle material."
        )
        moved = strain_in(seen.curve, self.offset)
        return self._meet(seen, moved, 0.0, f"the elastic line moved by {self.offset:g} %", absent)

    def digest(self) -> str:
        return f"{self.line} moved by {self.offset:g} %"


class ProportionalLimit(_MeetsLine):
    """Where the curve has fallen below its elastic line by a share of the stress: stress is no longer proportional.

    The share makes the limit a number that another can find again; without one it hangs on the eye (common practice).
    """

    slug = "proportional-limit"
    label = "Proportional limit"
    summary = "Where the curve has left its elastic line by a share"
    words = "elastic limit linearity deviation departure hooke"
    reference = "common practice; share as given"
    yields = (Yield("proportional-limit", "σpl", 0, 1), Yield("limit-strain", "εpl", 1, 0, True))

    share: float = RuleField(
        2.0, label="below by", unit="%", gt=0, lt=100, help="How far below the line the stress is, in % of it."
    )

    def take(self, seen: Seen) -> Taken:
        absent = f"the curve never falls by {self.share:g} % below its elastic line: it breaks in its elastic part."
        return self._meet(seen, 0.0, self.share / 100, f"{self.share:g} % below the elastic line", absent)

    def digest(self) -> str:
        return f"{self.share:g} % below {self.line}"


class TotalProof(OfElastic):
    """The stress at a total strain from the zero of the elastic line: the proof strength Rt0.5 for 0.5 %.

    On the straight line between two points; u has that of the points and of the line's zero. ISO 6892-1; from memory.
    """

    slug = "total-proof"
    label = "Total-extension proof strength"
    summary = "The stress at a total strain of 0.5 %"
    words = "rt0.5 total extension under load yield"
    reference = "ISO 6892-1"
    yields = (Yield("total-proof-strength", "Rt", 0, 1),)

    strain: float = RuleField(0.5, label="strain", unit="%", gt=0, le=1000, help="From where the elastic line is zero.")

    def take(self, seen: Seen) -> Taken:
        elastic = self.elastic(seen)
        at = elastic.zero + strain_in(seen.curve, self.strain)
        points = unbroken(seen)
        if not points.x[0] <= at <= points.x[-1]:
            raise Absent(f"the curve ends at {points.x[-1]:.6g}, before a total strain of {self.strain:g} %.")
        right = min(max(int(np.searchsorted(points.x, at)), 1), len(points) - 1)
        two = points.take(slice(right - 1, right + 1))
        wide = float(two.x[1] - two.x[0])
        weights = np.array([two.x[1] - at, at - two.x[0]]) / wide
        steep = float(two.y[1] - two.y[0]) / wide
        by_slope, by_intercept = elastic.intercept / elastic.slope**2, -1 / elastic.slope
        u = seen.spread.at(two)
        parts = elastic.traces_of(steep * by_slope, steep * by_intercept)
        parts += [] if u is None else [(Trace(two.rows, weights * u), 1.0)]
        trace = Trace.sum(parts) if parts else None
        y = float(weights @ two.y)
        found = (Found("total-proof-strength", y, u=None if trace is None else trace.u, trace=trace),)
        how = (
            "u from the points and the zero of the elastic line" if parts else "no u: neither points nor line have one"
        )
        shapes = (Line(np.array([at, at]), np.array([0.0, y]), "aid"), Point(at, y))
        doubt = doubt_of([elastic.by_slope]) or tall_doubt(seen)
        return Taken(found, f"at {at:.6g}", two, shapes, how, doubt)

    def digest(self) -> str:
        return f"at {self.strain:g} % from the zero of {self.line}"


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
        points = unbroken(seen)
        noise = noise_of(seen, points)
        high = np.maximum.accumulate(points.y)
        fallen = np.flatnonzero((high - points.y > np.maximum(self.fall * high, CLEAR * noise)) & (high > 0))
        if not fallen.size or fallen[0] >= len(points) - 2:
            raise Absent(
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
