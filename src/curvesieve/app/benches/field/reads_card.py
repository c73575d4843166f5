"""The readings of the field in hand: a card a measure with its numbers."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from curvesieve.app.benches.field.rule_lists import FieldMeasureList
from curvesieve.app.benches.field.slot_card import SlotCard
from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.widgets.basics import Elided, empty, label
from curvesieve.core.fields.reads.base import FieldMeasure, MeasureSlot, SeenField
from curvesieve.core.study import edits


class ReadsCard(QWidget):
    """A card a measure with its numbers."""

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.cards = QVBoxLayout(self)
        self.cards.setContentsMargins(0, 0, 0, 0)
        self.cards.setSpacing(6)
        self.made: dict[str, SlotCard] = {}
        self.numbers: dict[str, Any] = {}
        self._list: FieldMeasureList | None = None

    def refresh(self) -> None:
        """Renders the measures of the field in hand."""
        field, shown = self.work.field, self.work.shown_now
        slots = field.measures if field is not None else ()
        reads = {one.slot.id: one for one in shown.reads} if shown is not None else {}
        names = shown.prepared.points.names if shown is not None else None
        said = (names.x_unit, names.y_unit, names.z_unit) if names is not None else ("", "", "")
        ids = [slot.id for slot in slots]
        fits = all(
            id_ in self.made and self.made[id_].serves(slot.rule, said) for id_, slot in zip(ids, slots, strict=True)
        )
        if list(self.made) != ids or not fits:
            empty(self.cards)
            self.made, self.numbers = {}, {}
            for slot in slots:
                self.cards.addWidget(self._card(slot))
        for slot in slots:
            read = reads.get(slot.id)
            problem = read.problem if read is not None else ""
            self.made[slot.id].show_slot(slot, said, problem, slot.id == self.work.measure_id)
            words = "\n".join(f"{one.symbol}  {one.written}" + (f"  – {one.doubt}" if one.doubt and k == 0 else "")
                              for k, one in enumerate(read.readings)) if read is not None else ""  # fmt: skip
            self.numbers[slot.id].setText(words)
            self.numbers[slot.id].setVisible(bool(words))
            tips = "\n".join(f"{one.name}: {one.how}" for one in read.readings) if read is not None else ""
            self.numbers[slot.id].setToolTip(tips)
            beside = self.made[slot.id].beside
            assert isinstance(beside, Elided)
            beside.set(read.message if read is not None and not problem else "")

    def _card(self, slot: MeasureSlot) -> SlotCard:
        card = SlotCard(self.work, "measures", slot.id, "measure", Elided(role="muted"))
        words = label("", "", wrap=True)
        words.setAccessibleName(f"numbers of {slot.rule.label}")
        card.rows.addWidget(words)
        card.clicked.connect(partial(self._take, slot.id))
        card.changed.connect(partial(self._changed, slot.id))
        self.made[slot.id], self.numbers[slot.id] = card, words
        return card

    def _take(self, slot_id: str) -> None:
        self.work.measure_id = "" if self.work.measure_id == slot_id else slot_id
        self.work.changed.emit()

    def _changed(self, slot_id: str, rule: FieldMeasure) -> None:
        if self.work.field is not None:
            self.work.session.apply(edits.field_measure(self.work.field.id, rule, slot_id), rule.label.lower())

    def open_list(self, beside: QWidget) -> None:
        """The list of measures, to be searched."""
        if self._list is None:
            self._list = FieldMeasureList(self.window() or self)
            self._list.chosen.connect(self.add)
        self._list.open(beside.mapTo(self.window() or self, QPoint(beside.width(), beside.height())))

    def add(self, rule: type[FieldMeasure]) -> None:
        """A measure more, as suits the surface."""
        work, field, shown = self.work, self.work.field, self.work.shown_now
        if field is None:
            return
        filled = shown.filled if shown is not None else None
        made = rule.for_field(SeenField(filled.surface, filled.grid)) if filled is not None else rule()
        work.session.apply(edits.field_measure(field.id, made), f"read {made.label.lower()}")
        if work.field is not None and work.field.measures:
            work.measure_id = work.field.measures[-1].id
            work.changed.emit()
