"""Figures in the window by mouse and keys: made in one click, changed part by part, written, and following the data."""

from __future__ import annotations

import csv
import io
import subprocess
import sys

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QGuiApplication
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QWidget

from curvesieve.app.benches.figure import fields as editors
from curvesieve.app.benches.figure.rows import MANNER, PAGE, ROWS
from curvesieve.core.figures.fonts import SHIPPED
from curvesieve.core.figures.parts import part_rows, value_of
from curvesieve.core.measures.base import parse_measure
from curvesieve.core.steps.trim import KeepRange
from curvesieve.core.study import edits
from curvesieve.core.study.field_parts import OfFormula
from curvesieve.core.study.figure_parts import AxisSpec, FamilyContent, FieldContent, Inset, PanelSpec
from curvesieve.demo.build import build_study
from tests.app.gestures import LEFT, PLAIN, click, menu_behind, press, take, type_into


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    return build_study(tmp_path_factory.mktemp("demo"))


def go(w):
    click(w.header.buttons["Figure"])
    return w.figure_bench


def settled(w, qtbot) -> None:
    qtbot.waitUntil(lambda: not w.session.jobs.busy)
    QTest.qWait(10)
    bench = w.figure_bench
    if bench.work.spec is not None:
        qtbot.waitUntil(lambda: bench.work.seen is not None and bench.work.seen.spec is bench.work.spec)


def start_with(w, qtbot, words: str):
    """Clicks the offer of an empty study of figures."""
    bench = go(w)
    button = next(
        one
        for one in bench.start.findChildren(QWidget)
        if words in (one.accessibleName(), getattr(one, "text", lambda: "")())
    )
    click(button)
    settled(w, qtbot)
    return bench


def new(w, qtbot, words: str):
    take(menu_behind(w.figure_bench.new), words)
    settled(w, qtbot)


