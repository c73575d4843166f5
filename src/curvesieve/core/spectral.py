"""Light by its wavelength, wavenumber, photon energy or frequency, all in vacuum: E = hν = hc/λ = hc·ν̃."""

from __future__ import annotations

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError

_PLANCK, _LIGHT, _CHARGE = 6.62607015e-34, 299_792_458.0, 1.602176634e-19
"""Exact in the SI of 2019, in J·s, m/s and C."""
UNITS = {"wavelength": "nm", "wavenumber": "1/cm", "photon energy": "eV", "frequency": "THz"}
"""The kinds of axes, and the unit that each is given in."""
_EV_OF = {
    "wavelength": _PLANCK * _LIGHT / _CHARGE / 1e-9, "wavenumber": _PLANCK * _LIGHT / _CHARGE * 100,
    "photon energy": 1.0, "frequency": _PLANCK * 1e12 / _CHARGE,
}  # fmt: skip
"""The photon energy in eV of one unit of each; of a wavelength it is divided by that."""


def kind_of(unit: str) -> tuple[str, float]:
    """What an axis in this unit is, and how many of its own unit of `UNITS` one of it is.

    Raises InputError for a unit that is none of a spectrum.
    """
    said = units.shown(unit) or "no unit"
    if unit and units.is_known(unit):
        base = units.in_base(unit)
        for kind, own in UNITS.items():
            other = units.in_base(own)
            if base.powers == other.powers and base.powers:
                return kind, float(base.factor / other.factor)
    raise InputError(
        f"x is in {said}, and a spectrum goes over a wavelength (nm), a wavenumber (1/cm), an energy (eV) or a "
        "frequency (THz). Give x its unit where the curve is brought in."
    )


def energy_of(x: Floats, unit: str) -> Floats:
    """Photon energies in eV, of the shape of x. Raises InputError for another unit, or a wavelength not above zero."""
    kind, factor = kind_of(unit)
    own = np.asarray(x, dtype=float) * factor
    return _of_wavelength(own) if kind == "wavelength" else np.asarray(own * _EV_OF[kind])


def _of_wavelength(own: Floats) -> Floats:
    if own.size and not float(np.min(own)) > 0:
        raise InputError(
            f"a wavelength is above zero, and x goes down to {float(np.min(own)):.6g}; keep the range above."
        )
    return np.asarray(_EV_OF["wavelength"] / own)


def from_energy(energy: Floats, kind: str) -> Floats:
    """Photon energies in eV as another kind of axis, in its unit of `UNITS`, of the shape of `energy`.

    Raises InputError where there is no wavelength, as of no energy.
    """
    if kind != "wavelength":
        return np.asarray(energy / _EV_OF[kind])
    if energy.size and not float(np.min(energy)) > 0:
        raise InputError("where x is zero or below, there is no wavelength; keep the range above.")
    return np.asarray(_EV_OF[kind] / energy)
