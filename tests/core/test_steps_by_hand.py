"""Steps against the same rule written out plainly: a loop, a closed form, another library's call."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal
from scipy.interpolate import CubicHermiteSpline

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.steps.axis import CalibrateX, Resample
from curvesieve.core.steps.bridge import Bridge
from curvesieve.core.steps.combine import Average, Combine
from curvesieve.core.steps.level import Scale, ShiftLevel, Zero
from curvesieve.core.steps.lines import TABLES
from curvesieve.core.steps.repair import DespikeDifferences, running_noise
from curvesieve.core.steps.smooth import Smooth
from curvesieve.core.steps.transform import Spectrum


def rng(seed: int) -> np.random.Generator:
    return np.random.default_rng(seed)


class Donors:
    def __init__(self, *curves: cs.Curve) -> None:
        self.curves = list(curves)

    def curve(self, name: str) -> cs.Curve:
        return self.curves[0]

    def family(self) -> list[cs.Curve]:
        return self.curves


# -- one curve with another ------------------------------------------------------------------------


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
    assert np.isnan(passed.drawn[[0, 1, 2, 8, 9]]).all()
    np.testing.assert_array_equal(passed.drawn[3:8], np.ones(5))


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


# -- repair ----------------------------------------------------------------------------------------


def _whitaker_hayes(y: np.ndarray, threshold: float, reach: int) -> tuple[np.ndarray, np.ndarray]:
    """The published rule in a loop: modified z scores of ∇y, then the mean of the good neighbours."""
    steps = np.diff(y)
    median = np.median(steps)
    z = np.abs(0.6745 * (steps - median) / np.median(np.abs(steps - median)))
    caught = [
        i
        for i in range(1, y.size - 1)
        if z[i - 1] > threshold and z[i] > threshold and (steps[i - 1] - median) * (steps[i] - median) < 0
    ]
    patched = y.copy()
    for i in caught:
        near = [j for j in range(max(i - reach, 0), min(i + reach, y.size - 1) + 1) if j not in caught]
        patched[i] = np.mean([y[j] for j in near])
    return np.array(caught), patched


@pytest.mark.parametrize("reach", [1, 3, 8])
@pytest.mark.parametrize("seed", range(4))
def test_despike_by_differences_is_the_published_rule(reach, seed):
    y = 0.4 * np.arange(300) + rng(seed).normal(0, 1, 300)  # a slope, so that the median step is not 0
    places = rng(seed).choice(np.arange(1, 299), 12, replace=False)
    y[places] += rng(seed).choice([-1, 1], 12) * rng(seed).uniform(15, 60, 12)
    caught, patched = _whitaker_hayes(y, 8.0, reach)
    passed = DespikeDifferences(reach=reach).apply(cs.Curve(np.arange(300.0), y, np.full(300, 0.01)))
    np.testing.assert_array_equal(passed.caught.points, caught)
    assert caught.size > 5
    np.testing.assert_allclose(passed.curve.y, patched, rtol=1e-12)
    steps = np.diff(y)
    scale = np.median(np.abs(steps - np.median(steps))) / 0.6745 / np.sqrt(2)  # a difference has twice the variance
    np.testing.assert_allclose(passed.curve.u[caught], scale, rtol=1e-3)
    assert (np.delete(passed.curve.u, caught) == 0.01).all()
    assert (passed.curve.flags[caught] == Flag.PATCHED).all()


def test_the_noise_around_a_point_is_that_which_was_drawn():
    noise = np.where(np.arange(40_000) < 20_000, 0.5, 3.0)
    y = 1e3 + 2.0 * np.arange(40_000) + rng(1).normal(0, noise)
    found = running_noise(y, 2_001)
    assert found[10_000] == pytest.approx(0.5, rel=0.06)
    assert found[30_000] == pytest.approx(3.0, rel=0.06)


def _by_definition(x, y, low, high, width, ends):
    """The bridge as its help tells it, for a straight line and no noise."""
    left = (x >= low - width) & (x < low)
    right = (x > high) & (x <= high + width)
    flanks = left | right
    slope, offset = np.polyfit(x[flanks], y[flanks], 1)
    line = lambda at: offset + slope * at  # noqa: E731
    sigma = np.sqrt(np.sum((y[flanks] - line(x[flanks])) ** 2) / (flanks.sum() - 2))
    misses, tilts = [], []
    for side, edge in ((left, low), (right, high)):
        near = np.flatnonzero(side)
        near = near[np.argsort(np.abs(x[near] - edge))][:9]
        miss = y[near] - line(x[near])
        value = miss.mean()
        misses.append(value if abs(value) > 3 * sigma / 3 else 0.0)
        tilt = np.polyfit(x[near] - edge, miss, 1)[0]
        tilts.append(tilt if abs(tilt) > 3 * sigma / (3 * np.std(x[near])) else 0.0)
    band = x[(x >= low) & (x <= high)]
    if ends == "value":
        return line(band) + np.interp(band, [low, high], misses)
    return line(band) + CubicHermiteSpline([low, high], misses, tilts)(band)


@pytest.mark.parametrize("ends", ["value", "value and slope"])
def test_the_ends_of_a_bridge_meet_their_flanks_as_told(ends):
    x = np.linspace(0, 10, 401)
    y = np.where(x < 5, 1.0 + 0.8 * x, 9.0 - 0.5 * x) + 0.3 * np.sin(3 * x)
    wild = y.copy()
    wild[(x > 4.4) & (x < 5.6)] = 77.0
    made = Bridge(low=4.4, high=5.6, law="line", flank=2.5, ends=ends).apply(cs.Curve(x, wild)).curve
    inside = (x >= 4.4) & (x <= 5.6)
    wanted = _by_definition(x, wild, 4.4, 5.6, 2.5, ends)
    np.testing.assert_allclose(made.y[inside], wanted, rtol=1e-9)
    plain = Bridge(low=4.4, high=5.6, law="line", flank=2.5, ends="as fitted").apply(cs.Curve(x, wild)).curve
    assert np.abs(made.y - plain.y)[inside].max() > 0.5, "the ends were moved"


def test_the_u_of_a_bridge_is_that_of_its_law_and_of_a_point():
    x = np.linspace(0, 10, 101)
    y = 2 + 3 * x + rng(3).normal(0, 0.2, x.size)
    band = (x >= 4) & (x <= 6)
    flanks = ~band & (x >= 2) & (x <= 8)
    made = Bridge(low=4, high=6, law="line", ends="as fitted").apply(cs.Curve(x, y)).curve
    design = np.column_stack([np.ones(flanks.sum()), x[flanks]])
    values, (rss,), *_ = np.linalg.lstsq(design, y[flanks], rcond=None)
    sigma2 = rss / (flanks.sum() - 2)
    rows = np.column_stack([np.ones(band.sum()), x[band]])
    law = np.einsum("ij,jk,ik->i", rows, np.linalg.inv(design.T @ design) * sigma2, rows)
    np.testing.assert_allclose(made.y[band], rows @ values, rtol=1e-9)
    np.testing.assert_allclose(made.u[band], np.sqrt(law + sigma2), rtol=1e-9)
    np.testing.assert_allclose(made.u[~band], np.sqrt(sigma2), rtol=1e-9)


@pytest.mark.parametrize("by", ["offset", "factor"])
def test_a_jump_between_two_straight_lines_is_closed_exactly(by):
    x = np.linspace(0, 10, 101)
    y = 20 + 0.5 * x
    jumped = np.where(x > 6.02, y + 3 if by == "offset" else y * 1.5, y)
    at = 6.05 if by == "offset" else None
    u = np.full(x.size, 0.1)
    passed = ShiftLevel(at=at, by=by, window=10).apply(cs.Curve(x, jumped, u))
    np.testing.assert_allclose(passed.curve.y, y, rtol=1e-9)
    moved = np.flatnonzero(x > 6.02)
    np.testing.assert_array_equal(passed.caught.points, moved)
    np.testing.assert_allclose(passed.curve.u[moved], 0.1 if by == "offset" else 0.1 / 1.5, rtol=1e-6)
    noisy = jumped + rng(5).normal(0, 0.05, x.size)
    again = ShiftLevel(at=6.05, by=by, window=10).apply(cs.Curve(x, noisy, np.full(x.size, 1e-9))).curve
    before, behind = slice(51, 61), slice(61, 71)
    sides = []
    for part in (before, behind):
        values, cov = np.polyfit(x[part] - 6.05, noisy[part], 1, cov=True)
        sides.append((values[1], np.sqrt(cov[1, 1])))
    (a, ua), (b, ub) = sides
    if by == "offset":
        np.testing.assert_allclose(again.y[61:], noisy[61:] + a - b, rtol=1e-9)
        np.testing.assert_allclose(again.u[61:], np.hypot(ua, ub), rtol=1e-6)
    else:
        np.testing.assert_allclose(again.y[61:], noisy[61:] * a / b, rtol=1e-9)
        np.testing.assert_allclose(again.u[61:], again.y[61:] * np.hypot(ua / a, ub / b), rtol=1e-6)


# -- level -----------------------------------------------------------------------------------------


def test_zeros_and_their_u_are_those_of_correlated_means():
    x = np.linspace(0, 10, 50)
    y, u = 7 + np.sin(x), 0.1 + 0.02 * x
    start = cs.Curve(x, y, u)
    band = (x >= 2) & (x <= 4)
    made = Zero(by="band", low=2, high=4).apply(start).curve
    np.testing.assert_allclose(made.y, y - y[band].mean(), rtol=1e-12)
    # The covariance of each point less the mean of the band, written out.
    mean = band / band.sum()
    linear = np.eye(50) - mean
    np.testing.assert_allclose(made.u, np.sqrt(np.diag(linear @ np.diag(u**2) @ linear.T)), rtol=1e-9)
    first = Zero().apply(start).curve
    np.testing.assert_allclose(first.y, y - y[0], rtol=1e-12)
    np.testing.assert_allclose(first.u[1:], np.hypot(u[1:], u[0]), rtol=1e-12)
    assert first.flags[0] == Flag.PATCHED
    assert not first.flags[1:].any()
    number = Zero(by="value", value=2.5).apply(start).curve
    np.testing.assert_allclose(number.y, y - 2.5, rtol=1e-12)
    np.testing.assert_array_equal(number.u, u)
    for by, zero in (("first point", x[0]), ("band", x[band].mean()), ("value", 2.5)):
        moved = Zero(axis="x", by=by, low=2, high=4, value=2.5).apply(start).curve
        np.testing.assert_allclose(moved.x, x - zero, atol=1e-12)
        np.testing.assert_array_equal(moved.y, y)


def test_a_preload_lies_between_two_points():
    x = np.array([0.0, 1.0, 2.0, 4.0, 5.0])
    passed = Zero(by="preload", value=3.0).apply(cs.Curve(x, [0.0, 1.0, 2.0, 6.0, 8.0]))
    np.testing.assert_allclose(passed.curve.x, [4 - 2.5, 5 - 2.5])
    np.testing.assert_array_equal(passed.caught.points, [0, 1, 2])
    at_once = Zero(by="preload", value=-1.0).apply(cs.Curve(x, [0.0, 1.0, 2.0, 6.0, 8.0]))
    np.testing.assert_array_equal(at_once.curve.x, x)
    with pytest.raises(cs.InputError, match="never reaches the preload of 9"):
        Zero(by="preload", value=9.0).apply(cs.Curve(x, x))


@pytest.mark.parametrize("factor", [1e-12, 1.0, 1e12])
def test_scales_are_the_reference_they_name(factor):
    x = np.linspace(0, 10, 21)
    y = factor * (2 + np.sin(x))
    start = cs.Curve(x, y, np.abs(0.1 * y))
    inside = (x >= 3) & (x <= 5)
    references = {
        "maximum": y.max(), "area": np.trapezoid(y[inside], x[inside]), "band": y[inside].mean(), "point": y[14],
    }  # fmt: skip
    for by, reference in references.items():
        made = Scale(by=by, low=3, high=5, at=7.1).apply(start).curve
        np.testing.assert_allclose(made.y, y / reference, rtol=1e-12)
        np.testing.assert_allclose(made.u, start.u / abs(reference), rtol=1e-12)
        assert made.y_unit == ""
    turned = Scale(by="factor", factor=-2).apply(start).curve
    np.testing.assert_allclose(turned.y, -2 * y)
    np.testing.assert_allclose(turned.u, 2 * start.u)
    wide = Scale(axis="x", by="factor", factor=-2).apply(start).curve
    np.testing.assert_allclose(wide.x, -2 * x)
    np.testing.assert_array_equal(wide.y, y)


# -- spectra and smoothing -------------------------------------------------------------------------


@pytest.mark.parametrize("padding", [1, 2])
def test_amplitudes_and_phases_are_those_of_the_cosines_put_in(padding):
    n, begin, step = 64, 3.0, 0.25
    x = begin + step * np.arange(n)
    put = {0: (1.5, 0.0), 4: (2.0, 0.7), 11: (0.5, -2.1), 32: (0.25, 0.0)}  # bins: amplitude, phase at x = 0
    frequency = np.arange(n // 2 + 1) / (n * step)
    y = np.zeros(n)
    for k, (amplitude, phase) in put.items():
        turn = 2 * np.pi * frequency[k]
        y += amplitude * np.cos(turn * x + (phase if k != 32 else -turn * begin))
    plain = {"window": "none", "detrend": "none", "padding": padding}
    made = {show: Spectrum(show=show, **plain).apply(cs.Curve(x, y)).curve for show in ("amplitude", "phase", "power")}
    np.testing.assert_allclose(made["amplitude"].x[::padding], frequency, rtol=1e-12)
    wanted = np.zeros(n // 2 + 1)
    for k, (amplitude, _) in put.items():
        wanted[k] = amplitude
    if padding == 1:
        np.testing.assert_allclose(made["amplitude"].y, wanted, atol=1e-12)
        phases = made["phase"].y
        assert phases[4] == pytest.approx(0.7, abs=1e-9)
        assert phases[11] == pytest.approx(-2.1, abs=1e-9)
        assert (phases[wanted == 0] == 0).all(), "where there is no amplitude, a phase means nothing"
        power = made["power"].y
        np.testing.assert_allclose(power[[0, 4, 11, 32]], [1.5**2, 2.0, 0.125, 0.25**2], rtol=1e-9)
        assert power.sum() == pytest.approx(np.mean(y**2), rel=1e-12)
    else:
        np.testing.assert_allclose(made["amplitude"].y[::2][:-1], wanted[:-1], atol=1e-12)


@pytest.mark.parametrize("window", ["hann", "hamming", "blackman", "flattop"])
def test_windowed_amplitudes_are_scipys(window):
    x = 0.1 * np.arange(200)
    y = 3 + np.sin(2 * np.pi * 1.3 * x) + rng(2).normal(0, 0.2, x.size)
    made = Spectrum(window=window, detrend="line").apply(cs.Curve(x, y)).curve
    frequency, spectrum = scipy.signal.periodogram(
        scipy.signal.detrend(y), fs=10.0, window=window, detrend=False, scaling="spectrum", return_onesided=True
    )
    np.testing.assert_allclose(made.x, frequency, rtol=1e-12)
    # A one-sided power spectrum holds A²/2 of a sine, and all of a constant and of the Nyquist frequency.
    share = np.full(frequency.size, 2.0)
    share[[0, -1]] = 1.0
    np.testing.assert_allclose(made.y, np.sqrt(spectrum * share), rtol=1e-9, atol=1e-12)


def test_smoothing_says_by_how_much_it_moved_the_points():
    x = np.linspace(0, 10, 2000)
    y = np.sin(x) + rng(1).normal(0, 0.1, x.size)
    passed = Smooth(method="gaussian", width=4).apply(cs.Curve(x, y))
    share = float(passed.message.removeprefix("took away ").split(" × ")[0])
    assert share == pytest.approx(np.sqrt(np.mean((passed.curve.y - y) ** 2)) / 0.1, rel=0.05)
    assert passed.message.endswith("× the noise")
    narrow = y + 20 * np.exp(-(((x - 5) / 0.02) ** 2))
    assert "signal may go with it" in Smooth(method="gaussian", width=40).apply(cs.Curve(x, narrow)).message
    steps = np.cumsum(rng(2).uniform(0.5, 1.5, 2000))
    assert "x is uneven" in Smooth().apply(cs.Curve(steps, y)).message
    known = Smooth().apply(cs.Curve(x, y, np.full(x.size, 0.1))).message
    assert known.endswith("u of neighbours is correlated")
    assert Smooth().apply(cs.Curve(x, np.zeros(x.size))).message == "took away 0"


def test_a_reference_point_need_not_be_measured_but_must_lie_on_the_curve():
    start = cs.Curve(np.arange(10.0), 2.0 + np.arange(10.0))
    made = Scale(by="point", at=6.6).apply(start).curve
    np.testing.assert_allclose(made.y, start.y / 9.0)
    for at in (-0.1, 9.1):
        with pytest.raises(cs.InputError, match="lies outside the curve"):
            Scale(by="point", at=at).apply(start)


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
