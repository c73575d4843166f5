"""A whole morning in real windows of their own: bring in 60 files, sieve, fit, be killed, recover, go on, save.

``python -m tests.app.morning first|second|third FOLDER``; each part ends the way that the next one needs.
"""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path
from typing import Any

import numpy as np

COUNT = 60
CENTERS = np.linspace(30, 60, COUNT)


def write_files(folder: Path) -> None:
    """Sixty spectra: a band that moves with the temperature, on a slope, with two spikes each."""
    rng = np.random.default_rng(7)
    x = np.linspace(0, 100, 400)
    folder.mkdir()
    for i, center in enumerate(CENTERS):
        y = 200 / (1 + ((x - center) / 4) ** 2) + 0.5 * x + 20 + rng.normal(0, 2, x.size)
        y[rng.integers(10, 390, 2)] += 900
        rows = "\n".join(f"{a:.3f};{b:.3f}".replace(".", ",") for a, b in zip(x, y, strict=True))
        text = f"# made-up film, temperature: {20 + i} K\nshift (1/cm);counts\n{rows}\n"
        (folder / f"film {20 + i:03} K.csv").write_text(text, encoding="utf-8")


def window(path: str | None = None) -> Any:
    from PyQt6.QtTest import QTest

    from curvesieve.app.shell.main import make_application, start

    app = make_application()
    made = start(app, path)
    made.app = app  # kept as long as the window is
    made.frame.resize(1280, 800)
    made.frame.activateWindow()
    QTest.qWaitForWindowActive(made.frame)
    return made


def wait(done: Any, what: str) -> None:
    from PyQt6.QtTest import QTest

    for _ in range(1200):
        if done():
            return
        QTest.qWait(50)
    raise AssertionError(f"never: {what}")


def first(folder: Path) -> None:
    """Brings in, cleans one curve and lets the family share it, fits one, gives all its model, fits half; is killed."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest

    from curvesieve.app.session.desk import View
    from curvesieve.core.study import edits
    from tests.app.gestures import add_step, click, click_cell, double_click, drop_files, menu_behind, take

    w = window()
    drop_files(w, [folder / "files"])
    wait(lambda: len(w.tray.ready) == COUNT, "the files are read")
    click(w.intake_bench.files.bring)
    assert len(w.session.study.document.curves) == COUNT
    ids = list(w.session.study.document.families[0].curves)
    w.session.look(View(ids[0]))
    add_step(w, "despike")
    wait(lambda: w.session.sieved() is not None, "the curve has passed")
    take(menu_behind(w.curve_bench.sieve.more), "Share this sieve with the")
    assert all(w.session.study.shares(id_, "sieve") for id_ in ids)
    w.session.look_at_stage("model")
    double_click(w.curve_bench.canvas.plot, float(CENTERS[0]), 215.0)
    QTest.keyClick(w, Qt.Key.Key_F5)
    wait(lambda: w.session.study.fit_state(ids[0]) == "fitted", "the first fit")
    model = w.session.model
    for id_, center in zip(ids[1:], CENTERS[1:], strict=True):
        placed = model.peaks[0].with_state("center", start=float(center))
        w.session.apply(edits.set_model(id_, model.replaced(placed)), "give the model")
    click_cell(w.shelf.list, 1, 0)
    click_cell(w.shelf.list, COUNT // 2, 0, Qt.KeyboardModifier.ShiftModifier)
    w.shelf.fit_chosen()
    wait(lambda: not w.session.jobs.running("fit"), "half of the fits")
    said = [w.session.study.fit_state(id_) for id_ in ids]
    assert said.count("fitted") == COUNT // 2, said
    drop_files(w, sorted((folder / "files").iterdir())[:2])  # two more that wait
    wait(lambda: len(w.tray.ready) == 2, "two files wait")
    QTest.qWait(4000)
    print("first", flush=True)
    os.kill(os.getpid(), signal.SIGKILL)


def second(folder: Path) -> None:
    """Recovers, finds all as it was, fits the rest, saves, ends well."""
    from PyQt6.QtWidgets import QFileDialog

    from tests.app.gestures import click, click_cell

    w = window()
    wait(lambda: w.notice.isVisible(), "the offer")
    assert "60 curves, 2 files on the Intake bench" in w.notice.text.text(), w.notice.text.text()
    click(w.notice.act("Recover"))
    wait(lambda: len(w.session.study.document.curves) == COUNT and len(w.tray.ready) == 2, "all is there again")
    study = w.session.study
    ids = list(study.document.families[0].curves)
    assert [study.fit_state(id_) for id_ in ids].count("fitted") == COUNT // 2
    assert all(study.shares(id_, "sieve") for id_ in ids)
    assert not w.session.is_saved
    w.tray.remove({waiting.number for waiting in w.tray.files})
    w.show_bench("Curve")
    click_cell(w.shelf.list, 1, 0)
    from PyQt6.QtCore import Qt

    click_cell(w.shelf.list, COUNT, 0, Qt.KeyboardModifier.ShiftModifier)
    w.shelf.fit_chosen()
    wait(lambda: not w.session.jobs.running("fit"), "all fits")
    found = [w.session.study.readings(id_) for id_ in ids]
    centers = [next(r.value for r in readings if r.quantity == "center") for readings in found]
    us = [next(r.u for r in readings if r.quantity == "center") for readings in found]
    away = (np.array(centers) - CENTERS) / np.array(us)
    assert np.abs(away).max() < 5, away
    assert 0.6 < float(np.std(away)) < 1.5, "u is what the scatter is"
    QFileDialog.getSaveFileName = staticmethod(lambda *a, **k: (str(folder / "morning.sieve"), ""))  # type: ignore[method-assign,assignment]
    w.study_files.save()
    wait(lambda: w.session.is_saved, "saved")
    assert w.frame.close()
    print("second", flush=True)


def third(folder: Path) -> None:
    """Opens what was saved: nothing is offered, everything is there."""
    from PyQt6.QtTest import QTest

    w = window(str(folder / "morning.sieve"))
    QTest.qWait(600)
    assert not w.notice.isVisible(), w.notice.text.text()
    assert w.recovery.found == []
    study = w.session.study
    assert [study.fit_state(curve.id) for curve in study.document.curves] == ["fitted"] * COUNT
    assert w.memory.recent == [folder / "morning.sieve"]
    assert w.frame.close()
    print("third", flush=True)


if __name__ == "__main__":
    {"first": first, "second": second, "third": third}[sys.argv[1]](Path(sys.argv[2]))
