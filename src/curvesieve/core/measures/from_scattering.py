"""What fits of scattering lead to: a volume fraction by the materials' contrast, a hydrodynamic radius by diffusion."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from curvesieve.core import units
from curvesieve.core.contrast import length_density, read_material
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.following import derived_slopes
from curvesieve.core.measures.base import Found, Seen, Taken, Yield
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.of_fit import FIT, OfFit
from curvesieve.core.measures.outcome import OF_QUANTITIES
from curvesieve.core.measures.trace import Trace
from curvesieve.core.quantity import Quantity
from curvesieve.core.rules import RuleField

BOLTZMANN = 1.380649e-23
"""In J/K, exact in the SI of 2019."""


class VolumeFraction(OfFit):
    """The volume fraction of spheres of a fit: φ·Δρ² = I(0)·⟨V⟩/⟨V²⟩ over the square of the contrast of two materials.

    The intensity must be on an absolute scale, by volume (1/cm), and the spheres few: φ stands for φ(1 − φ).
    """

    slug = "volume-fraction"
    label = "Volume fraction by contrast"
    summary = "Volume fraction of spheres from I(0), by the contrast of named materials"
    words = "scattering length density sld contrast absolute concentration neutron x-ray"
    reference = "periodictable's tables: NIST (neutrons), B. L. Henke 1993 (X-rays); JCGM 100:2008, 5.2.2"
    yields = (Yield("volume-fraction", "φ"), Yield("contrast", "Δρ", aside=True))

    particle: str = RuleField("Ag 10.49", label="particles", max_length=80, help="Formula and density in g/cm³.")
    around: str = RuleField("H2O 0.997", label="in", max_length=80, help="What is around them, as H2O 0.997.")
    radiation: str = RuleField(
        "Cu Kα", label="radiation", max_length=40, examples=["Cu Kα", "Mo Kα", "12 keV", "neutrons"],
        help="neutrons, or X-rays by a line, a wavelength or an energy.",
    )  # fmt: skip

    def take(self, seen: Seen) -> Taken:
        fit = self._fit(seen)
        ground = fit.model.background
        derived = next((d for d in ground.term.derived if d.name == "contrast_by_volume"), None) if ground else None
        if ground is None or derived is None:
            raise InputError("the fit has no spheres, whose volume is known; choose the law Sphere.")
        densities = [
            length_density(*read_material(text, what), self.radiation)
            for text, what in ((self.particle, "the particles"), (self.around, "what is around them"))
        ]
        contrast = densities[0] - densities[1]
        if contrast == 0:
            raise InputError("both materials scatter alike: there is no contrast.")
        value, slopes = derived_slopes(fit.result, derived, ground.full_name)
        unit = units.in_base(units.power_product(seen.curve.x_unit, 3, seen.curve.y_unit, 1))
        wanted = units.in_base("1/cm^4")
        if unit.powers != wanted.powers:
            raise InputError(
                f"q is in {seen.curve.x_unit or 'no unit'} and I in {seen.curve.y_unit or 'no unit'}; a fraction needs "
                "lengths and I on an absolute scale, as 1/cm (see the step Absolute scale)."
            )
        factor = float(unit.factor) / float(wanted.factor) / contrast**2
        fraction = value * factor
        found = Found("volume-fraction", fraction, unit="")
        if fit.factor is not None:
            trace = Trace(FIT - np.arange(fit.factor.shape[1]), fit.result.gradient(slopes) @ fit.factor * factor)
            found = Found("volume-fraction", fraction, u=trace.u, unit="", trace=trace)
        said = f"Δρ {contrast:.4g} 1/cm² of {self.particle} in {self.around}, {self.radiation}"
        made = self._taken(seen, (found, Found("contrast", contrast, unit="1/cm^2")), said)
        told = "" if 0 < fraction < 0.1 else "a fraction that is not small: spheres apart are taken for granted"
        return Taken(made.found, made.sentence, made.used, made.shapes, made.said_u, told)

    def digest(self) -> str:
        return f"{self.particle} in {self.around}, {self.radiation}"


class HydrodynamicRadius(OfFit):
    """The hydrodynamic radius from a rate of diffusion: Rh = k·T/(6π·η·D) with D = Γ/q² (Stokes and Einstein).

    Γ is the parameter `rate` of the fit of a correlation function (the law Cumulants); q = 4π·n·sin(θ/2)/λ follows from
    the quantities `wavelength`, `angle` and `refractive_index`, and with `temperature` and `viscosity` the radius does.
    u is that of the fit and of all quantities that have one. Its spread is that of the rates, √μ₂/Γ.
    """

    slug = "hydrodynamic-radius"
    label = "Hydrodynamic radius"
    summary = "Rh by Stokes and Einstein, from the rate of a correlation function"
    words = "dls dynamic light scattering cumulant diffusion stokes einstein polydispersity index pdi"
    reference = "A. Einstein 1905; D. E. Koppel, J. Chem. Phys. 57 (1972) 4814 (from memory); JCGM 100:2008, 5.2.2"
    yields = (Yield("hydrodynamic-radius", "Rh"), Yield("diffusion", "D"), Yield("polydispersity", "PDI"))

    def take(self, seen: Seen) -> Taken:
        fit = self._fit(seen)
        if "rate" not in fit.result.parameters:
            raise InputError("the fit has no parameter named rate; choose the law Cumulants for a correlation.")
        time = units.in_base(seen.curve.x_unit or "")
        if time.powers != units.in_base("s").powers:
            raise InputError(f"x is in {seen.curve.x_unit or 'no unit'}, and the delay of a correlation is a time.")
        told = [_asked(seen.quantities, name, unit) for name, unit in _NEEDED]
        rate = fit.result.parameters["rate"].value / float(time.factor)
        if not rate > 0:
            raise InputError(f"the rate of the fit is {rate:.4g} 1/s, and must be above zero.")
        values = [value for value, _, _ in told]
        radius, diffusion = _stokes_einstein(rate, values)
        slopes = fit.result.gradient({"rate": 1.0}) / float(time.factor)
        own = None if fit.factor is None else Trace(FIT - np.arange(fit.factor.shape[1]), slopes @ fit.factor)
        found = [
            _with_quantities(quantity, value, unit, own, by, rate, values, told, which)
            for which, (quantity, value, unit, by) in enumerate(
                (("hydrodynamic-radius", radius * 1e9, "nm", -radius * 1e9 / rate),
                 ("diffusion", diffusion * 1e12, "µm^2/s", diffusion * 1e12 / rate))
            )
        ]  # fmt: skip
        if "spread" in fit.result.parameters:
            spread = fit.result.parameters["spread"]
            found.append(_squared(fit, spread.value))
        given = (f"{name} {v:.5g} {unit}" for (name, unit), v in zip(_NEEDED, values, strict=True))
        said = "Stokes–Einstein with " + ", ".join(given)
        made = self._taken(seen, tuple(found), said)
        missing = [name for (name, _), (_, u, _) in zip(_NEEDED, told, strict=True) if u is None]
        how = made.said_u + (f"; {', '.join(missing)} taken as exact" if missing else " and of the quantities")
        return Taken(made.found, made.sentence, made.used, made.shapes, how)

    def digest(self) -> str:
        return "by temperature, viscosity, refractive index, wavelength and angle"


_NEEDED = (("temperature", "K"), ("viscosity", "Pa*s"), ("refractive_index", ""), ("wavelength", "m"), ("angle", "rad"))


def _asked(quantities: Sequence[Quantity], name: str, unit: str) -> tuple[float, float | None, int]:
    """A quantity in a unit, with its u in that, and its place among them.

    Raises InputError where there is none, or it is of another kind.
    """
    place = next((k for k, q in enumerate(quantities) if q.name.casefold() == name), None)
    if place is None:
        needed = ", ".join(known for known, _ in _NEEDED)
        raise InputError(f"the curve has no quantity named {name}; it needs {needed}. Give it one with +.")
    one = quantities[place]
    if not unit:
        if one.unit.strip():
            raise InputError(f"{name} has no unit, but is given in {one.unit}.")
        return one.value, one.u, place
    if units.in_base(one.unit).powers != units.in_base(unit).powers:
        raise InputError(f"{name} is in {one.unit or 'no unit'}, and must be as {unit}.")
    value = float(units.convert(np.array([one.value]), one.unit, unit)[0])
    if one.u is None:
        return value, None, place
    moved = float(units.convert(np.array([one.value + one.u]), one.unit, unit)[0])
    return value, abs(moved - value), place


def _stokes_einstein(rate: float, values: Sequence[float]) -> tuple[float, float]:
    """The radius in m and the diffusion coefficient in m²/s from a rate in 1/s and the quantities in SI units."""
    temperature, viscosity, index, wavelength, angle = values
    if not (temperature > 0 and viscosity > 0 and index >= 1 and wavelength > 0 and 0 < angle <= math.pi):
        raise InputError(
            "temperature and viscosity must be above zero, the refractive index 1 or more, the angle up to 180°."
        )
    q = 4 * math.pi * index * math.sin(angle / 2) / wavelength
    diffusion = rate / q**2
    return BOLTZMANN * temperature / (6 * math.pi * viscosity * diffusion), diffusion


def _with_quantities(
    quantity: str, value: float, unit: str, own: Trace | None, by_rate: float, rate: float,
    values: Sequence[float], told: Sequence[tuple[float, float | None, int]], which: int,
) -> Found:  # fmt: skip
    """A reading whose u has that of the rate and that of the quantities, by moving each by its own u."""
    parts = [] if own is None else [(own, by_rate)]
    for k, (at, u, place) in enumerate(told):
        if u:
            ends = []
            for sign in (-1, 1):
                moved = list(values)
                moved[k] = at + sign * u
                ends.append(_stokes_einstein(rate, moved)[which] * (1e9 if which == 0 else 1e12))
            parts.append((Trace(np.array([OF_QUANTITIES - place]), np.array([(ends[1] - ends[0]) / 2])), 1.0))
    if not parts:
        return Found(quantity, value, unit=unit)
    trace = Trace.sum(parts)
    return Found(quantity, value, u=trace.u, unit=unit, trace=trace)


def _squared(fit: FitSeen, spread: float) -> Found:
    if fit.factor is None:
        return Found("polydispersity", spread**2, unit="")
    slopes = fit.result.gradient({"spread": 2 * spread})
    trace = Trace(FIT - np.arange(fit.factor.shape[1]), slopes @ fit.factor)
    return Found("polydispersity", spread**2, u=trace.u, unit="", trace=trace)
