"""Recipes by hand: shared with a family, put to tomorrow's files, kept, opened, given away as a script."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

from curvesieve.app.panels.shelf.rows import ROW
from curvesieve.app.session.desk import View
from curvesieve.cli import main
from curvesieve.core.recipe import Recipe
from curvesieve.core.steps.repair import Despike
from curvesieve.core.study import edits, load_study
from curvesieve.core.study.ledger import ledger_of
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study
from curvesieve.demo.raman import file_text, spectrum
from tests.app.gestures import CTRL, LEFT, PLAIN, click_cell, menu_behind, open_menu, take, type_into


@pytest.fixture
def demo(window, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    w.session.look(View(w.session.study.document.curves[EXAMPLE].id))
    return w


def can_be_done(button) -> list[str]:
    menu = menu_behind(button)
    found = [action.text() for action in menu.actions() if action.isEnabled() and action.text()]
    menu.close()
    QApplication.processEvents()
    return found


def drop_on_row(w, row: int, paths: list[Path]) -> None:
    """Drops files on a row of the shelf, as a file manager does."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    viewport, action = w.shelf.list.viewport(), Qt.DropAction.CopyAction
    at = w.shelf.list.visualRect(w.shelf.model.index(row)).center()
    QApplication.sendEvent(viewport, QDragEnterEvent(at, action, data, LEFT, PLAIN))
    QApplication.sendEvent(viewport, QDragMoveEvent(at, action, data, LEFT, PLAIN))
    QApplication.sendEvent(viewport, QDropEvent(QPointF(at), action, data, LEFT, PLAIN))


def tomorrow(folder: Path, *loadings: float) -> list[Path]:
    paths = []
    for loading in loadings:
        made = spectrum(loading, 77)
        paths.append(folder / made.file_name)
        paths[-1].write_text(file_text(made), encoding="utf-8")
    return paths


def idle(w, qtbot) -> None:
    qtbot.waitUntil(lambda: not w.session.jobs.busy, timeout=30000)


def shown_ledger(w) -> list[list[str]]:
    model = w.curve_bench.ledger.model
    return [
        [str(model.data(model.index(row, column)) or "") for column in range(model.columnCount())]
        for row in range(model.rowCount())
    ]


def test_a_shared_recipe_is_put_to_tomorrows_files_and_run_prints_the_same(demo, qtbot, tmp_path, capsys):
    w, bench = demo, demo.curve_bench
    assert bench.recipe.state.text() == "of this curve"
    take(menu_behind(bench.recipe.more), "Share this recipe with the 5 curves")
    idle(w, qtbot)
    assert "Fitted 4 curves." in w.notice.text.text()
    assert bench.recipe.state.text() == "shared by 5 curves"
    family = w.session.study.document.families[0]
    assert all(w.session.study.fit_state(id_) == "fitted" for id_ in family.curves)
    assert w.shelf.model.index(0).data(ROW).curve is None
    assert "Drop files here" in w.shelf.model.index(0).data(Qt.ItemDataRole.ToolTipRole)
    # tomorrow: two files on the heading of the family, and nothing else
    drop_on_row(w, 0, tomorrow(tmp_path, 3.0, 1.5))
    idle(w, qtbot)
    assert "Brought 2 curves into Raman by silver loading; 2 fits" in w.notice.text.text()
    study = w.session.study
    family = study.document.families[0]
    labels = [study.entry(id_).label for id_ in family.curves]
    assert labels == ["0.0 wt%", "0.5 wt%", "1.0 wt%", "2.0 wt%", "4.0 wt%", "3.0 wt%", "1.5 wt%"]
    assert w.session.entry.label == "3.0 wt%", "the first of them is in hand"
    rows = shown_ledger(w)
    assert [row[0] for row in rows] == ["0.0 wt%", "0.5 wt%", "1.0 wt%", "1.5 wt%", "2.0 wt%", "3.0 wt%", "4.0 wt%"]
    assert all("–" not in row[1:5] and "" not in row[1:5] for row in rows), "every reading is there"
    # one step of the history, there and back
    w.session.undo()
    assert len(w.session.study.document.families[0].curves) == 5
    w.session.redo()
    assert w.session.study.document == study.document
    path = tmp_path / "films.sieve"
    w.session.save(path)
    qtbot.waitUntil(lambda: w.session.is_saved and not w.session.is_saving, timeout=20000)
    out = tmp_path / "ledger.csv"
    assert main(["run", str(path), "--family", family.label, "--out", str(out)]) == 0
    with out.open(newline="") as file:
        head, *lines = list(csv.reader(file))
    wanted = ledger_of(study, family)
    assert [line[0] for line in lines] == [row.curve.label for row in wanted.rows]
    for row, line in zip(wanted.rows, lines, strict=True):
        for reading in row.cells.values():
            assert repr(reading.value) in line
    assert head[-1] == "state"
    # and without the study's new curves: the files themselves are given to run
    w.session.undo()
    w.session.save(path)
    qtbot.waitUntil(lambda: w.session.is_saved and not w.session.is_saving, timeout=20000)
    again = tmp_path / "again.csv"
    files = [str(file) for file in tomorrow(tmp_path, 3.0, 1.5)]
    assert main(["run", str(path), "--family", family.label, "--files", *files, "--out", str(again)]) == 0
    assert again.read_bytes() == out.read_bytes()


