"""Measures of scattering, intensity I against q: Guinier's radius, slopes, Porod's law, the invariant."""

from __future__ import annotations

import math
from typing import Literal, Self

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted
from curvesieve.core.guinier import FORMS, REACH, Fall, fall, found_fall
from curvesieve.core.log_fits import LogFit, log_fitted
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield, said_band
from curvesieve.core.measures.in_band import InBand
from curvesieve.core.measures.meeting import places_of
from curvesieve.core.porod import porod_law
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import Stretch, above_zero, of_decades, passed_over
from curvesieve.core.shapes import Line, Point, Shape

_FEW, _BENT, _DRAWN = 8, 3.0, 60
_OFF_FOUR = 0.2
"""How far the exponent of Porod's law may be off 4 before that is told."""


class Guinier(Banded, Measure):
    """Guinier's radius of gyration and the intensity at q = 0, from how ln I falls with q² at the smallest q.

    Rods and sheets have the same law with q·I and q²·I, for the radius of gyration of what lies across them. The law is
    fitted to I itself, so that points at zero or below count. The *found* stretch is that with q·Rg up to the limit
    whose radius is known best; points at smaller q may be left before it, and whether they rise above it or fall below
    is told. u takes in how far the stretch bends against a parabola, and what the law leaves out for a sphere.
    """

    slug = "guinier"
    label = "Guinier radius"
    group = "scattering"
    summary = "Rg and I(0) from the fall of ln I with q² at small q"
    words = "radius of gyration rg forward intensity saxs sans small angle size zero angle"
    reference = "A. Guinier, Ann. Phys. 12 (1939) 161 (from memory); least squares, JCGM 100:2008, 5.1.2"
    handles = (Band(when="by: band"),)
    yields = (
        Yield("radius-of-gyration", "Rg", -1, 0), Yield("forward-intensity", "I0", 0, 1),
        Yield("sphere-radius", "R", -1, 0), Yield("reach", "qRg", aside=True),
    )  # fmt: skip

    form: Literal["particle", "rod", "sheet"] = RuleField(
        "particle", label="of a", help="What scatters: ln I, ln(q·I) or ln(q²·I) falls in proportion to q²."
    )
    by: Literal["found", "band"] = RuleField("found", label="over", help="The best stretch, or a band by hand.")
    most: float = RuleField(
        REACH, label="q·Rg up to", gt=0.2, le=3, when="by: found",
        help="How far the law is trusted; 1.3 is common practice for globules.",
    )  # fmt: skip
    low: float | None = RuleField(None, label="from", unit="x", help="Where the band begins.", when="by: band")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends.", when="by: band")

    def yields_now(self) -> tuple[Yield, ...]:
        if self.form == "particle":
            return self.yields
        size, symbol = ("rod-radius", "R") if self.form == "rod" else ("sheet-thickness", "T")
        inward = Yield("forward-intensity", "I0", FORMS[self.form][0], 1)
        return (self.yields[0], inward, Yield(size, symbol, -1, 0), self.yields[3])

    def effort(self, curve: Curve) -> float:
        return len(curve) + (100_000.0 + 200 * len(curve) if self.by == "found" else 0.0)

    def take(self, seen: Seen) -> Taken:
        points, told = above_zero(seen.whole), ""
        if self.by == "found":
            made = found_fall(points, self.form, self.most)
            one = made.fall
            if made.before:
                told = _BEFORE[made.before]
        else:
            one = fall(above_zero(seen.band(self.low, self.high, 3)), self.form)
            told = self._doubts(one)
        radius = one.radius
        if radius * float(points.x[0]) > math.pi:
            told = f"a radius above π/q of the first point, {math.pi / float(points.x[0]):.4g}, is only a lower limit"
        times = {"particle": math.sqrt(5 / 3), "rod": math.sqrt(2), "sheet": math.sqrt(12)}[self.form]
        by_radius = one.slopes[1] * FORMS[self.form][1] / (2 * radius)
        u = None if one.u_rate is None else one.u_rate * FORMS[self.form][1] / (2 * radius)
        u_height = None if one.covariance is None else math.sqrt(float(one.covariance[0, 0]))
        size = self.yields_now()[2].quantity
        found = (
            Found("radius-of-gyration", radius, by_radius, u),
            Found("forward-intensity", one.height, one.slopes[0], u_height),
            Found(size, times * radius, times * by_radius, None if u is None else times * u),
            Found("reach", one.reach),
        )  # fmt: skip
        first, last = float(one.points.x[0]), float(one.points.x[-1])
        said = f"q from {first:.4g} to {last:.4g}, {counted(len(one.points), 'point')}, q·Rg {first * radius:.2f} to "
        said += f"{one.reach:.2f}" + (f", reduced χ² {one.chi2:.3g}" if one.chi2 is not None else "")
        how = "u from the u of the points" if one.points.u is not None else "u from the scatter about the law"
        how += " and from how far it bends" if one.covariance is not None else ""
        if one.covariance is None:
            how = "no u: as many numbers as points"
        said += passed_over(seen.whole)
        x = np.linspace(float(points.x[0]), last * 1.4, _DRAWN)
        return Taken(found, said, one.points, (Line(x, one.at(x)),), how, told)

    @staticmethod
    def _doubts(one: Fall) -> str:
        if one.reach > REACH:
            return f"q·Rg goes up to {one.reach:.2f} in the band; beyond {REACH} Guinier's law is hardly true"
        if abs(one.bend) > _BENT:
            return f"ln I bends over the band, by {abs(one.bend):.1f} of its u: Guinier's law does not hold there"
        if len(one.points) < _FEW:
            return f"{counted(len(one.points), 'point')} are few for a radius; {_FEW} or more are common practice"
        return ""

    def digest(self) -> str:
        over = f"q·Rg up to {self.most:g}" if self.by == "found" else said_band(self.low, self.high)
        return f"of a {self.form}, {over}"


