"""Drives the real application on the demo data to each main view and writes docs/screenshots/*.png at 1280×800."""

from __future__ import annotations

import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt

if TYPE_CHECKING:
    from curvesieve.app.benches.figure.bench import FigureBench
    from curvesieve.app.benches.intake.bench import IntakeBench
    from curvesieve.app.shell.window import Window

SIZE = (1280, 800)


def main(folder: Path) -> None:
    with tempfile.TemporaryDirectory() as data:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_STATE_HOME"] = data
        _drive(folder)


def _drive(folder: Path) -> None:
    from PyQt6.QtTest import QTest

    from curvesieve.app.session.desk import MODEL, View
    from curvesieve.app.shell.demonstration import demo_folder
    from curvesieve.app.shell.main import make_application, make_window
    from curvesieve.demo import EXAMPLE

    folder.mkdir(parents=True, exist_ok=True)
    app = make_application()  # Qt wants it kept alive
    window = make_window(demo=True)
    window.resize(*SIZE)
    window.show()

    def take(name: str) -> None:
        QTest.qWait(250)
        window.grab().save(str(folder / f"{name}.png"))

    session = window.session
    take("curve-bench")
    session.look_at_stage(session.slots[1].id)
    take("despike-in-hand")
    session.look_at_stage(MODEL)
    window.take_files([demo_folder() / "mixed-files"])
    while not window.tray.files:
        QTest.qWait(50)
    window.tray.show(next(waiting.number for waiting in window.tray.files if waiting.name == "strip_A_0p5wt.csv"))
    _compute_stress(window.intake_bench)
    take("intake-bench")
    window.show_bench("Curve")
    _show_laws(window, take)
    session.look(View(session.study.document.curves[EXAMPLE].id))
    window.use_scheme("dark")
    window.curve_bench.ledger.view.clicked.emit(window.curve_bench.ledger.model.index(3, 3))
    take("curve-bench-dark")
    window.use_scheme("light")
    _share(window, take)
    _read_off(window, demo_folder(), take)
    _find_peaks(window, demo_folder(), take)
    _scatter(window, demo_folder() / "scattering", take)
    _trace(window, demo_folder() / "charts", take)
    _fill_in(window, demo_folder() / "fields", take)
    session.jobs.close()
    app.processEvents()


def _share(window: Window, take: Callable[[str], None]) -> None:
    """The fitted spectrum's recipe given to its family: lifted with guide and trends, in panels; the strips jointly."""
    from PyQt6.QtTest import QTest

    from curvesieve.app.session.desk import View
    from curvesieve.app.session.recipes import share_parts
    from curvesieve.core.study.ledger import ledger_of
    from curvesieve.demo import EXAMPLE

    session = window.session

    def settle() -> None:
        while session.jobs.busy:
            QTest.qWait(50)
        window.notice.lay_down()

    session.look(View(session.study.document.curves[EXAMPLE].id))
    share_parts(session)
    window.show_bench("Family")
    bench = window.family_bench
    bench.work.fit("each")
    settle()
    columns = ledger_of(session.study, bench.work.family).columns
    for title in ("P1 center", "P1 FWHM"):
        column = next(one for one in columns if one.title == title)
        bench.trends.add_plot(column.key, column.unit)
    bench.stand.stands["lifted"].click()
    session.look(View(session.study.document.curves[0].id))
    rows = dict(bench.stand.guide_rows())
    set_guide = rows["At P1 center of 0.0 wt%"]
    assert set_guide is not None
    set_guide()
    settle()
    take("family-lifted")
    relaxed = [curve for curve in session.study.document.curves if "RH" in curve.label]
    session.look(View(relaxed[-1].id))
    share_parts(session)
    settle()
    bench.work.share("tau1", "")
    bench.work.share("tau2", "at_0 + slope*c")
    bench.work.fit("jointly")
    settle()
    bench.drawer.show_page("Joint fit")
    bench.work.compare()
    settle()
    take("family-joint")
    _make_figures(window, settle, take)
    window.show_bench("Curve")


