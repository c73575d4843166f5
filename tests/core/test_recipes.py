"""Recipes: handed on as files, put to other curves and to tomorrow's files; `run` gives the window's ledger."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import numpy as np
import openpyxl
import pytest
from benchmarks.many import fitted_family

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.formats import tables
from curvesieve.core.formats.opening import load
from curvesieve.core.intake.library import PATTERN_FILES
from curvesieve.core.intake.pattern import guess
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model, OwnTerm
from curvesieve.core.recipe import RECIPE_FILES, Recipe
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import StepSlot, parse_step, registered_steps
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.afresh import computed_afresh, with_recipe
from curvesieve.core.study.joining import join_family, tables_like
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.ledger_tables import to_csv
from curvesieve.core.study.passing import recorded
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study
from curvesieve.demo.raman import file_text, spectrum


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    """The demo study with the recipe of its example shared by the family, and the folder of its files."""
    folder = tmp_path_factory.mktemp("demo")
    study = build_study(folder)
    example = study.document.curves[EXAMPLE].id
    shared = edits.share(example, "model")(edits.share(example, "sieve")(study))
    return computed_afresh(shared).study, folder


def rows_of(text: str) -> list[list[str]]:
    return list(csv.reader(io.StringIO(text)))


# -- files of recipes -------------------------------------------------------------------------------


def test_a_recipe_of_any_steps_and_terms_comes_back_from_its_file(demo, tmp_path):
    study, _ = demo
    example = study.document.curves[EXAMPLE].id
    curve = recorded(study, example)
    steps = tuple(StepSlot(id=f"s{i + 1}", rule=kind()) for i, kind in enumerate(registered_steps().values()))
    law = Model().with_background("own", curve, OwnTerm(formula="A*exp(-k*x)")).model_copy(
        update={"low": 1300.0, "gaps": ((1400.0, 1410.0),), "loss": "huber", "derived": (("half", "log(2)/k"),)}
    )  # fmt: skip
    for recipe in (study.recipe(example).made_for(curve), Recipe(sieve=steps, model=law), Recipe()):
        path = RECIPE_FILES.save(recipe, "Für Filme / 2", tmp_path)
        assert path.name == "Für-Filme-2.recipe.json"
        again = cs.Recipe.load(path)
        assert (again.model, again.x_unit, again.y_unit) == (recipe.model, recipe.x_unit, recipe.y_unit)
        assert [(s.rule, s.on, s.name) for s in again.sieve] == [(s.rule, s.on, s.name) for s in recipe.sieve]


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        ("[1]", "A recipe must look like"),
        ("{", "is no JSON file"),
        ('{"recipe": 2}', "version 2"),
        ('{"recipe": 1, "run": "x"}', "has no 'run'"),
        ('{"recipe": 1, "measures": [{"measure": "slope"}]}', "Measure 1 of the recipe: There is no measure 'slope'"),
        ('{"recipe": 1, "sieve": {"steps": [{"step": "explode"}]}}', "Step 1 of the sieve: There is no step 'explode'"),
        ('{"recipe": 1, "model": {"terms": [{"slug": "magic", "number": 1, "parameters": {}}]}}', "no term 'magic'"),
        ('{"recipe": 1, "model": {"terms": 3}}', "The model of the recipe: terms"),
        ('{"recipe": 1, "model": {"derived": [["a", 5]]}}', "The model of the recipe: derived"),
        (
            '{"recipe": 1, "model": {"terms": [{"slug": "own", "number": 0, "parameters": {},'
            ' "own": {"formula": "__import__(\'os\').system(\'x\')"}}]}}',
            "The model of the recipe",
        ),
        ('{"recipe": 1, "x_unit": 5}', "x_unit"),
    ],
)
def test_a_recipe_of_a_stranger_runs_nothing_and_says_what_is_wrong(tmp_path, text, sentence):
    path = tmp_path / "stranger.recipe.json"
    path.write_text(text)
    with pytest.raises(cs.InputError, match=sentence) as told:
        cs.Recipe.load(path)
    assert "stranger.recipe.json" in str(told.value)


def test_a_recipe_works_on_a_curve_by_itself_as_it_does_in_the_study(demo, tmp_path):
    study, folder = demo
    example = study.document.curves[EXAMPLE].id
    path = RECIPE_FILES.save(study.recipe(example).made_for(recorded(study, example)), "raman", tmp_path)
    done = cs.Recipe.load(path)(cs.read(folder / "loading-2p0wt.csv").curve())
    assert {(r.key, r.value, r.u, r.unit) for r in done.readings} == {
        (r.key, r.value, r.u, r.unit) for r in study.readings(example)
    }
    assert done.fit.converged
    assert done.readings[0].basis == study.fit(example).basis
    assert len(done.curve) == study.fit(example).passed
    np.testing.assert_array_equal(done.sieved.recorded.y, recorded(study, example).y)


def test_a_recipe_for_another_kind_of_curve_fails_on_that_curve_only():
    x = np.linspace(0, 10, 50)
    made = {
        "good": ("mm", "N", 3 + 2 * x), "seconds": ("s", "N", 3 + 2 * x), "metres": ("m", "N", 3 + 2 * x),
        "few": ("mm", "N", np.where(x < 9.9, np.nan, 1.0)), "kilo": ("mm", "kN", 3 + 2 * x),
    }  # fmt: skip
    records = [
        Record(Source(f"{name}.csv", name.encode()), (Channel("x", a, x), Channel("y", b, y)))
        for name, (a, b, y) in made.items()
    ]
    study = edits.add_curves(Study(), [(r, Take(0, 1)) for r in records], "mixed", labels=list(made))
    ids = {curve.label: curve.id for curve in study.document.curves}
    curve = recorded(study, ids["good"])
    recipe = Recipe(model=Model().with_background("line", curve)).made_for(curve)
    given = with_recipe(study, list(ids.values()), recipe)
    assert {study.entry(id_).label: said for id_, said in given.problems.items()} == {
        "seconds": "The recipe is for x in mm, but here x is in s; it is another kind of curve.",
        "metres": "The recipe is for x in mm, but here x is in m; convert it when it is brought in.",
        "kilo": "The recipe is for y in N, but here y is in kN; convert it when it is brought in.",
    }
    done = computed_afresh(given.study)
    assert done.study.fit_state(ids["good"]) == "fitted"
    assert "2 free parameters cannot be found from 1 point" in done.problems[ids["few"]]
    with pytest.raises(cs.InputError, match="for x in mm, but here x is in s"):
        recipe(recorded(study, ids["seconds"]))
    donor = Recipe.parse({"recipe": 1, "sieve": {"steps": [{"step": "combine", "donor": "blank"}]}})
    lacking = donor.model_copy(update={"model": recipe.model})
    one = with_recipe(done.study, [ids["good"]], lacking).study
    told = computed_afresh(one).problems[ids["good"]]
    assert "there is no curve 'blank'" in told.casefold()
    with pytest.raises(cs.InputError, match="There is no curve 'blank' here"):
        lacking(curve)
    assert with_recipe(study, [ids["kilo"]], Recipe(model=recipe.model)).problems == {}, "for no curve in particular"


@pytest.mark.parametrize(
    ("mine", "its", "alike"),
    [
        ("cm-1", "1/cm", True), ("N/mm2", "MPa", True), ("counts", "a.u.", True), ("", "counts", True),
        (" mm", "mm", True), ("mm", "m", False),
         ("°C", "K", False), ("%", "", False), ("counts", "V", False), ("", "s", False),
    ],
)  # fmt: skip
def test_units_are_alike_where_numbers_mean_the_same(mine, its, alike):
    curve = cs.Curve(np.arange(3.0), np.arange(3.0), x_unit=its)
    if alike:
        Recipe(x_unit=mine)(curve)
    else:
        with pytest.raises(cs.InputError, match=r"The recipe is for x in .*, but here x is in "):
            Recipe(x_unit=mine)(curve)


# -- files that join a family -----------------------------------------------------------------------


def written(folder, loading: float, seed: int = 77):
    made = spectrum(loading, seed)
    path = folder / made.file_name
    path.write_text(file_text(made), encoding="utf-8")
    return path, made


def test_tomorrows_files_are_done_as_the_last_ones_were(demo, tmp_path):
    study, _ = demo
    family = study.document.families[0]
    files = [written(tmp_path, loading) for loading in (3.0, 1.5)]
    found = [table for path, _ in files for table in tables_like(study, family.id, load(path))]
    joined = join_family(study, family.id, found)
    assert joined.problems == ()
    entries = [joined.study.entry(id_) for id_ in joined.curves]
    assert [(e.label, e.condition, e.shared) for e in entries] == [
        ("3.0 wt%", 3.0, ("sieve", "model")), ("1.5 wt%", 1.5, ("sieve", "model")),
    ]  # fmt: skip
    made = computed_afresh(joined.study)
    assert made.problems == {}
    for id_, (_, truth) in zip(joined.curves, files, strict=True):
        readings = {(r.part, r.quantity): r for r in made.study.readings(id_)}
        for number, peak in enumerate(truth.peaks, 1):
            center = readings[number, "center"]
            assert abs(center.value - peak.center) < 4 * center.u
    for id_ in family.curves:
        assert made.study.readings(id_) == study.readings(id_), "those that were there are as they were"


def test_files_that_do_not_fit_a_family_are_told_and_the_others_join(demo, tmp_path):
    study, folder = demo
    family = study.document.families[0]
    good, _ = written(tmp_path, 3.0)
    text = good.read_text()
    other = {
        "renamed.csv": (text.replace("Intensity", "Signal"), "renamed.csv has no channel 'Intensity'"),
        "unitless.csv": (text.replace(" (counts)", ""), "unitless.csv has Intensity in no unit"),
        "volts.csv": (text.replace("(counts)", "(V)"), "volts.csv: The unit “V”|volts.csv: “V”|volts.csv: The unit"),
        "nanometres.csv": (text.replace("(cm-1)", "(s)"), "nanometres.csv: “s” cannot be converted to “cm-1”"),
    }
    paths = [good, good]
    for name, (content, _) in other.items():
        (tmp_path / name).write_text(content)
        paths.append(tmp_path / name)
    paths.append(folder / "loading-2p0wt.csv")
    found = [table for path in paths for table in tables_like(study, family.id, load(path))]
    joined = join_family(study, family.id, found)
    assert [joined.study.entry(id_).label for id_ in joined.curves] == ["3.0 wt%"]
    assert len(joined.problems) == len(other) + 2
    assert joined.problems[0] == "loading-3p0wt.csv is in Raman by silver loading already.", "once is enough"
    for said, (_, sentence) in zip(joined.problems[1:], other.values(), strict=False):
        assert any(part in said for part in sentence.split("|")), said
    assert joined.problems[-1] == "loading-2p0wt.csv is in Raman by silver loading already."
    with pytest.raises(cs.InputError, match="no row of numbers"):
        tables_like(study, family.id, Source("words.txt", b"only words\nand more\n"))


def test_a_file_in_another_unit_of_the_kind_is_converted_and_a_condition_is_not_guessed(tmp_path):
    x = np.linspace(0, 10, 40)
    names = ["a", "b"]
    records = []
    for i, name in enumerate(names):
        channels = (Channel("Extension", "mm", x), Channel("Force", "N", (i + 2) * x + 1))
        records.append(Record(Source(f"{name}.csv", name.encode()), channels))
    study = edits.add_curves(
        Study(), [(r, Take(0, 1, None, "", "kN")) for r in records], "pulls", labels=names, conditions=[20.0, 40.0],
        condition=("temperature", "°C"),
    )  # fmt: skip
    path = tmp_path / "pull_60C.csv"
    path.write_text("Extension (cm),Force (kN)\n" + "".join(f"{a / 10},{3 * a / 1000}\n" for a in x))
    joined = join_family(
        study, study.document.families[0].id, tables_like(study, study.document.families[0].id, load(path))
    )
    (new,) = joined.curves
    curve = recorded(joined.study, new)
    assert (curve.x_unit, curve.y_unit) == ("mm", "kN")
    np.testing.assert_allclose(curve.x, x, atol=1e-9)
    np.testing.assert_allclose(curve.y, 3 * x / 1000, atol=1e-12)
    entry = joined.study.entry(new)
    assert (entry.condition, entry.label) == (None, "pull_60C"), "the names of the others say nothing of theirs"


@pytest.mark.parametrize(("unit", "found"), [("°C", 60.0), ("K", None)])
def test_a_condition_is_taken_off_a_name_in_the_unit_of_the_family_only(tmp_path, unit, found):
    x = np.linspace(0, 10, 40)
    channels = (Channel("Extension", "mm", x), Channel("Force", "N", 2 * x + 1))
    records = [Record(Source(f"pull_{t}C.csv", b"%d" % t), channels) for t in (20, 40)]
    study = edits.add_curves(
        Study(), [(r, Take(0, 1)) for r in records], "pulls", conditions=[20.0, 40.0], condition=("temperature", unit)
    )
    path = tmp_path / "pull_60C.csv"
    path.write_text("Extension (mm),Force (N)\n" + "".join(f"{a},{3 * a}\n" for a in x))
    family = study.document.families[0].id
    joined = join_family(study, family, tables_like(study, family, load(path)))
    assert joined.study.entry(joined.curves[0]).condition == found


def test_the_sheets_of_one_file_all_join_a_family_of_sheets(tmp_path):
    def book(name: str, sheets: dict[str, float]) -> Path:
        made = openpyxl.Workbook()
        made.remove(made.active)
        for title, slope in sheets.items():
            page = made.create_sheet(title)
            page.append(["Time (s)", "Force (N)"])
            for i in range(30):
                page.append([float(i), slope * i + 1])
        made.save(tmp_path / name)
        return tmp_path / name

    first = tables(load(book("one.xlsx", {"20C": 2.0, "40C": 4.0})))
    study = edits.add_curves(
        Study(), [(table.record, Take(0, 1)) for table in first], "pulls", labels=["20 °C", "40 °C"],
        conditions=[20.0, 40.0], condition=("temperature", "°C"),
    )  # fmt: skip
    family = study.document.families[0].id
    later = load(book("two.xlsx", {"60C": 6.0, "80C": 8.0}))
    joined = join_family(study, family, tables_like(study, family, later))
    assert joined.problems == ()
    assert [float(recorded(joined.study, id_).y[1]) for id_ in joined.curves] == [7.0, 9.0]
    again = join_family(joined.study, family, tables_like(joined.study, family, later))
    assert (again.curves, len(again.problems)) == ((), 2)


# -- run --------------------------------------------------------------------------------------------


def test_run_gives_the_windows_ledger_to_the_last_digit(demo, tmp_path, capsys):
    study, _ = demo
    path = tmp_path / "films.sieve"
    save_study(study, path)
    before = path.read_bytes()
    family = study.document.families[0]
    out = tmp_path / "ledger.csv"
    assert main(["run", str(path), "--family", family.label, "--out", str(out)]) == 0
    assert out.read_bytes().decode() == to_csv(ledger_of(study, family))
    assert path.read_bytes() == before, "the study is as it was"
    files = [written(tmp_path, loading)[0] for loading in (3.0, 1.5)]
    bad = tmp_path / "bad.csv"
    bad.write_text("a,b\n1,2\n2,3\n3,4\n")
    out = tmp_path / "ledger.json"
    assert main(["run", str(path), "--files", *map(str, files), str(bad), "--out", str(out)]) == 2
    err = capsys.readouterr().err.strip().splitlines()
    assert len(err) == 1
    assert "bad.csv has no channel" in err[0]
    found = json.loads(out.read_text())
    assert [one["curve"] for one in found if one["family"] == family.label] == [
        "0.0 wt%", "0.5 wt%", "1.0 wt%", "1.5 wt%", "2.0 wt%", "3.0 wt%", "4.0 wt%",
    ]  # fmt: skip
    assert all(one["state"] == "fitted" for one in found if one["family"] == family.label)
    told = next(one for one in found if one["curve"] == "2.0 wt%")["readings"]
    ours = study.readings(study.document.curves[EXAMPLE].id)
    assert [(r["part"], r["symbol"], r["value"], r["u"]) for r in told if r["u"] is not None] == [
        (r.part, r.symbol, r.value, r.u) for r in ours
    ]
    book = tmp_path / "ledger.xlsx"
    assert main(["run", str(path), "--out", str(book)]) == 0
    rows = list(openpyxl.load_workbook(book)["Raman by silver loading"].values)
    assert rows[0][:3] == ("curve", "loading (wt%)", "P1 center (cm-1)")
    center = next(r for r in study.readings(family.curves[0]) if (r.part, r.quantity) == (1, "center"))
    assert rows[1][2] == center.value


def test_what_cannot_be_computed_afresh_has_no_fit_of_before(demo):
    study, _ = demo
    one = study.document.families[0].curves[0]
    broken = edits.step_out(one, "sieve")(study)
    broken = edits.add_step(one, parse_step({"step": "keep-range", "low": 1.0, "high": 2.0}), "none")(broken)
    assert broken.fit_state(one) == "out of date"
    made = computed_afresh(broken)
    assert "The step Keep range does not work" in made.problems[one]
    assert (made.study.fit(one), made.study.fit_state(one)) == (None, "not fitted")


def test_run_computes_two_hundred_curves_to_the_last_digit(tmp_path, capsys):
    study = fitted_family(200)
    path = tmp_path / "many.sieve"
    save_study(study, path)
    bare = load_study(path)
    again = computed_afresh(bare).study
    assert [again.readings(c.id) for c in bare.document.curves] == [study.readings(c.id) for c in study.document.curves]
    out = tmp_path / "many.csv"
    assert main(["run", str(path), "--out", str(out)]) == 0
    with out.open(newline="") as file:
        assert list(csv.reader(file)) == rows_of(to_csv(ledger_of(study, study.document.families[0])))


def test_a_recipe_given_to_run_is_put_to_all_and_wrong_words_are_told(demo, tmp_path, capsys):
    study, _ = demo
    path = tmp_path / "films.sieve"
    save_study(study, path)
    example = study.document.curves[EXAMPLE].id
    model = study.model(example).without(3).without(2)
    recipe = Recipe(sieve=study.slots(example), model=model).made_for(recorded(study, example))
    kept = RECIPE_FILES.save(recipe, "one peak", tmp_path)
    assert main(["run", str(path), "--recipe", str(kept), "--out", str(tmp_path / "one.json")]) == 2
    err = capsys.readouterr().err.strip().splitlines()
    assert [line.split(":")[1].strip() for line in err] == ["30 % RH", "50 % RH", "70 % RH"]
    assert all("it is another kind of curve" in line for line in err)
    found = json.loads((tmp_path / "one.json").read_text())
    parts = {r["part"] for one in found if one["family"] == "Raman by silver loading" for r in one["readings"]}
    assert parts == {0, 1}
    for words, sentence in (
        (["run", str(path), "--out", "ledger.pdf"], "written as .csv, .xlsx, .json, .tex, .txt"),
        (["run", str(path), "--family", "Raman by silver loadin"], "did you mean 'Raman by silver loading'?"),
        (["run", str(tmp_path / "gone.sieve")], "gone.sieve"),
        (["run", str(path), "--recipe", str(path)], "films.sieve is no JSON file"),
        (["run", str(path), "--files", str(tmp_path / "gone.csv")], "gone.csv cannot be read"),
    ):
        assert main(words) == 2
        said = capsys.readouterr().err.strip()
        assert sentence in said
        assert "\n" not in said


def test_a_saved_pattern_reads_the_files_that_join(demo, tmp_path, monkeypatch):
    """The file says nothing of its unit; the pattern that the user keeps for its kind does."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    study, _ = demo
    family = study.document.families[0]
    good, _ = written(tmp_path, 3.0)
    bare = tmp_path / "loading-3p0wt.csv"
    bare.write_text(good.read_text().replace(" (counts)", ""))
    (table,) = tables_like(study, family.id, load(bare))
    pattern = guess(table)
    rules = tuple(r.model_copy(update={"unit": "counts"}) if r.name == "Intensity" else r for r in pattern.channels)
    pattern = pattern.model_copy(update={"name": "spectrometer", "channels": rules})
    PATTERN_FILES.save(pattern, pattern.name)
    assert join_family(study, family.id, [table]).curves == ()
    assert len(join_family(study, family.id, [table], [pattern]).curves) == 1
    path = tmp_path / "films.sieve"
    save_study(study, path)
    assert main(["run", str(path), "--files", str(bare), "--family", family.label]) == 0
