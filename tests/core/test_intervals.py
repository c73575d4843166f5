"""Profile intervals where the data say little: none refused, no end on the estimate, open ends said, and right."""

import math

import numpy as np
import pytest
from benchmarks.coverage import HARD
from scipy.optimize import least_squares
from scipy.stats import norm, t

from curvesieve.core.fitting import fit
from curvesieve.core.fitting.problem import state_problem
from curvesieve.core.fitting.profile import profile_intervals
from curvesieve.core.fitting.request import Request
from curvesieve.core.models import formula_sum


def _drawn(case, seed):
    text, truth, x, noise, known = HARD[case]
    law = formula_sum(text)
    y = law.evaluate(x, [truth[name] for name in law.names]) + np.random.default_rng(seed).normal(0, noise, x.size)
    u = np.full(x.size, noise) if known else None
    result = fit(text, x, y, u, start=truth, scaled=not known)
    return law, truth, x, y, u, result


@pytest.mark.parametrize("case", HARD)
def test_every_end_lies_where_a_slow_search_finds_the_limit(case):
    """At each end the best of many refits with SciPy is at the limit; beyond an open end it is still below."""
    held = 0
    for seed in range(12):
        law, truth, x, y, u, result = _drawn(case, seed)
        found = profile_intervals(state_problem(law, x, y, u, Request(truth)), result)
        dof = x.size - len(truth)
        k = t.ppf(0.975, dof) if u is None else norm.ppf(0.975)
        weight = 1.0 if u is None else 1 / u
        values = np.array([result.parameters[name].value for name in law.names])
        least = float(np.sum(((law.evaluate(x, values) - y) * weight) ** 2))
        allowed = k**2 * (least / dof if u is None else 1.0)
        for interval in found:
            at = law.names.index(interval.name)
            others = [i for i in range(len(values)) if i != at]

            def rest(q, at=at, others=others, value=0.0, x=x, y=y, weight=weight, law=law):
                p = np.empty(len(law.names))
                p[at], p[others] = value, q
                with np.errstate(all="ignore"):
                    r = (law.evaluate(x, p) - y) * weight
                return np.where(np.isfinite(r), r, 1e6)

            u_here = result.parameters[interval.name].u
            for end in (interval.low, interval.high):
                held += math.isfinite(end)
                assert math.isinf(end) or abs(end - values[at]) > 0.05 * u_here
                if seed < 3 and math.isfinite(end):
                    cost = min(
                        2 * least_squares(rest, values[others] * f, kwargs={"value": end}, x_scale="jac").cost
                        for f in (1.0, 0.8, 1.25)
                    )
                    assert cost == pytest.approx(least + allowed, rel=2e-3)
    assert held > 12


def test_an_end_that_does_not_exist_is_open():
    """A level reached at once leaves the rate open above: any larger one fits as well."""
    x = np.array([0.0, 1, 2, 3, 4, 5, 6, 7])
    y = np.array([0.0, 1.9, 1.9, 2.05, 1.95, 2.1, 1.9, 2.0])
    text, start = "a*(1 - exp(-k*x))", {"a": 2.0, "k": 2.0}
    problem = state_problem(formula_sum(text), x, y, None, Request(start))
    found = {i.name: i for i in profile_intervals(problem, fit(text, x, y, start=start))}
    assert found["k"].high == math.inf
    assert 1 < found["k"].low < 6
    assert np.isfinite([found["a"].low, found["a"].high]).all()


def test_an_interval_ends_on_a_bound_that_cuts_it():
    x = np.linspace(0, 4, 12)
    y = 0.05 * x + np.random.default_rng(1).normal(0, 0.2, x.size)
    bounds = {"b": (0.0, None)}
    result = fit("a + b*x", x, y, start={"a": 0.0, "b": 0.05}, bounds=bounds)
    law = formula_sum("a + b*x")
    problem = state_problem(law, x, y, None, Request({"a": 0.0, "b": 0.05}, bounds=bounds))
    interval = {i.name: i for i in profile_intervals(problem, result)}["b"]
    assert interval.low == 0.0
    assert interval.high > result.parameters["b"].value
