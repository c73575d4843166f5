"""Charts in the window by mouse and keys: pasted or dropped, calibrated, traced, looked back at, brought in."""

from __future__ import annotations

import numpy as np
import pytest
from PIL import Image
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication, QImage, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QLineEdit, QPushButton

from curvesieve.cli import main
from curvesieve.core.study.passing import recorded
from curvesieve.core.tracing.values import traced_bars
from curvesieve.demo.charts import releases, share_px, strengths, time_px, write_charts
from tests.app.gestures import LEFT, PLAIN, SHIFT, click, menu_behind, press, take, type_into
from tests.core.charts import drawn

ALT, CTRL = Qt.KeyboardModifier.AltModifier, Qt.KeyboardModifier.ControlModifier


def go(w):
    click(w.header.buttons["Trace"])
    return w.trace_bench


def settled(w, qtbot) -> None:
    qtbot.waitUntil(lambda: not w.session.jobs.busy, timeout=15_000)
    QTest.qWait(20)


def paste(w, qtbot, chart) -> None:
    pixels = np.ascontiguousarray(chart.picture.pixels)
    height, width = pixels.shape[:2]
    image = QImage(pixels.tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()
    QGuiApplication.clipboard().setImage(image)
    w.paste()
    settled(w, qtbot)
    assert w.trace_bench.work.opened is not None


def at(bench, place) -> QPoint:
    return bench.view.on_screen(*map(float, place)).toPoint()


def point(w, qtbot, place, keys=PLAIN) -> None:
    """Clicks a pixel of the picture."""
    QTest.mouseClick(w.trace_bench.view, LEFT, keys, at(w.trace_bench, place))
    settled(w, qtbot)


def mark(w, qtbot, place, x: str = "", y: str = "") -> None:
    """Clicks a place and types its value."""
    bench = w.trace_bench
    point(w, qtbot, place)
    assert bench.popup.isVisible()
    for name, text in (("x", x), ("y", y)):
        if text:
            bench.popup.fields[name].setFocus()
            QTest.keyClicks(bench.popup.fields[name], text)
    QTest.keyClick(bench.popup.fields["x" if x else "y"], Qt.Key.Key_Return)
    settled(w, qtbot)


def calibrate(w, qtbot, chart) -> None:
    """Both axes by the first and last tick of each, as anyone would."""
    bench = w.trace_bench
    if chart.kinds[0] == "log10":
        bench.axes.of_x.scale.setCurrentIndex(1)
        bench.axes.of_x.scale.activated.emit(1)
    for k, name in enumerate("xy"):
        for j in (0, -1):
            mark(w, qtbot, chart.tick_places[k][j], **{name: f"{chart.ticks[k][j]:.10g}"})


@pytest.fixture(scope="module")
def lines():
    return drawn(4, "lines", style="default", dpi=150, large=4, turn=0.0, kinds=("log", "linear"), count=2, quality=0)


def test_from_a_pasted_chart_to_curves_that_are_the_generators_within_u(qtbot, window, lines):
    window = window()
    bench = go(window)
    assert bench.start.isVisible()
    paste(window, qtbot, lines)
    study = window.session.study
    assert [one.name for one in study.document.charts] == ["pasted picture.png"]
    calibrate(window, qtbot, lines)
    frame = bench.work.frame
    assert frame is not None
    assert max(frame.x.worst, frame.y.worst) < 0.5
    assert "from even ticks" in bench.step_words["axes"].text()
    type_into(bench.axes.of_x.unit, "d")
    type_into(bench.axes.of_y.label, "Released")
    click(bench.steps["points"])
    click(bench.tool_buttons["a line"])
    point(window, qtbot, lines.series[0].pixels[200])
    assert bench.work.series.kind == "line"
    click(bench.side_.another)
    click(bench.tool_buttons["points"])
    for k in (100, 200, 300, 400, 500):
        point(window, qtbot, lines.series[1].pixels[k] + 1.5)
    assert len(bench.work.series.places) == 5
    assert bench.side_.table.rowCount() == 5
    click(bench.side_.back)
    assert len(bench.work.series.places) == 4
    window.session.undo()
    assert len(bench.work.series.places) == 5
    cards = [bench.side_.cards.itemAt(k).widget() for k in (0, 1)]
    type_into(cards[0].name, "1 wt%")
    cards = [bench.side_.cards.itemAt(k).widget() for k in (0, 1)]
    type_into(cards[1].condition, "2")
    assert [one.name for one in bench.work.trace.series] == ["1 wt%", ""]
    assert bench.work.trace.series[1].condition == 2.0
    click(bench.steps["look back"])
    settled(window, qtbot)
    assert "1 wt%: mean miss 0." in bench.step_words["look back"].text()
    click(bench.beside)
    QTest.qWait(50)
    assert bench.again.isVisible()
    shown = bench.again.grab().toImage()
    where = bench.again.on_screen(*bench.work.trace.series[1].places[2])
    colours = {
        shown.pixelColor(round(where.x()) + dx, round(where.y()) + dy).name()
        for dx in range(-6, 7)
        for dy in range(-6, 7)
    }
    assert len(colours) > 2, "the point is drawn where it was read"
    click(bench.beside)
    click(bench.side_.into)
    study = window.session.study
    made = [one for one in study.document.curves if study.origin(one.id) == "pasted picture.png"]
    assert len(made) == 2
    for one, series in zip(made, lines.series, strict=True):
        curve = recorded(study, one.id)
        assert curve.x_unit == "d"
        true = np.interp(np.log(curve.x), np.log(series.values[:, 0]), series.values[:, 1])
        assert (np.abs(curve.y - true)[1:-1] <= 3 * curve.u[1:-1]).all()
    study_before = window.session.study
    window.session.undo()
    assert len(window.session.study.document.curves) == len(study_before.document.curves) - 2


def test_points_are_dragged_nudged_and_set_without_snapping(qtbot, window, lines):
    window = window()
    bench = go(window)
    paste(window, qtbot, lines)
    calibrate(window, qtbot, lines)
    click(bench.steps["points"])
    on_line = lines.series[0].pixels[250]
    point(window, qtbot, on_line + np.array([0.0, 2.5]))
    snapped = np.array(bench.work.series.places[0])
    assert np.hypot(*(lines.series[0].pixels - snapped).T).min() < 0.5
    assert bench.work.series.by_hand == ()
    free = np.array([150.0, 480.0])
    point(window, qtbot, free, ALT)
    assert np.array(bench.work.series.places[1]) == pytest.approx(free, abs=1.0)
    assert bench.work.series.by_hand == (1,)
    press(bench.view, Qt.Key.Key_Right)
    press(bench.view, Qt.Key.Key_Up, SHIFT)
    moved = np.array(bench.work.series.places[1])
    point_at = at(bench, moved)
    QTest.mousePress(bench.view, LEFT, PLAIN, point_at)
    QTest.mouseMove(bench.view, point_at + QPoint(12, -9))
    QTest.mouseRelease(bench.view, LEFT, PLAIN, point_at + QPoint(12, -9))
    settled(window, qtbot)
    by = (np.array(bench.work.series.places[1]) - moved) * bench.view.scale
    assert by == pytest.approx([12, -9], abs=1.5)
    press(bench.view, Qt.Key.Key_Delete)
    assert len(bench.work.series.places) == 1
    QTest.mouseMove(bench.view, at(bench, on_line))
    QTest.qWait(80)
    assert "·" in bench.view.numbers(tuple(on_line))
    before = bench.view.scale
    place = QPointF(at(bench, on_line))
    turn = QWheelEvent(place, QPointF(bench.view.mapToGlobal(place.toPoint())), QPoint(), QPoint(0, 240),
                       Qt.MouseButton.NoButton, PLAIN, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    bench.view.wheelEvent(turn)
    assert bench.view.scale > 1.4 * before
    assert np.array(bench.view.pixel(place)) == pytest.approx(on_line, abs=1.5), "what is under the pointer stays"
    click(bench.whole)
    assert bench.view.scale == pytest.approx(before)


def test_marks_alike_and_bars_with_their_whiskers(qtbot, window):
    window = window()
    bench = go(window)
    marks = drawn(
        23, "marks", style="default", dpi=150, large=4, turn=0.0, kinds=("linear", "linear"), count=2, quality=0
    )
    paste(window, qtbot, marks)
    calibrate(window, qtbot, marks)
    click(bench.steps["points"])
    click(bench.tool_buttons["marks alike"])
    series = marks.series[0]
    everything = np.concatenate([one.pixels for one in marks.series])
    alone = [p for p in series.pixels if (np.hypot(*(everything - p).T) < 1.8 * series.size).sum() == 1]
    point(window, qtbot, alone[0])
    found = np.array(bench.work.series.places)
    off = np.hypot(*(found[:, None] - np.array(alone)[None]).transpose(2, 0, 1)).min(axis=0)
    assert (off < 1.0).mean() >= 0.9
    bars = drawn(3, "bars", style="default", dpi=150, large=4, turn=0.0, quality=0)
    paste(window, qtbot, bars)
    assert bench.work.chart.name == "pasted picture.png 2"
    click(bench.steps["axes"])
    calibrate(window, qtbot, bars)
    click(bench.steps["points"])
    click(bench.tool_buttons["bars"])
    inside = bars.bars[0].mean(axis=0) + (0.06 * (bars.to_pixels(np.array([[1, 0]])) - bars.bars[0][0])[0])
    point(window, qtbot, inside)
    group = bars.groups == 0
    assert len(bench.work.series.bars) == group.sum()
    card = bench.side_.cards.itemAt(0).widget()
    card.spread.setCurrentIndex(2)
    card.spread.activated.emit(2)
    card = bench.side_.cards.itemAt(0).widget()
    type_into(card.count, "5")
    assert (bench.work.series.spread, bench.work.series.count) == ("standard deviation", 5)
    shown = [float(bench.side_.table.item(r, 1).text().split("(")[0]) for r in range(int(group.sum()))]
    assert shown == pytest.approx(bars.bar_values[group][:, 1, 1], rel=0.02)
    bar = bench.work.series.bars[0]
    free = (bar.top[0] + 3.0, bar.top[1] - 40.0)
    point(window, qtbot, free, SHIFT | ALT)
    again = bench.work.series.bars[0]
    assert again.upper == pytest.approx((bar.top[0], bar.top[1] - 40.0), abs=1.0)
    assert again.lower == bar.lower
    window.session.undo()
    press(bench.view, Qt.Key.Key_Backspace)
    assert len(bench.work.series.bars) == group.sum() - 1


def test_what_cannot_be_is_said(qtbot, window, lines, tmp_path):
    window = window()
    bench = go(window)
    said = []
    window.session.noticed.connect(lambda text, kind: said.append(text))
    QGuiApplication.clipboard().clear()
    window.paste()
    assert "neither text nor a picture" in said[-1]
    bad = tmp_path / "no.png"
    bad.write_bytes(b"time,force\n1,2\n")
    window.take_files([bad])
    settled(window, qtbot)
    assert "no picture that can be opened" in said[-1]
    small = tmp_path / "small.png"
    Image.fromarray(np.zeros((20, 20, 3), np.uint8)).save(small)
    window.take_files([small])
    settled(window, qtbot)
    assert "at the least" in said[-1]
    paste(window, qtbot, lines)
    mark(window, qtbot, lines.tick_places[0][0], x="ten")
    assert "not a number" in said[-1]
    bench.axes.of_x.scale.setCurrentIndex(1)
    bench.axes.of_x.scale.activated.emit(1)
    mark(window, qtbot, lines.tick_places[0][0], x="0")
    mark(window, qtbot, lines.tick_places[0][-1], x="10")
    assert "no place for 0" in bench.step_words["axes"].text()
    click(bench.steps["points"])
    click(bench.tool_buttons["bars"])
    point(window, qtbot, (300, 300))
    assert "these come first" in said[-1]
    click(bench.tool_buttons["a line"])
    point(window, qtbot, (700, 30))
    assert "Nothing is drawn here" in said[-1]
    assert not bench.side_.into.isEnabled()


def test_a_picture_is_turned_straightened_and_cut_out_and_what_was_traced_goes_along(qtbot, window, lines, monkeypatch):
    window = window()
    bench = go(window)
    paste(window, qtbot, lines)
    calibrate(window, qtbot, lines)
    click(bench.steps["points"])
    point(window, qtbot, lines.series[0].pixels[250])
    numbers = [bench.side_.table.item(0, k).text() for k in (1, 2)]
    size = bench.work.opened.picture.size
    take(menu_behind(bench.ready), "Turn a quarter")
    settled(window, qtbot)
    assert bench.work.opened.picture.size == size[::-1]
    assert [bench.side_.table.item(0, k).text() for k in (1, 2)] == numbers
    take(menu_behind(bench.ready), "As it was")
    settled(window, qtbot)
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *a: (3.0, True))
    take(menu_behind(bench.ready), "Turn by degrees")
    settled(window, qtbot)
    assert bench.work.chart.prepared.turn == 3.0
    corners = bench.work.opened.found.corners
    order = corners[np.argsort(np.arctan2(*(corners - corners.mean(axis=0)).T[::-1]))]
    take(menu_behind(bench.ready), "Straighten")
    for corner in order:
        point(window, qtbot, corner)
    assert bench.work.chart.prepared.corners is not None
    found = bench.work.opened.found
    top = next(line for line in found.lines if line.lying)
    assert abs(top.end[1] - top.start[1]) < 1.0, "the frame stands straight"
    low, high = found.corners.min(axis=0) - 60, found.corners.max(axis=0) + 60
    take(menu_behind(bench.ready), "Cut out")
    QTest.mousePress(bench.view, LEFT, PLAIN, at(bench, low))
    QTest.mouseMove(bench.view, at(bench, high))
    QTest.mouseRelease(bench.view, LEFT, PLAIN, at(bench, high))
    settled(window, qtbot)
    assert bench.work.chart.prepared.crop is not None
    assert [float(bench.side_.table.item(0, k).text().split("(")[0]) for k in (1, 2)] == pytest.approx(
        [float(text.split("(")[0]) for text in numbers], rel=2e-3
    )
    for _ in range(5):
        window.session.undo()
    settled(window, qtbot)
    assert bench.work.opened.picture.size == size
    bench.light.setValue(5)
    assert bench.view.gamma > 1.5
    QTest.mouseClick(bench.grid, LEFT)
    assert not bench.view.grid_shown


@pytest.fixture(scope="module")
def pictures(tmp_path_factory):
    return write_charts(tmp_path_factory.mktemp("charts"))


def test_the_demos_release_chart_becomes_a_family_with_the_truth_within_u(qtbot, window, pictures):
    window = window()
    window.take_files([pictures[0]])
    settled(window, qtbot)
    bench = window.trace_bench
    assert window.bench == "Trace"
    bench.axes.of_x.scale.setCurrentIndex(1)
    bench.axes.of_x.scale.activated.emit(1)
    left, bottom = float(time_px(np.array(0.001))), float(share_px(np.array(0.0)))
    mark(window, qtbot, (left, bottom), x="0.001 d", y="0 %")
    mark(window, qtbot, (float(time_px(np.array(100.0))), bottom), x="100")
    mark(window, qtbot, (left, float(share_px(np.array(100.0)))), y="100")
    assert (bench.work.trace.x.unit, bench.work.trace.y.unit) == ("d", "%")
    click(bench.steps["points"])
    for film in releases():
        click(bench.side_.another)
        click(bench.tool_buttons["a line"])
        t = np.array(1.0)
        point(window, qtbot, (float(time_px(t)), float(share_px(film.at(t)))))
        card = bench.side_.cards.itemAt(bench.side_.cards.count() - 1).widget()
        type_into(card.condition, f"{film.loading:g}")
    click(bench.side_.into)
    study = window.session.study
    (family,) = study.document.families
    assert [study.entry(id_).condition for id_ in family.curves] == [1.0, 2.0, 4.0]
    covered: list[float] = []
    for id_, film in zip(family.curves, releases(), strict=True):
        curve = recorded(study, id_)
        assert (curve.x_unit, curve.y_unit) == ("d", "%")
        assert (curve.x[0], curve.x[-1]) == (pytest.approx(0.002, rel=0.05), pytest.approx(60, rel=0.05))
        off = np.abs(curve.y - film.at(curve.x))[1:-1]
        covered += (off / curve.u[1:-1]).tolist()
    assert (np.array(covered) <= 2).mean() >= 0.93
    assert (np.array(covered) <= 3).mean() >= 0.98


def test_the_demos_bars_give_means_and_spreads_in_two_groups(qtbot, window, pictures, tmp_path):
    window = window()
    window.take_files([pictures[1]])
    settled(window, qtbot)
    bench = window.trace_bench
    for value in (0.0, 100.0):
        mark(window, qtbot, (170.0, float(share_px(np.array(value), 110.0))), y=f"{value:g} MPa")
    for number, x in enumerate((300.0, 1080.0)):
        mark(window, qtbot, (x, float(share_px(np.array(0.0), 110.0))), x=str(number))
    click(bench.steps["points"])
    for group, dried in enumerate(("in air", "pressed")):
        click(bench.side_.another)
        click(bench.tool_buttons["bars"])
        point(window, qtbot, (300 + (-48 if group == 0 else 48) + 25, 700.0))
        truth = [bar for bar in strengths() if bar.dried == dried]
        found = traced_bars(bench.work.frame, bench.work.series)
        assert len(found) == 4
        for one, true in zip(found, truth, strict=True):
            assert abs(one.value - true.mean) <= 2 * one.u
            assert abs(one.half - true.s) <= 2 * one.u_half
        for row, true in enumerate(truth):
            cell = bench.side_.table.item(row, 0)
            bench.side_.table.editItem(cell)
            editor = next(one for one in bench.side_.table.findChildren(QLineEdit) if one.isVisible())
            editor.selectAll()
            QTest.keyClicks(editor, f"{true.loading:g}")
            QTest.keyClick(editor, Qt.Key.Key_Return)
            QTest.qWait(30)
        assert [bar.name for bar in bench.work.series.bars] == [f"{true.loading:g}" for true in truth]
        card = bench.side_.cards.itemAt(bench.side_.cards.count() - 1).widget()
        type_into(card.name, dried)
        card = bench.side_.cards.itemAt(bench.side_.cards.count() - 1).widget()
        card.spread.setCurrentIndex(2)
        card.spread.activated.emit(2)
        card = bench.side_.cards.itemAt(bench.side_.cards.count() - 1).widget()
        type_into(card.count, "5")
    take(menu_behind(bench.side_.numbers), "Copy all numbers")
    cells = [line.split("\t") for line in QGuiApplication.clipboard().text().splitlines()]
    assert [row[:2] for row in cells[1:3]] == [["in air", "0"], ["in air", "1"]]
    assert cells[0][-1] == "u by the whisker"
    bench.side_.out.write_numbers(tmp_path / "bars")
    written = (tmp_path / "bars.csv").read_text().splitlines()
    assert written[0].startswith("# strength-bars.png: origin not said; SHA-256 ")
    assert len(written) == 10
    bench.side_.out.write_numbers(tmp_path / "bars.xlsx")
    assert (tmp_path / "bars.xlsx").stat().st_size > 1000
    click(bench.side_.into)
    study = window.session.study
    (family,) = study.document.families
    for id_, dried in zip(family.curves, ("in air", "pressed"), strict=True):
        curve = recorded(study, id_)
        truth = [bar for bar in strengths() if bar.dried == dried]
        assert curve.x.tolist() == [bar.loading for bar in truth]
        assert curve.y == pytest.approx([bar.mean for bar in truth], abs=0.2)
        assert curve.u == pytest.approx([bar.s / 5**0.5 for bar in truth], rel=0.05), "s / √5, and a little of reading"


def test_drawings_and_pages_of_documents_are_pictures(qtbot, window, tmp_path, monkeypatch):
    """Files that Matplotlib writes, opened by Qt's own modules: a drawing, and the second page of a document."""
    from matplotlib.backends.backend_pdf import PdfPages
    from matplotlib.figure import Figure

    window = window()
    figure = Figure(figsize=(5, 4))
    axes = figure.add_axes((0.15, 0.15, 0.8, 0.75))
    axes.plot([0, 10], [0, 5])
    figure.savefig(tmp_path / "line.svg")
    with PdfPages(tmp_path / "two.pdf") as pages:
        pages.savefig(Figure(figsize=(5, 4)))
        pages.savefig(figure)
    window.take_files([tmp_path / "line.svg"])
    settled(window, qtbot)
    bench = window.trace_bench
    assert bench.work.opened.picture.size[0] == 2000
    assert len(bench.work.opened.found.corners) == 4
    monkeypatch.setattr(QInputDialog, "getInt", lambda *a: (2, True))
    window.take_files([tmp_path / "two.pdf"])
    settled(window, qtbot)
    assert bench.work.chart.name == "two.pdf, page 2"
    assert bench.work.opened.picture.size == (1000, 800)
    assert len(bench.work.opened.found.x.majors) >= 5
    said = []
    window.session.noticed.connect(lambda text, kind: said.append(text))
    for name in ("bad.pdf", "bad.svg"):
        (tmp_path / name).write_bytes(b"nothing of the kind")
        window.take_files([tmp_path / name])
        settled(window, qtbot)
        assert f"{name} is no" in said[-1]


def test_lines_are_thinned_drawn_over_and_written_for_the_command_line(qtbot, window, pictures, tmp_path, capsys):
    window = window()
    window.take_files([pictures[0]])
    settled(window, qtbot)
    bench = window.trace_bench
    left, bottom = float(time_px(np.array(0.001))), float(share_px(np.array(0.0)))
    mark(window, qtbot, (left, bottom), x="0.001", y="0")
    mark(window, qtbot, (float(time_px(np.array(100.0))), bottom), x="100")
    mark(window, qtbot, (left, float(share_px(np.array(100.0)))), y="100")
    assert "as on a logarithmic axis; is it one?" in bench.step_words["axes"].text()
    bench.axes.of_x.scale.setCurrentIndex(1)
    bench.axes.of_x.scale.activated.emit(1)
    assert "is it one" not in bench.step_words["axes"].text()
    click(bench.steps["points"])
    click(bench.tool_buttons["a line"])
    film = releases()[0]
    place = (float(time_px(np.array(1.0))), float(share_px(film.at(np.array(1.0)))))
    type_into(bench.line_points.line, "25")
    point(window, qtbot, place)
    assert len(bench.work.series.places) == 25
    type_into(bench.line_points.line, "")
    point(window, qtbot, place)
    assert 10 < len(bench.work.trace.series[-1].places) < 200
    click(bench.tool_buttons["draw over"])
    followed = bench.work.series.places
    start, end = followed[5], followed[9]
    QTest.mousePress(bench.view, LEFT, PLAIN, at(bench, start))
    for share in np.linspace(0, 1, 8):
        QTest.mouseMove(
            bench.view, at(bench, np.array(start) + share * (np.array(end) - start) + (0, -12 * share * (1 - share)))
        )
    QTest.mouseRelease(bench.view, LEFT, PLAIN, at(bench, end))
    drawn_over = bench.work.series.places
    assert drawn_over != followed
    assert (drawn_over[0], drawn_over[-1]) == (followed[0], followed[-1])
    assert len(drawn_over) > len(followed), "what was drawn has more places than the piece that it replaces"
    window.session.undo()
    assert bench.work.series.places == followed
    bench.side_.out.write_trace(tmp_path / "release")
    assert (tmp_path / "release.png").read_bytes() == pictures[0].read_bytes()
    assert main(["trace", str(tmp_path / "release.json")]) == 0
    told = capsys.readouterr()
    assert told.out.count("\n") == 1 + sum(len(one.places) for one in bench.work.trace.series)
    assert "mean miss 0." in told.err
    bench.work.take_series(bench.work.series.id, 3)
    assert "In hand: x between" in bench.side_.foot_words.text()


def test_what_is_read_on_a_picture_is_not_written_to_another(qtbot, window, pictures):
    """The answer of the background comes after another chart was taken in hand: its pixels are none of that one's."""
    window = window()
    window.take_files([pictures[1]])
    settled(window, qtbot)
    window.take_files([pictures[0]])
    settled(window, qtbot)
    bench = window.trace_bench
    bench.work.take_tool("a line")
    film = releases()[1]
    place = (float(time_px(np.array(1.0))), float(share_px(film.at(np.array(1.0)))))
    bench.placing.click(place, False)
    bench.work.take_chart(window.session.study.document.charts[0].id)
    settled(window, qtbot)
    assert all(not chart.trace.series for chart in window.session.study.document.charts)
    assert "dropped" in window.notice.text.text()


def test_every_other_control_of_the_bench(qtbot, window, pictures, tmp_path, monkeypatch):
    window = window()
    window.take_files([pictures[0]])
    settled(window, qtbot)
    bench = window.trace_bench
    left, bottom = float(time_px(np.array(0.001))), float(share_px(np.array(0.0)))
    point(window, qtbot, (left, bottom))
    press(bench.popup.fields["x"], Qt.Key.Key_Escape)
    assert not bench.popup.isVisible()
    mark(window, qtbot, (left, bottom), x="0.001", y="0")
    mark(window, qtbot, (float(time_px(np.array(100.0))), bottom), x="100")
    mark(window, qtbot, (left, float(share_px(np.array(100.0)))), y="90")
    assert "do not come out even" not in bench.step_words["axes"].text()
    mark(window, qtbot, (left, float(share_px(np.array(60.0)))), y="40")
    assert "y: the values do not come out even with their places" in bench.step_words["axes"].text()
    window.session.undo()
    typed_before = len(bench.work.trace.y.marks)
    type_into(bench.axes.of_y.label, "Released")
    assert len(bench.work.trace.y.marks) == typed_before, "even ticks stay when a word is typed"
    row = bench.axes.of_y.marks.itemAt(1).widget()
    type_into(row.findChild(QLineEdit), "100 %")
    assert bench.work.trace.y.unit == "%"
    assert [m.value for m in bench.work.trace.y.marks if m.typed] == [0.0, 100.0]
    for scale in range(5):
        bench.axes.of_x.scale.setCurrentIndex(scale)
        bench.axes.of_x.scale.activated.emit(scale)
    bench.axes.of_x.scale.setCurrentIndex(1)
    bench.axes.of_x.scale.activated.emit(1)
    bench.axes.of_x.marks.itemAt(1).widget().findChildren(QPushButton)[0].click()
    assert bench.work.frame is None
    window.session.undo()
    type_into(bench.origin, "Report 12")
    assert bench.work.trace.origin == "Report 12"
    click(bench.steps["points"])
    for t in (10.0, 0.1):
        point(window, qtbot, (float(time_px(np.array(t))), float(share_px(releases()[2].at(np.array(t))))))
    order = bench.side_.cards.itemAt(0).widget().order

    def first() -> float:
        return float(bench.side_.table.item(0, 1).text().split("(")[0])

    assert first() == pytest.approx(0.1, rel=0.01)
    order.setCurrentIndex(1)
    order.activated.emit(1)
    assert first() == pytest.approx(10, rel=0.01)
    take_out = bench.side_.cards.itemAt(0).widget().findChildren(QPushButton)[-1]
    assert take_out.accessibleName() == "take out series 1"
    click(take_out)
    assert not bench.work.trace.series
    zoom = bench.view.zoom
    at_ = QPointF(at(bench, (600, 400)))
    there = QPointF(bench.view.mapToGlobal(at_.toPoint()))
    none, phase = Qt.MouseButton.NoButton, Qt.ScrollPhase.NoScrollPhase
    for turn in (-120, 120):
        bench.view.wheelEvent(QWheelEvent(at_, there, QPoint(), QPoint(0, turn), none, SHIFT, phase, False))
        assert (bench.view.zoom != zoom) == (turn < 0)
    corner = bench.view.corner()
    QTest.mousePress(bench.view, LEFT, CTRL, at_.toPoint())
    QTest.mouseMove(bench.view, at_.toPoint() + QPoint(30, 20))
    QTest.mouseRelease(bench.view, LEFT, CTRL, at_.toPoint() + QPoint(30, 20))
    assert (bench.view.corner() - corner).x() == pytest.approx(30, abs=1)
    take(menu_behind(bench.ready), "Straighten")
    press(bench.view, Qt.Key.Key_Escape)
    assert bench.view.asking == ""
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(pictures[1]), ""))
    click(bench.open)
    settled(window, qtbot)
    assert bench.work.chart.name == "strength-bars.png"
    for value in (0.0, 100.0):
        mark(window, qtbot, (170.0, float(share_px(np.array(value), 110.0))), y=f"{value:g}")
    for number, x in enumerate((300.0, 1080.0)):
        mark(window, qtbot, (x, float(share_px(np.array(0.0), 110.0))), x=str(number))
    click(bench.steps["points"])
    click(bench.tool_buttons["one bar"])
    point(window, qtbot, (277.0, 700.0))
    assert len(bench.work.series.bars) == 1
    click(bench.lying)
    assert bench.work.lying
    bench.remove_chart()
    assert [one.name for one in window.session.study.document.charts] == ["release-chart.png"]
