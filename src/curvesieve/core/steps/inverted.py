"""Steps that turn scattering into what scatters: a distribution of sizes, pair distances."""

from __future__ import annotations

import math
from typing import Literal, Self

import numpy as np
from pydantic import model_validator

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.guinier import guinier_radius
from curvesieve.core.inversion import pair_distances, sphere_sizes
from curvesieve.core.log_fits import u_of
from curvesieve.core.rules import RuleField
from curvesieve.core.scatter import Stretch, above_zero, passed_over, whole
from curvesieve.core.shapes import Line
from curvesieve.core.steps.base import Caught, Passed, Step

_WORK = 4_000.0
"""How much work a point is, against one of a simple filter."""


def scattered(curve: Curve) -> tuple[Stretch, Floats, str]:
    """The used points with q above zero, their u, of shape (n,), and a word where that is estimated.

    Raises InputError where nothing tells u, or there is no such point.
    """
    every = whole(curve)
    points = above_zero(every)
    u, _ = u_of(points)
    if u is None:
        raise InputError("the curve has no u, and too few points above zero to estimate it.")
    if points.u is not None:
        return points, u, passed_over(every)
    floor = 1e-3 * float(np.median(np.abs(points.y)))
    return points, np.maximum(u, floor), "; u estimated from the scatter of ln I" + passed_over(every)


class SphereSizes(Step):
    """The distribution of radii of spheres by volume, with no law of it: I(q) = ∫ D(R)·V(R)·P(qR) dR.

    Least squares with D ≥ 0 and its second differences kept small, in a strength that the points tell: the largest at
    which χ² is no more than its own spread above its least, the corner of log χ² against log roughness, or a number.
    ∫D dR is the volume fraction times the square of the contrast. u is that of the smoothed answer, from the points' u
    and the smoothing as a prior; what the form is wrong by is not in it.
    """

    slug = "sphere-sizes"
    label = "Size distribution of spheres"
    group = "transform"
    left_out = "dropped"
    summary = "How much of the volume has which radius, without a law"
    told = "it was inverted to a distribution of the radii of spheres ({settings})"
    words = "inversion regularisation tikhonov maximum entropy indirect volume distribution polydisperse bimodal"
    reference = "A. N. Tikhonov 1963; D. L. Phillips, J. ACM 9 (1962) 84 (from memory)"

    smallest: float | None = RuleField(None, label="radii from", gt=0, help="The smallest, in 1/q's unit; empty: told.")
    largest: float | None = RuleField(None, label="radii to", gt=0, help="The largest; empty: told by the smallest q.")
    count: int = RuleField(100, label="radii", ge=10, le=400, help="How many radii, evenly between these.")
    by: Literal["discrepancy", "corner", "given"] = RuleField(
        "discrepancy", label="smoothed by", help="As much as χ² lets, at the corner of roughness and χ², or as given."
    )
    strength: float = RuleField(
        0.01,
        label="strength",
        gt=0,
        le=1e6,
        when="by: given",
        help="Of the smoothing, against what the points weigh.",
    )
    level: bool = RuleField(True, label="over a level", help="Whether a level under all of it is found, too.")

    @model_validator(mode="after")
    def _ends(self) -> Self:
        if self.smallest is not None and self.largest is not None and self.smallest >= self.largest:
            raise ValueError(f"smallest ({self.smallest:g}) must be below largest ({self.largest:g})")
        return self

    def effort(self, curve: Curve) -> float:
        return _WORK * (self.count + len(curve))

    def apply(self, curve: Curve) -> Passed:
        points, u, told = scattered(curve)
        low, high = self._range(points)
        radii = np.linspace(low, high, self.count)
        made = sphere_sizes(points.x, points.y, u, radii, self.by, self.strength, self.level)
        there = np.flatnonzero(made.amount > 0)
        if not there.size:
            raise InputError("nothing but a level was found; are the radii in the range of these q?")
        said = f"{self.count} radii from {low:.4g} to {high:.4g}, smoothing {made.strength:.3g} by {self.by}, "
        said += f"χ² {made.chi2:.3g} a point"
        if self.level:
            said += f", level {made.level:.4g}"
        if made.amount[-1] > 0.02 * float(made.amount.max()):
            said += "; it does not end at the largest radius: this is only a part"
        unit = units.power_product(curve.x_unit, -1, "", 0)
        passed = Curve(
            radii, made.amount, made.u, x_label="R", y_label="volume distribution", x_unit=unit,
            y_unit=units.power_product(curve.x_unit, 4, curve.y_unit, 1),
        )  # fmt: skip
        return Passed(passed, Caught(), said + told, (Line(points.x, made.fitted, "result"),))

    def _range(self, points: Stretch) -> tuple[float, float]:
        """From what the largest q tells apart to some times the size that the smallest ones tell."""
        low = self.smallest or 1.5 / float(points.x[-1])
        if self.largest is not None:
            high = self.largest
        else:
            good = points.take(points.y > 0)
            high = math.pi / float(points.x[0])
            if len(good) >= 5:
                high = min(high, 2.4 * math.sqrt(5 / 3) * guinier_radius(good.x, good.y))
            high = max(high, 4 * low)
        if not low < high:
            raise InputError(f"the radii would run from {low:.4g} to {high:.4g}; say where they begin and end.")
        return float(f"{low:.3g}"), float(f"{high:.3g}")

    def digest(self) -> str:
        return f"{self.count} radii, by {self.by}" + (f" {self.strength:g}" if self.by == "given" else "")


