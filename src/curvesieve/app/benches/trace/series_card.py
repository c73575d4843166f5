"""The card of one series that was traced: what it is called, in which order, what its whiskers are."""

from __future__ import annotations

from functools import partial
from typing import Literal, get_args

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout

from curvesieve.app.benches.trace.overlay import SERIES_COLOURS, series_colour
from curvesieve.app.benches.trace.work import TraceWork
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import Card, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.swatch import Swatch
from curvesieve.core.errors import InputError, counted
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.parts import SeriesSpec, Spread
from curvesieve.core.typed import numbers_in

_SPREADS: tuple[Spread, ...] = get_args(Spread)
_ORDERS: tuple[Literal["x", "as placed"], ...] = ("x", "as placed")


def _offered() -> list[str]:
    return [colour(name).name() for name in SERIES_COLOURS]


class SeriesCard(Card):
    """One series: its name, its condition, how many points; what whiskers are, for bars."""

    def __init__(self, work: TraceWork, series: SeriesSpec, number: int) -> None:
        super().__init__()
        self.work, self.id = work, series.id
        count = len(series.bars) if series.kind == "bars" else len(series.places)
        head = QHBoxLayout()
        self.name = Line(series.name)
        self.name.setPlaceholderText(f"series {number + 1}")
        self.name.setAccessibleName(f"name of series {number + 1}")
        self.name.editingFinished.connect(lambda: self._set("name", self.name.text().strip(), series.name))
        head.addWidget(self.name, 1)
        self.colour = Swatch(f"colour of series {number + 1}", _offered, "by its number", bare=True)
        self.colour.setToolTip("The colour that it is drawn in over the picture")
        self.colour.set(series.colour or None, series_colour(work, number).name())
        self.colour.edited.connect(lambda value: self._set("colour", value or "", series.colour))
        head.addWidget(self.colour)
        head.addWidget(label(counted(count, "bar" if series.kind == "bars" else "point"), "muted"))
        remove = button("×", "bare", "Take this series out")
        remove.setAccessibleName(f"take out series {number + 1}")
        remove.clicked.connect(lambda: work.change(changes.remove_series(series.id), "take out a series"))
        head.addWidget(remove)
        self.rows.addLayout(head)
        fields = self._fields(series, number)
        self.rows.addLayout(fields)
        self.clicked.connect(lambda: work.take_series(series.id))

    def _fields(self, series: SeriesSpec, number: int) -> QGridLayout:
        fields = QGridLayout()
        self.condition = Line(_shown(series.condition))
        self.condition.setAccessibleName(f"condition of series {number + 1}")
        self.condition.setPlaceholderText("a number, such as a loading")
        self.condition.editingFinished.connect(partial(self._condition, series))
        fields.addWidget(label("condition", "muted"), 0, 0)
        fields.addWidget(self.condition, 0, 1)
        if series.kind in ("points", "marks"):
            self.order = Choice()
            self.order.setAccessibleName(f"order of series {number + 1}")
            self.order.addItems([f"points by {one}" if one == "x" else f"points {one}" for one in _ORDERS])
            self.order.setCurrentIndex(_ORDERS.index(series.order))
            self.order.activated.connect(lambda at: self._set("order", _ORDERS[at], series.order))
            fields.addWidget(label("order", "muted"), 1, 0)
            fields.addWidget(self.order, 1, 1)
        if series.kind == "bars":
            self.spread = Choice()
            self.spread.setAccessibleName(f"whiskers of series {number + 1}")
            self.spread.addItems(["not said", *_SPREADS[1:]])
            self.spread.setCurrentIndex(_SPREADS.index(series.spread))
            self.spread.activated.connect(lambda at: self._set("spread", _SPREADS[at], series.spread))
            self.count = Line(_shown(series.count))
            self.count.setAccessibleName(f"n of series {number + 1}")
            self.count.setPlaceholderText("n")
            self.count.setFixedWidth(46)
            self.count.editingFinished.connect(partial(self._count, series))
            fields.addWidget(label("whiskers", "muted"), 1, 0)
            fields.addWidget(self.spread, 1, 1)
            fields.addWidget(self.count, 1, 2)
        fields.setColumnStretch(1, 1)
        return fields

    def _set(self, field: str, value: object, old: object) -> bool:
        change = changes.change_series(self.id, **{field: value})
        return value != old and self.work.change(change, f"{field} of a series")

    def _condition(self, series: SeriesSpec) -> None:
        text = self.condition.text().strip()
        try:
            numbers = numbers_in(text)
            if len(numbers) > 1:
                raise InputError(f"“{text}” is not one number")
        except InputError as error:
            self.work.session.noticed.emit(f"{error}; a condition is one.", "problem")
            numbers = [series.condition] if series.condition is not None else []
        if not self._set("condition", numbers[0] if numbers else None, series.condition):
            self.condition.setText(_shown(series.condition))  # as it is, however it was typed

    def _count(self, series: SeriesSpec) -> None:
        text = self.count.text().strip()
        if text and not (text.isascii() and text.isdigit()):
            self.work.session.noticed.emit(f"“{text}” is not a whole number; n is the count of values.", "problem")
        elif self._set("count", int(text) if text else None, series.count):
            return
        self.count.setText(_shown(series.count))


def _shown(number: float | None) -> str:
    return "" if number is None else f"{number:g}"
