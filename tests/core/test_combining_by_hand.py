"""Curves with other curves, and x with its references, against the law of propagation and plain least squares."""

from __future__ import annotations

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.steps.axis import CalibrateX, Resample
from curvesieve.core.steps.combine import Average, Combine
from curvesieve.core.steps.reference_lines import TABLES


def rng(seed: int) -> np.random.Generator:
    return np.random.default_rng(seed)


class Donors:
    def __init__(self, *curves: cs.Curve) -> None:
        self.curves = list(curves)

    def curve(self, name: str) -> cs.Curve:
        return self.curves[0]

    def family(self) -> list[cs.Curve]:
        return self.curves


@pytest.mark.parametrize("ours", [None, 0.3])
@pytest.mark.parametrize("theirs", [None, 0.2])
@pytest.mark.parametrize("operation", ["subtract", "add", "multiply", "divide"])
@pytest.mark.parametrize("factor", [1.0, -2.5])
def test_u_of_a_combination_is_that_of_the_law_of_propagation(ours, theirs, operation, factor):
    x, donor_x = np.linspace(1, 9, 33), np.linspace(0, 10, 41)
    one = cs.Curve(x, 5 + np.sin(x), None if ours is None else np.full(33, ours))
    u_donor = None if theirs is None else theirs * (1 + 0.1 * donor_x)
    two = cs.Curve(donor_x, 3 + 0.2 * donor_x, u_donor)
    made = Combine(operation=operation, donor="b", factor=factor).apply_among(one, Donors(two)).curve
    # On a straight line between two points the donor's variance is (1 − t)²·u₀² + t²·u₁².
    place = np.searchsorted(donor_x, x, side="right") - 1
    t = (x - donor_x[place]) / (donor_x[place + 1] - donor_x[place])
    other, u_other = factor * (3 + 0.2 * x), np.zeros(33)
    if u_donor is not None:
        u_other = abs(factor) * np.hypot((1 - t) * u_donor[place], t * u_donor[place + 1])
    u_one = np.full(33, ours or 0.0)
    y, u = {
        "subtract": (one.y - other, np.hypot(u_one, u_other)),
        "add": (one.y + other, np.hypot(u_one, u_other)),
        "multiply": (one.y * other, np.hypot(u_one * other, u_other * one.y)),
        "divide": (one.y / other, np.hypot(u_one / other, u_other * one.y / other**2)),
    }[operation]
    np.testing.assert_allclose(made.y, y, rtol=1e-12)
    if ours is None and theirs is None:
        assert made.u is None
    else:
        np.testing.assert_allclose(made.u, u, rtol=1e-9)


def test_points_that_the_other_curve_does_not_reach_are_dropped_and_counted():
    x = np.arange(10.0)
    passed = Combine(donor="b").apply_among(cs.Curve(x, x), Donors(cs.Curve(x[3:8], np.ones(5))))
    np.testing.assert_array_equal(passed.curve.x, x[3:8])
    np.testing.assert_array_equal(passed.curve.y, x[3:8] - 1)
    np.testing.assert_array_equal(passed.caught.points, [0, 1, 2, 8, 9])
    assert "5 points beyond its ends dropped" in passed.message
    (line,) = passed.shapes
    np.testing.assert_array_equal((line.x, line.y), (passed.curve.x, np.ones(5)))


def test_an_average_of_equal_scatter_has_the_mean_and_its_pooled_u():
    x = np.linspace(0, 1, 200)
    curves = [cs.Curve(x, 4 + x + rng(k).normal(0, 0.3, x.size)) for k in range(6)]
    made = Average().apply_among(curves[0], Donors(*curves[1:])).curve
    stack = np.array([c.y for c in curves])
    np.testing.assert_allclose(made.y, stack.mean(axis=0), rtol=1e-12)
    pooled = np.sqrt(stack.var(axis=0, ddof=1).mean() / 6)
    np.testing.assert_allclose(made.u, pooled, rtol=1e-9)


