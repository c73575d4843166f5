"""What is shown belongs to what was computed: fits that are out of date, units after the sieve, names, old files."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pandas as pd
import pytest

import curvesieve as cs
from curvesieve.core.figures.writing import page_of
from curvesieve.core.fitting.compare import Candidate, compare
from curvesieve.core.fitting.residuals import outlying, residual_check
from curvesieve.core.formats.opening import tables
from curvesieve.core.formats.writing import of_curve, write
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model, OwnTerm
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import StepSlot
from curvesieve.core.steps.base import parse_step
from curvesieve.core.steps.reference_lines import OWN, TABLES, add_tables
from curvesieve.core.study import Study, edits, load_study
from curvesieve.core.study.afresh import computed_afresh
from curvesieve.core.study.answers import answer, units_of_parameters
from curvesieve.core.study.copies import copied
from curvesieve.core.study.fields import prepared, read
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.ledger import about_curve, ledger_of
from curvesieve.core.study.ledger_tables import to_csv
from curvesieve.core.study.measuring import measure_curves, measured_curve
from curvesieve.core.study.passing import (
    giver,
    passed_units,
    preview,
    recorded,
    sieve_family,
    sieved_curve,
    sieved_if_quick,
)
from curvesieve.core.study.shared_numbers import family_numbers
from curvesieve.core.tracing.values import frame_of, traced_bars
from tests.conftest import STRD

KEPT = STRD.parent / "studies"
X = np.linspace(0, 10, 60)


def study_of(*made: tuple[str, str, np.ndarray]) -> Study:
    """One family; each curve is (label, unit of y, y)."""
    records = [
        Record(Source(f"{label}.csv", label.encode()), (Channel("Time", "s", X), Channel("Force", unit, y)))
        for label, unit, y in made
    ]
    labels = [label for label, _, _ in made]
    return edits.add_curves(Study(), [(r, Take(0, 1)) for r in records], "forces", labels=labels)


def peak(height: float, seed: int = 1) -> np.ndarray:
    noise = np.random.default_rng(seed).normal(0, 0.01 * height, X.size)
    return height * np.exp(-4 * np.log(2) * ((X - 5) / 2) ** 2) + noise


def stepped(study: Study, curve_id: str, *steps: dict) -> Study:
    slots = tuple(StepSlot(id=f"s{i}", rule=parse_step(step)) for i, step in enumerate(steps))
    return edits.set_sieve(curve_id, slots)(study)


def fitted(study: Study, curve_id: str, **model) -> Study:
    curve = sieved_curve(study, curve_id).curve
    study = edits.set_model(curve_id, Model(**model).add_peak("gaussian", curve, 5.0))(study)
    return edits.set_fit(curve_id, fit_curve(study, curve_id))(study)


def ids(study: Study) -> list[str]:
    return [curve.id for curve in study.document.curves]


# -- out of date ------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["blank", "id"])
def test_a_fit_is_out_of_date_when_a_step_of_its_donor_changes(name):
    study = study_of(("sample", "N", peak(5) + 1), ("blank", "N", np.full(X.size, 1.0)))
    sample, blank = ids(study)
    study = stepped(study, sample, {"step": "combine", "donor": "blank" if name == "blank" else blank})
    study = fitted(study, sample)
    assert study.fit_is_current(sample)
    moved = stepped(study, blank, {"step": "zero", "by": "value", "value": 0.3})
    assert not moved.fit_is_current(sample)
    assert moved.fit_state(sample) == "out of date"
    assert not ledger_of(moved, None).rows[0].cells
    off = edits.set_sieve(blank, (StepSlot(id="s", rule=parse_step({"step": "smooth"}), on=False),))(study)
    assert off.fit_is_current(sample)


def test_a_step_that_takes_from_nobody_neither_goes_stale_with_the_family_nor_is_left_out_of_what_a_donor_gives():
    study = study_of(("one", "N", peak(5)), ("other", "N", peak(5, 2)))
    one, other = ids(study)
    study = fitted(stepped(study, one, {"step": "resample", "onto": "grid"}), one)
    assert stepped(study, other, {"step": "smooth"}).fit_is_current(one)
    study = stepped(study, other, {"step": "resample", "onto": "grid", "spacing": 2.0})
    study = stepped(study, one, {"step": "resample", "onto": "another curve", "donor": "other"})
    np.testing.assert_allclose(sieved_curve(study, one).curve.x, np.arange(0, 10.1, 2))


@pytest.mark.parametrize("step", [{"step": "combine", "donor": "other"}, {"step": "average", "donors": ["other"]}])
def test_what_a_donor_gives_without_its_own_taking_steps_is_said_beside_the_same_numbers(step):
    """So that no curve waits for itself, a donor gives what it was before such steps: never without a word."""
    study = study_of(("one", "N", peak(5)), ("other", "N", peak(5, 2)), ("blank", "N", np.full(X.size, 1.0)))
    one, other, _ = ids(study)
    study = stepped(study, one, step)
    plain = sieved_curve(study, one)
    assert "without" not in plain.trail[0].message
    taking = stepped(study, other, {"step": "combine", "donor": "blank"})
    told = sieved_curve(taking, one)
    assert told.trail[0].message.endswith("other taken without its own steps that take from other curves")
    assert preview(taking, one, told.trail[0], told.trail[0].slot.rule).message == told.trail[0].message
    np.testing.assert_array_equal(told.y, plain.y)
    assert "without" not in sieved_curve(study, one).trail[0].message  # and each is kept by itself


def test_a_curve_is_not_passed_at_once_where_what_it_takes_from_is_much_work():
    study = study_of(("one", "N", peak(5)), ("other", "N", peak(5, 2)))
    one, other = ids(study)
    study = stepped(study, one, {"step": "combine", "donor": "other"})
    assert sieved_if_quick(study, one) is not None
    study = stepped(study, other, *[{"step": "smooth", "strength": 2.0 + i / 100} for i in range(400)])
    assert sieved_if_quick(study, one) is None
    made = sieved_curve(study, one)
    assert sieved_if_quick(study, one) is made


# -- units ------------------------------------------------------------------------------------------


def test_units_are_those_of_the_curve_that_passed():
    study = study_of(("one", "kN", peak(5.01)))
    (one,) = ids(study)
    study = fitted(stepped(study, one, {"step": "scale", "by": "unit", "unit": "N"}), one)
    assert passed_units(study, one) == ("s", "N")
    assert units_of_parameters(study, one)["height_1"] == "N"
    height = {r.quantity: r for r in study.readings(one)}["height"]
    assert (height.unit, height.value) == ("N", pytest.approx(5010, rel=0.01))
    made = ledger_of(study, study.document.families[0])
    headings = {column.key.quantity: column.heading for column in made.columns}
    assert headings["height"] == "P1 height (N)"
    assert headings["rmse"] == "RMSE (N)"
    assert "\tN\t" in next(row for row in copied(study, one, "table").splitlines() if row.startswith("height_1"))
    assert answer(study, one, "y", "5")[0][0].text.endswith(" N")


def test_a_family_of_mixed_units_has_a_column_for_each():
    study = study_of(("first", "N", peak(5)), ("second", "kN", peak(7, 2)), ("third", "N", peak(9, 3)))
    for one in ids(study):
        study = fitted(study, one)
    made = ledger_of(study, study.document.families[0])
    heights = [column for column in made.columns if column.key.quantity == "height"]
    assert [column.unit for column in heights] == ["N", "kN"]
    filled = [[made.rows[i].cell(column) is not None for column in heights] for i in range(3)]
    assert filled == [[True, False], [False, True], [True, False]]
    head, *rows = [line.split(",") for line in to_csv(made).splitlines()]
    assert float(rows[1][head.index("P1 height (kN)")]) == pytest.approx(7, rel=0.02)
    assert rows[1][head.index("P1 height (N)")] == ""
    assert {"RMSE (N)", "RMSE (kN)"} < set(head)


def test_a_quantity_of_ones_own_stands_beside_a_terms_of_the_same_name():
    y = 3 * np.exp(-X / 2) + np.random.default_rng(1).normal(0, 0.01, X.size)
    study = study_of(("one", "N", y))
    (one,) = ids(study)
    curve = sieved_curve(study, one).curve
    model = Model(derived=(("half_life", "2*tau"),)).with_background("exponential", curve)
    study = edits.set_model(one, model)(study)
    study = edits.set_fit(one, fit_curve(study, one))(study)
    made = ledger_of(study, None)
    found = {column.title: made.rows[0].cell(column).value for column in made.columns}
    tau = found["tau"]
    assert found["half_life"] == pytest.approx(np.log(2) * tau)
    assert found["half_life #2"] == pytest.approx(2 * tau)


# -- what a step needs goes with it -----------------------------------------------------------------


def test_a_users_table_of_lines_travels_to_other_processes_and_in_the_study(tmp_path):
    (tmp_path / "ours.lines").write_text("2.5\n7.6  # second\n")
    assert add_tables(tmp_path) == []
    study = study_of(*((f"c{i}", "N", peak(5, i)) for i in range(12)))
    for one in ids(study):
        study = stepped(study, one, {"step": "calibrate-x", "measured": [2.4, 7.4], "table": "ours", "order": 1})
    text = study.document.model_dump_json()
    del OWN["ours"], TABLES["ours"]
    again = Study(type(study.document).model_validate_json(text), study.arrays, study.sources)
    wide = {key: np.interp(np.linspace(0, 59, 20_000), np.arange(60), a) for key, a in study.arrays.items()}
    many = sieve_family(Study(again.document, wide, study.sources), ids(again))  # large enough for the pool
    for made in (*many, sieved_curve(again, ids(again)[0])):
        assert made.trail[0].problem == ""
        np.testing.assert_allclose(np.interp([2.4, 7.4], made.recorded.x, made.curve.x), [2.5, 7.6], rtol=1e-9)
    other = parse_step({**study.slots(ids(study)[0])[0].rule.to_json(), "table": "polystyrene"})
    assert other.carried is None


# -- what holds for which loss ----------------------------------------------------------------------


def test_what_rests_on_squares_is_not_told_of_other_losses():
    y = peak(5)
    y[10] += 3
    curve = cs.Curve(X, y)
    gaussian, lorentzian = (
        Model(loss="huber").add_peak(slug, curve, 5.0).with_background("constant", curve)
        for slug in ("gaussian", "lorentzian")
    )
    pseudo = Model(loss="huber").add_peak("pseudo-voigt", curve, 5.0).with_background("constant", curve)
    rows = compare([Candidate(m.peaks[0].slug, m) for m in (gaussian, lorentzian, pseudo)], curve)
    for row in rows:
        assert (row.weight, row.f, row.p) == (None, None, None)
        s = row.result.statistics
        assert (s.aicc, s.bic, s.adjusted_r2, s.reduced_chi2) == (None, None, None, None)
        r = y - row.model.sum.evaluate(X, list(row.model.start.values()))
        assert s.rss == pytest.approx(r @ r)
        assert s.rmse == pytest.approx(np.sqrt(np.mean(r**2)))
    squared = [Candidate(m.peaks[0].slug, m.model_copy(update={"loss": "squared"})) for m in (gaussian, pseudo)]
    assert compare(squared, curve)[1].f is not None


def test_weights_in_proportion_give_no_reduced_chi_square():
    y = 5 + X
    assert cs.fit("a + b*x", X, y, start={"a": 1, "b": 1}, weights="proportional").statistics.reduced_chi2 is None
    assert cs.fit("a + b*x", X, y, start={"a": 1, "b": 1}, weights="counts").statistics.reduced_chi2 is not None


ROSNER = """-0.25 0.68 0.94 1.15 1.20 1.26 1.26 1.34 1.38 1.43 1.49 1.49 1.55 1.56 1.58 1.65 1.69 1.70
1.76 1.77 1.81 1.91 1.94 1.96 1.99 2.06 2.09 2.10 2.14 2.15 2.23 2.24 2.26 2.35 2.37 2.40
2.47 2.54 2.62 2.64 2.90 2.92 2.92 2.93 3.21 3.26 3.30 3.59 3.68 4.30 4.64 5.34 5.42 6.01"""


def test_the_size_of_residuals_is_tested_as_well_as_their_sign():
    """Rosner's own example has three outliers at 5 % (Technometrics 25 (1983) 165, table 1; from memory)."""
    values = np.array([float(word) for word in ROSNER.split()])
    assert sorted(values[outlying(values, 0.05)]) == [5.34, 5.42, 6.01]
    rng = np.random.default_rng(1)
    r = rng.choice([-1.0, 1.0], 30) * rng.uniform(0.2, 1, 30)
    assert residual_check(np.arange(30.0), r).sentence.startswith("Residuals look like noise")
    r[7] = 25.0
    said = residual_check(np.arange(30.0), r).sentence
    assert "look like noise" not in said
    assert said.startswith("One residual is too large for noise")
    assert "at x = 7" in said
    r[20] = 24.0  # two do not hide one another
    assert residual_check(np.arange(30.0), r).too_large == 2
    false = sum(outlying(rng.normal(size=40)).size > 0 for _ in range(1000))
    assert false < 25  # 1 % wanted
    assert "trend" in residual_check(np.arange(20.0), np.abs(rng.normal(size=20))).sentence


