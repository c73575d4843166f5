"""A fit's results on their way to other programs: a table, a text, LaTeX, and a script that repeats it with SciPy."""

from __future__ import annotations

import keyword
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass

import numpy as np

from curvesieve.core import units
from curvesieve.core.fitting.problem import Problem
from curvesieve.core.fitting.result import FitResult
from curvesieve.core.fitting.solver import TUNING
from curvesieve.core.fitting.writing_averages import GAUSS, averaged_lines
from curvesieve.core.formula import Formula
from curvesieve.core.formula.functions import FUNCTIONS
from curvesieve.core.formula.printing import latex, name_latex, python
from curvesieve.core.reading import concise, plus_minus


@dataclass(frozen=True)
class Following:
    """A quantity that follows from the parameters, such as a peak's area or the coefficient of a power of x."""

    name: str
    value: float
    u: float | None
    unit: str


def as_table(result: FitResult, unit_of: Mapping[str, str], following: Sequence[Following] = ()) -> str:
    """Tab-separated rows with all digits, as spreadsheets take them: parameters, what follows, then statistics."""
    rows = [["parameter", "value", "u", "unit", "state"]]
    for name, p in result.parameters.items():
        u = "" if p.u is None else repr(p.u)
        rows.append([name, repr(p.value), u, units.written(unit_of.get(name, "")), p.state])
    rows += [
        [q.name, repr(q.value), "" if q.u is None else repr(q.u), units.written(q.unit), "follows"] for q in following
    ]
    for name, value in asdict(result.statistics).items():
        rows.append([name, "" if value is None else repr(value), "", "", "statistic"])
    return "\n".join("\t".join(row) for row in rows) + "\n"


def as_text(
    result: FitResult, unit_of: Mapping[str, str], following: Sequence[Following] = (), formula: str = ""
) -> str:  # fmt: skip
    """Sentences for a notebook: every parameter with its u rounded as the GUM says, then how good the fit is."""
    lines = [result.formula]
    for name, p in result.parameters.items():
        unit = units.shown(unit_of.get(name, ""))
        lines.append(f"{name} = {plus_minus(p.value, p.u)} {unit}".rstrip() + (f" ({p.state})" if p.state else ""))
    lines += [f"{q.name} = {plus_minus(q.value, q.u)} {units.shown(q.unit)}".rstrip() for q in following]
    lines += [formula] if formula else []
    s = result.statistics
    chi2 = "" if s.reduced_chi2 is None else f", reduced χ² {s.reduced_chi2:.4g}"
    r2 = "–" if s.r2 is None else f"{s.r2:.6g}"
    lines.append(f"n {s.n}, degrees of freedom {s.dof}, R² {r2}, RMSE {s.rmse:.4g}{chi2}")
    kind = "u scaled by the scatter of the residuals" if result.scaled else "u of the points taken as it is"
    lines.append(f"{result.message} Loss {result.loss}; {kind}. ± is one standard uncertainty.")
    return "\n".join([*lines, *result.warnings]) + "\n"


def as_latex(
    formulas: Sequence[Formula], result: FitResult, unit_of: Mapping[str, str], following: Sequence[Following] = ()
) -> str:  # fmt: skip
    """The formulas that are added, and a table of the parameters and what follows, in concise notation, as LaTeX."""
    lines = []
    for formula in formulas:
        lines += [rf"\[ {line} \]" for line in latex(formula, "y" if len(formulas) == 1 else "")]
    lines += [r"\begin{tabular}{lll}", r"parameter & value & unit \\ \hline"]
    shown = [Following(name, p.value, p.u, unit_of.get(name, "")) for name, p in result.parameters.items()]
    for q in (*shown, *following):
        value = concise(q.value, q.u)
        mantissa, e, exponent = value.partition("e")
        number = rf"${mantissa} \times 10^{{{exponent}}}$" if e else f"${mantissa}$"
        parts = units.factors(q.unit) or ()
        unit = r"\,".join(rf"\mathrm{{{s}}}" + ("" if k == 1 else f"^{{{k}}}") for s, k in parts).replace("%", r"\%")
        lines.append(rf"${name_latex(q.name)}$ & {number} & {f'${unit}$' if unit else ''} \\")
    return "\n".join([*lines, r"\end{tabular}"]) + "\n"


