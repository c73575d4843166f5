"""What a fit says, worked out a second time by plain formulas and by drawing data again."""

from __future__ import annotations

import contextlib
import io
import itertools
import math

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.fitting.bounded import Rule
from curvesieve.core.fitting.compare import Candidate, compare
from curvesieve.core.fitting.prediction import fitted
from curvesieve.core.fitting.problem import state_problem
from curvesieve.core.fitting.request import Request
from curvesieve.core.fitting.residuals import histogram, residual_check
from curvesieve.core.fitting.writing import as_script
from curvesieve.core.models import Model, formula_sum, term_of
from curvesieve.core.models.starts import Data

X = np.linspace(0, 10, 60)
LOSSES = ("squared", "huber", "soft_l1", "cauchy", "absolute")


# -- losses ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("loss", "rho"),
    [
        ("huber", lambda z: np.where(z <= 1, z, 2 * np.sqrt(np.maximum(z, 0)) - 1)),
        ("soft_l1", lambda z: 2 * (np.sqrt(1 + z) - 1)),
        ("cauchy", lambda z: np.log(1 + z)),
    ],
)
@pytest.mark.parametrize("scale", [1e-12, 0.3, 1e12])
def test_losses_and_their_slopes(loss, rho, scale):
    # The definitions of scipy.optimize.least_squares; slopes by central differences.
    z = np.array([0.0, 1e-3, 0.3, 0.98, 1.02, 1.7, 4.0, 30.0, 1e4])
    value, first, second = Rule(loss, scale).sizes(np.sqrt(z) * scale)
    np.testing.assert_allclose(value, rho(z), rtol=1e-9, atol=1e-12)
    h = 1e-6 * (1 + z)
    inner = z > 0
    np.testing.assert_allclose(first[inner], ((rho(z + h) - rho(z - h)) / (2 * h))[inner], rtol=1e-5)
    wide = 1e-4 * (1 + z)
    bend = (rho(z + wide) - 2 * rho(z) + rho(z - wide)) / wide**2
    np.testing.assert_allclose(second[inner], bend[inner], rtol=1e-3, atol=1e-6)
    assert Rule(loss, scale).cost(np.sqrt(z) * scale) == pytest.approx(scale**2 * rho(z).sum(), rel=1e-9)


@pytest.mark.parametrize("loss", LOSSES)
def test_u_is_the_scatter_of_fits_to_data_drawn_again(loss):
    """Normal noise of a known size: the s. d. of many estimates against the mean of the u that the fits gave."""
    draws = 80 if loss == "absolute" else 200
    rng = np.random.default_rng(11)
    truth = {"a": 2.0, "b": -0.4}
    values, us = [], []
    for _ in range(draws):
        y = truth["a"] + truth["b"] * X + rng.normal(0, 0.5, X.size)
        found = cs.fit("a + b*x", X, y, start={"a": 0, "b": 0}, loss=loss)
        values.append([found.parameters[name].value for name in truth])
        us.append([found.parameters[name].u for name in truth])
    spread = np.std(values, axis=0, ddof=1)
    # The s. d. of n values is known to 1/√(2n): 5 % of 200. A median's u rests on a density that is known to some 20 %.
    within = 0.3 if loss == "absolute" else 0.15
    np.testing.assert_allclose(np.sqrt(np.mean(np.square(us), axis=0)), spread, rtol=within)
    assert (np.abs(np.mean(values, axis=0) - list(truth.values())) < 4 * spread / np.sqrt(draws)).all()
    if loss in ("huber", "soft_l1", "cauchy"):  # the tuning is for 95 % efficiency with normal noise
        best = 0.5 * np.sqrt(np.diag(np.linalg.inv(np.array([[X.size, X.sum()], [X.sum(), X @ X]]))))
        assert 0.75 < (best[1] / spread[1]) ** 2 < 1.2


