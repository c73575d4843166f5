"""Readings in a study: kept by all that they depend on, shared, of fits, in the ledger, on their way out."""

from __future__ import annotations

import csv
import io
import json
import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import openpyxl
import pytest
from scipy import stats

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.formats.opening import load
from curvesieve.core.intake.take import Take
from curvesieve.core.measures import MeasureSlot, Seen, parse_measure, registered_measures, taken
from curvesieve.core.measures.fit_seen import FitSeen, factor_of
from curvesieve.core.models import Model
from curvesieve.core.quantity import Quantity
from curvesieve.core.reading import ReadingKey
from curvesieve.core.recipe import Recipe
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import parse_step
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study import many_measures as many
from curvesieve.core.study.afresh import computed_afresh
from curvesieve.core.study.answers import answer, kept
from curvesieve.core.study.document import LedgerColumn
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.given import line_of, preamble_lines
from curvesieve.core.study.joining import join_family, tables_like
from curvesieve.core.study.ledger import in_unit, ledger_of
from curvesieve.core.study.ledger_tables import SUFFIXES, groups_table, latex_text, readings_table, to_text, written
from curvesieve.core.study.measuring import measure_curves, measured_curve
from curvesieve.core.study.outcomes import known
from curvesieve.core.study.passing import recorded, recorded_at_hand, sieved_if_quick

X = np.linspace(0.2, 8, 160)


def study_of(count: int = 4, noise: float = 0.02) -> Study:
    """Decays in MPa over s, each slower than the last, with a width in the preamble of its file."""
    records = []
    for k in range(count):
        y = 5 * np.exp(-X / (1.5 + 0.3 * k)) + 1 + np.random.default_rng(k).normal(0, noise, X.size)
        source = Source(f"film {k}.csv", f"film {k}".encode())
        about = (("Width", f"{10 + k}.0(1) mm"), ("Batch", "AB"[k % 2]), ("Operator", "somebody"))
        records.append(Record(source, (Channel("Time", "s", X), Channel("Stress", "MPa", y)), about))
    return edits.add_curves(
        Study().with_document(title="films"), [(record, Take(0, 1)) for record in records], "films",
        labels=[f"film {k}" for k in range(count)], conditions=[10.0 * k for k in range(count)],
        condition=("temperature", "°C"),
    )  # fmt: skip


def ids(study: Study) -> list[str]:
    return [curve.id for curve in study.document.curves]


def with_measures(study: Study, *measures: dict, curve: int = 0) -> Study:
    for given in measures:
        name = given.get("name", "")
        rule = parse_measure({key: value for key, value in given.items() if key != "name"})
        study = edits.add_measure(ids(study)[curve], rule, name)(study)
    return study


def values(study: Study, curve: int = 0) -> dict[str, float]:
    return {r.name: r.value for one in measured_curve(study, ids(study)[curve]) for r in one.readings}


def fitted(study: Study, *which: int) -> Study:
    for k in which:
        curve_id = ids(study)[k]
        model = Model().with_background("exponential", recorded(study, curve_id))
        study = edits.set_model(curve_id, model)(study)
        study = edits.set_fit(curve_id, fit_curve(study, curve_id))(study)
    return study


def test_readings_follow_steps_units_quantities_and_are_known_again_when_an_edit_is_undone():
    study = with_measures(
        study_of(), {"measure": "highest-point", "by": "the point itself"},
        {"measure": "formula", "formula": "maximum*Width", "name": "load"},
    )  # fmt: skip
    one = ids(study)[0]
    assert known(study, one) is None
    curve = recorded(study, one)
    assert values(study) == {"maximum": curve.y.max(), "x at maximum": X[np.argmax(curve.y)],
                             "load": pytest.approx(curve.y.max() * 10)}  # fmt: skip
    assert known(study, one) is not None
    assert all(not outcome.shapes for outcome in known(study, one)), "what is kept for all curves has no drawings"
    halved = edits.add_step(one, parse_step({"step": "scale", "by": "factor", "factor": 0.5}), "s1")(study)
    assert known(halved, one) is None
    assert values(halved)["maximum"] == curve.y.max() / 2
    kilo = edits.show_in(one, "highest-point", "maximum", "kPa")(halved)
    assert values(kilo)["maximum"] == pytest.approx(curve.y.max() * 500)
    (before, *_), (after, *_) = (measured_curve(s, one)[0].readings for s in (halved, kilo))
    assert after.u == pytest.approx(before.u * 1000)
    load = measured_curve(kilo, one)[1].readings[0]
    assert (load.value, load.unit) == (pytest.approx(values(halved)["load"] * 1000), "kPa mm"), "a formula follows it"
    wide = edits.set_quantity(one, Quantity.read("Width", "20 mm"))(halved)
    assert values(wide)["load"] == pytest.approx(2 * values(halved)["load"])
    assert known(edits.remove_quantity(one, "Width")(wide), one) == known(halved, one)
    family = edits.set_quantity(one, Quantity.read("Width", "30 mm"), for_family=True)(study)
    assert values(family)["load"] == pytest.approx(3 * values(study)["load"])
    assert values(edits.move_curves([one], "")(family))["load"] == values(family)["load"], "what was shared stays"
    # a step that cannot work: nothing is read, and why is said
    broken = edits.add_step(one, parse_step({"step": "resample", "onto": "another curve", "donor": "gone"}), "s2")(
        study
    )
    problems = {outcome.problem for outcome in measured_curve(broken, one)}
    assert len(problems) == 1
    assert problems.pop().startswith("The step Resample does not work")
    wrong = edits.show_in(one, "highest-point", "maximum", "mm")(study)
    assert "is asked for in mm" in measured_curve(wrong, one)[0].problem
    with pytest.raises(cs.InputError, match="no unit that is known"):
        edits.show_in(one, "highest-point", "maximum", "brick²²")(study)
    with pytest.raises(cs.InputError, match="cannot be a name"):
        edits.set_quantity(one, Quantity.read("a b", "1 mm"))(study)


