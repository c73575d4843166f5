"""Pages of numbers over all curves: every parameter with u, and two groups of readings set against one another."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.benches.family.members_page import texts_of
from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import tab_leaves
from curvesieve.app.widgets.table import plain_table
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.family.groups import compare_groups
from curvesieve.core.reading import concise, plus_minus
from curvesieve.core.study.ledger import Column, ledger_of
from curvesieve.core.study.shared_numbers import all_parameters


class ParametersPage(QWidget):
    """A row a curve under the family's model, a column a parameter; a click takes the curve in hand."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.ids: list[str] = []
        self.said = Elided(role="muted")
        self.copy = button("Copy", tip="All values and u, all digits, for a spreadsheet")
        self.copy.clicked.connect(self.copy_all)
        self.table = QTableWidget(0, 0)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        down = self.table.verticalHeader()
        if down is not None:
            down.hide()
            down.setDefaultSectionSize(25)
        self.table.cellClicked.connect(lambda row, column: self.work.take_in_hand(self.ids[row]))
        tab_leaves(self.table)
        top = QHBoxLayout()
        top.addWidget(self.said, 1)
        top.addWidget(self.copy)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.addLayout(top)
        column.addWidget(self.table, 1)

    def refresh(self) -> None:
        """Renders the parameters of all curves."""
        family, study = self.work.family, self.work.session.study
        heads, rows = all_parameters(study, family) if family is not None else ([], [])
        self.ids = [row.id for row in rows]
        header = self.table.horizontalHeader()
        assert header is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)  # else every cell would have all rows measured
        self.table.setColumnCount(len(heads) + 2 if heads else 0)
        self.table.setHorizontalHeaderLabels(["curve", *heads, "state"] if heads else [])
        self.table.setRowCount(len(rows))
        in_hand = self.work.session.entry.id if self.work.session.entry is not None else ""
        for place, row in enumerate(rows):
            cells = ["–" if one is None else concise(*one) for one in row.cells]
            for column, text in enumerate([row.label, *cells, row.state]):
                item = QTableWidgetItem(text)
                if 0 < column <= len(cells):
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                bold = item.font()
                bold.setBold(row.id == in_hand and column == 0)
                item.setFont(bold)
                self.table.setItem(place, column, item)
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.said.set("Digits in brackets are u." if rows else "No curve is under a model that the family shares.")
        self.copy.setEnabled(bool(rows))

    def copy_all(self) -> None:
        """The table with u in columns of its own, all digits."""
        family, clipboard = self.work.family, QGuiApplication.clipboard()
        if family is None or clipboard is None:
            return
        heads, rows = all_parameters(self.work.session.study, family)
        lines = ["\t".join(["curve", *(one for head in heads for one in (head, f"u({head})")), "state"])]
        for row in rows:
            cells = [repr(n) if n is not None else "" for one in row.cells for n in (one or (None, None))]
            lines.append("\t".join([row.label, *cells, row.state]))
        clipboard.setText("\n".join(lines))
        self.work.session.noticed.emit("Copied the parameters of all curves.", "word")


class GroupsPage(QWidget):
    """One reading of two groups: their difference with its interval, a t test and a rank test."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.reading, self.first, self.second = Choice(), Choice(), Choice()
        for choice, name in ((self.reading, "reading"), (self.first, "first group"), (self.second, "second group")):
            choice.setAccessibleName(name)
            choice.activated.connect(lambda _: self._compute())
        self.paired = QCheckBox("in pairs")
        self.paired.setToolTip("The first of one belongs with the first of the other, in the order of the condition")
        self.paired.clicked.connect(lambda _: self._compute())
        self.copy = button("Copy")
        self.copy.clicked.connect(self._copy)
        self.answer = label(role="reading", wrap=True)
        self.cautions = label(role="caught", wrap=True)
        self.tests = plain_table(["test", "statistic", "p"], ["", "", "A small p: the groups differ"])
        self._columns: list[Column] = []
        top = QHBoxLayout()
        for widget in (self.reading, label("of", "muted"), self.first, label("against", "muted"), self.second,
                       self.paired):  # fmt: skip
            top.addWidget(widget)
        top.addStretch(1)
        top.addWidget(self.copy)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.addLayout(top)
        column.addWidget(self.answer)
        column.addWidget(self.cautions)
        column.addWidget(self.tests, 1)

    def refresh(self) -> None:
        """Offers the readings of the ledger and the groups of the family."""
        family, study = self.work.family, self.work.session.study
        ledger = ledger_of(study, family) if family is not None else None
        self._columns = [*ledger.columns, *ledger.hidden] if ledger is not None else []
        groups = list(dict.fromkeys(row.curve.group for row in ledger.rows if row.curve.group)) if ledger else []
        _offer(self.reading, [column.heading for column in self._columns], 0)
        _offer(self.first, groups, 0)
        _offer(self.second, groups, 1)
        self._compute()

    def _values(self, group: str) -> list[float]:
        family, place = self.work.family, self.reading.currentIndex()
        if family is None or not 0 <= place < len(self._columns):
            return []
        rows = ledger_of(self.work.session.study, family).rows
        cells = [row.cell(self._columns[place]) for row in rows if row.curve.group == group]
        return [cell.value for cell in cells if cell is not None]

    def _compute(self) -> None:
        first, second = self.first.currentText(), self.second.currentText()
        self.tests.setRowCount(0)
        self.cautions.setText("")
        self.copy.setEnabled(False)
        if not first or not second:
            self.answer.setText(
                "Give curves a group on the page Curves (or in the ledger): two groups can be compared."
            )
            return
        try:
            found = compare_groups(self._values(first), self._values(second), self.paired.isChecked())
        except InputError as error:
            self.answer.setText(str(error))
            return
        unit = units.shown(self._columns[self.reading.currentIndex()].final_unit)
        low, high = found.interval
        half = (high - low) / 2
        self.answer.setText(
            f"{first} − {second}: {plus_minus(found.difference, half)} {unit}".rstrip()
            + f", 95 % from {low:.4g} to {high:.4g}"
        )
        self.cautions.setText(" ".join(found.cautions))
        self.tests.setRowCount(len(found.tests))
        for row, (name, statistic, p) in enumerate(found.tests):
            for column, text in enumerate((name, f"{statistic:.4g}", f"{p:.3g}")):
                self.tests.setItem(row, column, QTableWidgetItem(text))
        self.copy.setEnabled(True)

    def _copy(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            said = f"{self.reading.currentText()}\t{self.answer.text()}\n{self.cautions.text()}"
            clipboard.setText(f"{said}\n{texts_of(self.tests)}")
            self.work.session.noticed.emit("Copied the comparison.", "word")


def _offer(choice: Choice, texts: list[str], place: int) -> None:
    """Fills a choice anew, keeping what is chosen where it is still there."""
    if [choice.itemText(i) for i in range(choice.count())] == texts:
        return
    before = choice.currentText()
    choice.clear()
    choice.addItems(texts)
    choice.setCurrentIndex(texts.index(before) if before in texts else min(place, len(texts) - 1))