@pytest.mark.parametrize("loss", ["huber", "soft_l1", "cauchy"])
def test_the_robust_u_is_hubers_formula(loss):
    rng = np.random.default_rng(3)
    y = 1 + 0.5 * X + rng.standard_t(3, X.size) * 0.3
    found = cs.fit("a + b*x", X, y, start={"a": 0, "b": 0}, loss=loss)
    tuning = {"huber": 1.345, "soft_l1": 1.345, "cauchy": 2.385}[loss]  # Holland and Welsch 1977, from memory
    t = tuning * found.scale
    r = y - found.values["a"] - found.values["b"] * X
    z = r / t
    psi = {"huber": np.clip(z, -1, 1), "soft_l1": z / np.sqrt(1 + z * z), "cauchy": z / (1 + z * z)}[loss] * t
    step = 1e-6
    moved = (z + step, z - step)
    up, down = (
        {"huber": np.clip(m, -1, 1), "soft_l1": m / np.sqrt(1 + m * m), "cauchy": m / (1 + m * m)}[loss] for m in moved
    )
    slope = (up - down) / (2 * step)
    n, k = X.size, 2
    # Huber 1981, eq. 6.5 of chapter 7 (from memory): K² · Σψ²/(n − k) / mean(ψ′)² · (XᵀX)⁻¹, K = 1 + k/n · var/mean².
    factor = 1 + k / n * slope.var() / slope.mean() ** 2
    variance = factor**2 * (psi @ psi) / (n - k) / slope.mean() ** 2
    design = np.column_stack([np.ones(n), X])
    u = np.sqrt(np.diag(np.linalg.inv(design.T @ design)) * variance)
    assert [found.parameters[name].u for name in ("a", "b")] == pytest.approx(u.tolist(), rel=1e-4)


# -- statistics ------------------------------------------------------------------------------------


@pytest.mark.parametrize("weights", ["u", "none", "counts", "proportional"])
def test_statistics_by_their_definitions(weights):
    rng = np.random.default_rng(5)
    u = rng.uniform(0.5, 3, X.size)
    y = np.round(40 + 6 * X + rng.normal(0, u))
    found = cs.fit("a + b*x", X, y, u, start={"a": 0, "b": 0}, weights=weights)
    w = {"u": u, "none": np.ones(X.size), "counts": np.sqrt(np.maximum(y, 1)), "proportional": np.abs(y)}[weights]
    design = np.column_stack([np.ones(X.size), X]) / w[:, None]
    values, *_ = np.linalg.lstsq(design, y / w, rcond=None)
    r = y - values[0] - values[1] * X
    n, k, s = X.size, 2, found.statistics
    assert (found.values["a"], found.values["b"]) == pytest.approx(tuple(values), rel=1e-9)
    least = np.sum((r / w) ** 2)
    mean = np.sum(y / w**2) / np.sum(1 / w**2)
    r2 = 1 - least / np.sum(((y - mean) / w) ** 2)
    assert (s.n, s.dof) == (n, n - k)
    assert s.rss == pytest.approx(np.sum(r**2), rel=1e-9)
    assert s.rmse == pytest.approx(np.sqrt(np.mean(r**2)), rel=1e-9)
    assert s.r2 == pytest.approx(r2, rel=1e-9)
    assert s.adjusted_r2 == pytest.approx(1 - (1 - r2) * (n - 1) / (n - k), rel=1e-9)
    assert s.residual_sd == pytest.approx(np.sqrt(least / (n - k)), rel=1e-9)
    # −2 ln L of normal noise, up to a constant, with the variance counted among the parameters.
    log = n * np.log(least / n)
    assert s.aicc == pytest.approx(log + 2 * (k + 1) + 2 * (k + 1) * (k + 2) / (n - k - 2), rel=1e-9)
    assert s.bic == pytest.approx(log + (k + 1) * np.log(n), rel=1e-9)
    assert (s.chi2 is None) == (weights == "none")
    if weights != "none":
        assert s.chi2 == pytest.approx(least, rel=1e-9)
    if weights in ("u", "counts"):
        assert s.reduced_chi2 == pytest.approx(least / (n - k), rel=1e-9)
    else:
        assert s.reduced_chi2 is None
    matrix = np.linalg.inv(design.T @ design)
    np.testing.assert_allclose(found.covariance, matrix * least / (n - k), rtol=1e-6)
    if weights in ("u", "counts"):
        as_is = cs.fit("a + b*x", X, y, u, start={"a": 0, "b": 0}, weights=weights, scaled=False)
        np.testing.assert_allclose(as_is.covariance, matrix, rtol=1e-6)


