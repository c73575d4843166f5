"""A step's card, and the mesh that shows how much it caught."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QMimeData, QPoint, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QDrag, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QWidget

from curvesieve.app.panels.rule_card import RuleCard
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import Elided, button, restyle
from curvesieve.core.rules import Rule
from curvesieve.core.steps import Trail
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


class StepCard(RuleCard):
    """One step, with what it caught; it can be dragged to another place."""

    kept = pyqtSignal()

    def __init__(self, slot_id: str, curves: Callable[[], list[Named]] = list) -> None:
        self.digest = Elided(role="muted")
        self.digest.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        super().__init__(slot_id, "step", self.digest, curves)
        self.decision: QWidget | None = None
        self._press: QPoint | None = None

    def show_trail(self, trail: Trail, in_hand: bool, fresh: bool = False) -> None:
        """Renders the step as it is now; a fresh one still asks whether it is kept."""
        self.show_slot(trail.slot, (trail.before.x_unit, trail.before.y_unit), trail.problem, in_hand)
        self.digest.set(trail.slot.rule.digest())
        if self.decision is not None:
            self.decision.setVisible(fresh)

    def _foot(self, rule: Rule) -> QWidget:
        self.decision = QWidget()
        keep, leave = button("Keep this step", "act"), button("Leave it", tip="Takes the step away again")
        keep.clicked.connect(self.kept)
        leave.clicked.connect(self.removed)
        row = QHBoxLayout(self.decision)
        row.setContentsMargins(0, 4, 0, 0)
        row.addWidget(keep, 1)
        row.addWidget(leave)
        return self.decision

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