# -- files of older versions ------------------------------------------------------------------------


def test_a_study_of_every_version_opens_with_numbers_that_mean_what_the_words_say():
    """One file a version, written by the program of that time; the peak is of height 5 N at 5 s."""
    assert sorted(path.name for path in KEPT.glob("*.sieve")) == [f"version-{v}.sieve" for v in range(1, 10)]
    for path in KEPT.glob("*.sieve"):
        study = load_study(path)
        assert study.document.version == 9
        weighed = study.document.curves[0]
        fit = study.fit(weighed.id)
        s = fit.result.statistics
        curve = sieved_curve(study, weighed.id).curve
        again = study.model(weighed.id).starting_at(fit.result.values)
        r = curve.y - again.sum.evaluate(curve.x, list(again.start.values()))
        assert s.rss == pytest.approx(r @ r, rel=1e-9)
        assert s.chi2 == pytest.approx(np.sum((r / curve.u) ** 2), rel=1e-9)
        assert (fit.x_unit, fit.y_unit) == (curve.x_unit, curve.y_unit)
        refit = edits.set_fit(weighed.id, fit_curve(study, weighed.id))(study)
        assert refit.fit(weighed.id).result.values == pytest.approx(fit.result.values, rel=1e-6)
    two = load_study(KEPT / "version-2.sieve")
    assert [two.fit_state(c.id) for c in two.document.curves] == ["fitted", "fitted"]
    assert {r.key[:2] for r in two.fit(two.document.curves[0].id).readings} >= {("fit", "fwhm"), ("own", "half")}
    assert two.fit(two.document.curves[1].id).result.statistics.aicc is None  # a robust fit
    three = load_study(KEPT / "version-3.sieve")
    assert [three.fit_state(c.id) for c in three.document.curves] == [*["fitted"] * 4, "out of date"]
    assert [three.shares(c.id, "sieve") for c in three.document.curves] == [True, True, False, False, False]
    four = load_study(KEPT / "version-4.sieve")
    assert [four.fit_state(c.id) for c in four.document.curves][:6] == [*["fitted"] * 4, "out of date", "not fitted"]
    assert [c.shared for c in four.document.curves][:3] == [("sieve", "model"), ("sieve", "model"), ("model",)]
    assert [len(recorded(four, c.id)) for c in four.document.curves][-2:] == [60, 3]
    five = load_study(KEPT / "version-5.sieve")
    one = five.document.curves[0]
    work, top, ratio = measured_curve(five, one.id)
    passed = sieved_curve(five, one.id).curve
    assert work.readings[0].value == pytest.approx(np.trapezoid(passed.y, passed.x), rel=1e-12)
    assert (work.readings[0].name, work.readings[0].unit, one.group) == ("work", "mN*s", "A")
    assert top.readings[0].value == pytest.approx(5000, abs=100), "in mN"
    assert ratio.readings[0].value == pytest.approx(work.readings[0].value / 2)
    measure_curves(five, [c.id for c in five.document.curves])
    shown = ledger_of(five, five.family_of(one.id)).columns
    assert next(c.heading for c in shown if c.key.source == "area") == "impulse (N·s)"
    six = load_study(KEPT / "version-6.sieve")
    (family,) = six.document.families
    assert six.joint_state(family.id) == "fitted"
    assert [six.fit_state(id_) for id_ in family.curves] == ["fitted"] * 4
    numbers = {one.title: (one.value, one.u) for one in family_numbers(six, family)}
    again = {one.title: (one.value, one.u) for one in family_numbers(computed_afresh(six).study, family)}
    assert list(numbers) == ["k", "at_0 of b", "slope of b", "at_0 of a", "slope of a"]
    assert all(again[name] == pytest.approx(numbers[name], rel=1e-6) for name in numbers)
    assert abs(numbers["k"][0] - 1) < 4 * numbers["k"][1]
    assert (family.look.stand, family.look.lift, family.look.guides[0].x) == ("lifted", 3.0, 1.0)
    seven = load_study(KEPT / "version-7.sieve")
    pages = [page_of(seven, one) for one in seven.document.figures]
    assert [len(page.axes) for page in pages] == [2, 2]
    assert ["joint fit itself" in " ".join(page.said) for page in pages] == [True, False]
    assert not pages[1].said
    eight = load_study(KEPT / "version-8.sieve")
    curve = recorded(eight, "traced-a")
    assert (curve.x.tolist(), curve.y.tolist()) == (pytest.approx([0.01, 0.1]), pytest.approx([0.0, 4.0], abs=1e-9))
    (chart,) = eight.document.charts
    (bar,) = traced_bars(frame_of(chart.trace), chart.trace.series[2])
    assert (bar.value, bar.half) == pytest.approx((4.0, 4 / 7))
    assert chart.prepared.turn == 2.0
    assert eight.sources[chart.picture].startswith(b"\x89PNG")
    nine = load_study(KEPT / "version-9.sieve")
    sliced = [recorded(nine, id_) for id_ in nine.document.families[-1].curves]
    for at, curve in zip((4.0, 6.0), sliced, strict=True):
        assert curve.y == pytest.approx(2 + 0.5 * curve.x - 0.25 * at, abs=1e-6)  # planes through points on a plane
        assert (curve.x_unit, curve.y_unit) == ("mm", "um")
    plane, product = nine.document.fields
    assert (plane.look.shows, plane.look.turn, plane.levels.given) == ("surface", 20.0, (2.0, 4.0))
    ((value,),) = (one.readings for one in read(nine, plane.id, giver(nine)))
    assert value.value == pytest.approx(2 + 2.5 - 1.25, abs=1e-6)
    points = prepared(nine, product.id, giver(nine)).points
    assert points.z == pytest.approx(3 * points.x * points.y)
    trend = pages[0].pen.at("line1_0")[0].get_ydata()
    fitted = [seven.fit(id_).result.values["b"] for id_ in seven.document.families[0].curves]
    assert sorted(trend) == pytest.approx(sorted(fitted), rel=1e-12)