_BEFORE = {
    "upturn": "the points before the stretch rise above the law, as of aggregates or of scatter about the beam",
    "downturn": "the points before the stretch fall below the law, as of particles that repel each other",
}


def _power(points: Stretch) -> tuple[LogFit, float]:
    """I = exp(a + b·ln(q/middle)) over some points, and the middle q."""
    middle = math.sqrt(float(points.x[0] * points.x[-1]))
    return log_fitted(np.log(points.x / middle), points.y, points.u), middle


def _said_u(points: Stretch, one: LogFit) -> str:
    if one.covariance is None:
        return "no u: as many numbers as points"
    return "u from the u of the points" if points.u is not None else "u from the scatter about the law"


class PowerOfQ(InBand):
    """The exponent of a power law of q over a band: −d(ln I)/d(ln q), and I at q = 1.

    4 is a sharp surface, 2 a sheet or a Gaussian chain, 1 a rod, 5/3 a swollen chain; between 3 and 4 a surface
    fractal, 6 less its dimension, below 3 a mass fractal of that dimension.
    """

    slug = "power-of-q"
    label = "Power law of q"
    group = "scattering"
    summary = "The exponent over a band of q"
    words = "slope exponent fractal dimension porod log-log"
    reference = "least squares; J. Teixeira, J. Appl. Cryst. 21 (1988) 781 (from memory)"
    yields = (Yield("exponent", "P"), Yield("factor", "IP", 0, 1, True))
    handles = (Band(opens=(0.2, 0.6)),)

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """A third of the decades, from their middle on."""
        ends = of_decades(curve, 0.5, 0.85)
        return cls(low=ends[0], high=ends[1]) if ends else cls()

    def take(self, seen: Seen) -> Taken:
        points = above_zero(self.stretch(seen, 3))
        one, middle = _power(points)
        size = one.covariance
        by_factor = one.slopes[0] - math.log(middle) * one.slopes[1]
        log_factor = float(one.values[0]) - math.log(middle) * float(one.values[1])
        factor = math.exp(min(log_factor, 700.0))
        lever = np.array([1.0, -math.log(middle)])
        found = (
            Found("exponent", -float(one.values[1]), -one.slopes[1], None if size is None else math.sqrt(size[1, 1])),
            Found("factor", factor, factor * by_factor,
                  None if size is None else factor * math.sqrt(max(float(lever @ size @ lever), 0.0))),
        )  # fmt: skip
        t = np.linspace(float(points.x[0]), float(points.x[-1]), _DRAWN)
        decades = math.log10(float(points.x[-1] / points.x[0]))
        told = "" if decades >= 0.5 else f"the band is {decades:.2f} decades wide, which tells little of a power law"
        said = f"{counted(len(points), 'point')}, {decades:.2f} decades of q{passed_over(seen.whole)}"
        return Taken(found, said, points, (Line(t, one.at(np.log(t / middle))),), _said_u(points, one), told)