def test_measures_are_shared_stepped_out_of_and_in_like_the_other_parts():
    study = with_measures(study_of(), {"measure": "area"})
    one, two, three, four = ids(study)
    shared = edits.share(one, "measures")(study)
    assert [slot.id for slot in shared.measures(four)] == ["area"]
    assert shared.document.families[0].recipe.measures == study.measures(one)
    more = edits.add_measure(two, parse_measure({"measure": "area", "base": "chord"}))(shared)
    assert [slot.id for slot in more.measures(three)] == ["area", "area-2"], "one more of a kind has an id of its own"
    own = edits.remove_measure(three, "area")(edits.step_out(three, "measures")(more))
    assert [slot.id for slot in own.measures(three)] == ["area-2"]
    assert [slot.id for slot in own.measures(two)] == ["area", "area-2"]
    assert edits.step_in(three, "measures")(own).measures(three) == own.measures(two)
    switched = edits.switch_measure(two, "area", False)(own)
    assert [one_.slot.id for one_ in measured_curve(switched, two)] == ["area-2"]
    turned = edits.move_measure(two, "area-2", 0)(own)
    assert [slot.id for slot in turned.measures(one)] == ["area-2", "area"]
    # a curve of its own with the same measure has its readings in the same column
    apart = with_measures(study_of(), {"measure": "area"})
    apart = with_measures(apart, {"measure": "area"}, curve=2)
    measure_curves(apart, ids(apart))
    ledger = ledger_of(apart, apart.document.families[0])
    assert [column.title for column in ledger.columns] == ["area"]
    assert [row.state for row in ledger.rows] == ["read", "not fitted", "read", "not fitted"]


def test_a_study_with_readings_is_saved_opened_and_computed_afresh_to_the_same_numbers(tmp_path):
    study = with_measures(
        fitted(study_of(), 0), {"measure": "area", "name": "work"}, {"measure": "fitted-quantity", "formula": "tau"},
        {"measure": "formula", "formula": "work/(quantity*Width)", "unit": "N/mm^3"},
    )  # fmt: skip
    study = edits.share(ids(study)[0], "measures")(study)
    study = edits.set_quantity(ids(study)[1], Quantity.read("mass", "1.2(1) g"))(study)
    study = edits.set_groups(dict.fromkeys(ids(study)[:2], "A"), study.document.families[0].id, "Batch")(study)
    path = tmp_path / "films.sieve"
    save_study(study, path)
    again = load_study(path)
    assert again.document == study.document
    made = computed_afresh(again)
    assert list(made.read) == ids(study)
    for id_ in ids(study):
        assert [one.readings for one in made.read[id_]] == [one.readings for one in measured_curve(study, id_)]
    assert "no fit that is current" in made.notes()[ids(study)[1]][0]
    # the keys are those of what is read, wherever
    assert again.measures_key(ids(study)[0]) == study.measures_key(ids(study)[0])


