"""The model under the sieve: its terms, its parameters, and the fit."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.curve.parameters import HOLD, NAME, VALUE, ParameterTable
from curvesieve.app.session import MODEL, Session
from curvesieve.app.widgets.basics import Card, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.core import units
from curvesieve.core.models import BACKGROUNDS, PEAKS, TERMS, Model
from curvesieve.core.study import CurveEntry

_ROW_PX = 27
_MOST_ROWS = 90


class ModelPanel(QWidget):
    """Renders the model of the curve in hand. `peak_kind_changed` tells the canvas what a double-click adds."""

    def __init__(
        self,
        session: Session,
        peak_kind_changed: Callable[[str], None],
        background_changed: Callable[[str | None], None],
    ) -> None:
        super().__init__()
        self.session = session
        self._peak_kind_changed, self._background_changed = peak_kind_changed, background_changed
        self.summary = label(role="muted")
        self.card = Card()
        self.card.clicked.connect(lambda: session.look_at_stage(MODEL))
        self.formula = label(role="model", wrap=True)
        self.card.rows.addWidget(self.formula)
        self.card.rows.addLayout(self._choices())
        self._make_table()
        self.card.rows.addWidget(self.view)
        self._make_foot()
        head = QHBoxLayout()
        head.addWidget(label("MODEL", "section"))
        head.addStretch(1)
        head.addWidget(self.summary)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addWidget(self.card)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.jobs.busy_changed.connect(lambda text: self._show_buttons())

    def _choices(self) -> QGridLayout:
        self.peak_kind = Choice()
        for slug in PEAKS:
            self.peak_kind.addItem(TERMS[slug].label, slug)
        self.peak_kind.setCurrentIndex(PEAKS.index("lorentzian"))
        self.peak_kind.setToolTip("What a double-click on the plot adds")
        self.peak_kind.setAccessibleName("new peaks are")
        self.peak_kind.activated.connect(lambda: self._peak_kind_changed(self.peak_kind.currentData()))
        self.background = Choice()
        for slug in (*BACKGROUNDS, None):
            self.background.addItem(TERMS[slug].label if slug else "None", slug)
        self.background.setAccessibleName("background")
        self.background.setCurrentIndex(BACKGROUNDS.index("line"))
        self.background.activated.connect(self._choose_background)
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        for column, (text, box) in enumerate((("new peaks are", self.peak_kind), ("background", self.background))):
            grid.addWidget(label(text, "muted"), 0, column)
            grid.addWidget(box, 1, column)
            grid.setColumnStretch(column, 1)
        return grid

    def _make_table(self) -> None:
        self.table = ParameterTable(self.session)
        self.view = QTableView()
        self.view.setModel(self.table)
        vertical, horizontal = self.view.verticalHeader(), self.view.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(_ROW_PX)
        horizontal.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        horizontal.setSectionResizeMode(VALUE, QHeaderView.ResizeMode.Fixed)
        horizontal.setSectionResizeMode(HOLD, QHeaderView.ResizeMode.Fixed)
        self.view.setColumnWidth(VALUE, 142)
        self.view.setColumnWidth(HOLD, 42)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        self.view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._open_menu)
        self.view.clicked.connect(lambda index: self.session.look_at_stage(MODEL))

    def _make_foot(self) -> None:
        """The outcome and the buttons: a part of its own, so that Fit stays in sight however long the model is."""
        self.foot = QWidget()
        self.outcome = label(role="muted", wrap=True)
        self.warning = label(role="problem", wrap=True)
        self.remove = button("Remove peak", tip="Take the peak of the chosen row, or the last one, out of the model")
        self.remove.clicked.connect(self._remove_chosen)
        self.starts = button("Starts", tip="Read the starts of all peaks off the data again")
        self.starts.clicked.connect(self.session.read_starts)
        self.fit = button("Fit", "act", "Fit the model to the points in use (F5)")
        self.fit.clicked.connect(self._fit_or_stop)
        buttons = QHBoxLayout()
        buttons.addWidget(self.remove)
        buttons.addStretch(1)
        buttons.addWidget(self.starts)
        buttons.addWidget(self.fit)
        rows = QVBoxLayout(self.foot)
        rows.setContentsMargins(0, 0, 8, 0)
        rows.setSpacing(6)
        rows.addWidget(self.outcome)
        rows.addWidget(self.warning)
        rows.addLayout(buttons)

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        entry = self.session.entry
        self.setEnabled(entry is not None)
        model = entry.model if entry is not None else Model()
        self.table.refresh()
        count = len(self.table.rows)
        self.view.setVisible(bool(count))
        header = self.view.horizontalHeader()
        self.view.setFixedHeight((header.sizeHint().height() if header else 0) + _ROW_PX * min(count, _MOST_ROWS) + 4)
        self.formula.setText(_described(model) or "No terms yet. Double-click a peak on the plot to add one.")
        self.summary.setText(f"{len(model.peaks)} peak{'s' if len(model.peaks) != 1 else ''}" if model.terms else "")
        if model.terms:
            slug = model.background.slug if model.background else None
            self.background.setCurrentIndex(self.background.findData(slug))
        self.card.set_in_hand(entry is not None and self.session.view.stage == MODEL)
        self._show_outcome(entry)
        self._show_buttons()

    def _show_outcome(self, entry: CurveEntry | None) -> None:
        self.outcome.hide()
        self.warning.hide()
        if entry is None or entry.fit is None:
            return
        result = entry.fit.result
        unit = units.shown(self.session.study.recorded(entry.id).y_unit)
        s = result.statistics
        r2 = "–" if s.r2 is None else f"{s.r2:.4f}"
        state = f"converged in {result.iterations} iterations" if result.converged else "did not converge"
        left_out = entry.fit.passed - entry.fit.used
        used = f"{entry.fit.used:,} points used" + (f", {left_out:,} left out" if left_out else "")
        self.outcome.setText(f"R² {r2} · RMSE {s.rmse:.3g} {unit} · {used} · {state}")
        self.outcome.show()
        problems = list(result.warnings) if result.converged else [result.message, *result.warnings]
        if self.table.stale:
            problems.insert(0, "Out of date: the sieve changed after this fit. Press Fit.")
        self.warning.setText("\n".join(problems))
        self.warning.setVisible(bool(problems))

    def _show_buttons(self) -> None:
        entry = self.session.entry
        has_terms = entry is not None and bool(entry.model.terms)
        self.fit.setText("Stop" if self.session.is_fitting else "Fit")
        self.fit.setEnabled(has_terms)
        self.starts.setEnabled(has_terms)
        self.remove.setEnabled(entry is not None and bool(entry.model.peaks))

    # -- edits --------------------------------------------------------------------------------------

    def _choose_background(self) -> None:
        slug = self.background.currentData()
        self._background_changed(slug)
        entry = self.session.entry
        if entry is not None and entry.model.terms:
            self.session.set_background(slug)

    def _fit_or_stop(self) -> None:
        if self.session.is_fitting:
            self.session.stop_fit()
        else:
            self.session.look_at_stage(MODEL)
            self.session.fit()

    def _remove_peak(self, number: int) -> None:
        self.session.set_model(self.session.model_in_sight().without(number), f"remove P{number}")

    def _remove_chosen(self) -> None:
        entry = self.session.entry
        if entry is None or not entry.model.peaks:
            return
        row = self.view.currentIndex().row()
        chosen = self.table.rows[row].placed.number if 0 <= row < len(self.table.rows) else 0
        self._remove_peak(chosen or entry.model.peaks[-1].number)

    def _open_menu(self, place: QPoint) -> None:
        index = self.view.indexAt(place)
        number = self.table.rows[index.row()].placed.number if index.isValid() else 0
        viewport = self.view.viewport()
        if not number or viewport is None:
            return
        menu = QMenu(self)
        action = menu.addAction(f"Remove P{number}")
        assert action is not None
        action.triggered.connect(lambda: self._remove_peak(number))
        menu.popup(viewport.mapToGlobal(place))


def _described(model: Model) -> str:
    """``Lorentzian × 3 + straight line``."""
    kinds = Counter(placed.term.label for placed in model.peaks)
    parts = [name if count == 1 else f"{name} × {count}" for name, count in kinds.items()]
    if model.background is not None:
        parts.append(model.background.term.label.lower())
    return " + ".join(parts)
