"""The Curve bench put together: canvas over ledger, sieve and model beside them."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.drawer import Drawer
from curvesieve.app.benches.curve.model_panel import ModelPanel
from curvesieve.app.benches.curve.sieve_column import SieveColumn
from curvesieve.app.canvas import Canvas
from curvesieve.app.session import MODEL, Session
from curvesieve.app.widgets.fold import FoldButton, keep_place_of_scroll_bar
from curvesieve.core.models import OwnTerm

_COLUMN_PX = 326


class CurveBench(QWidget):
    """Everything that concerns the curve in hand."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.canvas = Canvas(session)
        self.drawer = Drawer(session)
        self.canvas.points_asked.connect(lambda: self.drawer.show_page("Points"))
        self.canvas.asked_at.connect(self._ask_at)
        self.ledger = self.drawer.ledger
        self.sieve = SieveColumn(session)
        self.model = ModelPanel(session, self._set_peak_kind, self._set_background, self.canvas.model.preview)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setChildrenCollapsible(False)
        middle.addWidget(self.canvas)
        self.drawer.join(middle)
        middle.setStretchFactor(0, 1)
        middle.setSizes([530, 182])
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(12)
        rows.addWidget(self.sieve)
        rows.addWidget(self.model)
        rows.addStretch(1)
        self.scroll = QScrollArea()
        self.scroll.setWidget(column)
        self.scroll.setWidgetResizable(True)
        self.scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        keep_place_of_scroll_bar(self.scroll)
        self.side = side = QWidget()
        side.setFixedWidth(_COLUMN_PX)
        side_rows = QVBoxLayout(side)
        side_rows.setContentsMargins(0, 0, 0, 0)
        side_rows.addWidget(self.scroll, 1)
        side_rows.addWidget(self.model.foot)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(middle, 1)
        layout.addWidget(side)

    def _ask_at(self, x: float) -> None:
        from curvesieve.app.benches.curve.points import PointsPage

        self.drawer.show_page("Points")
        page = self.drawer.page("Points")
        assert isinstance(page, PointsPage)
        page.ask_at_x(x)

    def _set_peak_kind(self, kind: str | OwnTerm) -> None:
        self.canvas.peak = kind

    def _set_background(self, slug: str | None) -> None:
        self.canvas.first_background = slug

    @property
    def folds(self) -> dict[str, FoldButton]:
        """The headings of all that folds, by the names that are remembered."""
        return {
            "sieve": self.sieve.heading, "model": self.model.heading, "drawer": self.drawer.heading,
            "strip": self.canvas.strip.title,
        }  # fmt: skip

    def lay_down(self) -> None:
        """Escape: a drag first, then a formula that is being typed, then the step in hand."""
        if self.canvas.drop_drag() or self.model.lay_down_formula():
            return
        if self.canvas.session.view.stage != MODEL:
            self.canvas.session.look_at_stage(MODEL)
            self.canvas.plot.setFocus()

    def refresh(self) -> None:
        """Renders everything anew: at the start, and after another scheme was chosen."""
        self.canvas.restyle()
        self.sieve.refresh()
        self.model.refresh()
        self.ledger.refresh()