def test_files_that_do_not_fit_are_told_and_the_way_through_intake_stays(demo, qtbot, tmp_path):
    w = demo
    bad = tmp_path / "other.csv"
    bad.write_text("a,b\n1,2\n2,3\n3,4\n")
    words = tmp_path / "words.txt"
    words.write_text("only words\n")
    before = w.session.study
    drop_on_row(w, 0, [bad, words])
    idle(w, qtbot)
    assert w.session.study is before
    assert "other.csv has no channel 'Raman shift'" in w.notice.text.text()
    assert "words.txt holds text but no row of numbers" in w.notice.text.text()
    drop_on_row(w, 1, tomorrow(tmp_path, 3.0))  # on a curve: they wait on the Intake bench, as everywhere else
    qtbot.waitUntil(lambda: len(w.tray.files) == 1, timeout=20000)
    assert w.bench == "Intake"


def test_files_that_come_after_the_family_went_are_not_lost_in_silence(demo, qtbot, tmp_path, monkeypatch):
    w = demo
    files = tomorrow(tmp_path, 3.0)
    monkeypatch.setattr(QFileDialog, "getOpenFileNames", lambda *a, **k: ([str(path) for path in files], ""))
    rect = w.shelf.list.visualRect(w.shelf.model.index(0))
    take(open_menu(w.shelf.list.viewport(), rect.center()), "Bring in files, done as its last ones were")
    w.session.apply(lambda study: study.with_document(families=study.document.families[1:]), "take the family away")
    idle(w, qtbot)
    assert "is not in the study any more; nothing was brought in" in w.notice.text.text()
    assert len(w.session.study.document.curves) == 8


def test_each_part_is_shared_and_taken_back_by_itself(demo, qtbot):
    w, bench, session = demo, demo.curve_bench, demo.session
    example = session.entry.id
    others = [id_ for id_ in session.study.family_of(example).curves if id_ != example]
    assert "Use the model that the family shares" not in can_be_done(bench.model.more)
    take(menu_behind(bench.model.more), "Share this model with the 5 curves")
    idle(w, qtbot)
    assert bench.recipe.state.text() == "model shared by 5 curves"
    assert bench.model.summary.text() == "shared · 3 peaks"
    assert session.study.shares(others[0], "model")
    assert not session.study.shares(others[0], "sieve")
    # the curve of another steps out, changes its own, and comes back
    session.look(View(others[0]))
    take(menu_behind(bench.model.more), "Give this curve a model of its own")
    assert bench.recipe.state.text() == "of this curve"
    take(menu_behind(bench.model.more), "Remove the model")
    assert not session.model.terms
    assert len(session.study.model(example).terms) == 4
    take(menu_behind(bench.model.more), "Use the model that the family shares")
    idle(w, qtbot)
    assert session.study.fit_state(others[0]) == "fitted"
    # a curve by itself has nobody to share with
    session.apply(lambda study: study.with_document(families=()), "no families")
    menu = menu_behind(bench.recipe.more)
    assert menu.actions()[0].text() == "A recipe is shared within a family of two or more"
    assert not menu.actions()[0].isEnabled()
    menu.close()


