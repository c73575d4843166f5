"""Steps for spectra: another axis for the same light, absorbance from what was let through or thrown back."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.quantity import Quantity
from curvesieve.core.rules import RuleField
from curvesieve.core.spectral import UNITS, energy_of, from_energy, kind_of
from curvesieve.core.steps.base import Caught, Passed, Step

_SHIFT = "Raman shift"


class SpectralAxis(Step):
    """x as a wavelength, a wavenumber, a photon energy, a frequency, or a shift from a laser line; all in vacuum.

    Where y is a density, as of light for each nanometre, it is made one for each unit of the new x: y·|dx/dx'|.
    """

    slug = "spectral-axis"
    label = "Spectral axis"
    group = "transform"
    left_out = "by itself"
    summary = "Wavelength, wavenumber, photon energy, frequency, Raman shift"
    told = "x was made a {to} ({settings})"
    words = "nm eV cm-1 convert optical infrared laser photon frequency terahertz"
    reference = "E = hc/λ with h, c and e of the SI of 2019"

    to: Literal["photon energy", "wavenumber", "wavelength", "frequency", "Raman shift"] = RuleField(
        "photon energy", label="new x", help="What x becomes: eV, 1/cm, nm, THz, or 1/cm from the laser."
    )
    x_is: Literal["by its unit", "nm", "1/cm", "eV", "THz"] = RuleField(
        "by its unit", label="x is in", help="The unit of an x that has none of its own."
    )
    laser: str = RuleField(
        "532 nm", label="laser", max_length=60, when="to: Raman shift", help="Its line, as 532 nm or 18797 1/cm."
    )
    density: bool = RuleField(False, label="y is per unit of x", help="As counts for each nanometre: y is made to fit.")

    def apply(self, curve: Curve) -> Passed:
        old = self._unit(curve)
        energy = energy_of(curve.x, old)
        kind = "wavenumber" if self.to == _SHIFT else self.to
        absolute = from_energy(energy, kind)
        x = self._laser() - absolute if self.to == _SHIFT else absolute
        y, u, unit = curve.y, curve.u, curve.y_unit
        if self.density:
            factor = _stretch(curve.x, absolute, old, kind)
            y, u = y * factor, None if u is None else u * factor
            unit = units.power_product(units.power_product(old, 1, unit, 1), 1, UNITS[kind], -1)
        made = replace(curve, x=x, y=y, u=u, x_label=self.to, x_unit=UNITS[kind], y_unit=unit)
        if len(made) > 1 and curve.is_sorted and x[0] > x[-1]:
            made = made.take(np.arange(len(made))[::-1])
        said = (
            f"{counted(len(made), 'point')} from {made.x.min():.6g} to {made.x.max():.6g}" if len(made) else "no point"
        )
        return Passed(made, Caught(), f"{said} {units.shown(UNITS[kind])}")

    def _unit(self, curve: Curve) -> str:
        if self.x_is == "by its unit":
            return curve.x_unit
        if curve.x_unit and not units.alike(curve.x_unit, self.x_is):
            raise InputError(f"x is in {units.shown(curve.x_unit)} already, and not in {self.x_is}.")
        return self.x_is

    def _laser(self) -> float:
        told = Quantity.read("the laser", self.laser)
        return float(from_energy(energy_of(np.array([told.value]), told.unit), "wavenumber")[0])

    def digest(self) -> str:
        return f"to {self.to}" + (f", laser {self.laser}" if self.to == _SHIFT else "")


def _stretch(x: Floats, new: Floats, unit: str, kind: str) -> Floats:
    """|dx/dx'|, of the shape of x: x/x' of K/x, and the same at all points where x' is in proportion to x."""
    if "wavelength" in (kind_of(unit)[0], kind) and kind_of(unit)[0] != kind:
        return np.abs(x / new)
    one = np.ones(1)
    return np.full(x.size, abs(1 / float(from_energy(energy_of(one, unit), kind)[0])))


