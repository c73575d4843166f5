"""The Curve bench put together: canvas over ledger, sieve, model and readings beside them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QScrollArea, QSplitter, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.canvas import Canvas
from curvesieve.app.benches.curve.drawer import Drawer
from curvesieve.app.benches.curve.model_panel import ModelPanel
from curvesieve.app.benches.curve.readings_column import ReadingsColumn
from curvesieve.app.benches.curve.recipe_line import RecipeLine
from curvesieve.app.benches.curve.sieve_column import SieveColumn
from curvesieve.app.session.desk import MODEL, View
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.fold import FoldButton, keep_place_of_scroll_bar
from curvesieve.core.measures.base import registered_measures
from curvesieve.core.models import Model, OwnTerm
from curvesieve.core.sets import SETS
from curvesieve.core.steps import registered_steps
from curvesieve.core.typed import numbers_in

_COLUMN_PX = 326


def _always() -> bool:
    return True


class CurveBench(QWidget):
    """Everything that concerns the curve in hand."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.session = session
        self.canvas = Canvas(session)
        self.drawer = Drawer(session)
        self.canvas.points_asked.connect(lambda: self.drawer.show_page("Points"))
        self.canvas.asked_at.connect(self._ask_at)
        self.ledger = self.drawer.ledger
        self.recipe = RecipeLine(session)
        self.sieve = SieveColumn(session)
        self.readings = ReadingsColumn(session)
        self.canvas.previewed.connect(self.readings.show_preview)
        self.canvas.reading_asked.connect(self.readings.open_list)
        self.readings.taken.connect(self._make_room)
        self.recipe.read.clicked.connect(self.readings.open_list)
        session.view_changed.connect(lambda old, new: self._show_card(new) if old.stage != new.stage else None)
        self.model = ModelPanel(session, self._set_peak_kind, self._set_background, self.canvas.model.preview)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.setChildrenCollapsible(False)
        middle.addWidget(self.canvas)
        self.drawer.join(middle)
        middle.setStretchFactor(0, 1)
        middle.setSizes([530, 182])
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(12)
        rows.addWidget(self.recipe)
        rows.addWidget(self.sieve)
        rows.addWidget(self.model)
        rows.addWidget(self.readings)
        rows.addStretch(1)
        self.scrolled = QScrollArea()
        self.scrolled.setWidget(column)
        self.scrolled.setWidgetResizable(True)
        self.scrolled.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        keep_place_of_scroll_bar(self.scrolled)
        self.side = side = QWidget()
        side.setFixedWidth(_COLUMN_PX)
        side_rows = QVBoxLayout(side)
        side_rows.setContentsMargins(0, 0, 0, 0)
        side_rows.addWidget(self.scrolled, 1)
        side_rows.addWidget(self.model.foot)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(middle, 1)
        layout.addWidget(side)

    def _make_room(self) -> None:
        """Folds sieve and model to a line where the readings would lie below the window."""
        bar = self.scrolled.verticalScrollBar()
        if bar is not None and bar.maximum() > 0:
            self.sieve.heading.fold(True)
            self.model.heading.fold(True)

    def _show_card(self, view: View) -> None:
        """Brings the card of the reading in hand into sight, once it has its height."""
        if self.session.readings.in_hand is not None:
            QTimer.singleShot(0, lambda: self._scroll_to(view.stage))

    def _scroll_to(self, slot_id: str) -> None:
        card = self.readings.card_of(slot_id)
        if card is not None:
            self.scrolled.ensureWidgetVisible(card, 0, 8)

    def _ask_at(self, x: float) -> None:
        from curvesieve.app.benches.curve.points import PointsPage

        self.drawer.show_page("Points")
        page = self.drawer.page("Points")
        assert isinstance(page, PointsPage)
        page.ask_at_x(x)

    def _set_peak_kind(self, kind: str | OwnTerm) -> None:
        self.canvas.peak = kind

    def _set_background(self, slug: str | None) -> None:
        self.canvas.first_background = slug

    @property
    def folds(self) -> dict[str, FoldButton]:
        """The headings of all that folds, by the names that are remembered."""
        return {
            "sieve": self.sieve.heading, "model": self.model.heading, "readings": self.readings.heading,
            "drawer": self.drawer.heading, "strip": self.canvas.strip.title,
        }  # fmt: skip

    # -- actions ------------------------------------------------------------------------------------

    def action_rows(self, show_plot_alone: Callable[[], None]) -> list[ActionRow]:
        """What can be done on this bench; how the plot gets all room is the window's."""
        session, canvas, model = self.session, self.canvas, self.model

        def has_curve() -> bool:
            return session.entry is not None

        def has_terms() -> bool:
            return bool(session.model.terms)

        def has_readings() -> bool:
            return bool(self.ledger.ledger.columns)

        def page(name: str) -> Callable[[], None]:
            return lambda: self.drawer.show_page(name)

        def row(
            text: str, keys: str, run: Callable[[], object], enabled: Callable[[], bool], words: str = ""
        ) -> ActionRow:
            return ActionRow(text, keys, run, enabled, words, "Curve")

        return [
            row("Show the whole curve", "Home", canvas.show_all, has_curve),
            row("The plot alone, or all around it", "F11", show_plot_alone, has_curve, "fold full large zoom"),
            row("Fold or open the sieve", "", self.sieve.heading.click, _always),
            row("Fold or open the model", "", model.heading.click, _always),
            row("Fold or open the readings", "", self.readings.heading.click, _always),
            row("Fold or open the drawer", "", self.drawer.heading.click, _always),
            row("Fold or open the catch strip", "", canvas.strip.title.click, _always),
            row("The family behind the curve, on or off", "", canvas.beside.click, has_curve, "overlay all others"),
            row("Logarithmic x axis on or off", "", canvas.x_scale.click, has_curve),
            row("Logarithmic y axis on or off", "", canvas.y_scale.click, has_curve),
            row("Add a step…", "Ctrl+Shift+A", self.sieve.open_list, has_curve),
            row("Add a peak at an x…", "", self.ask_peak, has_curve, "center"),
            row("Find peaks", "", session.peaks.find, has_curve, "candidates search detect automatic"),
            row("Find dips", "", lambda: session.peaks.find(True), has_curve, "minima negative absorption bands"),
            row("The peaks of the model in a table", "", page("Peaks"), has_curve, "rows center area share"),
            row("How many peaks?", "", self._ask_how_many, has_curve, "number count aicc"),
            row("Take a reading…", "Ctrl+Shift+R", self.readings.open_list, has_curve, "measure"),
            row("Fit the model", "F5", model.foot.fit.click, has_terms),
            row("Read starts off the data", "", session.modelling.read_starts, has_terms),
            row("Choose a law, or type a formula…", "Ctrl+L", model.open_terms, has_curve),
            row("Find starts in the data", "F6", session.modelling.find_starts, has_terms),
            row("Save the formula as a term of your own…", "", model.ask_save_term, has_terms),
            row(
                "The numbers of the curve; ask for y at an x", "Ctrl+P", page("Points"), has_curve,
                "table points mean extremes read value",
            ),
            row("What the fit says", "Ctrl+R", page("Result"), has_curve),
            row("Size and strain: Williamson–Hall", "", page("Size and strain"), has_curve, "diffraction microstrain"),
            row("Compare models", "", page("Compare"), has_curve),
            row("Straighten the axes", "", page("Straighten"), has_curve),
            row("Readings beside the literature", "", page("Literature"), has_curve, "handbook values deviation"),
            row("Remove the model", "", lambda: session.modelling.set_model(Model(), "remove the model"), has_terms),
            row("Copy the ledger", "Ctrl+Shift+C", self.ledger.copy_table, has_readings),
            row("Write the ledger…", "", self.ledger.ask_and_write, has_readings, "csv xlsx latex json export"),
            *self.recipe.action_rows(),
        ]  # fmt: skip

    def rule_rows(self) -> list[ActionRow]:
        """An action for each step, set and measure; asked for when the finder is first opened, as it loads them all."""
        steps = [
            ActionRow(
                f"Add a step: {step.label}", "", partial(self.sieve.add_step, step),
                lambda: self.session.entry is not None, f"{step.summary} {step.words}", "Curve",
            )
            for step in registered_steps().values()
        ]  # fmt: skip
        measures = [
            ActionRow(
                f"Take a reading: {measure.label}", "", partial(self.readings.take, measure),
                lambda: self.session.entry is not None, f"{measure.summary} {measure.words}", "Curve",
            )
            for measure in registered_measures().values()
        ]  # fmt: skip
        sets = [
            ActionRow(
                f"Take the readings of a set: {one.label}", "", partial(self.readings.take, one),
                lambda: self.session.entry is not None, f"{one.about} {one.words}", "Curve",
            )
            for one in SETS
        ]  # fmt: skip
        return [*steps, *sets, *measures]

    def _ask_how_many(self) -> None:
        from curvesieve.app.benches.curve.peaks_page import PeaksPage

        self.drawer.show_page("Peaks")
        page = self.drawer.page("Peaks")
        assert isinstance(page, PeaksPage)
        page.ask_how_many()

    def ask_peak(self) -> None:
        """Adds a peak of the kind that is chosen, without the mouse."""
        text, ok = QInputDialog.getText(self, "Add a peak", "x of its center")
        if not ok:
            return
        try:
            (x,) = numbers_in(text)
        except ValueError:
            self.session.noticed.emit("A peak needs one x, such as 1338.", "problem")
            return
        self.canvas.add_peak_at(x)

    def lay_down(self) -> None:
        """Escape: a drag first, then a formula that is being typed, candidates for peaks, then the step in hand."""
        if self.canvas.drop_drag() or self.model.lay_down_formula():
            return
        if self.session.peaks.candidates is not None:
            self.session.peaks.leave()
            return
        if self.canvas.session.view.stage != MODEL:
            self.canvas.session.look_at_stage(MODEL)
            self.canvas.plot.setFocus()

    def refresh(self) -> None:
        """Renders everything anew: at the start, and after another scheme was chosen."""
        self.canvas.restyle()
        self.recipe.refresh()
        self.sieve.refresh()
        self.model.refresh()
        self.readings.refresh()
        self.ledger.refresh()