def test_what_cannot_be_said_of_few_points_is_not_said():
    exact = cs.fit("a + b*x", [0.0, 1.0], [1.0, 3.0], start={"a": 0, "b": 0})
    assert exact.statistics.dof == 0
    assert exact.covariance is None
    assert exact.statistics.adjusted_r2 is None
    four = cs.fit("a + b*x", [0.0, 1, 2, 3], [1.0, 3, 4, 8], start={"a": 0, "b": 0}).statistics
    assert four.aicc is None, "n − k − 2 = 0: no room for the correction"
    assert four.bic is not None
    level = cs.fit("a + 0*x", X, np.full(X.size, 3.0), start={"a": 1})
    assert level.statistics.r2 is None, "nothing varies: there is no share to explain"


def test_ties_and_chains_of_ties_carry_u():
    """c = 2b, d = c + a: the u of each by the law of propagation, and by a fit in which they are written out."""
    rng = np.random.default_rng(8)
    y = 1 + 0.3 * X + np.exp(-0.5 * X) + rng.normal(0, 0.02, X.size)
    text = "a + b*x + exp(-c*x) + 0*d"
    tied = cs.fit(text, X, y, start={"a": 1, "b": 0.2, "c": 0.4, "d": 0}, ties={"c": "2*b", "d": "c*a"})
    plain = cs.fit("a + b*x + exp(-2*b*x)", X, y, start={"a": 1, "b": 0.2})
    for name in ("a", "b"):
        assert tied.parameters[name].value == pytest.approx(plain.values[name], rel=1e-8)
        assert tied.parameters[name].u == pytest.approx(plain.parameters[name].u, rel=1e-6)
    a, b = plain.values["a"], plain.values["b"]
    cov = np.array(plain.covariance)
    assert tied.parameters["c"].u == pytest.approx(2 * plain.parameters["b"].u, rel=1e-6)
    g = np.array([2 * b, 2 * a])  # d = 2ab
    assert tied.parameters["d"].value == pytest.approx(2 * a * b, rel=1e-8)
    assert tied.parameters["d"].u == pytest.approx(np.sqrt(g @ cov @ g), rel=1e-6)
    assert [tied.parameters[n].state for n in "abcd"] == ["", "", "tied", "tied"]


# -- residuals -------------------------------------------------------------------------------------


@pytest.mark.parametrize(("up", "down"), [(6, 6), (9, 5), (4, 10)])
def test_runs_against_every_order_of_the_signs(up, down):
    """The mean and variance of the runs over all orders; p by the normal approximation to them."""
    n = up + down
    counts = [
        1 + sum(((i in places) != (i + 1 in places)) for i in range(n - 1))
        for places in map(set, itertools.combinations(range(n), up))
    ]
    mean, sd = np.mean(counts), np.std(counts)
    rng = np.random.default_rng(1)
    for _ in range(5):
        signs = rng.permutation([1.0] * up + [-1.0] * down)
        order = rng.permutation(n)
        check = residual_check(np.arange(n, dtype=float)[order], signs[order] * 0.5)
        runs = 1 + int((np.diff(signs) != 0).sum())
        assert check.runs == runs
        assert check.expected == pytest.approx(mean, rel=1e-12)
        assert check.p == pytest.approx(math.erfc(abs(runs - mean) / sd / math.sqrt(2)), rel=1e-9)


def test_residuals_of_one_sign_and_of_too_few():
    lone = residual_check(np.arange(10.0), np.full(10, 0.3))
    assert lone.runs == 1
    assert lone.p == 0.5**9
    assert "follow a trend" in lone.sentence
    few = residual_check(np.arange(7.0), np.array([1.0, -1, 1, -1, 1, -1, 1]))
    assert math.isnan(few.p)
    assert few.sentence == "Too few residuals to test for runs."
    swings = residual_check(np.arange(40.0), np.tile([0.5, -0.5], 20))
    assert "swing too often" in swings.sentence


