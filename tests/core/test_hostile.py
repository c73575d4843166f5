"""Three hundred hostile formulas: nothing but arithmetic ever runs, and the answer comes within a second."""

from __future__ import annotations

import builtins
import itertools
import subprocess
import time
import tracemalloc

import numpy as np
import pytest
import scipy.special  # noqa: F401  # before anything is guarded: loading a library runs its code

from curvesieve.core.errors import FormulaError
from curvesieve.core.formula import compile_formula, evaluate, parse

_CALLS = [
    "__import__('os').system('touch hacked')", "eval('1')", "exec('1')", "open('/etc/passwd')", "compile(1)",
    "globals()", "locals()", "vars()", "getattr(x, 'real')", "setattr(x, 1)", "breakpoint()", "input()", "print(x)",
    "help()", "exit()", "quit()", "type(x)", "object()", "memoryview(b'')", "bytearray(10**10)",
    "range(10**10)",
    "list(x)", "map(exp, x)", "sum(x)", "max.__call__(1, 2)", "sorted(x)", "dir()", "id(x)", "hash(x)", "super()",
]  # fmt: skip
_WALKS = [
    "().__class__.__bases__[0].__subclasses__()", "x.__class__.__mro__", "exp.__globals__", "(1).__class__",
    "x.real", "exp.__self__", "f'{x.__class__}'", "''.join", "x[0]", "x[::-1]", "{x}", "{x: 1}", "[x]*10**9",
    "(x,)*10**9",
    "lambda: x", "(lambda a: a)(x)", "[i for i in x]", "{i for i in x}", "(i for i in x)", "x if x else 1", "x and x",
    "not x", "x or 1", "~x", "x // 2", "x % 2", "x << 400", "x >> 2", "x | 1", "x & 1", "x @ x", "x is 1", "x in x",
    "x == 1", "x != 1", "(a := 1)", "await x", "yield x", "*x", "**x", "...", "None", "True", "b'x'", "'x'*10**9", "1j",
    "x; import os", "import os", "del x", "x = 1", "x := 2", "assert x", "raise x", "while 1: pass", "@x",
    "x -> 1", "`x`",
    "$x", "\\x", "x\\", "#", "x # y", '"""', "'", "0x_", "1__0", "1e", "٣ + ", "x\x00", "\ud800", "ａ.ｂ",
]  # fmt: skip
_POWERS = [
    "9^9^9^9", "10^400", "2^(2^(2^(2^(2^2))))", "(((9^9)^9)^9)^9", "1e308*10", "-(9^9)^99", "gamma(500)", "exp(1000)",
    "cosh(9^9)", "1/0", "0^-1", "log(0)", "sqrt(-1)", "(-8)^(1/3)", "gamma(-1)", "1e309", "9" * 400, "1" + "0" * 4900,
]  # fmt: skip
_DEEP = [
    "(" * 10_000 + "x" + ")" * 10_000, "(" * 10_000, ")" * 10_000, "-" * 4_000 + "x", "x" + "^x" * 2_400,
    "exp(" * 1_200 + "x" + ")" * 1_200, "x+" * 2_499 + "x", "x*" * 2_400 + "x", "+".join(f"a{i}*x" for i in range(700)),
    "\n".join(f"v{i} = v{i - 1}*v{i - 1}" if i else "v0 = x" for i in range(60)) + "\nv59", "where(" * 500,
    "v0 = x\n" + "".join(f"v{i} = v{i - 1}*(v{i - 1} + a{i}) + sin(v{i - 1})\n" for i in range(1, 40)) + "v39",
    "legendre(x, x)", "legendre(10^6, x)", "legendre(2.5, x)",
    "min(" + ",".join("x" * 9) + ")", "sin(" * 59 + "x" + ")" * 59, "x^(" * 58 + "x" + ")" * 58, "a" * 5_000, "a" * 61,
    " " * 6_000, "\n" * 4_000, ";" * 4_000, "(x+1)^99999999", "((a + b*x)^50)^50", "abs(" * 59 + "x" + ")" * 59,
]  # fmt: skip
_NAMES = [name for name in dir(builtins) if name.isidentifier()][:90]
HOSTILE = [
    *_CALLS, *_WALKS, *_POWERS, *_DEEP,
    *(f"{name}(x)" for name in _NAMES), *(f"x.{name}" for name in _NAMES[:20]),
    *(f"a + {first}*{second}" for first, second in itertools.product(_CALLS[:8], _WALKS[:7])),
]  # fmt: skip


def test_there_are_three_hundred():
    assert len(set(HOSTILE)) >= 300


@pytest.fixture
def guarded(monkeypatch):
    """Anything that would run, read or load something fails the test."""

    def refuse(*arguments, **named):
        raise AssertionError("a formula reached the world outside")

    for name in ("eval", "exec", "open", "input", "breakpoint"):
        monkeypatch.setattr(builtins, name, refuse)
    monkeypatch.setattr(subprocess, "Popen", refuse)


def test_none_runs_hangs_or_fills_the_memory(guarded):
    tracemalloc.start()
    try:
        for text in HOSTILE:
            begun = time.monotonic()
            tracemalloc.reset_peak()
            try:
                formula = parse(text)
                # What is arithmetic after all must stay small when it is computed.
                evaluate(formula, {name: np.full(100, 0.5) for name in (*formula.variables, *formula.parameters)})
            except FormulaError:
                pass
            assert time.monotonic() - begun < 1.0, text[:60]  # a hang, not a speed, is what this is about
            assert tracemalloc.get_traced_memory()[1] < 200e6, text[:60]
    finally:
        tracemalloc.stop()


@pytest.mark.parametrize(
    "text", ["(x+1)^99999999", "((a + b*x)^50)^50", "sin(" * 30 + "x" + ")" * 30, _DEEP[9], _DEEP[13]]
)
def test_what_is_arithmetic_after_all_is_compiled_within_reason(text):
    """Squares of squares of squares have derivatives that would fill a book: the answer is a sentence or a function."""
    begun = time.monotonic()
    try:
        compiled = compile_formula(parse(text))
        with np.errstate(all="ignore"):
            compiled.both((np.linspace(0, 1, 9),), [0.1] * len(compiled.formula.parameters))
    except FormulaError:
        pass
    assert time.monotonic() - begun < 20.0


WHOLE = [
    "k = 1/tau\nc + A*exp(-k*t)", "y(t) = a*exp(-(t/tau)^b) + |c|", "where(x < x0, a, b*x) + 2(x+1)·√(x²+1)",
    "h = erfc((x-m)/s)\nmin(h, 1)/max(x, 2) − 3e-4", "y = J₀(k*x) + 2x^-1 + sin(x)^2; z",
]  # fmt: skip


@pytest.mark.parametrize("text", WHOLE)
def test_every_beginning_and_every_gap_of_a_formula_is_read_or_refused_at_a_place(text):
    """What stands in the field while it is typed, or retyped from the middle."""
    pieces = [text[:i] for i in range(len(text) + 1)] + [text[i:] for i in range(len(text))]
    pieces += [text[:i] + text[i + n :] for n in (1, 2, 5) for i in range(len(text))]
    refused = {}
    for piece in pieces:
        try:
            parse(piece, ("x",))
        except FormulaError as error:
            refused[piece] = error
    assert len(refused) > 10
    assert all(0 <= error.position <= len(piece) and str(error) for piece, error in refused.items())
