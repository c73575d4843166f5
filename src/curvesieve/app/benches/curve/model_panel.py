"""The model under the sieve: its formula, its terms, its parameters."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from functools import cached_property

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QInputDialog,
    QMenu,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.curve.finding_row import FindingRow
from curvesieve.app.benches.curve.fit_foot import FitFoot
from curvesieve.app.benches.curve.parameters import HIGH, HOLD, LOW, NAME, VALUE, ParameterRow, ParameterTable
from curvesieve.app.benches.curve.scattering_rows import ScatteringRows
from curvesieve.app.benches.curve.settings import FitSettings
from curvesieve.app.benches.curve.sharing import sharing_rows
from curvesieve.app.benches.curve.slider import StartSlider
from curvesieve.app.benches.curve.term_list import TYPE, TermList
from curvesieve.app.benches.curve.typed_law import TypedLaw
from curvesieve.app.session.desk import MODEL
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import Card, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.fold import FoldButton
from curvesieve.app.widgets.line import CarefulDelegate, tab_leaves
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.typeset import Typeset
from curvesieve.core.errors import counted
from curvesieve.core.formula.printing import latex
from curvesieve.core.models import PEAKS, TERMS, Model, OwnTerm

_ROW_PX = 27
_MOST_ROWS = 90


class ModelPanel(QWidget):
    """Renders the model of the curve in hand. The callbacks tell the canvas what a double-click adds."""

    def __init__(
        self,
        session: Session,
        peak_kind_changed: Callable[[str | OwnTerm], None],
        background_changed: Callable[[str | None], None],
        previewed: Callable[[Model | None], None],
    ) -> None:
        super().__init__()
        self.session, self.modelling = session, session.modelling
        self._peak_kind_changed, self._background_changed = peak_kind_changed, background_changed
        self._previewed = previewed
        self.typing = False
        self._curve: str | None = None
        self.summary = label(role="muted")
        self.more = button("…", "bare", "Share the model with the family, or take it away")
        self.more.setAccessibleName("the model as a whole")
        self.more.clicked.connect(self._open_model_menu)
        self.limits = button("limits", "bare", "Show the limits of the parameters instead of the holds")
        self.limits.setCheckable(True)
        self.limits.setProperty("small", "true")
        self.limits.toggled.connect(self._show_columns)
        self.card = Card()
        self.card.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.card.setAccessibleName("the model")
        self.card.clicked.connect(lambda: session.look_at_stage(MODEL))
        self.formula = label(role="model", wrap=True)
        self.typeset = Typeset()
        self.law = TypedLaw(session, self.typeset, previewed)
        self.law.taken.connect(self._taken)
        self.editor = self.law.editor
        self.slider = StartSlider()
        self.slider.moving.connect(lambda row, value: self._previewed(self._with_start(row, value)))
        self.slider.moved.connect(self._slid)
        self.settings = FitSettings(session)
        self.foot = FitFoot(session, self._remove_chosen)
        self.finding = FindingRow(session, self._asked_for)
        self._make_table()
        self.card.rows.addWidget(self.formula)
        self.card.rows.addWidget(self.typeset)
        self.card.rows.addLayout(self._choices())
        self.parts = ScatteringRows(self.modelling)
        self.card.rows.addWidget(self.parts)
        self.card.rows.addWidget(self.finding)
        for widget in (self.editor, self.view, self.slider, self.settings):
            self.card.rows.addWidget(widget)
        self._lay_out()
        self._show_columns(False)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.sieve_done.connect(self.refresh)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        self.heading = FoldButton("MODEL", "the model")
        self.heading.turned.connect(lambda folded: self.refresh())
        head.addWidget(self.heading)
        head.addStretch(1)
        head.addWidget(self.summary)
        head.addWidget(self.limits)
        head.addWidget(self.more)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        layout.addLayout(head)
        layout.addWidget(self.card)

    def _choices(self) -> QGridLayout:
        self.peak_kind = Choice()
        for slug in PEAKS:
            self.peak_kind.addItem(TERMS[slug].label, slug)
        for name, own in self.modelling.own_terms().items():
            if own.kind == "peak":
                self.peak_kind.addItem(name, own)
        self.peak_kind.setCurrentIndex(PEAKS.index("lorentzian"))
        self.peak_kind.setToolTip("What a double-click on the plot adds")
        self.peak_kind.setAccessibleName("new peaks are")
        self.peak_kind.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.peak_kind.activated.connect(lambda: self._peak_kind_changed(self.peak_kind.currentData()))
        self.first_background: str | None = "line"
        self.background = button("Straight line", "choice", "The background or the law: choose one, or type a formula")
        self.background.setAccessibleName("background or law")
        self.background.clicked.connect(self.open_terms)
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        for column, (text, box) in enumerate(
            (("new peaks are", self.peak_kind), ("background or law", self.background))
        ):  # fmt: skip
            grid.addWidget(label(text, "muted"), 0, column)
            grid.addWidget(box, 1, column)
            grid.setColumnStretch(column, 1)
            grid.setColumnMinimumWidth(column, 120)
        return grid

    def _asked_for(self) -> tuple[str, str | None] | None:
        """The kind of the peaks to be added, and the background under them: a better one than that of the beginning."""
        kind = self.peak_kind.currentData()
        if not isinstance(kind, str):
            said = "A peak of your own is added by a double click; choose a kind of the library to find peaks."
            self.session.noticed.emit(said, "problem")
            return None
        return kind, self.first_background if self.first_background != "line" else ""

    @cached_property
    def term_list(self) -> TermList:
        window = self.window()
        assert window is not None
        made = TermList(window, self.modelling.own_terms)
        made.chosen.connect(self._choose_term)
        return made

    def open_terms(self) -> None:
        """The list of backgrounds and laws, beside the model."""
        self.heading.fold(False)
        window = self.window()
        assert window is not None
        self.term_list.open(self.background.mapTo(window, self.background.rect().topLeft() + QPoint(-150, -120)))

    def _make_table(self) -> None:
        self.table = ParameterTable(self.session)
        self.view = QTableView()
        self.view.setModel(self.table)
        self.view.setItemDelegate(CarefulDelegate(self.view))
        tab_leaves(self.view)
        vertical, horizontal = self.view.verticalHeader(), self.view.horizontalHeader()
        assert vertical is not None
        assert horizontal is not None
        vertical.hide()
        vertical.setDefaultSectionSize(_ROW_PX)
        horizontal.setSectionResizeMode(NAME, QHeaderView.ResizeMode.Stretch)
        for column in (VALUE, HOLD, LOW, HIGH):
            horizontal.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
        self.view.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.view.setEditTriggers(QAbstractItemView.EditTrigger.AllEditTriggers)
        self.view.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._open_menu)
        self.view.clicked.connect(self._row_chosen)

    def _show_columns(self, limits: bool) -> None:
        self.view.setColumnHidden(HOLD, limits)
        self.view.setColumnHidden(LOW, not limits)
        self.view.setColumnHidden(HIGH, not limits)
        self.view.setColumnWidth(VALUE, 104 if limits else 142)
        self.view.setColumnWidth(HOLD, 42)
        self.view.setColumnWidth(LOW, 46)
        self.view.setColumnWidth(HIGH, 46)

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        entry = self.session.entry
        self.setEnabled(entry is not None)
        model = self.session.model
        if self._curve != (entry.id if entry else None):
            self._curve, self.typing = (entry.id if entry else None), False
        self.table.refresh()
        count = len(self.table.rows)
        self.view.setVisible(bool(count))
        folded = self.heading.folded
        self.card.setVisible(not folded)
        self.limits.setVisible(bool(count) and not folded)
        header = self.view.horizontalHeader()
        self.view.setFixedHeight((header.sizeHint().height() if header else 0) + _ROW_PX * min(count, _MOST_ROWS) + 4)
        self._show_formula(model)
        said = counted(len(model.peaks), "peak") if model.peaks else ""
        if entry is not None and not folded and self.session.study.shares(entry.id, "model"):
            said = f"shared · {said}" if said else "shared by the family"
        self.summary.setText((_described(model) or "no model") if folded else said)
        self.card.set_in_hand(entry is not None and self.session.view.stage == MODEL)
        self.slider.show_row(self._slidable())
        made = self.session.sieved()
        has_u = made is not None and made.curve.u is not None
        self.settings.show_model(model, has_u)
        self.settings.setVisible(bool(model.terms))
        self.foot.refresh(self.table.stale)

    def _show_formula(self, model: Model) -> None:
        ground = model.background
        own = ground.own if ground is not None else None
        label_text = "Your formula" if own and not own.name else ground.term.label if ground else "None"
        if not model.terms:
            label_text = "Type a formula…" if self.typing else "choose…"
        shown = self.background.fontMetrics().elidedText(label_text, Qt.TextElideMode.ElideRight, 128)
        self.background.setText(f"{shown} ▾")
        self.background.setToolTip(f"{label_text}: choose another background or law, or type a formula")
        described = _described(model)
        self.formula.setText(described or "No terms yet. Double-click a peak on the plot, or choose a law below.")
        self.formula.setVisible(not (own and not model.peaks) and not (self.typing and not model.terms))
        self.editor.setVisible(own is not None or self.typing)
        if self._curve:
            x_unit, y_unit = self.session.passed_units()
            self.editor.has_units = (bool(x_unit), bool(y_unit))
            made = self.session.sieved()
            self.editor.axis = made.curve.x_label if made is not None else ""
        if own is not None and (not self.editor.field.hasFocus() or self.editor.read() is not None):
            self.editor.show_formula(own.formula, own.variable)
        self.parts.show_law(ground)
        self.typeset.set(_mathematics(model))

    def _row_in_hand(self) -> ParameterRow | None:
        row = self.view.currentIndex().row()
        return self.table.rows[row] if 0 <= row < len(self.table.rows) else None

    def _slidable(self) -> ParameterRow | None:
        row = self._row_in_hand()
        return None if row is not None and (row.is_area or row.about) else row

    def _row_chosen(self) -> None:
        self.session.look_at_stage(MODEL)
        self.slider.show_row(self._slidable())

    # -- background or law --------------------------------------------------------------------------

    def lay_down_formula(self) -> bool:
        """Leaves a formula that is being typed; what stood there before is there again. Whether there was one."""
        if not self.editor.field.hasFocus() and not self.typing:
            return False
        self.law.leave()
        self.typing = False
        self.refresh()
        self.background.setFocus()
        return True

    def _taken(self) -> None:
        self.typing = False

    def _choose_term(self, chosen: object) -> None:
        if chosen == TYPE:
            self.typing = True
            ground = self.modelling.model_in_sight().background
            self.refresh()
            known = ground.term if ground is not None and ground.slug != "line" else None
            self.editor.show_formula(known.formula if known else "", known.variable if known else "x")
            self.editor.field.setFocus()
            return
        self.typing = False
        if isinstance(chosen, OwnTerm):
            self.modelling.set_background("own", chosen)
            return
        assert chosen is None or isinstance(chosen, str)
        entry = self.session.entry
        is_background = chosen is None or TERMS[chosen].kind == "background"
        if is_background:
            self.first_background = chosen
            self._background_changed(chosen)
        if entry is not None and (self.session.model.terms or chosen is not None):
            self.modelling.set_background(chosen)
        self.refresh()

    def ask_save_term(self) -> None:
        """Asks for a name and saves the typed formula as a term of the user's own."""
        ground = self.modelling.model_in_sight().background
        old = ground.own.name if ground is not None and ground.own is not None else ""
        name, ok = QInputDialog.getText(self, "Save as a term", "Name of the term:", text=old)
        if ok:
            self.modelling.save_own(name)

    # -- the model as a whole -----------------------------------------------------------------------

    def _open_model_menu(self) -> None:
        rows: list[MenuRow] = [
            *sharing_rows(self.session, ("model",), "model"),
            ("", None),
            ("Remove the model", self._remove_model if self.session.model.terms else None),
        ]
        menu_of(self, rows).popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def _remove_model(self) -> None:
        self.modelling.set_model(Model(), "remove the model")

    # -- edits --------------------------------------------------------------------------------------

    def _with_start(self, row: ParameterRow, value: float) -> Model:
        return self.modelling.model_in_sight().starting_at({row.full_name: value})

    def _slid(self, row: ParameterRow, value: float) -> None:
        self.modelling.change_state(row.placed.number, row.name, f"slide {row.title}", start=value)

    def _remove_peak(self, number: int) -> None:
        self.modelling.set_model(self.modelling.model_in_sight().without(number), f"remove P{number}")

    def _remove_chosen(self) -> None:
        if not self.session.model.peaks:
            return
        row = self._row_in_hand()
        self._remove_peak((row.placed.number if row else 0) or self.session.model.peaks[-1].number)

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
        parts.append(model.background.term.label if not parts else model.background.term.label.lower())
    return " + ".join(parts)


def _mathematics(model: Model) -> tuple[str, ...]:
    """The law typeset; peaks are told in words, as their sum would not fit."""
    ground = model.background
    if ground is None or ground.term.kind == "background":
        return ()
    return latex(ground.term.reading, "y" if not model.peaks else "")
