"""The page of size and strain: the breadths of reflections on Williamson and Hall's axes, with their line."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import button, label
from curvesieve.core.measures.base import parse_measure
from curvesieve.core.measures.hall import HallLine, WilliamsonHall
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.study.peaks_of import hall_line

_AXES = ("4·sin θ", "β·cos θ /10⁻³ rad")
_MILLI = 1e3
_ADVICE = (
    "Each reflection is a point: its breadth without the instrument's, times cos θ, against 4·sin θ. The line's height "
    "at 0 tells the size, its slope the strain."
)


class HallPage(QWidget):
    """Renders the reading *Williamson–Hall* of the curve in hand, and takes it where there is none."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.made: HallLine | None = None
        self._asked: object = None
        self.plot = Plot()
        self.plot.setMinimumWidth(300)
        self.plot.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.line = pg.PlotCurveItem()
        self.bars = pg.ErrorBarItem(x=np.zeros(0), y=np.zeros(0), height=np.zeros(0))
        self.dots = pg.ScatterPlotItem(size=9, pxMode=True)
        for item in (self.line, self.bars, self.dots):
            self.plot.addItem(item, ignoreBounds=True)
        self.names: list[pg.TextItem] = []
        self.numbers = label(role="reading", wrap=True)
        self.sentence = label(role="muted", wrap=True)
        self.warning = label(role="caught", wrap=True)
        self.take = button("Take the reading", "act", "Adds Williamson–Hall to the readings of the curve")
        self.take.clicked.connect(self._take)
        beside = QVBoxLayout()
        for widget in (self.numbers, self.sentence, self.warning):
            beside.addWidget(widget)
        row = QHBoxLayout()
        row.addWidget(self.take)
        row.addStretch(1)
        beside.addLayout(row)
        beside.addStretch(1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.addWidget(self.plot, 3)
        layout.addLayout(beside, 2)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh() if old.curve != new.curve else None)
        session.sieve_done.connect(self.refresh)
        session.readings.read.connect(self._say)
        self.refresh()

    def _take(self) -> None:
        self.session.readings.take(parse_measure({"measure": "williamson-hall"}))

    @property
    def _rule(self) -> WilliamsonHall | None:
        rules = [slot.rule for slot in self.session.readings.slots if slot.on]
        return next((rule for rule in rules if isinstance(rule, WilliamsonHall)), None)

    def refresh(self) -> None:
        """Has the plot worked out in the background where it may have changed."""
        entry, study, rule = self.session.entry, self.session.study, self._rule
        asked = None if entry is None else (entry.id, study.measures_key(entry.id), rule)
        if asked == self._asked and asked is not None:
            return
        self._asked = asked
        self.take.setVisible(rule is None)
        self.take.setEnabled(entry is not None)
        if entry is None or rule is None:
            self._show(None)
            return

        def work(ticket: Ticket) -> HallLine:
            return hall_line(study, entry.id, rule)

        def done(made: HallLine) -> None:
            if self._asked == asked:
                self._show(made)

        def failed(sentence: str) -> None:
            if self._asked == asked:
                self._show(None)

        self.session.jobs.start("Drawing size and strain", "hall line", work, done, failed)

    # -- rendering ------------------------------------------------------------------------------------

    def _show(self, made: HallLine | None) -> None:
        self.made = made
        for name in self.names:
            self.plot.removeItem(name)
        self.names = []
        self._say()
        if made is None:
            self.line.setData([], [])
            self.dots.setData([], [])
            self.bars.setData(x=np.zeros(0), y=np.zeros(0), height=np.zeros(0))
            self.plot.show_nothing()
            return
        x, y = made.x, _MILLI * made.y
        ends = np.array([0.0, 1.05 * float(x.max())])
        line = _MILLI * (made.intercept + made.slope * ends)
        self.line.setData(ends, line)
        self.line.setPen(pen("violet", 2.0))
        self.dots.setData(x, y, pen=pen("ink", 1.2), brush=pg.mkBrush(colour("card")))
        height = np.zeros(x.size) if made.u is None else 2 * _MILLI * made.u
        self.bars.setData(x=x, y=y, height=height, beam=0.02 * float(ends[1]), pen=pen("ink", 1.0))
        for k, (text, at, up) in enumerate(zip(made.labels, x, y, strict=True)):
            item = pg.TextItem(text, color=colour("muted"), anchor=(0.5, -0.25 if k % 2 else 1.3))
            item.setFont(font(13))
            item.setPos(float(at), float(up))
            self.plot.addItem(item, ignoreBounds=True)
            self.names.append(item)
        self.plot.set_labels(*_AXES)
        top = max(float((y + height / 2).max()), float(line.max()))
        bottom = min(0.0, float((y - height / 2).min()), float(line.min()))
        self.plot.box.setRange(xRange=(0.0, float(ends[1])), yRange=(bottom, 1.15 * top), padding=0.02)

    def _outcome(self) -> Outcome | None:
        found = self.session.readings.outcomes() or () if self.session.sieved() is not None else ()
        return next((one for one in found if isinstance(one.slot.rule, WilliamsonHall)), None)

    def _say(self) -> None:
        one = self._outcome() if self._rule is not None else None
        self.numbers.setText("\n".join(f"{r.symbol} = {r.written}" for r in one.readings) if one is not None else "")
        self.sentence.setText(_ADVICE if one is None or one.problem or not one.sentence else one.sentence)
        self.warning.setText("" if one is None else one.problem or one.warning)
