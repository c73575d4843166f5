"""The edges of a crystal's cell from the places of its reflections, with an error of the zero or of the height."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.crystal import CELLS, Cell, Planes, edges_in, planes_in, planes_of
from curvesieve.core.curve import Floats
from curvesieve.core.diffraction import Axis
from curvesieve.core.errors import InputError, counted
from curvesieve.core.measures.base import Found, Seen, Taken, Yield
from curvesieve.core.measures.diffraction import Diffracted, said_wave
from curvesieve.core.measures.of_peaks import Part, Peak, traced
from curvesieve.core.measures.trace import Trace
from curvesieve.core.quantity import Quantity
from curvesieve.core.rules import RuleField

_STEPS, _STILL = 60, 1e-14
_FAR = 0.25
"""A reflection is that of indices where it is nearer to them than this share of the distance to the next."""


@dataclass(frozen=True, eq=False)
class Refined:
    """A cell that was found: its edges in nm, the error in radians, and what each place adds; shapes (n,), (n, m).

    `off` are the residuals of 2θ in radians, of shape (m,); `solves` has a row a number, a column a reflection.
    """

    values: Floats
    off: Floats
    solves: Floats


class Lattice(Diffracted):
    """The edges of a cell from indexed reflections, by least squares in 2θ, each weighed by the u of its place.

    The zero error is common to all 2θ; a sample that stands by s beyond the axis of a goniometer of radius R moves them
    by −2·s·cos θ/R (radians; common practice). u from the places' u, or from the scatter where that is larger.
    """

    slug = "lattice"
    label = "Lattice parameters"
    summary = "Edges of a cubic, tetragonal, hexagonal or orthorhombic cell"
    words = "unit cell constant index hkl miller displacement zero shift"
    reference = "Bragg's law; B. D. Cullity, Elements of X-Ray Diffraction (from memory); JCGM 100:2008, 5.1.2"
    handles = ()
    yields = (
        Yield("a", "a"), Yield("b", "b"), Yield("c", "c"), Yield("cell-volume", "V cell", aside=True),
        Yield("zero-error", "zero", 1, gap=True, aside=True), Yield("displacement", "s", aside=True),
    )  # fmt: skip

    cell: Literal["cubic", "tetragonal", "hexagonal", "orthorhombic"] = RuleField(
        "cubic", label="cell", help="The symmetry of the cell."
    )
    by: Literal["a start cell", "typed indices"] = RuleField(
        "a start cell", label="indices by", help="Found from edges that are nearly right, or typed for each reflection."
    )
    start: str = RuleField(
        "", label="start cell", max_length=120, when="by: a start cell",
        help="Its edges with their units: 4.09 Å, or a = 3.21 Å, c = 5.21 Å.",
    )  # fmt: skip
    centring: Literal["primitive", "body-centred", "face-centred", "diamond"] = RuleField(
        "primitive", label="lattice", when="by: a start cell", help="Which reflections the lattice has."
    )
    indices: str = RuleField(
        "", label="indices", max_length=1000, when="by: typed indices",
        help="Of the chosen peaks in the order of x: 111, 200, 220, or 10 1 0; 1 1 2.",
    )  # fmt: skip
    error: Literal["none", "zero", "displacement"] = RuleField(
        "none", label="error", help="What moves all reflections: a wrong zero of the angle, or a sample too high."
    )
    radius: str = RuleField(
        "", label="radius", max_length=60, when="error: displacement",
        help="Of the goniometer, as 240 mm; empty: the displacement is told as a share of it.",
    )  # fmt: skip

    def yields_now(self) -> tuple[Yield, ...]:
        wanted = {*CELLS[self.cell].edges, "cell-volume"}
        wanted |= {"zero": {"zero-error"}, "displacement": {"displacement"}}.get(self.error, set())
        return tuple(one for one in self.yields if one.quantity in wanted)

    def digest(self) -> str:
        error = "" if self.error == "none" else f", with an error of {self.error}"
        return f"{self.cell}, indices by {self.by}{error}, {self.said_peaks()}"

    def take(self, seen: Seen) -> Taken:
        fit, peaks = self.chosen(seen)
        peaks = sorted(peaks, key=lambda one: one.center)
        axis, told = self.bragg(seen)
        if axis.kind != "2θ" and self.error != "none":
            raise InputError("an error of zero or displacement is one of an angle, and x is q; choose none.")
        cell = CELLS[self.cell]
        theta = np.array([axis.theta(peak.center, told.value) for peak in peaks])
        squares = (2 * np.sin(theta) / told.value) ** 2
        planes, rest = self._indexed(cell, peaks, squares)
        places = [traced(fit, peak, lambda one: 2 * axis.theta(one.center, told.value)) for peak in peaks]
        us = np.array([0.0 if trace is None else trace.u for _, trace in places])
        refined = self._refined(cell, planes, 2 * theta, us, told.value)
        found, scattered = self._readings(cell, refined, places, axis, told)
        said = f"{counted(len(peaks), 'reflection')}{said_wave(told)}: "
        said += ", ".join("".join(map(str, one)) if max(map(abs, one)) < 10 else str(one) for one in planes)
        off = np.degrees(np.abs(refined.off))
        said += f"; off by {off.max():.2g}° of 2θ at the most"
        return self.taken(seen, found, said, rest, "u from the scatter of the reflections" if scattered else "")

    # -- indices ------------------------------------------------------------------------------------

    def _indexed(self, cell: Cell, peaks: list[Peak], squares: Floats) -> tuple[list[Planes], str]:
        """The indices of each reflection, and a word on those that are in doubt. Raises InputError without any."""
        if self.by == "typed indices":
            typed = planes_in(self.indices)
            if len(typed) != len(peaks):
                raise InputError(f"{counted(len(peaks), 'peak')} chosen, and indices of {len(typed)} typed.")
            return typed, ""
        if not self.start.strip():
            raise InputError("the start cell is not set; type its edges, as 4.09 Å, or choose typed indices.")
        edges = edges_in(self.start, cell)
        known = planes_of(cell, self.centring, edges, float(squares.max()) * 1.1)
        if not known:
            raise InputError("no planes of the start cell reflect at these angles; look at its edges and units.")
        steps = np.array([square for square, _ in known])
        planes: list[Planes] = []
        doubts: list[str] = []
        for peak, square in zip(peaks, squares, strict=True):
            order = np.argsort(np.abs(np.sqrt(steps) - math.sqrt(square)))
            planes.append(known[int(order[0])][1])
            if order.size > 1:
                near, next_ = (abs(math.sqrt(steps[int(k)]) - math.sqrt(square)) for k in order[:2])
                if near > _FAR * next_:
                    doubts.append(f"{peak.label} lies between planes of the start cell")
        taken = [one for k, one in enumerate(planes) if one in planes[:k]]
        if taken:
            twice = "".join(map(str, taken[0]))
            raise InputError(
                f"two reflections are nearest to {twice} of the start cell; choose other peaks, a better cell, or type "
                "the indices."
            )
        return planes, "; ".join(doubts)

    # -- least squares ------------------------------------------------------------------------------

    def _refined(self, cell: Cell, planes: list[Planes], two_theta: Floats, us: Floats, wave: float) -> Refined:
        """Edges and error by Gauss–Newton steps on 2θ, from the straight solution of 1/d²."""
        weights = np.array([cell.weights(one) for one in planes])
        wanted = len(cell.edges) + (self.error != "none")
        if len(planes) < wanted:
            raise InputError(f"{counted(wanted, 'number')} to be found of {counted(len(planes), 'reflection')}.")
        squares = (2 * np.sin(two_theta / 2) / wave) ** 2
        inverse, _, rank, _ = np.linalg.lstsq(weights, squares, rcond=None)
        if rank < len(cell.edges) or not (inverse > 0).all():
            raise InputError(f"these indices do not tell all edges of a {cell.name} cell; choose other reflections.")
        weigh = 1 / us if (us > 0).all() else np.ones(us.size)
        values = np.append(1 / np.sqrt(inverse), [0.0] * (self.error != "none"))
        for _ in range(_STEPS):
            model, slopes = self._model(weights, values, wave)
            solves = np.linalg.pinv(slopes * weigh[:, None]) * weigh
            step = solves @ (two_theta - model)
            values = values + step
            if np.all(np.abs(step[: len(cell.edges)]) <= _STILL * values[: len(cell.edges)]):
                break
        model, slopes = self._model(weights, values, wave)
        scaled = slopes / np.linalg.norm(slopes, axis=0)
        if np.linalg.matrix_rank(scaled, tol=1e-7) < wanted:
            raise InputError(f"the error of {self.error} cannot be told from the cell by these reflections.")
        return Refined(values, two_theta - model, np.linalg.pinv(slopes * weigh[:, None]) * weigh)

    def _model(self, weights: Floats, values: Floats, wave: float) -> tuple[Floats, Floats]:
        """2θ of each reflection in radians, and its slopes against edges and error, of shape (m, n)."""
        edges = values[: weights.shape[1]]
        sine = wave / 2 * np.sqrt(weights @ (1 / edges**2))
        if not (sine < 1).all():
            raise InputError(f"sin θ would be {sine.max():.4g} for one of these indices; look at them.")
        theta = np.arcsin(sine)
        slopes = -(wave**2) / 2 * weights / edges**3 / (sine * np.cos(theta))[:, None]
        model = 2 * theta
        if self.error == "zero":
            model, slopes = model + values[-1], np.column_stack([slopes, np.ones(theta.size)])
        elif self.error == "displacement":
            shift = -2 * np.cos(theta)
            slopes = slopes * (1 + values[-1] * np.sin(theta))[:, None]
            model, slopes = model + values[-1] * shift, np.column_stack([slopes, shift])
        return model, slopes

    # -- readings -----------------------------------------------------------------------------------

    def _readings(
        self, cell: Cell, refined: Refined, places: list[Part], axis: Axis, told: Quantity
    ) -> tuple[list[Found], bool]:
        n, m = refined.solves.shape
        scatter = math.sqrt(float(refined.off @ refined.off) / (m - n)) if m > n else 0.0
        parts: list[Part] = []
        scattered = False
        for k in range(n):
            known = [(trace, float(refined.solves[k, i])) for i, (_, trace) in enumerate(places) if trace is not None]
            trace = Trace.sum(known) if len(known) == m else None
            by_scatter = scatter * float(np.linalg.norm(refined.solves[k]))
            if trace is not None and by_scatter > trace.u:
                trace, scattered = trace.scaled_to(by_scatter), True
            parts.append((float(refined.values[k]), trace))
        count = len(cell.edges)
        edges = self.with_wavelength(parts[:count], told, [value / told.value for value, _ in parts[:count]])
        found = [
            Found(name, value, u=None if trace is None else trace.u, unit="nm", trace=trace)
            for name, (value, trace) in zip(cell.edges, edges, strict=True)
        ]
        volume = cell.volume([value for value, _ in edges])
        shares = [(trace, volume * cell.edge_of.count(name) / value) for name, (value, trace)
                  in zip(cell.edges, edges, strict=True) if trace is not None]  # fmt: skip
        whole = Trace.sum(shares) if len(shares) == count else None
        found.append(Found("cell-volume", volume, u=None if whole is None else whole.u, unit="nm^3", trace=whole))
        if self.error != "none":
            found.append(self._error_found(parts[-1], axis))
        return found, scattered

    def _error_found(self, part: Part, axis: Axis) -> Found:
        value, trace = part
        u = None if trace is None else trace.u
        if self.error == "zero":
            return Found("zero-error", value / axis.factor, u=None if u is None else u / axis.factor)
        if not self.radius.strip():
            return Found("displacement", value, u=u, unit="")
        radius = Quantity.read("the radius", self.radius)
        if not radius.unit or units.in_base(radius.unit).powers != units.in_base("mm").powers:
            raise InputError(f"the radius of the goniometer is a length, as 240 mm, and not {radius.written()}.")
        size = abs(radius.value)
        return Found("displacement", value * size, u=None if u is None else u * size, unit=radius.unit)
