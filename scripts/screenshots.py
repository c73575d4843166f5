"""Drives the real application on the demo data to each main view and writes docs/screenshots/*.png at 1280×800."""

from __future__ import annotations

import os
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt

if TYPE_CHECKING:
    from curvesieve.app.benches.intake.bench import IntakeBench

SIZE = (1280, 800)


def main(folder: Path) -> None:
    with tempfile.TemporaryDirectory() as data:
        os.environ["XDG_DATA_HOME"] = os.environ["XDG_STATE_HOME"] = data
        _drive(folder)


def _drive(folder: Path) -> None:
    from PyQt6.QtTest import QTest

    from curvesieve.app.main import demo_folder, make_application, make_window
    from curvesieve.app.session import MODEL

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
    session.look_at_stage(session.entry.slots[1].id)
    take("despike-in-hand")
    session.look_at_stage(session.entry.slots[0].id)
    take("keep-range-in-hand")
    session.look_at_stage(MODEL)
    window.take_files([demo_folder() / "mixed-files"])
    while not window.tray.files:
        QTest.qWait(50)
    window.tray.show(next(waiting.number for waiting in window.tray.files if waiting.name == "strip_A_0p5wt.csv"))
    _compute_stress(window.intake_bench)
    take("intake-bench")
    QTest.mouseClick(window.intake_bench.as_numbers, Qt.MouseButton.LeftButton)
    take("intake-numbers")
    QTest.mouseClick(window.intake_bench.files.make, Qt.MouseButton.LeftButton)
    take("make-a-curve")
    window.show_bench("Curve")
    window.finder.open()
    QTest.keyClicks(window.finder.field, "step")
    take("action-finder")
    window.finder.hide()
    window.use_scheme("dark")
    window.curve_bench.ledger.view.clicked.emit(window.curve_bench.ledger.model.index(3, 3))
    take("curve-bench-dark")
    session.jobs.close()
    app.processEvents()


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
