"""The model in hand without a mouse: what edits keep and drop, late answers, lines beside it, errors that are told."""

from __future__ import annotations

import numpy as np
import pytest

from curvesieve.app.session.desk import View
from curvesieve.app.session.modelling import Overlay
from curvesieve.app.session.session import Session
from curvesieve.core.intake.take import Take
from curvesieve.core.models import OwnTerm
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study import Study, edits, load_study, save_study
from curvesieve.core.study.answers import answer, intervals, residuals_of
from curvesieve.core.study.copies import copied
from curvesieve.core.study.fits import band_of, fit_curve
from curvesieve.core.study.passing import recorded


@pytest.fixture
def session(qtbot, tmp_path, monkeypatch):
    """Two decays as a family, the first in hand."""
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    x = np.linspace(0, 12, 160)
    rng = np.random.default_rng(9)
    records = [
        Record(
            Source(f"{name}.csv", name.encode()),
            (Channel("Time", "s", x), Channel("Stress", "MPa", 4 + 9 * np.exp(-x / tau) + rng.normal(0, 0.05, x.size))),
        )
        for name, tau in (("wet", 1.5), ("dry", 3.0))
    ]
    study = edits.add_curves(Study(), [(record, Take(0, 1)) for record in records], "decays", labels=["wet", "dry"])
    made = Session()
    made.told = []
    made.noticed.connect(lambda sentence, kind: made.told.append(sentence))
    made.begin(study)
    yield made
    made.jobs.close()


def law(session, qtbot, slug="exponential", own=None) -> None:
    session.modelling.set_background(slug, own)
    qtbot.waitUntil(lambda: not session.modelling.is_searching, timeout=20000)


def fitted(session, qtbot) -> None:
    session.modelling.fit()
    qtbot.waitUntil(lambda: session.fit is not None, timeout=20000)


def test_a_law_is_one_step_of_the_history_with_its_starts_the_next(session, qtbot):
    law(session, qtbot)
    assert session.undo_label == "find starts"
    start = session.model.start
    assert start["tau"] == pytest.approx(1.5, rel=0.05)
    session.undo()
    assert session.undo_label == "change the background or law"
    assert session.model.start["tau"] == 1.0
    session.undo()
    assert not session.model.terms
    session.redo()
    session.redo()
    assert session.model.start == start


def test_starts_that_come_too_late_for_their_model_are_dropped(session, qtbot):
    session.modelling.set_background("exponential")
    session.modelling.set_background("line")
    qtbot.waitUntil(lambda: not session.modelling.is_searching, timeout=20000)
    qtbot.wait(50)
    assert session.model.background.slug == "line"
    assert session.undo_label == "change the background or law"


def test_the_way_of_a_fit_is_seen_live_and_afterwards(session, qtbot):
    seen = []
    session.modelling.iterated.connect(lambda _, place: seen.append(place))
    law(session, qtbot)
    for name, value in (("offset", 0.0), ("amplitude", 1.0), ("tau", 9.0)):
        session.modelling.change_state(0, name, "start", start=value)
    fitted(session, qtbot)
    places = session.modelling.places()
    assert places[0] == session.model.start
    assert places[-1] == session.fit.result.values
    qtbot.waitUntil(lambda: bool(seen))
    assert set(seen[0]) == {"offset", "amplitude", "tau"}
    session.modelling.look_at_iterate(1)
    assert session.modelling.model_shown().start == places[1]
    session.modelling.look_at_iterate(999)
    assert session.modelling.model_shown().start == places[-1]
    session.look(View(session.study.document.curves[1].id))
    assert session.view.iterate is None
    assert session.modelling.places() == []


def test_bad_states_are_told_and_change_nothing(session, qtbot):
    law(session, qtbot)
    study = session.study
    session.modelling.change_state(0, "tau", "start", start=float("nan"))
    assert session.study is study
    assert "start" in session.told[-1]
    session.modelling.set_derived((("bad", "1/nothing"),))
    assert session.study is study
    fitted(session, qtbot)
    before = session.study
    session.modelling.set_derived((("bad", "1/nothing"),))
    assert session.study is before
    assert "no parameter 'nothing'" in session.told[-1]


def test_named_quantities_follow_fits_and_files(session, qtbot, tmp_path):
    law(session, qtbot)
    fitted(session, qtbot)
    session.modelling.set_derived((("half", "tau*log(2)"),))
    study, curve_id = session.study, session.view.curve
    assert study.fit_is_current(curve_id)
    value = {r.quantity: r for r in study.readings(curve_id)}["half"]
    assert (value.unit, value.value) == ("s", pytest.approx(1.5 * np.log(2), rel=0.03))
    save_study(study, tmp_path / "kept.sieve")
    again = load_study(tmp_path / "kept.sieve")
    assert again.document == study.document
    assert again.readings(curve_id) == study.readings(curve_id)
    # Another model without tau: the quantity goes with it, and a fit of that model works.
    session.modelling.set_background("polynomial-3")
    assert session.model.derived == ()
    fitted(session, qtbot)
    assert {"a0", "a3"} <= {r.quantity for r in session.study.readings(curve_id)}


