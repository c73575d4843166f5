"""The Family bench put together: the stage over trends and drawer; how they stand, one recipe and fits beside them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from curvesieve.app.benches.family.drawer import TIPS, FamilyDrawer
from curvesieve.app.benches.family.recipe_column import FitFoot, RecipeColumn
from curvesieve.app.benches.family.stage import Stage
from curvesieve.app.benches.family.stand_card import StandCard
from curvesieve.app.benches.family.trend_plots import TrendPlots
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.basics import label
from curvesieve.app.widgets.seen import SeenBench, side_column
from curvesieve.core.study.family_parts import STANDS

_COLUMN_PX = 326
HINT = "Click a curve to take it in hand, drag a lifted one up or down; click a point to go to its curve"


class FamilyBench(SeenBench):
    """Everything that concerns the family of the curve in hand. `told` has a hint for the status line."""

    told = pyqtSignal(str)
    hint = HINT

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.work = work = session.family_work
        self.stage = Stage(work)
        self.stage.told.connect(lambda text: self.told.emit(text or self.hint))
        self.trends = TrendPlots(work)
        self.drawer = FamilyDrawer(session, work)
        self.stand = StandCard(work)
        self.recipe = RecipeColumn(session, work)
        self.recipe.edit_asked.connect(lambda: work.opened.emit(session.view.curve or ""))
        self.foot = FitFoot(work)
        upper = QWidget()
        rows = QVBoxLayout(upper)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addWidget(self.stage, 1)
        rows.addWidget(self.trends)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setChildrenCollapsible(False)
        middle.addWidget(upper)
        middle.addWidget(self.drawer)
        middle.setStretchFactor(0, 1)
        middle.setSizes([500, 206])
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(middle, 1)
        layout.addWidget(self._make_side())
        session.changed.connect(lambda old, new: self.renew())
        session.view_changed.connect(lambda old, new: self.renew())
        session.readings.read.connect(self.renew)
        work.passed.connect(lambda: self.stand.refresh(work.standing()))
        self.drawer.show_page("Ledger")

    def _make_side(self) -> QWidget:
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(8)
        rows.addWidget(label("HOW THEY STAND", "section"))
        rows.addWidget(self.stand)
        rows.addWidget(self.recipe)
        rows.addStretch(1)
        self.side = side_column(column, _COLUMN_PX, self.foot)
        return self.side

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Renders the family of the curve in hand."""
        super().refresh()
        standing = self.stage.refresh()
        self.stand.refresh(standing)
        self.recipe.refresh()
        self.foot.refresh()
        self.trends.refresh()
        self.drawer.refresh()

    def restyle(self) -> None:
        """Takes on the colours of another scheme."""
        self.stage.restyle()
        self.trends.restyle()
        self.refresh()

    # -- actions ------------------------------------------------------------------------------------

    def lay_down(self) -> None:
        """Escape: what is being dragged falls back."""
        self.stage.drop_drag()

    def action_rows(self) -> list[ActionRow]:
        """What can be done on this bench."""
        work, session = self.work, self.session

        def has_family() -> bool:
            return work.family is not None

        def row(text: str, keys: str, run: Callable[[], object], words: str = "") -> ActionRow:
            return ActionRow(text, keys, run, has_family, words, "Family")

        stands = [
            row(f"The family: {stand}", "", partial(work.look, "stand the family otherwise", stand=stand), "lift stack")
            for stand in STANDS
        ]
        pages = [
            row(f"The family: {tip}", "", partial(self.drawer.show_page, name), name) for name, tip in TIPS.items()
        ]
        return [
            *stands,
            row("The whole family in view", "Home", self.stage.show_all, "zoom home"),
            row("Logarithmic x axis of the family on or off", "", self.stage.x_scale.click),
            row("Logarithmic y axis of the family on or off", "", self.stage.y_scale.click),
            row("A guide at an x…", "", self.stand.ask_guide, "line mark"),
            row("Fit each curve by itself", "", partial(work.fit, "each"), "family all"),
            row("Fit along: from neighbour to neighbour", "", partial(work.fit, "along"), "carry sequential"),
            row("Fit the family jointly", "", partial(work.fit, "jointly"), "global shared simultaneous"),
            row("Compare ways to share parameters", "", partial(self._compare), "F-test AICc"),
            *pages,
            ActionRow("Copy the ledger of the family", "", self._copy, lambda: session.entry is not None, "", "Family"),
        ]

    def _compare(self) -> None:
        self.drawer.show_page("Joint fit")
        self.work.compare()

    def _copy(self) -> None:
        from curvesieve.app.panels.ledger import LedgerDrawer

        page = self.drawer.page("Ledger")
        assert isinstance(page, LedgerDrawer)
        page.copy_table()
