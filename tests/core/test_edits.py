"""Edits of a study against plain lists that are changed in place; the ledger, shared sieves and peaks in hand."""

from __future__ import annotations

import csv
import io
import zipfile

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import curvesieve as cs
from curvesieve.core.fitting import fit_model
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.models.areas import area_at_start, area_of, size_for_area
from curvesieve.core.models.drawing import base_under, height_of, model_lines, reshaped, residual, width_of
from curvesieve.core.models.library import TERMS
from curvesieve.core.models.placed import place
from curvesieve.core.models.starts import Data
from curvesieve.core.readings import fit_readings
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import Sieve, StepSlot
from curvesieve.core.steps.combine import Combine
from curvesieve.core.steps.level import Zero
from curvesieve.core.steps.repair import Despike
from curvesieve.core.steps.sieve import SIEVE_FILES
from curvesieve.core.steps.smooth import Smooth
from curvesieve.core.study import Study, edits, load_study, save_study, store
from curvesieve.core.study.document import Document
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.ledger import about_curve, ledger_of, provenance
from curvesieve.core.study.ledger_tables import to_csv, to_tabs
from curvesieve.core.study.passing import recorded, sieved_curve

X = np.linspace(0, 10, 60)


def gauss(height, center, fwhm):
    return height * np.exp(-4 * np.log(2) * ((X - center) / fwhm) ** 2)


def study_of(*conditions: float | None, unit: str = "N") -> Study:
    """One family; each curve has a Gaussian whose height is ten times its condition."""
    rng = np.random.default_rng(0)
    records = [
        Record(
            Source(f"{i}.csv", str(i).encode()),
            (Channel("t", "s", X), Channel("F", unit, gauss(10 * (c or 1), 5, 2) + 3 + rng.normal(0, 0.05, 60))),
        )
        for i, c in enumerate(conditions)
    ]
    return edits.add_curves(
        Study(), [(r, Take(0, 1)) for r in records], "strips", labels=[f"c{i}" for i in range(len(conditions))],
        conditions=conditions, condition=("loading", "wt%"),
    )  # fmt: skip


def ids(study: Study) -> list[str]:
    return [curve.id for curve in study.document.curves]


class Lists:
    """What edits should do, with lists that are changed in place: a step is [id, value, on, name]."""

    def __init__(self, curves: list[str]) -> None:
        self.curves = curves
        self.own: dict[str, list[list]] = {id_: [] for id_ in curves}
        self.shared: list[list] = []
        self.alone = dict.fromkeys(curves, True)

    def here(self, id_: str) -> list[list]:
        return self.own[id_] if self.alone[id_] else self.shared

    def change_sharing(self, kind: str, id_: str, study: Study) -> Study:
        steps = self.here(id_)
        if kind == "share":
            self.shared = [list(step) for step in steps]
            self.alone = dict.fromkeys(self.curves, False)
            self.own = {i: [] for i in self.curves}
            return edits.share(id_, "sieve")(study)
        if kind == "step in":
            self.alone[id_], self.own[id_] = False, []
            return edits.step_in(id_, "sieve")(study)
        if kind == "step out":
            self.own[id_], self.alone[id_] = [list(step) for step in steps], True
            return edits.step_out(id_, "sieve")(study)
        target = self.curves[(self.curves.index(id_) + 1) % 3]
        study = edits.copy_sieve(id_, [target])(study)
        self.own[target], self.alone[target] = [list(step) for step in steps], True
        for step, made in zip(self.own[target], study.slots(target), strict=True):
            assert made.id != step[0], "a copy is a step of its own"
            step[0] = made.id
        return study

    def change_step(self, kind: str, id_: str, one: list, n: int, study: Study) -> Study:
        steps = self.here(id_)
        if kind == "remove":
            steps.remove(one)
            return edits.remove_step(id_, one[0])(study)
        if kind == "change":
            one[1] = -1.0 - n
            return edits.change_step(id_, one[0], Zero(value=one[1]))(study)
        if kind == "switch":
            one[2] = not one[2]
            return edits.switch_step(id_, one[0], one[2])(study)
        if kind == "name":
            one[3] = f"mine {n}"
            return edits.name_step(id_, one[0], f"  mine {n} ")(study)
        steps.remove(one)
        steps.insert(min(max(n - 3, 0), len(steps)), one)
        return edits.move_step(id_, one[0], n - 3)(study)


