"""The ledger of fields: a row a field, a column a reading; a click shows where a number is from."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QTableWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.widgets.basics import label
from curvesieve.app.widgets.line import tab_leaves
from curvesieve.app.widgets.table import plain_table
from curvesieve.core.reading import concise


class FieldLedgerPage(QWidget):
    """Rendered while it is seen. `told` says where the chosen number comes from."""

    told = pyqtSignal(str)

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.table = plain_table(["field"])
        self.table.setAccessibleName("ledger of fields")
        self.table.cellClicked.connect(self._take)
        tab_leaves(self.table)
        self.empty = label("No field is read yet: + read on the right.", "muted")
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addWidget(self.empty)
        rows.addWidget(self.table, 1)

    def refresh(self) -> None:
        """Renders the readings of all fields; the row of the field in hand is chosen."""
        ledger = self.work.ledger
        self.empty.setVisible(ledger is None or not ledger.rows)
        self.table.setVisible(ledger is not None and bool(ledger.rows))
        if ledger is None:
            return
        self.table.setColumnCount(1 + len(ledger.columns))
        self.table.setHorizontalHeaderLabels(["field", *(one.heading for one in ledger.columns)])
        self.table.setRowCount(len(ledger.rows))
        for r, row in enumerate(ledger.rows):
            name = QTableWidgetItem(row.name)
            name.setToolTip(row.problem)
            self.table.setItem(r, 0, name)
            for c, column in enumerate(ledger.columns, 1):
                one = column.of(row)
                cell = QTableWidgetItem("–" if one is None else concise(one.value, one.u))
                cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if one is not None:
                    cell.setToolTip(f"{one.name}: {one.written}\n{one.how}\n{one.reference}".strip())
                self.table.setItem(r, c, cell)
            if self.work.field is not None and row.field == self.work.field.id:
                self.table.setCurrentCell(r, max(self.table.currentColumn(), 0))

    def _take(self, row: int, column: int) -> None:
        """Takes the field and the measure of a number in hand: the map shows the places that it speaks of."""
        ledger = self.work.ledger
        if ledger is None or not 0 <= row < len(ledger.rows):
            return
        found = ledger.rows[row]
        one = ledger.columns[column - 1].of(found) if column else None
        if self.work.field is None or self.work.field.id != found.field:
            self.work.take_field(found.field)
        self.work.measure_id = one.key.source if one is not None else ""
        self.work.changed.emit()
        if one is not None:
            self.told.emit(f"{one.name} of {found.name}: {one.written} – {one.how}")
