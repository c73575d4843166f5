"""The formula language: what it means, what it refuses, and that both of its evaluators agree."""

from __future__ import annotations

import math
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from curvesieve.core.errors import FormulaError
from curvesieve.core.formula import compile_formula, evaluate, parse

REFUSED = [
    ("", 0, "is empty"),
    ("1/2x", 3, "write the * and brackets"),
    ("a + (x", 4, "never closed"),
    ("x)", 1, "closes nothing"),
    ("foo(x)", 0, "There is no function 'foo'"),
    ("sqr(x)", 0, "did you mean 'sqrt'"),
    ("x.__class__", 0, "A dot cannot be used"),
    ("a + __import__('os')", 4, "There is no function '__import__'"),
    ("a[0]", 0, "square bracket"),
    ("(lambda: 1)(x)", 1, "lambda cannot be used"),
    ("'text'", 0, "A text cannot be used"),
    ("x if x else a", 0, "if/else"),
    ("[x for x in a]", 0, "cannot be used"),
    ("exp(1, 2)", 0, "takes 1 argument, not 2"),
    ("exp(x, key=1)", 0, "plain arguments"),
    ("x + 1/0", 4, "divides by zero"),
    ("9^9^9^9", 2, "too large"),
    ("x < 1", 0, "stands only first in where"),
    ("sin(x < 1)", 4, "stands only first in where"),
    ("a = 2", 2, "last line must be an expression"),
    ("a = x\na = 2\na", 6, "already has a meaning"),
    ("x + 1\nx", 0, "must be of the form"),
    ("_a*x", 0, "no good name"),
    ("1e999", 0, "too large"),
    ("x +", 3, "breaks off"),
    ("x ? 1", 2, ""),
    ("(" * 3000 + "x" + ")" * 100, 60, "nested more than"),
    ("x+" * 4000 + "x", 5000, "at most 5000"),
    ("x" + "+x" * 2400, None, "too long"),
    ("-" * 3000 + "x", None, ""),
    ("exp(" * 59 + "x" + ")" * 59 + " + $", None, ""),
]


@pytest.mark.parametrize(("text", "position", "sentence"), REFUSED)
def test_refused_at_the_place_within_a_second(text, position, sentence):
    begun = time.monotonic()
    with pytest.raises(FormulaError) as caught:
        parse(text)
    assert time.monotonic() - begun < 1.0  # hostile text must not hang; not a measure of speed
    assert sentence in str(caught.value)
    if position is not None:
        assert caught.value.position == position


def test_meaning():
    values = {"x": np.array([-2.0, 3.0]), "a": 2.0, "tau": 4.0}
    cases = {
        "-x^2": [-4, -9],
        "2^-1*x": [-1, 1.5],
        "k = a*x\nk + a": [-2, 8],
        "where(x > 0, a, -a)": [-2, 2],
        "max(x, 0, a)": [2, 3],
        "a*pi": [2 * math.pi] * 2,
        "x·a − 1": [-5, 5],
        "abs(x)**0.5": [math.sqrt(2), math.sqrt(3)],
        "erf(x/tau)": [math.erf(-0.5), math.erf(0.75)],
        "log10(abs(x)) + gamma(a + 1)": [math.log10(2) + 2, math.log10(3) + 2],
    }
    for text, expected in cases.items():
        np.testing.assert_allclose(
            np.broadcast_to(evaluate(parse(text), values), 2), expected, rtol=1e-14, err_msg=text
        )
    assert parse("A*exp(-x/τ) + offset").parameters == ("A", "τ", "offset")
    assert np.isnan(evaluate(parse("log(x)"), {"x": -1.0}))


_LEAVES = st.sampled_from(["x", "a", "b", "2", "0.5", "3"])


def _grow(inner):
    binary = st.tuples(inner, st.sampled_from(["+", "-", "*", "/"]), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})")
    calls = st.tuples(st.sampled_from(["exp", "sin", "tanh", "atan", "abs", "erf"]), inner).map(
        lambda t: f"{t[0]}({t[1]})"
    )
    power = inner.map(lambda t: f"({t})^2")
    choice = st.tuples(inner, inner, inner).map(lambda t: f"where({t[0]} < {t[1]}, {t[2]}, x)")
    return binary | calls | power | choice


@settings(max_examples=40, deadline=None)
@given(text=st.recursive(_LEAVES, _grow, max_leaves=7))
def test_direct_and_compiled_values_agree(text):
    try:
        formula = parse(text)
    except FormulaError:
        return  # a constant that divides by zero
    x = np.array([-1.3, 0.4, 2.2])
    p = {"a": 0.83, "b": -1.21}
    direct = np.broadcast_to(evaluate(formula, {"x": x, **p}), 3)
    with np.errstate(all="ignore"):
        try:
            compiled = compile_formula(formula).value((x,), [p[name] for name in formula.parameters])
        except ZeroDivisionError:
            return  # 1/(a − a): one says infinite, the other says so by raising
    good = np.isfinite(direct) & (np.abs(direct) < 1e12)
    np.testing.assert_allclose(np.broadcast_to(np.real(compiled), 3)[good], direct[good], rtol=1e-9, atol=1e-9)
