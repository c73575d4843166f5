"""The terms: each is one declaration of formula, parameters, start rule and reference."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from curvesieve.core.models import starts

Powers = tuple[int, int]
"""A unit as (power of the x unit, power of the y unit)."""


@dataclass(frozen=True)
class Parameter:
    """A term's parameter: plain name, meaning, unit rule and the limits beyond which it means nothing."""

    name: str
    description: str
    unit: Powers
    lower: float = -math.inf
    upper: float = math.inf


@dataclass(frozen=True)
class Derived:
    """A quantity computed from a term's parameters, as a formula in their names."""

    name: str
    symbol: str
    formula: str
    unit: Powers
    reference: str


@dataclass(frozen=True)
class Term:
    """One entry of the library. `start` maps (curve, where the user pointed or None) to parameter values."""

    slug: str
    label: str
    kind: str
    formula: str
    parameters: tuple[Parameter, ...]
    start: Callable[[starts.Data], dict[str, float]]
    reference: str
    derived: tuple[Derived, ...] = ()

    def parameter(self, name: str) -> Parameter:
        return next(parameter for parameter in self.parameters if parameter.name == name)


_PEAK_PARAMETERS = (
    Parameter("center", "x of the maximum", (1, 0)),
    Parameter("height", "y of the maximum above the background", (0, 1)),
    Parameter("fwhm", "full width at half maximum", (1, 0), lower=0.0),
)

TERMS: dict[str, Term] = {
    term.slug: term
    for term in (
        Term(
            "gaussian", "Gaussian", "peak",
            "height*exp(-4*log(2)*((x - center)/fwhm)^2)",
            _PEAK_PARAMETERS, starts.peak,
            "normal distribution, height and FWHM form; common practice",
            (Derived("area", "A", "height*fwhm*sqrt(pi/(4*log(2)))", (1, 1), "∫ of the Gaussian over all x"),),
        ),
        Term(
            "lorentzian", "Lorentzian", "peak",
            "height/(1 + 4*((x - center)/fwhm)^2)",
            _PEAK_PARAMETERS, starts.peak,
            "Cauchy distribution, height and FWHM form; common practice",
            (Derived("area", "A", "pi/2*height*fwhm", (1, 1), "∫ of the Lorentzian over all x"),),
        ),
        Term(
            "constant", "Constant", "background", "offset",
            (Parameter("offset", "level under the peaks", (0, 1)),), starts.constant, "common practice",
        ),
        Term(
            "line", "Straight line", "background", "offset + slope*x",
            (
                Parameter("offset", "y of the line at x = 0", (0, 1)),
                Parameter("slope", "rise of the line per x", (-1, 1)),
            ), starts.line, "common practice",
        ),
    )
}  # fmt: skip

PEAKS = tuple(slug for slug, term in TERMS.items() if term.kind == "peak")
BACKGROUNDS = tuple(slug for slug, term in TERMS.items() if term.kind == "background")
