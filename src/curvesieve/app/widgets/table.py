"""A small table of texts that is read and not edited."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QTableWidget, QTableWidgetItem

_ROW_PX = 25


def plain_table(headings: Sequence[str], tips: Sequence[str] = ()) -> QTableWidget:
    """An empty table with headings and their tips; columns are as wide as what is in them."""
    table = QTableWidget(0, len(headings))
    for i, text in enumerate(headings):
        head = QTableWidgetItem(text)
        head.setToolTip(tips[i] if tips else "")
        table.setHorizontalHeaderItem(i, head)
    table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    down, across = table.verticalHeader(), table.horizontalHeader()
    assert down is not None
    assert across is not None
    down.hide()
    down.setDefaultSectionSize(_ROW_PX)
    across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    across.setHighlightSections(False)
    return table


def stretch(table: QTableWidget, columns: Sequence[int], least_px: int) -> None:
    """Lets columns share the room that the others leave; none is narrower than `least_px`."""
    across = table.horizontalHeader()
    assert across is not None
    for column in columns:
        across.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
    across.setMinimumSectionSize(least_px)
