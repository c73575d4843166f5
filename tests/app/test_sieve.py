"""The sieve on the bench: faults mended by dragging, baselines shaped, steps shared, saved and compared."""

from __future__ import annotations

import json

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog

from curvesieve.app.plotting.handles import RuleHandles
from curvesieve.app.session.desk import View
from curvesieve.core.curve import Flag
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps.baseline import Baseline
from curvesieve.core.steps.bridge import Bridge
from curvesieve.core.steps.combine import Combine
from curvesieve.core.steps.level import Scale
from curvesieve.core.steps.repair import Despike
from curvesieve.core.steps.sieve import SIEVE_FILES
from curvesieve.core.steps.transform import Spectrum
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.passing import recorded, sieve_family, sieved_curve, unusual_catches
from curvesieve.demo.faults import detector_fault, relaxation_glitch
from tests.app.gestures import SHIFT, add_step, click, double_click, drag, menu_behind, place, take, type_into

ALT = Qt.KeyboardModifier.AltModifier


def study_of(*curves: tuple[str, np.ndarray, np.ndarray]) -> Study:
    chosen = [
        (Record(Source(f"{label}.csv", label.encode()), (Channel("x", "s", x), Channel("y", "N", y))), Take(0, 1))
        for label, x, y in curves
    ]
    return edits.add_curves(Study(), chosen, "family", [label for label, _, _ in curves])


def faulty(made) -> Study:
    return study_of((made.file_name, made.x, made.y))


def field(w, name: str):
    return w.curve_bench.sieve.card(w.session.view.stage).fields[name]


@pytest.mark.parametrize(
    ("made", "law", "flank"), [(relaxation_glitch(), "double exponential", 25), (detector_fault(), "polynomial", 60)]
)  # fmt: skip
def test_a_fault_is_mended_by_dragging_a_bridge_over_it(window, qtbot, made, law, flank):
    w = window(faulty(made))
    plot = w.curve_bench.canvas.plot
    middle = float(np.median(made.truth))
    add_step(w, "bridge")
    card = w.curve_bench.sieve.card(w.session.view.stage)
    assert "the band is not set" in card.problem.text().casefold()
    drag(plot, (made.low, middle), (made.high, middle), SHIFT)
    step = w.session.study.slots(w.session.view.curve)[0].rule
    assert (step.low, step.high) == (pytest.approx(made.low, abs=0.8), pytest.approx(made.high, abs=0.8))
    type_into(field(w, "low").line, str(made.low))
    type_into(field(w, "high").line, str(made.high))
    law_box = field(w, "law").choice
    law_box.setCurrentText(law)
    law_box.textActivated.emit(law)
    type_into(field(w, "flank").line, str(flank))
    click(card.decision.layout().itemAt(0).widget())
    assert not card.problem.text()
    passed = sieved_curve(w.session.study, w.session.view.curve).curve
    fault = (made.x >= made.low) & (made.x <= made.high)
    assert (passed.flags[fault] == Flag.PATCHED).all()
    assert np.mean(np.abs(passed.y - made.truth)[fault] <= 2 * passed.u[fault]) >= 0.95
    edges = np.flatnonzero(fault)[[0, -1]]
    assert np.abs(passed.y - made.truth)[edges].max() < 4 * made.noise
    np.testing.assert_array_equal(passed.y[~fault], made.y[~fault])
    assert recorded(w.session.study, w.session.view.curve).y is not passed.y, "the record is whole"

    # The flanks are dragged by the outer lines; what it would do is drawn while the hand moves.
    handles: RuleHandles = w.curve_bench.canvas.rule_handles
    seen = []
    handles.moving.connect(lambda step: seen.append(step.flank))
    right = handles.flanks.edges()[1]
    if right < made.x[-1]:
        drag(plot, (right, middle), (right - 0.2 * flank, middle))
        assert seen
        assert w.session.study.slots(w.session.view.curve)[0].rule.flank == pytest.approx(0.8 * flank, rel=0.05)
        w.session.undo()
    while w.session.undo_label:
        w.session.undo()
    assert not w.session.study.slots(w.session.view.curve)


