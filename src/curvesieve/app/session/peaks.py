"""Peaks of the curve in hand: candidates that are looked at before they are added, and what is said of several."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.desk import MODEL, Desk
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.modelling import Modelling
from curvesieve.core.curve import Curve
from curvesieve.core.errors import counted
from curvesieve.core.models import Model
from curvesieve.core.study import Study, edits
from curvesieve.core.study.passing import sieved_curve

if TYPE_CHECKING:  # with the finder: loaded when peaks are first looked for
    from curvesieve.core.peaks.candidates import Candidates


class Peaks(QObject):
    """The candidates of the curve in hand, which are no part of the study, and edits of several peaks at once."""

    sought = pyqtSignal()
    """Other candidates, or another choice among them."""

    def __init__(self, session: Desk, modelling: Modelling) -> None:
        super().__init__(session)
        self.session, self.modelling = session, modelling
        self._found: Candidates | None = None
        self._about: tuple[str, str] = ("", "")
        session.changed.connect(lambda old, new: self._look_again())
        session.view_changed.connect(lambda old, new: self._look_again())

    # -- candidates -----------------------------------------------------------------------------------

    @property
    def candidates(self) -> Candidates | None:
        """Those of the curve in hand; None when none are looked for, or the model has changed since."""
        return self._found

    def _now(self) -> tuple[str, str]:
        entry = self.session.entry
        return ("", "") if entry is None else (entry.id, self.session.study.fit_key(entry.id))

    def _look_again(self) -> None:
        if self._found is not None and self._about != self._now():
            self.leave()

    def find(self, dips: bool = False) -> None:
        """Looks for candidates in the points in use, peaks or dips, in the background."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            self._refused("There is no curve to find peaks in yet. Drop a file on the window first.")
            return
        model, about = self.modelling.model_in_sight(), self._now()

        def work(ticket: Ticket) -> Candidates:
            from curvesieve.core.peaks.candidates import candidates_of

            return candidates_of(model, sieved_curve(study, entry.id).curve, dips)

        def done(found: Candidates) -> None:
            if self._now() == about:
                self.session.look_at_stage(MODEL)
                self._show(found)
                for note in found.notes:
                    self.session.noticed.emit(f"{entry.label}: {note}", "word")

        self.session.jobs.start(f"Finding peaks of {entry.label}", "peaks", work, done, self._refused)

    def _show(self, found: Candidates | None) -> None:
        self._found, self._about = found, self._now()
        self.sought.emit()

    def leave(self) -> None:
        """Lets the candidates be."""
        self._show(None)

    def set_least(self, least: float) -> None:
        """Keeps those from another signal to noise on."""
        if self._found is not None:
            self._show(self._found.at_least(least))

    def toggle(self, place: int) -> None:
        """Keeps a candidate that was not kept, or drops one that was."""
        if self._found is not None:
            self._show(self._found.toggled(place))

    def add_at(self, x: float) -> None:
        """A candidate where nothing was found."""
        from curvesieve.core.peaks.candidates import candidate_at

        made = self.session.sieved()
        if self._found is not None and made is not None:
            model = self.modelling.model_in_sight()
            self._show(self._found.with_peak(candidate_at(model, made.curve, x, self._found.dips)))

    def take(self, profile: str, background: str | None = "") -> None:
        """Adds those that are kept to the model, with a background where there is none, in the background."""
        entry, study, found = self.session.entry, self.session.study, self._found
        if entry is None or found is None:
            return
        model, about = self.modelling.model_in_sight(), self._now()

        def work(ticket: Ticket) -> tuple[Model, str]:
            from curvesieve.core.peaks.candidates import taken_into

            return taken_into(model, sieved_curve(study, entry.id).curve, found, profile, background)

        def done(made: tuple[Model, str]) -> None:
            if self._now() == about and self.session.apply(edits.set_model(entry.id, made[0]), "find peaks"):
                self.session.look_at_stage(MODEL)
                self.session.noticed.emit(f"{entry.label}: {made[1]}", "word")

        self.session.jobs.start(f"Adding peaks to {entry.label}", "peaks", work, done, self._refused)

    def read_bare(self) -> None:
        """Takes centroid, width and area of each candidate that is kept as readings, without a model."""
        from curvesieve.core.readings.bare_peaks import bare_measures

        entry, found, made = self.session.entry, self._found, self.session.sieved()
        if entry is None or found is None or made is None:
            return
        kept, curve = found.kept, made.curve

        def edit(study: Study) -> Study:
            for measure, name in bare_measures(kept, curve):
                study = edits.add_measure(entry.id, measure, name)(study)
            return study

        if self.session.apply(edit, "read peaks off"):
            self.leave()
            said = f"{counted(len(kept), 'peak')} read off without a model: centroid, width and area of each."
            self.session.noticed.emit(said, "word")

    # -- several peaks at once ------------------------------------------------------------------------

    def say(self, change: Callable[[Model], Model], label: str) -> bool:
        """Something else said of peaks of the model in hand; what is refused is told."""
        entry = self.session.entry
        if entry is None:
            return False
        seen = self.modelling.model_in_sight

        def edit(study: Study) -> Study:
            return edits.set_model(entry.id, change(seen()))(study)

        return self.session.apply(edit, label)

    def fit_alone(self, numbers: Sequence[int]) -> None:
        """Fits these peaks to the points around them with all the rest held; the outcome is a start.

        Without numbers all are fitted so, region by region.
        """
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return
        model, about = self.modelling.model_in_sight(), self._now()
        what = counted(len(numbers), "peak") if numbers else "All peaks"

        def work(ticket: Ticket) -> Model:
            from curvesieve.core.peaks.making import fitted_by_regions, fitted_region

            curve: Curve = sieved_curve(study, entry.id).curve
            if not numbers:
                return fitted_by_regions(model, curve, lambda values: ticket.stop_if_asked())
            return fitted_region(model, curve, numbers, lambda values: ticket.stop_if_asked())

        def done(made: Model) -> None:
            if self._now() != about:
                return
            if made == model:
                self._refused("The chosen peaks did not come to rest by themselves; drag them nearer, or fit all.")
            elif self.session.apply(edits.set_model(entry.id, made), f"fit {what.lower()} alone"):
                said = f"{what} moved to the points around; what was not chosen stayed. Fit all for u."
                self.session.noticed.emit(said, "word")

        self.session.jobs.start("Fitting the chosen peaks", "fit", work, done, self._refused, stoppable=True)

    def match_family(self) -> None:
        """Gives the peaks of the family's other curves the numbers and names of those in hand that lie there."""
        from curvesieve.core.peaks.shaping import matched

        entry = self.session.entry
        family = self.session.study.family_of(entry.id) if entry is not None else None
        if entry is None or family is None:
            self._refused("This curve is in no family whose peaks could be matched.")
            return
        told: list[str] = []

        def edit(study: Study) -> Study:
            reference = self.modelling.model_in_sight()
            for other in family.curves:
                old = study.model(other)
                if other == entry.id or not old.peaks or study.shares(other, "model"):
                    continue
                fit = study.fit(other)
                seen = old if fit is None else old.starting_at(fit.result.values)
                made, said = matched(seen, reference)
                told.extend(f"{study.entry(other).label}: {one}" for one in said)
                if made != seen:
                    study = edits.set_model(other, made)(study)
            return study

        before = self.session.study
        if not self.session.apply(edit, "match the family's peaks"):
            return
        count = sum(before.model(one) != self.session.study.model(one) for one in family.curves)
        said = f"Peaks of {counted(count, 'curve')} are named as those here." if count else "All peaks match already."
        self.session.noticed.emit(" ".join([said, *(f"{one}." for one in told[:3])]), "problem" if told else "word")

    def _refused(self, sentence: str) -> None:
        self.session.noticed.emit(sentence, "problem")
