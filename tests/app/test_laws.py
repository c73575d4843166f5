"""Physical laws in the window: typed, typeset, started, fitted, watched, asked, compared, straightened."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

import curvesieve as cs
from curvesieve.app.benches.curve.parameters import HIGH, HOLD, LOW, VALUE
from curvesieve.app.session.desk import View
from curvesieve.core.formula import evaluate, parse
from curvesieve.core.intake.take import Take
from curvesieve.core.models import OwnTerm
from curvesieve.core.models.own import TERM_FILES
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.trim import KeepRange, LeaveOut
from curvesieve.core.study import Study, edits
from curvesieve.core.study.passing import recorded
from tests.app.gestures import CTRL, SHIFT, choose_term, click, click_cell, double_click, drag, drop_files, type_into
from tests.conftest import STRD
from tests.core.strd import certified, digits


def study_of(x, y, x_unit="s", y_unit="MPa", names=("one",)) -> Study:
    records = [
        Record(
            Source(f"{name}.csv", name.encode()), (Channel("Time", x_unit, x), Channel("Stress", y_unit, y * (i + 1)))
        )
        for i, name in enumerate(names)
    ]
    return edits.add_curves(Study(), [(record, Take(0, 1)) for record in records], "made", labels=list(names))


def shown_answers(page) -> list[str]:
    return [page.answers.item(i).text() for i in range(page.answers.count())]


def _misses(canvas, curve) -> float:
    """How far the drawn law is from the points, against their spread."""
    x, y = canvas.layers.total.item.getData()
    if x is None or not len(x):
        return math.inf
    return float(np.sqrt(np.mean((np.interp(curve.x, x, y) - curve.y) ** 2)) / curve.y.std())


def fit(w, qtbot) -> None:
    click(w.curve_bench.model.foot.fit)
    qtbot.waitUntil(lambda: w.session.fit is not None, timeout=20000)


def test_a_law_unknown_to_the_library_from_typing_to_certified_numbers(window, qtbot):
    w = window()
    drop_files(w, [STRD / "Chwirut2.dat", STRD / "DanWood.dat"])
    qtbot.waitUntil(lambda: len(w.tray.ready) == 2)
    click(w.intake_bench.files.bring)
    session, bench = w.session, w.curve_bench
    files = {session.study.origin(c.id): c for c in session.study.document.curves}
    curve, other = files["Chwirut2.dat"], files["DanWood.dat"]
    session.look(View(curve.id))
    model = bench.model

    # Typed with two slips: each is told at its character, and the last good state stays.
    choose_term(w, "type")
    field = model.editor.field
    assert field.hasFocus()
    QTest.keyClicks(field, "exq(-b1*x)/(b2 + b3*x)")
    assert "did you mean 'exp'" in model.editor.problem.text()
    assert model.editor.marked == [0]
    field.selectAll()
    QTest.keyClicks(field, "exp(-b1*x)/(b2 + b3*x")
    assert "never closed" in model.editor.problem.text()
    assert model.editor.marked == [11]
    QTest.keyClick(field, Qt.Key.Key_Return)
    assert not session.model.terms
    QTest.keyClicks(field, ")")
    assert model.editor.problem.isHidden()
    assert model.editor.said.text() == "Parameters: b1, b2, b3"
    qtbot.waitUntil(lambda: model.typeset.is_set and model.typeset.isVisible(), timeout=30000)
    assert model.typeset.lines == (r"y = \frac{e^{-b_{\mathrm{1}}\,x}}{b_{\mathrm{2}} + b_{\mathrm{3}}\,x}",)

    # While it is typed, the law is drawn where the data are: starts are looked for after a pause.
    measured = recorded(session.study, curve.id)
    qtbot.waitUntil(lambda: _misses(bench.canvas, measured) < 0.2, timeout=20000)

    # Enter takes it, and starts are found in the data; Fit reaches the certified values from worse ones, too.
    QTest.keyClick(field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: session.model.terms and not session.modelling.is_searching, timeout=20000)
    assert [row.title for row in model.table.rows] == ["b1", "b2", "b3"]
    known = certified("Chwirut2")
    assert session.model.start["b1"] == pytest.approx(known.value["b1"], rel=0.01)
    for row, value in enumerate(known.starts[0].values()):
        assert model.table.setData(model.table.index(row, VALUE), repr(value), Qt.ItemDataRole.EditRole)
    assert session.model.start == known.starts[0]
    fit(w, qtbot)
    p = session.fit.result.parameters
    for name, value in known.value.items():
        assert digits(p[name].value, value) >= 7
        assert digits(p[name].u, known.sd[name]) >= 5
    assert model.table.data(model.table.index(0, VALUE)) == "0.17 ± 0.04"

    # The way of the fit: gone back along, and forward to the result.
    places = session.modelling.places()
    assert len(places) >= 3
    slider = model.foot.slider
    slider.setFocus()
    for _ in places[1:]:
        QTest.keyClick(slider, Qt.Key.Key_Left)
    assert session.view.iterate == 0
    assert model.foot.place.text() == f"step 0 of {len(places) - 1}"
    drawn = bench.canvas.model.model.start
    assert drawn == session.model.start
    assert session.modelling.model_in_sight().start == session.fit.result.values
    for _ in places[1:]:
        QTest.keyClick(slider, Qt.Key.Key_Right)
    assert session.view.iterate is None
    assert bench.canvas.model.model.start == session.fit.result.values

    # Fitting again from the result changes nothing.
    before = session.fit.result.values
    model.foot.starts_menu()
    fit(w, qtbot)
    assert session.fit.result.values == pytest.approx(before, rel=1e-9)

    # Asked at two x, and backwards; a quantity by formula goes into the ledger.
    click(bench.drawer.tabs["Result"])
    page = bench.drawer.page("Result")
    QTest.keyClicks(page.given, "1 3")
    QTest.keyClick(page.given, Qt.Key.Key_Return)
    said = shown_answers(page)
    law = parse("exp(-b1*x)/(b2 + b3*x)")
    for line, x in zip(said, (1.0, 3.0), strict=True):
        value = float(evaluate(law, {"x": x, **known.value}))
        number, u = (float(part.split()[0]) for part in line.split(": ")[1].split("±"))
        assert abs(number - value) <= 0.51 * 10 ** -len(line.split(".")[-1].split()[0]) + u / 20
    page.question.setCurrentIndex(page.question.findData("formula"))
    page.given.setText("scale = b2/b3")
    click(page.ask_button)
    assert "scale = b2/b3: 0.43 ± " in shown_answers(page)[-1]
    assert any(column.title == "scale" for column in bench.ledger.ledger.columns)
    page.given.setText("other = 1/b1")
    click(page.ask_button)
    page.given.setText("other =")
    click(page.ask_button)
    assert shown_answers(page)[-1] == "other is no longer kept."
    assert [name for name, _ in session.model.derived] == ["scale"]
    assert session.modelling.places(), "a named quantity must not forget the way of the fit"
    click(page.profile)
    qtbot.waitUntil(lambda: any("by profile" in line for line in shown_answers(page)), timeout=30000)
    click(page.bands)
    assert bench.canvas.model.beside.band is not None
    page.copy("script")
    assert "least_squares" in QApplication.clipboard().text()

    # Compared with other laws on the same points.
    click(bench.drawer.tabs["Compare"])
    compare = bench.drawer.page("Compare")
    compare.add_candidate("exponential")
    compare.add_candidate("two-exponentials")
    for i in range(compare.list.count()):
        item = compare.list.item(i)
        wanted = item.text() in ("the model in hand", "Exponential decay", "Two exponential decays")
        item.setCheckState(Qt.CheckState.Checked if wanted else Qt.CheckState.Unchecked)
    click(compare.run)
    qtbot.waitUntil(lambda: len(compare.rows) >= 3, timeout=30000)
    rows = {row.candidate.label: row for row in compare.rows}
    assert digits(rows["the model in hand"].result.statistics.rss, known.rss) >= 8
    assert rows["Two exponential decays"].against == "Exponential decay"
    assert sum(row.weight for row in compare.rows) == pytest.approx(1.0)
    assert len(bench.canvas.model.beside.letters) == len(compare.rows)
    assert session.modelling.overlays[0].y.size

    # Straight axes for a power law: by the line, and directly the certified values of DanWood.
    session.look(View(other.id))
    click(bench.drawer.tabs["Straighten"])
    straight = bench.drawer.page("Straighten")
    straight.way.setCurrentIndex(straight.way.findData("power"))
    click(straight.run_button)
    qtbot.waitUntil(lambda: straight.made is not None, timeout=20000)
    power = certified("DanWood")
    factor, exponent = straight.made.parameters
    assert digits(factor.direct, power.value["b1"]) >= 7
    assert digits(exponent.direct, power.value["b2"]) >= 7
    assert digits(exponent.direct_u, power.sd["b2"]) >= 5
    assert straight.table.rowCount() == 2
    assert "weigh all points alike" in straight.sentence.text()
    straight.way.setCurrentIndex(straight.way.findData("own"))
    straight.way.activated.emit(straight.way.currentIndex())
    straight.v.setText("a*y")
    click(straight.run_button)
    assert "may name y only" in w.notice.text.text()


def test_limits_ties_weights_and_sliders_by_hand(window, qtbot):
    x = np.linspace(0, 20, 120)
    y = 10 + 30 * np.exp(-x / 2) + np.random.default_rng(1).normal(0, 0.2, x.size)
    w = window(study_of(x, y, names=("one", "two")))
    session, model = w.session, w.curve_bench.model
    choose_term(w, "exponential decay")
    qtbot.waitUntil(lambda: session.model.terms and not session.modelling.is_searching, timeout=20000)
    table = model.table
    titles = [row.title for row in table.rows]
    assert titles == ["offset", "amplitude", "tau"]
    assert [row.unit for row in table.rows] == ["MPa", "MPa", "s"]
    assert session.model.start["tau"] == pytest.approx(2, rel=0.2), "starts were found without a fit"
    edit = Qt.ItemDataRole.EditRole

    # Ties: refused ones are told, a good one is shown and kept through the fit.
    for text, sentence in (("=tauu", "did you mean 'tau'"), ("=offset", "tied to itself"), ("=", "after =")):
        assert not table.setData(table.index(0, VALUE), text, edit)
        assert sentence in w.notice.text.text()
    assert table.setData(table.index(0, VALUE), "=amplitude/3", edit)
    fit(w, qtbot)
    p = session.fit.result.parameters
    assert p["offset"].value == pytest.approx(p["amplitude"].value / 3)
    assert table.data(table.index(0, VALUE)).startswith("= 10.")
    assert abs(p["tau"].value - 2) < 4 * p["tau"].u
    assert table.data(table.index(0, HOLD), Qt.ItemDataRole.CheckStateRole) == Qt.CheckState.Checked

    # Limits: out of order and outside are told; a fit ends on one and says so.
    click(model.limits)
    assert not model.view.isColumnHidden(LOW)
    assert table.setData(table.index(2, HIGH), "1.5", edit)
    assert not table.setData(table.index(2, LOW), "3", edit)
    assert "not in order" in w.notice.text.text()
    assert not table.setData(table.index(2, VALUE), "7", edit)
    assert "lies outside its limits" in w.notice.text.text()
    fit(w, qtbot)
    assert session.fit.result.parameters["tau"].value == pytest.approx(1.5)
    assert "tau ended on its bound" in model.foot.warning.text()

    # The slider tries starts live; letting go makes one.
    session.undo()
    session.undo()
    model.view.setCurrentIndex(table.index(1, VALUE))
    model.slider.show_row(table.rows[1])
    before = session.modelling.model_in_sight().start["amplitude"]
    model.slider.slider.setFocus()
    QTest.keyClick(model.slider.slider, Qt.Key.Key_PageUp)
    assert session.model.start["amplitude"] == pytest.approx(before * 10 ** (10 / 200))

    # Weights and loss are part of the model; what the data do not allow is told.
    click(model.settings.fold)
    box = model.settings.weights
    box.setCurrentIndex(box.findData("proportional"))
    box.activated.emit(box.currentIndex())
    assert session.model.weights == "proportional"
    box = model.settings.scaled
    box.setCurrentIndex(box.findData(False))
    box.activated.emit(box.currentIndex())
    fit(w, qtbot)
    assert not session.fit.result.scaled
    assert session.fit.result.weights == "proportional"

    # Starts of another curve with the same model.
    found = session.fit.result.values
    session.look(View(session.study.document.curves[1].id))
    choose_term(w, "exponential decay")
    qtbot.waitUntil(lambda: session.model.terms and not session.modelling.is_searching, timeout=20000)
    menu = model.foot.starts_menu()
    take = next(action for action in menu.actions() if action.text() == "Take those of one")
    take.trigger()
    assert session.model.start == found


def test_stretches_are_left_out_of_the_fit_by_drawing_over_them(window, qtbot):
    x = np.linspace(0, 20, 201)
    y = 10 + 30 * np.exp(-x / 2)
    y[80:100] += 25
    w = window(study_of(x, y))
    session, canvas = w.session, w.curve_bench.canvas
    choose_term(w, "exponential decay")
    qtbot.waitUntil(lambda: session.model.terms and not session.modelling.is_searching, timeout=20000)
    drag(canvas.plot, (7.6, 30), (10.4, 30), CTRL | SHIFT)
    (gap,) = session.model.gaps
    assert gap == pytest.approx((7.6, 10.4), abs=0.1)
    assert sum(item.isVisible() for item in canvas.model.gaps.items) == 1
    fit(w, qtbot)
    assert session.fit.result.parameters["tau"].value == pytest.approx(2.0, rel=1e-6)
    assert session.fit.basis.used == np.count_nonzero((x < gap[0]) | (x > gap[1]))
    drag(canvas.plot, (8.0, 30), (9.0, 30), CTRL | SHIFT)
    assert session.model.gaps == ()
    assert not any(item.isVisible() for item in canvas.model.gaps.items)


def test_areas_are_typed_and_tied_like_parameters(window, qtbot):
    x = np.linspace(0, 100, 501)
    y = 2 + 60 * np.exp(-4 * np.log(2) * ((x - 30) / 8) ** 2) + 20 * np.exp(-4 * np.log(2) * ((x - 65) / 12) ** 2)
    w = window(study_of(x, y + np.random.default_rng(3).normal(0, 0.3, x.size), "nm", "counts"))
    session, model = w.session, w.curve_bench.model
    model.peak_kind.setCurrentText("Gaussian")
    model.peak_kind.activated.emit(model.peak_kind.currentIndex())
    for place, top in ((30, 62), (65, 22)):
        double_click(w.curve_bench.canvas.plot, place, top)
    table, edit = model.table, Qt.ItemDataRole.EditRole
    titles = [row.title for row in table.rows]
    area1, area2 = titles.index("P1 · area"), titles.index("P2 · area")
    assert table.rows[area2].unit == "counts·nm"
    assert table.setData(table.index(area2, VALUE), "300", edit)
    second = session.model.term_numbered(2).parameters
    assert second["height"].start * second["fwhm"].start * math.sqrt(math.pi / (4 * math.log(2))) == pytest.approx(300)
    for text, sentence in (
        ("=area_2", "tied to itself"),
        ("=area_3", "names 'area_3'"),
        ("=area_1 +", "cannot be read"),
    ):
        assert not table.setData(table.index(area2, VALUE), text, edit)
        assert sentence in w.notice.text.text()
    assert table.setData(table.index(area2, VALUE), "=area_1/2", edit)
    fit(w, qtbot)
    read = {(r.part, r.quantity): r for r in session.fit.readings}
    assert read[2, "area"].value == pytest.approx(read[1, "area"].value / 2, rel=1e-9)
    assert table.rows[area1].u == read[1, "area"].u
    assert table.data(table.index(area2, VALUE)).startswith("= ")
    assert abs(read[1, "area"].value - 60 * 8 * 1.0645) < 4 * read[1, "area"].u
    assert not table.flags(table.index(area2, HOLD)) & Qt.ItemFlag.ItemIsUserCheckable


def test_a_peak_of_ones_own_is_added_by_double_click(window, qtbot, tmp_path):
    own = OwnTerm(name="Sech", kind="peak", formula="height/cosh(2.6339*(x - center)/fwhm)")
    TERM_FILES.save(own, own.name)
    x = np.linspace(0, 10, 200)
    w = window(study_of(x, 1 + 8 / np.cosh(2.6339 * (x - 4) / 1.5)))
    kind = w.curve_bench.model.peak_kind
    kind.setCurrentIndex(kind.findText("Sech"))
    kind.activated.emit(kind.currentIndex())
    double_click(w.curve_bench.canvas.plot, 4.0, 8.9)
    fit(w, qtbot)
    assert w.session.fit.result.parameters["fwhm_1"].value == pytest.approx(1.5, rel=1e-6)
    assert w.session.model.peaks[0].own == own


def test_own_terms_are_saved_and_offered(window, qtbot, tmp_path):
    x = np.linspace(0.1, 8, 90)
    w = window(study_of(x, 4 * x / (0.8 + x) + 0.1 * x))
    session, model = w.session, w.curve_bench.model
    choose_term(w, "type")
    QTest.keyClicks(model.editor.field, "k = cap/(half + x)")
    QTest.keyClick(model.editor.field, Qt.Key.Key_Return, SHIFT)
    QTest.keyClicks(model.editor.field, "k*x + slope*x")
    assert "half, slope" in model.editor.said.text()
    QTest.keyClick(model.editor.field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: session.model.terms and not session.modelling.is_searching, timeout=20000)
    fit(w, qtbot)
    assert session.fit.result.parameters["half"].value == pytest.approx(0.8, rel=1e-6)
    assert session.modelling.save_own(" ") is None
    path = session.modelling.save_own("Two ways")
    assert path is not None
    assert path.parent == tmp_path / "data" / "curvesieve" / "terms"
    (path.parent / "broken.term.json").write_text("{")
    session.modelling.set_background(None)
    assert not session.model.terms
    choose_term(w, "two ways")
    assert "broken.term.json is no JSON file" in w.notice.text.text()
    assert session.model.background.own.name == "Two ways"
    # Editing the formula keeps what its names had.
    qtbot.waitUntil(lambda: not session.modelling.is_searching, timeout=20000)
    session.modelling.change_state(0, "cap", "start", start=3.25)
    model.editor.field.setFocus()
    model.editor.field.setPlainText("cap*x/(half + x) + slope*x + c")
    QTest.keyClick(model.editor.field, Qt.Key.Key_Return)
    assert session.model.start["cap"] == 3.25


def test_peaks_of_every_kind_are_dragged_by_their_widths(window, qtbot):
    x = np.linspace(0, 100, 801)
    y = 5 + 40 * np.exp(-4 * np.log(2) * ((x - 50) / 12) ** 2)
    w = window(study_of(x, y, "cm-1", "counts"))
    model, canvas, session = w.curve_bench.model, w.curve_bench.canvas, w.session
    for slug in ("voigt", "split-pearson", "exponentially-modified-gaussian", "log-normal"):
        model.peak_kind.setCurrentIndex(model.peak_kind.findData(slug))
        model.peak_kind.activated.emit(model.peak_kind.currentIndex())
        double_click(canvas.plot, 50.0, 44.0)
        number = session.model.peaks[-1].number
        s = canvas.model.handles[number].shape
        drag(canvas.plot, (s.center + s.fwhm / 2, s.base + s.height / 2), (s.center + s.fwhm, s.base + s.height / 2))
        wide = canvas.model.handles[number].shape
        assert wide.fwhm == pytest.approx(2 * s.fwhm, rel=0.15), slug
        assert wide.height == pytest.approx(s.height, rel=0.02), slug
        session.undo()
        session.undo()
    assert not session.model.terms


BAD = [
    ("a*x + nothing(x)", "There is no function"),
    ("a*(x", "never closed"),
    ("x.__class__", "A dot cannot be used"),
    ("9^9^9^9*x", "too large"),
    ("(" * 200 + "x" + ")" * 200, "nested more than"),
    ("a*x + ", "breaks off"),
]


def test_bad_formulas_and_bad_fits_leave_the_last_good_state(window, qtbot):
    x = np.linspace(-3, 3, 40)
    w = window(study_of(x, np.full(40, 2.0)))
    session, model = w.session, w.curve_bench.model
    choose_term(w, "type")
    good = session.study
    for text, sentence in BAD:
        model.editor.field.setPlainText(text)
        QTest.keyClick(model.editor.field, Qt.Key.Key_Return)
        assert sentence in model.editor.problem.text()
        assert session.study is good

    def take(text: str) -> None:
        model.editor.field.setFocus()
        model.editor.field.setPlainText(text)
        QTest.keyClick(model.editor.field, Qt.Key.Key_Return)
        qtbot.waitUntil(lambda: not session.modelling.is_searching, timeout=20000)

    take("a + b*x + 0*dead")
    click(model.foot.fit)
    qtbot.waitUntil(lambda: not session.modelling.is_fitting, timeout=20000)
    assert "dead has no effect" in model.foot.warning.text()
    take("q*log(x)")  # has no value for x below zero
    assert "no value on these x" in w.notice.text.text() or "No start was found" in w.notice.text.text()
    click(model.foot.fit)
    qtbot.waitUntil(lambda: "no finite value" in w.notice.text.text(), timeout=20000)
    take("a + b + 0*x")  # constant y, two parameters that do the same
    click(model.foot.fit)
    qtbot.waitUntil(lambda: session.fit is not None, timeout=20000)
    assert "cannot be told apart" in model.foot.warning.text()
    page = w.curve_bench.drawer
    page.show_page("Result")
    result = page.page("Result")
    for slug, given, sentence in (
        ("y", "one", "“one” is not a number"), ("x", "77", "does not reach"), ("area", "1 2 3", "needs two values"),
        ("formula", "1/q", "no parameter 'q'"), ("formula", "a = b", "is a parameter"), ("extremum", "", "no maximum"),
    ):  # fmt: skip
        result.question.setCurrentIndex(result.question.findData(slug))
        result.given.setText(given)
        click(result.ask_button)
        assert sentence in w.notice.text.text()
    click(result.profile)
    qtbot.waitUntil(lambda: "there is no profile" in w.notice.text.text(), timeout=20000)
    assert math.isfinite(session.fit.result.statistics.rss)
    assert cs.fit  # the same core answers at the command line; see tests/core


def test_a_law_in_t_over_time_is_a_law_and_no_flat_line(window, qtbot):
    """The variable is understood from the curve's own x, said in the field, and kept in the study."""
    t = np.linspace(0, 6, 60)
    y = 4 * np.exp(-0.8 * t) + np.random.default_rng(2).normal(0, 0.01, t.size)
    w = window(study_of(t, y))
    model = w.curve_bench.model
    choose_term(w, "type")
    model.editor.field.setFocus()
    QTest.keyClicks(model.editor.field, "A*exp(-k*")
    QTest.keyClicks(model.editor.field, "t)")
    assert "t is the variable (Time)" in model.editor.said.text()
    QTest.keyClick(model.editor.field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: w.session.model.terms and not w.session.modelling.is_searching, timeout=20000)
    own = w.session.model.background.own
    assert (own.variable, sorted(own.parameters)) == ("t", sorted(own.parameters))
    assert w.session.model.names == ("A", "k")
    fit(w, qtbot)
    values = w.session.fit.result.values
    assert values["k"] == pytest.approx(0.8, rel=0.02)
    units_of = {row.full_name: row.unit for row in model.table.rows}
    assert units_of == {"A": "MPa", "k": "s^-1"}
    model.editor.field.setPlainText("A + k")
    assert "Nothing varies in this formula" in model.editor.problem.text()
    model.editor.field.setPlainText("e*t")
    assert "e is the constant" in model.editor.said.text()


