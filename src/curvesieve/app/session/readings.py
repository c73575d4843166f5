"""The readings of curves: what measures read, known at once where that is little work, else in the background."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.desk import Desk
from curvesieve.app.session.jobs import Ticket
from curvesieve.core.errors import counted
from curvesieve.core.measures.base import Measure, MeasureSlot
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.measures.straight_axes import same_law
from curvesieve.core.sets import MeasureSet
from curvesieve.core.study import Study, edits
from curvesieve.core.study.measuring import (
    measure_curves,
    measured_curve,
    measured_if_quick,
    preview_measure,
    unread,
)
from curvesieve.core.study.outcomes import Outcomes

_AT_ONCE = 8
"""Curves that are read while the window waits, where each of them is quick."""


class Readings(QObject):
    """What is read of the curve in hand and of its family. `read` tells that more is known than before."""

    read = pyqtSignal()

    def __init__(self, session: Desk) -> None:
        super().__init__(session)
        self.session = session
        self._asked: dict[str, tuple[Study, object]] = {}

    @property
    def slots(self) -> tuple[MeasureSlot, ...]:
        """The measures of the curve in hand."""
        entry = self.session.entry
        return self.session.study.measures(entry.id) if entry is not None else ()

    @property
    def in_hand(self) -> MeasureSlot | None:
        """The measure in hand."""
        stage = self.session.view.stage
        return next((slot for slot in self.slots if slot.id == stage), None)

    def outcomes(self) -> Outcomes | None:
        """What the measures of the curve in hand read and drew; None while that is worked out in the background."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return ()
        found = measured_if_quick(study, entry.id)
        if found is None:
            curve_id = entry.id
            self._start(
                "reading",
                f"Reading {entry.label}",
                curve_id,
                lambda ticket: measured_curve(study, curve_id),
            )
        return found

    def preview(self, slot: MeasureSlot, rule: Measure) -> Outcome | None:
        """What a measure of the curve in hand would read with other fields."""
        entry = self.session.entry
        return None if entry is None else preview_measure(self.session.study, entry.id, slot, rule)

    def look_up(self, curve_ids: Sequence[str], whose: str = "ledger") -> None:
        """Has the readings of these curves worked out where they are not known; one list at a time for each asker."""
        study = self.session.study
        missing = unread(study, curve_ids)
        if len(missing) <= _AT_ONCE:
            missing = [id_ for id_ in missing if measured_if_quick(study, id_) is None]
        if missing:
            self._start(
                f"readings for the {whose}",
                f"Reading {counted(len(missing), 'curve')}",
                tuple(missing),
                lambda ticket: measure_curves(study, missing, ticket.report),
                stoppable=True,
            )

    def _start(
        self, key: str, label: str, about: object, work: Callable[[Ticket], object], stoppable: bool = False
    ) -> None:
        """Starts work, but for what was asked of this very study before and runs, or was stopped by hand."""
        asked = (self.session.study, about)
        before = self._asked.get(key)
        same = before is not None and before[0] is asked[0] and before[1] == about
        if same and (stoppable or self.session.jobs.running(key)):
            return
        self._asked[key] = asked
        self.session.jobs.start(
            label, key, work, lambda _: self.read.emit(), lambda said: self.session.noticed.emit(said, "problem"),
            stoppable=stoppable,
        )  # fmt: skip

    # -- edits --------------------------------------------------------------------------------------

    def keep(self, found: Sequence[tuple[Measure, str]]) -> None:
        """Adds measures with their names to the curve in hand, as one edit."""
        entry = self.session.entry
        if entry is None:
            return
        curve_id = entry.id

        def edit(study: Study) -> Study:
            for measure, name in found:
                study = edits.add_measure(curve_id, measure, name)(study)
            return study

        if self.session.apply(edit, "keep an answer"):
            self.session.noticed.emit(f"Kept {counted(len(found), 'reading')}: see the ledger.", "word")

    def take_set(self, chosen: MeasureSet) -> None:
        """Adds the measures of a set to the curve in hand, as one edit."""
        entry = self.session.entry
        if entry is not None:
            edit = edits.add_measures(entry.id, chosen.recipe.measures)
            self.session.apply(edit, f"take {chosen.label.lower()}")

    def take_as(self, measure: Measure) -> None:
        """Takes a reading as it is given, or puts the one of its kind that is there in hand."""
        there = next((s for s in self.slots if s.on and same_law(s.rule, measure)), None)
        if there is not None:
            self.session.look_at_stage(there.id)
        else:
            self.take(measure)

    def take(self, measure: Measure) -> None:
        """Adds a measure to the curve in hand, and takes it in hand."""
        entry = self.session.entry
        if entry is None:
            return
        known = {slot.id for slot in self.slots}
        if self.session.apply(edits.add_measure(entry.id, measure), f"take {measure.label.lower()}"):
            (new,) = [slot.id for slot in self.slots if slot.id not in known]
            self.session.look_at_stage(new)
