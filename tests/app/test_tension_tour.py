"""From machine files dropped on the window to a compared table, the literature beside it, and a report."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from curvesieve.app.session.desk import View
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study import Study, edits
from curvesieve.demo.tension_files import STRIPS, write_tension
from tests.app.gestures import click, drop_files, open_menu, press, take, type_into


def ready(w, qtbot, count: int) -> None:
    qtbot.waitUntil(lambda: len(w.tray.ready) == count, timeout=20_000)


def row_of(ledger, name: str, title: str):
    column = next(c for c in ledger.columns if c.title == title)
    return next(row for row in ledger.rows if row.curve.label == name).cell(column)


def test_a_tension_family_from_drop_to_compared_table_and_report(window, qtbot, tmp_path, monkeypatch):
    """The issue's task, in four clicks: take as tension, bring in, report, and Literature to compare."""
    target = tmp_path / "out" / "strips.html"
    target.parent.mkdir()
    asked = []

    def ask(*args, **_):
        asked.append(args[2])
        return str(target), ""

    monkeypatch.setattr(QFileDialog, "getSaveFileName", ask)
    w = window()
    drop_files(w, write_tension(tmp_path))
    ready(w, qtbot, 6)
    assert len(w.tray.families) == 3, "three dialects"
    card = w.intake_bench.channels.test
    assert list(card.buttons) == ["tension", "compression", "relaxation", "creep", "cycles"]
    click(card.buttons["tension"])  # 1
    (family,) = w.tray.families
    assert family.title == "Tension"
    assert len(family.keys) == 6
    click(w.intake_bench.files.bring)  # 2
    drawer = w.curve_bench.drawer
    qtbot.waitUntil(lambda: all(row.state.startswith("read") for row in drawer.ledger.ledger.rows), timeout=20_000)
    ledger = drawer.ledger.ledger
    assert ledger.is_grouped
    for strip in STRIPS:
        name, made = strip.name[:-4], strip.made
        modulus = row_of(ledger, name, "E")
        assert abs(modulus.value - made.modulus / 1000) < 2 * modulus.u, name
        if made.yield_02 is not None:
            proof = row_of(ledger, name, "Rp0.2")
            assert abs(proof.value - made.yield_02) < 2 * proof.u, name
        else:
            assert row_of(ledger, name, "Rp0.2") is None
        assert row_of(ledger, name, "W").value == pytest.approx(made.toughness, rel=2e-3)
    means = {group.name: group.columns[0].mean for group in ledger.groups()}
    assert means["marram foil M1"] == pytest.approx(69.2, abs=0.3)
    assert means["marram film M2"] == pytest.approx(3.12, abs=0.03)
    click(drawer.ledger.report)  # 3
    qtbot.waitUntil(target.exists, timeout=30_000)
    assert asked == ["Tension.html"]
    text = target.read_text(encoding="utf-8")
    assert text.count("<section>") == 7
    click(drawer.tabs["Literature"])  # 4
    page = drawer.page("Literature")
    assert "No row is of a material and a reading of this family: marram foil M1, marram film M2" in page.said.text()


def test_the_literature_page_keeps_rows_and_sets_them_beside(window, qtbot, tmp_path):
    w = window()
    drop_files(w, write_tension(tmp_path)[:3])
    ready(w, qtbot, 3)
    click(w.intake_bench.channels.test.buttons["tension"])
    click(w.intake_bench.files.bring)
    drawer = w.curve_bench.drawer
    qtbot.waitUntil(lambda: all(row.state == "read" for row in drawer.ledger.ledger.rows), timeout=20_000)
    click(drawer.tabs["Literature"])
    page = drawer.page("Literature")
    steel = next(k for k, row in enumerate(page.rows) if row.material == "aluminium")
    rows = dict(page.menu_rows(steel))
    assert rows["Remove this row"] is None, "the handbook's stay"
    cell = page.table.visualRect(page.table.model().index(steel, 0)).center()
    take(open_menu(page.table.viewport(), cell), "Set it beside marram foil M1")
    assert page.table.item(0, 3).text().startswith("69.")
    assert page.table.item(0, 4).text() == "3"
    assert page.table.item(0, 5).text().endswith("%")
    page.reading.setCurrentText("Rm")
    type_into(page.value, "140(2) MPa")
    type_into(page.source, "made up, table 3")
    click(page.put)
    assert page.value.text() == ""
    assert [page.table.item(k, 1).text() for k in range(2)] == ["E", "Rm"]
    assert [one.source for one in page.own][1] == "made up, table 3"
    type_into(page.value, "stiff")
    click(page.put)
    assert "needs a source" in w.notice.text.text()
    again = window()
    assert again.curve_bench.drawer.page("Literature").own == page.own, "kept for the next window"
    dict(page.menu_rows(1))["Remove this row"]()
    assert len(page.own) == 1


