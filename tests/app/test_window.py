"""The window beyond the tour: certified numbers by mouse, bad input, big curves, closing, and what the widgets show."""

from __future__ import annotations

import gc
import math
import weakref

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit

from curvesieve.app.session.desk import MODEL, View
from curvesieve.app.session.session import Session
from curvesieve.core.formats import read
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.repair import Despike
from curvesieve.core.study import Study, edits, save_study
from curvesieve.core.study.passing import recorded
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study
from tests.app.gestures import CTRL, SHIFT, choose_term, click, click_cell, double_click, drag, drop_files, type_into
from tests.core.strd import STRD, certified, digits

FWHM_PER_SIGMA = 2 * math.sqrt(2 * math.log(2))


def study_of(x, y, name="made.csv") -> Study:
    channels = (Channel("x", "s", np.asarray(x, float)), Channel("y", "N", np.asarray(y, float)))
    return edits.add_curves(Study(), [(Record(Source(name, b"made"), channels), Take(0, 1))], "made")


def edit_value(w, row: int, text: str) -> None:
    """Types a start into the parameter table."""
    view = w.curve_bench.model.view
    index = view.model().index(row, 1)
    view.edit(index)
    editor = view.viewport().findChildren(QLineEdit)[-1]
    editor.selectAll()
    QTest.keyClicks(editor, text)
    QTest.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()  # the delegate hands the text over in its own time


@pytest.mark.parametrize("start", [0, 1])
def test_eckerle4_through_the_window(window, qtbot, start):
    """The certified width and its standard deviation, from both certified starts, typed in and fitted by mouse."""
    w = window()
    known = certified("Eckerle4")
    drop_files(w, [STRD / "Eckerle4.dat"])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1)
    assert [row.roles.currentText() for row in w.intake_bench.channels.channel_rows] == ["y", "x"]
    click(w.intake_bench.files.bring)
    model = w.curve_bench.model
    model.peak_kind.setCurrentText("Gaussian")
    model.peak_kind.activated.emit(model.peak_kind.currentIndex())
    choose_term(w, "nothing under the peaks")
    double_click(w.curve_bench.canvas.plot, 451.5, 0.3)
    assert [row.title for row in model.table.rows] == ["P1 · center", "P1 · height", "P1 · FWHM", "P1 · area"]
    b1, b2, b3 = known.starts[start].values()
    for row, value in enumerate((b3, b1 / b2, FWHM_PER_SIGMA * b2)):
        edit_value(w, row, repr(value))
    starts = w.session.model.start
    assert starts == pytest.approx({"center_1": b3, "height_1": b1 / b2, "fwhm_1": FWHM_PER_SIGMA * b2}, rel=1e-14)
    QTest.keyClick(w, Qt.Key.Key_F5)
    qtbot.waitUntil(lambda: w.session.fit is not None, timeout=20000)
    p = w.session.fit.result.parameters
    assert digits(p["fwhm_1"].value, FWHM_PER_SIGMA * known.value["b2"]) >= 7
    assert digits(p["fwhm_1"].u, FWHM_PER_SIGMA * known.sd["b2"]) >= 5
    assert digits(p["center_1"].value, known.value["b3"]) >= 7
    assert digits(p["height_1"].value * p["fwhm_1"].value / FWHM_PER_SIGMA, known.value["b1"]) >= 7
    assert w.curve_bench.model.table.rows[2].u == p["fwhm_1"].u
    shown = w.curve_bench.ledger.model
    texts = [shown.data(shown.index(0, c)) for c in range(shown.columnCount())]
    assert texts[3] == "9.63(11)"


