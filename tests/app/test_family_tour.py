"""Families in the window by mouse and keys: from files to a joint fit and to a shift; every control of the bench."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QInputDialog, QStyle, QStyleOptionViewItem

from curvesieve.app.benches.family import members_page as columns
from curvesieve.app.session.desk import MODEL, View
from curvesieve.core.study import edits
from curvesieve.core.study.jointly import fit_jointly_in
from curvesieve.core.study.shared_numbers import shared_numbers
from curvesieve.demo.build import build_study
from curvesieve.demo.raman import LOADINGS
from curvesieve.demo.relaxation import strips, write_relaxation
from tests.app.gestures import (
    add_step,
    choose_term,
    click,
    double_click,
    drag,
    menu_behind,
    move,
    place,
    press,
    take,
    type_into,
)
from tests.app.sweeps import page_gestures
from tests.app.test_peaks_tour import bring_in, choose, choose_kind, find_and_add, fit
from tests.core.test_families import decay_model, decays, family_of, peak_model, shifting

LAW = "offset + a1*exp(-x/t1) + a2*exp(-x/t2)"


def go(w, name="Family"):
    click(w.header.buttons[name])
    return w.family_bench


def quiet(w, qtbot) -> None:
    qtbot.waitUntil(lambda: not w.session.jobs.busy, timeout=60_000)
    QTest.qWait(10)


def test_three_strips_from_files_to_one_time_and_a_line_in_the_humidity(window, qtbot, tmp_path):
    w = window()
    session = w.session
    bring_in(w, qtbot, write_relaxation(tmp_path))
    family = session.study.family_of(session.entry.id)
    assert (family.condition.lower(), family.unit) == ("humidity", "%")
    assert [session.study.entry(id_).condition for id_ in family.curves] == [30, 50, 70]
    choose_term(w, "type")
    QTest.keyClicks(w.curve_bench.model.editor.field, LAW)  # the law, once
    QTest.keyClick(w.curve_bench.model.editor.field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: session.model.terms and not session.modelling.is_searching, timeout=30_000)
    fit(w, qtbot)
    bench = go(w)
    card = bench.recipe.cards["model"]
    take(menu_behind(card.more), "Give the model")
    quiet(w, qtbot)
    fast, slow = ("t1", "t2") if session.fit.result.values["t1"] < session.fit.result.values["t2"] else ("t2", "t1")
    table = bench.recipe.sharing
    choose(table.choices[fast], "one for all")
    choose(table.choices[slow], "a line")
    assert table.formulas[slow].text() == "at_0 + slope*c"
    assert table.said[slow].whole_text() == "at_0 in s, slope in s·%⁻¹"
    assert bench.recipe.counted.text() == "joint fit: 12 parameters for 3 curves"
    click(bench.foot.jointly)
    quiet(w, qtbot)
    assert session.study.joint_state(family.id) == "fitted"
    found = {one.title: one for one in shared_numbers(session.study, session.study.family(family.id))}
    for title, true in ((fast, 18.0), (f"at_0 of {slow}", 210.0), (f"slope of {slow}", -1.2)):
        assert abs(found[title].value - true) < 3 * found[title].u
    truths = {name: getattr(strip, name) for strip in strips()[:1] for name in ("offset", "tau2")}
    first = session.study.fit(family.curves[0]).result.parameters
    assert abs(first["offset"].value - truths["offset"]) < 3 * first["offset"].u
    assert abs(first[slow].value - truths["tau2"]) < 3 * first[slow].u
    click(bench.drawer.tabs["Joint fit"])
    page = bench.drawer.page("Joint fit")
    rows = [[page.numbers.item(row, k).text() for k in range(3)] for row in range(page.numbers.rowCount())]
    assert [row[0] for row in rows] == [fast, f"at_0 of {slow}", f"slope of {slow}"]
    assert rows[0][1].startswith("18.") or rows[0][1].startswith("17.9")
    assert rows[2][2] == "s·%⁻¹"
    click(page.compare)
    quiet(w, qtbot)
    assert [page.ways.item(row, 0).text() for row in range(4)] == [
        "as chosen", "each its own", f"{fast} each its own", f"{slow} each its own",
    ]  # fmt: skip
    assert float(page.ways.item(0, 1).text()) > 0.01  # the sharing is true, and not spoken against
    click(bench.drawer.tabs["Residuals"])
    assert len(bench.drawer.page("Residuals").strips) == 3
    # One curve fitted by itself is no part of it any more, and all that says so does.
    go(w, "Curve")
    fit(w, qtbot)
    go(w)
    assert "out of date" in bench.foot.said.text()
    click(bench.drawer.tabs["Joint fit"])
    assert page.numbers.rowCount() == 0
    assert "out of date" in page.said.whole_text()
    w.session.undo()
    assert page.numbers.rowCount() == 3


def test_the_raman_family_lifted_with_a_guide_and_a_shift_against_loading(window, qtbot, demo_files):
    w = window()
    session = w.session
    bring_in(w, qtbot, demo_files)
    family_id = session.study.family_of(session.entry.id).id
    session.look_at_curve(session.study.family(family_id).curves[0])
    add_step(w, "despike")
    choose_kind(w, "lorentzian")
    session.look_at_stage(MODEL)
    find_and_add(w, qtbot)
    fit(w, qtbot)
    bench = go(w)
    for part in ("sieve", "model"):
        take(menu_behind(bench.recipe.cards[part].more), "Give the")
        quiet(w, qtbot)
    click(bench.foot.each)
    quiet(w, qtbot)
    assert all(session.study.fit_is_current(id_) for id_ in session.study.family(family_id).curves)
    click(bench.stand.stands["lifted"])
    made = bench.stage.together.standing
    for below, above in zip(made.curves, made.curves[1:], strict=False):
        assert (np.interp(above.x, below.x, below.y) < above.y).all()
    take(menu_behind(bench.stand.guide), "At P1 center")
    line = bench.stage.together._guides[0]
    center = session.study.fit(session.entry.id).result.parameters["center_1"].value
    assert line.value() == pytest.approx(center)
    take(menu_behind(bench.trends.add), "P1 center")
    panel = bench.trends.panels[0]
    slope = panel.plot.trend.result.parameters["slope"]
    assert abs(slope.value - 0.2) < 4 * slope.u
    assert "slope 0." in panel.law.whole_text()
    assert "cm⁻¹·wt%⁻¹" in panel.law.whole_text()
    click(panel.plot.viewport(), place(panel.plot, LOADINGS[3], float(panel.plot.trend.y[3])))  # a point is its curve
    assert session.entry.condition == LOADINGS[3]
    assert w.bench == "Family"
    take(menu_behind(panel.more), "As a curve")
    assert w.bench == "Curve"
    curve = session.sieved().curve
    assert curve.x == pytest.approx(LOADINGS)
    assert curve.y == pytest.approx(panel.plot.trend.y)


@pytest.fixture
def relaxed(window, tmp_path, qtbot):
    """A window on the demo, at the strips, their law shared."""
    study = build_study(tmp_path)
    family = study.document.families[1]
    study = edits.share(family.curves[-1], "model")(study)
    w = window(study)
    w.session.look(View(family.curves[-1]))
    w.told = []
    w.session.noticed.connect(lambda sentence, kind: w.told.append(sentence))
    go(w)
    quiet(w, qtbot)
    return w


def look_of(w):
    return w.family_bench.work.family.look


def test_every_control_of_how_they_stand(relaxed, qtbot, monkeypatch):
    w = relaxed
    stand, stage = w.family_bench.stand, w.family_bench.stage
    pages = {"laid over": stage.together, "lifted": stage.together, "one panel each": stage.panels,
             "as a map": stage.mapped, "gallery": stage.panels}  # fmt: skip
    for name, control in stand.stands.items():
        click(control)
        quiet(w, qtbot)
        assert look_of(w).stand == name
        assert stage.pages.currentWidget() is pages[name]
        assert stand.lift.isVisible() == (name == "lifted")
        assert stand.own_y.isVisible() == (name == "one panel each")
        for axis in (stage.x_scale, stage.y_scale):
            click(axis)
            quiet(w, qtbot)
            click(axis)
        assert (look_of(w).x_log, look_of(w).y_log) == (False, False)
    click(stand.stands["one panel each"])
    click(stand.own_y, QPoint(8, stand.own_y.height() // 2))
    assert look_of(w).own_y
    click(stand.stands["lifted"])
    for text, lift in (("12.5", 12.5), ("x", 12.5), ("", None), ("1e400", None)):
        stand.lift.line.setFocus()
        stand.lift.line.selectAll()
        press(stand.lift.line, Qt.Key.Key_Delete)
        QTest.keyClicks(stand.lift.line, text)
        press(stand.lift.line, Qt.Key.Key_Return)
        assert look_of(w).lift == lift, text
    assert any("lift by: “x” is not a number" in one for one in w.told)
    for normal in ("by maximum", "by area", "by a band", "at a point", "as they are"):
        choose(stand.alike, normal)
        assert look_of(w).normal == normal
        if normal == "by a band":
            assert "not drawn" in stage.said.whole_text()
            type_into(stand.low.line, "10")
            type_into(stand.high.line, "50")
            assert len(stage.together.standing.curves) == 3
            assert not stage.said.isVisible()
        if normal == "at a point":
            assert stand.low.isVisible()
            assert not stand.high.isVisible()
            for one in stage.together.standing.curves:
                assert np.interp(10, one.x, one.y) - one.lift == pytest.approx(1.0)
    for box, name in ((stand.fits, "fits"), (stand.recorded, "recorded")):
        before = getattr(look_of(w), name)
        click(box, QPoint(8, box.height() // 2))
        assert getattr(look_of(w), name) != before
    click(stand.recorded, QPoint(8, stand.recorded.height() // 2))
    assert sum(one.fit is not None for one in stage.together.standing.curves) == 1  # the others have no fit
    answers = iter([("100 200", True), ("abc", True), ("7", False)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: next(answers))
    for _ in range(3):
        take(menu_behind(stand.guide), "At an x")
    assert [one.x for one in look_of(w).guides] == [100, 200]
    assert len(stage.together._guides) == 2
    take(menu_behind(stand.guide), "Take away: 100")
    assert [one.x for one in look_of(w).guides] == [200]
    take(menu_behind(stand.beside), "Put Raman")
    quiet(w, qtbot)
    assert "x of 0.0 wt% is in" in stage.said.whole_text()  # other units are told, not drawn
    take(menu_behind(stand.beside), "Take Raman")
    assert look_of(w).beside == ()
    click(stage.whole)
    press(w, Qt.Key.Key_Home)


def test_curves_are_lifted_by_hand_taken_in_hand_and_opened(relaxed, qtbot):
    w = relaxed
    stage, plot = w.family_bench.stage, w.family_bench.stage.together
    click(w.family_bench.stand.stands["lifted"])
    first = plot.standing.curves[0]
    at = float(np.interp(300, first.x, first.y))
    move(plot, 300, at)
    assert plot._over == 0
    drag(plot, (300, at), (300, at - 10))
    assert dict(look_of(w).lifted)[first.id] == pytest.approx(-10, abs=0.5)
    assert plot.standing.curves[0].y == pytest.approx(first.y + dict(look_of(w).lifted)[first.id])
    assert w.session.undo_label == "lift a curve by hand"
    click(w.family_bench.stand.level)
    assert look_of(w).lifted == ()
    one = plot.standing.curves[1]
    at = float(np.interp(400, one.x, one.y))
    click(plot.viewport(), place(plot, 400, at))
    assert w.session.entry.id == one.id
    before = np.array(plot.box.viewRange())
    top = float(before[1][1]) - 1.0
    drag(plot, (300, top), (250, top))  # where no curve is, the plot is panned
    assert not np.allclose(plot.box.viewRange(), before)
    click(stage.whole)
    QTest.qWait(500)
    double_click(plot, 400, float(np.interp(400, one.x, one.y)))
    assert w.bench == "Curve"
    assert w.session.entry.id == one.id
    go(w)
    for stand in ("one panel each", "gallery"):
        click(w.family_bench.stand.stands[stand])
        panels = stage.panels
        click(panels.viewport(), panels.frame(2).center())
        assert w.session.entry.id == panels.curves[2].id
        panels.setFocus()
        press(panels, Qt.Key.Key_Left)
        assert w.session.entry.id == panels.curves[1].id
        press(panels, Qt.Key.Key_Return)
        assert w.bench == "Curve"
        go(w)
    click(w.family_bench.stand.stands["as a map"])
    rows = stage.map
    click(rows.viewport(), place(rows, 300, 71.0))
    assert w.session.entry.condition == 70
    click(rows.viewport(), place(rows, 300, 31.0))
    assert w.session.entry.condition == 30
    press(w, Qt.Key.Key_Escape)


def test_every_way_to_share_every_parameter_and_laws_typed_badly(relaxed, qtbot):
    w = relaxed
    bench, table = w.family_bench, w.family_bench.recipe.sharing
    family = lambda: bench.work.family  # noqa: E731
    for name in ("offset", "tau1"):
        for kind, law in (
            ("one for all", ""), ("a line", "at_0 + slope*c"), ("a power law", "at_1*c^power"),
            ("an exponential", "at_0*exp(rate*c)"),
        ):  # fmt: skip
            choose(table.choices[name], kind)
            assert {one.name: one.law for one in family().sharing}[name] == law
            assert table.choices[name].currentText() == kind
        choose(table.choices[name], "a formula in c")
        line = table.formulas[name]
        assert line.isVisible()
        type_into(line, "p + q*c^2")
        assert {one.name: one.law for one in family().sharing}[name] == "p + q*c^2"
        for bad, said in (("p +", "cannot be read"), ("2*c", "no parameter that could be fitted")):
            type_into(line, bad)
            assert {one.name: one.law for one in family().sharing}[name] == "p + q*c^2"
            assert any(said in one for one in w.told)
            assert line.text() == "p + q*c^2"
        type_into(line, "p + c")
        assert "units do not fit" in table.said[name].whole_text() or name == "tau1"
        choose(table.choices[name], "each its own")
        assert name not in {one.name for one in family().sharing}
    assert "temperature" in table.choices["tau1"].model().item(5).toolTip()  # Arrhenius, for a humidity
    assert not table.choices["tau1"].model().item(5).isEnabled()
    for way, button in (("along", bench.foot.along), ("each", bench.foot.each), ("jointly", bench.foot.jointly)):
        click(button)
        quiet(w, qtbot)
        assert family().way == way
        assert "3 of 3 curves fitted" in bench.foot.said.text()
    card = bench.recipe.cards["model"]
    found = w.session.study.fit(w.session.entry.id).result.values
    take(menu_behind(card.more), "Values of 70 % RH as starts")
    assert family().recipe.model.start == found
    take(menu_behind(card.more), "Step 70 % RH out")
    assert bench.recipe.under.text() == "2 of 3 curves"
    take(menu_behind(card.more), "Step 70 % RH in again")
    assert bench.recipe.under.text() == "3 of 3 curves"
    for part in ("sieve", "measures"):
        take(menu_behind(bench.recipe.cards[part].more), "Give the")
        assert w.session.study.shares(w.session.entry.id, part)
    take(menu_behind(card.more), "Edit the model")
    assert w.bench == "Curve"


def box_of(table, row: int, column: int) -> QPoint:
    """Where a box of a table is drawn."""
    index = table.model().index(row, column)
    option = QStyleOptionViewItem()
    option.initFrom(table)
    option.rect = table.visualRect(index)
    option.features = QStyleOptionViewItem.ViewItemFeature.HasCheckIndicator
    return table.style().subElementRect(QStyle.SubElement.SE_ItemViewItemCheckIndicator, option, table).center()


def type_in_cell(table, row: int, column: int, text: str) -> None:
    at = table.visualRect(table.model().index(row, column)).center()
    click(table.viewport(), at)
    QTest.mouseDClick(table.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    editor = QApplication.focusWidget()
    editor.selectAll()
    QTest.keyClick(editor, Qt.Key.Key_Delete)
    QTest.keyClicks(editor, text)
    QTest.keyClick(editor, Qt.Key.Key_Return)
    QApplication.processEvents()


def test_the_page_of_curves_hides_leaves_out_orders_and_groups(relaxed, qtbot):
    w = relaxed
    bench, study = w.family_bench, lambda: w.session.study
    click(bench.drawer.tabs["Curves"])
    page = bench.drawer.page("Curves")
    table = page.table
    click(table.viewport(), box_of(table, 0, columns.SHOWN))
    assert look_of(w).hidden == (page.ids[0],)
    assert "1 not shown" in bench.stage.about.whole_text()
    click(table.viewport(), box_of(table, 0, columns.SHOWN))
    click(table.viewport(), box_of(table, 1, columns.TOGETHER))
    assert bench.work.family.apart == (page.ids[1],)
    assert bench.recipe.under.text() == "2 of 3 curves"
    click(table.viewport(), box_of(table, 1, columns.TOGETHER))
    assert bench.work.family.apart == ()
    first = page.ids[0]
    type_in_cell(table, 0, columns.CONDITION, "90")
    assert study().entry(first).condition == 90
    assert page.ids[-1] == first  # in the order of the condition
    type_in_cell(table, 2, columns.CONDITION, "abc")
    assert study().entry(first).condition == 90
    assert any("A condition is one number" in one for one in w.told)
    type_in_cell(table, 2, columns.CONDITION, "70")
    assert page.said.text() == "Twice or more: 70"
    type_in_cell(table, 1, columns.CONDITION, "")
    assert "no condition" in page.said.text()
    for row, group in ((0, "dry"), (1, "wet"), (2, "wet")):
        type_in_cell(table, row, columns.GROUP, group)
    assert sorted(study().entry(id_).group for id_ in page.ids) == ["dry", "wet", "wet"]
    type_into(page.name, "moisture")
    type_into(page.unit, "xyzzy")
    assert (bench.work.family.condition, bench.work.family.unit) == ("moisture", "xyzzy")
    assert any("xyzzy is not known" in one for one in w.told)
    click(table.viewport(), table.visualRect(table.model().index(1, 0)).center())
    assert w.session.entry.id == page.ids[1]
    take(menu_behind(page.mean), "Mean of group wet")
    assert w.bench == "Curve"
    assert w.session.entry.label == "mean of wet"
    assert w.session.sieved().curve.u is not None


def test_pages_of_numbers_are_copied_and_groups_compared(relaxed, qtbot):
    w = relaxed
    bench = w.family_bench
    click(bench.foot.each)
    quiet(w, qtbot)
    click(bench.drawer.tabs["Parameters"])
    page = bench.drawer.page("Parameters")
    click(page.copy)
    lines = QApplication.clipboard().text().splitlines()
    assert lines[0].split("\t")[:3] == ["curve", "offset (MPa)", "u(offset (MPa))"]
    values = w.session.study.fit(page.ids[0]).result.parameters["offset"]
    assert [float(one) for one in lines[1].split("\t")[1:3]] == [values.value, values.u]
    page.table.cellClicked.emit(1, 2)
    assert w.session.entry.id == page.ids[1]
    click(bench.drawer.tabs["Residuals"])
    strips = bench.drawer.page("Residuals")
    click(strips.viewport(), QPoint(200, 10))
    assert w.session.entry.id == strips.strips[0].id
    click(bench.drawer.tabs["Groups"])
    groups = bench.drawer.page("Groups")
    assert "Give curves a group" in groups.answer.text()
    family = bench.work.family
    w.session.apply(edits.set_groups(dict(zip(family.curves, "aab", strict=True)), family.id), "g")
    assert "two readings" in groups.answer.text()
    click(groups.paired, QPoint(8, groups.paired.height() // 2))
    w.session.apply(edits.set_groups(dict(zip(family.curves, "aba", strict=True)), family.id), "g")
    for heading in ("offset (MPa)", "tau2 (s)"):
        choose(groups.reading, heading)
    click(bench.drawer.tabs["Ledger"])
    click(bench.drawer.page("Ledger").copy)
    QApplication.activePopupWidget().close()


def test_trends_are_drawn_with_every_law_as_a_curve_and_away(relaxed, qtbot, monkeypatch):
    w = relaxed
    bench = w.family_bench
    click(bench.foot.each)
    quiet(w, qtbot)
    take(menu_behind(bench.trends.add), "tau2")
    take(menu_behind(bench.trends.add), "offset")
    panel = bench.trends.panels[0]
    laws = {"a line": "at_0 + slope*c", "a power law": "at_1*c^power", "an exponential": "at_0*exp(rate*c)"}
    for name, law in laws.items():
        take(menu_behind(panel.more), f"Through it: {name}")
        assert panel.entry.law == law
        assert panel.plot.trend.result is not None
    take(menu_behind(panel.more), "Through it: Arrhenius")
    assert any("Arrhenius needs a temperature" in one for one in w.told)
    answers = iter([("a + b*c", True), ("a +", True), ("", True)])
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: next(answers))
    for _ in range(3):
        take(menu_behind(panel.more), "Through it: a formula")
    assert panel.entry.law == "a + b*c"
    assert any("cannot be read" in one for one in w.told)
    take(menu_behind(panel.more), "Nothing through it")
    assert panel.plot.trend.result is None
    take(menu_behind(panel.more), "Show tau1")
    assert panel.plot.trend.title == "tau1"
    take(menu_behind(panel.more), "Take the plot away")
    assert [one.key.quantity for one in bench.work.family.trends] == ["offset"]
    assert not bench.trends.panels[1].isVisible()


def test_a_joint_fit_is_drawn_on_its_way_stopped_and_dropped_when_the_family_changes(window, qtbot):
    study, family, ids = family_of(decays([(2.0 + 0.1 * k, 1.0, 0.5) for k in range(12)]), range(12), decay_model)
    w = window(edits.set_sharing(family, "k", "")(study))
    told, seen = [], []
    w.session.noticed.connect(lambda sentence, kind: told.append(sentence))
    bench = go(w)
    quiet(w, qtbot)
    bench.work.iterated.connect(seen.append)
    click(bench.foot.jointly)
    quiet(w, qtbot)
    assert isinstance(seen[0], dict)
    assert set(seen[0]) == set(ids)
    assert seen[-1] is None
    assert "Fitted 12 curves jointly" in told[-1]
    found = fit_jointly_in(w.session.study, family)
    changed = edits.set_sharing(family, "b", "")(w.session.study)
    w.session.apply(lambda _: changed, "meanwhile")
    bench.work._take(study, family, found, 0.1)
    assert "changed while it was fitted" in told[-1]
    assert w.session.study is changed
    before = w.session.study
    bench.work.fit("jointly")
    bench.work.stop()  # a stop leaves everything as it was
    quiet(w, qtbot)
    assert w.session.study is before


def test_no_family_one_curve_and_a_failed_one_are_said_in_words(window, qtbot):
    w = window()
    bench = go(w)
    assert "Take a curve of a family" in bench.stage.advice.text()
    assert not bench.foot.jointly.isEnabled()
    for control in (bench.stand.guide, bench.stand.beside):
        assert not control.isEnabled()
    for name in bench.drawer.tabs:
        click(bench.drawer.tabs[name])
    spoiled = shifting(4, 0.2, spoiled=(2,))
    study, family, ids = family_of(spoiled, (0, 1, 2, 3), peak_model)
    w.session.begin(study)
    w.session.look(View(ids[0]))
    quiet(w, qtbot)
    click(bench.foot.along)
    quiet(w, qtbot)
    click(bench.stand.stands["gallery"])
    quiet(w, qtbot)
    assert len(bench.stage.panels.curves) == 4
    assert bench.work.family.id == family
    one, family, ids = family_of(decays([(2.0, 1.0, 0.5)]), (1,), decay_model)
    w.session.begin(one)
    w.session.look(View(ids[0]))
    for stand in bench.stand.stands.values():
        click(stand)
        quiet(w, qtbot)
    assert bench.stage.pages.currentWidget() is bench.stage.panels


def test_every_page_of_the_curve_bench_bears_a_joint_fit(relaxed, qtbot):
    """Its free numbers are more than the curve's parameters; what asks for one curve alone is refused in words."""
    w = relaxed
    bench = w.family_bench
    choose(bench.recipe.sharing.choices["tau1"], "one for all")
    choose(bench.recipe.sharing.choices["tau2"], "a line")
    click(bench.foot.jointly)
    quiet(w, qtbot)
    go(w, "Curve")
    fitted, id_ = w.session.study, w.session.entry.id
    for name in w.curve_bench.drawer.tabs:
        w.session.apply(lambda _: fitted, "back")
        w.session.look(View(id_))
        assert w.session.study.fit_is_current(w.session.entry.id)
        click(w.curve_bench.drawer.tabs[name])
        quiet(w, qtbot)
        for gesture in page_gestures(w, w.curve_bench.drawer.page(name)):
            gesture()
            quiet(w, qtbot)
            for menu in QApplication.topLevelWidgets():
                if menu.isVisible() and menu is not w.window():
                    menu.close()
    assert sum("fitted jointly" in one for one in w.told) >= 2  # profile and bootstrap
    w.session.apply(lambda _: fitted, "back")
    w.session.look(View(id_))
    result = w.curve_bench.drawer.page("Result")
    click(w.curve_bench.drawer.tabs["Result"])
    assert len(result.matrix.names) == 5


