"""A click, an edit and an undo with 500 fitted curves in a family, and how they grow from 50 curves."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from benchmarks.timing import Row
from curvesieve.core.study import Study

_POINTS, _FEW, _MANY, _ROUNDS = 1500, 50, 500, 15
_CLICK_MS, _EDIT_MS = 15, 30


def fitted_family(count: int) -> Study:
    """A family of curves, each a peak on a line, smoothed and fitted."""
    from curvesieve.core.intake.take import Take
    from curvesieve.core.models import Model
    from curvesieve.core.record import Channel, Record, Source
    from curvesieve.core.steps.smooth import Smooth
    from curvesieve.core.study import edits
    from curvesieve.core.study.fits import fit_curve
    from curvesieve.core.study.passing import sieved_curve

    rng = np.random.default_rng(1)
    x = np.linspace(0, 100, _POINTS)
    chosen = []
    for i in range(count):
        y = 100 / (1 + ((x - 40 - i / count * 20) / 3) ** 2) + 0.1 * x + rng.normal(0, 1, x.size)
        channels = (Channel("shift", "1/cm", x), Channel("counts", "", y))
        chosen.append((Record(Source(f"made-{i}", str(i).encode()), channels), Take(0, 1)))
    study = edits.add_curves(Study(), chosen, "made", conditions=[float(i) for i in range(count)], condition=("T", "K"))
    step = Smooth()
    changed, results = [], {}
    for i, entry in enumerate(study.document.curves):
        here = edits.add_step(entry.id, step, f"step-{i}")(study)
        model = Model().with_background("line", sieved_curve(here, entry.id).curve)
        model = model.add_peak("lorentzian", sieved_curve(here, entry.id).curve, 40 + i / count * 20)
        here = edits.set_model(entry.id, model)(here)
        here = edits.set_fit(entry.id, fit_curve(here, entry.id))(here)
        changed.append(here.entry(entry.id))
        results |= here.results
    return replace(study.with_document(curves=tuple(changed)), results=results)


def _timed(run: Callable[[int], object], after: Callable[[], object] = lambda: None) -> float:
    times = []
    for i in range(_ROUNDS + 3):
        begun = time.perf_counter()
        run(i)
        if i >= 3:
            times.append((time.perf_counter() - begun) * 1e3)
        after()
    return statistics.median(times)


def _measured(count: int) -> dict[str, float]:
    """Milliseconds of a click on the next curve, an edit of a step and an undo: handled, and then painted, too."""
    from PyQt6.QtWidgets import QApplication

    from curvesieve.app.session.desk import View
    from curvesieve.app.session.session import Session
    from curvesieve.app.shell.window import Window
    from curvesieve.core.study import edits

    session = Session()
    session.begin(fitted_family(count))
    window = Window(session, Path("."))
    window.resize(1280, 800)
    window.show()
    QApplication.processEvents()
    ids = [entry.id for entry in session.study.document.curves]

    def click(i: int) -> None:
        session.look(View(ids[(i + 3) % count]))

    def edit(i: int) -> None:
        curve = session.view.curve or ""
        slot = session.study.slots(curve)[0]
        session.apply(edits.change_step(curve, slot.id, slot.rule.model_copy(update={"window": 7 + 2 * i})), "change")

    paint = QApplication.processEvents
    found = {}
    for name, run in (("click", click), ("edit", edit), ("undo", lambda i: session.undo())):
        found[f"{name}, handled"] = _timed(run, paint)
        if name == "undo":
            for i in range(_ROUNDS + 3):
                edit(i)
        found[f"{name}, handled and painted"] = _timed(lambda i, run=run: (run(i), paint()))
    session.jobs.close()
    session._saved = session.study
    window.close()
    window.deleteLater()
    paint()
    return found


def rows() -> list[Row]:
    from curvesieve.app.shell.main import make_application, settle_garbage

    settle_garbage()  # as the application does
    app = make_application()  # Qt wants it kept alive
    few, many = _measured(_FEW), _measured(_MANY)
    app.processEvents()
    made = []
    for name, large in many.items():
        limit = _CLICK_MS if name.startswith("click") else _EDIT_MS
        what = f"{name}, {_MANY} fitted curves of {_POINTS:,} points"
        made.append(Row(what, large, f"{limit} ms", limit, "≤ 1 ×", large <= limit))
    for name in ("click, handled", "edit, handled"):
        growth = _MANY / _FEW
        pair = many[name], few[name]
        made.append(Row(f"{name}: {_MANY} against {_FEW} curves", *_as_row(pair, growth)))
    return made


def _as_row(pair: tuple[float, float], growth: float) -> tuple[float, str, float, str, bool]:
    return pair[0], f"{_FEW} curves", pair[1], f"≤ {growth:g} ×", pair[0] <= growth * pair[1]