class Crossover(Banded, Measure):
    """Where two power laws of q meet: the q at which one structure ends and another begins, and π over it."""

    slug = "crossover"
    label = "Crossover of two slopes"
    group = "scattering"
    summary = "The q at which two power laws meet"
    words = "knee correlation length mesh size change of slope"
    reference = "least squares; JCGM 100:2008, 5.1.2"
    handles = (Band(opens=(0.1, 0.3)), Band(low="other_low", high="other_high", opens=(0.6, 0.9)))
    yields = (Yield("crossover", "q*", 1, 0), Yield("size", "π/q*", -1, 0), Yield("first-exponent", "P1", aside=True),
              Yield("second-exponent", "P2", aside=True))  # fmt: skip

    low: float | None = RuleField(None, label="from", unit="x", help="Where the first law begins.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends.")
    other_low: float | None = RuleField(None, label="other from", unit="x", help="Where the second law begins.")
    other_high: float | None = RuleField(None, label="other to", unit="x", help="Where it ends.")

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """The first and the last third of the decades."""
        ends = of_decades(curve, 0.0, 0.35, 0.65, 1.0)
        return cls(low=ends[0], high=ends[1], other_low=ends[2], other_high=ends[3]) if ends else cls()

    def take(self, seen: Seen) -> Taken:
        ends = (self.low, self.high, self.other_low, self.other_high)
        if None in ends:
            raise InputError("both bands are needed; drag them, or type where they begin and end.")
        parts = [above_zero(seen.band(low, high, 3)) for low, high in (ends[:2], ends[2:])]
        (one, middle), (two, other) = (_power(part) for part in parts)
        apart = float(one.values[1] - two.values[1])
        if abs(apart) < 1e-6:
            raise InputError("the two laws have the same exponent; they meet nowhere.")
        levels = [float(law.values[0] - law.values[1] * math.log(at)) for law, at in ((one, middle), (two, other))]
        log_q = (levels[1] - levels[0]) / apart
        q = math.exp(min(max(log_q, -700.0), 700.0))
        rows = np.union1d(parts[0].rows, parts[1].rows)
        by_log = np.zeros(rows.size)
        for part, law, at, sign in ((parts[0], one, middle, -1), (parts[1], two, other, 1)):
            moved = law.slopes[0] + (log_q - math.log(at)) * law.slopes[1]
            by_log[np.searchsorted(rows, part.rows)] += sign * moved / apart
        used = seen.whole.take(places_of(seen.whole, rows))
        order = np.searchsorted(rows, used.rows)
        u = self._u(log_q, apart, ((one, middle), (two, other)))
        by_q = q * by_log[order]
        found = [Found("crossover", q, by_q, None if u is None else q * u),
                 Found("size", math.pi / q, -math.pi / q**2 * by_q, None if u is None else math.pi / q * u),
                 *(Found(name, -float(law.values[1]), u=None if law.covariance is None
                         else math.sqrt(float(law.covariance[1, 1])))
                   for name, law in (("first-exponent", one), ("second-exponent", two)))]  # fmt: skip
        shapes: list[Shape] = []
        for part, law, at in ((parts[0], one, middle), (parts[1], two, other)):
            t = np.geomspace(min(q, float(part.x[0])), max(q, float(part.x[-1])), _DRAWN)
            shapes.append(Line(t, law.at(np.log(t / at))))
        shapes.append(Point(q, float(one.at(np.array([log_q - math.log(middle)]))[0])))
        told = "" if parts[0].x[0] <= q <= parts[1].x[-1] else "the laws meet beyond the points they were read from"
        said = f"exponents {-one.values[1]:.3g} and {-two.values[1]:.3g}{passed_over(seen.whole)}"
        return Taken(tuple(found), said, used, tuple(shapes), _said_u(used, one), told)

    @staticmethod
    def _u(log_q: float, apart: float, laws: tuple[tuple[LogFit, float], ...]) -> float | None:
        total = 0.0
        for law, at in laws:
            if law.covariance is None:
                return None
            lever = np.array([1.0, log_q - math.log(at)]) / apart
            total += float(lever @ law.covariance @ lever)
        return math.sqrt(max(total, 0.0))

    def digest(self) -> str:
        return f"{said_band(self.low, self.high)} and {said_band(self.other_low, self.other_high)}"


