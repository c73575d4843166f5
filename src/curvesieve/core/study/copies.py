"""The results of a curve's fit for other programs: as a table, a text, LaTeX or a script."""

from __future__ import annotations

import re
from collections.abc import Sequence

from curvesieve.core.errors import InputError
from curvesieve.core.fitting.writing import Following, as_latex, as_script, as_table, as_text
from curvesieve.core.formula import Formula, parse
from curvesieve.core.models import Model, Term
from curvesieve.core.readings.fitted import following_readings
from curvesieve.core.study.answers import units_of_parameters
from curvesieve.core.study.document import FitEntry
from curvesieve.core.study.fits import fitted_curve
from curvesieve.core.study.passing import passed_units
from curvesieve.core.study.study import Study


def _following(model: Model, fit: FitEntry, axes: tuple[str, str]) -> list[Following]:
    """What the fit says beyond the parameters: areas, coefficients of powers, quantities of one's own."""
    readings, ground = list(fit.readings), model.background
    if ground is not None and ground.term.basis and model.peaks:  # no reading, but a copy is to be whole
        readings += following_readings(ground, fit.result, axes)
    made = []
    for r in readings:
        name = f"{r.symbol}_{r.part}" if r.part else r.symbol
        if r.key.source == "own" or name not in model.names:
            made.append(Following(name, r.value, r.u, r.unit))
    return made


def _powers(term: Term) -> str:
    """A polynomial in its coefficients: ``a0 + a1*x + a2*x^2``."""
    return " + ".join(["a0", "a1*x", *(f"a{k}*x^{k}" for k in range(2, len(term.derived)))])


def _written_out(model: Model, following: Sequence[Following]) -> str:
    """A polynomial with its numbers in powers of x: ``y = 1.5 + 2.25*x``; nothing for other models."""
    ground = model.background
    if ground is None or not ground.term.basis:
        return ""
    found = {q.name: q.value for q in following}
    said = re.sub(r"a\d+", lambda match: repr(found[match[0]]), _powers(ground.term)).replace("+ -", "- ")
    return f"{'background' if model.peaks else 'y'} = {said}"


def _as_written(formula: Formula, term: Term) -> Formula:
    """A piece of a model as it is copied: powers for a basis, what is averaged in short."""
    if term.basis:
        return parse(_powers(term))
    return term.reading if term.read_as else formula


def copied(study: Study, curve_id: str, way: str) -> str:
    """The results as ``table``, ``text``, ``latex`` or ``script``; raises InputError for a script of a joint fit."""
    model, fit = study.model(curve_id), study.fit(curve_id)
    assert fit is not None, "asked of a curve without a fit"
    problem, on = fitted_curve(study, curve_id)
    unit_of = units_of_parameters(study, curve_id)
    following = _following(model, fit, passed_units(study, curve_id) or ("", ""))
    inner = model.inner
    said = {name: p for name, p in on.result.parameters.items() if name not in inner}
    result = on.result.model_copy(update={"parameters": said})
    match way:
        case "table":
            return as_table(result, unit_of, following)
        case "text":
            return as_text(result, unit_of, following, _written_out(model, following))
        case "latex":
            owners = [(piece, model.terms[piece.owner].term) for piece in model.sum.pieces]
            pieces = [_as_written(piece.formula, term) for piece, term in owners]
            return as_latex(pieces, result, unit_of, following)
    if fit.joint:
        raise InputError("A script repeats the fit of one curve, and this one was fitted jointly with others.")
    return as_script(problem, on.result)
