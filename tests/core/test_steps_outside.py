"""The steps against the outside: published tables, SciPy, pybaselines, analytic results, Monte Carlo propagation."""

from __future__ import annotations

import numpy as np
import pytest
import scipy.interpolate
import scipy.signal
from pybaselines import Baseline as Library
from pybaselines.utils import gaussian

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.steps.axis import CalibrateX, Resample
from curvesieve.core.steps.baseline import Baseline
from curvesieve.core.steps.bridge import LAWS, Bridge
from curvesieve.core.steps.combine import Average, Combine
from curvesieve.core.steps.level import Scale, ShiftLevel, Zero
from curvesieve.core.steps.reference_lines import TABLES, add_tables
from curvesieve.core.steps.repair import Despike, DespikeDifferences
from curvesieve.core.steps.smooth import Smooth
from curvesieve.core.steps.transform import ReExpress, RunningArea, Slope, Spectrum
from curvesieve.core.steps.trim import LeaveOut, SortMerge


def curve(x, y, u=None, **units) -> cs.Curve:
    return cs.Curve(np.asarray(x, float), np.asarray(y, float), u, **units)


def impulse(n: int = 41) -> cs.Curve:
    y = np.zeros(n)
    y[n // 2] = 1.0
    return curve(np.arange(n), y)


# Savitzky and Golay, Anal. Chem. 36 (1964) 1627, tables I (smoothing, quadratic and cubic) and III (first derivative,
# quadratic), as integers over the norm; from memory. Their printing errors (Steinier, Anal. Chem. 44 (1972) 1906) do
# not touch these windows.
SAVITZKY_GOLAY = [
    (5, 2, 0, 35, [-3, 12, 17, 12, -3]),
    (7, 2, 0, 21, [-2, 3, 6, 7, 6, 3, -2]),
    (9, 2, 0, 231, [-21, 14, 39, 54, 59, 54, 39, 14, -21]),
    (11, 2, 0, 429, [-36, 9, 44, 69, 84, 89, 84, 69, 44, 9, -36]),
    (7, 4, 0, 231, [5, -30, 75, 131, 75, -30, 5]),
    (5, 2, 1, 10, [-2, -1, 0, 1, 2]),
    (7, 2, 1, 28, [-3, -2, -1, 0, 1, 2, 3]),
    (7, 3, 1, 252, [22, -67, -58, 0, 58, 67, -22]),
    (5, 2, 2, 7, [2, -1, -2, -1, 2]),
]


@pytest.mark.parametrize(("window", "degree", "derivative", "norm", "weights"), SAVITZKY_GOLAY)
def test_savitzky_golay_has_the_published_coefficients(window, degree, derivative, norm, weights):
    if derivative:
        made = Slope(order=derivative, window=window, degree=degree).apply(impulse()).curve.y
    else:
        made = Smooth(window=window, order=degree).apply(impulse()).curve.y
    middle, half = 20, window // 2
    # The response to an impulse is the row of weights, turned around.
    np.testing.assert_allclose(made[middle - half : middle + half + 1][::-1], np.array(weights) / norm, atol=1e-12)


def monte_carlo(step, start: cs.Curve, runs: int = 2500) -> np.ndarray:
    """The standard deviation of what passes when y scatters by u (GUM Supplement 1, JCGM 101)."""
    rng = np.random.default_rng(5)
    noise = start.u * rng.standard_normal((runs, len(start)))
    # Without u, so that it is not carried every time; where u weighs the mean, it must come along.
    u = start.u if isinstance(step, SortMerge) else None
    made = [step.apply(start.with_y(start.y + row, u, start.flags)).curve.y for row in noise]
    return np.std(made, axis=0)


SMOOTH_Y = 20 + 5 * np.sin(np.arange(60) / 5)
PROPAGATED = [
    Smooth(window=9), Smooth(method="moving mean", window=7), Smooth(method="gaussian", width=2),
    Smooth(method="whittaker", strength=1), Smooth(method="spline", strength=1), Slope(window=9),
    Slope(method="spline"),
    Slope(order=2, window=11), RunningArea(), Resample(method="linear", spacing=0.37), Zero(by="band", low=2, high=12),
    Resample(method="cubic spline", spacing=0.37), Zero(by="first point"),
    ReExpress(new_y="log(y)"), ReExpress(new_y="x^2*y"), ReExpress(new_x="1/(x + 1)", new_y="1/sqrt(y)"),
    Scale(by="factor", factor=-3), SortMerge(), RunningArea(zero=20.3), RunningArea(zero=59), RunningArea(zero=40),
    RunningArea(zero=0.4), RunningArea(zero=58.5),
]  # fmt: skip


@pytest.mark.parametrize("step", PROPAGATED, ids=lambda step: f"{step.slug}, {step.digest()}")
def test_u_is_what_a_monte_carlo_run_finds(step):
    x = np.arange(60.0)
    u = 0.05 * (1 + 0.5 * np.sin(x / 11))
    start = curve(np.repeat(x[:30], 2) if isinstance(step, SortMerge) else x, SMOOTH_Y, u)
    passed = step.apply(start).curve
    spread = monte_carlo(step, start)
    away = spread > 1e-9 * spread.max()  # a point that was made zero has no scatter
    # 2500 runs know a standard deviation to 1.4 %; 5 % is three and a half times that.
    np.testing.assert_allclose(passed.u[away], spread[away], rtol=0.05)


@pytest.mark.parametrize("steep", [0.0, 3.0])
@pytest.mark.parametrize(
    "step",
    [
        Resample(method="pchip", spacing=0.41), Resample(method="akima", spacing=0.41),
        Smooth(method="moving median", window=7), Smooth(method="moving median", window=15),
        RunningArea(rule="simpson", zero=21.4),
    ],
    ids=lambda step: f"{step.slug}, {step.digest()}",
)  # fmt: skip
def test_u_of_steps_that_bend_within_u(step, steep):
    """Within 15 % of a Monte Carlo run with other draws, on slopes and with an uneven u, up to the ends."""
    x = np.arange(60.0)
    u = 0.05 * (1 + 0.8 * np.sin(x / 7))
    start = curve(x, 4 * u.mean() * np.sin(x) + steep * x, u)
    spread = monte_carlo(step, start)
    away = spread > 1e-9 * spread.max()
    np.testing.assert_allclose(step.apply(start).curve.u[away], spread[away], rtol=0.15)


def test_simpsons_u_is_within_its_approximation():
    x = np.arange(61.0)
    start = curve(x, np.full(61, 3.0), np.full(61, 1.0))
    step = RunningArea(rule="simpson")
    np.testing.assert_allclose(step.apply(start).curve.u[12:], monte_carlo(step, start)[12:], rtol=0.05)


def test_the_medians_u_is_that_of_a_rank():
    """A median of 11 has √(0.1372) = 0.370 of the noise (its variance for normal values; from memory)."""
    start = curve(np.arange(400.0), np.zeros(400), np.full(400, 1.0))
    step = Smooth(method="moving median", window=11)
    found = step.apply(start).curve.u[20:-20]
    np.testing.assert_allclose(found, 0.370, rtol=0.12)  # of 500 draws: 3 % each, 360 points
    assert found.mean() == pytest.approx(0.370, rel=0.01)
    assert monte_carlo(step, start, 600)[20:-20].mean() == pytest.approx(0.370, rel=0.03)


# -- slope, area, resampling -----------------------------------------------------------------------


@pytest.mark.parametrize(("method", "order"), [("savitzky-golay", 4), ("spline", 3)])
def test_slopes_converge_with_the_order_of_their_error(method, order):
    """A cubic window over h has an error of h⁴ in the first derivative, a cubic spline one of h³."""
    errors = []
    for n in (101, 201):
        x = np.linspace(0, 3, n)
        made = Slope(method=method, window=7, degree=3).apply(curve(x, np.exp(-x) * np.sin(3 * x))).curve
        exact = np.exp(-x) * (3 * np.cos(3 * x) - np.sin(3 * x))
        errors.append(np.abs(made.y - exact)[20 * n // 100 : -20 * n // 100].max())
    assert np.log2(errors[0] / errors[1]) > order - 0.4


@pytest.mark.parametrize(("rule", "order"), [("trapezium", 2), ("simpson", 3)])
def test_areas_converge_with_the_order_of_their_error(rule, order):
    errors = []
    for n in (101, 201):
        x = np.linspace(0, 2, n)
        made = RunningArea(rule=rule, zero=0.5).apply(curve(x, np.exp(x), y_unit="N", x_unit="mm")).curve
        errors.append(np.abs(made.y - (np.exp(x) - np.exp(0.5)))[1:].max())
    assert np.log2(errors[0] / errors[1]) > order - 0.3
    assert made.y_unit in ("N·mm", "mm·N")


@pytest.mark.parametrize(
    ("method", "reference"),
    [
        ("linear", lambda x, y: scipy.interpolate.make_interp_spline(x, y, k=1)),
        ("quadratic", lambda x, y: scipy.interpolate.make_interp_spline(x, y, k=2)),
        ("cubic spline", scipy.interpolate.CubicSpline), ("pchip", scipy.interpolate.PchipInterpolator),
        ("akima", scipy.interpolate.Akima1DInterpolator),
        ("nearest", lambda x, y: scipy.interpolate.interp1d(x, y, "nearest")),
        ("previous", lambda x, y: scipy.interpolate.interp1d(x, y, "previous")),
    ],
)  # fmt: skip
def test_resampling_is_scipys(method, reference):
    rng = np.random.default_rng(1)
    x = np.sort(rng.uniform(0, 10, 40))
    y = np.sin(x) + 0.1 * x
    passed = Resample(method=method, onto="given x", values=(*np.linspace(-1, 11, 57), float(x[3]))).apply(curve(x, y))
    made = passed.curve
    assert x[0] <= made.x.min() <= made.x.max() <= x[-1]
    assert "beyond the ends not made" in passed.message
    np.testing.assert_allclose(made.y, reference(x, y)(made.x), rtol=1e-12)
    assert (made.flags == np.where(np.isin(made.x, x), 0, Flag.PATCHED)).all()
    beyond = Resample(method=method, spacing=0.5, low=-1, high=11, beyond=True).apply(curve(x, y)).curve
    assert (beyond.x[0], beyond.x[-1]) == (-1, 11)


# -- spectrum --------------------------------------------------------------------------------------


@pytest.mark.parametrize("window", ["none", "hann", "hamming", "blackman", "flattop"])
def test_a_sine_of_known_amplitude_frequency_and_phase(window):
    t = np.arange(1000) * 0.002
    y = 7 + 3.5 * np.cos(2 * np.pi * 25 * t + 0.6) + 0.5 * np.cos(2 * np.pi * 90 * t)
    made = Spectrum(window=window).apply(curve(t, y, x_unit="s", y_unit="V")).curve
    peak = int(np.argmax(made.y))
    assert made.x[peak] == pytest.approx(25, abs=1e-9)
    assert made.y[peak] == pytest.approx(3.5, rel=1e-6)
    assert made.y[np.argmin(np.abs(made.x - 90))] == pytest.approx(0.5, rel=1e-6)
    assert (made.x_unit, made.y_unit) == ("Hz", "V")
    phase = (
        Spectrum(window=window, show="phase")
        .apply(curve(t + 0.123, 3.5 * np.cos(2 * np.pi * 25 * (t + 0.123) + 0.6)))
        .curve
    )
    assert phase.y[peak] == pytest.approx(0.6, abs=1e-6)


@pytest.mark.parametrize("n", [400, 401])
def test_parsevals_identity(n):
    y = np.random.default_rng(0).normal(2, 1, n)
    made = Spectrum(window="none", detrend="none", show="power").apply(curve(np.arange(n), y)).curve
    assert made.y.sum() == pytest.approx(np.mean(y**2), rel=1e-12)


def test_uneven_x_is_said_and_lomb_scargle_finds_the_sine():
    rng = np.random.default_rng(3)
    t = np.sort(rng.uniform(0, 20, 600))
    passed = Spectrum(window="none", uneven="lomb-scargle", padding=4).apply(curve(t, 2 * np.cos(2 * np.pi * 3.3 * t)))
    made = passed.curve
    assert made.x[np.argmax(made.y)] == pytest.approx(3.3, abs=0.03)
    assert made.y.max() == pytest.approx(2, rel=0.02)
    assert "Lomb–Scargle" in passed.message
    assert "resampled" in Spectrum().apply(curve(t, np.cos(t))).message


# -- baselines -------------------------------------------------------------------------------------


def shapes():
    """pybaselines' own kind of test signal: Gaussian peaks on an exponential, a sine and a line (its examples)."""
    x = np.linspace(1, 1000, 1000)
    signal = gaussian(x, 4, 120, 5) + gaussian(x, 5, 220, 12) + gaussian(x, 5, 350, 10) + gaussian(x, 7, 400, 8)
    signal += gaussian(x, 4, 550, 6) + gaussian(x, 5, 680, 14) + gaussian(x, 4, 750, 12) + gaussian(x, 5, 880, 8)
    rng = np.random.default_rng(0)
    for base in (2 + 10 * np.exp(-x / 600), 5 + 15 * np.exp(-x / 400), 5 + 2 * np.sin(x / 150), 1 + 0.01 * x):
        yield x, signal, base, signal + base + rng.normal(0, 0.1, x.size)


DIRECT = {
    "als": lambda b, y: b.asls(y, lam=1e5, p=0.01), "arpls": lambda b, y: b.arpls(y, lam=1e5),
    "airpls": lambda b, y: b.airpls(y, lam=1e5), "snip": lambda b, y: b.snip(y, max_half_window=40),
    "rolling ball": lambda b, y: b.rolling_ball(y, half_window=40), "rubber band": lambda b, y: b.rubberband(y),
}  # fmt: skip


@pytest.mark.parametrize("method", DIRECT)
def test_baselines_are_those_of_the_library(method):
    for x, _, _, y in shapes():
        passed = Baseline(method=method).apply(curve(x, y))
        expected = DIRECT[method](Library(x), y)[0]
        np.testing.assert_allclose(passed.shapes[0].y, expected, rtol=1e-9)
        np.testing.assert_allclose(passed.curve.y, y - expected, atol=1e-9)


def test_baselines_find_the_truth_and_anchors_are_followed():
    for x, _, base, y in shapes():
        line = Baseline(method="arpls").apply(curve(x, y)).shapes[0].y
        assert np.sqrt(np.mean((line - base) ** 2)) < 0.35
        anchors = (30.0, 180.0, 280.0, 480.0, 620.0, 820.0, 970.0)
        drawn = (
            Baseline(method="anchors", anchors=anchors, heights=tuple(np.interp(anchors, x, base)))
            .apply(curve(x, y))
            .shapes[0]
            .y
        )
        assert np.abs(drawn - base).max() < 0.35
        np.testing.assert_allclose(np.interp(anchors, x, drawn), np.interp(anchors, x, base), rtol=1e-3)
    x = np.linspace(0, 10, 200)
    for order in (0, 1, 3):
        poly = np.polynomial.Polynomial(np.arange(1.0, order + 2))(x)
        np.testing.assert_allclose(
            Baseline(method="polynomial", order=order).apply(curve(x, poly)).curve.y, 0, atol=1e-9
        )


# -- bridge ----------------------------------------------------------------------------------------


def decay(x):
    """Relaxation of a made-up film: two exponentials over a plateau."""
    return 12 + 30 * np.exp(-x / 0.8) + 18 * np.exp(-x / 9)


@pytest.mark.parametrize("known", [True, False], ids=["u known", "u unknown"])
def test_a_fault_on_a_steep_decay_is_restored(known):
    """Done when: within 2u of the truth over 95 % of its points, joined to its flanks within the noise; 40 noises."""
    x = np.linspace(0, 30, 900)
    within = total = 0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        y = decay(x) + rng.normal(0, 0.15, x.size)
        fault = (x > 1.5) & (x < 4.0)
        y[fault] += 6 + 2 * np.sin(9 * x[fault])
        start = curve(x, y, np.full(x.size, 0.15) if known else None)
        passed = Bridge(low=1.5, high=4.0, law="double exponential", flank=20).apply(start)
        made = passed.curve
        inside = np.abs(made.y[fault] - decay(x[fault])) <= 2 * made.u[fault]
        within, total = within + inside.sum(), total + inside.size
        edge = np.flatnonzero(fault)[[0, -1]]
        assert np.abs(made.y[edge] - decay(x[edge])).max() < 4 * 0.15
        assert (made.flags[fault] == Flag.PATCHED).all()
        assert not made.flags[~fault].any()
        np.testing.assert_array_equal(made.y[~fault], y[~fault])
        assert passed.caught.points.size == fault.sum()
    assert within / total >= 0.95


@pytest.mark.parametrize("law", [*LAWS, "offset + slope*x", "gaussian"])
@pytest.mark.parametrize("ends", ["as fitted", "value", "value and slope"])
def test_every_law_bridges_what_it_can_describe(law, ends):
    x = np.linspace(0, 10, 400)
    truth = {
        "line": 3 + 2 * x, "polynomial": 1 + x - 0.3 * x**2 + 0.02 * x**3, "spline": np.sin(x / 3),
        "pchip": np.sqrt(1 + x),
        "exponential": 2 + 8 * np.exp(-x / 3), "double exponential": 2 + 8 * np.exp(-x / 0.7) + 4 * np.exp(-x / 6),
        "offset + slope*x": 5 - x, "gaussian": 9 * np.exp(-4 * np.log(2) * ((x - 5) / 4) ** 2),
    }[law]  # fmt: skip
    y = truth + np.random.default_rng(1).normal(0, 0.01, x.size)
    fault = (x > 4.2) & (x < 5.6)
    y[fault] = -50
    made = Bridge(low=4.2, high=5.6, law=law, flank=4.5, ends=ends).apply(curve(x, y)).curve
    assert np.abs(made.y - truth)[fault].max() < 0.06
    assert np.ptp(made.u[~fault]) == 0


def test_ends_are_brought_to_flanks_that_the_law_misses():
    x = np.linspace(0, 10, 500)
    y = np.where(x < 5, 1.0, 4.0) + np.random.default_rng(0).normal(0, 0.01, x.size)
    y[(x > 4.5) & (x < 5.5)] = 40
    made = Bridge(low=4.5, high=5.5, law="line", flank=3).apply(curve(x, y)).curve
    at = np.flatnonzero((x > 4.5) & (x < 5.5))[[0, -1]]
    np.testing.assert_allclose(made.y[at], [1.0, 4.0], atol=0.2)
    free = Bridge(low=4.5, high=5.5, law="line", flank=3, ends="as fitted").apply(curve(x, y)).curve
    assert np.abs(free.y[at] - [1.0, 4.0]).max() > 0.3


# -- levels, axes, trimming ------------------------------------------------------------------------


def test_a_jump_is_found_and_closed():
    rng = np.random.default_rng(4)
    x = np.linspace(0, 10, 400)
    smooth = 20 + 3 * np.sin(x)
    y = smooth + rng.normal(0, 0.05, x.size)
    y[230:] += 4
    made = ShiftLevel().apply(curve(x, y, np.full(400, 0.05))).curve
    assert np.abs(made.y - smooth).max() < 0.3
    assert made.u[300] > 0.05
    factored = y.copy()
    factored[230:] = (y[230:] - 4) * 1.5
    back = ShiftLevel(at=float(x[230]), by="factor").apply(curve(x, factored)).curve
    assert np.abs(back.y / smooth - 1).max() < 0.03


def test_zeros_scales_and_calibration():
    x = np.linspace(0, 5, 101)
    loaded = curve(x, np.maximum(0, 10 * (x - 1.234)), x_unit="mm", y_unit="N")
    made = Zero(axis="x", by="preload", value=2.0).apply(loaded).curve
    assert made.x[0] == pytest.approx(x[np.argmax(loaded.y >= 2)] - 1.434, abs=1e-9)
    assert Scale(by="unit", unit="kN").apply(loaded).curve.y[-1] == loaded.y[-1] / 1000
    assert Scale(by="unit", axis="x", unit="inch").apply(loaded).curve.x[-1] == pytest.approx(5 / 25.4)
    assert Scale().apply(loaded).curve.y.max() == 1
    assert Scale(by="area").apply(loaded).curve.y @ np.full(101, 0.05) == pytest.approx(1, abs=0.02)
    assert Scale(by="band", low=4, high=5).apply(loaded).curve.y[90] == pytest.approx(1, rel=0.01)
    true = TABLES["polystyrene"][[0, 2, 4, 7]]
    shifted = true * 1.001 - 3
    step = CalibrateX(measured=tuple(shifted), table="polystyrene", order=1)
    lines = curve(np.linspace(500, 1800, 50), np.zeros(50))
    passed = step.apply(lines)
    np.testing.assert_allclose(passed.curve.x, (lines.x + 3) / 1.001, atol=1e-6)
    assert "4 lines, residuals" in passed.message
    # Silicon 111 and LaB6 110 for Cu Kα1: 28.44° and 30.38°, as on the certificates (from memory).
    assert TABLES["silicon, Cu Kα1"][0] == pytest.approx(28.44, abs=0.01)
    assert TABLES["LaB6, Cu Kα1"][1] == pytest.approx(30.385, abs=0.01)


def test_users_add_their_own_tables_of_lines(tmp_path):
    (tmp_path / "neon.lines").write_text("# made-up positions\n100.5\n250.25  # strong\n")
    (tmp_path / "broken.lines").write_text("many words\n")
    assert "broken.lines" in add_tables(tmp_path)[0]
    try:
        moved = (
            CalibrateX(measured=(99.0, 249.0), table="neon", order=1)
            .apply(curve(np.arange(300.0), np.zeros(300)))
            .curve
        )
        np.testing.assert_allclose(moved.x[[99, 249]], [100.5, 250.25], atol=1e-9)
    finally:
        TABLES.pop("neon")


def test_points_are_left_out_sorted_and_merged():
    x = np.array([3.0, 1, 2, 2, 5, 4])
    made = SortMerge().apply(curve(x, x**2 + np.array([0, 0, 1, -1, 0, 0]), np.array([1, 1, 1, 2, 1, 1.0]))).curve
    assert made.x.tolist() == [1, 2, 3, 4, 5]
    assert made.y[1] == pytest.approx((5 + 3 / 4) / 1.25)
    assert made.u[1] == pytest.approx(1 / np.sqrt(1.25))
    out = LeaveOut(low=1.5, high=2.5, rule="y > 20", points=(3.0,)).apply(curve(x, x**2))
    assert out.curve.x[out.curve.flags == Flag.LEFT_OUT].tolist() == [3, 2, 2, 5]
    assert len(out.curve) == 6


class Others:
    def curve(self, name):
        x = np.linspace(-1, 12, 261)
        return curve(x, 2 + x, np.full(261, 0.3), x_unit="s", y_unit="N")

    def family(self):
        rng = np.random.default_rng(0)
        return [curve(np.linspace(-1, 11, 300), 5 + rng.normal(0, 1, 300)) for _ in range(8)]


def test_curves_are_combined_with_their_uncertainties():
    x = np.linspace(0, 10, 101)
    start = curve(x, 10 + 3 * x, np.full(101, 0.4), x_unit="s", y_unit="N")
    expected = {
        "subtract": (8 + 2 * x, 0.5), "add": (12 + 4 * x, 0.5), "divide": ((10 + 3 * x) / (2 + x), None),
        "multiply": ((10 + 3 * x) * (2 + x), None),
    }  # fmt: skip
    for operation, (y, u) in expected.items():
        made = Combine(operation=operation, donor="blank").apply_among(start, Others()).curve
        np.testing.assert_allclose(made.y, y, rtol=1e-12)
        if u:
            assert made.u[::2].max() == pytest.approx(u, rel=1e-9)
    ratio = Combine(operation="divide", donor="blank").apply_among(start, Others()).curve
    assert ratio.y_unit == ""
    assert ratio.u[0] == pytest.approx(5 * np.hypot(0.4 / 10, 0.3 / 2), rel=1e-9)
    averaged = Average().apply_among(curve(x, np.full(101, 5.0)), Others())
    assert averaged.message == "mean of 9 curves; u from their scatter, pooled over the curve"
    assert np.abs(averaged.curve.y - 5).max() < 1.5
    assert 0.1 < averaged.curve.u.mean() < 0.5


# -- despiking -------------------------------------------------------------------------------------


def spectra(count: int):
    """Made-up spectra of many shapes: peaks broad and narrow (a true one of 8 points FWHM), slopes, noise, spikes."""
    for seed in range(count):
        rng = np.random.default_rng(seed)
        n = int(rng.integers(600, 1200))
        x = np.arange(n, dtype=float)
        y = (
            rng.uniform(0, 400)
            + rng.uniform(-0.2, 0.2) * x
            + rng.uniform(0, 300) * np.exp(-(((x - n / 2) / n) ** 2) * 4)
        )
        for width in (8, 15, 40, *rng.uniform(10, 80, 4)):
            y += rng.uniform(20, 200) * np.exp(-4 * np.log(2) * ((x - rng.uniform(50, n - 50)) / width) ** 2)
        sigma = rng.uniform(1, 6)
        y += rng.normal(0, sigma, n)
        places = rng.choice(np.arange(20, n - 20, 12), 6, replace=False)
        clean = y.copy()
        y[places] += sigma * rng.uniform(6, 120, places.size)
        yield x, y, clean, places, sigma


def test_spikes_are_caught_on_500_spectra_and_peaks_survive():
    """≥ 99 % of the spikes of 6σ and more, ≤ 0.1 % false alarms."""
    hit = missed = false = points = 0
    for x, y, _, places, _ in spectra(500):
        passed = Despike().apply(curve(x, y))
        caught = set(passed.caught.points.tolist())
        high = set(places.tolist())
        hit, missed = hit + len(high & caught), missed + len(high - caught)
        false += len(caught - set(places.tolist()))
        points += x.size
    assert hit / (hit + missed) >= 0.99
    assert false / points <= 0.001
    x, y, _, places, _ = next(spectra(1))
    made = DespikeDifferences().apply(curve(x, y))
    assert set(made.caught.points.tolist()) <= set(places.tolist()) | {p + 1 for p in places} | {p - 1 for p in places}
    assert len(set(made.caught.points.tolist()) & set(places.tolist())) >= 4


# -- bad input -------------------------------------------------------------------------------------

BAD = [
    (Bridge(low=90, high=99), "no point lies between"), (Bridge(), "the band is not set"),
    (Bridge(low=3, high=4, flank=0.01), "the flanks hold"), (Bridge(low=3, high=4, law="x +"), "breaks off"),
    (Bridge(low=3, high=4, law="double exponential", flank=0.2), "needs more than 5"),
    (Smooth(window=999), "wider than the curve"), (Smooth(window=5, order=5), "needs a window of more than 5"),
    (Slope(window=999), "needs 999 points"), (Slope(order=3, degree=2), "the degree must lie between"),
    (Baseline(method="anchors"), "no anchors yet"),
    (Baseline(method="polynomial", anchors=(1.0,)), "2 needs 3 different x"),
    (Baseline(method="constant", low=70, high=80), "no point lies in the range"),
    (Scale(by="unit", unit="K"), "measure different things"), (Scale(by="unit"), "the unit is empty"),
    (Scale(axis="x", by="area"), "x cannot be normalised"), (Scale(by="point"), "is not set"),
    (Zero(by="preload", value=1e9), "never reaches the preload"),
    (Zero(by="band", low=70), "no point lies in the band"),
    (ShiftLevel(window=99), "the window needs 198 points"), (CalibrateX(), "no measured line"),
    (CalibrateX(measured=(1, 2), table="nonsense"), "no table of lines"), (LeaveOut(), "no point is named"),
    (LeaveOut(rule="y"), "compares nothing"), (LeaveOut(rule="y > -1e9"), "every point would be left out"),
    (Resample(onto="given x", values=(99.0,)), "none of the wanted x"),
    (Resample(onto="another curve"), "no curve is named"),
    (RunningArea(zero=99), "lies outside the curve"), (ReExpress(new_y="log(-y^2)"), "have no value at any point"),
    (ReExpress(new_y="y*k"), "knows x and y, but not k"), (Combine(donor="gone"), "no curve 'gone' here"),
    (Average(), "no other curve to average"),
]  # fmt: skip


@pytest.mark.parametrize(("step", "sentence"), BAD, ids=lambda value: getattr(value, "slug", None))
def test_what_cannot_work_says_why_and_passes_on(step, sentence):
    x = np.linspace(0, 10, 101)
    start = curve(x, 5 + np.sin(x), np.full(101, 0.1), x_unit="s", y_unit="N")
    made = cs.Sieve.parse({"sieve": 1, "steps": [step.to_json(), {"step": "scale", "by": "factor", "factor": 2}]})(
        start
    )
    assert sentence.casefold() in made.trail[0].problem.casefold()
    assert made.trail[0].after is start
    assert made.trail[1].problem == ""
    np.testing.assert_array_equal(made.y, 2 * start.y)


@pytest.mark.parametrize("count", [30, 200, 5000, 60_000])
def test_running_quantiles_are_scipys(count):
    from scipy.ndimage import median_filter, percentile_filter

    from curvesieve.core.steps.running import running_median, running_quantile

    y = np.random.default_rng(count).normal(size=count)
    for window in (3, 11, 45, 46):
        odd = window | 1
        if odd // 2 < count:
            np.testing.assert_array_equal(running_median(y, window), median_filter(y, size=odd, mode="mirror"))
            wanted = percentile_filter(y, 30.0, size=odd, mode="mirror")
            np.testing.assert_array_equal(running_quantile(y, window, 0.3), wanted)
