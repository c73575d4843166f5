"""Families: joint fits of a study, carried along, each by itself; ways of sharing; what makes them out of date."""

from __future__ import annotations

import json

import numpy as np
import pytest
from scipy import stats
from scipy.optimize import least_squares

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.errors import InputError
from curvesieve.core.fitting import fit_model
from curvesieve.core.fitting.family import starts_alike
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.models.own import own_formula
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.trim import KeepRange
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.afresh import computed_afresh
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.jointly import carry_along, fit_each, fit_jointly_in, order_along
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.shared_numbers import all_parameters, shared_numbers
from curvesieve.core.study.ways import CHOSEN, OWN, compare_ways
from curvesieve.demo.build import build_study
from curvesieve.demo.relaxation import strips
from tests.core.strd import certified
from tests.core.test_strd import FORMULAS, data_of


def family_of(curves, conditions, model_of, unit="s", names=("Time", "Signal"), units=("s", "V")):
    """A study with these (x, y) or (x, y, u) as one family under one model."""
    records, takes = [], []
    for k, parts in enumerate(curves):
        channels = [Channel(names[0], units[0], parts[0]), Channel(names[1], units[1], parts[1])]
        channels += [Channel("u", units[1], parts[2])] if len(parts) > 2 else []
        records.append(Record(Source(f"c{k}.txt", f"{k}".encode()), tuple(channels)))
        takes.append(Take(0, 1, 2 if len(parts) > 2 else None))
    study = edits.add_curves(
        Study(), list(zip(records, takes, strict=True)), "family", labels=[f"c{k}" for k in range(len(curves))],
        conditions=list(conditions), condition=("dose", unit),
    )  # fmt: skip
    first = study.document.curves[0].id
    study = edits.set_model(first, model_of(sieved_curve(study, first).curve))(study)
    study = edits.share(first, "model")(study) if len(curves) > 1 else study
    return study, study.document.families[0].id, [c.id for c in study.document.curves]


def decays(truth, noise=0.02, seed=0, n=80):
    rng = np.random.default_rng(seed)
    x = np.linspace(0, 5, n)
    return [(x, a * np.exp(-k * x) + b + rng.normal(0, noise, n)) for a, k, b in truth]


def decay_model(curve):
    model = Model().with_background("own", curve, own_formula("a*exp(-k*x) + b"))
    return model.starting_at({"a": 2.0, "k": 1.0, "b": 0.1})


def shared(study, family_id, **laws):
    for name, law in laws.items():
        study = edits.set_sharing(family_id, name, law)(study)
    return study


def replace_state(model, name, **changes):
    return model.replaced(model.terms[0].with_state(name, **changes))


# -- numbers ----------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["MGH17", "Lanczos3"])
def test_a_strd_problem_split_in_two_gives_the_certified_values(name):
    """Sums of exponentials; every second point is one curve, the others another, all parameters are one for all."""
    known, (x, y, _) = certified(name), data_of(name)
    curves = [cs.Curve(x[k::2], y[k::2]) for k in (0, 1)]
    fit = cs.fit_family(FORMULAS[name], curves, shared=tuple(known.value), start=known.starts[1])
    assert fit.converged, fit.message
    for key, value in known.value.items():
        assert fit.shared[key].value == pytest.approx(value, rel=1e-6)
        assert fit.shared[key].u == pytest.approx(known.sd[key], rel=1e-5)
    assert fit.statistics.rss == pytest.approx(known.rss, rel=1e-6)