def _make_figures(window: Window, settle: Callable[[], None], take: Callable[[str], None]) -> None:
    """The family lifted with its guide, an axis in hand; the strips as three panels with scientific numbers."""
    from curvesieve.app.session.desk import View
    from curvesieve.demo import EXAMPLE

    session = window.session
    session.look(View(session.study.document.curves[EXAMPLE].id))
    window.show_bench("Figure")
    bench = window.figure_bench
    _make(bench, "lifted")
    bench.work.choose("y 0")
    settle()
    take("figure-lifted")


def _make(bench: FigureBench, words: str) -> None:
    """The figure whose offer has these words."""
    bench.work.make(next(one for one in bench.work.offers() if words in one.words))


def _read_off(window: Window, folder: Path, take: Callable[[str], None]) -> None:
    """The tension files taken as tests: the offset yield in hand, groups, the literature."""
    from PyQt6.QtTest import QTest

    from curvesieve.app.benches.curve.literature import LiteraturePage
    from curvesieve.app.session.desk import View
    from curvesieve.core.study import Study

    session, bench = window.session, window.curve_bench
    window.tray.remove({waiting.number for waiting in window.tray.files})
    session.begin(Study().with_document(title="marram-films"))
    window.take_files([folder / "tension"])
    while len(window.tray.ready) < 6:
        QTest.qWait(50)
    window.tray.take_test("tension", "", "")
    window.intake_bench.bring_in()
    window.notice.lay_down()
    while session.jobs.busy:
        QTest.qWait(50)
    for fold in (bench.sieve.heading, bench.model.heading, bench.canvas.strip.title):
        fold.fold(True)
    bench.drawer.show_page("Ledger")
    bench.drawer.pane.height = 330
    curve_id = next(curve.id for curve in session.study.document.curves if curve.label == "foil_1")
    session.look(View(curve_id))
    proof = next(slot for slot in session.study.measures(curve_id) if slot.rule.slug == "offset-yield")
    session.look_at_stage(proof.id)
    QTest.qWait(300)
    bench.canvas.plot.box.setRange(xRange=(-0.0004, 0.009), yRange=(-3, 132), padding=0)
    take("readings")
    QTest.mouseClick(bench.canvas.beside, Qt.MouseButton.LeftButton)
    bench.drawer.show_page("Literature")
    page = bench.drawer.page("Literature")
    assert isinstance(page, LiteraturePage)
    rows = dict(page.menu_rows(0))
    set_beside = rows["Set it beside marram foil M1"]
    assert set_beside is not None
    set_beside()
    page.material.setCurrentText("marram film M2")
    page.reading.setCurrentText("E")
    page.value.setText("3.05(5) GPa")
    page.source.setText("data sheet of the film (made up)")
    page.add()
    window.notice.lay_down()
    take("tension-compared")
    window.show_bench("Figure")
    figures = window.figure_bench
    _make(figures, "with its constructions")
    figures.work.choose("content 0 0")
    while session.jobs.busy:
        QTest.qWait(50)
    window.show_bench("Curve")


def _fill_in(window: Window, folder: Path, take: Callable[[str], None]) -> None:
    """The scattered thickness map: kriged, with slices; as a surface."""
    from PyQt6.QtTest import QTest

    from curvesieve.core.fields.reads import registered_field_measures

    def settle() -> None:
        QTest.qWait(50)
        while window.session.jobs.busy or bench.work.busy:
            QTest.qWait(50)

    window.show_bench("Field")
    bench = window.field_bench
    window.take_files([folder / "thickness-map.csv"])
    settle()
    for slug in ("field-mean", "field-above"):
        bench.reads.add(registered_field_measures()[slug])
        settle()
    bench.work.measure_id = ""
    bench.refresh()
    window.notice.hide()
    take("field-map")
    bench.views.row.views["surface"].click()
    settle()
    bench.way.more.click()
    take("field-surface")