def as_script(problem: Problem, result: FitResult) -> str:
    """A Python script that repeats the fit with NumPy and SciPy alone, its data inside; it prints values and u."""
    model = problem.model
    safe = {name: _safe(name, model.variables) for name in model.names}
    fixed = {name for name, p in result.parameters.items() if p.held or p.on_bound}
    start = [
        value if name in fixed else float(f"{value:.4g}")
        for name, value in ((name, result.parameters[name].value) for name in model.names)
    ]
    free = [model.names.index(name) for name in result.free if name not in fixed]
    text = [
        '"""Repeats a fit with NumPy and SciPy alone; the starts are rounded results. Written by Curve Sieve."""',
        "import numpy as np",
        "from scipy import special  # noqa: F401",
        "from scipy.optimize import least_squares",
        "",
        *(f"{v} = np.array({_numbers(row)})" for v, row in zip(model.variables, problem.rows, strict=True)),
        f"y_measured = np.array({_numbers(problem.y)})",
        "u_measured = " + ("1.0" if problem.u is None else f"np.array({_numbers(problem.u)})"),
        f"names = {[safe[name] for name in model.names]!r}",
        f"start = np.array({start!r})",
        f"free = {free!r}",
        "",
        *_model_lines(problem, [result.parameters[name].value for name in model.names]),
        "",
        *_parameter_lines(problem, safe),
        "",
        "",
        "def residuals(values):",
        f"    return (model({', '.join(model.variables)}, parameters(values)) - y_measured) / u_measured",
        "",
        "",
        f"found = least_squares(residuals, start[free], {_options(problem, result)})",
        "p = parameters(found.x)",
        "dof = y_measured.size - len(free)",
        "scatter = " + ("residuals(found.x) @ residuals(found.x) / dof" if result.scaled else "1.0"),
        "covariance = np.linalg.inv(found.jac.T @ found.jac) * scatter",
        "u = dict(zip(free, np.sqrt(np.diag(covariance))))",
        "for i, name in enumerate(names):",
        '    print(name, repr(float(p[i])), repr(float(u[i])) if i in u else "held, tied or on its bound")',
    ]
    return "\n".join(text) + "\n"


def _safe(name: str, variables: tuple[str, ...]) -> str:
    taken = {"np", "special", "p", "u", "model", "parameters", "residuals", "names", "start", "free", *variables}
    return f"{name}_" if name in taken or keyword.iskeyword(name) or name in FUNCTIONS else name


def _numbers(values: np.ndarray) -> str:
    return "[" + ", ".join(repr(value) for value in values.tolist()) + "]"


def _model_lines(problem: Problem, values: Sequence[float]) -> list[str]:
    model = problem.model
    lines = list(GAUSS) if any(piece.averaged for piece in model.pieces) else []
    for k, piece in enumerate(model.pieces):
        if piece.averaged is not None:
            lines += averaged_lines(piece.averaged, k, problem.rows[0], [values[i] for i in piece.places])
            continue
        given = [_safe(name, model.variables) for name in piece.formula.parameters]
        lines += ["", f"def part{k}({', '.join([*piece.formula.variables, *given])}):"]
        *lets, value = python(piece.formula)
        renamed = [
            f"    {name} = {_safe(name, model.variables)}" for name in piece.formula.parameters
            if name != _safe(name, model.variables)
        ]  # fmt: skip
        lines += [*renamed, *(f"    {line}" for line in lets), f"    return {value}", ""]
    calls = [
        f"part{k}({', '.join([*model.variables, *(f'p[{i}]' for i in piece.places)])})"
        for k, piece in enumerate(model.pieces)
    ]
    return [*lines, "", f"def model({', '.join(model.variables)}, p):", f"    return {' + '.join(calls)}", ""]


def _parameter_lines(problem: Problem, safe: Mapping[str, str]) -> list[str]:
    """A function from the free values to all, with the ties."""
    lines = ["", "def parameters(values):", "    p = start.copy()", "    p[free] = values"]
    names = problem.model.names
    for place, compiled, needs in problem.ties.tied:
        lines += [f"    {safe[names[i]]} = p[{i}]" for i in needs]
        *lets, value = python(compiled.formula)
        lines += [*(f"    {line}" for line in lets), f"    p[{place}] = {value}"]
    return [*lines, "    return p"]


def _options(problem: Problem, result: FitResult) -> str:
    options = ['x_scale="jac"', "xtol=1e-15", "ftol=1e-15", "gtol=1e-15", 'jac="3-point"']
    if problem.bounded:
        moved = [not result.parameters[name].on_bound for name in result.free]
        low, high = (_numbers(edge[moved]).replace("inf", "np.inf") for edge in (problem.lower, problem.upper))
        options.append(f"bounds=({low}, {high})")
    if problem.loss != "squared":
        exact = problem.loss in TUNING
        loss, width = (problem.loss, TUNING[problem.loss] * result.scale) if exact else ("soft_l1", 1e-3 * result.scale)
        options += [f"loss={loss!r}", f"f_scale={width!r}"]
    return ", ".join(options)
