"""The newcomer's tour in a real window: files in, clean, fit, read, save, open again; by mouse and keyboard."""

from __future__ import annotations

import csv
import io
import json

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from curvesieve.app.session.desk import MODEL
from curvesieve.core.reading import ReadingKey
from curvesieve.core.steps.repair import Despike
from curvesieve.core.steps.trim import KeepRange
from curvesieve.core.study import load_study
from curvesieve.core.study.passing import recorded
from tests.app.gestures import (
    CTRL,
    SHIFT,
    add_step,
    click,
    click_cell,
    double_click,
    drag,
    drop_files,
    menu_behind,
    move,
    take,
    type_into,
)


@pytest.fixture
def spectra(window, demo_files, qtbot):
    """A window into which the five spectra were dropped and brought in."""
    w = window()
    drop_files(w, demo_files)
    qtbot.waitUntil(lambda: len(w.tray.ready) == 5)
    assert w.benches.currentWidget() is w.intake_bench
    assert w.intake_bench.files.bring.text() == "Bring in 5 files"
    assert "6 rows before the data" in w.intake_bench.details.whole_text()
    assert (w.intake_bench.delimiter.currentText(), w.intake_bench.decimal.currentText()) == ("comma", "decimal point")
    click(w.intake_bench.files.bring)
    assert w.benches.currentWidget() is w.curve_bench
    assert [curve.label for curve in w.session.study.document.curves] == ["0 wt%", "0.5 wt%", "1 wt%", "2 wt%", "4 wt%"]
    assert w.session.study.document.families[0].label == "Intensity against Raman shift by loading"
    return w


def fit(w, qtbot) -> None:
    click(w.curve_bench.model.foot.fit)
    qtbot.waitUntil(lambda: w.session.fit is not None, timeout=20000)


