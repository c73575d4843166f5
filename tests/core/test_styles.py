"""The formula language as scientists write it: read where nothing else can be meant, else refused with the place."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import special

import curvesieve as cs
from curvesieve.core.errors import FormulaError
from curvesieve.core.formula import compile_formula, evaluate, parse, understood_variable

X = np.linspace(0.5, 4, 9)
P = {"a": 1.3, "b": 0.7, "gamma": 0.4, "k0": 2.0, "min": 0.5, "x0": 0.3, "lambda": 1.1, "j1": 0.9, "i0": 0.2}
WRITTEN = {
    "2x": 2 * X,
    "2(x+1)": 2 * (X + 1),
    "3.5x^2": 3.5 * X**2,
    "(a+b)(x-1)": 2.0 * (X - 1),
    "(x+1)a": (X + 1) * 1.3,
    "a·x × b ÷ 2": 1.3 * X * 0.7 / 2,
    "a⋅x": 1.3 * X,
    "−x – 1": -X - 1,
    "√x": np.sqrt(X),
    "2√(x+1)": 2 * np.sqrt(X + 1),
    "√4x": 2 * X,
    "|x-2|": abs(X - 2),
    "2|x-2|x": 2 * abs(X - 2) * X,
    "||x|-2|": abs(X - 2),
    "x²+x³+x⁻¹": X**2 + X**3 + 1 / X,
    "2x²": 2 * X**2,
    "e^(-x)": np.exp(-X),
    "π*x+Pi+pi": np.pi * (X + 2),
    "ln(x)+arctan(x)": np.log(X) + np.arctan(X),
    "arcsin(x/9)+arccos(x/9)": np.full(X.size, np.pi / 2),
    "gamma*x + gamma(x)": 0.4 * X + special.gamma(X),
    "k0*x+k0(x)": 2 * X + special.k0(X),
    "lambda*x": 1.1 * X,
    "min*x+min(x,2)": 0.5 * X + np.minimum(X, 2),
    "j1*x + i0": 0.9 * X + 0.2,
    "x₀*x": 0.3 * X,
    "y = a*x": 1.3 * X,
    "y(x) = a*x": 1.3 * X,
    "c = a*2\ny = c*x": 2.6 * X,
    "sinc(x-2)": np.sinc((X - 2) / np.pi),
    "sinc(0*x)": np.ones(X.size),
    "heaviside(x-2)": np.heaviside(X - 2, 0.5),
    "sign(x-2)*x": np.sign(X - 2) * X,
    "2e3x": 2e3 * X,
    "2exp(x)": 2 * np.exp(X),
    "floor(x)+ceil(x)": np.floor(X) + np.ceil(X),
    "log2(x)+cot(x)": np.log2(X) + 1 / np.tan(X),
    "coth(x)": 1 / np.tanh(X),
    "atan2(x,2)": np.arctan2(X, 2),
    "besselj(2,x)": special.jv(2, X),
    "besselk(1.5,x)": special.kv(1.5, X),
    "bessely(0,x)+besseli(3,x)": special.yn(0, X) + special.iv(3, X),
    "sin(x)cos(x)": np.sin(X) * np.cos(X),
}


@pytest.mark.parametrize("text", WRITTEN)
def test_what_scientists_write_is_what_they_mean(text):
    formula = parse(text)
    np.testing.assert_allclose(np.broadcast_to(evaluate(formula, {"x": X, **P}), X.shape), WRITTEN[text], rtol=1e-12)
    compiled = compile_formula(formula)
    value = compiled.value([X], [P[name] for name in formula.parameters])
    np.testing.assert_allclose(np.broadcast_to(value, X.shape), WRITTEN[text], rtol=1e-12)


SLOPES = (
    "sinc(a*x)",
    "sign(a)*a*x",
    "besselj(2,a*x)",
    "besselk(0.5,a*x)",
    "coth(a*x)",
    "atan2(a*x,b)",
    "lambda^2*gamma(a)*x",
    "floor(x)*a",
    "log2(a*x)",
    "|a-x|",
    "cot(a*x)",
)


@pytest.mark.parametrize("text", SLOPES)
def test_their_derivatives_against_differences(text):
    formula = parse(text)
    values = [P[name] for name in formula.parameters]
    compiled = compile_formula(formula)
    for i, column in enumerate(compiled.jacobian([X], values)):
        h = 1e-5
        up, down = ([v + s * h * (j == i) for j, v in enumerate(values)] for s in (1, -1))
        slope = (np.asarray(compiled.value([X], up)) - np.asarray(compiled.value([X], down))) / (2 * h)
        np.testing.assert_allclose(
            np.broadcast_to(column, X.shape), np.broadcast_to(slope, X.shape), rtol=1e-6, atol=1e-8
        )


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("1/2x", 3),
        ("2^2x", 3),
        ("1/2(x+1)", 3),
        ("a b", 2),
        ("x 2", 2),
        ("2 3", 2),
        ("1/(a)(b)", 5),
        ("1/sin(x)cos(x)", 8),
        ("x(2)", 0),
        ("|x", 0),
        ("⁻¹", 0),
        ("z = a*x", 2),
        ("a*x = y", 4),
    ],
)
def test_what_could_mean_two_things_is_refused_at_its_place(text, place):
    with pytest.raises(FormulaError) as caught:
        parse(text)
    assert caught.value.position == place


ATOMS = st.sampled_from(["x", "a", "2", "0.5", "3e0", "(x+1)", "exp(x)"])


@given(st.lists(st.tuples(ATOMS, st.sampled_from([" + ", "*", " - ", "×", "−"])), min_size=1, max_size=6), ATOMS)
@settings(deadline=None, max_examples=150)
def test_signs_change_nothing_of_plain_arithmetic(parts, last):
    """A text with signs all through means what Python makes of it."""
    text = "".join(atom + sign for atom, sign in parts) + last
    plain = text.replace("×", "*").replace("−", "-")
    wanted = eval(plain, {"x": X, "a": 1.3, "exp": np.exp})  # our own text, made above
    np.testing.assert_allclose(np.broadcast_to(evaluate(parse(text), {"x": X, "a": 1.3}), X.shape), wanted, rtol=1e-12)


@pytest.mark.parametrize(
    ("text", "axis", "variable"),
    [
        ("A*exp(-k*t)", "Time", "t"),
        ("A*exp(-k*T)", "Temperature", "T"),
        ("A*q^-4", "q", "q"),
        ("Time*a", "Time", "Time"),
        ("y(k) = A*exp(-k*s)", "", "k"),
        ("a*x+t", "Time", "x"),
        ("A*exp(-k*t)", "", "t"),
        ("A*f + t", "frequency", "f"),
    ],
)
def test_the_variable_is_what_can_only_be_meant(text, axis, variable):
    assert understood_variable(text, axis) == variable


def test_two_candidates_are_asked_about_and_nothing_that_varies_is_refused():
    with pytest.raises(FormulaError, match=r"Both t and T could be the variable; begin with  y\(t\) ="):
        understood_variable("A*t + T")
    t = np.linspace(0, 5, 40)
    y = 3 * np.exp(-0.7 * t) + 0.001 * np.sin(9 * t)
    found = cs.fit("A*exp(-k*t)", t, y)
    assert found.parameters["k"].value == pytest.approx(0.7, rel=1e-3)
    for call in ({}, {"variable": "x"}):
        with pytest.raises(cs.InputError, match="Nothing varies in"):
            cs.fit("A*exp(-k*s)", t, y, **call)
