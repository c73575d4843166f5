"""Formulas written out again: as Python that computes the same, and as mathematics that can be typeset."""

from __future__ import annotations

import re

import matplotlib as mpl
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from matplotlib.mathtext import MathTextParser
from scipy import special

from curvesieve.core.errors import FormulaError
from curvesieve.core.formula import compile_formula, evaluate, parse
from curvesieve.core.formula.inference import parameter_units
from curvesieve.core.formula.printing import latex, name_latex, number_latex, python
from curvesieve.core.models import TERMS
from tests.core.test_formula import _LEAVES, _grow

WRITTEN = [
    (
        "offset + amplitude1*exp(-x/tau1)",
        r"\mathrm{offset} + \mathrm{amplitude}_{\mathrm{1}}\,e^{-x/\tau_{\mathrm{1}}}",
    ),
    ("a - (b + c)", r"a - \left(b + c\right)"),
    ("a - (-b)", r"a - \left(-b\right)"),
    ("(a + b)*c", r"\left(a + b\right)\,c"),
    ("(x/2)^2*3", r"\left(\frac{x}{2}\right)^{2} \cdot 3"),
    ("-a/b + c", r"-\frac{a}{b} + c"),
    ("exp(x)^2", r"\left(e^{x}\right)^{2}"),
    ("sqrt(x)/abs(k)", r"\frac{\sqrt{x}}{\left|k\right|}"),
    ("2.5e-7*x", r"2.5 \times 10^{-7}\,x"),
    ("4*log(2)*x", r"4\,\ln\left(2\right)\,x"),
    ("x^(1/b3)", r"x^{1/b_{\mathrm{3}}}"),
    ("where(x < a, b, pi)", r"\mathrm{where}\left(x < a,\, b,\, \pi\right)"),
    ("legendre(3, x)", r"P_{3}\left(x\right)"),
]


@pytest.mark.parametrize(("text", "written"), WRITTEN)
def test_mathematics_as_it_is_written_by_hand(text, written):
    assert latex(parse(text)) == (written,)


def test_names_numbers_and_lines():
    assert name_latex("tau_1") == r"\tau_{\mathrm{1}}"
    assert name_latex("τ") == r"\tau"
    assert name_latex("fwhm_left") == r"\mathrm{fwhm}_{\mathrm{left}}"
    assert number_latex(1500.0) == "1500"
    assert latex(parse("k = 1/tau\nA*exp(-k*x)"), "y") == (r"k = \frac{1}{\tau}", r"y = A\,e^{-k\,x}")


def typeset(lines) -> None:
    """Raises where the mathematics cannot be set."""
    parser = MathTextParser("path")
    with mpl.rc_context({"mathtext.fontset": "stixsans"}):
        for line in lines:
            assert parser.parse(f"${line}$").width > 0


@pytest.mark.parametrize("slug", list(TERMS))
def test_every_term_can_be_typeset(slug):
    typeset(latex(TERMS[slug].parsed, "y"))
    typeset(latex(TERMS[slug].reading, "y"))


def run(lines, names) -> np.ndarray:
    """What the printed Python gives; the names of the script's own libraries are there, nothing else."""
    scope = {"np": np, "special": special, "__builtins__": {"abs": abs}, **names}
    *lets, value = lines
    with np.errstate(all="ignore"):
        for line in lets:
            exec(line, scope)
        return np.asarray(eval(value, scope), dtype=float)


@pytest.mark.parametrize("slug", list(TERMS))
def test_every_term_as_python_computes_the_same(slug):
    term = TERMS[slug]
    x = np.linspace(0.4, 3.7, 23)
    values = {p.name: min(max(0.6 + 0.3 * i, p.lower), p.upper) for i, p in enumerate(term.parameters)}
    values |= {"turn": 0.4}  # of an average what is averaged; its sum is checked by scripts that are run
    ours = np.broadcast_to(evaluate(term.parsed, {"x": x, **values}), x.shape)
    np.testing.assert_allclose(np.broadcast_to(run(python(term.parsed), {"x": x, **values}), x.shape), ours, rtol=1e-12)


@settings(max_examples=60, deadline=None)
@given(text=st.recursive(_LEAVES, _grow, max_leaves=9))
def test_any_formula_is_typeset_and_means_the_same_in_python(text):
    try:
        formula = parse(text)
    except FormulaError:
        return  # a constant that divides by zero
    names = {"x": np.array([-1.3, 0.4, 2.2]), "a": np.float64(0.83), "b": np.float64(-1.21)}
    direct = np.broadcast_to(evaluate(formula, names), 3)
    np.testing.assert_allclose(np.broadcast_to(run(python(formula), names), 3), direct, rtol=1e-12, equal_nan=True)
    lines = latex(formula, "y")
    assert all(line.count("{") == line.count("}") for line in lines)
    assert all(len(re.findall(r"\\left", line)) == len(re.findall(r"\\right", line)) for line in lines)
    typeset(lines)


@settings(max_examples=40, deadline=None)
@given(text=st.recursive(_LEAVES, _grow, max_leaves=7), scale=st.floats(0.1, 50), rise=st.floats(0.1, 50))
def test_units_that_are_worked_out_are_those_that_scaling_asks_for(text, scale, rise):
    """Where the units of a and b are found, measuring x and y in other units changes a and b by just those powers."""
    try:
        formula = parse(text)
    except FormulaError:
        return
    found = parameter_units(formula, (True, True))
    if found.problems or any(found.powers[name] is None for name in formula.parameters):
        return
    x, values = np.array([0.7, 1.9, 3.1]), {"a": 0.83, "b": 1.21}
    factor = {n: scale ** float(p[0]) * rise ** float(p[1]) for n, p in found.powers.items() if p is not None}
    before = evaluate(formula, {"x": x, **values})
    moved = evaluate(formula, {"x": x * scale, **{n: v * factor.get(n, 1.0) for n, v in values.items()}})
    good = np.isfinite(before) & np.isfinite(moved)
    # The value is in the unit of y, unless it is the number zero.
    np.testing.assert_allclose(
        np.broadcast_to(moved, 3)[good], np.broadcast_to(before * rise, 3)[good], rtol=1e-6, atol=1e-9
    )


def test_legendre_is_scipys_with_its_exact_slope():
    x = np.linspace(-1.2, 1.2, 9)
    for degree in (0, 1, 2, 5, 12):
        compiled = compile_formula(parse(f"legendre({degree}, k*x)"))
        value, slope = compiled.both((x,), [0.9])
        np.testing.assert_allclose(np.broadcast_to(value, 9), special.eval_legendre(degree, 0.9 * x))
        exact = np.polynomial.Legendre.basis(degree).deriv()(0.9 * x) * x
        np.testing.assert_allclose(np.broadcast_to(slope, 9), exact, rtol=1e-9, atol=1e-12)
    for bad in ("legendre(x, x)", "legendre(1.5, x)", "legendre(-1, x)", "legendre(61, x)"):
        with pytest.raises(FormulaError, match="plain whole number from 0 to 60"):
            parse(bad)
