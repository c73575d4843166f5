"""Reading patterns: what holds whatever is clicked, and what a summary, a histogram and a simulation count."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core.formats.opening import tables
from curvesieve.core.intake.applied import apply_pattern
from curvesieve.core.intake.computed import ComputedChannel
from curvesieve.core.intake.made import Histogram, Simulation, histogram, simulate
from curvesieve.core.intake.pattern import (
    ARRANGEMENTS,
    ROLES,
    Pattern,
    arranged,
    carried,
    guess,
    with_computed,
    with_name,
    with_role,
    with_unit,
    without_computed,
)
from curvesieve.core.intake.summary import summary, suspicious
from curvesieve.core.record import Channel, Record, Source

TEXT = "t (s),a (N),b (mm),c (%)\n" + "".join(f"{i},{i * i},{7 - i},{i % 3}\n" for i in range(12))


def table_of(text: str = TEXT):
    return tables(Source("made.csv", text.encode()))[0]


START = with_computed(guess(table_of()), None, ComputedChannel(name="d", formula="a*2"))
CLICKS = st.one_of(
    st.tuples(st.integers(0, 4), st.sampled_from(ROLES)), st.tuples(st.just(-1), st.sampled_from(ARRANGEMENTS))
)


def counts(pattern: Pattern) -> dict[str, int]:
    return {role: pattern.roles.count(role) for role in ROLES}


@settings(max_examples=300, deadline=None)
@given(st.lists(CLICKS, max_size=10))
def test_whatever_is_clicked_there_is_one_x_and_what_was_chosen_holds(clicks):
    pattern = START
    for place, choice in clicks:
        before = pattern
        if place < 0:
            pattern = arranged(pattern, choice)
            assert pattern.arrangement == choice
            if choice == "x, y pairs":
                assert pattern.roles == ("x", "y", "x", "y", "leave")
        else:
            pattern = with_role(pattern, place, choice)
            assert pattern.roles[place] == choice
        found = counts(pattern)
        if pattern.arrangement != "x, y pairs":
            assert found["x"] <= 1
            assert found["u"] <= 1
        assert found["condition"] <= 1 or counts(before)["condition"] > 1
        if pattern.arrangement == "one curve":
            assert found["y"] <= 1
        assert [rule.heading for rule in pattern.channels] == ["t", "a", "b", "c"]
        assert [rule.channel for rule in pattern.computed] == [START.computed[0].channel]


def test_arranging_keeps_what_it_can():
    assert START.roles == ("x", "y", "leave", "leave", "leave")
    each = arranged(with_role(START, 3, "u"), "each y against one x")
    assert each.roles == ("x", "y", "y", "u", "y")
    assert arranged(each, "one curve").roles == ("x", "y", "leave", "u", "leave")
    last = with_role(with_role(START, 1, "leave"), 2, "x")
    assert last.roles == ("leave", "leave", "x", "leave", "leave")
    assert arranged(last, "one curve").roles == ("y", "leave", "x", "leave", "leave"), "the first other is y"
    first = with_role(with_role(START, 1, "leave"), 0, "x")
    assert arranged(first, "one curve").roles == ("x", "y", "leave", "leave", "leave")
    swapped = with_role(START, 0, "y")
    assert swapped.roles == ("y", "x", "leave", "leave", "leave"), "x and y change places"


def test_names_units_and_computed_channels_change_one_place_only():
    named = with_name(START, 2, "  gauge ")
    assert [rule.name for rule in named.channels] == ["t", "a", "gauge", "c"]
    for bad, sentence in (("  ", "needs a name"), ("a", "'a' already"), ("d", "'d' already")):
        with pytest.raises(cs.InputError, match=sentence):
            with_name(START, 2, bad)
    assert with_name(START, 2, "b") == START
    changed = with_unit(START, 1, "kN → N")
    assert (changed.channels[1].unit, changed.channels[1].to) == ("kN", "N")
    assert with_unit(START, 1, "kN").channels[1].to == ""
    assert with_unit(START, 4, "kPa").computed[0].channel.unit == "kPa"
    with pytest.raises(cs.InputError, match="cannot be converted"):
        with_unit(START, 1, "kN → mm")
    two = with_computed(START, None, ComputedChannel(name="e", formula="b"))
    assert [rule.channel.name for rule in without_computed(two, 0).computed] == ["e"]
    assert [rule.channel.name for rule in without_computed(two, 1).computed] == ["d"]
    with pytest.raises(cs.InputError, match="'e' already"):
        with_computed(two, 0, ComputedChannel(name="e", formula="a"))
    assert with_computed(two, 1, ComputedChannel(name="e", formula="a")).computed[1].channel.formula == "a"


def test_roles_and_units_are_carried_to_a_table_of_as_many_channels():
    chosen = with_unit(with_role(START, 2, "y"), 1, "kN → N")
    kept = carried(chosen, table_of(TEXT.replace("t (s)", "time (s)")))
    assert kept.roles == chosen.roles
    assert (kept.channels[1].unit, kept.channels[1].to) == ("kN", "N")
    assert kept.channels[2].unit == "mm"
    fewer = carried(chosen, table_of("t,a\n0,1\n1,2\n2,3\n"))
    assert fewer.roles == ("x", "y")


def test_pairs_are_seen_by_units_and_names():
    def arrangement(head: str) -> str:
        width = head.count(",") + 1
        rows = "".join(",".join(str(i * (k + 2) + k) for k in range(width)) + "\n" for i in range(6))
        return guess(table_of(f"{head}\n{rows}")).arrangement

    assert arrangement("q 1 (1/nm),I 1,q 2 (1/nm),I 2") == "x, y pairs"
    assert arrangement("q (1/nm),I,q 2 (1/m),I 2") == "one curve", "units of x differ"
    assert arrangement("q (1/nm),I (s),q 2 (1/nm),I 2 (m)") == "one curve", "units of y differ"
    assert arrangement("a 1,a 2,a 3,a 4") == "one curve", "all the same: replicates"
    assert arrangement("q,I 1,p,I 2") == "one curve"
    assert arrangement("q,I 1,q,I 2,q") == "one curve"
    assert arrangement("q,I") == "one curve"


# -- numbers at a glance -----------------------------------------------------------------------------


def test_a_summary_counts_what_is_there():
    found = summary(Channel("a", "N", np.array([3.0, np.nan, 5.0, 10.0])))
    assert (found.count, found.mean, found.low, found.high) == (3, 6.0, 3.0, 10.0)
    assert found.sd == pytest.approx(np.std([3, 5, 10], ddof=1))
    assert np.isnan(summary(Channel("a", "", np.array([4.0]))).sd)
    assert summary(Channel("a", "", np.array([np.nan]))).count == 0


def test_rows_worth_a_look_are_those_made_odd():
    rng = np.random.default_rng(3)
    x, y, z = np.arange(200.0), rng.normal(0, 1, 200), rng.normal(5, 1, 200)
    x[50], x[120] = x[49], 3.0
    y[77] += 40
    z[10] = np.nan
    record = Record(Source("r.csv", b"r"), (Channel("x", "", x), Channel("y", "", y), Channel("z", "", z)))
    found = [(s.row, s.channel, s.reason) for s in suspicious(record)]
    assert [(row, channel) for row, channel, _ in found] == [(10, 2), (50, 0), (77, 1), (120, 0)]
    reasons = dict(zip((10, 50, 77, 120), (reason for _, _, reason in found), strict=True))
    assert (reasons[10], reasons[50], reasons[120]) == ("no number", "repeats", "turns back")
    sigmas = float(reasons[77].split()[0])
    assert 30 < sigmas < 55
    falling = Record(Source("r.csv", b"r"), (Channel("x", "", -x), Channel("y", "", z)))
    assert [(s.row, s.reason) for s in suspicious(falling) if s.channel == 0] == [(50, "repeats"), (120, "turns back")]
    loop = np.r_[np.arange(100.0), np.arange(100.0)[::-1]]
    there = Record(Source("r.csv", b"r"), (Channel("x", "", loop), Channel("y", "", y)))
    assert [s.channel for s in suspicious(there)] == [1], "a loop is not a matter of single rows"


def test_a_histogram_is_numpys_with_the_u_of_counts():
    values = np.random.default_rng(2).gamma(3, 2, 500)
    channel = Channel("d", "µm", np.r_[values, np.nan])
    for rule in ("fd", "scott", "sturges", "sqrt", "doane"):
        made = histogram(channel, Source("s.csv", b"s"), Histogram(rule=rule)).record
        counts_, edges = np.histogram(values, rule)
        np.testing.assert_array_equal(made["count"].values, counts_)
        np.testing.assert_allclose(made["d"].values, (edges[:-1] + edges[1:]) / 2)
        np.testing.assert_allclose(made["u"].values, np.sqrt(np.maximum(counts_, 1)))
    seven = histogram(channel, Source("s.csv", b"s"), Histogram(bins=7))
    assert len(seven.record["count"].values) == 7
    said = dict(seven.record.metadata)
    assert float(said["width"].split()[0]) == pytest.approx(np.ptp(values) / 7)
    for odd in ([1.0], [2.0, 2.0, np.nan]):
        with pytest.raises(cs.InputError, match="no two different numbers"):
            histogram(Channel("d", "", np.array(odd)), Source("s.csv", b"s"), Histogram())
    with pytest.raises(cs.InputError, match="no rule for bins"):
        histogram(channel, Source("s.csv", b"s"), Histogram(rule="mine"))


@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
@pytest.mark.parametrize(("noise", "share"), [("normal", None), ("proportional", 0.05), ("none", None)])
def test_simulated_noise_has_the_size_it_says(noise, share, scale):
    size = {"normal": 0.3 * scale, "proportional": 0.05, "none": 1.0}[noise]
    recipe = Simulation(
        model="a + b*x",
        parameters={"a": 5 * scale, "b": scale},
        points=20_000,
        noise=noise,
        size=size,
        low=1.0,
        high=9.0,
    )
    made = simulate(recipe).record
    truth = scale * (5 + np.linspace(1, 9, 20_000))
    np.testing.assert_allclose(made["true y"].values, truth, rtol=1e-12)
    off = made["y"].values - truth
    spread = {"normal": np.full(20_000, size), "proportional": 0.05 * truth, "none": np.zeros(20_000)}[noise]
    if noise == "none":
        np.testing.assert_array_equal(made["y"].values, made["true y"].values)
        assert "u" not in [c.name for c in made.channels]
        return
    np.testing.assert_allclose(made["u"].values, spread, rtol=1e-12)
    assert np.std(off / spread) == pytest.approx(1.0, abs=0.02)
    assert abs(np.mean(off / spread)) < 0.03
    again = simulate(recipe).record
    np.testing.assert_array_equal(again["y"].values, made["y"].values)
    other = simulate(recipe.model_copy(update={"seed": 2})).record
    assert np.corrcoef(other["y"].values - truth, off)[0, 1] == pytest.approx(0, abs=0.05)


def test_a_computed_channel_carries_units_and_uncertainty_into_the_curve():
    table = table_of("l (mm),F (kN),s (kN)\n" + "".join(f"{i},{2 + i},{0.1}\n" for i in range(1, 9)))
    pattern = with_computed(guess(table), None, ComputedChannel(name="stress", formula="F/(l^2)", unit="MPa"))
    pattern = with_role(pattern, 3, "y")
    taken = apply_pattern(table.record, pattern)
    curve = taken.takes[0].curve(taken.record)
    length = np.arange(1.0, 9.0)
    np.testing.assert_allclose(curve.y, 1000 * (2 + length) / length**2, rtol=1e-12)  # kN/mm² are GPa
    assert curve.y_unit == "MPa"
