"""Menus made from rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QMenu, QWidget

MenuRow = tuple[str, Callable[[], object] | None]
"""The words of a row and what it does; None for words that nothing can be done with, empty words for a line."""


def menu_of(parent: QWidget, rows: Sequence[MenuRow]) -> QMenu:
    """A menu of these rows, to be popped up."""
    menu = QMenu(parent)
    for text, run in rows:
        if not text:
            menu.addSeparator()
            continue
        action = menu.addAction(text.replace("&", "&&"))
        assert action is not None
        action.setEnabled(run is not None)
        if run is not None:
            action.triggered.connect(lambda _=False, run=run: run())
    return menu
