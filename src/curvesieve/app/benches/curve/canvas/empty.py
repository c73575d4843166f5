"""What stands in place of the plots while there is no curve: the ways to begin."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from curvesieve.app.widgets.basics import Card, button, empty, label

_MOST_RECENT = 5


class EmptyPage(Card):
    """Files, a study, the demo, and the studies that were open last."""

    files_asked = pyqtSignal()
    study_asked = pyqtSignal()
    demo_asked = pyqtSignal()
    recent_asked = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        choose = button("Choose files…", "act", "Ctrl+I")
        opened = button("Open a study…", tip="Ctrl+O")
        self.demo = button("Look at the demo", tip="Made-up spectra and relaxation curves, cleaned and fitted")
        row = QHBoxLayout()
        row.addStretch(1)
        for made, signal in ((choose, self.files_asked), (opened, self.study_asked), (self.demo, self.demo_asked)):
            made.clicked.connect(signal)
            row.addWidget(made)
        row.addStretch(1)
        self.recent_words = label("Studies that were open last", "muted")
        self.recent = QVBoxLayout()
        self.recent.setSpacing(2)
        self.rows.addStretch(2)
        for text in (
            label("Drop files of measured curves here, or paste a table.", "strong"),
            label("Text, spreadsheets, JCAMP-DX, HDF5 and more; preamble, names and units are found.", "muted"),
        ):
            text.setAlignment(Qt.AlignmentFlag.AlignCenter)
            self.rows.addWidget(text)
        self.rows.addSpacing(10)
        self.rows.addLayout(row)
        self.rows.addSpacing(22)
        self.rows.addWidget(self.recent_words, 0, Qt.AlignmentFlag.AlignHCenter)
        self.rows.addLayout(self.recent)
        self.rows.addStretch(3)
        self.show_recent([])

    def show_recent(self, paths: Sequence[Path]) -> None:
        """The studies that one click opens."""
        empty(self.recent)
        for path in paths[:_MOST_RECENT]:
            made = button(f"{path.name}  ·  {path.parent}".replace("&", "&&"), "bare", str(path))
            made.clicked.connect(lambda _=False, path=path: self.recent_asked.emit(path))
            self.recent.addWidget(made, 0, Qt.AlignmentFlag.AlignHCenter)
        self.recent_words.setVisible(bool(paths))
