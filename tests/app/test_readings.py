"""Readings by hand: from the tension files of the demo to moduli, groups, a linked curve, and tomorrow's file."""

from __future__ import annotations

import csv

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog
from scipy import stats

from curvesieve.app.benches.curve.measure_card import MeasureCard
from curvesieve.app.session.desk import MODEL, View
from curvesieve.cli import main
from curvesieve.core.intake.take import Take
from curvesieve.core.measures import parse_measure
from curvesieve.core.reading import plus_minus
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study import Study, edits
from curvesieve.core.study import ledger_tables as tables
from curvesieve.core.study.measuring import measured_curve
from curvesieve.core.study.passing import recorded
from curvesieve.demo.mixed import FOLDER, write_mixed
from curvesieve.demo.mixed import _strip as strip_text
from curvesieve.demo.tension import Machine, specimen
from curvesieve.demo.tension import recorded as recorded_test
from tests.app.gestures import (
    CTRL,
    PLAIN,
    SHIFT,
    add_step,
    choose_term,
    click,
    click_cell,
    double_click,
    drag,
    drop_files,
    menu_behind,
    place,
    press,
    take,
    type_into,
)  # fmt: skip
from tests.app.test_intake import drag_badge, pick
from tests.app.test_recipes import drop_on_row, idle, shown_ledger


def take_reading(w, words: str) -> MeasureCard:
    """Takes a reading as a user does: the button, a few letters, Enter."""
    column = w.curve_bench.readings
    click(column.add)
    QTest.keyClicks(column.measure_list.field, words)
    press(column.measure_list.field, Qt.Key.Key_Return)
    QTest.qWait(20)
    return column.card(w.session.view.stage)


def answer(monkeypatch, text: str) -> None:
    """What the next dialog is answered."""
    for name in ("getText", "getItem"):
        monkeypatch.setattr(QInputDialog, name, lambda *a, **k: (text, True))


def section_of(model, heading: str) -> int:
    """The column of the ledger whose heading begins so."""
    headings = [str(model.headerData(k, Qt.Orientation.Horizontal)) for k in range(model.columnCount())]
    return next(k for k, text in enumerate(headings) if text.startswith(heading))


