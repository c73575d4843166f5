"""Fields in a study: what they depend on, their slices as curves, edits that are refused, pages that print them."""

from __future__ import annotations

import csv
import io
import shutil
import subprocess
import sys

import numpy as np
import pytest
from PIL import Image

from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import GridSpec
from curvesieve.core.fields.reads import parse_field_measure
from curvesieve.core.fields.slices import SliceSpec
from curvesieve.core.fields.steps import parse_field_step
from curvesieve.core.fields.surface import Filling
from curvesieve.core.fields.ways import parse_way
from curvesieve.core.figures.fonts import SHIPPED
from curvesieve.core.figures.offers import offers_of_field, pieces
from curvesieve.core.figures.parts import part_rows, with_part
from curvesieve.core.figures.writing import beside, page_of, save
from curvesieve.core.formats import read
from curvesieve.core.intake.take import Take
from curvesieve.core.report.blocks import report_of_study
from curvesieve.core.report.study_writing import study_report_written
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study import fields as core
from curvesieve.core.study.field_ledger import field_ledger
from curvesieve.core.study.field_parts import FieldLook, OfChannels, OfDifference, OfFamily, OfFormula
from curvesieve.core.study.passing import giver, recorded, sieved_curve, source_problem
from curvesieve.demo.fields import thickness, write_fields


@pytest.fixture(scope="module")
def record(tmp_path_factory):
    return read(write_fields(tmp_path_factory.mktemp("fields"))[0])


@pytest.fixture
def study(record):
    made = edits.add_field_of(record, OfChannels(record="", x=0, y=1, z=2), "thickness", "f")(Study())
    return edits.change_field(
        "f", filling=Filling(way=parse_way({"way": "linear"}), grid=GridSpec(columns=31, rows=31))
    )(made)


def sliced(study, *at):
    specs = [SliceSpec(along="x", at=one) for one in at]
    return edits.slices_as_family("f", specs, [f"y = {one}" for one in at], ("y", "mm"), "slices")(study)


def test_whatever_a_field_depends_on_changes_its_key_and_its_slices_and_nothing_else_does(study):
    study = sliced(study, -3.0, 2.0)
    curve = study.document.families[0].curves[1]
    keys = {study.field_key("f")}
    before = recorded(study, curve)
    for change in (
        {"filling": study.field("f").filling.model_copy(update={"way": parse_way({"way": "nearest"})})},
        {"filling": study.field("f").filling.model_copy(update={"scaled": True})},
        {"filling": study.field("f").filling.model_copy(update={"reach": 1.0})},
        {"source": study.field("f").source.model_copy(update={"x": 1, "y": 0})},
    ):
        made = edits.change_field("f", **change)(study)
        keys.add(made.field_key("f"))
        assert made.digest(curve) != study.digest(curve)
    step = parse_field_step({"step": "factor-field", "factor": 2.0})
    doubled = edits.field_step("f", step)(study)
    assert recorded(doubled, curve).y == pytest.approx(2 * before.y)
    keys.add(doubled.field_key("f"))
    assert len(keys) == 6
    off = doubled.field("f").sieve[0].model_copy(update={"on": False})
    assert edits.change_field("f", sieve=(off,))(doubled).field_key("f") == study.field_key("f")
    (entry,) = study.document.records
    turned = (entry.channels[1], entry.channels[0], *entry.channels[2:])
    swapped = tuple(
        one.model_copy(update={"array": other.array}) for one, other in zip(entry.channels, turned, strict=True)
    )
    others = study.with_document(records=(entry.model_copy(update={"channels": swapped}),))
    assert others.field_key("f") != study.field_key("f"), "the same names, other numbers"
    looked = edits.change_field("f", look=FieldLook(shows="u"), name="other")(study)
    assert looked.field_key("f") == study.field_key("f")
    assert recorded(looked, curve) is before


def test_slices_keep_their_place_in_steps_fits_and_files(study, tmp_path):
    study = sliced(study, 0.0)
    (curve,) = study.document.families[0].curves
    assert study.origin(curve) == "slice of thickness"
    found = sieved_curve(study, curve).curve
    assert found.y == pytest.approx(thickness(found.x, 0.0), abs=1.5)
    assert (found.x_unit, found.y_unit, found.y_label) == ("mm", "µm", "thickness")
    save_study(study, tmp_path / "a.sieve")
    again = load_study(tmp_path / "a.sieve")
    assert again.document == study.document
    assert recorded(again, curve).y == pytest.approx(found.y)
    assert recorded(again, curve).u == pytest.approx(found.u)


def test_reports_say_what_was_done_to_the_field_of_a_slice(study):
    study = edits.field_step("f", parse_field_step({"step": "level-field", "degree": 2}))(sliced(study, 0.0))
    text = study_report_written(report_of_study(study), ".html").decode()
    assert "thickness-map.csv (points of the field thickness)" in text
    assert study.document.records[0].source in text
    assert "a polynomial surface of degree 2 was taken out" in text
    assert "planes over Delaunay" in text


def test_the_ledger_of_fields_has_a_column_a_unit_and_a_problem_where_nothing_is_read(study):
    study = edits.add_field(OfFormula(formula="x + y"), "plane", "g")(study)
    study = edits.add_field(OfFormula(formula="1/(x-x)"), "nothing", "h")(study)
    for id_ in ("f", "g", "h"):
        study = edits.field_measure(id_, parse_field_measure({"measure": "field-mean"}))(study)
    ledger = field_ledger(study, giver(study))
    assert [one.heading for one in ledger.columns] == ["mean (µm)", "s (µm)", "A (mm²)", "mean", "s", "A"]
    first, second, third = ledger.rows
    assert ledger.columns[0].of(first).value == pytest.approx(81, abs=1)
    assert ledger.columns[0].of(second) is None, "a number without a unit is no number of µm"
    assert ledger.columns[3].of(second).value == pytest.approx(1.0)
    assert "no row has a number" in third.problem
    assert len(ledger.lines()) == 1 + 6


