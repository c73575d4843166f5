"""Fits against certified values, a second library, exact robust solutions, and bad requests."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.fitting import LOSSES, fit
from curvesieve.core.models import Model
from curvesieve.core.readings import fit_readings
from tests.core.strd import certified, digits

GAUSSIAN = "(b1/b2)*exp(-0.5*((x - b3)/b2)^2)"
TWO_ON_DECAY = "b1*exp(-b2*x) + b3*exp(-(x - b4)^2/b5^2) + b6*exp(-(x - b7)^2/b8^2)"
FWHM_PER_SIGMA = 2 * math.sqrt(2 * math.log(2))


@pytest.mark.parametrize("start", [0, 1])
@pytest.mark.parametrize(
    ("name", "formula"), [("Eckerle4", GAUSSIAN), ("Gauss1", TWO_ON_DECAY), ("Gauss2", TWO_ON_DECAY)]
)
def test_command_line_reaches_the_certified_values(name, formula, start, capsys):
    known = certified(name)
    starts = [f"{key}={value!r}" for key, value in known.starts[start].items()]
    assert main(["fit", str(known.path), "--model", formula, "--x", "x", "--y", "y", "--start", *starts, "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert said["converged"]
    for key, value in known.value.items():
        assert digits(said["parameters"][key]["value"], value) >= 7, key
        assert digits(said["parameters"][key]["u"], known.sd[key]) >= 5, key
    assert digits(said["statistics"]["rss"], known.rss) >= 7


@pytest.mark.parametrize("start", [0, 1])
def test_eckerle4_width_through_the_library_term(start):
    known = certified("Eckerle4")
    curve = cs.read(known.path).curve("x", "y")
    b1, b2, b3 = known.starts[start].values()
    term = {"height": b1 / b2, "center": b3, "fwhm": FWHM_PER_SIGMA * b2}
    result = fit("gaussian", curve.x, curve.y, start=term)
    assert digits(result.parameters["fwhm"].value, FWHM_PER_SIGMA * known.value["b2"]) >= 7
    assert digits(result.parameters["fwhm"].u, FWHM_PER_SIGMA * known.sd["b2"]) >= 5


def test_area_and_its_uncertainty_are_those_of_eckerle4s_b1():
    # b1/b2·exp(−(x−b3)²/2b2²) has the area √(2π)·b1, so the derived area must carry b1's certified sd.
    known = certified("Eckerle4")
    curve = cs.read(known.path).curve("x", "y")
    model = Model().add_peak("gaussian", curve, 451.0)
    from curvesieve.core.fitting import fit_model

    readings = {r.quantity: r for r in fit_readings(model, fit_model(model, curve), "nm", "")}
    assert digits(readings["area"].value, math.sqrt(2 * math.pi) * known.value["b1"]) >= 7
    assert digits(readings["area"].u, math.sqrt(2 * math.pi) * known.sd["b1"]) >= 5
    assert readings["fwhm"].unit == "nm"


def test_weighted_fit_agrees_with_lmfit():
    from lmfit import Model as LmfitModel

    rng = np.random.default_rng(5)
    x = np.linspace(0, 10, 300)
    u = rng.uniform(0.5, 2.0, x.size)
    y = 40 * np.exp(-4 * math.log(2) * ((x - 4.2) / 1.7) ** 2) + 3 + 0.4 * x + rng.normal(0, u)

    def shape(x, height, center, fwhm, offset, slope):
        return height * np.exp(-4 * math.log(2) * ((x - center) / fwhm) ** 2) + offset + slope * x

    start = {"height": 30, "center": 4, "fwhm": 2, "offset": 0, "slope": 0}
    theirs = LmfitModel(shape).fit(
        y, x=x, weights=1 / u, scale_covar=True, **start, fit_kws={"xtol": 1e-14, "ftol": 1e-14}
    )
    ours = fit("height*exp(-4*log(2)*((x - center)/fwhm)^2) + offset + slope*x", x, y, u, start=start)
    for name, parameter in theirs.params.items():
        assert ours.parameters[name].value == pytest.approx(parameter.value, rel=1e-5, abs=1e-6)
        assert ours.parameters[name].u == pytest.approx(parameter.stderr, rel=2e-3)
    assert ours.statistics.reduced_chi2 == pytest.approx(theirs.redchi, rel=1e-8)
    assert ours.statistics.r2 == pytest.approx(
        1 - theirs.chisqr / np.sum(((y - np.average(y, weights=u**-2)) / u) ** 2)
    )
    assert ours.statistics.chi2 == pytest.approx(theirs.chisqr, rel=1e-8)
    assert ours.statistics.rss == pytest.approx(np.sum((y - theirs.best_fit) ** 2), rel=1e-6)
    assert ours.statistics.rmse == pytest.approx(math.sqrt(np.mean((y - theirs.best_fit) ** 2)), rel=1e-6)


def test_absolute_loss_is_the_exact_least_absolute_line():
    # The least-absolute-deviations line is a linear programme; HiGHS through SciPy gives its exact objective.
    from scipy.optimize import linprog

    rng = np.random.default_rng(1)
    x = np.linspace(0, 10, 41)
    y = 2 + 3 * x + rng.normal(0, 0.3, x.size)
    y[[4, 17, 33]] += [40, -35, 60]
    n = x.size
    a = np.column_stack([np.ones(n), x])
    wall = np.block([[a, -np.eye(n)], [-a, -np.eye(n)]])
    exact = linprog(np.r_[0, 0, np.ones(n)], wall, np.r_[y, -y], bounds=[(None, None)] * 2 + [(0, None)] * n)
    result = fit("a + b*x", x, y, start={"a": 0, "b": 1}, loss="absolute")
    found = np.abs(result.parameters["a"].value + result.parameters["b"].value * x - y).sum()
    assert found == pytest.approx(exact.fun, rel=1e-6)
    for loss in set(LOSSES) - {"squared"}:
        robust = fit("a + b*x", x, y, start={"a": 0, "b": 1}, loss=loss).parameters
        assert abs(robust["b"].value - 3) < 4 * robust["b"].u < 0.5, loss


@settings(max_examples=25, deadline=None)
@given(scale=st.floats(1e-6, 1e6), shift=st.floats(-100, 100))
def test_fits_do_not_care_about_units(scale, shift):
    # Measuring y in other units and x from another zero must change the numbers by just that.
    x = np.linspace(-3, 3, 80)
    y = 5 / (1 + 4 * ((x - 0.4) / 1.1) ** 2) + 0.05 * np.sin(40 * x)
    start = {"height": 4.0, "center": 0.2, "fwhm": 1.5}
    plain = fit("lorentzian", x, y, start=start).parameters
    moved_start = {"height": 4.0 * scale, "center": 0.2 + shift, "fwhm": 1.5}
    moved = fit("lorentzian", x + shift, y * scale, start=moved_start).parameters
    assert moved["height"].value == pytest.approx(plain["height"].value * scale, rel=1e-8)
    assert moved["center"].value - shift == pytest.approx(plain["center"].value, abs=1e-8)
    assert moved["fwhm"].u == pytest.approx(plain["fwhm"].u, rel=1e-6)


def test_holds_and_bounds_are_kept_and_told():
    x = np.linspace(0, 5, 60)
    y = 3 * np.exp(-x / 1.5) + 0.5
    held = fit("a*exp(-x/tau) + c", x, y, start={"a": 1, "tau": 1.5, "c": 0.5}, hold=["tau"])
    assert held.parameters["tau"].value == 1.5
    assert held.parameters["tau"].held
    assert held.parameters["tau"].u is None
    assert held.parameters["a"].value == pytest.approx(3)
    bound = fit("a*exp(-x/tau) + c", x, y, start={"a": 1, "tau": 1, "c": 0}, bounds={"tau": (0.1, 1.2)})
    assert bound.parameters["tau"].value == 1.2
    assert any(said.startswith("tau ended on its bound and has no u") for said in bound.warnings)
    inside = fit("a*exp(-x/tau) + c", x, y, start={"a": 1, "tau": 1, "c": 0}, bounds={"tau": (0.1, 9)})
    assert inside.converged
    assert inside.parameters["tau"].value == pytest.approx(1.5, rel=1e-7)


def test_parameters_that_cannot_be_told_apart_are_named():
    x = np.linspace(0, 5, 40)
    twins = fit("a*b*x + c", x, 2 * x + 1, start={"a": 1, "b": 1, "c": 0})
    assert any("a, b cannot be told apart" in warning for warning in twins.warnings)
    assert twins.parameters["a"].u is None
    idle = fit("a*x + 0*k", x, 2 * x + np.sin(9 * x), start={"a": 1, "k": 1})
    assert not idle.converged
    assert idle.message.startswith("k has no effect")


def test_a_fit_that_cannot_settle_says_so():
    # A peak placed where there are no points changes nothing: no start can be judged from there.
    x = np.linspace(1, 2, 30)
    lost = fit("gaussian", x, np.exp(-((x - 1.5) ** 2) * 50), start={"center": 1e4, "height": 1, "fwhm": 0.1})
    assert not lost.converged
    assert lost.message.startswith("height, center, fwhm have no effect")


BAD = [
    ({"start": {"a": 1}, "hold": ["b"]}, "b is held, but at no value"),
    ({"bounds": {"b": (1, None)}, "hold": ["b"]}, "b is held at 0, outside its bounds"),
    ({"bounds": {"b": (0, 1)}, "ties": {"b": "2*a"}}, "b is tied, so its bounds cannot be kept"),
    ({"bounds": {"b": 3}}, "bounds of b must be two numbers"),
    ({"bounds": {"b": (math.nan, 1)}}, "A bound of b is not a number"),
    ({"start": {"a": 1, "b": 1, "bb": 1}}, "did you mean 'b'?"),
    ({"start": {"a": 1, "b": math.nan}}, "start of b is not a number"),
    ({"hold": ["a", "b"]}, "Every parameter is held"),
    ({"bounds": {"a": (2, 3)}}, "lies outside its bounds 2 to 3"),
    ({"bounds": {"a": (3, 2)}}, "are not in order"),
    ({"loss": "cubic"}, "There is no loss 'cubic'"),
    ({"u": np.zeros(9)}, "u must be above zero, but is 0 at point 1"),
    ({"y": np.full(9, np.nan)}, "y has no number at point 1"),
    ({"x": np.ones(4)}, "must be of equal length"),
    ({"x": [1.0], "y": [1.0]}, "2 free parameters cannot be found from 1 point"),
    ({"x": np.full(9, 2.5)}, "All points have the same x, 2.5"),
    ({"model": "polynomial-3", "start": None, "y": np.r_[np.nan, np.ones(8)]}, "y has no number at point 1"),
    ({"model": "polynomial-3", "start": None, "x": np.r_[np.nan, np.ones(8)]}, "x has no number at point 1"),
    ({"model": "2*x"}, "The formula has no parameter"),
    ({"model": "polynomial-99", "start": None}, "degrees from 1 to 30, not 99"),
    ({"model": "a*x + b", "scaled": False}, "no u is given"),
    ({"model": "a*x + b", "ties": {"b": "c"}}, "names 'c'"),
    ({"model": "a*log(-x) + b", "x": np.arange(1, 10)}, "no finite value at its start"),
    ({"model": "a*exp(b*x)", "start": {"a": 1, "b": 300}}, "no finite value at its start"),
]


@pytest.mark.parametrize(("change", "sentence"), BAD)
def test_bad_requests_get_a_sentence(change, sentence):
    call = {"model": "a*x + b", "x": np.arange(9.0), "y": np.arange(9.0), "start": {"a": 1, "b": 0}} | change
    with pytest.raises(cs.InputError, match=sentence.replace("?", r"\?")):
        fit(**call)