def test_readings_of_the_fit_are_todays_answers_with_the_correlation_that_the_fit_gives():
    study = fitted(study_of(), 0)
    one = ids(study)[0]
    asked = {"y": "2.5", "x": "3.0", "area": "1 4", "formula": "rate = 1/tau"}
    found: list = []
    for question, given in asked.items():
        found += kept(study, one, question, given)
    for measure, name in found:
        study = edits.add_measure(one, measure, name)(study)
    outcomes = measured_curve(study, one)
    assert [one_.problem for one_ in outcomes] == [""] * 4
    for (question, given), outcome in zip(asked.items(), outcomes, strict=True):
        (said, *_), _ = answer(study, one, question, given)
        (reading, *_) = outcome.readings
        number, _, u = said.whole.partition(": ")[2].partition(" (")[0].partition(" ± ")
        assert reading.value == pytest.approx(float(number), rel=1e-12), question
        assert reading.u == pytest.approx(float(u.split()[0]), rel=1e-9), question
    assert outcomes[3].readings[0].name == "rate"
    assert outcomes[3].readings[0].unit == "s^-1"
    for question, given, said in (
        ("y", "a", "not a number"), ("area", "1 2 3", "two values"), ("formula", "", "no formula"),
        ("extremum", "", "no maximum and no minimum"),
    ):  # fmt: skip
        with pytest.raises(cs.InputError, match=said):
            kept(study, one, question, given)
    (root,) = kept(study, one, "root", "")
    assert root[0].y == 0.0
    refused = edits.add_measure(one, root[0], root[1])(study)
    assert "does not reach y = 0" in measured_curve(refused, one)[4].problem


def test_formulas_of_readings_of_one_fit_against_draws_of_its_parameters():
    """u of ratios and sums through the covariance, against 20,000 draws of the parameters (JCGM 101)."""
    rng = np.random.default_rng(3)
    curve = cs.Curve(X, 5 * np.exp(-X / 1.5) + 1 + rng.normal(0, 0.05, X.size), x_unit="s", y_unit="MPa")
    model = Model().with_background("exponential", curve)
    measures = [
        {"measure": "fitted-value", "at": 0.5, "name": "early"}, {"measure": "fitted-value", "at": 1.0, "name": "late"},
        {"measure": "fitted-quantity", "formula": "amplitude", "name": "A"},
        {"measure": "fitted-quantity", "formula": "tau", "name": "T"},
        {"measure": "formula", "formula": "early/late"}, {"measure": "formula", "formula": "A/T"},
        {"measure": "formula", "formula": "early - late + 0.1*A"},
    ]  # fmt: skip
    recipe = Recipe(model=model, measures=Recipe.parse({"recipe": 1, "measures": measures}).measures)
    done = recipe(curve)
    result = done.fit
    center = [result.parameters[name].value for name in result.free]
    drawn = dict(zip(result.free, rng.multivariate_normal(center, result.covariance, 20_000).T, strict=True))

    def y(t: float) -> np.ndarray:
        return drawn["offset"] + drawn["amplitude"] * np.exp(-t / drawn["tau"])

    wanted = [y(0.5) / y(1.0), drawn["amplitude"] / drawn["tau"], y(0.5) - y(1.0) + 0.1 * drawn["amplitude"]]
    for outcome, draws in zip(done.outcomes[4:], wanted, strict=True):
        (reading,) = outcome.readings
        assert reading.value == pytest.approx(np.mean(draws), abs=3 * np.std(draws) / 100)
        assert reading.u == pytest.approx(np.std(draws), rel=0.03)
        assert "with their correlation" in outcome.sentence
    factor = factor_of(result)
    np.testing.assert_allclose(factor @ factor.T, result.covariance, rtol=1e-9, atol=0)
    # quantities are causes, too; one without u counts as exact
    given = [Quantity(name="w", value=2.0, u=0.1, unit="mm"), Quantity(name="n", value=4.0)]
    seen = Seen.of(curve, tuple(given), FitSeen(model, result, curve))
    formula = MeasureSlot(id="f", rule=parse_measure({"measure": "formula", "formula": "n*w^2/w"}))
    (one,) = taken([formula], seen)
    assert (one.readings[0].value, one.readings[0].u, one.readings[0].unit) == (
        pytest.approx(8.0), pytest.approx(0.4), "mm",
    )  # fmt: skip


def test_processes_read_what_one_reads(monkeypatch):
    study = fitted(study_of(6), 0, 3)
    for measure in ({"measure": "straight-part", "by": "found"}, {"measure": "fitted-area"}, {"measure": "area"},
                    {"measure": "formula", "formula": "area*Width"}):  # fmt: skip
        study = with_measures(study, measure)
    study = edits.share(ids(study)[0], "measures")(study)
    alone = {id_: [one.bare for one in measured_curve(study, id_)] for id_ in ids(study)}
    monkeypatch.setattr(many, "_WORTH_MEASURING", 0)
    jobs = []
    for id_ in ids(study):
        fit = study.fit(id_)
        curve = recorded(study, id_)
        seen = FitSeen(study.model(id_), fit.result, curve) if fit is not None else None
        jobs.append(many.MeasureJob(study.measures(id_), curve, len(curve), study.quantities(id_), seen))
    shares: list[float] = []
    for id_, found in zip(ids(study), many.measure_many(jobs, shares.append), strict=True):
        assert [(o.readings, o.sentence, o.problem) for o in found] == [
            (o.readings, o.sentence, o.problem) for o in alone[id_]
        ]
    assert shares[-1] == 1.0


