"""Fields: ways of filling against the bare SciPy calls, kriging of 10,000 points, a surface being turned."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QApplication
from scipy.interpolate import LinearNDInterpolator
from scipy.spatial import cKDTree

from benchmarks.timing import Row, against, at_most
from benchmarks.tracing import _median_ms
from curvesieve.core.fields.grid import GridSpec, nodes
from curvesieve.core.fields.points import gather
from curvesieve.core.fields.surface import Filling, fill
from curvesieve.core.fields.turned import Eye
from curvesieve.core.fields.ways import parse_way


def _points(count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    rng = np.random.default_rng(1)
    x, y = rng.random((2, count))
    return x, y, np.sin(6 * x) * np.cos(5 * y) + 0.02 * rng.standard_normal(count)


def _ours(x: np.ndarray, y: np.ndarray, z: np.ndarray, way: str, side: int) -> object:
    filling = Filling(way=parse_way({"way": way}), grid=GridSpec(columns=side, rows=side))
    return fill(gather(x, y, z).points, filling).grid()


def _linear(x: np.ndarray, y: np.ndarray, z: np.ndarray, side: int) -> object:
    places = nodes(np.linspace(x.min(), x.max(), side), np.linspace(y.min(), y.max(), side))
    return LinearNDInterpolator(np.column_stack([x, y]), z)(places)


def _inverse(x: np.ndarray, y: np.ndarray, z: np.ndarray, side: int) -> object:
    places = nodes(np.linspace(x.min(), x.max(), side), np.linspace(y.min(), y.max(), side))
    far, which = cKDTree(np.column_stack([x, y])).query(places, 12)
    weights = far**-2.0
    return (weights * z[which]).sum(axis=1) / weights.sum(axis=1)


def _turning() -> float:
    """Milliseconds for a surface of 101 × 101 turned by a step and painted, as while it is dragged."""
    from curvesieve.app.benches.field.colours import Scale
    from curvesieve.app.benches.field.turned_view import TurnedView
    from curvesieve.app.shell.main import make_application

    app = QApplication.instance() or make_application()
    x, y, z = _points(2_000)
    filling = Filling(way=parse_way({"way": "linear"}))
    surface = fill(gather(x, y, z).points, filling)
    view = TurnedView()
    view.resize(580, 460)
    view.show_surface(surface.grid(), None, Scale(-1.0, 1.0), Eye(), False)
    view.show()
    app.processEvents()
    turn = [0.0]

    def step() -> None:
        turn[0] += 3.0
        view._turn(turn[0], 35.0)
        view.repaint()

    made = _median_ms(step, 40)
    view.close()
    return made


def rows() -> list[Row]:
    small, large = _points(10_000), _points(1_000_000)
    linear = against(lambda: _ours(*small, "linear", 101), lambda: _linear(*small, 101), rounds=7)
    inverse = against(lambda: _ours(*small, "inverse-distance", 101), lambda: _inverse(*small, 101), rounds=15)
    million = against(lambda: _ours(*large, "linear", 500), lambda: _linear(*large, 500), rounds=2)
    kriging = _median_ms(lambda: _ours(*small, "kriging", 101), 3)
    bare = "the bare SciPy calls"
    return [
        at_most("10,000 points → 101 × 101, linear", bare, linear, 1.3),
        at_most("10,000 points → 101 × 101, inverse distance", bare, inverse, 1.3),
        at_most("1,000,000 points → 500 × 500, linear", bare, million, 1.2),
        at_most(
            "10,000 points → 101 × 101, kriged from 64 neighbours with its variogram", "3 s", (kriging, 3000.0), 1.0
        ),
        at_most("a surface of 101 × 101 turned and painted", "a frame of 25 a second", (_turning(), 40.0), 1.0),
    ]


if __name__ == "__main__":
    for row in rows():
        print(f"{row.what}: {row.ours_ms:.4g} ms, {row.ratio:.2f} × {row.reference}, {row.goal}, {row.met}")
