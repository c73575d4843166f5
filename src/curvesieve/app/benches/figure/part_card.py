"""A card with the rows of one part: its fields, and what can be done with it."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QWidget

from curvesieve.app.benches.figure.fields import Field, field_for
from curvesieve.app.benches.figure.rows import Row
from curvesieve.app.widgets.basics import Card, label

_WORDS_PX = 84


class PartCard(Card):
    """Renders a part's fields. `edited` has their new values by name; it is made anew when another kind comes."""

    edited = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, tools: dict[str, Any]) -> None:
        super().__init__()
        self.tools = tools
        self.fields: dict[str, Field] = {}
        self._kind: tuple[type[BaseModel], tuple[Row, ...]] | None = None
        self._grid: QWidget | None = None

    def show_part(self, value: BaseModel, rows: tuple[Row, ...]) -> None:
        """Shows a part; its editors stay while parts are of one kind."""
        if self._kind != (type(value), rows):
            self._kind = (type(value), rows)
            self._build(type(value), rows)
        for field in self.fields.values():
            field.show_value(value)

    def _build(self, kind: type[BaseModel], rows: tuple[Row, ...]) -> None:
        if self._grid is not None:
            self.rows.removeWidget(self._grid)
            self._grid.hide()
            self._grid.deleteLater()
        self._grid = QWidget()
        grid = QGridLayout(self._grid)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.setColumnMinimumWidth(0, _WORDS_PX)
        grid.setColumnStretch(1, 1)
        self.fields = {}
        line = QHBoxLayout()
        for place, row in enumerate(rows):
            field = field_for(row, kind, self.tools)
            field.edited.connect(self.edited)
            field.refused.connect(self.refused)
            words = label(row.words, "muted")
            words.setToolTip(row.tip)
            if row.beside:
                line.addWidget(words)
            else:
                line = QHBoxLayout()
                line.setSpacing(6)
                grid.addWidget(words, place, 0)
                grid.addLayout(line, place, 1)
            line.addWidget(field, 0 if row.beside else 1)
            self.fields[row.field] = field
        self.rows.addWidget(self._grid)