def test_tour_from_files_to_numbers_and_back(spectra, qtbot, tmp_path, demo_files):
    w = spectra
    canvas, session = w.curve_bench.canvas, w.session
    plot = canvas.plot

    # See: the axes are named with units, the pointer is read, zooming and the way back.
    curve = recorded(session.study, session.view.curve)
    assert (curve.x_label, curve.x_unit, curve.y_label, curve.y_unit) == ("Raman shift", "cm-1", "Intensity", "counts")
    move(plot, 1500.0, 300.0)
    assert w.status.pointer.text().startswith("x 1500")
    assert "cm⁻¹" in w.status.pointer.text()
    whole = plot.box.viewRange()
    drag(plot, (1300, 250), (1400, 500), CTRL)
    zoomed = plot.box.viewRange()[0]
    assert 1290 < zoomed[0] < 1310
    assert 1390 < zoomed[1] < 1410
    click(canvas.whole)
    assert plot.box.viewRange() == whole

    # Keep range: added from the list, then its edge is dragged on the plot.
    add_step(w, "Keep range")
    low_edge = session.slots[0].rule.low
    drag(plot, (low_edge, 400), (1260.0, 400))
    step = session.slots[0].rule
    assert isinstance(step, KeepRange)
    assert abs(step.low - 1260.0) < 2.0
    kept = np.count_nonzero((curve.x >= step.low) & (curve.x <= step.high))
    assert len(canvas._scene.after) == kept

    # Despike: every true spike in the range is caught, ringed and listed, and nothing else.
    add_step(w, "Despike")
    assert isinstance(session.slots[1].rule, Despike)
    truth = json.loads((demo_files[0].parent / "truth.json").read_text())["loading-0p0wt.csv"]
    spikes = sorted(float(x) for x in curve.x[truth["spikes"]] if step.low <= x <= step.high)
    assert sorted(float(x) for x in canvas.strip.list_model.x) == spikes
    assert canvas.layers.rings.getData()[0].size == len(spikes)
    assert f"{len(spikes)} points caught" in canvas.strip.title.text()

    # Edit, switch off and on, reorder: the catch follows.
    card = w.curve_bench.sieve.card(session.slots[1].id)
    type_into(card.fields["threshold"].line, "1e3")
    assert session.slots[1].rule.threshold == 1000.0
    assert "0 points caught" in canvas.strip.title.text()
    session.undo()
    click(card.switch)
    assert not session.slots[1].on
    click(card.switch)
    card.moved.emit(-1)
    assert [slot.rule.slug for slot in session.slots] == ["despike", "keep-range"]
    session.undo()

    # Peaks by double click, the range in use by Shift+drag, a crown moved by hand.
    click(w.curve_bench.model.card)
    assert session.view.stage == MODEL
    for x in (1338, 1458, 1602):
        y = float(np.interp(x, curve.x, curve.y))
        double_click(plot, x, y)
    assert [placed.number for placed in session.model.peaks] == [1, 2, 3]
    assert session.model.background.slug == "line"
    drag(plot, (1275, 250), (1735, 250), SHIFT)
    assert abs(session.model.low - 1275) < 2
    handles = canvas.model.handles[1]
    s = handles.shape
    drag(plot, (s.center, s.base + s.height), (s.center + 12, s.base + s.height + 40))
    moved = session.model.term_numbered(1).parameters
    assert abs(moved["center"].start - (s.center + 12)) < 1.5
    assert abs(moved["height"].start - (s.height + 40)) < 10
    s = canvas.model.handles[1].shape
    drag(plot, (s.center + s.fwhm / 2, s.base + s.height / 2), (s.center + s.fwhm, s.base + s.height / 2))
    assert session.model.term_numbered(1).parameters["fwhm"].start == pytest.approx(2 * s.fwhm, rel=0.1)

    # Fit: the numbers are the generator's, within 3u.
    fit(w, qtbot)
    result = session.fit.result
    assert result.converged
    assert result.statistics.r2 > 0.99
    for number, peak in enumerate(truth["peaks"], 1):
        for name in ("center", "fwhm"):
            fitted = result.parameters[f"{name}_{number}"]
            assert abs(fitted.value - peak[name]) < 3 * fitted.u, (name, number)
    assert "converged in" in w.curve_bench.model.foot.outcome.text()
    assert "residual of the model" in canvas.strip.title.text()

    # The ledger: a number leads back to its points; the table is copied and written.
    ledger = w.curve_bench.ledger
    titles = [column.heading for column in ledger.ledger.columns]
    column = titles.index("P2 FWHM (cm⁻¹)") + 1
    click_cell(ledger.view, 0, column)
    assert session.view.reading == ReadingKey("fit", "fwhm", 2)
    assert canvas.layers.spot.isVisible()
    assert "after Keep range, Despike" in ledger.advice.whole_text()
    take(menu_behind(ledger.copy), "For a spreadsheet")
    assert QApplication.clipboard().text().startswith("curve\tloading (wt%)\tP1 center (cm-1)\tu(P1 center) (cm-1)")
    ledger.write(tmp_path / "ledger.csv")
    qtbot.waitUntil(lambda: (tmp_path / "ledger.csv").exists())
    rows = list(csv.DictReader(io.StringIO((tmp_path / "ledger.csv").read_text())))
    assert len(rows) == 5
    assert float(rows[0]["P2 FWHM (cm-1)"]) == result.parameters["fwhm_2"].value
    assert float(rows[0]["u(P2 FWHM) (cm-1)"]) == result.parameters["fwhm_2"].u

    # Undo to the very beginning and redo to the end: the same study, object for object.
    end = session.study
    w.setFocus()
    steps = 0
    while session.undo_label and steps < 100:
        QTest.keyClick(w, Qt.Key.Key_Z, CTRL)
        steps += 1
    assert not session.study.document.curves
    assert 9 <= steps < 100
    for _ in range(steps):
        QTest.keyClick(w, Qt.Key.Key_Z, CTRL | SHIFT)
    assert session.study is end

    # Save, close, open again: the same study, the same numbers.
    path = tmp_path / "tour.sieve"
    session.save(path)
    qtbot.waitUntil(lambda: session.is_saved and session.path == path)
    assert "tour.sieve · saved" in w.header.study.text()
    again = load_study(path)
    assert again.document == end.document
    assert again.readings(session.view.curve) == end.readings(session.view.curve)
    assert again.fit_is_current(session.view.curve)