def header_menu(w, title: str):
    """The menu behind the heading of a column."""
    ledger = w.curve_bench.ledger
    header = ledger.view.horizontalHeader()
    section = section_of(ledger.model, title)
    ledger.view.scrollTo(ledger.model.index(0, section))
    at = QPoint(header.sectionViewportPosition(section) + header.sectionSize(section) // 2, header.height() // 2)
    click(header.viewport(), at)
    QApplication.processEvents()
    return QApplication.activePopupWidget()


def cells(w, heading: str) -> list[str]:
    """A column of the ledger as it is read, by the beginning of its heading."""
    section = section_of(w.curve_bench.ledger.model, heading)
    return [row[section] for row in shown_ledger(w)]


def line_through(x, y):
    slope, _, r, _, u = stats.linregress(x, y)
    return slope, u, r


@pytest.fixture
def strips(window, qtbot, tmp_path):
    """The five tension files, dropped on the window and brought in as force against extension."""
    folder = tmp_path / FOLDER
    write_mixed(folder)
    w = window()
    drop_files(w, sorted(folder.glob("strip*.csv")))
    qtbot.waitUntil(lambda: len(w.tray.ready) == 5, timeout=20000)
    bring_in(w)
    return w


def bring_in(w) -> None:
    """Chooses force against extension for the files that wait, and brings them in."""
    bench = w.intake_bench
    pick(bench.channels.channel_rows[1].roles, "x")
    drag_badge(bench.channels.channel_rows[0].badge, bench.channels.channel_rows[2])
    click(bench.files.bring)
    assert w.bench == "Curve"


def test_tension_files_become_moduli_groups_a_trend_and_a_recipe_for_tomorrow(
    strips, qtbot, tmp_path, monkeypatch, capsys
):
    w, bench = strips, strips.curve_bench
    family = w.session.study.document.families[0]
    ids = list(family.curves)
    curves = [recorded(w.session.study, id_) for id_ in ids]
    w.session.look(View(ids[3]))

    # A straight part over a band: found at first, then dragged by its edges and typed.
    card = take_reading(w, "straight")
    assert card.fields["by"].choice.currentText() == "found"
    pick(card.fields["by"].choice, "band")
    plot = bench.canvas.plot
    high = float(curves[3].x.max())
    drag(plot, (high, 10.0), (0.3, 10.0))
    rule = w.session.readings.in_hand.rule
    assert rule.high == pytest.approx(0.3, abs=0.02), "the edge was dragged"
    type_into(card.fields["low"].line, "0.05")
    type_into(card.fields["high"].line, "0.2")
    band = (curves[3].x >= 0.05) & (curves[3].x <= 0.2)
    slope, u, r = line_through(curves[3].x[band], curves[3].y[band])
    (stiff, _, squared) = measured_curve(w.session.study, ids[3])[0].readings
    assert (stiff.value, stiff.u) == (pytest.approx(slope, rel=1e-10), pytest.approx(u, rel=1e-10))
    assert squared.value == pytest.approx(r**2, rel=1e-10)
    assert card.value.text() == stiff.written == "38.7(5) N·mm⁻¹"

    # The modulus by a formula with the quantities of the preamble, in GPa.
    texts = [line.text() for line in bench.readings.quantities.lines.values()]
    assert texts == ["2 wt%", "12.7 mm", "0.082 mm", "50 mm"]
    card = take_reading(w, "formula")
    assert "may name slope, " not in card.problem.text()
    assert "Grip_distance" in card.problem.text()
    type_into(card.fields["formula"].line, "slope*Grip_distance/(Width*Thicknes)")
    assert "is called Thicknes" in bench.readings.card(card.slot_id).problem.text()
    type_into(card.fields["formula"].line, "slope*Grip_distance/(Width*Thickness)")
    type_into(card.fields["unit"].line, "GPa")
    answer(monkeypatch, "E")
    take(menu_behind(card.more), "Give it a name")
    modulus = slope * 50 / (12.70 * 0.082) / 1000
    found = measured_curve(w.session.study, ids[3])[1].readings[0]
    assert (found.name, found.unit, found.value) == ("E", "GPa", pytest.approx(modulus, rel=1e-10))
    assert found.u == pytest.approx(u * 50 / (12.70 * 0.082) / 1000, rel=1e-10)

    # The strongest point, and the energy in J.
    take_reading(w, "highest")
    card = take_reading(w, "area")
    take(menu_behind(card.numbers.units[0]), "J")
    energy = float(np.trapezoid(curves[3].y, curves[3].x)) / 1000
    assert measured_curve(w.session.study, ids[3])[3].readings[0].value == pytest.approx(energy, rel=1e-12)
    assert card.value.text().endswith(" J")

    # For all curves: every number of the ledger against NumPy.
    assert bench.readings.for_all.text() == "For all 5 curves"
    click(bench.readings.for_all)
    idle(w, qtbot)
    rows = shown_ledger(w)
    assert [row[-1] for row in rows] == ["read"] * 5
    moduli = []
    for id_, curve in zip(ids, curves, strict=True):
        band = (curve.x >= 0.05) & (curve.x <= 0.2)
        moduli.append(line_through(curve.x[band], curve.y[band])[0] * 50 / (12.70 * 0.082) / 1000)
        by_key = {r.key: r for one in measured_curve(w.session.study, id_) for r in one.readings}
        assert by_key["formula", "result", 0].value == pytest.approx(moduli[-1], rel=1e-10)
        assert by_key["highest-point", "maximum", 0].value == curve.y.max()
        assert by_key["area", "area", 0].value == pytest.approx(np.trapezoid(curve.y, curve.x) / 1000, rel=1e-12)
    assert [float(text.split("(")[0]) for text in cells(w, "E")] == pytest.approx(moduli, rel=0.01)

    # A number leads back to its card and its curve.
    model = bench.ledger.model
    click_cell(bench.ledger.view, 1, model.first_reading)
    assert (w.session.view.curve, w.session.view.stage) == (ids[1], "straight-part")
    assert "400 points of strip_A_0p5wt.csv" in bench.ledger.advice.whole_text()

    # Two groups, with mean, s and 95 % interval.
    click_cell(bench.ledger.view, 0, 0)
    click_cell(bench.ledger.view, 1, 0, CTRL)
    answer(monkeypatch, "low")
    take(menu_behind(bench.ledger.more), "Put the chosen rows into a group")
    click_cell(bench.ledger.view, 2, 0)
    for row in (3, 4):
        click_cell(bench.ledger.view, row, 0, CTRL)
    answer(monkeypatch, "high")
    at = bench.ledger.view.visualRect(model.index(4, 0)).center()
    viewport = bench.ledger.view.viewport()
    QApplication.sendEvent(viewport, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, viewport.mapToGlobal(at)))
    QApplication.processEvents()
    take(QApplication.activePopupWidget(), "Put 3 curves into a group")
    groups = {group.name: group for group in bench.ledger.ledger.groups()}
    assert list(groups) == ["low", "high", ""]
    place = [c.title for c in bench.ledger.ledger.columns].index("E")
    for name, values in (("low", moduli[:2]), ("high", moduli[2:]), ("", moduli)):
        one = groups[name].columns[place]
        low, top = stats.t.interval(0.95, len(values) - 1, np.mean(values), stats.sem(values))
        assert (one.n, one.mean) == (len(values), pytest.approx(np.mean(values)))
        assert one.s == pytest.approx(np.std(values, ddof=1))
        assert one.half == pytest.approx((top - low) / 2, rel=1e-9)
    below = shown_ledger(w)[5:]
    assert [row[0] for row in below[::3]] == ["low: mean(s)", "high: mean(s)", "all: mean(s)"]

    # The column as a curve with a line through it: a law over a band, against SciPy's weighted line.
    menu = header_menu(w, "E (GPa)")
    take(menu, "As a curve against loading")
    trend = w.session.entry
    assert trend.label == "E against loading"
    points = recorded(w.session.study, trend.id)
    np.testing.assert_allclose(points.y, moduli, rtol=1e-10)
    assert (points.x.tolist(), points.x_unit, points.y_unit) == ([0, 0.5, 1, 2, 4], "wt%", "GPa")
    card = take_reading(w, "law over")
    assert card.fields["law"].choice.currentText() == "line"
    idle(w, qtbot)
    readings = {r.quantity: r for r in measured_curve(w.session.study, trend.id)[0].readings}
    design = np.column_stack([np.ones(5), points.x]) / points.u[:, None]
    offset, gradient = np.linalg.lstsq(design, points.y / points.u, rcond=None)[0]
    assert (readings["offset"].value, readings["slope"].value) == (pytest.approx(offset), pytest.approx(gradient))
    assert readings["slope"].unit == "GPa·wt%^-1"

    # The recipe is kept by name; tomorrow's file joins its family by being dropped on the heading.
    w.session.look(View(ids[3]))
    answer(monkeypatch, "tension")
    take(menu_behind(bench.recipe.more), "Save this recipe by name")
    tomorrow = tmp_path / "strip_A_3p0wt.csv"
    tomorrow.write_bytes(strip_text(3.0, np.random.default_rng(5)).encode("cp1252"))
    drop_on_row(w, 0, [tomorrow])
    idle(w, qtbot)
    new = w.session.entry
    assert (new.label, new.condition) == ("3 wt%", 3.0)
    curve = recorded(w.session.study, new.id)
    band = (curve.x >= 0.05) & (curve.x <= 0.2)
    wanted = line_through(curve.x[band], curve.y[band])[0] * 50 / (12.70 * 0.082) / 1000
    assert measured_curve(w.session.study, new.id)[1].readings[0].value == pytest.approx(wanted, rel=1e-10)
    assert recorded(w.session.study, trend.id).x.tolist() == [0, 0.5, 1, 2, 3, 4], "the trend follows"

    # Another is dropped on the window and brought in by itself; the recipe is put to it.
    other = tmp_path / "strip_B.csv"
    other.write_bytes(strip_text(2.5, np.random.default_rng(6)).encode("cp1252"))
    drop_files(w, [other])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1, timeout=20000)
    bring_in(w)
    take(menu_behind(bench.recipe.more), "Apply “tension”")
    idle(w, qtbot)
    alone = recorded(w.session.study, w.session.entry.id)
    band = (alone.x >= 0.05) & (alone.x <= 0.2)
    wanted = line_through(alone.x[band], alone.y[band])[0] * 50 / (12.70 * 0.082) / 1000
    assert measured_curve(w.session.study, w.session.entry.id)[1].readings[0].value == pytest.approx(wanted, rel=1e-10)

    # The same ledger from the command line, to the last digit; and from the recipe by itself.
    w.session.look(View(ids[0]))
    idle(w, qtbot)
    written = tmp_path / "window.csv"
    bench.ledger.write(written)
    idle(w, qtbot)
    path = tmp_path / "films.sieve"
    w.session.save(path)
    qtbot.waitUntil(lambda: w.session.is_saved and not w.session.is_saving, timeout=20000)
    out = tmp_path / "run.csv"
    assert main(["run", str(path), "--family", family.label, "--out", str(out)]) == 0
    assert out.read_bytes() == written.read_bytes()
    with written.open(newline="", encoding="utf-8") as file:
        head, *lines = list(csv.reader(file))
    assert head[:3] == ["curve", "group", "loading (wt%)"]
    assert len(lines) == 6
    recipe = next((tmp_path / "data").rglob("tension.recipe.json"))
    capsys.readouterr()
    assert main(["measure", str(tomorrow), "--recipe", str(recipe), "--x", "Extension", "--y", "Force"]) == 0
    assert f"E                    {wanted:.2f}"[:21] in capsys.readouterr().out


