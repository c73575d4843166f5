"""The ledger drawer: readings, a row a curve or a peak; click one to see where it came from."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QModelIndex, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.panels.ledger_columns import LedgerPanel
from curvesieve.app.panels.report import ask_report
from curvesieve.app.session.desk import MODEL, View
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import Elided, button
from curvesieve.app.widgets.line import tab_leaves
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.errors import counted
from curvesieve.core.files import write_bytes
from curvesieve.core.study import ledger as core
from curvesieve.core.study import ledger_tables as tables
from curvesieve.core.study.measuring import measure_curves
from curvesieve.core.study.shared_numbers import family_numbers

_NARROW_PX, _WIDE_PX = 76, 280
_LAID_OUT_MS = 50
_ROOM_PX = 12
_LONG = "CSV, a row a reading with its provenance"
_MEASURED = 60
"""Rows that the width of a column is measured by."""


class LedgerDrawer(LedgerPanel):
    """Title, table, and the line that says where the chosen number comes from. `emptied`: whether there is nothing."""

    emptied = pyqtSignal(bool)

    def __init__(self, session: Session, only_seen: bool = False) -> None:
        super().__init__(session)
        self._only_seen = only_seen
        """Whether it is rendered only while it is seen: one of two that would show the same."""
        self._made_of: tuple[object, ...] = ()
        self._shown_in_hand: str | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(5)
        layout.addLayout(self._make_top())
        self._make_view()
        layout.addWidget(self.view, 1)
        self.as_one = Elided(role="muted")
        """What is known of the family as one: numbers of its joint fit, of laws through its readings."""
        self.as_one.hide()
        layout.addWidget(self.as_one)
        layout.addStretch(0)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.readings.read.connect(self._read)

    def _make_top(self) -> QHBoxLayout:
        self.title = Elided(role="section")
        self.advice = Elided(role="muted")
        """How to use it, or where the chosen number comes from: one line always, so that no row moves."""
        self.as_curve_button = button(
            "As a curve", tip="The column in hand against the condition, as a curve that follows the ledger"
        )
        self.as_curve_button.clicked.connect(self.current_as_curve)
        self.copy = button("Copy ▾", tip="Copy all rows for a spreadsheet, as text or as LaTeX, with uncertainties")
        self.copy.clicked.connect(self._open_copies)
        self.export = button("Write…", tip="Write all rows to a file: CSV, spreadsheet, JSON, LaTeX, text")
        self.export.clicked.connect(self.ask_and_write)
        self.report = button("Report…", tip="A page for all and one for each curve, with constructions: HTML or PDF")
        self.report.clicked.connect(lambda: ask_report(self.session, self))
        self.more = button("…", "bare", "Rows, groups and columns of the ledger")
        self.more.setAccessibleName("the ledger as a whole")
        self.more.clicked.connect(lambda: _below(self.more, menu_of(self, self.layout_rows())))
        top = QHBoxLayout()
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(8)
        top.addWidget(self.title, 9)
        top.addWidget(self.advice, 1)
        for control in (self.as_curve_button, self.copy, self.export, self.report, self.more):
            top.addWidget(control)
        return top

    def _make_view(self) -> None:
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
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
        horizontal.setSectionsMovable(True)
        horizontal.setSectionsClickable(True)
        horizontal.sectionMoved.connect(self.moved)
        horizontal.sectionClicked.connect(self.open_menu)
        self.view.clicked.connect(self._choose)
        self.view.activated.connect(self._choose)
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._open_menu)
        tab_leaves(self.view)

    def _read(self) -> None:
        self._made_of = ()
        self.refresh()

    def refresh(self) -> None:
        """Renders the ledger of the family in hand; readings that are not known yet are asked for."""
        if self._only_seen and not self.isVisible():
            return
        study, view, family = self.session.study, self.session.view, self.family
        made_of = (study.document, family, self.by)
        if len(made_of) != len(self._made_of) or any(a is not b for a, b in zip(made_of, self._made_of, strict=True)):
            self._made_of = made_of
            curves = study.document.curves if family is None else [study.entry(id_) for id_ in family.curves]
            self.session.readings.look_up([curve.id for curve in curves if study.measures(curve.id)])
            made = core.ledger_of(study, family, by=self.by)
            self.as_one.set("  ·  ".join(one.written for one in family_numbers(study, family)) if family else "")
            self.as_one.setVisible(bool(self.as_one.whole_text()))
        else:
            made = self.model.ledger
        columns = self.model.ledger.columns
        across, down = self.view.horizontalScrollBar(), self.view.verticalScrollBar()
        places = [bar.value() if bar else 0 for bar in (across, down)]
        self._widen(self.model.fill(made, view.curve, self.means), columns != made.columns)
        for bar, place in zip((across, down), places, strict=True):
            if bar is not None:
                bar.setValue(place)
        if self._shown_in_hand != view.curve:  # else the list stays where the user scrolled it
            self._shown_in_hand = view.curve
            QTimer.singleShot(0, self._show_row_in_hand)
        title = f"LEDGER  ·  {made.title}" if made.rows else "LEDGER"
        self.title.set(title)
        self.title.ensurePolished()
        self.title.setMaximumWidth(self.title.fontMetrics().horizontalAdvance(title) + _ROOM_PX)
        has_readings = bool(made.columns)
        self.view.setVisible(bool(made.rows))
        self.copy.setEnabled(has_readings)
        self.export.setEnabled(has_readings)
        self.report.setEnabled(has_readings)
        self.as_curve_button.setEnabled(has_readings and family is not None)
        where = self._origin() or "Click a number to see where it comes from."
        self.advice.set(where if has_readings else "Fit a model or take a reading, and the numbers appear here.")
        self.emptied.emit(not has_readings)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Where the row in hand stands is known only when there is a height."""
        super().showEvent(event)
        if self._only_seen:
            self.refresh()
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
        row, column = self.model.row(index.row()), self.model.column(index.column())
        keys = QGuiApplication.keyboardModifiers()
        if row is None or keys & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier):
            return  # more rows are being chosen
        cell = row.cell(column) if column is not None else None
        measures = {slot.id for slot in self.session.study.measures(row.curve.id)}
        stage = cell.key.source if cell is not None and cell.key.source in measures else MODEL
        self.session.look(View(row.curve.id, stage, None if cell is None else cell.key))

    def copy_table(self, way: str = "table") -> None:
        """Copies all rows: as a ``table`` for spreadsheets, as ``text``, as ``latex``."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is None or not self.ledger.columns:
            return
        study, ledger = self.session.study, self.ledger
        made = {"text": tables.to_text, "latex": tables.to_latex}
        clipboard.setText(made[way](study, ledger) if way in made else tables.to_tabs(ledger))
        self.session.noticed.emit(f"Copied {counted(len(ledger.rows), 'row')} of the ledger.", "word")

    def _open_copies(self) -> None:
        rows: list[MenuRow] = [
            ("For a spreadsheet, all digits", self.copy_table),
            ("As text, with how each was read", lambda: self.copy_table("text")),
            ("As a LaTeX table", lambda: self.copy_table("latex")),
        ]
        _below(self.copy, menu_of(self, rows))

    def _open_menu(self, place: QPoint) -> None:
        """What can be done with a cell: copied, traced back, or its curve looked at."""
        index, viewport = self.view.indexAt(place), self.view.viewport()
        if not index.isValid() or viewport is None:
            return
        row, column = self.model.row(index.row()), self.model.column(index.column())
        if row is None:
            return
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
            (self.said_group(row), self.ask_group),
            ("", None),
            ("Copy the table", self.copy_table if has_readings else None),
            ("Write the table…", self.ask_and_write if has_readings else None),
        ]
        menu_of(self, rows).popup(viewport.mapToGlobal(place))

    def ask_and_write(self) -> None:
        """Asks for a file and writes the ledger to it."""
        name = f"{self.ledger.title}.csv".replace("/", "-")
        kinds = ";;".join([*(f"{label} (*{suffix})" for suffix, label in tables.SUFFIXES.items()), f"{_LONG} (*.csv)"])
        path, kind = QFileDialog.getSaveFileName(self, "Write the ledger", name, kinds)
        if path:
            suffix = next((suffix for suffix in tables.SUFFIXES if f"(*{suffix})" in kind), ".csv")
            self.write(Path(path) if Path(path).suffix else Path(path).with_suffix(suffix), kind.startswith(_LONG))

    def write(self, path: Path, by_reading: bool = False) -> None:
        """Writes the ledger in the background, in the format of its suffix."""
        study, family, by = self.session.study, self.family, self.by

        def work(ticket: Ticket) -> None:
            """Reads what is not read yet: a file has no number that is still to come."""
            ids = [curve.id for curve in study.document.curves] if family is None else list(family.curves)
            read = measure_curves(study, ids, ticket.report)
            notes = {id_: [one.problem for one in found if one.problem] for id_, found in read.items()}
            ledger = core.ledger_of(study, family, read, by)
            write_bytes(path, tables.written(study, [ledger], path.suffix, notes, by_reading))

        self.session.jobs.start(
            f"Writing {path.name}",
            "write ledger",
            work,
            lambda _: self.session.noticed.emit(f"Wrote the ledger to {path.name}.", "word"),
            lambda sentence: self.session.noticed.emit(sentence, "problem"),
        )


def _below(control: QWidget, menu: QMenu) -> None:
    menu.popup(control.mapToGlobal(QPoint(0, control.height())))


def _to_clipboard(text: str) -> None:
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
