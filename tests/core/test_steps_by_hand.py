"""Steps against the same rule written out plainly: a loop, a closed form, another library's call."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.signal
from pybaselines import Baseline as Library
from scipy.interpolate import CubicHermiteSpline, CubicSpline, PchipInterpolator

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.steps import StepSlot
from curvesieve.core.steps.baseline import Baseline
from curvesieve.core.steps.bridge import Bridge
from curvesieve.core.steps.combine import Average
from curvesieve.core.steps.level import Scale, ShiftLevel, Zero
from curvesieve.core.steps.repair import DespikeDifferences, running_noise
from curvesieve.core.steps.sieve import through
from curvesieve.core.steps.smooth import Smooth
from curvesieve.core.steps.transform import Spectrum


def rng(seed: int) -> np.random.Generator:
    return np.random.default_rng(seed)


# -- repair -----------------------------------------------------------------------------------------


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


# -- level ------------------------------------------------------------------------------------------


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


# -- spectra and smoothing --------------------------------------------------------------------------


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


# -- baselines -------------------------------------------------------------------------------------


def test_baselines_through_anchors_are_lines_and_natural_splines():
    x = np.linspace(0, 10, 401)
    y = 5 + 0.1 * x**2
    curve = cs.Curve(x, y)
    heights = (2.0, 3.0, 5.0, 4.0)
    anchors = (9.0, 1.0, 4.0, 6.5)
    two = Baseline(method="anchors", anchors=(8.0, 2.0), heights=(5.0, 2.0)).apply(curve)
    np.testing.assert_allclose(two.shapes[0].y, 2 + 0.5 * (x - 2), rtol=1e-12)
    np.testing.assert_allclose(two.curve.y, y - two.shapes[0].y, rtol=1e-12)
    order = np.argsort(anchors)
    spline = CubicSpline(np.array(anchors)[order], np.array(heights)[order], bc_type="natural")
    made = Baseline(method="anchors", anchors=anchors, heights=heights).apply(curve).shapes[0].y
    inside = (x >= 1) & (x <= 9)
    np.testing.assert_allclose(made[inside], spline(x[inside]), rtol=1e-12)
    np.testing.assert_allclose(made[x > 9], spline(9.0) + spline(9.0, 1) * (x[x > 9] - 9), rtol=1e-12)
    np.testing.assert_allclose(made[x < 1], spline(1.0) + spline(1.0, 1) * (x[x < 1] - 1), rtol=1e-12)
    one = Baseline(method="anchors", anchors=(3.0,), heights=(7.0,)).apply(curve).shapes[0].y
    assert set(one) == {7.0}
    # Without heights: the median of the five points nearest to each anchor (of 401: two on each side).
    read = Baseline(method="anchors", anchors=(2.0, 8.0)).apply(curve).shapes[0].y
    at = [np.median(y[np.argsort(np.abs(x - a), kind="stable")[:5]]) for a in (2.0, 8.0)]
    np.testing.assert_allclose(read, np.interp(x, [2.0, 8.0], at) + np.where(
        x < 2, (x - 2) * (at[1] - at[0]) / 6, np.where(x > 8, (x - 8) * (at[1] - at[0]) / 6, 0)
    ), rtol=1e-12)  # fmt: skip
    through = Baseline(method="polynomial", order=2, anchors=anchors[:3], heights=heights[:3]).apply(curve).shapes[0].y
    np.testing.assert_allclose(through, np.polyval(np.polyfit(anchors[:3], heights[:3], 2), x), rtol=1e-9)
    band = Baseline(method="polynomial", order=1, low=2, high=5).apply(curve).shapes[0].y
    chosen = (x >= 2) & (x <= 5)
    np.testing.assert_allclose(band, np.polyval(np.polyfit(x[chosen], y[chosen], 1), x), rtol=1e-9)
    level = Baseline(method="constant", low=2, high=5).apply(curve).shapes[0].y
    assert set(level) == {np.median(y[chosen])}
    short = cs.Curve(x[:21], y[:21])
    for method, widest in (("snip", Library(short.x).snip(short.y, max_half_window=10)[0]),
                           ("rolling ball", Library(short.x).rolling_ball(short.y, half_window=10)[0])):  # fmt: skip
        np.testing.assert_allclose(
            Baseline(method=method, half_window=900).apply(short).shapes[0].y, widest, rtol=1e-12
        )
    assert Baseline.fitted_to(curve).half_window == 20
    assert Baseline.fitted_to(cs.Curve(x[:40], y[:40])).half_window == 5


def test_what_is_left_out_keeps_its_u_or_gets_a_usual_one():
    x = np.linspace(0, 10, 40)
    flags = np.zeros(40, np.uint8)
    flags[[3, 20]] = Flag.LEFT_OUT
    y = np.sin(x) + rng(0).normal(0, 0.1, 40)
    y[[3, 20]] = 99.0
    known = through(StepSlot(id="s", rule=Smooth(window=5)), cs.Curve(x, y, 0.1 + 0.01 * x, flags=flags), None).after
    np.testing.assert_allclose(known.u[[3, 20]], (0.1 + 0.01 * x)[[3, 20]])
    np.testing.assert_array_equal(known.y[[3, 20]], [99.0, 99.0])
    replicates = [cs.Curve(x, np.sin(x) + rng(k).normal(0, 0.1, 40)) for k in (1, 2, 3)]

    class Family:
        def family(self):
            return replicates

    bare = through(StepSlot(id="s", rule=Average()), cs.Curve(x, y, flags=flags), Family()).after
    used = np.delete(np.arange(40), [3, 20])
    assert bare.u[3] == bare.u[20] == pytest.approx(np.median(bare.u[used]))
    np.testing.assert_array_equal(bare.y[[3, 20]], [99.0, 99.0])


def test_the_u_of_a_monotone_bridge_is_that_of_the_means_it_runs_through():
    """Through the means of three parts of each flank: their u, carried by drawing the means again."""
    x = np.linspace(0, 10, 301)
    y = np.sqrt(1 + x) + rng(1).normal(0, 0.05, x.size)
    made = Bridge(low=4, high=6, law="pchip", flank=4, ends="as fitted").apply(cs.Curve(x, y)).curve
    sides = [np.flatnonzero((x >= 0) & (x < 4)), np.flatnonzero((x > 6) & (x <= 10))]
    parts = [part for side in sides for part in np.array_split(side, 3)]
    centers, means = (np.array([v[part].mean() for part in parts]) for v in (x, y))
    band = (x >= 4) & (x <= 6)
    np.testing.assert_allclose(made.y[band], PchipInterpolator(centers, means)(x[band]), rtol=1e-9)
    rest = np.concatenate([y[p] - np.polyval(np.polyfit(x[p], y[p], 1), x[p]) for p in parts])
    noise = np.sqrt(rest @ rest / (rest.size - 12))
    u = noise / np.sqrt([part.size for part in parts])
    drawn = [PchipInterpolator(centers, means + rng(k).normal(0, u))(x[band]) for k in range(3000)]
    flanks = np.concatenate(parts)
    off = y[flanks] - PchipInterpolator(centers, means)(x[flanks])
    sigma = np.sqrt(off @ off / (flanks.size - 6))
    np.testing.assert_allclose(made.u[band], np.hypot(np.std(drawn, axis=0), sigma), rtol=0.02)
