"""Quantities that follow from a fit's parameters, with u carried through its covariance."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.errors import InputError, nearest
from curvesieve.core.fitting.result import FitResult, Followed, correlation
from curvesieve.core.formula import compile_formula, parse
from curvesieve.core.models import Model, Term
from curvesieve.core.models.term import Derived

Floats = NDArray[np.float64]


def quantity(result: FitResult, text: str, full_name: Callable[[str], str] = str) -> tuple[float, float | None]:
    """The value and u of a formula in a fit's parameters; `full_name` turns a term's own names into the model's.

    u is √(gᵀ C g) with g the formula's exact gradient and C the covariance of the fit (the law of propagation, JCGM
    100:2008, 5.2.2). Raises FormulaError or InputError when it cannot be read or names something else.
    """
    value, slopes = quantity_slopes(result, text, full_name)
    return value, result.propagated(slopes)


def quantity_slopes(
    result: FitResult, text: str, full_name: Callable[[str], str] = str
) -> tuple[float, dict[str, float]]:
    """The value of a formula in a fit's parameters, and its slopes against these; see `quantity`."""
    compiled = compile_formula(parse(text, ()))
    names = [full_name(name) for name in compiled.formula.parameters]
    for name in names:
        if name not in result.parameters:
            known = list(result.parameters)
            raise InputError(
                f"There is no parameter {name!r} in this fit; it has {', '.join(known)}{nearest(name, known)}"
            )
    values = [np.float64(result.parameters[name].value) for name in names]
    slopes = dict.fromkeys(names, 0.0)
    with np.errstate(all="ignore"):
        value = float(compiled.value((), values))
        for name, slope in zip(names, compiled.jacobian((), values), strict=True):
            slopes[name] += float(slope)
    return value, slopes


def derived_quantity(
    result: FitResult, derived: Derived, full_name: Callable[[str], str] = str
) -> tuple[float, float | None]:
    """The value and u of a quantity that a term declares."""
    value, slopes = derived_slopes(result, derived, full_name)
    return value, result.propagated(slopes)


def derived_slopes(
    result: FitResult, derived: Derived, full_name: Callable[[str], str] = str
) -> tuple[float, dict[str, float]]:
    """The value of a quantity that a term declares, and its slopes against the parameters, by full name."""
    if not derived.weights:
        return quantity_slopes(result, derived.formula, full_name)
    slopes = {full_name(name): weight for name, weight in derived.weights}
    return sum(weight * result.parameters[name].value for name, weight in slopes.items()), slopes


def following_from(term: Term, result: FitResult) -> dict[str, Followed]:
    """What a library term's own fit says beyond its parameters: a peak's area, the coefficients of a polynomial."""
    return {derived.name: Followed(*derived_quantity(result, derived)) for derived in term.derived}


@dataclass(frozen=True, eq=False)
class Shown:
    """A number that a fit found, as it is shown: its value and its slopes against the free parameters."""

    name: str
    value: float
    slopes: Floats


def shown(model: Model, result: FitResult) -> list[Shown]:
    """The free parameters, and for the weights of an inner basis what follows from them in their place."""
    inner = model.inner
    found = [
        Shown(name, result.parameters[name].value, result.gradient({name: 1.0}))
        for name in _moved(result)
        if name not in inner
    ]
    for placed in model.terms:
        for derived in placed.term.derived if placed.term.basis else ():
            value, slopes = derived_slopes(result, derived, placed.full_name)
            found.append(Shown(placed.full_name(derived.name), value, result.gradient(slopes)))
    return found


def _moved(result: FitResult) -> list[str]:
    """The free parameters; of a joint fit those, too, that follow a law, whose own numbers are none of the curve's."""
    if all(name in result.parameters for name in result.free):
        return list(result.free)
    own = {*result.free, *result.spread}
    return [name for name in result.parameters if name in own]


def shown_correlation(found: Sequence[Shown], result: FitResult) -> Floats | None:
    """The correlation matrix of what is shown; None where the fit has no covariance.

    It has the shape (shown, shown).
    """
    if result.covariance is None or not found:
        return None
    # A correlation does not ask for the size of the slopes, and their squares might lie beyond all floats.
    slopes = np.array([one.slopes / (np.abs(one.slopes).max(initial=0.0) or 1.0) for one in found])
    return correlation(slopes @ np.array(result.covariance) @ slopes.T)
