"""A pan step on a curve of a million points: our canvas against a bare pyqtgraph plot of the same data."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from benchmarks.timing import Row, against, at_most


def rows() -> list[Row]:
    import pyqtgraph as pg
    from PyQt6.QtWidgets import QApplication

    from curvesieve.app.session.session import Session
    from curvesieve.app.shell.main import make_application
    from curvesieve.app.shell.window import Window
    from curvesieve.core.intake.take import Take
    from curvesieve.core.record import Channel, Record, Source
    from curvesieve.core.study import Study, edits

    app = make_application()
    x = np.linspace(0, 1000, 1_000_000)
    y = np.sin(x) + np.random.default_rng(0).normal(size=x.size)
    channels = (Channel("x", "", x), Channel("y", "", y))
    study = edits.add_curves(Study(), [(Record(Source("made", b"made"), channels), Take(0, 1))], "made")
    session = Session()
    session.begin(study)
    window = Window(session, Path("."))
    window.show()
    QApplication.processEvents()
    ours = window.curve_bench.canvas.plot

    pg.setConfigOptions(antialias=False)
    bare = pg.PlotWidget()
    bare.plot(x, y)
    bare.resize(ours.size())
    bare.show()
    QApplication.processEvents()

    place = [0]

    def step(view, widget):
        def run() -> None:
            place[0] = (place[0] + 1) % 40
            view.setXRange(place[0] * 5.0, 700 + place[0] * 5.0, padding=0)
            widget.viewport().repaint()
            QApplication.processEvents()

        return run

    pair = against(step(ours.box, ours), step(bare.getViewBox(), bare), 25)
    bare.close()
    window.session.jobs.close()
    window.close()
    app.processEvents()
    return [at_most("pan step, 1,000,000 points", "bare pyqtgraph plot", pair, 1.3)]
