"""Answers from the background carry what they are about: asked at one curve, they never appear at another."""

from __future__ import annotations

from threading import Event

import numpy as np
import pytest

from curvesieve.app.benches.curve import comparison, result, straight
from curvesieve.app.session.desk import View
from curvesieve.core.intake.take import Take
from curvesieve.core.models import Model
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.steps import StepSlot
from curvesieve.core.steps.base import parse_step
from curvesieve.core.study import Study, edits
from curvesieve.core.study.fits import fit_curve
from curvesieve.core.study.passing import sieved_curve
from tests.app.gestures import click


def _study() -> Study:
    x = np.linspace(0, 12, 90)
    rng = np.random.default_rng(9)
    records = [
        Record(
            Source(f"{name}.csv", name.encode()),
            (Channel("Time", "s", x), Channel("Load", "kN", 0.004 * np.exp(-x / tau) + rng.normal(0, 5e-5, x.size))),
        )
        for name, tau in (("slow", 6.0), ("fast", 1.5))
    ]
    study = edits.add_curves(Study(), [(record, Take(0, 1)) for record in records], "decays", labels=["slow", "fast"])
    for curve in study.document.curves:
        slot = StepSlot(id=f"u{curve.id}", rule=parse_step({"step": "scale", "by": "unit", "unit": "N"}))
        study = edits.set_sieve(curve.id, (slot,))(study)
        model = Model().with_background("exponential", sieved_curve(study, curve.id).curve)
        study = edits.set_model(curve.id, model)(study)
        study = edits.set_fit(curve.id, fit_curve(study, curve.id))(study)
    return study


@pytest.fixture
def held(monkeypatch):
    """Work of the three pages waits until it is let go, so that the hand can move on meanwhile."""
    gate = Event()

    def waiting(function):
        def wait(*given, **named):
            assert gate.wait(20)
            return function(*given, **named)

        return wait

    monkeypatch.setattr(result, "interval_lines", waiting(result.interval_lines))
    monkeypatch.setattr(comparison, "compare", waiting(comparison.compare))
    monkeypatch.setattr(straight, "straighten", waiting(straight.straighten))
    monkeypatch.setattr(result, "_MANY_POINTS", 10)  # the residuals are looked at in the background, too
    monkeypatch.setattr(result, "residuals_of", waiting(result.residuals_of))
    return gate


def _lines(page) -> list[str]:
    return [page.answers.item(i).text() for i in range(page.answers.count())]


def test_what_was_asked_of_one_curve_never_stands_at_another(window, qtbot, held):
    w = window(_study())
    session, bench = w.session, w.curve_bench
    slow, fast = (curve.id for curve in session.study.document.curves)
    session.look(View(slow))
    click(bench.drawer.tabs["Result"])
    page = bench.drawer.page("Result")
    click(page.profile)
    click(bench.drawer.tabs["Compare"])
    compare = bench.drawer.page("Compare")
    click(compare.run)
    click(bench.drawer.tabs["Straighten"])
    lines = bench.drawer.page("Straighten")
    click(lines.run_button)
    session.look(View(fast))
    held.set()
    qtbot.waitUntil(lambda: not session.jobs.busy, timeout=30000)
    assert _lines(page) == []
    assert compare.rows == ()
    assert lines.made is None
    assert session.modelling.overlays == ()
    session.look(View(slow))
    click(bench.drawer.tabs["Result"])
    shown = _lines(page)
    assert [line.split(":")[0] for line in shown] == ["offset", "amplitude", "tau"]
    tau = next(line for line in shown if line.startswith("tau"))
    assert tau.endswith(" s, 95 % by profile")
    low, high = (float(word) for word in tau.split()[1:4:2])
    assert low < 6.0 < high
    assert " N, 95 %" in next(line for line in shown if line.startswith("amplitude"))  # as passed, not as recorded


def test_the_runs_test_that_comes_late_is_dropped(window, qtbot, held):
    w = window(_study())
    session, bench = w.session, w.curve_bench
    slow, fast = (curve.id for curve in session.study.document.curves)
    click(bench.drawer.tabs["Result"])
    page = bench.drawer.page("Result")
    session.look(View(fast))
    session.look(View(slow))
    held.set()
    qtbot.waitUntil(lambda: page.runs.text() not in ("", "…"), timeout=20000)
    found, _ = result.residuals_of(session.study, slow)
    other, _ = result.residuals_of(session.study, fast)
    assert found.sentence != other.sentence
    assert page.runs.text() == found.sentence


def test_units_in_the_window_are_those_of_the_curve_that_passed(window, qtbot):
    w = window(_study())
    bench = w.curve_bench
    assert " N · " in bench.model.foot.outcome.text()
    units = {row.full_name: row.unit for row in bench.model.table.rows}
    assert units == {"offset": "N", "amplitude": "N", "tau": "s"}
    headings = [column.heading for column in w.curve_bench.drawer.page("Ledger").ledger.columns]
    assert "amplitude (N)" in headings
    assert "RMSE (N)" in headings
