"""The Curve bench put together: canvas over ledger, sieve and model beside them."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QSplitter, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.drawer import Drawer
from curvesieve.app.benches.curve.model_panel import ModelPanel
from curvesieve.app.benches.curve.sieve_column import SieveColumn
from curvesieve.app.canvas import Canvas
from curvesieve.app.session import Session
from curvesieve.core.models import OwnTerm

_COLUMN_PX = 326


class CurveBench(QWidget):
    """Everything that concerns the curve in hand."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.canvas = Canvas(session)
        self.drawer = Drawer(session)
        self.ledger = self.drawer.ledger
        self.sieve = SieveColumn(session)
        self.model = ModelPanel(session, self._set_peak_kind, self._set_background, self.canvas.model.preview)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setChildrenCollapsible(False)
        middle.addWidget(self.canvas)
        middle.addWidget(self.drawer)
        middle.setStretchFactor(0, 1)
        middle.setSizes([460, 250])
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 8, 0)
        rows.setSpacing(12)
        rows.addWidget(self.sieve)
        rows.addWidget(self.model)
        rows.addStretch(1)
        self.scroll = QScrollArea()
        self.scroll.setWidget(column)
        self.scroll.setWidgetResizable(True)
        self.scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        side = QWidget()
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

    def _set_peak_kind(self, kind: str | OwnTerm) -> None:
        self.canvas.peak = kind

    def _set_background(self, slug: str | None) -> None:
        self.canvas.first_background = slug

    def refresh(self) -> None:
        """Renders everything anew: at the start, and after another scheme was chosen."""
        self.canvas.restyle()
        self.sieve.refresh()
        self.model.refresh()
        self.ledger.refresh()
