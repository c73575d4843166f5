"""Rg, I(0) and the largest distance of a particle from its pair distances."""

from __future__ import annotations

import math

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.inversion import pair_distances
from curvesieve.core.log_fits import u_of
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.rules import RuleField
from curvesieve.core.scatter import above_zero, passed_over
from curvesieve.core.shapes import Line


class FromPairDistances(Measure):
    """Rg, I(0) and Dmax by the pair distance distribution, which looks at all q and not only at the smallest.

    They are means over all smoothness and all Dmax that the points make likely, and u has both; see the step of that
    name, which draws p(r). The particles must be apart: what is between them is taken for a part of their form.
    """

    slug = "pair-distances"
    label = "Pair distances"
    group = "scattering"
    summary = "Rg, I(0) and Dmax from all q, by an indirect transform"
    words = "p(r) pddf dmax indirect fourier transform largest diameter radius of gyration"
    reference = "O. Glatter, J. Appl. Cryst. 10 (1977) 415; S. Hansen, J. Appl. Cryst. 33 (2000) 1415 (from memory)"
    yields = (
        Yield("radius-of-gyration", "Rg", -1, 0),
        Yield("forward-intensity", "I0", 0, 1),
        Yield("largest-distance", "Dmax", -1, 0),
    )

    largest: float | None = RuleField(
        None, label="Dmax", gt=0, help="The largest distance, in 1/q's unit; empty: the likeliest is found."
    )

    def effort(self, curve: Curve) -> float:
        return 8_000.0 * (len(curve) + 100)

    def take(self, seen: Seen) -> Taken:
        points = above_zero(seen.whole)
        u, how = u_of(points)
        if u is None:
            raise InputError("the curve has no u, and too few points above zero to estimate it.")
        u = np.maximum(u, 1e-3 * float(np.median(np.abs(points.y)))) if points.u is None else u
        made = pair_distances(points.x, points.y, u, self.largest or 0.0)
        found = (
            Found("radius-of-gyration", made.rg[0], u=made.rg[1]),
            Found("forward-intensity", made.forward[0], u=made.forward[1]),
            Found("largest-distance", made.largest[0], u=made.largest[1] if self.largest is None else None),
        )
        first = math.pi / float(points.x[0])
        told = (
            "" if made.largest[0] <= first else f"Dmax lies beyond π/q of the first point, {first:.4g}: a lower limit"
        )
        said = f"χ² {made.chi2:.3g} a point; Dmax " + ("found" if self.largest is None else "as given, which has no u")
        said += passed_over(seen.whole)
        return Taken(
            found, said, points, (Line(points.x, made.fitted),), f"{how} and from what is not known of Dmax", told
        )

    def digest(self) -> str:
        return "Dmax found" if self.largest is None else f"Dmax {self.largest:g}"
