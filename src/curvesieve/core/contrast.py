"""Scattering length densities of materials by their formulas and densities, for X-rays and neutrons."""

from __future__ import annotations

import math
from functools import lru_cache

from curvesieve.core import units
from curvesieve.core.diffraction import PLANCK_LIGHT, wavelength_of
from curvesieve.core.errors import InputError
from curvesieve.core.quantity import Quantity


@lru_cache(maxsize=256)
def length_density(material: str, density: float, radiation: str) -> float:
    """The scattering length density in 1/cm² of a formula such as ``SiO2`` or ``D2O`` at a density in g/cm³.

    `radiation` is ``neutrons``, or that of X-rays as `diffraction.wavelength_of` takes it: ``Cu Kα``, ``0.154 nm``,
    ``12 keV``. The real part, by periodictable's tables (neutrons: NIST; X-rays: Henke 1993). Raises InputError for a
    formula that cannot be read, a density that is none, and what the tables do not have.
    """
    import periodictable

    if not (math.isfinite(density) and density > 0):
        raise InputError(f"the density of {material} must be above zero, in g/cm³.")
    try:
        formula = periodictable.formula(material)
    except Exception as error:  # its parser raises several kinds
        raise InputError(f"{material!r} is no formula that can be read, such as SiO2 or C6H10O5.") from error
    if not formula.atoms:
        raise InputError("a material is not named; type its formula, such as SiO2.")
    if radiation.strip().casefold() in ("neutrons", "neutron", "n"):
        value = periodictable.neutron_sld(formula, density=density)[0]
    else:
        energy = PLANCK_LIGHT / 1000 / wavelength_of(radiation).value
        value = periodictable.xray_sld(formula, density=density, energy=energy)[0]
    if value is None or not math.isfinite(float(value)):
        raise InputError(f"the tables know no scattering length of {material} for {radiation}.")
    return float(value) * 1e10  # of 10⁻⁶/Å²


def read_material(text: str, what: str) -> tuple[str, float]:
    """Formula and density of ``Ag 10.49`` or ``SiO2 2.2 g/cm^3``. Raises InputError, with what is missing."""
    parts = text.split(None, 1)
    if len(parts) != 2:
        raise InputError(f"{what} needs a formula and a density, such as Ag 10.49.")
    bare = not any(letter.isalpha() for letter in parts[1])
    told = Quantity.read(f"the density of {parts[0]}", f"{parts[1]} g/cm^3" if bare else parts[1])
    if units.in_base(told.unit).powers != units.in_base("g/cm^3").powers:
        raise InputError(f"the density of {parts[0]} is in {told.unit}, and must be a mass by volume, as g/cm³.")
    return parts[0], told.value * float(units.in_base(told.unit).factor) / float(units.in_base("g/cm^3").factor)
