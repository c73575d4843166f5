"""Units and the writing of numbers with their uncertainty."""

from __future__ import annotations

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core import units
from curvesieve.core.envelope import envelope
from curvesieve.core.reading import concise, plus_minus


def test_units_are_read_shown_and_multiplied():
    shown = {
        "cm-1": "cm⁻¹",
        "1/cm": "cm⁻¹",
        "N/mm^2": "N·mm⁻²",
        "W/(m K)": "W·m⁻¹·K⁻¹",
        "wt%": "wt%",
        "arb. units": "arb. units",
    }
    assert {unit: units.shown(unit) for unit in shown} == shown
    assert units.shown(units.power_product("cm-1", 1, "counts", 1)) == "counts·cm⁻¹"
    assert units.shown(units.power_product("s", -1, "N", 1)) == "N·s⁻¹"
    assert units.power_product("nm", 1, "", 1) == "nm"
    assert units.labelled("Force", "kN") == "Force (kN)"
    known = {
        "cm-1": True,
        "°C": True,
        "counts": True,
        "µm": True,
        "MPa": True,
        "blorps": False,
        "": False,
        "12 apples": False,
    }
    assert {unit: units.is_known(unit) for unit in known} == known


def test_conversions_are_exact_or_refused():
    np.testing.assert_allclose(units.convert(np.array([1.0, 2.0]), "inch", "m"), [0.0254, 0.0508], rtol=1e-15)
    with pytest.raises(cs.InputError, match="measure different things"):
        units.convert(np.ones(1), "mm", "N")
    with pytest.raises(cs.InputError, match="“blorps” is not known"):
        units.convert(np.ones(1), "blorps", "m")


@pytest.mark.parametrize(
    ("value", "u", "short", "long"),
    [
        # JCGM 100:2008, 7.2.2 writes m = 100,021 47(35) g; with one digit of u, and with a leading 1 two.
        (100.02147, 0.00035, "100.0215(4)", "100.0215 ± 0.0004"),
        (1338.1234, 0.3, "1338.1(3)", "1338.1 ± 0.3"),
        (0.0310, 0.0014, "0.0310(14)", "0.0310 ± 0.0014"),
        (35394.2, 130.0, "3.539(13)e4", "(3.539 ± 0.013)e4"),
        (58.04, 0.96, "58.0(10)", "58.0 ± 1.0"),
        (-2.6, 12.0, "-3(12)", "-3 ± 12"),
        (5.0, None, "5", "5"),
        (float("nan"), 1.0, "–", "–"),
    ],
)
def test_numbers_are_written_with_the_digits_they_have(value, u, short, long):
    assert concise(value, u) == short
    assert plus_minus(value, u) == long


def test_an_envelope_loses_no_extreme():
    x = np.linspace(0, 1, 100_003)
    y = np.sin(20 * x)
    y[54_321] = 9.0
    thin_x, thin_y = envelope(x, y, 0.25, 0.75, 300)
    assert thin_x.size < 1000
    assert thin_y.max() == 9.0
    inside = (x >= 0.25) & (x <= 0.75)
    assert thin_y.min() == y[inside].min()
    assert (np.diff(thin_x) >= 0).all()
    few_x, few_y = envelope(x[:50], y[:50], 0, 1, 300)
    np.testing.assert_array_equal(few_y, y[:50])
    np.testing.assert_array_equal(few_x, x[:50])
