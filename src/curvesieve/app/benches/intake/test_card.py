"""The card that offers to take a machine's file as a mechanical test, and tells how it is taken as one."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout

from curvesieve.app.benches.intake.waiting import Waiting
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.number import NumberField
from curvesieve.core.intake.applied import with_names
from curvesieve.core.intake.dimensions import SHAPES
from curvesieve.core.intake.machine import TESTS, MechanicalTest, extensions_of, recognised
from curvesieve.core.intake.pattern import TestRule

_COLUMNS = 3


class MechanicalCard(Card):
    """Which test the file may be of, a button each; or the test that it is taken as, with what can be chosen of it."""

    chosen = pyqtSignal(str, str, str, object)
    """A test, the specimen's shape, the channel of extension, the row where an extensometer was taken off; all but the
    first empty (None) for what is found."""
    left = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, waiting: Waiting) -> None:
        super().__init__()
        assert waiting.table is not None
        assert waiting.pattern is not None
        record = with_names(waiting.table.record, waiting.pattern)
        self.buttons: dict[str, object] = {}
        self.specimen, self.extension = Choice(), Choice()
        self.off = NumberField("extensometer off at row", "", True, True)
        self.rows.setContentsMargins(8, 5, 8, 6)
        rule = waiting.pattern.test
        if rule is None:
            self._offer(recognised(record))
        else:
            self.set_in_hand(True)
            self._tell(rule, extensions_of(record))

    def _offer(self, tests: list[MechanicalTest]) -> None:
        self.setVisible(bool(tests))
        self.rows.addWidget(label("Looks like a mechanical test. Take it as", "muted"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(4)
        grid.setVerticalSpacing(4)
        for place, test in enumerate(tests):
            made = button(test.label, "small", f"{test.about}, and what is usually read of it")
            made.clicked.connect(lambda _, slug=test.slug: self.chosen.emit(slug, "", "", None))
            self.buttons[test.slug] = made
            grid.addWidget(made, place // _COLUMNS, place % _COLUMNS)
        self.rows.addLayout(grid)

    def _tell(self, rule: TestRule, extensions: list[str]) -> None:
        test = TESTS[rule.test]
        head = QHBoxLayout()
        head.addWidget(label(test.label, "strong"))
        about = Elided(test.about, "muted")
        head.addWidget(about, 1)
        leave = button("×", "bare", "Takes it as a plain table again")
        leave.setAccessibleName(f"not as {test.label.lower()}")
        leave.clicked.connect(self.left)
        head.addWidget(leave)
        self.rows.addLayout(head)
        row = QHBoxLayout()
        row.setSpacing(6)
        shaped = test.y == "stress"
        for choice, name, texts, at, wanted in (
            (self.specimen, "specimen", list(SHAPES), rule.specimen, shaped),
            (self.extension, "strain from", extensions, rule.extension, len(extensions) > 1 and test.x != "time"),
        ):
            if not wanted:
                continue
            choice.addItems(texts)
            choice.setCurrentText(at)
            choice.setAccessibleName(name)
            choice.textActivated.connect(lambda _: self._choose(rule))
            row.addWidget(label(name, "muted"))
            row.addWidget(choice, 1)
        row.addStretch(0)
        self.rows.addLayout(row)
        if self.extension.count() and rule.extension != "" and self.extension.count() > 1:
            self.off.set(rule.off)
            self.off.line.setPlaceholderText("where that is found")
            self.off.setToolTip("The row of the last number before the extensometer was taken off in mid-test")
            self.off.edited.connect(lambda _: self._choose(rule))
            self.off.refused.connect(self.refused)
            below = QHBoxLayout()
            below.setSpacing(6)
            below.addWidget(label("extensometer off at row", "muted"))
            below.addWidget(self.off, 1)
            self.rows.addLayout(below)

    def _choose(self, rule: TestRule) -> None:
        off = None if self.off.value is None else int(self.off.value)
        self.chosen.emit(rule.test, self.specimen.currentText() or rule.specimen, self.extension.currentText(), off)
