"""Figures: from a click to the page drawn anew, in a window; and a page of many curves beside bare Matplotlib."""

from __future__ import annotations

import io
import statistics
import time

import numpy as np

from benchmarks.timing import Row, against, at_most
from curvesieve.core.figures.content import shown
from curvesieve.core.figures.draw import MM, drawn
from curvesieve.core.figures.writing import save
from curvesieve.core.intake.take import Take
from curvesieve.core.record import Channel, Record, Source
from curvesieve.core.study import Study, edits
from curvesieve.core.study.figure_parts import FamilyContent, FigureSpec, PanelSpec

_POINTS, _DPI, _CLICKS, _BEAT_MS = 2_000, 300, 20, 5


def study_of(count: int) -> Study:
    """So many noisy curves of 2,000 points as one family."""
    x = np.linspace(0, 10, _POINTS)
    rng = np.random.default_rng(0)
    records = [
        (Record(Source(f"{k}.txt", str(k).encode()), (
            Channel("Time", "s", x), Channel("Signal", "V", np.sin(x) + rng.normal(0, 0.05, x.size) + 0.1 * k),
        )), Take(0, 1))
        for k in range(count)
    ]  # fmt: skip
    return edits.add_curves(Study(), records, "family")


def spec_of(study: Study) -> FigureSpec:
    """The family laid over, on a page of one column."""
    family = study.document.families[0].id
    return FigureSpec(id="figure", name="Figure", panels=(PanelSpec(contents=(FamilyContent(family=family),)),))


def _bare(study: Study, spec: FigureSpec) -> bytes:
    """The same lines on the same page as anyone would write them down."""
    import matplotlib as mpl
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    lines = shown(study, spec)[0].lines
    with mpl.rc_context({"font.size": 8, "xtick.direction": "in", "ytick.direction": "in"}):
        figure = Figure(figsize=(spec.width * MM, spec.height * MM), layout="constrained")
        FigureCanvasAgg(figure)
        axes = figure.add_subplot()
        for line in lines:
            axes.plot(line.x, line.y, linewidth=0.8)
        axes.set_xlabel("Time (s)")
        axes.set_ylabel("Signal (V)")
        axes.minorticks_on()
        axes.tick_params(which="both", top=True, right=True)
        buffer = io.BytesIO()
        figure.savefig(buffer, format="png", dpi=_DPI)
    return buffer.getvalue()


def _clicks() -> tuple[float, float]:
    """Median milliseconds from a change to its page, of five curves; and how long the window was busy at most."""
    from PyQt6.QtCore import QEventLoop, QTimer

    from curvesieve.app.session.session import Session
    from curvesieve.app.shell.main import make_application
    from curvesieve.app.shell.window import Window
    from curvesieve.core.figures.parts import with_part

    app = make_application()
    session = Session()
    study = study_of(5)
    session.begin(edits.add_figure(spec_of(study))(study))
    window = Window(session)
    window.resize(1280, 800)
    window.show()
    window.show_bench("Figure")
    work = window.figure_bench.work

    def ready() -> bool:
        return work.seen is not None and work.seen.spec is work.spec and not session.jobs.busy

    def wait() -> None:
        while not ready():
            app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)  # as a window waits, without asking on

    wait()
    times, gaps = [], []
    last = time.perf_counter()

    def beat() -> None:
        nonlocal last
        now = time.perf_counter()
        gaps.append((now - last) * 1e3 - _BEAT_MS)
        last = now

    timer = QTimer()
    timer.timeout.connect(beat)
    timer.start(_BEAT_MS)
    for k in range(_CLICKS):
        begun = last = time.perf_counter()
        work.change(with_part("x 0", grid=k % 2 == 0), "grid")
        wait()
        app.processEvents()
        times.append((time.perf_counter() - begun) * 1e3)
    timer.stop()
    session.jobs.close()
    session._saved = session.study
    window.close()
    return statistics.median(times), statistics.median(sorted(gaps)[-_CLICKS:])


def rows() -> list[Row]:
    many = study_of(500)
    spec = spec_of(many)
    pair = against(lambda: save(drawn(spec, shown(many, spec)), ".png", _DPI), lambda: _bare(many, spec), rounds=5)
    click, longest = _clicks()
    return [
        at_most("click to page drawn anew, 5 curves of 2,000 points", "150 ms", (click, 150.0), 1.0),
        at_most("the window busy at the longest meanwhile", "50 ms", (longest, 50.0), 1.0),
        at_most("page of 500 curves of 2,000 points, 300 dpi", "bare Matplotlib", pair, 1.2),
    ]


if __name__ == "__main__":
    for row in rows():
        print(
            f"{row.what}: {row.ours_ms:.4g} ms, {row.reference} {row.reference_ms:.4g} ms, {row.ratio:.2f} ×, {row.met}"
        )