def test_a_large_residual_is_told_in_s_d_of_the_others():
    r = np.random.default_rng(4).normal(0, 0.7, 100)
    r[37] = 9.0
    check = residual_check(np.linspace(0, 50, 100), r)
    others = np.delete(r, 37)
    assert check.too_large == 1
    assert check.largest == pytest.approx(abs(9.0 - others.mean()) / others.std(ddof=1), rel=1e-12)
    assert check.at == pytest.approx(37 * 50 / 99)
    assert f"the largest {check.largest:.3g} s. d. of the others" in check.sentence


def test_the_histogram_counts_all_beside_a_normal_of_their_s_d():
    r = np.random.default_rng(4).normal(0.0, 0.7, 1000)
    counts, edges, normal = histogram(r)
    assert counts.sum() == 1000
    assert (edges[0], edges[-1]) == (-np.abs(r).max(), np.abs(r).max())
    from scipy.stats import norm

    np.testing.assert_allclose(normal, 1000 * np.diff(norm.cdf(edges, scale=r.std())), rtol=1e-9)
    assert counts.size == 20, "2·n^(1/3)"


# -- questions to a fit ----------------------------------------------------------------------------


def test_questions_to_a_parabola_have_closed_answers():
    rng = np.random.default_rng(6)
    y = 5 - 0.5 * (X - 4) ** 2 + rng.normal(0, 0.1, X.size)
    text = "a + b*x + c*x^2"
    problem = state_problem(formula_sum(text), X, y, None, Request({"a": 0, "b": 0, "c": 0}))
    on = fitted(problem, cs.fit(text, X, y, start={"a": 0, "b": 0, "c": 0}))
    a, b, c = (on.result.values[name] for name in "abc")
    cov = np.array(on.result.covariance)

    def u_of(*gradient: float) -> float:
        g = np.array(gradient)
        return float(np.sqrt(g @ cov @ g))

    at = on.at_x(7.25)
    assert at.y == pytest.approx(a + b * 7.25 + c * 7.25**2, rel=1e-12)
    assert at.u_y == pytest.approx(u_of(1, 7.25, 7.25**2), rel=1e-9)
    (top,) = on.extrema()
    x = -b / (2 * c)
    assert (top.what, top.x) == ("maximum", pytest.approx(x, rel=1e-9))
    assert top.u_x == pytest.approx(u_of(0, -1 / (2 * c), b / (2 * c * c)), rel=1e-6)
    assert top.u_y == pytest.approx(u_of(1, x, x * x), rel=1e-9)
    root = math.sqrt(b * b - 4 * (a - 2.0) * c)
    wanted = sorted(((-b + root) / (2 * c), (-b - root) / (2 * c)))
    found = on.at_y(2.0, 0.3)
    assert [f.x for f in found] == pytest.approx(wanted, rel=1e-9)
    for f in found:
        slope = b + 2 * c * f.x
        assert f.u_x == pytest.approx(math.hypot(u_of(1, f.x, f.x**2), 0.3) / abs(slope), rel=1e-9)
        assert f.u_y == 0.3
    assert on.at_y(2.0)[0].u_y is None
    area, u_area = on.integral(1.0, 6.0)
    assert area == pytest.approx(5 * a + 35 / 2 * b + 215 / 3 * c, rel=1e-12)
    assert u_area == pytest.approx(u_of(5, 35 / 2, 215 / 3), rel=1e-9)
    back, _ = on.integral(6.0, 1.0)
    assert back == pytest.approx(-area, rel=1e-12)
    with pytest.raises(cs.InputError, match="does not reach y = 99"):
        on.at_y(99.0)


def test_models_are_compared_by_f_and_by_akaikes_weights():
    from scipy.stats import f as f_distribution

    rng = np.random.default_rng(2)
    curve = cs.Curve(X, 1 + 0.5 * X - 0.02 * X**2 + rng.normal(0, 0.2, X.size))
    slugs = ("constant", "line", "polynomial-2", "polynomial-3")
    rows = compare([Candidate(s, Model().with_background(s, curve)) for s in slugs], curve)
    rss = [np.sum((curve.y - np.polyval(np.polyfit(X, curve.y, k), X)) ** 2) for k in range(4)]
    aicc = [60 * np.log(s / 60) + 2 * (k + 2) + 2 * (k + 2) * (k + 3) / (60 - k - 3) for k, s in enumerate(rss)]
    weights = np.exp(-(np.array(aicc) - min(aicc)) / 2)
    assert [row.weight for row in rows] == pytest.approx((weights / weights.sum()).tolist(), rel=1e-6)
    assert [row.against for row in rows] == ["", "constant", "line", "polynomial-2"]
    for k in (1, 2, 3):
        f = (rss[k - 1] - rss[k]) / (rss[k] / (60 - k - 1))
        assert rows[k].f == pytest.approx(f, rel=1e-6)
        assert rows[k].p == pytest.approx(f_distribution.sf(f, 1, 60 - k - 1), rel=1e-5)
    with pytest.raises(cs.InputError, match="at least two"):
        compare([Candidate("line", Model().with_background("line", curve))], curve)


