"""A slider for the start of the chosen parameter: the curve follows the hand, letting go makes it a start."""

from __future__ import annotations

import math

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSlider, QWidget

from curvesieve.app.benches.curve.parameters import ParameterRow
from curvesieve.app.widgets.basics import label

_REACH, _TITLE_PX = 200, 124
_DECADES = 1.0


class StartSlider(QWidget):
    """Moves a value over a decade each way, or over its own size about zero. Signals carry (row, value)."""

    moving = pyqtSignal(object, float)
    moved = pyqtSignal(object, float)

    def __init__(self) -> None:
        super().__init__()
        self.row: ParameterRow | None = None
        self.title = label(role="muted")
        self.title.setFixedWidth(_TITLE_PX)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(-_REACH, _REACH)
        self.slider.setToolTip("Drag to try other starts of the chosen parameter")
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(self._released)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.title)
        row.addWidget(self.slider, 1)

    def show_row(self, row: ParameterRow | None) -> None:
        """Another parameter, in the middle of its slider; none hides it."""
        self.row = row
        self.setVisible(row is not None)
        if row is None or self.slider.isSliderDown():
            return
        self.slider.setEnabled(not row.tie)
        self.slider.setAccessibleName(f"start of {row.title}")
        self.slider.blockSignals(True)
        self.slider.setValue(0)
        self.slider.blockSignals(False)
        self._say(row.title, row.value)

    def value(self) -> float:
        """The value that the slider stands for."""
        assert self.row is not None
        share, start = self.slider.value() / _REACH, self.row.value
        made = start * 10 ** (_DECADES * share) if start else share
        low, high = self.row.limits
        return min(max(made, -math.inf if low is None else low), math.inf if high is None else high)

    def _say(self, title: str, value: float) -> None:
        text = f"{title}: {value:.4g}"
        self.title.setText(self.title.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, _TITLE_PX))
        self.title.setToolTip(text)

    def _slid(self) -> None:
        if self.row is None:
            return
        self._say(self.row.title, self.value())
        if self.slider.isSliderDown():
            self.moving.emit(self.row, self.value())
        else:
            self._released()  # by a key or a click beside the handle

    def _released(self) -> None:
        if self.row is not None and self.slider.value():
            row, value = self.row, self.value()
            self.row = None
            self.moved.emit(row, value)
