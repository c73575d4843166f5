"""Questions to the fit of a study's curve, answered in sentences with uncertainties; its intervals."""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.following import shown, shown_correlation
from curvesieve.core.fitting.prediction import Found, coverage
from curvesieve.core.fitting.profile import Interval, bootstrap, profile_intervals
from curvesieve.core.fitting.residuals import ResidualCheck, histogram, residual_check
from curvesieve.core.measures.base import Measure
from curvesieve.core.measures.of_fit import FittedArea, FittedExtremum, FittedPlace, FittedQuantity, FittedValue
from curvesieve.core.reading import plus_minus
from curvesieve.core.readings.fitted import own_reading
from curvesieve.core.study.fits import fitted_curve
from curvesieve.core.study.passing import passed_units, sieved_curve
from curvesieve.core.study.study import Study
from curvesieve.core.typed import numbers_in

QUESTIONS = {
    "y": ("y at x", "one x, or several"),
    "x": ("x at y", "a y, or y ± u"),
    "extremum": ("maxima and minima", ""),
    "root": ("x where y is 0", ""),
    "area": ("area between", "from to; empty for all"),
    "formula": ("a quantity", "half_life = log(2)/k"),
}
"""The label of each question and the prompt for what it is about; no prompt: it needs nothing."""

_NAMED = re.compile(r"^\s*([^\W\d]\w*)\s*=(?!=)\s*(.*)$", re.S)
Derived = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Said:
    """An answer: as it is read, with its uncertainty rounded, and as it is copied, with all digits."""

    text: str
    whole: str


Part = str | float | tuple[float, float | None, str]
"""A piece of an answer: words, a plain number, or a value with its u and unit."""


def _said(*parts: Part) -> Said:
    """A line made of its parts, written both ways."""
    return Said("".join(map(_rounded, parts)), "".join(map(_whole, parts)))


def _rounded(part: Part) -> str:
    if isinstance(part, tuple):
        return f"{plus_minus(*part[:2])} {part[2]}".strip()
    return part if isinstance(part, str) else f"{part:.6g}"


def _whole(part: Part) -> str:
    if isinstance(part, tuple):
        value, u, unit = part
        spread = "" if u is None else f" ± {float(u)!r}"
        return f"{float(value)!r}{spread} {unit}".strip()
    return part if isinstance(part, str) else repr(float(part))


def answer(study: Study, curve_id: str, question: str, given: str) -> tuple[list[Said], Derived | None]:
    """Lines that answer a question of `QUESTIONS`, and the model's named quantities where the answer adds to them.

    Raises InputError where the text cannot be read or the fitted curve has no answer.
    """
    curve = sieved_curve(study, curve_id).curve
    _, on = fitted_curve(study, curve_id)
    x_unit, y_unit = units.shown(curve.x_unit), units.shown(curve.y_unit)
    match question:
        case "y":
            at = [on.at_x(x) for x in _numbers(given, "an x such as 12.5")]
            return [_said("y at x = ", f.x, ": ", (f.y, f.u_y, y_unit)) for f in at], None
        case "x":
            y, _, u = given.replace("+-", "±").partition("±")
            values = _numbers(y, "a y such as 0.5 or 0.5 ± 0.02")
            spread = _numbers(u, "a number after ±")[0] if u.strip() else 0.0
            found = [f for value in values for f in on.at_y(value, spread)]
            return [_said("x at y = ", f.y, ": ", (f.x, f.u_x, x_unit)) for f in found], None
        case "root":
            return [_said("y is 0 at x = ", (f.x, f.u_x, x_unit)) for f in on.at_y(0.0)], None
        case "extremum":
            return _extrema(on.extrema(), x_unit, y_unit), None
        case "area":
            ends = _numbers(given, "two values of x") if given.strip() else [on.low, on.high]
            if len(ends) != 2:
                raise InputError("The area needs two values of x, such as 2 8, or none for the whole range.")
            area, u_area = on.integral(ends[0], ends[1])
            unit = units.shown(units.power_product(curve.x_unit, 1, curve.y_unit, 1))
            return [_said("area from ", ends[0], " to ", ends[1], ": ", (area, u_area, unit))], None
    return _quantity(study, curve_id, given)


def kept(study: Study, curve_id: str, question: str, given: str) -> list[tuple[Measure, str]]:
    """Measures that go on giving the answer to a question of `QUESTIONS`, each with its name (empty: its own label).

    Raises InputError where the text cannot be read, or the fitted curve has no answer.
    """
    match question:
        case "y":
            return [(FittedValue(at=x), "") for x in _numbers(given, "an x such as 12.5")]
        case "x":
            values = _numbers(given.replace("+-", "±").partition("±")[0], "a y such as 0.5")
            return [(FittedPlace(y=value), "") for value in values]
        case "root":
            return [(FittedPlace(y=0.0), "root")]
        case "extremum":
            _, on = fitted_curve(study, curve_id)
            kinds = dict.fromkeys(found.what for found in on.extrema())
            if not kinds:
                _extrema((), "", "")
            return [(FittedExtremum.model_validate({"look_for": kind}), f"{kind} of the fit") for kind in kinds]
        case "area":
            ends = _numbers(given, "two values of x") if given.strip() else [None, None]
            if len(ends) != 2:
                raise InputError("The area needs two values of x, such as 2 8, or none for the whole range.")
            return [(FittedArea(low=ends[0], high=ends[1]), "")]
    named = _NAMED.match(given)
    name, text = (named[1], named[2].strip()) if named else ("", given.strip())
    if not text:
        raise InputError("There is no formula here; give one such as half_life = log(2)/k.")
    return [(FittedQuantity(formula=text), name)]