@pytest.mark.parametrize("seed", range(8))
def test_limits_of_shared_and_own_parameters_are_kept_as_scipy_keeps_them(seed):
    rng = np.random.default_rng(seed)
    truth = [(float(rng.uniform(2, 4)), 1.0, float(rng.uniform(-0.5, 0.5))) for _ in range(3)]
    curves = [cs.Curve(x, y) for x, y in decays(truth, 0.05, seed)]
    bounds = {"k": (0.0, 0.9), "b": (0.0, None)}
    fit = cs.fit_family("a*exp(-k*x) + b", curves, shared=("k",), bounds=bounds, start={"a": 2, "k": 0.5, "b": 0.1})

    def residual(p):
        parts = [p[2 * i] * np.exp(-p[6] * c.x) + p[2 * i + 1] - c.y for i, c in enumerate(curves)]
        return np.concatenate(parts)

    low = [-np.inf, 0, -np.inf, 0, -np.inf, 0, 0]
    high = [np.inf] * 6 + [0.9]
    found = least_squares(residual, [2, 0.1] * 3 + [0.5], bounds=(low, high), xtol=1e-14, ftol=1e-14, gtol=1e-14)
    assert fit.converged
    assert fit.statistics.rss == pytest.approx(2 * found.cost, rel=1e-7)
    assert fit.shared["k"].value == pytest.approx(found.x[6], rel=1e-5)
    assert fit.shared["k"].on_bound
    assert fit.shared["k"].u is None
    for i, one in enumerate(fit.curves):
        assert one.values["b"] >= 0
        assert one.values["b"] == pytest.approx(found.x[2 * i + 1], abs=1e-5)
        assert one.parameters["b"].on_bound == (one.values["b"] == 0)
        assert (one.parameters["b"].u is None) == one.parameters["b"].on_bound
    hit = 1 + sum(one.parameters["b"].on_bound for one in fit.curves)
    assert fit.statistics.dof == 240 - 7 + hit
    told = [word for word in fit.warnings if "ended on its bound" in word]
    assert len(told) == 1 + (hit > 1)  # of k, and of b in all curves where it is
    assert (
        sum(one.parameters["b"].on_bound and f"curve {k}" in told[0] for k, one in enumerate(fit.curves, 1)) == hit - 1
    )


def test_ties_hold_within_each_curve_and_carry_u():
    """b = a/4 in every curve; the same as the formula with it put in."""
    truth = [(2.0, 1.0, 0.5), (4.0, 1.0, 1.0), (3.0, 1.0, 0.75)]
    study, family, ids = family_of(decays(truth), (1, 2, 3), decay_model)
    model = study.model(ids[0])
    tied = model.replaced(model.terms[0].with_state("b", tie="a/4"))
    study = shared(edits.set_model(ids[0], tied)(study), family, k="")
    found = fit_jointly_in(study, family)
    curves = [sieved_curve(study, id_).curve for id_ in ids]
    plain = cs.fit_family("a*exp(-k*x) + a/4", curves, shared=("k",))
    result = found.joint.result
    assert result.shared["k"].value == pytest.approx(plain.shared["k"].value, rel=1e-8)
    assert result.shared["k"].u == pytest.approx(plain.shared["k"].u, rel=1e-6)
    for id_, one in zip(ids, plain.curves, strict=True):
        b = found.fits[id_].result.parameters["b"]
        assert b.tied
        assert b.value == pytest.approx(one.values["a"] / 4)
        assert b.u == pytest.approx(one.parameters["a"].u / 4, rel=1e-6)


@pytest.mark.parametrize("scale", [1e-12, 1e-5, 1.0, 1e6, 1e12])
def test_a_joint_fit_is_the_same_at_every_scale(scale):
    truth = [(2.0 + c, 1.0 + 0.2 * c, 0.5) for c in (0, 1, 2)]
    base = [cs.Curve(x, y) for x, y in decays(truth)]
    scaled = [cs.Curve(c.x * scale, c.y / scale) for c in base]
    laws = {"k": "k0 + k1*c"}
    one = cs.fit_family("a*exp(-k*x) + b", base, (0, 1, 2), shared=("b",), by_condition=laws)
    other = cs.fit_family("a*exp(-k*x) + b", scaled, (0, 1, 2), shared=("b",), by_condition=laws)
    assert other.converged
    assert other.shared["b"].value * scale == pytest.approx(one.shared["b"].value, rel=1e-6)
    for name in ("k0", "k1"):
        assert other.laws["k"][name].value * scale == pytest.approx(one.laws["k"][name].value, rel=1e-6)
        assert other.laws["k"][name].u * scale == pytest.approx(one.laws["k"][name].u, rel=1e-4)


# -- the demo ---------------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def relaxed(tmp_path_factory):
    """The demo with the law of one strip given to all: one fast time, the slow one on a line in the humidity."""
    study = build_study(tmp_path_factory.mktemp("demo"))
    family = study.document.families[1]
    study = edits.share(family.curves[-1], "model")(study)
    study = shared(study, family.id, tau1="", tau2="at_0 + slope*c")
    found = fit_jointly_in(study, family.id)
    return edits.set_family_fit(family.id, found)(study), family.id


