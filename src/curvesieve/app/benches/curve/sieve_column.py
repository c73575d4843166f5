"""The sieve column: as recorded, the steps with what each caught, and the way to add one."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QVBoxLayout, QWidget

from curvesieve.app.benches.curve.step_card import DRAG_TYPE, MeshRow, StepCard
from curvesieve.app.session import RECORDED, Session
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.core.errors import counted
from curvesieve.core.steps import Caught, Step, Trail, registered_steps
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study import CurveEntry, edits


class RecordedCard(Card):
    """The first card: the record as it came in, which nothing changes."""

    def __init__(self) -> None:
        super().__init__()
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

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.recorded = RecordedCard()
        self.recorded.clicked.connect(lambda: session.look_at_stage(RECORDED))
        self.count = label(role="muted")
        self.add = button("+  Add a step", tip="Choose a repair or preparation; it goes to the end of the sieve")
        self.add.clicked.connect(self._open_menu)
        self._cards: list[tuple[MeshRow, StepCard]] = []
        head = QHBoxLayout()
        head.addWidget(label("SIEVE", "section"))
        head.addStretch(1)
        head.addWidget(self.count)
        self.rows = QVBoxLayout(self)
        self.rows.setContentsMargins(0, 0, 0, 0)
        self.rows.setSpacing(2)
        self.rows.addLayout(head)
        self.rows.addWidget(self.recorded)
        self.stack = QVBoxLayout()
        self.stack.setSpacing(2)
        self.rows.addLayout(self.stack)
        self.rows.addSpacing(6)
        self.rows.addWidget(self.add)
        self.setAcceptDrops(True)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.sieve_done.connect(self.refresh)

    def refresh(self) -> None:
        entry = self.session.entry
        self.setEnabled(entry is not None)
        if entry is None:
            self.recorded.points.setText("")
            self.recorded.source.set("no curve in hand")
            self.recorded.notes.hide()
            self._rebuild([])
            return
        made = self.session.sieved()
        if made is None:
            curve = self.session.study.recorded(entry.id)
            made = Sieved(curve, tuple(Trail(slot, curve, curve, Caught(), "passing …") for slot in entry.slots))
        self._show_recorded(entry, made)
        if [card.slot_id for _, card in self._cards] != [t.slot.id for t in made.trail]:
            self._rebuild(list(made.trail))
        for (mesh, card), trail in zip(self._cards, made.trail, strict=True):
            mesh.show_trail(trail)
            card.show_trail(trail, self.session.view.stage == trail.slot.id)
        self.count.setText(f"{counted(len(made.curve), 'point')} pass" if made.trail else "")

    def _show_recorded(self, entry: CurveEntry, made: Sieved) -> None:
        record = self.session.study.record_entry(entry.record)
        self.recorded.points.setText(counted(len(made.recorded), "point"))
        names = ", ".join(record.channels[i].name for i in (entry.x, entry.y))
        self.recorded.source.set(f"{record.file_name} · {names}")
        notes = [*record.notes, *made.recorded.oddities]
        self.recorded.notes.setText("\n".join(notes))
        self.recorded.notes.setVisible(bool(notes))
        self.recorded.set_in_hand(self.session.view.stage == RECORDED)

    def _rebuild(self, trails: list[Trail]) -> None:
        for mesh, card in self._cards:
            for widget in (mesh, card):
                self.stack.removeWidget(widget)
                widget.hide()
                widget.deleteLater()
        self._cards = []
        for trail in trails:
            mesh, card = MeshRow(), StepCard(trail.slot.id)
            slot_id = trail.slot.id
            card.clicked.connect(lambda s=slot_id: self.session.look_at_stage(s))
            card.changed.connect(lambda step, s=slot_id: self._change(s, step))
            card.switched.connect(lambda on, s=slot_id: self._switch(s, on))
            card.moved.connect(lambda by, s=slot_id: self._move_by(s, by))
            card.removed.connect(lambda s=slot_id: self._remove(s))
            card.refused.connect(lambda sentence: self.session.noticed.emit(sentence, "problem"))
            self.stack.addWidget(mesh)
            self.stack.addWidget(card)
            self._cards.append((mesh, card))

    def card(self, slot_id: str) -> StepCard:
        """The card of a step, by its slot."""
        return next(card for _, card in self._cards if card.slot_id == slot_id)

    # -- edits --------------------------------------------------------------------------------------

    def _open_menu(self) -> None:
        menu = QMenu(self)
        intent = ""
        for step in registered_steps().values():
            if step.intent != intent:
                intent = step.intent
                heading = menu.addAction(intent.capitalize())
                assert heading is not None
                heading.setEnabled(False)
            action = menu.addAction(f"{step.label}  –  {step.summary.lower()}")
            assert action is not None
            action.triggered.connect(lambda _=False, step=step: self.add_step(step))
        menu.popup(self.add.mapToGlobal(self.add.rect().bottomLeft()))

    def add_step(self, kind: type[Step]) -> None:
        """Adds a step with its starting fields and takes it in hand."""
        entry = self.session.entry
        if entry is None:
            return
        made = self.session.sieved()
        passed = made.curve if made is not None else self.session.study.recorded(entry.id)
        slot_id = edits.new_id("step")
        if self.session.apply(edits.add_step(entry.id, kind.fitted_to(passed), slot_id), f"add {kind.label}"):
            self.session.look_at_stage(slot_id)

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

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None or not data.hasFormat(DRAG_TYPE):
            return
        slot_id = bytes(data.data(DRAG_TYPE).data()).decode()
        y = event.position().y()
        others = [card for _, card in self._cards if card.slot_id != slot_id]
        place = sum(card.geometry().center().y() < y for card in others)
        event.accept()
        self.session.apply(edits.move_step(self._curve_id(), slot_id, place), "move a step")
