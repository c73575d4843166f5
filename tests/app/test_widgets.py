"""Widgets both ways: what they show of a value, and what they report when they are used."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QTextDocument, QTextDocumentFragment
from PyQt6.QtTest import QAbstractItemModelTester, QTest

from curvesieve.app.plotting.plot import Plot
from curvesieve.app.plotting.shapes import Drawing
from curvesieve.app.session.desk import View
from curvesieve.app.shell.main import make_application
from curvesieve.app.theme import DARK, LIGHT, family_colours
from curvesieve.app.widgets.basics import Elided, plain_tip
from curvesieve.app.widgets.number import NumberField
from curvesieve.app.widgets.popup import matches
from curvesieve.app.widgets.switch import Switch
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.shapes import Fill, Line, Point, Words
from curvesieve.core.study import Study, edits
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study
from tests.app.gestures import click, type_into


@pytest.fixture
def field(qtbot):
    make_application()
    made = NumberField("window", "points", whole=True, optional=False, step=2)
    qtbot.addWidget(made)
    made.show()
    made.set(11)
    return made


def test_a_number_field_shows_reports_steps_and_refuses(field, qtbot):
    edited, refused = [], []
    field.edited.connect(edited.append)
    field.refused.connect(refused.append)
    assert field.line.text() == "11"
    type_into(field.line, "21")
    assert edited == [21]
    QTest.keyClick(field.line, Qt.Key.Key_Up)
    QTest.keyClick(field.line, Qt.Key.Key_Down)
    assert edited == [21, 23, 21]
    for wrong in ("2.5", "many"):
        type_into(field.line, wrong)
    field.line.clear()
    QTest.keyClick(field.line, Qt.Key.Key_Return)
    assert edited == [21, 23, 21]
    assert len(refused) == 3
    assert "“2.5” is not a whole number; 21 is kept" in refused[0]
    assert field.line.text() == "21"


def test_an_optional_field_takes_nothing_and_both_decimal_marks(qtbot):
    make_application()
    made = NumberField("low", "cm⁻¹", whole=False, optional=True)
    qtbot.addWidget(made)
    edited = []
    made.edited.connect(edited.append)
    made.set(1200.5)
    type_into(made.line, "1180,25")
    made.line.setText("−3e2")  # the minus sign of typesetters, as copied from a paper
    QTest.keyClick(made.line, Qt.Key.Key_Return)
    for _ in range(2):
        made.line.clear()
        QTest.keyClick(made.line, Qt.Key.Key_Return)
    assert edited == [1180.25, -300.0, None]


def test_a_switch_is_worked_by_mouse_and_by_space(qtbot):
    make_application()
    switch = Switch()
    qtbot.addWidget(switch)
    switch.show()
    told = []
    switch.clicked.connect(told.append)
    click(switch)
    QTest.keyClick(switch, Qt.Key.Key_Space)
    assert told == [True, False]
    off, on = switch.grab().toImage(), None
    switch.setChecked(True)
    on = switch.grab().toImage()
    left = off.pixelColor(off.width() // 4, off.height() // 2)
    assert left != on.pixelColor(on.width() // 4, on.height() // 2), "the knob moves; it does not only change colour"


def test_long_texts_are_shortened_and_kept_as_a_tip(qtbot):
    make_application()
    label = Elided("a text that is much too long for the room it has")
    qtbot.addWidget(label)
    label.resize(80, 20)
    label.show()
    assert label.text().endswith("…")
    assert label.toolTip() == label.whole_text()
    label.resize(900, 20)
    assert label.text() == label.whole_text()
    assert not label.toolTip()


def test_finder_words():
    assert matches("Add a step: Despike", "step desp")
    assert matches("Undo", "")
    assert not matches("Undo", "re")


def test_item_models_keep_qts_rules(window, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    w.session.look(View(w.session.study.document.curves[EXAMPLE].id))
    fatal = QAbstractItemModelTester.FailureReportingMode.Fatal
    models = (
        w.shelf.model,
        w.curve_bench.ledger.model,
        w.curve_bench.model.table,
        w.curve_bench.canvas.strip.list_model,
    )
    testers = [QAbstractItemModelTester(model, fatal) for model in models]
    w.session.look_at_stage(w.session.slots[1].id)
    w.shelf.remove_in_hand()
    w.session.undo()
    w.shelf.filter.setText("nothing has this")
    assert w.shelf.model.rowCount() == 0
    w.shelf.filter.clear()
    assert len(testers) == 4


def test_parameter_table_tells_where_a_value_comes_from(window, tmp_path):
    w = window(build_study(tmp_path / "demo"))
    w.session.look(View(w.session.study.document.curves[EXAMPLE].id))
    table = w.curve_bench.model.table
    tip = table.data(table.index(2, 1), Qt.ItemDataRole.ToolTipRole)
    assert "full width at half maximum in cm⁻¹" in tip
    assert "from the fit), u = " in tip
    assert table.headerData(1, Qt.Orientation.Horizontal) == "value ± u"
    assert table.rowCount(QModelIndex()) == 14, "eleven parameters and three areas"
    ledger = w.curve_bench.ledger.model
    tip = ledger.data(ledger.index(EXAMPLE, 4), Qt.ItemDataRole.ToolTipRole)
    assert "∫ of the Lorentzian over all x" in tip
    assert ledger.data(ledger.index(0, 1)) == "–"
    assert ledger.data(ledger.index(0, ledger.columnCount() - 1)) == "not fitted"


def luminance(name: str) -> float:
    """Relative luminance of WCAG 2.1 (definition from memory)."""
    channels = [int(name[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


@pytest.mark.parametrize("scheme", [LIGHT, DARK], ids=lambda p: p.name)
def test_texts_can_be_read_in_both_schemes(scheme):
    # WCAG 2.1, 1.4.3: a contrast of 4.5 for text; figures and lines 3 (1.4.11).
    pairs = [("ink", "card", 4.5), ("ink", "paper", 4.5), ("muted", "card", 4.5), ("muted", "paper", 4.5)]
    pairs += [
        ("rust", "card", 4.5),
        ("violet", "card", 4.5),
        ("on_verdigris", "verdigris", 4.5),
        ("verdigris", "card", 3),
    ]
    pairs += [("header_ink", "header", 4.5), ("header_muted", "header", 4.5)]
    for front, back, least in pairs:
        light, dark = sorted((luminance(getattr(scheme, front)), luminance(getattr(scheme, back))), reverse=True)
        assert (light + 0.05) / (dark + 0.05) >= least, (front, back)


def test_family_colours_are_distinct_and_ordered():
    colours = family_colours(7)
    assert len({colour.name() for colour in colours}) == 7
    assert family_colours(2)[0].name() == colours[0].name()
    assert family_colours(2)[1].name() == colours[-1].name()


def test_names_with_signs_of_html_are_shown_as_they_are(window):
    name = "signal for T<Tc & p>0 <b>bold</b>"
    x = np.linspace(0, 1, 20)
    record = Record(Source("a<b>.csv", b"m"), (Channel("T<Tc", "K", x), Channel(name, "N", x)))
    w = window(edits.add_curves(Study(), [(record, Take(0, 1))], "f<i>", labels=["one <b>two</b>"]))
    w.session.look(View(w.session.study.document.curves[0].id))
    canvas = w.curve_bench.canvas
    for side, wanted in (("left", f"{name} (N)"), ("bottom", "T<Tc (K)")):
        shown = QTextDocument()
        shown.setHtml(canvas.plot.axes[side].labelString())
        assert wanted in shown.toPlainText()
    assert canvas.title.whole_text() == "one <b>two</b>"
    tip = QTextDocumentFragment.fromHtml(plain_tip("x <b>y</b>\nz")).toPlainText()
    assert tip == "x <b>y</b>\nz"
    assert plain_tip("T<Tc") in ("T<Tc", "<qt>T&lt;Tc</qt>")


@pytest.mark.parametrize("log", [False, True])
def test_every_shape_of_a_rule_is_drawn_where_it_says(qtbot, log):
    plot = Plot()
    qtbot.addWidget(plot)
    plot.set_log(log, log)
    plot.box.setRange(xRange=(0, 4), yRange=(0, 4), padding=0)
    drawing, before = Drawing(plot), len(plot.box.childGroup.childItems())
    x = np.array([1.0, 10.0, 100.0])
    shapes = (Line(x, 2 * x, "taken"), Point(10.0, 20.0), Fill(x, x, 2 * x), Words(10.0, 30.0, "E 2.41(2) GPa"))
    drawing.show(shapes)
    scale = np.log10 if log else np.asarray
    np.testing.assert_allclose(drawing.lines[0].item.getData(), (scale(x), scale(2 * x)))
    point, fill, words = drawing.items
    assert (point.data["x"][0], point.data["y"][0]) == (scale(10.0), scale(20.0))
    np.testing.assert_allclose(fill.curves[1].getData()[1], scale(2 * x))
    assert (words.pos().x(), words.pos().y()) == (scale(10.0), pytest.approx(scale(30.0)))
    assert words.toPlainText() == "E 2.41(2) GPa"
    drawing.show(shapes[:1])
    drawing.show(())
    assert drawing.lines[0].size == 0
    assert len(plot.box.childGroup.childItems()) == before + 1, "the line's own item is kept for the next"
