"""Terms of scattering against closed forms, SciPy's own quadrature, and fits of curves whose truth is known."""

from __future__ import annotations

import subprocess
import sys
from itertools import pairwise

import numpy as np
import pytest
from scipy import integrate, special

import curvesieve as cs
from curvesieve.core.fitting import fit_model
from curvesieve.core.fitting.family import fit_family
from curvesieve.core.fitting.problem import state_problem
from curvesieve.core.fitting.request import Request
from curvesieve.core.fitting.writing import as_script
from curvesieve.core.formula import compile_formula, evaluate, parse
from curvesieve.core.formula.functions import FUNCTIONS
from curvesieve.core.formula.printing import python
from curvesieve.core.models import Model, term_of, term_sum
from curvesieve.core.models.integrals import DISTRIBUTIONS, Averaged
from curvesieve.core.models.library.forms import FORMS
from curvesieve.core.models.library.scattering import parts_of
from curvesieve.core.steps.bridge import Bridge

Q = np.geomspace(1e-3, 1e2, 26)  # five decades, with sizes of 5


def values_of(slug: str, x, **given):
    """The term's values at its declared starts, but for those given."""
    term = term_of(slug)
    summed = term_sum(term)
    values = {p.name: p.start for p in term.parameters} | given
    return summed.evaluate(np.asarray(x, float), [values[name] for name in summed.names])


def ball(z):
    return 1 - z * z / 10 + z**4 / 280 if z < 1e-2 else 3 * (np.sin(z) - z * np.cos(z)) / z**3


def pieces(low, high, count):
    """quad in pieces, so that no oscillation is missed."""
    ends = list(pairwise(np.linspace(low, high, count + 1).tolist()))
    return lambda f: sum(integrate.quad(f, a, b, epsabs=0, epsrel=1e-10)[0] for a, b in ends)


# -- closed forms -------------------------------------------------------------------------------------


def test_the_sphere_has_its_zeros_and_its_limits():
    """Zeros of tan z = z at 4.4934, 7.7253, 10.9041 (DLMF 4.21 and tables; from memory); Guinier's and Porod's laws."""
    zeros = np.array([4.493409457909064, 7.725251836937707, 10.904121659428899])
    assert values_of("sphere", zeros / 5, radius=5.0) == pytest.approx(0, abs=1e-28)
    small = np.array([1e-4, 1e-3])
    assert values_of("sphere", small, radius=5.0) == pytest.approx(np.exp(-(small**2) * 15 / 3), rel=1e-6)
    many = np.linspace(100 * np.pi, 200 * np.pi, 200_001)[1:]  # ⟨P⟩ over an oscillation falls as 9/2/(qR)⁴
    assert np.mean(values_of("sphere", many / 5, radius=5.0) * many**4) == pytest.approx(4.5, rel=1e-4)
    assert values_of("sphere", [0.0], forward=3.0) == pytest.approx(3)


@pytest.mark.parametrize(
    ("slug", "given", "squared"),
    [
        ("sphere", {"radius": 5.0}, 3 / 5 * 25),
        ("spheroid", {"radius": 3.0, "ratio": 2.5}, 9 * (2 + 2.5**2) / 5),
        ("cylinder", {"radius": 2.0, "length": 30.0}, 2 + 900 / 12),
        ("disc", {"radius": 12.0, "thickness": 2.0}, 72 + 4 / 12),
        ("chain", {"rg": 6.0}, 36.0),
        ("swollen-chain", {"rg": 6.0, "nu": 0.588}, None),
        ("ornstein-zernike", {"length": 4.0}, 3 * 16),
        ("debye-bueche", {"length": 4.0}, 6 * 16),
        ("levels-1", {"rg1": 6.0, "porod1": 0.0}, 36.0),
        ("sphere~schulz", {"radius": 5.0, "spread": 0.2}, 3 / 5 * 25 * (1 + 6 * 0.04) * (1 + 7 * 0.04)),
        ("sphere~log-normal", {"radius": 5.0, "spread": 0.2}, 3 / 5 * 25 * 1.04**13),
        ("sphere~boxcar", {"radius": 5.0, "spread": 0.2}, None),
    ],
)  # fmt: skip
def test_radii_of_gyration_in_closed_form(slug, given, squared):
    """Rg² = −3·d(ln I)/d(q²) at q → 0; moments of the gamma and of the log-normal density; textbook."""
    q = np.array([1e-3, 2e-3])
    first, second = values_of(slug, q, **given)
    found = -3 * np.log(second / first) / (q[1] ** 2 - q[0] ** 2)
    if slug == "swollen-chain":  # U = q²Rg²(2ν + 1)(2ν + 2)/6, so that the first order is that of Guinier for any ν
        squared = 36.0
    if slug == "sphere~boxcar":
        low, high = 5 - np.sqrt(3), 5 + np.sqrt(3)
        squared = 0.6 * (high**9 - low**9) / 9 / ((high**7 - low**7) / 7)
    assert found == pytest.approx(squared, rel=3e-4)
    follows = {d.name: d for d in term_of(slug).derived}
    if "rg" in follows:
        formula = parse(follows["rg"].formula, ())
        assert float(evaluate(formula, given)) ** 2 == pytest.approx(squared, rel=1e-9)