def test_kinds_of_parameters_differences_copies_and_every_action(window, qtbot, monkeypatch):
    study, family, ids = family_of(shifting(4, 0.2), range(4), two_peaks)
    w = window(study)
    bench = go(w)
    quiet(w, qtbot)
    card = bench.recipe.cards["model"]
    take(menu_behind(card.more), "Every fwhm: one for all curves")
    assert [one.name for one in bench.work.family.sharing] == ["fwhm_1", "fwhm_2"]
    take(menu_behind(card.more), "Every fwhm: each its own")
    assert bench.work.family.sharing == ()
    take(menu_behind(bench.recipe.cards["sieve"].more), "Give the sieve")
    for words, operation in (("All of them less", "subtract"), ("All of them divided by", "divide")):
        take(menu_behind(bench.recipe.cards["sieve"].more), words)
        rule = bench.work.family.recipe.sieve[-1].rule
        assert (rule.slug, rule.operation) == ("combine", operation)
        w.session.undo()
    w.session.apply(edits.set_sharing(family, "fwhm_1", ""), "share")
    click(bench.foot.jointly)
    quiet(w, qtbot)
    click(bench.drawer.tabs["Joint fit"])
    click(bench.drawer.page("Joint fit").copy)
    assert "fwhm_1" in QApplication.clipboard().text()
    w.session.apply(edits.set_groups(dict(zip(ids, "aabb", strict=True)), family), "group")
    click(bench.drawer.tabs["Groups"])
    groups = bench.drawer.page("Groups")
    assert "95 % from" in groups.answer.text()
    click(groups.copy)
    assert "Welch" in QApplication.clipboard().text()
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("5", True))
    told = []
    w.session.noticed.connect(lambda sentence, kind: told.append((sentence, kind)))
    for row in bench.action_rows():
        assert row.enabled(), row.text
        row.run()
        quiet(w, qtbot)
    assert [one.x for one in look_of(w).guides] == [5]
    assert bench.drawer.shown == "Groups"  # the last of the pages
    assert not [one for one, kind in told if "fault of the program" in one]


def two_peaks(curve):
    return peak_model(curve).add_peak("lorentzian", curve, 12.0)
