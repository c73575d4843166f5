"""The sieve column: as recorded, the steps with what each caught, and the way to add one."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, partial

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.sharing import Kept, sharing_rows
from curvesieve.app.benches.curve.step_card import DRAG_TYPE, MeshRow, StepCard
from curvesieve.app.benches.curve.step_list import StepList
from curvesieve.app.session.desk import RECORDED
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.fold import FoldButton
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.errors import counted
from curvesieve.core.steps import Caught, Sieve, Step, Trail
from curvesieve.core.steps.sieve import SIEVE_FILES, Sieved
from curvesieve.core.study import CurveEntry, FromRecord, edits
from curvesieve.core.study.passing import NOTHING, recorded, recorded_at_hand, source_problem
from curvesieve.core.study.sources import lacking
from curvesieve.core.study.study import Named

_TOLD = 3


class RecordedCard(Card):
    """The first card: the record as it came in, which nothing changes."""

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("as recorded")
        top = QHBoxLayout()
        self.points = label(role="muted")
        top.addWidget(label("As recorded", "strong"))
        top.addStretch(1)
        top.addWidget(self.points)
        self.rows.addLayout(top)
        self.source = Elided(role="muted")
        self.rows.addWidget(self.source)
        self.notes = label(role="caught", wrap=True)
        self.rows.addWidget(self.notes)


class SieveColumn(QWidget):
    """Renders the sieve of the curve in hand and turns clicks and drags into edits of it."""

    files_dropped = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.kept = Kept(self, session, SIEVE_FILES, self._in_hand, self._apply)
        self.recorded = RecordedCard()
        self.recorded.clicked.connect(lambda: session.look_at_stage(RECORDED))
        self.count = label(role="muted")
        self.add = button("+  Add a step", tip="Choose a repair or preparation; it goes to the end of the sieve")
        self.add.clicked.connect(self.open_list)
        self._fresh = self._built_for = ""
        self.more = button("…", "bare", "Share, copy, save or open a sieve")
        self.more.setAccessibleName("the sieve as a whole")
        self.more.clicked.connect(self._open_sieve_menu)
        self._cards: list[tuple[MeshRow, StepCard]] = []
        head = QHBoxLayout()
        self.heading = FoldButton("SIEVE", "the sieve")
        self.heading.turned.connect(self._turned)
        head.addWidget(self.heading)
        head.addStretch(1)
        head.addWidget(self.count)
        head.addWidget(self.more)
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(0, 0, 0, 0)
        self.rows.setSpacing(2)
        self.rows.addLayout(head)
        self.body = QWidget()
        inside = QVBoxLayout(self.body)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(2)
        inside.addWidget(self.recorded)
        self.stack = QVBoxLayout()
        self.stack.setSpacing(2)
        inside.addLayout(self.stack)
        inside.addSpacing(6)
        inside.addWidget(self.add)
        self.rows.addWidget(self.body)
        self.setAcceptDrops(True)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.sieve_done.connect(self.refresh)

    def refresh(self) -> None:
        entry = self.session.entry
        self.setEnabled(entry is not None)
        if entry is None:
            self.recorded.points.setText("")
            self.count.setText("")
            self.recorded.source.set("no curve in hand")
            self.recorded.notes.hide()
            self._rebuild([])
            return
        made = self.session.sieved()
        if made is None:
            curve = recorded_at_hand(self.session.study, entry.id) or NOTHING
            slots = self.session.study.slots(entry.id)
            made = Sieved(curve, tuple(Trail(slot, curve, curve, Caught(), "passing …") for slot in slots))
        self._show_recorded(entry, made)
        if not self._cards_serve(entry.id, made.trail):
            self._rebuild(list(made.trail))
        self._built_for = entry.id
        for (mesh, card), trail in zip(self._cards, made.trail, strict=True):
            mesh.show_trail(trail)
            card.show_trail(trail, self.session.view.stage == trail.slot.id, self._fresh == trail.slot.id)
        self._say(made, self.session.study.shares(entry.id, "sieve"))

    def _say(self, made: Sieved, shared: bool) -> None:
        """The line beside the heading; folded, it says what is in the fold."""
        verb = "passes" if len(made.curve) == 1 else "pass"
        said = f"{counted(len(made.curve), 'point')} {verb}" if made.trail else ""
        if self.heading.folded:
            caught = sum(len(trail.caught) for trail in made.trail)
            total = f"{caught:,} of {counted(len(made.recorded), 'point')} caught"
            said = f"{counted(len(made.trail), 'step')} · {total}" if made.trail else "as recorded"
        self.count.setText(f"shared by the family · {said}" if shared and not self.heading.folded else said)

    def _turned(self, folded: bool) -> None:
        self.body.setVisible(not folded)
        self.refresh()

    def _show_recorded(self, entry: CurveEntry, made: Sieved) -> None:
        study, source = self.session.study, entry.source
        at_hand = recorded_at_hand(study, entry.id) is not None
        said, notes = study.origin(entry.id), [source_problem(study, entry.id) if at_hand else "reading …"]
        without = [] if notes[0] else lacking(study, entry.id)
        if without:
            more = f" and {len(without) - _TOLD} more" if len(without) > _TOLD else ""
            verb = "has" if len(without) == 1 else "have"
            notes.append(
                f"{', '.join(without[:_TOLD])}{more} {verb} not both numbers in the ledger, and no point here."
            )
        if isinstance(source, FromRecord):
            record = study.record_entry(source.record)
            said = f"{said} · {', '.join(record.channels[i].name for i in (source.take.x, source.take.y))}"
            notes = list(record.notes)
        self.recorded.points.setText(counted(len(made.recorded), "point"))
        self.recorded.source.set(said)
        notes = [note for note in (*notes, *made.recorded.oddities) if note]
        self.recorded.notes.setText("\n".join(notes))
        self.recorded.notes.setVisible(bool(notes))
        self.recorded.set_in_hand(self.session.view.stage == RECORDED)

    def _others(self) -> list[Named]:
        """The curves that a step may take from: all but the one in hand."""
        in_hand = self.session.view.curve
        return [named for named in self.session.study.names.values() if named.id != in_hand]

    def _cards_serve(self, curve_id: str, trails: Sequence[Trail]) -> bool:
        """Whether the cards that stand there fit: for the same slots, or for the same kinds of step in other units."""
        if len(self._cards) != len(trails):
            return False
        pairs = [(card, trail) for (_, card), trail in zip(self._cards, trails, strict=True)]
        if self._built_for == curve_id:
            return all(card.slot_id == trail.slot.id for card, trail in pairs)
        if not all(card.serves(trail.slot.rule, (trail.before.x_unit, trail.before.y_unit)) for card, trail in pairs):
            return False
        for card, trail in pairs:
            card.slot_id = trail.slot.id
        return True

    def _rebuild(self, trails: list[Trail]) -> None:
        for mesh, card in self._cards:
            for widget in (mesh, card):
                self.stack.removeWidget(widget)
                widget.hide()
                widget.deleteLater()
        self._cards = []
        for trail in trails:
            mesh, card = MeshRow(), StepCard(trail.slot.id, self._others)
            # A card may come to serve another slot: its signals ask for the one that it has at that time.
            card.clicked.connect(lambda c=card: self.session.look_at_stage(c.slot_id))
            card.changed.connect(lambda step, c=card: self._change(c.slot_id, step))
            card.switched.connect(lambda on, c=card: self._switch(c.slot_id, on))
            card.moved.connect(lambda by, c=card: self._move_by(c.slot_id, by))
            card.removed.connect(lambda c=card: self._remove(c.slot_id))
            card.kept.connect(self._keep)
            card.naming_asked.connect(lambda c=card: self._ask_name(c.slot_id))
            card.refused.connect(lambda sentence: self.session.noticed.emit(sentence, "problem"))
            self.stack.addWidget(mesh)
            self.stack.addWidget(card)
            self._cards.append((mesh, card))

    def card(self, slot_id: str) -> StepCard:
        """The card of a step, by its slot."""
        return next(card for _, card in self._cards if card.slot_id == slot_id)

    # -- edits --------------------------------------------------------------------------------------

    @cached_property
    def step_list(self) -> StepList:
        """The searchable list of steps, over the window."""
        window = self.window()
        assert window is not None
        made = StepList(window)
        made.chosen.connect(self.add_step)
        return made

    def open_list(self) -> None:
        """Opens the list of steps beside the button that asks for it."""
        self.heading.fold(False)
        window = self.window()
        assert window is not None
        self.step_list.open(self.add.mapTo(window, self.add.rect().topLeft() + QPoint(-8, -40)))

    def _open_sieve_menu(self) -> None:
        study, entry = self.session.study, self.session.entry
        if entry is None:
            return
        family = study.family_of(entry.id)
        related = [id_ for id_ in (family.curves if family else ()) if id_ != entry.id]
        copying = partial(self._copy, related) if related and self.session.slots else None
        rows: list[MenuRow] = [
            *sharing_rows(self.session, ("sieve",), "sieve"),
            (f"Copy it to the other {len(related)} curves of the family", copying),
            *self.kept.rows(),
        ]
        menu_of(self, rows).popup(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def add_step(self, kind: type[Step]) -> None:
        """Adds a step with its starting fields and takes it in hand."""
        entry = self.session.entry
        if entry is None:
            return
        made = self.session.sieved()
        passed = made.curve if made is not None else recorded(self.session.study, entry.id)
        slot_id = edits.new_id("step")
        self._fresh = slot_id
        if self.session.apply(edits.add_step(entry.id, kind.fitted_to(passed), slot_id), f"add {kind.label}"):
            self.session.look_at_stage(slot_id)

    def _keep(self) -> None:
        self._fresh = ""
        self.refresh()

    # -- the sieve as a whole -----------------------------------------------------------------------

    def _copy(self, targets: list[str]) -> None:
        if self.session.apply(edits.copy_sieve(self._curve_id(), targets), "copy the sieve"):
            self.session.noticed.emit(f"Copied the sieve to {counted(len(targets), 'curve')}.", "word")

    def _in_hand(self) -> Sieve | None:
        return Sieve(self.session.slots) if self.session.slots else None

    def _apply(self, sieve: Sieve, name: str) -> None:
        """Puts a saved sieve in the place of this curve's steps."""
        slots = tuple(slot.model_copy(update={"id": edits.new_id("step")}) for slot in sieve.slots)
        self.session.apply(edits.set_sieve(self._curve_id(), slots), f"apply {name}")

    def _ask_name(self, slot_id: str) -> None:
        slot = next(slot for slot in self.session.study.slots(self._curve_id()) if slot.id == slot_id)
        text, ok = QInputDialog.getText(self, "Name this step", "Name", text=slot.name or slot.rule.label)
        if ok and text.strip() != slot.rule.label:
            self.session.apply(edits.name_step(self._curve_id(), slot_id, text), "name a step")

    def _curve_id(self) -> str:
        assert self.session.view.curve is not None
        return self.session.view.curve

    def _change(self, slot_id: str, step: Step) -> None:
        self.session.apply(edits.change_step(self._curve_id(), slot_id, step), f"change {step.label}")

    def _switch(self, slot_id: str, on: bool) -> None:
        self.session.apply(edits.switch_step(self._curve_id(), slot_id, on), f"switch a step {'on' if on else 'off'}")

    def _remove(self, slot_id: str) -> None:
        self.session.apply(edits.remove_step(self._curve_id(), slot_id), "remove a step")

    def _move_by(self, slot_id: str, by: int) -> None:
        places = [card.slot_id for _, card in self._cards]
        self.session.apply(edits.move_step(self._curve_id(), slot_id, places.index(slot_id) + by), "move a step")

    # -- dropping a card in another place -----------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(DRAG_TYPE):
            event.setDropAction(Qt.DropAction.MoveAction)
            event.accept()
        elif event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasUrls():
            self.files_dropped.emit(event)
            return
        if event is None or data is None or not data.hasFormat(DRAG_TYPE):
            return
        slot_id = bytes(data.data(DRAG_TYPE).data()).decode()
        y = event.position().y()
        others = [card for _, card in self._cards if card.slot_id != slot_id]
        place = sum(card.mapTo(self, card.rect().center()).y() < y for card in others)
        event.accept()
        self.session.apply(edits.move_step(self._curve_id(), slot_id, place), "move a step")