def test_bad_files_are_told_and_change_nothing(window, qtbot, tmp_path):
    w = window()
    before = w.session.study
    bad = {
        "binary.csv": bytes(range(256)) * 9,
        "empty.csv": b"",
        "words.txt": b"no numbers here\n",
        "one.txt": b"y\n1\n2\n3\n",
    }
    paths = []
    for name, content in bad.items():
        paths.append(tmp_path / name)
        paths[-1].write_bytes(content)
    good = tmp_path / "ragged.csv"
    good.write_text("t (s),F (N)\n0,1\n1,2\n2\n3,nan\n4,7\n4,8\n3,6\n")
    drop_files(w, [*paths, tmp_path / "gone.csv", good])
    qtbot.waitUntil(lambda: len(w.tray.files) == 6)
    problems = {waiting.name: waiting.problem for waiting in w.tray.files}
    expected = {
        "binary.csv": "binary data",
        "empty.csv": "is empty",
        "words.txt": "no row of numbers",
        "one.txt": "one column of numbers",
        "gone.csv": "No such file",
        "ragged.csv": "",
    }
    for name, sentence in expected.items():
        assert sentence in problems[name]
        assert bool(sentence) == bool(problems[name])
    assert w.session.study is before
    binary = next(waiting.number for waiting in w.tray.files if waiting.name == "binary.csv")
    click_cell(w.intake_bench.files.tree, w.intake_bench.files.row_of(binary), 0)
    qtbot.waitUntil(lambda: w.tray.in_hand == binary)
    assert "binary data" in w.intake_bench.problem.text()
    assert w.intake_bench.files.bring.text() == "Bring in 1 file"
    click(w.intake_bench.files.bring)
    notes = w.curve_bench.sieve.recorded.notes.text()
    assert "1 row left out (first: row 4, 1 cell instead of 2)" in notes
    assert "1 row without a number" in notes
    assert "t is not monotonic" in notes
    assert "t repeats its value 1 time" in notes
    assert len(w.tray.files) == 5

    broken = tmp_path / "broken.sieve"
    broken.write_bytes(b"PK\x03\x04 cut short")
    w.session._saved = w.session.study
    here = w.session.study
    w.study_files.open(broken)
    qtbot.waitUntil(lambda: "broken.sieve is not a study" in w.notice.text.text())
    assert w.session.study is here
    w.session.save(tmp_path / "no folder" / "x.sieve")
    qtbot.waitUntil(lambda: "x.sieve cannot be written" in w.notice.text.text())
    w.curve_bench.ledger.write(tmp_path / "no folder" / "x.csv")
    qtbot.waitUntil(lambda: "x.csv cannot be written" in w.notice.text.text())


def test_roles_rows_and_pasting(window, qtbot):
    w = window()
    QApplication.clipboard().setText("run 7\nt;F;u\n0;1;0,1\n1;2;0,1\n2;4;0,2\n")
    w.setFocus()
    QTest.keyClick(w, Qt.Key.Key_V, CTRL)
    qtbot.waitUntil(lambda: w.tray.shown is not None and w.tray.shown.ready)
    rows = w.intake_bench.channels.channel_rows
    rows[2].roles.textActivated.emit("u")
    assert w.tray.shown.taken.takes[0].u == 2
    w.intake_bench.channels.channel_rows[1].roles.textActivated.emit("x")
    assert (w.tray.shown.taken.takes[0].x, w.tray.shown.taken.takes[0].y) == (1, 0)
    click_cell(w.intake_bench.text, 3, 0)  # the data are said to begin a row later
    qtbot.waitUntil(lambda: len(w.tray.shown.record) == 2)
    bench = w.intake_bench
    bench.decimal.setCurrentIndex(0)
    bench.decimal.textActivated.emit("decimal point")
    qtbot.waitUntil(lambda: "no row of numbers" in w.notice.text.text() or len(w.tray.shown.record.channels) == 2)
    bench.delimiter.setCurrentIndex(bench.delimiter.findData("|"))
    bench.delimiter.textActivated.emit("bar")
    qtbot.waitUntil(lambda: "no row of numbers with bar between the cells" in w.notice.text.text())
    assert bench.delimiter.currentData() == ";", "what stays is shown again"
    click(w.intake_bench.files.bring)
    assert len(recorded(w.session.study, w.session.view.curve)) == 3, "u is a column of words with a decimal point"
    QApplication.clipboard().setText("  ")
    w.paste()
    assert "clipboard holds neither text nor a picture" in w.notice.text.text()