def test_core_and_shell_are_two_spheres():
    same = values_of("core-shell-sphere", Q, radius=4.0, shell=1.0, contrast=1.0, forward=1.0)
    assert same == pytest.approx((5 / 4) ** 6 * values_of("sphere", Q, radius=5.0), rel=1e-12)
    assert values_of("core-shell-sphere", Q, radius=4.0, shell=1.0, contrast=0.0) == pytest.approx(
        values_of("sphere", Q, radius=4.0), rel=1e-12
    )
    hollow = [((5**3 * ball(5 * q) - 4**3 * ball(4 * q)) / 4**3) ** 2 for q in Q]  # a contrast far above the core's
    assert values_of("core-shell-sphere", Q, radius=4.0, shell=1.0, contrast=1e9, forward=1e-18) == pytest.approx(
        hollow, rel=1e-6
    )


def test_chains_by_debye_and_by_incomplete_gammas():
    """2(e⁻ᵘ + u − 1)/u² (Debye 1947); γ functions for other exponents (Hammouda 1993); both from memory."""
    u = (Q * 6) ** 2
    closed = np.where(u < 1e-2, 1 - u / 3 + u**2 / 12 - u**3 / 60, 2 * (np.expm1(-u) + u) / u**2)
    assert values_of("chain", Q, rg=6.0) == pytest.approx(closed, rel=1e-6)
    nu, x = 0.588, Q[8:]
    big = (x * 6) ** 2 * (2 * nu + 1) * (2 * nu + 2) / 6

    def lower(a):
        return special.gamma(a) * special.gammainc(a, big)

    expected = lower(0.5 / nu) / (nu * big ** (0.5 / nu)) - lower(1 / nu) / (nu * big ** (1 / nu))
    assert values_of("swollen-chain", x, rg=6.0, nu=nu) == pytest.approx(expected, rel=1e-6)


def test_laws_without_integrals():
    """Teubner and Strey's peak and its width; a fractal's slope; Beaucage's Porod limit; a slope is a slope."""
    x = np.linspace(0.01, 1.5, 200_001)
    y = values_of("teubner-strey", x, period=12.0, length=7.0)
    k, w = 2 * np.pi / 12, 1 / 7
    assert x[np.argmax(y)] == pytest.approx(np.sqrt(k**2 - w**2), rel=1e-4)
    far = np.array([1.0, 2.0])  # 1/ξ ≪ q, and spheres too small to be seen
    fractal = values_of("mass-fractal", far, radius=1e-3, length=1e3, dimension=2.3)
    assert np.log(fractal[1] / fractal[0]) / np.log(2) == pytest.approx(-2.3, abs=1e-3)
    level = values_of("levels-1", [50.0, 100.0], guinier1=1.0, rg1=5.0, porod1=0.3, exponent1=4.0)
    assert level == pytest.approx([0.3 / 50**4, 0.3 / 100**4], rel=1e-9)
    assert values_of("slope", [2.0], factor=3.0, exponent=3.5, background=0.25) == pytest.approx([3 / 2**3.5 + 0.25])
    assert values_of("lamella", [0.7], factor=2.0, thickness=3.0) == pytest.approx(
        2 / 0.49 * (np.sin(1.05) / 1.05) ** 2
    )