def trial(count: int = 3) -> Study:
    """Curves of one family: a decay in MPa over s with its width and batch in the preamble, and a column besides."""
    x = np.linspace(0.1, 6, 120)
    made = []
    for k in range(count):
        rng = np.random.default_rng(k)
        y = (4 + k) * np.exp(-x / 1.5) + 1 + rng.normal(0, 0.02, x.size)
        about = (("Width", f"{10 + k}.0(2) mm"), ("Batch", "XY"[k % 2]))
        channels = (Channel("Time", "s", x), Channel("Stress", "MPa", y), Channel("Oven", "°C", 60 + 0 * x + 0.1 * k))
        made.append((Record(Source(f"f{k}.csv", str(k).encode()), channels, about), Take(0, 1)))
    return edits.add_curves(
        Study(), made, "films", labels=[f"f{k}" for k in range(count)], conditions=[float(k) for k in range(count)],
        condition=("dose", "Gy"),
    )  # fmt: skip


def by_symbol(w) -> dict[str, tuple[float, float | None, str]]:
    curve = w.session.view.curve
    return {r.name: (r.value, r.u, r.unit) for one in measured_curve(w.session.study, curve) for r in one.readings}


def test_quantities_are_typed_taken_from_columns_shared_and_taken_away(window, qtbot):
    w = window(trial())
    card = w.curve_bench.readings.quantities
    ids = [curve.id for curve in w.session.study.document.curves]
    w.session.look(View(ids[0]))
    assert card.said.whole_text() == "Width 10.0(2) mm"
    click(card)
    assert card.lines["Width"].isVisible()
    type_into(card.lines["Width"], "wide")
    assert "is no quantity" in w.notice.text.text()
    assert card.lines["Width"].text() == "10.0(2) mm"
    type_into(card.lines["Width"], "12.0(2) mm")
    assert [q.written() for q in w.session.entry.quantities] == ["12.0(2) mm"]
    assert w.session.study.quantities(ids[1])[0].written() == "11.0(2) mm", "the others keep what their files say"
    card.new_name.setFocus()
    QTest.keyClicks(card.new_name, "gauge length")
    type_into(card.new_value, "50 mm")
    assert "gauge_length" in card.lines
    type_into(card.new_value, "3")
    assert "needs a name and a value" in w.notice.text.text()
    card.new_value.clear()
    take(menu_behind(card.add), "Mean of the column Oven")
    assert w.session.entry.quantities[-1].written() == "60 °C"
    take(menu_behind(card.add), "gauge_length is that of the whole family")
    assert [q.name for q in w.session.study.quantities(ids[2])] == ["gauge_length", "Width"]
    w.session.look(View(ids[2]))
    type_into(card.lines["gauge_length"], "60 mm")
    assert w.session.study.quantities(ids[0])[-1].written() == "60 mm", "of the family, typed at any of its curves"
    w.session.look(View(ids[0]))
    gone = next(b for b in card.findChildren(type(card.add)) if b.accessibleName() == "take Width away")
    click(gone)
    assert card.lines["Width"].text() == "10.0(2) mm", "what the file says is back"
    click(card, QPoint(20, 10))
    assert not card.lines["Width"].isVisible()