def test_the_ledger_has_groups_looks_and_peaks():
    study = with_measures(study_of(5), {"measure": "straight-part", "high": 1.0}, {"measure": "area"})
    study = edits.share(ids(study)[0], "measures")(study)
    family = study.document.families[0]
    groups = {id_: "AB"[k % 2] for k, id_ in enumerate(ids(study)[:4])}
    study = edits.set_groups(groups, family.id, "Batch")(study)
    read = measure_curves(study, ids(study))
    ledger = ledger_of(study, study.document.families[0], read)
    assert [row.curve.group for row in ledger.rows] == ["A", "A", "B", "B", ""]
    assert [column.title for column in ledger.columns] == ["slope", "area"]
    assert [column.title for column in ledger.hidden] == ["intercept", "R²"]
    areas = [float(np.trapezoid(recorded(study, id_).y, X)) for id_ in ids(study)]
    for group, which in zip(ledger.groups(), ([0, 2], [1, 3], [0, 1, 2, 3, 4]), strict=True):
        inside = np.array(areas)[which]
        spread = group.columns[1]
        assert (spread.n, spread.mean) == (len(which), pytest.approx(inside.mean()))
        assert spread.s == pytest.approx(inside.std(ddof=1))
        low, high = stats.t.interval(0.95, len(which) - 1, inside.mean(), stats.sem(inside))
        assert spread.half == pytest.approx((high - low) / 2)
    # looks: another unit, title and order; a hidden column, and one that is shown though it stands aside
    area, slope = ReadingKey("area", "area"), ReadingKey("straight-part", "slope")
    squared = ReadingKey("straight-part", "r2")
    study = edits.look_of_column(family.id, area, [area, slope], unit="kPa*min", title="work")(study)
    study = edits.look_of_column(family.id, squared, shown=True)(study)
    looked = ledger_of(study, study.document.families[0], read)
    assert [column.heading for column in looked.columns] == ["work (kPa·min)", "slope (MPa·s⁻¹)", "R²"]
    assert looked.rows[0].cell(looked.columns[0]).value == pytest.approx(areas[0] * 1000 / 60)
    assert looked.rows[0].cell(looked.columns[0]).u == pytest.approx(
        ledger.rows[0].cell(ledger.columns[1]).u * 1000 / 60
    )
    hidden = edits.look_of_column(family.id, slope, shown=False)(study)
    assert [c.title for c in ledger_of(hidden, hidden.document.families[0], read).columns] == ["work", "R²"]
    odd = edits.look_of_column(family.id, area, unit="kg")(study)
    assert ledger_of(odd, odd.document.families[0], read).columns[0].heading == "work (MPa·s)", "of another kind: stays"
    with pytest.raises(cs.InputError, match="measure different things"):
        in_unit(ledger.rows[0].cell(ledger.columns[1]), "kg")
    # a column as a curve follows, in the unit that it was taken in
    column = LedgerColumn(key=area, unit="kPa*min")
    trend = edits.column_as_curve(family.id, LedgerColumn(), column, "work against temperature", "trend")(study)
    again = edits.change_measure(ids(trend)[0], "area", parse_measure({"measure": "area", "high": 7.77}))(trend)
    assert recorded_at_hand(again, "trend") is None, "its readings are not worked out while the window waits"
    assert sieved_if_quick(again, "trend") is None
    measure_curves(again, ids(again)[:5])
    assert len(recorded_at_hand(again, "trend")) == 5
    curve = recorded(trend, "trend")
    np.testing.assert_allclose(curve.y, np.array(areas) * 1000 / 60, rtol=1e-12)
    assert curve.u is not None
    moved = edits.add_step(ids(trend)[1], parse_step({"step": "scale", "by": "factor", "factor": 2.0}), "s")(trend)
    np.testing.assert_allclose(recorded(moved, "trend").y[1], areas[1] * 2000 / 60, rtol=1e-12)
    gone = edits.switch_measure(ids(trend)[0], "area", False)(trend)
    assert len(recorded(gone, "trend")) == 0
    # rows a peak
    x = np.linspace(0, 10, 300)
    y = 4 * np.exp(-((x - 3) ** 2)) + 2 * np.exp(-((x - 7) ** 2)) + 1
    record = Record(Source("p.csv", b"p"), (Channel("x", "nm", x), Channel("y", "V", y)))
    peaks = edits.add_curves(Study(), [(record, Take(0, 1))], "peaks")
    model = Model().with_background("constant", recorded(peaks, ids(peaks)[0]))
    for at in (3.0, 7.0):
        model = model.add_peak("gaussian", recorded(peaks, ids(peaks)[0]), at)
    peaks = edits.set_model(ids(peaks)[0], model)(peaks)
    peaks = edits.set_fit(ids(peaks)[0], fit_curve(peaks, ids(peaks)[0]))(peaks)
    by_peak = ledger_of(peaks, peaks.document.families[0], by="peak")
    assert [row.part for row in by_peak.rows] == [1, 2]
    assert [column.title for column in by_peak.columns][:3] == ["center", "height", "FWHM"]
    assert [row.cell(by_peak.columns[0]).value for row in by_peak.rows] == pytest.approx([3, 7], abs=1e-6)
    head, *rows = csv.reader(io.StringIO(written(peaks, [by_peak], ".csv").decode()))
    assert head[:3] == ["curve", "peak", "center (nm)"]
    assert [row[1] for row in rows] == ["1", "2"]


