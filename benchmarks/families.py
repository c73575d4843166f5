"""Families: many like curves each by itself, and one model to all of them with shared parameters."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

import numpy as np

from benchmarks.timing import Row, against, times_faster
from curvesieve.core.fitting.arrow_steps import solve_arrow
from curvesieve.core.fitting.batch import Alike, fit_alike
from curvesieve.core.fitting.joint import JointProblem
from curvesieve.core.fitting.problem import state_problem
from curvesieve.core.fitting.request import Request
from curvesieve.core.fitting.sharing import Sharing
from curvesieve.core.models import formula_sum

_PEAK = "height*exp(-4*log(2)*((x - center)/fwhm)^2) + offset + slope*x"
_CURVES, _POINTS, _LOOPED = 10_000, 200, 200
_SIZES = (50, 500, 5_000)
_MOST_STEPS = 20


def _peaks() -> tuple[Alike, np.ndarray]:
    rng = np.random.default_rng(0)
    x = np.linspace(0, 10, _POINTS)
    truth = {
        "height": rng.uniform(5, 10, _CURVES), "center": rng.uniform(4, 6, _CURVES), "fwhm": rng.uniform(1, 2, _CURVES),
        "offset": rng.uniform(-1, 1, _CURVES), "slope": rng.uniform(-0.1, 0.1, _CURVES),
    }  # fmt: skip
    t = {name: values[:, None] for name, values in truth.items()}
    y = t["height"] * np.exp(-4 * math.log(2) * ((x - t["center"]) / t["fwhm"]) ** 2) + t["offset"] + t["slope"] * x
    y += rng.normal(0, 0.1, y.shape)
    model = formula_sum(_PEAK)
    off = {"height": 1.2, "center": 1.03, "fwhm": 1.3, "offset": 0.0, "slope": 0.0}
    start = np.stack([truth[name] * off[name] for name in model.names], axis=1)
    return Alike(model, np.broadcast_to(x, y.shape).copy(), y), start


def _looped(alike: Alike, start: np.ndarray) -> Callable[[], None]:
    """The same curves in a loop of SciPy's `curve_fit` with the exact Jacobian, written out by hand."""
    from scipy.optimize import curve_fit

    order = [alike.model.names.index(name) for name in ("height", "center", "fwhm", "offset", "slope")]

    def value(x: np.ndarray, h: float, c: float, w: float, a: float, b: float) -> np.ndarray:
        return h * np.exp(-4 * math.log(2) * ((x - c) / w) ** 2) + a + b * x

    def slopes(x: np.ndarray, h: float, c: float, w: float, a: float, b: float) -> np.ndarray:
        d = x - c
        e = np.exp(-4 * math.log(2) * (d / w) ** 2)
        each = (e, h * e * 8 * math.log(2) * d / w**2, h * e * 8 * math.log(2) * d**2 / w**3, np.ones_like(x), x)
        return np.stack(each, axis=1)

    def run() -> None:
        for k in range(_LOOPED):
            curve_fit(value, alike.x[k], alike.y[k], p0=start[k][order], jac=slopes)

    return run


def joint_problem(curves: int) -> tuple[JointProblem, np.ndarray, np.ndarray]:
    """Two decays on a level: amplitudes and level of each curve's own, two times and a slope for all."""
    rng = np.random.default_rng(1)
    x = np.linspace(0, 10, _POINTS)
    model = formula_sum("a1*exp(-x/t1) + a2*exp(-x/t2) + level + drift*x")
    truth = {"t1": 0.8, "t2": 4.0, "drift": 0.02}
    members = []
    for _ in range(curves):
        own = {"a1": rng.uniform(2, 4), "a2": rng.uniform(2, 4), "level": rng.uniform(0, 1)}
        y = model.evaluate(x, [{**truth, **own}[name] for name in model.names]) + rng.normal(0, 0.02, x.size)
        start = {"a1": 3.0, "a2": 3.0, "level": 0.5, "t1": 1.0, "t2": 5.0, "drift": 0.0}
        members.append(state_problem(model, x, y, None, Request(start, (), {}, {})))
    problem = JointProblem(members, None, Sharing(("t1", "t2", "drift")))
    own = np.array([[3.0 if name != "level" else 0.5 for name in problem.own_names]] * curves)
    return problem, own, np.array([1.0, 5.0, 0.0])


def _dense(problem: JointProblem, own: np.ndarray, border: np.ndarray) -> Callable[[], object]:
    """Gauss–Newton steps with the whole Jacobian, by normal equations (the quickest dense way), until they come to rest
    as the joint fit's do."""
    m, o, b = own.shape[0], own.shape[1], border.size
    names = list(problem.members[0].model.names)
    at = [names.index(name) for name in (*problem.own_names, *problem.border_names)]

    def step(values: np.ndarray) -> np.ndarray:
        jacobian = np.zeros((m * _POINTS, m * o + b))
        residual = np.empty(m * _POINTS)
        for k, member in enumerate(problem.members):
            p = np.empty(len(names))
            p[at] = np.concatenate([values[k * o : (k + 1) * o], values[m * o :]])
            r, slopes = member.both(p)
            rows = slice(k * _POINTS, (k + 1) * _POINTS)
            residual[rows] = r
            jacobian[rows, k * o : (k + 1) * o] = slopes[at[:o]].T
            jacobian[rows, m * o :] = slopes[at[o:]].T
        return np.linalg.solve(jacobian.T @ jacobian, jacobian.T @ residual)

    def run() -> np.ndarray:
        values = np.concatenate([own.ravel(), border])
        for _ in range(_MOST_STEPS):
            moved = step(values)
            values = values - moved
            if float(np.max(np.abs(moved) / np.maximum(np.abs(values), 1e-300))) <= 1e-9:
                break
        return values

    return run


def rows() -> list[Row]:
    """Batched against a loop, per curve; and a joint fit of 500 curves against the dense way."""
    alike, start = _peaks()
    fit_alike(alike.take(slice(0, 20)), start[:20])  # compiled before the clock runs
    pair = against(lambda: fit_alike(alike, start), _looped(alike, start), 3, 1)
    each = times_faster(
        "a curve of 10,000, one peak and a line, all at once", "scipy.optimize.curve_fit, exact Jacobian, in a loop",
        (pair[0] / _CURVES, pair[1] / _LOOPED), 8,
    )  # fmt: skip
    problem, own, border = joint_problem(500)
    solve_arrow(problem, own, border)
    joint = against(lambda: solve_arrow(problem, own, border), _dense(problem, own, border), 1, 1)
    return [
        each,
        times_faster("joint fit, 500 curves × 200 points, 3 shared", "Gauss–Newton with the dense Jacobian", joint, 50),
    ]


def lines() -> list[str]:
    """How the time of a joint fit grows with the curves: for a curve it stays the same where it grows in proportion."""
    found = []
    for size in _SIZES:
        problem, own, border = joint_problem(size)
        pair = against(partial(solve_arrow, problem, own, border), lambda: None, 3, 1)
        found.append(f"| {size:,} | {pair[0] / size:.3g} |")
    return ["", "## Joint fits of more and more curves", "", "| curves | ms a curve |", "|---|---|", *found, ""]
