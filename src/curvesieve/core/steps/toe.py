"""The step that takes the toe off a mechanical test."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Flag, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitted_line import FittedLine, fitted_line
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import Stretch, band, whole
from curvesieve.core.shapes import Line
from curvesieve.core.steps.base import Caught, Passed, Step
from curvesieve.core.straight import surest_stretch


class Toe(Banded, Step):
    """Moves the zero of x to where the elastic line, prolonged, meets zero y: slack and seating of the start are gone.

    The line is that of least squares through a band, or through the surest straight stretch on the way to the top (as
    of the reading *Straight part*, its *surest*). What lies before the line's stretch is the toe: it is put on the
    line, as patched points with the u of the line and their own, and what would lie before the new zero is dropped; or
    it stays as recorded. ASTM D638, annex on toe compensation; ISO 527-1; from memory.
    """

    slug = "toe"
    label = "Toe compensation"
    group = "level"
    left_out = "by itself"
    summary = "The elastic line, prolonged to zero, is the new origin"
    told = "the foot of the curve was compensated by the elastic line prolonged to zero, which was {by}"
    words = "toe slack seating preload modulus strain zero tension origin"
    handles = (Band(when="by: band"),)

    by: Literal["found", "band"] = RuleField(
        "found", label="line", help="Whether the elastic line goes through the surest straight stretch, or a band."
    )
    low: float | None = RuleField(None, label="low", unit="x", help="Where the band begins.", when="by: band")
    high: float | None = RuleField(None, label="high", unit="x", help="Where the band ends.", when="by: band")
    toe: Literal["put on the line", "as recorded"] = RuleField(
        "put on the line", label="toe", help="What becomes of the points before the line's stretch."
    )

    missing: Literal["stop", "as recorded"] = RuleField(
        "stop", label="without a line", when="by: found",
        help="Where no straight stretch is found: nothing passes, or the curve passes as it was recorded.",
    )  # fmt: skip

    def apply(self, curve: Curve) -> Passed:
        points = whole(curve)
        if not len(points):
            raise InputError("every point is left out; take some in again.")
        try:
            part, turn = self._part(points)
        except InputError as error:
            if self.by == "band" or self.missing == "stop":
                raise
            return Passed(curve, Caught(), f"as recorded: {error}")
        line = fitted_line(part, True)
        if not line.slope or not np.isfinite(line.slope):
            raise InputError("the line is level, and meets zero nowhere; choose another band.")
        zero = line.origin - line.intercept / line.slope
        begin = float(part.x[0])
        if zero > float(part.x[-1]):
            raise InputError(
                f"the line meets zero at {zero:.6g}, behind its own stretch; choose a band where y is above zero."
            )
        factor, unit = units.of_difference(curve.x_unit)
        said = f"x less {zero:.6g}{_said_u(line, zero, turn)}, by the line over {begin:.4g} to {part.x[-1]:.4g}"
        drawn = np.array([zero, float(part.x[-1])])
        shapes = (Line(drawn, line.at(drawn), "taken"),)
        made = replace(curve, x=(curve.x - zero) * factor, x_unit=unit)
        if self.toe == "as recorded":
            return Passed(made, Caught(), said, shapes)
        return self._straightened(curve, made, line, zero, begin, said, shapes)

    def _part(self, points: Stretch) -> tuple[Stretch, float]:
        """The points of the elastic line, and how much its slope may be off as they bend."""
        if self.by == "band":
            return band(points, self.low, self.high, 3), 0.0
        surest = surest_stretch(points)
        if surest.steeper:
            raise InputError(
                f"the curve is steeper before its straightest stretch, by {surest.steeper:.1%}, and a toe is flatter: "
                "it bends from its beginning on."
            )
        return surest.points, surest.turn

    @staticmethod
    def _straightened(
        curve: Curve, made: Curve, line: FittedLine, zero: float, begin: float, said: str, shapes: tuple[Line, ...]
    ) -> Passed:
        used = (curve.flags & Flag.LEFT_OUT) == 0
        toe = used & (curve.x < begin)
        gone = toe & (curve.x < zero)
        moved = toe & ~gone
        y, flags, u = curve.y.copy(), curve.flags.copy(), curve.u
        y[moved] = line.at(curve.x[moved])
        flags[moved] = flags[moved] | Flag.PATCHED
        if u is not None:
            u = u.copy()
            u[moved] = np.hypot(_u_at(line, curve.x[moved]), u[moved])
        passed_y = np.where(gone, np.nan, y)
        caught = np.flatnonzero(toe)
        said += f"; {counted(int(moved.sum()), 'point')} of the toe on the line, {int(gone.sum())} dropped"
        straight = made.with_y(y, u, flags).take(np.flatnonzero(~gone))
        return Passed(straight, Caught(caught, passed_y[caught]), said, shapes)

    def digest(self) -> str:
        where = "surest straight stretch" if self.by == "found" else f"band {self.low} – {self.high}"
        return f"{where}, toe {self.toe}"


def _said_u(line: FittedLine, zero: float, turn: float) -> str:
    """± of the place where a line meets zero, by its slopes against level and slope (JCGM 100:2008, 5.2.2).

    `turn` is a further u of the slope, in its unit.
    """
    if line.covariance is None:
        return ""
    against = np.array([-1.0, -(zero - line.origin)]) / line.slope
    u = np.hypot(np.sqrt(against @ line.covariance @ against), against[1] * turn)
    return f" ± {float(u):.2g} (common to all points)"


def _u_at(line: FittedLine, x: Floats) -> Floats:
    """The u of the line at x, both of shape (n,)."""
    assert line.covariance is not None
    design = np.array([np.ones(x.size), x - line.origin])
    squares: Floats = np.einsum("in,ij,jn->n", design, line.covariance, design)
    return np.sqrt(squares)