KINDS = ("add", "add", "remove", "change", "switch", "move", "name", "share", "step in", "step out", "copy")


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.lists(st.tuples(st.sampled_from(KINDS), st.integers(0, 2), st.integers(0, 4)), max_size=14))
def test_any_run_of_edits_is_what_lists_changed_in_place_are(run):
    first = study = study_of(1.0, 2.0, 3.0)
    curves = ids(study)
    lists = Lists(curves)
    before = study.document.model_dump_json()
    for n, (kind, which, at) in enumerate(run):
        id_ = curves[which]
        steps = lists.here(id_)
        if kind == "add":
            study = edits.add_step(id_, Zero(value=float(n)), f"s{n}")(study)
            steps.append([f"s{n}", float(n), True, ""])
        elif kind in ("share", "step in", "step out", "copy"):
            study = lists.change_sharing(kind, id_, study)
        elif steps:
            study = lists.change_step(kind, id_, steps[at % len(steps)], n, study)
        for other in curves:
            assert [[s.id, s.rule.value, s.on, s.name] for s in study.slots(other)] == lists.here(other)
            assert study.shares(other, "sieve") == (not lists.alone[other])
    assert first.document.model_dump_json() == before, "the study that was edited is as it was"


def test_curves_records_and_families_go_together():
    study = study_of(1.0, 2.0)
    one, two = ids(study)
    record = study.record(study.record_of(one).id)
    twice = edits.add_curves(study, [(record, Take(0, 1)), (record, Take(1, 0))], "again")
    assert len(twice.document.records) == 3, "a record that comes twice in one go is kept once"
    assert [curve.label for curve in twice.document.curves[2:]] == ["0", "0"]
    assert len(twice.arrays) == len(study.arrays), "equal numbers are kept once"
    third = twice.document.curves[2].id
    less = edits.remove_curve(third)(twice)
    assert len(less.document.records) == 3, "another curve still uses it"
    less = edits.remove_curve(twice.document.curves[3].id)(less)
    assert (len(less.document.records), len(less.document.families)) == (2, 1), "the last one takes both along"
    alone = edits.remove_curve(one)(less)
    assert alone.document.families[0].curves == (two,)
    with pytest.raises(cs.InputError, match="is alone"):
        edits.share(two, "sieve")(alone)
    with pytest.raises(cs.InputError):
        edits.add_curves(study, [(record, Take(0, 1)), (record, Take(0, 0, where=(1, 1e9)))], "no rows")
    assert edits.rename_curve(one, "  new  ")(study).entry(one).label == "new"


# -- the ledger ------------------------------------------------------------------------------------


def fitted(study: Study, id_: str, *centers: float) -> Study:
    curve = sieved_curve(study, id_).curve
    model = Model().with_background("constant", curve)
    for at in centers:
        model = model.add_peak("gaussian", curve, at)
    study = edits.set_model(id_, model)(study)
    return edits.set_fit(id_, fit_curve(study, id_))(study)


def test_the_ledger_is_in_the_order_of_the_condition_with_all_digits():
    study = study_of(3.0, None, 0.5, 1.0)
    a, b, c, d = ids(study)
    for id_ in (a, c, b):
        study = fitted(study, id_, 5.0)
    study = edits.change_curve(d, lambda curve: curve.model_copy(update={"label": 'with, comma and "quote"'}))(study)
    ledger = ledger_of(study, study.document.families[0])
    assert [row.curve.id for row in ledger.rows] == [c, d, a, b], "no condition comes last"
    assert [row.state for row in ledger.rows] == ["fitted", "not fitted", "fitted", "fitted"]
    assert [column.key.quantity for column in ledger.columns] == ["center", "height", "fwhm", "area", "r2", "rmse"]
    assert [column.key.part for column in ledger.columns] == [1, 1, 1, 1, 0, 0]
    head, *rows = csv.reader(io.StringIO(to_csv(ledger)))
    assert head == [
        "curve", "loading (wt%)", "P1 center (s)", "u(P1 center) (s)", "P1 height (N)", "u(P1 height) (N)",
        "P1 FWHM (s)", "u(P1 FWHM) (s)", "P1 area (N s)", "u(P1 area) (N s)", "R²", "RMSE (N)", "state",
    ]  # fmt: skip
    assert [row[0] for row in rows] == ["c2", 'with, comma and "quote"', "c0", "c1"]
    assert [row[1] for row in rows] == ["0.5", "1.0", "3.0", ""]
    height = study.fit(a).result.parameters["height_1"]
    assert (float(rows[2][4]), float(rows[2][5])) == (height.value, height.u)
    assert float(rows[2][11]) == study.fit(a).result.statistics.rmse
    assert rows[1][2:-1] == [""] * 10
    assert {len(row) for row in rows} == {13}
    assert [line.split("\t") for line in to_tabs(ledger).splitlines()] == [head, *rows]
    whole = ledger_of(study, None)
    assert (whole.title, whole.condition, len(whole.rows)) == ("all curves", ("", ""), 4)


