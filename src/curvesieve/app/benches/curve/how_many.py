"""How many peaks: models that grow by one peak, drawn by AICc; a click takes one of them."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import button, label
from curvesieve.core.errors import counted

if TYPE_CHECKING:
    from curvesieve.core.peaks.growing import Grown

_SIZE_PX = 11
_LEAST = 1.0
"""Models within this of the lowest AICc are as good as it, and drawn at one height."""


class HowMany(QWidget):
    """How far AICc lies above the lowest, against the number of peaks: the user judges where it stops to fall."""

    chosen = pyqtSignal(object)
    """The model of the step that was clicked."""
    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.grown: tuple[Grown, ...] = ()
        self.said = label(role="muted", wrap=True)
        self.close_button = button("Close", "bare", "Back to the table")
        self.close_button.clicked.connect(self.closed)
        self.plot = Plot()
        self.plot.setMinimumWidth(220)
        self.plot.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.line = pg.PlotCurveItem()
        self.dots = pg.ScatterPlotItem(size=_SIZE_PX, pxMode=True)
        self.dots.sigClicked.connect(self._clicked)
        for item in (self.line, self.dots):
            self.plot.addItem(item, ignoreBounds=True)
        head = QHBoxLayout()
        head.addWidget(self.said, 1)
        head.addWidget(self.close_button)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        rows.addLayout(head)
        rows.addWidget(self.plot, 1)

    def show_grown(self, grown: tuple[Grown, ...]) -> None:
        """Draws the steps; those that could not be fitted are left out of the line."""
        from curvesieve.core.peaks.growing import best_of

        self.grown = grown
        best = best_of(grown)
        lowest = min(one.aicc for one in grown)
        told = [one for one in grown if math.isfinite(one.aicc)]
        x = np.array([float(one.peaks) for one in told])
        y = np.log10(np.maximum([one.aicc - lowest for one in told], _LEAST))
        self.line.setData(x, y)
        self.line.setPen(pen("violet", 1.6))
        self.dots.setData(
            [
                {
                    "pos": (a, b), "data": one, "symbol": "o" if one is not best else "star",
                    "size": _SIZE_PX if one is not best else _SIZE_PX + 6, "pen": pen("violet", 1.6),
                    "brush": pg.mkBrush(colour("straw" if one is best else "card")),
                }
                for a, b, one in zip(x, y, told, strict=True)
            ]
        )  # fmt: skip
        self.plot.set_log(False, True)  # what lies within a few of the lowest must be told apart, too
        self.plot.set_labels("peaks", "ΔAICc")
        ends = (float(x.min()) - 0.5, float(x.max()) + 0.5)
        self.plot.box.setRange(xRange=ends, yRange=(0.0, max(float(y.max()), 1.0)), padding=0.1)
        self.said.setText(
            f"{counted(best.peaks, 'peak')} (the star): beyond it AICc gains nothing that counts. Click a mark to take "
            "that many."
        )

    def _clicked(self, item: Any, points: Any, event: Any) -> None:
        if len(points):
            self.take(points[0].data())

    def take(self, one: Grown) -> None:
        """Takes the model of a step."""
        self.chosen.emit(one)
