"""The hand of the user: nothing lost by Escape, Tab through every bench, right clicks, the shelf's curves moved."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QModelIndex, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QContextMenuEvent, QDragEnterEvent, QDragMoveEvent, QDropEvent, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QLineEdit, QMenu, QPlainTextEdit, QWidget

from curvesieve.app.benches.curve.points import PointsPage
from curvesieve.app.benches.curve.term_list import TYPE
from curvesieve.app.panels.shelf.rows import CURVES_TYPE
from curvesieve.app.session.desk import MODEL, RECORDED, View
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.repair import Despike
from curvesieve.core.study import Study, edits
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study
from tests.app.gestures import (
    CTRL,
    LEFT,
    PLAIN,
    SHIFT,
    add_step,
    click,
    click_cell,
    double_click,
    drag,
    drop_files,
    open_menu,
    press,
    take,
    type_text,
)
from tests.app.gestures import place as place_on


@pytest.fixture
def demo(window, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    w.session.look(View(w.session.study.document.curves[EXAMPLE].id))
    return w


def texts(menu: QMenu) -> list[str]:
    found = [action.text() for action in menu.actions() if action.text()]
    menu.close()
    QApplication.processEvents()
    return found


# -- Tab and Escape ---------------------------------------------------------------------------------


def tabbed(w, back: bool = False) -> list[QWidget]:
    """What has the keyboard, from one Tab to the next, until it comes round."""
    seen: list[QWidget] = []
    for _ in range(400):
        press(QApplication.focusWidget() or w, Qt.Key.Key_Tab, SHIFT if back else PLAIN)
        here = QApplication.focusWidget()
        assert here is not None
        assert here.isVisible()
        if here in seen:
            assert here is seen[0], f"Tab is caught at {here} {here.accessibleName()}"
            return seen
        seen.append(here)
    raise AssertionError("Tab never comes round")


@pytest.mark.parametrize("page", ["Ledger", "Points", "Result", "Compare", "Straighten"])
def test_tab_goes_round_the_curve_bench_and_changes_nothing(demo, qtbot, page):
    demo.curve_bench.drawer.show_page(page)
    slot = demo.session.slots[1]
    demo.session.look_at_stage(slot.id)
    qtbot.waitUntil(lambda: not demo.session.jobs.busy)
    before = demo.session.study
    demo.shelf.filter.setFocus()
    there, back = tabbed(demo), tabbed(demo, back=True)
    assert demo.session.study is before, "passing through changes nothing"
    assert set(there) == set(back)
    bench = demo.curve_bench
    for wanted in (
        demo.shelf.list, demo.header.study, demo.header.finder, bench.canvas.plot, bench.model.view,
        bench.model.foot.fit,
        bench.sieve.add, bench.sieve.recorded, bench.model.card, bench.sieve.card(slot.id), bench.drawer.heading,
        *[field.line for field in bench.sieve.card(slot.id).fields.values() if field.line.isVisible()],
    ):  # fmt: skip
        assert wanted in there, wanted


def test_tab_goes_round_the_intake_bench(window, demo_files, qtbot):
    w = window()
    drop_files(w, demo_files[:2])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 2)
    before = [waiting.pattern for waiting in w.tray.files]
    there = tabbed(w)
    assert {w.intake_bench.files.tree, w.intake_bench.files.bring, w.intake_bench.text} <= set(there)
    assert set(tabbed(w, back=True)) == set(there)
    assert [waiting.pattern for waiting in w.tray.files] == before


def test_tab_in_a_cell_takes_what_was_typed_and_goes_on(demo):
    view, table = demo.curve_bench.model.view, demo.curve_bench.model.table
    before = demo.session.study
    click_cell(view, 0, 1)
    editor = QApplication.focusWidget()
    assert isinstance(editor, QLineEdit)
    press(editor, Qt.Key.Key_Tab)
    assert demo.session.study is before, "going through a cell is no edit"
    assert not view.isAncestorOf(QApplication.focusWidget())
    view.setFocus()
    press(view, Qt.Key.Key_F2)
    editor = QApplication.focusWidget()
    editor.selectAll()
    type_text(editor, "1340")
    press(editor, Qt.Key.Key_Tab)
    assert table.rows[0].state.start == 1340


def test_ctrl_tab_leaves_what_keeps_tab_to_itself(demo):
    bench = demo.curve_bench
    bench.model._choose_term(TYPE)
    for kept in (bench.model.view, bench.ledger.view, bench.model.editor.field):
        kept.setFocus()
        assert kept.hasFocus()
        press(kept, Qt.Key.Key_Tab, CTRL)
        assert not kept.hasFocus(), kept
    press(bench.model.editor.field, Qt.Key.Key_Escape)


def test_escape_gives_a_field_back_then_lays_the_card_down(demo):
    slot = demo.session.slots[1]
    demo.session.look_at_stage(slot.id)
    card = demo.curve_bench.sieve.card(slot.id)
    before = demo.session.study
    for name, words in (("window", "77"), ("threshold", "2")):
        line = card.fields[name].line
        shown = line.text()
        line.setFocus()
        line.selectAll()
        type_text(line, words)
        press(line, Qt.Key.Key_Escape)
        assert line.text() == shown
        assert demo.session.view.stage == slot.id
    press(line, Qt.Key.Key_Escape)
    assert demo.session.view.stage == MODEL
    assert demo.session.study is before


def test_escape_leaves_a_formula_and_nothing_changes(demo):
    panel = demo.curve_bench.model
    before = demo.session.study
    panel._choose_term(TYPE)
    panel.editor.field.setFocus()
    type_text(panel.editor.field, "A*exp(-k*x)")
    assert panel.editor.isVisible()
    press(panel.editor.field, Qt.Key.Key_Escape)
    assert not panel.editor.isVisible()
    assert demo.session.study is before
    assert not demo.session.jobs.running("starts")


def test_escape_lets_go_of_a_drag(demo):
    canvas = demo.curve_bench.canvas
    before = demo.session.study
    shape = canvas.model.handles[1]
    start = (shape.shape.center, shape.shape.base + shape.shape.height)
    seen: list[object] = []
    shape.dragged.connect(lambda *values: seen.append(values))

    def let_go_in_mid_air(step: int) -> None:
        if step == 4:
            press(canvas.plot, Qt.Key.Key_Escape)

    drag(canvas.plot, start, (start[0] + 60, start[1] + 100), on_step=let_go_in_mid_air)
    assert seen, "the crown was being dragged"
    assert demo.session.study is before
    assert canvas.model.handles[1].crown.pos().x() == pytest.approx(start[0], abs=1e-6)


def test_actions_of_one_bench_do_nothing_from_the_other(demo):
    before = demo.session.study
    demo.show_bench("Intake")
    for key, keys in (
        (Qt.Key.Key_A, CTRL | SHIFT),
        (Qt.Key.Key_F5, PLAIN),
        (Qt.Key.Key_L, CTRL),
    ):
        press(demo, key, keys)
    assert demo.session.study is before
    assert not demo.curve_bench.sieve.step_list.isVisible()
    assert not demo.session.jobs.running("fit")
    demo.show_bench("Curve")
    press(demo, Qt.Key.Key_A, CTRL | SHIFT)
    assert demo.curve_bench.sieve.step_list.isVisible()


def test_a_card_is_taken_moved_and_removed_by_keys(demo):
    column = demo.curve_bench.sieve
    first, second = demo.session.slots
    column.card(second.id).setFocus()
    press(column.card(second.id), Qt.Key.Key_Return)
    assert demo.session.view.stage == second.id
    press(column.card(second.id), Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert [slot.id for slot in demo.session.slots] == [second.id, first.id]
    column.card(first.id).setFocus()
    press(column.card(first.id), Qt.Key.Key_Delete)
    assert [slot.id for slot in demo.session.slots] == [second.id]


# -- right clicks -----------------------------------------------------------------------------------


def right_click(plot, x: float, y: float) -> QMenu:
    at = place_on(plot, x, y)
    viewport = plot.viewport()
    QTest.mouseMove(viewport, at)
    QTest.mouseClick(viewport, Qt.MouseButton.RightButton, PLAIN, at)
    QApplication.processEvents()
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def test_a_right_click_on_the_canvas(demo, qtbot):
    canvas = demo.curve_bench.canvas
    plot = canvas.plot
    x = 1550.0
    y = float(np.interp(x, *(lambda c: (c.x, c.y))(demo.session.sieved().curve)))
    take(right_click(plot, x, y + 60), "Add a peak at")
    assert len(demo.session.model.peaks) == 4
    demo.session.undo()
    take(right_click(plot, 1300.0, 600.0), "Fit from")
    assert demo.session.model.low == pytest.approx(1300, abs=3)
    take(right_click(plot, 1700.0, 600.0), "Fit up to")
    assert demo.session.model.high == pytest.approx(1700, abs=3)
    take(right_click(plot, 1500.0, 600.0), "Fit the whole curve")
    assert (demo.session.model.low, demo.session.model.high) == (None, None)
    take(right_click(plot, x, y), "Leave out the point at")
    slot = demo.session.study.slots(demo.session.entry.id)[-1]
    assert slot.rule.slug == "leave-out"
    assert slot.rule.points[0] == pytest.approx(x, abs=2)
    demo.session.look_at_stage(MODEL)
    take(right_click(plot, x, y + 60), "y axis: logarithmic")
    assert plot.log_y
    take(right_click(plot, x, y + 60), "y axis: linear")
    take(right_click(plot, x, y + 60), "y of the curve at")
    page = demo.curve_bench.drawer.page("Points")
    assert isinstance(page, PointsPage)
    qtbot.waitUntil(lambda: len(page.answered) == 6)
    answers = {row[0]: float(row[2]) for row in page.answered}
    assert answers["straight lines"] == pytest.approx(y, rel=0.1)
    demo.session.look_at_stage(RECORDED)
    assert not [text for text in texts(right_click(plot, x, y + 60)) if "Fit" in text or "Add a peak" in text]


def test_a_right_click_on_cards_and_numbers(demo):
    slot = demo.session.slots[1]
    card = demo.curve_bench.sieve.card(slot.id)
    take(open_menu(card, QPoint(20, 12)), "Switch it on or off")
    assert not demo.session.slots[1].on
    demo.session.undo()
    ledger = demo.curve_bench.ledger
    row = next(i for i, row in enumerate(ledger.ledger.rows) if row.curve.id == demo.session.entry.id)
    viewport = ledger.view.viewport()
    at = ledger.view.visualRect(ledger.model.index(row, 1)).center()
    take(open_menu(viewport, at), "Copy this number")
    cell = ledger.ledger.rows[row].cell(ledger.ledger.columns[0])
    assert QGuiApplication.clipboard().text() == f"{cell.value!r}\t{cell.u!r}"
    take(open_menu(viewport, at), "Show where it comes from")
    assert demo.session.view.reading == cell.key
    assert "after Keep range, Despike" in ledger.advice.whole_text()
    take(open_menu(viewport, at), "Copy the table")
    assert QGuiApplication.clipboard().text().startswith("curve\tloading (wt%)")


# -- the points -------------------------------------------------------------------------------------


def test_the_numbers_of_what_is_in_hand(demo, qtbot, tmp_path):
    demo.curve_bench.drawer.show_page("Points")
    page = demo.curve_bench.drawer.page("Points")
    model = page.numbers.model
    titles = [model.headerData(i, Qt.Orientation.Horizontal) for i in range(model.columnCount())]
    assert titles == ["Raman shift (cm⁻¹)", "Intensity (counts)", "flag", "fit (counts)", "residual (counts)"]
    curve = demo.session.sieved().curve
    assert model.rowCount() == len(curve)
    assert model.text(0, 1, whole=True) == repr(float(curve.y[0]))
    patched = int(np.flatnonzero(curve.flags)[0])
    assert model.text(patched, 2) == "patched"
    page.numbers.table.setCurrentIndex(model.index(0, 1))
    assert f"mean {float(np.mean(curve.y)):.6g}" in page.numbers.line.whole_text()
    assert f"sum {float(np.sum(curve.y)):.6g}" in page.numbers.line.whole_text()
    click(page.copy)
    lines = QGuiApplication.clipboard().text().splitlines()
    assert len(lines) == len(curve) + 1
    assert lines[1].split("\t")[1] == repr(float(curve.y[0]))
    demo.session.look_at_stage(RECORDED)
    assert model.rowCount() == 924
    assert model.columnCount() == 3
    demo.session.look_at_stage(MODEL)
    for line, words in ((page.low, "1300"), (page.high, "1310")):
        line.setFocus()
        type_text(line, words)
    press(page.high, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(page.answered))
    inside = (curve.x >= 1300) & (curve.x <= 1310)
    assert page.answered[0][1] == str(int(inside.sum()))
    assert float(page.answered[1][2]) == pytest.approx(float(curve.y[inside].mean()))
    click(page.copy_answers_button)
    assert "points from 1300 to 1310, in counts" in QGuiApplication.clipboard().text()
    demo.session.look(View(demo.session.study.document.curves[0].id))
    assert page.answered == [], "answers are about a curve"
    for words in ("", "1 2", "abc"):
        page.place.setText(words)
        page.ask_at()
        assert demo.notice.isVisible()
        demo.notice.lay_down()


def test_few_points_are_marks_and_many_are_a_line(window):
    x = np.linspace(0, 10, 150)
    many = np.linspace(0, 10, 3000)
    u = Channel("u", "N", np.full(150, 0.5))
    records = [
        (Record(Source("few.csv", b"1"), (Channel("t", "s", x), Channel("F", "N", np.sin(x)), u)), Take(0, 1, 2)),
        (Record(Source("many.csv", b"2"), (Channel("t", "s", many), Channel("F", "N", np.sin(many)))), Take(0, 1)),
        (Record(Source("one.csv", b"3"), (Channel("t", "s", x[:1]), Channel("F", "N", x[:1] + 2))), Take(0, 1)),
    ]
    w = window(edits.add_curves(Study(), records, "marks"))
    few, lots, one = (curve.id for curve in w.session.study.document.curves)
    ink, box = w.curve_bench.canvas.layers.ink, w.curve_bench.canvas.plot.box
    w.session.look(View(few))
    assert ink.as_marks
    assert ink.dots.x.size == 150
    assert len(ink.dots._bars) == 150
    assert ink.dots._bars[3].length() == pytest.approx(1.0)
    assert ink.item.getData()[0].size == 0
    w.session.look(View(lots))
    assert not ink.as_marks
    box.setXRange(5.0, 5.1, padding=0)
    assert ink.as_marks, "zoomed in, few are in sight"
    assert 20 < ink.dots.x.size < 40
    box.setXRange(0, 10, padding=0)
    assert not ink.as_marks
    w.session.look(View(one))
    assert ink.dots.x.tolist() == [0.0]
    assert box.viewRect().contains(QPointF(0.0, 2.0))


# -- the shelf --------------------------------------------------------------------------------------


def two_families() -> Study:
    x = np.linspace(0, 1, 20)

    def some(name: str, count: int) -> list[tuple[Record, Take]]:
        made = []
        for i in range(count):
            channels = (Channel("x", "", x), Channel("y", "", x * i + len(name)))
            made.append((Record(Source(f"{name}{i}.csv", f"{name}{i}".encode()), channels), Take(0, 1)))
        return made

    study = edits.add_curves(Study(), some("a", 4), "heated", conditions=[1.0, 2, 3, 4], condition=("T", "K"))
    study = edits.add_curves(study, some("b", 3), "loaded", conditions=[1.0, 2, 3], condition=("load", "N"))
    first = study.document.curves[0].id
    return edits.share(first, "sieve")(edits.add_step(first, Despike(), "s1")(study))


def click_row_menu(w, row: int, words: str) -> None:
    index = w.shelf.model.index(row)
    w.shelf.list.scrollTo(index)
    take(open_menu(w.shelf.list.viewport(), w.shelf.list.visualRect(index).center()), words)


def chosen_rows(w) -> list[str]:
    return [w.session.study.entry(id_).label for id_ in w.shelf.chosen()]


def test_several_curves_are_chosen_moved_and_removed(window):
    w = window(two_families())
    rows = w.shelf.model.rows
    assert [row.text for row in rows] == ["heated", "a0", "a1", "a2", "a3", "loaded", "b0", "b1", "b2"]
    click_cell(w.shelf.list, 1, 0)
    click_cell(w.shelf.list, 3, 0, SHIFT)
    assert chosen_rows(w) == ["a0", "a1", "a2"]
    click_cell(w.shelf.list, 2, 0, CTRL)
    assert chosen_rows(w) == ["a0", "a2"]
    data = w.shelf.model.mimeData([w.shelf.model.index(1), w.shelf.model.index(3)])
    assert data.hasFormat(CURVES_TYPE)
    target = w.shelf.model.index(6)
    assert not w.shelf.model.dropMimeData(data, Qt.DropAction.MoveAction, -1, -1, target)
    families = w.session.study.document.families
    assert [len(family.curves) for family in families] == [2, 5]
    moved = w.session.study.entry(w.shelf.model.mimeData([]) and families[1].curves[-1])
    assert moved.condition is None, "2 K is not 2 N"
    assert "were left behind" in w.notice.text.text()
    assert [slot.rule.slug for slot in w.session.study.slots(moved.id)] == ["despike"], "it keeps its steps"
    assert not moved.shared
    w.session.undo()
    assert [len(family.curves) for family in w.session.study.document.families] == [4, 3]
    click_cell(w.shelf.list, 6, 0)
    click_cell(w.shelf.list, 8, 0, SHIFT)
    press(w.shelf.list, Qt.Key.Key_Delete)
    assert [row.text for row in w.shelf.model.rows] == ["heated", "a0", "a1", "a2", "a3"]
    assert len(w.session.study.document.records) == 4
    w.session.undo()
    assert len(w.session.study.document.curves) == 7


def test_families_fold_and_stay_where_they_were(window):
    w = window(two_families())
    click_cell(w.shelf.list, 0, 0)
    assert [row.text for row in w.shelf.model.rows] == ["heated", "loaded", "b0", "b1", "b2"]
    press(w.shelf.list, Qt.Key.Key_Space)
    assert len(w.shelf.model.rows) == 9
    press(w.shelf.list, Qt.Key.Key_Left)
    w.shelf.filter.setText("a2")
    assert [row.text for row in w.shelf.model.rows] == ["heated", "a2"], "what is looked for is shown"
    w.shelf.filter.clear()
    assert len(w.shelf.model.rows) == 5


def test_chosen_curves_are_fitted_and_grouped_together(window, qtbot, monkeypatch, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    study = w.session.study
    source = study.document.curves[EXAMPLE]
    others = [id_ for id_ in study.family_of(source.id).curves if id_ != source.id]
    for id_ in others[:3]:
        w.session.apply(edits.copy_sieve(source.id, [id_]), "copy")
        w.session.apply(edits.set_model(id_, study.model(source.id)), "model")
    model = w.shelf.model
    w.session.look(View(source.id))
    for i, row in enumerate(model.rows):
        if row.curve is not None and row.curve.id in others:
            click_cell(w.shelf.list, i, 0, CTRL)
    assert len(w.shelf.chosen()) == 5
    w.shelf.fit_chosen()
    qtbot.waitUntil(lambda: not w.session.jobs.running("fit"), timeout=20000)
    assert all(w.session.study.fit_state(id_) == "fitted" for id_ in others[:3])
    assert "Fitted 4 curves. 1 curve without a model stayed" in w.notice.text.text()
    w.session.undo()
    assert not any(w.session.study.fit(id_) for id_ in others[:3]), "one step of the history"
    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **kwargs: ("chosen", True))
    w.shelf.ask_family()
    family = w.session.study.document.families[-1]
    assert (family.label, family.condition, len(family.curves)) == ("chosen", "loading", 5)
    assert w.session.study.entry(source.id).condition == 2.0, "the same condition goes with it"
    heading = next(i for i, row in enumerate(model.rows) if row.curve is None and row.family == family.id)
    click_row_menu(w, heading, "Rename the family")
    w.shelf.move_into([source.id], "")
    assert w.session.study.family_of(source.id) is None


def test_a_sieve_is_given_on_and_names_are_typed_from_the_shelf(window, monkeypatch):
    w = window(two_families())
    click_cell(w.shelf.list, 6, 0)
    press(w.shelf.list, Qt.Key.Key_Up)
    press(w.shelf.list, Qt.Key.Key_Down)
    given = w.session.entry
    assert given.label == "b0"
    w.session.apply(edits.add_step(given.id, Despike(threshold=7.5), "s2"), "add a step")
    click_cell(w.shelf.list, 7, 0)
    click_cell(w.shelf.list, 3, 0, CTRL)
    click_cell(w.shelf.list, 6, 0, CTRL)
    assert (w.session.entry.label, chosen_rows(w)) == ("b0", ["a2", "b0", "b1"])
    at = w.shelf.list.visualRect(w.shelf.model.index(7)).center()
    take(open_menu(w.shelf.list.viewport(), at), "Give the others the sieve of b0")
    assert "Copied the sieve to 2 curves." in w.notice.text.text()
    study = w.session.study
    of = {entry.label: entry.id for entry in study.document.curves}
    steps = {label: [slot.rule.model_dump() for slot in study.slots(id_)] for label, id_ in of.items()}
    assert steps["a2"] == steps["b1"] == steps["b0"], "the sieve of the curve in hand"
    assert steps["a1"] != steps["b0"], "of those chosen only"
    w.session.undo()
    assert w.session.undo_label == "add a step", "one step of the history"

    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **kwargs: ("other", True))
    click_cell(w.shelf.list, 7, 0)
    press(w.shelf.list, Qt.Key.Key_F2)
    assert w.session.study.entry(of["b1"]).label == "other"
    click_cell(w.shelf.list, 1, 0)
    press(w.shelf.list, Qt.Key.Key_Up)
    press(w.shelf.list, Qt.Key.Key_F2)
    assert [family.label for family in w.session.study.document.families] == ["other", "loaded"]


def test_a_drop_that_is_no_curve_is_left_alone(window):
    w = window(two_families())
    before = w.session.study
    assert not w.shelf.model.dropMimeData(QMimeData(), Qt.DropAction.MoveAction, 0, 0, QModelIndex())
    assert w.session.study is before


def test_the_shelf_shows_a_new_curve_and_stays_where_it_was_scrolled(window):
    x = np.linspace(0, 1, 10)
    records = [
        (Record(Source(f"{i}.csv", str(i).encode()), (Channel("x", "", x), Channel("y", "", x * i))), Take(0, 1))
        for i in range(120)
    ]
    w = window(edits.add_curves(Study(), records, "many"))
    bar = w.shelf.list.verticalScrollBar()
    w.session.look(View(w.session.study.document.curves[100].id))
    QApplication.processEvents()
    assert w.shelf.list.visualRect(w.shelf.model.index(101)).intersects(w.shelf.list.viewport().rect())
    bar.setValue(bar.value() - 90)
    scrolled = bar.value()
    add_step(w, "despike")
    QApplication.processEvents()
    assert bar.value() == scrolled
    w.session.undo()
    assert bar.value() == scrolled


def test_folds_and_the_plot_alone(demo):
    bench = demo.curve_bench
    for fold in bench.folds.values():
        click(fold)
    QApplication.processEvents()
    assert "2 steps · 17 of 924 points caught" in bench.sieve.count.text()
    assert "Lorentzian × 3" in bench.model.summary.text()
    assert bench.canvas.height() > 800 * 2 / 3
    demo.resize(1024, 700)
    QApplication.processEvents()
    assert bench.canvas.plot.height() > 350
    assert demo.memory.folded("strip")
    for fold in bench.folds.values():
        click(fold)
    demo.resize(1280, 800)
    QApplication.processEvents()
    press(demo, Qt.Key.Key_F11)
    assert bench.canvas.width() * bench.canvas.height() > 1280 * 800 * 2 / 3
    press(demo, Qt.Key.Key_F11)
    assert demo.shelf.isVisible()
    assert bench.canvas.strip.body.isVisible()
    click(bench.drawer.heading)
    click(bench.drawer.tabs["Result"])
    assert bench.drawer.stack.isVisible(), "a page that is asked for opens the drawer"


def test_double_click_still_adds_a_peak_where_points_are_marks(window):
    x = np.linspace(0, 10, 120)
    y = 5 * np.exp(-(((x - 4) / 0.8) ** 2)) + 1
    record = Record(Source("few.csv", b"1"), (Channel("t", "s", x), Channel("F", "N", y)))
    w = window(edits.add_curves(Study(), [(record, Take(0, 1))], "one"))
    w.session.look(View(w.session.study.document.curves[0].id))
    double_click(w.curve_bench.canvas.plot, 4.0, 5.5)
    assert len(w.session.model.peaks) == 1


def test_files_can_be_dropped_on_every_part_of_the_window(demo, demo_files, qtbot):
    """Qt gives a drop to the innermost part that accepts any, and asks nobody further: each has to take files."""
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(demo_files[0]))])
    takers = [w for w in (demo, *demo.findChildren(QWidget)) if w.acceptDrops() and w.isVisible()]
    takers = [w for w in takers if not isinstance(w, QLineEdit | QPlainTextEdit)]  # these take texts
    assert {demo, demo.shelf.list.viewport()} <= set(takers)
    for i, part in enumerate(takers, 1):
        at = part.rect().center()
        enter = QDragEnterEvent(at, Qt.DropAction.CopyAction, data, LEFT, PLAIN)
        QApplication.sendEvent(part, enter)
        assert enter.isAccepted(), part
        QApplication.sendEvent(part, QDropEvent(QPointF(at), Qt.DropAction.CopyAction, data, LEFT, PLAIN))
        qtbot.waitUntil(lambda i=i: len(demo.tray.files) == i)
        demo.show_bench("Curve")


def test_curves_are_dropped_on_another_family(window):
    w = window(two_families())
    viewport = w.shelf.list.viewport()
    data = w.shelf.model.mimeData([w.shelf.model.index(1)])

    def let_fall(at: QPoint) -> list[int]:
        QApplication.sendEvent(viewport, QDragEnterEvent(at, Qt.DropAction.MoveAction, data, LEFT, PLAIN))
        QApplication.sendEvent(viewport, QDragMoveEvent(at, Qt.DropAction.MoveAction, data, LEFT, PLAIN))
        QApplication.sendEvent(viewport, QDropEvent(QPointF(at), Qt.DropAction.MoveAction, data, LEFT, PLAIN))
        return [len(family.curves) for family in w.session.study.document.families]

    for row, counts in ((7, [3, 4]), (0, [4, 3])):
        assert let_fall(w.shelf.list.visualRect(w.shelf.model.index(row)).center()) == counts
    assert let_fall(QPoint(20, viewport.height() - 4)) == [3, 4], "below all: the last family"
    assert len(w.shelf.model.rows) == 9


def test_what_is_dragged_on_the_plot_can_be_typed(demo, monkeypatch):
    settings = demo.curve_bench.model.settings
    click(settings.fold)
    for line, words in ((settings.low.line, "1250"), (settings.high.line, "1700")):
        line.setFocus()
        line.selectAll()
        type_text(line, words)
        press(line, Qt.Key.Key_Return)
    model = demo.session.model
    assert (model.low, model.high) == (1250.0, 1700.0)
    settings.gaps.setFocus()
    type_text(settings.gaps, "1560 1540; 1300 1310")
    press(settings.gaps, Qt.Key.Key_Return)
    assert demo.session.model.gaps == ((1300.0, 1310.0), (1540.0, 1560.0))
    used = demo.session.model.in_use(demo.session.sieved().curve)
    assert used.x.min() >= 1250
    assert used.x.max() <= 1700
    assert not ((used.x > 1300) & (used.x < 1310)).any()
    settings.gaps.selectAll()
    type_text(settings.gaps, "1 2 3")
    press(settings.gaps, Qt.Key.Key_Return)
    assert "stretches are pairs" in demo.notice.text.text()
    assert settings.gaps.text() == "1300 1310; 1540 1560"
    settings.low.line.setFocus()
    settings.low.line.selectAll()
    press(settings.low.line, Qt.Key.Key_Delete)
    press(settings.low.line, Qt.Key.Key_Return)
    assert demo.session.model.low is None
    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **kwargs: ("1500", True))
    demo.curve_bench.ask_peak()
    assert len(demo.session.model.peaks) == 4
    monkeypatch.setattr(QInputDialog, "getText", lambda *args, **kwargs: ("fifteen", True))
    demo.curve_bench.ask_peak()
    assert "A peak needs one x" in demo.notice.text.text()
    demo.curve_bench.canvas.plot.setFocus()
    event = QContextMenuEvent(QContextMenuEvent.Reason.Keyboard, QPoint(5, 5), demo.mapToGlobal(QPoint(5, 5)))
    QApplication.sendEvent(demo.curve_bench.canvas.plot.viewport(), event)
    menu = QApplication.activePopupWidget()
    assert "Show the whole curve" in texts(menu)


def test_the_label_of_a_peak_is_seen_whole_wherever_the_picture_ends(demo):
    canvas = demo.curve_bench.canvas
    box = canvas.plot.box
    handles = canvas.model.handles[1]
    top = handles.shape.base + handles.shape.height
    for high in (top * 1.3, top * 1.04, top * 1.005):
        box.setYRange(150, high, padding=0)
        QApplication.processEvents()
        shown = handles.label.mapRectToScene(handles.label.boundingRect())
        assert box.sceneBoundingRect().top() - 1 <= shown.top(), high
    canvas.drop_drag()
    demo.session.modelling.set_model(type(demo.session.model)(), "none")
    box.setYRange(0, 1, padding=0)  # handles that are gone are asked for nothing
