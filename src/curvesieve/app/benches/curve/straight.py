"""Straight axes: the points on them, the line through them, and the law's parameters by both ways."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.table import plain_table, stretch
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitting.straighten import STRAIGHTENINGS, Straight, own_axes, straighten
from curvesieve.core.reading import plus_minus
from curvesieve.core.study.passing import sieved_curve

_HEADINGS = ("parameter", "by the line", "directly", "apart")
_MOST_DOTS = 5000


class StraightPage(QWidget):
    """Choose axes; the line and the direct fit follow at once, in the background."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.made: Straight | None = None
        self.way = Choice()
        for slug, way in STRAIGHTENINGS.items():
            self.way.addItem(f"{way.label}  ·  {way.about}", slug)
        self.way.addItem("axes of your own", "own")
        self.way.setAccessibleName("straight axes")
        self.way.setMaximumWidth(330)
        self.way.activated.connect(lambda _: self._chosen())
        self.v, self.u, self.law = Line("log(y)"), Line("x"), Line()
        self.law.setPlaceholderText("law in x: a*exp(b*x)")
        for line, name in (
            (self.v, "vertical axis, in y"),
            (self.u, "horizontal axis, in x"),
            (self.law, "the law that is a line on these axes, with one or two parameters; may be left empty"),
        ):
            line.setProperty("formula", "true")
            line.setAccessibleName(name)
            line.setToolTip(name)
            line.editingFinished.connect(self.run)
        self.run_button = button("Straighten", "act", "Draw the line through the points in use on these axes")
        self.run_button.clicked.connect(self.run)
        top = QHBoxLayout()
        self.against = label("against", "muted")
        for widget, share in (
            (self.way, 0), (self.v, 1), (self.against, 0), (self.u, 1), (self.law, 2), (self.run_button, 0),
        ):  # fmt: skip
            top.addWidget(widget, share)
        top.addStretch(0)
        self.plot = Plot()
        self.plot.setMinimumWidth(280)
        self.plot.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.dots = pg.ScatterPlotItem(size=4, pxMode=True)
        self.line = pg.PlotCurveItem()
        self.plot.addItem(self.dots, ignoreBounds=True)
        self.plot.addItem(self.line, ignoreBounds=True)
        self.table = self._make_table()
        self.sentence = label(role="note", wrap=True)
        right = QVBoxLayout()
        right.addWidget(self.table)
        self.sentence.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)
        right.addWidget(self.sentence, 1)
        body = QHBoxLayout()
        body.addWidget(self.plot, 7)
        body.addLayout(right, 11)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(top)
        layout.addLayout(body, 1)
        session.changed.connect(lambda old, new: self._forget())
        session.view_changed.connect(lambda old, new: self._forget() if old.curve != new.curve else None)
        self._chosen(run=False)
        self._render()

    def _make_table(self) -> QTableWidget:
        table = plain_table(_HEADINGS)
        table.setFixedHeight(88)
        stretch(table, (1, 2), 48)
        return table

    def _chosen(self, run: bool = True) -> None:
        own = self.way.currentData() == "own"
        for widget in (self.v, self.u, self.law, self.against):
            widget.setVisible(own)
        if run and not own:
            self.run()

    def _forget(self) -> None:
        self.made = None
        self._render()

    def run(self) -> None:
        """Straightens the points in use, in the background."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return
        slug = self.way.currentData()
        try:
            way = own_axes(self.u.text(), self.v.text(), self.law.text()) if slug == "own" else STRAIGHTENINGS[slug]
        except InputError as error:
            self._refused(str(error))
            return

        still = self.session.asking()

        def work(ticket: Ticket) -> Straight:
            return straighten(study.model(entry.id).in_use(sieved_curve(study, entry.id).curve), way)

        def done(made: Straight) -> None:
            if still():
                self.made = made
                self._render()

        self.session.jobs.start("Straightening", "straighten", work, done, self._refused)

    def _refused(self, sentence: str) -> None:
        self.session.noticed.emit(sentence, "problem")

    # -- rendering ----------------------------------------------------------------------------------

    def _render(self) -> None:
        made = self.made
        self.table.setRowCount(0 if made is None else len(made.parameters))
        if made is None:
            self.dots.setData([], [])
            self.line.setData([], [])
            self.plot.show_nothing()
            self.sentence.setText("Choose axes on which your law is a straight line.")
            return
        for i, row in enumerate(made.parameters):
            direct = "–" if row.direct is None else plus_minus(row.direct, row.direct_u)
            apart = "–" if row.apart is None else f"{row.apart:.1f} u"
            cells = (row.name, plus_minus(row.straight, row.straight_u), direct, apart)
            for j, text in enumerate(cells):
                self.table.setItem(i, j, QTableWidgetItem(text))
        r2 = made.line.statistics.r2
        facts = f"The line: R² {r2:z.5f}." if r2 is not None else "The line is exact."
        if made.left_out:
            facts += f" Left out: {counted(made.left_out, 'point')} without a value on these axes."
        self.sentence.setText(f"{facts} {made.sentence}")
        self._draw(made)

    def _draw(self, made: Straight) -> None:
        stride = max(1, made.u.size // _MOST_DOTS)
        self.dots.setData(made.u[::stride], made.v[::stride], pen=None, brush=pg.mkBrush(colour("ink", 150)))
        ends = np.array([made.u.min(), made.u.max()])
        values = made.line.values
        self.line.setData(ends, values["intercept"] + values["slope"] * ends)
        self.line.setPen(pen("violet", 2.0))
        vertical, _, horizontal = made.way.label.partition(" against ")
        self.plot.set_labels(horizontal, vertical)
        self.plot.box.setRange(
            xRange=(float(ends[0]), float(ends[1])), yRange=(float(made.v.min()), float(made.v.max())), padding=0.05
        )
