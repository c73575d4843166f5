"""Diffraction: Bragg's law, Scherrer's sizes, Williamson and Hall's line, what the instrument adds; and refusals."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import constants
from scipy.optimize import brentq
from scipy.special import voigt_profile

import curvesieve as cs
from curvesieve.core.diffraction import PLANCK_LIGHT, RADIATIONS, components, joined, wavelength_of
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import fit_model
from curvesieve.core.measures import MeasureSlot, Seen, parse_measure, taken
from curvesieve.core.measures.broadening import Scherrer
from curvesieve.core.measures.fit_seen import FitSeen
from curvesieve.core.measures.of_peaks import numbers_of
from curvesieve.core.peaks import Asked, fit_peaks
from curvesieve.core.peaks.making import placed_peak
from curvesieve.core.quantity import Quantity

CU = 0.15405929
SILICON = ((28.441, 3), (47.300, 8), (56.119, 11), (69.126, 16), (76.372, 19))
"""2θ in degrees with Cu Kα1, and h² + k² + l²: NIST SRM 640c, a = 0.54311946 nm (from memory)."""
LAB6 = ((21.358, 1), (30.385, 2), (37.442, 3), (43.507, 4), (48.958, 5))
"""The same of LaB6, NIST SRM 660a, a = 0.41569162 nm, with Cu Kα1 = 0.15405929 nm (from memory)."""


def bragg(a: float, square: int, wave: float) -> float:
    """2θ in degrees of a reflection of a cubic cell, written out here."""
    return 2 * math.degrees(math.asin(wave * math.sqrt(square) / (2 * a)))


def pattern(places, widths, seed=0, noise=3.0, height=1000.0, profile="lorentzian", step=0.02, **units) -> cs.Curve:
    """Peaks with these FWHM on a level with normal noise; x in degrees unless said otherwise."""
    rng = np.random.default_rng(seed)
    x = np.arange(min(places) - 6, max(places) + 6, step)
    y = np.full(x.size, 50.0)
    for place, width in zip(places, widths, strict=True):
        z = 4 * ((x - place) / width) ** 2
        y += height * (1 / (1 + z) if profile == "lorentzian" else np.exp(-math.log(2) * z))
    y += rng.normal(0, noise, x.size)
    return cs.Curve(x, y, **{"x_unit": "deg", "y_unit": "counts", **units})


def fitted(curve: cs.Curve, profile="lorentzian") -> FitSeen:
    made = fit_peaks(curve, Asked(profile=profile, background="line", complete=False))
    assert made.result.converged
    return FitSeen(made.model, made.result, curve)


def read(fit: FitSeen, slug: str, quantities=(), **fields):
    """What one measure gives: its outcome."""
    slot = MeasureSlot(id="m", rule=parse_measure({"measure": slug, **fields}))
    (one,) = taken([slot], Seen.of(fit.curve, tuple(quantities), fit))
    return one


def by_quantity(outcome) -> dict:
    assert not outcome.problem, outcome.problem
    return {(r.quantity, r.part): r for r in outcome.readings}


@pytest.mark.parametrize(("table", "a", "wave"), [(SILICON, 0.54311946, CU), (LAB6, 0.41569162, CU)])
def test_first_reflections_of_silicon_and_lanthanum_hexaboride(table, a, wave):
    for place, square in table:
        assert bragg(a, square, wave) == pytest.approx(place, abs=0.0011)
    places = [bragg(a, square, wave) for _, square in table]
    made = by_quantity(read(fitted(pattern(places, [0.2] * 5)), "spacing", wavelength=f"{wave} nm"))
    for k, (_, square) in enumerate(table, start=1):
        d, q = made["spacing", k], made["scattering-vector", k]
        assert d.unit == "nm"
        assert abs(d.value * math.sqrt(square) - a) < 4 * d.u * math.sqrt(square)
        assert q.value == pytest.approx(2 * math.pi / d.value)
        assert q.u / q.value == pytest.approx(d.u / d.value)
        # By hand: ∂d/∂(2θ) = −d/(2·tan θ), and ∫(∂y/∂center)²dx = π·h²/(2w) for a Lorentzian of dense points.
        theta = math.asin(wave / (2 * d.value))
        u_center = 3.0 / 1000 * math.sqrt(2 * 0.2 * 0.02 / math.pi)
        assert d.u == pytest.approx(d.value / (2 * math.tan(theta)) * math.radians(u_center), rel=0.08)


def test_the_wavelength_is_a_radiation_a_length_an_energy_or_the_curves_own():
    assert wavelength_of("Cu Kα1").value == wavelength_of("cu ka1").value == CU
    assert wavelength_of("Mo Kα").value == pytest.approx((2 * 0.070931715 + 0.0713607) / 3)
    assert wavelength_of("1.5406 Å").value == pytest.approx(0.15406)
    hc = constants.h * constants.c / constants.e * 1e9
    assert pytest.approx(hc, rel=1e-9) == PLANCK_LIGHT
    assert wavelength_of("8.0478 keV").value == pytest.approx(hc / 8047.8)
    own = Quantity.read("Wavelength", "0.71(1) Å")
    assert (wavelength_of("", [own]).value, wavelength_of("", [own]).u) == (pytest.approx(0.071), pytest.approx(0.001))
    # J. A. Bearden, Rev. Mod. Phys. 39 (1967) 78, in Å* (from memory), whose unit is 2e-5 off.
    for name, angstrom in (("Cr", 2.28970), ("Fe", 1.936042), ("Co", 1.788965), ("Cu", 1.540562), ("Mo", 0.709300),
                           ("Ag", 0.5594075)):  # fmt: skip
        assert RADIATIONS[name].alpha1 * 10 == pytest.approx(angstrom, rel=4e-5)
        assert 1.001 < RADIATIONS[name].alpha2 / RADIATIONS[name].alpha1 < 1.009
    for text, said in (
        ("", "the wavelength is not known"), ("0.154", "neither a length nor an energy"), ("3 s", "neither a length"),
        ("Zz Kα1", "the lines of Zz are not known"), ("-1 nm", "above zero"), ("blue", "no quantity"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=said):
            wavelength_of(text)


def test_scherrers_equation_as_a_textbook_works_it_out():
    # B. D. Cullity, Elements of X-ray Diffraction, 1956, section 3-7 (from memory): with λ = 1.5 Å and θ = 49° a
    # crystal of 500 Å has a breadth of about 4·10⁻³ rad, some 0.2°.
    beta = 0.9 * 0.15 / (50 * math.cos(math.radians(49)))
    assert beta == pytest.approx(4e-3, rel=0.05)
    fit = fitted(pattern([98.0], [math.degrees(beta)], noise=0.5, step=0.01))
    made = by_quantity(read(fit, "scherrer", wavelength="1.5 Å"))
    assert made["size", 1].value == pytest.approx(50, rel=0.01)
    assert abs(made["size", 1].value - 50) < 4 * made["size", 1].u
    assert made["mean-size", 0].value == made["size", 1].value
    wide = by_quantity(read(fit, "scherrer", wavelength="1.5 Å", k=1.8))
    assert wide["size", 1].value == pytest.approx(2 * made["size", 1].value)
    # The integral breadth of a Lorentzian is π/2 times its FWHM (closed form).
    broad = by_quantity(read(fit, "scherrer", wavelength="1.5 Å", breadth="integral breadth"))
    assert broad["size", 1].value == pytest.approx(made["size", 1].value * 2 / math.pi, rel=1e-9)


PLACES = [28.44, 47.30, 56.12, 69.13, 76.38, 88.03, 94.95]


def broadened(size: float, strain: float, own: float = 0.0) -> list[float]:
    """FWHM in degrees by Williamson and Hall's law, with a Gaussian instrument where there is one."""
    made = []
    for place in PLACES:
        theta = math.radians(place / 2)
        beta = math.degrees(0.9 * CU / (size * math.cos(theta)) + 4 * strain * math.tan(theta))
        made.append(math.hypot(beta, own))
    return made


