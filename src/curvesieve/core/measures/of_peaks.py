"""What measures see of the peaks of a fit: their places and widths, with slopes against the free parameters."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.measures.base import Found, Seen, Taken
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.of_fit import FIT, OfFit
from curvesieve.core.measures.trace import Trace
from curvesieve.core.models import PlacedTerm
from curvesieve.core.models.crest import Crest, crest_of
from curvesieve.core.quantity import Quantity
from curvesieve.core.rules import RuleField

_PURE = {"gaussian": 0.0, "split-gaussian": 0.0, "lorentzian": 1.0, "split-lorentzian": 1.0}
"""The share of the Lorentzian in profiles that have no parameter for it."""
_FWHM_OF_SIGMA = 2 * math.sqrt(2 * math.log(2))
_STEP = 1e-6
"""Share of a parameter by which it is moved to see a slope."""
_TYPED = -1_550_000
"""The cause of the u of a number that is typed; see `Trace`."""


Part = tuple[float, Trace | None]
"""A number, and where its u is from; None where that is not known."""


@dataclass(frozen=True, eq=False)
class Peak:
    """A peak of a fit: its number, its name, and the values of its parameters that were found."""

    placed: PlacedTerm
    values: dict[str, float]

    @property
    def number(self) -> int:
        """The number of the peak."""
        return self.placed.number

    @property
    def label(self) -> str:
        """What it is called: ``P1``, or the user's name for it."""
        return self.placed.label

    @property
    def center(self) -> float:
        """Its place, in the unit of x."""
        return self.values["center"]

    def with_values(self, changes: dict[str, float]) -> Peak:
        """The same at other values."""
        return Peak(self.placed, {**self.values, **changes})

    @property
    def is_plain(self) -> bool:
        """Whether its center is its maximum, and the width in its formula that at half of it."""
        shape = self.placed.term.shape
        return shape is not None and shape.plain and self.placed.own is None

    @property
    def top(self) -> float:
        """Where it is highest; of a symmetric profile its center. Raises InputError where it has no crest."""
        return self.center if self.is_plain else self._crest.x

    @property
    def _crest(self) -> Crest:
        return crest_of(self.placed.term, self.values)

    @property
    def fwhm(self) -> float:
        """Its full width at half maximum, in the unit of x. Raises InputError where it has none."""
        shape = self.placed.term.shape
        assert shape is not None
        if not self.is_plain:
            return self._crest.fwhm
        formula = parse(shape.fwhm, ())
        return abs(float(evaluate(formula, {name: self.values[name] for name in formula.parameters})))

    @property
    def area(self) -> float | None:
        """Its area, where it is finite and known in closed form."""
        term = self.placed.term
        if "area" in self.values:
            return self.values["area"]
        derived = next((one for one in term.derived if one.name == "area"), None)
        if derived is None:
            return None
        formula = parse(derived.formula, ())
        area = float(evaluate(formula, {name: self.values[name] for name in formula.parameters}))
        return area if math.isfinite(area) else None

    @property
    def height(self) -> float:
        """Its height over what it stands on, at its maximum."""
        if not self.is_plain:
            return self._crest.height
        formula = self.placed.term.parsed
        values = {name: np.float64(self.values[name]) for name in formula.parameters}
        return float(evaluate(formula, {self.placed.term.variable: np.float64(self.center), **values}))

    @property
    def sigma(self) -> float | None:
        """The standard deviation of a Gaussian; other profiles have none, or none of use."""
        return self.fwhm / _FWHM_OF_SIGMA if self.placed.slug == "gaussian" else None

    @property
    def breadth(self) -> float:
        """Its integral breadth: area over height. Raises InputError where it has no area that is known."""
        area, height = self.area, self.height
        if area is None or not height:
            raise InputError(f"{self.label} has no area that is known, and so no integral breadth; take the FWHM.")
        return abs(area / height)

    @property
    def mixing(self) -> float:
        """The share of the Lorentzian in its shape, from 0 to 1; of a Voigt that of the pseudo-Voigt like it.

        Raises InputError for a profile that is no sum or fold of the two.
        """
        if "mixing" in self.values:
            return self.values["mixing"]
        slug = self.placed.slug
        if slug == "voigt":
            part = self.values["fwhm_lorentz"] / self.fwhm if self.fwhm else 0.0
            return 1.36603 * part - 0.47719 * part**2 + 0.11116 * part**3  # Thompson, Cox and Hastings 1987
        if slug not in _PURE:
            raise InputError(f"{self.label} is a {self.placed.term.label}, whose Lorentzian share is not known.")
        return _PURE[slug]


def traced(fit: FitSeen, peak: Peak, what: Callable[[Peak], float]) -> Part:
    """A number that follows from one peak, and where its u is from; by central differences.

    Raises InputError as `what` does.
    """
    value = what(peak)
    factor = fit.factor
    if factor is None:
        return value, None
    slopes: dict[str, float] = {}
    for name, at in peak.values.items():
        full = peak.placed.full_name(name)
        u = fit.result.parameters[full].u
        if u is None and full not in fit.result.spread:
            continue
        by = _STEP * max(abs(at), u or 0.0) or _STEP
        up, down = (what(peak.with_values({name: at + side * by})) for side in (1, -1))
        slopes[full] = (up - down) / (2 * by)
    return value, _trace_of(fit, factor, slopes)