def test_what_is_in_use_is_not_taken_away_and_what_is_gone_is_said(study):
    used = sliced(study, 0.0)
    (curve,) = used.document.families[0].curves
    with pytest.raises(InputError, match="off the shelf first"):
        edits.remove_field("f")(used)
    assert not edits.remove_field("f")(study).document.records
    kept = edits.remove_curve(curve)(used)
    assert kept.document.records, "the field still needs its record"
    gone = used.with_document(fields=())
    assert "not in the study any more" in source_problem(gone, curve)
    no_record = study.with_document(records=())
    with pytest.raises(InputError, match="record that this field is made of"):
        core.filled(no_record, "f", giver(no_record))
    source = OfChannels(record=study.document.records[0].id, x=0, y=1, z=9)
    wrong = edits.change_field("f", source=source)(study)
    with pytest.raises(InputError, match="no such channel"):
        core.filled(wrong, "f", giver(wrong))
    with pytest.raises(InputError, match="needs a name"):
        edits.name_field("f", " ")
    two = edits.add_field(OfFormula(formula="x"), "product", "g")(study)
    with pytest.raises(InputError, match="already"):
        edits.name_field("g", "thickness")(two)
    like = edits.change_field("g", filling=Filling(grid=GridSpec(like="f")))(two)
    with pytest.raises(InputError, match="remove that first"):
        edits.remove_field("f")(like)
    with pytest.raises(InputError, match="no slice"):
        edits.slices_as_family("f", [], [], ("y", "mm"))


def test_fields_in_a_circle_are_refused_and_grids_of_others_taken(study):
    two = edits.add_field(OfFormula(formula="x+y", x=(-9, 9), y=(-9, 9), columns=11, rows=11), "plane", "g")(study)
    like = edits.change_field("f", filling=Filling(way=parse_way({"way": "linear"}), grid=GridSpec(like="g")))(two)
    grid = core.filled(like, "f", giver(like)).grid
    assert grid.x == pytest.approx(np.linspace(-9, 9, 11))
    both = edits.change_field("g", filling=Filling(way=parse_way({"way": "linear"}), grid=GridSpec(like="f")))(like)
    with pytest.raises(InputError, match="each that of the other"):
        core.filled(both, "f", giver(both))
    circle = edits.add_field(OfDifference(first="f", second="h"), "less", "h")(study)
    with pytest.raises(InputError, match="made of itself"):
        core.prepared(circle, "h", giver(circle))


def test_a_family_made_of_slices_of_a_field_made_of_it_is_a_circle_that_is_said(record):
    study = edits.add_curves(Study(), [(record, Take(0, 2)), (record, Take(0, 2))], "family", conditions=[1.0, 2.0])
    family = study.document.families[0]
    study = edits.add_field(OfFamily(family=family.id), "of the family", "f")(study)
    points = core.prepared(study, "f", giver(study)).points
    assert set(points.y) == {1.0, 2.0}
    study = sliced(study, 1.0)
    curve = study.document.families[-1].curves[0]
    assert len(recorded(study, curve))
    into = edits.move_curves([curve], family.id)(study)
    assert "made of itself" in source_problem(into, curve)


@pytest.mark.parametrize("shows", ["map", "lines", "surface", "slices"])
def test_a_page_of_a_field_is_drawn_again_by_its_script(study, tmp_path, shows):
    offers = {one.spec.panels[0].contents[0].shows: one for one in offers_of_field(study, "f")}
    spec = offers[shows].spec
    page = page_of(study, spec)
    assert not page.said
    (tmp_path / "f.png").write_bytes(save(page, ".png", 100))
    for path, content in beside(page, "f", tmp_path / "f.csv", 100, True).items():
        path.write_bytes(content)
    for font in SHIPPED.glob("*.ttf"):
        shutil.copy(font, tmp_path)
    subprocess.run([sys.executable, str(tmp_path / "f.py"), "again.png"], check=True, cwd=tmp_path)
    ours, again = (
        np.asarray(Image.open(tmp_path / name).convert("RGB")).astype(int) for name in ("f.png", "again.png")
    )
    assert np.abs(ours - again).max() <= 2
    assert len(np.unique(ours.reshape(-1, 3), axis=0)) > 20
    columns = next(csv.reader(io.StringIO((tmp_path / "f.csv").read_text())))
    assert any("thickness" in name for name in columns)
    for suffix in (".svg", ".pdf"):
        assert len(save(page, suffix)) < 5_000_000


def test_pieces_parts_and_every_field_of_a_field_on_a_page(study):
    found = [one for one in pieces(study) if one.group == "Fields"]
    assert len(found) == 4
    spec = offers_of_field(study, "f")[0].spec
    assert next(row for row in part_rows(study, spec) if row.id == "content 0 0").about == "thickness, map"
    for name, values in {
        "shows": ("map", "lines", "surface", "slices"), "banded": (False, True), "lines": (False, True),
        "named": (False,), "points": (True, False), "bar": (False, True), "turn": (0.0, 179.0), "tilt": (2.0, 90.0),
        "height": (0.01, 5.0),
    }.items():  # fmt: skip
        for value in values:
            changed = with_part("content 0 0", **{name: value})(spec)
            page = page_of(study, changed)
            assert not page.said, (name, value, page.said)
            save(page, ".png", 72)
    with pytest.raises(InputError):
        with_part("content 0 0", tilt=120.0)(spec)
    gone = page_of(study.with_document(fields=()), spec)
    assert any("not in the study any more" in one for one in gone.said)