def _extrema(found: Sequence[Found], x_unit: str, y_unit: str) -> list[Said]:
    if not found:
        raise InputError("The fitted curve has no maximum and no minimum inside the range of its points.")
    return [_said(f.what, " at x = ", (f.x, f.u_x, x_unit), ", y = ", (f.y, f.u_y, y_unit)) for f in found]


def _quantity(study: Study, curve_id: str, given: str) -> tuple[list[Said], Derived]:
    model, fit = study.model(curve_id), study.fit(curve_id)
    assert fit is not None, "asked of a curve without a fit"
    named = _NAMED.match(given)
    name, text = (named[1], named[2].strip()) if named else (given.strip() or "quantity", given.strip())
    if named and not text:  # a name alone forgets it
        kept = tuple((n, t) for n, t in model.derived if n != name)
        if kept == model.derived:
            raise InputError(f"There is no quantity {name} to forget; give a formula, such as {name} = log(2)/k.")
        return [_said(f"{name} is no longer kept.")], kept
    curve = sieved_curve(study, curve_id).curve
    reading = own_reading(model, fit.result, name, text, (curve.x_unit, curve.y_unit))
    number = (reading.value, reading.u, units.shown(reading.unit))
    line = _said(f"{name} = {text}: " if named else f"{name}: ", number, " (in the ledger)" if named else "")
    if not named:
        return [line], model.derived
    if name in (*model.names, *model.following):
        raise InputError(f"{name} is a parameter of the model; choose another name for the quantity.")
    return [line], (*((n, t) for n, t in model.derived if n != name), (name, text))


def _numbers(text: str, wanted: str) -> list[float]:
    try:
        found = numbers_in(text)
    except InputError as error:
        raise InputError(f"{error}; give {wanted}.") from error
    if not found:
        raise InputError(f"There is no number here; give {wanted}.")
    return found


def intervals(
    study: Study, curve_id: str, way: str, watch: Callable[[float], None] | None = None
) -> tuple[Interval, ...]:
    """95 % intervals of what the fit found by ``profile`` or ``bootstrap``.

    The coefficients of a polynomial are linear in the parameters: where nothing else is fitted, t·u is their profile's
    half width exactly; beside peaks they are left to the bootstrap. Raises InputError for a curve that was fitted
    jointly: its intervals alone would not be those of the fit.
    """
    fit = study.fit(curve_id)
    if fit is not None and fit.joint:
        raise InputError(
            "This curve was fitted jointly with others, whose points hold its parameters, too: intervals of this curve "
            "alone would not be those of the fit. Fit it by itself to have them."
        )
    problem, on = fitted_curve(study, curve_id)
    model, result = study.model(curve_id), on.result
    inner = model.inner
    coefficients = [one for one in shown(model, result) if one.name not in result.free]
    if way == "bootstrap":
        drawn = bootstrap(problem, result, watch=watch)
        moves = drawn.samples - [result.parameters[name].value for name in result.free]
        return tuple(one for one in drawn.intervals if one.name not in inner) + tuple(
            Interval(one.name, float(low), float(high), 0.95)
            for one in coefficients
            for low, high in [np.quantile(one.value + moves @ one.slopes, [0.025, 0.975])]
        )
    found = profile_intervals(problem, result, watch=watch, without=inner)
    if model.peaks:
        return found
    halves = [coverage(result, 0.95) * (result.u_along(one.slopes) or 0.0) for one in coefficients]
    return found + tuple(
        Interval(one.name, one.value - half, one.value + half, 0.95)
        for one, half in zip(coefficients, halves, strict=True)
    )


def interval_lines(study: Study, curve_id: str, way: str, watch: Callable[[float], None] | None = None) -> list[Said]:
    """`intervals` in sentences, with units; an end that does not exist is open."""
    unit_of = units_of_parameters(study, curve_id)
    said = []
    for one in intervals(study, curve_id, way, watch):
        low, high = ("open" if math.isinf(end) else end for end in (one.low, one.high))
        unit = units.shown(unit_of.get(one.name, ""))
        said.append(_said(f"{one.name}: ", low, " to ", high, f" {unit}".rstrip(), f", 95 % by {way}"))
    return said


def correlations(study: Study, curve_id: str) -> tuple[tuple[str, ...], Floats | None]:
    """The names of what the curve's fit found, as shown, and their correlation matrix where there is one.

    The matrix has shape (names, names).
    """
    fit = study.fit(curve_id)
    assert fit is not None, "asked of a curve without a fit"
    found = shown(study.model(curve_id), fit.result)
    return tuple(one.name for one in found), shown_correlation(found, fit.result)


def units_of_parameters(study: Study, curve_id: str) -> dict[str, str]:
    """The units of the model's parameters and of what follows, by name, from those of the curve as it passed."""
    model, axes = study.model(curve_id), passed_units(study, curve_id) or ("", "")
    following = {name: placed.term.unit_text(d.name, *axes) for name, (placed, d) in model.following.items()}
    return following | model.unit_texts(*axes)


def residuals_of(study: Study, curve_id: str) -> tuple[ResidualCheck, tuple[Floats, Floats, Floats]]:
    """What the tests of a fit's residuals say, and their histogram: counts, edges, normal counts.

    Edges have shape (classes + 1,), the others (classes,).
    """
    problem, on = fitted_curve(study, curve_id)
    r = problem.y - on.y(problem.rows[0])
    r = r if problem.u is None else r / problem.u
    return residual_check(problem.rows[0], r), histogram(r)