def test_columns_that_would_have_one_heading_are_told_apart_by_unit_and_number():
    study = study_of(1.0, 2.0)
    one, two = ids(study)
    study = fitted(study, one, 5.0)
    milli = edits.set_sieve(two, (StepSlot(id="k", rule=cs.Sieve.parse({"steps": [SCALE]}).slots[0].rule),))(study)
    milli = fitted(milli, two, 5.0)
    ledger = ledger_of(milli, milli.document.families[0])
    heights = [column.heading for column in ledger.columns if column.key.quantity == "height"]
    assert heights == ["P1 height (N)", "P1 height (mN)"]
    first, second = (column for column in ledger.columns if column.key.quantity == "height")
    assert ledger.rows[0].cell(second) is None
    assert ledger.rows[1].cell(first) is None
    assert ledger.rows[1].cell(second).value == pytest.approx(20_000, rel=0.02)


SCALE = {"step": "scale", "by": "unit", "unit": "mN"}


def test_what_a_number_comes_from_is_said_beside_it():
    study = study_of(1.0, 2.0)
    one, two = ids(study)
    study = edits.add_step(one, Smooth(window=5), "s")(study)
    study = edits.add_step(one, Zero(by="value", value=1.0), "off")(study)
    study = fitted(edits.switch_step(one, "off", False)(study), one, 5.0)
    said = provenance(study, study.entry(one), study.readings(one)[1])
    assert "0.csv" in said
    assert "Smooth" in said
    assert "Zero" not in said, "a step that is off did nothing"
    about = dict(about_curve(study, one))
    assert about["source"] == "0.csv"
    assert about["sha256"] == study.document.records[0].source
    assert "window 5" in about["steps"]
    assert f"height_1 {study.fit(one).result.values['height_1']!r}" in about["fitted"]
    assert "fitted" not in dict(about_curve(study, two))


# -- files -----------------------------------------------------------------------------------------


def test_a_study_that_is_too_large_is_refused_before_it_is_unpacked(tmp_path, monkeypatch):
    path = tmp_path / "a.sieve"
    save_study(study_of(1.0), path)
    assert load_study(path).document.curves[0].label == "c0"
    size = sum(member.file_size for member in zipfile.ZipFile(path).infolist())
    count = len(zipfile.ZipFile(path).infolist())
    json_size = zipfile.ZipFile(path).getinfo("study.json").file_size
    limits = {"MAX_UNPACKED_BYTES": size, "MAX_ENTRIES": count, "MAX_JSON_BYTES": json_size}
    for name, exact in limits.items():
        with monkeypatch.context() as patch:
            patch.setattr(store, name, exact)
            load_study(path)
            patch.setattr(store, name, exact - 1)
            with pytest.raises(cs.InputError, match=r"too (much|large)"):
                load_study(path)


def test_sieves_are_saved_by_name_and_read_back(tmp_path):
    sieve = Sieve(
        (StepSlot(id="a", rule=Smooth(window=7)), StepSlot(id="b", rule=Zero(value=2.5), on=False, name="mine"))
    )
    path = SIEVE_FILES.save(sieve, "Für Filme / 2", tmp_path / "mine")
    assert path.name == "Für-Filme-2.sieve.json"
    assert list(SIEVE_FILES.paths(tmp_path / "mine").values()) == [path]
    import json

    again = Sieve.parse(json.loads(path.read_text()))
    assert [(s.rule, s.on, s.name) for s in again.slots] == [(s.rule, s.on, s.name) for s in sieve.slots]
    with pytest.raises(cs.InputError, match="needs a name"):
        SIEVE_FILES.save(sieve, " // ", tmp_path)
    assert SIEVE_FILES.paths(tmp_path / "none") == {}


# -- peaks in hand ---------------------------------------------------------------------------------

PEAKS = [slug for slug, term in TERMS.items() if term.shape is not None]


