"""The session and its work: history, late answers, stopping, defects, closing; and many or long things on screen."""

from __future__ import annotations

import threading

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QTimer
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QPushButton

from curvesieve.app.benches.curve.step_card import DRAG_TYPE
from curvesieve.app.session.desk import MODEL, RECORDED, View
from curvesieve.app.session.jobs import Jobs
from curvesieve.core.errors import InputError
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study import Study, edits, load_study
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study
from tests.app.gestures import CTRL, LEFT, PLAIN, click, click_cell


@pytest.fixture
def demo(window, tmp_path):
    """A window on the demo study with the fitted curve in hand."""
    w = window(build_study(tmp_path / "demo"))
    w.session.look(View(w.session.study.document.curves[EXAMPLE].id))
    return w


def test_history_merges_forgets_and_returns_to_the_place(demo):
    session = demo.session
    curve = session.view.curve
    for label in ("a", "ab", "abc"):
        session.apply(edits.rename_curve(curve, label), "rename", merge="typing")
    assert session.undo_label == "rename"
    session.look_at_stage(RECORDED)
    session.undo()
    assert session.entry.label == "2.0 wt%"
    assert not session.undo_label
    session.redo()
    assert session.entry.label == "abc"
    session.undo()
    session.apply(edits.rename_curve(curve, "new way"), "rename")
    assert not session.redo_label
    assert not session.apply(lambda study: edits.rename_curve(curve, " ")(study), "rename")
    assert "needs a name" in demo.notice.text.text()
    session.look(View(curve, "no such stage"))
    assert session.view.stage == MODEL
    session.look(View("no such curve"))
    assert session.view.curve == session.study.document.curves[0].id


def test_jobs_drop_late_answers_and_tell_problems_from_defects(qtbot):
    jobs = Jobs()
    got, told, defects = [], [], []
    jobs.defect.connect(defects.append)
    gate = threading.Event()

    def slow(ticket):
        gate.wait(10)
        return "late"

    jobs.start("first", "k", slow, got.append, told.append)
    assert jobs.busy == "first"
    jobs.start("second", "k", lambda ticket: "new", got.append, told.append)
    qtbot.waitUntil(lambda: got == ["new"])
    gate.set()

    def wrong(ticket):
        raise InputError("the file is empty")

    def broken(ticket):
        raise ZeroDivisionError

    jobs.start("third", "k", wrong, got.append, told.append)
    qtbot.waitUntil(lambda: told == ["the file is empty"])
    jobs.start("fourth", "k", broken, got.append, told.append)
    qtbot.waitUntil(lambda: len(told) == 2)
    assert "fault of the program" in told[1]
    assert isinstance(defects[0], ZeroDivisionError)
    assert got == ["new"]
    assert not jobs.busy
    jobs.close()


def test_a_fit_is_stopped_and_a_late_one_is_dropped(demo, qtbot):
    session = demo.session
    model = session.modelling.model_in_sight()
    session.modelling.set_model(model.replaced(model.peaks[0].with_starts({"center": 1350.0})), "move")
    session.modelling.fit()
    assert demo.curve_bench.model.foot.fit.text() == "Stop"
    click(demo.curve_bench.model.foot.fit)
    assert demo.curve_bench.model.foot.fit.text() == "Fit"
    session.modelling.fit()
    session.modelling.set_model(model, "change it while the fit runs")
    qtbot.waitUntil(lambda: not session.modelling.is_fitting, timeout=20000)
    assert session.fit is None, "the fit was of another start"


def test_closing_asks_when_there_is_something_to_lose(demo, qtbot, tmp_path, monkeypatch):
    session = demo.session
    session.apply(edits.rename_curve(session.view.curve, "changed"), "rename")
    path = tmp_path / "kept.sieve"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))

    def answer(words: str) -> None:
        def press() -> None:
            box = QApplication.activeModalWidget()
            assert isinstance(box, QMessageBox)
            click(next(b for b in box.findChildren(QPushButton) if b.text() == words))

        QTimer.singleShot(150, press)
        demo.close()

    answer("Stay here")
    assert demo.isVisible()
    assert not path.exists()
    answer("Save")
    assert not demo.isVisible()
    assert load_study(path).entry(session.view.curve).label == "changed"