def test_a_second_band_a_mark_and_the_menu_of_the_plot_by_hand(window, qtbot):
    w = window(trial())
    w.session.look(View(w.session.study.document.curves[0].id))
    plot = w.curve_bench.canvas.plot
    card = take_reading(w, "crossing of lines")
    assert not card.problem.text()
    rule = w.session.readings.in_hand.rule
    drag(plot, (rule.other_high, 2.0), (5.2, 2.0))
    moved = w.session.readings.in_hand.rule
    assert moved.other_high == pytest.approx(5.2, abs=0.05)
    assert (moved.low, moved.high, moved.other_low) == (rule.low, rule.high, rule.other_low)
    drag(plot, (3.0, 3.0), (3.6, 3.0), SHIFT)
    assert w.session.readings.in_hand.rule.other_low == pytest.approx(3.0, abs=0.05), "the nearer band is drawn afresh"
    card = take_reading(w, "value at x")
    double_click(plot, 2.0, 3.0)
    at = w.session.readings.in_hand.rule.at
    assert at == pytest.approx(2.0, abs=0.03)
    curve = recorded(w.session.study, w.session.view.curve)
    assert by_symbol(w)["y"][0] == pytest.approx(np.interp(at, curve.x, curve.y), rel=1e-9)
    assert not w.session.model.terms, "no peak is added while a reading is in hand"
    press(w, Qt.Key.Key_Escape)
    assert w.session.view.stage == MODEL
    menu = open_menu_at(plot, 4.0, 2.0)
    take(menu, "Keep y at")
    assert [slot.rule.slug for slot in w.session.readings.slots] == ["meeting-of-lines", "value-at", "value-at"]
    # drawn while it is dragged: the card and the words on the plot follow before the hand lets go
    told: list[str] = []
    here = w.curve_bench.readings.card(w.session.view.stage)
    before = here.value.text()
    drag(plot, (w.session.readings.in_hand.rule.at, 2.0), (1.0, 2.0), on_step=lambda i: told.append(here.value.text()))
    assert len(set(told) | {before}) > 4
    w.session.undo()
    assert here.value.text() == before


