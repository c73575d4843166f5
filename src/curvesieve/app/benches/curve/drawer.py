"""The drawer under the plot: the ledger, what the fit says, other models, straight axes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.panels.ledger import LedgerDrawer
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button
from curvesieve.app.widgets.fold import FoldButton, Pane

_LEAST_PX = 690
"""A page that has less room than this is scrolled sideways."""
_LEAST_HIGH_PX, _LOW_PX, _HIGH_PX = 120, 182, 270
"""Of the drawer: at the least, at first with the ledger, and at first with a page that has pictures."""


class Drawer(QWidget):
    """Tabs over pages; a page is made when it is first gone to."""

    write_asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.ledger = LedgerDrawer(session)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.ledger)
        self._makers: dict[str, Callable[[], QWidget]] = {
            "Peaks": self._make_peaks, "Points": self._make_points, "Result": self._make_result,
            "Size and strain": self._make_hall, "Compare": self._make_compare, "Straighten": self._make_straight,
            "Literature": self._make_literature,
        }  # fmt: skip
        self.pages: dict[str, QWidget] = {"Ledger": self.ledger}
        self._scrolls: dict[str, QWidget] = {}
        self.tabs = {}
        self.heading = FoldButton("", "the drawer")
        self.heading.turned.connect(lambda folded: self._settle())
        self._empty = False
        self._shown, self._heights = "Ledger", {"Ledger": _LOW_PX}
        """The page that is shown, and the height that the drawer had with each."""
        self.ledger.emptied.connect(self._emptied)
        session.view_changed.connect(lambda old, new: self._settle())
        self.pane: Pane | None = None
        self._group = QButtonGroup(self)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        tips = {
            "Ledger": "The readings of all curves of the family",
            "Peaks": "A row a peak: center, height, FWHM, area, share; what is said of several at once",
            "Points": "The numbers of the curve in hand; y at an x, mean and extremes",
            "Result": "Statistics, correlations, intervals, predictions of this fit",
            "Size and strain": "How the breadth of reflections goes with the angle: Williamson and Hall's line",
            "Compare": "Several models of this curve side by side",
            "Literature": "What was read beside values of the literature",
            "Straighten": "Axes on which a law is a straight line",
        }
        for name in ("Ledger", *self._makers):
            tab = button(name, "tab", tips[name])
            tab.setProperty("small", "true")
            tab.setCheckable(True)
            tab.clicked.connect(lambda _=False, name=name: self.show_page(name))
            self._group.addButton(tab)
            self.tabs[name] = tab
            row.addWidget(tab)
        row.addStretch(1)
        row.addWidget(self.heading)
        self.tabs["Ledger"].setChecked(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.stack, 1)
        layout.addLayout(row)  # below the pages, whose heights differ: the tabs stay under the pointer

    def join(self, splitter: QSplitter) -> None:
        """Takes its place under the canvas, where it can fold to its tabs."""
        splitter.addWidget(self)
        self.pane = Pane(splitter, self, (self.stack,), _LEAST_HIGH_PX)

    def _emptied(self, empty: bool) -> None:
        self._empty = empty
        self._settle()

    def _settle(self) -> None:
        """Folds to the tabs when the user wants it, and while the ledger is the page and empty."""
        if self.pane is not None:
            nothing = self.session.entry is None or (self._empty and self.stack.currentWidget() is self.ledger)
            self.pane.fold(self.heading.folded or nothing)

    def page(self, name: str) -> QWidget:
        if name not in self.pages:
            self.pages[name] = made = self._makers[name]()
            scroll = QScrollArea()
            scroll.setWidget(made)
            scroll.setWidgetResizable(True)
            scroll.setFrameShape(QFrame.Shape.NoFrame)
            made.setMinimumWidth(_LEAST_PX)
            self._scrolls[name] = scroll
            self.stack.addWidget(scroll)
        return self.pages[name]

    def show_page(self, name: str) -> None:
        self.tabs[name].setChecked(True)
        if name != "Compare":
            self.session.modelling.draw_beside(())
        page = self.page(name)
        if self.pane is not None and name != self._shown:
            self._heights[self._shown] = self.pane.height
            self._shown = name
            self.pane.height = self._heights.get(name, _HIGH_PX)
        self.stack.setCurrentWidget(self._scrolls.get(name, page))
        self.heading.fold(False)
        self._settle()

    def _make_peaks(self) -> QWidget:
        from curvesieve.app.benches.curve.peaks_page import PeaksPage

        return PeaksPage(self.session)

    def _make_hall(self) -> QWidget:
        from curvesieve.app.benches.curve.hall_page import HallPage

        return HallPage(self.session)

    def _make_points(self) -> QWidget:
        from curvesieve.app.benches.curve.points import PointsPage

        return PointsPage(self.session, self.write_asked.emit)

    def _make_result(self) -> QWidget:
        from curvesieve.app.benches.curve.result import ResultPage

        return ResultPage(self.session)

    def _make_compare(self) -> QWidget:
        from curvesieve.app.benches.curve.comparison import ComparePage

        return ComparePage(self.session)

    def _make_literature(self) -> QWidget:
        from curvesieve.app.benches.curve.literature import LiteraturePage

        return LiteraturePage(self.session)

    def _make_straight(self) -> QWidget:
        from curvesieve.app.benches.curve.straight import StraightPage

        return StraightPage(self.session)