def test_the_demo_gives_back_one_time_and_a_line(relaxed):
    study, family_id = relaxed
    joint = study.family(family_id).joint.result
    assert joint.converged
    for found, true in (
        (joint.shared["tau1"], 18.0), (joint.laws["tau2"]["at_0"], 210.0), (joint.laws["tau2"]["slope"], -1.2),
    ):  # fmt: skip
        assert abs(found.value - true) < 3 * found.u
    for id_, strip in zip(study.family(family_id).curves, strips(), strict=True):
        for name, p in study.fit(id_).result.parameters.items():
            assert abs(p.value - getattr(strip, name)) < 3 * p.u, (strip.file_name, name)
    units = {one.title: one.unit for one in shared_numbers(study, study.family(family_id))}
    assert units == {"tau1": "s", "at_0 of tau2": "s", "slope of tau2": "s·%^-1"}
    heads, rows = all_parameters(study, study.family(family_id))
    assert heads == ["offset (MPa)", "amplitude1 (MPa)", "tau1 (s)", "amplitude2 (MPa)", "tau2 (s)", "RSS"]
    assert sum(row.cells[-1][0] for row in rows) == pytest.approx(study.family(family_id).joint.result.statistics.rss)
    assert len({row.cells[2] for row in rows}) == 1
    assert [row.state for row in rows] == ["fitted"] * 3


def test_the_command_line_finds_the_same(relaxed, tmp_path, capsys):
    study, family_id = relaxed
    save_study(study, tmp_path / "a.sieve")
    again = load_study(tmp_path / "a.sieve")
    assert again.document == study.document
    assert again.joint_state(family_id) == "fitted"
    assert main(["run", str(tmp_path / "a.sieve"), "--out", str(tmp_path / "a.json")]) == 0
    written = json.loads((tmp_path / "a.json").read_text())
    entries = [one for one in written if one["family"] == study.family(family_id).label]
    assert len(entries) == 3
    shared_ones = {one["name"]: one for one in entries[0]["family_numbers"]}
    joint = study.family(family_id).joint.result
    assert shared_ones["tau1"]["value"] == pytest.approx(joint.shared["tau1"].value, rel=1e-9)
    assert shared_ones["tau1"]["u"] == pytest.approx(joint.shared["tau1"].u, rel=1e-6)
    assert shared_ones["slope of tau2"]["unit"] == "s %-1"
    made = computed_afresh(study)
    assert not made.problems
    for id_ in study.family(family_id).curves:
        assert made.study.fit(id_).result.values == pytest.approx(study.fit(id_).result.values, rel=1e-8)
    capsys.readouterr()


def test_any_change_of_any_curve_makes_all_of_a_joint_fit_out_of_date(relaxed):
    study, family_id = relaxed
    ids = study.family(family_id).curves
    states = lambda s: [s.fit_state(id_) for id_ in ids]  # noqa: E731
    assert states(study) == ["fitted"] * 3
    trimmed = edits.add_step(ids[1], KeepRange(low=5.0), "s")(study)
    assert states(trimmed) == ["out of date"] * 3
    assert trimmed.joint_state(family_id) == "out of date"
    assert not trimmed.readings(ids[0])
    heads, rows = all_parameters(trimmed, trimmed.family(family_id))
    assert [row.cells for row in rows] == [(None,) * len(heads)] * 3
    for other in (
        edits.set_conditions(family_id, {ids[0]: 31.0})(study), edits.set_sharing(family_id, "tau1", None)(study),
        edits.leave_out(family_id, (ids[0],), True)(study), edits.step_out(ids[2], "model")(study),
    ):  # fmt: skip
        assert other.joint_state(family_id) == "out of date"
        assert "fitted" not in states(other)
    again = computed_afresh(trimmed).study  # the way it was fitted last, with what stands there now
    assert again.joint_state(family_id) == "fitted"
    assert again.family(family_id).joint.result.statistics.n == 1803 - 5
    back = edits.remove_step(ids[1], "s")(trimmed)
    assert states(back) == ["fitted"] * 3
    bare = edits.set_sharing(family_id, "tau2", "")(study)  # without a law the conditions do not matter
    bare = edits.set_family_fit(family_id, fit_jointly_in(bare, family_id))(bare)
    assert edits.set_conditions(family_id, {ids[0]: 31.0})(bare).joint_state(family_id) == "fitted"


