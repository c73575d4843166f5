"""What stands on the page's place while there is no figure: those that can be made of what is in hand, a click each."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics
from PyQt6.QtWidgets import QWidget

from curvesieve.app.widgets.basics import Card, button, label, plain_tip
from curvesieve.core.figures.offers import Offer

_WIDE_PX, _WORDS_PX, _MOST = 380, 320, 8


class StartPage(Card):
    """A card over the middle of a widget. `asked` has the offer that was chosen, None for an empty page."""

    asked = pyqtSignal(object)

    def __init__(self, over: QWidget) -> None:
        super().__init__(over.parentWidget())
        self.over = over
        self.rows.setSpacing(6)
        self._made: list[QWidget] = []
        over.installEventFilter(self)
        self.hide()

    def fill(self, offers: list[Offer] | None) -> None:
        """Shows these offers; hides where there is a figure (None)."""
        for widget in self._made:
            self.rows.removeWidget(widget)
            widget.hide()
            widget.deleteLater()
        self._made = []
        self.setVisible(offers is not None)
        if offers is None:
            return
        self._add(label("Make a figure", "strong"))
        said = "of what is in hand, as it prints; it follows the data" if offers else "nothing is in hand yet"
        self._add(label(said, "muted"))
        for one in offers[:_MOST]:
            made = button(QFontMetrics(self.font()).elidedText(one.words, Qt.TextElideMode.ElideMiddle, _WORDS_PX))
            made.setToolTip(plain_tip(one.words))
            made.setAccessibleName(one.words)
            made.clicked.connect(partial(self.asked.emit, one))
            self._add(made)
        empty = button("An empty page", "bare")
        empty.clicked.connect(partial(self.asked.emit, None))
        self._add(empty)
        self._settle()

    def _add(self, widget: QWidget) -> None:
        self.rows.addWidget(widget)
        self._made.append(widget)
        widget.show()  # what comes into a widget that is shown already is hidden by itself

    def _settle(self) -> None:
        self.rows.activate()
        self.resize(_WIDE_PX, self.rows.sizeHint().height())
        there = self.over.geometry()
        self.move(
            there.left() + (there.width() - self.width()) // 2,
            there.top() + max((there.height() - self.height()) // 3, 10),
        )
        self.raise_()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and self.isVisible():
            self._settle()
        return False
