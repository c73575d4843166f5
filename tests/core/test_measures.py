"""Measures of the same curve said otherwise, of awkward ones, their slopes, and their u against Monte Carlo."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.measures import MeasureSlot, Seen, parse_measure, taken
from curvesieve.core.measures.taking import outcome
from tests.core.measuring import ALONE, MEASURES, RUNS, X, Y, alike, fit_of, made, noisy, read, seen

FURTHER = {
    "law-over-band": lambda a, b: {"offset": b, "slope": b / a, "r2": 1.0},
    "fitted-quantity": lambda a, b: {"quantity": a},
}
"""How what is read scales where the fields say what that is."""

# -- the same curve said otherwise ------------------------------------------------------------------


@pytest.mark.parametrize("slug", ALONE)
def test_order_and_points_left_out_do_not_count_and_nothing_is_changed(slug):
    measure, curve = made(slug), noisy()
    assert parse_measure(measure.to_json()) == measure
    before = curve.digest
    plain = read(measure, curve)
    assert curve.digest == before
    shuffled = curve.take(np.random.default_rng(1).permutation(X.size)) if slug != "ends" else curve
    alike(read(measure, shuffled), plain)
    wild = np.concatenate([curve.x, [3.301, 8.501]]), np.concatenate([curve.y, [1e6, -1e6]])
    flags = np.concatenate([np.zeros(X.size), [Flag.LEFT_OUT] * 2]).astype(np.uint8)
    assert curve.u is not None
    more = cs.Curve(*wild, np.concatenate([curve.u, [1.0, 1.0]]), flags=flags)
    alike(read(measure, more), plain)


@pytest.mark.parametrize("slug", ALONE)
@pytest.mark.parametrize(("a", "b"), [(1e-12, 1e12), (1e12, 1e-12), (1e-9, 1e-9), (1e9, 1e9)])
def test_values_and_u_scale_with_the_units_of_x_and_y(slug, a, b):
    measure, curve = made(slug), noisy()
    fields = measure.model_dump()
    scale = {"x": a, "y": b}
    for name, info in type(measure).settings().items():
        unit = info.json_schema_extra["unit"]
        if fields[name] is not None and unit in scale:
            fields[name] *= scale[unit]
    scaled = type(measure).model_validate(fields)
    assert curve.u is not None
    large = cs.Curve(curve.x * a, curve.y * b, curve.u * b)
    plain, other = read(measure, curve), read(scaled, large)
    powers = {one.quantity: a**one.x * b**one.y for one in measure.yields} | FURTHER.get(slug, lambda a, b: {})(a, b)
    for quantity, (value, u) in plain.items():
        by = powers[quantity]
        assert other[quantity][0] == pytest.approx(value * by, rel=1e-6), quantity
        assert (other[quantity][1] is None) == (u is None)
        if u is not None:
            assert other[quantity][1] == pytest.approx(u * by, rel=1e-5), quantity


@pytest.mark.parametrize("slug", list(MEASURES))
def test_awkward_curves_are_refused_in_a_sentence_or_read(slug):
    nothing, one = np.empty(0), np.ones(1)
    rng = np.random.default_rng(3)
    awkward = [
        cs.Curve(nothing, nothing), cs.Curve(one, one), cs.Curve(np.ones(9), rng.normal(size=9)),
        cs.Curve(np.arange(9.0), np.zeros(9)), cs.Curve(np.arange(9.0) % 3, np.arange(9.0)),
        cs.Curve(X, Y, flags=np.full(X.size, Flag.LEFT_OUT, np.uint8)), cs.Curve(X * 1e-300, Y * 1e300),
        cs.Curve(X[:3], Y[:3]), cs.Curve(-X, Y), cs.Curve(X + 1e9, Y),
    ]  # fmt: skip
    for curve in awkward:
        for measure in (MEASURES[slug](), made(slug)):
            found = outcome(MeasureSlot(id="m", rule=measure), Seen.of(curve))
            if found.problem:
                assert found.problem[0].isupper() or not found.problem[0].isalpha()
                assert found.problem.endswith("."), found.problem
                assert found.readings == ()
            else:
                assert all(math.isfinite(r.value) for r in found.readings)
                assert all(r.u is None or (math.isfinite(r.u) and r.u >= 0) for r in found.readings), found.readings


@pytest.mark.parametrize("u", [1e-9, 0.03], ids=["fine", "coarse"])
@pytest.mark.parametrize("slug", ALONE)
def test_slopes_are_the_derivatives_of_the_values(slug, u):
    measure = made(slug)
    for shift in (0.0, -0.4) if slug in ("x-at-value", "width-at-share") else (0.0,):  # a level crossed elsewhere
        curve = cs.Curve(X, Y + shift + 0.01 * np.sin(40 * X), np.full(X.size, u))
        taken_there = measure.take(seen(measure, curve))
        rows = taken_there.used.rows
        for found in taken_there.found:
            if found.slopes is None:
                continue
            assert found.slopes.shape == rows.shape
            for k in {0, rows.size - 1, *np.argsort(-np.abs(found.slopes))[:4].tolist(), rows.size // 2}:
                sides = []
                for step in (1e-6, -1e-6):
                    y = curve.y.copy()
                    y[rows[k]] += step
                    moved = measure.take(Seen.of(replace(curve, y=y)))
                    sides.append(next(one.value for one in moved.found if one.quantity == found.quantity))
                largest = float(np.abs(found.slopes).max())
                assert (sides[0] - sides[1]) / 2e-6 == pytest.approx(found.slopes[k], abs=1e-4 * largest), (
                    found.quantity, k,
                )  # fmt: skip


# -- Monte Carlo ------------------------------------------------------------------------------------

KINDS = {
    "normal, u known": (lambda rng, n: rng.normal(0, 0.03, n), np.full(X.size, 0.03)),
    "normal, u unknown": (lambda rng, n: rng.normal(0, 0.03, n), None),
    "uniform, u known": (lambda rng, n: rng.uniform(-0.05, 0.05, n), np.full(X.size, 0.1 / math.sqrt(12))),
    "growing with x": (lambda rng, n: rng.normal(0, 0.01 + 0.004 * X, n), 0.01 + 0.004 * X),
}
SCATTER = ("mean-and-scatter", "signal-to-noise", "period")
"""Their u is that of a scatter that they find, whatever u the points have."""
CHOSEN = ("yield-point",)
"""The largest of many points is no point chosen beforehand: its u is told for the point as it stands."""
APART = (*SCATTER, *CHOSEN, "formula")


@pytest.mark.parametrize("kind", list(KINDS))
@pytest.mark.parametrize("slug", [s for s in ALONE if s not in APART and not MEASURES[s].of_fit])
def test_u_is_that_of_monte_carlo(slug, kind):
    noise, u = KINDS[kind]
    if u is None and slug == "straight-part":
        pytest.skip("see the test of its own: the scatter about the line holds the bend of the curve, too")
    rng = np.random.default_rng(11)
    measure = made(slug)
    values: dict[str, list[float]] = {}
    us: dict[str, list[float]] = {}
    for _ in range(RUNS):
        for quantity, (value, spread) in read(measure, cs.Curve(X, Y + noise(rng, X.size), u)).items():
            values.setdefault(quantity, []).append(value)
            us.setdefault(quantity, []).append(math.nan if spread is None else spread)
    for quantity, found in values.items():
        told = float(np.median(us[quantity]))
        if math.isfinite(told):
            assert told == pytest.approx(float(np.std(found)), rel=0.1), quantity


@pytest.mark.parametrize("kind", list(KINDS))
def test_u_of_measures_of_the_fit_is_that_of_monte_carlo(kind):
    noise, u = KINDS[kind]
    rng = np.random.default_rng(13)
    slots = [MeasureSlot(id=slug, rule=made(slug)) for slug in MEASURES if MEASURES[slug].of_fit]
    found: dict[str, list[tuple[float, float]]] = {}
    for _ in range(RUNS):
        curve = cs.Curve(X, Y + noise(rng, X.size), u)
        for one in taken(slots, Seen.of(curve, fit=fit_of(curve))):
            for r in one.readings:
                found.setdefault(f"{r.key.source} {r.quantity}", []).append((r.value, r.u))
    assert len(found) == 10
    for name, pairs in found.items():
        values, us = np.array(pairs).T
        assert np.median(us) == pytest.approx(np.std(values), rel=0.1), name


def test_u_of_scatter_is_that_of_monte_carlo():
    rng = np.random.default_rng(12)
    x = np.linspace(0, 20, 400)
    cases = {
        "mean-and-scatter": (np.full(400, 3.0), {}),
        "period": (2 * np.cos(2 * np.pi * x / 2.3 + 0.7) + 5, {}),
        "straight-part": (3 - 0.2 * x, {}),
    }
    for slug, (truth, fields) in cases.items():
        runs = [read(MEASURES[slug](**fields), cs.Curve(x, truth + rng.normal(0, 0.3, 400))) for _ in range(RUNS)]
        for quantity in runs[0]:
            us = [run[quantity][1] for run in runs]
            if None not in us:
                sd = float(np.std([run[quantity][0] for run in runs]))
                assert float(np.mean(us)) == pytest.approx(sd, rel=0.1), (slug, quantity)
    truths = {"mean": 3.0, "deviation": 0.3}
    last = read(MEASURES["mean-and-scatter"](), cs.Curve(x, 3 + rng.normal(0, 0.3, 400)))
    assert all(abs(last[q][0] - t) < 4 * last[q][1] for q, t in truths.items())
