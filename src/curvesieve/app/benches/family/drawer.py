"""The drawer of the Family bench: ledger, curves, what the joint fit says, all parameters, residuals, groups."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import (
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from curvesieve.app.benches.family.joint_page import JointPage
from curvesieve.app.benches.family.members_page import MembersPage
from curvesieve.app.benches.family.number_pages import GroupsPage, ParametersPage
from curvesieve.app.benches.family.strips import StripsView
from curvesieve.app.panels.ledger import LedgerDrawer
from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button
from curvesieve.core import units
from curvesieve.core.study.standing import residual_strips

_LEAST_PX = 690
TIPS = {
    "Ledger": "The readings of all curves, with their mean and scatter",
    "Curves": "Which are shown and fitted together; conditions and groups; mean curves",
    "Joint fit": "What the curves share, with u of the whole problem; ways of sharing compared",
    "Parameters": "Every parameter of every curve, with u",
    "Residuals": "The residuals of all curves in one look",
    "Groups": "One reading of two groups set against one another",
}


class FamilyDrawer(QWidget):
    """Tabs over pages; a page is made when it is first gone to, and rendered while it is seen."""

    def __init__(self, session: Session, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.stack = QStackedWidget()
        self.pages: dict[str, QWidget] = {}
        self._stacked: dict[str, QWidget] = {}
        self.tabs: dict[str, QPushButton] = {}
        self._group = QButtonGroup(self)
        self._makers: dict[str, Callable[[], QWidget]] = {
            "Ledger": lambda: LedgerDrawer(session, only_seen=True), "Curves": lambda: MembersPage(work),
            "Joint fit": lambda: JointPage(work), "Parameters": lambda: ParametersPage(work),
            "Residuals": self._make_strips, "Groups": lambda: GroupsPage(work),
        }  # fmt: skip
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        for name, tip in TIPS.items():
            tab = button(name, "tab", tip)
            tab.setProperty("small", "true")
            tab.setCheckable(True)
            tab.clicked.connect(lambda _=False, name=name: self.show_page(name))
            self._group.addButton(tab)
            self.tabs[name] = tab
            row.addWidget(tab)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(4)
        column.addWidget(self.stack, 1)
        column.addLayout(row)
        self.setMinimumHeight(120)
        work.passed.connect(self.refresh)

    def _make_strips(self) -> QWidget:
        made = StripsView()
        made.taken.connect(self.work.take_in_hand)
        return made

    def page(self, name: str) -> QWidget:
        """A page, made if need be."""
        if name not in self.pages:
            self.pages[name] = made = self._makers[name]()
            self._stacked[name] = made if name == "Ledger" else _scrolled(made)
            self.stack.addWidget(self._stacked[name])
        return self.pages[name]

    @property
    def shown(self) -> str:
        """The name of the page that is seen."""
        return next((name for name, tab in self.tabs.items() if tab.isChecked()), "")

    def show_page(self, name: str) -> None:
        """Brings a page up and renders it."""
        self.tabs[name].setChecked(True)
        self.page(name)
        self.stack.setCurrentWidget(self._stacked[name])
        self.refresh()

    def refresh(self) -> None:
        """Renders the page that is seen."""
        page = self.pages.get(self.shown)
        if isinstance(page, StripsView):
            family, session = self.work.family, self.work.session
            passed = {id_: made.curve for id_, made in self.work.sieved().items()}
            strips = residual_strips(session.study, family, passed) if family is not None else []
            unit = next((units.shown(curve.y_unit) for curve in passed.values()), "")
            page.show_strips(strips, session.entry.id if session.entry is not None else "", unit)
        elif page is not None and not isinstance(page, LedgerDrawer):  # the ledger renders itself
            page.refresh()  # type: ignore[attr-defined]


def _scrolled(page: QWidget) -> QScrollArea:
    """A page that has less room than it needs is scrolled sideways."""
    area = QScrollArea()
    area.setWidget(page)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    page.setMinimumWidth(_LEAST_PX)
    return area
