"""What a step must not be moved by: points that are left out, a scale's own zero, replicates' chance, u of nothing."""

from __future__ import annotations

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.fitting import fit
from curvesieve.core.steps import StepSlot
from curvesieve.core.steps.axis import Resample
from curvesieve.core.steps.base import registered_steps
from curvesieve.core.steps.combine import Average, Combine
from curvesieve.core.steps.level import Scale, ShiftLevel, Zero
from curvesieve.core.steps.sieve import through
from curvesieve.core.steps.transform import RunningArea, Spectrum

X = np.arange(80.0)
OUT = [0, 7, 30, 31, 55, 79]


class Others:
    """One other curve, with its own points left out, that every name gives."""

    def __init__(self, made):
        self.made = made

    def curve(self, name):
        return self.made

    def family(self):
        return [self.made.with_y(self.made.y + np.sin(X), self.made.u, self.made.flags)]


def _curve(wild, u=True, out=OUT):
    rng = np.random.default_rng(2)
    y = 5 + np.sin(X / 9) + rng.normal(0, 0.05, X.size)
    flags = np.zeros(X.size, np.uint8)
    y[out] = wild
    flags[out] = Flag.LEFT_OUT
    return cs.Curve(X, y, np.full(X.size, 0.05) if u else None, flags=flags, x_unit="s", y_unit="N")


def _settings():
    fields = {
        "bridge": {"low": 40, "high": 45, "flank": 12}, "combine": {"donor": "b"}, "blank": {"donor": "b"},
        "merge": {"donor": "b"},
        "calibrate-x": {"measured": [3], "references": [3.5]},
        "toe": {"by": "band", "low": 2, "high": 9}, "resample": {"spacing": 0.5},
        "re-express": {"new_y": "y^2"},
        "absorbance": {"percent": "yes"}, "leave-out": {"points": [20]}, "compliance": {"stiffness": 3.0},
    }  # fmt: skip
    for slug, step in registered_steps().items():
        if slug in (
            "true-stress",
            "spectral-axis",
            "scattering-vector",
        ):  # of a strain, or of light, and not of s: see their own tests
            continue
        choices = {"zero": "by", "scale": "by"}.get(slug, "method" if "method" in step.model_fields else None)
        given = fields.get(slug, {})
        if choices is None:
            yield step(**given)
            continue
        for value in step.model_json_schema()["properties"][choices]["enum"]:
            extra = {"unit": {"unit": "kN"}, "point": {"at": 20.0}, "band": {"low": 5, "high": 25},
                     "anchors": {"anchors": [2, 40, 70]}, "snip": {"half_window": 9},
                     "rolling ball": {"half_window": 9},
                     "preload": {"value": 5.1, "axis": "x"}}.get(value, {})  # fmt: skip
            yield step(**{**given, choices: value, **extra})


@pytest.mark.parametrize("seed", range(8))
def test_no_preload_or_other_step_looks_at_a_left_out_neighbour(seed):
    """Wherever the left-out points lie, beside a crossing too."""
    out = np.random.default_rng(seed).choice(np.arange(1, X.size - 1), 12, replace=False)
    for step in _settings():
        made = []
        for wild in (-5.0, 1e6):
            others = Others(_curve(wild, out=out))
            made.append(through(StepSlot(id="s", rule=step), _curve(wild, out=out), others).after.used)
        np.testing.assert_allclose(made[0].x, made[1].x, rtol=1e-12, err_msg=step.digest())
        np.testing.assert_allclose(made[0].y, made[1].y, rtol=1e-9, atol=1e-12, err_msg=step.digest())


@pytest.mark.parametrize("step", list(_settings()), ids=lambda step: f"{step.slug}, {step.digest()}"[:60])
def test_no_step_is_moved_by_what_is_left_out(step):
    """Left-out points at 5 or at a million, here and in the donor: what passes of the others is the same."""
    made = []
    for wild in (5.0, 1e6):
        trail = through(StepSlot(id="s", rule=step), _curve(wild), Others(_curve(wild)))
        assert trail.problem == ""
        assert np.isin(trail.caught.points, np.arange(X.size)).all()
        made.append(trail.after.used)
    np.testing.assert_allclose(made[0].x, made[1].x, rtol=1e-12)
    np.testing.assert_allclose(made[0].y, made[1].y, rtol=1e-9, atol=1e-12)
    if made[0].u is not None:
        np.testing.assert_allclose(made[0].u, made[1].u, rtol=1e-9)


# -- temperatures -----------------------------------------------------------------------------------


def _at(value, unit):
    return cs.Curve(np.arange(3.0), np.full(3, value), np.full(3, 0.5), y_unit=unit)


@pytest.mark.parametrize(
    ("one", "other", "operation", "value", "unit"),
    [
        ((20.0, "°C"), (293.15, "K"), "subtract", 0.0, "K"), ((20.0, "°C"), (15.0, "°C"), "subtract", 5.0, "K"),
        ((68.0, "°F"), (15.0, "°C"), "subtract", 5.0, "K"), ((300.0, "K"), (26.85, "°C"), "divide", 1.0, ""),
        ((40.0, "°C"), (20.0, "°C"), "divide", 313.15 / 293.15, ""), ((300.0, "K"), (200.0, "K"), "add", 500.0, "K"),
        ((0.0, "°C"), (2.0, "N"), "multiply", 546.3, "K N"),
    ],
)  # fmt: skip
def test_temperatures_are_combined_in_kelvin(one, other, operation, value, unit):
    made = Combine(operation=operation, donor="b").apply_among(_at(*one), Others(_at(*other))).curve
    assert made.y[0] == pytest.approx(value, abs=1e-9)
    assert sorted(made.y_unit.replace("·", " ").split()) == sorted(unit.split())


