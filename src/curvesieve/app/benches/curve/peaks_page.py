"""The page of peaks: their table, what is said of the chosen ones at once, and how many there are."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QModelIndex, QPoint, Qt
from PyQt6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QHeaderView,
    QSizePolicy,
    QStackedWidget,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.curve.how_many import HowMany
from curvesieve.app.benches.curve.peak_buttons import PeakButtons
from curvesieve.app.benches.curve.peak_table import NUMBERS, Line, PeakTable
from curvesieve.app.session.desk import MODEL
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.line import CarefulDelegate, tab_leaves
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.errors import counted
from curvesieve.core.models import Model
from curvesieve.core.reading import ReadingKey
from curvesieve.core.study import edits
from curvesieve.core.study.peaks_of import grown_models, peaks_as_text, peaks_of

if TYPE_CHECKING:
    from curvesieve.core.peaks.growing import Grown

_ROW_PX, _LEAST_PX = 25, 60
_WIDTHS = {"curve": 86, "peak": 62, "center": 98, "area": 94, "share": 76, "signal to noise": 76}
_USUAL_PX = 84
"""Widths of the columns at first; they can be dragged."""
Change = Callable[[Model], Model]


class PeaksPage(QWidget):
    """Renders the peaks of the curve in hand, or of its family; buttons act on the chosen rows, or on all."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.table = PeakTable(session)
        self._shown: tuple[object, ...] = ()
        self.view = self._make_view()
        self.bar = PeakButtons(session, lambda: list(self.chosen()), self.ask_how_many)
        self.buttons = self.bar.buttons
        self.sentence = label(role="muted", wrap=True)
        self.how_many = HowMany()
        self.how_many.chosen.connect(self._take_grown)
        self.how_many.closed.connect(lambda: self.body.setCurrentWidget(self.view))
        self.body = QStackedWidget()
        self.body.addWidget(self.view)
        self.body.addWidget(self.how_many)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(4)
        layout.addLayout(self._make_buttons())
        layout.addWidget(self.body, 1)
        layout.addWidget(self.sentence)
        copy = QShortcut(QKeySequence.StandardKey.Copy, self.view, self.copy)
        copy.setContext(Qt.ShortcutContext.WidgetShortcut)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.sieve_done.connect(self.refresh)
        self.refresh()

    # -- making ---------------------------------------------------------------------------------------

    def _make_view(self) -> QTableView:
        view = QTableView()
        view.setModel(self.table)
        view.setItemDelegate(CarefulDelegate(view))
        tab_leaves(view)
        view.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        view.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        view.customContextMenuRequested.connect(self._open_menu)
        view.setSortingEnabled(True)
        view.setAccessibleName("the peaks")
        down, across = view.verticalHeader(), view.horizontalHeader()
        assert down is not None
        assert across is not None
        down.hide()
        down.setDefaultSectionSize(_ROW_PX)
        across.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        across.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)
        across.setHighlightSections(False)
        view.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        view.setMinimumHeight(_LEAST_PX)
        chosen = view.selectionModel()
        assert chosen is not None
        chosen.selectionChanged.connect(lambda now, before: self._selected())
        return view

    def _make_buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.bar)
        row.addStretch(1)
        self.family = button("Family", "tab", "The peaks of all curves of the family, one under another")
        self.family.setProperty("small", "true")
        self.family.setCheckable(True)
        self.family.toggled.connect(lambda on: self.refresh())
        self.match = button("Match", "", "Names and numbers the other curves' peaks as those here that lie there")
        self.match.setProperty("small", "true")
        self.match.clicked.connect(self.session.peaks.match_family)
        self.copies = button("Copy", "", "Copies the table with all digits (Ctrl+C)")
        self.copies.setProperty("small", "true")
        self.copies.clicked.connect(self.copy)
        for widget in (self.family, self.match, self.copies):
            row.addWidget(widget)
        return row

    # -- rendering ------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Has the rows worked out in the background where they may have changed, and shows them."""
        entry, study = self.session.entry, self.session.study
        family = study.family_of(entry.id) if entry is not None else None
        many = family is not None and len(family.curves) > 1
        self.family.setVisible(many)
        self.match.setVisible(many)
        whole = many and self.family.isChecked()
        ids = [] if entry is None else list(family.curves) if whole and family is not None else [entry.id]
        asked = (whole, *((id_, study.fit_key(id_), study.fit_is_current(id_)) for id_ in ids))
        self.bar.refresh()
        if asked == self._shown:
            return
        self._shown = asked
        if not ids:
            self._show([], False)
            return

        def work(ticket: Ticket) -> list[Line]:
            return [(id_, study.entry(id_).label, row) for id_ in ids for row in peaks_of(study, id_)]

        def done(lines: list[Line]) -> None:
            if self._shown == asked:
                self._show(lines, whole)

        def failed(sentence: str) -> None:
            if self._shown == asked:
                self._show([], whole)
                self.sentence.setText(sentence)

        self.session.jobs.start("Reading the peaks", "peak rows", work, done, failed)

    def _show(self, lines: list[Line], whole: bool) -> None:
        before = self.table.columns if self.table.lines else ()
        self.table.show(lines, whole)
        if before != self.table.columns:
            for place, name in enumerate(self.table.columns):
                self.view.setColumnWidth(place, _WIDTHS.get(name, _USUAL_PX))
        for place, name in enumerate(self.table.columns):  # what no peak has takes no room
            none = name in NUMBERS and all(math.isnan(row.cells[name].value) for _, _, row in lines)
            self.view.setColumnHidden(place, none and bool(lines))
        self._say()

    def _say(self) -> None:
        count = len(self.table.lines)
        if not count:
            self.sentence.setText("No peaks yet. Press Find peaks in the model, or double-click a peak on the plot.")
            return
        chosen = self.chosen()
        said = (
            f"For {', '.join(chosen.values())}." if chosen else f"For {counted(count, 'peak')}; choose rows for fewer."
        )
        if self.table.whole_family:
            said = "A click on a row takes its curve in hand. The buttons act on the curve in hand."
        elif not all(row.fitted for _, _, row in self.table.lines):
            said += " At their starts: fit the model for u."
        self.sentence.setText(said)

    def chosen(self) -> dict[int, str]:
        """The chosen peaks of the curve in hand by number; empty: all of them are meant."""
        entry = self.session.entry
        model = self.view.selectionModel()
        if entry is None or model is None:
            return {}
        rows = sorted({index.row() for index in model.selectedRows()})
        lines = [self.table.lines[row] for row in rows if row < len(self.table.lines)]
        return {row.number: row.label for id_, _, row in lines if id_ == entry.id}

    def _selected(self) -> None:
        self._say()
        current = self.view.currentIndex()
        model = self.view.selectionModel()
        if not current.isValid() or model is None or len(model.selectedRows()) != 1:
            return
        curve_id, _, row = self.table.lines[current.row()]
        view = self.session.view
        if self.table.whole_family and curve_id != view.curve:
            self.session.look_at_curve(curve_id)
        key = ReadingKey("fit", "center", row.number)
        self.session.look(replace(self.session.view, stage=MODEL, reading=key, against="", iterate=None))

    # -- one cell -------------------------------------------------------------------------------------

    def _open_menu(self, place: QPoint) -> None:
        index = self.view.indexAt(place)
        viewport = self.view.viewport()
        if not index.isValid() or viewport is None or self.table.whole_family:
            return
        menu_of(self, self._rows_for(index)).popup(viewport.mapToGlobal(place))

    def _rows_for(self, index: QModelIndex) -> list[MenuRow]:
        row, cell = self.table.lines[index.row()][2], self.table.cell(index)
        rows: list[MenuRow] = []
        if cell is not None and cell.parameter and not cell.problem and cell.parameter != "area":
            held = cell.held or bool(cell.tie)
            word = "Set free" if held else "Hold"
            rows.append(
                (f"{word}: {row.label} {cell.parameter}", partial(self._hold, row.number, cell.parameter, not held))
            )
        rows.append((f"Remove {row.label}", partial(self._remove, row.number)))
        return rows

    def _hold(self, number: int, name: str, on: bool) -> None:
        word = "hold" if on else "free"
        self.session.modelling.change_state(number, name, f"{word} P{number} {name}", hold=on, tie="")

    def _remove(self, number: int) -> None:
        self.session.peaks.say(lambda model: model.without(number).whole(), f"remove P{number}")

    def copy(self) -> None:
        """Copies the rows as they are ordered, each number with its u and all digits."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and self.table.lines:
            clipboard.setText(peaks_as_text([(label_, row) for _, label_, row in self.table.lines]))
            self.session.noticed.emit(f"Copied {counted(len(self.table.lines), 'peak')}.", "word")

    # -- how many -------------------------------------------------------------------------------------

    def ask_how_many(self) -> None:
        """Grows models peak by peak in the background, and shows their AICc."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return
        still = self.session.asking()
        lines = self.session.model.lines
        profile = lines[0].slug if lines and lines[0].own is None else "lorentzian"

        def work(ticket: Ticket) -> tuple[Grown, ...]:
            return grown_models(study, entry.id, profile, ticket.report, lambda _: ticket.stop_if_asked())

        def done(grown: tuple[Grown, ...]) -> None:
            if not still():
                return
            if not grown:
                self._refused("Nothing stands out that a peak could be put on.")
                return
            self.how_many.show_grown(grown)
            self.body.setCurrentWidget(self.how_many)

        label_ = f"Counting the peaks of {entry.label}"
        self.session.jobs.start(label_, "how many", work, done, self._refused, stoppable=True)

    def _take_grown(self, one: Grown) -> None:
        entry = self.session.entry
        if entry is not None and self.session.apply(
            edits.set_model(entry.id, one.model), f"{counted(one.peaks, 'peak')}"
        ):
            self.session.noticed.emit(f"{counted(one.peaks, 'peak')} taken. Fit the model for their u.", "word")

    def _refused(self, sentence: str) -> None:
        self.session.noticed.emit(sentence, "problem")
