"""Conditions proposed from names and preambles, and never sorted as text."""

from __future__ import annotations

import numpy as np
import pytest

from curvesieve.core.intake.condition import propose
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
    ],
)
def test_from_names(names, name, unit, values):
    found = propose(records(names))
    assert (found.unit, found.values) == (unit, values)
    assert found.name == name


def test_from_preambles_when_the_names_say_nothing():
    lines = [[("Operator", "N. N."), ("Film", "0,5 wt%")], [("Operator", "N. N."), ("Film", "4 wt%")]]
    found = propose(records(["first.csv", "second.csv"], lines))
    assert (found.name, found.unit, found.values) == ("Film", "wt%", (0.5, 4.0))
    powers = [[("Dose", "5.13E+02 Gy")], [("Dose", "4.3e-3 Gy")]]  # the exponent is no unit
    found = propose(records(["first.csv", "second.csv"], powers))
    assert (found.unit, found.values) == ("Gy", (513.0, 0.0043))
    assert propose([]).values == ()
