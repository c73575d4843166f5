"""Units and the writing of numbers with their uncertainty."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core import units
from curvesieve.core.envelope import envelope, outline
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


def _slowly(value: str, u: str) -> tuple[Fraction, Fraction]:
    """Value and u > 0, as decimal texts, rounded by hand to whole numbers of u's last place."""
    number, spread = Fraction(value), Fraction(u)
    place = 0
    while spread >= Fraction(10) ** (place + 1):
        place += 1
    while spread < Fraction(10) ** place:
        place -= 1
    if spread / Fraction(10) ** place < 2:
        place -= 1
    unit = Fraction(10) ** place

    def rounded(part: Fraction) -> Fraction:
        return round(part / unit) * unit  # half to even, as Decimal does

    return rounded(number), rounded(spread)


@given(
    st.decimals(-99999, 99999, places=6).filter(lambda v: v == 0 or abs(v) > Decimal("1e-3")),
    st.decimals("0.000002", 99999, places=6),
)
@settings(deadline=None, max_examples=400)
def test_rounding_against_a_slow_plain_way(value, u):
    """Two digits of u where its first is a 1 before rounding, else one; the value to the same place."""
    wanted = _slowly(str(value), str(u))
    short, long = concise(float(value), float(u)), plus_minus(float(value), float(u))
    mantissa, _, exponent = long.rpartition("e") if long.startswith("(") else (long, "", "0")
    parts = [Fraction(part) * Fraction(10) ** int(exponent) for part in mantissa.strip("()").split(" ± ")]
    assert tuple(parts) == wanted
    body, _, power = short.partition("e")
    number, digits = body[:-1].split("(")
    decimals = len(number.partition(".")[2])
    scale = Fraction(10) ** int(power or 0)
    assert (Fraction(number) * scale, Fraction(int(digits)) / 10**decimals * scale) == wanted


@pytest.mark.parametrize(
    ("value", "u", "said"),
    [
        (12.34, 0.17, "12.34 ± 0.17"),
        (12.34, 1.52, "12.3 ± 1.5"),
        (3.0, 15.0, "3 ± 15"),
        (12.34, 0.96, "12.3 ± 1.0"),
        (0.0, 0.3, "0.0 ± 0.3"),
        (-0.001, 0.5, "0.0 ± 0.5"),
        (1e12, 3e11, "(1.0 ± 0.3)e12"),
        (1e-12, 3e-13, "(1.0 ± 0.3)e-12"),
    ],
)
def test_rounding_by_hand(value, u, said):
    assert plus_minus(value, u) == said


def test_a_unit_of_one_leaves_no_empty_brackets():
    for unit in ("", "1"):
        assert units.labelled("ratio", unit) == "ratio"
    assert units.labelled("shift", "1/cm") == "shift (cm⁻¹)"


@given(st.integers(1, 400), st.integers(1, 60), st.integers(0, 10_000))
@settings(max_examples=150, deadline=None)
def test_an_outline_loses_no_peak_and_keeps_the_order(count, stretches, seed):
    rng = np.random.default_rng(seed)
    x, y = rng.normal(size=count), rng.normal(size=count) * 10.0 ** rng.integers(-12, 12)
    thin_x, thin_y = outline(x, y, stretches)
    assert (thin_y.min(), thin_y.max()) == (y.min(), y.max())
    assert thin_x.size <= max(2 * (count // max(count // stretches, 1) + 1) + 2, 3 * stretches)
    places = [int(np.flatnonzero((x == a) & (y == b))[0]) for a, b in zip(thin_x, thin_y, strict=True)]
    assert places == sorted(places)
    assert (places[0], places[-1]) == (0, count - 1)