def test_ledgers_leave_in_five_formats_with_u_units_and_provenance(tmp_path):
    study = with_measures(study_of(4), {"measure": "area", "name": "work_&"}, {"measure": "lowest-point", "low": 90.0})
    study = edits.share(ids(study)[0], "measures")(study)
    groups = {id_: "AB"[k % 2] for k, id_ in enumerate(ids(study))}
    study = edits.set_groups(groups, study.document.families[0].id, "Batch")(study)
    read = measure_curves(study, ids(study))
    ledger = ledger_of(study, study.document.families[0], read)
    first = ledger.rows[0].cell(ledger.columns[0])
    notes = {id_: [one.problem for one in found if one.problem] for id_, found in read.items()}
    entries = json.loads(written(study, [ledger], ".json", notes))
    assert entries[0]["readings"][0] == {
        "name": "work_&", "symbol": "work_&", "part": 0, "value": first.value, "u": first.u, "unit": "MPa s",
        "method": "Area: start – end, over zero", "reference": "trapezium or Simpson's rule; JCGM 100:2008, 5.1.2",
    }  # fmt: skip
    assert entries[0]["group"] == "A"
    assert "no points between 90 and the end" in entries[0]["notes"][0]
    assert entries[0]["state"] == "1 reading failed"
    book = openpyxl.load_workbook(io.BytesIO(written(study, [ledger], ".xlsx")))
    assert book.sheetnames == ["films", "films groups", "provenance"]
    rows = list(book["films"].values)
    assert rows[0] == ("curve", "group", "temperature (°C)", "work_& (MPa s)", "u(work_&) (MPa s)", "state")
    assert rows[1][3:5] == (first.value, first.u)
    titles, *lines = book["provenance"].values
    about = [dict(zip(titles, line, strict=True)) for line in lines]
    assert about[0]["file"] == "film 0.csv"
    assert about[0]["sha256"] == study.record_of(ids(study)[0]).source
    assert (about[0]["points"], about[0]["steps"]) == (160, "as recorded")
    head, *lines = groups_table(ledger)
    assert head == ["group", "reading", "n", "mean", "s", "95 % interval: mean ±", "unit"]
    assert [line[0] for line in lines] == ["A", "B", "all"]
    text = to_text(study, ledger)
    assert "work_&: Area: start – end, over zero, 160 of 160 points of film 0.csv, as recorded" in text
    assert "A: mean(s)" in text
    latex = written(study, [ledger], ".tex").decode()
    assert r"work\_\& (MPa$\cdot$s)" in latex
    assert latex.count(r"\begin{tabular}") == latex.count(r"\end{tabular}") == 1
    assert latex_text("10⁻³ N·mm² ±5 % {a}\\") == r"10$^{-3}$ N$\cdot$mm$^{2}$ $\pm$5 \% \{a\}\textbackslash{}"
    assert len(readings_table(study, [ledger])) == 5
    with pytest.raises(cs.InputError, match="A ledger is written as"):
        written(study, [ledger], ".pdf")
    path = tmp_path / "films.sieve"
    save_study(study, path)
    for suffix in SUFFIXES:
        assert main(["run", str(path), "--out", str(tmp_path / f"ledger{suffix}")]) == 2, "one reading failed in each"
    assert (tmp_path / "ledger.txt").read_text(encoding="utf-8") == text
    assert json.loads((tmp_path / "ledger.json").read_text(encoding="utf-8")) == [
        entry | {"notes": [f"Lowest point: {note}" for note in entry["notes"]]} for entry in entries
    ]