def _trace_of(fit: FitSeen, factor: Floats, slopes: dict[str, float]) -> Trace | None:
    """Where the u of a number is from; None where nothing that it follows from was free: zero would call it exact."""
    adds = np.asarray(fit.result.gradient(slopes)) @ factor
    return Trace(FIT - np.arange(factor.shape[1]), adds) if adds.any() else None


def parameter_traced(fit: FitSeen, peak: Peak, name: str) -> Part:
    """A parameter of one peak, and where its u is from."""
    value = peak.values[name]
    if fit.factor is None:
        return abs(value) if name == "fwhm" else value, None
    slope = -1.0 if name == "fwhm" and value < 0 else 1.0
    trace = _trace_of(fit, fit.factor, {peak.placed.full_name(name): slope})
    return abs(value) if name == "fwhm" else value, trace


class OfPeaks(OfFit):
    """A measure of the peaks of the current fit."""

    group = "peaks"
    plain_only: ClassVar[bool] = True
    """Whether it wants peaks whose center is their maximum."""
    peaks: str = RuleField("", label="peaks", max_length=400, help="Numbers such as 1, 3-5; empty: all of them.")

    def chosen(self, seen: Seen) -> tuple[FitSeen, list[Peak]]:
        """The fit and its chosen peaks. Raises InputError where there are none, or a number is none."""
        fit = self._fit(seen)
        found = fit.result.values
        there = [Peak(p, {name: found[p.full_name(name)] for name in p.parameters}) for p in fit.model.lines]
        if not there:
            raise InputError("the model has no peak; find peaks, or double-click one on the plot.")
        wanted = numbers_of(self.peaks) or {peak.number for peak in there}
        stray = sorted(wanted - {peak.number for peak in there})
        if stray:
            known = ", ".join(str(peak.number) for peak in there)
            raise InputError(f"there is no peak {stray[0]}; there are {known}.")
        chosen = [peak for peak in there if peak.number in wanted]
        other = next((peak for peak in chosen if not (peak.is_plain or peak.placed.own)), None)
        if other is not None and self.plain_only:
            raise InputError(
                f"{other.label} is of the kind {other.placed.term.label}, whose center is not its maximum and whose "
                "width is not that at half of it; choose other peaks, or fit a profile that has both."
            )
        return fit, chosen

    def taken(self, seen: Seen, found: Sequence[Found], said: str, warning: str = "", how: str = "") -> Taken:
        """What was found of the chosen peaks, on the points that the fit used; `how` its u was found, if otherwise."""
        made = self._taken(seen, tuple(found), said)
        return Taken(made.found, made.sentence, made.used, (), how or made.said_u, warning)


def numbers_of(text: str) -> set[int] | None:
    """Numbers as people list them: ``1, 3-5``; None for none. Raises InputError for what is no such list."""
    if not text.strip():
        return None
    made: set[int] = set()
    for part in text.replace("–", "-").replace(";", ",").replace("P", "").split(","):
        first, dash, last = part.strip().partition("-")
        try:
            low = int(first)
            high = int(last) if dash else low
        except ValueError:
            raise InputError(f"“{text}” is no list of peaks; write 1, 3-5.") from None
        if not 0 < low <= high <= 10_000:
            raise InputError(f"“{part.strip()}” is no range of peaks; write 1, 3-5.")
        made |= set(range(low, high + 1))
    return made


def mean_of(parts: Sequence[Part]) -> Part:
    """The mean of several numbers, and where its u is from."""
    value = float(np.mean([one for one, _ in parts]))
    traces = [trace for _, trace in parts if trace is not None]
    if len(traces) < len(parts):
        return value, None
    return value, Trace.sum([(trace, 1 / len(parts)) for trace in traces])


def told_in(text: str, seen: Seen, what: str, example: str) -> Part:
    """A number typed with its unit, or named, in the unit of x, and where its u is from.

    Raises InputError where it is neither, or in a unit that is none of x.
    """
    plain = text.strip()
    if not plain:
        raise InputError(f"{what} is not set; type one such as {example}, or name a quantity.")
    known = seen.earlier.named(plain)
    if known is not None:
        (reading, trace), unit = known, known[0].unit
        value = reading.value
    else:
        told = Quantity.read(what, plain)
        value, unit = told.value, told.unit
        trace = Trace(np.array([_TYPED]), np.array([told.u])) if told.u else None
    x_unit = seen.curve.x_unit
    if unit and not units.alike(unit, x_unit):
        turned = float(units.convert(np.array(value), unit, x_unit))
        factor = float(units.in_base(unit).factor / units.in_base(x_unit).factor)
        value, trace = turned, None if trace is None else Trace(trace.causes, trace.adds * factor)
    return value, trace
