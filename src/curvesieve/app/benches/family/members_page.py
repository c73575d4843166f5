"""The curves of the family: which are shown and fitted together, their conditions and groups; means of them."""

from __future__ import annotations

from functools import partial
from typing import Literal

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.line import CarefulDelegate, Line, tab_leaves
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.table import plain_table
from curvesieve.core import units
from curvesieve.core.study import Family, edits
from curvesieve.core.study.standing import in_order
from curvesieve.core.typed import numbers_in

SHOWN, TOGETHER, CONDITION, GROUP, STATE = range(1, 6)


class MembersPage(QWidget):
    """A row a curve in the order of the condition; boxes and cells are edited in place."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self._filling = False
        self.ids: list[str] = []
        self.name, self.unit = Line(), Line()
        self.name.setPlaceholderText("what changes")
        self.name.setAccessibleName("name of the condition")
        self.unit.setPlaceholderText("unit")
        self.unit.setAccessibleName("unit of the condition")
        for line in (self.name, self.unit):
            line.editingFinished.connect(self._named)
        self.unit.setFixedWidth(80)
        self.name.setFixedWidth(150)
        self.mean = button(
            "Mean curve ▾", tip="The mean or median of the curves, with u from their scatter, as a curve"
        )
        self.mean.clicked.connect(self.open_means)
        top = QHBoxLayout()
        for widget in (label("condition", "muted"), self.name, label("in", "muted"), self.unit):
            top.addWidget(widget)
        self.said = label(role="caught")
        top.addWidget(self.said, 1)
        top.addWidget(self.mean)
        self.table = plain_table(
            ["curve", "shown", "together", "condition", "group", "state"],
            ["", "On the plot", "In a joint fit, and carried along", "Its number; double-click to type",
             "What the ledger puts it together by", ""],
        )  # fmt: skip
        self.table.setEditTriggers(
            QAbstractItemView.EditTrigger.DoubleClicked | QAbstractItemView.EditTrigger.EditKeyPressed
        )
        self.table.setItemDelegate(CarefulDelegate(self.table))
        self.table.itemChanged.connect(self._changed)
        self.table.cellClicked.connect(self._clicked)
        tab_leaves(self.table)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.addLayout(top)
        column.addWidget(self.table, 1)

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Renders the family's curves."""
        family, study = self.work.family, self.work.session.study
        self._filling = True
        across = self.table.horizontalHeader()
        assert across is not None
        across.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)  # else every cell would have all rows measured
        self.ids = in_order(study, family) if family is not None else []
        self.table.setRowCount(len(self.ids))
        for row, id_ in enumerate(self.ids):
            assert family is not None
            self._fill(row, id_, family)
        if family is not None and not self.name.hasFocus() and not self.unit.hasFocus():
            self.name.setText(family.condition)
            self.unit.setText(family.unit)
        self.said.setText(self._doubts())
        across.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self._filling = False

    def _fill(self, row: int, id_: str, family: Family) -> None:
        study = self.work.session.study
        entry = study.entry(id_)
        shares = study.shares(id_, "model") and bool(family.recipe.model.terms)
        state = study.fit_state(id_) if study.model(id_).terms else "no model"
        state += " (jointly)" if (fit := study.fit(id_)) is not None and fit.joint and state == "fitted" else ""
        condition = "" if entry.condition is None else f"{entry.condition:.10g}"
        texts = [entry.label, "", "", condition, entry.group, state]
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            flags = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
            if column in (CONDITION, GROUP):
                flags |= Qt.ItemFlag.ItemIsEditable
            if column == SHOWN:
                flags |= Qt.ItemFlag.ItemIsUserCheckable
                item.setCheckState(_box(id_ not in family.look.hidden))
            if column == TOGETHER:
                item.setCheckState(_box(shares and id_ not in family.apart))
                flags = flags | Qt.ItemFlag.ItemIsUserCheckable if shares else Qt.ItemFlag.ItemIsSelectable
                item.setToolTip("" if shares else "It has a model of its own; step it in first")
            item.setFlags(flags)
            self.table.setItem(row, column, item)
        entry_in_hand = self.work.session.entry
        if entry_in_hand is not None and entry_in_hand.id == id_:
            name = self.table.item(row, 0)
            if name is not None:
                bold = name.font()
                bold.setBold(True)
                name.setFont(bold)

    def _doubts(self) -> str:
        """What is wrong with the conditions, in a sentence."""
        study = self.work.session.study
        conditions = [study.entry(id_).condition for id_ in self.ids]
        missing = [study.entry(id_).label for id_, one in zip(self.ids, conditions, strict=True) if one is None]
        known = [one for one in conditions if one is not None]
        if missing:
            return f"{', '.join(missing[:3])}{' …' if len(missing) > 3 else ''}: no condition"
        doubled = sorted({one for one in known if known.count(one) > 1})
        return f"Twice or more: {', '.join(f'{one:g}' for one in doubled[:4])}" if doubled else ""

    # -- edits --------------------------------------------------------------------------------------

    def _clicked(self, row: int, column: int) -> None:
        if column in (0, STATE):
            self.work.take_in_hand(self.ids[row])

    def _changed(self, item: QTableWidgetItem) -> None:
        family = self.work.family
        if self._filling or family is None:
            return
        id_, on = self.ids[item.row()], item.checkState() == Qt.CheckState.Checked
        if item.column() == SHOWN:
            kept = tuple(one for one in family.look.hidden if one != id_)
            self.work.look("show or hide a curve", hidden=kept if on else (*kept, id_))
        elif item.column() == TOGETHER:
            self.work.apply(lambda one: edits.leave_out(one.id, (id_,), not on), "fit together or apart")
        elif item.column() == GROUP:
            self.work.apply(lambda one: edits.set_groups({id_: item.text()}, one.id, one.grouped_by), "group a curve")
        elif item.column() == CONDITION:
            self._type_condition(id_, item.text())
        self.refresh()

    def _type_condition(self, id_: str, text: str) -> None:
        try:
            found = numbers_in(text)
            if len(found) > 1:
                raise ValueError(f"“{text}” is more than one number.")
        except ValueError as error:
            self.work.session.noticed.emit(f"A condition is one number: {error}", "problem")
            return
        value = found[0] if found else None
        self.work.apply(lambda one: edits.set_conditions(one.id, {id_: value}), "type a condition")

    def _named(self) -> None:
        family = self.work.family
        if family is None:
            return
        name, unit = self.name.text().strip(), self.unit.text().strip()
        if (name, unit) != (family.condition, family.unit):
            self.work.apply(lambda one: edits.name_condition(one.id, name, unit), "name the condition")
            if unit and not units.is_known(unit):
                self.work.session.noticed.emit(f"The unit {unit} is not known; it is kept as it stands.", "word")

    def open_means(self) -> None:
        menu_of(self, self.mean_rows()).popup(self.mean.mapToGlobal(QPoint(0, self.mean.height())))

    def mean_rows(self) -> list[MenuRow]:
        """Means of all curves, and of each group."""
        family, study = self.work.family, self.work.session.study
        if family is None or len(family.curves) < 2:
            return [("A mean needs two curves at the least", None)]
        rows: list[MenuRow] = [
            ("Mean of all", partial(self.make_mean, "mean", "")),
            ("Median of all", partial(self.make_mean, "median", "")),
        ]
        groups = dict.fromkeys(one for id_ in family.curves if (one := study.entry(id_).group))
        rows += [(f"Mean of group {one}", partial(self.make_mean, "mean", one)) for one in groups]
        return rows

    def make_mean(self, by: Literal["mean", "median"], group: str) -> None:
        """A curve that is the mean, taken in hand on the Curve bench."""
        family = self.work.family
        if family is None:
            return
        name = f"{by} of {group or family.label}"
        new = edits.new_id("curve")
        if self.work.session.apply(edits.mean_as_curve(family.id, by, group, name, new), f"{by} curve"):
            self.work.take_in_hand(new)
            self.work.opened.emit(new)


def _box(on: bool) -> Qt.CheckState:
    return Qt.CheckState.Checked if on else Qt.CheckState.Unchecked


def texts_of(table: QTableWidget) -> str:
    """A table with tabs between cells, for a spreadsheet."""
    heads = [table.horizontalHeaderItem(k) for k in range(table.columnCount())]
    lines = ["\t".join(head.text() if head is not None else "" for head in heads)]
    for row in range(table.rowCount()):
        items = [table.item(row, k) for k in range(table.columnCount())]
        lines.append("\t".join(item.text() if item is not None else "" for item in items))
    return "\n".join(lines)