def open_menu_at(plot, x: float, y: float):
    """The menu of a right click on the plot."""
    at = place(plot, x, y)
    viewport = plot.viewport()
    for kind in (QEvent.Type.MouseMove, QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease):
        button = Qt.MouseButton.NoButton if kind == QEvent.Type.MouseMove else Qt.MouseButton.RightButton
        event = QMouseEvent(kind, QPointF(at), QPointF(viewport.mapToGlobal(at)), button, button, PLAIN)
        QApplication.sendEvent(viewport, event)
    QApplication.processEvents()
    return QApplication.activePopupWidget()


def test_answers_of_the_fit_are_kept_as_readings_that_follow(window, qtbot):
    w = window(trial())
    w.session.look(View(w.session.study.document.curves[0].id))
    choose_term(w, "Exponential decay")
    idle(w, qtbot)
    click(w.curve_bench.model.foot.fit)
    idle(w, qtbot)
    press(w, Qt.Key.Key_R, CTRL)
    page = w.curve_bench.drawer.page("Result")
    page.given.setFocus()
    QTest.keyClicks(page.given, "2.5")
    click(page.ask_button)
    said = page.answers.item(0).text()
    click(page.keep_button)
    kept = by_symbol(w)["fitted y"]
    assert said == f"y at x = 2.5: {plus_minus(*kept[:2])} MPa"
    page.question.setCurrentIndex(page.question.findData("formula"))
    type_into(page.given, "log(2)*tau")
    QTest.keyClicks(page.given, "")
    page.given.setText("half = log(2)*tau")
    click(page.keep_button)
    assert by_symbol(w)["half"][2] == "s"
    page.question.setCurrentIndex(page.question.findData("extremum"))
    click(page.keep_button)
    assert "no maximum and no minimum" in w.notice.text.text()
    before = by_symbol(w)["half"][0]
    fit = w.session.fit.result.parameters["tau"]
    assert before == pytest.approx(np.log(2) * fit.value, rel=1e-12)
    add_step(w, "keep range")
    press(w, Qt.Key.Key_Escape)
    slot = w.session.slots[0]
    w.session.apply(edits.change_step(w.session.view.curve, slot.id, slot.rule.changed(low=0.5, high=5.0)), "cut")
    assert "no fit that is current" in w.curve_bench.readings.card("fitted-value").problem.text()
    click(w.curve_bench.model.foot.fit)
    idle(w, qtbot)
    after = w.session.fit.result.parameters["tau"].value
    assert by_symbol(w)["half"][0] == pytest.approx(np.log(2) * after, rel=1e-12)
    assert after != fit.value


