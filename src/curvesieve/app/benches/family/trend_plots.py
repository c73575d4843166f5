"""Readings against the condition: points with bars, a law through them; a click goes to the curve."""

from __future__ import annotations

from functools import partial

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from curvesieve.app.plotting.plot import Plot, pen
from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import Elided, button, label, plain_tip
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.family.laws import LAWS, law_text
from curvesieve.core.reading import concise
from curvesieve.core.study import edits
from curvesieve.core.study.document import LedgerColumn
from curvesieve.core.study.family_parts import TrendEntry
from curvesieve.core.study.ledger import ledger_of
from curvesieve.core.study.trends import Trend, columns_for_trends, trend_of

_NEAR_PX = 12.0
_MOST = 4
_HIGH_PX = 176


class TrendPlot(Plot):
    """One trend. `taken` has the id of the curve whose point was clicked."""

    taken = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.trend: Trend | None = None
        self.in_hand = ""
        self.leave_room_above(8)
        self.line = pg.PlotCurveItem()
        self.bars = pg.ErrorBarItem(x=np.zeros(0), y=np.zeros(0), height=np.zeros(0))
        self.dots = pg.ScatterPlotItem(size=8, pxMode=True)
        for item in (self.line, self.bars, self.dots):
            self.addItem(item, ignoreBounds=True)

    def show_trend(self, trend: Trend | None, condition: tuple[str, str], in_hand: str) -> None:
        """Draws the points, their bars and the law; points far off it are rings."""
        self.trend, self.in_hand = trend, in_hand
        if trend is None:
            self.line.setData([], [])
            self.dots.setData([], [])
            self.bars.setData(x=np.zeros(0), y=np.zeros(0), height=np.zeros(0))
            self.show_nothing()
            return
        line = trend.through if trend.through is not None else np.empty((2, 0))
        self.line.setData(line[0], line[1])
        self.line.setPen(pen("violet", 2.0))
        height = np.zeros(trend.x.size) if trend.u is None else 2 * trend.u
        wide = float(np.ptp(trend.x)) or 1.0
        self.bars.setData(x=trend.x, y=trend.y, height=height, beam=0.015 * wide, pen=pen("ink", 1.2))
        spots = [
            {
                "pos": (float(x), float(y)),
                "size": 12 if k in trend.outlying else 10 if trend.curves[k] == in_hand else 8,
                "pen": pen("rust", 2.0) if k in trend.outlying else pen("ink", 1.2),
                "brush": pg.mkBrush(colour("straw" if trend.curves[k] == in_hand else "ink"))
                if k not in trend.outlying
                else pg.mkBrush(None),
            }
            for k, (x, y) in enumerate(zip(trend.x, trend.y, strict=True))
        ]
        self.dots.setData(spots)
        self.set_labels(
            units.labelled(condition[0] or "condition", condition[1]), units.labelled(trend.title, trend.unit)
        )
        low, high = float((trend.y - height / 2).min()), float((trend.y + height / 2).max())
        if line.size and np.isfinite(line[1]).any():
            low, high = min(low, float(np.nanmin(line[1]))), max(high, float(np.nanmax(line[1])))
        tall = (high - low) or abs(high) or 1.0
        self.box.setRange(
            xRange=(float(trend.x.min()) - 0.06 * wide, float(trend.x.max()) + 0.06 * wide),
            yRange=(low - 0.1 * tall, high + 0.1 * tall), padding=0,
        )  # fmt: skip

    def near(self, at: QPoint) -> int:
        """The place of the point near a point of the widget; −1 where there is none."""
        if self.trend is None:
            return -1
        view = self.box.mapSceneToView(self.mapToScene(at))
        wide, tall = self.box.viewPixelSize()
        far = np.hypot((self.trend.x - view.x()) / wide, (self.trend.y - view.y()) / tall)
        place = int(np.argmin(far))
        return place if far[place] < _NEAR_PX else -1

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        dragged = self.scene().dragItem is not None
        super().mouseReleaseEvent(event)
        if event is None or dragged or event.button() != Qt.MouseButton.LeftButton:
            return
        place = self.near(event.position().toPoint())
        if place >= 0 and self.trend is not None:
            self.taken.emit(self.trend.curves[place])


