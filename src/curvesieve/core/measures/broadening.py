"""How broad reflections are without what the instrument adds, and the sizes that Scherrer's equation makes of it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.diffraction import Axis, caglioti, without_instrument
from curvesieve.core.errors import Absent, InputError, counted
from curvesieve.core.measures.base import Found, Seen, Taken, Yield
from curvesieve.core.measures.diffraction import Diffracted, found_of, said_wave
from curvesieve.core.measures.of_peaks import Peak, mean_of, told_in, traced
from curvesieve.core.measures.trace import Trace
from curvesieve.core.quantity import Quantity
from curvesieve.core.rules import RuleField

RESOLVED = 2.0
"""A width is told from the instrument's where it is more than so many of its u above it."""
_BY_QUANTITIES = ("caglioti_u", "caglioti_v", "caglioti_w")


@dataclass(frozen=True, eq=False)
class Reflection:
    """A reflection with its angle θ and the breadth that the sample gave it, in radians of 2θ; where its u is from.

    `excess` is by how much its FWHM is above the instrument's, with its `u`, and `most` the breadth that the sample may
    have given it at the most, with twice that u.
    """

    peak: Peak
    theta: float
    breadth: float
    trace: Trace | None
    excess: float
    u: float
    most: float

    @property
    def resolved(self) -> bool:
        """Whether it can be told from one of the instrument alone."""
        return self.breadth > 0 and self.excess > RESOLVED * self.u


class Broadened(Diffracted):
    """A measure of how broad reflections are, without what the instrument adds."""

    breadth: Literal["FWHM", "integral breadth"] = RuleField(
        "FWHM", label="breadth", help="Full width at half maximum, or area over height."
    )
    k: float = RuleField(0.9, label="K", ge=0.5, le=2.5, help="Shape constant: 0.9 is customary, 0.62 to 2.08 occur.")
    instrument: Literal["none", "one width", "Caglioti"] = RuleField(
        "none", label="instrument", help="How broad a reflection of a perfect sample is: one FWHM, or a Caglioti curve."
    )
    own_width: str = RuleField(
        "", label="its FWHM", max_length=100, when="instrument: one width",
        help="As 0.08 deg, or the name of a quantity or a reading before this.",
    )  # fmt: skip
    rule: Literal["Lorentzian", "Gaussian", "Voigt by components"] = RuleField(
        "Gaussian", label="taken off as", when="instrument: one width, Caglioti",
        help="β = B − b, β² = B² − b², or each of these for its part of a Voigt profile.",
    )  # fmt: skip
    own_mixing: float = RuleField(
        0.5, label="its Lorentzian share", ge=0, le=1, when="rule: Voigt by components",
        help="The share of the Lorentzian in the instrument's profile.",
    )  # fmt: skip

    def digest(self) -> str:
        off = "not taken off" if self.instrument == "none" else f"{self.instrument} taken off as {self.rule}"
        return f"K = {self.k:g}, {self.said_peaks()}, {self.breadth}, instrument {off}"

    def breadths(self, seen: Seen) -> tuple[list[Reflection], Quantity]:
        """The breadths of the chosen reflections, not above zero where the instrument is the wider one."""
        fit, peaks = self.chosen(seen)
        axis, told = self.bragg(seen)
        own = self._instrument(seen, axis)

        def widths(peak: Peak) -> tuple[float, float, float]:
            theta = axis.theta(peak.center, told.value)
            return theta, axis.breadth(peak.fwhm, theta, told.value), own(theta, told.value)

        def left(peak: Peak, more: float = 0.0) -> float:
            _, width, its_own = widths(peak)
            share = peak.mixing if self.rule == "Voigt by components" and its_own else 0.5
            pure = without_instrument(width + more, its_own, self.rule, share, self.own_mixing)
            if self.breadth == "FWHM" or not peak.fwhm:
                return pure
            return pure * peak.breadth / peak.fwhm  # the shape of the reflection stays that of its profile

        def excess(peak: Peak) -> float:
            _, width, its_own = widths(peak)
            return width - its_own

        made: list[Reflection] = []
        for peak in peaks:
            value, trace = traced(fit, peak, left)
            beyond, of_width = traced(fit, peak, excess)
            u = 0.0 if of_width is None else of_width.u
            most = left(peak, max(-beyond, 0.0) + RESOLVED * u) if u else 0.0
            made.append(Reflection(peak, widths(peak)[0], value, trace, beyond, u, max(most, 0.0)))
        return made, told

    def _instrument(self, seen: Seen, axis: Axis) -> Callable[[float, float], float]:
        """The instrument's FWHM in radians of 2θ, as a function of θ and the wavelength."""
        if self.instrument == "none":
            return lambda theta, wave: 0.0
        if self.instrument == "one width":
            width, _ = told_in(self.own_width, seen, "the instrument's FWHM", "0.08 deg")
            if not 0 <= width < math.inf:
                raise InputError(f"the instrument's FWHM is not below zero, but {width:g}.")
            return lambda theta, wave: axis.breadth(width, theta, wave)
        named = {one.name.casefold(): one for one in seen.quantities}
        missing = [name for name in _BY_QUANTITIES if name not in named]
        if missing:
            raise InputError(
                f"the quantity {missing[0]} is not there; read Instrument's widths off a reference pattern, and give "
                "its U, V and W to the curve as caglioti_u, caglioti_v and caglioti_w."
            )
        u, v, w = (_squared(named[name], seen.curve.x_unit) for name in _BY_QUANTITIES)
        return lambda theta, wave: axis.breadth(caglioti(theta, u, v, w), theta, wave)


