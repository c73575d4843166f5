"""The card of a channel: its name, unit and role, and the badge that drags a role onto another channel."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QGridLayout, QLabel, QLineEdit, QWidget

from curvesieve.app.widgets.basics import Card, Elided
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.core import units
from curvesieve.core.intake.pattern import ROLES, ChannelRule
from curvesieve.core.record import Channel

_ROLE_TIP = (
    "x, y, u (the standard uncertainty of y), condition (what tells the curves of a family apart), or leave: the "
    "channel stays in the record only"
)
_UNIT_TIP = "The unit of these numbers. To convert them, write both: % → 1, kN -> N"


class RoleBadge(QLabel):
    """The letter of a role; dragged onto another channel, it gives that channel the role."""

    dropped = pyqtSignal(QPoint)

    def __init__(self, role: str) -> None:
        super().__init__(role[:1])
        self.setProperty("role", "badge")
        self.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.setFixedSize(22, 22)
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.setToolTip(f"{role}: drag it onto the channel that should be {role}")
        self._pressed = False

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self._pressed = True
        self.setCursor(Qt.CursorShape.ClosedHandCursor)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        if event is not None and self._pressed and not self.rect().contains(event.pos()):
            self.dropped.emit(event.globalPosition().toPoint())
        self._pressed = False


class ChannelCard(Card):
    """What file and computed channels have in common: a badge and a choice for the role."""

    role_chosen = pyqtSignal(str)
    role_dropped = pyqtSignal(str, QPoint)

    def make_role(self, name: str, role: str) -> Choice:
        roles = Choice()
        roles.addItems(ROLES)
        roles.setCurrentText(role)
        roles.setAccessibleName(f"role of {name}")
        roles.setToolTip(_ROLE_TIP)
        roles.setFixedWidth(96)
        roles.textActivated.connect(self.role_chosen)
        self.set_in_hand(role != "leave")
        return roles

    def make_badge(self, role: str) -> QWidget:
        if role == "leave":
            spacer = QWidget()
            spacer.setFixedWidth(22)
            return spacer
        badge = RoleBadge(role)
        badge.dropped.connect(lambda place: self.role_dropped.emit(role, place))
        return badge


def _extent(channel: Channel) -> str:
    """``0.12 … 8.4``: the smallest and the largest value."""
    extent = channel.extent
    return f"{extent[0]:.5g} … {extent[1]:.5g}" if extent is not None else "no number"


class ChannelRow(ChannelCard):
    """A channel of the file: its name, unit, smallest and largest value, and its role."""

    named = pyqtSignal(str)
    unit_given = pyqtSignal(str)

    def __init__(self, channel: Channel, rule: ChannelRule) -> None:
        super().__init__()
        self.name = Line(rule.name)
        self.name.setProperty("flat", "true")
        self.name.setCursorPosition(0)
        self.name.setAccessibleName(f"name of {rule.name}")
        self.name.setToolTip(f"{rule.name}\nClick to give it another name")
        self.name.editingFinished.connect(lambda: self._finish(self.name, rule.name, self.named))
        shown = f"{rule.unit} → {rule.to}" if rule.to else rule.unit
        self.unit = Line(shown)
        self.unit.setPlaceholderText("no unit")
        self.unit.setAccessibleName(f"unit of {rule.name}")
        self.unit.setFixedWidth(84)
        self.unit.editingFinished.connect(lambda: self._finish(self.unit, shown, self.unit_given))
        unknown = bool(rule.unit) and not units.is_known(rule.unit)
        self.unit.setProperty("wrong", "true" if unknown else "false")
        self.unit.setToolTip(
            f"“{rule.unit}” is no unit that can be converted; it is kept as a text.\n{_UNIT_TIP}"
            if unknown
            else _UNIT_TIP
        )
        span = Elided(_extent(channel), "muted")
        span.setContentsMargins(6, 0, 0, 0)
        span.setAccessibleName("smallest and largest value")
        self.badge = self.make_badge(rule.role)
        self.roles = self.make_role(rule.name, rule.role)
        grid = QGridLayout()
        grid.setVerticalSpacing(0)
        grid.setHorizontalSpacing(6)
        grid.addWidget(self.badge, 0, 0, 2, 1)
        grid.addWidget(self.name, 0, 1)
        grid.addWidget(span, 1, 1)
        grid.addWidget(self.unit, 0, 2, 2, 1)
        grid.addWidget(self.roles, 0, 3, 2, 1)
        grid.setColumnStretch(1, 1)
        self.rows.setContentsMargins(7, 2, 8, 3)
        self.rows.addLayout(grid)

    def _finish(self, field: QLineEdit, old: str, signal: object) -> None:
        if field.text().strip() != old and field.isEnabled():
            signal.emit(field.text().strip())  # type: ignore[attr-defined]
