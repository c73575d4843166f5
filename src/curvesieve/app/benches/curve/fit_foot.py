"""The outcome of a fit, the way it went, and the buttons: a part of its own, in sight however long the model is."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QSlider, QVBoxLayout, QWidget

from curvesieve.app.session.desk import MODEL
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.study import CurveEntry


class FitFoot(QWidget):
    """Renders the fit in hand and starts the next."""

    def __init__(self, session: Session, remove_chosen: Callable[[], None]) -> None:
        super().__init__()
        self.session, self.modelling = session, session.modelling
        self.outcome = label(role="muted", wrap=True)
        self.warning = label(role="problem", wrap=True)
        self.scrub = self._make_scrubber()
        self.remove = button("Remove peak", tip="Take the peak of the chosen row, or the last one, out of the model")
        self.remove.clicked.connect(remove_chosen)
        self.starts = button("Starts ▾", tip="Where the fit begins: found in the data, or taken from another curve")
        self.starts.clicked.connect(self._open_starts)
        self.fit = button("Fit", "act", "Fit the model to the points in use (F5)")
        self.fit.clicked.connect(self._fit_or_stop)
        buttons = QHBoxLayout()
        buttons.addWidget(self.remove)
        buttons.addStretch(1)
        buttons.addWidget(self.starts)
        buttons.addWidget(self.fit)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 8, 0)
        rows.setSpacing(5)
        for widget in (self.outcome, self.warning, self.scrub):
            rows.addWidget(widget)
        rows.addLayout(buttons)
        session.jobs.busy_changed.connect(lambda text: self.show_buttons())

    def _make_scrubber(self) -> QWidget:
        """A slider over the places that the fit went through."""
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("place on the way of the fit")
        self.slider.setToolTip("Go back along the way of the fit; the right end is the result")
        self.slider.valueChanged.connect(self._scrubbed)
        self.place = label(role="muted")
        self.place.setMinimumWidth(74)
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("way", "muted"))
        row.addWidget(self.slider, 1)
        row.addWidget(self.place)
        return made

    def refresh(self, stale: bool) -> None:
        entry = self.session.entry
        self._show_outcome(entry, stale)
        places = self.modelling.places()
        self.scrub.setVisible(len(places) > 1)
        if places:
            at = self.session.view.iterate
            self.slider.blockSignals(True)
            self.slider.setRange(0, len(places) - 1)
            self.slider.setValue(len(places) - 1 if at is None else at)
            self.slider.blockSignals(False)
            self._say_place()
        self.show_buttons()

    def _say_place(self) -> None:
        last = self.slider.value() == self.slider.maximum()
        self.place.setText("the result" if last else f"step {self.slider.value()} of {self.slider.maximum()}")

    def _scrubbed(self, place: int) -> None:
        self.modelling.look_at_iterate(None if place == self.slider.maximum() else place)

    def _show_outcome(self, entry: CurveEntry | None, stale: bool) -> None:
        self.outcome.hide()
        self.warning.hide()
        fit = self.session.fit
        if fit is None:
            return
        result = fit.result
        unit = units.shown(fit.y_unit)
        s = result.statistics
        r2 = "–" if s.r2 is None else f"{s.r2:z.4f}"
        state = f"converged in {counted(result.iterations, 'step')}" if result.converged else "did not converge"
        left_out = fit.passed - fit.basis.used
        used = f"{counted(fit.basis.used, 'point')} used" + (f", {left_out:,} left out" if left_out else "")
        self.outcome.setText(f"R² {r2} · RMSE {s.rmse:.3g} {unit} · {used} · {state}")
        self.outcome.show()
        problems = list(result.warnings) if result.converged else [result.message, *result.warnings]
        if stale:
            problems.insert(0, "Out of date: the sieve changed after this fit. Press Fit.")
        self.warning.setText("\n".join(problems))
        self.warning.setVisible(bool(problems))

    def show_buttons(self) -> None:
        model = self.session.model
        has_terms = bool(model.terms)
        self.fit.setText("Stop" if self.modelling.is_fitting else "Fit")
        self.fit.setEnabled(has_terms)
        self.starts.setEnabled(has_terms and not self.modelling.is_searching)
        self.remove.setEnabled(bool(model.peaks))

    def starts_menu(self) -> QMenu:
        """The ways to other starts."""
        menu = QMenu(self)
        for text, run in (
            ("Read off the data", self.modelling.read_starts),
            ("Find in the data, all at once", self.modelling.find_starts),
        ):  # fmt: skip
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _=False, run=run: run())
        others = self.modelling.other_curves()
        menu.addSeparator()
        for id_, text in others:
            action = menu.addAction(f"Take those of {text}")
            assert action is not None
            action.triggered.connect(lambda _=False, id_=id_: self.modelling.take_starts(id_))
        if not others:
            action = menu.addAction("No other curve has this model")
            assert action is not None
            action.setEnabled(False)
        return menu

    def _open_starts(self) -> None:
        self.starts_menu().popup(self.starts.mapToGlobal(self.starts.rect().topLeft()))

    def _fit_or_stop(self) -> None:
        if self.modelling.is_fitting:
            self.modelling.stop_fit()
        else:
            self.session.look_at_stage(MODEL)
            self.modelling.fit()
