"""The fields of the study, and the sieve of the one in hand: a card a step, each with what it took away."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from curvesieve.app.benches.field.rule_lists import FieldStepList
from curvesieve.app.benches.field.slot_card import SlotCard
from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.widgets.basics import Elided, button, empty, label, plain_tip
from curvesieve.app.widgets.fold import keep_place_of_scroll_bar
from curvesieve.app.widgets.line import Line
from curvesieve.core.fields.steps.base import FieldSlot, FieldStep
from curvesieve.core.study import edits

_LEFT_PX = 212
_NO_UNITS = ("", "", "")


class FieldLeft(QWidget):
    """Reports where a menu of ways to make a field is asked for."""

    new_asked = pyqtSignal(QPoint)

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.setFixedWidth(_LEFT_PX)
        self.new = button("+ new", "bare", "A field of a file, a record, a family, a formula, or of two others")
        self.new.clicked.connect(lambda: self.new_asked.emit(self.new.mapToGlobal(QPoint(0, self.new.height()))))
        self.names = QVBoxLayout()
        self.names.setSpacing(4)
        self.name = Line()
        self.name.setAccessibleName("name of the field")
        self.name.editingFinished.connect(self._name)
        self.origin = Elided(role="muted")
        self.add = button("+ step", "bare", "Level, remove spikes, crop, smooth, convert …")
        self.add.clicked.connect(self.open_steps)
        self.cards = QVBoxLayout()
        self.cards.setSpacing(6)
        self.recorded = label("As recorded", "strong")
        self.recorded_words = label(role="muted", wrap=True)
        self.steps: dict[str, SlotCard] = {}
        self.messages: dict[str, QLabel] = {}
        self._named: list[tuple[str, str, bool]] = []
        self._list: FieldStepList | None = None
        column = self._make_column()
        area = QScrollArea()
        area.setWidget(column)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        keep_place_of_scroll_bar(area)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(area)

    def _make_column(self) -> QWidget:
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        self.headings = {}
        for words, extra in (
            ("FIELDS", self.new),
            ("SIEVE OF THE FIELD", self.add),
            ("NAME AND ORIGIN", None),
        ):
            heading = label(words, "section")
            self.headings[words] = heading
            top = QHBoxLayout()
            top.addWidget(heading)
            top.addStretch(1)
            if extra is not None:
                top.addWidget(extra)
            rows.addLayout(top)
            if extra is self.new:
                rows.addLayout(self.names)
            elif extra is self.add:
                for part in (self.recorded, self.recorded_words):
                    rows.addWidget(part)
                rows.addLayout(self.cards)
                rows.addSpacing(8)
            else:
                rows.addWidget(self.name)
                rows.addWidget(self.origin)
        rows.addStretch(1)
        return column

    def refresh(self) -> None:
        """Renders the fields and the sieve of the one in hand."""
        work, field = self.work, self.work.field
        state = [
            (one.id, one.name, field is not None and one.id == field.id) for one in work.session.study.document.fields
        ]
        if state != self._named:
            self._named = state
            self._name_fields()
        for part in (
            self.name,
            self.origin,
            self.add,
            self.recorded,
            self.recorded_words,
            *list(self.headings.values())[1:],
        ):
            part.setVisible(field is not None)
        if field is None:
            empty(self.cards)
            self.steps = {}
            return
        if not self.name.hasFocus():
            self.name.setText(field.name)
        shown = work.shown_now
        self.recorded_words.setText(shown.prepared.gathered.told if shown is not None else "…")
        self.origin.set(work.session.study.field_origin(field.id))
        self._fill_steps(field.sieve)

    def _name_fields(self) -> None:
        empty(self.names)
        for id_, name, chosen in self._named:
            words = self.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, _LEFT_PX - 48)
            row = button(words.replace("&", "&&"), "tab", plain_tip(name))
            row.setCheckable(True)
            row.setChecked(chosen)
            row.clicked.connect(partial(self.work.take_field, id_))
            self.names.addWidget(row)

    def _fill_steps(self, slots: tuple[FieldSlot, ...]) -> None:
        shown = self.work.shown_now
        trails = {one.slot.id: one for one in shown.prepared.trail} if shown is not None else {}
        # each step speaks in the units of what comes to it: one before it may have changed them
        befores = {id_: trail.before.names for id_, trail in trails.items()}
        units = {id_: (names.x_unit, names.y_unit, names.z_unit) for id_, names in befores.items()}
        kept = {
            slot.id: card for slot in slots
            if (card := self.steps.get(slot.id)) is not None and card.serves(slot.rule, units.get(slot.id, _NO_UNITS))
        }  # fmt: skip
        if list(kept) != [slot.id for slot in slots] or list(self.steps) != list(kept):
            for id_, card in self.steps.items():
                if id_ not in kept:
                    card.hide()
                    card.deleteLater()
            while self.cards.count():
                self.cards.takeAt(0)
            self.steps = {}
            for slot in slots:
                card = kept.get(slot.id) or self._card(slot)
                self.steps[slot.id] = card
                self.cards.addWidget(card)
        for slot in slots:
            card, trail = self.steps[slot.id], trails.get(slot.id)
            said = self.messages[slot.id]
            said_in = units.get(slot.id, _NO_UNITS)
            card.show_slot(slot, said_in, trail.problem if trail is not None else "", slot.id == self.work.step_id)
            said.setText(trail.passed.message if trail is not None and not trail.problem else "")
            said.setVisible(bool(said.text()))

    def _card(self, slot: FieldSlot) -> SlotCard:
        card = SlotCard(self.work, "sieve", slot.id, "step", label())
        self.messages[slot.id] = said = label(role="muted", wrap=True)
        card.rows.insertWidget(1, said)
        card.clicked.connect(partial(self._take, slot.id))
        card.changed.connect(partial(self._changed, slot.id))
        return card

    def _take(self, slot_id: str) -> None:
        self.work.step_id = "" if self.work.step_id == slot_id else slot_id
        self.work.changed.emit()

    def _changed(self, slot_id: str, rule: FieldStep) -> None:
        field = self.work.field
        if field is not None:
            self.work.session.apply(edits.field_step(field.id, rule, slot_id), rule.label.lower())

    def open_steps(self) -> None:
        """The list of steps, to be searched."""
        if self._list is None:
            self._list = FieldStepList(self.window() or self)
            self._list.chosen.connect(self._add)
        corner = self.add.mapTo(self.window() or self, QPoint(560, self.add.height()))
        self._list.open(corner)

    def _add(self, rule: type[FieldStep]) -> None:
        work, field = self.work, self.work.field
        if field is None:
            return
        shown = work.shown_now
        made = rule.for_points(shown.prepared.points) if shown is not None else rule()
        work.step_id = edits.free_step(field)
        work.session.apply(edits.field_step(field.id, made, work.step_id), f"add {made.label.lower()}")

    def _name(self) -> None:
        field, text = self.work.field, self.name.text().strip()
        if field is None or text == field.name:
            return
        try:
            edit = edits.name_field(field.id, text)
        except ValueError as error:
            self.work.refuse(str(error))
            self.name.setText(field.name)
            return
        if not self.work.session.apply(edit, "name a field"):
            self.name.setText(field.name)
