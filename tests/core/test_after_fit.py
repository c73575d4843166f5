"""What follows a fit: ties and weights, predictions, profiles, bootstrap, comparisons, straight axes, copies."""

from __future__ import annotations

import math
import subprocess
import sys

import numpy as np
import pytest
from scipy import stats

import curvesieve as cs
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import fit, fit_model, search_model
from curvesieve.core.fitting.compare import Candidate, candidate_of, compare, is_nested, usual_candidates
from curvesieve.core.fitting.fits import stated
from curvesieve.core.fitting.prediction import fitted
from curvesieve.core.fitting.problem import state_problem
from curvesieve.core.fitting.profile import bootstrap, profile_intervals
from curvesieve.core.fitting.request import Request
from curvesieve.core.fitting.residuals import histogram, residual_check
from curvesieve.core.fitting.straighten import STRAIGHTENINGS, own_axes, straighten
from curvesieve.core.fitting.writing import as_latex, as_script, as_table, as_text
from curvesieve.core.models import Model, OwnTerm, formula_sum
from curvesieve.core.reading import plus_minus
from curvesieve.core.readings import fit_readings
from tests.core.strd import certified

# JCGM 100:2008, example H.3, table H.6: readings t of a thermometer and corrections b, both in °C. The values are from
# memory; they are confirmed by the printed results, all of which they give.
H3_T = np.array([21.521, 22.012, 22.512, 23.003, 23.507, 23.999, 24.513, 25.002, 25.503, 26.010, 26.511])
H3_B = np.array([-0.171, -0.169, -0.166, -0.159, -0.164, -0.165, -0.156, -0.157, -0.159, -0.161, -0.160])


def problem_of(text, x, y, start, u=None, **more):
    model = formula_sum(text)
    result = fit(text, x, y, u, start=start, **more)
    return state_problem(model, x, y, u, Request(start)), result


def test_gum_h3_to_all_printed_digits():
    problem, result = problem_of("y1 + y2*(x - 20)", H3_T, H3_B, {"y1": 0.0, "y2": 0.0})
    y1, y2 = result.parameters["y1"], result.parameters["y2"]
    assert round(y1.value, 4) == -0.1712
    assert round(y1.u, 4) == 0.0029
    assert round(y2.value, 5) == 0.00218
    assert round(y2.u, 5) == 0.00067
    assert round(result.correlation()[0, 1], 3) == -0.930
    assert round(result.statistics.residual_sd, 4) == 0.0035
    at_30 = fitted(problem, result).at_x(30.0)
    assert round(at_30.y, 4) == -0.1494
    assert round(at_30.u_y, 4) == 0.0041
    assert plus_minus(y1.value, y1.u) == "-0.171 ± 0.003"