def test_a_baseline_is_shaped_by_its_anchors(window, qtbot):
    x = np.linspace(0, 100, 1001)
    base = 20 + 0.1 * x + 4 * np.sin(x / 15)
    y = base + 60 * np.exp(-(((x - 50) / 3) ** 2)) + np.random.default_rng(0).normal(0, 0.2, x.size)
    w = window(study_of(("made", x, y)))
    plot = w.curve_bench.canvas.plot
    add_step(w, "baseline")
    w.session.apply(
        edits.change_step(w.session.view.curve, w.session.view.stage, Baseline(method="anchors", anchors=(2.0,))),
        "anchors",
    )
    handles = w.curve_bench.canvas.rule_handles
    for at in (20, 35, 65, 80, 98):
        double_click(plot, at, float(np.interp(at, x, base)))
    step = w.session.study.slots(w.session.view.curve)[0].rule
    assert len(step.anchors) == 6
    drag(plot, (20, float(np.interp(20, x, base))), (20, 40.0))
    moved = w.session.study.slots(w.session.view.curve)[0].rule
    assert moved.heights[1] == pytest.approx(40, abs=0.5)
    w.session.undo()
    line = sieved_curve(w.session.study, w.session.view.curve).trail[0].shapes[0].y
    assert np.abs(line - base).max() < 1.5
    double_click(plot, 98, float(np.interp(98, x, base)))
    assert len(handles.anchors) == 5
    assert "CATCH  ·  Baseline: baseline of" in w.curve_bench.canvas.strip.title.text()
    assert w.curve_bench.canvas.strip.line._x.size == x.size


def test_points_are_left_out_with_a_lasso_and_taken_in_again(window, qtbot):
    x = np.linspace(0, 10, 51)
    w = window(study_of(("made", x, np.where(np.arange(51) == 20, 9.0, 1 + 0.1 * x))))
    plot = w.curve_bench.canvas.plot
    _lasso(plot, [(3.7, 8.5), (4.3, 8.5), (4.3, 9.3), (3.7, 9.3)])
    flags = sieved_curve(w.session.study, w.session.view.curve).curve.flags
    assert np.flatnonzero(flags).tolist() == [20]
    _lasso(plot, [(3.7, 8.5), (4.3, 8.5), (4.3, 9.3), (3.7, 9.3)])
    assert w.session.study.slots(w.session.view.curve)[0].rule.points == ()


def _lasso(plot, corners) -> None:
    from PyQt6.QtCore import QEvent

    from tests.app.gestures import LEFT, NONE, _send

    at = [place(plot, *corner) for corner in corners]
    QTest.qWait(30)
    _send(plot, QEvent.Type.MouseMove, at[0], NONE, NONE, ALT)
    _send(plot, QEvent.Type.MouseButtonPress, at[0], LEFT, LEFT, ALT)
    for corner in [*at[1:], at[0]]:
        _send(plot, QEvent.Type.MouseMove, corner, NONE, LEFT, ALT)
        QTest.qWait(25)
    _send(plot, QEvent.Type.MouseButtonRelease, at[0], LEFT, NONE, ALT)


def test_a_new_step_is_seen_at_once_and_can_be_left(window, qtbot):
    x = np.linspace(0, 10, 200)
    w = window(study_of(("made", x, np.sin(x))))
    click(w.curve_bench.sieve.add)
    steps = w.curve_bench.sieve.step_list
    QTest.keyClicks(steps.field, "nothing like it")
    assert steps.tree.topLevelItem(0).text(0) == "No step has these words"
    steps.field.clear()
    QTest.keyClicks(steps.field, "slope deriv")
    QTest.keyClick(steps.field, Qt.Key.Key_Return)
    QApplication.processEvents()
    canvas = w.curve_bench.canvas
    assert canvas.plot.axes["left"].labelText == "d(y)/d(x) (N·s⁻¹)"
    assert canvas.layers.ghost._x.size == 0, "y itself has no place on these axes"
    card = w.curve_bench.sieve.card(w.session.view.stage)
    assert card.fields["window"].widget.isVisible()
    method = card.fields["method"].choice
    method.setCurrentText("spline")
    method.textActivated.emit("spline")
    assert not card.fields["window"].widget.isVisible(), "a spline has no window"
    click(card.decision.layout().itemAt(1).widget())
    assert not w.session.study.slots(w.session.view.curve)


