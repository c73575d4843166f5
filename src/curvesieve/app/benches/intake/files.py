"""The waiting files by the family they will make, each with its condition, which can be edited in place."""

from __future__ import annotations

import re

from PyQt6.QtCore import QModelIndex, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.intake.tray import Tray
from curvesieve.app.benches.intake.waiting import Waiting
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.line import Line
from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.intake.families import Proposal

_NUMBER, _PLACE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_VALUE = re.compile(r"^\s*([+-−]?\d+(?:[.,]\d+)?(?:[eE][+-]?\d+)?)")


class _OnlyConditions(QStyledItemDelegate):
    """Opens an editor in the second column only."""

    def createEditor(self, parent: QWidget | None, option: QStyleOptionViewItem, index: QModelIndex) -> QWidget | None:
        return super().createEditor(parent, option, index) if index.column() == 1 else None


class FilesColumn(QWidget):
    """The list, the condition of the family in hand, and what can be done with the files."""

    files_asked = pyqtSignal()
    making_asked = pyqtSignal()
    bringing_asked = pyqtSignal()

    def __init__(self, tray: Tray) -> None:
        super().__init__()
        self.tray = tray
        self.setFixedWidth(248)
        self.count = label(role="muted")
        head = QHBoxLayout()
        head.addWidget(label("WAITING TO COME IN", "section"))
        head.addStretch(1)
        head.addWidget(self.count)
        self.tree = self._make_tree()
        self.condition, self.unit = Line(), Line()
        self.condition.setPlaceholderText("nothing")
        self.condition.setToolTip("What changes from curve to curve: loading, temperature, time …")
        self.condition.setAccessibleName("condition of the family")
        self.unit.setPlaceholderText("unit")
        self.unit.setAccessibleName("unit of the condition")
        self.unit.setFixedWidth(62)
        self.condition.editingFinished.connect(lambda: self._correct(name=self.condition.text()))
        self.unit.editingFinished.connect(lambda: self._correct(unit=self.unit.text()))
        self.ordered = QWidget()
        order = QHBoxLayout(self.ordered)
        order.setContentsMargins(0, 0, 0, 0)
        order.setSpacing(6)
        order.addWidget(label("Ordered by", "muted"))
        order.addWidget(self.condition, 1)
        order.addWidget(self.unit)
        self.choose = button("Choose files…", tip="Ctrl+I")
        self.choose.clicked.connect(self.files_asked)
        self.make = button("Make a curve…", tip="Simulate a formula, or count a channel into a histogram")
        self.make.clicked.connect(self.making_asked)
        self.leave = button("Leave this file out", tip="Takes the file off this list; the file itself is not touched")
        self.leave.clicked.connect(self._leave_out)
        self.bring = button("Bring in", "act")
        self.bring.clicked.connect(self.bringing_asked)
        pair = QHBoxLayout()
        pair.setSpacing(6)
        pair.addWidget(self.choose)
        pair.addWidget(self.make)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addLayout(head)
        rows.addWidget(self.tree, 1)
        rows.addWidget(self.ordered)
        rows.addLayout(pair)
        rows.addWidget(self.leave)
        rows.addWidget(self.bring)

    def _make_tree(self) -> QTreeWidget:
        tree = QTreeWidget()
        tree.setColumnCount(2)
        tree.setHeaderHidden(True)
        tree.setRootIsDecorated(False)
        tree.setUniformRowHeights(True)
        tree.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        tree.setItemDelegate(_OnlyConditions(tree))
        tree.setEditTriggers(QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed)
        columns = tree.header()
        assert columns is not None
        columns.setStretchLastSection(False)
        columns.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        columns.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        columns.setMinimumSectionSize(56)
        tree.currentItemChanged.connect(self._current_changed)
        tree.itemChanged.connect(self._edited)
        return tree

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        families = self.tray.families
        ready = len(self.tray.ready)
        self.count.setText(counted(len(self.tray.files), "file") if self.tray.files else "")
        as_what = f" as {len(families)} families" if len(families) > 1 else ""
        self.bring.setText(f"Bring in {counted(ready, 'file')}{as_what}" if ready else "Bring in")
        self.bring.setEnabled(bool(ready))
        self.leave.setEnabled(self.tray.shown is not None)
        self._fill(families)
        family = next((f for f in families if any(key[0] == self.tray.in_hand for key in f.keys)), None)
        self.ordered.setVisible(family is not None)
        if family is not None:
            self.condition.setText(family.condition.name)
            self.unit.setText(family.condition.unit)

    def _fill(self, families: list[Proposal]) -> None:
        """The files by the family they will make, each with what tells it apart; then those not understood."""
        self.tree.blockSignals(True)
        self.tree.clear()
        by_number = {waiting.number: waiting for waiting in self.tray.files}
        for family in families:
            first = by_number[family.keys[0][0]]
            self._add_heading(family.title, first.pattern.name if first.pattern else "")
            self._add_family(family, by_number)
        failed = [waiting for waiting in self.tray.files if not waiting.ready]
        if failed:
            self._add_heading("not understood", "")
        for waiting in failed:
            self._add_row(f"  {waiting.name}", "⚠", waiting.number, waiting.problem, "rust")
        self.tree.blockSignals(False)

    def _add_family(self, family: Proposal, by_number: dict[int, Waiting]) -> None:
        unit = units.shown(family.condition.unit)
        for (number, i), value in zip(family.keys, family.condition.values, strict=True):
            waiting = by_number[number]
            assert waiting.taken is not None
            several = len(waiting.taken.takes) > 1
            if several and i == 0:
                self._add_row(f"  {waiting.name}", "", number, waiting.name, "muted")
            text = f"      {waiting.taken.label(i)}" if several else f"  {waiting.name}"
            said = "–" if value is None else f"{value:g} {unit}".strip()
            row = self._add_row(text, said, number, waiting.name, "muted")
            row.setData(0, _PLACE, i)
            row.setFlags(row.flags() | Qt.ItemFlag.ItemIsEditable)
            row.setToolTip(1, "Double-click or F2 to give another value")

    def _add_heading(self, text: str, pattern: str) -> None:
        item = QTreeWidgetItem([text, ""])
        item.setFlags(Qt.ItemFlag.NoItemFlags)
        item.setFont(0, font(13, bold=True))
        item.setToolTip(0, f"{text}\nread by the pattern “{pattern}”" if pattern else text)
        self.tree.addTopLevelItem(item)
        if pattern:
            item.setText(1, "known")
            item.setFont(1, font(13))
            item.setForeground(1, colour("verdigris"))
            item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        else:
            item.setFirstColumnSpanned(True)

    def _add_row(self, text: str, said: str, number: int, tip: str, hue: str) -> QTreeWidgetItem:
        item = QTreeWidgetItem([text, said])
        item.setToolTip(0, tip)
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setForeground(1, colour(hue))
        item.setData(0, _NUMBER, number)
        self.tree.addTopLevelItem(item)
        if number == self.tray.in_hand and self.tree.currentItem() is None:
            self.tree.setCurrentItem(item)
        return item

    def row_of(self, number: int) -> int:
        """The row of a waiting file in the list, headings counted."""
        items = (self.tree.topLevelItem(row) for row in range(self.tree.topLevelItemCount()))
        return next(i for i, item in enumerate(items) if item and item.data(0, _NUMBER) == number)

    # -- edits --------------------------------------------------------------------------------------

    def _current_changed(self, item: QTreeWidgetItem | None, old: QTreeWidgetItem | None) -> None:
        number = item.data(0, _NUMBER) if item is not None else None
        if number is not None and number != self.tray.in_hand:
            # The list is made anew, which it cannot be while it is telling of a change.
            QTimer.singleShot(0, lambda: self.tray.show(number))

    def _edited(self, item: QTreeWidgetItem, column: int) -> None:
        number, place = item.data(0, _NUMBER), item.data(0, _PLACE)
        if column != 1 or place is None:
            return
        text = item.text(1).strip()
        match = _VALUE.match(text)
        value = float(match[1].replace(",", ".").replace("−", "-")) if match else None
        if match is None and text not in ("", "–"):
            self.tray.noticed.emit(f"“{text}” does not begin with a number; the condition stays as it was.", "problem")
            QTimer.singleShot(0, self.refresh)
            return
        QTimer.singleShot(0, lambda: self.tray.correct_condition((number, place), value))

    def _correct(self, name: str | None = None, unit: str | None = None) -> None:
        number = self.tray.in_hand
        family = next((f for f in self.tray.families if any(key[0] == number for key in f.keys)), None)
        if family is None or (name if unit is None else unit) in (family.condition.name, family.condition.unit):
            return
        self.tray.correct_condition(family.keys[0], name=name, unit=unit)

    def _leave_out(self) -> None:
        if self.tray.shown is not None:
            self.tray.remove({self.tray.shown.number})