def test_dimensions_that_are_missing_are_typed_and_choices_change_the_curve(window, qtbot, tmp_path):
    rows = "\n".join(f"{k / 1000:.4f},{k / 500:.4f},{10 * k}" for k in range(200))
    path = tmp_path / "bare.csv"
    path.write_text("Grip distance: 100 mm\nExtensometer (mm),Crosshead (mm),Force (N)\n" + rows + "\n")
    w = window()
    drop_files(w, [path])
    ready(w, qtbot, 1)
    panel = w.intake_bench.channels
    click(panel.test.buttons["compression"])
    assert "not known" in w.tray.shown.problem
    stress = panel.computed_rows[-1]
    assert list(stress.fields) == ["width", "thickness"]
    panel.test.specimen.setCurrentText("round")
    panel.test.specimen.textActivated.emit("round")
    stress = panel.computed_rows[-1]
    assert list(stress.fields) == ["diameter"]
    type_into(stress.fields["diameter"], "10.0(1) mm")
    press_enter(stress.fields["diameter"])
    ready(w, qtbot, 1)
    taken = w.tray.shown.taken
    curve = taken.takes[0].curve(taken.record)
    assert curve.y[-1] == pytest.approx(1990 / 78.53982)
    assert curve.x[-1] == pytest.approx(0.199 / 100)
    panel.test.extension.setCurrentText("Crosshead")
    panel.test.extension.textActivated.emit("Crosshead")
    taken = w.tray.shown.taken
    assert taken.takes[0].curve(taken.record).x[-1] == pytest.approx(0.398 / 100)
    click(w.intake_bench.files.bring)
    entry = w.session.study.document.curves[0]
    assert {one.name for one in entry.quantities} >= {"scale_of_y", "cross_section", "gauge_length"}
    assert [slot.name for slot in w.session.study.measures(entry.id)][:3] == ["E", "Rp0.2", "σM"]


def test_a_test_is_left_again(window, qtbot, tmp_path):
    w = window()
    drop_files(w, write_tension(tmp_path)[:1])
    ready(w, qtbot, 1)
    panel = w.intake_bench.channels
    plain = w.tray.shown.pattern
    for slug in list(panel.test.buttons):
        click(panel.test.buttons[slug])
        assert w.tray.shown.pattern.test.test == slug
        leave = next(b for b in panel.test.findChildren(type(w.intake_bench.save)) if b.text() == "×")
        click(leave)
        assert w.tray.shown.pattern.test is None
        assert w.tray.shown.pattern.computed == ()
    assert [rule.heading for rule in w.tray.shown.pattern.channels] == [rule.heading for rule in plain.channels]


def press_enter(line) -> None:
    press(line, Qt.Key.Key_Return)


