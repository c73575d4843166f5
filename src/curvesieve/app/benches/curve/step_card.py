"""A step's card, made from the fields that the step declares, and the mesh that shows how much it caught."""

from __future__ import annotations

from collections.abc import Callable

from pydantic.fields import FieldInfo
from PyQt6.QtCore import QMimeData, QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QDrag, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QGridLayout, QHBoxLayout, QWidget

from curvesieve.app.benches.curve.donor_field import DonorField
from curvesieve.app.benches.curve.step_fields import Field, field_for
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import Card, Elided, button, label, restyle
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.switch import Switch
from curvesieve.core.errors import InputError
from curvesieve.core.steps import Step, Trail
from curvesieve.core.study.study import Named

DRAG_TYPE = "application/x-curvesieve-step"


class Mesh(QWidget):
    """The mesh between two cards: holes where nothing was caught, filled ones in step with the share caught."""

    def __init__(self) -> None:
        super().__init__()
        self.share = 0.0
        self.setFixedSize(26, 16)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        filled = 0 if self.share <= 0 else 1 + min(3, int(self.share * 12))
        for i in range(4):
            place = QRectF(1.5 + 6 * i, 5.5, 4.5, 4.5)
            on = i < filled
            painter.setPen(colour("rust" if on else "ghost"))
            painter.setBrush(colour("rust") if on else colour("paper"))
            painter.drawRect(place)


class MeshRow(QWidget):
    """The mesh with the sentence of what was caught."""

    def __init__(self) -> None:
        super().__init__()
        self.mesh = Mesh()
        self.text = Elided(role="muted")
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 1, 4, 1)
        row.setSpacing(8)
        row.addWidget(self.mesh)
        row.addWidget(self.text, 1)

    def show_trail(self, trail: Trail) -> None:
        caught = len(trail.caught)
        self.mesh.share = caught / max(len(trail.before), 1)
        self.mesh.update()
        self.text.set(trail.message)
        role = "caught" if caught else "muted"
        if self.text.property("role") != role:
            self.text.setProperty("role", role)
            restyle(self.text)


