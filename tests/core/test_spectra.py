"""Spectra: axes of light against SciPy's constants, absorbance and its u, band gaps by Tauc's plot, refusals."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import constants
from scipy.integrate import trapezoid

import curvesieve as cs
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.measures import MeasureSlot, Seen, parse_measure, taken
from curvesieve.core.spectral import UNITS, energy_of, from_energy, kind_of
from curvesieve.core.steps.spectra import Absorbance, SpectralAxis
from tests.core.measuring import RUNS

HC_EV_NM = constants.h * constants.c / constants.e * 1e9


def passed(step, curve):
    return step.apply(curve).curve


@pytest.mark.parametrize("unit", ["nm", "µm", "Å", "1/cm", "1/nm", "eV", "meV", "kJ", "THz", "1/s"])
def test_every_unit_of_light_becomes_every_other_by_the_constants_of_scipy(unit):
    kind, factor = kind_of(unit)
    ev = {"wavelength": HC_EV_NM / factor, "wavenumber": factor * 100 * constants.h * constants.c / constants.e,
          "photon energy": factor, "frequency": factor * 1e12 * constants.h / constants.e}[kind]  # fmt: skip
    assert float(energy_of(np.array([1.0]), unit)[0]) == pytest.approx(ev, rel=1e-12)
    for other in UNITS:
        there = from_energy(energy_of(np.array([0.7, 3.0]), unit), other)
        assert energy_of(there, UNITS[other]) == pytest.approx(energy_of(np.array([0.7, 3.0]), unit), rel=1e-12)


def test_a_spectrum_by_wavelength_goes_over_energy_wavenumber_and_frequency_and_back():
    x = np.linspace(300, 900, 601)
    y = np.exp(-(((x - 550) / 60) ** 2)) + 0.1
    curve = cs.Curve(x, y, np.full(x.size, 0.01), x_unit="nm", y_unit="counts")
    by_energy = passed(SpectralAxis(), curve)
    assert by_energy.x_unit == "eV"
    assert by_energy.x_label == "photon energy"
    assert by_energy.is_sorted
    assert by_energy.x[0] == pytest.approx(HC_EV_NM / 900)
    assert by_energy.y[0] == y[-1]
    back = passed(SpectralAxis(to="wavelength"), by_energy)
    assert back.x == pytest.approx(x, rel=1e-13)
    assert np.array_equal(back.y, y)
    assert passed(SpectralAxis(to="frequency"), curve).x[-1] == pytest.approx(constants.c / 300e-9 / 1e12)
    density = passed(SpectralAxis(to="wavenumber", density=True), curve)
    assert abs(trapezoid(density.y, density.x)) == pytest.approx(trapezoid(y, x), rel=1e-4)  # no light is lost
    assert density.u[0] / density.y[0] == pytest.approx(0.01 / y[-1])
    assert units.in_base(density.y_unit).powers == units.in_base("counts·nm·cm").powers
    linear = passed(SpectralAxis(to="wavenumber", density=True), cs.Curve([0.0, 1.0], [2.0, 2.0], x_unit="eV"))
    assert linear.y == pytest.approx(2.0 / (1e7 / HC_EV_NM))
    with pytest.raises(InputError, match="there is no wavelength"):
        SpectralAxis(to="wavelength").apply(cs.Curve([0.0, 1.0], [2.0, 2.0], x_unit="eV"))
    shift = passed(SpectralAxis(to="Raman shift", laser="532 nm"), cs.Curve([532.0, 571.4], [1, 2], x_unit="nm"))
    assert shift.x == pytest.approx([0.0, 1e7 / 532 - 1e7 / 571.4], abs=1e-9)
    assert shift.x_unit == "1/cm"
    bare = cs.Curve([1.0, 2.0], [1.0, 2.0])
    assert passed(SpectralAxis(to="wavelength", x_is="eV"), bare).x == pytest.approx([HC_EV_NM / 2, HC_EV_NM])


@pytest.mark.parametrize(
    ("step", "curve", "said"),
    [
        (SpectralAxis(), cs.Curve([1, 2], [1, 2], x_unit="s"), "x is in s"),
        (SpectralAxis(), cs.Curve([1, 2], [1, 2]), "x is in no unit"),
        (SpectralAxis(), cs.Curve([0, 2], [1, 2], x_unit="nm"), "a wavelength is above zero"),
        (SpectralAxis(x_is="eV"), cs.Curve([1, 2], [1, 2], x_unit="nm"), "x is in nm already"),
        (SpectralAxis(to="Raman shift", laser="5 s"), cs.Curve([1, 2], [1, 2], x_unit="nm"), "x is in s"),
        (SpectralAxis(to="Raman shift", laser="red"), cs.Curve([1, 2], [1, 2], x_unit="nm"), "the laser: “red”"),
        (Absorbance(), cs.Curve([1, 2], [87, 92]), "y goes up to 92 and has no unit"),
        (Absorbance(), cs.Curve([1, 2], [1, 2], y_unit="V"), "y is in V"),
        (Absorbance(make="transmittance"), cs.Curve([1, 2], [1, 2], y_unit="%"), "an absorbance has no unit"),
        (Absorbance(), cs.Curve([1, 2], [0, -1]), "no point lets light through"),
    ],
)
def test_what_is_no_light_is_refused(step, curve, said):
    with pytest.raises(InputError, match=said.replace("(", r"\(")):
        step.apply(curve)


@given(st.floats(1e-6, 1.0), st.sampled_from(["absorbance", "Napierian absorbance", "Kubelka–Munk"]))
@settings(max_examples=60, deadline=None)
def test_absorbances_are_those_of_their_formulas_with_u_by_the_slope(t, make):
    curve = cs.Curve([1.0, 2.0], [100 * t, 50.0], [100 * t * 1e-4, 0.1], y_unit="%")
    made = passed(Absorbance(make=make), curve)
    f = {"absorbance": lambda v: -math.log10(v), "Napierian absorbance": lambda v: -math.log(v),
         "Kubelka–Munk": lambda v: (1 - v) ** 2 / (2 * v)}[make]  # fmt: skip
    assert made.y[0] == pytest.approx(f(t), rel=1e-12, abs=1e-12)
    by = abs(f(t * (1 + 1e-4)) - f(t * (1 - 1e-4))) / 2
    if make == "Kubelka–Munk":  # flat at R = 1, where the next order counts: u²·f″/√2 (JCGM 100, note to 5.1.2)
        by = math.hypot(by, (1e-4 * t) ** 2 / t**3 / math.sqrt(2))
    assert made.u[0] == pytest.approx(by, rel=1e-3, abs=1e-12)
    assert made.y_unit == ""
    if make == "absorbance":
        back = passed(Absorbance(make="transmittance"), made)
        assert back.y[0] == pytest.approx(t, rel=1e-12)
        assert back.u[0] == pytest.approx(t * 1e-4, rel=1e-9)


def test_points_without_light_are_dropped_and_counted_and_left_out_ones_do_not_decide():
    made = Absorbance(percent="yes").apply(cs.Curve([1, 2, 3], [50.0, 0.0, 10.0]))
    assert made.curve.x.tolist() == [1, 3]
    assert made.caught.points.tolist() == [1]
    assert "1 point without light" in made.message
    assert passed(Absorbance(percent="no"), cs.Curve([1, 2], [0.1, 0.01])).y == pytest.approx([1.0, 2.0])


POWERS = {"direct allowed": 2.0, "indirect allowed": 0.5, "direct forbidden": 2 / 3, "indirect forbidden": 1 / 3}


def edge(transition, gap=2.2, tail=0.0, unit="eV", noise=0.0, seed=0, u=False) -> cs.Curve:
    """(αE)ⁿ = 40·(E − Eg) above a flat tail, written out here."""
    e = np.linspace(1.6, 3.2, 801)
    tauc = np.maximum(40 * (e - gap), 0.0) + tail
    alpha = tauc ** (1 / POWERS[transition]) / e
    alpha = alpha + np.random.default_rng(seed).normal(0, 1, e.size) * noise
    x = e if unit == "eV" else HC_EV_NM / e
    order = np.argsort(x)
    return cs.Curve(x[order], alpha[order], np.full(e.size, noise) if u else None, x_unit=unit)


def gap_of(curve, **fields):
    (one,) = taken([MeasureSlot(id="m", rule=parse_measure({"measure": "band-gap", **fields}))], Seen.of(curve))
    return one


@pytest.mark.parametrize("transition", list(POWERS))
@pytest.mark.parametrize("unit", ["eV", "nm"])
def test_the_gap_of_a_made_edge_comes_back_for_every_transition_and_axis(transition, unit):
    ends = {"low": 2.5, "high": 3.0} if unit == "eV" else {"low": HC_EV_NM / 3.0, "high": HC_EV_NM / 2.5}
    clean = gap_of(edge(transition, unit=unit), transition=transition, meets="zero", **ends)
    assert not clean.problem, clean.problem
    assert clean.readings[0].value == pytest.approx(2.2, rel=1e-9)
    assert clean.readings[0].unit == "eV"
    below = ({"other_low": 1.7, "other_high": 2.1} if unit == "eV"
             else {"other_low": HC_EV_NM / 2.1, "other_high": HC_EV_NM / 1.7})  # fmt: skip
    two = gap_of(edge(transition, tail=3.0, unit=unit), transition=transition, **ends, **below)
    assert two.readings[0].value == pytest.approx(2.2, rel=1e-9)
    assert len(two.shapes) == 3


@pytest.mark.parametrize("meets", ["zero", "the line below"])
@pytest.mark.parametrize("u", [True, False])
def test_u_of_the_gap_is_that_of_spectra_drawn_again(meets, u):
    fields = {"low": 2.4, "high": 2.9, "other_low": 1.7, "other_high": 2.1, "meets": meets}
    values, us = [], []
    for seed in range(RUNS // 2):
        one = gap_of(edge("direct allowed", tail=3.0 if meets != "zero" else 0.5, noise=0.01, seed=seed, u=u), **fields)
        values.append(one.readings[0].value)
        us.append(one.readings[0].u)
    assert np.median(us) == pytest.approx(np.std(values), rel=0.16)


def test_u_of_readings_that_stand_on_the_gap_and_what_cannot_be_read():
    good = edge("direct allowed", tail=1.0)
    assert "rise is not set" in gap_of(good).problem
    assert "below the edge is not set" in gap_of(good, low=2.5, high=3.0).problem
    assert (
        "does not rise" in gap_of(cs.Curve(good.x, 2 / good.x**2, x_unit="eV"), low=1.7, high=2.1, meets="zero").problem
    )
    assert "above zero" in gap_of(cs.Curve(good.x, good.y - 1, x_unit="eV"), low=1.7, high=2.5, meets="zero").problem
    assert "a spectrum goes over" in gap_of(cs.Curve(good.x, good.y, x_unit="s"), low=2.5, high=3.0).problem
    assert "parallel" in gap_of(good, low=2.5, high=3.0, other_low=2.5, other_high=3.0).problem
