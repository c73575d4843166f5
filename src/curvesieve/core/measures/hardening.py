"""Measures of strain hardening: laws of true stress against true strain, and Ramberg–Osgood."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import Absent, InputError, counted
from curvesieve.core.fitted_line import fitted_line
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield, said_band
from curvesieve.core.measures.of_elastic import OfElastic, strain_in, unbroken
from curvesieve.core.measures.trace import doubt_of
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import Stretch
from curvesieve.core.shapes import Line

_FIRST_SHARE = 0.1
"""Share of the strain at the largest stress at which hardening is looked for, where no band is given."""
_LEAST, _DRAWN = 10, 120
_SYMBOLS = {"strength": "K", "hardening": "n", "yield_stress": "σ0", "saturation": "σs", "strain": "εc",
            "prestrain": "ε0"}  # fmt: skip
_OF_LAW = {
    "Hollomon": ("strength", "hardening"), "Ludwik": ("yield_stress", "strength", "hardening"),
    "Voce": ("saturation", "yield_stress", "strain"), "Swift": ("strength", "prestrain", "hardening"),
}  # fmt: skip
_STRESSES = ("strength", "yield_stress", "saturation")


class Hardening(Banded, Measure):
    """A hardening law of true stress against true strain, from a curve of engineering stress and strain, or a true one.

    True stress is s·(1 + e) and true strain ln(1 + e), up to the largest engineering stress, where the neck begins.
    Hollomon's σ = K·ε^n is the straight line of least squares through the logarithms (ASTM E646; from memory); Ludwik,
    Voce and Swift are fitted as terms of the library. The necking strain is where the law's slope is its stress
    (A. Considère 1885): n for Hollomon. u from the scatter about the law.
    """

    slug = "hardening"
    label = "Hardening law"
    group = "mechanics"
    summary = "n and K by Hollomon, or Ludwik, Voce, Swift; where the neck begins"
    words = "strain hardening exponent strength coefficient e646 considere necking true stress work hardening"
    reference = "ASTM E646; A. Considère 1885"
    handles = (Band(),)
    leads = False
    yields = ()

    law: Literal["Hollomon", "Ludwik", "Voce", "Swift"] = RuleField(
        "Hollomon", label="law", help="K·ε^n, σ0 + K·ε^n, σs − (σs − σ0)·exp(−ε/εc), or K·(ε0 + ε)^n."
    )
    curve: Literal["engineering", "true"] = RuleField(
        "engineering", label="the curve is", help="Whether stress and strain are engineering or true ones already."
    )
    low: float | None = RuleField(
        None, label="from", unit="x", help="Where it begins; empty: at a tenth of the strain at the largest stress."
    )
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends; empty: at the largest stress.")

    def yields_now(self) -> tuple[Yield, ...]:
        names = _OF_LAW[self.law]
        order = ("hardening", "strain", *_STRESSES, "prestrain")
        made = [
            Yield(name.replace("_", "-"), _SYMBOLS[name], 0, 1 if name in _STRESSES else 0)
            for name in sorted(names, key=order.index)
        ]
        return (*made, Yield("necking-strain", "εneck"), Yield("r2", "R²", aside=True))

    def take(self, seen: Seen) -> Taken:
        points, strain, stress, grown = self._true(seen)
        if self.law == "Hollomon":
            values, found, fitted = self._hollomon(points, strain, stress, grown)
        else:
            values, found, fitted = self._fitted(strain, stress)
        total = float(np.sum((stress - stress.mean()) ** 2))
        r2 = 1 - float(np.sum((stress - fitted) ** 2)) / total if total > 0 else math.nan
        neck = necking_strain(self.law, values)
        if neck is not None:
            found.append(Found("necking-strain", neck, u=self._u_of_neck(found), unit="1"))
        if math.isfinite(r2):
            found.append(Found("r2", r2))
        places = np.unique(np.linspace(0, len(points) - 1, min(len(points), _DRAWN)).astype(int))
        drawn = fitted / grown
        line = Line(points.x[places], drawn[places])
        said = f"{points.x[0]:.6g} to {points.x[-1]:.6g}, {counted(len(points), 'point')}, true stress and strain"
        said += "" if neck is not None else "; the law has no necking strain"
        warning = "" if not math.isfinite(r2) or r2 > 0.9 else f"R² is {r2:.2f}: the law hardly describes these points"
        return Taken(tuple(found), said, points, (line,), "u from the scatter about the law", warning)

    def _true(self, seen: Seen) -> tuple[Stretch, Floats, Floats, Floats]:
        """The points in the band, their true strain (a plain number) and stress, and what the stress grew by."""
        whole = unbroken(seen)
        base = units.in_base(seen.curve.x_unit)
        if base.powers:
            raise InputError(f"x is in {units.shown(seen.curve.x_unit)}; hardening needs a strain.")
        top = int(np.argmax(whole.y))
        high = float(whole.x[top]) if self.high is None else self.high
        low = _FIRST_SHARE * float(whole.x[top]) if self.low is None else self.low
        inside = (whole.x >= low) & (whole.x <= high)
        points = whole.take(inside)
        if len(points) < _LEAST:
            raise InputError(
                f"{counted(len(points), 'point')} between {low:.4g} and {high:.4g}, and {_LEAST} are needed: widen "
                "the band. A material that breaks near its yield has no hardening to tell."
            )
        e = points.x * base.factor
        grown = 1 + e if self.curve == "engineering" else np.ones(e.size)
        strain = np.log1p(e) if self.curve == "engineering" else e
        stress = points.y * grown
        if not (strain > 0).all() or not (stress > 0).all():
            raise InputError("a hardening law needs stress and strain above zero; begin the band farther on.")
        return points, strain, stress, grown

    @staticmethod
    def _hollomon(
        points: Stretch, strain: Floats, stress: Floats, grown: Floats
    ) -> tuple[dict[str, float], list[Found], Floats]:
        logs = Stretch(np.log(strain), np.log(stress), None, points.rows)
        line = fitted_line(logs, True)
        lever = np.array([1.0, -line.origin])
        level = line.intercept - line.slope * line.origin
        strength = float(np.exp(level))  # beyond all numbers is told where readings are made
        u = [None, None]
        if line.covariance is not None:
            u_level = math.sqrt(max(float(lever @ line.covariance @ lever), 0.0))
            u = [math.sqrt(float(line.covariance[1, 1])), strength * u_level]  # type: ignore[list-item]
        by_level = line.slopes[0] - line.origin * line.slopes[1]
        found = [
            Found("hardening", line.slope, line.slopes[1] / points.y, u[0], unit="1"),
            Found("strength", strength, strength * by_level / points.y, u[1]),
        ]
        values = {"strength": strength, "hardening": line.slope}
        return values, found, np.exp(line.at(logs.x))

    def _fitted(self, strain: Floats, stress: Floats) -> tuple[dict[str, float], list[Found], Floats]:
        from curvesieve.core.fitting.fits import fit_asked
        from curvesieve.core.fitting.request import Request
        from curvesieve.core.formula import evaluate
        from curvesieve.core.models import TERMS

        slug = self.law.lower()
        scale = float(stress.max())
        result = fit_asked(slug, strain, stress / scale, None, Request(), "x")
        if not result.converged:
            raise InputError(f"{self.law}'s law could not be fitted: {result.message}")
        values, found = {}, []
        for name in _OF_LAW[self.law]:
            one, factor = result.parameters[name], scale if name in _STRESSES else 1.0
            values[name] = one.value * factor
            unit = None if name in _STRESSES else "1"
            found.append(
                Found(
                    name.replace("_", "-"), one.value * factor, u=None if one.u is None else one.u * factor, unit=unit
                )
            )
        term = TERMS[slug]
        at = {name: parameter.value for name, parameter in result.parameters.items()}
        fitted = np.asarray(evaluate(term.parsed, {**at, term.variable: strain})) * scale
        return values, found, np.broadcast_to(fitted, strain.shape)

    def _u_of_neck(self, found: list[Found]) -> float | None:
        """u of the necking strain for Hollomon, whose exponent it is; for the others it is not told."""
        if self.law != "Hollomon":
            return None
        return next(one.u for one in found if one.quantity == "hardening")

    def digest(self) -> str:
        return f"{self.law}, {said_band(self.low, self.high)}, {self.curve}"


def necking_strain(law: str, values: Mapping[str, float]) -> float | None:
    """Where the slope of a hardening law equals its stress, as a true strain; None where it never does.

    Closed forms: n for Hollomon, n − ε0 for Swift, εc·ln((1 + 1/εc)·(σs − σ0)/σs) for Voce; for Ludwik the root of
    K·n·ε^(n − 1) = σ0 + K·ε^n.
    """
    if law == "Hollomon":
        strain = values["hardening"]
    elif law == "Swift":
        strain = values["hardening"] - values["prestrain"]
    elif law == "Voce":
        limit, c = values["saturation"], values["strain"]
        share = (1 + 1 / c) * (limit - values["yield_stress"]) / limit if c > 0 and limit > 0 else 0.0
        strain = c * math.log(share) if share > 0 else -1.0
    else:
        from scipy.optimize import brentq

        first, k, n = values["yield_stress"], values["strength"], values["hardening"]
        if not (k > 0 and 0 < n < 1 and first >= 0):
            return None

        def over(strain: float) -> float:
            return float(k * n * strain ** (n - 1) - first - k * strain**n)

        strain = brentq(over, 1e-12, n)  # at n the power law alone would neck; a yield stress brings it forward
    return float(strain) if strain > 0 else None


class RambergOsgood(OfElastic):
    """Exponent and proof stress of Ramberg and Osgood's law: ε = σ/E + 0.002·(σ/σ0.2)^n.

    The plastic strain, what is left of the strain when the elastic line's is taken off, is a power of the stress: the
    straight line of least squares through the logarithms, between two plastic strains and up to the largest stress
    (W. Ramberg and W. R. Osgood, NACA TN 902 (1943), in the form with the 0.2 % stress; from memory). u from the
    scatter about the line; that of the elastic line is left out.
    """

    slug = "ramberg-osgood"
    label = "Ramberg–Osgood"
    summary = "Exponent and 0.2 % stress of a rounded yield"
    words = "ramberg osgood exponent rounded yield nonlinear"
    reference = "W. Ramberg and W. R. Osgood, NACA TN 902 (1943)"
    leads = False
    yields = (Yield("exponent", "n"), Yield("proof-stress", "σ0.2", 0, 1), Yield("r2", "R²", aside=True))

    first: float = RuleField(
        0.05, label="plastic from", unit="%", gt=0, lt=100, help="The plastic strain it begins at."
    )
    last: float = RuleField(
        2.0, label="to", unit="%", gt=0, le=1000, help="And where it ends, if the stress goes so far."
    )

    def take(self, seen: Seen) -> Taken:
        elastic, points = self.elastic(seen), unbroken(seen)
        points = points.take(slice(0, int(np.argmax(points.y)) + 1))
        one = strain_in(seen.curve, 100.0)
        if self.first >= self.last:
            raise InputError("the plastic strain must end farther on than it begins.")
        plastic = (points.x - (points.y - elastic.intercept) / elastic.slope) / one
        stress = points.y
        beyond = np.flatnonzero(plastic < self.first / 100)
        inside = (plastic >= self.first / 100) & (plastic <= self.last / 100) & (stress > 0)
        if beyond.size:  # noise takes single points of the elastic part beyond the first strain
            inside[: int(beyond[-1]) + 1] = False
        if inside.sum() < _LEAST:
            raise Absent(
                f"{counted(int(inside.sum()), 'point')} have a plastic strain between {self.first:g} and "
                f"{self.last:g} %, and {_LEAST} are needed: the material hardly yields, or the points are few."
            )
        used = points.take(inside)
        logs = Stretch(np.log(plastic[inside]), np.log(used.y), None, used.rows)
        line = fitted_line(logs, True)  # the logarithm of the stress is the one with noise where the curve is flat
        if not line.slope > 0:
            raise InputError("the stress does not grow with the plastic strain here; move the range.")
        exponent = 1 / line.slope
        away = math.log(0.002) - line.origin
        level = line.intercept + line.slope * away
        proof = math.exp(level)
        u_n = u_proof = None
        if line.covariance is not None:
            u_n = exponent**2 * math.sqrt(float(line.covariance[1, 1]))
            lever = np.array([1.0, away])
            u_proof = proof * math.sqrt(max(float(lever @ line.covariance @ lever), 0.0))
        found = [
            Found("exponent", exponent, -(exponent**2) * line.slopes[1] / used.y, u_n),
            Found("proof-stress", proof, proof * (line.slopes[0] + away * line.slopes[1]) / used.y, u_proof),
        ]
        if math.isfinite(line.r2):
            found.append(Found("r2", line.r2))
        drawn = np.linspace(0.2 * proof, float(used.y[-1]), _DRAWN)
        strain = elastic.zero + drawn / elastic.slope + one * 0.002 * (drawn / proof) ** exponent
        said = f"{counted(len(used), 'point')} of {self.first:g} to {self.last:g} % plastic strain"
        how = "u from the scatter about the line of logarithms"
        return Taken(tuple(found), said, used, (Line(strain, drawn),), how, doubt_of([elastic.by_slope]))

    def digest(self) -> str:
        return f"plastic strain {self.first:g} to {self.last:g} %, elastic part by {self.line}"
