"""The scattering invariant and the lengths that follow from it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.guinier import Fall, fall, found_fall
from curvesieve.core.log_fits import u_of
from curvesieve.core.measures.areas import trapezium_weights
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.porod import PorodLaw, porod_law
from curvesieve.core.rules import Mark, RuleField
from curvesieve.core.scatter import Stretch, above_zero, passed_over, single_valued
from curvesieve.core.shapes import Line, Shape

_NODES, _DRAWN, _MUCH = 48, 60, 0.25


@dataclass(frozen=True, eq=False)
class _Sum:
    """∫q²I, ∫qI and what both change by with the I of each point, (2, n); the shares of them before and behind."""

    values: Floats
    slopes: Floats
    before: Floats
    behind: Floats


class Invariant(Measure):
    """The invariant Q = ∫q²·I dq, over the points by straight lines and beyond them by laws that are named and drawn.

    Below the first point Guinier's law through the smallest q goes on, above `porod_from` Porod's with its level, which
    is taken off everywhere. From it follow Porod's correlation length π·∫q·I dq/Q, which is 3R/2 of a sphere, and the
    chord 4Q/(π·K), which is 4R/3 of one.
    """

    slug = "invariant"
    label = "Invariant"
    group = "scattering"
    summary = "∫q²·I dq, the correlation length and the mean chord"
    words = "porod invariant correlation length chord volume fraction contrast scattering power"
    reference = "G. Porod, Kolloid-Z. 124 (1951) 83; 125 (1952) 51 (from memory); JCGM 100:2008, 5.1.2"
    handles = (Mark(at="porod_from", when="behind: Porod's law"),)
    yields = (
        Yield("invariant", "Q", 3, 1), Yield("correlation-length", "lc", -1, 0), Yield("chord", "lp", -1, 0),
        Yield("beyond", "beyond", aside=True),
    )  # fmt: skip

    before: Literal["Guinier's law", "nothing"] = RuleField(
        "Guinier's law", label="before", help="What is taken for the curve below its first point."
    )
    behind: Literal["Porod's law", "nothing"] = RuleField(
        "Porod's law",
        label="behind",
        help="What is taken for it above the last one; its level is taken off everywhere.",
    )
    porod_from: float | None = RuleField(
        None, label="Porod from", unit="x", gt=0, when="behind: Porod's law",
        help="Where Porod's law begins; empty: at the last third of the decades.",
    )  # fmt: skip

    def yields_now(self) -> tuple[Yield, ...]:
        return tuple(one for one in self.yields if one.quantity != "chord" or self.behind != "nothing")

    def take(self, seen: Seen) -> Taken:
        points = single_valued(above_zero(seen.whole))
        if len(points) < 8:
            raise InputError(f"{counted(len(points), 'point')} with q above zero are too few; eight are needed.")
        sigma, how = u_of(points)
        law, tail, shapes = None, slice(0), list[Shape]()
        if self.behind != "nothing":
            first, last = float(points.x[0]), float(points.x[-1])
            start = self.porod_from or last * (first / last) ** 0.3
            tail = slice(int(np.searchsorted(points.x, start)), None)
            part = points.take(tail)
            if len(part) < 4:
                raise InputError(
                    f"Porod's law from q = {start:.4g} has {counted(len(part), 'point')}; four are needed."
                )
            law = porod_law(Stretch(part.x, part.y, None if sigma is None else sigma[tail], part.rows), True)
            if not law.constant > 0:
                raise InputError(
                    f"from q = {start:.4g} on the curve does not fall by Porod's law (K {law.constant:.3g}); say where "
                    "it does, or let nothing be added behind."
                )
        low = self._low(points, law.level if law else 0.0) if self.before != "nothing" else None
        total = _summed(points, low, law, tail)
        q2, q1 = (float(one) for one in total.values)
        if not q2 > 0:
            raise InputError(f"the integral of q²·I is {q2:.4g}, and must be above zero; is too much taken off?")
        length = math.pi * q1 / q2
        by_length = math.pi * (total.slopes[1] - q1 / q2 * total.slopes[0]) / q2
        found = [Found("invariant", q2, total.slopes[0]), Found("correlation-length", length, by_length)]
        if law is not None:
            chord = 4 * q2 / (math.pi * law.constant)
            by_k = np.zeros(len(points))
            by_k[tail] = law.slopes[0]
            found.append(Found("chord", chord, chord * (total.slopes[0] / q2 - by_k / law.constant)))
            x = np.geomspace(float(points.x[tail][0]), 3 * float(points.x[-1]), _DRAWN)
            shapes.append(Line(x, law.constant / x**4 + law.level, "aid"))
        shares = (float(total.before[0]) / q2, float(total.behind[0]) / q2)
        found.append(Found("beyond", sum(shares)))
        if low is not None:
            x = np.linspace(0.02 * float(points.x[0]), float(points.x[0]), _DRAWN)
            shapes.append(Line(x, low.at(x) + (law.level if law else 0.0), "aid"))
        said = f"{shares[0]:.1%} of it before the points ({self.before}), {shares[1]:.1%} behind ({self.behind})"
        said += passed_over(seen.whole)
        told = "" if sum(shares) < _MUCH else f"{sum(shares):.0%} of the invariant lies beyond the points"
        if sigma is not None:
            found = [
                one if one.slopes is None
                else Found(one.quantity, one.value, one.slopes, math.sqrt(float(np.sum((one.slopes * sigma) ** 2))))
                for one in found
            ]  # fmt: skip
        return Taken(tuple(found), said, points, tuple(shapes), how, told)

    @staticmethod
    def _low(points: Stretch, level: float) -> Fall:
        """Guinier's law over the stretch that is found, or through a tenth of the points."""
        part = Stretch(points.x, points.y - level, points.u, points.rows)
        try:
            return found_fall(part).fall
        except InputError:
            return fall(part.take(slice(0, max(5, len(points) // 10))))

    def digest(self) -> str:
        since = "" if self.porod_from is None or self.behind == "nothing" else f" from {self.porod_from:g}"
        return f"before: {self.before}, behind: {self.behind}{since}"


def _summed(points: Stretch, low: Fall | None, law: PorodLaw | None, tail: slice) -> _Sum:
    n = len(points)
    weights = trapezium_weights(points.x) * np.array([points.x**2, points.x])
    level, by_level, by_k = 0.0, np.zeros(n), np.zeros(n)
    behind, behind_slopes = np.zeros(2), np.zeros((2, n))
    if law is not None:
        level, by_level[tail], by_k[tail] = law.level, law.slopes[1], law.slopes[0]
        end = float(points.x[-1])
        factors = np.array([1 / end, 1 / (2 * end**2)])
        behind, behind_slopes = law.constant * factors, np.outer(factors, by_k)
    inside = weights @ (points.y - level)
    slopes = weights - np.outer(weights.sum(axis=1), by_level) + behind_slopes
    before = np.zeros(2)
    if low is not None:
        t, w = np.polynomial.legendre.leggauss(_NODES)
        first = float(points.x[0])
        x, w = (t + 1) / 2 * first, w / 2 * first
        shape, powers = np.exp(-low.rate * x * x), np.array([x**2, x])
        by_height = powers @ (w * shape)
        before, by_rate = by_height * low.height, powers @ (-w * shape * x * x) * low.height
        own = np.outer(by_height, low.slopes[0]) + np.outer(by_rate, low.slopes[1])
        slopes[:, np.searchsorted(points.x, low.points.x)] += own
        slopes -= np.outer(own.sum(axis=1), by_level)
    return _Sum(inside + before + behind, slopes, before, behind)