def test_recipes_carry_measures_as_open_json_and_wrong_ones_say_where(tmp_path, capsys):
    measures = [
        {"measure": "straight-part", "high": 1.0, "name": "rise", "units": {"slope": "kPa/s"}},
        {"measure": "straight-part", "low": 5.0, "on": False}, {"measure": "formula", "formula": "rise*Width/mm"},
    ]  # fmt: skip
    recipe = Recipe.parse({"recipe": 1, "measures": measures})
    assert [(slot.id, slot.on) for slot in recipe.measures] == [
        ("straight-part", True), ("straight-part-2", False), ("formula", True),
    ]  # fmt: skip
    assert Recipe.parse(json.loads(json.dumps(recipe.to_json()))) == recipe
    for wrong, said in (
        ([{"measure": "nothing"}], "Measure 1 of the recipe: There is no measure 'nothing'"),
        ([{"measure": "area"}, {"measure": "area", "id": "area"}], "Measure 2 of the recipe: its id 'area' is that"),
        ([{"measure": "area", "hue": 3}], "Measure 1 of the recipe: Measure area: has no field 'hue'"),
        ([{"measure": "area", "units": 3}], "Measure 1 of the recipe: units"), ({"measure": "area"}, "must be a list"),
        ([3], "Measure 1 of the recipe: A measure must look like"),
    ):  # fmt: skip
        with pytest.raises(cs.InputError, match="(?s)" + said.replace("(", r"\(")):
            Recipe.parse({"recipe": 1, "measures": wrong})
    folder = tmp_path / "files"
    folder.mkdir()
    lines = "\n".join(f"{a:.6f},{b:.6f}" for a, b in zip(X, 2 * X + 1, strict=True))
    (folder / "one.csv").write_text(f"Width: 10.0(1) mm\nTime (s),Stress (MPa)\n{lines}\n", encoding="utf-8")
    path = tmp_path / "r.json"
    path.write_text(json.dumps(recipe.to_json()), encoding="utf-8")
    capsys.readouterr()
    assert main(["measure", str(folder / "one.csv"), "--recipe", str(path), "--json"]) == 0
    (entry,) = json.loads(capsys.readouterr().out)
    got = {r["name"]: (r["value"], r["unit"]) for r in entry["readings"]}
    assert got["rise"] == (pytest.approx(2000), "kPa s-1")
    assert got["result"][0] == pytest.approx(2000 * 10)
    given = ["--measure", "straight-part", "--set", "by=y range", "y_low=3", "--x", "1"]
    assert main(["measure", str(folder / "one.csv"), *given]) == 0
    assert float(capsys.readouterr().out.split("slope")[1].split()[0]) == pytest.approx(2)
    for words, said in (
        (["--measure", "area", "--recipe", str(path)], "either --recipe R.json or --measure SLUG"),
        (["--measure", "area", "--set", "low=x"], "Measure area: low must be a valid number"),
        (["--measure", "fitted-value"], "Fit at x: The curve has no fit that is current"),
        (["--measure", "formula", "--set", "formula=Depth*2", "--quantity", "width=3 mm"], "is called Depth"),
    ):
        assert main(["measure", str(folder / "one.csv"), *words]) == 2
        assert said in capsys.readouterr().err
    assert main(["measure", str(folder / "none.csv"), "--measure", "area", "--json"]) == 2
    (entry,) = json.loads(capsys.readouterr().out)
    assert entry["readings"] == []
    assert "none.csv" in entry["notes"][0]


def test_a_measure_that_fails_leaves_the_rest_and_no_measure_reads_what_a_fit_of_before_said():
    study = fitted(with_measures(study_of(), {"measure": "fitted-value", "at": 1.0}, {"measure": "area"}), 0)
    one = ids(study)[0]
    assert [bool(outcome.problem) for outcome in measured_curve(study, one)] == [False, False]
    moved = edits.add_step(one, parse_step({"step": "scale", "by": "factor", "factor": 2.0}), "s")(study)
    assert moved.fit_state(one) == "out of date"
    first, second = measured_curve(moved, one)
    assert first.problem == "The curve has no fit that is current; fit its model, then this is read off."
    assert second.readings[0].value == pytest.approx(2 * measured_curve(study, one)[1].readings[0].value)
    again = edits.set_fit(one, fit_curve(moved, one))(moved)
    assert measured_curve(again, one)[0].readings[0].value == pytest.approx(
        2 * measured_curve(study, one)[0].readings[0].value, rel=1e-6
    )