def _squared(told: Quantity, x_unit: str) -> float:
    """A quantity in the square of the unit of x; one without a unit is taken as it is. Raises InputError for others."""
    square = units.power_product(x_unit, 2, "", 0)
    if not told.unit or told.unit == square:
        return told.value
    if units.in_base(told.unit).powers != units.in_base(square).powers:
        raise InputError(f"{told.name} is {told.written()}, and a width squared is in {units.shown(square)}.")
    return told.value * float(units.in_base(told.unit).factor / units.in_base(square).factor)


class Scherrer(Broadened):
    """The size of crystallites from the breadth of each reflection: D = Kλ/(β·cos θ), and the mean of all.

    A reflection that is no broader than the instrument, or not by more than twice its u, has no size: what it must be
    larger than is told.
    """

    slug = "scherrer"
    label = "Scherrer size"
    summary = "Size of crystallites from the breadth of reflections"
    words = "crystallite size grain domain broadening coherence length"
    reference = "P. Scherrer, Göttinger Nachrichten 1918, 98; A. L. Patterson, Phys. Rev. 56 (1939) 978 (from memory)"
    handles = ()
    yields = (Yield("mean-size", "D mean"), Yield("size", "D"), Yield("scatter", "s of D", aside=True))

    def take(self, seen: Seen) -> Taken:
        reflections, told = self.breadths(seen)
        sizes: list[tuple[float, Trace | None]] = []
        found: list[Found] = []
        limits: list[str] = []
        for one in reflections:
            cosine = math.cos(one.theta)
            if not one.resolved:
                limits.append(self._limit(one, self.k * told.value / (one.most * cosine) if one.most else math.inf))
                continue
            size = self.k * told.value / (one.breadth * cosine)
            turned = None if one.trace is None else Trace(one.trace.causes, -size / one.breadth * one.trace.adds)
            ((size, turned),) = self.with_wavelength([(size, turned)], told, [size / told.value])
            sizes.append((size, turned))
            found.append(found_of("size", (size, turned), "nm", one.peak))
        if not sizes:
            raise Absent(f"no reflection tells a size: {'; '.join(limits)}.")
        mean = mean_of(sizes)
        found.insert(0, found_of("mean-size", mean, "nm"))
        scatter = float(np.std([size for size, _ in sizes], ddof=1)) if len(sizes) > 1 else math.nan
        if math.isfinite(scatter):
            n = len(sizes)
            found.append(Found("scatter", scatter, u=scatter / math.sqrt(2 * (n - 1)), unit="nm"))
        said = f"mean of {counted(len(sizes), 'reflection')}{said_wave(told)}"
        said += f", s = {scatter:.3g} nm" if math.isfinite(scatter) else ""
        return self.taken(seen, found, said, "; ".join(limits))

    @staticmethod
    def _limit(one: Reflection, least: float) -> str:
        wide = one.excess < -RESOLVED * one.u
        why = f"{one.peak.label} is {'narrower than the instrument' if wide else 'no broader than can be told'}"
        return f"{why}: its size is above {least:.3g} nm" if math.isfinite(least) else why