@pytest.mark.parametrize("version", [1, 2, 3])
def test_migration_keeps_every_number_of_a_fit(version):
    """What the program of that time wrote into the file, against what is read today."""
    path = KEPT / f"version-{version}.sieve"
    with zipfile.ZipFile(path) as archive:
        wrote = json.loads(archive.read("study.json"))["curves"]
    study = load_study(path)
    for then, curve in zip(wrote, study.document.curves, strict=True):
        fit = study.fit(curve.id)
        if then["fit"] is None:
            assert fit is None
            continue
        assert {n: (p["value"], p["u"]) for n, p in then["fit"]["result"]["parameters"].items()} == {
            n: (p.value, p.u) for n, p in fit.result.parameters.items()
        }
        old = [(r["name"], r["symbol"], r["value"], r["u"], r["unit"]) for r in then["fit"]["readings"]]
        assert [(r.name, r.symbol, r.value, r.u, r.unit) for r in fit.readings][: len(old)] == old


def test_a_damaged_old_study_is_told_and_not_guessed_at(tmp_path):
    with zipfile.ZipFile(KEPT / "version-2.sieve") as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    tree = json.loads(parts["study.json"])
    for spoil in ({"curves": 3}, {"curves": [{"fit": 1}]}, {"curves": [{"fit": {"result": {}}}]}):
        path = tmp_path / "spoilt.sieve"
        with zipfile.ZipFile(path, "w") as archive:
            for name, content in parts.items():
                archive.writestr(name, json.dumps({**tree, **spoil}) if name == "study.json" else content)
        with pytest.raises(cs.InputError, match=r"spoilt\.sieve is (damaged|not a study)"):
            load_study(path)