# -- integrals ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("spread", [0.02, 0.1, 0.25])
@pytest.mark.parametrize("slug", list(DISTRIBUTIONS))
def test_many_sizes_are_those_of_quad_over_five_decades(slug, spread):
    """To 1e-6 of the value, against scipy.integrate.quad in pieces; densities written here once more."""
    m, s = 5.0, 5.0 * spread
    if slug == "gaussian":
        low, high = max(m - 8 * s, 0), m + 9 * s

        def density(r):
            return np.exp(-0.5 * ((r - m) / s) ** 2)

    elif slug == "boxcar":
        low, high = m - np.sqrt(3) * s, m + np.sqrt(3) * s

        def density(r):
            return 1.0

    elif slug == "log-normal":
        sigma = np.sqrt(np.log(1 + spread**2))
        mu = np.log(m) - sigma**2 / 2
        low, high = np.exp(mu - 6 * sigma), np.exp(mu + 6 * sigma**2 + 6 * sigma)

        def density(r):
            return np.exp(-0.5 * ((np.log(r) - mu) / sigma) ** 2) / r

    else:
        shape = 1 / spread**2
        low, high = max(m - 9 * s, 1e-9), m + 14 * s

        def density(r):
            return np.exp((shape - 1) * np.log(r / m) - shape * (r / m - 1))

    q = Q[::5]
    norm = pieces(low, high, 8)(lambda r: density(r) * r**6)
    expected = [
        pieces(low, high, int(8 + x * (high - low) / 4))(lambda r, x=x: density(r) * r**6 * ball(x * r) ** 2) / norm
        for x in q
    ]  # fmt: skip
    assert values_of(f"sphere~{slug}", q, spread=spread) == pytest.approx(expected, rel=1e-6)


@pytest.mark.parametrize(
    ("slug", "given", "amplitude"),
    [
        ("cylinder", {"radius": 2.0, "length": 30.0},
         lambda q, c: np.sinc(q * 15 * c / np.pi) * _jinc(q * 2 * np.sqrt(1 - c * c))),
        ("disc", {"radius": 12.0, "thickness": 2.0},
         lambda q, c: np.sinc(q * c / np.pi) * _jinc(q * 12 * np.sqrt(1 - c * c))),
        ("spheroid", {"radius": 3.0, "ratio": 2.5}, lambda q, c: ball(q * 3 * np.sqrt(1 + (2.5**2 - 1) * c * c))),
        ("spheroid", {"radius": 9.0, "ratio": 0.2}, lambda q, c: ball(q * 9 * np.sqrt(1 + (0.2**2 - 1) * c * c))),
    ],
)  # fmt: skip
def test_all_directions_are_those_of_quad(slug, given, amplitude):
    q = np.geomspace(1e-3, 30, 10)
    expected = [pieces(0, 1, int(8 + 6 * x))(lambda c, x=x: amplitude(x, c) ** 2) for x in q]
    assert values_of(slug, q, **given) == pytest.approx(expected, rel=1e-6)


def _jinc(z):
    return 2 * special.j1(z) / z if z > 1e-6 else 1.0


def test_rods_of_many_radii():
    """Directions and radii at once, against a plain double sum over very many of both."""
    q = np.array([0.05, 0.5, 2.0])
    t, w = np.polynomial.legendre.leggauss(400)
    r, c = 2 * (1 + 0.15 * 9 * t), (t + 1) / 2
    density = np.exp(-0.5 * ((r - 2) / 0.3) ** 2) * w * (r > 0)
    f = np.sinc(q[:, None, None] * 15 * c[:, None] / np.pi) * 2 * special.j1(
        z := q[:, None, None] * np.abs(r) * np.sqrt(1 - c[:, None] ** 2)
    ) / z  # fmt: skip
    top = np.einsum("qcr,c,r->q", f**2, w / 2, density * r**4)
    found = values_of("cylinder~gaussian", q, radius=2.0, spread=0.15, length=30.0)
    assert found == pytest.approx(top / (density * r**4).sum(), rel=1e-6)