def test_sieves_are_shared_copied_saved_and_compared(window, qtbot, tmp_path, monkeypatch):
    rng = np.random.default_rng(0)
    x = np.linspace(0, 10, 300)
    curves = [(f"c{i}", x, 5 + np.sin(x) + rng.normal(0, 0.05, 300)) for i in range(4)]
    curves[2][2][::20] += 9
    w = window(study_of(*curves))
    session, column = w.session, w.curve_bench.sieve
    ids = [curve.id for curve in session.study.document.curves]
    add_step(w, "no line could be, and patch")
    take(menu_behind(column.more), "Share this sieve with the 4 curves")
    assert all(session.study.shares(id_, "sieve") for id_ in ids)
    assert "shared by the family" in column.count.text()
    session.look(View(ids[3]))
    session.look_at_stage(session.study.slots(ids[3])[0].id)
    type_into(field(w, "threshold").line, "6")
    assert {session.study.slots(id_)[0].rule.threshold for id_ in ids} == {6.0}
    assert list(unusual_catches(session.study, ids)) == [ids[2]]
    qtbot.waitUntil(lambda: list(session.unusual) == [ids[2]], timeout=20000)
    marked = [row.text for row in w.shelf.model.rows if row.warning]
    assert marked == ["c2"]
    take(menu_behind(column.more), "Give this curve a sieve of its own")
    session.apply(edits.name_step(ids[3], session.study.slots(ids[3])[0].id, "my own"), "name")
    assert column.card(session.view.stage).name.text() == "my own"
    assert session.study.slots(ids[0])[0].name == ""

    path = tmp_path / "clean.sieve.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    take(menu_behind(column.more), "Write this sieve to a file")
    assert json.loads(path.read_text()) == {
        "sieve": 1, "steps": [{"step": "despike", "window": 11, "threshold": 6.0, "narrowest": 2.0, "name": "my own"}]
    }  # fmt: skip
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("clean one", True))
    take(menu_behind(column.more), "Save this sieve by name")
    assert list(SIEVE_FILES.paths()) == ["clean-one"]
    add_step(w, "scale normalised")
    take(menu_behind(column.more), "Apply “clean-one”")
    assert [slot.rule for slot in session.study.slots(ids[3])] == [Despike(threshold=6.0)]
    add_step(w, "scale normalised")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    take(menu_behind(column.more), "Open a sieve file")
    assert [slot.rule for slot in session.study.slots(ids[3])] == [Despike(threshold=6.0)]
    path.write_text('{"sieve": 1, "steps": [{"step": "desspike"}]}')
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    take(menu_behind(column.more), "Open a sieve file")
    assert "did you mean 'despike'" in w.notice.text.text()
    take(menu_behind(column.more), "Copy it to the other 3 curves")
    assert not session.study.shares(ids[0], "sieve")

    # Two stages are compared; a study with all this is read back as it was.
    session.apply(edits.add_step(ids[3], Scale(by="factor", factor=2), "double"), "scale")
    session.look_at_stage("double")
    stages = w.curve_bench.canvas.against
    assert [stages.itemText(i) for i in range(stages.count())] == [
        "against input",
        "against record",
        "against my own",
    ]
    stages.setCurrentIndex(1)
    stages.textActivated.emit(stages.currentText())
    np.testing.assert_array_equal(w.curve_bench.canvas.layers.ghost._y, curves[3][2])
    save_study(session.study, tmp_path / "s.sieve")
    assert load_study(tmp_path / "s.sieve").document == session.study.document


def test_a_step_that_fails_fails_alone(window, qtbot):
    x = np.linspace(0, 10, 300)
    study = study_of(*[(f"c{i}", x[: 5 if i == 7 else 300], np.sin(x)[: 5 if i == 7 else 300]) for i in range(20)])
    ids = [curve.id for curve in study.document.curves]
    study = edits.add_step(ids[0], Despike(), "a")(study)
    study = edits.share(ids[0], "sieve")(study)
    shares: list[float] = []
    made = sieve_family(study, ids, shares.append)
    assert [i for i, one in enumerate(made) if one.trail[0].problem] == [7]
    assert shares[-1] == 1.0
    assert "points, and the curve has" in unusual_catches(study, ids)[ids[7]]

    # A donor that was deleted: the card says what would help, the next steps go on.
    study = edits.set_sieve(ids[1], ())(edits.step_out(ids[1], "sieve")(study))
    study = edits.add_step(ids[1], Combine(donor="c2"), "c")(study)
    study = edits.add_step(ids[1], Scale(by="factor", factor=3), "d")(study)
    w = window(study)
    w.session.look(View(ids[1]))
    w.session.look_at_stage("c")
    assert np.abs(sieved_curve(w.session.study, ids[1]).curve.y).max() < 1e-12
    w.session.apply(edits.remove_curve(ids[2]), "remove")
    card = w.curve_bench.sieve.card("c")
    assert "There is no curve 'c2' in this study any more" in card.problem.text()
    np.testing.assert_array_equal(sieved_curve(w.session.study, ids[1]).curve.y, 3 * np.sin(x))
    w.session.undo()
    assert not w.curve_bench.sieve.card("c").problem.text()
    assert isinstance(w.session.study.slots(ids[1])[0].rule, Combine)
    assert not isinstance(w.session.study.slots(ids[1])[0].rule, Bridge)
    QApplication.processEvents()


def test_a_step_that_takes_long_leaves_the_window_free(window, qtbot):
    """Least squares at every frequency of 3,000 uneven points is seconds of work: it is done in the background."""
    x = np.sort(np.random.default_rng(0).uniform(0, 100, 3000))
    study = study_of(("made", x, np.sin(x)))
    w = window(study)
    step = Spectrum(uneven="lomb-scargle")
    w.session.apply(edits.add_step(w.session.view.curve, step, "s"), "add")
    assert w.session.sieved() is None
    qtbot.waitUntil(lambda: w.session.sieved() is not None, timeout=60000)
    assert w.session.sieved().curve.x_label == "frequency"
