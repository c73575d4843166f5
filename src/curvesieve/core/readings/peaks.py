"""What a fitted peak says: center, height, FWHM and area, each with u carried through the covariance."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.fitting import FitResult
from curvesieve.core.formula import compile_formula, parse
from curvesieve.core.models import Derived, Model, PlacedTerm
from curvesieve.core.reading import Reading

SYMBOLS = {"center": "center", "height": "height", "fwhm": "FWHM", "area": "area"}


@dataclass(frozen=True)
class PeakReading(Reading):
    """A reading that belongs to one peak of a model; `peak` is its number."""

    peak: int = 0
    quantity: str = ""


def peak_readings(model: Model, result: FitResult, x_unit: str, y_unit: str) -> tuple[PeakReading, ...]:
    """All readings of a model's peaks, peak by peak, in the units that follow from x and y.

    A derived quantity's u is √(gᵀ C g) with g its exact gradient and C the covariance of the fit (the law of
    propagation, JCGM 100:2008, 5.2.2).
    """
    found: list[PeakReading] = []
    for placed in model.peaks:
        term = placed.term
        for parameter in term.parameters:
            fitted = result.parameters[placed.full_name(parameter.name)]
            found.append(_reading(placed, parameter.name, fitted.value, fitted.u, parameter.unit, (x_unit, y_unit)))
        for derived in term.derived:
            value, u = _propagated(placed, derived, result)
            found.append(_reading(placed, derived.name, value, u, derived.unit, (x_unit, y_unit), derived.reference))
    return tuple(found)


def _reading(
    placed: PlacedTerm,
    quantity: str,
    value: float,
    u: float | None,
    powers: tuple[int, int],
    axes: tuple[str, str],
    reference: str = "",
) -> PeakReading:
    return PeakReading(
        name=f"{placed.label} {SYMBOLS.get(quantity, quantity)}",
        symbol=quantity,
        value=value,
        u=u,
        unit=units.power_product(axes[0], powers[0], axes[1], powers[1]),
        method=f"{placed.term.label} by least squares",
        reference=reference or placed.term.reference,
        peak=placed.number,
        quantity=quantity,
    )


def _propagated(placed: PlacedTerm, derived: Derived, result: FitResult) -> tuple[float, float | None]:
    compiled = compile_formula(parse(derived.formula, ()))
    names = [placed.full_name(name) for name in compiled.formula.parameters]
    values = [result.parameters[name].value for name in names]
    value = float(compiled.value((), values))
    if result.covariance is None:
        return value, None
    gradient = np.zeros(len(result.free))
    for name, slope in zip(names, compiled.jacobian((), values), strict=True):
        if name in result.free:
            gradient[result.free.index(name)] = float(slope)
    return value, float(np.sqrt(gradient @ np.array(result.covariance) @ gradient))