def test_columns_are_renamed_converted_hidden_moved_and_grouped_by_the_preamble(window, qtbot, tmp_path, monkeypatch):
    study = trial(4)
    ids = [curve.id for curve in study.document.curves]
    for slug in ("area", "straight-part"):
        study = edits.add_measure(ids[0], parse_measure({"measure": slug, "high": 2.0}))(study)
    w = window(edits.share(ids[0], "measures")(study))
    w.session.look(View(ids[0]))
    idle(w, qtbot)
    ledger = w.curve_bench.ledger

    def headings() -> list[str]:
        return [column.heading for column in ledger.ledger.columns]

    assert headings() == ["area (MPa·s)", "slope (MPa·s⁻¹)"]
    answer(monkeypatch, "work")
    take(header_menu(w, "area"), "Another title")
    header_menu(w, "work").actions()[4].trigger()  # its units, as a menu where the pointer is
    QApplication.processEvents()
    answer(monkeypatch, "kPa*min")
    take(QApplication.activePopupWidget(), "Another unit")
    assert headings()[0] == "work (kPa·min)"
    areas = [float(np.trapezoid(c.y[c.x <= 2], c.x[c.x <= 2])) for c in (recorded(w.session.study, i) for i in ids)]
    shown = [float(text.split("(")[0]) for text in cells(w, "work")[:4]]
    assert shown == pytest.approx(np.array(areas) * 1000 / 60, rel=1e-3)
    answer(monkeypatch, "kg")
    header_menu(w, "work").actions()[4].trigger()
    QApplication.processEvents()
    take(QApplication.activePopupWidget(), "Another unit")
    assert "work stays in MPa·s" in w.notice.text.text()
    take(header_menu(w, "work"), "Move right")
    assert headings() == ["slope (MPa·s⁻¹)", "work (kPa·min)"]
    header = ledger.view.horizontalHeader()
    header.moveSection(header.visualIndex(2), 1)  # as a heading is dragged
    assert headings() == ["work (kPa·min)", "slope (MPa·s⁻¹)"]
    assert [header.visualIndex(k) for k in range(header.count())] == list(range(header.count()))
    take(header_menu(w, "slope"), "Hide this column")
    assert headings() == ["work (kPa·min)"]
    take(menu_behind(ledger.more), "Show slope")
    take(menu_behind(ledger.more), "Show R²")
    assert headings() == ["work (kPa·min)", "slope (MPa·s⁻¹)", "R²"]
    take(menu_behind(ledger.more), "Mean, s and 95 %")
    assert shown_ledger(w)[4][0] == "all: mean(s)"
    take(menu_behind(ledger.more), "Groups by “Batch”")
    assert [row[1] for row in shown_ledger(w)[:4]] == ["X", "X", "Y", "Y"]
    assert w.session.study.document.families[0].grouped_by == "Batch"
    take(menu_behind(ledger.copy), "As a LaTeX table")
    assert r"\begin{tabular}{lrrr}" in QApplication.clipboard().text()
    take(menu_behind(ledger.copy), "As text")
    assert "X: mean(s)" in QApplication.clipboard().text()
    out = tmp_path / "long.csv"
    monkeypatch.setattr(
        QFileDialog, "getSaveFileName", lambda *a, **k: (str(out), "CSV, a row a reading with its provenance (*.csv)")
    )
    click(ledger.export)
    idle(w, qtbot)
    with out.open(newline="", encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    assert len(rows) == 4 * 4
    assert {(row["file"], row["points"]) for row in rows[:4]} == {("f0.csv", "39")}
    take(menu_behind(ledger.more), "No groups")
    assert shown_ledger(w)[0][1] != "X"
    take(menu_behind(ledger.more), "A row a peak")
    assert ledger.model.rowCount() == 0
    take(menu_behind(ledger.more), "A row a curve")
    # a curve of the ledger says which curves it has no point of
    w.session.apply(edits.step_out(ids[1], "measures"), "out")
    w.session.apply(edits.remove_measure(ids[1], "area"), "less")
    take(header_menu(w, "work"), "As a curve against dose")
    idle(w, qtbot)
    assert recorded(w.session.study, w.session.view.curve).x.tolist() == [0, 2, 3]
    w.curve_bench.sieve.refresh()
    assert "f1 has not both numbers in the ledger, and no point here." in w.curve_bench.sieve.recorded.notes.text()
    # one column against another
    w.session.look(View(ids[0]))
    menu = header_menu(w, "work")
    next(a for a in menu.actions() if a.text().startswith("As a curve against another")).trigger()
    QApplication.processEvents()
    take(QApplication.activePopupWidget(), "Against slope")
    curve = recorded(w.session.study, w.session.view.curve)
    assert (curve.x_unit, curve.y_unit) == ("MPa·s^-1", "kPa*min")
    path = tmp_path / "m.sieve"
    w.session.save(path)
    qtbot.waitUntil(lambda: w.session.is_saved and not w.session.is_saving, timeout=20000)


def test_a_tension_test_is_read_by_one_set_for_a_whole_family(window, qtbot):
    """The set of readings by mouse, shared, taken back, its line given another name; numbers against what is true."""
    truths, made = [], []
    for k, material in enumerate(("round yield", "sharp yield", "necking polymer")):
        modulus, strength = ((70_000, 300), (205_000, 450), (1500, 30))[k]
        truth = specimen(material, modulus, strength)
        strain, stress = recorded_test(truth, Machine(), np.random.default_rng(k))
        channels = (Channel("Strain", "", strain), Channel("Stress", "MPa", stress))
        made.append((Record(Source(f"t{k}.csv", str(k).encode()), channels), Take(0, 1)))
        truths.append(truth)
    study = edits.add_curves(
        Study(), made, "tests", labels=[t.material for t in truths], conditions=[0.0, 1.0, 2.0], condition=("no", ""),
    )  # fmt: skip
    w = window(study)
    ids = [curve.id for curve in study.document.curves]
    w.session.look(View(ids[0]))
    column = w.curve_bench.readings
    click(column.add)
    QTest.keyClicks(column.measure_list.field, "tensile")
    press(column.measure_list.field, Qt.Key.Key_Return)
    names = [slot.name for slot in w.session.readings.slots]
    assert names == ["E", "Rp0.2", "Rm", "Ag", "A", "At", "Ur", "σ²/2E", "Wm", "W"]
    click(column.for_all)
    idle(w, qtbot)
    for curve, truth in zip(ids[:2], truths, strict=False):
        w.session.look(View(curve))
        idle(w, qtbot)
        read = by_symbol(w)
        assert read["E"][0] == pytest.approx(truth.modulus / 1000, rel=0.005)
        assert read["Rp0.2"][0] == pytest.approx(truth.yield_02, rel=0.005)
        assert read["At"][::2] == (pytest.approx(100 * truth.strain[-1]), "%")
        assert read["W"][::2] == (pytest.approx(truth.toughness, rel=0.002), "MJ/m^3")
    cards = {slot.name: column.card(slot.id) for slot in w.session.readings.slots}
    assert not any(card.warning.isVisible() for card in cards.values())
    w.session.look(View(ids[2]))
    idle(w, qtbot)
    cards = {slot.name: column.card(slot.id) for slot in w.session.readings.slots}
    assert cards["E"].warning.text().startswith("⚠ "), "a polymer bends from its beginning"
    assert cards["E"].warning.isVisible()
    assert cards["Rp0.2"].warning.text() == "⚠ It stands on E, which is doubtful."
    aluminium, _, polymer = shown_ledger(w)
    assert [cell.startswith("⚠ 1") for cell in polymer[:3]] == [False, True, True]
    assert not any("⚠" in cell for cell in aluminium)
    assert (aluminium[-1], polymer[-1]) == ("read", "read, 6 doubtful"), "so the table says it wherever it is written"
    assert "read, 6 doubtful" in tables.to_csv(w.curve_bench.ledger.ledger)
    take(menu_behind(w.curve_bench.ledger.more), "Mean, s and 95 % interval of all rows")
    means = shown_ledger(w)[3]
    assert [cell.startswith("⚠ ") for cell in means[:4]] == [False, True, True, False], "a mean of doubtful numbers"
    w.session.undo()
    w.session.look(View(ids[0]))
    w.session.undo()
    assert w.session.readings.slots == (), "one edit, taken back at once"
    QTest.keyClick(w, Qt.Key.Key_K, CTRL)
    type_into(w.finder.field, "tension test")
    names = [slot.name for slot in w.session.readings.slots]
    assert names == ["E", "Rp0.2", "Rm", "Ag", "A", "At", "Ur", "σ²/2E", "Wm", "W"], "found by Ctrl+K, too"
