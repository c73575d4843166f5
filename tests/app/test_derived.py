"""Curves that come from no record, in a real window: seen, sieved, fitted, told why where there are none."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication

from curvesieve.app.session.desk import RECORDED, View
from curvesieve.core.reading import ReadingKey
from curvesieve.core.study import CurveEntry, edits
from curvesieve.core.study.afresh import computed_afresh
from curvesieve.core.study.document import FromLedger, FromMean, LedgerColumn
from curvesieve.core.study.passing import recorded
from curvesieve.demo import EXAMPLE
from curvesieve.demo.build import build_study
from tests.app.gestures import add_step, choose_term, click, click_cell


@pytest.fixture
def derived(window, tmp_path):
    """The demo with all spectra fitted, and curves of their ledger, of their mean, and of what is not there."""
    study = build_study(tmp_path / "demo")
    example = study.document.curves[EXAMPLE].id
    study = computed_afresh(edits.share(example, "model")(edits.share(example, "sieve")(study))).study
    family = study.document.families[0]
    column = LedgerColumn(key=ReadingKey("fit", "height", 1), unit="counts")
    made = (
        CurveEntry(id="heights", label="heights by loading", source=FromLedger(family=family.id, y=column)),
        CurveEntry(id="mean", label="mean spectrum", source=FromMean(family=family.id)),
        CurveEntry(id="none", label="of nothing", source=FromLedger(family="gone", y=column)),
    )
    return window(study.with_document(curves=(*study.document.curves, *made)))


def test_they_are_seen_and_worked_with_like_any_curve(derived, qtbot):
    w, session, bench = derived, derived.session, derived.curve_bench
    rows = {row.curve.id: i for i, row in enumerate(w.shelf.model.rows) if row.curve is not None}
    click_cell(w.shelf.list, rows["heights"], 0)
    assert session.entry.id == "heights"
    assert bench.sieve.recorded.source.text() == "ledger of Raman by silver loading"
    assert bench.sieve.recorded.points.text() == "5 points"
    choose_term(w, "straight line")
    click(bench.model.foot.fit)
    qtbot.waitUntil(lambda: session.fit is not None and not session.jobs.busy, timeout=20000)
    slope = next(r for r in session.study.readings("heights") if r.quantity == "slope")
    assert slope.unit == "counts·wt%^-1"
    assert abs(slope.value - 45) < 5, "the truth of the demo: 45 counts a wt% of the bare height"
    # a member's step changes: the curve made of it has a point less until that is fitted again
    member = session.study.document.families[0].curves[0]
    session.apply(edits.step_out(member, "sieve"), "own sieve")
    session.apply(edits.switch_step(member, session.study.slots(member)[1].id, False), "no despike")
    assert session.study.fit_state("heights") == "out of date"
    assert bench.sieve.recorded.points.text() == "4 points"
    session.undo()
    assert session.study.fit_state("heights") == "fitted"
    click_cell(w.shelf.list, rows["mean"], 0)
    add_step(w, "savitzky")
    np.testing.assert_array_equal(session.sieved().recorded.y, recorded(session.study, "mean").y)
    assert "mean of Raman by silver loading" in bench.sieve.recorded.source.text()
    w.exports.ask_record()
    assert "has no record: it is made of the mean of Raman by silver loading" in w.notice.text.text()


def test_one_that_cannot_be_made_says_why_and_breaks_nothing(derived, qtbot):
    w, session, bench = derived, derived.session, derived.curve_bench
    session.look(View("none"))
    QApplication.processEvents()
    assert "is not in the study any more" in bench.sieve.recorded.notes.text()
    assert bench.sieve.recorded.points.text() == "0 points"
    session.look(View("none", RECORDED))
    add_step(w, "despike")
    choose_term(w, "straight line")
    w.grab()
    for page in ("Points", "Result", "Compare", "Straighten", "Ledger"):
        bench.drawer.show_page(page)
        QApplication.processEvents()
    click(bench.model.foot.fit)
    qtbot.waitUntil(lambda: not session.jobs.busy, timeout=20000)
    assert session.fit is None
    w.shelf.refresh()
    w.grab()
