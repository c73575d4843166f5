"""An action once: its words, its keys, what it does. Each part of the window says its own."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget


@dataclass(frozen=True)
class ActionRow:
    """One action. `enabled` is asked whenever the study changes; `words` are others that it is found by."""

    text: str
    keys: str
    run: Callable[[], object]
    enabled: Callable[[], bool] = lambda: True
    words: str = ""
    bench: str = ""
    """The bench on which it works; empty: any. What acts on the curve in hand does so where the curve is seen."""


class Actions:
    """The actions of a window, with their shortcuts in force. `bench` tells which bench is shown."""

    def __init__(self, window: QWidget, bench: Callable[[], str]) -> None:
        self.window, self.bench = window, bench
        self.made: list[tuple[QAction, ActionRow]] = []

    def add(self, rows: Sequence[ActionRow]) -> list[QAction]:
        """Makes the actions of some rows."""
        for row in rows:
            action = QAction(row.text, self.window)
            if row.keys:
                action.setShortcut(QKeySequence(row.keys))
            action.triggered.connect(lambda _=False, row=row: row.run())
            action.setData(row.words)
            self.window.addAction(action)
            self.made.append((action, row))
        self.refresh()
        return [action for action, _ in self.made[len(self.made) - len(rows) :]]

    def refresh(self) -> None:
        """Enables what can be done now."""
        for action, row in self.made:
            action.setEnabled(row.bench in ("", self.bench()) and row.enabled())
