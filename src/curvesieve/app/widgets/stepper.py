"""Steps through a list of places: ‹ 2 of 7 › and what is there."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from curvesieve.app.widgets.basics import Elided, button, label


class Stepper(QWidget):
    """Shows one of some sentences at a time. `chosen` reports its place when the user steps to it."""

    chosen = pyqtSignal(int)

    def __init__(self, what: str) -> None:
        super().__init__()
        self.sentences: Sequence[str] = ()
        self.place = -1
        self.what = label(role="caught")
        self.back = button("‹", "bare", f"The {what} before")
        self.next = button("›", "bare", f"The next {what}")
        self.count = label(role="muted")
        self.said = Elided(role="muted")
        self.back.clicked.connect(lambda: self._go(-1))
        self.next.clicked.connect(lambda: self._go(1))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for widget in (self.what, self.back, self.count, self.next):
            row.addWidget(widget)
        row.addWidget(self.said, 1)

    def fill(self, title: str, sentences: Sequence[str]) -> None:
        """New sentences under a title; hidden when there are none."""
        self.sentences, self.place = sentences, -1
        self.what.setText(title)
        self.setVisible(bool(sentences))
        self._render()

    def _go(self, turn: int) -> None:
        if self.sentences:
            self.place = 0 if self.place < 0 else (self.place + turn) % len(self.sentences)
            self._render()
            self.chosen.emit(self.place)

    def _render(self) -> None:
        here = self.sentences[self.place] if 0 <= self.place < len(self.sentences) else ""
        self.count.setText(f"{self.place + 1} of {len(self.sentences):,}" if here else f"{len(self.sentences):,}")
        self.said.set(here)