def test_a_curve_that_is_fitted_by_itself_leaves_the_joint_fit(relaxed):
    study, family_id = relaxed
    ids = study.family(family_id).curves
    alone = edits.set_fit(ids[0], fit_curve(study, ids[0]))(study)
    assert alone.fit(ids[0]).joint == ""
    assert alone.fit_state(ids[0]) == "fitted"
    assert alone.joint_state(family_id) == "out of date"
    assert study.fit(ids[0]).identity != alone.fit(ids[0]).identity
    assert study.fit(ids[0]).result.values != alone.fit(ids[0]).result.values
    removed = edits.remove_curve(ids[0])(study)
    assert removed.joint_state(family_id) == "out of date"
    assert removed.fit_state(ids[1]) == "out of date"


def test_readings_of_measures_follow_the_fit_that_is_there(relaxed):
    """The same curve and model, fitted jointly or alone: what is read of the fit is not that of the other."""
    from curvesieve.core.measures.of_fit import FittedQuantity
    from curvesieve.core.study.measuring import measured_curve

    study, family_id = relaxed
    id_ = study.family(family_id).curves[0]
    study = edits.add_measure(id_, FittedQuantity(formula="tau1*2"))(study)
    (jointly,) = measured_curve(study, id_)[0].readings
    assert jointly.value == pytest.approx(2 * study.family(family_id).joint.result.shared["tau1"].value)
    assert jointly.u == pytest.approx(2 * study.family(family_id).joint.result.shared["tau1"].u, rel=1e-6)
    alone = edits.set_fit(id_, fit_curve(study, id_))(study)
    (other,) = measured_curve(alone, id_)[0].readings
    assert other.value == pytest.approx(2 * alone.fit(id_).result.values["tau1"])
    assert other.value != jointly.value


def test_what_asks_for_one_curve_alone_is_refused_of_a_joint_fit(relaxed):
    from curvesieve.core.study.answers import correlations, intervals
    from curvesieve.core.study.copies import copied
    from curvesieve.core.study.fits import band_of

    study, family_id = relaxed
    id_ = study.family(family_id).curves[0]
    for way in ("profile", "bootstrap"):
        with pytest.raises(InputError, match="fitted jointly"):
            intervals(study, id_, way)
    with pytest.raises(InputError, match="jointly"):
        copied(study, id_, "script")
    for way in ("table", "text", "latex"):
        assert "tau2" in copied(study, id_, way) or "\\tau" in copied(study, id_, way)
    names, matrix = correlations(study, id_)
    assert names == ("offset", "amplitude1", "tau1", "amplitude2", "tau2")
    assert np.allclose(np.diag(matrix), 1)
    band = band_of(study, id_)
    assert (band.confidence > 0).all()


# -- each by itself, and along ------------------------------------------------------------------------


def shifting(count=9, step=1.5, seed=1, spoiled=()):
    """Peaks of FWHM 1 that move farther from curve to curve than they are wide."""
    rng = np.random.default_rng(seed)
    x = np.linspace(0, 20, 400)
    made = []
    for k in range(count):
        y = 5 / (1 + 4 * (x - 3 - step * k) ** 2) + 1 + rng.normal(0, 0.05, x.size)
        made.append((x, rng.normal(0, 1, x.size) if k in spoiled else y))
    return made


def peak_model(curve):
    return Model().with_background("constant", curve).add_peak("lorentzian", curve, 3.0)


def test_carrying_follows_a_peak_that_shared_starts_lose():
    study, family, ids = family_of(shifting(step=0.9), range(9), peak_model)
    lost = [abs(f.result.values["center_1"] - 3 - 0.9 * k) for k, f in enumerate(fit_curve(study, i) for i in ids)]
    assert max(lost) > 0.5
    found = carry_along(study, family, ids[0])
    assert not found.problems
    for k, id_ in enumerate(ids):
        center = found.fits[id_].result.parameters["center_1"]
        assert abs(center.value - 3 - 0.9 * k) < 4 * center.u
    assert found.along_from == ids[0]
    study = edits.set_family_fit(family, found)(study)
    again = computed_afresh(study)
    assert not again.problems
    for id_ in ids:
        assert again.study.fit(id_).result.values == pytest.approx(study.fit(id_).result.values, rel=1e-6)


def test_carrying_goes_outwards_in_the_order_of_the_condition_from_the_one_in_hand():
    conditions = [4, None, 1, 3, 2]
    study, family, ids = family_of(shifting(5, 0.1), conditions, peak_model)
    assert order_along(study, family) == [ids[2], ids[4], ids[3], ids[0], ids[1]]
    seen = []
    carry_along(study, family, ids[3], seen.append)
    assert seen == sorted(seen)
    assert seen[-1] == 1.0
    calls = iter(range(100))

    def stop(share):
        if next(calls) == 1:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        carry_along(study, family, ids[3], stop)