def test_the_recipe_line_shares_steps_out_and_in(demo, qtbot):
    w, bench, session = demo, demo.curve_bench, demo.session
    told: list[str] = []
    session.noticed.connect(lambda sentence, kind: told.append(sentence))
    other = session.study.document.curves[0].id
    session.apply(edits.add_step(other, Despike(threshold=9), "mine"), "a step of its own")
    take(menu_behind(bench.recipe.more), "Share this recipe")
    idle(w, qtbot)
    assert told[0] == "Shared the recipe. What 1 other curve had of its own gave way to it; Ctrl+Z brings it back."
    assert [slot.rule for slot in session.study.slots(other)] == [slot.rule for slot in session.slots]
    assert "Share this recipe" not in str(can_be_done(bench.recipe.more))
    take(menu_behind(bench.recipe.more), "Give this curve a recipe of its own")
    assert session.entry.shared == ()
    assert session.study.fit_state(session.entry.id) == "fitted", "it does what it did"
    take(menu_behind(bench.recipe.more), "Use the recipe that the family shares")
    idle(w, qtbot)
    assert session.entry.shared == ("sieve", "model", "measures")


def test_a_recipe_is_kept_by_name_written_opened_and_given_to_others(demo, qtbot, tmp_path, monkeypatch):
    w, bench, session = demo, demo.curve_bench, demo.session
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("three bands", True))
    take(menu_behind(bench.recipe.more), "Save this recipe by name")
    kept = tmp_path / "data" / "curvesieve" / "recipes" / "three-bands.recipe.json"
    data = json.loads(kept.read_text())
    assert (data["recipe"], data["x_unit"], len(data["model"]["terms"])) == (1, "cm-1", 4)
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: (" / ", True))
    take(menu_behind(bench.recipe.more), "Save this recipe by name")
    assert "needs a name with a letter" in w.notice.text.text()
    copy = tmp_path / "mine.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(copy), ""))
    take(menu_behind(bench.recipe.more), "Write this recipe to a file")
    assert json.loads(copy.read_text()) == data
    # applied by its name to a curve that had nothing: fitted at once
    other, wet = (session.study.document.curves[i].id for i in (0, -1))
    session.look(View(other))
    take(menu_behind(bench.recipe.more), "Apply “three-bands”")
    idle(w, qtbot)
    assert session.study.fit_state(other) == "fitted"
    assert len(session.slots) == 2
    # to a curve of another kind: refused in one sentence, nothing changed
    session.look(View(wet))
    before = session.study
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(copy), ""))
    take(menu_behind(bench.recipe.more), "Open a recipe file")
    assert "The recipe is for x in cm⁻¹, but here x is in s; it is another kind of curve." in w.notice.text.text()
    assert session.study is before
    stranger = tmp_path / "stranger.json"
    stranger.write_text('{"recipe": 1, "exec": "rm"}')
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(stranger), ""))
    take(menu_behind(bench.recipe.more), "Open a recipe file")
    assert "A recipe has no 'exec'" in w.notice.text.text()
    # to several chosen ones, one of them of another kind
    rows = {row.curve.id: i for i, row in enumerate(w.shelf.model.rows) if row.curve is not None}
    two = session.study.document.curves[1].id
    for id_, keys in ((two, PLAIN), (wet, CTRL), (other, CTRL)):  # the last that is clicked is in hand
        click_cell(w.shelf.list, rows[id_], 0, keys)
    rect = w.shelf.list.visualRect(w.shelf.model.index(rows[other]))
    take(open_menu(w.shelf.list.viewport(), rect.center()), "Give the others the recipe of 0.0 wt%")
    idle(w, qtbot)
    assert session.study.fit_state(two) == "fitted"
    assert session.study.model(wet).terms[0].slug == "two-exponentials", "it keeps what it had"