def test_size_and_strain_come_back_with_honest_u():
    found: dict[str, list[tuple[float, float]]] = {"size": [], "strain": []}
    for seed in range(40):
        fit = fitted(pattern(PLACES, broadened(30.0, 1e-3), seed, noise=15))
        outcome = by_quantity(read(fit, "williamson-hall", wavelength="Cu Kα1"))
        for name in found:
            found[name].append((outcome[name, 0].value, outcome[name, 0].u))
    for name, true in (("size", 30.0), ("strain", 1e-3)):
        values, us = np.array(found[name]).T
        assert abs(values.mean() - true) < 4 * values.std() / math.sqrt(40)
        assert np.median(us) == pytest.approx(values.std(), rel=0.35)
    mean = by_quantity(read(fitted(pattern(PLACES, broadened(30.0, 0.0), 3)), "scherrer", wavelength="Cu Kα1"))
    sizes = [mean["size", k].value for k in range(1, 8)]
    assert mean["mean-size", 0].value == pytest.approx(np.mean(sizes))
    assert mean["scatter", 0].value == pytest.approx(np.std(sizes, ddof=1))
    assert abs(mean["mean-size", 0].value - 30) < 4 * mean["mean-size", 0].u


def test_what_the_instrument_adds_is_taken_off():
    curve = pattern(PLACES, broadened(30.0, 1e-3, 0.2), profile="gaussian")
    fit = fitted(curve, "gaussian")
    own = {"wavelength": "Cu Kα1", "instrument": "one width", "own_width": "0.2 deg", "rule": "Gaussian"}
    made = by_quantity(read(fit, "williamson-hall", **own))
    assert abs(made["size", 0].value - 30) < 4 * made["size", 0].u
    assert abs(made["strain", 0].value - 1e-3) < 4 * made["strain", 0].u
    named = by_quantity(read(fit, "williamson-hall", [Quantity.read("b", "12 arcmin")], **{**own, "own_width": "b"}))
    assert named["size", 0].value == pytest.approx(made["size", 0].value, rel=1e-9)
    # The same width as a Caglioti curve that is level.
    flat = [Quantity(name=n, value=v) for n, v in (("caglioti_u", 0.0), ("caglioti_v", 0.0), ("caglioti_w", 0.04))]
    level = by_quantity(read(fit, "williamson-hall", flat, **{**own, "instrument": "Caglioti"}))
    assert level["size", 0].value == pytest.approx(made["size", 0].value, rel=1e-9)
    flat[2] = Quantity(name="caglioti_w", value=0.04 * 3600, unit="arcmin^2")
    turned = by_quantity(read(fit, "williamson-hall", flat, **{**own, "instrument": "Caglioti"}))
    assert turned["size", 0].value == pytest.approx(made["size", 0].value, rel=1e-9)
    flat[2] = Quantity(name="caglioti_w", value=0.04, unit="nm")
    assert "a width squared is in deg²" in read(fit, "scherrer", flat, **{**own, "instrument": "Caglioti"}).problem
    parts = by_quantity(read(fit, "williamson-hall", **{**own, "rule": "Voigt by components", "own_mixing": 0.0}))
    assert parts["size", 0].value == pytest.approx(made["size", 0].value, rel=1e-6)  # both are Gaussians


