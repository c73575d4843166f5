"""All 27 problems of NIST StRD nonlinear regression from both certified starts, at default settings.

The formulas are those printed in the data files (see tests/core/strd.py for the source).
"""

from __future__ import annotations

import io
import json
from contextlib import redirect_stdout
from functools import cache

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.cli import main
from tests.core.strd import Certified, certified, digits

_RATIONAL = "(b1 + b2*x + b3*x^2 + b4*x^3)/(1 + b5*x + b6*x^2 + b7*x^3)"
_LANCZOS = "b1*exp(-b2*x) + b3*exp(-b4*x) + b5*exp(-b6*x)"
_GAUSS = "b1*exp(-b2*x) + b3*exp(-(x - b4)^2/b5^2) + b6*exp(-(x - b7)^2/b8^2)"
FORMULAS = {
    "Bennett5": "b1*(b2 + x)^(-1/b3)",
    "BoxBOD": "b1*(1 - exp(-b2*x))",
    "Chwirut1": "exp(-b1*x)/(b2 + b3*x)",
    "Chwirut2": "exp(-b1*x)/(b2 + b3*x)",
    "DanWood": "b1*x^b2",
    "ENSO": "year = 2*pi*x/12\nb1 + b2*cos(year) + b3*sin(year) + b5*cos(2*pi*x/b4) + b6*sin(2*pi*x/b4)"
    " + b8*cos(2*pi*x/b7) + b9*sin(2*pi*x/b7)",
    "Eckerle4": "(b1/b2)*exp(-0.5*((x - b3)/b2)^2)",
    "Gauss1": _GAUSS,
    "Gauss2": _GAUSS,
    "Gauss3": _GAUSS,
    "Hahn1": _RATIONAL,
    "Kirby2": "(b1 + b2*x + b3*x^2)/(1 + b4*x + b5*x^2)",
    "Lanczos1": _LANCZOS,
    "Lanczos2": _LANCZOS,
    "Lanczos3": _LANCZOS,
    "MGH09": "b1*(x^2 + x*b2)/(x^2 + x*b3 + b4)",
    "MGH10": "b1*exp(b2/(x + b3))",
    "MGH17": "b1 + b2*exp(-x*b4) + b3*exp(-x*b5)",
    "Misra1a": "b1*(1 - exp(-b2*x))",
    "Misra1b": "b1*(1 - (1 + b2*x/2)^(-2))",
    "Misra1c": "b1*(1 - (1 + 2*b2*x)^(-0.5))",
    "Misra1d": "b1*b2*x*((1 + b2*x)^(-1))",
    "Nelson": "b1 - b2*x1*exp(-b3*x2)",
    "Rat42": "b1/(1 + exp(b2 - b3*x))",
    "Rat43": "b1/((1 + exp(b2 - b3*x))^(1/b4))",
    "Roszman1": "b1 - b2*x - atan(b3/(x - b4))/pi",
    "Thurber": _RATIONAL,
}


def data_of(name: str) -> tuple[np.ndarray, np.ndarray, tuple[str, ...]]:
    record = cs.read(certified(name).path)
    if name == "Nelson":  # the certified model is of log(y), in two variables
        return np.stack([record["x1"].values, record["x2"].values]), np.log(record["y"].values), ("x1", "x2")
    return record["x"].values, record["y"].values, ("x",)


def asked(name: str, *more: str) -> dict:
    """What `curvesieve fit` says, at its defaults."""
    words = ["fit", str(certified(name).path), "--model", FORMULAS[name], "--y", "y", "--json", *more]
    words += ["--variable", "x1,x2", "--x", "x1,x2", "--y", "log(y)"] if name == "Nelson" else ["--x", "x"]
    out = io.StringIO()
    with redirect_stdout(out):
        assert main(words) == 0
    return json.loads(out.getvalue())


@cache
def from_start(name: str, start: int) -> dict:
    return asked(name, "--start", *(f"{key}={value!r}" for key, value in certified(name).starts[start].items()))


@pytest.mark.parametrize("start", [0, 1])
@pytest.mark.parametrize("name", list(FORMULAS))
def test_certified_values_from_certified_starts(name, start):
    known, said = certified(name), from_start(name, start)
    assert said["converged"], said["message"]
    assert worst_digits(said, known) >= 6
    # Lanczos1 is exact to rounding: its certified standard deviations are of rounding noise.
    if name != "Lanczos1":
        spread = min(digits(said["parameters"][key]["u"], sd) for key, sd in known.sd.items())
        assert spread >= 5, f"{spread:.1f} digits of the standard deviations"
        assert digits(said["statistics"]["rss"], known.rss) >= 7
    assert said["statistics"]["dof"] == said["statistics"]["n"] - len(known.value)


def worst_digits(said: dict, known: Certified) -> float:
    return min(digits(said["parameters"][key]["value"], value) for key, value in known.value.items())


def test_fifty_of_the_fifty_four_runs_have_eight_digits():
    counted = [worst_digits(from_start(name, start), certified(name)) for name in FORMULAS for start in (0, 1)]
    assert sum(found >= 8 for found in counted) >= 50, sorted(counted)


def test_a_second_fit_from_the_result_stays():
    x, y, _ = data_of("Thurber")
    first = cs.fit(FORMULAS["Thurber"], x, y, start=certified("Thurber").starts[1])
    again = cs.fit(FORMULAS["Thurber"], x, y, start={name: p.value for name, p in first.parameters.items()})
    for name, parameter in first.parameters.items():
        assert again.parameters[name].value == pytest.approx(parameter.value, rel=1e-8)
        assert again.parameters[name].u == pytest.approx(parameter.u, rel=1e-6)


@pytest.mark.parametrize("name", list(FORMULAS))
def test_certified_values_without_any_start(name):
    known, said = certified(name), asked(name)
    assert said["converged"], said["message"]
    if name == "Lanczos1":  # exact data: the sum of squares is rounding
        assert said["statistics"]["rss"] < 1e-20
    else:  # by the sum of squares: terms that are alike may come out in another order
        assert digits(said["statistics"]["rss"], known.rss) >= 6
    # Widths that count by their square may come out negative, and alike terms in another order.
    found = sorted(abs(p["value"]) for p in said["parameters"].values())
    for one, other in zip(found, sorted(map(abs, known.value.values())), strict=True):
        assert digits(one, other) >= 6