def test_the_family_is_drawn_behind_the_curve_in_hand(window, qtbot, tmp_path):
    w = window()
    drop_files(w, write_tension(tmp_path))
    ready(w, qtbot, 6)
    click(w.intake_bench.channels.test.buttons["tension"])
    click(w.intake_bench.files.bring)
    canvas = w.curve_bench.canvas
    qtbot.waitUntil(lambda: canvas.beside.isVisible(), timeout=20_000)
    w.session.look(View(next(c.id for c in w.session.study.document.curves if c.label == "film_1")))
    alone = canvas.plot.box.viewRange()[0][1]
    click(canvas.beside)
    qtbot.waitUntil(lambda: len(canvas.family.curves) == 5, timeout=20_000)
    assert canvas.plot.box.viewRange()[0][1] > 5 * alone, "the foils stretch much farther"
    drawn = canvas.family.traces[0].item.getData()
    assert np.nanmax(drawn[0]) == pytest.approx(canvas.family.curves[0].x.max())
    assert {words.text for words in canvas.layers.names} == {"marram foil M1", "marram film M2"}
    click(canvas.beside)
    assert canvas.family.curves == []
    assert canvas.layers.names == ()
    w.finder.open()
    type_into(w.finder.field, "family behind")
    assert canvas.beside.isChecked()


def test_the_row_of_a_removal_is_typed_and_refused(window, qtbot, tmp_path):
    rows = "\n".join(f"{0.4 * k / 100:.4f},{k / 100:.4f},{10 * k}" for k in range(200))
    path = tmp_path / "two.csv"
    path.write_text(
        "Area: 40 mm2\nGauge length: 25 mm\nGrip distance: 100 mm\nExtensometer (mm),Crosshead (mm),Force (N)\n" + rows
    )
    w = window()
    drop_files(w, [path])
    ready(w, qtbot, 1)
    panel = w.intake_bench.channels
    click(panel.test.buttons["tension"])
    type_into(panel.test.off.line, "120")
    assert w.tray.shown.pattern.test.off == 120
    curve = w.tray.shown.taken.takes[0].curve(w.tray.shown.taken.record)
    assert curve.x[-1] == pytest.approx(0.4 * 1.19 / 25 + (1.99 - 1.19) / 100)
    type_into(panel.test.off.line, "soon")
    assert "is not a whole number" in w.notice.text.text()
    type_into(panel.test.off.line, "9999")
    assert "no number in row 9999" in w.tray.shown.problem
    panel.test.off.line.selectAll()
    press(panel.test.off.line, Qt.Key.Key_Delete)
    press_enter(panel.test.off.line)
    assert w.tray.shown.pattern.test.off is None
    assert w.tray.shown.ready


def test_curves_in_other_units_are_drawn_in_those_in_hand_or_told(window, qtbot):
    x = np.linspace(0, 1, 50)
    made = [
        (Record(Source(f"{k}.csv", bytes([k])), (Channel("t", "s", x), Channel("v", unit, scale * x))), Take(0, 1))
        for k, (unit, scale) in enumerate((("MPa", 2.0), ("kPa", 5000.0), ("V", 3.0)))
    ]
    w = window(edits.add_curves(Study(), made, "mixed"))
    canvas = w.curve_bench.canvas
    click(canvas.beside)
    (other,) = canvas.family.curves
    assert (other.y_unit, other.y.max()) == ("MPa", pytest.approx(5.0))
    assert "1 curve of the family in other units: not drawn." in w.notice.text.text()
    assert canvas.plot.box.viewRange()[1][1] > 5


def test_a_renamed_channel_stays_one_of_the_test_and_another_y_is_told(window, qtbot, tmp_path):
    w = window()
    drop_files(w, write_tension(tmp_path)[:1])
    ready(w, qtbot, 1)
    panel = w.intake_bench.channels
    click(panel.test.buttons["tension"])
    type_into(panel.computed_rows[-1].name, "pull")
    assert w.tray.shown.pattern.test.made == ("Engineering strain", "pull")
    assert w.tray.shown.taken.test == "tension"
    assert "scale_of_y" in {one.name for one in w.tray.shown.taken.quantities}
    panel.channel_rows[2].role_chosen.emit("y")
    assert w.tray.shown.taken.test == ""
    assert "not taken as tension: x and y are not those of the test" in w.intake_bench.notes.text()
    panel.computed_rows[-1].role_chosen.emit("y")
    assert w.tray.shown.taken.test == "tension"
    panel.computed_rows[-1].removed.emit()
    assert w.tray.shown.pattern.test is None
