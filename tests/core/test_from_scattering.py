"""What fits of scattering lead to: contrasts against sums of scattering lengths by hand, fractions, Stokes–Einstein."""

from __future__ import annotations

import math

import numpy as np
import pytest

import curvesieve as cs
from curvesieve.core.contrast import length_density, read_material
from curvesieve.core.fitting.fits import fit_model
from curvesieve.core.measures import MeasureSlot, Seen, parse_measure, taken
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.models import Model, term_of, term_sum
from curvesieve.core.quantity import Quantity

AVOGADRO = 6.02214076e23


def values_of(slug, x, **given):
    summed = term_sum(term_of(slug))
    values = {p.name: p.start for p in term_of(slug).parameters} | given
    return summed.evaluate(np.asarray(x), [values[name] for name in summed.names])


def read(curve, slug, measure, quantities=(), **starts):
    model = Model(scaled=False).with_background(slug, curve)
    model = model.replaced(model.background.with_starts(starts))
    fit = fit_model(model, curve)
    assert fit.converged
    (one,) = taken(
        (MeasureSlot(id="m", rule=parse_measure(measure)),), Seen.of(curve, quantities, FitSeen(model, fit, curve))
    )
    return one, fit


def test_scattering_length_densities_are_sums_of_lengths_over_the_volume():
    """Neutrons: b of H −3.739, D 6.671, O 5.803 fm (V. F. Sears 1992; from memory). X-rays: r_e times the electrons."""
    molecules = 0.997 * AVOGADRO / 18.015
    assert length_density("H2O", 0.997, "neutrons") == pytest.approx(molecules * (5.803 - 2 * 3.739) * 1e-13, rel=2e-3)
    heavy = 1.107 * AVOGADRO / 20.028
    assert length_density("D2O", 1.107, "neutrons") == pytest.approx(heavy * (5.803 + 2 * 6.671) * 1e-13, rel=2e-3)
    electrons = molecules * 10 * 2.8179403e-13
    assert length_density("H2O", 0.997, "Cu Kα") == pytest.approx(electrons, rel=0.01)
    assert length_density("H2O", 0.997, "17.4 keV") == pytest.approx(electrons, rel=0.005)
    assert read_material("SiO2 2200 kg/m^3", "it") == ("SiO2", pytest.approx(2.2))
    for wrong, match in (("Ag", "a formula and a density"), ("Ag 10 m", "mass by volume"), ("Ag -3", "above zero")):
        with pytest.raises(cs.InputError, match=match):
            length_density(*read_material(wrong, "it"), "neutrons")
    with pytest.raises(cs.InputError, match="no formula"):
        length_density("Xq7", 1.0, "neutrons")
    with pytest.raises(cs.InputError, match=r"radiation|wavelength"):
        length_density("Ag", 10.49, "green")


@pytest.mark.parametrize("unit", ["1/nm", "1/Å"])
def test_a_volume_fraction_is_that_of_the_spheres_that_scatter(unit):
    """φ·Δρ²·⟨V²⟩/⟨V⟩ by hand, in 1/cm; 300 curves would be no more than the covariance tells, so 40 are drawn."""
    contrast = length_density("SiO2", 2.2, "neutrons") - length_density("D2O", 1.107, "neutrons")
    radius, spread, fraction = 6e-7, 0.15, 0.012  # cm
    volumes = 4 / 3 * math.pi * radius**3 * math.prod(1 + k * spread**2 for k in (3, 4, 5))
    q = np.geomspace(0.05, 2.5, 120)
    true = values_of("sphere~schulz", q, radius=6.0, spread=spread, forward=fraction * contrast**2 * volumes)
    u = 0.02 * true
    rng = np.random.default_rng(1)
    measure = {"measure": "volume-fraction", "particle": "SiO2 2.2", "around": "D2O 1.107", "radiation": "neutrons"}
    scale = 1.0 if unit == "1/nm" else 0.1
    held = []
    for _ in range(40):
        curve = cs.Curve(q * scale, true + u * rng.normal(size=q.size), u, x_unit=unit, y_unit="1/cm")
        one, _ = read(curve, "sphere~schulz", measure, forward=true[0], radius=6.0 / scale, spread=0.15)
        assert not one.problem, one.problem
        fraction_found, found_contrast = one.readings
        held.append(abs(fraction_found.value - fraction) < 2 * fraction_found.u)
    assert np.mean(held) > 0.85
    assert found_contrast.value == pytest.approx(contrast)
    bare = cs.Curve(q, true, u)
    one, _ = read(bare, "sphere~schulz", measure, forward=true[0], radius=6.0, spread=0.15)
    assert "absolute scale" in one.problem
    one, _ = read(bare, "constant", measure)
    assert "no spheres" in one.problem