def _trace(window: Window, folder: Path, take: Callable[[str], None]) -> None:
    """The demo's chart of releases: its axes; a line and points under the lens, looked back at."""
    from PyQt6.QtTest import QTest

    from curvesieve.core.study import Study
    from curvesieve.core.tracing import changes
    from curvesieve.demo.charts import RELEASE, releases, share_px, time_px

    def settle() -> None:
        QTest.qWait(50)
        while window.session.jobs.busy:
            QTest.qWait(50)
        window.notice.lay_down()

    def x(t: float) -> float:
        return float(time_px(np.array(t)))

    def y(value: float) -> float:
        return float(share_px(np.array(value)))

    window.session.begin(Study().with_document(title="marram-films"))
    window.take_files([folder / RELEASE])
    settle()
    bench, work = window.trace_bench, window.trace_bench.work
    work.change(changes.with_axis("x", None, scale="log10", label="Time", unit="d"), "x")
    work.change(changes.with_axis("y", None, label="Silver released", unit="%"), "y")
    for name, place, value in (("x", (x(1e-3), y(0)), 1e-3), ("y", (x(1e-3), y(0)), 0.0), ("x", (x(100), y(0)), 100.0)):
        work.change(changes.with_mark(name, place, value, work.even(name)), "a mark")  # type: ignore[arg-type]
    work.change(lambda trace: trace.model_copy(update={"origin": "Report 12, figure 3, page 9"}), "origin")
    QTest.mouseClick(bench.view, Qt.MouseButton.LeftButton, pos=bench.view.on_screen(x(1e-3), y(100)).toPoint())
    bench.popup.fields["y"].setText("100")
    take("trace-axes")
    bench.popup.hide()
    work.change(changes.with_mark("y", (x(1e-3), y(100)), 100.0, work.even("y")), "a mark")
    for film in releases():
        work.new_series()
        work.take_tool("a line" if film.loading < 4 else "points")
        places = [1.0] if film.loading < 4 else [0.004, 0.0086, 0.0185, 0.04, 0.086, 0.185, 0.4, 0.86, 1.85, 4.0, 8.6]
        for t in places:
            bench.placing.click((x(t), y(float(film.at(np.array(t))))), False)
            settle()
        change = changes.change_series(work.series_id, name=f"{film.loading:g} wt%", condition=film.loading)
        work.change(change, "name a series")
    film = releases()[2]
    at = bench.view.on_screen(x(1.85), y(float(film.at(np.array(1.85)))))
    QTest.mouseMove(bench.view, at.toPoint())
    settle()
    QTest.mouseMove(bench, bench.rect().topLeft())
    work.take_step("look back")
    settle()
    take("trace-back")


def _scatter(window: Window, folder: Path, take: Callable[[str], None]) -> None:
    """Films that scatter: Guinier's axes with the reading's band, spheres of many sizes, sizes without a law."""
    from PyQt6.QtTest import QTest

    from curvesieve.app.session.desk import MODEL, View
    from curvesieve.core.steps.inverted import SphereSizes
    from curvesieve.core.steps.ranges import Blank
    from curvesieve.core.study import Study, edits

    session, bench = window.session, window.curve_bench

    def settle() -> None:
        QTest.qWait(50)
        while session.jobs.busy:
            QTest.qWait(50)
        window.notice.lay_down()

    session.begin(Study().with_document(title="marram-films"))
    bench.drawer.show_page("Ledger")
    window.take_files(sorted(folder.glob("*.dat")))
    while len(window.tray.ready) < 5:
        QTest.qWait(50)
    window.intake_bench.bring_in()
    settle()
    curves = {one.condition: one for one in session.study.document.curves}
    film = curves[4.0].id
    session.look(View(film))
    session.apply(edits.add_step(film, Blank(donor=curves[0.0].label), "s1"), "subtract a blank")
    settle()
    head = bench.canvas.head
    head.turn("guinier")
    head.axes_turned.emit()
    head.straight.click()
    settle()
    take("scattering-guinier")
    head.turn("log-log")
    head.axes_turned.emit()
    session.modelling.set_background("sphere~schulz")
    settle()
    session.modelling.fit()
    settle()
    session.look_at_stage(MODEL)
    bench.readings.heading.fold(True)
    take("scattering-spheres")
    bench.readings.heading.fold(False)
    session.apply(edits.add_step(film, SphereSizes(), "s2"), "size distribution")
    settle()
    session.look_at_stage(session.slots[-1].id)
    settle()
    take("scattering-sizes")


