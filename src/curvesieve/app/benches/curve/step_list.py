"""The list of steps to add: grouped by intent."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtWidgets import QWidget

from curvesieve.app.widgets.grouped_list import Choosable, GroupedList
from curvesieve.core.steps import registered_steps


class StepList(GroupedList):
    """`chosen` reports the class of the step."""

    nothing = "No step has these words"

    def __init__(self, window: QWidget) -> None:
        super().__init__(window, "What should the step do?")

    def rows_now(self) -> Iterable[Choosable]:
        for step in registered_steps().values():
            yield Choosable(step.group.capitalize(), step.label, step.summary, step, step.words)
