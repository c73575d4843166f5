"""The Field bench by mouse and keys: the demo's maps from files to surfaces, slices and numbers with u."""

from __future__ import annotations

import csv
import os
import random

import h5py
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt, QThread
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog

from curvesieve.core.fields.reads import registered_field_measures
from curvesieve.core.fields.steps import registered_field_steps
from curvesieve.core.fields.ways import registered_ways
from curvesieve.core.figures.writing import page_of
from curvesieve.core.reading import concise
from curvesieve.core.study import load_study, save_study
from curvesieve.core.study.passing import recorded, sieved_curve
from curvesieve.demo.build import build_study
from curvesieve.demo.fields import PERIOD_MM, RIPPLE_UM, height, ripple, thickness, write_fields
from tests.app.gestures import (
    SHIFT,
    add_step,
    click,
    click_cell,
    drag,
    drop_files,
    menu_behind,
    move,
    press,
    take,
    type_into,
)
from tests.app.test_intake import pick

WHOLE = os.environ.get("SWEEP") == "whole"


@pytest.fixture(scope="module")
def few(tmp_path_factory):
    """A map of seventy points: what is swept over and over."""
    rng = np.random.default_rng(3)
    x, y = rng.uniform(-10, 10, (2, 70))
    path = tmp_path_factory.mktemp("few") / "few.csv"
    rows = np.column_stack([x, y, thickness(x, y) + 0.2 * rng.standard_normal(70)])
    np.savetxt(path, rows, delimiter=",", header="x (mm),y (mm),thickness (um)", comments="", fmt="%.4f")
    return path


@pytest.fixture(scope="module")
def paths(tmp_path_factory):
    return write_fields(tmp_path_factory.mktemp("fields"))


@pytest.fixture
def alone(monkeypatch):
    """Ways are compared when that is asked for: a sweep edits too often to wait for it."""
    monkeypatch.setattr("curvesieve.app.benches.field.work._ASKED_BY_HAND", 10)


def drawn(chance: random.Random, acts: list) -> list[int]:
    return list(range(len(acts))) if WHOLE else sorted(chance.sample(range(len(acts)), min(2, len(acts))))


def settled(w, qtbot) -> None:
    QTest.qWait(20)
    qtbot.waitUntil(lambda: not w.session.jobs.busy and not w.field_bench.work.busy, timeout=60_000)
    QTest.qWait(20)


def opened(window, qtbot, path, study=None):
    w = window(study)
    click(w.header.buttons["Field"])
    drop_files(w, [path])
    settled(w, qtbot)
    return w, w.field_bench


def choose(listed, words: str) -> None:
    QTest.keyClicks(listed.field, words)
    press(listed.field, Qt.Key.Key_Return)


def read(w, qtbot, words: str):
    """Takes a reading by its list; the readings of its measure, by their symbols."""
    bench = w.field_bench
    click(bench.read)
    choose(bench.reads._list, words)
    settled(w, qtbot)
    return {one.symbol: one for one in bench.work.shown.reads[-1].readings}


def step(w, qtbot, words: str):
    bench = w.field_bench
    click(bench.left.add)
    choose(bench.left._list, words)
    settled(w, qtbot)
    return bench.left.steps[bench.work.step_id]


