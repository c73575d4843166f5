"""Measures and steps of mechanical tests against closed forms, textbook laws and simulated noise."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.optimize import brentq

import curvesieve as cs
from curvesieve.core.curve import Flag
from curvesieve.core.measures import MeasureSlot, Seen, parse_measure, taken
from curvesieve.core.measures.hardening import necking_strain
from curvesieve.core.quantity import Quantity
from curvesieve.core.steps.machine import Compliance, KeepTest
from curvesieve.core.steps.toe import Toe

E, FIRST, POWER = 70_000.0, 250.0, 12.0
"""Of an aluminium-like law, in MPa (common practice); E near 69 GPa."""


def law(stress: np.ndarray) -> np.ndarray:
    """W. Ramberg, W. R. Osgood, NACA TN 902 (1943), from memory: ε = σ/E + 0.002 (σ/σ₀)^n."""
    return stress / E + 0.002 * (stress / FIRST) ** POWER


STRESS = np.concatenate([np.linspace(0, 200, 600), np.linspace(200, 330, 600)[1:]])
STRAIN = law(STRESS)


def slot(slug: str, name: str = "", **fields) -> MeasureSlot:
    return MeasureSlot(id=f"{slug}-{name}", rule=parse_measure({"measure": slug, **fields}), name=name)


def values(curve: cs.Curve, *slots: MeasureSlot, quantities=()) -> dict[str, tuple[float, float | None]]:
    outcomes = taken(slots, Seen.of(curve, tuple(quantities)))
    assert not [one.problem for one in outcomes if one.problem]
    return {r.name: (r.value, r.u) for one in outcomes for r in one.readings}


ELASTIC = slot("straight-part", "E", high=0.0018)
OF_ELASTIC = (
    ELASTIC, slot("proportional-limit", "pl", share=3.0), slot("total-proof", "Rt", strain=0.5),
    slot("elongation", "Ag"), slot("ramberg-osgood", "ro"), slot("offset-yield", "Rp"),
)  # fmt: skip


def test_a_rounded_yield_gives_its_law_back():
    read = values(cs.Curve(STRAIN, STRESS, x_unit="1", y_unit="MPa"), *OF_ELASTIC)
    assert read["E"][0] == pytest.approx(E, rel=2e-4)
    limit = brentq(lambda s: s - 0.97 * E * float(law(np.array(s))), 100, 250)
    assert read["pl"][0] == pytest.approx(limit, rel=3e-3)
    total = brentq(lambda s: float(law(np.array(s))) - 0.005, 100, 300)
    assert read["Rt"][0] == pytest.approx(total, rel=2e-4)
    assert read["Ag"][0] == pytest.approx(0.002 * (330 / FIRST) ** POWER, rel=3e-4)
    assert read["Ag total strain"][0] == pytest.approx(STRAIN[-1], abs=2e-6)
    assert read["ro exponent"][0] == pytest.approx(POWER, rel=0.01)
    assert read["ro proof stress"][0] == pytest.approx(FIRST, rel=2e-3)
    percent = values(cs.Curve(STRAIN * 100, STRESS, x_unit="%", y_unit="MPa"),
                     slot("straight-part", "E", high=0.18), *OF_ELASTIC[1:])  # fmt: skip
    for name in ("pl", "Rt", "ro exponent", "ro proof stress", "Rp"):
        assert percent[name][0] == pytest.approx(read[name][0], rel=1e-9), name
    assert percent["Ag"][0] == pytest.approx(100 * read["Ag"][0], rel=1e-9)


def test_u_on_the_elastic_line_is_that_of_400_draws():
    rng = np.random.default_rng(3)
    names = ("E", "pl", "Rt", "Ag", "Rp", "ro exponent", "ro proof stress", "Ech", "Es")
    chords = (slot("chord", "Ech", low=0.0004, high=0.0018), slot("chord", "Es", start="zero", high=0.0018))
    found = []
    for _ in range(400):
        noisy = cs.Curve(STRAIN, STRESS + rng.normal(0, 0.4, STRESS.size), np.full(STRESS.size, 0.4), y_unit="MPa")
        read = values(noisy, *OF_ELASTIC, *chords)
        found.append([read[name] for name in names])
    drawn, told = np.moveaxis(np.array(found), 2, 0)
    for name, u, sd in zip(names, np.median(told, axis=0), np.std(drawn, axis=0), strict=True):
        # of Ramberg–Osgood the elastic line's u is left out, and told so: it is the smaller part
        assert u == pytest.approx(sd, rel=0.6 if name.startswith("ro") else 0.12), name


@pytest.mark.parametrize("scale", [1e-12, 1e-6, 1e6, 1e12])
def test_stresses_of_any_size_scale(scale):
    one = values(cs.Curve(STRAIN, STRESS, np.full(STRESS.size, 0.5), y_unit="MPa"), *OF_ELASTIC, slot("hardening", "h"))
    other = values(
        cs.Curve(STRAIN, STRESS * scale, np.full(STRESS.size, 0.5 * scale), y_unit="MPa"), *OF_ELASTIC,
        slot("hardening", "h"),
    )  # fmt: skip
    for name in ("E", "pl", "Rt", "ro proof stress", "h strength"):
        assert other[name][0] == pytest.approx(one[name][0] * scale, rel=1e-9), name
        assert other[name][1] == pytest.approx(one[name][1] * scale, rel=1e-6), name
    for name in ("Ag", "ro exponent", "h hardening"):
        assert other[name] == pytest.approx(one[name], rel=1e-6), name


def test_the_iso_527_chord_is_the_one_by_hand():
    """ISO 527-1 (from memory): (σ₂ − σ₁)/(ε₂ − ε₁) for ε₁ = 0.0005, ε₂ = 0.0025, here between points 0.001 apart."""
    x = np.arange(0, 0.01, 0.001)
    y = np.array([0, 3.1, 6.0, 8.7, 11.2, 13.5, 15.6, 17.5, 19.2, 20.7])
    by_hand = ((6.0 + 8.7) / 2 - 3.1 / 2) / 0.002
    assert values(cs.Curve(x, y, y_unit="MPa"), slot("chord", "Et"))["Et"][0] == pytest.approx(by_hand, rel=1e-12)
    in_percent = values(cs.Curve(100 * x, y, x_unit="%", y_unit="MPa"), slot("chord", "Et"))["Et"][0]
    assert in_percent * 100 == pytest.approx(by_hand, rel=1e-12)
    (one,) = taken([slot("chord")], Seen.of(cs.Curve(x, y, x_unit="mm")))
    assert "no strain: say from where to where" in one.problem
    (one,) = taken([slot("chord", high=0.5)], Seen.of(cs.Curve(x, y)))
    assert "lies beyond the curve" in one.problem
    (one,) = taken([slot("chord", low=0.002, high=0.002)], Seen.of(cs.Curve(x, y)))
    assert "the same x" in one.problem


def test_what_never_happens_is_absent_and_no_failure():
    x = np.linspace(0, 0.01, 300)
    brittle = cs.Curve(x, 3000 * x, y_unit="MPa")
    slots = [slot("straight-part", "E"), slot("offset-yield", "Rp"), slot("proportional-limit"), slot("yield-point"),
             slot("ramberg-osgood"), slot("total-proof", strain=2.0), slot("formula", formula="2*Rp")]  # fmt: skip
    outcomes = taken(slots, Seen.of(brittle))
    assert [one.absent for one in outcomes] == [False] + [True] * 6
    assert "no fault of a brittle material" in outcomes[-1].problem
    assert outcomes[-1].problem.startswith("There is no Rp")
    (level,) = taken([slot("straight-part", "E"), slot("offset-yield")], Seen.of(cs.Curve(x, 0 * x + 1)))[1:]
    assert "level" in level.problem
    assert not level.absent


LAWS = {
    "Hollomon": (lambda e: 500 * e**0.2, {"strength": 500, "hardening": 0.2}),
    "Ludwik": (lambda e: 150 + 400 * e**0.4, {"yield_stress": 150, "strength": 400, "hardening": 0.4}),
    "Voce": (lambda e: 400 - 250 * np.exp(-e / 0.08), {"saturation": 400, "yield_stress": 150, "strain": 0.08}),
    "Swift": (lambda e: 600 * (0.01 + e) ** 0.25, {"strength": 600, "prestrain": 0.01, "hardening": 0.25}),
}  # fmt: skip


@pytest.mark.parametrize("name", list(LAWS))
def test_hardening_laws_come_back_and_neck_where_the_engineering_stress_is_largest(name):
    true_law, wanted = LAWS[name]
    true = np.linspace(1e-3, 0.6, 4000)
    engineering, e = true_law(true) / np.exp(true), np.expm1(true)
    neck = float(true[np.argmax(engineering)])  # A. Considère 1885: dσ/dε = σ is where the force is largest
    rng = np.random.default_rng(1)
    noisy = engineering + rng.normal(0, 0.05, true.size)
    read = values(cs.Curve(e, noisy, y_unit="MPa"), slot("hardening", "h", law=name))
    for key, value in wanted.items():
        got, u = read[f"h {key.replace('_', ' ')}"]
        assert got == pytest.approx(value, rel=0.03), key
        assert abs(got - value) < 4 * u + 0.004 * value, key
    assert read["h necking strain"][0] == pytest.approx(neck, abs=0.01)
    assert necking_strain(name, wanted) == pytest.approx(neck, abs=2e-4)
    already = values(
        cs.Curve(true, true_law(true), y_unit="MPa"), slot("hardening", "h", law=name, curve="true", high=0.3)
    )
    assert already["h necking strain"][0] == pytest.approx(necking_strain(name, wanted), rel=0.01)


def test_hollomon_by_e646_is_the_line_of_logarithms_and_its_u():
    """ASTM E646 (from memory): n is the slope of log σ over log ε by least squares; here by np.polyfit, 300 draws."""
    true = np.linspace(0.02, 0.18, 60)
    e, s = np.expm1(true), 520 * true**0.22 / np.exp(true)
    rng = np.random.default_rng(4)
    found = []
    for _ in range(300):
        noisy = s + rng.normal(0, 1.0, s.size)
        read = values(cs.Curve(e, noisy, y_unit="MPa"), slot("hardening", "h", low=0.0, high=0.3))
        n, level = np.polyfit(np.log(np.log1p(e)), np.log(noisy * (1 + e)), 1)
        assert read["h hardening"][0] == pytest.approx(n, rel=1e-9)
        assert read["h strength"][0] == pytest.approx(math.exp(level), rel=1e-9)
        found.append([read["h hardening"], read["h strength"]])
    drawn, told = np.moveaxis(np.array(found), 2, 0)
    np.testing.assert_allclose(np.median(told, axis=0), np.std(drawn, axis=0), rtol=0.12)
    few = taken([slot("hardening", low=0.01, high=0.02)], Seen.of(cs.Curve(e, s)))[0]
    assert "are needed: widen the band" in few.problem
    below = taken([slot("hardening", low=-1.0, curve="true")], Seen.of(cs.Curve(e - 0.05, s)))[0]
    assert "above zero" in below.problem


def _ellipses(count: int, delta: float, per: int = 400):
    t = np.linspace(-np.pi / 2, -np.pi / 2 + 2 * np.pi * count, per * count + 1)
    return 0.01 * np.sin(t), 20 * np.sin(t + delta)


@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
def test_loops_of_a_linear_solid_lose_pi_times_amplitudes_times_sin_delta(scale):
    """ΔW = π·σ₀·ε₀·sin δ of a linear viscoelastic solid under a sine: textbook (from memory)."""
    x, y = _ellipses(3, 0.2)
    curve = cs.Curve(x, y * scale, np.full(x.size, 0.1 * scale), y_unit="MPa")
    (one,) = taken([slot("loops")], Seen.of(curve))
    assert len(one.readings) == 9
    for part in (1, 2, 3):
        read = {r.quantity: r for r in one.readings if r.part == part}
        assert read["energy-lost"].value == pytest.approx(np.pi * 20 * 0.01 * np.sin(0.2) * scale, rel=1e-4)
        assert read["secant"].value == pytest.approx(2000 * np.cos(0.2) * scale, rel=1e-4)
        assert read["loss-factor"].value == pytest.approx(np.tan(0.2), rel=1e-3), "by the stress at the turning points"
        assert all(r.u is not None for r in read.values())


def test_u_of_loops_without_u_is_that_of_the_noise_along_the_path():
    rng = np.random.default_rng(8)
    x, y = _ellipses(2, 0.2)
    found = []
    for _ in range(200):
        (one,) = taken([slot("loops")], Seen.of(cs.Curve(x, y + rng.normal(0, 0.2, x.size))))
        found.append([(r.value, r.u) for r in one.readings if r.part == 1])
    drawn, told = np.moveaxis(np.array(found), 2, 0)
    np.testing.assert_allclose(np.median(told, axis=0), np.std(drawn, axis=0), rtol=0.15)


def test_loops_are_those_by_hand_and_what_is_left_over_is_told():
    x = np.array([0, 1, 2, 1, 0, 1, 2, 1, 0, 1, 2.0])
    y = np.array([0, 2, 4, 1, 0, 2, 4, 1, 0, 2, 4.0])
    (one,) = taken([slot("loops")], Seen.of(cs.Curve(x, y, np.full(11, 0.1))))
    read = {(r.quantity, r.part): r for r in one.readings}
    assert read["energy-lost", 1].value == pytest.approx(4 - 3)
    assert read["secant", 2].value == pytest.approx(2.0)
    assert read["energy-lost", 1].u == pytest.approx(0.1 * np.sqrt(0.25 + 1 + 0 + 1 + 0.25))
    assert "2 points behind the last are in none" in one.sentence
    assert ("secant", 3) not in read
    (none,) = taken([slot("loops")], Seen.of(cs.Curve(np.arange(9.0), np.arange(9.0))))
    assert "there is no loop" in none.problem
    wobble = cs.Curve(x + 0.1 * np.tile([1, -1], 6)[:11], y)
    assert len(taken([slot("loops")], Seen.of(wobble))[0].readings) == 6


def test_unloading_gives_the_modulus_that_sneddon_s_cone_was_made_with():
    """Force on a cone F = 2/π·Er·tan α·h² unloads elastically along a power law; S, H and Er by the closed forms."""
    hf, b, m, top = 60.0, 0.02, 1.4, 150.0
    down = np.linspace(top, hf + 1, 400)
    force = b * (down - hf) ** m
    up = np.linspace(0, top, 300)
    curve = cs.Curve(np.append(up, down), np.append(force[0] * (up / top) ** 2, force), x_unit="nm", y_unit="mN")
    read = values(curve, slot("unloading"))
    stiffness = m * b * (top - hf) ** (m - 1)
    depth = top - 0.75 * force[0] / stiffness
    area = 24.5 * depth**2
    for name, wanted in (("stiffness", stiffness), ("contact depth", depth), ("hardness", force[0] / area),
                         ("reduced modulus", np.sqrt(np.pi) * stiffness / (2 * np.sqrt(area))),
                         ("largest force", force[0]), ("largest depth", top)):  # fmt: skip
        assert read[name][0] == pytest.approx(wanted, rel=1e-6), name
    rng = np.random.default_rng(6)
    found = []
    for _ in range(200):
        noisy = cs.Curve(curve.x, curve.y + rng.normal(0, 0.02, curve.x.size), x_unit="nm", y_unit="mN")
        one = values(noisy, slot("unloading"))
        found.append([one[name] for name in ("stiffness", "hardness", "reduced modulus")])
    drawn, told = np.moveaxis(np.array(found), 2, 0)
    np.testing.assert_allclose(np.median(told, axis=0), np.std(drawn, axis=0), rtol=0.2)
    for scale in (1e-12, 1e12):
        other = values(cs.Curve(curve.x * scale, curve.y / scale), slot("unloading"))
        assert other["stiffness"][0] == pytest.approx(stiffness / scale**2, rel=1e-5)
    for wrong, said in ((cs.Curve(up, up**2), "no unloading"), (curve, "above where it begins")):
        rule = slot("unloading", **({"upper": 0.3} if "above" in said else {}))
        assert said in taken([rule], Seen.of(wrong))[0].problem


def test_points_left_out_do_not_count():
    out = np.zeros(STRAIN.size, np.uint8)
    out[[5, 300, 900]] = Flag.LEFT_OUT
    wild = STRESS.copy()
    wild[out > 0] = 1e6
    plain = cs.Curve(np.delete(STRAIN, [5, 300, 900]), np.delete(STRESS, [5, 300, 900]), y_unit="MPa")
    one, other = (values(c, *OF_ELASTIC) for c in (plain, cs.Curve(STRAIN, wild, flags=out, y_unit="MPa")))
    for name, pair in one.items():
        for one_, other_ in zip(pair, other[name], strict=True):
            assert one_ == (None if other_ is None else pytest.approx(other_, rel=1e-9)), name
    x, y = _ellipses(2, 0.3)
    flags = np.zeros(x.size, np.uint8)
    flags[77] = Flag.LEFT_OUT
    spiked = y.copy()
    spiked[77] = 1e9
    a, b = (taken([slot("loops")], Seen.of(c))[0] for c in (
        cs.Curve(np.delete(x, 77), np.delete(y, 77)), cs.Curve(x, spiked, flags=flags)))  # fmt: skip
    assert [r.value for r in a.readings] == [r.value for r in b.readings]


def test_scales_of_axes_are_in_the_u_of_what_hangs_on_them_and_cancel_in_what_does_not():
    given = (Quantity(name="scale_of_y", value=1, u=0.01), Quantity(name="scale_of_x", value=1, u=0.02))
    curve = cs.Curve(STRAIN, STRESS, np.full(STRESS.size, 1e-6), y_unit="MPa")
    slots = (ELASTIC, slot("highest-point", "Rm", by="the point itself"), slot("formula", "ratio", formula="Rm/Rm"),
             slot("area", "W"), slot("formula", "same", formula="W/(Rm*Rm_x_at_maximum)"))  # fmt: skip
    read = values(curve, *slots, quantities=given)
    assert read["E"][1] == pytest.approx(np.hypot(0.01, 0.02) * E, rel=1e-3)
    assert read["Rm"][1] == pytest.approx(3.3, rel=1e-3)
    assert read["Rm x at maximum"][1] == pytest.approx(0.02 * STRAIN[-1], rel=1e-3)
    assert read["W"][1] == pytest.approx(np.hypot(0.01, 0.02) * read["W"][0], rel=1e-3)
    assert read["ratio"][1] is None or read["ratio"][1] < 1e-9
    assert read["same"][1] is None or read["same"][1] < 1e-6


def test_a_scale_that_may_be_anything_leaves_no_u():
    given = (Quantity(name="scale_of_y", value=1, u=1.0),)
    outcomes = taken((ELASTIC,), Seen.of(cs.Curve(STRAIN, STRESS, y_unit="MPa"), given))
    assert all(r.u is None and "as large as the scale" in r.method for r in outcomes[0].readings)


def test_compliance_is_taken_off_by_a_stiffness_and_by_a_run_of_the_machine():
    force = np.linspace(0, 1000, 101)
    own = force / 5000
    curve = cs.Curve(own + force / 2000, force, x_unit="mm", y_unit="N")

    class Runs:
        def __init__(self, zero=0.0):
            self.zero = zero

        def curve(self, name):
            return cs.Curve(self.zero + force[:91] / 2_000_000, force[:91] / 1000, x_unit="m", y_unit="kN")

        def family(self):
            return []

    by_number = Compliance(stiffness=2000).apply(curve).curve
    np.testing.assert_allclose(by_number.x, own, atol=1e-12)
    passed = Compliance(by="a reference run", donor="run").apply_among(curve, Runs())
    np.testing.assert_allclose(passed.curve.x, own[:91], atol=1e-9)
    assert len(passed.caught) == 10
    assert "10 points above its largest y dropped" in passed.message
    shifted = Compliance(by="a reference run", donor="run").apply_among(curve, Runs(0.4e-3)).curve
    np.testing.assert_allclose(shifted.x, own[:91], atol=1e-9, err_msg="the run's own zero does not count")
    pressed = (
        Compliance(by="a reference run", donor="run")
        .apply_among(cs.Curve(-curve.x, -force, x_unit="mm", y_unit="N"), Runs())
        .curve
    )
    np.testing.assert_allclose(pressed.x, -own[:91], atol=1e-9)
    for step, said in ((Compliance(), "stiffness of the machine is not set"),
                       (Compliance(by="a reference run"), "no other curve is named")):  # fmt: skip
        with pytest.raises(cs.InputError, match=said):
            step.apply(curve)


def test_start_and_end_of_a_test_drop_slack_and_what_follows_the_break():
    x = np.arange(100.0)
    y = np.concatenate([np.zeros(10), np.linspace(0, 60, 61), [50, 55, 58, 59, 60], np.full(24, 1.0)])
    curve = cs.Curve(x, y)
    made = KeepTest(start=5.0, zero=True).apply(curve)
    assert made.curve.y[0] >= 3.0
    assert made.curve.x[0] == 0
    assert made.curve.y[-1] == 60
    assert len(made.curve) + len(made.caught) == 100
    assert KeepTest(end="the largest y").apply(curve).curve.y[-1] == 60
    assert len(KeepTest(end="the end").apply(curve).curve) == 100
    assert len(KeepTest(end="the largest y", start=0).apply(curve).curve) == 71
    with pytest.raises(cs.InputError, match="fewer than two points"):
        KeepTest().apply(cs.Curve([1.0], [2.0]))


def test_u_of_what_stands_on_a_poor_elastic_line_is_that_of_the_line():
    """The points of the elastic band are uncertain and all others are not: 400 draws."""
    rng = np.random.default_rng(12)
    u = np.where(STRAIN < 0.0008, 2.0, 1e-3)
    slots = (slot("straight-part", "E", high=0.0008), slot("total-proof", "Rt", strain=0.25),
             slot("proportional-limit", "pl", share=30.0), slot("offset-yield", "Rp"),
             slot("elongation", "A"))  # fmt: skip
    found = []
    for _ in range(400):
        read = values(cs.Curve(STRAIN, STRESS + u * rng.standard_normal(u.size), u, y_unit="MPa"), *slots)
        found.append([read[name] for name in ("Rt", "pl", "pl limit strain", "Rp", "A")])
    drawn, told = np.moveaxis(np.array(found), 2, 0)
    np.testing.assert_allclose(np.median(told, axis=0), np.std(drawn, axis=0), rtol=0.12)


@pytest.mark.parametrize("preload", [0.0, 1.0])
def test_a_curve_that_bends_from_its_beginning_has_no_toe(preload):
    """Concave from its first point on, or from a preload on: the line, prolonged, meets zero before the curve."""
    strain = np.linspace(0, 0.06, 4000)
    stress = preload + 30 * (1 - np.exp(-50 * strain)) + np.random.default_rng(3).normal(0, 0.03, strain.size)
    curve = cs.Curve(strain, stress, x_unit="", y_unit="MPa")
    with pytest.raises(cs.InputError, match="a toe is flatter: it bends from its beginning on"):
        Toe().apply(curve)
    passed = Toe(missing="as recorded").apply(curve)
    assert passed.curve.digest == curve.digest
    assert passed.message.startswith("as recorded: the curve is steeper before")
    (one,) = taken([slot("straight-part", "E", by="found", prefer="surest")], Seen.of(curve))
    assert "steeper before it" in one.warning
    straight = cs.Curve(strain, preload + 900 * strain, x_unit="", y_unit="MPa")
    assert "x less" in Toe().apply(straight).message


def test_a_modulus_of_a_band_is_warned_of_where_it_is_not_straight():
    x = np.linspace(0, 0.01, 400)
    rng = np.random.default_rng(5)

    def warning(y, **fields) -> str:
        curve = cs.Curve(x, y + rng.normal(0, 0.05, x.size), x_unit="", y_unit="MPa")
        return taken([slot("straight-part", "E", **fields)], Seen.of(curve))[0].warning

    bent = 3000 * x * (1 - 4 * x)  # the slope turns by 2·4·0.005/(1 − 8·0.005) = 4.2 % from the middle to the ends
    assert warning(3000 * x, modulus=True) == ""
    assert "slope turns by 4" in warning(bent, modulus=True)
    assert warning(bent) == "", "a line need not be a modulus"
    assert "R² is below 0.9995" in warning(3000 * x + rng.normal(0, 0.6, x.size), modulus=True)
    assert warning(3000 * x * (1 - 0.4 * x), modulus=True) == "", "a turn of 0.4 % is none to speak of"


def test_elongations_count_from_the_zero_of_the_elastic_line():
    slots = (slot("straight-part", "E", high=0.0028), slot("elongation", "A"))
    slots_here = (ELASTIC, slot("elongation", "A"))
    one = values(cs.Curve(STRAIN, STRESS, y_unit="MPa"), *slots_here)
    moved = values(cs.Curve(STRAIN + 0.001, STRESS, y_unit="MPa"), *slots)
    assert moved["A total strain"][0] == pytest.approx(one["A total strain"][0], rel=1e-9)
    assert moved["A"][0] == pytest.approx(one["A"][0], rel=1e-9)