def test_sums_of_temperatures_with_zeros_of_their_own_are_refused_and_u_goes_along():
    with pytest.raises(cs.InputError, match="have no sum"):
        Combine(operation="add", donor="b").apply_among(_at(20.0, "°C"), Others(_at(20.0, "°C")))
    made = Combine(donor="b").apply_among(_at(68.0, "°F"), Others(_at(15.0, "°C"))).curve
    assert made.u[0] == pytest.approx(np.hypot(0.5 * 5 / 9, 0.5))
    zeroed = Zero(by="first point").apply(cs.Curve(np.arange(3.0), [68.0, 86.0, 104.0], y_unit="°F")).curve
    np.testing.assert_allclose(zeroed.y, [0, 10, 20])
    assert zeroed.y_unit == "K"
    relative = Scale(by="maximum").apply(cs.Curve(np.arange(2.0), [20.0, 40.0], y_unit="°C")).curve
    assert relative.y[0] == pytest.approx(293.15 / 313.15)


# -- replicates -------------------------------------------------------------------------------------


class Replicates:
    def __init__(self, curves):
        self.curves = curves

    def family(self):
        return self.curves


@pytest.mark.parametrize("growing", [False, True])
def test_a_fit_to_an_average_of_three_is_as_good_as_it_can_be(growing):
    """Slopes of 400 averages: no more scatter than without weights, and the u that is told is the one found."""
    rng = np.random.default_rng(8)
    x = np.linspace(0, 10, 200)
    sigma = 0.2 + 0.3 * x if growing else np.full(x.size, 0.5)
    weighed, plain, told = [], [], []
    for _ in range(400):
        one, *rest = (cs.Curve(x, 1 + 2 * x + sigma * rng.standard_normal(x.size)) for _ in range(3))
        made = Average().apply_among(one, Replicates(rest))
        assert ("neighbouring" if growing else "pooled over the curve") in made.message
        found = fit("a + b*x", x, made.curve.y, made.curve.u, start={"a": 1, "b": 2}, scaled=False)
        weighed.append(found.parameters["b"].value)
        told.append(found.parameters["b"].u)
        plain.append(np.polyfit(x, made.curve.y, 1)[0])
    assert np.std(weighed) <= np.std(plain) * 1.005
    assert np.sqrt(np.mean(np.square(told))) == pytest.approx(np.std(weighed), rel=0.1)  # 400 runs know it to 3.5 %
    if growing:
        assert np.std(weighed) < 0.8 * np.std(plain)


# -- u of nothing -----------------------------------------------------------------------------------


@pytest.mark.parametrize("step", [RunningArea(), RunningArea(zero=40.0), Zero(by="first point")])
def test_no_fit_follows_the_one_point_that_is_zero_by_definition(step):
    x = np.arange(100.0)
    rng = np.random.default_rng(3)
    made = step.apply(cs.Curve(x, 3 + 0.1 * x + rng.normal(0, 0.1, 100), np.full(100, 0.1)))
    assert made.curve.u.max() / made.curve.u.min() < 1e3
    at = int(np.flatnonzero(made.curve.y == 0)[0])
    assert made.curve.flags[at] & Flag.PATCHED
    assert "correlated" in made.message
    weights = 1 / made.curve.u**2
    assert weights.max() < 0.5 * weights.sum()


def test_a_point_that_outweighs_all_others_is_named():
    x = np.arange(20.0)
    u = np.full(20, 0.1)
    u[6] = 1e-6
    found = fit("a + b*x", x, 2 * x + np.random.default_rng(1).normal(0, 0.1, 20), u, start={"a": 0, "b": 1})
    assert any("x = 6 has more weight than all others together" in said for said in found.warnings)


# -- odds and ends ----------------------------------------------------------------------------------


def test_power_at_the_nyquist_frequency_is_the_mean_square():
    y = 3.0 * (-1.0) ** np.arange(64)
    made = Spectrum(show="power", window="none", detrend="none").apply(cs.Curve(np.arange(64.0), y)).curve
    assert made.y[-1] == pytest.approx(9.0)
    assert made.y.sum() == pytest.approx(np.mean(y**2))


def test_resampling_reaches_the_last_point():
    curve = cs.Curve([0.0, 0.1, 0.2, 0.3], [1.0, 2.0, 3.0, 4.0])
    made = Resample(spacing=0.1).apply(curve).curve
    np.testing.assert_array_equal(made.y, [1, 2, 3, 4])
    assert made.x[-1] == 0.3
    for last in (0.3, 0.7, 1.1, 2.3e-12, 4.1e12):
        x = np.linspace(0, last, 11)
        assert len(Resample(spacing=last / 10).apply(cs.Curve(x, x)).curve) == 11


@pytest.mark.parametrize("by", ["offset", "factor"])
def test_the_u_of_a_closed_jump_is_that_of_its_size(by):
    """Against 400 draws: the points behind the jump share the error of the gap, √(s²(a) + s²(b)) of two lines' ends."""
    rng = np.random.default_rng(4)
    x, u = np.arange(80.0), np.full(80, 0.05)
    clean = np.where(x < 40, 10.0, 15.0)
    step = ShiftLevel(at=39.5, window=30, by=by)
    levels, told = [], []
    for _ in range(400):
        made = step.apply(cs.Curve(x, clean + rng.normal(0, 0.05, 80), u)).curve
        levels.append(made.y[60])
        told.append(made.u[60])
    assert np.sqrt(np.mean(np.square(told))) == pytest.approx(np.std(levels), rel=0.12)
