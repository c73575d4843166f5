"""A card for a rule, made from the fields that the rule declares: a step, or a measure."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from pydantic.fields import FieldInfo
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QWidget

from curvesieve.app.panels.donor_field import DonorField
from curvesieve.app.panels.rule_fields import Field, field_for
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.switch import Switch
from curvesieve.core.errors import InputError
from curvesieve.core.rules import Rule, Slot
from curvesieve.core.study.study import Named

_ROOM_PX = 8


class RuleCard(Card):
    """One rule in its slot: its name, its switch, and, while it is in hand, an editor for each of its fields.

    `word` is what users call such a rule. Subclasses show what came of it.
    """

    changed = pyqtSignal(object)
    switched = pyqtSignal(bool)
    moved = pyqtSignal(int)
    removed = pyqtSignal()
    naming_asked = pyqtSignal()
    refused = pyqtSignal(str)

    nameable = True
    """Whether the user may call it what they like."""

    def __init__(self, slot_id: str, word: str, beside: QLabel, curves: Callable[[], list[Named]] = list) -> None:
        super().__init__()
        self.slot_id, self.word, self._curves = slot_id, word, curves
        self.beside = beside
        self.fields: dict[str, Field] = {}
        self.captions: dict[str, QWidget] = {}
        self._rule: Any = None
        self._units: tuple[str, ...] = ("", "")
        self._is_made = False
        self.name = Elided(role="strong")
        self._stretches = not isinstance(beside, Elided)
        """Whether the name has the room that is left; else what stands beside it has."""
        self.switch = Switch()
        self.switch.setToolTip(f"Switch this {word} on or off")
        self.switch.clicked.connect(self.switched.emit)
        self.more = button("…", "bare", f"Move, name or remove this {word}")
        self.more.clicked.connect(self._open_menu)
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self.name, 1 if self._stretches else 3)
        top.addWidget(beside, 0 if self._stretches else 1)
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

    def serves(self, rule: Rule, units: tuple[str, ...]) -> bool:
        """Whether the card's fields are those of another rule, too, in the same units."""
        return type(self._rule) is type(rule) and self._units == units

    def show_slot(self, slot: Slot[Any], units: tuple[str, ...], problem: str, in_hand: bool) -> None:
        """Renders the rule as it is now, on a curve of these units."""
        rule = slot.rule
        self._units = units
        if in_hand and not self._is_made:  # most cards are never opened
            self._is_made = True
            self._make_form(rule)
        self._rule = rule
        title = slot.name or rule.label
        self.name.set(title)
        if not self._stretches:
            self.name.setMaximumWidth(self.name.fontMetrics().horizontalAdvance(title) + _ROOM_PX)
        self.setAccessibleName(f"the {self.word} {rule.label}")
        self.name.setToolTip(f"{title}\n{rule.label}: {rule.summary}\n{rule.reference}".strip())
        self.name.setEnabled(slot.on)
        self.switch.setChecked(slot.on)
        self.switch.setAccessibleName(f"{rule.label} switch")
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
        if self._is_made:
            self._fill_form(rule)
        self.form.setVisible(in_hand)
        self.set_in_hand(in_hand)

    def _fill_form(self, rule: Rule) -> None:
        for name in rule.settings():
            self.fields[name].set(getattr(rule, name))
            shown = rule.acts(name)
            self.fields[name].widget.setVisible(shown)
            self.captions[name].setVisible(shown)

    def _make_form(self, rule: Rule) -> None:
        grid = QGridLayout(self.form)
        grid.setContentsMargins(0, 4, 0, 2)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        axis_units = dict(zip("xyz", self._units, strict=False))
        for row, (name, info) in enumerate(rule.settings().items()):
            field = self._field(name, info, axis_units)
            field.edited.connect(lambda value, name=name: self._edited(name, value))
            field.refused.connect(self.refused)
            caption = label(info.title or name, "muted")
            caption.setToolTip(info.description or "")
            grid.addWidget(caption, row, 0)
            alone = isinstance(field.widget, Switch)
            grid.addWidget(field.widget, row, 1, Qt.AlignmentFlag.AlignLeft if alone else Qt.AlignmentFlag(0))
            self.fields[name], self.captions[name] = field, caption
        foot = self._foot(rule)
        if foot is not None:
            grid.addWidget(foot, len(self.fields), 0, 1, 2)

    def _foot(self, rule: Rule) -> QWidget | None:
        """What stands under the fields while the card is in hand."""
        return None

    def _field(self, name: str, info: FieldInfo, axis_units: dict[str, str]) -> Field:
        extra = info.json_schema_extra
        if isinstance(extra, dict) and extra.get("donor"):
            field = DonorField(info.title or name, info.annotation is not str, self._curves)
            field.widget.setToolTip(info.description or "")
            return field
        return field_for(name, info, axis_units)

    def _edited(self, name: str, value: object) -> None:
        try:
            changed = self._rule.changed(**{name: value})
        except InputError as error:
            self.fields[name].set(getattr(self._rule, name))
            self.refused.emit(str(error))
            return
        self.changed.emit(changed)

    def menu_rows(self) -> list[MenuRow]:
        """What can be done with the rule as a whole."""
        return [
            ("Move up", lambda: self.moved.emit(-1)),
            ("Move down", lambda: self.moved.emit(1)),
            ("Switch it on or off", self.switch.click),
            *([("Give it a name…", self.naming_asked.emit)] if self.nameable else []),
            (f"Remove this {self.word}", self.removed.emit),
        ]

    def _open_menu(self) -> None:
        menu_of(self, self.menu_rows()).popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Delete takes the rule away, Alt with the arrows moves it, as the menu says."""
        turns = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}
        if event is None or not self.hasFocus():
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        elif event.key() in turns and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.moved.emit(turns[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)