@pytest.mark.parametrize("fill", [0.01, 0.2, 0.45])
def test_hard_spheres_between_particles(fill):
    """S(0) = (1 − η)⁴/(1 + 2η)² and S from the direct correlation function of Wertheim 1963 (from memory), by quad;
    Baxter's adhesive spheres without adhesion are the same, and S(0) = ((1 − η)²/(1 + 2η − λη(1 − η)))² with it."""
    slug, q = "sphere*hard-spheres", np.array([1e-6, 0.1, 0.5, 1.0, 3.0, 20.0])
    given = {"radius": 1e-6, "hard_radius": 4.0, "fill": fill}
    found = values_of(slug, q, **given)
    assert found[0] == pytest.approx((1 - fill) ** 4 / (1 + 2 * fill) ** 2, rel=1e-9)
    a = (1 + 2 * fill) ** 2 / (1 - fill) ** 4
    b = -6 * fill * (1 + fill / 2) ** 2 / (1 - fill) ** 4
    for x, s in zip(q, found, strict=True):
        inside, _ = integrate.quad(
            lambda r, x=x: (a + b * r + fill * a / 2 * r**3) * r**2 * np.sinc(8 * x * r / np.pi), 0, 1, limit=400
        )
        assert s == pytest.approx(1 / (1 + 24 * fill * inside), rel=1e-7)
    loose = values_of("sphere*sticky-spheres", q, **given, stickiness=1e4)
    assert loose == pytest.approx(found, rel=2e-3)
    tau = 0.5
    b, c = fill / (1 - fill) + tau, (1 + fill / 2) / (1 - fill) ** 2
    stick = min(np.roots([fill / 12, -b, c]).real)
    expected = ((1 - fill) ** 2 / (1 + 2 * fill - stick * fill * (1 - fill))) ** 2
    assert values_of("sphere*sticky-spheres", q, **given, stickiness=tau)[0] == pytest.approx(expected, rel=1e-8)


# -- slopes, starts, fits -----------------------------------------------------------------------------

KNOWN = {
    "sphere": {"radius": 8.0, "forward": 40.0, "background": 0.02},
    "sphere~schulz": {"radius": 8.0, "spread": 0.12, "forward": 40.0, "background": 0.02},
    "sphere~log-normal": {"radius": 4.0, "spread": 0.25, "forward": 4e3, "background": 0.2},
    "sphere~gaussian": {"radius": 8.0, "spread": 0.05, "forward": 40.0, "background": 0.002},
    "sphere~boxcar": {"radius": 8.0, "spread": 0.2, "forward": 40.0, "background": 0.02},
    "core-shell-sphere~schulz": {"radius": 6.0, "spread": 0.1, "shell": 2.0, "contrast": 0.4, "forward": 40.0,
                                 "background": 0.01},
    "spheroid": {"radius": 6.0, "ratio": 2.5, "forward": 40.0, "background": 0.01},
    "cylinder": {"radius": 2.0, "length": 40.0, "forward": 40.0, "background": 0.01},
    "cylinder~schulz": {"radius": 2.0, "length": 40.0, "spread": 0.15, "forward": 40.0, "background": 0.01},
    "disc": {"radius": 15.0, "thickness": 2.0, "forward": 40.0, "background": 0.01},
    "lamella~gaussian": {"thickness": 5.0, "spread": 0.15, "factor": 0.1, "background": 0.01},
    "chain": {"rg": 6.0, "forward": 40.0, "background": 0.01},
    "swollen-chain": {"rg": 6.0, "nu": 0.588, "forward": 40.0, "background": 0.01},
    "sphere~schulz*hard-spheres": {"radius": 6.0, "spread": 0.1, "fill": 0.2, "hard_radius": 6.5, "forward": 40.0,
                                   "background": 0.01},
    "sphere~schulz*sticky-spheres": {"radius": 6.0, "spread": 0.1, "fill": 0.2, "hard_radius": 6.5, "stickiness": 0.3,
                                     "forward": 40.0, "background": 0.01},
    "sphere~schulz+slope": {"radius": 6.0, "spread": 0.1, "factor2": 1e-3, "exponent2": 3.6, "forward": 40.0,
                            "background": 0.01},
    "levels-1": {"guinier1": 40.0, "rg1": 6.0, "porod1": 0.02, "exponent1": 3.7, "background": 0.01},
    "levels-2": {"guinier1": 3.0, "rg1": 2.0, "porod1": 0.2, "exponent1": 3.9, "guinier2": 4000.0, "rg2": 20.0,
                 "porod2": 0.05, "exponent2": 2.5, "background": 0.01},
    "ornstein-zernike": {"length": 5.0, "forward": 40.0, "background": 0.01},
    "debye-bueche": {"length": 5.0, "forward": 40.0, "background": 0.01},
    "teubner-strey": {"period": 12.0, "length": 7.0, "forward": 40.0, "background": 0.01},
    "mass-fractal": {"radius": 2.0, "length": 30.0, "dimension": 2.2, "forward": 400.0, "background": 0.01},
}  # fmt: skip


