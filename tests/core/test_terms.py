"""Every term of the library: its declaration, its exact Jacobian, its areas, its units; own terms; Shirley."""

from __future__ import annotations

import json

import numpy as np
import pytest
from scipy.integrate import quad

import curvesieve as cs
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import fit, fit_model
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.formula.inference import parameter_units
from curvesieve.core.models import PEAKS, TERMS, Model, OwnTerm, term_of, term_sum
from curvesieve.core.models.own import TERM_FILES
from curvesieve.core.readings import fit_readings

LENGTHS = ("radius", "shell", "length", "thickness", "rg", "rg1", "rg2", "rg3", "period")


def sensible(term) -> dict[str, float]:
    """Values inside the limits of each parameter, no two alike."""
    values = {}
    if term.group == "Scattering":  # sizes that the tests' x see
        starts = {p.name: 0.05 if p.name == "background" else p.start for p in term.parameters}
        return {name: 0.6 * value if name in LENGTHS else value for name, value in starts.items()}
    for i, p in enumerate(term.parameters):
        low, high = max(p.lower, -9.0), min(p.upper, 9.0)
        values[p.name] = float(np.clip(0.71 + 0.37 * i, low + 0.06 * (high - low), high - 0.3 * (high - low)))
    return values | ({"divergence": -1.0} if "divergence" in values else {})


@pytest.mark.parametrize("slug", list(TERMS))
def test_each_term_is_whole_and_its_jacobian_exact(slug):
    term = TERMS[slug]
    summed = term_sum(term)
    assert set(summed.names) <= {p.name for p in term.parameters}
    assert all(p.description for p in term.parameters)
    assert term.reference
    assert set(term.contains) <= set(TERMS)
    values = sensible(term)
    x = np.linspace(0.93, 3.9, 17)  # off the places where halves of split peaks meet
    p = np.array([values[name] for name in summed.names])
    value, jacobian = np.empty(x.size), np.empty((p.size, x.size))
    summed.both([x], p, value, jacobian)

    def at(q):
        return summed.value([x], q, np.empty(x.size))

    # Differences of eighth order: the exact slope to ten digits.
    weights = {1: 4 / 5, 2: -1 / 5, 3: 4 / 105, 4: -1 / 280}
    for i, column in enumerate(jacobian):
        h = 2e-3 * max(abs(p[i]), 0.5)
        e = h * np.eye(p.size)[i]
        slope = sum(w * (at(p + k * e) - at(p - k * e)) for k, w in weights.items()) / h
        atol = 1e-9 * np.abs(slope).max() + 1e-14 * np.abs(value).max() / h
        np.testing.assert_allclose(column, slope, rtol=1e-7, atol=atol)
    # The direct walk agrees with the compiled value.
    np.testing.assert_allclose(value, summed.evaluate(x, p.tolist()), rtol=1e-9)


@pytest.mark.parametrize("slug", PEAKS)
def test_areas_widths_and_cumulatives_against_quadrature(slug):
    term = TERMS[slug]
    values = {"center": 30.0, "height": 2.0, "area": 5.0, "fwhm": 3.0, "fwhm_left": 2.0, "fwhm_right": 5.0, "tail": 2.0}
    values |= {"fwhm_gauss": 2.0, "fwhm_lorentz": 1.5, "mixing": 0.4, "shape": 2.5, "asymmetry": 0.15, "spread": 0.2}
    own = {p.name: values[p.name] for p in term.parameters}

    def y(x):
        return float(evaluate(term.parsed, {"x": x, **own}))

    def integral(low, high):
        at = [p for p in (20.0, 28.0, 30.0, 32.0, 40.0) if low < p < high]
        return quad(y, low, high, points=at, limit=500)[0]

    low = 1e-6 if slug == "log-normal" else -4000
    for derived in term.derived:
        found = float(evaluate(parse(derived.formula, ()), {n: own[n] for n in parse(derived.formula, ()).parameters}))
        if derived.name == "area":  # of heavy tails, a thousandth lies beyond 4,000
            heavy = slug.endswith(("lorentzian", "voigt"))
            assert integral(low, 30) + integral(30, 4000) == pytest.approx(found, rel=2e-3 if heavy else 1e-5)
        if derived.name == "fwhm":
            from scipy.optimize import brentq

            half = [brentq(lambda x: y(x) - y(30.0) / 2, *pair) for pair in ((10, 30), (30, 60))]
            assert half[1] - half[0] == pytest.approx(found, rel=3e-4)
    if term.shape.cumulative:
        known = float(evaluate(parse(term.shape.cumulative), {"x": 31.0, **own}))
        heavy = 0 if slug == "gaussian" else own["height"] * own["fwhm"] ** 2 / 4 / 4030  # what lies before −4,000
        assert integral(-4000, 30) + integral(30, 31) == pytest.approx(known, abs=heavy + 1e-7)
    if slug == "exponentially-modified-gaussian":
        assert integral(-4000, 30) + integral(30, 4000) == pytest.approx(5.0, rel=1e-6)
        assert np.isfinite(evaluate(term.parsed, {"x": np.array([-1e4, 0, 1e4]), **own, "tail": 1e-3})).all()