def test_ties_holds_and_weights_act_as_they_say():
    x = np.linspace(0, 60, 400)
    rng = np.random.default_rng(4)

    def bell(center, height, fwhm):
        return height * np.exp(-4 * np.log(2) * ((x - center) / fwhm) ** 2)

    y = bell(20, 90, 6) + bell(40, 45, 6) + 10
    counts = rng.poisson(y).astype(float)
    curve = cs.Curve(x, counts, y_unit="counts")
    model = Model(weights="counts", scaled=False).with_background("constant", curve)
    model = model.add_peak("gaussian", curve, 20).add_peak("gaussian", curve, 40)
    tied = model.replaced(
        model.term_numbered(2).with_state("fwhm", tie="fwhm_1").with_state("height", tie="height_1/2")
    )
    result = fit_model(tied, curve)
    p = result.parameters
    assert p["fwhm_2"].value == p["fwhm_1"].value
    assert p["fwhm_2"].u == pytest.approx(p["fwhm_1"].u)
    assert p["height_2"].u == pytest.approx(p["height_1"].u / 2)
    assert p["fwhm_2"].tied
    assert not p["fwhm_2"].held
    assert abs(p["fwhm_1"].value - 6) < 3 * p["fwhm_1"].u
    assert 0.7 < result.statistics.reduced_chi2 < 1.3
    # The same problem written out by hand, as a second way to the same numbers and uncertainties.
    text = "o + h*exp(-4*log(2)*((x - a)/w)^2) + h/2*exp(-4*log(2)*((x - b)/w)^2)"
    by_hand = fit(text, x, counts, start={"o": 9, "h": 80, "a": 21, "b": 39, "w": 5}, weights="counts", scaled=False)
    assert p["fwhm_1"].value == pytest.approx(by_hand.parameters["w"].value, rel=1e-7)
    assert p["fwhm_1"].u == pytest.approx(by_hand.parameters["w"].u, rel=1e-5)
    by_name = fit(
        "o + h*x + k*x^2", x, counts, start={"o": 1, "h": 1, "k": 1}, ties={"k": "h/100 + o*0"}, loss="huber"
    )  # fmt: skip
    assert by_name.parameters["k"].value == by_name.parameters["h"].value / 100
    for ties, sentence in (
        ({"k": "q"}, "names 'q'"), ({"k": "k + 1"}, "tied to itself"), ({"k": "h", "h": "k"}, "in a circle"),
        ({"k": "h +"}, "cannot be read"), ({"z": "h"}, "ties names 'z'"),
        ({"o": "1", "h": "2", "k": "3"}, "Every parameter is held"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=sentence):
            fit("o + h*x + k*x^2", x, counts, start={"o": 1, "h": 1, "k": 1}, ties=ties)
    # A tie goes when the peak that it names is taken out.
    rest = tied.model_copy(update={"derived": (("ratio", "height_1/height_2"),)}).without(1).whole()
    assert (rest.ties, rest.derived) == ({}, ())
    # An area that is tied is a height that is tied.
    areas = {r.quantity + str(r.part): r.value for r in fit_readings(tied, result, "", "counts")}
    assert areas["area2"] == pytest.approx(areas["area1"] / 2)
    proportional = fit("a*x + b", x + 1, 3 * (x + 1), start={"a": 1, "b": 0}, weights="proportional")
    assert proportional.parameters["a"].value == pytest.approx(3)
    with pytest.raises(InputError, match="Counts cannot be below zero"):
        fit("a*x + b", x, y - 50, start={"a": 1, "b": 0}, weights="counts")
    with pytest.raises(InputError, match="no proportional weight"):
        fit("a*x + b", x, x, start={"a": 1, "b": 0}, weights="proportional")
    with pytest.raises(InputError, match="no weights 'cubes'"):
        fit("a*x + b", x, x, start={"a": 1, "b": 0}, weights="cubes")


def test_limits_of_a_law_are_kept_where_a_fit_would_leave_them():
    x = np.linspace(0, 10, 50)
    curve = cs.Curve(x, 5 * np.exp(0.05 * x))
    rising = fit_model(Model().with_background("exponential", curve), curve)  # has no decay: tau would be negative
    assert rising.parameters["tau"].value >= 0
    model = Model().with_background("power-law", cs.Curve(x, 3 * x**0.5))
    zero = fit_model(model, cs.Curve(x, 3 * x**0.5))  # x^n·ln x at x = 0 must not become NaN
    assert zero.converged
    assert zero.parameters["exponent"].value == pytest.approx(0.5, rel=1e-9)
    limited = model.replaced(model.background.with_state("exponent", upper=0.3, start=0.2))
    at_wall = fit_model(limited, cs.Curve(x, 3 * x**0.5))
    assert at_wall.parameters["exponent"].value == pytest.approx(0.3)
    assert any(said.startswith("exponent ended on its bound") for said in at_wall.warnings)
    assert at_wall.parameters["exponent"].value == 0.3


def test_predictions_against_closed_forms():
    x = np.linspace(0, 4, 81)
    rng = np.random.default_rng(7)
    y = 2 + 3 * x - x**2 + rng.normal(0, 0.05, x.size)
    problem, result = problem_of("a + b*x + c*x^2", x, y, {"a": 0, "b": 0, "c": 0})
    on = fitted(problem, result)
    p, c = result.values, np.array(result.covariance)
    top = on.extrema()
    assert [f.what for f in top] == ["maximum"]
    assert top[0].x == pytest.approx(-p["b"] / (2 * p["c"]), rel=1e-9)
    g = np.array([0, -1 / (2 * p["c"]), p["b"] / (2 * p["c"] ** 2)])
    assert top[0].u_x == pytest.approx(math.sqrt(g @ c @ g), rel=1e-4)
    area, u = on.integral(0, 4)
    assert area == pytest.approx(4 * p["a"] + 8 * p["b"] + 64 / 3 * p["c"], rel=1e-12)
    g = np.array([4, 8, 64 / 3])
    assert u == pytest.approx(math.sqrt(g @ c @ g), rel=1e-9)
    roots = on.at_y(0.0)
    assert [f.x for f in roots] == pytest.approx([x for x in np.roots([p["c"], p["b"], p["a"]]) if 0 < x < 4], rel=1e-9)
    both = on.at_y(3.5, u_y=0.1)
    assert len(both) == 2
    assert both[0].u_x > 0.1 / abs(on.slope(np.array([both[0].x]))[0]) * 0.999
    with pytest.raises(InputError, match="does not reach y = 9"):
        on.at_y(9.0)
    # The textbook band of a polynomial: t·s·√(x₀ᵀ(XᵀX)⁻¹x₀ [+ 1]).
    at = np.array([0.5, 3.3])
    band = on.band(at)
    rows = np.stack([np.ones(x.size), x, x**2])
    inverse = np.linalg.inv(rows @ rows.T)
    t = stats.t.ppf(0.975, x.size - 3)
    for i, x0 in enumerate(at):
        v = np.array([1, x0, x0**2]) @ inverse @ np.array([1, x0, x0**2])
        assert band.confidence[i] == pytest.approx(t * result.statistics.residual_sd * math.sqrt(v), rel=1e-8)
        assert band.prediction[i] == pytest.approx(t * result.statistics.residual_sd * math.sqrt(1 + v), rel=1e-8)


def test_profile_intervals_agree_with_lmfit_and_are_exact_for_a_line():
    import lmfit

    line_problem, line = problem_of("a + b*x", H3_T, H3_B, {"a": 0.0, "b": 0.0})
    k = stats.t.ppf(0.975, line.statistics.dof)
    for interval in profile_intervals(line_problem, line):
        p = line.parameters[interval.name]
        assert interval.low == pytest.approx(p.value - k * p.u, rel=1e-6)
        assert interval.high == pytest.approx(p.value + k * p.u, rel=1e-6)
    known = certified("Misra1a")
    record = cs.read(known.path)
    x, y = record["x"].values, record["y"].values
    problem, result = problem_of("b1*(1 - exp(-b2*x))", x, y, known.starts[1])

    def residual(p):
        return p["b1"] * (1 - np.exp(-p["b2"] * x)) - y

    params = lmfit.Parameters()
    for name, value in known.value.items():
        params.add(name, value)
    minimizer = lmfit.Minimizer(residual, params)
    theirs = lmfit.conf_interval(minimizer, minimizer.minimize(), sigmas=[0.95])
    for interval in profile_intervals(problem, result):
        low, _, high = (value for _, value in theirs[interval.name])
        assert interval.low == pytest.approx(low, rel=1e-4)
        assert interval.high == pytest.approx(high, rel=1e-4)
        assert interval.low < result.parameters[interval.name].value < interval.high
    # A plateau that the data do not reach is open on one side.
    flat_x = np.linspace(0, 1, 12)
    flat_y = 2 * flat_x - 0.3 * flat_x**2 + np.random.default_rng(4).normal(0, 0.05, 12)
    problem, result = problem_of("b1*(1 - exp(-b2*x))", flat_x, flat_y, {"b1": 5, "b2": 0.4})
    assert any(math.isinf(i.high) or math.isinf(i.low) for i in profile_intervals(problem, result))


def test_bootstrap_agrees_with_theory_on_a_line():
    rng = np.random.default_rng(0)
    x = np.linspace(0, 10, 200)
    u = rng.uniform(0.2, 0.6, x.size)
    y = 1 + 2 * x + rng.normal(0, u)
    problem, result = problem_of("a + b*x", x, y, {"a": 0, "b": 0}, u)
    made = bootstrap(problem, result)
    assert made.failed == 0
    for name, sd in made.sd.items():
        assert sd == pytest.approx(result.parameters[name].u, rel=0.12)  # 400 draws: 3.5 % is one sigma
    again = bootstrap(problem, result)
    np.testing.assert_array_equal(made.samples, again.samples)
    with pytest.raises(InputError, match="needs the squared loss"):
        profile_intervals(state_problem(problem.model, x, y, u, Request({"a": 0, "b": 0}, loss="huber")), result)


def test_runs_and_histogram():
    x = np.arange(60.0)
    random = residual_check(x, np.random.default_rng(3).normal(size=60))
    assert random.p > 0.05
    assert "look like noise" in random.sentence
    assert "trend that the model misses" in residual_check(x, np.sin(x / 10)).sentence
    assert "swing too often" in residual_check(x, np.cos(np.pi * x)).sentence
    # By hand: + + − − + + has 3 runs, of 4 up and 2 down; 1 + 2·4·2/6 are expected.
    assert math.isnan(residual_check(x[:6], np.array([1, 1, -1, -1, 1, 1.0])).p)
    eight = residual_check(x[:8], np.array([1, 1, -1, -1, 1, 1, 1, -1.0]))
    assert (eight.runs, eight.expected) == (4, 1 + 2 * 5 * 3 / 8)
    counts, edges, normal = histogram(np.random.default_rng(3).normal(size=5000))
    assert counts.sum() == 5000
    assert np.abs(counts - normal).max() < 4.5 * math.sqrt(normal.max())
    assert edges.size == counts.size + 1


def test_models_compared_by_f_test_and_aicc():
    rng = np.random.default_rng(11)
    x = np.linspace(0, 10, 60)
    y = 4 + 3 * np.exp(-x / 0.8) + 5 * np.exp(-x / 6) + rng.normal(0, 0.02, x.size)
    curve = cs.Curve(x, y, x_unit="s", y_unit="MPa")
    rows = compare([candidate_of(slug, Model(), curve) for slug in ("exponential", "two-exponentials", "line")], curve)
    assert [row.problem for row in rows] == ["", "", ""]
    one, two, line = (row.result.statistics for row in rows)
    f = (one.rss - two.rss) / 2 / (two.rss / two.dof)
    assert rows[1].against == "Exponential decay"
    assert rows[1].f == pytest.approx(f)
    assert rows[1].p == pytest.approx(stats.f.sf(f, 2, two.dof))
    assert rows[1].p < 1e-10
    scores = np.array([one.aicc, two.aicc, line.aicc])
    weights = np.exp(-(scores - scores.min()) / 2)
    np.testing.assert_allclose([row.weight for row in rows], weights / weights.sum())
    assert line.aicc == pytest.approx(
        60 * math.log(line.rss / 60) + 2 * 3 + 2 * 3 * 4 / (60 - 3 - 1)
    )  # k = 3: two parameters and the noise
    fits = {c.label: c for c in usual_candidates(Model().with_background("exponential", curve), curve)}
    assert {"the model in hand", "Two exponential decays", "Quadratic"} <= set(fits)
    quadratic = compare([candidate_of(s, Model(), curve) for s in ("line", "polynomial-2", "polynomial-3")], curve)
    assert [row.against for row in quadratic] == ["", "Straight line", "Quadratic"]
    assert quadratic[1].result.statistics.rss == pytest.approx(np.polyfit(x, y, 2, full=True)[1][0], rel=1e-9)
    assert is_nested(fits["the model in hand"].model, fits["Two exponential decays"].model)
    own = Model().with_background("own", curve, OwnTerm(formula="a*x"))
    assert not is_nested(own, fits["Two exponential decays"].model)
    impossible = compare([Candidate("too rich", own.model_copy(update={"high": -5.0})), fits["Quadratic"]], curve)
    assert "No point lies" in impossible[0].problem
    with pytest.raises(InputError, match="at least two"):
        compare([], curve)


def test_straight_axes_carry_back_to_the_law():
    x = np.linspace(0.5, 9, 40)
    for slug, y in (
        ("exponential", 7 * np.exp(-0.4 * x)), ("power", 3 * x**-1.7), ("arrhenius", 8 * np.exp(-2.5 / x)),
        ("hyperbola", 1 + 2 / x), ("saturation", 5 * x / (1.3 + x)), ("second-order", 4 / (1 + 4 * 0.3 * x)),
        ("root", (1.2 + 0.7 / np.sqrt(x)) ** 2), ("square-root", 2 + 0.9 * np.sqrt(x)),
    ):  # fmt: skip
        found = straighten(cs.Curve(x, y), STRAIGHTENINGS[slug])
        np.testing.assert_allclose(np.diff(found.v) / np.diff(found.u), found.line.values["slope"], rtol=1e-8)
        for carried in found.parameters:
            assert carried.straight == pytest.approx(carried.direct, rel=1e-7), (slug, carried.name)
    # With noise: the line is that of scipy.stats.linregress, and the direct fit is scipy's curve_fit.
    from scipy.optimize import curve_fit

    y = 7 * np.exp(-0.4 * x) + np.random.default_rng(5).normal(0, 0.08, x.size)
    good = y > 0
    found = straighten(cs.Curve(x, y), STRAIGHTENINGS["exponential"])
    assert found.left_out == int((~good).sum())
    line = stats.linregress(x[good], np.log(y[good]))
    amplitude, rate = found.parameters
    assert rate.straight == pytest.approx(-line.slope, rel=1e-9)
    assert rate.straight_u == pytest.approx(line.stderr, rel=1e-7)
    assert amplitude.straight_u == pytest.approx(math.exp(line.intercept) * line.intercept_stderr, rel=1e-7)
    p, c = curve_fit(lambda x, a, k: a * np.exp(-k * x), x[good], y[good], p0=(7, 0.4), xtol=1e-13, ftol=1e-13)
    assert rate.direct == pytest.approx(p[1], rel=1e-6)
    assert rate.direct_u == pytest.approx(math.sqrt(c[1, 1]), rel=1e-3)
    assert "weigh all points alike after the transformation" in found.sentence
    # Axes of one's own go through the inverse of v; for ln y that must be the same direct fit.
    own = straighten(cs.Curve(x[good], y[good]), own_axes("x", "log(y)"))
    assert own.parameters[1].direct == pytest.approx(-p[1], rel=1e-6)
    with pytest.raises(InputError, match="may name y only"):
        own_axes("x", "a*y")
    with pytest.raises(InputError, match="has a value at 0 points only"):
        straighten(cs.Curve(x, -y - 9), STRAIGHTENINGS["exponential"])


def test_copies_hold_the_numbers_and_the_script_repeats_the_fit(tmp_path):
    rng = np.random.default_rng(8)
    x = np.linspace(0, 40, 120)
    y = 30 * np.exp(-4 * np.log(2) * ((x - 12) / 4) ** 2) + 18 / (1 + 4 * ((x - 27) / 5) ** 2) + 4 + 0.1 * x
    curve = cs.Curve(x, y + rng.normal(0, 0.2, x.size), np.full(x.size, 0.2), x_unit="cm-1", y_unit="counts")
    model = Model().with_background("line", curve).add_peak("voigt", curve, 12).add_peak("lorentzian", curve, 27)
    model = model.replaced(model.term_numbered(1).with_state("fwhm_lorentz", start=0.05, hold=True))
    model = model.replaced(model.term_numbered(2).with_state("fwhm", tie="fwhm_gauss_1*1.2"))
    result = fit_model(model, curve)
    problem, _ = stated(model, curve)
    unit = {
        p.full_name(q.name): p.term.unit_text(q.name, "cm-1", "counts") for p in model.terms for q in p.term.parameters
    }
    table = dict(row.split("\t")[:2] for row in as_table(result, unit).splitlines())
    assert float(table["center_2"]) == result.parameters["center_2"].value
    center = result.parameters["center_2"]
    assert f"center_2 = {plus_minus(center.value, center.u)} cm⁻¹" in as_text(result, unit)
    assert "(tied)" in as_text(result, unit)
    written = as_latex([piece.formula for piece in model.sum.pieces], result, unit)
    assert r"\begin{tabular}" in written
    assert r"$\mathrm{cm}^{-1}$" in written
    for wanted, start in ((problem, result), (None, None)):
        if wanted is None:  # a formula of one's own with a let line, robust
            text, data = "k = a*x\nb*exp(-k) + min(c, x)", {"a": 0.3, "b": 2.0, "c": 1.0}
            t = np.linspace(0, 9, 50)
            noisy = 2 * np.exp(-0.3 * t) + np.minimum(1, t) + rng.normal(0, 0.02, 50)
            start = fit(text, t, noisy, start=data, loss="soft_l1")
            wanted = state_problem(formula_sum(text), t, noisy, None, Request(data, loss="soft_l1"))
        script = tmp_path / "again.py"
        script.write_text(as_script(wanted, start), encoding="utf-8")
        run = subprocess.run([sys.executable, str(script)], capture_output=True, text=True, check=True)
        rows = {line.split()[0]: line.split()[1:] for line in run.stdout.splitlines()}
        for name, p in start.parameters.items():
            assert float(rows[name][0]) == pytest.approx(p.value, rel=1e-5), name
            if p.u is not None and not p.tied and start.loss == "squared":
                assert float(rows[name][1]) == pytest.approx(p.u, rel=1e-3), name


def test_derived_quantities_by_formula():
    x = np.linspace(0, 10, 60)
    y = 3 * np.exp(-0.5 * x) + 1 + np.random.default_rng(2).normal(0, 0.01, x.size)
    curve = cs.Curve(x, y, x_unit="s", y_unit="MPa")
    own = OwnTerm(formula="A*exp(-k*x) + c")
    model = Model(derived=(("half_life", "log(2)/k"), ("ratio", "A/c"))).with_background("own", curve, own)
    model = model.starting_at(search_model(model, curve))
    result = fit_model(model, curve)
    readings = {r.quantity: r for r in fit_readings(model, result, "s", "MPa")}
    k = result.parameters["k"]
    assert readings["half_life"].value == pytest.approx(math.log(2) / k.value)
    assert readings["half_life"].u == pytest.approx(math.log(2) / k.value**2 * k.u)
    assert (readings["half_life"].unit, readings["ratio"].unit, readings["k"].unit) == ("s", "", "s^-1")
    with pytest.raises(InputError, match=r"no parameter 'kk'.*did you mean 'k'"):
        fit_readings(model.model_copy(update={"derived": (("bad", "1/kk"),)}), result, "s", "MPa")


@pytest.mark.parametrize(
    ("slug", "law", "names"),
    [
        ("exponential", "a*exp(-b*x)", "ab"), ("saturation", "L*x/(h + x)", "Lh"), ("power", "c*x^n", "cn"),
        ("square-root", "p + q*sqrt(x)", "pq"),
    ],
)  # fmt: skip
def test_a_law_on_axes_of_ones_own_gets_its_own_parameters(slug, law, names):
    """Typed by hand it says what the ready-made axes say, whose parameters are solved for on paper."""
    rng = np.random.default_rng(4)
    x = np.linspace(1, 20, 60)
    y = 3 * x / (2.2 + x) + rng.normal(0, 0.01, 60)
    way = STRAIGHTENINGS[slug]
    ready = straighten(cs.Curve(x, y), way).parameters
    own = straighten(cs.Curve(x, y), own_axes(way.u, way.v, law)).parameters
    assert [one.name for one in own] == sorted(names)
    for mine, theirs in zip(own, sorted(ready, key=lambda one: [r.name for r in ready].index(one.name)), strict=True):
        assert mine.straight == pytest.approx(theirs.straight, rel=1e-6)
        assert mine.straight_u == pytest.approx(theirs.straight_u, rel=1e-5)
        assert mine.direct == pytest.approx(theirs.direct, rel=1e-5)


def test_a_law_that_is_no_line_on_the_axes_is_said():
    x = np.linspace(1, 20, 60)
    curve = cs.Curve(x, np.exp(-x / 5))
    made = straighten(curve, own_axes("x^2", "log(y)", "a*exp(-b*x)"))
    assert made.parameters == ()
    assert made.sentence.startswith("On these axes this law is no straight line")
    with pytest.raises(cs.InputError, match="two parameters at most; this law has a, b, c"):
        own_axes("x", "y", "a + b*x + c*x^2")
    with pytest.raises(cs.InputError, match="this law has none"):
        own_axes("x", "y", "3*x")
