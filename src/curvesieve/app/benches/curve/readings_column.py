"""The readings column: quantities, a card a measure with what it read, and the way to take one more."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property, partial

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.measure_card import MeasureCard
from curvesieve.app.benches.curve.measure_list import MeasureList
from curvesieve.app.benches.curve.quantities import QuantitiesCard
from curvesieve.app.benches.curve.sharing import sharing_rows
from curvesieve.app.session import recipes
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.fold import FoldButton
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.unit_menu import unit_rows
from curvesieve.core.curve import Curve
from curvesieve.core.errors import counted
from curvesieve.core.measures.base import Measure, MeasureSlot
from curvesieve.core.measures.outcome import Outcome
from curvesieve.core.reading import Reading
from curvesieve.core.sets import MeasureSet
from curvesieve.core.study import edits
from curvesieve.core.study.outcomes import Outcomes

WORD = "list of readings"


class ReadingsColumn(QWidget):
    """Renders the measures of the curve in hand and turns clicks into edits of them. `taken`: there is one more."""

    taken = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.count = label(role="muted")
        self.more = button("…", "bare", "Whose readings these are: this curve's, or the family's")
        self.more.setAccessibleName("the readings as a whole")
        self.more.clicked.connect(self._open_menu)
        self.heading = FoldButton("READINGS", "the readings")
        self.heading.turned.connect(self._turned)
        self.quantities = QuantitiesCard(session)
        self.add = button("+  Take a reading", tip="Choose what to read off the curve or its fit")
        self.add.clicked.connect(self.open_list)
        self.for_all = button("", tip="Read all curves of the family in the same way")
        self.for_all.clicked.connect(lambda: recipes.share_parts(session, ("measures",)))
        self._cards: list[MeasureCard] = []
        self._built_for = ""
        head = QHBoxLayout()
        head.addWidget(self.heading)
        head.addStretch(1)
        head.addWidget(self.count)
        head.addWidget(self.more)
        self.body = QWidget()
        inside = QVBoxLayout(self.body)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(6)
        inside.addWidget(self.quantities)
        self.stack = QVBoxLayout()
        self.stack.setSpacing(6)
        inside.addLayout(self.stack)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        buttons.addWidget(self.add, 1)
        buttons.addWidget(self.for_all)
        inside.addLayout(buttons)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(2)
        rows.addLayout(head)
        rows.addWidget(self.body)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.sieve_done.connect(self.refresh)
        session.readings.read.connect(self.refresh)

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Renders the measures of the curve in hand, with what they read as far as that is known."""
        entry, study = self.session.entry, self.session.study
        self.setEnabled(entry is not None)
        slots = self.session.readings.slots
        made = self.session.sieved() if entry is not None else None
        outcomes = self.session.readings.outcomes() if made is not None else None
        units = (made.curve.x_unit, made.curve.y_unit) if made is not None else ("", "")
        self.quantities.refresh()
        if not self._cards_serve(entry.id if entry is not None else "", slots, units):
            self._rebuild(slots)
        self._built_for = entry.id if entry is not None else ""
        found = {one.slot.id: one for one in outcomes or ()}
        for card, slot in zip(self._cards, slots, strict=True):
            card.show_outcome(slot, found.get(slot.id), units, self.session.view.stage == slot.id)
        shared = entry is not None and study.shares(entry.id, "measures")
        self._say(slots, outcomes, shared)
        family = study.family_of(entry.id) if entry is not None else None
        others = len(family.curves) if family is not None else 0
        self.for_all.setVisible(bool(slots) and not shared and others > 1)
        self.for_all.setText(f"For all {others} curves")

    def _say(self, slots: tuple[MeasureSlot, ...], outcomes: Outcomes | None, shared: bool) -> None:
        """The line beside the heading; folded, it says what is in the fold."""
        failed = sum(bool(one.problem) and not one.absent for one in outcomes or ())
        said = counted(len(slots), "reading") if slots else ""
        if failed:
            said = f"{said}, {failed} failed"
        if shared:
            by = "shared" if failed else "shared by the family"
            said = f"{by} · {said}" if not self.heading.folded and said else said
        self.count.setText(said or ("none" if self.heading.folded else ""))

    def _turned(self, folded: bool) -> None:
        self.body.setVisible(not folded)
        self.refresh()

    def show_preview(self, outcome: Outcome) -> None:
        """What the measure in hand would read while it is dragged."""
        for card in self._cards:
            if card.slot_id == outcome.slot.id:
                card.show_numbers(outcome.slot, outcome)

    def _cards_serve(self, curve_id: str, slots: tuple[MeasureSlot, ...], units: tuple[str, str]) -> bool:
        """Whether the cards that stand there fit: for the same slots, and on another curve for the same units."""
        if len(self._cards) != len(slots):
            return False
        pairs = list(zip(self._cards, slots, strict=True))
        if self._built_for == curve_id:
            return all(card.slot_id == slot.id for card, slot in pairs)
        if not all(card.serves(slot.rule, units) for card, slot in pairs):
            return False
        for card, slot in pairs:
            card.slot_id = slot.id
        return True

    def _rebuild(self, slots: tuple[MeasureSlot, ...]) -> None:
        for card in self._cards:
            self.stack.removeWidget(card)
            card.hide()
            card.deleteLater()
        self._cards = []
        for slot in slots:
            card = MeasureCard(slot.id)
            # A card may come to serve another slot: its signals ask for the one that it has at that time.
            card.clicked.connect(lambda c=card: self.session.look_at_stage(c.slot_id))
            card.changed.connect(lambda rule, c=card: self._change(c.slot_id, rule))
            card.switched.connect(lambda on, c=card: self._apply(edits.switch_measure, c.slot_id, on, "switch"))
            card.moved.connect(lambda by, c=card: self._move_by(c.slot_id, by))
            card.removed.connect(lambda c=card: self._apply(edits.remove_measure, c.slot_id, None, "remove"))
            card.naming_asked.connect(lambda c=card: self._ask_name(c.slot_id))
            card.refused.connect(lambda sentence: self.session.noticed.emit(sentence, "problem"))
            card.giving_asked.connect(lambda c=card: self._ask_family(c))
            card.unit_asked.connect(lambda quantity, at, c=card: self._ask_unit(c, quantity, at))
            self.stack.addWidget(card)
            self._cards.append(card)

    def card(self, slot_id: str) -> MeasureCard:
        """The card of a measure, by its slot."""
        return next(card for card in self._cards if card.slot_id == slot_id)

    def card_of(self, slot_id: str) -> MeasureCard | None:
        """The same, where there is one."""
        return next((card for card in self._cards if card.slot_id == slot_id), None)

    # -- edits --------------------------------------------------------------------------------------

    @cached_property
    def measure_list(self) -> MeasureList:
        """The searchable list of measures, over the window."""
        window = self.window()
        assert window is not None
        made = MeasureList(window)
        made.chosen.connect(self.take)
        return made

    def open_list(self) -> None:
        """Opens the list of measures beside the button that asks for it."""
        self.heading.fold(False)
        window = self.window()
        assert window is not None
        self.measure_list.open(self.add.mapTo(window, self.add.rect().topLeft() + QPoint(-8, -40)))

    def take(self, kind: type[Measure] | MeasureSet) -> None:
        """Takes a reading with its starting fields, and takes it in hand; or those of a set."""
        if isinstance(kind, MeasureSet):
            self.session.readings.take_set(kind)
            self.taken.emit()
            return
        made = self.session.sieved()
        curve: Curve | None = made.curve if made is not None else None
        self.session.readings.take(kind.fitted_to(curve) if curve is not None and len(curve) else kind())
        self.taken.emit()

    def _curve_id(self) -> str:
        assert self.session.view.curve is not None
        return self.session.view.curve

    def _slot(self, slot_id: str) -> MeasureSlot:
        return next(slot for slot in self.session.readings.slots if slot.id == slot_id)

    def _change(self, slot_id: str, rule: Measure) -> None:
        self.session.apply(edits.change_measure(self._curve_id(), slot_id, rule), f"change {rule.label.lower()}")

    def _apply(self, edit: Callable[..., edits.Edit], slot_id: str, value: object, word: str) -> None:
        given = (self._curve_id(), slot_id) if value is None else (self._curve_id(), slot_id, value)
        self.session.apply(edit(*given), f"{word} a reading")

    def _move_by(self, slot_id: str, by: int) -> None:
        places = [slot.id for slot in self.session.readings.slots]
        self.session.apply(edits.move_measure(self._curve_id(), slot_id, places.index(slot_id) + by), "move a reading")

    def _ask_name(self, slot_id: str) -> None:
        slot = self._slot(slot_id)
        text, ok = QInputDialog.getText(
            self, "Name this reading", "Name; formulas can call it by it", text=slot.name or slot.rule.label
        )
        if ok and text.strip() != slot.rule.label:
            self.session.apply(edits.name_measure(self._curve_id(), slot_id, text), "name a reading")

    def _ask_unit(self, card: MeasureCard, quantity: str, at: QPoint) -> None:
        reading = next(one for one in card.outcome.readings if one.quantity == quantity) if card.outcome else None
        if reading is None:
            return
        chosen = bool(self._slot(card.slot_id).units.get(quantity))
        choose = partial(self._show_in, card.slot_id, quantity)
        menu_of(self, unit_rows(self, reading.unit, chosen, choose)).popup(at)

    def _ask_family(self, card: MeasureCard) -> None:
        """The families that may be given what a card reads, as quantities."""
        readings = card.outcome.readings if card.outcome is not None else ()
        rows: list[MenuRow] = [
            (f"To {family.label}", partial(self._give, family.id, readings))
            for family in self.session.study.document.families
        ]
        menu_of(self, rows or [("There is no family yet", None)]).popup(card.mapToGlobal(QPoint(40, 20)))

    def _give(self, family_id: str, readings: Sequence[Reading]) -> None:
        if self.session.apply(edits.give_readings(family_id, readings), "give readings on"):
            names = ", ".join(edits.name_as_quantity(one) for one in readings)
            self.session.noticed.emit(f"Given as {names}: measures of the family may name them.", "word")

    def _show_in(self, slot_id: str, quantity: str, unit: str) -> None:
        self.session.apply(edits.show_in(self._curve_id(), slot_id, quantity, unit), "show in another unit")

    def _open_menu(self) -> None:
        rows = sharing_rows(self.session, ("measures",), WORD)
        menu_of(self, rows).popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))
