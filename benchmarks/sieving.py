"""A sieve of six steps against the bare library calls, dragging against a bare redraw, and a family on all cores."""

from __future__ import annotations

import time
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.timing import Row, against, at_most, times_faster

_STEPS = [
    {"step": "keep-range", "low": 5, "high": 995}, {"step": "despike"}, {"step": "smooth", "method": "whittaker"},
    {"step": "baseline", "method": "airpls"}, {"step": "slope"}, {"step": "running-area"},
]  # fmt: skip


def _made(n: int, seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    x = np.linspace(0, 1000, n)
    y = 100 + 0.05 * x + rng.normal(0, 1, n)
    for center in range(100, 1000, 150):
        y += 80 * np.exp(-(((x - center) / 12) ** 2))
    y[rng.choice(n, n // 2000, replace=False)] += 40
    return x, y


def _bare(x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """The same six with the libraries alone, the despiking by one running median."""
    from pybaselines import Baseline
    from scipy.integrate import cumulative_trapezoid
    from scipy.linalg import solveh_banded
    from scipy.ndimage import median_filter
    from scipy.signal import savgol_filter

    keep = (x >= 5) & (x <= 995)
    x, y = x[keep], y[keep]
    noise = 1.4826 * median_filter(np.abs(np.diff(y, 2)), 110) / np.sqrt(6)
    distance = np.abs(y - median_filter(y, 11))
    caught = distance[1:-1] > 5 * noise
    y = y.copy()
    y[1:-1][caught] = np.interp(np.flatnonzero(caught), np.flatnonzero(~caught), y[1:-1][~caught])
    n = y.size
    main, near = np.full(n, 6.0), np.full(n, -4.0)
    main[[0, -1]], main[[1, -2]], near[[1, -1]] = 1.0, 5.0, -2.0
    bands = np.zeros((3, n))
    bands[0, 2:], bands[1, 1:], bands[2] = 100, 100 * near[1:], 1 + 100 * main
    y = solveh_banded(bands, y)
    y = y - Baseline(x, check_finite=False).airpls(y, lam=1e5)[0]
    y = savgol_filter(y, 11, 3, 1, delta=x[1] - x[0])
    return np.asarray(cumulative_trapezoid(y, x, initial=0))


def rows() -> list[Row]:
    import curvesieve as cs

    sieve = cs.Sieve.parse({"sieve": 1, "steps": _STEPS})
    x, y = _made(100_000)
    curve = cs.Curve(x, y)
    made = sieve(curve)
    if any(trail.problem for trail in made.trail):
        raise AssertionError([trail.problem for trail in made.trail])
    pair = against(lambda: sieve(curve), lambda: _bare(x, y), 5)
    return [
        at_most("a sieve of six steps, 100,000 points", "the bare library calls", pair, 1.5),
        _dragging(),
        _family(),
    ]


def _dragging() -> Row:
    """A value of a step dragged on 20,000 points, each move passed and painted, against setData and a repaint."""
    from curvesieve.core.steps.smooth import Smooth
    from curvesieve.core.study import edits

    x, y = _made(20_000)
    pair = dragged(
        x, y, "s", lambda id_: edits.add_step(id_, Smooth(method="gaussian"), "s"),
        lambda turn: Smooth(method="gaussian", width=2 + turn % 9),
    )  # fmt: skip
    return at_most("drag a step's value, 20,000 points, passed and painted", "bare setData and repaint", pair, 3.0)


def dragged(x: np.ndarray, y: np.ndarray, stage: str, begin: Any, rule: Any) -> tuple[float, float]:
    """Milliseconds of a move with `rule(turn)` in hand, drawn and painted, and of a bare setData with a repaint.

    `begin(curve id)` is the edit that brings the rule in, at the stage of that name. x and y have shape (n,).
    """
    import pyqtgraph as pg
    from PyQt6.QtWidgets import QApplication

    from curvesieve.app.session.session import Session
    from curvesieve.app.shell.main import make_application
    from curvesieve.app.shell.window import Window
    from curvesieve.core.intake.take import Take
    from curvesieve.core.record import Channel, Record, Source
    from curvesieve.core.study import Study, edits

    app = make_application()
    record = Record(Source("made", b"made"), (Channel("x", "", x), Channel("y", "", y)))
    session = Session()
    study = edits.add_curves(Study(), [(record, Take(0, 1))], "made")
    session.begin(begin(study.document.curves[0].id)(study))
    window = Window(session, Path("."))
    window.show()
    QApplication.processEvents()
    session.look_at_stage(stage)
    QApplication.processEvents()
    canvas = window.curve_bench.canvas
    pg.setConfigOptions(antialias=False)
    bare = pg.PlotWidget()
    line = bare.plot(x, y)
    bare.resize(canvas.plot.size())
    bare.show()
    QApplication.processEvents()
    turn = [0]

    def ours() -> None:
        turn[0] += 1
        canvas._rule_moving(rule(turn[0]))
        canvas.plot.viewport().repaint()

    def reference() -> None:
        turn[0] += 1
        line.setData(x, y + turn[0] % 9)
        bare.viewport().repaint()

    pair = against(ours, reference, 25)
    pg.setConfigOptions(antialias=True)
    bare.close()
    session.jobs.close()
    session._saved = session.study
    window.close()
    app.processEvents()
    return pair


def _family() -> Row:
    """500 curves through six steps with all cores against one."""
    import curvesieve as cs
    from curvesieve.core.steps.sieve import Sieve
    from curvesieve.core.study.many import pass_many

    sieve = Sieve.parse({"sieve": 1, "steps": _STEPS})
    curves = [cs.Curve(*_made(1500, seed)) for seed in range(500)]
    jobs = [(curve, sieve) for curve in curves]
    pass_many(jobs[:40])  # the workers are there
    begin = time.perf_counter()
    pass_many(jobs)
    ours = (time.perf_counter() - begin) * 1e3
    begin = time.perf_counter()
    for curve in curves:
        sieve(curve)
    one = (time.perf_counter() - begin) * 1e3
    return times_faster("500 curves of 1,500 points × six steps, all cores", "one core", (ours, one), 1.6)
