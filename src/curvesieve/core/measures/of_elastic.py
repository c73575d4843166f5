"""What measures of mechanical tests stand on: the elastic line before them, strains in percent, where it breaks."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.breaking import break_of
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.intake.machine import TALL
from curvesieve.core.measures.base import Measure, Seen
from curvesieve.core.measures.outcome import own_name
from curvesieve.core.measures.trace import Trace, Traced, in_unit
from curvesieve.core.rules import RuleField
from curvesieve.core.scatter import Stretch, single_valued


@dataclass(frozen=True, eq=False)
class Elastic:
    """The elastic line: y = intercept + slope·x in the units of the curve, and where the u of both is from.

    Without an intercept it goes through zero.
    """

    by_slope: Traced
    by_intercept: Traced | None

    @property
    def slope(self) -> float:
        """Its slope, in the unit of y over that of x."""
        return self.by_slope[0].value

    @property
    def intercept(self) -> float:
        """Its y at x = 0."""
        return 0.0 if self.by_intercept is None else self.by_intercept[0].value

    @property
    def zero(self) -> float:
        """The x where it meets zero."""
        return -self.intercept / self.slope

    @property
    def begin(self) -> float | None:
        """The first x of the points that it was laid through."""
        span = self.by_slope[0].basis.span
        return None if span is None else span[0]

    def traces_of(self, against_slope: float, against_intercept: float) -> list[tuple[Trace, float]]:
        """What its u adds to a value with these slopes against its slope and intercept; empty where it has none."""
        pairs = ((self.by_slope, against_slope), (self.by_intercept, against_intercept))
        return [(one[1], factor) for one, factor in pairs if one is not None and one[1] is not None]


_LEVEL = 1e-9
"""A line is level that rises by less than this share of the largest y over the whole curve."""


class OfElastic(Measure):
    """A measure that stands on the elastic line: a straight part before it in the list, by its name."""

    group = "mechanics"

    line: str = RuleField("E", label="elastic line", help="The name of the straight part before this: its slope.")

    def elastic(self, seen: Seen) -> Elastic:
        """The elastic line in the units of the curve; raises InputError where there is none of that name."""
        axes, name = seen.curve, own_name(self.line)
        slope = seen.earlier.asked(name, " Take a straight part over the elastic stretch, and give it that name.")
        intercept = seen.earlier.named(f"{name}_intercept")
        made = Elastic(
            in_unit(slope, units.power_product(axes.x_unit, -1, axes.y_unit, 1)),
            None if intercept is None else in_unit(intercept, axes.y_unit),
        )
        rise = abs(made.slope) * float(np.ptp(seen.whole.x))
        if not rise > _LEVEL * float(np.abs(seen.whole.y).max()):
            raise InputError(f"the line {name} is level: it is no elastic line.")
        return made


def tall_doubt(seen: Seen) -> str:
    """The words for a strain without a unit that goes so far that it may be in percent; empty: all is well."""
    if seen.curve.x_unit.strip() or not len(seen.whole):
        return ""
    tall = float(np.abs(seen.whole.x).max())
    if tall <= TALL:
        return ""
    return f"x has no unit and goes to {tall:.4g}: if it is in percent, say so on the Intake bench; the slope too"


def strain_in(curve: Curve, percent: float) -> float:
    """A strain of so many percent in the unit of a curve's x. Raises InputError where x is no strain."""
    base = units.in_base(curve.x_unit)
    if base.powers:
        shown = units.shown(curve.x_unit)
        raise InputError(
            f"x is in {shown}, and an offset in % needs a strain; compute the strain when the file is brought in."
        )
    return percent / 100 / base.factor


def unbroken(seen: Seen) -> Stretch:
    """The points up to the break."""
    points = single_valued(seen.whole)
    if "unbroken" not in points.known:
        last = break_of(points, noise_of(seen, points))[0]
        points.known["unbroken"] = points if last == len(points) - 1 else points.take(slice(0, last + 1))
    found: Stretch = points.known["unbroken"]
    return found


def noise_of(seen: Seen, points: Stretch) -> float:
    """The noise of the points, 0 where it is not known."""
    u = seen.spread.at(points)
    return 0.0 if u is None else float(np.median(u))
