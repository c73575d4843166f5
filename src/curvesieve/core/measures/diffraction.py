"""Measures of reflections: spacings by Bragg's law, and what others of them share."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from curvesieve.core.diffraction import NAMED, Axis, axis_of, wavelength_of
from curvesieve.core.errors import counted
from curvesieve.core.measures.base import Found, Seen, Taken, Yield
from curvesieve.core.measures.of_peaks import OfPeaks, Peak, traced
from curvesieve.core.measures.trace import Trace
from curvesieve.core.quantity import Quantity
from curvesieve.core.rules import RuleField

ANY = "any"
"""The name of a wavelength that nothing depends on."""
_WAVELENGTH = -1_500_000
"""The cause of the u of the wavelength; see `Trace`."""


class Diffracted(OfPeaks):
    """A measure of reflections, which needs the wavelength where x is an angle."""

    wavelength: str = RuleField(
        "", label="wavelength", max_length=60, examples=list(NAMED),
        help="A radiation, a length or an energy, as 0.15406 nm; empty: the curve's quantity named wavelength.",
    )  # fmt: skip

    def bragg(self, seen: Seen) -> tuple[Axis, Quantity]:
        """What x is, and the wavelength in nm. Raises InputError where either is not known.

        q needs none: any that is short enough has the same spacings, sizes and strains.
        """
        axis = axis_of(seen.curve.x_unit)
        if axis.kind == "q" and not self.wavelength.strip():
            largest = float(np.abs(seen.curve.used.x).max()) * axis.factor or 1.0
            return axis, Quantity(name=ANY, value=2 * math.pi / largest, unit="nm")
        told = wavelength_of(self.wavelength, seen.quantities)
        return axis, told if axis.kind == "2θ" else told.model_copy(update={"u": None})

    def said_peaks(self) -> str:
        """The peaks and the wavelength that are asked for, in a few words."""
        peaks = f"peaks {self.peaks.strip()}" if self.peaks.strip() else "all peaks"
        return f"{peaks}, λ {self.wavelength.strip() or 'of the curve'}"

    def digest(self) -> str:
        return self.said_peaks()

    def with_wavelength(
        self, parts: list[tuple[float, Trace | None]], told: Quantity, slopes: Sequence[float]
    ) -> list[tuple[float, Trace | None]]:
        """The same numbers with the u of the wavelength among their causes; `slopes` are those against it."""
        if not told.u:
            return parts
        own = np.array([_WAVELENGTH])
        return [
            (value, None if trace is None else Trace.sum([(trace, 1.0), (Trace(own, np.array([told.u])), slope)]))
            for (value, trace), slope in zip(parts, slopes, strict=True)
        ]


def said_wave(told: Quantity) -> str:
    """The wavelength, for the sentence of a measure; of a q nothing."""
    return "" if told.name == ANY else f", λ = {told.value:.6g} nm"


def found_of(quantity: str, part: tuple[float, Trace | None], unit: str, peak: Peak | None = None) -> Found:
    """A reading of a number with its trace, of a peak or of all."""
    value, trace = part
    number, of = (0, "") if peak is None else (peak.number, peak.label)
    return Found(quantity, value, None, None if trace is None else trace.u, number, unit, trace, of)


class Spacing(Diffracted):
    """The spacing d of the lattice planes of each reflection, by Bragg's law, and its q = 2π/d."""

    slug = "spacing"
    label = "d-spacing"
    summary = "d and q of each reflection by Bragg's law"
    words = "bragg lattice planes distance two theta scattering vector"
    reference = "Bragg's law λ = 2d·sin θ; JCGM 100:2008, 5.1.2"
    handles = ()
    yields = (Yield("spacing", "d"), Yield("scattering-vector", "q", aside=True))

    def take(self, seen: Seen) -> Taken:
        fit, peaks = self.chosen(seen)
        axis, told = self.bragg(seen)
        wave = told.value

        def spacing(peak: Peak) -> float:
            return wave / (2 * math.sin(axis.theta(peak.center, wave)))

        parts = [traced(fit, peak, spacing) for peak in peaks]
        parts = self.with_wavelength(parts, told, [value / wave for value, _ in parts])
        found: list[Found] = []
        for peak, (value, trace) in zip(peaks, parts, strict=True):
            turned = None if trace is None else Trace(trace.causes, -2 * math.pi / value**2 * trace.adds)
            found.append(found_of("spacing", (value, trace), "nm", peak))
            found.append(found_of("scattering-vector", (2 * math.pi / value, turned), "1/nm", peak))
        return self.taken(seen, found, counted(len(peaks), "reflection"))