def spot_of(bench, part: str) -> QPoint:
    """The middle of a part on the page, or a point of its line."""
    picture, paper = bench.work.seen.picture, bench.view.paper
    if part in picture.traces:
        trace = picture.traces[part]
        x, y = trace[len(trace) * 3 // 5]
    else:
        left, top, right, bottom = picture.boxes[part]
        x, y = (left + right) / 2, (top + bottom) / 2
    return (paper.corner() + QPointF(x, y)).toPoint()


def click_part(w, qtbot, part: str) -> None:
    bench = w.figure_bench
    click(bench.view.paper, spot_of(bench, part))
    settled(w, qtbot)
    assert bench.work.part == part


def drag_part(w, qtbot, part: str, dx: int, dy: int) -> None:
    bench = w.figure_bench
    paper, at = bench.view.paper, spot_of(bench, part)
    QTest.mouseMove(paper, at)
    QTest.mousePress(paper, LEFT, PLAIN, at)
    for k in range(1, 5):
        QTest.mouseMove(paper, at + QPoint(dx * k // 4, dy * k // 4))
    QTest.mouseRelease(paper, LEFT, PLAIN, at + QPoint(dx, dy))
    settled(w, qtbot)


def choose(field, words: str) -> None:
    """Takes a row of a choice by keys."""
    choice = field.choice
    place = [choice.itemText(k) for k in range(choice.count())].index(words)
    choice.setFocus()
    choice.setCurrentIndex(place)
    choice.activated.emit(place)


def field(bench, name: str):
    return bench.card.fields[name]


def value(bench):
    return value_of(bench.work.spec, bench.work.part)


def test_the_lifted_raman_figure_is_made_changed_and_written(window, qtbot, demo, tmp_path, monkeypatch):
    w = window(demo)
    w.session.look_at_curve(demo.document.curves[3].id)
    bench = start_with(w, qtbot, "Raman by silver loading, lifted")
    spec = bench.work.spec
    assert spec.panels[0].y.numbers == "none"
    assert (spec.panels[0].x.ticks, spec.panels[0].x.both, spec.panels[0].frame) == ("inside", True, "four sides")
    click_part(w, qtbot, "x 0")
    assert bench.part_title.text() == "X AXIS OF PANEL A"
    type_into(field(bench, "low").fields["low"].line, "1250")
    type_into(field(bench, "words").text, "Raman shift \\Delta*ν* (cm^-1)")
    settled(w, qtbot)
    assert value(bench) == spec.panels[0].x.model_copy(
        update={"low": 1250.0, "words": "Raman shift \\Delta*ν* (cm^-1)"}
    )
    # a guide that follows the first peak of the curve that has a fit
    take(menu_behind(bench.add_mark), "Guide line")
    settled(w, qtbot)
    assert bench.work.part == "mark 0 0"
    take(menu_behind(field(bench, "spot").follow), "P1 center of 2.0 wt%")
    click(field(bench, "number").box)
    settled(w, qtbot)
    guide = value(bench)
    assert (guide.spot.key.quantity, guide.spot.key.part, guide.number) == ("center", 1, True)
    center = demo.fit(demo.document.curves[3].id).result.values["center_1"]
    assert field(bench, "spot").text.text() == "center 1 of 2.0 wt%"
    # lifted by the hand, and a name moved
    top = demo.document.curves[4].id
    drag_part(w, qtbot, f"line 0 {top}", 0, -12)
    (content,) = bench.work.spec.panels[0].contents
    assert dict(content.lifts)[top] > 0
    drag_part(w, qtbot, f"name 0 {top}", -30, 10)
    assert dict(bench.work.spec.panels[0].lines)[top].shift == pytest.approx(
        (-30 * 72 / bench.work.seen.picture.dpi, -10 * 72 / bench.work.seen.picture.dpi), abs=0.7
    )
    told = []
    w.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    drag_part(w, qtbot, "mark 0 0", 20, 0)
    assert told == ["This guide follows a reading; type a place to move it."]
    w.notice.lay_down()
    type_into(field(bench, "spot").text, "1400")
    settled(w, qtbot)
    at = value(bench).spot.at
    drag_part(w, qtbot, "mark 0 0", 20, 0)
    assert value(bench).spot.at > at + 10
    for _ in range(2):
        w.session.undo()
    settled(w, qtbot)
    # out in all forms, with data and script
    for suffix in (".png", ".tiff", ".svg", ".pdf"):
        target = tmp_path / f"raman{suffix}"
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, target=target, **k: (str(target), ""))
        click(bench.out.formats[suffix])
        if suffix == ".png":
            type_into(bench.out.dpi.line, "200")
            click(bench.out.script)
        click(bench.out.write_button)
        qtbot.waitUntil(target.exists)
        settled(w, qtbot)
    image = Image.open(tmp_path / "raman.png")
    assert image.size == pytest.approx((85 / 25.4 * 200, 110 / 25.4 * 200), abs=1)
    assert f"{center:.6g}" in (tmp_path / "raman.svg").read_text(encoding="utf-8")
    for font in SHIPPED.glob("Source*.ttf"):
        (tmp_path / font.name).write_bytes(font.read_bytes())
    subprocess.run([sys.executable, str(tmp_path / "raman.py"), str(tmp_path / "again.png")], check=True, env={})
    again = Image.open(tmp_path / "again.png").convert("RGB")
    assert np.abs(np.asarray(again, int) - np.asarray(image.convert("RGB"), int)).max() <= 8
    rows = list(csv.reader(io.StringIO((tmp_path / "raman.csv").read_text(encoding="utf-8"))))
    assert float(rows[1][0]) == demo.from_record(demo.document.curves[0].id).x[0]
    # a step changes what is drawn; undo gives it back
    before = bench.work.seen.picture
    w.session.apply(edits.add_step(demo.document.curves[0].id, KeepRange(low=1500.0), "s"), "keep a range")
    settled(w, qtbot)
    after = bench.work.seen.picture
    line = f"line 0 {demo.document.curves[0].id}"
    assert after.traces[line][:, 0].min() > before.traces[line][:, 0].min() + 50
    w.session.undo()
    settled(w, qtbot)
    assert np.array_equal(bench.work.seen.picture.pixels, before.pixels)


def test_three_signals_as_a_stack_and_as_panels_with_scientific_numbers(window, qtbot, demo):
    w = window(demo)
    w.session.look_at_curve(demo.document.families[1].curves[0])
    bench = start_with(w, qtbot, "Stress relaxation by humidity, lifted")
    assert len(bench.work.seen.picture.traces) == 3
    new(w, qtbot, "Stress relaxation by humidity, a panel each")
    spec = bench.work.spec
    assert (len(spec.panels), spec.share_x, spec.gap, spec.letters) == (3, True, 0.0, True)
    for place in range(3):
        click_part(w, qtbot, f"y {place}")
        choose(field(bench, "numbers"), "scientific")
        type_into(field(bench, "digits").fields["digits"].line, "1")
        settled(w, qtbot)
    assert [panel.y.numbers for panel in bench.work.spec.panels] == ["scientific"] * 3
    # a logarithmic x axis is that of all panels that share it, and says what has no place on it
    click_part(w, qtbot, "x 2")
    choose(field(bench, "scale"), "logarithmic")
    settled(w, qtbot)
    assert {panel.x.scale for panel in bench.work.spec.panels} == {"logarithmic"}
    assert any("1 point has no place on the logarithmic x axis (x = 0)" in one for one in bench.work.seen.said)
    click(bench.notes.next)
    assert "no place" in bench.notes.said.whole_text()
    w.session.undo()
    settled(w, qtbot)
    assert {panel.x.scale for panel in bench.work.spec.panels} == {"linear"}


def test_a_figure_of_constructions_live_words_and_the_report(window, qtbot, demo, tmp_path, monkeypatch):
    curve = demo.document.families[1].curves[0]
    measure = parse_measure({"measure": "straight-part", "low": 300.0, "high": 600.0})
    study = edits.add_measure(curve, measure)(demo)
    w = window(study)
    w.session.look_at_curve(curve)
    bench = start_with(w, qtbot, "30 % RH, with its constructions")
    take(menu_behind(bench.add_mark), "Words")
    settled(w, qtbot)
    line = field(bench, "words").text
    line.setFocus()
    line.selectAll()
    press(line, Qt.Key.Key_Delete)
    press(line, Qt.Key.Key_Return)
    rows = dict(field(bench, "words").palette_rows())
    words = next(one for one in rows if one.endswith("of 30 % RH") and "slope" in one.lower())
    menu = menu_behind(field(bench, "words").palette_button)
    take(menu, words)
    settled(w, qtbot)
    (mark,) = bench.work.spec.panels[0].marks
    assert mark.words.startswith("{")
    assert mark.words.endswith("of 30 % RH}")
    part = "mark 0 0"
    x, y = mark.x, mark.y
    drag_part(w, qtbot, part, 60, 40)
    moved = bench.work.spec.panels[0].marks[0]
    assert moved.x > x
    assert moved.y < y
    for _ in range(5):  # faster than pages are drawn: none is lost, and all are one edit
        QTest.keyClick(bench.view.paper, Qt.Key.Key_Left)
    settled(w, qtbot)
    step = 5 / 72 * 25.4 / (85.0 * bench.work.seen.picture.panels[0].box[2] / bench.work.seen.picture.pixels.shape[1])
    nudged = bench.work.spec.panels[0].marks[0].x
    assert moved.x - nudged == pytest.approx(step, rel=0.25)
    w.session.undo()
    assert bench.work.spec.panels[0].marks[0].x == moved.x
    # the report, and the methods as a paragraph
    target = tmp_path / "report.html"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    take(menu_behind(bench.report), "Report of the study")
    qtbot.waitUntil(target.exists)
    settled(w, qtbot)
    text = target.read_text(encoding="utf-8")
    assert text.count("<svg") == 1
    assert "Straight part: 300 – 600" in text
    take(menu_behind(bench.report), "Copy the methods")
    qtbot.waitUntil(lambda: QGuiApplication.clipboard().text().startswith("Data were analysed with Curve Sieve"))
    template = tmp_path / "t.txt"
    template.write_text("# {title}\n{nothing}\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(template), ""))
    dict(bench.report.rows())["By a template of your own…"]()
    qtbot.waitUntil(lambda: w.notice.isVisible())
    settled(w, qtbot)
    w.notice.lay_down()
    # what it refers to goes: the page says so
    w.session.apply(edits.remove_curve(curve), "remove")
    settled(w, qtbot)
    assert any("not in the study any more" in one for one in bench.work.seen.said)
    assert any("There is no" in one for one in bench.work.seen.said)
    w.session.undo()
    settled(w, qtbot)
    press(bench.view.paper, Qt.Key.Key_Delete)
    settled(w, qtbot)
    assert bench.work.spec.panels[0].marks == ()


def test_one_click_makes_a_figure_of_what_is_in_hand(window, qtbot, demo):
    w = window(demo)
    w.session.look_at_curve(demo.document.curves[3].id)
    press(w, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: w.bench == "Figure")
    settled(w, qtbot)
    assert [content.kind for panel in w.figure_bench.work.spec.panels for content in panel.contents] == [
        "curve",
        "residual",
    ]
    click(w.header.buttons["Family"])
    click(w.family_bench.stand.stands["lifted"])
    qtbot.waitUntil(lambda: not w.session.jobs.busy)
    click(w.family_bench.stage.figure)
    settled(w, qtbot)
    (content,) = w.figure_bench.work.spec.panels[0].contents
    assert content.lifted


def test_pieces_are_dropped_onto_the_page_and_figures_named_copied_removed(window, qtbot, demo, tmp_path, monkeypatch):
    w = window(demo)
    bench = start_with(w, qtbot, "An empty page")
    assert "Nothing is in this panel yet." in bench.work.seen.said
    tree, paper = bench.pieces, bench.view.paper
    group = tree.topLevelItem(0)
    item = group.child(0)
    tree.setCurrentItem(item)
    data: QMimeData = tree.mimeData([item])
    at = QPointF(spot_of(bench, "panel 0"))
    action = Qt.DropAction.CopyAction
    QApplication.sendEvent(paper, QDragEnterEvent(at.toPoint(), action, data, LEFT, PLAIN))
    QApplication.sendEvent(paper, QDragMoveEvent(at.toPoint(), action, data, LEFT, PLAIN))
    QApplication.sendEvent(paper, QDropEvent(at, action, data, LEFT, PLAIN))
    settled(w, qtbot)
    (content,) = bench.work.spec.panels[0].contents
    assert isinstance(content, FamilyContent)
    # by the keyboard: a curve of other units is refused on this axis, and goes to the right one
    click(bench.add_panel)
    settled(w, qtbot)
    curves = next(
        tree.topLevelItem(k) for k in range(tree.topLevelItemCount()) if tree.topLevelItem(k).text(0) == "Curves"
    )
    curves.setExpanded(True)
    tree.setCurrentItem(curves.child(0))
    tree.setFocus()
    press(tree, Qt.Key.Key_Return)
    settled(w, qtbot)
    tree.setCurrentItem(curves.child(curves.childCount() - 1))
    press(tree, Qt.Key.Key_Return)
    settled(w, qtbot)
    assert len(bench.work.spec.panels[1].contents) == 2
    assert any("it is not drawn" in one for one in bench.work.seen.said)
    # named, copied, removed; two of one name are refused
    bench.figures.setFocus()
    item = bench.figures.item(0)
    item.setText("First")
    settled(w, qtbot)
    assert [one.name for one in w.session.study.document.figures] == ["First"]
    dict(bench.figure_rows(bench.work.spec.id))["Copy"]()
    settled(w, qtbot)
    assert [one.name for one in w.session.study.document.figures] == ["First", "First 2"]
    assert bench.title.whole_text() == "First 2"
    bench.figures.item(1).setText("First")
    settled(w, qtbot)
    assert [one.name for one in w.session.study.document.figures] == ["First", "First 2"]
    click(bench.out.copy)
    qtbot.waitUntil(lambda: not QGuiApplication.clipboard().image().isNull())
    settled(w, qtbot)
    # a manner is kept, and given to the other figure
    bench.work.choose("")
    type_into(bench.page_card.manner.fields["words"].fields["words"].line, "10")
    settled(w, qtbot)
    assert bench.page_card.choice.currentText() == "for print, changed"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("thesis", True))
    click(bench.page_card.keep)
    settled(w, qtbot)
    assert bench.work.spec.manner.name == "thesis"
    bench.figures.setCurrentRow(0)
    settled(w, qtbot)
    choice = bench.page_card.choice
    place = [choice.itemText(k) for k in range(choice.count())].index("thesis")
    choice.setCurrentIndex(place)
    choice.activated.emit(place)
    settled(w, qtbot)
    assert bench.work.spec.manner.words == 10.0
    press(bench.figures, Qt.Key.Key_Delete)
    settled(w, qtbot)
    assert [one.name for one in w.session.study.document.figures] == ["First 2"]
    # the page as others see it, and as large as it prints
    before = bench.work.seen.picture.pixels.copy()
    bench.eyes.setCurrentIndex(4)
    bench.eyes.activated.emit(4)
    settled(w, qtbot)
    grey = bench.work.seen.picture.pixels[..., :3].astype(int)
    assert np.ptp(grey, axis=-1).max() == 0
    assert not np.array_equal(before, bench.work.seen.picture.pixels)
    click(bench.whole_size)
    settled(w, qtbot)
    assert bench.work.seen.picture.dpi == pytest.approx(w.logicalDpiX())
    # what cannot be written is said
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("/no/such/folder/a.pdf", ""))
    click(bench.out.write_button)
    qtbot.waitUntil(lambda: w.notice.isVisible())


TEXTS = ("12.5", "x y", "", "-3", "1e400", "3 1", "α^{2")


def edited(bench, one) -> list:
    """Gestures on an editor: every choice, odd texts in every line."""
    if isinstance(one, editors.Chosen):
        return [
            lambda k=k: (one.choice.setCurrentIndex(k), one.choice.activated.emit(k)) for k in range(one.choice.count())
        ]
    if isinstance(one, editors.OnOff):
        return [lambda: click(one.box), lambda: click(one.box)]
    if isinstance(one, editors.Colour):
        return [lambda c=c: one.edited.emit({one.row.field: c}) for c in ("#ff0000", "#123", one.swatch.value)]
    if isinstance(one, editors.Numbers):
        return [lambda t=t, f=f: type_into(f.line, t) for f in one.fields.values() for t in TEXTS]
    return [lambda t=t: type_into(one.text, t) for t in TEXTS]


def used(w, act) -> None:
    """Does a gesture, and takes back what it did."""
    before = w.session.study
    act()
    QApplication.processEvents()
    if w.session.study is not before:
        w.session.undo()


def test_every_field_of_every_part_can_be_used(window, qtbot, demo):
    """Every row that is declared, in a real window: what is typed is taken, or refused with words.

    That pages of all values can be drawn is held in the core's tests.
    """
    curve = demo.document.curves[3].id
    w = window(demo)
    w.session.look_at_curve(curve)
    bench = start_with(w, qtbot, "2.0 wt%, with fit and residual")
    for kind in ("guide", "band", "bracket", "words", "arrow", "scale"):
        bench.add(kind)
    bench.add_inset()
    for number in (0, 1):
        bench.pieces.asked.emit(number)
    assert w.session.apply(edits.add_field(OfFormula(formula="x*y"), "product", "f"), "a field")
    bench.work.put_in(FieldContent(field="f"), 1)
    settled(w, qtbot)
    parts = [row.id for row in part_rows(w.session.study, bench.work.spec)] + [f"line 0 {curve}"]
    done = set()
    count = 0
    for part in parts:
        kind = type(value_of(bench.work.spec, part))
        if kind in done:
            continue
        done.add(kind)
        bench.work.choose(part)
        for name in [row.field for row in ROWS.get(kind, ()) if row.field in bench.card.fields]:
            for act in edited(bench, bench.card.fields[name]):
                used(w, act)
                count += 1
                bench.work.choose(part)
        settled(w, qtbot)
    for card, rows in ((bench.page_card.page, PAGE), (bench.page_card.manner, MANNER)):
        for row in rows:
            for act in edited(bench, card.fields[row.field]):
                used(w, act)
                count += 1
    settled(w, qtbot)
    assert {PanelSpec, AxisSpec, Inset, FieldContent} <= done
    assert len(done) >= 12
    assert count > 250