def test_a_polynomial_shows_its_ordinary_coefficients_and_answers_are_copied_whole(window, qtbot):
    x = np.linspace(20, 30, 60)
    y = 3 - 0.8 * (x - 26) ** 2 + np.random.default_rng(5).normal(0, 0.3, x.size)
    w = window(study_of(x, y))
    bench, page = w.curve_bench, w.curve_bench.drawer.page("Result")
    choose_term(w, "quadratic")
    table, view = bench.model.table, bench.model.view
    assert [row.name for row in table.rows] == ["a0", "a1", "a2"]
    wanted, covariance = np.polyfit(x, y, 2, cov=True)
    assert [row.value for row in table.rows] == pytest.approx(wanted[::-1].tolist(), rel=1e-6)  # of the starts
    fit(w, qtbot)
    assert [row.value for row in table.rows] == pytest.approx(wanted[::-1].tolist(), rel=1e-6)
    assert [row.u for row in table.rows] == pytest.approx(np.sqrt(np.diag(covariance))[::-1].tolist(), rel=1e-5)
    assert [row.unit for row in table.rows] == ["MPa", "MPa·s^-1", "MPa·s^-2"]
    for column in (VALUE, HOLD, LOW, HIGH):  # they follow: nothing of them can be typed or held
        index = table.index(1, column)
        click_cell(view, 1, column)
        where = view.visualRect(index).center()
        QTest.mouseDClick(view.viewport(), Qt.MouseButton.LeftButton, pos=where)
        assert view.state() != view.State.EditingState
        assert not table.flags(index) & (Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsUserCheckable)
        assert table.data(index, Qt.ItemDataRole.CheckStateRole) is None
    assert "coefficient of x^1" in table.data(table.index(1, VALUE), Qt.ItemDataRole.ToolTipRole)
    assert not bench.model.slider.isVisible()
    click(bench.drawer.tabs["Result"])
    assert page.matrix.names == ("a0", "a1", "a2")
    page.question.setCurrentIndex(page.question.findData("formula"))
    type_into(page.given, "top = -a1/(2*a2)")
    assert shown_answers(page)[-1].startswith("top = -a1/(2*a2): ")
    click(page.profile)
    qtbot.waitUntil(lambda: page.answers.count() == 4, timeout=20000)
    # All of them, when none is chosen; then the one that is.
    clipboard = QApplication.clipboard()
    page.answers.setFocus()
    QTest.keyClick(page.answers, Qt.Key.Key_C, CTRL)
    top, *ends = clipboard.text().splitlines()
    assert len(ends) == 3
    number = float(top.split(": ")[1].split()[0])
    assert number == pytest.approx(-wanted[1] / (2 * wanted[0]), rel=1e-12)
    g = np.array([wanted[1] / (2 * wanted[0] ** 2), -1 / (2 * wanted[0])])
    assert float(top.split(" ± ")[1].split()[0]) == pytest.approx(np.sqrt(g @ covariance[:2, :2] @ g), rel=1e-6)
    page.answers.setCurrentRow(2)
    QTest.keyClick(page.answers, Qt.Key.Key_C, CTRL)
    assert clipboard.text() == ends[1] + "\n"
    assert ends[1].startswith("a1: ")
    assert len(ends[1].split()[1]) > 12, "all digits"