def test_a_reference_pattern_gives_u_v_and_w():
    u, v, w = 0.02, -0.01, 0.012
    widths = [math.sqrt(u * t**2 + v * t + w) for t in np.tan(np.radians(np.array(PLACES) / 2))]
    fit = fitted(pattern(PLACES, widths, profile="gaussian"), "gaussian")
    made = by_quantity(read(fit, "instrument-widths"))
    for name, true in (("caglioti-u", u), ("caglioti-v", v), ("caglioti-w", w)):
        assert made[name, 0].unit == "deg^2"
        assert abs(made[name, 0].value - true) < 4 * made[name, 0].u
        assert made[name, 0].u < 0.2 * abs(true)


def test_no_size_is_made_up_where_none_can_be_told():
    narrow = fitted(pattern(PLACES, [0.2] * 7, profile="gaussian"), "gaussian")
    own = {"wavelength": "Cu Kα1", "instrument": "one width", "own_width": "0.3 deg"}
    outcome = read(narrow, "scherrer", **own)
    assert outcome.absent
    assert outcome.problem.count("narrower than the instrument: its size is above") == 7
    first = narrow.result.parameters["fwhm_1"]
    own["own_width"] = f"{first.value - first.u} deg"  # one u narrower: less than can be told
    just = read(narrow, "scherrer", peaks="1", **own)
    assert just.absent
    limit = float(just.problem.split("its size is above ")[1].split(" nm")[0])
    most = math.radians(math.sqrt((first.value + 2 * first.u) ** 2 - (first.value - first.u) ** 2))
    assert limit == pytest.approx(0.9 * CU / (most * math.cos(math.radians(PLACES[0] / 2))), rel=0.01)
    own["own_width"] = f"{first.value - 2.5 * first.u} deg"
    told = by_quantity(read(narrow, "scherrer", peaks="1", **own))
    assert told["size", 1].value > told["size", 1].u > 0
    strained = fitted(pattern(PLACES, [w - 0.2 for w in broadened(60.0, 3e-3)]))
    line = read(strained, "williamson-hall", wavelength="Cu Kα1")
    assert "and no number" in line.warning
    assert [r.quantity for r in line.readings] == ["strain"]


