"""Several models of the curve in hand: chosen from a list, fitted to the same points, set side by side and drawn."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.curve.canvas.beside import letter
from curvesieve.app.benches.curve.term_list import TermList
from curvesieve.app.session.desk import MODEL
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.modelling import Overlay
from curvesieve.app.session.session import Session
from curvesieve.app.theme import font
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.table import plain_table, stretch
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError
from curvesieve.core.fitting.compare import Candidate, Compared, candidate_of, compare, usual_candidates
from curvesieve.core.models import Model, OwnTerm
from curvesieve.core.study.passing import sieved_curve

_HEADINGS = ("model", "free", "R²", "RMSE", "AICc", "weight", "p of F")
_TIPS = (
    "", "free parameters", "", "root mean square of the residuals", "Akaike criterion, corrected: smaller is better",
    "share of the AICc weights", "F-test against the richest simpler model that is nested in this one",
)  # fmt: skip
_POINTS, _ENOUGH = 600, 20_000
_RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class ComparePage(QWidget):
    """Ticked candidates at the left, their fits at the right."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.rows: tuple[Compared, ...] = ()
        self._candidates: list[Candidate] = []
        self._own: list[Candidate] = []
        self._of = ("", Model())
        self.list = QListWidget()
        self.list.setAccessibleName("models to compare")
        self.list.setFixedWidth(168)
        self.list.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Ignored)
        self.list.setFont(font(13))
        add = button("Add a law…", tip="Another background, law or formula of your own to compare with")
        add.clicked.connect(self._open_terms)
        self.add = add
        self.run = button("Compare", "act", "Fit all ticked models to the points in use")
        self.run.clicked.connect(self.compare)
        buttons = QHBoxLayout()
        buttons.addWidget(add)
        buttons.addWidget(self.run)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addWidget(self.list, 1)
        left.addLayout(buttons)
        self.table = self._make_table()
        self.table.itemSelectionChanged.connect(self._say_row)
        self.verdict = label(role="note", wrap=True)
        self.take = button("Take this model", tip="The chosen row becomes the model in hand, at its fitted values")
        self.take.clicked.connect(self.take_chosen)
        bottom = QHBoxLayout()
        bottom.addWidget(self.verdict, 1)
        bottom.addWidget(self.take)
        right = QVBoxLayout()
        right.setSpacing(4)
        right.addWidget(self.table, 1)
        right.addLayout(bottom)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(8)
        layout.addLayout(left)
        layout.addLayout(right, 1)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        self.refresh()

    def _make_table(self) -> QTableWidget:
        table = plain_table(_HEADINGS, _TIPS)
        table.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setFont(font(13))
        stretch(table, (0,), 40)
        return table

    # -- candidates ---------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Fills the list anew when the curve or the model is another one."""
        entry = self.session.entry
        self.setEnabled(entry is not None)
        model = self.session.modelling.model_in_sight()
        of = (entry.id if entry else "", model)
        if of == self._of or entry is None or not self.isVisible():
            return
        if of[0] != self._of[0]:
            self._own = []
        self._of = of
        self.rows = ()
        self._fill_table()
        made = self.session.sieved()
        try:
            self._candidates = usual_candidates(model, _seen(made.curve)) if made is not None else []
        except InputError:
            self._candidates = []
        self._fill_list()

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        self.refresh()

    def _fill_list(self) -> None:
        self.list.clear()
        for i, candidate in enumerate([*self._candidates, *self._own]):
            item = QListWidgetItem(candidate.label)
            item.setToolTip(candidate.label)
            ticked = i < 3 or candidate in self._own
            item.setCheckState(Qt.CheckState.Checked if ticked else Qt.CheckState.Unchecked)
            self.list.addItem(item)

    @cached_property
    def term_list(self) -> TermList:
        window = self.window()
        assert window is not None
        made = TermList(window, self.session.modelling.own_terms, may_type=False)
        made.chosen.connect(self.add_candidate)
        return made

    def _open_terms(self) -> None:
        window = self.window()
        assert window is not None
        self.term_list.open(self.add.mapTo(window, self.add.rect().topLeft() + QPoint(560, -420)))

    def add_candidate(self, chosen: object) -> None:
        """Another model to compare with, ticked."""
        made = self.session.sieved()
        if made is None:
            return
        model = self.session.modelling.model_in_sight()
        try:
            if isinstance(chosen, OwnTerm):
                bare = model.model_copy(update={"terms": (), "derived": ()})
                candidate = Candidate(chosen.name, bare.with_background("own", made.curve, chosen), search=True)
            else:
                candidate = candidate_of(str(chosen), model, made.curve)
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        ticks = self._ticks()
        self._own.append(candidate)
        self._fill_list()
        for i, on in enumerate(ticks):
            self._tick(i, on)

    def _ticks(self) -> list[bool]:
        items = (self.list.item(i) for i in range(self.list.count()))
        return [item is not None and item.checkState() == Qt.CheckState.Checked for item in items]

    def _tick(self, place: int, on: bool) -> None:
        item = self.list.item(place)
        if item is not None:
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)

    # -- comparing ----------------------------------------------------------------------------------

    def compare(self) -> None:
        """Fits what is ticked, in the background."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return
        every = [*self._candidates, *self._own]
        chosen = [candidate for candidate, on in zip(every, self._ticks(), strict=True) if on]
        still = self.session.asking()

        def work(ticket: Ticket) -> tuple[Compared, ...]:
            return compare(chosen, sieved_curve(study, entry.id).curve, ticket.report)

        def done(rows: tuple[Compared, ...]) -> None:
            if still():
                self.rows = rows
                self._fill_table()
                self._draw()

        self.session.jobs.start(
            "Comparing models", "compare", work, done,
            lambda sentence: self.session.noticed.emit(sentence, "problem"), stoppable=True,
        )  # fmt: skip

    def _fill_table(self) -> None:
        self.table.setRowCount(len(self.rows))
        for i, row in enumerate(self.rows):
            for j, text in enumerate(_cells(i, row)):
                item = QTableWidgetItem(text)
                if j:
                    item.setTextAlignment(_RIGHT)
                item.setToolTip(row.problem or text)
                self.table.setItem(i, j, item)
        best = max((row for row in self.rows if row.weight is not None), key=lambda row: row.weight or 0, default=None)
        self.take.setEnabled(bool(self.rows))
        if best is not None:
            self.table.selectRow(self.rows.index(best))
        self._say_row()

    def _say_row(self) -> None:
        place = self.table.currentRow()
        chosen = self.rows[place] if 0 <= place < len(self.rows) else None
        self.verdict.setText(_verdict(place, chosen) if chosen else "Tick the models and press Compare.")

    def _draw(self) -> None:
        self.session.look_at_stage(MODEL)
        overlays = []
        for i, row in enumerate(self.rows):
            if row.result is None:
                continue
            curve = row.model.in_use(self._passed())
            x = np.linspace(float(curve.x.min()), float(curve.x.max()), _POINTS)
            overlays.append(
                Overlay(row.candidate.label, x, row.model.sum.evaluate(x, list(row.model.start.values())), i)
            )
        self.session.modelling.draw_beside(tuple(overlays))

    def _passed(self) -> Curve:
        made = self.session.sieved()
        assert made is not None, "compared models have a curve"
        return made.curve

    def take_chosen(self) -> None:
        """The chosen row's model becomes the one in hand."""
        row = self.table.currentRow()
        if 0 <= row < len(self.rows):
            chosen = self.rows[row]
            self.session.modelling.set_model(chosen.model, f"take {chosen.candidate.label}")


