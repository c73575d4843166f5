"""The drawer under the plot: the ledger, what the fit says, other models, straight axes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from curvesieve.app.ledger import LedgerDrawer
from curvesieve.app.session import Session
from curvesieve.app.widgets.basics import button

_LEAST_PX = 690
"""A page that has less room than this is scrolled sideways."""


class Drawer(QWidget):
    """Tabs over pages; a page is made when it is first gone to."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.ledger = LedgerDrawer(session)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.ledger)
        self._makers: dict[str, Callable[[], QWidget]] = {
            "Result": self._make_result, "Compare": self._make_compare, "Straighten": self._make_straight,
        }  # fmt: skip
        self.pages: dict[str, QWidget] = {"Ledger": self.ledger}
        self._scrolls: dict[str, QWidget] = {}
        self.tabs = {}
        self._group = QButtonGroup(self)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        tips = {
            "Ledger": "The readings of all curves of the family",
            "Result": "Statistics, correlations, intervals, predictions of this fit",
            "Compare": "Several models of this curve side by side",
            "Straighten": "Axes on which a law is a straight line",
        }
        for name in ("Ledger", *self._makers):
            tab = button(name, "tab", tips[name])
            tab.setCheckable(True)
            tab.clicked.connect(lambda _=False, name=name: self.show_page(name))
            self._group.addButton(tab)
            self.tabs[name] = tab
            row.addWidget(tab)
        row.addStretch(1)
        self.tabs["Ledger"].setChecked(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(row)
        layout.addWidget(self.stack, 1)

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
        self.stack.setCurrentWidget(self._scrolls.get(name, page))

    def _make_result(self) -> QWidget:
        from curvesieve.app.benches.curve.result import ResultPage

        return ResultPage(self.session)

    def _make_compare(self) -> QWidget:
        from curvesieve.app.benches.curve.comparison import ComparePage

        return ComparePage(self.session)

    def _make_straight(self) -> QWidget:
        from curvesieve.app.benches.curve.straight import StraightPage

        return StraightPage(self.session)