def test_units_cannot_be_confused():
    curve = pattern(PLACES, broadened(30.0, 1e-3))
    degrees = by_quantity(read(fitted(curve), "scherrer", wavelength="0.15405929 nm"))
    turned = cs.Curve(np.radians(curve.x), curve.y, x_unit="rad", y_unit="counts")
    radians = by_quantity(read(fitted(turned), "scherrer", wavelength="1.5405929 Å"))
    for key, one in degrees.items():
        assert radians[key].unit == one.unit == "nm"
        assert radians[key].value == pytest.approx(one.value, rel=1e-4)
    # In q no wavelength is needed: D = 2πK/Δq, as dq = 2π·cos θ/λ·d(2θ).
    q = [10.0, 20.0, 30.0, 40.0]
    made = cs.Curve(np.arange(5, 45, 0.01), np.zeros(4000), x_unit="1/nm")
    y = sum(1000 / (1 + 4 * ((made.x - place) / 0.2) ** 2) for place in q)
    noisy = y + 20 + np.random.default_rng(1).normal(0, 2, y.size)
    fit = fitted(cs.Curve(made.x, noisy, x_unit="1/nm", y_unit="counts"))
    sizes = by_quantity(read(fit, "scherrer"))
    for k in range(1, 5):
        assert sizes["size", k].value == pytest.approx(2 * math.pi * 0.9 / 0.2, rel=0.02)
    line = by_quantity(read(fit, "williamson-hall"))
    assert line["size", 0].value == pytest.approx(2 * math.pi * 0.9 / 0.2, rel=0.1)
    assert abs(line["strain", 0].value) < 4 * line["strain", 0].u
    d = by_quantity(read(fit, "spacing"))
    assert d["spacing", 2].value == pytest.approx(2 * math.pi / 20, rel=1e-3)


def test_bad_requests_get_a_sentence():
    fit = fitted(pattern(PLACES[:2], [0.3, 0.3]))
    for slug, fields, said in (
        ("spacing", {}, "The wavelength is not known"),
        ("spacing", {"wavelength": "Cu Kα1", "peaks": "7"}, "There is no peak 7; there are 1, 2"),
        ("spacing", {"wavelength": "Cu Kα1", "peaks": "one"}, "“one” is no list of peaks"),
        ("williamson-hall", {"wavelength": "Cu Kα1"}, "A line of size and strain needs 3 reflections"),
        ("instrument-widths", {}, "U, V and W need 3 reflections"),
        ("scherrer", {"wavelength": "Cu Kα1", "instrument": "one width"}, "The instrument's FWHM is not set"),
        ("scherrer", {"wavelength": "Cu Kα1", "instrument": "one width", "own_width": "3 nm"}, "nm"),
        ("scherrer", {"wavelength": "Cu Kα1", "instrument": "Caglioti"}, "The quantity caglioti_u is not there"),
    ):  # fmt: skip
        problem = read(fit, slug, **fields).problem
        assert said in problem, (slug, problem)
    for unit in ("nm", "%", "cm-1", "ppm", ""):
        other = FitSeen(fit.model, fit.result, pattern(PLACES[:2], [0.3, 0.3], x_unit=unit))
        problem = read(other, "spacing", wavelength="Cu Kα1").problem
        assert "and a reflection is at an angle 2θ" in problem, unit
    far = cs.Curve(np.arange(150, 200, 0.02), np.zeros(2500), x_unit="deg")
    y = 20 + 1000 / (1 + 4 * ((far.x - 185) / 0.5) ** 2) + np.random.default_rng(0).normal(0, 2, 2500)
    beyond = fitted(cs.Curve(far.x, y, x_unit="deg", y_unit="counts"))
    assert "between 2θ = 0 and 180°" in read(beyond, "spacing", wavelength="Cu Kα1").problem
    q = cs.Curve(np.arange(60, 110, 0.02), y, x_unit="1/nm", y_unit="counts")
    assert "sin θ would be" in read(fitted(q), "spacing", wavelength="Cu Kα1").problem.replace("Sin", "sin")


def test_profiles_whose_width_or_shape_is_not_known_are_refused():
    fit = fitted(pattern([98.0], [0.5]))
    (line,) = fit.model.peaks
    for slug, said in (
        ("exponentially-modified-gaussian", "whose center is not its maximum"),
        ("fano", "whose center is not its maximum"),
        ("doniach-sunjic", "whose center is not its maximum"), ("pearson", "whose Lorentzian share is not known"),
    ):  # fmt: skip
        placed = placed_peak(slug, 1, 98.0, 1000.0, 0.5)
        model = fit.model.with_peaks((placed,))
        other = FitSeen(model, fit_model(model, fit.curve), fit.curve)
        own = {"instrument": "one width", "own_width": "0.1 deg", "rule": "Voigt by components"}
        assert said in read(other, "scherrer", wavelength="Cu Kα1", **own).problem, slug
        if slug == "pearson":
            assert not read(other, "scherrer", wavelength="Cu Kα1").problem
    assert line.term.shape.plain
    assert Scherrer(instrument="Caglioti").acts("rule")
    assert not Scherrer().acts("rule")