@pytest.mark.parametrize("slug", PEAKS)
@pytest.mark.parametrize("scale", [1e-12, 1.0, 1e12])
def test_a_peak_dragged_has_the_place_height_and_width_it_was_dragged_to(slug, scale):
    x = np.linspace(20, 40, 4001)
    bell = 7.0 * scale * np.exp(-4 * np.log(2) * ((x - 30) / 3) ** 2)
    start = place(slug, 1, Data(x, bell, 30.0))
    moved = reshaped(start, 31.0, 4.0 * scale, 2.0)
    model = Model.model_construct(terms=(moved,))
    y = model.sum.evaluate(x, list(model.start.values()))
    assert height_of(moved) == pytest.approx(4.0 * scale, rel=1e-9)
    assert np.interp(moved.parameters["center"].start, x, y) == pytest.approx(4.0 * scale, rel=1e-4)
    assert moved.parameters["center"].start == 31.0
    assert width_of(moved) == pytest.approx(2.0, rel=1e-6)
    top = np.argmax(y)
    half = y >= y[top] / 2
    seen = x[half][-1] - x[half][0]
    if slug not in ASYMMETRIC:
        assert seen == pytest.approx(2.0, abs=0.02)
    area = area_of(moved)
    assert (area is None) == (TERMS[slug].shape.size == "area" or "area" not in {d.name for d in TERMS[slug].derived})
    if area is not None:
        name, size = size_for_area(moved, 3 * area_at_start(moved))
        assert name == TERMS[slug].shape.size
        assert size == pytest.approx(3 * moved.parameters[name].start, rel=1e-9)


ASYMMETRIC = {slug for slug in PEAKS if len(TERMS[slug].parameters) > 3}


