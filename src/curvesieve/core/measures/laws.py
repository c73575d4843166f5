"""A law over a stretch of the curve: any term or formula, fitted there alone."""

from __future__ import annotations

from typing import Literal

import numpy as np

from curvesieve.core.curve import Curve
from curvesieve.core.errors import FormulaError, InputError, counted
from curvesieve.core.fitting import FitResult
from curvesieve.core.formula import parse, understood_variable
from curvesieve.core.measures.base import Found, Measure, Seen, Taken, Yield, said_band
from curvesieve.core.measures.fit_seen import factor_of
from curvesieve.core.measures.trace import Trace
from curvesieve.core.models import TERMS, Term, is_known, term_of, term_sum
from curvesieve.core.models.own import own_formula
from curvesieve.core.rules import Band, Banded, RuleField
from curvesieve.core.shapes import Line

_LAWS = ("line", "polynomial-2", "exponential", "power-law", "a*exp(-k*x) + c")
_OWN_EFFORT, _EFFORT = 200, 25
"""Of a formula, whose starts are looked for, and of a term that reads them off, in points of a simple filter."""
_LINE_POINTS = 200


class LawOverBand(Banded, Measure):
    """A term of the library, by its name, or a formula, fitted to the points of a band.

    As ``curvesieve.fit`` does it: weighted by u where that is known, the covariance scaled by the scatter about it.
    Several such laws may stand on one curve, beside its model.
    """

    slug = "law-over-band"
    label = "Law over a band"
    group = "lines"
    summary = "Any term or formula, fitted to a stretch alone"
    words = "fit regression curve exponential power parabola polynomial local model"
    reference = "least squares, JCGM 100:2008, H.3"
    handles = (Band(),)
    yields = ()
    leads = False

    law: str = RuleField(
        "line", label="law", max_length=2000, examples=list(_LAWS),
        help="The name of a term, or a formula such as a*exp(-k*x) + c.",
    )  # fmt: skip
    low: float | None = RuleField(None, label="from", unit="x", help="Where the band begins; empty: at the start.")
    high: float | None = RuleField(None, label="to", unit="x", help="Where it ends; empty: at the end.")
    loss: Literal["squared", "absolute", "huber"] = RuleField(
        "squared", label="loss", help="What is made least: squares, or something that single outliers count less in."
    )

    def effort(self, curve: Curve) -> float:
        return len(curve) * (_EFFORT if is_known(self.law.strip()) else _OWN_EFFORT)

    def yields_now(self) -> tuple[Yield, ...]:
        try:
            term = _term(self.law.strip(), "x", (0.0, 1.0))
        except InputError:
            return ()
        return (*(Yield(name, name) for name in _names(term)), Yield("r2", "R²", aside=True))

    def take(self, seen: Seen) -> Taken:
        from curvesieve.core.fitting.fits import fit_asked
        from curvesieve.core.fitting.request import Request

        law = self.law.strip()
        if not law:
            raise InputError("there is no law; choose a term, or write a formula such as a*exp(-k*x) + c.")
        points = seen.band(self.low, self.high, 2)
        variable = "x" if is_known(law) else understood_variable(law, seen.curve.x_label)
        term = _term(law, variable, (float(points.x[0]), float(points.x[-1])))
        result = fit_asked(law, points.x, points.y, points.u, Request(loss=self.loss), variable)
        if not result.converged:
            raise InputError(result.message)
        t = np.linspace(points.x[0], points.x[-1], _LINE_POINTS)
        values = {name: p.value for name, p in result.parameters.items()}
        line = Line(t, np.broadcast_to(_y(term, t, values), t.shape).copy())
        r2 = result.statistics.r2
        said = f"{points.x[0]:.6g} to {points.x[-1]:.6g}, {counted(len(points), 'point')}"
        said += "" if r2 is None else f", R² {r2:.5f}"
        how = (
            "u from the covariance of the fit"
            if result.covariance is not None
            else "no u: as many parameters as points"
        )
        found = tuple(_found(term, result, seen))
        return Taken(found, said, points, (line,), how)

    def digest(self) -> str:
        return f"{self.law}, {said_band(self.low, self.high)}" + (f", {self.loss}" if self.loss != "squared" else "")


def _term(law: str, variable: str, span: tuple[float, float]) -> Term:
    """What a law says; raises InputError for a formula that cannot be understood, or a name that is no term."""
    if is_known(law):
        term = term_of(law, span)
        if term.over_peaks:
            raise InputError(f"{term.label} is made of the peaks that stand on it; choose another law.")
        return term
    try:
        formula = parse(law, (variable,))
    except FormulaError as error:
        raise InputError(f"{law}: {error}; a term is one of {', '.join(TERMS)}.") from error
    if not formula.parameters:
        raise InputError(f"{law} has no parameter that could be fitted.")
    return own_formula(law, variable).as_term()


def _names(term: Term) -> list[str]:
    own = [] if term.basis else [p.name for p in term.parameters]
    return [*own, *(derived.name for derived in term.derived)]


def _y(term: Term, t: np.ndarray, values: dict[str, float]) -> np.ndarray:
    summed = term_sum(term)
    return summed.evaluate(np.asarray(t), [values[name] for name in summed.names])


def _found(term: Term, result: FitResult, seen: Seen) -> list[Found]:
    """Its parameters and what follows from them, each with where its u is from: the covariance of the fit."""
    from curvesieve.core.fitting.following import derived_slopes

    factor = factor_of(result)
    causes = -1 - seen.count - np.arange(len(result.free))
    axes = (seen.curve.x_unit, seen.curve.y_unit)

    def found(name: str, value: float, slopes: dict[str, float]) -> Found:
        trace = None if factor is None else Trace(causes, result.gradient(slopes) @ factor)
        u = None if trace is None else trace.u
        return Found(name, value, u=u, unit=term.unit_text(name, *axes), trace=trace)

    made = []
    for parameter in () if term.basis else term.parameters:
        one = result.parameters[parameter.name]
        made.append(found(parameter.name, one.value, {parameter.name: 1.0}))
        if one.u is None and made[-1].u is not None:  # it ended on its bound
            made[-1] = Found(parameter.name, one.value, unit=made[-1].unit)
    made += [found(derived.name, *derived_slopes(result, derived)) for derived in term.derived]
    if result.statistics.r2 is not None:
        made.append(Found("r2", result.statistics.r2, unit=""))
    return made
