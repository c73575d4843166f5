"""The ledger drawer: readings, a row a curve; click one to see where it came from."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QGuiApplication, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.session.desk import MODEL, View
from curvesieve.app.session.session import Session
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.line import tab_leaves
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.files import write_text
from curvesieve.core.reading import concise
from curvesieve.core.study import ledger as core

_NARROW_PX, _WIDE_PX = 76, 280
_LAID_OUT_MS = 50
_MEASURED = 60
"""Rows that the width of a column is measured by."""


class LedgerModel(QAbstractTableModel):
    """The core's ledger as a table: curve, condition, readings, state."""

    def __init__(self) -> None:
        super().__init__()
        self.ledger = core.Ledger("", ("", ""), (), ())
        self.in_hand: str | None = None

    def fill(self, made: core.Ledger, in_hand: str | None) -> list[int]:
        """Takes another ledger; only the rows that changed are drawn again. Returns the rows with other texts."""
        before, was_in_hand = self.ledger, self.in_hand
        same = before.columns == made.columns and before.condition == made.condition
        if not same or [r.curve.id for r in before.rows] != [r.curve.id for r in made.rows]:
            self.beginResetModel()
            self.ledger, self.in_hand = made, in_hand
            self.endResetModel()
            return list(range(len(made.rows)))
        self.ledger, self.in_hand = made, in_hand
        changed = [i for i, (new, old) in enumerate(zip(made.rows, before.rows, strict=True)) if new is not old]
        turned = [i for i, row in enumerate(made.rows) if row.curve.id in (in_hand, was_in_hand)]
        for i in {*changed, *(turned if in_hand != was_in_hand else ())}:
            self.dataChanged.emit(self.index(i, 0), self.index(i, self.columnCount() - 1))
        return changed

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.ledger.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        return 0 if parent is not None and parent.isValid() else len(self.ledger.columns) + 2

    def column(self, section: int) -> core.Column | None:
        """The reading's column, or None for the curve's name and its state."""
        return self.ledger.columns[section - 1] if 0 < section <= len(self.ledger.columns) else None

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if role != Qt.ItemDataRole.DisplayRole or orientation != Qt.Orientation.Horizontal:
            return None
        if section == 0:
            name, unit = self.ledger.condition
            return units.labelled(name, unit) if name else "curve"
        column = self.column(section)
        return "state" if column is None else column.heading

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> object:
        if not index.isValid():
            return None
        row, column = self.ledger.rows[index.row()], self.column(index.column())
        here = row.curve.id == self.in_hand
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(row, column, index.column())
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignLeft if index.column() == 0 else Qt.AlignmentFlag.AlignRight
            return side | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.BackgroundRole and here:
            return colour("tint")
        if role == Qt.ItemDataRole.FontRole and here and index.column() == 0:
            bold: QFont = font(bold=True)
            return bold
        if role == Qt.ItemDataRole.ForegroundRole and row.state != "fitted":
            return colour("muted")
        if role == Qt.ItemDataRole.ToolTipRole and column is not None:
            cell = row.cell(column)
            if cell is not None:
                u = "" if cell.u is None else f" ± {cell.u:.3g}"
                return f"{cell.value:.8g}{u} {units.shown(cell.unit)}\n{cell.method}\n{cell.reference}".strip()
        return None

    def _text(self, row: core.Row, column: core.Column | None, place: int) -> str:
        if place == 0:
            return row.curve.label
        if column is None:
            return row.state
        cell = row.cell(column)
        if cell is None:
            return "–"
        return f"{cell.value:.5f}" if column.key.quantity == "r2" else concise(cell.value, cell.u)


