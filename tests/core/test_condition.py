"""Conditions proposed from names and preambles, and never sorted as text."""

from __future__ import annotations

import numpy as np
import pytest

from curvesieve.core.intake.applied import Taken
from curvesieve.core.intake.condition import propose, propose_for
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source


def records(names, metadata=None) -> list[Record]:
    channel = Channel("y", "", np.zeros(2))
    lines = metadata or [()] * len(names)
    return [Record(Source(name, b"m"), (channel,), tuple(meta)) for name, meta in zip(names, lines, strict=True)]


@pytest.mark.parametrize(
    ("names", "name", "unit", "values"),
    [
        (["film_400C_b.csv", "film_90C_b.csv", "film_1000C_b.csv"], "temperature", "°C", (400, 90, 1000)),
        (["2p0wt.csv", "10p5wt.csv"], "loading", "wt%", (2.0, 10.5)),
        (["run t=30min.txt", "run t=5min.txt"], "time", "min", (30, 5)),
        (["loading-0p0.csv", "loading-4p0.csv"], "loading", "", (0, 4)),
        (["strip_A_0p5wt_2024.csv", "strip_A_1p0wt_2024.csv"], "loading", "wt%", (0.5, 1.0)),
        (["S12_25C.jdx", "S13_40C.jdx"], "temperature", "°C", (25, 40)),
        (["a.csv", "b.csv"], "", "", (None, None)),
        (["anneal_30min.csv", "anneal_2h.csv", "anneal_90s.csv"], "time", "min", (30, 120, 1.5)),
        (["film_20C.csv", "film_300K.csv"], "temperature", "°C", (20, 26.85)),
        (["bar_5N_x3.csv", "bar_6mm_x4.csv"], "x", "", (3, 4)),  # a newton and a millimetre are not one condition
        (["q_60min.csv", "q_1h.csv"], "", "", (None, None)),  # the same time, said twice
        (["p_30.csv", "p_40min.csv"], "time", "min", (30, 40)),
        (["S1_25C.csv", "S1_40C.csv"], "temperature", "°C", (25, 40)),
        (["-5C.csv", "-15C.csv"], "temperature", "°C", (-5, -15)),
        (["rh30.csv", "rh 50.csv"], "rh", "", (30, 50)),
        (["30% RH.csv", "50% RH.csv"], "RH", "%", (30, 50)),
        (["only_7C.csv"], "temperature", "°C", (7,)),
        (["book.xlsx · 20 C", "book.xlsx · 40 C"], "temperature", "°C", (20, 40)),
        (["one_3d.csv · 20 C", "two_5d.csv · 40 C"], "time", "d", (3, 5)),  # two files: their names tell
        (["one_3d.csv", "one_5d.csv · 9 C"], "time", "d", (3, 5)),
    ],
)
def test_from_names(names, name, unit, values):
    found = propose(records(names))
    assert found.unit == unit
    assert found.values == (values if None in values else pytest.approx(values, rel=1e-12))
    assert found.name == name


def test_from_preambles_when_the_names_say_nothing():
    lines = [[("Operator", "N. N."), ("Film", "0,5 wt%")], [("Operator", "N. N."), ("Film", "4 wt%")]]
    found = propose(records(["first.csv", "second.csv"], lines))
    assert (found.name, found.unit, found.values) == ("Film", "wt%", (0.5, 4.0))
    powers = [[("Dose", "5.13E+02 Gy")], [("Dose", "4.3e-3 Gy")]]  # the exponent is no unit
    found = propose(records(["first.csv", "second.csv"], powers))
    assert (found.unit, found.values) == ("Gy", (513.0, 0.0043))
    assert propose([]).values == ()
    mixed = [[("Gauge", "12 mm")], [("Gauge", "0.5 in")], [("Gauge", "1.5 cm")]]
    found = propose(records(["a.csv", "b.csv", "c.csv"], mixed))
    assert (found.name, found.unit) == ("Gauge", "mm")
    assert found.values == pytest.approx((12.0, 12.7, 15.0), rel=1e-12)
    apart = [[("Gauge", "12 mm"), ("Dose", "3 Gy")], [("Gauge", "4 s"), ("Dose", "5 Gy")]]
    assert propose(records(["a.csv", "b.csv"], apart)).name == "Dose"  # lengths and times are not one condition
    same = [[("Gauge", "12 mm"), ("Dose", "3 Gy")], [("Gauge", "1.2 cm"), ("Dose", "5 Gy")]]
    assert propose(records(["a.csv", "b.csv"], same)).name == "Dose"
    missing = [[("Dose", "3 Gy"), ("Age", "2 d")], [("Age", "4 d")]]
    assert propose(records(["a.csv", "b.csv"], missing)).name == "Age"
    assert propose(records(["a.csv", "b.csv"], [[("Age", "2 d")], [("Age", "old")]])).values == (None, None)


def test_a_channel_that_says_the_condition_does_so_in_one_unit():
    def taken(unit: str, *said: float) -> Taken:
        return Taken(records(["a.csv"])[0], (Take(0, 0),) * len(said), said, ("Oven", unit))

    found = propose_for([taken("°C", 20.0, 40.0), taken("K", 353.15)])
    assert (found.name, found.unit) == ("Oven", "°C")
    assert found.values == pytest.approx((20.0, 40.0, 80.0), abs=1e-9)
    assert propose_for([taken("°C", 20.0), taken("mm", 3.0)]).values == (None, None)


def test_a_preamble_that_says_the_numbers_of_the_names_says_what_they_are():
    names = ["relax-30rh.csv", "relax-50rh.csv"]
    lines = [[("Sample", "film"), ("Humidity", f"{h} %")] for h in (30, 50)]
    found = propose(records(names, lines))
    assert (found.name, found.unit, found.values) == ("Humidity", "%", (30, 50))
    other = propose(records(names, [[("Load", f"{h} N")] for h in (30, 50)]))  # the same numbers of another kind
    assert other.name != "Load"
    assert propose(records(names, [[("Humidity", "31 %")], [("Humidity", "50 %")]])).name == "relax"