def test_voigt_widths_against_the_profile_itself_and_mixing_there_and_back():
    for gauss, lorentz in ((1.0, 0.1), (1.0, 1.0), (0.2, 1.0), (1.0, 1e-6), (1e-6, 1.0)):
        s, g = gauss / (2 * math.sqrt(2 * math.log(2))), lorentz / 2
        top = voigt_profile(0, s, g)
        half = brentq(lambda x, s=s, g=g, top=top: voigt_profile(x, s, g) - top / 2, 0, 3, xtol=1e-14)
        assert joined(gauss, lorentz) == pytest.approx(2 * half, rel=3e-4)  # Olivero and Longbothum: 0.02 %
    for mixing in np.linspace(0, 1, 11):
        gauss, lorentz = components(1.0, float(mixing))
        whole = (gauss**5 + 2.69269 * gauss**4 * lorentz + 2.42843 * gauss**3 * lorentz**2
                 + 4.47163 * gauss**2 * lorentz**3 + 0.07842 * gauss * lorentz**4 + lorentz**5) ** 0.2  # fmt: skip
        part = lorentz / whole
        assert whole == pytest.approx(1, abs=0.006)  # Thompson, Cox and Hastings 1987, eq. for Γ (from memory)
        assert 1.36603 * part - 0.47719 * part**2 + 0.11116 * part**3 == pytest.approx(mixing, abs=0.006)


@given(st.lists(st.integers(1, 300), min_size=1, max_size=8))
def test_lists_of_peaks_are_read(numbers):
    assert numbers_of(", ".join(map(str, numbers))) == set(numbers)
    low, high = min(numbers), max(numbers)
    assert numbers_of(f"P{low}–P{high}") == set(range(low, high + 1))


@given(st.text("0123456789-,; P–x.", max_size=12))
def test_other_lists_are_read_or_refused_in_a_sentence(text):
    try:
        made = numbers_of(text)
    except InputError as error:
        said = str(error)
    else:
        said = "write 1, 3-5"
        assert made is None or min(made) > 0
    assert "write 1, 3-5" in said


def test_the_mean_wavelength_of_every_anode_is_that_of_periodictable():
    """Its Kα lines of common anodes, in Å and given to four places after the point."""
    import periodictable

    for name, lines in RADIATIONS.items():
        assert 10 * lines.mean == pytest.approx(getattr(periodictable, name).K_alpha, abs=1.0001e-4), name
        assert lines.alpha1 < lines.mean < lines.alpha2


def test_the_sets_of_peaks_are_read_of_a_fitted_pattern():
    from curvesieve.core.sets import BANDS, DIFFRACTION

    fit = fitted(pattern([bragg(0.4086, s, CU) for s in (3, 4, 8, 11)], [0.5, 0.55, 0.7, 0.8]))
    told = (Quantity(name="Wavelength", value=CU, unit="nm"),)
    for one in (DIFFRACTION, BANDS):
        done = taken(one.recipe.measures, Seen.of(fit.curve, told, fit))
        assert len(done) == len(one.measures)
        assert not [each.problem for each in done if each.problem]


def test_a_reflection_whose_center_or_width_is_held_has_no_u_of_its_spacing_or_size():
    free = fitted(pattern([bragg(0.4086, s, CU) for s in (3, 4, 8, 11)], [0.5, 0.55, 0.7, 0.8]))
    placed = free.model.term_numbered(1)
    held = free.model.replaced(placed.with_state("center", hold=True).with_state("fwhm", hold=True))
    fit = FitSeen(held, fit_model(held, free.curve), free.curve)
    d = {r.part: r.u for r in read(fit, "spacing", wavelength="Cu Kα1").readings if r.quantity == "spacing"}
    assert d[1] is None
    assert d[2] > 0
    size = {(r.quantity, r.part): r.u for r in read(fit, "scherrer", wavelength="Cu Kα1").readings}
    assert size["size", 1] is None
    assert size["size", 2] > 0
    assert size["mean-size", 0] is None
