"""Questions to the fit of a study's curve, answered in sentences with uncertainties; its copies; its intervals."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.prediction import Found
from curvesieve.core.fitting.profile import Interval, bootstrap, profile_intervals
from curvesieve.core.fitting.residuals import ResidualCheck, histogram, residual_check
from curvesieve.core.fitting.writing import Following, as_latex, as_script, as_table, as_text
from curvesieve.core.models.library import degree_of
from curvesieve.core.numerals import numbers_in
from curvesieve.core.reading import plus_minus
from curvesieve.core.readings.fitted import own_reading
from curvesieve.core.study.compute import fitted_curve, passed_units, sieved_curve
from curvesieve.core.study.document import CurveEntry, Study

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


def answer(study: Study, curve_id: str, question: str, given: str) -> tuple[list[str], Derived | None]:
    """Lines that answer a question of `QUESTIONS`, and the model's named quantities where the answer adds to them.

    Raises InputError where the text cannot be read or the fitted curve has no answer.
    """
    curve = sieved_curve(study, curve_id).curve
    _, on = fitted_curve(study, curve_id)
    x_unit, y_unit = units.shown(curve.x_unit), units.shown(curve.y_unit)
    match question:
        case "y":
            found = [on.at_x(x) for x in _numbers(given, "an x such as 12.5")]
            return [f"y at x = {f.x:.6g}: {_written(f.y, f.u_y, y_unit)}" for f in found], None
        case "x":
            y, _, u = given.replace("+-", "±").partition("±")
            values = _numbers(y, "a y such as 0.5 or 0.5 ± 0.02")
            spread = _numbers(u, "a number after ±")[0] if u.strip() else 0.0
            found = [f for value in values for f in on.at_y(value, spread)]
            return [f"x at y = {f.y:.6g}: {_written(f.x, f.u_x, x_unit)}" for f in found], None
        case "root":
            return [f"y is 0 at x = {_written(f.x, f.u_x, x_unit)}" for f in on.at_y(0.0)], None
        case "extremum":
            return _extrema(on.extrema(), x_unit, y_unit), None
        case "area":
            ends = _numbers(given, "two values of x") if given.strip() else [on.low, on.high]
            if len(ends) != 2:
                raise InputError("The area needs two values of x, such as 2 8, or none for the whole range.")
            value, u_area = on.integral(ends[0], ends[1])
            unit = units.shown(units.power_product(curve.x_unit, 1, curve.y_unit, 1))
            return [f"area from {ends[0]:.6g} to {ends[1]:.6g}: {_written(value, u_area, unit)}"], None
    return _quantity(study, curve_id, given)


def _extrema(found: Sequence[Found], x_unit: str, y_unit: str) -> list[str]:
    if not found:
        raise InputError("The fitted curve has no maximum and no minimum inside the range of its points.")
    return [f"{f.what} at x = {_written(f.x, f.u_x, x_unit)}, y = {_written(f.y, f.u_y, y_unit)}" for f in found]


def _quantity(study: Study, curve_id: str, given: str) -> tuple[list[str], Derived]:
    entry = study.entry(curve_id)
    assert entry.fit is not None, "asked of a curve without a fit"
    named = _NAMED.match(given)
    name, text = (named[1], named[2].strip()) if named else (given.strip() or "quantity", given.strip())
    if named and not text:  # a name alone forgets it
        kept = tuple((n, t) for n, t in entry.model.derived if n != name)
        if kept == entry.model.derived:
            raise InputError(f"There is no quantity {name} to forget; give a formula, such as {name} = log(2)/k.")
        return [f"{name} is no longer kept."], kept
    curve = sieved_curve(study, curve_id).curve
    reading = own_reading(entry.model, entry.fit.result, name, text, (curve.x_unit, curve.y_unit))
    line = f"{name}{f' = {text}' if named else ''}: {_written(reading.value, reading.u, units.shown(reading.unit))}"
    if not named:
        return [line], entry.model.derived
    if name in entry.model.names:
        raise InputError(f"{name} is a parameter of the model; choose another name for the quantity.")
    return [f"{line} (in the ledger)"], (*((n, t) for n, t in entry.model.derived if n != name), (name, text))


def _written(value: float, u: float | None, unit: str) -> str:
    return f"{plus_minus(value, u)} {unit}".strip()


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
    """95 % intervals of the free parameters by ``profile`` or ``bootstrap``."""
    problem, on = fitted_curve(study, curve_id)
    if way == "profile":
        return profile_intervals(problem, on.result, watch=watch)
    return bootstrap(problem, on.result, watch=watch).intervals


def units_of_parameters(study: Study, curve_id: str) -> dict[str, str]:
    """The units of the model's parameters by name, from those of the curve as it passed."""
    return study.entry(curve_id).model.unit_texts(*(passed_units(study, curve_id) or ("", "")))


def residuals_of(study: Study, curve_id: str) -> tuple[ResidualCheck, tuple[Floats, Floats, Floats]]:
    """What the tests of a fit's residuals say, and their histogram: counts, edges, normal counts."""
    problem, on = fitted_curve(study, curve_id)
    r = problem.y - on.y(problem.rows[0])
    r = r if problem.u is None else r / problem.u
    return residual_check(problem.rows[0], r), histogram(r)


def _following(entry: CurveEntry) -> list[Following]:
    """What the fit's readings say beyond the parameters: areas, coefficients of powers, quantities of one's own."""
    readings = entry.fit.readings if entry.fit is not None else ()
    made = []
    for r in readings:
        name = f"{r.symbol}_{r.peak}" if r.peak else r.symbol
        if r.quantity.startswith("= ") or name not in entry.model.names:
            made.append(Following(name, r.value, r.u, r.unit))
    return made


def _written_out(entry: CurveEntry) -> str:
    """A polynomial with its numbers in powers of x: ``y = 1.5 + 2.25*x``; nothing for other models."""
    ground = entry.model.background
    degree = degree_of(ground.slug) if ground is not None and not entry.model.peaks else None
    if degree is None or entry.fit is None:
        return ""
    found = {r.quantity: r.value for r in entry.fit.readings if not r.peak}
    powers = ["", "*x", *(f"*x^{k}" for k in range(2, degree + 1))]
    said = " + ".join(f"{found[f'a{k}']!r}{power}" for k, power in enumerate(powers) if f"a{k}" in found)
    return f"y = {said.replace('+ -', '- ')}"


def copied(study: Study, curve_id: str, way: str) -> str:
    """The results as ``table``, ``text``, ``latex`` or ``script``."""
    entry = study.entry(curve_id)
    problem, on = fitted_curve(study, curve_id)
    unit_of = units_of_parameters(study, curve_id)
    following = _following(entry)
    match way:
        case "table":
            return as_table(on.result, unit_of, following)
        case "text":
            return as_text(on.result, unit_of, following, _written_out(entry))
        case "latex":
            return as_latex(entry.model.sum, on.result, unit_of)
    return as_script(problem, on.result)