class Absorbance(Step):
    """A = −log₁₀ T of a transmittance, −ln T, or (1 − R)²/2R of a diffuse reflectance (Kubelka and Munk 1931).

    Points that let nothing through have no absorbance and are dropped. u goes with the slope at each point.
    """

    slug = "absorbance"
    label = "Absorbance"
    group = "transform"
    left_out = "by itself"
    summary = "From transmittance or reflectance, or back"
    told = "y was made {make}"
    words = "transmittance transmission reflectance kubelka munk optical density extinction percent"
    reference = "IUPAC Compendium of Chemical Terminology (from memory); P. Kubelka and F. Munk 1931 (from memory)"

    make: Literal["absorbance", "Napierian absorbance", "Kubelka–Munk", "transmittance"] = RuleField(
        "absorbance", label="make", help="−log₁₀ T, −ln T, (1 − R)²/2R, or T = 10^(−A) back again."
    )
    percent: Literal["by its unit", "yes", "no"] = RuleField(
        "by its unit", label="y in percent", when="make: absorbance, Napierian absorbance, Kubelka–Munk",
        help="Whether 100 is all of the light.",
    )  # fmt: skip

    def apply(self, curve: Curve) -> Passed:
        if not len(curve):
            raise InputError("there is no point to make an absorbance of.")
        y, factor = curve.y, 1.0
        if self.make != "transmittance":
            factor = 0.01 if self._in_percent(curve) else 1.0
        elif curve.y_unit:
            raise InputError(f"an absorbance has no unit, and y is in {units.shown(curve.y_unit)}.")
        y = y * factor
        kept = np.ones(y.size, bool) if self.make == "transmittance" else y > 0
        if not kept.any():
            raise InputError("no point lets light through: every y is zero or below it.")
        with np.errstate(all="ignore"):
            made, slope = self._made(y)
        kept &= np.isfinite(made)
        u = None if curve.u is None else curve.u * factor * np.abs(slope)
        # Kubelka and Munk's function is flat at R = 1: there the next order counts (JCGM 100, 5.1.2 note).
        if u is not None and curve.u is not None and self.make == "Kubelka–Munk":
            u = np.hypot(u, (curve.u * factor) ** 2 / (np.sqrt(2) * np.abs(y) ** 3))
        whole = replace(
            curve, y=np.where(kept, made, 0.0), u=None if u is None else np.where(kept, u, 1.0), y_label=self.make,
            y_unit="",
        )  # fmt: skip
        gone = np.flatnonzero(~kept)
        said = f"{self.make} of every point"
        if gone.size:
            said = f"{counted(gone.size, 'point')} without light, and so without {self.make}, dropped"
        return Passed(whole.take(kept), Caught(gone, np.full(gone.size, np.nan)), said)

    def _in_percent(self, curve: Curve) -> bool:
        if self.percent != "by its unit":
            return self.percent == "yes"
        base = units.in_base(curve.y_unit) if curve.y_unit else None
        if base is not None and base.powers:
            raise InputError(f"y is in {units.shown(curve.y_unit)}, and a transmittance is a share or in percent.")
        if base is not None:
            return bool(abs(float(base.factor) - 0.01) < 1e-12)
        top = float(np.max(curve.used.y)) if len(curve.used) else 0.0
        if top > 2.0:
            raise InputError(
                f"y goes up to {top:.4g} and has no unit: say whether it is in percent, or is an absorbance already."
            )
        return False

    def _made(self, y: Floats) -> tuple[Floats, Floats]:
        """The new y and its slope against the old one, of the shape of y."""
        ten = math.log(10)
        if self.make == "transmittance":
            made = 10.0 ** (-y)
            return made, ten * made
        if self.make == "Kubelka–Munk":
            return (1 - y) ** 2 / (2 * y), (y**2 - 1) / (2 * y**2)
        base = ten if self.make == "absorbance" else 1.0
        return -np.log(y) / base, 1 / (y * base)

    def digest(self) -> str:
        return self.make