@pytest.mark.parametrize("slug", list(KNOWN))
def test_fits_find_the_truth_without_a_start_and_slopes_are_exact(slug):
    """Two per cent of noise: each parameter within 4 u of what made the curve; slopes against differences to 1e-8."""
    rng = np.random.default_rng(3)
    x = np.geomspace(0.02, 3, 300)
    true = values_of(slug, x, **KNOWN[slug])
    u = 0.02 * true
    fit = cs.fit(slug, x, true + u * rng.normal(size=x.size), u)
    assert fit.converged
    assert fit.statistics.reduced_chi2 == pytest.approx(1, abs=0.3)
    for name, value in KNOWN[slug].items():
        parameter = fit.parameters[name]
        assert parameter.u, name
        assert abs(parameter.value - value) < 4 * parameter.u, name
    term = term_of(slug)
    summed = term_sum(term)
    p = np.array([KNOWN[slug][name] for name in summed.names])
    x = x[::12]
    value, jacobian = np.empty(x.size), np.empty((p.size, x.size))
    summed.both([x], p, value, jacobian)
    assert value == pytest.approx(summed.evaluate(x, p.tolist()), rel=1e-9)
    for k in range(p.size):
        step = 4e-4 * p[k]
        moved = [summed.evaluate(x, (p + j * step * (np.arange(p.size) == k)).tolist()) for j in (-3, -2, -1, 1, 2, 3)]
        rise = sum(c * y for c, y in zip((-1, 9, -45, 45, -9, 1), moved, strict=True)) / (60 * step)
        size = np.abs(jacobian[k]) + 1e-3 * np.abs(value / p[k])
        assert np.abs(rise - jacobian[k]).max(initial=0, where=size > 1e-12 * np.abs(value).max()) <= 1e-8 * max(
            size.max(), np.abs(value).max() / abs(p[k])
        )
        assert (np.abs(rise - jacobian[k]) <= 2e-6 * size).all(), summed.names[k]
    along = summed.both_along([np.stack([x, 1.1 * x])], np.stack([p, p]).T[:, :, None])
    assert along[:-1, 0] == pytest.approx(jacobian, rel=1e-9, abs=1e-12)
    many = summed.evaluate_many([x], np.stack([p, 1.1 * p]))
    assert many[0] == pytest.approx(value, rel=1e-9)


@pytest.mark.parametrize("scale", [1e-12, 1e-3, 1e12])
def test_units_do_not_matter(scale):
    """The same curve in other units of length and of intensity."""
    x = np.geomspace(0.02, 2, 120)
    rng = np.random.default_rng(4)
    y = values_of("sphere~schulz", x, **KNOWN["sphere~schulz"])
    y = y * (1 + 0.02 * rng.normal(size=x.size))
    plain = cs.fit("sphere~schulz", x, y, 0.02 * y)
    moved = cs.fit("sphere~schulz", x / scale, y * scale, 0.02 * y * scale)
    assert moved.parameters["radius"].value == pytest.approx(plain.parameters["radius"].value * scale, rel=1e-6)
    assert moved.parameters["radius"].u == pytest.approx(plain.parameters["radius"].u * scale, rel=1e-4)
    assert moved.parameters["spread"].value == pytest.approx(plain.parameters["spread"].value, rel=1e-5)


