"""What follows from a fit's parameters: coefficients of polynomials, areas, quantities made of them, their copies."""

from __future__ import annotations

import re

import numpy as np
import pytest
from scipy import stats

import curvesieve as cs
from curvesieve.core.fitting.following import shown
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study import Study, edits
from curvesieve.core.study.answers import answer, correlations, interval_lines, intervals
from curvesieve.core.study.copies import copied
from curvesieve.core.study.fits import derived_changed, fit_curve
from curvesieve.core.study.passing import sieved_curve

X = np.linspace(20, 30, 80)
CUBIC = 2 + 0.5 * X - 0.03 * X**2 + 0.001 * X**3 + np.random.default_rng(1).normal(0, 1e-3, X.size)


def gauss(height: float, at: float) -> np.ndarray:
    return height * np.exp(-4 * np.log(2) * ((X - at) / 1.5) ** 2)


def fitted(y: np.ndarray, background: str, *peaks: float) -> tuple[Study, str]:
    record = Record(Source("one.csv", b"one"), (Channel("Time", "s", X), Channel("Force", "N", y)))
    study = edits.add_curves(Study(), [(record, Take(0, 1))], "forces", labels=["one"])
    one = study.document.curves[0].id
    curve = sieved_curve(study, one).curve
    model = Model().with_background(background, curve)
    for at in peaks:
        model = model.add_peak("gaussian", curve, at)
    study = edits.set_model(one, model)(study)
    return edits.set_fit(one, fit_curve(study, one))(study), one


def rows_of(study: Study, one: str) -> dict[str, list[str]]:
    return {row.split("\t")[0]: row.split("\t")[1:] for row in copied(study, one, "table").splitlines()}


def test_a_polynomial_is_told_in_powers_of_x_everywhere():
    study, one = fitted(CUBIC, "polynomial-3")
    wanted, covariance = np.polyfit(X, CUBIC, 3, cov=True)  # scaled by the scatter, as ours
    wanted, covariance = wanted[::-1], covariance[::-1, ::-1]
    u = np.sqrt(np.diag(covariance))
    rows = rows_of(study, one)
    assert not {"c0", "c1", "c2", "c3"} & set(rows), "the inner basis stays inside"
    for k in range(4):
        value, spread, unit, _ = rows[f"a{k}"]
        assert float(value) == pytest.approx(wanted[k], rel=1e-6)
        assert float(spread) == pytest.approx(u[k], rel=1e-6)
        assert unit == ("N", "N s-1", "N s-2", "N s-3")[k]
    text = copied(study, one, "text")
    assert "c2 =" not in text
    line = next(line for line in text.splitlines() if line.startswith("y = "))
    drawn = eval(line[4:].replace("^", "**"), {"x": X})  # our own text, made above
    np.testing.assert_allclose(drawn, np.polyval(wanted[::-1], X), rtol=1e-9)
    written = copied(study, one, "latex")
    assert all(rf"a_{{\mathrm{{{k}}}}}" in written for k in range(4))
    assert "c_" not in written
    assert {r.quantity for r in study.readings(one)} == {"a0", "a1", "a2", "a3"}
    names, matrix = correlations(study, one)
    assert names == ("a0", "a1", "a2", "a3")
    np.testing.assert_allclose(matrix, covariance / np.outer(u, u), atol=1e-6)


def test_intervals_of_coefficients_are_those_of_a_linear_model():
    study, one = fitted(CUBIC, "polynomial-3")
    wanted, covariance = np.polyfit(X, CUBIC, 3, cov=True)
    u = np.sqrt(np.diag(covariance))[::-1]
    t = stats.t.ppf(0.975, X.size - 4)
    found = intervals(study, one, "profile")
    assert [one_.name for one_ in found] == ["a0", "a1", "a2", "a3"]
    for k, one_ in enumerate(found):
        at = wanted[::-1][k]
        assert (one_.low, one_.high) == pytest.approx((at - t * u[k], at + t * u[k]), rel=1e-5)
    said = interval_lines(study, one, "profile")
    assert said[1].text.endswith(" N s⁻¹, 95 % by profile") or said[1].text.endswith(" N·s⁻¹, 95 % by profile")
    assert float(said[1].whole.split()[1]) == found[1].low
    drawn = {one_.name: one_ for one_ in intervals(study, one, "bootstrap")}
    assert list(drawn) == ["a0", "a1", "a2", "a3"]
    assert drawn["a2"].high - drawn["a2"].low == pytest.approx(2 * 1.96 * u[2], rel=0.15)