def test_a_hold_said_of_an_inner_weight_is_never_hidden(window):
    x = np.linspace(0, 10, 40)
    w = window(study_of(x, 1 + 2 * x))
    choose_term(w, "quadratic")
    w.session.modelling.change_state(0, "c2", "hold", hold=True)  # as a study of an earlier version may have it
    table = w.curve_bench.model.table
    assert [row.name for row in table.rows] == ["c2", "a0", "a1", "a2"]
    w.session.modelling.change_state(0, "c2", "free", hold=False)
    assert [row.name for row in table.rows] == ["a0", "a1", "a2"]


def test_counts_of_one_and_shares_of_nothing_are_written_as_they_are_said(window, qtbot):
    x = np.linspace(0, 10, 40)
    w = window(study_of(x, 3 + np.random.default_rng(1).normal(0, 0.1, 40)))
    bench = w.curve_bench
    choose_term(w, "constant")
    fit(w, qtbot)
    assert bench.model.foot.outcome.text().startswith("R² 0.0000 · "), "never −0.0000"
    told = []
    w.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    bench.drawer.ledger.copy_table()
    assert told[-1] == "Copied 1 row of the ledger."
    w.session.apply(edits.add_step(w.session.view.curve, LeaveOut(low=0.1, high=9.0), "l"), "leave out")
    w.session.apply(edits.add_step(w.session.view.curve, KeepRange(low=0.0, high=0.1), "k"), "keep")
    assert bench.sieve.count.text() == "1 point passes"


