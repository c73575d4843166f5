"""Parts that fold to a line: the button that does it, and panes of a splitter that give their room away."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QPushButton, QScrollArea, QSplitter, QWidget

_ANY_PX = 16_777_215
"""Qt's word for no limit."""
_MOST_SHARE = 0.42
"""Of the room of both that a pane takes by itself."""


class FoldButton(QPushButton):
    """The heading of a part: a press folds it or opens it. `turned` says whether it is folded now."""

    turned = pyqtSignal(bool)

    def __init__(self, text: str, what: str) -> None:
        super().__init__()
        self.words, self._folded = text, False
        self.setProperty("kind", "fold")
        self.setAccessibleName(what)
        self.setToolTip(f"Fold {what}, or open it")
        self.clicked.connect(lambda: self.fold(not self.folded))
        self._show()

    @property
    def folded(self) -> bool:
        return self._folded

    def fold(self, on: bool) -> None:
        if on != self._folded:
            self._folded = on
            self._show()
            self.turned.emit(on)

    def set_words(self, words: str) -> None:
        self.words = words
        self._show()

    def _show(self) -> None:
        self.setText(f"{'▶' if self._folded else '▼'} {self.words}".rstrip().replace("&", "&&"))


class Pane(QObject):
    """A pane of a splitter that can be as low as its first line; its height comes back when it opens."""

    def __init__(self, splitter: QSplitter, pane: QWidget, body: Sequence[QWidget], least: int) -> None:
        super().__init__(pane)
        self.splitter, self.pane, self.body, self.least = splitter, pane, body, least
        self._height = 0
        self.is_folded = False
        pane.setMinimumHeight(least)

    @property
    def height(self) -> int:
        """The height it has, or will have when it opens."""
        return self._height if self.is_folded else self.pane.height()

    @height.setter
    def height(self, wanted: int) -> None:
        """Takes the room from what stands above, which keeps a good part of it, or gives it back."""
        if self.is_folded:
            self._height = wanted
            return
        place, sizes = self.splitter.indexOf(self.pane), self.splitter.sizes()
        both = sizes[0] + sizes[place]
        sizes[place] = max(self.least, min(wanted, round(_MOST_SHARE * both)))
        sizes[0] = both - sizes[place]
        self.splitter.setSizes(sizes)

    def fold(self, on: bool) -> None:
        if on == self.is_folded:
            return
        if on:
            self._height = self.pane.height()
        self.is_folded = on
        for part in self.body:
            part.setVisible(not on)
        layout = self.pane.layout()
        line = layout.minimumSize().height() if layout is not None and on else 0
        self.pane.setMinimumHeight(line if on else self.least)
        self.pane.setMaximumHeight(line if on else _ANY_PX)
        place, sizes = self.splitter.indexOf(self.pane), self.splitter.sizes()
        wanted = line if on else max(self._height, self.least)
        sizes[0] += sizes[place] - wanted
        sizes[place] = wanted
        self.splitter.setSizes(sizes)


def keep_place_of_scroll_bar(area: QScrollArea) -> None:
    """Makes what is in the area as wide without a scroll bar as beside one: nothing moves when it comes."""
    bar = area.verticalScrollBar()
    if bar is None:
        return

    def settle(low: int, high: int) -> None:
        area.setViewportMargins(0, 0, 0 if high > low else bar.sizeHint().width(), 0)

    bar.rangeChanged.connect(settle)
    settle(0, 0)