class TrendPanel(QWidget):
    """A plot under its heading; what the law found stands beside the name."""

    def __init__(self, work: FamilyWork, place: int) -> None:
        super().__init__()
        self.work, self.place = work, place
        self.plot = TrendPlot()
        self.plot.setFixedHeight(_HIGH_PX - 26)
        self.plot.taken.connect(work.take_in_hand)
        self.law = Elided(role="model")
        self.warning = label("!", "caught")
        self.more = button("▾", "bare", "Another reading or law, as a curve, away")
        self.more.setAccessibleName("the plot of readings")
        self.more.clicked.connect(lambda: menu_of(self, self.rows()).popup(self.more.mapToGlobal(QPoint(0, 22))))
        top = QHBoxLayout()
        top.setContentsMargins(4, 0, 0, 0)
        top.addWidget(self.law, 1)
        top.addWidget(self.warning)
        top.addWidget(self.more)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(top)
        column.addWidget(self.plot, 1)

    @property
    def entry(self) -> TrendEntry | None:
        family = self.work.family
        return family.trends[self.place] if family is not None and self.place < len(family.trends) else None

    def refresh(self) -> None:
        """Draws its trend as the ledger stands."""
        family, session, entry = self.work.family, self.work.session, self.entry
        if family is None or entry is None:
            return
        in_hand = session.entry.id if session.entry is not None else ""
        try:
            trend: Trend | None = trend_of(session.study, family, entry)
            said = list(trend.said) if trend is not None else []
        except InputError as error:
            trend, said = None, [str(error)]
        self.plot.show_trend(trend, (family.condition, family.unit), in_hand)
        found = self.words(trend)
        self.law.set(found or (said[-1] if said else ""))
        self.warning.setVisible(bool(said))
        self.warning.setToolTip(plain_tip("\n".join(said)))

    @staticmethod
    def words(trend: Trend | None) -> str:
        """What the law found: its parameters with u and unit."""
        if trend is None or trend.result is None:
            return ""
        said = []
        for name, one in trend.result.parameters.items():
            unit = units.shown((trend.units or {}).get(name, ""))
            said.append(f"{name} {concise(one.value, one.u)} {unit}".strip())
        return ", ".join(said)

    # -- menu ---------------------------------------------------------------------------------------

    def rows(self) -> list[MenuRow]:
        """What can be done with the plot."""
        family, entry = self.work.family, self.entry
        if family is None or entry is None:
            return []
        conditions = [c for id_ in family.curves if (c := self.work.session.study.entry(id_).condition) is not None]

        def law(name: str) -> None:
            try:
                self._change(law=law_text(name, family.unit, conditions))
            except InputError as error:
                self.work.session.noticed.emit(str(error), "problem")

        rows: list[MenuRow] = [(f"Through it: {name}", partial(law, name)) for name in LAWS]
        rows += [("Through it: a formula in c…", self.ask_law), ("Nothing through it", partial(self._change, law=""))]
        rows.append(("", None))
        columns = columns_for_trends(ledger_of(self.work.session.study, family))
        rows += [
            (f"Show {column.heading}", partial(self._change, key=column.key, unit=column.unit))
            for column in columns
            if column.key != entry.key
        ]
        rows += [("", None), ("As a curve, on the Curve bench", self.as_curve), ("Take the plot away", self._away)]
        return rows

    def _change(self, **changes: object) -> None:
        entry = self.entry
        if entry is not None:
            self._replace(entry.model_copy(update=changes))

    def _away(self) -> None:
        self._replace(None)

    def _replace(self, entry: TrendEntry | None) -> None:
        family = self.work.family
        if family is None:
            return
        made = list(family.trends)
        made[self.place : self.place + 1] = [] if entry is None else [entry]
        self.work.apply(lambda one: edits.set_trends(one.id, made), "plot readings otherwise")

    def ask_law(self) -> None:
        """Asks for a formula in the condition."""
        entry = self.entry
        text, ok = QInputDialog.getText(self, "A law through the readings", "Formula in c, the condition",
                                        text=entry.law if entry is not None else "")  # fmt: skip
        if ok and text.strip():
            self._change(law=text.strip())

    def as_curve(self) -> None:
        """The column against the condition as a curve that follows the ledger, taken in hand."""
        family, entry = self.work.family, self.entry
        if family is None or entry is None:
            return
        column = next(
            (c for c in columns_for_trends(ledger_of(self.work.session.study, family)) if c.key == entry.key), None
        )
        if column is None:
            return
        label_ = f"{column.title} against {family.condition or 'condition'}"
        new = edits.new_id("curve")
        made = edits.column_as_curve(
            family.id, LedgerColumn(), LedgerColumn(key=column.key, unit=column.unit), label_, new
        )
        if self.work.session.apply(made, "column as a curve"):
            self.work.take_in_hand(new)
            self.work.opened.emit(new)


class TrendPlots(QWidget):
    """The plots beside one another, with the way to one more."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.title = label("READINGS AGAINST THE CONDITION", "section")
        self.advice = Elided(role="muted")
        self.add = button("+ another plot", "bare", "A reading against the condition")
        self.add.clicked.connect(lambda: menu_of(self, self.add_rows()).popup(self.add.mapToGlobal(QPoint(0, 22))))
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.addWidget(self.title)
        top.addWidget(self.advice, 1)
        top.addWidget(self.add)
        self.row = QHBoxLayout()
        self.row.setSpacing(10)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        column.addLayout(top)
        column.addLayout(self.row, 1)
        self.panels: list[TrendPanel] = []

    def add_rows(self) -> list[MenuRow]:
        """A row for each column of the ledger."""
        family = self.work.family
        columns = columns_for_trends(ledger_of(self.work.session.study, family)) if family is not None else []
        if not columns:
            return [("Fit the curves or take readings first", None)]
        return [(column.heading, partial(self.add_plot, column.key, column.unit)) for column in columns]

    def add_plot(self, key: object, unit: str) -> None:
        """One more plot, with a line through it."""
        entry = TrendEntry(key=key, unit=unit)  # type: ignore[arg-type]
        self.work.apply(lambda one: edits.set_trends(one.id, (*one.trends, entry)), "plot a reading")

    def refresh(self) -> None:
        """Renders the plots of the family in hand."""
        family = self.work.family
        count = len(family.trends) if family is not None else 0
        while len(self.panels) < count:
            made = TrendPanel(self.work, len(self.panels))
            self.panels.append(made)
            self.row.addWidget(made, 1)
        for place, panel in enumerate(self.panels):
            panel.setVisible(place < count)
            panel.refresh()
        self.add.setEnabled(family is not None and count < _MOST)
        name = family.condition if family is not None and family.condition else "the condition"
        self.title.setText(f"READINGS AGAINST {name.upper()}")
        self.advice.set("" if count else "Fit the curves, then add a plot: a reading against the condition, with a law")
        self.setMaximumHeight(_HIGH_PX + 24 if count else 26)

    def restyle(self) -> None:
        for panel in self.panels:
            panel.plot.restyle()