def test_a_law_typed_under_peaks_gets_starts(window, qtbot):
    """Its names are those of the straight line that stood there: their values are no starts for it."""
    rng = np.random.default_rng(8)
    x = np.linspace(0, 100, 600)
    y = 240 * np.exp(-x / 30) + 90 / (1 + ((x - 62) / 3) ** 2) + 12 + rng.normal(0, 1.5, x.size)
    w = window(study_of(x, y, "1/cm", "counts"))
    w.session.look(View(w.session.study.document.curves[0].id))
    double_click(w.curve_bench.canvas.plot, 62.0, 120.0)
    assert w.session.model.background.slug == "line"
    choose_term(w, "type a formula")
    field = w.curve_bench.model.editor.field
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, "a*exp(-x/b) + c")
    QTest.keyClick(field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: not w.session.jobs.running("starts"), timeout=20000)
    fit(w, qtbot)
    found = w.session.fit.result
    assert found.converged
    for name, truth in (("a", 240), ("b", 30), ("c", 12), ("center_1", 62)):
        p = found.parameters[name]
        assert abs(p.value - truth) < 5 * p.u, (name, p.value, p.u)


def test_axes_of_ones_own_give_the_parameters_of_ones_own_law(window, qtbot):
    x = np.linspace(1, 20, 60)
    y = 7.5 * np.exp(0.23 * x) * (1 + np.random.default_rng(0).normal(0, 0.01, 60))
    w = window(study_of(x, y))
    w.session.look(View(w.session.study.document.curves[0].id))
    w.curve_bench.drawer.show_page("Straighten")
    page = w.curve_bench.drawer.page("Straighten")
    page.way.setCurrentIndex(page.way.findData("own"))
    page.way.activated.emit(page.way.currentIndex())
    type_into(page.law, "a*exp(b*x)")
    click(page.run_button)
    qtbot.waitUntil(lambda: page.made is not None and bool(page.made.parameters), timeout=20000)
    assert [page.table.item(i, 0).text() for i in range(2)] == ["a", "b"]
    by_line = {one.name: one for one in page.made.parameters}
    slope, intercept = np.polyfit(x, np.log(y), 1)
    assert by_line["b"].straight == pytest.approx(slope, rel=1e-6)
    assert by_line["a"].straight == pytest.approx(math.exp(intercept), rel=1e-6)
    assert page.table.item(1, 2).text() != "–"
    w.session.look_at_stage("recorded")
    page._forget()
    assert page.plot.box.viewRange()[0] == [0, 1], "not the axes of what was there before"