def test_the_thickness_map_from_file_to_kriged_map_slices_and_volume(window, qtbot, paths, tmp_path):
    w, bench = opened(window, qtbot, paths[0])
    work, views = bench.work, bench.views
    assert bench.points.words.text() == "160 points, scattered"
    assert bench.points.choices["z"].currentText() == "thickness (µm)"
    grid = work.shown.filled.grid
    assert grid.z.shape == (101, 101)
    gx, gy = np.meshgrid(grid.x, grid.y)
    off = (grid.z - thickness(gx, gy))[grid.known]
    assert np.sqrt(np.mean(off**2)) < 0.25  # the noise of a point
    assert 0.88 < np.mean(np.abs(off) < 2 * grid.u[grid.known]) <= 1
    # ways side by side: kriging is the first, what goes through neighbours only is never beyond them
    table = bench.way.table
    assert table.item(0, 0).text() == "Kriging"
    assert table.rowCount() == 6
    # a cursor reads x, y, z ± u
    move(views.map, 5.2, -4.0)
    assert "thickness 87" in w.status.hint.whole_text() or "thickness 86" in w.status.hint.whole_text()
    # levels that are chosen
    pick(bench.levels.by, "list")
    type_into(bench.levels.given, "78 82 86")
    settled(w, qtbot)
    assert {line.level for line in work.shown.lines} == {78.0, 82.0, 86.0}
    type_into(bench.levels.given, "78 82 86 120")
    settled(w, qtbot)
    assert "120 beyond the surface" in bench.levels.problem.text()
    # slices: five, by numbers, then one dragged
    type_into(bench.slices.count.line, "5")
    type_into(bench.slices.first.line, "-6")
    type_into(bench.slices.last.line, "6")
    settled(w, qtbot)
    assert [one.spec.at for one in work.shown.slices] == [-6, -3, 0, 3, 6]
    drag(views.map, (0.0, 6.0), (0.0, 8.0))
    settled(w, qtbot)
    assert work.shown.slices[-1].spec.at == pytest.approx(8, abs=0.2)
    w.session.undo()
    settled(w, qtbot)
    assert [one.spec.at for one in work.shown.slices] == [-6, -3, 0, 3, 6]
    # volume above a level: that of the true surface over the same cells
    above = read(w, qtbot, "above a level")
    type_into(bench.reads.made["field-above"].fields["level"].line, "82")
    settled(w, qtbot)
    above = {one.symbol: one for one in work.shown.reads[-1].readings}
    true = thickness(gx, gy) - 82
    cell = (grid.x[1] - grid.x[0]) * (grid.y[1] - grid.y[0])
    volume = np.where(grid.known & (true > 0), true, 0).sum() * cell
    assert abs(above["V(above)"].value - volume) < 3 * above["V(above)"].u
    assert above["V(above)"].unit == "µm·mm^2"
    mean = read(w, qtbot, "mean and scatter")["mean"]
    assert abs(mean.value - thickness(gx, gy)[grid.known].mean()) < 3 * mean.u
    # all of it stands in the ledger of fields; a click says where a number is from
    click(views.below["Ledger"])
    ledger = views.ledger.table
    headings = [ledger.horizontalHeaderItem(k).text() for k in range(ledger.columnCount())]
    assert headings[:4] == ["field", "A(above) (mm²)", "V(above) (µm·mm²)", "V(below) (µm·mm²)"]
    assert ledger.item(0, 2).text() == concise(above["V(above)"].value, above["V(above)"].u)
    click_cell(ledger, 0, 2)
    assert work.measure_id == "field-above"
    assert "volume above of thickness-map" in w.status.hint.whole_text()
    click(views.below["Slices"])
    # the slices as a family that follows the field; one slice's spectrum is the Curve bench's work
    click(bench.as_family)
    family = w.session.study.document.families[-1]
    assert (family.condition, family.unit, len(family.curves)) == ("y", "mm", 5)
    curve = recorded(w.session.study, family.curves[2])
    assert curve.y == pytest.approx(thickness(curve.x, 0.0), abs=1.0)
    assert np.mean(np.abs(curve.y - thickness(curve.x, 0.0)) < 2 * curve.u) > 0.85
    click(w.header.buttons["Curve"])
    w.session.look_at_curve(family.curves[2])
    add_step(w, "fourier")
    qtbot.waitUntil(lambda: not w.session.jobs.busy)
    spectrum = sieved_curve(w.session.study, family.curves[2]).curve
    assert len(spectrum) > 10
    # a page of the map with a click
    click(w.header.buttons["Field"])
    click(bench.figure)
    qtbot.waitUntil(lambda: w.bench == "Figure" and not w.session.jobs.busy)
    (content,) = w.figure_bench.work.spec.panels[0].contents
    assert (content.kind, content.field, content.shows) == ("field", work.field.id, "map")
    assert not page_of(w.session.study, w.figure_bench.work.spec).said
    # linked: another way of filling moves the slice
    click(w.header.buttons["Field"])
    row = next(k for k in range(table.rowCount()) if table.item(k, 0).text() == "Nearest point")
    click_cell(table, row, 0)
    settled(w, qtbot)
    assert work.filling.way.slug == "nearest"
    assert set(recorded(w.session.study, family.curves[2]).y) <= set(work.shown.prepared.points.z)
    w.session.undo()
    settled(w, qtbot)
    # kept in the file, and made again from it
    save_study(w.session.study, tmp_path / "map.sieve")
    again = load_study(tmp_path / "map.sieve")
    assert again.document == w.session.study.document
    assert recorded(again, family.curves[2]).y == pytest.approx(curve.y)
    for _ in range(60):
        w.session.undo()
    assert not w.session.study.document.fields