@pytest.mark.parametrize("scale", [1e-12, 1e-6, 1.0, 1e6, 1e12])
def test_laws_and_robust_lines_are_the_same_at_all_scales(scale):
    rng = np.random.default_rng(4)
    y = 5 * np.exp(-X / 1.5) + 1 + rng.normal(0, 0.02, X.size)
    y[::20] += 0.5
    here, there = cs.Curve(X, y), cs.Curve(X * scale, y / scale)
    plain = {r.quantity: r for r in cs.measure("straight-part", here, fit="robust")}
    for reading in cs.measure("straight-part", there, fit="robust"):
        factor = scale**-2 if reading.quantity == "slope" else 1 / scale
        assert reading.value == pytest.approx(plain[reading.quantity].value * factor, rel=1e-8)
        assert reading.u == pytest.approx(plain[reading.quantity].u * factor, rel=1e-6)
    law = {r.quantity: r for r in cs.measure("law-over-band", here, law="exponential", high=6)}
    powers = {"offset": -1, "amplitude": -1, "tau": 1, "half_life": 1, "r2": 0}
    for reading in cs.measure("law-over-band", there, law="exponential", high=6 * scale):
        wanted = law[reading.quantity].value * scale ** powers[reading.quantity]
        assert reading.value == pytest.approx(wanted, rel=1e-5), reading.quantity


def test_a_robust_line_is_hubers_estimate_and_its_u_that_of_draws():
    """Against SciPy's Huber loss at the scale that was found, and against 400 draws with outliers."""
    from scipy.optimize import least_squares

    rng = np.random.default_rng(6)
    x = np.linspace(0, 10, 80)
    found = []
    for _ in range(400):
        y = 2 * x + 1 + rng.normal(0, 0.3, x.size)
        y[::10] += rng.normal(0, 4, 8)
        slope, intercept = cs.measure("straight-part", cs.Curve(x, y), fit="robust")
        found.append((slope.value, slope.u, intercept.value, intercept.u))
    made = np.array(found)
    assert made[:, 1].mean() == pytest.approx(made[:, 0].std(), rel=0.12)
    assert made[:, 3].mean() == pytest.approx(made[:, 2].std(), rel=0.12)
    scale = np.median(np.abs(y - intercept.value - slope.value * x)) / 0.6745
    best = least_squares(lambda p: p[0] * x + p[1] - y, [2, 1], loss="huber", f_scale=1.345 * scale, xtol=1e-14)
    assert (slope.value, intercept.value) == (pytest.approx(best.x[0], rel=1e-5), pytest.approx(best.x[1], rel=1e-5))


def test_an_area_over_the_line_beside_is_that_over_a_fitted_line():
    rng = np.random.default_rng(7)
    x = np.linspace(0, 10, 400)
    clean = 3 * np.exp(-0.5 * ((x - 5) / 0.3) ** 2) + 0.4 * x + 2
    area = {"base": "line beside", "low": 3.5, "high": 6.5, "flank": 2.0}
    exact = cs.measure("area", cs.Curve(x, clean), **area)[0].value
    assert exact == pytest.approx(3 * 0.3 * math.sqrt(2 * math.pi), rel=5e-6), "a Gaussian on a slope"
    found, us = [], []
    for _ in range(300):
        y = clean + rng.normal(0, 0.05, x.size)
        (reading,) = cs.measure("area", cs.Curve(x, y), **area)
        found.append(reading.value)
        us.append(reading.u)
    assert np.mean(us) == pytest.approx(np.std(found), rel=0.12)
    inside, beside = (x >= 3.5) & (x <= 6.5), ((x >= 1.5) & (x < 3.5)) | ((x > 6.5) & (x <= 8.5))
    line = np.polynomial.Polynomial.fit(x[beside], y[beside], 1)
    assert found[-1] == pytest.approx(np.trapezoid(y[inside] - line(x[inside]), x[inside]), rel=1e-10)
    for fields, said in (({"low": 0.0, "high": 6.0}, "no point beside the band on the left"), ({}, "needs both ends")):
        with pytest.raises(cs.InputError, match=said):
            cs.measure("area", cs.Curve(x, y), base="line beside", **fields)


