"""Lists to be searched: steps of a field's sieve, ways of filling, measures."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from PyQt6.QtWidgets import QWidget

from curvesieve.app.widgets.grouped_list import Choosable, GroupedList
from curvesieve.core.fields.reads import registered_field_measures
from curvesieve.core.fields.steps import registered_field_steps


class FieldStepList(GroupedList):
    """`chosen` reports the class of the step."""

    nothing = "No step has these words"

    def __init__(self, window: QWidget) -> None:
        super().__init__(window, "What should the step do?")

    def rows_now(self) -> Iterable[Choosable]:
        yield from _rows(registered_field_steps())


class FieldMeasureList(GroupedList):
    """`chosen` reports the class of the measure."""

    nothing = "No measure has these words"

    def __init__(self, window: QWidget) -> None:
        super().__init__(window, "What should be read?")

    def rows_now(self) -> Iterable[Choosable]:
        yield from _rows(registered_field_measures())


def _rows(rules: dict[str, Any]) -> Iterable[Choosable]:
    for rule in rules.values():
        yield Choosable(rule.group.capitalize(), rule.label, rule.summary, rule, f"{rule.words} {rule.reference}")