class PairDistances(Step):
    """The pair distance distribution p(r) of particles apart from one another: I(q) = 4π·∫ p(r)·sin(qr)/(qr) dr.

    p is zero at r = 0 and at Dmax, and smooth; how smooth, and Dmax, are told by how likely the points are.
    Rg, I(0) and Dmax stand in its message, and as readings with the measure of that name.
    """

    slug = "pair-distances"
    label = "Pair distances p(r)"
    group = "transform"
    left_out = "dropped"
    summary = "The distances within a particle, by an indirect transform"
    told = "it was transformed to pair distances ({settings})"
    words = "pddf p(r) indirect fourier transform dmax bayesian glatter distance distribution"
    reference = "O. Glatter, J. Appl. Cryst. 10 (1977) 415; S. Hansen, J. Appl. Cryst. 33 (2000) 1415 (from memory)"

    largest: float | None = RuleField(
        None, label="Dmax", gt=0, help="The largest distance, in 1/q's unit; empty: the likeliest is found."
    )

    def effort(self, curve: Curve) -> float:
        return 2 * _WORK * (len(curve) + 100)

    def apply(self, curve: Curve) -> Passed:
        points, u, told = scattered(curve)
        made = pair_distances(points.x, points.y, u, self.largest or 0.0)
        said = f"Dmax {made.largest[0]:.4g}" + (f" ± {made.largest[1]:.2g}" if self.largest is None else " as given")
        said += f", Rg {made.rg[0]:.4g} ± {made.rg[1]:.2g}, χ² {made.chi2:.3g} a point"
        if self.largest is None and made.largest[0] > math.pi / float(points.x[0]):
            said += f"; Dmax lies beyond π/q of the first point, {math.pi / float(points.x[0]):.4g}: a lower limit"
        ends = np.maximum(made.u, 1e-6 * float(made.u.max()))
        passed = Curve(
            made.r, made.p, ends, x_label="r", y_label="p(r)", x_unit=units.power_product(curve.x_unit, -1, "", 0),
            y_unit=units.power_product(curve.x_unit, 1, curve.y_unit, 1),
        )  # fmt: skip
        return Passed(passed, Caught(), said + told, (Line(points.x, made.fitted, "result"),))

    def digest(self) -> str:
        return "Dmax found" if self.largest is None else f"Dmax {self.largest:g}"