def test_a_curve_of_noise_in_the_middle_is_stepped_over_and_named():
    study, family, ids = family_of(shifting(7, 0.6, spoiled=(3,)), range(7), peak_model)
    study = edits.set_model(ids[0], study.model(ids[0]).replaced(
        study.model(ids[0]).terms[0].with_state("fwhm", lower=0.2, upper=3.0)
    ))(study)  # fmt: skip
    found = carry_along(study, family, ids[0])
    for k, id_ in enumerate(ids):
        if k != 3:
            assert found.fits[id_].result.values["center_1"] == pytest.approx(3 + 0.6 * k, abs=0.1)
    assert found.not_carried == (ids[3],)
    joint = fit_jointly_in(shared(study, family, fwhm_1=""), family)
    assert any("c3" in word for word in joint.joint.result.warnings), joint.joint.result.warnings


def test_a_curve_whose_sieve_fails_is_stepped_over_by_carrying_and_named_by_a_joint_fit():
    study, family, ids = family_of(shifting(5, 0.3), range(5), peak_model)
    study = edits.add_step(ids[2], KeepRange(low=900.0), "s")(study)
    found = carry_along(study, family, ids[0])
    assert list(found.problems) == [ids[2]]
    assert set(found.fits) == {*ids} - {ids[2]}
    assert found.fits[ids[4]].result.values["center_1"] == pytest.approx(4.2, abs=0.05)
    with pytest.raises(InputError, match="c2: The step Keep range does not work"):
        fit_jointly_in(shared(study, family, fwhm_1=""), family)
    assert fit_jointly_in(edits.leave_out(family, (ids[2],), True)(study), family).joint.result.converged


def test_each_by_itself_finds_starts_where_the_shared_ones_lead_nowhere():
    truth = [(2.0, 1.0, 0.5), (3.0, 0.8, 0.2), (1.5, 1.4, 0.1)]
    study, family, ids = family_of(decays(truth), (1, 2, 3), decay_model)
    astray = study.model(ids[0]).starting_at({"a": 1e9, "k": 900.0, "b": -1e9})
    study = edits.set_model(ids[0], astray)(study)
    found = fit_each(study, family)
    assert not found.problems
    assert set(found.found_anew) <= set(ids)
    for id_, true in zip(ids, truth, strict=True):
        for name, value in zip("akb", true, strict=True):
            p = found.fits[id_].result.parameters[name]
            assert abs(p.value - value) < 4 * p.u


def test_curves_that_are_begun_all_at_once_end_where_the_careful_solver_does():
    """And one that would leave its limits, or comes to no rest, is left to that."""
    rng = np.random.default_rng(5)
    truth = [(float(rng.uniform(1, 4)), float(rng.uniform(0.6, 2)), float(rng.uniform(-1, 1))) for _ in range(60)]
    truth[7] = (2.0, 0.3, 0.5)
    study, _, ids = family_of(decays(truth, 0.03, n=60), range(60), decay_model)
    model = replace_state(study.model(ids[0]), "k", lower=0.5)
    curves = [sieved_curve(study, id_).curve for id_ in ids]
    found = starts_alike(model, curves)
    assert found[7] is None
    assert sum(one is None for one in found) == 1
    for one, curve in zip(found, curves, strict=True):
        if one is not None:
            careful = fit_model(model, curve).values
            assert one == pytest.approx(careful, rel=1e-6)
    assert starts_alike(model, curves[:3]) == [None] * 3  # few are fitted one by one
    for other in (model.model_copy(update={"loss": "huber"}), replace_state(model, "b", tie="a/4")):
        assert starts_alike(other, curves) == [None] * 60
    held = replace_state(study.model(ids[0]), "b", hold=True, start=0.5)
    level = [cs.Curve(x, y) for x, y in decays([(a, k, 0.5) for a, k, _ in truth], 0.03, n=60)]
    for one, curve in zip(starts_alike(held, level), level, strict=True):
        assert one == pytest.approx(fit_model(held, curve).values, rel=1e-6)
        assert one["b"] == 0.5