def test_an_own_formula_is_kept_whole_in_a_study(session, qtbot, tmp_path):
    own = OwnTerm(formula="k = 1/tau\nc + A*exp(-k*t)", variable="t", description="one decay")
    law(session, qtbot, "own", own)
    fitted(session, qtbot)
    assert session.fit.result.parameters["tau"].value == pytest.approx(1.5, rel=0.02)
    save_study(session.study, tmp_path / "own.sieve")
    again = load_study(tmp_path / "own.sieve")
    entry = again.document.curves[0]
    assert session.model.background.own == own
    assert fit_curve(again, entry.id).result.values == pytest.approx(session.fit.result.values, rel=1e-9)


def test_answers_copies_and_intervals_of_a_study(session, qtbot):
    law(session, qtbot)
    fitted(session, qtbot)
    study, curve_id = session.study, session.view.curve
    (said,), derived = answer(study, curve_id, "y", "2")
    assert derived is None
    line = said.text
    assert line.startswith("y at x = 2: ")
    assert line.endswith(" MPa")
    assert float(line.split(": ")[1].split()[0]) == pytest.approx(4 + 9 * np.exp(-2 / 1.5), abs=0.05)
    (line,), _ = answer(study, curve_id, "x", "8 ± 0.1")
    assert line.text.endswith(" s")
    (line,), _ = answer(study, curve_id, "area", "0; 12")
    assert line.text.endswith(("MPa·s", "s·MPa"))
    for way, mark in (("table", "tau\t"), ("text", "tau = "), ("latex", r"\tau"), ("script", "least_squares")):
        assert mark in copied(study, curve_id, way)
    for way in ("profile", "bootstrap"):
        found = {i.name: i for i in intervals(study, curve_id, way)}
        assert found["tau"].low < 1.5 * 1.02
        assert found["tau"].high > 1.5 * 0.98
    test, (counts, edges, normal) = residuals_of(study, curve_id)
    assert "look like noise" in test.sentence
    assert counts.sum() == 160
    assert edges.size == normal.size + 1
    band = band_of(study, curve_id)
    assert (band.prediction > band.confidence).all()
    session.modelling.change_state(0, "tau", "start", start=2.0)
    assert band_of(session.study, curve_id) is None


def test_what_is_drawn_beside_goes_when_the_study_changes(session, qtbot):
    law(session, qtbot)
    line = Overlay("A", np.arange(3.0), np.arange(3.0), 0)
    session.modelling.draw_beside((line,))
    assert session.modelling.overlays == (line,)
    session.modelling.change_state(0, "tau", "start", start=2.0)
    assert session.modelling.overlays == ()
    session.modelling.draw_beside((line,))
    session.look(View(session.study.document.curves[1].id))
    assert session.modelling.overlays == ()


def test_starts_are_taken_from_a_curve_with_the_same_model_only(session, qtbot):
    law(session, qtbot)
    fitted(session, qtbot)
    values = session.fit.result.values
    first, second = (curve.id for curve in session.study.document.curves)
    session.look(View(second))
    law(session, qtbot, "line")
    assert session.modelling.other_curves() == []
    law(session, qtbot)
    assert session.modelling.other_curves() == [(first, "wet")]
    session.modelling.take_starts(first)
    assert session.model.start == values
    session.modelling.read_starts()
    qtbot.waitUntil(lambda: not session.modelling.is_searching, timeout=20000)
    assert session.model.start["tau"] == pytest.approx(3.0, rel=0.05)


def test_a_polynomial_keeps_its_meaning_when_its_starts_come_from_elsewhere(session, qtbot):
    first, second = (curve.id for curve in session.study.document.curves)
    law(session, qtbot, "polynomial-3")
    fitted(session, qtbot)
    x = np.linspace(2, 6, 9)

    def drawn(model):
        return model.sum.evaluate(x, list(model.start.values()))

    wanted = drawn(session.modelling.model_in_sight())
    session.look(View(second))
    session.modelling.set_model(session.model.model_copy(update={"low": 3.0, "high": 5.0}), "range")
    law(session, qtbot, "polynomial-3")
    assert session.model.background.span != session.study.model(first).background.span
    session.modelling.take_starts(first)
    np.testing.assert_allclose(drawn(session.model), wanted, rtol=1e-12)
    session.modelling.set_model(session.model.model_copy(update={"low": None, "high": None}), "range")
    session.modelling.read_starts()
    curve = recorded(session.study, second)
    best = np.polynomial.Polynomial.fit(curve.x, curve.y, 3)(x)
    np.testing.assert_allclose(drawn(session.model), best, rtol=1e-8)


def test_a_guess_says_nothing_where_there_is_none(session, qtbot):
    found = []
    session.modelling.guess(OwnTerm(formula="a*log(-1 - x)"), found.append)
    qtbot.waitUntil(lambda: not session.jobs.running("guess"), timeout=20000)
    assert found == []
    assert session.told == []
    session.modelling.guess(OwnTerm(formula="a*exp(-x/b) + c"), found.append)
    qtbot.waitUntil(lambda: bool(found), timeout=20000)
    assert found[0].start["b"] == pytest.approx(1.5, rel=0.05)
    assert not session.model.terms, "a guess is drawn, not kept"
