"""What is in hand on the Field bench: a field and what is shown of it; surfaces are worked out in the background."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from curvesieve.app.benches.field.shown import LOOKED_AT, Shown, work_out
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.core.errors import InputError
from curvesieve.core.fields.slices import SliceSpec
from curvesieve.core.study import edits
from curvesieve.core.study.edits.base import new_id
from curvesieve.core.study.field_parts import FieldEntry, FieldSource

if TYPE_CHECKING:
    from curvesieve.core.fields.compare import Judged
    from curvesieve.core.fields.left_out import LeftOut
    from curvesieve.core.fields.steps import FieldTrail
    from curvesieve.core.study.field_ledger import FieldLedger

_ASKED_BY_HAND = 1_000
"""Of more points, ways are compared when that is asked for."""


class FieldWork(QObject):
    """The field in hand. `changed` tells that anything to be seen is another, `noted` in words what was done."""

    changed = pyqtSignal()
    noted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.field_id = ""
        self.step_id = ""
        """The step in hand; its catch is shown."""
        self.measure_id = ""
        self.slice_number = -1
        self.shown: Shown | None = None
        self.problem = ""
        """Why the points cannot be had."""
        self.judged: tuple[str, list[Judged]] | None = None
        """The ways side by side, with the key of the points they are about."""
        self.ledger: FieldLedger | None = None
        """The readings of all fields, as they were read last."""
        self._read_key = ""
        self._asked = ""
        self.awake = False
        """Whether the bench is seen: nothing is worked out for one that is not."""
        session.changed.connect(lambda old, new: self.renew())
        self._was_stopped = False
        # a moment later: a job that another replaces is gone for an instant
        session.jobs.busy_changed.connect(lambda text: QTimer.singleShot(0, self._see_stop))

    # -- what is in hand ----------------------------------------------------------------------------

    @property
    def field(self) -> FieldEntry | None:
        """The field in hand: the first, when that which was is gone."""
        fields = self.session.study.document.fields
        return next((one for one in fields if one.id == self.field_id), fields[0] if fields else None)

    @property
    def shown_now(self) -> Shown | None:
        """What was worked out last of the field in hand, while it may be older than what the study says."""
        field = self.field
        return self.shown if field is not None and self.shown is not None and self.shown.field.id == field.id else None

    def take_field(self, field_id: str) -> None:
        """Takes a field in hand."""
        self.field_id, self.step_id, self.measure_id, self.slice_number = field_id, "", "", -1
        self.problem = ""
        self.renew()

    @property
    def busy(self) -> bool:
        """Whether what is seen is not yet what the study says."""
        field = self.field
        return field is not None and not self.problem and (self.shown is None or self.shown.key != self._key(field))

    @property
    def stopped(self) -> bool:
        """Whether the work on what the study says was stopped: what is seen is of before."""
        return self.busy and self._asked != "" and not self.session.jobs.running("field")

    def again(self) -> None:
        """Works out what was stopped."""
        self._asked = ""
        self.renew()

    def _key(self, field: FieldEntry) -> str:
        looks = field.look.shows if field.look.shows in LOOKED_AT else ""
        parts = (field.levels, field.slices, *field.measures)
        steps = [(slot.id, slot.on, slot.name) for slot in field.sieve]
        return "|".join(
            [
                field.id,
                self.session.study.field_key(field.id),
                looks,
                repr(steps),
                *(p.model_dump_json() for p in parts),
            ]
        )

    def _see_stop(self) -> None:
        if self.awake and self.stopped != self._was_stopped:
            self._was_stopped = self.stopped
            self.changed.emit()

    # -- work in the background ---------------------------------------------------------------------

    def renew(self) -> None:
        """Works out what is seen of the field in hand, where it is not known."""
        field = self.field
        if field is None:
            self.shown, self.problem = None, ""
        elif self.awake:
            key = self._key(field)
            if (self.shown is None or self.shown.key != key) and self._asked != key:
                self._ask(field, key)
        self.changed.emit()

    def _ask(self, field: FieldEntry, key: str) -> None:
        study = self.session.study
        self._asked, self.problem = key, ""

        def work(ticket: Ticket) -> Shown:
            from curvesieve.core.study.passing import giver

            return work_out(study, field, key, giver(study), ticket)

        def done(found: Shown) -> None:
            if self._asked == found.key:
                self._asked = ""
            now = self.field
            if now is not None and self._key(now) == found.key:
                self.shown, self.problem = found, ""
                self.changed.emit()
                self._compare_if_little()
                self._read_all()

        def failed(sentence: str) -> None:
            if self._asked == key:
                self._asked = ""
                if self.field is not None and self._key(self.field) == key:
                    self.shown, self.problem = None, sentence
                    self.changed.emit()

        self.session.jobs.start(f"Filling in {field.name}", "field", work, done, failed, stoppable=True)

    def _read_all(self) -> None:
        """Reads all fields for the ledger, in the background, where any of them is another than it was."""
        study = self.session.study
        fields = [one for one in study.document.fields if one.measures]
        slots = [
            (study.field_key(one.id), one.name, *(slot.model_dump_json() for slot in one.measures)) for one in fields
        ]
        key = repr(slots)
        if key == self._read_key:
            return

        def work(ticket: Ticket) -> FieldLedger:
            from curvesieve.core.study.field_ledger import field_ledger
            from curvesieve.core.study.passing import giver

            return field_ledger(study, giver(study))

        def done(found: FieldLedger) -> None:
            self._read_key, self.ledger = key, found
            self.changed.emit()

        self.session.jobs.start("Reading the fields", "ledger of fields", work, done, self.refuse, stoppable=True)

    def _compare_if_little(self) -> None:
        shown = self.shown
        if shown is not None and len(shown.prepared.points) <= _ASKED_BY_HAND:
            self.compare()

    def compare(self) -> None:
        """Sets the ways of filling side by side, in the background."""
        field, study = self.field, self.session.study
        if field is None or self.shown_now is None:
            return
        key = study.field_key(field.id)
        if self.judged is not None and self.judged[0] == key:
            return

        def work(ticket: Ticket) -> list[Judged]:
            from curvesieve.core.study.fields import judged
            from curvesieve.core.study.passing import giver

            return judged(study, field.id, giver(study), ticket.report)

        def done(found: list[Judged]) -> None:
            self.judged = (key, found)
            self.changed.emit()

        self.session.jobs.start(f"Comparing ways for {field.name}", "ways", work, done, self.refuse, stoppable=True)

    @property
    def ways(self) -> list[Judged]:
        """The ways side by side, of the field as it stands; none while that is not known."""
        field = self.field
        if field is None or self.judged is None or self.judged[0] != self.session.study.field_key(field.id):
            return []
        return self.judged[1]

    # -- what is looked at --------------------------------------------------------------------------

    @property
    def step_seen(self) -> FieldTrail | None:
        """The step whose catch is looked at: the one in hand, else the last."""
        trail = self.shown_now.prepared.trail if self.shown_now is not None else ()
        return next((one for one in trail if one.slot.id == self.step_id), trail[-1] if trail else None)

    @property
    def judged_now(self) -> LeftOut | None:
        """How far the way in hand missed left-out points, where that is known."""
        way = self.filling.way
        return next((one.left_out for one in self.ways if one.way == way and one.left_out is not None), None)

    @property
    def view(self) -> str:
        """What is looked at; the map where what is wanted cannot be had, or is not there yet."""
        field, shown = self.field, self.shown_now
        wanted = field.look.shows if field is not None else "map"
        if shown is None or shown.filled is None:
            return "caught" if wanted == "caught" and self.step_seen is not None else "map"
        there = {
            "u": shown.filled.grid.u is not None,
            "misses": self.judged_now is not None or shown.misses is not None,
            "caught": self.step_seen is not None,
        }
        return wanted if there.get(wanted, True) else "map"

    # -- edits --------------------------------------------------------------------------------------

    def change(self, words: str, merge: str = "", /, **changes: Any) -> bool:
        """Changes parts of the field in hand; what cannot be is said. Returns whether it was done."""
        field = self.field
        return field is not None and self.session.apply(edits.change_field(field.id, **changes), words, merge)

    def changed_part(self, part: str, words: str, merge: str = "", /, **what: Any) -> bool:
        """Changes fields of a part (`look`, `slices`, `levels`, `filling`) of the field in hand, checked."""
        from curvesieve.core.changed import changed as with_fields

        field = self.field
        if field is None:
            return False
        try:
            made = with_fields(self.filling if part == "filling" else getattr(field, part), **what)
        except InputError as error:
            self.refuse(str(error))
            return False
        return self.change(words, merge, **{part: made})

    @property
    def filling(self) -> Any:
        """How the field in hand is filled in: as it says, or as suits its points."""
        from curvesieve.core.fields.surface import Filling
        from curvesieve.core.study.fields import filling_of

        field, shown = self.field, self.shown_now
        if field is None or shown is None:
            return field.filling if field is not None and field.filling is not None else Filling()
        return filling_of(field, shown.prepared.points)

    def add(self, source: FieldSource, name: str) -> bool:
        """Makes a field and takes it in hand."""
        id_ = new_id("field")
        if not self.session.apply(edits.add_field(source, name, id_), f"make the field {name}"):
            return False
        self.take_field(id_)
        return True

    def family_of_slices(self) -> bool:
        """Brings the slices in as a family that follows the field."""
        field, shown = self.field, self.shown_now
        if field is None or shown is None:
            return False
        names = shown.prepared.points.names
        specs = [one.spec for one in shown.slices if one.known]
        labels = [spec.named(names) for spec in specs]
        across = (names.y, names.y_unit) if field.slices.along == "x" else (names.x, names.x_unit)
        return self.session.apply(
            edits.slices_as_family(field.id, specs, labels, across), f"slices of {field.name} as a family"
        )

    def refuse(self, sentence: str) -> None:
        """Says why something was not done."""
        self.session.noticed.emit(sentence, "problem")


def line_spec(ends: tuple[float, float, float, float], width: float = 0.0) -> SliceSpec:
    """A slice drawn anywhere over the map."""
    return SliceSpec(along="line", ends=ends, width=width)