class StepCard(Card):
    """One step: its name, its switch, and, while it is in hand, a field for each of its fields."""

    changed = pyqtSignal(object)
    switched = pyqtSignal(bool)
    moved = pyqtSignal(int)
    removed = pyqtSignal()
    kept = pyqtSignal()
    naming_asked = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, slot_id: str, curves: Callable[[], list[Named]] = list) -> None:
        super().__init__()
        self.slot_id, self._curves = slot_id, curves
        self.fields: dict[str, Field] = {}
        self.captions: dict[str, QWidget] = {}
        self._step: Step | None = None
        self._units = ("", "")
        self.decision: QWidget | None = None
        self._press: QPoint | None = None
        self.name = label(role="strong")
        self.digest = Elided(role="muted")
        self.digest.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.switch = Switch()
        self.switch.setToolTip("Switch this step on or off")
        self.switch.clicked.connect(self.switched.emit)
        self.more = button("…", "bare", "Move or remove this step")
        self.more.clicked.connect(self._open_menu)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self.name)
        top.addWidget(self.digest, 1)
        top.addWidget(self.more)
        top.addWidget(self.switch)
        self.rows.addLayout(top)
        self.form = QWidget()
        self.rows.addWidget(self.form)
        self.problem = label(role="problem", wrap=True)  # below the fields, which stay where the pointer is
        self.rows.addWidget(self.problem)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._open_menu)

    def serves(self, trail: Trail) -> bool:
        """Whether the card's fields are those of another step, too, in the same units."""
        return type(self._step) is type(trail.slot.rule) and self._units == (trail.before.x_unit, trail.before.y_unit)

    def show_trail(self, trail: Trail, in_hand: bool, fresh: bool = False) -> None:
        """Renders the step as it is now; a fresh one still asks whether it is kept."""
        step = trail.slot.rule
        self._units = (trail.before.x_unit, trail.before.y_unit)
        if in_hand and self.decision is None:  # most cards of a sieve are never opened
            self._make_form(step)
        self._step = step
        self.name.setText(trail.slot.name or step.label)
        self.setAccessibleName(f"the step {step.label}")
        self.name.setToolTip(f"{step.label}: {step.summary}\n{step.reference}".strip())
        self.digest.set(step.digest())
        self.name.setEnabled(trail.slot.on)
        self.switch.setChecked(trail.slot.on)
        self.switch.setAccessibleName(f"{step.label} switch")
        self.problem.setText(trail.problem)
        self.problem.setVisible(bool(trail.problem))
        if self.decision is not None:
            self._fill_form(step)
            self.decision.setVisible(fresh)
        self.form.setVisible(in_hand)
        self.set_in_hand(in_hand)

    def _fill_form(self, step: Step) -> None:
        for name in step.settings():
            self.fields[name].set(getattr(step, name))
            shown = step.acts(name)
            self.fields[name].widget.setVisible(shown)
            self.captions[name].setVisible(shown)

    def _make_form(self, step: Step) -> None:
        grid = QGridLayout(self.form)
        grid.setContentsMargins(0, 4, 0, 2)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        axis_units = dict(zip("xy", self._units, strict=True))
        for row, (name, info) in enumerate(step.settings().items()):
            field = self._field(name, info, axis_units)
            field.edited.connect(lambda value, name=name: self._edited(name, value))
            field.refused.connect(self.refused)
            caption = label(info.title or name, "muted")
            caption.setToolTip(info.description or "")
            grid.addWidget(caption, row, 0)
            alone = isinstance(field.widget, Switch)
            grid.addWidget(field.widget, row, 1, Qt.AlignmentFlag.AlignLeft if alone else Qt.AlignmentFlag(0))
            self.fields[name], self.captions[name] = field, caption
        self.decision = QWidget()
        keep, leave = button("Keep this step", "act"), button("Leave it", tip="Takes the step away again")
        keep.clicked.connect(self.kept)
        leave.clicked.connect(self.removed)
        row_ = QHBoxLayout(self.decision)
        row_.setContentsMargins(0, 4, 0, 0)
        row_.addWidget(keep, 1)
        row_.addWidget(leave)
        grid.addWidget(self.decision, len(self.fields), 0, 1, 2)

    def _field(self, name: str, info: FieldInfo, axis_units: dict[str, str]) -> Field:
        extra = info.json_schema_extra
        if isinstance(extra, dict) and extra.get("donor"):
            field = DonorField(info.title or name, info.annotation is not str, self._curves)
            field.widget.setToolTip(info.description or "")
            return field
        return field_for(name, info, axis_units)

    def _edited(self, name: str, value: object) -> None:
        assert self._step is not None
        try:
            changed = self._step.changed(**{name: value})
        except InputError as error:
            self.fields[name].set(getattr(self._step, name))
            self.refused.emit(str(error))
            return
        self.changed.emit(changed)

    def _open_menu(self) -> None:
        rows: list[MenuRow] = [
            ("Move up", lambda: self.moved.emit(-1)),
            ("Move down", lambda: self.moved.emit(1)),
            ("Switch it on or off", self.switch.click),
            ("Give it a name…", self.naming_asked.emit),
            ("Remove this step", self.removed.emit),
        ]
        menu_of(self, rows).popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Delete takes the step away, Alt with the arrows moves it, as the menu says."""
        turns = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event is None or not self.hasFocus():
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        elif event.key() in turns and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.moved.emit(turns[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    # -- dragging to another place ------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        super().mousePressEvent(event)
        self._press = event.position().toPoint() if event is not None else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._press is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        if (event.position().toPoint() - self._press).manhattanLength() < QApplication.startDragDistance():
            return
        data = QMimeData()
        data.setData(DRAG_TYPE, self.slot_id.encode())
        drag = QDrag(self)
        drag.setMimeData(data)
        drag.setPixmap(self.grab())
        drag.setHotSpot(self._press)
        self._press = None
        drag.exec(Qt.DropAction.MoveAction)