def test_values_of_one_curve_become_the_starts_of_all():
    study, family, ids = family_of(decays([(2.0, 1.0, 0.5), (3.0, 0.8, 0.2)]), (1, 2), decay_model)
    study = edits.set_fit(ids[1], fit_curve(study, ids[1]))(study)
    values = study.fit(ids[1]).result.values
    assert edits.starts_for_all(family, ids[1])(study).model(ids[0]).start == values
    with pytest.raises(InputError, match="c0 has no fit"):
        edits.starts_for_all(family, ids[0])(study)


# -- ways of sharing ----------------------------------------------------------------------------------


def test_ways_of_sharing_are_tested_by_f_as_by_hand():
    truth = [(2.0, 1.0, 0.5), (3.0, 1.0, 0.2), (4.0, 1.0, 0.1)]
    study, family, ids = family_of(decays(truth, 0.05), (1, 2, 3), decay_model)
    study = shared(study, family, k="", b="")
    rows = {row.label: row for row in compare_ways(study, family)}
    assert list(rows) == [CHOSEN, OWN, "k each its own", "b each its own"]
    curves = [sieved_curve(study, id_).curve for id_ in ids]
    least = {
        CHOSEN: cs.fit_family("a*exp(-k*x) + b", curves, shared=("k", "b")).statistics.rss,
        OWN: cs.fit_family("a*exp(-k*x) + b", curves).statistics.rss,
        "k each its own": cs.fit_family("a*exp(-k*x) + b", curves, shared=("b",)).statistics.rss,
    }
    counts = {CHOSEN: 5, OWN: 9, "k each its own": 7}
    for label, rss in least.items():
        assert rows[label].result.statistics.rss == pytest.approx(rss, rel=1e-8)
        assert rows[label].result.count == counts[label]
    for label, against in ((CHOSEN, OWN), (OWN, CHOSEN), ("k each its own", CHOSEN)):
        few, many = sorted((label, against), key=counts.get)
        dof = 240 - counts[many]
        f = (least[few] - least[many]) / (counts[many] - counts[few]) / (least[many] / dof)
        assert rows[label].against == against
        assert rows[label].f == pytest.approx(f, rel=1e-6)
        assert rows[label].p == pytest.approx(stats.f.sf(f, counts[many] - counts[few], dof), rel=1e-6)
    assert rows["b each its own"].p < 1e-6


def test_sharing_what_is_one_in_truth_is_not_spoken_against():
    truth = [(2.0, 1.0, 0.5), (3.0, 1.0, 0.2), (4.0, 1.0, 0.1)]
    study, family, _ = family_of(decays(truth, 0.05), (1, 2, 3), decay_model)
    chosen, own = compare_ways(shared(study, family, k=""), family)
    assert (chosen.label, chosen.against, own.against) == (CHOSEN, OWN, CHOSEN)
    assert chosen.p > 0.01
    assert chosen.result.statistics.aicc < own.result.statistics.aicc + 4


# -- bad input ----------------------------------------------------------------------------------------


def test_what_cannot_be_fitted_jointly_is_refused_by_name():
    curves = decays([(2.0, 1.0, 0.5), (3.0, 1.0, 0.2), (4.0, 1.0, 0.1)])
    study, family, ids = family_of(curves, (1, None, 2), decay_model)
    with pytest.raises(InputError, match="c1 has no condition"):
        fit_jointly_in(shared(study, family, k="k0 + k1*c"), family)
    assert fit_jointly_in(shared(study, family, k=""), family).joint.result.converged
    with pytest.raises(InputError, match="no parameter q"):
        edits.set_sharing(family, "q", "")(study)
    with pytest.raises(InputError, match="cannot be read"):
        edits.set_sharing(family, "k", "k0 +")(study)
    with pytest.raises(InputError, match="no parameter that could be fitted"):
        edits.set_sharing(family, "k", "2*c")(study)
    with pytest.raises(InputError, match="No parameter is shared"):
        compare_ways(study, family)
    none = edits.leave_out(family, ids, True)(study)
    with pytest.raises(InputError, match="No curve of family"):
        fit_jointly_in(none, family)
    mixed, family, ids = family_of(
        [(*curves[0], np.full(80, 0.02)), curves[1], curves[2]], (1, 2, 3), decay_model
    )  # fmt: skip
    with pytest.raises(InputError, match="c1 has no u and c0 has"):
        fit_jointly_in(shared(mixed, family, k=""), family)
    robust = mixed.model(ids[0]).model_copy(update={"loss": "huber", "weights": "none"})
    with pytest.raises(InputError, match="huber"):
        fit_jointly_in(shared(edits.set_model(ids[0], robust)(mixed), family, k=""), family)


