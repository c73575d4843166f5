"""Measures against the outside: other libraries, closed forms, standards; and formulas in their readings."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from scipy import integrate, signal, stats

import curvesieve as cs
from curvesieve.core.measures import MeasureSlot, Seen, taken
from curvesieve.core.measures.areas import simpson_weights, trapezium_weights, unsigned_area
from curvesieve.core.measures.taking import outcome
from curvesieve.core.scatter import noise_along
from tests.core.measuring import MEASURES, RUNS, X, Y, listed, made, noisy, read

# -- other libraries and closed forms ---------------------------------------------------------------


def test_straight_parts_are_those_of_scipy_on_200_random_curves():
    rng = np.random.default_rng(5)
    for _ in range(200):
        n = int(rng.integers(3, 60))
        x, y = np.sort(rng.normal(0, 10 ** rng.uniform(-3, 3), n)), rng.normal(0, 1, n)
        theirs = stats.linregress(x, y)
        ours = read(MEASURES["straight-part"](), cs.Curve(x, y))
        assert ours["slope"] == pytest.approx((theirs.slope, theirs.stderr), rel=1e-8)
        assert ours["intercept"] == pytest.approx((theirs.intercept, theirs.intercept_stderr), rel=1e-8)
        assert ours["r2"][0] == pytest.approx(theirs.rvalue**2, rel=1e-6)
        u = rng.uniform(0.1, 2, n)
        (slope, level), cov = np.polyfit(x, y, 1, w=1 / u, cov="unscaled")
        weighed = read(MEASURES["straight-part"](), cs.Curve(x, y, u))
        assert weighed["slope"] == pytest.approx((slope, math.sqrt(cov[0, 0])), rel=1e-6)
        assert weighed["intercept"] == pytest.approx((level, math.sqrt(cov[1, 1])), rel=1e-6)
        zero = read(MEASURES["straight-part"](intercept="zero"), cs.Curve(x, y))["slope"]
        assert zero[0] == pytest.approx(float(x @ y / (x @ x)), rel=1e-9)
        rss = float(np.sum((y - zero[0] * x) ** 2))
        assert zero[1] == pytest.approx(math.sqrt(rss / (n - 1) / float(x @ x)), rel=1e-9)


def test_gum_h3_by_the_straight_part():
    """JCGM 100:2008, H.3: y = y1 + y2(t − 20 °C); y1 = −0.1712(29) °C, y2 = 0.00218(67); values from memory."""
    t = np.array([21.521, 22.012, 22.512, 23.003, 23.507, 23.999, 24.513, 25.002, 25.503, 26.010, 26.511])
    b = -np.array([171, 169, 166, 159, 164, 165, 156, 157, 159, 161, 160]) / 1000
    found = read(MEASURES["straight-part"](), cs.Curve(t - 20, b))
    assert [round(v, 4) for v in found["intercept"]] == [-0.1712, 0.0029]
    assert [round(v, 5) for v in found["slope"]] == [0.00218, 0.00067]


def test_areas_are_those_of_numpy_and_scipy_on_200_random_curves():
    rng = np.random.default_rng(6)
    for _ in range(200):
        n = int(rng.integers(2, 40))
        x, y = np.sort(rng.uniform(-5, 5, n)), rng.normal(0, 1, n)
        assert trapezium_weights(x) @ y == pytest.approx(np.trapezoid(y, x), rel=1e-10, abs=1e-12)
        assert simpson_weights(x) @ y == pytest.approx(integrate.simpson(y, x=x), rel=1e-6, abs=1e-8)
        fine = np.unique(np.concatenate([x, np.linspace(x[0], x[-1], 20001)]))
        exact = np.trapezoid(np.abs(np.interp(fine, x, y)), fine)
        area, slopes = unsigned_area(x, y)
        assert area == pytest.approx(exact, rel=1e-3, abs=1e-6)
        k, step = int(rng.integers(n)), 1e-6
        moved = y.copy()
        moved[k] += step
        assert slopes[k] == pytest.approx((unsigned_area(x, moved)[0] - area) / step, abs=1e-4)


@pytest.mark.parametrize(("rule", "order"), [("trapezium", 2), ("simpson", 4)])
def test_errors_of_areas_fall_with_the_order_of_the_rule(rule, order):
    errors = []
    for n in (21, 41, 81):
        x = np.linspace(0, np.pi / 2, n)
        errors.append(abs(read(MEASURES["area"](rule=rule), cs.Curve(x, np.sin(x)))["area"][0] - 1))
    assert math.log2(errors[0] / errors[1]) == pytest.approx(order, abs=0.1)
    assert math.log2(errors[1] / errors[2]) == pytest.approx(order, abs=0.1)


def test_closed_forms_of_a_gaussian():
    x = np.linspace(-5, 9, 4001)
    curve = cs.Curve(x, 3 * np.exp(-0.5 * ((x - 2) / 0.7) ** 2))
    assert read(MEASURES["area"](), curve)["area"][0] == pytest.approx(3 * 0.7 * math.sqrt(2 * math.pi), rel=1e-9)
    found = read(MEASURES["moments"](), curve)
    assert (found["centroid"][0], found["deviation"][0]) == pytest.approx((2, 0.7), rel=1e-9)
    assert found["skewness"][0] == pytest.approx(0, abs=1e-9)
    for share in (0.1, 0.5, 0.9):
        width = read(MEASURES["width-at-share"](share=share), curve)
        assert width["width"][0] == pytest.approx(2 * 0.7 * math.sqrt(-2 * math.log(share)), rel=1e-5)
    top = read(MEASURES["highest-point"](points=9), curve)
    assert (top["x-at-maximum"][0], top["maximum"][0]) == pytest.approx((2, 3), rel=1e-8)
    flipped = replace(curve, y=-curve.y)
    low = read(MEASURES["lowest-point"](points=9), flipped)
    assert (low["x-at-minimum"][0], low["minimum"][0]) == pytest.approx((2, -3), rel=1e-8)
    slope = read(MEASURES["slope-at"](at=2.7, points=3), curve)["slope"][0]
    assert slope == pytest.approx(-3 / 0.7 * math.exp(-0.5), rel=1e-4)


def test_widths_are_those_of_scipy_on_random_peaks():
    rng, compared = np.random.default_rng(7), 0
    for _ in range(50):
        y = np.convolve(rng.normal(0, 1, 300), signal.windows.gaussian(61, 9), "same")
        k = int(np.argmax(y))
        x = np.arange(300.0)
        base = float(y.min())
        measure = MEASURES["width-at-share"](base="value", value=base, by="the point itself")
        told = outcome(MeasureSlot(id="m", rule=measure), Seen.of(cs.Curve(x, y))).problem
        if told:
            assert "does not fall to" in told
            continue
        ours, compared = read(measure, cs.Curve(x, y)), compared + 1
        prominence = (np.array([y[k] - base]), np.array([0]), np.array([299]))
        theirs = signal.peak_widths(y, [k], rel_height=0.5, prominence_data=prominence)
        assert (ours["width"][0], ours["left"][0], ours["right"][0]) == pytest.approx(
            (theirs[0][0], theirs[2][0], theirs[3][0]), rel=1e-9
        )
    assert compared > 25


def test_values_and_crossings_between_points():
    x, y = np.array([0.0, 1.0, 2.0, 3.0, 4.0]), np.array([0.0, 2.0, -2.0, 2.0, 6.0])
    curve = cs.Curve(x, y)
    for at in np.linspace(0, 4, 41):
        assert read(made("value-at", at=float(at)), curve)["y"][0] == pytest.approx(np.interp(at, x, y))
    places = {("first", "any"): 0.5, ("last", "any"): 2.75, ("first", "falling"): 1.25, ("last", "rising"): 2.75}
    for (which, direction), wanted in places.items():
        found = read(made("x-at-value", y=1.0, which=which, direction=direction), curve)
        assert found["x"][0] == pytest.approx(wanted)
    assert read(made("x-at-value", y=1.0, which="nth", n=2), curve)["x"][0] == pytest.approx(1.25)
    assert read(made("x-at-value", y=0.0), curve)["x"][0] == 0.0, "a point on the level counts once"
    told = outcome(MeasureSlot(id="m", rule=made("x-at-value", y=9.0)), Seen.of(curve)).problem
    assert told == "The curve crosses y = 9 0 times; its y runs from -2 to 6."
    told = outcome(MeasureSlot(id="m", rule=made("x-at-value", y=1.0, which="nth", n=4)), Seen.of(curve)).problem
    assert "3 times" in told
    ends = read(MEASURES["ends"](), curve)
    assert [ends[q][0] for q in ("first-x", "first-y", "last-x", "last-y")] == [0, 0, 4, 6]


def test_noise_over_a_level_is_one_crossing_and_a_touch_is_none():
    rng = np.random.default_rng(31)
    x = np.linspace(0, 10, 2001)
    up_and_down = 3 * np.sin(2 * np.pi * x / 10)
    raw = up_and_down + rng.normal(0, 0.1, x.size)
    assert np.count_nonzero(np.diff(np.sign(raw - 1))) > 10
    curve = cs.Curve(x, raw)
    wanted = 10 / (2 * np.pi) * math.asin(1 / 3)
    for fields, place in (({"which": "first"}, wanted), ({"which": "last"}, 5 - wanted)):
        at, u = read(made("x-at-value", y=1.0, **fields), curve)["x"]
        assert abs(at - place) < 4 * u < 0.1
    told = outcome(MeasureSlot(id="m", rule=made("x-at-value", y=1.0, which="nth", n=3)), Seen.of(curve)).problem
    assert told.startswith("The curve crosses y = 1 2 times;")
    touch = outcome(MeasureSlot(id="m", rule=made("x-at-value", y=3.0)), Seen.of(curve)).problem
    assert "crosses y = 3 0 times" in touch, "it goes over the top by its noise alone"


def test_a_step_is_the_difference_of_its_sides():
    x = np.linspace(0, 10, 1001)
    curve = cs.Curve(x, 0.5 * x + np.where(x > 4, 3.0, 0.0))
    sloped = read(made("step-height", at=4.0, reach=2.0, level=False), curve)["step"][0]
    assert sloped == pytest.approx(3.0, rel=1e-9)
    level = read(made("step-height", at=4.0, reach=2.0), curve)["step"][0]
    assert level == pytest.approx(3.0 + 0.5 * 2.0, rel=1e-2), "the slope counts where the sides are taken as level"


def test_periods_of_even_and_uneven_points():
    rng = np.random.default_rng(8)
    for period in (0.31, 1.7, 9.0):
        for x in (np.linspace(0, 20, 500), np.sort(rng.uniform(0, 20, 500))):
            y = 4 + 2.5 * np.cos(2 * np.pi * x / period + 1) + rng.normal(0, 0.1, x.size)
            found = read(MEASURES["period"](), cs.Curve(x, y))
            assert abs(found["period"][0] - period) < 4 * found["period"][1]
            assert abs(found["amplitude"][0] - 2.5) < 4 * found["amplitude"][1]


def test_the_best_straight_stretch_is_found_within_the_noise():
    rng = np.random.default_rng(9)
    x = np.linspace(0, 0.05, 2000)
    bent = 24 * np.tanh(np.maximum(x - 0.002, 0) / 0.0098) + 2 * np.minimum(x / 0.002, 1) ** 2
    truth = np.where(x < 0.01, 2400 * x, 24 + 600 * (x - 0.01))
    for y in (truth + rng.normal(0, 0.05, x.size), bent + rng.normal(0, 0.05, x.size)):
        found = outcome(
            MeasureSlot(id="m", rule=MEASURES["straight-part"](by="found", prefer="steepest")), Seen.of(cs.Curve(x, y))
        )
        assert not found.problem
        assert found.readings[0].basis.used >= 80
    steep = read(
        MEASURES["straight-part"](by="found", prefer="steepest"), cs.Curve(x, truth + rng.normal(0, 0.05, x.size))
    )
    assert abs(steep["slope"][0] - 2400) < 5 * steep["slope"][1]
    longest = read(MEASURES["straight-part"](by="found"), cs.Curve(x, truth + rng.normal(0, 0.05, x.size)))
    assert abs(longest["slope"][0] - 600) < 5 * longest["slope"][1]
    told = outcome(
        MeasureSlot(id="m", rule=MEASURES["straight-part"](by="found")), Seen.of(cs.Curve(x, np.sin(3e4 * x)))
    ).problem
    assert "no stretch of this curve is straight" in told.lower()


def test_lines_meet_where_algebra_says_and_the_curve_where_it_passes():
    x = np.linspace(0, 10, 201)
    bent = cs.Curve(x, np.where(x < 4, 3 * x, 12 + 0.5 * (x - 4)), x_unit="%", y_unit="MPa")
    bands = {"low": 0.5, "high": 3.5, "other_low": 5.0, "other_high": 9.0}
    lines = read(made("meeting-of-lines", **bands), bent)
    assert (lines["x"][0], lines["y"][0]) == pytest.approx((4.0, 12.0), rel=1e-12)
    moved = read(made("meeting-of-lines", low=0.5, high=3.5, meets="the curve", shift=1.0), bent)
    assert (moved["x"][0], moved["y"][0]) == pytest.approx((5.2, 12.6), rel=1e-12), "3(x − 1) = 12 + (x − 4)/2"
    away = 3 * x + np.where(x > 4, 2 * np.sin(np.pi * (x - 4) / 3), 0.0)
    for seed in range(6):  # noise takes the curve over its own straight part, which is no meeting
        returned = cs.Curve(x, away + np.random.default_rng(seed).normal(0, 0.01, x.size), np.full(x.size, 0.01))
        met = read(made("meeting-of-lines", low=0.5, high=3.9, meets="the curve"), returned)["x"]
        assert abs(met[0] - 7.0) < 4 * met[1] < 0.1
    told = outcome(MeasureSlot(id="m", rule=made("meeting-of-lines", **bands | {"other_high": 3.0, "other_low": 1.0})),
                   Seen.of(bent)).problem  # fmt: skip
    assert told == "The two lines are parallel; they meet nowhere."
    for seed, measure in enumerate((made("meeting-of-lines", **bands), made("meeting-of-lines", low=0.5, high=3.5,
                                    meets="the curve", shift=1.0))):  # fmt: skip
        rng = np.random.default_rng(seed)
        u = np.full(x.size, 0.1)
        runs = [read(measure, cs.Curve(x, bent.y + rng.normal(0, 0.1, x.size), u)) for _ in range(RUNS)]
        for quantity in ("x", "y"):
            sd = float(np.std([run[quantity][0] for run in runs]))
            assert float(np.median([run[quantity][1] for run in runs])) == pytest.approx(sd, rel=0.1), quantity


def test_an_exponential_approach_has_its_closed_half_time():
    t = np.linspace(0, 20, 4001)
    for sign in (1, -1):
        curve = cs.Curve(t, 5 + sign * 3 * (1 - np.exp(-t / 0.9)), x_unit="s")
        for share in (0.5, 0.9):
            time = read(made("approach", share=share, points=1), curve)["time"][0]
            assert time == pytest.approx(-0.9 * math.log(1 - share), rel=1e-5)
        time = read(made("approach", low=1.0012, points=1), curve)["time"][0]
        assert time == pytest.approx(1.005 - 1.0012 + 0.9 * math.log(2), rel=1e-5), "counted from where the band begins"
    x = np.arange(40.0)
    spiked = np.minimum(np.maximum(x - 10, 0) / 2, 5.0)
    spiked[0] = 10.0
    late = read(made("approach", points=5), cs.Curve(x, spiked, np.full(40, 1e-6)))
    assert late["time"][0] == pytest.approx(17.0), "from 2 to 5: 3.5 on the way up, not at the spike on the way down"


def test_a_formula_has_the_unit_and_the_u_of_monte_carlo_with_correlation():
    x = np.linspace(0, 10, 201)
    slots = (
        ("straight-part", "stiffness", {"high": 4.0}), ("straight-part", "", {"low": 3.0, "high": 6.0}),
        ("area", "work", {"high": 5.0}), ("area", "level", {"low": 2.0, "high": 6.0}),
        ("formula", "ratio", {"formula": "work/level"}), ("formula", "sum", {"formula": "stiffness*(24 s^2) + level"}),
        ("formula", "", {"formula": "level/stiffness_intercept"}),
    )  # fmt: skip
    rng = np.random.default_rng(21)
    values: dict[int, list[float]] = {4: [], 5: [], 6: []}
    us: dict[int, list[float]] = {4: [], 5: [], 6: []}
    for _ in range(2000):
        y = 40 + 2 * x + rng.normal(0, 1.0, x.size)
        found = listed(cs.Curve(x, y, np.ones(x.size), x_unit="s", y_unit="N"), *slots)
        for k in values:
            assert not found[k].problem, found[k].problem
            (reading,) = found[k].readings
            values[k].append(reading.value)
            us[k].append(reading.u)
    assert [found[k].readings[0].unit for k in values] == ["", "N s", "s"]
    for k in (5, 6):
        assert float(np.median(us[k])) == pytest.approx(float(np.std(values[k])), rel=0.1), slots[k]
    back = listed(cs.Curve(x, y, np.ones(x.size), x_unit="s", y_unit="N"), *slots[:4],
                  ("formula", "product", {"formula": "work*stiffness"}),
                  ("formula", "back", {"formula": "product/stiffness"}))[5]  # fmt: skip
    (work,) = found[2].readings
    (again,) = back.readings
    assert (again.value, again.u) == pytest.approx((work.value, work.u), rel=1e-9), (
        "correlation passes through formulas"
    )
    scattered = listed(cs.Curve(x, y, x_unit="s", y_unit="N"), ("mean-and-scatter", "", {}),
                       ("formula", "twice", {"formula": "2*deviation"}),
                       ("formula", "none", {"formula": "twice - 2*deviation"}))[2].readings[0]  # fmt: skip
    assert scattered.u == pytest.approx(0, abs=1e-12), "a thing is as uncertain as itself, and not against itself"
    independent = math.hypot(*(found[k].readings[0].u / found[k].readings[0].value for k in (2, 3)))
    assert us[4][-1] < 0.8 * independent * values[4][-1], "both rest on the same points"
    assert found[4].sentence.endswith("u from those of the readings, with their correlation")


def test_formulas_refuse_what_they_cannot_mean():
    curve = cs.Curve(X, Y, x_unit="mm", y_unit="N")
    area = ("area", "work", {})
    cases = {
        "": "The formula is empty",
        "work + 3": "measure different things",
        "later*2": "No reading before this and no unit is called later; there are work.",
        "work*broken": "The reading broken failed; see its own card.",
    }
    for text, wanted in cases.items():
        found = listed(curve, area, ("value-at", "broken", {}), ("formula", "", {"formula": text}))
        assert wanted in found[2].problem, found[2].problem
    twice = listed(curve, area, ("area", "", {"low": 2.0}), ("formula", "", {"formula": "area/(1 J)"}))
    assert twice[2].problem == "The name area means 2 readings before this; give their measures names of their own."
    unclear = listed(curve, ("mean-and-scatter", "", {}), ("formula", "", {"formula": "2*s"}))[1].problem
    assert unclear.startswith("The name s is that of a unit, and the symbol of deviation before this; write deviation")
    own = listed(curve, area, ("formula", "", {"formula": "work", "unit": "J"}))[1].readings[0]
    assert (own.value, own.unit) == (pytest.approx(integrate.trapezoid(Y, X) / 1000), "J")
    assert own.u == pytest.approx(listed(curve, area)[0].readings[0].u / 1000, rel=1e-9)
    wrong = listed(curve, area, ("formula", "", {"formula": "work", "unit": "MPa"}))[1].problem
    assert "cannot be expressed in MPa" in wrong
    stiff = cs.Curve(np.linspace(0, 1, 50), 2400 * np.linspace(0, 1, 50), x_unit="", y_unit="MPa")
    plain = listed(stiff, ("straight-part", "modulus", {}), ("formula", "", {"formula": "modulus/(1 GPa)"}))[1]
    assert (plain.readings[0].value, plain.readings[0].unit) == (pytest.approx(2.4), "")
    for text, value in (("modulus/1 GPa", 2.4), ("modulus/2 GPa*3", 3.6), ("modulus*2 mm^2/1 kN", 4.8)):
        (one,) = listed(stiff, ("straight-part", "modulus", {}), ("formula", "", {"formula": text}))[1].readings
        assert (one.value, one.unit) == (pytest.approx(value), ""), text
    doubtful = listed(stiff, ("straight-part", "modulus", {}), ("formula", "", {"formula": "modulus/1 N/mm"}))[1]
    assert "write the * and brackets" in doubtful.problem
    hot = cs.Curve(X, Y + 20, x_unit="s", y_unit="°C")
    ends = ("ends", "", {})
    (warmed,) = listed(hot, ends, ("formula", "", {"formula": "last_y - first_y"}))[1].readings
    assert (warmed.value, warmed.unit) == (pytest.approx(Y[-1] - Y[0], abs=1e-9), "K")
    lower = listed(hot, ends, ("formula", "", {"formula": "last_y - first_y", "unit": "°C"}))[1].problem
    assert lower.startswith("The formula gives no place on the scale of °C")
    (middle,) = listed(hot, ends, ("formula", "", {"formula": "(last_y + first_y)/2", "unit": "°C"}))[1].readings
    assert middle.value == pytest.approx(20 + (Y[0] + Y[-1]) / 2)


def test_noise_is_told_apart_from_slopes_and_uneven_points():
    rng = np.random.default_rng(10)
    for x in (np.linspace(0, 10, 3000), np.sort(rng.uniform(0, 10, 3000))):
        assert noise_along(x, 5 + 30 * x + rng.normal(0, 0.2, x.size)) == pytest.approx(0.2, rel=0.06)
    assert math.isnan(noise_along(np.arange(3.0), np.arange(3.0)))


def test_a_list_gives_each_its_readings_and_those_that_fail_their_reason():
    slots = (
        MeasureSlot(id="m1", rule=made("highest-point"), name="strength"),
        MeasureSlot(id="m2", rule=MEASURES["value-at"]()),
        MeasureSlot(id="m3", rule=made("mean-and-scatter"), on=False),
        MeasureSlot(id="m4", rule=made("area"), name="work"),
    )
    found = taken(slots, Seen.of(noisy()), recorded=900)
    assert [one.slot.id for one in found] == ["m1", "m2", "m4"]
    assert found[1].problem == "X is not set; drag the mark, or type one."
    (area,) = found[2].readings
    assert (area.key, area.name, area.symbol, area.unit) == (("m4", "area", 0), "work", "work", "N·s")
    assert (area.basis.recorded, area.basis.span) == (900, (1.0, 7.0))
    assert area.method == "Area: 1 – 7, over zero"
    assert [r.name for r in found[0].readings] == ["strength", "strength x at maximum"]