def _find_peaks(window: Window, folder: Path, take: Callable[[str], None]) -> None:
    """The diffraction patterns: candidates, the table of fitted peaks, size and strain without the instrument."""
    from PyQt6.QtTest import QTest

    from curvesieve.app.session.desk import View
    from curvesieve.core.measures.base import parse_measure
    from curvesieve.core.study import Study

    session, bench = window.session, window.curve_bench

    def settle() -> None:
        while session.jobs.busy:
            QTest.qWait(50)
        window.notice.lay_down()

    session.begin(Study().with_document(title="marram-films"))
    bench.drawer.show_page("Ledger")
    bench.canvas.beside.click()  # the family behind the curve was on
    window.take_files(sorted((folder / "diffraction").glob("xrd-*.xy")))
    while len(window.tray.ready) < 4:
        QTest.qWait(50)
    window.intake_bench.bring_in()
    settle()
    for fold in (bench.sieve.heading, bench.model.heading, bench.canvas.strip.title):
        fold.fold(False)
    session.look(View(session.study.document.curves[-1].id))
    bench.model.peak_kind.setCurrentIndex(bench.model.peak_kind.findData("pseudo-voigt"))
    bench.model.finding.find_all.click()
    settle()
    session.peaks.toggle(4)
    take("peaks-found")
    session.peaks.toggle(4)
    bench.model.finding.add.click()
    settle()
    bench.model.foot.fit.click()
    settle()
    bench.drawer.show_page("Peaks")
    settle()
    session.readings.take(parse_measure({"measure": "williamson-hall"}))
    settle()
    session.look_at_stage("model")
    bench.drawer.page("Peaks").view.selectRow(1)
    take("peak-table")


def _show_laws(window: Window, take: Callable[[str], None]) -> None:
    """The fitted relaxation: what its fit says, other models, straight axes; and a formula being typed."""
    from PyQt6.QtTest import QTest

    from curvesieve.app.session.desk import View

    session, bench = window.session, window.curve_bench
    relaxed = [curve for curve in session.study.document.curves if "RH" in curve.label]
    session.look(View(relaxed[-1].id))
    bench.drawer.show_page("Result")
    result = bench.drawer.page("Result")
    result.bands.click()
    result.given.setText("60 300")
    result.ask_button.click()
    result.profile.click()
    while result.answers.count() < 7:
        QTest.qWait(50)
    while not bench.model.typeset.is_set:  # the typesetter is loaded in the background
        QTest.qWait(50)
    bench.drawer.show_page("Ledger")
    session.look(View(relaxed[0].id))
    bench.model.open_terms()
    QTest.keyClicks(bench.model.term_list.field, "type")
    QTest.keyClick(bench.model.term_list.field, Qt.Key.Key_Return)
    for line in ("k = 1/tau", "base + drop*exp(-(k*x)^beta"):
        QTest.keyClicks(bench.model.editor.field, line)
        if line.startswith("k"):
            QTest.keyClick(bench.model.editor.field, Qt.Key.Key_Return, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClicks(bench.model.editor.field, ") + slope*log(1 + x")
    QTest.keyClicks(bench.model.editor.field, ")")
    QTest.qWait(1500)
    take("formula-typed")
    bench.model.editor.field.clear()


def _compute_stress(bench: IntakeBench) -> None:
    """Stress against strain from force and the specimen's dimensions, as the guide tells it."""
    from PyQt6.QtTest import QTest

    panel = bench.channels
    QTest.mouseClick(panel.compute, Qt.MouseButton.LeftButton)
    row = panel.computed_rows[0]
    row.name.setText("Stress")
    QTest.keyClicks(row.formula, "Force / (width*thickness)")
    QTest.keyClick(row.formula, Qt.Key.Key_Return)
    panel.channel_rows[3].unit_given.emit("% → 1")
    panel.channel_rows[3].role_chosen.emit("x")
    panel.computed_rows[0].role_chosen.emit("y")


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "docs/screenshots"))