class LedgerDrawer(QWidget):
    """Title, table, and the line that says where the chosen number comes from. `emptied`: whether there is nothing."""

    emptied = pyqtSignal(bool)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.title = label(role="section")
        self.advice = Elided(role="muted")
        """How to use it, or where the chosen number comes from: one line always, so that no row moves."""
        self.copy = button("Copy table", tip="Copy all rows for a spreadsheet, with units and uncertainties")
        self.copy.clicked.connect(self.copy_table)
        self.export = button("Write CSV…", tip="Write all rows to a file, with units and uncertainties")
        self.export.clicked.connect(self.ask_and_write)
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(10)
        top.addWidget(self.title)
        top.addWidget(self.advice, 1)
        top.addWidget(self.copy)
        top.addWidget(self.export)
        self.model = LedgerModel()
        self._made_of: tuple[object, object] | None = None
        self._shown_in_hand: str | None = None
        self.view = QTableView()
        self.view.setModel(self.model)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.view.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        vertical, horizontal = self.view.verticalHeader(), self.view.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(24)
        horizontal.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        horizontal.setHighlightSections(False)
        horizontal.setMinimumSectionSize(_NARROW_PX)
        self.view.clicked.connect(self._choose)
        self.view.activated.connect(self._choose)
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._open_menu)
        tab_leaves(self.view)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(5)
        layout.addLayout(top)
        layout.addWidget(self.view, 1)
        layout.addStretch(0)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())

    @property
    def ledger(self) -> core.Ledger:
        return self.model.ledger

    def refresh(self) -> None:
        study, view = self.session.study, self.session.view
        family = study.family_of(view.curve) if view.curve else None
        if self._made_of is None or study.document is not self._made_of[0] or family is not self._made_of[1]:
            self._made_of = (study.document, family)
            made = core.ledger_of(study, family)
        else:
            made = self.model.ledger
        columns = self.model.ledger.columns
        across, down = self.view.horizontalScrollBar(), self.view.verticalScrollBar()
        places = [bar.value() if bar else 0 for bar in (across, down)]
        self._widen(self.model.fill(made, view.curve), columns != made.columns)
        for bar, place in zip((across, down), places, strict=True):
            if bar is not None:
                bar.setValue(place)
        if self._shown_in_hand != view.curve:  # else the list stays where the user scrolled it
            self._shown_in_hand = view.curve
            QTimer.singleShot(0, self._show_row_in_hand)
        self.title.setText(f"LEDGER  ·  {made.title}" if made.rows else "LEDGER")
        has_readings = bool(made.columns)
        self.view.setVisible(bool(made.rows))
        self.copy.setEnabled(has_readings)
        self.export.setEnabled(has_readings)
        where = self._origin() or "Click a number to see where it comes from."
        self.advice.set(where if has_readings else "Fit a model, and its readings appear here.")
        self.emptied.emit(not has_readings)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Where the row in hand stands is known only when there is a height."""
        super().showEvent(event)
        QTimer.singleShot(_LAID_OUT_MS, self._show_row_in_hand)

    def _widen(self, rows: list[int], afresh: bool) -> None:
        """Gives columns the room that these rows need; while the columns are the same, none becomes narrower."""
        header = self.view.horizontalHeader()
        if header is None or not rows:
            return
        metrics, model = self.view.fontMetrics(), self.model
        for column in range(model.columnCount()):
            texts = [str(model.headerData(column, Qt.Orientation.Horizontal) or "")]
            texts += [str(model.data(model.index(row, column)) or "") for row in rows[:_MEASURED]]
            needed = max(metrics.horizontalAdvance(text) for text in texts) + 22
            wide = max(_NARROW_PX, min(needed, _WIDE_PX), 0 if afresh else header.sectionSize(column))
            if wide != header.sectionSize(column):
                header.resizeSection(column, wide)

    def _show_row_in_hand(self) -> None:
        rows = [row.curve.id for row in self.ledger.rows]
        if self.model.in_hand in rows:
            place = self.model.index(rows.index(self.model.in_hand), max(self.view.currentIndex().column(), 0))
            self.view.scrollTo(place)

    def _origin(self) -> str:
        view = self.session.view
        for row in self.ledger.rows:
            if row.curve.id == view.curve and view.reading in row.cells:
                assert view.reading is not None
                return core.provenance(self.session.study, row.curve, row.cells[view.reading])
        return ""

    def _choose(self, index: QModelIndex) -> None:
        row, column = self.ledger.rows[index.row()], self.model.column(index.column())
        cell = row.cell(column) if column is not None else None
        self.session.look(View(row.curve.id, MODEL, None if cell is None else cell.key))

    def copy_table(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and self.ledger.columns:
            clipboard.setText(core.to_tabs(self.ledger))
            self.session.noticed.emit(f"Copied {counted(len(self.ledger.rows), 'row')} of the ledger.", "word")

    def _open_menu(self, place: QPoint) -> None:
        """What can be done with a cell: copied, traced back, or its curve looked at."""
        index, viewport = self.view.indexAt(place), self.view.viewport()
        if not index.isValid() or viewport is None:
            return
        row, column = self.ledger.rows[index.row()], self.model.column(index.column())
        cell = row.cell(column) if column is not None else None
        rows: list[MenuRow] = []
        if cell is not None:
            whole = repr(cell.value) if cell.u is None else f"{cell.value!r}\t{cell.u!r}"
            rows += [
                ("Copy this number with its u, all digits", lambda: _to_clipboard(whole)),
                ("Show where it comes from", lambda: self._choose(index)),
            ]
        has_readings = bool(self.ledger.columns)
        rows += [
            (f"Take {row.curve.label} in hand", lambda: self.session.look(View(row.curve.id))),
            ("", None),
            ("Copy the table", self.copy_table if has_readings else None),
            ("Write the table as CSV…", self.ask_and_write if has_readings else None),
        ]
        menu_of(self, rows).popup(viewport.mapToGlobal(place))

    def ask_and_write(self) -> None:
        name = f"{self.ledger.title}.csv".replace("/", "-")
        path, _ = QFileDialog.getSaveFileName(self, "Write the ledger", name, "CSV tables (*.csv)")
        if path:
            self.write(Path(path))

    def write(self, path: Path) -> None:
        """Writes the ledger as CSV in the background."""
        text = core.to_csv(self.ledger)
        self.session.jobs.start(
            f"Writing {path.name}",
            "write ledger",
            lambda ticket: write_text(path, text),
            lambda _: self.session.noticed.emit(f"Wrote the ledger to {path.name}.", "word"),
            lambda sentence: self.session.noticed.emit(sentence, "problem"),
        )


def _to_clipboard(text: str) -> None:
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
