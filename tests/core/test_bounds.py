"""Bounds hold exactly, in every way of fitting and at every scale; against SciPy's bounded solvers and closed forms."""

import math

import numpy as np
import pytest
from scipy.optimize import lsq_linear, minimize

import curvesieve as cs
from curvesieve.core.fitting import fit
from curvesieve.core.fitting.problem import LOSSES

SCALES = (1e-12, 1e-6, 1.0, 1e6, 1e12)


@pytest.mark.parametrize("scale", SCALES)
@pytest.mark.parametrize("loss", LOSSES)
def test_a_bound_at_zero_holds_where_the_free_fit_would_cross_it(scale, loss):
    y = scale * np.array([3, 2, 1, 0.1])
    found = fit("a + b*x", [0, 1, 2, 3], y, bounds={"b": (0, math.inf)}, loss=loss)
    assert found.parameters["b"].value == 0
    assert found.parameters["b"].on_bound
    assert found.parameters["b"].u is None
    assert found.converged
    assert any("b ended on its bound" in said for said in found.warnings)
    if loss == "squared":  # what is left is a mean: its value and its u are s/√n (JCGM 100:2008, 4.2.3)
        assert found.parameters["a"].value == pytest.approx(np.mean(y), rel=1e-12)
        assert found.parameters["a"].u == pytest.approx(np.std(y, ddof=1) / 2, rel=1e-9)
        assert found.statistics.dof == 3
    elif loss == "absolute":  # any value between the middle two is a median
        assert scale <= found.parameters["a"].value <= 2 * scale


def test_random_linear_models_against_an_active_set_solver():
    rng = np.random.default_rng(0)
    on = 0
    for _ in range(150):
        n = int(rng.integers(6, 30))
        x = np.sort(rng.uniform(-1, 2, n))
        scale = 10.0 ** rng.integers(-12, 13)
        design = np.stack([np.ones(n), x, x**2, np.sin(3 * x)], axis=1)
        y = scale * (design @ rng.normal(size=4) + 0.3 * rng.normal(size=n))
        low = rng.normal(size=4) - 0.3
        high = low + rng.uniform(0.1, 2, 4)
        low[rng.random(4) < 0.3], high[rng.random(4) < 0.3] = -np.inf, np.inf
        wanted = lsq_linear(design, y / scale, (low, high), method="bvls", tol=1e-15).x
        bounds = {name: (a, b) for name, a, b in zip("abcd", scale * low, scale * high, strict=True)}
        start = {name: float(np.clip(0, *pair)) for name, pair in bounds.items()}
        found = fit("a + b*x + c*x^2 + d*sin(3*x)", x, y, start=start, bounds=bounds)
        values = np.array([found.parameters[name].value for name in "abcd"])
        assert found.converged
        assert (values >= scale * low).all()
        assert (values <= scale * high).all()
        np.testing.assert_allclose(values / scale, wanted, atol=2e-7)
        on += sum(p.on_bound for p in found.parameters.values())
    assert on > 100  # bounds were met, not only stated


@pytest.mark.parametrize("loss", ["squared", "huber", "soft_l1", "cauchy"])
def test_a_law_on_its_bounds_is_the_same_at_every_scale(loss):
    rng = np.random.default_rng(3)
    x = np.linspace(0, 5, 30)
    for _ in range(6):
        a, k, c = rng.uniform(0.5, 3), rng.uniform(0.2, 1.4), 0.3 * rng.normal()
        y = a * np.exp(-k * x) + c + 0.05 * rng.normal(size=x.size)
        found = []
        for scale in SCALES:
            bounds = {"A": (0, 2 * scale), "k": (0, 1), "c": (0, None)}
            made = fit("A*exp(-k*x) + c", x, scale * y, start={"A": scale, "k": 0.5, "c": 0.1 * scale}, bounds=bounds,
                       loss=loss)  # fmt: skip
            values = np.array([made.parameters[name].value for name in "Akc"])
            assert made.converged
            assert (values >= 0).all()
            assert values[1] <= 1
            assert values[0] <= 2 * scale
            found.append(values / [scale, 1, scale])
        np.testing.assert_allclose(found, np.broadcast_to(found[2], (5, 3)), atol=2e-5)
        if loss == "squared":
            wanted = minimize(
                lambda q, y=y: np.sum((q[0] * np.exp(-q[1] * x) + q[2] - y) ** 2), [1, 0.5, 0.1], method="L-BFGS-B",
                bounds=[(0, 2), (0, 1), (0, None)], options={"ftol": 1e-15, "gtol": 1e-10, "maxiter": 5000},
            )  # fmt: skip
            ours = np.sum((found[2][0] * np.exp(-found[2][1] * x) + found[2][2] - y) ** 2)
            assert ours <= wanted.fun * (1 + 1e-9)


@pytest.mark.parametrize("loss", ["squared", "huber"])
def test_a_terms_own_limits_hold_exactly(loss):
    x = np.linspace(-5, 5, 101)
    y = np.exp(-((np.abs(x) / 1.5) ** 4)) + 0.002 * np.random.default_rng(0).normal(size=x.size)
    for scale in SCALES:
        found = fit("pseudo-voigt", x, scale * y, loss=loss)  # flatter than a Gaussian: a free mixing goes below 0
        assert found.parameters["mixing"].value == 0
        assert found.parameters["mixing"].on_bound
        assert found.parameters["fwhm"].value >= 0


def test_one_side_given_leaves_the_terms_own_limit_on_the_other():
    x = np.linspace(-5, 5, 101)
    y = np.exp(-((np.abs(x) / 1.5) ** 4))
    found = fit("pseudo-voigt", x, y, bounds={"mixing": (None, 0.8)})
    assert found.parameters["mixing"].value == 0


def test_what_is_held_or_given_stays_and_the_rest_is_found():
    rng = np.random.default_rng(5)
    x = np.linspace(0, 200, 400)
    y = 7.0 * np.exp(-x / 23.0) + 2.5 + rng.normal(0, 0.02, x.size)
    text = "A*exp(-x/tau) + c"
    held = fit(text, x, y, start={"c": 2.5}, hold=["c"])
    assert held.parameters["c"].value == 2.5
    assert held.parameters["tau"].value == pytest.approx(23.0, rel=0.01)
    part = fit(text, x, y, start={"tau": 30.0})
    assert not part.parameters["tau"].held
    whole = fit(text, x, y, start={"tau": 20.0, "A": 5.0, "c": 1.0})
    for name in ("A", "tau", "c"):
        assert part.parameters[name].value == pytest.approx(whole.parameters[name].value, rel=1e-8)
    limited = fit(text, x, y, start={"c": 2.5}, hold=["c"], bounds={"tau": (0, 20.0)})
    assert limited.parameters["tau"].value == 20.0


def test_a_power_of_a_negative_number_is_no_real_part():
    """Python's own (−2)**0.5 is complex; its real part must never count as the value of a law."""
    x = np.linspace(1, 4, 12)
    with pytest.raises(cs.InputError, match="no finite value at its start"):
        fit("a*c^n + 0*x", x, x, start={"a": 1.0, "c": -2.0, "n": 0.5}, hold=["a"])