def _seen(curve: Curve) -> Curve:
    """Enough of the curve's points to read starts off."""
    return curve.take(slice(None, None, max(1, len(curve) // _ENOUGH)))


def _cells(place: int, row: Compared) -> list[str]:
    name = f"{letter(place)}  {row.candidate.label}"
    if row.result is None:
        return [name, "–", "–", "–", "–", "–", "–"]
    s = row.result.statistics
    return [
        name, str(len(row.result.free)), "–" if s.r2 is None else f"{s.r2:z.5f}", f"{s.rmse:.4g}",
        "–" if s.aicc is None else f"{s.aicc:.1f}", "–" if row.weight is None else f"{row.weight:.3f}",
        "–" if row.p is None else _chance(row.p),
    ]  # fmt: skip


def _chance(p: float) -> str:
    return f"{p:.2g}" if p > 1e-99 else "<1e-99"


def _verdict(place: int, row: Compared) -> str:
    """What the numbers of a row say."""
    if row.problem:
        return f"{letter(place)}: {row.problem}"
    if row.result is not None and row.result.loss != "squared":
        return (
            f"AICc and the F-test rest on squares and do not hold for the {row.result.loss} loss: compare the RMSE and "
            "what the residuals look like."
        )
    if row.weight is None:
        return f"{letter(place)} has too few points for AICc: it needs two more than its parameters."
    share = row.weight
    strength = "the data clearly prefer it" if share > 0.9 else "unlikely" if share < 0.05 else "the data do not decide"
    said = f"{letter(place)} has {100 * share:.0f} % of the AICc weight: {strength}."
    if row.f is not None:
        better = "a real gain" if (row.p or 0.0) < 0.05 else "no real gain"
        said += f" Against {row.against.lower()}: F {row.f:.3g}, p {_chance(row.p or 0.0)}, {better}."
    return said