def test_wrong_numbers_in_fields_are_told_and_the_old_ones_kept(window, qtbot, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    w.session.look(View(w.session.study.document.curves[EXAMPLE].id))
    entry = w.session.entry
    slot = w.session.slots[1].id
    w.session.look_at_stage(slot)
    card = w.curve_bench.sieve.card(slot)
    for text, sentence in (
        ("eleven", "is not a whole number; 11 is kept"),
        ("1", "must be greater than or equal to 3"),
    ):
        type_into(card.fields["window"].line, text)
        assert sentence in w.notice.text.text()
        assert card.fields["window"].line.text() == "11"
    assert w.session.entry is entry
    edit_value(w, 2, "-3")
    assert "P1 · FWHM must be above zero" in w.notice.text.text()
    edit_value(w, 0, "abc")
    assert "“abc” is not a number" in w.notice.text.text()
    assert w.session.entry is entry
    # A window wider than the curve: the card says so, the curve passes on, and a fit refuses to pretend.
    type_into(card.fields["window"].line, "999")
    assert "points, and the curve has" in card.problem.text()
    click(w.curve_bench.model.foot.fit)
    qtbot.waitUntil(lambda: "The step Despike does not work" in w.notice.text.text())
    assert "Out of date" in w.curve_bench.model.foot.warning.text()


def test_fit_again_changes_nothing_and_edits_begin_from_what_is_seen(window, qtbot, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    session = w.session
    session.look(View(session.study.document.curves[EXAMPLE].id))
    first = session.fit.result
    old = session.study
    click(w.curve_bench.model.foot.fit)
    qtbot.waitUntil(lambda: session.study is not old, timeout=20000)
    again = session.fit.result
    assert {n: p.value for n, p in again.parameters.items()} == {n: p.value for n, p in first.parameters.items()}
    hold = w.curve_bench.model.view.model().index(2, 2)
    w.curve_bench.model.table.setData(hold, Qt.CheckState.Checked.value, Qt.ItemDataRole.CheckStateRole)
    assert session.fit is None
    assert session.model.start["fwhm_1"] == first.parameters["fwhm_1"].value
    click(w.curve_bench.model.foot.fit)
    qtbot.waitUntil(lambda: session.fit is not None, timeout=20000)
    assert session.fit.result.parameters["fwhm_1"].held
    click(w.curve_bench.model.foot.remove)
    assert [placed.number for placed in session.model.peaks] == [1, 2]
    click(w.curve_bench.model.foot.starts)
    assert [placed.number for placed in session.model.peaks] == [1, 2]


def test_a_million_points_are_drawn_by_a_few_thousand(window, qtbot):
    x = np.linspace(0, 1000, 1_000_000)
    y = np.sin(x) + 0.01 * np.random.default_rng(0).normal(size=x.size)
    y[777_777] = 25.0
    w = window(study_of(x, y))
    canvas = w.curve_bench.canvas
    drawn_x, drawn_y = canvas.layers.ink.item.getData()
    assert drawn_x.size < 4 * canvas.plot.width()
    assert np.nanmax(drawn_y) == 25.0
    drag(canvas.plot, (777.0, 10), (778.5, 26), CTRL)
    drawn_x, drawn_y = canvas.layers.ink.item.getData()
    assert np.nanmax(drawn_y) == 25.0
    assert drawn_x.min() > 700
    w.session.apply(edits.add_step(w.session.view.curve, Despike(), "s"), "add")
    # So large a curve passes its sieve in the background; the record is shown and the card says so until it is through.
    assert w.session.sieved() is None
    assert w.curve_bench.sieve._cards[0][0].text.text() == "passing …"
    mesh = w.curve_bench.sieve._cards[0][0].text
    qtbot.waitUntil(lambda: mesh.text() != "passing …", timeout=30000)
    caught = w.session.sieved().trail[0].caught.points
    assert f"{caught.size} points caught" in mesh.text()
    assert 777_777 in caught
    assert caught.size < 100


def test_log_axes_move_everything_with_them(window, qtbot):
    x = np.logspace(-2, 2, 300)
    w = window(study_of(x, 100 / (1 + x**2)))
    canvas = w.curve_bench.canvas
    click(canvas.x_scale)
    click(canvas.y_scale)
    assert canvas.plot.box.viewRange()[0] == pytest.approx([-2, 2], abs=0.4)
    drag(canvas.plot, (0.1, 1.0), (10.0, 1.0), SHIFT)
    double_click(canvas.plot, 1.0, 50.0)
    model = w.session.model
    assert model.low == pytest.approx(0.1, rel=0.1)
    assert model.high == pytest.approx(10, rel=0.1)
    crown = canvas.model.handles[1].crown.pos()
    placed = model.term_numbered(1).parameters["center"].start
    assert crown.x() == pytest.approx(math.log10(placed), abs=1e-6)


def test_finder_shelf_and_removal(window, qtbot, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    w.setFocus()
    QTest.keyClick(w, Qt.Key.Key_K, CTRL)
    assert w.finder.isVisible()
    QTest.keyClicks(w.finder.field, "step desp")
    QTest.keyClick(w.finder.field, Qt.Key.Key_Return)
    assert w.session.slots[0].rule.slug == "despike"
    QTest.keyClicks(w.shelf.filter, "4.0")
    assert [row.text for row in w.shelf.model.rows] == ["Raman by silver loading", "4.0 wt%"]
    click_cell(w.shelf.list, 1, 0)
    assert w.session.entry.label == "4.0 wt%"
    QTest.keyClick(w.shelf.list, Qt.Key.Key_Delete)
    assert len(w.session.study.document.curves) == 7
    w.session.undo()
    assert w.session.entry.label == "4.0 wt%"
    w.use_scheme("dark")
    w.use_scheme("light")


def test_a_defect_is_told_once_and_the_study_kept(window, qtbot, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    w.session.apply(edits.rename_curve(w.session.entry.id, "edited"), "rename")
    window.expected.add("ZeroDivisionError")
    told: list[str] = []
    w.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    for _ in range(30):  # a failing paint comes with every frame
        w.keeper._keep(ZeroDivisionError("made for the test"))
    assert "Something went wrong inside the program (ZeroDivisionError)" in w.notice.text.text()
    assert "Traceback" not in w.notice.text.text()
    copies = tmp_path / "state" / "curvesieve" / "recovery"
    qtbot.waitUntil(lambda: w.recovery.worker.pending == 0)
    assert len(list(copies.iterdir())) == 1
    assert '"edited"' in next(copies.glob("*/study.json")).read_text()
    assert w.keeper.seen == {"ZeroDivisionError": 30}
    assert len(told) == 1


def test_closed_windows_are_let_go(qtbot, tmp_path):
    from curvesieve.app.shell.main import make_application
    from curvesieve.app.shell.window import Window

    make_application()
    w = Window(Session(), tmp_path)
    w.session.begin(build_study(tmp_path / "demo"))
    w.show()
    QTest.qWaitForWindowExposed(w)
    w.close()
    gone = weakref.ref(w)
    w.deleteLater()
    QTest.qWait(50)
    QApplication.sendPostedEvents(None, 52)  # DeferredDelete
    del w
    gc.collect()
    assert gone() is None


def test_opening_a_saved_study_by_drop(window, qtbot, tmp_path):
    path = tmp_path / "kept.sieve"
    save_study(build_study(tmp_path / "demo"), path)
    w = window()
    drop_files(w, [path])
    qtbot.waitUntil(lambda: len(w.session.study.document.curves) == 8)
    assert w.session.path == path
    assert w.header.study.text() == "kept.sieve · saved  ▾"
    assert w.session.view.stage == MODEL
    assert read(tmp_path / "demo" / "loading-2p0wt.csv").source.sha256 in w.session.study.sources


@pytest.mark.parametrize(("typed", "label"), [
    ("interpolate", {"Resample", "Bridge"}), ("blank", {"Combine", "Subtract a blank"}),
    ("integrate", {"Running area"}),
    ("cosmic ray", {"Despike", "Despike by differences"}), ("normalise", {"Scale"}), ("derivative", {"Slope"}),
    ("crop", {"Keep range"}), ("exclude", {"Leave out"}), ("fourier", {"Spectrum"}), ("background", {"Baseline"}),
    ("replicates", {"Average"}), ("average", {"Average"}), ("tare", {"Zero"}), ("denoise", {"Smooth"}),
])  # fmt: skip
def test_steps_are_found_by_the_words_of_the_trade(window, demo_files, qtbot, typed, label):
    w = window()
    drop_files(w, demo_files[:1])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1)
    click(w.intake_bench.files.bring)
    found = w.curve_bench.sieve.step_list
    click(w.curve_bench.sieve.add)
    QTest.keyClicks(found.field, typed)
    assert label <= {item.text(0).strip() for item in found._items()}
    QTest.keyClick(found.field, Qt.Key.Key_Return)
    (slot,) = w.session.slots
    assert slot.rule.label in label
    w.finder.open()
    QTest.keyClicks(w.finder.field, typed)
    rows = [w.finder.list.item(i).text() for i in range(w.finder.list.count())]
    assert {f"Add a step: {one}" for one in label} <= set(rows)
    QTest.keyClick(w.finder.field, Qt.Key.Key_Return)
    assert w.session.slots[-1].rule.label in label
    assert len(w.session.slots) == 2


def test_the_demo_is_one_click_away_and_never_takes_what_was_begun(window, demo_files, qtbot):
    w = window()
    assert not w.curve_bench.canvas.against.isVisible(), "there are no stages to compare yet"
    click(w.curve_bench.canvas.empty.demo)
    qtbot.waitUntil(lambda: bool(w.session.study.document.curves), timeout=30000)
    assert w.session.study.document.title == "marram-films"
    assert w.session.path is None, "saving asks for a place of its own"
    assert w.session.study.fit_is_current(w.session.view.curve)
    other = window()
    click(other.curve_bench.canvas.empty.demo)
    begun, told = study_of([0, 1, 2], [1, 2, 3]), []
    other.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    other.session.begin(begun)
    qtbot.waitUntil(lambda: not other.session.jobs.busy, timeout=30000)
    assert other.session.study is begun
    assert told == ["The demo is made; it was not opened, as another study was begun."]
