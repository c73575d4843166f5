"""Fits, statistics included, against curve_fit with its exact Jacobian and against lmfit; a typed law's preview."""

from __future__ import annotations

import math
import statistics
import time

import numpy as np

from benchmarks.timing import Row, against, at_most, times_faster

K = 4 * math.log(2)
FORMULA = "height*exp(-4*log(2)*((x - center)/fwhm)^2) + offset + slope*x"


def shape(x, height, center, fwhm, offset, slope):
    return height * np.exp(-K * ((x - center) / fwhm) ** 2) + offset + slope * x


def jacobian(x, height, center, fwhm, offset, slope):
    z = (x - center) / fwhm
    bell = np.exp(-K * z**2)
    by_center = height * bell * 2 * K * z / fwhm
    return np.column_stack([bell, by_center, by_center * z, np.ones_like(x), x])


def rows() -> list[Row]:
    many = [_many_peaks("ten", 10, 5_000, 8), _many_peaks("thirty", 30, 10_000, 10)]
    return [*_one_peak(), *many, _typed_against_term(), _preview()]


def _one_peak() -> list[Row]:
    import lmfit
    from scipy.optimize import curve_fit

    from curvesieve.core.fitting import fit

    rng = np.random.default_rng(2)
    x = np.linspace(0, 10, 1000)
    y = shape(x, 40, 4.2, 1.7, 3, 0.4) + rng.normal(0, 0.5, x.size)
    start = {"height": 30.0, "center": 4.0, "fwhm": 2.0, "offset": 0.0, "slope": 0.0}
    p0 = list(start.values())
    model = lmfit.Model(shape)

    def ours():
        return fit(FORMULA, x, y, start=start)

    def bare():
        return curve_fit(shape, x, y, p0=p0, jac=jacobian)

    def theirs():
        return model.fit(y, x=x, **start)

    found, known = [p.value for p in ours().parameters.values()], bare()[0]
    np.testing.assert_allclose(found, known, rtol=1e-5)
    what = "fit: Gaussian + line, 1,000 points, statistics included"
    return [
        at_most(what, "scipy.optimize.curve_fit, exact Jacobian", against(ours, bare, 80, 5), 1.2),
        times_faster(what, "lmfit", against(ours, theirs, 40, 5), 9),
    ]


def _many_peaks(said: str, count: int, points: int, goal: float) -> Row:
    import lmfit

    import curvesieve as cs
    from curvesieve.core.fitting import fit_model
    from curvesieve.core.models import Model

    rng = np.random.default_rng(4)
    x = np.linspace(0, 20 * count, points)
    places = np.linspace(12, 20 * count - 12, count)
    y = 5 + 0.02 * x + rng.normal(0, 0.3, x.size)
    for center in places:
        z = 4 * ((x - center) / 6) ** 2
        y = y + 30 * (0.4 / (1 + z) + 0.6 * np.exp(-math.log(2) * z))
    curve = cs.Curve(x, y)
    model = Model().with_background("line", curve)
    for center in places:
        model = model.add_peak("pseudo-voigt", curve, float(center))

    def pseudo_voigt(x, center, height, fwhm, mixing):
        z = 4 * ((x - center) / fwhm) ** 2
        return height * (mixing / (1 + z) + (1 - mixing) * np.exp(-math.log(2) * z))

    theirs_model = lmfit.models.LinearModel()
    params = theirs_model.make_params(slope=model.start["slope"], intercept=model.start["offset"])
    for i in range(1, count + 1):
        peak = lmfit.Model(pseudo_voigt, prefix=f"p{i}_")
        theirs_model += peak
        params.update(peak.make_params(**{n: model.start[f"{n}_{i}"] for n in ("center", "height", "fwhm", "mixing")}))

    def ours():
        return fit_model(model, curve)

    def theirs():
        return theirs_model.fit(y, params, x=x)

    found, known = ours(), theirs()
    for i in (1, count):
        np.testing.assert_allclose(found.parameters[f"center_{i}"].value, known.params[f"p{i}_center"].value, rtol=1e-6)
    what = f"fit: {said} pseudo-Voigts + line, {points:,} points, from the same starts"
    return times_faster(what, "lmfit", against(ours, theirs, 5 if count < 20 else 3), goal)


def _typed_against_term() -> Row:
    from curvesieve.core.fitting import fit
    from curvesieve.core.models import TERMS

    rng = np.random.default_rng(5)
    x = np.linspace(0, 10, 1000)
    y = shape(x, 40, 4.2, 1.7, 0, 0) + rng.normal(0, 0.5, x.size)
    start = {"height": 30.0, "center": 4.0, "fwhm": 2.0}
    typed = TERMS["gaussian"].formula.replace("fwhm", "w")
    own = {"height": 30.0, "center": 4.0, "w": 2.0}
    pair = against(lambda: fit(typed, x, y, start=own), lambda: fit("gaussian", x, y, start=start), 80, 5)
    return at_most("fit: a typed formula", "the same term of the library", pair, 1.1)


def _preview() -> Row:
    """From a key in the formula's field to the law drawn anew, 10,000 points; the reference is the goal itself."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    from curvesieve.app.session.session import Session
    from curvesieve.app.shell.main import make_application
    from curvesieve.app.shell.window import Window
    from curvesieve.core.intake.take import Take
    from curvesieve.core.record import Channel, Record, Source
    from curvesieve.core.study import Study, edits

    app = make_application()  # Qt wants it kept alive
    x = np.linspace(0, 10, 10_000)
    channels = (Channel("x", "s", x), Channel("y", "MPa", 3 * np.exp(-x / 2) + 1))
    session = Session()
    session.begin(edits.add_curves(Study(), [(Record(Source("made", b"made"), channels), Take(0, 1))], "made"))
    window = Window(session)
    window.resize(1280, 800)
    window.show()
    QApplication.processEvents()
    panel = window.curve_bench.model
    panel._choose_term("type a formula")
    QTest.keyClicks(panel.editor.field, "a*exp(-x/tau) + c")
    QTest.qWait(2000)  # the typesetter is loaded once, in the background
    times = []
    for key in "+b*sin(x)*exp(-k*x)+d*x*x":
        begun = time.perf_counter()
        QTest.keyClicks(panel.editor.field, key)
        panel.typeset.repaint()
        window.curve_bench.canvas.plot.viewport().repaint()
        QApplication.processEvents()
        times.append((time.perf_counter() - begun) * 1e3)
    QTest.keyClick(panel.editor.field, Qt.Key.Key_Escape)
    session.jobs.close()
    session._saved = session.study
    window.close()
    del app
    return at_most("from a key to the law drawn anew, 10,000 points", "50 ms", (statistics.median(times), 50.0), 1.0)