def test_lines_drawn_of_a_model_add_up():
    curve = cs.Curve(X, gauss(8, 3, 1) + gauss(4, 7, 2) + 2)
    model = Model().with_background("constant", curve).add_peak("gaussian", curve, 3).add_peak("gaussian", curve, 7)
    lines = model_lines(model, curve)
    starts = model.start

    def peak(n, at):
        height, center, fwhm = (starts[f"{name}_{n}"] for name in ("height", "center", "fwhm"))
        return height * np.exp(-4 * np.log(2) * ((at - center) / fwhm) ** 2)

    assert base_under(model, 1) == pytest.approx(starts["offset"] + peak(2, starts["center_1"]), rel=1e-9)
    at, rest = residual(model, curve)
    np.testing.assert_array_equal(at, X)
    np.testing.assert_allclose(rest, curve.y - peak(1, X) - peak(2, X) - starts["offset"], atol=1e-9)
    few_x, few = residual(model.model_copy(update={"low": 2.0, "high": 8.0}), curve, most=12)
    inside = X[(X >= 2) & (X <= 8)]
    np.testing.assert_array_equal(few_x, inside[:: max(1, inside.size // 12)])
    assert few.size == few_x.size
    assert model_lines(Model(), curve) is None
    np.testing.assert_allclose(lines.total, peak(1, lines.x) + peak(2, lines.x) + starts["offset"], rtol=1e-12)
    np.testing.assert_allclose(lines.background, starts["offset"])
    for number, drawn in lines.peaks:
        np.testing.assert_allclose(drawn, peak(number, lines.x) + starts["offset"], rtol=1e-12)
    assert (np.diff(lines.x) >= 0).all()
    assert (lines.x[0], lines.x[-1]) == (0.0, 10.0)


def family_of(count: int, label: str, condition: tuple[str, str], study: Study | None = None) -> Study:
    x = np.linspace(0, 1, 12)
    chosen = []
    for i in range(count):
        channels = (Channel("x", "", x), Channel("y", "", x + i + len(label)))
        chosen.append((Record(Source(f"{label}{i}.csv", f"{label}{i}".encode()), channels), Take(0, 1)))
    values = [float(i) for i in range(count)]
    return edits.add_curves(study or Study(), chosen, label, conditions=values, condition=condition)


def test_curves_move_with_what_is_done_to_them():
    study = family_of(2, "one", ("T", "K"), family_of(3, "loaded", ("F", "N"), family_of(3, "heated", ("T", "K"))))
    heated, loaded, one = study.document.families
    study = edits.share(heated.curves[0], "sieve")(edits.add_step(heated.curves[0], Despike(), "s")(study))
    before = {curve.id: sieved_curve(study, curve.id).curve.y for curve in study.document.curves}
    moved = edits.move_curves([heated.curves[0], one.curves[1]], loaded.id)(study)
    assert [family.curves for family in moved.document.families] == [
        heated.curves[1:],
        (*loaded.curves, heated.curves[0], one.curves[1]),
        one.curves[:1],
    ]
    assert moved.entry(heated.curves[0]).condition is None
    assert moved.entry(heated.curves[0]).shared == ()
    same = edits.move_curves([heated.curves[2]], one.id)(study)
    assert same.entry(heated.curves[2]).condition == 2.0, "K stays K"
    alone = edits.move_curves(one.curves, "")(study)
    assert [family.label for family in alone.document.families] == ["heated", "loaded"], "an empty family goes"
    made = edits.new_family([heated.curves[1], one.curves[0]], "warm")(study)
    assert made.document.families[-1].curves == (heated.curves[1], one.curves[0])
    assert made.document.families[-1].unit == "K"
    mixed = edits.new_family([heated.curves[1], loaded.curves[0]], "mixed")(study)
    assert mixed.document.families[-1].condition == ""
    assert mixed.entry(loaded.curves[0]).condition is None
    for changed in (moved, same, alone, made, mixed):
        assert {curve.id for curve in changed.document.curves} == set(before)
        for id_, y in before.items():
            np.testing.assert_array_equal(sieved_curve(changed, id_).curve.y, y)
    assert edits.move_curves(loaded.curves, loaded.id)(study) is study
    with pytest.raises(cs.InputError, match="needs a name"):
        edits.new_family(one.curves, " ")
    with pytest.raises(cs.InputError, match="needs a name"):
        edits.rename_family(one.id, "")


def test_keys_are_those_of_the_parts_however_they_are_kept():
    """What is kept by the objects must be what hashing everything anew would give."""
    study = family_of(4, "heated", ("T", "K"))
    ids = [curve.id for curve in study.document.curves]
    study = edits.share(ids[0], "sieve")(edits.add_step(ids[0], Despike(), "s")(study))
    study = edits.step_out(ids[3], "sieve")(study)
    study = edits.add_step(ids[3], Combine(donor=study.entry(ids[1]).label), "c")(study)
    states = []
    for change in (
        lambda s: s,
        edits.change_step(ids[0], "s", Despike(threshold=9.0)),
        edits.switch_step(ids[0], "s", False),
        edits.rename_curve(ids[2], "renamed"),
        edits.set_model(ids[2], Model(low=0.2)),
    ):
        study = change(study)
        kept = [study.fit_key(id_) for id_ in ids]
        anew = Study(Document.model_validate_json(study.document.model_dump_json()), study.arrays, study.sources)
        assert [anew.fit_key(id_) for id_ in ids] == kept
        assert [recorded(anew, id_).digest for id_ in ids] == [study.digest(id_) for id_ in ids]
        states.append(kept)
    assert all(a != b for a, b in zip(states[0], states[1], strict=True)), "shared, and taken from"
    assert states[2] == states[3], "a name changes no number"
    assert [a == b for a, b in zip(states[3], states[4], strict=True)] == [True, True, False, True]


def test_references_mean_the_same_curve_when_others_come_and_go():
    study = family_of(1, "b", ("", ""), family_of(1, "a", ("", "")))
    first, second = (curve.id for curve in study.document.curves)
    study = edits.rename_curve(second, "a0")(study)
    assert study.entry(first).label == "a0"
    names = study.names
    assert list(names) == ["a0 · a", "a0 · b"]
    reference = names["a0 · b"].reference
    assert study.named(reference) == second
    assert edits.move_curves([second], study.document.families[0].id)(study).named(reference) == second
    gone = edits.remove_curve(first)(study)
    assert gone.named(reference) == second
    assert list(gone.names) == ["a0"]
    assert edits.remove_curve(second)(study).named(reference) == first, "by its label, as in another study"
    assert study.named("a0") == first
    assert study.named("nothing [x]") is None


def test_a_peak_without_a_finite_area_is_given_none():
    """∫ (1 + x²)^(−m) dx has no value at m = 1/2: no height makes it 2.5, and 0 would be a silent answer."""
    curve = cs.Curve(np.linspace(0, 10, 50), np.exp(-((np.linspace(0, 10, 50) - 5) ** 2)))
    placed = Model().add_peak("pearson", curve, 5.0).peaks[0]
    size, value = size_for_area(placed.with_starts({"shape": 2.0}), 2.5)
    assert area_at_start(placed.with_starts({"shape": 2.0, size: value})) == pytest.approx(2.5)
    for shape in (0.5, 0.25):
        with pytest.raises(cs.InputError, match="no finite area with the shape that it has"):
            size_for_area(placed.with_starts({"shape": shape}), 2.5)


@pytest.mark.parametrize("shape", [0.3, 0.5])
def test_a_fit_with_heavy_tails_reads_no_area(shape):
    rng = np.random.default_rng(0)
    x = np.linspace(0, 20, 200)
    curve = cs.Curve(x, 10 / (1 + ((x - 10) / 2) ** 2) + rng.normal(0, 0.1, 200))
    model = Model().with_background("line", curve).add_peak("pearson", curve, 10.0)
    model = model.replaced(model.peaks[0].with_state("shape", start=shape, hold=True))
    area = next(r for r in fit_readings(model, fit_model(model, curve), "", "") if r.quantity == "area")
    assert np.isnan(area.value)
    assert area.u is None