def test_units_of_parameters_follow_from_the_formula():
    def of(text):
        found = parameter_units(parse(text), (True, True))
        return {n: None if v is None else tuple(float(p) for p in v) for n, v in found.powers.items()}, found.problems

    assert of("A*exp(-k*x)")[0] == {"A": (0, 1), "k": (-1, 0)}
    assert of("exp(-b1*x)/(b2 + b3*x)")[0] == {"b1": (-1, 0), "b2": (0, -1), "b3": (-1, -1)}
    assert of("a*b*x")[0] == {"a": None, "b": None}
    assert of("k = a*x^0.5\nc*sqrt(k)")[0]["c"] is None
    assert of("a*sqrt(x) + c") == ({"a": (-0.5, 1), "c": (0, 1)}, ())
    powers, problems = of("a*log(x) + k*x")
    assert powers == {"a": (0, 1), "k": (-1, 1)}
    assert [(place, said[:23]) for said, place in problems] == [(6, "log takes a plain numbe")]
    assert of("x + x^2")[1][0][1] == 2 - 2
    assert parameter_units(parse("a*log(x)"), (False, True)).problems == ()
    assert TERMS["second-order"].unit("rate") == (-1, -1)
    assert TERMS["gaussian"].unit("area") == (1, 1)
    assert term_of("polynomial-12").unit("a3") == (-3, 1)


def test_a_high_polynomial_keeps_its_digits():
    # Powers of x to the 12th over a short range: nearly dependent. NumPy's own orthogonal fit is the second opinion.
    x = np.linspace(1000, 1010, 200)
    y = np.sin(3 * (x - 1005)) + 0.01 * np.cos(50 * x)
    ours = fit("polynomial-12", x, y)
    theirs = np.polynomial.Legendre.fit(x, y, 12)
    assert ours.converged
    for n, value in enumerate(theirs.coef):
        assert ours.parameters[f"c{n}"].value == pytest.approx(value, rel=1e-9, abs=1e-12)
    t = np.linspace(-2, 3, 60)
    rng = np.random.default_rng(1)
    curve = cs.Curve(t, 1 - 2 * t + 0.5 * t**2 + rng.normal(0, 0.1, t.size), x_unit="s", y_unit="mm")
    model = Model().with_background("polynomial-2", curve)
    readings = {r.quantity: r for r in fit_readings(model, fit_model(model, curve), "s", "mm")}
    powers, spread = np.polyfit(t, curve.y, 2, cov=True)
    for k, name in ((2, "a0"), (1, "a1"), (0, "a2")):
        assert readings[name].value == pytest.approx(powers[k], rel=1e-9)
        assert readings[name].u == pytest.approx(np.sqrt(spread[k, k]), rel=1e-6)
    assert readings["a2"].unit == "mm·s^-2"


def test_shirley_rises_by_a_share_of_the_area_that_was_passed():
    x = np.linspace(0, 100, 501)
    peak = TERMS["gaussian"]
    cumulative = evaluate(parse(peak.shape.cumulative), {"x": x, "height": 40.0, "center": 50.0, "fwhm": 8.0})
    y = 5 + 0.02 * cumulative + evaluate(peak.parsed, {"x": x, "height": 40.0, "center": 50.0, "fwhm": 8.0})
    curve = cs.Curve(x, y + np.random.default_rng(2).normal(0, 0.2, x.size))
    model = Model().with_background("shirley", curve).add_peak("gaussian", curve, 50)
    found = fit_model(model, curve)
    assert found.converged
    assert found.parameters["scatter"].value == pytest.approx(0.02, abs=3 * found.parameters["scatter"].u)
    assert found.parameters["scatter"].u < 2e-4
    with pytest.raises(InputError, match="Shirley background follows"):
        model.add_peak("fano", curve, 20)


def test_own_terms_are_open_files(tmp_path):
    own = OwnTerm(
        name="Two site", formula="k = cap*b*t/(1 + b*t)\nk + slope*t", variable="t",
        parameters={"b": {"description": "affinity", "lower": 0.0, "start": 0.4}}, reference="our notebook",
    )  # fmt: skip
    path = TERM_FILES.save(own, own.name, tmp_path)
    assert json.loads(path.read_text())["formula"] == own.formula
    assert TERM_FILES.load(path) == own
    alike = own.model_copy(update={"name": "Two-site"})
    other = TERM_FILES.save(alike, alike.name, tmp_path)
    assert other != path, "names that only differ in a sign do not share a file"
    assert TERM_FILES.path(own.name, tmp_path) == path
    assert TERM_FILES.path(alike.name, tmp_path) == other
    assert {TERM_FILES.load(file).name for file in (path, other)} == {"Two site", "Two-site"}
    other.unlink()
    term = own.as_term()
    assert (term.parameter("b").lower, term.parameter("b").start) == (0.0, 0.4)
    assert term.unit("slope") == (-1, 1)
    x = np.linspace(0.1, 9, 60)
    curve = cs.Curve(x, 3 * 0.8 * x / (1 + 0.8 * x) + 0.2 * x)
    found = fit_model(Model().with_background("own", curve, own), curve)
    assert found.parameters["b"].value == pytest.approx(0.8, rel=1e-6)
    bad = {
        "no-json": ("{", "is no JSON file"),
        "hostile": ('{"term": 1, "formula": "().__class__"}', "formula"),
        "stray": ('{"term": 1, "formula": "a*x", "parameters": {"b": {}}}', "no parameter b"),
        "newer": ('{"term": 2, "formula": "a*x"}', "term"),
        "peak": ('{"term": 1, "formula": "a*x", "kind": "peak"}', "center, height and fwhm"),
        "limits": ('{"term": 1, "formula": "a*x", "parameters": {"a": {"lower": 2, "upper": 1}}}', "not in order"),
    }
    for name, (content, _) in bad.items():
        (tmp_path / f"{name}.term.json").write_text(content)
    found, problems = TERM_FILES.load_all(tmp_path)
    assert list(found) == ["Two site"]
    for said, sentence in zip(sorted(problems), [bad[name][1] for name in sorted(bad)], strict=True):
        assert sentence in said
