"""The menu of what can be done to a picture before it is traced; what was traced goes along."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QPushButton

from curvesieve.app.benches.trace.picture_view import PictureView
from curvesieve.app.benches.trace.work import TraceWork
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.tracing.parts import Place, Prepared
from curvesieve.core.tracing.prepare import recorded_places

_AS_IT_WAS = {"corners": None, "turn": 0.0, "crop": None}


class PrepareMenu(QPushButton):
    """Turns, straightens and cuts out the picture in hand. `told` has a hint for the status line."""

    told = pyqtSignal(str)

    def __init__(self, work: TraceWork, view: PictureView) -> None:
        super().__init__("Prepare ▾")
        self.work, self.view = work, view
        self.setToolTip("Turn, straighten or cut out the picture; what was traced goes along")
        self.clicked.connect(self.open)
        view.cornered.connect(self.straighten)
        view.boxed.connect(self.cut_out)

    def open(self) -> None:
        """The menu of what can be done to the picture."""
        chart = self.work.chart
        if chart is None:
            return
        done = chart.prepared != Prepared()
        rows: list[MenuRow] = [
            ("Turn a quarter to the right", lambda: self._turn(90)),
            ("Turn by degrees…", self._ask_turn),
            ("Straighten by four corners of the frame", partial(self._ask_on_picture, "corners")),
            ("Cut out a box", partial(self._ask_on_picture, "a box")),
            ("", None),
            ("As it was", (lambda: self.work.prepare("the picture as it was", **_AS_IT_WAS)) if done else None),
        ]
        menu_of(self, rows).popup(self.mapToGlobal(self.rect().bottomLeft()))

    def _ask_on_picture(self, what: str) -> None:
        self.view.ask(what)
        said = "Click the four corners of the frame, from the top left clockwise (Esc leaves it)"
        self.told.emit(said if what == "corners" else "Drag a box around the chart (Esc leaves it)")

    def _turn(self, degrees: float) -> None:
        chart = self.work.chart
        if chart is not None:
            turn = (chart.prepared.turn + degrees + 180) % 360 - 180
            self.work.prepare("turn the picture", turn=turn, crop=None)

    def _ask_turn(self) -> None:
        degrees, ok = QInputDialog.getDouble(self, "Turn the picture", "Degrees, clockwise", 0.0, -180, 180, 2)
        if ok and degrees:
            self._turn(degrees)

    def straighten(self, corners: list[Place]) -> None:
        """The corners are those of the picture as it is shown; they are kept as those of the picture as recorded."""
        chart, opened = self.work.chart, self.work.opened
        if chart is not None and opened is not None:
            found = recorded_places(corners, chart.prepared, opened.size)
            self.work.prepare("straighten the picture", corners=found, turn=0.0, crop=None)

    def cut_out(self, left: float, top: float, right: float, bottom: float) -> None:
        """The box is that of the picture as it is shown."""
        chart = self.work.chart
        if chart is not None:
            x, y = chart.prepared.crop[:2] if chart.prepared.crop is not None else (0.0, 0.0)
            x, y = max(x, 0.0), max(y, 0.0)
            self.work.prepare("cut out the chart", crop=(left + x, top + y, right + x, bottom + y))