def test_replicates_in_other_units_are_averaged_in_those_of_the_curve():
    """Two strips in kN over mm, one in N over cm: the mean of 1,000 N and 3 kN is 2 kN."""
    x = np.linspace(0, 10, 50)
    one = cs.Curve(x, 1 + 0.1 * x + rng(1).normal(0, 0.01, 50), x_unit="mm", y_unit="kN")
    two = cs.Curve(x / 10, 1000 * (3 + 0.1 * x) + rng(2).normal(0, 10, 50), x_unit="cm", y_unit="N")
    made = Average().apply_among(one, Donors(two)).curve
    np.testing.assert_allclose(made.y, (one.y + two.y / 1000) / 2, rtol=1e-12)
    assert (made.x_unit, made.y_unit) == ("mm", "kN")
    for other, sentence in (
        (cs.Curve(x, x, x_unit="mm", y_unit="mm"), "y of b is in mm, here in kN; they do not match"),
        (cs.Curve(x, x, x_unit="s", y_unit="kN"), "x of b is in s, here in mm; they do not match"),
    ):
        for step in (Average(donors=("b",)), Combine(donor="b")):
            with pytest.raises(cs.InputError, match=sentence):
                step.apply_among(one, Donors(other))
    unsaid = Average().apply_among(one, Donors(cs.Curve(x, 3 + 0.1 * x))).curve
    np.testing.assert_allclose(unsaid.y, (one.y + 3 + 0.1 * x) / 2, rtol=1e-12)
    warm = cs.Curve(x, 20 + x, np.full(50, 0.5), x_unit="mm", y_unit="°C")
    cold = cs.Curve(x, 293.15 + x + 2 * np.sin(x), x_unit="mm", y_unit="K")
    np.testing.assert_allclose(Average().apply_among(warm, Donors(cold)).curve.y, 20 + x + np.sin(x), rtol=1e-12)


@pytest.mark.parametrize("operation", ["subtract", "add", "multiply", "divide"])
def test_a_blank_in_another_unit_is_converted_with_its_u(operation):
    x = np.linspace(1, 9, 20)
    one = cs.Curve(x, 5 + x, np.full(20, 0.1), x_unit="mm", y_unit="kN")
    blank = cs.Curve(x / 10, np.full(20, 2000.0), np.full(20, 300.0), x_unit="cm", y_unit="N")
    made = Combine(operation=operation, donor="b").apply_among(one, Donors(blank)).curve
    if operation in ("subtract", "add"):
        sign = -1 if operation == "subtract" else 1
        np.testing.assert_allclose(made.y, 5 + x + sign * 2.0, rtol=1e-12)
        assert made.u[0] == pytest.approx(np.hypot(0.1, 0.3), rel=1e-9)
        assert made.y_unit == "kN"
    else:
        factor = 2000.0 if operation == "multiply" else 1 / 2000.0
        np.testing.assert_allclose(made.y, (5 + x) * factor, rtol=1e-12)
        assert made.y_unit == {"multiply": "kN·N", "divide": "kN·N^-1"}[operation]


def test_another_curves_x_is_taken_in_this_curves_unit():
    x = np.linspace(0, 10, 11)
    one = cs.Curve(x, x**2, x_unit="mm", y_unit="N")
    donor = cs.Curve(np.array([0.05, 0.25, 0.7]), np.ones(3), x_unit="cm", y_unit="K")
    made = Resample(onto="another curve", donor="b", method="cubic spline").apply_among(one, Donors(donor)).curve
    np.testing.assert_allclose(made.x, [0.5, 2.5, 7.0])
    np.testing.assert_allclose(made.y, [0.25, 6.25, 49.0])
    apart = cs.Curve(x, x, x_unit="s")
    with pytest.raises(cs.InputError, match="x of b is in s, here in mm"):
        Resample(onto="another curve", donor="b").apply_among(one, Donors(apart))


# -- reference lines -------------------------------------------------------------------------------


def _planes(most: int, allowed) -> list[int]:
    """h² + k² + l² of a cubic lattice's reflections, each sum once, in rising order."""
    sums = {
        h * h + k * k + m * m
        for h in range(7) for k in range(7) for m in range(7)
        if (h or k or m) and allowed(h, k, m)
    }  # fmt: skip
    return sorted(sums)[:most]


