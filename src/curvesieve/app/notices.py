"""Notices: one sentence under the header that stays until it is read, and never stops the work."""

from __future__ import annotations

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from curvesieve.app.widgets.basics import button, label, restyle

_WORD_MS = 6000


class NoticeBar(QFrame):
    """Shows the newest notice. A problem stays until it is closed; a word goes by itself."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("notice")
        self.text = label(wrap=True)
        close = button("Close", "bare")
        close.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 7, 8, 7)
        row.addWidget(self.text, 1)
        row.addWidget(close)
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.timeout.connect(self.hide)
        self.hide()

    def show_notice(self, sentence: str, kind: str) -> None:
        mark = "⚠  " if kind == "problem" else ""
        self.text.setText(mark + sentence)
        self.setProperty("kind", kind)
        restyle(self)
        self.show()
        self.timer.stop()
        if kind != "problem":
            self.timer.start(_WORD_MS)
