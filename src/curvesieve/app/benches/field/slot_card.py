"""The card of a step or a measure of a field: it switches, moves and takes itself out."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QLabel

from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.panels.rule_card import RuleCard
from curvesieve.core.rules import moved


class SlotCard(RuleCard):
    """Of the slot of an id in a `part` of the field in hand: its `sieve` or its `measures`."""

    nameable = False

    def __init__(self, work: FieldWork, part: str, slot_id: str, word: str, beside: QLabel) -> None:
        super().__init__(slot_id, word, beside)
        self.work, self.part = work, part
        self.switched.connect(self._switch)
        self.moved.connect(self._move)
        self.removed.connect(self._remove)
        self.refused.connect(work.refuse)

    def _slots(self) -> tuple[Any, ...]:
        return getattr(self.work.field, self.part) if self.work.field is not None else ()

    def _switch(self, on: bool) -> None:
        made = tuple(s.model_copy(update={"on": on}) if s.id == self.slot_id else s for s in self._slots())
        self.work.change(f"switch a {self.word}", **{self.part: made})

    def _move(self, by: int) -> None:
        at = [slot.id for slot in self._slots()].index(self.slot_id)
        self.work.change(f"move a {self.word}", **{self.part: moved(self._slots(), self.slot_id, at + by)})

    def _remove(self) -> None:
        made = tuple(slot for slot in self._slots() if slot.id != self.slot_id)
        self.work.change(f"remove a {self.word}", **{self.part: made})