def test_coefficients_beside_peaks_against_the_sum_typed_out():
    y = gauss(5, 23) + gauss(2, 27) + 2 - 0.3 * X + 0.02 * X**2 + np.random.default_rng(4).normal(0, 0.02, X.size)
    study, one = fitted(y, "polynomial-2", 23.0, 27.0)
    entry = study.entry(one)
    typed = cs.fit(
        "h1*exp(-4*log(2)*((x-m1)/w1)^2) + h2*exp(-4*log(2)*((x-m2)/w2)^2) + a0 + a1*x + a2*x^2", X, y,
        start={"h1": 5, "m1": 23, "w1": 1.5, "h2": 2, "m2": 27, "w2": 1.5, "a0": 2, "a1": -0.3, "a2": 0.02},
    )  # fmt: skip
    rows = rows_of(study, one)
    for name in ("a0", "a1", "a2"):
        assert float(rows[name][0]) == pytest.approx(typed.parameters[name].value, rel=1e-5)
        assert float(rows[name][1]) == pytest.approx(typed.parameters[name].u, rel=1e-4)
    assert next(s for s in copied(study, one, "text").splitlines() if s.startswith("background = "))
    fit = study.fit(entry.id)
    found = shown(study.model(entry.id), fit.result)
    ours = {q.name: fit.result.u_along(q.slopes) for q in found}
    for mine, theirs in (("height_1", "h1"), ("center_2", "m2"), ("a1", "a1")):
        assert ours[mine] == pytest.approx(typed.parameters[theirs].u, rel=1e-4)
    # A background under peaks is not read off, and the profile asks for the peaks only.
    assert {r.quantity for r in study.readings(one)} == {"center", "height", "fwhm", "area"}
    assert {i.name for i in intervals(study, one, "profile")} == {
        f"{name}_{n}" for name in ("center", "height", "fwhm") for n in (1, 2)
    }


def test_a_quantity_may_be_made_of_what_follows():
    y = gauss(5, 23) + gauss(2, 27) + 1 + np.random.default_rng(4).normal(0, 0.02, X.size)
    study, one = fitted(y, "constant", 23.0, 27.0)
    lines, kept = answer(study, one, "formula", "share = area_2/area_1")
    study = derived_changed(study, one, kept)
    share = next(r for r in study.readings(one) if r.quantity == "share")
    (by_hand,), _ = answer(study, one, "formula", "height_2*fwhm_2/(height_1*fwhm_1)")
    number, u = (float(word) for word in re.findall(r"[\d.]+(?:e-?\d+)?", by_hand.whole.partition(":")[2]))
    assert (share.value, share.u) == pytest.approx((number, u), rel=1e-9)
    assert share.unit == ""
    assert lines[0].text.startswith("share = area_2/area_1: ")
    with pytest.raises(cs.InputError, match="is a parameter of the model"):
        answer(study, one, "formula", "area_2 = 3*height_1")
    with pytest.raises(cs.InputError, match="no parameter 'area_3'"):
        derived_changed(study, one, (("wrong", "area_3/2"),))
    # The quantity stays with the model while its peak does.
    assert study.model(one).without(2).whole().derived == ()
    vertex, at = fitted(3 - 0.8 * (X - 26) ** 2 + np.random.default_rng(2).normal(0, 0.3, X.size), "polynomial-2")
    (line,), _ = answer(vertex, at, "formula", "-a1/(2*a2)")
    (top,), _ = answer(vertex, at, "extremum", "")
    assert line.text.endswith(" s")
    assert line.text.split(": ")[1] == top.text.split(" = ")[1].partition(",")[0]


def test_a_term_fitted_by_its_name_gives_what_follows():
    found = cs.fit("polynomial-2", X, CUBIC)
    wanted = np.polyfit(X, CUBIC, 2)[::-1]
    assert [found.follows[f"a{k}"].value for k in range(3)] == pytest.approx(wanted.tolist(), rel=1e-7)
    area = cs.fit("gaussian", X, gauss(5, 25)).follows["area"]
    assert area.value == pytest.approx(5 * 1.5 * np.sqrt(np.pi / (4 * np.log(2))), rel=1e-9)
    assert cs.fit("a + b*x", X, CUBIC).follows == {}


@pytest.mark.parametrize("scale", [1e-12, 1e-6, 1.0, 1e6, 1e12])
def test_coefficients_hold_at_any_scale_of_y(scale):
    found = cs.fit("polynomial-3", X, CUBIC * scale)
    wanted, covariance = np.polyfit(X, CUBIC * scale, 3, cov=True)
    for k in range(4):
        assert found.follows[f"a{k}"].value == pytest.approx(wanted[3 - k], rel=1e-6)
        assert found.follows[f"a{k}"].u == pytest.approx(np.sqrt(covariance[3 - k, 3 - k]), rel=1e-6)


@pytest.mark.parametrize("degree", [1, 3, 9, 20, 30])
@pytest.mark.parametrize("scale", [1e-12, 1e-6, 1.0, 1e12])
def test_a_polynomial_of_any_degree_is_fitted_at_any_scale_of_x(degree, scale):
    """Where the coefficients of powers lie beyond all floats, the weights of the basis are told, and nothing raises."""
    slug = f"polynomial-{degree}" if degree > 1 else "line"
    t = np.linspace(0.5, 1.5, 80)
    y = np.sin(4 * t)
    found = cs.fit(slug, t * scale, y)
    wanted = np.polynomial.Polynomial.fit(t, y, degree)
    assert found.statistics.rmse == pytest.approx(np.sqrt(np.mean((wanted(t) - y) ** 2)), rel=1e-3, abs=1e-13)
    told = list(found.follows.values())
    assert all(np.isfinite(q.value) and np.isfinite(q.u) for q in told)
    assert bool(told) == (degree > 1 and not (degree == 30 and scale == 1e-12))
    if told and degree < 10:
        drawn = sum(q.value * (t * scale) ** k for k, q in enumerate(told))
        np.testing.assert_allclose(drawn, wanted(t), rtol=1e-6, atol=1e-7)