# -- starts ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
@pytest.mark.parametrize(("amplitude", "length"), [(5.0, 2.0), (-5.0, 2.0), (0.02, -1.5), (3.0, 12.0)])
def test_the_start_of_an_exponential_is_near_its_truth(amplitude, length, scale):
    x = np.linspace(0, 10, 2001)
    y = scale * (2 + amplitude * np.exp(-x / length))
    start = term_of("exponential-background").start_values(Data(x, y))
    # Levels are low quantiles, as peaks may stand on them: the start is off, but by less than a third.
    assert start["length"] == pytest.approx(length, rel=0.35)
    drawn = start["offset"] + start["amplitude"] * np.exp(-x / start["length"])
    assert np.abs(drawn - y).max() < 0.35 * np.ptp(y)


@pytest.mark.parametrize("rise", [4.0, -4.0])
def test_starts_of_steps_lines_and_levels_are_read_off_clean_data(rise):
    x = np.linspace(0, 10, 201)
    stray = np.random.default_rng(1).permutation(201)  # the order of the points does not matter
    y = 1.5 + rise / 2 * (1 + np.tanh((x - 6.3) / 0.2))
    step = term_of("erf-step").start_values(Data(x[stray], y[stray]))
    assert step["offset"] == pytest.approx(1.5, abs=1e-6)
    assert step["step"] == pytest.approx(rise, rel=1e-6)
    assert step["edge"] == pytest.approx(6.3, abs=0.06)
    assert step["width"] == pytest.approx(0.5)
    line = term_of("line").start_values(Data(x[stray], (3 - 0.7 * x)[stray]))
    # Levels are the low tenth of a tenth of the range: both ends are off by the same.
    assert line["slope"] == pytest.approx(-0.7, rel=1e-6)
    assert line["offset"] == pytest.approx(3.0, abs=0.4)
    assert term_of("constant").start_values(Data(x, np.arange(201.0)))["offset"] == pytest.approx(20.0)


# -- copies ----------------------------------------------------------------------------------------


def _run(script: str) -> dict[str, list[str]]:
    seen = io.StringIO()
    with contextlib.redirect_stdout(seen):
        exec(compile(script, "script", "exec"), {"__name__": "__main__"})
    return {line.split()[0]: line.split()[1:] for line in seen.getvalue().splitlines()}


@pytest.mark.parametrize("loss", LOSSES)
@pytest.mark.parametrize("scale", [1e-6, 1.0, 1e6])
def test_the_script_repeats_the_fit_whatever_the_loss(loss, scale):
    rng = np.random.default_rng(5)
    y = scale * (2 * np.exp(-0.4 * X) + 1 + rng.standard_t(3, X.size) * 0.05)
    text, start = "a*exp(-k*x) + c", {"a": 1.5 * scale, "k": 0.6, "c": scale}
    for hold, bounds in (((), None), (("c",), None), ((), {"k": (0.5, 2.0)})):
        found = cs.fit(text, X, y, start=start, loss=loss, hold=hold, bounds=bounds)
        problem = state_problem(formula_sum(text), X, y, None, Request(start, hold, bounds or {}, loss=loss))
        rows = _run(as_script(problem, found))
        for name, p in found.parameters.items():
            assert float(rows[name][0]) == pytest.approx(p.value, rel=2e-3 if loss == "absolute" else 1e-4), (
                hold,
                name,
            )
            if loss == "squared" and p.u is not None:
                assert float(rows[name][1]) == pytest.approx(p.u, rel=1e-3)
