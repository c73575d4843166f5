"""What is rendered only while it is seen, and the column beside it that scrolls over a foot that stays."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLayout, QScrollArea, QVBoxLayout, QWidget

from curvesieve.app.widgets.fold import keep_place_of_scroll_bar


class SeenBench(QWidget):
    """A bench that is rendered while it is shown; what changes meanwhile waits until it is."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bench")
        self._dirty = True

    def renew(self) -> None:
        """Renders it now, or when it is next shown."""
        if self.isVisible():
            self.refresh()
        else:
            self._dirty = True

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        if self._dirty:
            self.refresh()

    def refresh(self) -> None:
        """Renders everything. Subclasses go on from here."""
        self._dirty = False


def side_column(column: QWidget, width: int, foot: QWidget | QLayout) -> QWidget:
    """A column that scrolls, always as wide, over a foot whose right edge is the column's."""
    scrolled = QScrollArea()
    scrolled.setWidget(column)
    scrolled.setWidgetResizable(True)
    scrolled.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    keep_place_of_scroll_bar(scrolled)
    side = QWidget()
    side.setFixedWidth(width)
    rows = QVBoxLayout(side)
    rows.setContentsMargins(0, 0, 0, 0)
    rows.addWidget(scrolled, 1)
    bar = scrolled.verticalScrollBar()
    foot.setContentsMargins(0, 0, bar.sizeHint().width() if bar is not None else 0, 0)
    if isinstance(foot, QLayout):
        rows.addLayout(foot)
    else:
        rows.addWidget(foot)
    return side