class Porod(InBand):
    """Porod's law at large q, I = K/q⁴ + B: its constant, and the level under it.

    Weighted by u, without u in proportion to the law. The exponent of what is left over the level is told aside; where
    it is not 4 the surface is not sharp, or the level is wrong. K over 2π·Δρ² is the surface by volume, and with the
    invariant Q before it π·K/Q is that by volume of either phase over the fraction of the other.
    """

    slug = "porod"
    label = "Porod constant"
    group = "scattering"
    summary = "K of I = K/q⁴ + B at large q"
    words = "porod law surface area interface specific constant background incoherent"
    reference = "G. Porod, Kolloid-Z. 124 (1951) 83 (from memory); JCGM 100:2008, 5.1.2"
    handles = (Band(opens=(0.6, 1.0)),)
    yields = (Yield("porod-constant", "K", 4, 1), Yield("level", "B", 0, 1), Yield("exponent", "P", aside=True))

    level: Literal["fitted", "zero"] = RuleField(
        "fitted", label="level", help="Whether a level that does not depend on q is fitted, or has been taken off."
    )

    @classmethod
    def fitted_to(cls, curve: Curve) -> Self:
        """The last third of the decades."""
        ends = of_decades(curve, 0.7)
        return cls(low=ends[0]) if ends else cls()

    def yields_now(self) -> tuple[Yield, ...]:
        return self.yields if self.level == "fitted" else (self.yields[0], self.yields[2])

    def take(self, seen: Seen) -> Taken:
        points = above_zero(self.stretch(seen, 3))
        law = porod_law(points, self.level == "fitted")
        found = [Found("porod-constant", law.constant, law.slopes[0], law.u(0))]
        if self.level == "fitted":
            found.append(Found("level", law.level, law.slopes[1], law.u(1)))
        rest = Stretch(points.x, points.y - law.level, points.u, points.rows)
        told = "" if law.constant > 0 else "the constant is not above zero: there is no Porod law in the band"
        try:
            one, _ = _power(rest)
            exponent = -float(one.values[1])
            u = None if one.covariance is None else math.sqrt(float(one.covariance[1, 1]))
            found.append(Found("exponent", exponent, u=u))
            if not told and u is not None and abs(exponent - 4) > max(_OFF_FOUR, 3 * u):
                told = f"over its level the curve falls with the power {exponent:.2f}, not 4"
        except InputError:
            told = told or "nothing is left over the level that could tell the exponent"
        x = np.geomspace(float(points.x[0]), float(points.x[-1]), _DRAWN)
        how = "no u: as many numbers as points" if law.covariance is None else law.said_u
        said = f"{counted(len(points), 'point')}, I·q⁴ against q⁴{passed_over(seen.whole)}"
        return Taken(tuple(found), said, points, (Line(x, law.constant / x**4 + law.level),), how, told)

    def digest(self) -> str:
        return f"{self.said_band()}, level {self.level}"
