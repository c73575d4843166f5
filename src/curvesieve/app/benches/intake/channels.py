"""The channels of the file in hand: name, unit and role of each, computed ones with their formula and quantities."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import (
    QApplication,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.intake import Tray, Waiting
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.intake import pattern as patterns
from curvesieve.core.intake.computed import ComputedChannel, Quantity, needed
from curvesieve.core.intake.pattern import ARRANGEMENTS, ROLES, Pattern
from curvesieve.core.record import Channel

_MOST_SHOWN = 60
_ROLE_TIP = (
    "x, y, u (the standard uncertainty of y), condition (what tells the curves of a family apart), or leave: the "
    "channel stays in the record only"
)
_UNIT_TIP = "The unit of these numbers. To convert them, write both: % → 1, kN -> N"
Change = Callable[[Callable[[Pattern], Pattern]], None]


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


class _ChannelCard(Card):
    """What file and computed channels have in common: a badge and a choice for the role."""

    role_chosen = pyqtSignal(str)
    role_dropped = pyqtSignal(str, QPoint)

    def _make_role(self, name: str, role: str) -> Choice:
        roles = Choice()
        roles.addItems(ROLES)
        roles.setCurrentText(role)
        roles.setAccessibleName(f"role of {name}")
        roles.setToolTip(_ROLE_TIP)
        roles.setFixedWidth(96)
        roles.textActivated.connect(self.role_chosen)
        self.set_in_hand(role != "leave")
        return roles

    def _make_badge(self, role: str) -> QWidget:
        if role == "leave":
            spacer = QWidget()
            spacer.setFixedWidth(22)
            return spacer
        badge = RoleBadge(role)
        badge.dropped.connect(lambda place: self.role_dropped.emit(role, place))
        return badge


class ChannelRow(_ChannelCard):
    """A channel of the file: its name, unit, first and last value, and its role."""

    named = pyqtSignal(str)
    unit_given = pyqtSignal(str)

    def __init__(self, channel: Channel, rule: patterns.ChannelRule) -> None:
        super().__init__()
        self.name = QLineEdit(rule.name)
        self.name.setProperty("flat", "true")
        self.name.setCursorPosition(0)
        self.name.setAccessibleName(f"name of {rule.name}")
        self.name.setToolTip(f"{rule.name}\nClick to give it another name")
        self.name.editingFinished.connect(lambda: self._finish(self.name, rule.name, self.named))
        shown = f"{rule.unit} → {rule.to}" if rule.to else rule.unit
        self.unit = QLineEdit(shown)
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
        span = Elided(f"{channel.values[0]:.5g} … {channel.values[-1]:.5g}", "muted")
        span.setContentsMargins(6, 0, 0, 0)
        self.badge = self._make_badge(rule.role)
        self.roles = self._make_role(rule.name, rule.role)
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


class ComputedRow(_ChannelCard):
    """A computed channel: name, unit, role, formula, and the quantities that the formula names."""

    edited = pyqtSignal(object)
    removed = pyqtSignal()
    said_something = pyqtSignal()

    def __init__(self, waiting: Waiting, rule: patterns.ComputedRule | None) -> None:
        super().__init__()
        self.waiting = waiting
        self.channel = rule.channel if rule else ComputedChannel(name=self._free_name(waiting), formula="")
        role = rule.role if rule else "leave"
        self.name = self._line(self.channel.name, "name", flat=True)
        self.unit = self._line(self.channel.unit, "unit of the result")
        self.unit.setPlaceholderText(self._found_unit() or "worked out")
        self.unit.setFixedWidth(84)
        self.unit.setToolTip("Empty: the unit that follows from the formula. Another one of the same kind converts.")
        self.badge = self._make_badge(role)
        self.roles = self._make_role(self.channel.name, role)
        top = QHBoxLayout()
        top.setSpacing(6)
        for widget in (self.badge, self.name, self.unit, self.roles):
            top.addWidget(widget, 1 if widget is self.name else 0)
        self.formula = self._line(self.channel.formula, "formula")
        self.formula.setProperty("formula", "true")
        self.formula.setPlaceholderText("Force / (width*thickness)")
        self.formula.textEdited.connect(self._check)
        remove = button("×", "bare", "Removes this computed channel")
        remove.setAccessibleName(f"remove {self.channel.name}")
        remove.clicked.connect(self.removed)
        middle = QHBoxLayout()
        middle.setSpacing(4)
        middle.addWidget(self.formula, 1)
        middle.addWidget(remove)
        self.said = label(role="note", wrap=True)
        self.rows.setContentsMargins(7, 5, 8, 6)
        self.rows.addLayout(top)
        self.rows.addLayout(middle)
        self.fields: dict[str, QLineEdit] = {}
        self._add_quantities()
        self.rows.addWidget(self.said)
        self._check(self.formula.text())

    def _line(self, text: str, what: str, flat: bool = False) -> QLineEdit:
        line = QLineEdit(text)
        line.setAccessibleName(f"{what} of {self.channel.name}")
        if flat:
            line.setProperty("flat", "true")
        line.editingFinished.connect(self._finish)
        return line

    @staticmethod
    def _free_name(waiting: Waiting) -> str:
        taken = {rule.name for rule in waiting.pattern.channels} if waiting.pattern else set()
        taken |= {rule.channel.name for rule in waiting.pattern.computed} if waiting.pattern else set()
        return next(name for i in range(1, 999) if (name := f"computed {i}" if i > 1 else "computed") not in taken)

    def _found_unit(self) -> str:
        made = self.waiting.taken.computed if self.waiting.taken else ()
        unit = next((c.channel.unit for c in made if c.channel.name == self.channel.name), "")
        return units.shown(unit)

    def _add_quantities(self) -> None:
        """A field for each quantity, with the value that the file's own preamble gives, if it does."""
        assert self.waiting.table is not None
        try:
            quantities = needed(self.waiting.table.record, self.channel) if self.channel.formula.strip() else []
        except InputError:
            return
        grid = QGridLayout()
        grid.setContentsMargins(28, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(3)
        by_hand = {quantity.name.casefold() for quantity in self.channel.quantities}
        for i, quantity in enumerate(quantities):
            name = quantity if isinstance(quantity, str) else quantity.name
            line = self._line("" if isinstance(quantity, str) else quantity.written(), name)
            line.setPlaceholderText("12.70(2) mm")
            line.setToolTip("Value, uncertainty and unit: 12.70(2) mm or 12.7 ± 0.2 mm")
            grid.addWidget(label(name, "muted"), i, 0)
            grid.addWidget(line, i, 1)
            own = not isinstance(quantity, str) and name.casefold() not in by_hand
            grid.addWidget(label("of each file" if own else "", "muted"), i, 2)
            self.fields[name] = line
        self.rows.addLayout(grid)

    def _say(self, text: str, wrong: bool) -> None:
        self.said.setText(text)
        self.said.setVisible(bool(text))
        self.said.setProperty("role", "problem" if wrong else "note")
        style = self.said.style()
        if style is not None:
            style.polish(self.said)
        self.said_something.emit()

    def _check(self, text: str) -> None:
        """Says at once, while typing, what is wrong with the formula and where."""
        from curvesieve.core.intake.computed import compute

        assert self.waiting.table is not None
        if not text.strip():
            names = ", ".join(self._usable_names())
            self._say(f"Type a formula; it may use {names}, and names of your own.", wrong=False)
            return
        try:
            compute(self._record(), self.channel.model_copy(update={"formula": text}))
        except InputError as error:
            place = getattr(error, "position", None)
            marked = f"\n{text[:place]}▸{text[place:]}" if place is not None and "\n" not in text else ""
            self._say(f"{error}{marked}", wrong=True)
        else:
            self._say("", wrong=False)

    def _record(self):  # type: ignore[no-untyped-def]
        """The record as the formula sees it: with the names and units that were given."""
        from dataclasses import replace

        assert self.waiting.table is not None
        record = self.waiting.table.record
        rules = self.waiting.pattern.channels if self.waiting.pattern else ()
        channels = tuple(replace(c, name=r.name, unit=r.unit) for c, r in zip(record.channels, rules, strict=True))
        return replace(record, channels=channels)

    def _usable_names(self) -> list[str]:
        from curvesieve.core.intake.computed import name_in_formula

        return [name_in_formula(channel.name) for channel in self._record().channels][:8]

    def _finish(self) -> None:
        """Hands on what the fields say, once it differs and can be read."""
        quantities = []
        for name, line in self.fields.items():
            old = next((q for q in self.channel.quantities if q.name == name), None)
            if line.text().strip() and (line.isModified() or old is not None):
                try:
                    quantities.append(Quantity.read(name, line.text()))
                except InputError as error:
                    self._say(str(error), wrong=True)
                    return
        changed = ComputedChannel(
            name=self.name.text().strip() or self.channel.name, formula=self.formula.text().strip(),
            unit=self.unit.text().strip(), quantities=tuple(quantities),
        )  # fmt: skip
        if changed != self.channel and changed.formula:
            self.channel = changed
            self.edited.emit(changed)


class ChannelsPanel(QWidget):
    """The cards of all channels. Every edit goes to the tray as a change of the kind's pattern."""

    def __init__(self, tray: Tray) -> None:
        super().__init__()
        self.tray = tray
        self.cards: list[_ChannelCard] = []
        self.drafting = False
        self.arrangement = Choice()
        self.arrangement.addItems(ARRANGEMENTS)
        self.arrangement.setAccessibleName("which curves the file makes")
        self.arrangement.setToolTip("Which curves this file makes")
        self.arrangement.textActivated.connect(
            lambda text: self.tray.change_pattern(lambda pattern: patterns.arranged(pattern, text))
        )
        head = QHBoxLayout()
        head.addWidget(label("CHANNELS", "section"))
        head.addStretch(1)
        head.addWidget(label("taken as", "muted"))
        head.addWidget(self.arrangement)
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(0, 0, 6, 0)
        self.column.setSpacing(5)
        self.column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scroll = scroll
        self.compute = button("+  Compute a channel", tip="A formula of these channels and of quantities of your own")
        self.compute.clicked.connect(self._draft)
        self.more = label(role="muted")
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(head)
        rows.addWidget(scroll, 1)
        rows.addWidget(self.more)
        rows.addWidget(self.compute)

    @property
    def channel_rows(self) -> list[ChannelRow]:
        return [card for card in self.cards if isinstance(card, ChannelRow)]

    @property
    def computed_rows(self) -> list[ComputedRow]:
        return [card for card in self.cards if isinstance(card, ComputedRow)]

    def refresh(self) -> None:
        waiting = self.tray.shown
        bar = self.scroll.verticalScrollBar()
        place = bar.value() if bar else 0
        for card in self.cards:
            self.column.removeWidget(card)
            card.blockSignals(True)  # a field that loses its focus now says nothing more
            card.hide()
            card.deleteLater()
        self.cards = []
        known = waiting is not None and waiting.table is not None and waiting.pattern is not None
        self.compute.setEnabled(known)
        self.arrangement.setEnabled(known)
        self.more.hide()
        if waiting is None or waiting.table is None or waiting.pattern is None:
            return
        self.arrangement.setCurrentText(waiting.pattern.arrangement)
        own = len(waiting.pattern.channels)
        pairs = zip(waiting.table.record.channels[:_MOST_SHOWN], waiting.pattern.channels, strict=False)
        for i, (channel, rule) in enumerate(pairs):
            self._add_channel(i, channel, rule)
        for i, computed in enumerate(waiting.pattern.computed):
            self._add_computed(waiting, computed, i, own)
        if self.drafting:
            self._add_computed(waiting, None, None, own)
        self.more.setVisible(own > _MOST_SHOWN)
        self.more.setText(f"and {own - _MOST_SHOWN:,} more channels, which “taken as” reaches")
        if bar is not None:
            bar.setValue(place)

    def _add_channel(self, i: int, channel: Channel, rule: patterns.ChannelRule) -> None:
        row = ChannelRow(channel, rule)
        row.named.connect(lambda name: self.tray.change_pattern(lambda p: patterns.with_name(p, i, name)))
        row.unit_given.connect(lambda text: self._give_unit(i, text))
        self._add(row, i)

    def _give_unit(self, i: int, text: str) -> None:
        shown = self.tray.shown
        old = shown.pattern.channels[i] if shown and shown.pattern else None
        self.tray.change_pattern(lambda p: patterns.with_unit(p, i, text))
        if (
            old is not None
            and "→" not in text
            and "->" not in text
            and old.unit
            and text
            and _convertible(old.unit, text)
        ):
            self.tray.noticed.emit(
                f"{old.name}: its numbers are now taken to be in {text}, unchanged. To convert them, write "
                f"{old.unit} → {text}.",
                "word",
            )

    def _add_computed(self, waiting: Waiting, rule: patterns.ComputedRule | None, i: int | None, own: int) -> None:
        row = ComputedRow(waiting, rule)

        def edited(channel: ComputedChannel) -> None:
            self.drafting = self.drafting and i is not None
            self.tray.change_pattern(lambda p: patterns.with_computed(p, i, channel))
            if self.computed_rows:
                last = self.computed_rows[-1 if i is None else min(i, len(self.computed_rows) - 1)]
                QTimer.singleShot(0, lambda: self._bring_into_sight(last))

        def removed() -> None:
            if i is None:
                self.drafting = False
                self.refresh()
            else:
                self.tray.change_pattern(lambda p: patterns.without_computed(p, i))

        row.edited.connect(edited)
        row.said_something.connect(lambda: QTimer.singleShot(0, lambda: self._bring_into_sight(row)))
        row.removed.connect(removed)
        self._add(row, None if i is None else own + i)

    def _add(self, row: _ChannelCard, place: int | None) -> None:
        if place is not None:
            row.role_chosen.connect(lambda role: self.tray.change_pattern(lambda p: patterns.with_role(p, place, role)))
            row.role_dropped.connect(self._dropped)
        self.column.insertWidget(len(self.cards), row)
        self.cards.append(row)

    def _dropped(self, role: str, place: QPoint) -> None:
        """Gives the role of a badge to the channel on which it was let go."""
        under = QApplication.widgetAt(place)
        hit = [
            i for i, card in enumerate(self.cards) if under is not None and (under is card or card.isAncestorOf(under))
        ]
        if hit:
            self.tray.change_pattern(lambda p: patterns.with_role(p, hit[0], role))  # type: ignore[arg-type]

    def _bring_into_sight(self, row: _ChannelCard) -> None:
        """Scrolls to a card; called after the layout, as a card has its height only then."""
        if row in self.cards:
            self.scroll.ensureWidgetVisible(row, 0, 4)

    def _draft(self) -> None:
        self.drafting = True
        self.refresh()
        if self.computed_rows:
            row = self.computed_rows[-1]
            row.name.selectAll()
            row.formula.setFocus()
            QTimer.singleShot(0, lambda: self._bring_into_sight(row))


def _convertible(unit: str, other: str) -> bool:
    return unit != other and units.measure(unit).powers == units.measure(other).powers