def test_saving_by_keyboard_asks_once_for_a_place(demo, qtbot, tmp_path, monkeypatch):
    asked = []

    def ask(*_, **__):
        asked.append(1)
        return str(tmp_path / "mine"), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    demo.setFocus()
    QTest.keyClick(demo, Qt.Key.Key_S, CTRL)
    qtbot.waitUntil(lambda: demo.session.path is not None)
    assert demo.session.path == tmp_path / "mine.sieve"
    demo.session.apply(edits.rename_curve(demo.session.view.curve, "again"), "rename")
    assert "not saved" in demo.header.study.text()
    QTest.keyClick(demo, Qt.Key.Key_S, CTRL)
    qtbot.waitUntil(lambda: demo.session.is_saved)
    assert len(asked) == 1


def test_cards_are_dragged_into_another_order(demo):
    column = demo.curve_bench.sieve
    first, second = demo.session.slots
    data = QMimeData()
    data.setData(DRAG_TYPE, first.id.encode())
    below = QPointF(40, column.card(second.id).mapTo(column, column.card(second.id).rect().bottomLeft()).y() + 4)
    move = Qt.DropAction.MoveAction
    QApplication.sendEvent(column, QDragEnterEvent(below.toPoint(), move, data, LEFT, PLAIN))
    QApplication.sendEvent(column, QDropEvent(below, move, data, LEFT, PLAIN))
    assert [slot.id for slot in demo.session.slots] == [second.id, first.id]
    assert "out of date" in demo.curve_bench.ledger.ledger.rows[EXAMPLE].state
    column.card(second.id).removed.emit()
    assert [slot.id for slot in demo.session.slots] == [first.id]


def test_caught_points_are_gone_to_from_the_list(demo):
    canvas = demo.curve_bench.canvas
    demo.session.look_at_stage(demo.session.slots[1].id)
    x = float(canvas.strip.list_model.x[2])
    click_cell(canvas.strip.list, 2, 0)
    low, high = canvas.plot.box.viewRange()[0]
    assert low < x < high
    assert high - low < 80
    assert canvas.strip.plot.box.viewRange()[0] == [low, high]
    demo.setFocus()
    QTest.keyClick(demo, Qt.Key.Key_Home)
    assert canvas.plot.box.viewRange()[0][0] < 1205


def many_curves(count: int, label: str) -> Study:
    x = np.linspace(0, 1, 30)
    records = [Record(Source(f"{i}.csv", b"m"), (Channel("x", "", x), Channel("y", "", x * i))) for i in range(count)]
    labels = [f"{label} {i}" for i in range(count)]
    return edits.add_curves(
        Study(), [(r, Take(0, 1)) for r in records], "many", labels, [float(-i) for i in range(count)], ("load", "kg")
    )


def test_two_hundred_curves_with_lengthy_names(window, qtbot):
    name = "sample pressed twice and stored dry, typed in full by somebody with its history and its supplier,"
    w = window(many_curves(200, name))
    rows = w.shelf.model.rows
    assert len(rows) == 201
    assert rows[1].text.endswith(" 199"), "ordered by the condition's number"
    assert len({row.colour.name() for row in rows[1:]}) > 150
    assert w.width() == 1280
    assert w.curve_bench.ledger.model.rowCount() == 200
    click_cell(w.shelf.list, 150, 0)
    assert w.session.entry.label.endswith(" 50")
    QTest.keyClick(w.shelf.list, Qt.Key.Key_Down)
    assert w.session.entry.label.endswith(" 49")
    w.resize(1024, 700)
    QApplication.processEvents()
    assert (w.width(), w.height()) == (1024, 700)
    assert w.curve_bench.canvas.plot.height() > 120
