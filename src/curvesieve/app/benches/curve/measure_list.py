"""The list of measures: grouped by what they look for."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtWidgets import QWidget

from curvesieve.app.widgets.grouped_list import Choosable, GroupedList
from curvesieve.core.measures import registered_measures
from curvesieve.core.sets import SETS


class MeasureList(GroupedList):
    """`chosen` reports the class of the measure, or a set of measures."""

    nothing = "No measure has these words"

    def __init__(self, window: QWidget) -> None:
        super().__init__(window, "What should be read?")

    def rows_now(self) -> Iterable[Choosable]:
        for one in SETS:
            yield Choosable("Sets of readings", one.label, one.about, one, one.words)
        for measure in registered_measures().values():
            yield Choosable(measure.group.capitalize(), measure.label, measure.summary, measure, measure.words)
