"""The band gap of a semiconductor from the edge of its absorption, by the straight part of Tauc's plot."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitted_line import FittedLine, fitted_line
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield
from curvesieve.core.measures.meeting import places_of
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.scatter import Stretch
from curvesieve.core.shapes import Line, Point, Shape
from curvesieve.core.spectral import energy_of, from_energy, kind_of

_POWERS = {"direct allowed": 2.0, "indirect allowed": 0.5, "direct forbidden": 2 / 3, "indirect forbidden": 1 / 3}
_DRAWN = 60


@dataclass(frozen=True, eq=False)
class _Part:
    """A straight part on Tauc's axes: its points on the curve, the slopes of (yE)ⁿ against y, and its line."""

    points: Stretch
    by_y: Floats
    line: FittedLine


class BandGap(Banded, Measure):
    """Where the straight rise of (αE)ⁿ against the photon energy E meets zero, or the line below the edge.

    The curve's y is taken for α, as an absorbance is in proportion to it; x may be an energy, a wavelength, a
    wavenumber or a frequency. Lines of least squares; u from that of the points, or from their scatter about the curve.
    """

    slug = "band-gap"
    label = "Band gap"
    group = "lines"
    summary = "From the edge of the absorption, by two lines on Tauc's axes"
    words = "tauc semiconductor absorption edge direct indirect transition optical"
    reference = "J. Tauc, R. Grigorovici and A. Vancu, Phys. Status Solidi 15 (1966) 627 (from memory)"
    handles = (
        Band(opens=(0.55, 0.7)),
        Band(low="other_low", high="other_high", when="meets: the line below", opens=(0.1, 0.3)),
    )
    yields = (Yield("band-gap", "Eg"),)

    low: float | None = RuleField(None, label="from", unit="x", help="Where the straight rise begins; drag the band.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends.")
    transition: Literal["direct allowed", "indirect allowed", "direct forbidden", "indirect forbidden"] = RuleField(
        "direct allowed", label="transition", help="The power n: 2, 1/2, 2/3 or 1/3."
    )
    meets: Literal["zero", "the line below"] = RuleField(
        "the line below", label="meets", help="Zero, or a second line through the absorption below the edge."
    )
    other_low: float | None = RuleField(
        None, label="below from", unit="x", help="Where the part below the edge begins.", when="meets: the line below"
    )
    other_high: float | None = RuleField(
        None, label="below to", unit="x", help="Where it ends.", when="meets: the line below"
    )

    def digest(self) -> str:
        return f"{self.transition}, meets {self.meets}"

    def take(self, seen: Seen) -> Taken:
        kind_of(seen.curve.x_unit)
        if self.low is None or self.high is None:
            raise InputError("the straight rise is not set; drag its band, or type where it begins and ends.")
        edge = self._part(seen, self.low, self.high)
        if self.meets == "zero":
            return self._meets_zero(seen, edge)
        if self.other_low is None or self.other_high is None:
            raise InputError("the part below the edge is not set; drag its band, or let the rise meet zero.")
        below = self._part(seen, self.other_low, self.other_high)
        first, second = edge.line, below.line
        apart = first.slope - second.slope
        if abs(apart) <= 1e-12 * max(abs(first.slope), abs(second.slope)):
            raise InputError("the two lines are parallel; they meet nowhere.")
        gap = (second.intercept - first.intercept + first.slope * first.origin - second.slope * second.origin) / apart
        rows = np.union1d(edge.points.rows, below.points.rows)
        slopes = np.zeros(rows.size)
        slopes[np.searchsorted(rows, edge.points.rows)] -= self._moves(edge, gap) / apart
        slopes[np.searchsorted(rows, below.points.rows)] += self._moves(below, gap) / apart
        used = seen.whole.take(places_of(seen.whole, rows))
        said = f"lines through {counted(len(edge.points), 'point')} and {counted(len(below.points), 'point')}"
        shapes = (*self._drawn(seen, edge, gap), *self._drawn(seen, below, gap), *self._place(seen, below.line, gap))
        return self._taken(gap, slopes, said, used, shapes)

    def _meets_zero(self, seen: Seen, edge: _Part) -> Taken:
        line = edge.line
        if not line.slope > 0:
            raise InputError("the chosen part does not rise with the photon energy; choose the rise of the edge.")
        gap = line.origin - line.intercept / line.slope
        said = f"line through {counted(len(edge.points), 'point')} to zero"
        shapes = (*self._drawn(seen, edge, gap), *self._place(seen, None, gap))
        return self._taken(gap, -self._moves(edge, gap) / line.slope, said, edge.points, shapes)

    @staticmethod
    def _taken(gap: float, slopes: Floats, said: str, used: Stretch, shapes: tuple[Shape, ...]) -> Taken:
        if not gap > 0:
            raise InputError(f"the lines meet at {gap:.4g} eV, and a gap is above zero; choose other parts.")
        return Taken((Found("band-gap", gap, slopes, unit="eV"),), said, used, shapes)

    def _part(self, seen: Seen, low: float, high: float) -> _Part:
        points = seen.band(low, high, 2)
        energy = energy_of(points.x, seen.curve.x_unit)
        if not float(points.y.min()) > 0:
            raise InputError(
                f"y goes down to {points.y.min():.4g} there, and an absorption is above zero; move the band."
            )
        n = _POWERS[self.transition]
        product = points.y * energy
        tauc = product**n
        by_y = n * product ** (n - 1) * energy
        u = None if points.u is None else points.u * by_y
        return _Part(points, by_y, fitted_line(Stretch(energy, tauc, u, points.rows), True))

    @staticmethod
    def _moves(part: _Part, at: float) -> Floats:
        """How the line moves at an energy with the y of each of its points."""
        line = part.line
        moved: Floats = (line.slopes[0] + (at - line.origin) * line.slopes[1]) * part.by_y
        return moved

    def _drawn(self, seen: Seen, part: _Part, gap: float) -> tuple[Shape, ...]:
        """A line of Tauc's axes as it is seen over the curve's own."""
        ends = energy_of(part.points.x[[0, -1]], seen.curve.x_unit)
        energy = np.linspace(min(gap, *ends), max(gap, *ends), _DRAWN)
        level = part.line.intercept + part.line.slope * (energy - part.line.origin)
        good = (level >= 0) & (energy > 0)
        if good.sum() < 2:
            return ()
        kind, factor = kind_of(seen.curve.x_unit)
        y = level[good] ** (1 / _POWERS[self.transition]) / energy[good]
        return (Line(from_energy(energy[good], kind) / factor, y),)

    def _place(self, seen: Seen, below: FittedLine | None, gap: float) -> tuple[Shape, ...]:
        level = 0.0 if below is None else max(below.intercept + below.slope * (gap - below.origin), 0.0)
        if not gap > 0:
            return ()
        kind, factor = kind_of(seen.curve.x_unit)
        x = float(from_energy(np.array(gap), kind)) / factor
        return (Point(x, level ** (1 / _POWERS[self.transition]) / gap),)