def test_curves_in_other_units_are_refused_by_name():
    one, two = decays([(2.0, 1.0, 0.5), (3.0, 1.0, 0.2)])
    study, family, _ = family_of([one, two], (1, 2), decay_model)
    other = study.document.records[1]
    channels = (other.channels[0].model_copy(update={"unit": "ms"}), *other.channels[1:])
    records = (study.document.records[0], other.model_copy(update={"channels": channels}))
    study = study.with_document(records=records)
    with pytest.raises(InputError, match="x of c1 is in ms, that of c0 in s"):
        fit_jointly_in(shared(study, family, k=""), family)


def test_a_parameter_that_no_curve_determines_is_named():
    x = np.linspace(0, 5, 40)
    rng = np.random.default_rng(0)
    curves = [(x, 1 + 0.5 * x + rng.normal(0, 0.1, 40)) for _ in range(3)]
    model = lambda curve: Model().with_background("own", curve, own_formula("p*q*x + b"))  # noqa: E731
    study, family, ids = family_of(curves, (1, 2, 3), model)
    study = edits.set_model(ids[0], study.model(ids[0]).starting_at({"p": 1.0, "q": 0.5, "b": 1.0}))(study)
    for laws in ({"p": "", "q": ""}, {"p": ""}):
        result = fit_jointly_in(shared(study, family, **laws), family).joint.result
        said = " ".join([result.message, *result.warnings])
        assert "cannot be told apart" in said or not result.converged
        assert "p" in said
        assert result.shared["p"].u is None


def test_one_curve_can_be_fitted_jointly_and_a_hundred_in_no_time():
    fit = cs.fit_family("a*exp(-k*x) + b", [cs.Curve(*decays([(2.0, 1.0, 0.5)])[0])], shared=("k",))
    alone = cs.fit("a*exp(-k*x) + b", *decays([(2.0, 1.0, 0.5)])[0])
    assert fit.shared["k"].value == pytest.approx(alone.parameters["k"].value, rel=1e-7)
    assert fit.shared["k"].u == pytest.approx(alone.parameters["k"].u, rel=1e-5)
    many = decays([(2.0 + 0.01 * k, 1.0, 0.5) for k in range(100)], n=50)
    study, family, _ = family_of(many, range(100), decay_model)
    found = fit_jointly_in(shared(study, family, k="", b="b0 + b1*c"), family)
    assert found.joint.result.converged
    assert found.joint.result.count == 103
    assert abs(found.joint.result.shared["k"].value - 1) < 4 * found.joint.result.shared["k"].u


def test_a_law_that_leaves_the_limits_is_told():
    """Widths of 1.5 to 0.75 on a line, where a width may not be below 1: no fit to believe in, and it says whose."""
    x, rng = np.linspace(0, 20, 400), np.random.default_rng(2)
    curves = [(x, 5 / (1 + 4 * ((x - 5) / (1.5 - 0.25 * c)) ** 2) + 1 + rng.normal(0, 0.02, 400)) for c in range(4)]
    study, family, ids = family_of(curves, range(4), peak_model)
    study = shared(study, family, fwhm_1="w0 + w1*c")
    free = fit_jointly_in(study, family).joint.result
    assert free.converged
    assert abs(free.laws["fwhm_1"]["w1"].value + 0.25) < 4 * free.laws["fwhm_1"]["w1"].u
    model = study.model(ids[0])
    limited = model.replaced(model.terms[0].with_state("fwhm", lower=1.0, start=1.2))
    found = fit_jointly_in(edits.set_model(ids[0], limited)(study), family)
    assert not found.joint.result.converged
    assert found.joint.result.message.startswith("The law takes fwhm_1 of c3 beyond its limits.")
    assert not found.fits[ids[0]].readings


def test_sharing_of_a_model_that_is_gone_is_forgotten_not_applied():
    study, family, ids = family_of(decays([(2.0, 1.0, 0.5), (3.0, 1.0, 0.2)]), (1, 2), decay_model)
    study = shared(study, family, k="")
    line = Model().with_background("line", sieved_curve(study, ids[0]).curve)
    study = edits.set_model(ids[0], line)(study)
    found = fit_jointly_in(study, family)
    assert found.joint.result.shared == {}