QUANTITIES = (
    Quantity(name="temperature", value=25.0, u=0.1, unit="degC"),
    Quantity(name="viscosity", value=0.890, u=0.004, unit="mPa*s"),
    Quantity(name="refractive_index", value=1.332), Quantity(name="wavelength", value=632.8, unit="nm"),
    Quantity(name="angle", value=90.0, u=0.2, unit="deg"),
)  # fmt: skip


def correlation(radius, spread, seed=None):
    """g₂ − 1 of spheres of a radius (m): Stokes and Einstein by hand."""
    q = 4 * math.pi * 1.332 * math.sin(math.pi / 4) / 632.8e-9
    rate = 1.380649e-23 * 298.15 / (6 * math.pi * 0.890e-3 * radius) * q**2
    tau = np.geomspace(1e-6, 1e-2, 150)
    y = 0.4 * np.exp(-2 * rate * tau) * (1 + (spread * rate * tau) ** 2 / 2) ** 2
    if seed is not None:
        y = y + 1e-3 * np.random.default_rng(seed).normal(size=tau.size)
    return cs.Curve(tau * 1e6, y, np.full(tau.size, 1e-3), x_unit="us"), rate * 1e-6


def test_a_hydrodynamic_radius_by_stokes_and_einstein():
    curve, rate = correlation(50e-9, 0.2, seed=2)
    one, fit = read(curve, "cumulants", {"measure": "hydrodynamic-radius"}, QUANTITIES, rate=rate, contrast=0.4)
    assert not one.problem, one.problem
    radius, diffusion, pdi = one.readings
    assert abs(radius.value - 50) < 2.5 * radius.u
    assert radius.unit == "nm"
    assert diffusion.value == pytest.approx(
        1.380649e-23 * 298.15 / (6 * math.pi * 0.89e-3 * radius.value * 1e-9) * 1e12
    )
    assert pdi.value == pytest.approx(0.04, abs=4 * pdi.u)
    relative = fit.parameters["rate"].u / fit.parameters["rate"].value
    by_angle = 0.2 * math.pi / 180  # of cot(θ/2) = 1, twice a half
    expected = math.sqrt(relative**2 + (0.1 / 298.15) ** 2 + (0.004 / 0.890) ** 2 + by_angle**2)
    assert radius.u / radius.value == pytest.approx(expected, rel=1e-3)
    assert "refractive_index, wavelength taken as exact" in one.sentence


def test_a_quantity_that_cancels_out_of_a_formula_leaves_no_u_behind():
    """R·η holds no η: what is left is of the rate, of T and of the angle, wherever the quantities stand."""
    curve, rate = correlation(50e-9, 0.2, seed=2)
    others = (Quantity(name="dilution", value=5.0, u=2.0), *reversed(QUANTITIES))
    model = Model(scaled=False).with_background("cumulants", curve)
    fit = fit_model(model := model.replaced(model.background.with_starts({"rate": rate, "contrast": 0.4})), curve)
    rules = ({"measure": "hydrodynamic-radius"}, {"measure": "formula", "formula": "hydrodynamic_radius*viscosity"})
    slots = tuple(MeasureSlot(id=f"m{k}", rule=parse_measure(rule)) for k, rule in enumerate(rules))
    _, product = taken(slots, Seen.of(curve, others, FitSeen(model, fit, curve)))
    assert not product.problem, product.problem
    relative = fit.parameters["rate"].u / fit.parameters["rate"].value
    left = math.sqrt(relative**2 + (0.1 / 298.15) ** 2 + (0.2 * math.pi / 180) ** 2)
    (reading,) = product.readings
    assert reading.u / reading.value == pytest.approx(left, rel=1e-3)


def test_what_a_hydrodynamic_radius_lacks_is_named():
    curve, rate = correlation(50e-9, 0.2)
    measure = {"measure": "hydrodynamic-radius"}
    for lacking in QUANTITIES:
        rest = tuple(one for one in QUANTITIES if one is not lacking)
        one, _ = read(curve, "cumulants", measure, rest, rate=rate, contrast=0.4)
        assert f"no quantity named {lacking.name}" in one.problem
    wrong = (*QUANTITIES[1:], Quantity(name="temperature", value=25, unit="m"))
    one, _ = read(curve, "cumulants", measure, wrong, rate=rate, contrast=0.4)
    assert "emperature is in m" in one.problem
    bare = cs.Curve(curve.x, curve.y, curve.u)
    one, _ = read(bare, "cumulants", measure, QUANTITIES, rate=rate, contrast=0.4)
    assert "is a time" in one.problem
    one, _ = read(curve, "constant", measure, QUANTITIES)
    assert "no parameter named rate" in one.problem
