"""A click and an edit with 500 fitted curves of 1,500 points in a family, and how both grow from 50 curves."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
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
    from curvesieve.core.study.compute import fit_curve, sieved_curve

    rng = np.random.default_rng(1)
    x = np.linspace(0, 100, _POINTS)
    chosen = []
    for i in range(count):
        y = 100 / (1 + ((x - 40 - i / count * 20) / 3) ** 2) + 0.1 * x + rng.normal(0, 1, x.size)
        channels = (Channel("shift", "1/cm", x), Channel("counts", "", y))
        chosen.append((Record(Source(f"made-{i}", str(i).encode()), channels), Take(0, 1)))
    study = edits.add_curves(Study(), chosen, "made", conditions=[float(i) for i in range(count)], condition=("T", "K"))
    step = Smooth()
    changed = []
    for i, entry in enumerate(study.document.curves):
        here = edits.add_step(entry.id, step, f"step-{i}")(study)
        model = Model().with_background("line", sieved_curve(here, entry.id).curve)
        model = model.add_peak("lorentzian", sieved_curve(here, entry.id).curve, 40 + i / count * 20)
        here = edits.set_model(entry.id, model)(here)
        changed.append(edits.set_fit(entry.id, fit_curve(here, entry.id))(here).entry(entry.id))
    return study.with_document(curves=tuple(changed))


def _timed(run: Callable[[int], object]) -> float:
    times = []
    for i in range(_ROUNDS + 3):
        begun = time.perf_counter()
        run(i)
        if i >= 3:
            times.append((time.perf_counter() - begun) * 1e3)
    return statistics.median(times)


def _clicks_and_edits(count: int) -> tuple[float, float, float]:
    """Milliseconds that the window is held by a click on another curve, an edit of a step, and an undo."""
    from PyQt6.QtWidgets import QApplication

    from curvesieve.app.session import Session, View
    from curvesieve.app.window import Window
    from curvesieve.core.study import edits

    session = Session()
    session.begin(fitted_family(count))
    window = Window(session, Path("."))
    window.show()
    QApplication.processEvents()
    ids = [entry.id for entry in session.study.document.curves]

    def click(i: int) -> None:
        session.look(View(ids[(i + 3) % count]))
        QApplication.processEvents()

    def edit(i: int) -> None:
        curve = session.view.curve or ""
        slot = session.study.slots(curve)[0]
        step = slot.step.model_copy(update={"window": 7 + 2 * i})
        session.apply(edits.change_step(curve, slot.id, step), "change")
        QApplication.processEvents()

    def undo(i: int) -> None:
        session.undo()
        QApplication.processEvents()

    found = _timed(click), _timed(edit), _timed(undo)
    session.jobs.close()
    window.close()
    window.deleteLater()
    QApplication.processEvents()
    return found


def rows() -> list[Row]:
    from curvesieve.app.main import make_application

    make_application()
    few, many = _clicks_and_edits(_FEW), _clicks_and_edits(_MANY)
    names = ("a click on another curve", "an edit of a step", "an undo")
    made = []
    for name, small, large, limit in zip(names, few, many, (_CLICK_MS, _EDIT_MS, _EDIT_MS), strict=True):
        what = f"{name}, {_MANY} fitted curves, painted"
        made.append(Row(what, large, f"{limit} ms", limit, "≤ 1 ×", large <= limit))
        growth = _MANY / _FEW
        made.append(Row(what, large, f"with {_FEW}", small, f"≤ {growth:g} ×", large <= growth * small))
    return made
