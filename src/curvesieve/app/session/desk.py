"""The desk: the current study, its history, what is in hand, and one `changed` signal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.jobs import Jobs, Ticket
from curvesieve.core.errors import InputError
from curvesieve.core.models import Model
from curvesieve.core.reading import ReadingKey
from curvesieve.core.steps import StepSlot
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study import CurveEntry, FitEntry, Study, edits
from curvesieve.core.study.passing import passed_units, sieved_curve, sieved_if_quick, unusual_catches

RECORDED, MODEL = "recorded", "model"
_MAX_HISTORY = 500


@dataclass(frozen=True)
class View:
    """What is in hand: a curve, a stage of its recipe (`RECORDED`, the id of a step's or a measure's slot, or `MODEL`),
    and a reading.
    """

    curve: str | None = None
    stage: str = MODEL
    reading: ReadingKey | None = None
    against: str = ""
    """The stage that the one in hand is compared with; empty: the one right before it."""
    iterate: int | None = None
    """The place on the way of a fit that is drawn in place of its end."""


@dataclass(frozen=True)
class _Moment:
    """A study in the history, the words for the edit that made it, and where the user was."""

    study: Study
    label: str
    merge: str
    view: View


class Desk(QObject):
    """The study with its history, and what is in hand. Widgets render from it and hand it edits."""

    changed = pyqtSignal(object, object)
    view_changed = pyqtSignal(object, object)
    sieve_done = pyqtSignal()
    marks_changed = pyqtSignal()
    figure_asked = pyqtSignal()
    """A figure of what is in hand."""
    noticed = pyqtSignal(str, str)
    """A sentence for the user and its kind: ``problem`` or ``word``."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.jobs = Jobs(self)
        self._passing: tuple[Study, str] | None = None
        self.unusual: dict[str, str] = {}
        """Curves whose shared sieve failed or caught far more than in the rest of the family, with the reason."""
        self.view = View()
        self._past: list[_Moment] = []
        self._future: list[_Moment] = []
        self._now = _Moment(Study(), "", "", self.view)
        self._saved: Study | None = self._now.study

    # -- the study and its history ------------------------------------------------------------------

    @property
    def study(self) -> Study:
        return self._now.study

    @property
    def entry(self) -> CurveEntry | None:
        """The curve in hand."""
        return self.study.entry(self.view.curve) if self.view.curve and self.study.has(self.view.curve) else None

    @property
    def slots(self) -> tuple[StepSlot, ...]:
        """The steps of the curve in hand."""
        return self.study.slots(self.entry.id) if self.entry is not None else ()

    @property
    def model(self) -> Model:
        """The model of the curve in hand; without a curve, one without terms."""
        return self.study.model(self.entry.id) if self.entry is not None else Model()

    @property
    def fit(self) -> FitEntry | None:
        """The fit of the curve in hand, which may be out of date."""
        return self.study.fit(self.entry.id) if self.entry is not None else None

    @property
    def is_saved(self) -> bool:
        return self.study is self._saved

    def apply(self, edit: edits.Edit, label: str, merge: str = "") -> bool:
        """Makes an edit one step of the history; edits in a row with the same `merge` are one step.

        An edit that the core refuses changes nothing and becomes a notice. Returns whether it was done.
        """
        try:
            made = edit(self.study)
        except InputError as error:
            self.noticed.emit(str(error), "problem")
            return False
        if made is self.study:
            return True
        old = self._now
        if not (merge and merge == old.merge and self._past and not self.is_saved):
            self._past.append(replace(old, view=self.view))
            del self._past[:-_MAX_HISTORY]
        self._future.clear()
        self._move_to(_Moment(made, label, merge, self.view), old.study)
        return True

    def undo(self) -> None:
        if self._past:
            self._future.append(replace(self._now, view=self.view))
            old, moment = self._now.study, self._past.pop()
            self._move_to(moment, old, moment.view)

    def redo(self) -> None:
        if self._future:
            self._past.append(replace(self._now, view=self.view))
            old, moment = self._now.study, self._future.pop()
            self._move_to(moment, old, moment.view)

    @property
    def undo_label(self) -> str:
        """The words for what undo would take back; empty when there is nothing."""
        return self._now.label if self._past else ""

    @property
    def redo_label(self) -> str:
        return self._future[-1].label if self._future else ""

    def _start_over(self, study: Study, saved: bool) -> None:
        """Another study, whose history begins here."""
        old = self.study
        self._past, self._future = [], []
        self._saved = study if saved else None
        self._move_to(_Moment(study, "", "", View()), old, View())

    def _move_to(self, moment: _Moment, old: Study, view: View | None = None) -> None:
        self._now = moment
        before, self.view = self.view, self._valid(view or self.view)
        self.changed.emit(old, moment.study)
        if old.document.families != moment.study.document.families:
            self._look_for_unusual()
        if self.view != before:
            self.view_changed.emit(before, self.view)

    # -- what is in hand ----------------------------------------------------------------------------

    def look(self, view: View) -> None:
        """Takes another curve, stage or reading in hand."""
        before, self.view = self.view, self._valid(view)
        if self.view != before:
            self.view_changed.emit(before, self.view)

    def look_at_curve(self, curve_id: str) -> None:
        """Takes a curve in hand, at its model."""
        self.look(View(curve_id))

    def look_at_stage(self, stage: str) -> None:
        self.look(replace(self.view, stage=stage, reading=None, against="", iterate=None))

    def _valid(self, view: View) -> View:
        curves = self.study.document.curves
        if not self.study.has(view.curve):
            return View(curves[0].id) if curves else View()
        study, id_ = self.study, view.curve
        slots = {slot.id for slot in study.slots(id_)} | {slot.id for slot in study.measures(id_)} if id_ else set()
        return view if view.stage in slots | {RECORDED, MODEL} else replace(view, stage=MODEL)

    def asking(self) -> Callable[[], bool]:
        """Whether an answer asked for now is about what is in hand when it comes: the same curve, steps and model."""
        entry = self.entry
        curve_id, key = (entry.id, self.study.fit_key(entry.id)) if entry is not None else ("", "")
        return lambda: self.view.curve == curve_id and self.study.has(curve_id) and self.study.fit_key(curve_id) == key

    def passed_units(self) -> tuple[str, str]:
        """The units of x and y of the curve in hand as it passed; none while that is not known."""
        entry = self.entry
        return (passed_units(self.study, entry.id) or ("", "")) if entry is not None else ("", "")

    def _look_for_unusual(self) -> None:
        """Compares, in the background, what the shared sieves caught from curve to curve."""
        study = self.study
        shared = [
            [id_ for id_ in family.curves if study.shares(id_, "sieve")]
            for family in study.document.families
            if family.recipe.sieve
        ]

        def work(ticket: Ticket) -> dict[str, str]:
            return {id_: why for ids in shared for id_, why in unusual_catches(study, ids, ticket.report).items()}

        def done(found: dict[str, str]) -> None:
            self.unusual = {id_: why for id_, why in found.items() if self.study.has(id_)}
            self.marks_changed.emit()

        if any(shared):
            self.jobs.start(
                "Passing the family through its sieve", "unusual", work, done, lambda _: None, stoppable=True
            )
        elif self.unusual:
            done({})

    # -- the sieve ----------------------------------------------------------------------------------

    def sieved(self) -> Sieved | None:
        """The curve in hand after its sieve; None while a large one is still being passed, in the background.

        When it is through, `sieve_done` tells.
        """
        entry, study = self.entry, self.study
        if entry is None:
            return None
        made = sieved_if_quick(study, entry.id)
        if made is None and self._passing != (study, entry.id):
            self._passing = (study, entry.id)
            self.jobs.start(
                f"Passing {entry.label} through the sieve",
                "sieve",
                lambda ticket: sieved_curve(study, entry.id),
                lambda _: self._sieve_done(),
                self._refused,
            )
        return made

    def _sieve_done(self) -> None:
        self._passing = None
        self.sieve_done.emit()

    def _refused(self, sentence: str) -> None:
        self.noticed.emit(sentence, "problem")