def test_parts_of_a_sum_have_numbers_and_peaks_stand_on_them():
    two = term_of("sphere~schulz+sphere~gaussian")
    assert [p.name for p in two.parameters] == [
        "forward", "radius", "spread", "forward2", "radius2", "spread2", "background",
    ]  # fmt: skip
    assert two.unit_text("radius2", "1/nm", "1/cm") == "nm"
    assert two.unit_text("spread2", "1/nm", "1/cm") == ""
    both = values_of("sphere~schulz+sphere~gaussian", Q, radius2=2.0, spread2=0.3, forward2=0.1)
    parts = values_of("sphere~schulz", Q) + 0.1 * values_of("sphere~gaussian", Q, radius=2.0, spread=0.3)
    assert both == pytest.approx(parts, rel=1e-12)
    for wrong in ("chain~schulz", "sphere~flat", "slope*hard-spheres", "sphere++sphere", "sphere+sphere+sphere+sphere"):
        assert parts_of(wrong) is None
        with pytest.raises(cs.InputError):
            term_of(wrong)
    x = np.geomspace(0.05, 2, 200)
    y = values_of("sphere~schulz", x, radius=8.0, background=0.05) + 0.02 * np.exp(-(((x - 1.2) / 0.05) ** 2))
    curve = cs.Curve(x, y)
    model = Model().with_background("sphere~schulz", curve).add_peak("gaussian", curve, 1.2)
    model = model.replaced(model.term_numbered(0).with_starts({"radius": 7.8, "spread": 0.17, "background": 0.05}))
    made = fit_model(model, curve)
    assert made.parameters["center_1"].value == pytest.approx(1.2, abs=1e-6)
    assert made.parameters["radius"].value == pytest.approx(8, abs=1e-5)


def test_what_cannot_be_is_said():
    """An oscillation too fine for any nodes; sizes that are none."""
    x = np.geomspace(1, 1e5, 60)
    y = values_of("sphere~log-normal", x, radius=5.0, spread=0.5) + 1e-9
    fit = cs.fit("sphere~log-normal", x, y, start={"forward": 1, "radius": 5, "spread": 0.5, "background": 1e-9})
    assert any("has not converged to 1e-6" in said for said in fit.warnings)
    averaged = term_of("sphere~schulz").averaged
    assert isinstance(averaged, Averaged)
    for bad in ({"radius": np.nan}, {"radius": 0.0}, {"spread": 9.0}, {"radius": np.inf}):
        numbers = [({"forward": 1.0, "radius": 5.0, "spread": 0.1, "background": 0.0} | bad)[n] for n in averaged.names]
        assert np.isnan(averaged.value([Q], numbers)).all()
        assert np.isnan(averaged.both([Q], numbers)[0]).all()
    assert averaged.value([Q], [1.0, 0.0, -5.0, -0.1]) == pytest.approx(averaged.value([Q], [1.0, 0.0, 5.0, 0.1]))


def test_what_the_points_cannot_tell_of_a_size_is_said():
    """Spheres beyond π/q of the first point, and an oscillation between points that stand further apart than it."""
    x = np.geomspace(0.05, 1, 80)
    large = values_of("sphere", x, radius=90.0, background=1e-6)
    said = cs.fit("sphere", x, large, 0.01 * large, start={"forward": 1, "radius": 90, "background": 1e-6}).warnings
    assert any("only a lower limit" in one and "radius" in one for one in said)
    coarse = np.arange(0.05, 3, 0.06)
    y = values_of("sphere", coarse, radius=40.0, background=1e-6)
    said = cs.fit("sphere", coarse, y, 0.01 * y, start={"forward": 1, "radius": 40, "background": 1e-6}).warnings
    assert any("stand too far apart for the oscillation" in one for one in said)
    both = [cs.Curve(x, large, 0.01 * large), cs.Curve(x, values_of("sphere", x, radius=6.0), 0.01 * large)]
    start = {"forward": 1, "radius": 90, "background": 1e-6}
    joint = fit_family("sphere", both, shared=("background",), start=start)
    assert [one for one in joint.warnings if "lower limit" in one and one.startswith("curve 1: radius")], joint.warnings
    fine = values_of("sphere", x, radius=6.0)
    assert cs.fit("sphere", x, fine + 1e-9, start={"forward": 1, "radius": 6, "background": 0}).warnings == ()
    with pytest.raises(cs.InputError, match="no gap is bridged"):
        Bridge(law="sphere", low=0.4, high=0.6).apply(cs.Curve(x, fine))


