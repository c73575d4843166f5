"""From a pattern's file to the sizes of its crystallites in the window, by mouse and keys."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QLineEdit

from curvesieve.app.session import recipes
from curvesieve.app.session.desk import MODEL
from curvesieve.core.models import OwnTerm
from curvesieve.core.study.measuring import measured_curve
from curvesieve.demo import diffraction as demo
from curvesieve.demo.diffraction import write_diffraction
from curvesieve.demo.raman import LOADINGS, spectrum
from tests.app.gestures import (
    CTRL,
    add_step,
    choose_term,
    click,
    click_cell,
    double_click,
    drop_files,
    menu_behind,
    open_menu,
    place,
    press,
    take,
    type_into,
)
from tests.app.test_readings import section_of, take_reading

CU, SIZE, STRAIN = 0.15405929, 25.0, 1.5e-3
PLACES = (28.44, 47.30, 56.12, 69.13, 76.37)


def write_pattern(path, places=PLACES, seed=6) -> None:
    """Counts of Lorentzian reflections of crystallites of a size and strain, over a background that bends."""
    x = np.arange(20, 90, 0.04)
    y = 120 + 200 * np.exp(-(((x - 24) / 18) ** 2))
    for at in places:
        theta = math.radians(at / 2)
        width = math.degrees(0.9 * CU / (SIZE * math.cos(theta)) + 4 * STRAIN * math.tan(theta))
        y += 2500 / (1 + 4 * ((x - at) / width) ** 2)
    counts = np.random.default_rng(seed).poisson(y)
    rows = "".join(f"{a:.2f},{b}\n" for a, b in zip(x, counts, strict=True))
    head = "Sample: made-up powder\nWavelength: 0.15405929 nm\n\n2theta (deg),Intensity (counts)\n"
    path.write_text(head + rows)


def test_from_a_pattern_to_size_and_strain(window, qtbot, tmp_path):
    path = tmp_path / "powder.csv"
    write_pattern(path)
    w = window()
    drop_files(w, [path])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 1, timeout=20_000)
    click(w.intake_bench.files.bring)
    qtbot.waitUntil(lambda: w.session.entry is not None, timeout=20_000)
    panel = w.curve_bench.model
    panel.peak_kind.setCurrentIndex(panel.peak_kind.findData("lorentzian"))
    find_and_add(w, qtbot)
    assert len(w.session.model.peaks) == len(PLACES)
    assert w.session.undo_label == "find peaks"
    assert w.session.model.background is not None
    click(panel.foot.fit)
    qtbot.waitUntil(lambda: w.session.fit is not None, timeout=20_000)
    assert w.session.fit.result.converged
    for k, true in enumerate(PLACES, start=1):
        center = w.session.fit.result.parameters[f"center_{k}"]
        assert abs(center.value - true) < 4 * center.u
    card = take_reading(w, "williamson")
    qtbot.waitUntil(lambda: card.outcome is not None, timeout=20_000)
    assert not card.outcome.problem, card.outcome.problem  # the wavelength is that of the file's preamble
    size, strain = card.outcome.readings
    assert size.unit == "nm"
    assert abs(size.value - SIZE) < 4 * size.u
    assert abs(strain.value - STRAIN) < 4 * strain.u
    other = take_reading(w, "scherrer")
    qtbot.waitUntil(lambda: other.outcome is not None, timeout=20_000)
    by_part = {r.part: r for r in other.outcome.readings if r.quantity == "size"}
    assert len(by_part) == len(PLACES)
    shown = [name.whole_text() for name in other.numbers.names]
    assert shown[:3] == ["mean size", "size 1", "size 2"]
    theta = math.radians(PLACES[0] / 2)
    beta = 0.9 * CU / (SIZE * math.cos(theta)) + 4 * STRAIN * math.tan(theta)
    assert by_part[1].value == pytest.approx(0.9 * CU / (beta * math.cos(theta)), rel=0.05)


def find_and_add(w, qtbot) -> None:
    """Looks for peaks and adds those that are kept, with two clicks."""
    finding = w.curve_bench.model.finding
    click(finding.find_all)
    qtbot.waitUntil(lambda: w.session.peaks.candidates is not None, timeout=20_000)
    before = len(w.session.model.peaks)
    click(finding.add)
    qtbot.waitUntil(lambda: len(w.session.model.peaks) > before, timeout=20_000)


def fit(w, qtbot) -> None:
    before = w.session.fit
    click(w.curve_bench.model.foot.fit)
    qtbot.waitUntil(lambda: w.session.fit is not None and w.session.fit is not before, timeout=60_000)


def bring_in(w, qtbot, paths) -> None:
    count = len(w.session.study.document.curves)
    drop_files(w, paths)
    qtbot.waitUntil(lambda: len(w.tray.ready) == len(paths), timeout=20_000)
    click(w.intake_bench.files.bring)
    qtbot.waitUntil(lambda: len(w.session.study.document.curves) == count + len(paths), timeout=20_000)


def test_finding_again_adds_nothing_and_says_so_and_what_is_odd_is_told(window, qtbot, tmp_path):
    path = tmp_path / "powder.csv"
    write_pattern(path, PLACES[:2])
    w = window()
    bring_in(w, qtbot, [path])
    panel, told = w.curve_bench.model, []
    w.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    find_and_add(w, qtbot)
    assert "2 peaks added." in told[-1]
    click(panel.finding.find_all)
    qtbot.waitUntil(lambda: len(told) == 2, timeout=20_000)
    assert told[-1].endswith("No peak stands out beside those of the model.")
    assert len(w.session.model.peaks) == 2
    w.session.undo()
    assert not w.session.model.peaks
    panel.peak_kind.addItem("Mine", OwnTerm(formula="height/(1 + ((x - center)/fwhm)^4)", kind="peak"))
    panel.peak_kind.setCurrentIndex(panel.peak_kind.count() - 1)
    click(panel.finding.find_all)
    qtbot.waitUntil(lambda: w.session.peaks.candidates is not None, timeout=20_000)
    click(panel.finding.add)
    assert told[-1].startswith("A peak of your own is added by a double click")
    assert not w.session.model.peaks


def test_candidates_are_kept_and_dropped_by_hand_and_by_the_slider_before_any_is_added(window, qtbot, tmp_path):
    path = tmp_path / "powder.csv"
    write_pattern(path)
    w = window()
    bring_in(w, qtbot, [path])
    session, plot, finding = w.session, w.curve_bench.canvas.plot, w.curve_bench.model.finding
    click(finding.find_all)
    qtbot.waitUntil(lambda: session.peaks.candidates is not None, timeout=20_000)
    found = session.peaks.candidates
    assert [round(one.center) for one in found.kept] == [round(true) for true in PLACES]
    assert not session.model.peaks  # nothing is changed yet
    assert session.undo_label != "find peaks"
    marks = w.curve_bench.canvas.model.ghosts._places
    click(plot.viewport(), place(plot, *marks[1]))  # a ghost is dropped
    qtbot.waitUntil(lambda: len(session.peaks.candidates.kept) == 4, timeout=2_000)
    click(plot.viewport(), place(plot, *marks[3]))
    qtbot.waitUntil(lambda: len(session.peaks.candidates.kept) == 3, timeout=2_000)
    QTest.qWait(500)  # two clicks on one mark in a moment would be a double click
    click(plot.viewport(), place(plot, *marks[3]))
    qtbot.waitUntil(lambda: len(session.peaks.candidates.kept) == 4, timeout=2_000)
    assert finding.add.text() == "Add 4 peaks"
    finding.slider.setFocus()
    for _ in range(10):  # only what stands out clearly: nothing but what was decided by hand
        press(finding.slider, Qt.Key.Key_PageDown)
    assert [round(one.center) for one in session.peaks.candidates.kept] == [round(PLACES[3])]
    assert finding.add.text() == "Add 1 peak"
    QTest.qWait(500)
    click(plot.viewport(), place(plot, *marks[3]))
    qtbot.waitUntil(lambda: not finding.add.isEnabled(), timeout=2_000)
    for _ in range(10):
        press(finding.slider, Qt.Key.Key_PageUp)
    assert len(session.peaks.candidates.kept) == 3
    assert not any(session.peaks.candidates.is_kept(k) for k in (1, 3))  # what was decided stays
    before = len(session.peaks.candidates.peaks)
    double_click(plot, 61.0, float(np.interp(61.0, session.sieved().curve.x, session.sieved().curve.y)))
    assert len(session.peaks.candidates.peaks) == before + 1  # where nothing was found
    assert not session.model.peaks
    press(w, Qt.Key.Key_Escape)
    assert session.peaks.candidates is None
    assert finding.find_all.isVisible()
    click(finding.find_all)
    qtbot.waitUntil(lambda: session.peaks.candidates is not None, timeout=20_000)
    click(finding.leave)
    assert session.peaks.candidates is None
    click(finding.find_all)
    qtbot.waitUntil(lambda: session.peaks.candidates is not None, timeout=20_000)
    click(plot.viewport(), place(plot, *w.curve_bench.canvas.model.ghosts._places[0]))
    qtbot.waitUntil(lambda: len(session.peaks.candidates.kept) == 4, timeout=2_000)
    click(finding.add)
    qtbot.waitUntil(lambda: len(session.model.peaks) == 4, timeout=20_000)
    assert session.peaks.candidates is None
    assert session.undo_label == "find peaks"
    click(finding.find_all)
    qtbot.waitUntil(lambda: session.peaks.candidates is not None, timeout=20_000)
    click(finding.read)  # the fifth, without a model
    assert [slot.name for slot in session.readings.slots] == ["centroid 1", "width 1", "area 1"]
    assert session.peaks.candidates is None


def test_the_demo_films_from_files_to_sizes_without_the_instrument_and_a_line_of_size_and_strain(
    window, qtbot, tmp_path
):
    films_and_reference = write_diffraction(tmp_path)
    w = window()
    session, bench = w.session, w.curve_bench
    bring_in(w, qtbot, films_and_reference[-1:])
    choose_kind(w, "gaussian")
    find_and_add(w, qtbot)
    fit(w, qtbot)
    card = take_reading(w, "instrument's widths")
    qtbot.waitUntil(lambda: card.outcome is not None and bool(card.outcome.readings), timeout=20_000)
    widths = {r.symbol: r for r in card.outcome.readings}
    for name, true in (("U", demo.U), ("V", demo.V), ("W", demo.W)):
        assert abs(widths[name].value - true) < 4 * widths[name].u
    bring_in(w, qtbot, films_and_reference[:-1])
    family = session.study.family_of(session.entry.id)
    reference = next(c for c in session.study.document.curves if c.id not in family.curves)
    session.look_at_curve(reference.id)
    take(menu_behind(bench.readings.card("instrument-widths").more), "Give to a family as quantities")
    take(QApplication.activePopupWidget(), f"To {family.label}")
    take(menu_behind(bench.readings.card("instrument-widths").more), "Give to a family as quantities")
    take(QApplication.activePopupWidget(), f"To {family.label}")  # once more: they take the place of the first
    given = [q.name for q in session.study.family_of(family.curves[0]).quantities]
    assert sorted(given) == ["caglioti_u", "caglioti_v", "caglioti_w"]
    session.look_at_curve(family.curves[-1])
    choose_kind(w, "pseudo-voigt")
    find_and_add(w, qtbot)
    fit(w, qtbot)
    for words in ("scherrer", "williamson"):
        card = take_reading(w, words)
        choose(card.fields["instrument"].widget, "Caglioti")
        choose(card.fields["rule"].widget, "Voigt by components")
        type_into(card.fields["own_mixing"].line, "0")
    recipes.share_parts(session)
    qtbot.waitUntil(lambda: all(session.study.fit_is_current(c) for c in family.curves), timeout=60_000)
    for film, curve in zip(demo.FILMS, family.curves, strict=True):
        found = {(r.key.source, r.quantity): r for one in measured_curve(session.study, curve) for r in one.readings}
        size, strain = found["williamson-hall", "size"], found["williamson-hall", "strain"]
        assert abs(size.value - film.size) < 4 * size.u, film
        assert abs(strain.value - film.strain) < 4 * strain.u, film
        assert size.u < 0.15 * film.size
        mean = found["scherrer", "mean-size"]
        thetas = demo._angles(demo._SILVER, "face-centred")
        apparent = [0.9 * demo.WAVELENGTH / (math.radians(demo.sample_width(film, t)) * math.cos(t)) for t in thetas]
        assert abs(mean.value - np.mean(apparent)) < 5 * mean.u, film
    bench.drawer.show_page("Size and strain")
    page = bench.drawer.page("Size and strain")
    qtbot.waitUntil(lambda: page.made is not None, timeout=20_000)
    last = session.view.curve
    assert page.made.slope == pytest.approx(found_value(session, last, "strain"), rel=1e-12)
    assert "D = " in page.numbers.text()
    drawn, dots = page.line.getData(), page.dots.getData()
    assert np.interp(dots[0], *drawn) == pytest.approx(dots[1], rel=0.05)  # the line goes through the points
    assert dots[1] == pytest.approx(1e3 * page.made.y)
    assert len(page.names) == 5
    session.look_at_curve(family.curves[0])
    qtbot.waitUntil(lambda: page.made is not None and page.made.slope > 2e-3, timeout=20_000)
    session.look_at_curve(reference.id)  # where there is no such reading yet, it is taken here
    qtbot.waitUntil(lambda: page.take.isVisible(), timeout=20_000)
    assert page.made is None
    click(page.take)
    qtbot.waitUntil(lambda: page.made is not None, timeout=20_000)
    assert not page.take.isVisible()
    assert len(page.names) == 11


def found_value(session, curve: str, quantity: str) -> float:
    """A reading of the measure Williamson–Hall of a curve."""
    outcomes = measured_curve(session.study, curve)
    return next(r.value for one in outcomes for r in one.readings
                if (r.key.source, r.quantity) == ("williamson-hall", quantity))  # fmt: skip


def choose(box, wanted: str, by=lambda box: box.currentText()) -> None:
    """Chooses a row of a list by its arrow keys."""
    box.setFocus()
    for _ in range(box.count()):
        press(box, Qt.Key.Key_Up)
    for _ in range(box.count()):
        if by(box) == wanted:
            return
        press(box, Qt.Key.Key_Down)
    raise AssertionError(f"no row {wanted}")


def choose_kind(w, slug: str) -> None:
    """Chooses what new peaks are."""
    choose(w.curve_bench.model.peak_kind, slug, lambda box: box.currentData())


def test_the_raman_family_to_a_line_shift_and_an_area_ratio_against_loading(window, qtbot, demo_files):
    w = window()
    session, bench = w.session, w.curve_bench
    bring_in(w, qtbot, demo_files)
    family = session.study.family_of(session.entry.id)
    session.look_at_curve(family.curves[0])
    add_step(w, "despike")
    choose_kind(w, "lorentzian")
    session.look_at_stage(MODEL)
    find_and_add(w, qtbot)
    fit(w, qtbot)
    centers = [p.parameters["center"].start for p in session.modelling.model_in_sight().lines]
    assert centers == pytest.approx([1338.0, 1458.0, 1602.0], abs=1.5)
    card = take_reading(w, "number of peaks")
    choose(card.fields["what"].widget, "center")
    qtbot.waitUntil(lambda: card.outcome is not None and len(card.outcome.readings) == 3, timeout=20_000)
    take(menu_behind(card.more), "Give to a family as quantities")
    take(QApplication.activePopupWidget(), f"To {family.label}")  # where the lines of the film without silver are
    type_into(take_reading(w, "line shift").fields["place"].line, "peak_center_1")
    card = take_reading(w, "ratio of peaks")
    type_into(card.fields["over"].line, "1")
    type_into(card.fields["peaks"].line, "3")
    recipes.share_parts(session)
    qtbot.waitUntil(lambda: all(session.study.fit_is_current(c) for c in family.curves), timeout=60_000)
    shifts, ratios = [], []
    for loading, curve in zip(LOADINGS, family.curves, strict=True):
        found = {r.quantity: r for one in measured_curve(session.study, curve) for r in one.readings}
        true = spectrum(loading).peaks
        shift, ratio = found["line-shift"], found["peak-ratio"]
        assert abs(shift.value - 0.2 * loading) < 4 * shift.u
        areas = [peak.height * peak.fwhm for peak in true]
        assert abs(ratio.value - areas[0] / areas[2]) < 4 * ratio.u
        shifts.append(shift.value)
        ratios.append(ratio.value)
    assert abs(shifts[0]) < 1e-9  # the film without silver is its own reference
    assert np.all(np.diff(ratios) > 0)
    bench.drawer.show_page("Ledger")
    ledger = bench.ledger
    qtbot.waitUntil(lambda: any(c.key.quantity == "line-shift" for c in ledger.ledger.columns), timeout=20_000)
    column = next(k for k, c in enumerate(ledger.ledger.columns) if c.key.quantity == "line-shift")
    ledger.view.setCurrentIndex(ledger.model.index(0, section_of(ledger.model, ledger.ledger.columns[column].title)))
    click(ledger.as_curve_button)
    choose_term(w, "straight line")
    fit(w, qtbot)
    slope = session.fit.result.parameters["slope"]
    assert abs(slope.value - 0.2) < 4 * slope.u  # 0.2 cm⁻¹ for each wt%, as it was made


@pytest.fixture
def table(window, qtbot, tmp_path):
    """A window with a fitted pattern of five pseudo-Voigt peaks, at the page of peaks."""
    path = tmp_path / "powder.csv"
    write_pattern(path)
    w = window()
    bring_in(w, qtbot, [path])
    choose_kind(w, "pseudo-voigt")
    find_and_add(w, qtbot)
    fit(w, qtbot)
    click(w.curve_bench.drawer.tabs["Peaks"])
    page = w.curve_bench.drawer.page("Peaks")
    qtbot.waitUntil(lambda: len(page.table.lines) == 5, timeout=20_000)
    qtbot.waitUntil(lambda: all(row.fitted for _, _, row in page.table.lines), timeout=20_000)
    return w, page


def column(page, name: str) -> int:
    return page.table.columns.index(name)


def texts(page, name: str) -> list[str]:
    model = page.table
    return [str(model.data(model.index(k, column(page, name)))) for k in range(model.rowCount())]


def settle(page, qtbot) -> None:
    qtbot.waitUntil(lambda: not page.session.jobs.busy, timeout=60_000)
    QTest.qWait(20)


def type_cell(page, row: int, name: str, text: str) -> None:
    """Double-clicks a cell, types, and presses Enter."""
    index = page.table.index(row, column(page, name))
    page.view.scrollTo(index)
    at = page.view.visualRect(index).center()
    click(page.view.viewport(), at)
    QTest.mouseDClick(page.view.viewport(), Qt.MouseButton.LeftButton, pos=at)
    editor = page.view.viewport().findChild(QLineEdit)
    assert editor is not None
    type_into(editor, text)
    QApplication.processEvents()


def test_the_table_of_peaks_is_read_typed_tied_held_named_sorted_and_copied(table, qtbot):
    w, page = table
    session, result = w.session, w.session.fit.result
    rows = {row.number: row for _, _, row in page.table.lines}
    assert list(rows) == [1, 2, 3, 4, 5]
    for number, row in rows.items():
        assert row.cells["center"].value == result.values[f"center_{number}"]
        assert row.cells["center"].u == pytest.approx(result.parameters[f"center_{number}"].u)
    assert sum(row.cells["share"].value for row in rows.values()) == pytest.approx(1)
    assert page.view.isColumnHidden(column(page, "sigma"))  # no Gaussian among them
    click(page.copies)
    lines = QApplication.clipboard().text().splitlines()
    assert len(lines) == 6
    head, first = lines[0].split("\t"), lines[1].split("\t")
    assert float(first[head.index("center (deg)")]) == result.values["center_1"]
    assert float(first[head.index("u(center)")]) == pytest.approx(result.parameters["center_1"].u)
    header = page.view.horizontalHeader()
    at = header.sectionViewportPosition(column(page, "share")) + 20
    click(header.viewport(), QPoint(at, header.height() // 2))
    shares = [row.cells["share"].value for _, _, row in page.table.lines]
    assert shares == sorted(shares)
    click(header.viewport(), QPoint(at, header.height() // 2))
    assert [row.cells["share"].value for _, _, row in page.table.lines] == sorted(shares)[::-1]
    click(header.viewport(), QPoint(header.sectionViewportPosition(0) + 10, header.height() // 2))
    assert [row.number for _, _, row in page.table.lines] == [1, 2, 3, 4, 5]
    type_cell(page, 1, "peak", "K edge")
    settle(page, qtbot)
    assert session.model.term_numbered(2).label == "K edge"
    qtbot.waitUntil(lambda: texts(page, "peak")[1] == "K edge", timeout=20_000)
    type_cell(page, 0, "center", "28.4")
    settle(page, qtbot)
    assert session.model.term_numbered(1).parameters["center"].start == 28.4
    qtbot.waitUntil(lambda: texts(page, "center")[0] == "28.4", timeout=20_000)
    assert "At their starts" in page.sentence.text()
    type_cell(page, 2, "FWHM", "=fwhm_1")
    settle(page, qtbot)
    assert session.model.ties == {"fwhm_3": "fwhm_1"}
    qtbot.waitUntil(lambda: texts(page, "FWHM")[2].startswith("= "), timeout=20_000)
    told = []
    session.noticed.connect(lambda sentence, kind: told.append(sentence))
    type_cell(page, 3, "height", "high")
    assert "is not a number" in told[-1]
    type_cell(page, 3, "area", "900")
    settle(page, qtbot)
    qtbot.waitUntil(lambda: float(texts(page, "area")[3]) == pytest.approx(900, rel=1e-4), timeout=20_000)
    index = page.table.index(4, column(page, "height"))
    take(open_menu_of(page, index), "Hold: P5 height")
    settle(page, qtbot)
    assert session.model.held == ("height_5",)
    qtbot.waitUntil(lambda: texts(page, "height")[4].endswith("held"), timeout=20_000)
    take(open_menu_of(page, page.table.index(4, column(page, "height"))), "Set free: P5 height")
    settle(page, qtbot)
    assert not session.model.held
    take(open_menu_of(page, page.table.index(4, 0)), "Remove P5")
    qtbot.waitUntil(lambda: len(page.table.lines) == 4, timeout=20_000)
    click_cell(page.view, 2, column(page, "center"))
    assert session.view.reading is not None
    assert session.view.reading.part == 3  # its stretch is marked on the plot


def open_menu_of(page, index):
    page.view.scrollTo(index)
    return open_menu(page.view.viewport(), page.view.visualRect(index).center())


def test_what_is_said_of_chosen_peaks_at_once(table, qtbot, monkeypatch):
    w, page = table
    session, told = w.session, []
    session.noticed.connect(lambda sentence, kind: told.append(sentence))

    def choose_rows(*rows: int) -> None:
        settle(page, qtbot)
        page.view.clearSelection()
        for k, row in enumerate(rows):
            click_cell(page.view, row, column(page, "center"), CTRL if k else Qt.KeyboardModifier.NoModifier)

    choose_rows(0, 2)
    assert page.sentence.text().startswith("For P1, P3.")
    take(menu_behind(page.buttons["Widths ▾"]), "One width for all")
    assert session.model.ties == {"fwhm_3": "fwhm_1"}
    choose_rows(0, 2)
    take(menu_behind(page.buttons["Widths ▾"]), "Each free")
    assert not session.model.ties
    choose_rows()
    take(menu_behind(page.buttons["Widths ▾"]), "On a straight line")
    assert set(session.model.ties) == {"fwhm_2", "fwhm_3", "fwhm_4"}
    take(menu_behind(page.buttons["Widths ▾"]), "On a parabola")
    assert set(session.model.ties) == {"fwhm_2", "fwhm_4"}
    take(menu_behind(page.buttons["Shapes ▾"]), "Each free")
    take(menu_behind(page.buttons["Shapes ▾"]), "One shape for all")
    assert set(session.model.ties) == {f"mixing_{k}" for k in (2, 3, 4, 5)}
    fit(w, qtbot)
    assert session.fit.result.converged
    choose_rows(1)
    take(menu_behind(page.buttons["Profile ▾"]), "Gaussian")
    assert session.model.term_numbered(2).slug == "gaussian"
    assert "mixing_2" not in session.model.ties
    qtbot.waitUntil(lambda: not page.view.isColumnHidden(column(page, "sigma")), timeout=20_000)
    session.undo()
    choose_rows(0, 1)
    take(menu_behind(page.buttons["Pairs ▾"]), "Kα2 of Cu")
    assert [p.second_of for p in session.model.peaks if p.second_of] == [1, 2]
    qtbot.waitUntil(lambda: texts(page, "peak")[0] == "P1  + second line", timeout=20_000)
    assert set(w.curve_bench.canvas.model.handles) == {1, 2, 3, 4, 5}  # second lines have no handles of their own
    choose_rows(0)
    for answered, seconds in (("-1.5 0.25", 2), ("one", 2), ("1", 2)):
        monkeypatch.setattr(QInputDialog, "getText", lambda *a, answered=answered, **k: (answered, True))
        take(menu_behind(page.buttons["Pairs ▾"]), "At a fixed distance")
        assert sum(bool(p.second_of) for p in session.model.peaks) == seconds
    assert "needs two numbers" in told[-1]
    moved = next(p for p in session.model.peaks if p.second_of == 1)
    first = session.model.term_numbered(1)
    assert moved.parameters["center"].start == pytest.approx(first.parameters["center"].start - 1.5)
    choose_rows()
    take(menu_behind(page.buttons["Pairs ▾"]), "None")
    assert len(session.model.peaks) == 5
    settle(page, qtbot)
    type_cell(page, 0, "center", "28.6")
    settle(page, qtbot)
    choose_rows(0)
    others = {k: v for k, v in session.modelling.model_in_sight().start.items() if not k.endswith("_1")}
    click(page.buttons["Fit alone"])
    settle(page, qtbot)
    now = session.modelling.model_in_sight().start
    assert now["center_1"] == pytest.approx(PLACES[0], abs=0.02)
    assert {k: v for k, v in now.items() if k in others and not k.startswith("mixing")} == {
        k: v for k, v in others.items() if not k.startswith("mixing")}  # fmt: skip
    assert told[-1].startswith("1 peak moved to the points around")


def test_how_many_is_asked_of_the_data_and_judged_by_the_user(table, qtbot):
    w, page = table
    click(page.buttons["How many?"])
    qtbot.waitUntil(lambda: page.body.currentWidget() is page.how_many, timeout=100_000)
    chart = page.how_many
    assert [one.peaks for one in chart.grown][:6] == [0, 1, 2, 3, 4, 5]
    assert chart.said.text().startswith("5 peaks (the star)")
    spot = next(one for one in chart.dots.points() if one.data().peaks == 3)
    click(chart.plot.viewport(), place(chart.plot, spot.pos().x(), 10 ** spot.pos().y()))
    qtbot.waitUntil(lambda: len(w.session.model.peaks) == 3, timeout=5_000)
    assert w.session.undo_label == "3 peaks"
    click(chart.close_button)
    assert page.body.currentWidget() is page.view


def test_a_family_is_one_table_and_its_peaks_are_matched_by_where_they_lie(window, qtbot, tmp_path):
    paths = []
    for k, places in enumerate((PLACES, PLACES[1:], (PLACES[0], 38.0, *PLACES[2:]))):
        path = tmp_path / f"film {k}.csv"
        write_pattern(path, places, seed=k)
        paths.append(path)
    w = window()
    session, told = w.session, []
    session.noticed.connect(lambda sentence, kind: told.append(sentence))
    bring_in(w, qtbot, paths)
    curves = session.study.document.families[0].curves
    for curve in curves:
        session.look_at_curve(curve)
        choose_kind(w, "lorentzian")
        find_and_add(w, qtbot)
    session.look_at_curve(curves[0])
    click(w.curve_bench.drawer.tabs["Peaks"])
    page = w.curve_bench.drawer.page("Peaks")
    qtbot.waitUntil(lambda: len(page.table.lines) == 5, timeout=20_000)
    type_cell(page, 2, "peak", "third")
    click(page.match)
    qtbot.waitUntil(lambda: session.undo_label == "match the family's peaks", timeout=5_000)
    numbers = [{p.number: round(p.parameters["center"].start) for p in session.study.model(c).lines} for c in curves]
    assert numbers[1] == {2: 47, 3: 56, 4: 69, 5: 76}
    assert numbers[2] == {1: 28, 3: 56, 4: 69, 5: 76, 6: 38}
    assert all(session.study.model(c).term_numbered(3).label == "third" for c in curves)
    assert "P1 has no counterpart here" in told[-1]
    click(page.family)
    qtbot.waitUntil(lambda: len(page.table.lines) == 14, timeout=20_000)
    assert page.table.columns[0] == "curve"
    click_cell(page.view, 6, 2)
    assert session.view.curve == curves[1]
    assert not page.table.flags(page.table.index(0, 2)) & Qt.ItemFlag.ItemIsEditable  # read there, typed at its curve
    click(page.family)
    qtbot.waitUntil(lambda: len(page.table.lines) == 4, timeout=20_000)


def test_dips_are_found_added_and_fitted_as_peaks_that_hang(window, qtbot, tmp_path):
    x = np.linspace(400, 900, 1001)
    y = (
        90
        - 30 * np.exp(-4 * math.log(2) * ((x - 550) / 30) ** 2)
        - 50 * np.exp(-4 * math.log(2) * ((x - 700) / 40) ** 2)
    )
    y += np.random.default_rng(2).normal(0, 0.3, x.size)
    path = tmp_path / "film.csv"
    rows = "".join(f"{a:.2f},{b:.4f}\n" for a, b in zip(x, y, strict=True))
    path.write_text("Wavelength (nm),Transmittance (%)\n" + rows)
    w = window()
    bring_in(w, qtbot, [path])
    choose_kind(w, "gaussian")
    finding = w.curve_bench.model.finding
    click(finding.find_dips)
    qtbot.waitUntil(lambda: w.session.peaks.candidates is not None, timeout=20_000)
    assert [round(one.center / 10) for one in w.session.peaks.candidates.kept] == [55, 70]
    plot, curve = w.curve_bench.canvas.plot, w.session.sieved().curve
    double_click(plot, 820.0, float(np.interp(820.0, curve.x, curve.y)))
    extra = next(one for one in w.session.peaks.candidates.kept if abs(one.center - 820) < 20)
    assert extra.height < 0  # among dips, what is added by hand hangs, too
    at = w.session.peaks.candidates.peaks.index(extra)
    QTest.qWait(500)
    click(plot.viewport(), place(plot, *w.curve_bench.canvas.model.ghosts._places[at]))
    qtbot.waitUntil(lambda: len(w.session.peaks.candidates.kept) == 2, timeout=2_000)
    click(finding.add)
    qtbot.waitUntil(lambda: len(w.session.model.peaks) == 2, timeout=20_000)
    fit(w, qtbot)
    found = w.session.fit.result.parameters
    for number, (center, height, fwhm) in enumerate(((550, -30, 30), (700, -50, 40)), start=1):
        for name, true in (("center", center), ("height", height), ("fwhm", fwhm)):
            one = found[f"{name}_{number}"]
            assert abs(one.value - true) < 4 * one.u, one