def test_the_surface_is_turned_raised_and_seen_through(window, qtbot, paths):
    w, bench = opened(window, qtbot, paths[0])
    views, surface = bench.views, bench.views.surface
    click(views.row.views["surface"])
    QTest.qWait(50)
    assert surface.isVisible()
    before = surface.eye
    start = surface.rect().center()
    QTest.mousePress(surface, Qt.MouseButton.LeftButton, pos=start)
    for k in range(1, 9):
        QTest.mouseMove(surface, start + QPoint(12 * k, -3 * k))
        QTest.qWait(10)
    QTest.mouseRelease(surface, Qt.MouseButton.LeftButton, pos=start + QPoint(96, -24))
    qtbot.waitUntil(lambda: bench.work.field.look.turn != before.turn)
    assert bench.work.field.look.turn == pytest.approx(before.turn + 0.4 * 96, abs=0.2)
    assert bench.work.field.look.tilt == pytest.approx(before.tilt - 0.4 * 24, abs=0.2)
    surface.setFocus()
    press(surface, Qt.Key.Key_Right)
    qtbot.waitUntil(lambda: bench.work.field.look.turn == pytest.approx(before.turn + 0.4 * 96 + 5, abs=0.2))
    tall = bench.work.field.look.height
    at = QPointF(start)
    wheel = QWheelEvent(at, surface.mapToGlobal(at), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
                        Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    QApplication.sendEvent(surface, wheel)
    assert bench.work.field.look.height == pytest.approx(1.1 * tall)
    type_into(views.row.tall.line, "0.8")
    click(views.row.through)
    assert bench.work.field.look.height == 0.8
    assert bench.work.field.look.through
    click(views.row.dots)
    assert not bench.work.field.look.points
    QTest.qWait(60)
    made = surface._made
    rows, columns = np.nonzero(made.seen)
    k = len(rows) // 2
    QTest.mouseMove(surface, QPoint(int(columns[k]), int(rows[k])))
    QTest.qWait(30)
    assert "thickness" in w.status.hint.whole_text()
    type_into(views.row.tall.line, "-3")
    assert "kept" in w.notice.text.text()


def test_a_probe_map_is_levelled_its_spikes_taken_and_given_back(window, qtbot, paths):
    w, bench = opened(window, qtbot, paths[1])
    work, views = bench.work, bench.views
    assert len(work.shown.prepared.points) == 441
    card = step(w, qtbot, "level")
    assert "slopes 3" in bench.left.messages[card.slot_id].text()
    card = step(w, qtbot, "remove spikes")
    assert len(work.shown.prepared.points) == 436
    click(views.row.views["caught"])
    QTest.qWait(30)
    trail = work.shown.prepared.trail[-1]
    x, y, taken = trail.caught
    assert len(x) == 5
    assert taken.min() > 120
    views.map.show_all()
    QTest.qWait(30)
    drag(views.map, (float(x[0]), float(y[0])), (float(x[0]), float(y[0])), steps=1)
    settled(w, qtbot)
    assert len(work.shown.prepared.points) == 437
    assert "1 given back" in bench.left.messages[card.slot_id].text()
    drag(views.map, (float(x[0]), float(y[0])), (float(x[0]), float(y[0])), steps=1)
    settled(w, qtbot)
    assert len(work.shown.prepared.points) == 436
    click(views.row.views["map"])
    settled(w, qtbot)
    grid = work.shown.filled.grid
    gx, gy = np.meshgrid(grid.x, grid.y)
    truth = height(gx, gy)
    points = work.shown.prepared.gathered.points
    plane = np.linalg.lstsq(
        np.column_stack([np.ones(441), points.x, points.y]), height(points.x, points.y), rcond=None
    )[0]
    off = (grid.z - (truth - plane[0] - plane[1] * gx - plane[2] * gy))[grid.known]
    assert np.sqrt(np.mean((off - off.mean()) ** 2)) < 4.0  # the probe's noise
    # a step that cannot work says why, and lets everything pass
    type_into(card.fields["neighbours"].line, "200")
    settled(w, qtbot)
    card = step(w, qtbot, "another unit")
    assert "no unit" in card.problem.text().lower()
    type_into(card.fields["to"].line, "um")
    settled(w, qtbot)
    assert work.shown.prepared.points.names.z_unit == "um"
    click(card.switch)
    settled(w, qtbot)
    assert work.shown.prepared.points.names.z_unit == "nm"
    take(menu_behind(card.more), "Move up")
    settled(w, qtbot)
    assert work.field.sieve[1].id == card.slot_id
    take(menu_behind(bench.left.steps[card.slot_id].more), "Remove this step")
    settled(w, qtbot)
    assert len(work.field.sieve) == 2


def test_a_rough_surface_in_rows_and_columns_gives_its_roughness_and_period(window, qtbot, paths, tmp_path):
    w, bench = opened(window, qtbot, paths[2])
    work = bench.work
    assert work.filling.way.slug == "as-measured"
    assert "96 columns × 96 rows" in bench.points.words.text()
    step(w, qtbot, "level")
    found = read(w, qtbot, "roughness of the area")
    grid = work.shown.filled.grid
    gx, gy = np.meshgrid(grid.x, grid.y)
    assert found["Sq"].value == pytest.approx(np.hypot(RIPPLE_UM / np.sqrt(2), 0.15), rel=0.03)
    assert np.corrcoef(ripple(gx, gy).ravel(), grid.z.ravel())[0, 1] > 0.3
    period = read(w, qtbot, "strongest period")
    assert abs(period["λ"].value - PERIOD_MM) < 2 * period["λ"].u
    assert abs(period["φ"].value - 25) < 3 * period["φ"].u
    for slug in ("as-measured", "spline", "linear"):
        pick(bench.way.way, registered_ways()[slug].label)
        settled(w, qtbot)
        assert work.filling.way.slug == slug
        assert work.shown.filled is not None
    # out: every format, read again by another library, and the lines
    out = bench.out
    for name in ("grid.csv", "grid.xlsx", "grid.h5", "grid.npz", "grid.json"):
        out.write_grid(tmp_path / name)
        settled(w, qtbot)
        assert (tmp_path / name).stat().st_size > 1000, name
    with h5py.File(tmp_path / "grid.h5") as file:
        assert file["entry/field/z"][()] == pytest.approx(work.shown.filled.grid.z, nan_ok=True)
        assert "SHA-256" in file["entry/field"].attrs
    out.write_matrix(tmp_path / "matrix.csv")
    settled(w, qtbot)
    out.write_lines(tmp_path / "lines.svg")
    settled(w, qtbot)
    out.write_lines(tmp_path / "lines.csv")
    settled(w, qtbot)
    out.write_reads(tmp_path / "reads.csv")
    settled(w, qtbot)
    out.write_picture(tmp_path / "map.png")
    settled(w, qtbot)
    assert QImage(str(tmp_path / "map.png")).width() == 2 * bench.views.picture.width()
    rows = [row for row in csv.reader((tmp_path / "reads.csv").open()) if not row[0].startswith("#")]
    assert rows[1][1] == "arithmetical mean height"
    assert float(rows[1][3]) == work.shown.reads[0].readings[0].value
    assert (tmp_path / "lines.svg").read_text().count("<path") == len(work.shown.lines)
    out.write_grid(tmp_path / "grid.docx")
    settled(w, qtbot)
    assert "no format" in w.notice.text.text()
    out.copy_reads()
    assert "Sa" in QApplication.clipboard().text()


def test_fields_of_families_formulas_and_differences_and_what_cannot_be(window, qtbot, paths, tmp_path):
    study = build_study(tmp_path / "demo")
    w, bench = opened(window, qtbot, paths[0], study)
    work = bench.work
    take(menu_behind(bench.left.new), "The family Stress relaxation")
    settled(w, qtbot)
    assert work.field.source.kind == "family"
    assert work.shown.filled is not None or work.shown.problem
    assert work.shown.prepared.points.names.y == "humidity"
    assert "distances are counted in shares" in bench.points.warning.text()
    take(menu_behind(bench.left.new), "A formula in x and y")
    dialog = bench.making.dialog
    type_into(dialog.formula, "x*y + a")
    click(dialog.ok)
    assert "no value" in dialog.problem.text()
    dialog.formula.setText("x*y")
    click(dialog.ok)
    settled(w, qtbot)
    first = work.field.id
    take(menu_behind(bench.left.new), "A formula in x and y")
    bench.making.dialog.formula.setText("x*y - 2")
    click(bench.making.dialog.ok)
    settled(w, qtbot)
    take(menu_behind(bench.left.new), "x*y - 2 less x*y")
    settled(w, qtbot)
    assert work.shown.prepared.points.z == pytest.approx(-2.0)
    work.take_field(first)
    settled(w, qtbot)
    bench.remove_field()
    assert "remove that first" in w.notice.text.text()
    # a line, three points, nothing
    for text, words in (("1,1,1\n2,2,2\n3,3,9\n", "one line"), ("1,1,1\n2,2,2\n", "three points")):
        path = tmp_path / "few.csv"
        path.write_text("x,y,z\n" + text)
        drop_files(w, [path])
        settled(w, qtbot)
        assert words in bench.views.problem.text(), words
    path.write_text("x,y\n1,2\n2,3\n")
    drop_files(w, [path])
    settled(w, qtbot)
    assert "three columns" in w.notice.text.text()


def test_every_setting_of_every_way_can_be_used(window, qtbot, few, alone):
    w, bench = opened(window, qtbot, few)
    work, card = bench.work, bench.way
    type_into(card.columns.line, "21")
    type_into(card.lines.line, "21")
    click(card.more)
    gestures = 0
    for way in registered_ways().values():
        if way.slug in ("as-measured", "spline"):
            continue
        pick(card.way, way.label)
        settled(w, qtbot)
        assert work.filling.way.slug == way.slug
        for name, field in list(card.fields.items()):
            before = work.filling.way
            if not before.acts(name):
                continue
            if hasattr(field, "choice"):
                for k in range(field.choice.count()):
                    pick(card.fields[name].choice, field.choice.itemText(k))
                    settled(w, qtbot)
                    gestures += 1
                    assert getattr(work.filling.way, name) == field.choice.itemText(k)
            elif hasattr(field, "edit"):
                type_into(card.fields[name].line, "a + b*x" if name == "formula" else "a = 80")
                settled(w, qtbot)
            else:
                for text in ("12", "", "-4", "abc"):
                    type_into(card.fields[name].line, text)
                    settled(w, qtbot)
                    gestures += 1
            assert work.shown is not None, (way.slug, name)
            assert work.shown.filled is not None or work.shown.problem, (way.slug, name)
            work.change("back", filling=work.filling.model_copy(update={"way": before}))
            settled(w, qtbot)
    assert gestures > 50


def test_grid_outside_reach_and_slices_by_every_control(window, qtbot, few):
    w, bench = opened(window, qtbot, few)
    work, card = bench.work, bench.way
    pick(card.way, "Linear")
    settled(w, qtbot)
    type_into(card.columns.line, "31")
    type_into(card.lines.line, "21")
    settled(w, qtbot)
    assert work.shown.filled.grid.z.shape == (21, 31)
    type_into(card.step.line, "0.5")
    settled(w, qtbot)
    assert np.diff(work.shown.filled.grid.x) == pytest.approx(0.5)
    type_into(card.step.line, "")
    bench.ask = lambda words: False
    type_into(card.columns.line, "30000")
    type_into(card.lines.line, "200")
    settled(w, qtbot)
    assert work.filling.grid.columns * work.filling.grid.rows <= 1_000_000
    type_into(card.columns.line, "100000")
    settled(w, qtbot)
    known = work.shown.filled.grid.known.mean()
    for words, share in (("the nearest point", 1.0), ("a value", 1.0), ("left empty", known)):
        pick(card.outside, words)
        settled(w, qtbot)
        assert work.shown.filled.grid.known.mean() == pytest.approx(share)
    click(card.more)
    type_into(card.reach.line, "0.6")
    settled(w, qtbot)
    assert work.shown.filled.grid.known.mean() < 0.6 * known
    type_into(card.reach.line, "")
    pick(card.scaled, "in shares of the extents")
    settled(w, qtbot)
    assert work.filling.scaled
    # stopped, it says that what is seen is of before, and can be gone on with
    pick(card.way, "Thin plate")
    w.session.jobs.stop("field")
    QTest.qWait(60)
    assert bench.views.again.isVisible()
    assert work.shown.filled.surface.filling.way.slug == "linear"
    click(bench.views.again)
    settled(w, qtbot)
    assert not bench.views.again.isVisible()
    assert work.shown.filled.surface.filling.way.slug == "thin-plate"
    w.session.undo()
    settled(w, qtbot)
    slices = bench.slices
    pick(slices.along, "along y")
    type_into(slices.count.line, "3")
    type_into(slices.across.line, "1.5")
    settled(w, qtbot)
    assert [one.spec.along for one in work.shown.slices] == ["y"] * 3
    assert work.shown.slices[0].spec.width == 1.5
    drag(bench.views.map, (-5.0, -5.0), (5.0, 5.0), keys=SHIFT)
    settled(w, qtbot)
    assert len(work.shown.slices) == 4
    assert work.shown.slices[-1].spec.ends == pytest.approx((-5, -5, 5, 5), abs=0.3)
    type_into(slices.first.line, "500")
    settled(w, qtbot)
    assert "nothing" in slices.problem.text() or not work.shown.slice_problems
    click(slices.lines.itemAt(0).widget().findChild(type(card.more)))
    settled(w, qtbot)
    assert not work.field.slices.lines
    for text in ("-1", "x", "600"):
        type_into(slices.count.line, text)
        assert w.notice.text.text()
    for button in (bench.levels.smooth, bench.levels.banded, bench.levels.lines, bench.levels.named):
        click(button)
        settled(w, qtbot)
    pick(bench.levels.by, "step")
    type_into(bench.levels.step.line, "1e-9")
    settled(w, qtbot)
    assert "wider step" in bench.levels.problem.text()
    click(slices.extremes)
    settled(w, qtbot)
    cut, grid = work.shown.slices[-1], work.shown.filled.grid
    for end, at in ((0, np.nanargmin(grid.z)), (-1, np.nanargmax(grid.z))):
        assert cut.places[end] == pytest.approx([grid.x[at % grid.x.size], grid.y[at // grid.x.size]])
    click(bench.views.row.views["misses"])
    settled(w, qtbot)
    assert bench.views.bar.title.startswith("misses at left-out points")
    judged = next(one for one in work.ways if one.way == work.filling.way)
    assert len(bench.views.map.coloured.points()) == np.isfinite(judged.left_out.misses).sum()
    for name in ("beyond", "u", "map"):
        click(bench.views.row.views[name])
        settled(w, qtbot)
    assert not w.keeper.seen


def tried(field) -> list:
    """What is done to the editor of a field: every choice, or texts that can be and that cannot."""
    if hasattr(field, "choice"):
        return [lambda k=k: pick(field.choice, field.choice.itemText(k)) for k in range(field.choice.count())]
    if hasattr(field, "switch"):
        return [lambda: click(field.switch), lambda: click(field.switch)]
    texts = ("1 2; 3 4", "1 2 3", "") if hasattr(field, "edit") else ("3", "0.5", "", "-4", "1e12", "abc")
    return [lambda text=text: type_into(field.line, text) for text in texts]


def test_every_field_of_every_step_and_measure_can_be_used(window, qtbot, few, alone):
    """Each is chosen from its list and each of its fields edited: what is typed acts, or is refused with words.

    Two gestures a field, drawn by a seed; all of them in ``make sweep``.
    """
    chance = random.Random(5)
    w, bench = opened(window, qtbot, few)
    type_into(bench.way.columns.line, "15")
    type_into(bench.way.lines.line, "15")
    pick(bench.way.way, "Linear")
    settled(w, qtbot)
    gestures = 0
    for slug, rule in registered_field_steps().items():
        card = step(w, qtbot, rule.label)
        assert bench.work.field.sieve[-1].rule.slug == slug
        for name in list(card.fields):
            for k in drawn(chance, tried(card.fields[name])):
                if not bench.work.field.sieve[-1].rule.acts(name):
                    continue
                tried(bench.left.steps[card.slot_id].fields[name])[k]()
                settled(w, qtbot)
                gestures += 1
                assert bench.work.shown is not None, (slug, name)
        take(menu_behind(bench.left.steps[card.slot_id].more), "Remove this step")
        settled(w, qtbot)
        assert not bench.work.field.sieve
    for slug, rule in registered_field_measures().items():
        read(w, qtbot, rule.label)
        assert bench.work.field.measures[-1].rule.slug == slug
        card = bench.reads.made[slug]
        for name in list(card.fields):
            for k in drawn(chance, tried(card.fields[name])):
                tried(bench.reads.made[slug].fields[name])[k]()
                settled(w, qtbot)
                gestures += 1
        outcome = bench.work.shown.reads[-1]
        assert outcome.readings or outcome.problem, slug
        click(bench.reads.made[slug].switch)
        settled(w, qtbot)
        assert not bench.work.shown.reads[-1].readings
    assert gestures > (120 if WHOLE else 60)


def test_a_table_is_named_and_its_variogram_dragged(window, qtbot, paths, few):
    w, bench = opened(window, qtbot, paths[2])
    work, card = bench.work, bench.points
    for name, text in (("z", "height"), ("z_unit", "um"), ("x_unit", "mm")):
        type_into(card.named[name], text)
    type_into(card.steps["x"].line, "0.1")
    settled(w, qtbot)
    names = work.shown.prepared.points.names
    assert (names.z, names.z_unit, names.x_unit) == ("height", "um", "mm")
    assert work.shown.prepared.points.spans == pytest.approx((9.5, 4.75))
    type_into(card.steps["y"].line, "-1")
    assert "kept" in w.notice.text.text()
    drop_files(w, [few])
    settled(w, qtbot)
    click(bench.way.more)
    settled(w, qtbot)
    plot = bench.way.variogram
    assert plot.isVisible()
    law = work.shown.filled.surface.filler.law
    high = plot.box.viewRange()[1][1]
    far = plot.box.viewRange()[0][1]
    wanted = 0.6 * far
    start = law.range if law.range < far else 0.95 * far
    plot.reach.setValue(start)
    drag(plot, (start, 0.5 * high), (wanted, 0.5 * high))
    settled(w, qtbot)
    assert work.filling.way.range == pytest.approx(wanted, rel=0.05)
    assert work.shown.filled.surface.filler.law.range == pytest.approx(work.filling.way.range)
    drag(plot, (0.3 * far, float(plot.sill.value())), (0.3 * far, 0.7 * high))
    settled(w, qtbot)
    assert work.filling.way.sill == pytest.approx(0.7 * high - law.nugget, rel=0.15)


def test_a_small_window_has_what_there_is_no_room_for_in_a_menu(window, qtbot, few):
    w = window(size=(1024, 700))
    click(w.header.buttons["Field"])
    drop_files(w, [few])
    settled(w, qtbot)
    bench, views = w.field_bench, w.field_bench.views
    for one in views.row.views.values():
        assert one.isHidden() or one.width() >= one.sizeHint().width(), one.text()
    for words, name in (("Points", "points"), ("See-through", "through")):
        before = getattr(bench.work.field.look, name)
        take(menu_behind(views.row.looks), words)
        assert getattr(bench.work.field.look, name) != before
    take(menu_behind(views.row.looks), "All of")
    w.resize(1280, 800)
    QTest.qWait(50)
    assert not views.row.looks.isVisible()
    assert views.row.dots.isVisible()


def written(path, x, y, z):
    rows = np.column_stack([x, y, z])
    np.savetxt(path, rows, delimiter=",", header="x (m),y (m),z (m)", comments="", fmt="%.10g")
    return path


def test_uneven_rows_lie_under_their_lines_and_far_fields_are_sliced_to_the_metre(window, qtbot, tmp_path):
    """Of rows at 0, 1, 2, 3 and 20 the colours are in their places; the same millions of metres away is no other."""
    gx, gy = (part.ravel() for part in np.meshgrid(np.arange(21.0), [0.0, 1, 2, 3, 20]))
    w, bench = opened(window, qtbot, written(tmp_path / "uneven.csv", gx, gy, gy))
    work, views = bench.work, bench.views
    assert work.shown.filled.surface.filling.way.slug == "as-measured"
    assert not views.row.dots.isEnabled()
    scale = views._scale(work.shown.filled.grid.z, work.shown, "map")
    seen = views.map.grab().toImage()
    for y in (3.0, 7.1, 12.9, 18.5):
        place = views.map.mapFromScene(views.map.box.mapViewToScene(QPointF(10.4, y)))
        assert seen.pixelColor(place).rgb() == scale.colour(y).rgb(), y
    far = 5_612_000.0
    drop_files(w, [written(tmp_path / "far.csv", gx + far, gy + far, gy)])
    settled(w, qtbot)
    type_into(bench.slices.count.line, "1")
    settled(w, qtbot)
    at = work.shown.slices[0].spec.at
    drag(views.map, (far + 15.0, at), (far + 15.0, far + 4.0))
    settled(w, qtbot)
    assert work.shown.slices[0].spec.at == pytest.approx(far + 4.0, abs=0.2)
    assert np.nanmax(np.abs(work.shown.slices[0].z - (work.shown.slices[0].spec.at - far))) < 1e-6
    move(views.map, far + 10.0, far + 19.0)
    assert float(w.status.hint.whole_text().split("y ")[1].split()[0]) == pytest.approx(far + 19, abs=0.2)
    drag(views.map, (far + 2.0, far + 2.0), (far + 15.0, far + 10.0), keys=SHIFT)
    settled(w, qtbot)
    assert np.array(work.field.slices.lines[0].ends) - far == pytest.approx([2, 2, 15, 10], abs=0.2)
    # the grid of another field, and which fields may not be of one another
    pick(bench.way.way, "Linear")
    click(bench.way.more) if not bench.way.more.isChecked() else None
    settled(w, qtbot)
    pick(bench.way.like, "uneven")
    settled(w, qtbot)
    assert work.shown.filled.grid.y.tolist() == [0, 1, 2, 3, 20]
    assert not work.shown.filled.grid.known.any()


def test_nothing_of_another_field_is_seen_and_misses_of_many_points_come_from_the_background(
    window, qtbot, tmp_path, few, monkeypatch
):
    rng = np.random.default_rng(5)
    x, y = rng.uniform(0, 100, (2, 12_000))
    w, bench = opened(window, qtbot, few)
    work, views = bench.work, bench.views
    step(w, qtbot, "remove spikes")
    card = next(iter(bench.left.steps.values()))
    assert not any("name" in words for words, _ in card.menu_rows())
    drop_files(w, [written(tmp_path / "many.csv", x, y, x + 0.1 * rng.standard_normal(x.size))])
    qtbot.waitUntil(lambda: len(work.session.study.document.fields) == 2, timeout=20_000)
    assert work.field.name == "many"
    assert work.shown_now is None
    for one in (bench.way.found, bench.points.words, bench.left.recorded_words):
        assert one.text() in ("", "…"), one.text()
    assert views.bar.scale is None
    assert views.map.image.image is None
    settled(w, qtbot)
    pick(bench.way.way, "Inverse distance")
    settled(w, qtbot)
    assert work.shown.misses is None
    asked = []
    at = type(work.shown.filled.surface).at
    monkeypatch.setattr(
        "curvesieve.core.fields.surface.Surface.at",
        lambda self, *rest: (
            asked.append(QThread.currentThread() is QApplication.instance().thread()) or at(self, *rest)
        ),
    )
    click(views.row.views["misses"])
    assert not views.row.views["misses"].isChecked()
    settled(w, qtbot)
    assert asked
    assert not any(asked)
    assert views.bar.title.endswith("one in 3")
    drawn = views.map.coloured.points()
    assert len(drawn) == 4000
    assert [one.pos().x() for one in drawn] == pytest.approx(work.shown.prepared.points.x[::3])


def test_a_field_begins_from_its_first_page_and_is_written_by_its_menu(window, qtbot, few, tmp_path, monkeypatch):
    w = window()
    click(w.header.buttons["Field"])
    bench = w.field_bench
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(few), ""))
    take(menu_behind(bench.views.more), "A formula")
    bench.making.dialog.reject()
    click(bench.views.open)
    settled(w, qtbot)
    assert bench.work.field.name == "few"
    read(w, qtbot, "mean and scatter")
    for words, name in (
        ("Write the grid…", "grid.csv"), ("Write the grid in", "matrix.csv"), ("Write the lines", "lines.svg"),
        ("Write the picture", "map.png"), ("Write the readings", "reads.csv"),
    ):  # fmt: skip
        path = tmp_path / name
        monkeypatch.setattr(
            QFileDialog, "getSaveFileName", lambda *a, path=path, **k: (str(path.with_suffix("")), f"(*{path.suffix})")
        )
        take(menu_behind(bench.write), words)
        qtbot.waitUntil(lambda path=path: path.exists() and not w.session.jobs.busy, timeout=20_000)
        assert path.stat().st_size > 100
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: ("", ""))
    take(menu_behind(bench.write), "Write the grid…")
    take(menu_behind(bench.write), "Copy the readings")
    assert "mean" in QApplication.clipboard().text()
    bench.views.map.box.setRange(xRange=(0, 1), yRange=(0, 1))
    click(bench.views.row.whole)
    assert np.ptp(bench.views.map.box.viewRange()[0]) > 15
    move(bench.views.profile, 0.0, float(bench.work.shown.slices[0].z[50]))
    assert "thickness" in w.status.hint.whole_text()