def test_a_kept_recipe_becomes_that_of_a_whole_family(demo, qtbot, tmp_path, monkeypatch):
    w, bench, session = demo, demo.curve_bench, demo.session
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("bands", True))
    take(menu_behind(bench.recipe.more), "Save this recipe by name")
    family = session.study.document.families[0]
    session.apply(edits.set_recipe(family.curves, Recipe()), "bare")
    assert {session.study.fit_state(id_) for id_ in family.curves} == {"not fitted"}
    rect = w.shelf.list.visualRect(w.shelf.model.index(0))
    take(open_menu(w.shelf.list.viewport(), rect.center()), "Apply “bands” to its curves")
    idle(w, qtbot)
    assert {session.study.fit_state(id_) for id_ in family.curves} == {"fitted"}
    assert {session.study.entry(id_).shared for id_ in family.curves} == {("sieve", "model", "measures")}
    # to one whose curves are all of another kind: refused, and nothing is changed
    before = session.study
    kept = tmp_path / "data" / "curvesieve" / "recipes" / "bands.recipe.json"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(kept), ""))
    wet = next(i for i, row in enumerate(w.shelf.model.rows) if row.curve is None and "humidity" in row.text.lower())
    rect = w.shelf.list.visualRect(w.shelf.model.index(wet))
    take(open_menu(w.shelf.list.viewport(), rect.center()), "Apply a recipe file to its curves")
    assert "it is another kind of curve" in w.notice.text.text()
    assert session.study is before
    kept.write_text("{}")
    take(open_menu(w.shelf.list.viewport(), rect.center()), "Apply a recipe file to its curves")
    assert "A recipe must look like" in w.notice.text.text()


def test_two_droppings_at_once_both_come_in_and_none_twice(demo, qtbot, tmp_path):
    w = demo
    files = tomorrow(tmp_path, 3.0, 1.5)
    drop_on_row(w, 0, files[:1])
    drop_on_row(w, 0, files[1:])
    drop_on_row(w, 0, files[:1])
    idle(w, qtbot)
    study = w.session.study
    labels = sorted(study.entry(id_).label for id_ in study.document.families[0].curves)
    assert labels == ["0.0 wt%", "0.5 wt%", "1.0 wt%", "1.5 wt%", "2.0 wt%", "3.0 wt%", "4.0 wt%"]
    assert len(study.document.curves) == 10


def test_what_is_done_is_copied_as_a_script_that_prints_it(demo, qtbot, tmp_path):
    w, bench, session = demo, demo.curve_bench, demo.session
    clipboard = QApplication.clipboard()
    take(menu_behind(bench.recipe.more), "Copy what is done as a script")
    idle(w, qtbot)
    path = tmp_path / "one.py"
    path.write_text(clipboard.text(), encoding="utf-8")
    run = subprocess.run([sys.executable, str(path)], capture_output=True, text=True, check=True)
    values = [line.split("\t")[3] for line in run.stdout.splitlines()[1:]]
    assert values == [repr(r.value) for r in session.study.readings(session.entry.id)]
    rect = w.shelf.list.visualRect(w.shelf.model.index(0))
    take(open_menu(w.shelf.list.viewport(), rect.center()), "Copy what is done as a script")
    idle(w, qtbot)
    assert clipboard.text().count("cs.read(") == 5
    session.look(View(session.study.document.curves[0].id))
    take(menu_behind(bench.recipe.more), "Copy what is done as a script")
    idle(w, qtbot)
    assert "no model and no measure on these curves" in w.notice.text.text()
    # the family as a whole is fitted from its heading
    wet = next(i for i, row in enumerate(w.shelf.model.rows) if row.curve is None and "humidity" in row.text.lower())
    rect = w.shelf.list.visualRect(w.shelf.model.index(wet))
    take(open_menu(w.shelf.list.viewport(), rect.center()), "Fit its curves")
    idle(w, qtbot)
    assert "Fitted 1 curve. 2 curves without a model" in w.notice.text.text()


def test_the_recipe_is_found_by_the_finder_and_kept_in_the_study(demo, qtbot, tmp_path):
    w = demo
    QTest.keyClick(w, Qt.Key.Key_K, CTRL)
    type_into(w.finder.field, "share recipe")
    idle(w, qtbot)
    assert w.session.entry.shared == ("sieve", "model", "measures")
    path = tmp_path / "shared.sieve"
    w.session.save(path)
    qtbot.waitUntil(lambda: w.session.is_saved and not w.session.is_saving, timeout=20000)
    again = load_study(path)
    assert [again.fit_state(id_) for id_ in again.document.families[0].curves] == ["fitted"] * 5
    assert w.curve_bench.recipe.more.mapTo(w, QPoint(0, 0)).x() > 0
