"""Measures of how the breadth of reflections goes with the angle: size and strain, and what an instrument adds."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.diffraction import axis_of
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Seen, Taken, Yield
from curvesieve.core.measures.broadening import RESOLVED, Broadened
from curvesieve.core.measures.diffraction import found_of, said_wave
from curvesieve.core.measures.of_peaks import OfPeaks, traced
from curvesieve.core.measures.trace import Trace
from curvesieve.core.quantity import Quantity


@dataclass(frozen=True, eq=False)
class HallLine:
    """Williamson and Hall's plot: β·cos θ against 4·sin θ, its u, and the line through it; arrays of shape (peaks,)."""

    labels: tuple[str, ...]
    x: Floats
    y: Floats
    u: Floats | None
    intercept: float
    slope: float


class WilliamsonHall(Broadened):
    """Size and strain from how the breadth of reflections grows with the angle: β·cos θ = Kλ/D + 4ε·sin θ.

    The straight line of least squares through the chosen reflections that are broader than the instrument, weighed by
    their u; u from these, or from the
    scatter about the line where that is larger (G. K. Williamson and W. H. Hall, Acta Metall. 1 (1953) 22; from
    memory).
    """

    slug = "williamson-hall"
    label = "Williamson–Hall"
    summary = "Size and strain from the breadths of several reflections"
    words = "microstrain strain size broadening line"
    reference = "G. K. Williamson and W. H. Hall, Acta Metall. 1 (1953) 22"
    handles = ()
    leads = False
    yields = (Yield("size", "D"), Yield("strain", "ε"))

    def line(self, seen: Seen) -> tuple[HallLine, list[Trace | None], Floats, Quantity]:
        """The plot, where the u of its points are from, and what each adds to intercept and slope, of shape (2, peaks).

        Raises InputError for fewer than three reflections, or with all at one angle.
        """
        every, told = self.breadths(seen)
        made = [one for one in every if one.resolved]
        if len(made) < 3:
            narrow = len(every) - len(made)
            said = f"; {narrow} more no broader than the instrument" if narrow else ""
            raise InputError(f"a line of size and strain needs 3 reflections, and {len(made)} are chosen{said}.")
        theta = np.array([one.theta for one in made])
        cosine = np.cos(theta)
        x, y = 4 * np.sin(theta), np.array([one.breadth for one in made]) * cosine
        traces = [
            None if one.trace is None else Trace(one.trace.causes, c * one.trace.adds)
            for one, c in zip(made, cosine, strict=True)
        ]
        us = [trace.u if trace is not None else 0.0 for trace in traces]
        u = np.array(us) if all(value > 0 for value in us) else None
        design = np.stack([np.ones(x.size), x])
        weight = 1 / u**2 if u is not None else np.ones(x.size)
        square = (design * weight) @ design.T
        if not np.linalg.cond(square) < 1e14:
            raise InputError("all reflections lie at the same angle, so that no line can be drawn through them.")
        solves = np.linalg.solve(square, design * weight)
        intercept, slope = (float(one) for one in solves @ y)
        labels = tuple(one.peak.label for one in made)
        return HallLine(labels, x, y, u, intercept, slope), traces, np.asarray(solves), told

    def take(self, seen: Seen) -> Taken:
        plot, traces, solves, told = self.line(seen)
        off = plot.y - plot.intercept - plot.slope * plot.x
        n = plot.x.size
        by_scatter = math.sqrt(float(off @ off) / (n - 2)) * np.sqrt(np.einsum("kn,kn->k", solves, solves))
        parts: list[tuple[float, Trace | None]] = []
        scattered = False
        for k, value in enumerate((plot.intercept, plot.slope)):
            known = [(trace, float(solves[k, i])) for i, trace in enumerate(traces) if trace is not None]
            trace = Trace.sum(known) if len(known) == n else None
            if trace is not None and by_scatter[k] > trace.u:
                trace, scattered = trace.scaled_to(float(by_scatter[k])), True
            parts.append((value, trace))
        (level, of_level), rise = parts
        u_level = 0.0 if of_level is None else of_level.u
        found = [found_of("strain", rise, "")]
        warning = ""
        if level <= RESOLVED * u_level:
            least = self.k * told.value / (max(level, 0.0) + RESOLVED * u_level) if u_level else math.inf
            warning = f"the line meets zero at sin θ = 0: the size is above {least:.3g} nm, and no number"
        else:
            size = self.k * told.value / level
            turned = None if of_level is None else Trace(of_level.causes, -size / level * of_level.adds)
            ((size, turned),) = self.with_wavelength([(size, turned)], told, [size / told.value])
            found.insert(0, found_of("size", (size, turned), "nm"))
        narrow = len(self.chosen(seen)[1]) - n
        said = f"line through {counted(n, 'reflection')}{said_wave(told)}"
        said += f", {counted(narrow, 'other')} no broader than the instrument" if narrow else ""
        return self.taken(seen, found, said, warning, "u from the scatter about the line" if scattered else "")


class InstrumentWidths(OfPeaks):
    """How broad the instrument makes reflections: FWHM² = U·tan²θ + V·tan θ + W through those of a reference."""

    slug = "instrument-widths"
    label = "Instrument's widths"
    summary = "U, V and W of a reference pattern (Caglioti)"
    words = "caglioti resolution instrumental broadening standard LaB6 silicon"
    reference = "G. Caglioti, A. Paoletti and F. P. Ricci, Nucl. Instrum. 3 (1958) 223 (from memory)"
    handles = ()
    leads = False
    yields = (Yield("caglioti-u", "U", 2), Yield("caglioti-v", "V", 2), Yield("caglioti-w", "W", 2))

    def take(self, seen: Seen) -> Taken:
        fit, peaks = self.chosen(seen)
        axis = axis_of(seen.curve.x_unit)
        if axis.kind != "2θ":
            raise InputError("U, V and W are of an angle 2θ, and x is no angle.")
        if len(peaks) < 3:
            raise InputError(f"U, V and W need 3 reflections, and {len(peaks)} are chosen.")
        t = np.tan([axis.theta(peak.center, 1.0) for peak in peaks])
        made = [traced(fit, peak, lambda one: one.fwhm**2) for peak in peaks]
        squares = np.array([value for value, _ in made])
        us = [trace.u if trace is not None else 0.0 for _, trace in made]
        weight = 1 / np.array(us) if all(value > 0 for value in us) else np.ones(t.size)
        design = np.stack([t**2, t, np.ones(t.size)], axis=1)
        if np.linalg.matrix_rank(design / np.linalg.norm(design, axis=0)) < 3:
            raise InputError("the reflections lie at too few angles for U, V and W.")
        solves = np.linalg.pinv(design * weight[:, None]) * weight
        found = []
        for k, quantity in enumerate(("caglioti-u", "caglioti-v", "caglioti-w")):
            known = [(trace, float(solves[k, i])) for i, (_, trace) in enumerate(made) if trace is not None]
            trace = Trace.sum(known) if len(known) == len(made) else None
            value = float(solves[k] @ squares)
            found.append(Found(quantity, value, u=None if trace is None else trace.u, trace=trace))
        return self.taken(seen, found, f"through {counted(len(peaks), 'reflection')}")

    def digest(self) -> str:
        return f"peaks {self.peaks.strip()}" if self.peaks.strip() else "all peaks"