# -- ways out -----------------------------------------------------------------------------------------


@pytest.mark.parametrize("slug", ["sphere~log-normal", "sphere~schulz*hard-spheres", "sphere~boxcar", "swollen-chain",
                                  "cylinder~schulz"])  # fmt: skip
def test_scripts_repeat_the_fit(slug, tmp_path):
    """A script with NumPy and SciPy alone, integrals and all, finds the same values and u."""
    x = np.geomspace(0.03, 2, 50)
    known = {**{p.name: p.start for p in term_of(slug).parameters}, **KNOWN.get(slug, {})}
    y = values_of(slug, x, **known)
    u = 0.02 * y
    y = y + u * np.random.default_rng(5).normal(size=x.size)
    fit = cs.fit(slug, x, y, u, start=known)
    problem = state_problem(term_sum(term_of(slug)), x, y, u, Request(fit.values))
    script = tmp_path / "again.py"
    script.write_text(as_script(problem, fit), encoding="utf-8")
    said = subprocess.run([sys.executable, script], capture_output=True, text=True, check=True).stdout
    for line in said.splitlines():
        name, value, own_u = line.split()
        assert float(value) == pytest.approx(fit.parameters[name].value, rel=1e-5), name
        assert float(own_u) == pytest.approx(fit.parameters[name].u, rel=1e-4), name


@pytest.mark.parametrize("name", [name for name in FUNCTIONS if name != "where"])
def test_every_function_is_printed_as_what_it_is(name):
    """The Python of a script, the compiled and the direct value of every function are the same number."""
    count = FUNCTIONS[name].arity[0]
    text = f"{name}({', '.join(['2' if FUNCTIONS[name].whole or FUNCTIONS[name].order else 'x', 'a', 'b'][:count])})"
    if count > 1 and text.startswith(f"{name}(x"):
        text = f"{name}({', '.join(['x', 'a', 'b'][:count])})"
    formula = parse(text)
    values = {"x": 0.6 if name != "acosh" else 1.6, "a": 0.7, "b": 0.3}
    direct = evaluate(formula, {n: values[n] for n in ("x", *formula.parameters)})
    *lets, line = python(formula)
    scope = {"np": np, "special": special, **{n: np.float64(v) for n, v in values.items()}}
    assert not lets
    assert float(eval(line, scope)) == pytest.approx(float(direct), rel=1e-12)
    compiled = compile_formula(formula)
    given = [np.float64(values[n]) for n in formula.parameters]
    assert float(compiled.value((np.array(values["x"]),), given)) == pytest.approx(float(direct), rel=1e-12)


def test_every_form_is_declared_whole():
    for slug, form in FORMS.items():
        term = term_of(slug)
        assert term.parameters[-1].name == "background"
        assert {p.name for p in form.parameters} <= {p.name for p in term.parameters}
        assert set(term_sum(term).names) == {p.name for p in term.parameters}
        assert all(term.unit_text(p.name, "1/nm", "1/cm") is not None for p in term.parameters)
        assert np.isfinite(values_of(slug, Q)).all()


# -- what the instrument does -------------------------------------------------------------------------