def test_every_measure_starts_with_fields_that_can_be_read_or_says_what_it_lacks():
    curve = cs.Curve(X, 5 * np.exp(-X / 1.5) + 1 + np.random.default_rng(1).normal(0, 0.02, X.size))
    lacking = {
        "formula": "The formula is empty", "of the fit": "The curve has no fit", "peaks": "The curve has no fit",
        "period": "", "band-gap": "X is in no unit",
        "width-at-share": "The highest point lies at the end of the band",
        "yield-point": "", "loops": "X turns back nowhere",
        "unloading": "The force does not fall", "hardening": "1 point between",
    }  # fmt: skip
    for slug in ("offset-yield", "proportional-limit", "total-proof", "elongation", "ramberg-osgood"):
        lacking[slug] = "No reading before this is called E"
    for slug, measure in registered_measures().items():
        (one,) = taken([MeasureSlot(id="m", rule=measure.fitted_to(curve))], Seen.of(curve))
        wanted = lacking.get(slug, lacking.get(measure.group))
        if wanted is None:
            assert not one.problem, (slug, one.problem)
        else:
            assert one.problem.startswith(wanted), (slug, one.problem)
    assert replace(curve, y=curve.y).digest == curve.digest


def test_differences_of_temperatures_are_in_kelvin_and_places_on_the_scale_are_not():
    x = np.linspace(0, 10, 200)
    warm = cs.Curve(x, np.where(x < 5, 20.0, 50.0) + 0.01 * np.sin(9 * x), x_unit="min", y_unit="°C")
    slots = [MeasureSlot(id=slug, rule=parse_measure({"measure": slug, **fields})) for slug, fields in (
        ("mean-and-scatter", {"high": 4.0}), ("step-height", {"at": 5.0, "reach": 2.0}), ("ends", {}),
    )]  # fmt: skip
    read = {r.name: r for one in taken(slots, Seen.of(warm)) for r in one.readings}
    assert {name: r.unit for name, r in read.items()} == {
        "mean": "°C", "deviation": "K", "median": "°C", "extent": "K", "step": "K", "first x": "min",
        "first y": "°C", "last x": "min", "last y": "°C",
    }  # fmt: skip
    assert read["step"].value == pytest.approx(30, abs=0.05)
    shown = [slot.model_copy(update={"units": {"mean": "K", "last-y": "°F"}}) for slot in slots]
    read = {r.name: r for one in taken(shown, Seen.of(warm)) for r in one.readings}
    assert read["mean"].value == pytest.approx(293.15, abs=0.01)
    assert read["last y"].value == pytest.approx(122, abs=0.05)
    assert read["mean"].u is not None
    wrong = slots[1].model_copy(update={"units": {"step": "°C"}})
    (one,) = taken([wrong], Seen.of(warm))
    assert one.problem == "Step in K may be a difference, and stays in K; it is asked for in °C."
    law = MeasureSlot(id="law", rule=parse_measure({"measure": "law-over-band", "high": 4.0}), units={"offset": "K"})
    (one,) = taken([law], Seen.of(warm))
    assert "may be a difference, and stays in °C" in one.problem
    fahrenheit = cs.Curve(x, np.where(x < 5, 20.0, 56.0), x_unit="min", y_unit="°F")
    (step,) = cs.measure("step-height", fahrenheit, at=5.0, reach=2.0)
    assert (step.value, step.unit) == (pytest.approx(20), "K")


def test_files_that_join_bring_their_own_quantities_and_groups(tmp_path):
    def film(name: str, batch: str, width: float) -> Path:
        rows = "\n".join(f"{a:.5f},{width * a:.5f}" for a in X)
        path = tmp_path / name
        path.write_text(f"Batch: {batch}\nWidth: {width} mm\nTime (s),Force (N)\n{rows}\n", encoding="utf-8")
        return path

    records = [cs.read(film(f"film {k}.csv", "AB"[k], 10.0 + k)) for k in range(2)]
    study = edits.add_curves(Study(), [(record, Take(0, 1)) for record in records], "films")
    study = with_measures(study, {"measure": "straight-part"}, {"measure": "formula", "formula": "slope/Width"})
    study = edits.share(ids(study)[0], "measures")(study)
    family = study.document.families[0]
    groups = {id_: line_of(study, id_, "Batch") for id_ in ids(study)}
    assert preamble_lines(study, ids(study)) == [], "lines that tell each curve from all others make no groups"
    study = edits.set_groups(groups, family.id, "Batch")(study)
    late = film("film 2.csv", "B", 13.0)
    joined = join_family(study, family.id, tables_like(study, family.id, load(late)))
    assert not joined.problems
    (new,) = joined.curves
    assert joined.study.entry(new).group == "B"
    assert preamble_lines(joined.study, ids(joined.study)) == ["Batch"]
    assert [r.value for one in measured_curve(joined.study, new) for r in one.readings][-1] == pytest.approx(1.0)