def test_reference_lines_are_those_of_the_standards():
    # Shift standards of ASTM E1840, a second time from memory.
    told = {
        "cyclohexane": "384.1 426.3 801.3 1028.3 1157.6 1266.4 1444.4 2664.4 2852.9 2923.8 2938.3",
        "polystyrene": "620.9 795.8 1001.4 1031.8 1155.3 1450.5 1583.1 1602.3 2852.4 2904.5 3054.3",
        "paracetamol": "213.3 329.2 390.9 465.1 504.0 651.6 710.8 797.2 834.5 857.9 968.7 1105.5 1168.5 1236.8 1278.5 "
                       "1323.9 1371.5 1515.1 1561.5 1648.4 2931.1 3064.6 3102.4 3326.6",
        "silicon, Raman": "520.7",
    }  # fmt: skip
    for name, lines in told.items():
        np.testing.assert_array_equal(TABLES[name], [float(line) for line in lines.split()])
    # Diamond lattice: all odd, or all even with a sum that four divides; primitive cubic: all. Bragg: λ = 2 d sin θ.
    diamond = _planes(9, lambda h, k, m: (h % 2 == k % 2 == m % 2) and (h % 2 == 1 or (h + k + m) % 4 == 0))
    simple = _planes(10, lambda h, k, m: True)
    for name, lattice, sums in (("silicon, Cu Kα1", 5.4312, diamond), ("LaB6, Cu Kα1", 4.1569, simple)):
        two_theta = 2 * np.degrees(np.arcsin(1.540593 * np.sqrt(np.array(sums)) / (2 * lattice)))
        np.testing.assert_allclose(TABLES[name][: len(sums)], two_theta, atol=2e-6)
        assert TABLES[name].size == len(sums)


def test_lines_are_brought_to_their_references_by_least_squares():
    measured, wanted = np.array([380.0, 800.0, 1030.0, 1450.0]), np.array([384.1, 801.3, 1028.3, 1444.4])
    x = np.linspace(300, 1500, 241)
    for order in (0, 1, 2):
        passed = CalibrateX(measured=measured, references=wanted, order=order).apply(cs.Curve(x, x))
        correction = np.polyfit(measured, wanted - measured, order)
        np.testing.assert_allclose(passed.curve.x, x + np.polyval(correction, x), rtol=1e-10)
        rest = wanted - measured - np.polyval(correction, measured)
        assert f"standard deviation {np.sqrt(rest @ rest / (3 - order)):.3g}" in passed.message
        by_table = CalibrateX(measured=measured, table="cyclohexane", order=order).apply(cs.Curve(x, x))
        np.testing.assert_array_equal(by_table.curve.x, passed.curve.x)
    exact = CalibrateX(measured=measured, references=wanted, order=3).apply(cs.Curve(x, x))
    assert exact.message == "4 lines, residuals +0, +0, +0, +0"
    for step, sentence in (
        (CalibrateX(measured=(1.0,), references=(2.0,), order=1), "order 1 needs 2 lines, and 1 are given"),
        (CalibrateX(), "no measured line is given"),
        (CalibrateX(measured=(5.0, 5.0), references=(4.0, 6.0)), "same position"),
        (CalibrateX(measured=(400.0, 1400.0), references=(1400.0, 400.0), order=1), "fold x over itself"),
        (CalibrateX(measured=(800.0, 801.0), table="cyclohexane"), "nearest to the same line of cyclohexane"),
        (CalibrateX(measured=(800.0,)), "give the reference lines"),
        (CalibrateX(measured=(800.0,), table="cyclohexan"), "no table of lines 'cyclohexan'"),
    ):
        with pytest.raises(cs.InputError, match=sentence):
            step.apply(cs.Curve(x, x))


def test_an_average_stands_where_all_replicates_reach_and_the_rest_is_caught():
    x = np.arange(12.0)
    one = cs.Curve(x, 3 + x)
    two = cs.Curve(x[2:], 4 + x[2:])
    three = cs.Curve(x[:9], 5 + x[:9])
    passed = Average().apply_among(one, Donors(two, three))
    np.testing.assert_array_equal(passed.curve.x, x[2:9])
    np.testing.assert_allclose(passed.curve.y, 4 + x[2:9])
    np.testing.assert_array_equal(passed.caught.points, [0, 1, 9, 10, 11])
    with pytest.raises(cs.InputError, match="no x in common"):
        Average().apply_among(one, Donors(cs.Curve(x + 50, x)))
