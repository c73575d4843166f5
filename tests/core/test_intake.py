"""Patterns, roles, units, computed channels, conditions, simulated curves and histograms."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core import units
from curvesieve.core.errors import FormulaError
from curvesieve.core.formats import tables
from curvesieve.core.intake import pattern as patterns
from curvesieve.core.intake.applied import apply_pattern
from curvesieve.core.intake.computed import ComputedChannel, compute, needed
from curvesieve.core.intake.condition import propose_for
from curvesieve.core.intake.library import PATTERN_FILES, recognise
from curvesieve.core.intake.made import BIN_RULES, Histogram, Simulation, histogram, simulate
from curvesieve.core.intake.pattern import Pattern, arranged, guess, with_computed, with_name, with_role, with_unit
from curvesieve.core.intake.summary import summary, suspicious
from curvesieve.core.quantity import Quantity
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study import Study, edits
from curvesieve.core.study.passing import recorded

STRIP = "Width;12,70(2) mm\nThickness;0,082 ± 0,001 mm\n\nTime;Extension;Force;Strain\ns;mm;N;%\n" + "".join(
    f"{i};{i / 20:.3f};{10.414 * i:.4f};{i / 10:.2f}\n".replace(".", ",") for i in range(8)
)


def table_of(text: str, name: str = "strip_0p5wt.csv"):
    return tables(Source(name, text.encode()))[0]


STRESS = ComputedChannel(name="Stress", formula="force/(width*thickness)")


# -- computed channels -----------------------------------------------------------------------------


def test_stress_from_force_and_the_preambles_width_and_thickness():
    record = table_of(STRIP).record
    assert [quantity.name for quantity in needed(record, STRESS)] == ["width", "thickness"]
    made = compute(record, STRESS)
    assert (made.channel.name, made.channel.unit) == ("Stress", "MPa")
    area = 12.70e-3 * 0.082e-3
    np.testing.assert_allclose(made.channel.values, record["Force"].values / area / 1e6, rtol=1e-14)
    # u by hand, GUM 5.1.2: relative u of a product of two quantities.
    relative = math.hypot(0.02 / 12.70, 0.001 / 0.082)
    np.testing.assert_allclose(made.u.values, made.channel.values * relative, rtol=1e-12)
    assert made.described == "Stress = force/(width*thickness) with width = 12.70(2) mm, thickness = 0.0820(10) mm"
    width = Quantity(name="width", value=2.54, unit="cm", everywhere=True)
    by_hand = STRESS.model_copy(update={"unit": "GPa", "quantities": (width,)})
    np.testing.assert_allclose(compute(record, by_hand).channel.values, made.channel.values / 2000, rtol=1e-14)


@pytest.mark.parametrize(
    ("formula", "unit", "value"),
    [
        ("Extension/50", "mm", 7 / 20 / 50), ("Strain", "", 0.007), ("sqrt(Extension^2)", "mm", 0.35),
        ("log(Force/f0)", "", math.log(10.414 * 7 / 2)), ("Force*Extension", "mJ", 10.414 * 7 * 0.35),
        ("sin(angle)*Time", "s", 3.5), ("where(Strain > 0.001, Time, 0)", "s", 7.0), ("k = 2; k*Time^2", "s2", 98.0),
        ("Extension + 1e-3*max(Extension, grip)", "mm", 0.35 + 0.05),
    ],
)  # fmt: skip
def test_units_of_formulas_are_worked_out(formula, unit, value):
    quantities = (Quantity(name="f0", value=2, unit="N"), Quantity(name="angle", value=30, unit="deg"),
                  Quantity(name="grip", value=5, unit="cm"))  # fmt: skip
    made = compute(table_of(STRIP).record, ComputedChannel(name="c", formula=formula, quantities=quantities))
    assert made.channel.unit == unit
    assert made.channel.values[7] == pytest.approx(value, rel=1e-4)


def test_celsius_counts_from_absolute_zero_in_formulas():
    record = table_of("T (°C);y\n25;1\n100;2\n").record
    made = compute(record, ComputedChannel(name="inverse", formula="1/T", unit="1/K"))
    np.testing.assert_allclose(made.channel.values, [1 / 298.15, 1 / 373.15], rtol=1e-14)


@pytest.mark.parametrize(
    ("formula", "unit", "sentence", "place"),
    [
        ("Force + Extension", "", "joins kg·m·s⁻² with m", 0), ("2*log(Force)", "", "log takes a plain number", 6),
        ("Time^Extension", "", "An exponent is a plain number", 5), ("Force/(width*q)", "", "q is not known", None),
        ("Force/width", "MPa", "cannot be expressed in MPa", None), ("Force//2", "", "cannot be used", 0),
        ("Time^f", "", "f is not known", None), ("log(-Time/Time)", "", "no value in any row", None),
    ],
)  # fmt: skip
def test_wrong_formulas_say_what_and_where(formula, unit, sentence, place):
    with pytest.raises(cs.InputError, match=sentence) as caught:
        compute(table_of(STRIP).record, ComputedChannel(name="c", formula=formula, unit=unit))
    assert place is None or (isinstance(caught.value, FormulaError) and caught.value.position == place)


def test_a_unit_that_is_not_known_is_kept_as_a_kind_of_its_own():
    record = table_of("a (quux);b (quux/s)\n1;2\n3;4\n").record
    made = compute(record, ComputedChannel(name="ratio", formula="a/b"))
    assert (made.channel.unit, made.channel.values.tolist()) == ("s", [0.5, 0.75])


@pytest.mark.parametrize(
    ("text", "value", "u", "unit"),
    [
        ("12.70(2) mm", 12.70, 0.02, "mm"), ("12,7 ± 0,2 mm", 12.7, 0.2, "mm"), ("5", 5.0, None, ""),
        ("1e-3 m", 1e-3, None, "m"), ("300(12)", 300.0, 12.0, ""), ("1.234(5)e-7 m", 1.234e-7, 5e-10, "m"),
        ("1.2e-3 ± 2e-4 m", 1.2e-3, 2e-4, "m"), ("0.5 wt%", 0.5, None, "wt%"),
    ],
)  # fmt: skip
def test_quantities_as_they_are_written(text, value, u, unit):
    quantity = Quantity.read("q", text)
    assert (quantity.value, quantity.unit) == (value, unit)
    assert quantity.u == (None if u is None else pytest.approx(u, rel=1e-12))


# -- units -----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("unit", "target", "value", "expected"),
    [  # definitions: inch = 25.4 mm exactly; the rest are powers of ten, and π/180
        ("inch", "m", 1.0, 0.0254), ("%", "1", 5.5, 0.055), ("kN", "N", 1.25, 1250.0), ("Å", "nm", 3.0, 0.3),
        ("deg", "rad", 180.0, math.pi), ("°C", "K", 25.0, 298.15), ("cm-1", "m-1", 1338.0, 133800.0),
        ("min", "s", 1.5, 90.0), ("MPa", "N/mm2", 7.1, 7.1),
    ],
)  # fmt: skip
def test_conversions_are_exact(unit, target, value, expected):
    assert units.convert(np.array([value]), unit, target)[0] == expected


def test_a_difference_of_temperatures_is_in_kelvin_and_has_not_lost_a_zero_of_its_own():
    record = table_of("T (°C);y\n25;1\n100;2\n").record
    warmed = compute(record, ComputedChannel(name="warmed", formula="T - first(T)")).channel
    assert (warmed.values.tolist(), warmed.unit) == ([0.0, 75.0], "K")
    twice = compute(record, ComputedChannel(name="same", formula="max(T, T)", unit="°C")).channel
    assert twice.values.tolist() == pytest.approx([25.0, 100.0])
    for wrong in ("T - first(T)", "2*T", "T/2"):
        with pytest.raises(cs.InputError, match="wrong: the formula gives no place on the scale of °C"):
            compute(record, ComputedChannel(name="wrong", formula=wrong, unit="°C"))


def test_a_pattern_converts_units_and_uncertainties():
    table = table_of("d (inch);F (kN);u(F) (N);T (°C)\n1;2;5;20\n2;4;5;30\n")
    pattern = with_role(with_unit(with_unit(guess(table), 0, "inch → m"), 1, "kN -> N"), 2, "u")
    taken = apply_pattern(table.record, pattern)
    curve = taken.takes[0].curve(taken.record)
    assert (curve.x.tolist(), curve.x_unit) == ([0.0254, 0.0508], "m")
    assert (curve.y.tolist(), curve.u.tolist(), curve.y_unit) == ([2000.0, 4000.0], [5.0, 5.0], "N")
    assert taken.record["F"].values.tolist() == [2.0, 4.0], "the record stays as it was read"
    other = with_role(with_unit(guess(table), 3, "°C → K"), 3, "y")
    hot = apply_pattern(table.record, other)
    assert hot.takes[0].curve(hot.record).y.tolist() == [293.15, 303.15]
    with pytest.raises(cs.InputError, match="they measure different things"):
        with_unit(pattern, 0, "inch → N")
    with pytest.raises(cs.InputError, match="“quux” is not known"):
        with_unit(pattern, 0, "quux → m")
    assert with_unit(pattern, 0, "quux").channels[0].unit == "quux"
    study = edits.add_curves(Study(), [(taken.record, taken.takes[0])], "one")
    assert recorded(study, study.document.curves[0].id).x.tolist() == [0.0254, 0.0508]


# -- roles and arrangements ------------------------------------------------------------------------


def takes(text: str, change=lambda pattern: pattern):
    table = table_of(text)
    taken = apply_pattern(table.record, change(guess(table)))
    return [(chosen.x, chosen.y, chosen.u) for chosen in taken.takes]


def test_arrangements():
    wide = "t,a,b,c\n0,1,2,3\n1,2,3,4\n2,3,4,9\n"
    assert takes(wide) == [(0, 1, None)]
    assert takes(wide, lambda p: arranged(p, "each y against one x")) == [(0, 1, None), (0, 2, None), (0, 3, None)]
    assert takes(wide, lambda p: with_role(arranged(p, "each y against one x"), 2, "u")) == [(0, 1, 2), (0, 3, None)]
    assert takes(wide, lambda p: with_role(with_role(p, 3, "x"), 0, "y")) == [(3, 0, None)]
    pairs = "q (1/nm),I 1,q 2 (1/nm),I 2\n1,2,3,4\n2,3,4,5\n"
    assert takes(pairs) == [(0, 1, None), (2, 3, None)]
    assert takes(pairs, lambda p: arranged(p, "one curve")) == [(0, 1, None)]
    with pytest.raises(cs.InputError, match="one channel as x and one as y"):
        takes(wide, lambda p: with_role(p, 1, "leave"))
    with pytest.raises(cs.InputError, match="There is a channel 'a' already"):
        with_name(guess(table_of(wide)), 2, "a")
    with pytest.raises(cs.InputError, match="There is a channel 'a' already"):
        with_computed(guess(table_of(wide)), None, ComputedChannel(name="a", formula="t"))


def test_a_channel_as_the_condition_splits_its_rows():
    rows = "".join(f"{T},{t},{T + t}\n" for T in (60, 25) for t in range(5))
    table = table_of("T (°C),t,y\n" + rows)
    pattern = with_role(with_role(with_role(guess(table), 1, "x"), 2, "y"), 0, "condition")
    taken = apply_pattern(table.record, pattern)
    assert (taken.conditions, taken.condition) == ((25.0, 60.0), ("T", "°C"))
    assert taken.takes[1].curve(taken.record).y.tolist() == [60, 61, 62, 63, 64]
    found = propose_for([taken])
    assert (found.name, found.unit, found.values) == ("T", "°C", (25.0, 60.0))
    study = edits.add_curves(Study(), [(taken.record, chosen) for chosen in taken.takes], "both")
    assert len(study.document.records) == 1
    assert recorded(study, study.document.curves[0].id).y.tolist() == [25, 26, 27, 28, 29]
    with pytest.raises(cs.InputError, match="y has 10 different values in 10 rows"):
        apply_pattern(table.record, with_role(with_role(pattern, 0, "y"), 2, "condition"))


def test_headings_of_several_curves_are_their_condition():
    table = table_of("t (s),25 °C,60 °C,100 °C\n0,1,2,3\n1,2,3,4\n")
    taken = apply_pattern(table.record, arranged(guess(table), "each y against one x"))
    found = propose_for([taken])
    assert (found.unit, found.values) == ("°C", (25.0, 60.0, 100.0))


# -- saved patterns --------------------------------------------------------------------------------


def test_a_saved_pattern_is_applied_to_the_next_file_of_its_kind(tmp_path):
    table = table_of(STRIP)
    pattern = with_computed(with_unit(guess(table), 3, "% → 1"), None, STRESS)
    pattern = with_role(with_role(pattern, 3, "x"), 4, "y").model_copy(update={"name": "Strip tester A"})
    PATTERN_FILES.save(pattern, pattern.name, tmp_path)
    (tmp_path / "broken.pattern.json").write_text('{"name": 3}')
    found, problems = PATTERN_FILES.load_all(tmp_path, newest_first=True)
    saved = list(found.values())
    assert saved == [pattern]
    assert "broken.pattern.json" in problems[0]
    other = table_of(STRIP.replace("12,70(2)", "25,40"), "strip_4p0wt.csv")
    again, found = recognise(other, saved)
    assert found.name == "Strip tester A"
    taken = apply_pattern(again.record, found)
    curve = taken.takes[0].curve(taken.record)
    assert (curve.x_label, curve.x_unit, curve.y_label, curve.y_unit) == ("Strain", "", "Stress", "MPa")
    assert curve.x[-1] == 0.7 / 100
    assert curve.y[-1] == pytest.approx(10.414 * 7 / 25.4 / 0.082, rel=1e-12)
    assert recognise(table_of("a,b\n1,2\n2,3\n"), saved)[1].name == ""
    with pytest.raises(cs.InputError, match="needs a name"):
        PATTERN_FILES.save(pattern, " / ", tmp_path)


def test_a_saved_pattern_brings_a_corrected_beginning(tmp_path):
    text = "a b\n1 1\n2 2\n3 3\n4 4\n"
    table = table_of(text)
    moved = patterns.reread(table, table.found.layout.with_data_from(3, table.found.lines))
    pattern = guess(moved).model_copy(update={"name": "from the third"})
    _, found = recognise(table_of("a b\n9 9\n2 2\n5 5\n6 6\n"), [pattern])
    assert found.name == ""  # its headings, the numbers 2 and 2, are not those of this file
    assert Pattern.model_validate_json(pattern.model_dump_json()) == pattern


# -- made curves -----------------------------------------------------------------------------------


def test_simulated_curves_repeat_and_have_the_noise_they_say():
    recipe = Simulation(
        model="a*exp(-k*x)", parameters={"a": 400, "k": 0.3}, high=5, points=20_001, noise="Poisson", seed=7
    )
    first, again = simulate(recipe).record, simulate(recipe).record
    assert first["y"].digest == again["y"].digest
    true = 400 * np.exp(-0.3 * first["x"].values)
    np.testing.assert_allclose(first["true y"].values, true, rtol=1e-14)
    pulls = (first["y"].values - true) / first["u"].values
    assert pulls.std() == pytest.approx(1, abs=0.02)
    assert (first["y"].values == np.round(first["y"].values)).all()
    for noise, spread in (("normal", np.full(20_001, 0.05)), ("proportional", 0.05 * true)):
        made = simulate(recipe.model_copy(update={"noise": noise, "size": 0.05})).record
        assert ((made["y"].values - true) / spread).std() == pytest.approx(1, abs=0.02)
    quiet = simulate(Simulation(model="lorentzian", parameters={"center": 5, "height": 2, "fwhm": 1}, noise="none"))
    assert quiet.record["y"].values.max() == 2.0
    assert Simulation.model_validate_json(first.source.content) == recipe


@pytest.mark.parametrize(
    ("changes", "sentence"),
    [
        ({"model": "a*x"}, "Give a value for a"), ({"model": "log(x)"}, "no value at x = 0"),
        ({"low": 3, "high": 3}, "must run from a smaller"), ({"model": "x", "logarithmic": True}, "above zero"),
        ({"model": "-x", "noise": "Poisson"}, "for counts"), ({"model": "x +"}, "breaks off"),
    ],
)  # fmt: skip
def test_simulations_that_cannot_be(changes, sentence):
    with pytest.raises(cs.InputError, match=sentence):
        simulate(Simulation(**changes))


def test_histograms_count_everything_once():
    values = np.random.default_rng(1).normal(3, 0.5, 5000)
    channel = Channel("diameter", "nm", np.append(values, np.nan))
    made = histogram(channel, Source("d.csv", b"m"), Histogram(bins=25)).record
    counts, edges = np.histogram(values, 25)
    np.testing.assert_array_equal(made["count"].values, counts)
    np.testing.assert_allclose(made["diameter"].values, (edges[1:] + edges[:-1]) / 2)
    np.testing.assert_allclose(made["u"].values, np.sqrt(np.maximum(counts, 1)))
    for rule in BIN_RULES:
        assert histogram(channel, Source("d.csv", b"m"), Histogram(rule=rule)).record["count"].values.sum() == 5000
    with pytest.raises(cs.InputError, match="no two different numbers"):
        histogram(Channel("one", "", np.ones(9)), Source("d.csv", b"m"), Histogram())


# -- numbers at a glance ---------------------------------------------------------------------------


def test_summary_and_rows_worth_a_look():
    rng = np.random.default_rng(0)
    x, y = np.arange(200.0), rng.normal(0, 1, 200)
    x[50], y[120] = 49.0, 60.0
    gap = y.copy()
    gap[7] = np.nan
    record = Record(Source("s.csv", b"m"), (Channel("t", "s", x), Channel("F", "N", y), Channel("G", "", gap)))
    found = {(s.row, s.channel): s.reason for s in suspicious(record)}
    assert set(found) == {(50, 0), (120, 1), (7, 2)}
    assert found[50, 0] == "repeats"
    assert "σ from its neighbours" in found[120, 1]
    one = summary(record["G"])
    known = gap[np.isfinite(gap)]
    assert (one.count, one.mean, one.sd) == (199, known.mean(), known.std(ddof=1))
    assert math.isnan(summary(Channel("none", "", np.full(3, np.nan))).mean)


@settings(max_examples=50, deadline=None)
@given(st.lists(st.floats(allow_nan=True, allow_infinity=False), min_size=2, max_size=80))
def test_suspicion_never_fails(values):
    x = np.arange(float(len(values)))
    record = Record(Source("s", b"m"), (Channel("x", "", x), Channel("y", "", np.array(values))))
    assert all(0 <= suspicion.row < len(values) for suspicion in suspicious(record))
