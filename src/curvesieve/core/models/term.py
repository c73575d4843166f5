"""What a term is: formula, parameters, start rule and reference, declared as data."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache

from curvesieve.core import units
from curvesieve.core.formula import Formula, parse
from curvesieve.core.formula.dimension import dimension
from curvesieve.core.formula.inference import ParameterUnits, parameter_units
from curvesieve.core.models import starts
from curvesieve.core.models.integrals import Averaged, Averages, Smearing, as_read

Powers = tuple[Fraction | int, Fraction | int]
"""A unit as (power of the x unit, power of the y unit)."""
BEYOND = math.inf


@dataclass(frozen=True)
class Parameter:
    """A term's parameter: plain name, meaning, limits beyond which it means nothing, a start where no rule gives one.

    Its unit follows from the formula; `unit` is given only where constants in the formula hide it.
    """

    name: str
    description: str
    lower: float = -BEYOND
    upper: float = BEYOND
    start: float = 1.0
    unit: Powers | None = None
    held: bool = False
    """Whether a fit keeps it where it is unless somebody says otherwise: what is known of an instrument."""


@dataclass(frozen=True)
class Derived:
    """A quantity computed from a term's parameters, as a formula in their names.

    One that is linear in them says its weights by name, too: then nothing has to be differentiated.
    """

    name: str
    formula: str
    reference: str
    unit: Powers | None = None
    weights: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class PeakShape:
    """What the canvas needs to draw and drag a peak, and a Shirley background to follow it.

    `size` is the parameter that the y of the peak is proportional to; `widths` are those that stretch with it, each
    with its share of the full width at the start; `fwhm` is the full width as a formula in the parameters;
    `cumulative` is ∫ from −∞ to x. `plain`: the center is the maximum, and `fwhm` the full width at half of it, exactly
    or as its reference says; others are near to them only.
    """

    size: str = "height"
    widths: tuple[tuple[str, float], ...] = (("fwhm", 1.0),)
    fwhm: str = "fwhm"
    cumulative: str = ""
    plain: bool = True


@dataclass(frozen=True)
class Term:
    """One entry of the library.

    `kind` is peak, background or law. `start` reads values off the data; without one, laws are searched for and peaks
    take what their shape says. `contains` names the terms that this one becomes when some of its parameters are fixed:
    they are nested in it.
    """

    slug: str
    label: str
    kind: str
    formula: str
    parameters: tuple[Parameter, ...]
    reference: str
    group: str = ""
    description: str = ""
    start: Callable[[starts.Data], dict[str, float]] | None = None
    search: Callable[[starts.Data, Mapping[str, float]], dict[str, float]] | None = None
    """A search of its own for starts, given what is fixed, in place of the general one."""
    derived: tuple[Derived, ...] = ()
    shape: PeakShape | None = None
    contains: tuple[str, ...] = ()
    alike: tuple[tuple[str, ...], ...] = ()
    """Groups of parameters that could change places; starts that are found come in the order of each group's first."""
    variable: str = "x"
    basis: bool = False
    """The parameters weigh an inner basis and mean nothing by themselves: what is shown of it is `derived`."""
    averages: Averages = ()
    """Names in the formula that are averages over sizes, directions or along a chain (`integrals`)."""
    smearing: Smearing | None = None
    """What the instrument makes of the intensity, with parameters of its own."""
    read_as: str = ""
    """The formula in short, for reading only; empty: as it is."""
    over_peaks: str = ""
    """A formula added for each peak of the model, in this term's parameters and ``cumulative`` (Shirley)."""

    def parameter(self, name: str) -> Parameter:
        """The parameter of that name."""
        return next(parameter for parameter in self.parameters if parameter.name == name)

    @property
    def parsed(self) -> Formula:
        """The formula as a checked tree; of averages, what is averaged, which is for units and for reading only."""
        if self.averages:
            return as_read(self.formula, self.averages, self.variable)
        return parse(self.formula, (self.variable,))

    @property
    def reading(self) -> Formula:
        """The formula as it is typeset."""
        return (
            parse(self.read_as, (self.variable, *(["turn"] if self.averages else []))) if self.read_as else self.parsed
        )

    @property
    def averaged(self) -> Averaged | None:
        """What gives the values of a formula with averages in it."""
        if not self.averages and self.smearing is None:
            return None
        return Averaged(self.formula, self.averages, self.variable, self.smearing)

    @property
    def has_rule(self) -> bool:
        """Whether starts can be read off the data at once, without a search."""
        return self.start is not None or self.shape is not None

    def start_values(self, data: starts.Data) -> dict[str, float]:
        """A start for every parameter: by the rule, by the peak's shape, or the declared one."""
        values = {p.name: p.start for p in self.parameters}
        if self.start is not None:
            return values | self.start(data)
        if self.shape is None:
            return values
        seen = starts.peak(data)
        values["center"] = seen["center"]
        values |= {name: share * seen["fwhm"] for name, share in self.shape.widths}
        values[self.shape.size] = seen["height"] * (1.06 * seen["fwhm"] if self.shape.size == "area" else 1.0)
        return values

    def unit(self, name: str) -> Powers | None:
        """The unit of a parameter or of a derived quantity as powers of x's and y's; None where it is left open."""
        given: dict[str, Powers | None] = {p.name: p.unit for p in self.parameters} | {
            d.name: d.unit for d in self.derived
        }
        found = given.get(name)
        if found is not None:
            return found
        derived = next((d for d in self.derived if d.name == name), None)
        if derived is not None:
            return _derived_unit(self, derived)
        formula = self.parsed if self.averages else parse(self.whole, (self.variable,))
        return _vector(_units_of(formula), name)

    def unit_text(self, name: str, x_unit: str, y_unit: str) -> str:
        """The same as a unit, given those of x and y; nothing where it is left open."""
        powers = self.unit(name)
        return "" if powers is None else units.power_product(x_unit, powers[0], y_unit, powers[1])

    @property
    def whole(self) -> str:
        """The formula with what it adds over peaks, so that every parameter occurs: for units and for reading."""
        return self.formula + (f" + {self.over_peaks}" if self.over_peaks else "")


@lru_cache(maxsize=512)
def _units_of(formula: Formula) -> ParameterUnits:
    """What turns from 0 to 1 in an average has no unit."""
    return parameter_units(formula, (True, *(False for _ in formula.variables[1:]), True))


def _vector(found: ParameterUnits, name: str) -> Powers | None:
    vector = found.powers.get(name)
    return None if vector is None else (vector[0], vector[-1])


def _derived_unit(term: Term, derived: Derived) -> Powers | None:
    formula = parse(derived.formula, ())
    known = {}
    for name in formula.parameters:
        powers = term.unit(name)
        if powers is None:
            return None
        known[name] = tuple((axis, Fraction(p)) for axis, p in zip("xy", powers, strict=True) if p)
    found = dict(dimension(formula, known, strict=False))
    return found.get("x", Fraction(0)), found.get("y", Fraction(0))