@pytest.mark.parametrize("slug", ["sphere", "sphere~schulz", "ornstein-zernike"])
def test_smearing_is_the_average_over_the_q_that_reach_a_point(slug):
    """A pinhole against quad over a normal density, a slit over its length; sharp where the instrument is."""
    x = np.array([0.03, 0.1, 0.4, 0.9])
    given = {"background": 0.02}

    def sharp(q):
        return float(values_of(slug, [abs(q)], **given)[0])

    for relative, floor in ((0.05, 0.0), (0.03, 0.01), (0.0, 0.02)):
        width = np.hypot(relative * x, floor)
        expected = [
            integrate.quad(lambda q, m=m, s=s: sharp(q) * np.exp(-0.5 * ((q - m) / s) ** 2) / (s * np.sqrt(2 * np.pi)),
                           m - 8 * s, m + 8 * s, limit=200, epsrel=1e-9)[0]
            for m, s in zip(x, width, strict=True)
        ]  # fmt: skip
        found = values_of(f"{slug}@pinhole", x, resolution=relative, resolution_floor=floor, **given)
        assert found == pytest.approx(expected, rel=1e-6)
    expected = [integrate.quad(lambda way, m=m: sharp(np.hypot(m, way)), 0, 0.6, limit=200)[0] / 0.6 for m in x]
    assert values_of(f"{slug}@slit", x, slit=0.6, **given) == pytest.approx(expected, rel=1e-5)
    assert values_of(f"{slug}@pinhole", x, resolution=0.0, **given) == pytest.approx(values_of(slug, x, **given))
    assert values_of(f"{slug}@slit", x, slit=0.0, **given) == pytest.approx(values_of(slug, x, **given))


@pytest.mark.parametrize("seen", ["pinhole", "slit"])
def test_slopes_of_what_is_smeared_and_what_is_known_of_the_instrument_is_held(seen):
    term = term_of(f"sphere~schulz@{seen}")
    summed = term_sum(term)
    start = {p.name: p.start for p in term.parameters} | {"resolution_floor": 0.01, "background": 0.01}
    p = np.array([start[name] for name in summed.names])
    x = np.geomspace(0.05, 1.5, 9)
    value, jacobian = np.empty(x.size), np.empty((p.size, x.size))
    summed.both([x], p, value, jacobian)
    for k in range(p.size):
        step = 2e-3 * p[k]
        moved = [summed.evaluate(x, (p + j * step * (np.arange(p.size) == k)).tolist()) for j in (-2, -1, 1, 2)]
        rise = sum(c * y for c, y in zip((1, -8, 8, -1), moved, strict=True)) / (12 * step)
        assert jacobian[k] == pytest.approx(rise, rel=1e-5, abs=1e-7 * np.abs(jacobian[k]).max()), summed.names[k]
    true = values_of(f"sphere~schulz@{seen}", x := np.geomspace(0.03, 2, 150), radius=6.0, spread=0.1, background=0.001)
    u = 0.01 * true
    noisy = true + u * np.random.default_rng(6).normal(size=x.size)
    fit = cs.fit(f"sphere~schulz@{seen}", x, noisy, u)
    assert fit.converged
    known = {"resolution", "resolution_floor"} if seen == "pinhole" else {"slit"}
    assert {name for name, one in fit.parameters.items() if one.held} == known
    assert abs(fit.parameters["radius"].value - 6) < 4 * fit.parameters["radius"].u
    assert abs(fit.parameters["spread"].value - 0.1) < 4 * fit.parameters["spread"].u
    if seen == "pinhole":  # let free it tells little beside the spread of the sizes
        free = Model().with_background(f"sphere~schulz@{seen}", cs.Curve(x, noisy, u))
        assert free.background.parameters["resolution"].hold


def test_a_script_knows_what_the_instrument_does(tmp_path):
    for seen in ("pinhole", "slit"):
        slug, x = f"sphere~schulz@{seen}", np.geomspace(0.05, 1.5, 40)
        y = values_of(slug, x, radius=6.0, spread=0.1, background=0.001)
        fit = cs.fit(slug, x, y * (1 + 0.01 * np.random.default_rng(7).normal(size=x.size)), 0.01 * y)
        noisy = y * (1 + 0.01 * np.random.default_rng(7).normal(size=x.size))
        held = [name for name, one in fit.parameters.items() if one.held]
        problem = state_problem(term_sum(term_of(slug)), x, noisy, 0.01 * y, Request(fit.values, held))
        script = tmp_path / f"{seen}.py"
        script.write_text(as_script(problem, fit), encoding="utf-8")
        said = subprocess.run([sys.executable, script], capture_output=True, text=True, check=True).stdout
        for name, value, own_u in (line.split(None, 2) for line in said.splitlines()):
            if name not in held:
                assert float(value) == pytest.approx(fit.parameters[name].value, rel=1e-4), name
                assert float(own_u) == pytest.approx(fit.parameters[name].u, rel=1e-3), name
