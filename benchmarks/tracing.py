"""Tracing: a line followed over 2,000 pixels, marks found in 4 Mpx, a place under the lens with its numbers."""

from __future__ import annotations

import io
import statistics
import time
from collections.abc import Callable

import numpy as np
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.figure import Figure

from benchmarks.timing import Row, at_most
from curvesieve.core.tracing.alike import marks_alike
from curvesieve.core.tracing.axes import Mark, calibrated, framed
from curvesieve.core.tracing.follow import follow
from curvesieve.core.tracing.picture import Picture, read_picture


def picture(kind: str) -> tuple[Picture, np.ndarray]:
    """A made-up chart of 2,400 × 1,700 pixels with a wave as a line or as 40 marks, and its pixels of shape (n, 2)."""
    figure = Figure(figsize=(8, 17 / 3), dpi=300)
    FigureCanvasAgg(figure)
    axes = figure.add_axes((0.1, 0.1, 0.85, 0.85))
    x = np.linspace(0, 10, 2000 if kind == "line" else 40)
    values = np.stack([x, np.sin(x) * np.exp(-0.1 * x)], axis=1)
    axes.plot(*values.T, **({"linewidth": 1.5} if kind == "line" else {"marker": "o", "linestyle": "none"}))
    figure.canvas.draw()
    places = axes.transData.transform(values)
    buffer = io.BytesIO()
    figure.savefig(buffer, format="png", dpi=300)
    return read_picture(buffer.getvalue(), "wave.png"), np.stack([places[:, 0], 1700 - places[:, 1]], axis=1)


def _median_ms(act: Callable[[], object], rounds: int = 7) -> float:
    act()
    times = []
    for _ in range(rounds):
        begun = time.perf_counter()
        act()
        times.append((time.perf_counter() - begun) * 1e3)
    return statistics.median(times)


def rows() -> list[Row]:
    line, way = picture("line")
    marks, places = picture("marks")
    at, mark = tuple(map(float, way[900])), tuple(map(float, places[20]))
    box = (260.0, 100.0, 2260.0, 1510.0)
    frame = framed(
        calibrated([Mark(200.0 + 100 * k, 1500, float(k)) for k in range(10)], "linear", "x"),
        calibrated([Mark(200, 1500.0 - 100 * k, 10.0**k) for k in range(10)], "log10", "y"),
    )
    place = np.array([at])
    return [
        at_most("a line followed over 2,000 pixels", "500 ms", (_median_ms(lambda: follow(line, at, box)), 500.0), 1.0),
        at_most("marks found in 4 Mpx", "1 s", (_median_ms(lambda: marks_alike(marks, mark, box)), 1000.0), 1.0),
        at_most(
            "the numbers of a place with u, axes of ten marks each", "a frame of 60 a second",
            (_median_ms(lambda: frame.u(place, frame.u_px)), 1000 / 60), 1.0,
        ),
    ]  # fmt: skip


if __name__ == "__main__":
    for row in rows():
        print(f"{row.what}: {row.ours_ms:.4g} ms, goal {row.reference}, {row.met}")
