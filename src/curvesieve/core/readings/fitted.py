"""What a fit says: the parameters and derived quantities of its terms, each with u carried through the covariance."""

from __future__ import annotations

from dataclasses import replace

from curvesieve.core.errors import FormulaError, InputError
from curvesieve.core.fitting import FitResult
from curvesieve.core.fitting.following import derived_quantity, quantity
from curvesieve.core.models import Model, PlacedTerm
from curvesieve.core.models.areas import written_out
from curvesieve.core.models.units import unit_in
from curvesieve.core.reading import Basis, Reading, ReadingKey

SYMBOLS = {"center": "center", "height": "height", "fwhm": "FWHM", "area": "area"}


def fit_readings(
    model: Model, result: FitResult, x_unit: str, y_unit: str, basis: Basis | None = None
) -> tuple[Reading, ...]:
    """All readings of a model's peaks, of its law, and of the user's formulas, in the units that follow from x and y.

    A background under peaks is not read off, nor are second lines, which follow from their first. A derived quantity's
    u is √(gᵀ C g) with g its exact gradient and C the covariance of the fit (the law of propagation, JCGM 100:2008,
    5.2.2).
    """
    found: list[Reading] = []
    axes = (x_unit, y_unit)
    for placed in model.terms:
        term = placed.term
        if placed.second_of or (not placed.number and model.peaks and term.kind != "law"):
            continue
        for parameter in () if term.basis else term.parameters:
            fitted = result.parameters[placed.full_name(parameter.name)]
            found.append(_reading(placed, parameter.name, fitted.value, fitted.u, axes, term.reference))
        found += following_readings(placed, result, axes)
    found += [own_reading(model, result, name, formula, axes) for name, formula in model.derived]
    return tuple(found if basis is None else (replace(one, basis=basis) for one in found))


STATISTICS = (("r2", "R²"), ("rmse", "RMSE"))
"""Those that stand in the ledger; both are without an u."""


def statistics_of(result: FitResult, y_unit: str, basis: Basis) -> list[Reading]:
    """How well a fit does, as readings."""
    found = []
    for name, label in STATISTICS:
        value = getattr(result.statistics, name)
        if value is not None:
            unit = y_unit if name == "rmse" else ""
            key = ReadingKey("statistics", name)
            found.append(Reading(key, label, name, value, None, unit, "of the fit", "", basis))
    return found


def following_readings(placed: PlacedTerm, result: FitResult, axes: tuple[str, str]) -> list[Reading]:
    """What follows from one term's parameters: a peak's area, the coefficients of a polynomial."""
    return [
        _reading(placed, d.name, *derived_quantity(result, d, placed.full_name), axes, d.reference)
        for d in placed.term.derived
    ]


def _reading(
    placed: PlacedTerm, name: str, value: float, u: float | None, axes: tuple[str, str], reference: str
) -> Reading:
    said = SYMBOLS.get(name, name)
    return Reading(
        key=ReadingKey("fit", name, placed.number),
        name=f"{placed.label} {said}" if placed.number else said,
        symbol=name,
        value=value,
        u=u,
        unit=placed.term.unit_text(name, *axes),
        method=f"{placed.term.label} by least squares",
        reference=reference,
    )


def own_reading(model: Model, result: FitResult, name: str, text: str, axes: tuple[str, str]) -> Reading:
    """The reading of a formula that the user named, such as ``half_life = log(2)/k``.

    Raises InputError where it cannot be worked out.
    """
    try:
        value, u = quantity(result, written_out(model, text))
        unit = unit_in(model, text, axes)
    except FormulaError as error:
        raise InputError(f"{name} = {text}: {error}") from error
    key = ReadingKey("own", name)
    return Reading(key, name, name, value, u, unit, f"{text} from the fit", "JCGM 100:2008, 5.2.2")