def test_own_terms_of_ones_own_name_their_quantity_by_hand(tmp_path):
    own = OwnTerm(formula="A*exp(-k*x)")
    y = 3 * np.exp(-X / 2) + np.random.default_rng(1).normal(0, 0.01, X.size)
    study = study_of(("one", "N", y))
    (one,) = ids(study)
    model = Model(derived=(("k", "1/k"),)).with_background("own", sieved_curve(study, one).curve, own)
    study = edits.set_model(one, model.starting_at({"A": 2.0, "k": 0.4}))(study)
    study = edits.set_fit(one, fit_curve(study, one))(study)
    found = {r.key[:2]: r.value for r in study.readings(one)}
    assert found["own", "k"] == pytest.approx(1 / found["fit", "k"])


def test_a_curve_on_its_way_out_says_where_it_comes_from():
    study = study_of(("one", "kN", peak(5.01)))
    (one,) = ids(study)
    study = fitted(stepped(study, one, {"step": "scale", "by": "unit", "unit": "N"}, {"step": "despike"}), one)
    curve = sieved_curve(study, one).curve
    content = write(of_curve(curve, "one", about_curve(study, one)), ".csv")
    frame = pd.read_csv(io.BytesIO(content))
    assert list(frame.columns[:3]) == ["Time (s)", "Force (N)", "flag"]
    np.testing.assert_array_equal(frame.iloc[:, 1], curve.y)
    said = dict(tables(Source("back.csv", content))[0].record.metadata)
    assert said["source"] == "one.csv"
    assert said["sha256"] == study.document.records[0].source
    assert said["steps"].startswith("scale axis y, by unit, factor 1.0, unit N")
    assert "despike window 11, threshold 5.0" in said["steps"]
    assert "exp(" in said["formula"]
    assert f"height_1 {study.fit(one).result.values['height_1']!r}" in said["fitted"]
