"""Diffraction: radiations, Bragg's law, and widths without what the instrument adds. Angles in radians, lengths in nm.

Bragg: λ = 2d·sin θ. Scherrer: D = Kλ/(β·cos θ), P. Scherrer, Göttinger Nachrichten 1918, 98 (from memory).
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.errors import InputError, nearest
from curvesieve.core.quantity import Quantity

PLANCK_LIGHT = 1239.841984
"""h·c in eV·nm (exact in the SI of 2019, here to ten digits)."""


@dataclass(frozen=True)
class Radiation:
    """The K lines of an anode: wavelengths of Kα1 and Kα2 in nm."""

    name: str
    alpha1: float
    alpha2: float

    @property
    def mean(self) -> float:
        """Kα where its two lines are one: their mean, Kα1 counted twice, as it is twice as strong."""
        return (2 * self.alpha1 + self.alpha2) / 3


RADIATIONS = {
    one.name: one
    for one in (
        Radiation("Cr", 0.2289726, 0.2293651), Radiation("Fe", 0.1936041, 0.1939973),
        Radiation("Co", 0.1788996, 0.1792835), Radiation("Cu", 0.15405929, 0.15444274),
        Radiation("Mo", 0.070931715, 0.0713607), Radiation("Ag", 0.055942178, 0.0563813),
    )
}  # fmt: skip
"""Cr to Cu: G. Hölzer et al., Phys. Rev. A 56 (1997) 4554; Mo, Ag: R. D. Deslattes et al., Rev. Mod. Phys. 75 (2003) 35
(all from memory)."""
NAMED = tuple(f"{name} {line}" for name in ("Cu", "Co", "Mo", "Cr", "Fe", "Ag") for line in ("Kα1", "Kα", "Kα2"))
"""Radiations as they may be asked for; Kα alone is the mean of its two lines."""
_LINE = re.compile(r"(?P<anode>[A-Z][a-z])[\s-]*K[\s-]*(?:α|a|alpha|alfa)?[\s-]*(?P<which>[12]?)", re.I)
WAVELENGTHS = ("wavelength", "lambda", "λ", "energy")
"""Names of quantities that tell it."""


def wavelength_of(text: str, quantities: Sequence[Quantity] = ()) -> Quantity:
    """A wavelength in nm, with its u: a radiation by name, a length, an energy; empty: the curve's quantity.

    Raises InputError where it is none of these, or where there is none.
    """
    text = text.strip()
    if not text:
        told = next((one for name in WAVELENGTHS for one in quantities if one.name.casefold() == name), None)
        if told is None:
            raise InputError(
                "the wavelength is not known; choose a radiation such as Cu Kα1, type 0.15406 nm or 17.4 keV, or give "
                "the curve a quantity named wavelength."
            )
        return _as_wavelength(told)
    match = _LINE.fullmatch(text)
    if match is not None:
        anode = match["anode"].capitalize()
        if anode not in RADIATIONS:
            known = ", ".join(RADIATIONS)
            raise InputError(f"the lines of {anode} are not known; known are {known}. Type its wavelength.")
        lines = RADIATIONS[anode]
        value = {"1": lines.alpha1, "2": lines.alpha2, "": lines.mean}[match["which"]]
        return Quantity(name="wavelength", value=value, unit="nm")
    try:
        return _as_wavelength(Quantity.read("wavelength", text))
    except InputError as error:
        near = nearest(text, list(NAMED)) or f": {', '.join(NAMED[:3])} …"
        raise InputError(f"{error} Or choose a radiation{near}") from error


def _as_wavelength(told: Quantity) -> Quantity:
    """The quantity as a wavelength in nm."""
    powers = units.in_base(told.unit).powers if told.unit else ()
    if told.value <= 0:
        raise InputError(f"a wavelength is above zero, but {told.name} is {told.written()}.")
    if powers == units.in_base("nm").powers:
        value = float(units.convert(np.array(told.value), told.unit, "nm"))
    elif powers == units.in_base("eV").powers:
        value = PLANCK_LIGHT / float(units.convert(np.array(told.value), told.unit, "eV"))
    else:
        said = f"{told.name} {told.written()}"
        raise InputError(f"{said} is neither a length nor an energy; write 0.15406 nm or 8.05 keV.")
    u = None if told.u is None else told.u * value / told.value
    return Quantity(name="wavelength", value=value, u=u, unit="nm")


@dataclass(frozen=True)
class Axis:
    """What the x of a pattern is: the angle 2θ, or the length of a scattering vector q = 4π·sin θ/λ.

    `factor` turns x into radians, or into 1/nm.
    """

    kind: str
    factor: float

    def theta(self, x: float, wavelength: float) -> float:
        """θ of a reflection at x. Raises InputError where there is no such angle."""
        if self.kind == "2θ":
            theta = x * self.factor / 2
            if not 0 < theta < math.pi / 2:
                raise InputError(f"a reflection lies between 2θ = 0 and 180°, not at x = {x:.6g}.")
            return theta
        sine = x * self.factor * wavelength / (4 * math.pi)
        if not 0 < sine < 1:
            raise InputError(f"sin θ would be {sine:.4g} at x = {x:.6g} with a wavelength of {wavelength:.6g} nm.")
        return math.asin(sine)

    def breadth(self, width: float, theta: float, wavelength: float) -> float:
        """A width in x as a width in 2θ, in radians: that of q stretches with 1/cos θ."""
        if self.kind == "2θ":
            return width * self.factor
        return width * self.factor * wavelength / (2 * math.pi * math.cos(theta))


_DEGREES = ("°", "deg", "degree", "degrees", "2θ", "°2θ", "deg 2θ")
_ANGLES = ("rad", "radian", "mrad", "arcmin", "arcsec")
"""By name: to the registry of units an angle is a plain number, and so is a percent."""
_SHORTEST_Q = 1e-3


def axis_of(unit: str) -> Axis:
    """What an x in this unit is. Raises InputError where it is neither an angle nor a reciprocal length."""
    said = unit.strip()
    if said in _DEGREES:
        return Axis("2θ", math.pi / 180)
    if said in _ANGLES:
        return Axis("2θ", float(units.in_base(said).factor) / float(units.in_base("rad").factor))
    if said and units.in_base(said).powers == units.in_base("1/nm").powers:
        factor = float(units.in_base(said).factor) / float(units.in_base("1/nm").factor)
        if factor >= _SHORTEST_Q:  # 1/cm is the axis of spectra
            return Axis("q", factor)
    shown = units.shown(said) or "no unit"
    raise InputError(
        f"x is in {shown}, and a reflection is at an angle 2θ (deg, rad) or at a q (1/nm, 1/Å). Give x its unit where "
        "the curve is brought in."
    )


RULES = ("Lorentzian", "Gaussian", "Voigt by components")


def components(fwhm: float, mixing: float) -> tuple[float, float]:
    """The Gaussian and the Lorentzian FWHM of a pseudo-Voigt (both 0 for none; the unit is that of `fwhm`).

    P. Thompson, D. E. Cox and J. B. Hastings, J. Appl. Cryst. 20 (1987) 79, inverted by R. A. Young's polynomials (from
    memory; to some 0.5 % of the width).
    """
    eta = min(max(mixing, 0.0), 1.0)
    lorentz = 0.72928 * eta + 0.19289 * eta**2 + 0.07783 * eta**3
    gauss = math.sqrt(max(1 - 0.74417 * eta - 0.24781 * eta**2 - 0.00810 * eta**3, 0.0))
    return gauss * fwhm, lorentz * fwhm


def joined(gauss: float, lorentz: float) -> float:
    """The FWHM of a Voigt of these two widths (Olivero and Longbothum 1977, to 0.02 %; from memory)."""
    return 0.5346 * lorentz + math.sqrt(0.2166 * lorentz**2 + gauss**2)


def without_instrument(width: float, own: float, rule: str, mixing: float = 0.5, own_mixing: float = 0.5) -> float:
    """What is left of a width when that of the instrument is taken off; not above zero where it is the wider one.

    `mixing` and `own_mixing` are the shares of the Lorentzian, for the rule by components.
    """
    if rule == "Lorentzian":
        return width - own
    if rule == "Gaussian":
        return math.copysign(math.sqrt(abs(width**2 - own**2)), width - own)
    gauss, lorentz = components(width, mixing)
    own_gauss, own_lorentz = components(own, own_mixing)
    left = gauss**2 - own_gauss**2
    gone = lorentz - own_lorentz
    if left <= 0 and gone <= 0:
        return -abs(joined(math.sqrt(-left), -gone))
    return joined(math.sqrt(max(left, 0.0)), max(gone, 0.0))


def caglioti(theta: float, u: float, v: float, w: float) -> float:
    """The FWHM of an instrument at θ: √(U·tan²θ + V·tan θ + W), in the root of the unit of U, V and W.

    G. Caglioti, A. Paoletti and F. P. Ricci, Nucl. Instrum. 3 (1958) 223 (from memory). Raises InputError where the
    root is of a number below zero.
    """
    t = math.tan(theta)
    square = u * t**2 + v * t + w
    if square < 0:
        raise InputError(f"the instrument's U, V, W give no width at 2θ = {math.degrees(2 * theta):.4g}°.")
    return math.sqrt(square)
