"""The card that offers to take a machine's file as a mechanical test, and tells how it is taken as one."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout

from curvesieve.app.benches.intake.waiting import Waiting
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.core.intake.applied import with_names
from curvesieve.core.intake.dimensions import SHAPES
from curvesieve.core.intake.machine import TESTS, MechanicalTest, extensions_of, recognised
from curvesieve.core.intake.pattern import TestRule

_COLUMNS = 3


class MechanicalCard(Card):
    """Which test the file may be of, a button each; or the test that it is taken as, with what can be chosen of it."""

    chosen = pyqtSignal(str, str, str)
    """A test, the specimen's shape, the channel of extension; the latter two empty for what is found."""
    left = pyqtSignal()

    def __init__(self, waiting: Waiting) -> None:
        super().__init__()
        assert waiting.table is not None
        assert waiting.pattern is not None
        record = with_names(waiting.table.record, waiting.pattern)
        self.buttons: dict[str, object] = {}
        self.specimen, self.extension = Choice(), Choice()
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
            made.clicked.connect(lambda _, slug=test.slug: self.chosen.emit(slug, "", ""))
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
            choice.textActivated.connect(
                lambda _: self.chosen.emit(
                    rule.test, self.specimen.currentText() or rule.specimen, self.extension.currentText()
                )
            )
            row.addWidget(label(name, "muted"))
            row.addWidget(choice, 1)
        row.addStretch(0)
        self.rows.addLayout(row)
