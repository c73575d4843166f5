"""Where a curve has a y."""

from __future__ import annotations

from typing import Literal, Self

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.local import crossing_at, crossings
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import single_valued
from curvesieve.core.shapes import Line, Point
from curvesieve.core.typed import rounded


class XAtValue(Banded, Measure):
    """The x at which the curve has a y.

    It lies on the straight line between the two points beside it. Where noise takes the curve over that y several times
    (with no point in between further away than four of its u) it counts as one crossing, on the line of least squares
    through the points that lie within four of their u.
    """

    slug = "x-at-value"
    label = "x at value"
    group = "points"
    summary = "Where the curve crosses a y"
    words = "crossing threshold intersection level inverse"
    reference = "JCGM 100:2008, 5.1.2"
    handles = (Band(),)
    yields = (Yield("x", "x", 1, 0),)

    y: float = RuleField(0.0, label="y", unit="y", help="The y that is crossed.")
    which: Literal["first", "last", "nth"] = RuleField("first", label="crossing", help="Which of several crossings.")
    n: int = RuleField(2, label="n", ge=1, le=1_000_000, help="The number of the crossing, from 1.", when="which: nth")
    direction: Literal["any", "rising", "falling"] = RuleField(
        "any", label="direction", help="Only crossings on the way up, or down, with growing x."
    )
    low: float | None = RuleField(None, label="from", unit="x", help="Where to begin looking; empty: at the start.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where to stop; empty: at the end.")

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """Half-way up."""
        y = curve.used.y
        middle = float(y.min() + y.max()) / 2 if y.size else 0.0
        return cls(y=rounded((middle,), float(np.ptp(y)) if y.size else 0.0)[0])

    def take(self, seen: Seen) -> Taken:
        curve = single_valued(seen.band(self.low, self.high, 2))
        u = seen.spread.at(curve)
        passages = [
            one
            for one in crossings(curve.x, curve.y - self.y, u)
            if self.direction == "any" or one[2] == (self.direction == "rising")
        ]
        wanted = {"first": 0, "last": len(passages) - 1, "nth": self.n - 1}[self.which]
        if not 0 <= wanted < len(passages):
            ways = {"any": "", "rising": " on the way up", "falling": " on the way down"}[self.direction]
            raise InputError(
                f"the curve crosses y = {self.y:g} {counted(len(passages), 'time')}{ways}; its y runs from "
                f"{curve.y.min():g} to {curve.y.max():g}."
            )
        at = crossing_at(curve.x, curve.y - self.y, u, passages[wanted])
        near = curve.take(slice(at.first, at.last + 1))
        how = "on the straight line between two points"
        if len(near) > 2:
            how = f"on the straight line through {counted(len(near), 'point')}"
        many = f", crossing {wanted + 1} of {len(passages)}" if len(passages) > 1 else ""
        ends = near.x[[0, -1]]
        line = Line(ends, self.y + (ends - at.x) / at.against_level)
        said = f"{how}{many}"
        return Taken((Found("x", at.x, at.slopes[at.first : at.last + 1]),), said, near, (line, Point(at.x, self.y)))

    def digest(self) -> str:
        return f"y {self.y:g}, {self.which if self.which != 'nth' else f'no. {self.n}'}, {self.direction}"
