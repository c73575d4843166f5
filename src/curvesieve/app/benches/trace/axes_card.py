"""The axes of a chart: scale, label and unit of each, the marks that were typed, and how far they miss."""

from __future__ import annotations

from functools import partial
from typing import get_args

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from curvesieve.app.benches.trace.work import TraceWork
from curvesieve.app.widgets.basics import button, empty, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.axes import Scale
from curvesieve.core.tracing.changes import AxisName, typed
from curvesieve.core.tracing.parts import AxisSpec, MarkSpec
from curvesieve.core.tracing.typed import said, value_of

_SCALES: tuple[Scale, ...] = get_args(Scale)
_UNEVEN_PX = 2.0
"""A mark that misses its axis by more was not read a little off: its value is wrong."""
_WORDS = {
    "linear": "linear",
    "log10": "logarithmic",
    "ln": "natural logarithm",
    "reciprocal": "reciprocal",
    "dates": "dates",
}


class AxisRows(QWidget):
    """One axis: edits go to the trace at once."""

    def __init__(self, work: TraceWork, name: AxisName) -> None:
        super().__init__()
        self.work, self.name = work, name
        self.scale = Choice()
        self.scale.setAccessibleName(f"{name} scale")
        self.scale.addItems([_WORDS[one] for one in _SCALES])
        self.scale.activated.connect(lambda place: self._change(scale=_SCALES[place]))
        self.label, self.unit = Line(), Line()
        for line, what in ((self.label, "label"), (self.unit, "unit")):
            line.setAccessibleName(f"{name} {what}")
            line.setPlaceholderText(what)
            line.editingFinished.connect(partial(self._typed, line, what))
        self.unit.setFixedWidth(58)
        rows = QGridLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setVerticalSpacing(4)
        rows.addWidget(label(name, "strong"), 0, 0)
        rows.addWidget(self.scale, 0, 1, 1, 2)
        rows.addWidget(self.label, 1, 1)
        rows.addWidget(self.unit, 1, 2)
        self.marks = QVBoxLayout()
        self.marks.setSpacing(2)
        rows.addLayout(self.marks, 2, 1, 1, 2)
        rows.setColumnStretch(1, 1)
        self._shown: object = None

    def _change(self, **what: object) -> None:
        change = changes.with_axis(self.name, self.work.even(self.name), **what)
        self.work.change(change, f"{self.name} axis of the chart")
        self.refresh()

    def _typed(self, line: Line, what: str) -> None:
        text = line.text().strip()
        axis: AxisSpec = getattr(self.work.trace, self.name)
        if text == getattr(axis, what):
            return
        if what == "unit" and text and not units.is_known(text):
            said = f"{text} is no unit that is known here; numbers in it cannot be converted."
            self.work.session.noticed.emit(said, "note")
        self._change(**{what: text})

    def refresh(self) -> None:
        """Renders the axis of the trace in hand."""
        axis: AxisSpec = getattr(self.work.trace, self.name)
        self.scale.setCurrentIndex(_SCALES.index(axis.scale))
        for line, text in ((self.label, axis.label), (self.unit, axis.unit)):
            if line.text() != text and not line.hasFocus():
                line.setText(text)
        marks = typed(axis)
        if (marks, axis.scale) == self._shown:
            return
        self._shown = (marks, axis.scale)
        empty(self.marks)
        for number, mark in enumerate(marks):
            self.marks.addWidget(self._row(number, mark))

    def _row(self, number: int, mark: MarkSpec) -> QWidget:
        row = QWidget()
        across = QHBoxLayout(row)
        across.setContentsMargins(0, 0, 0, 0)
        axis: AxisSpec = getattr(self.work.trace, self.name)
        value = Line(said(mark.value, axis.scale))
        value.setAccessibleName(f"value of mark {number + 1} of {self.name}")
        value.setAlignment(Qt.AlignmentFlag.AlignRight)
        value.editingFinished.connect(partial(self._value, value, mark))
        take_out = button("×", "bare", "Take this mark out")
        take_out.setAccessibleName(f"take out mark {number + 1} of {self.name}")
        take_out.clicked.connect(partial(self._take_out, number))
        across.addWidget(value, 1)
        across.addWidget(label(f"at {mark.px:.1f}, {mark.py:.1f} px", "muted"))
        across.addWidget(take_out)
        return row

    def _value(self, line: Line, mark: MarkSpec) -> None:
        axis: AxisSpec = getattr(self.work.trace, self.name)
        if line.text().strip() == said(mark.value, axis.scale):
            return
        try:
            value, unit = value_of(line.text().strip(), axis.scale, axis.unit)
        except InputError as error:
            self.work.session.noticed.emit(f"{error} {said(mark.value, axis.scale)} is kept.", "problem")
            line.setText(said(mark.value, axis.scale))
            return
        if unit != axis.unit and axis.scale != "dates":
            self._change(unit=unit)
        if value != mark.value:
            change = changes.with_mark(self.name, (mark.px, mark.py), value, self.work.even(self.name))
            self.work.change(change, "value of a mark")

    def _take_out(self, number: int) -> None:
        change = changes.without_mark(self.name, number, self.work.even(self.name))
        self.work.change(change, "take out a mark")


class AxesCard(QWidget):
    """Both axes, under the step that they belong to."""

    def __init__(self, work: TraceWork) -> None:
        super().__init__()
        self.work = work
        self.of_x, self.of_y = AxisRows(work, "x"), AxisRows(work, "y")
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(8)
        rows.addWidget(self.of_x)
        rows.addWidget(self.of_y)

    def refresh(self) -> None:
        """Renders both axes."""
        self.of_x.refresh()
        self.of_y.refresh()


def axes_words(work: TraceWork) -> tuple[str, bool]:
    """What is known of the axes in a sentence, and whether they are calibrated."""
    frame = work.frame
    if frame is None:
        return work.frame_problem or "Click a place whose value is printed, and type it", False
    kinds = f"x {_WORDS[frame.x.scale]}, y {_WORDS[frame.y.scale]}"
    count = len(frame.x.marks) + len(frame.y.marks)
    told = sum(mark.typed for axis in (work.trace.x, work.trace.y) for mark in axis.marks)
    more = f", {count - told} from even ticks" if count > told else ""
    worst = max(frame.x.worst, frame.y.worst)
    told_words = f"{kinds} · {told} marks typed{more}, miss {worst:.1f} px at the most"
    return "\n".join([told_words, *_doubts(work)]), True


def _doubts(work: TraceWork) -> list[str]:
    """What does not go together: values that do not come out even with their places, ticks that crowd as logarithms."""
    out = []
    frame = work.frame
    found = work.opened.found if work.opened is not None else None
    for name in ("x", "y"):
        axis: AxisSpec = getattr(work.trace, name)
        ticks = getattr(found, name) if found is not None else None
        calibrated = getattr(frame, name) if frame is not None else None
        if calibrated is not None and calibrated.worst > _UNEVEN_PX:
            out.append(
                f"{name}: the values do not come out even with their places, by {calibrated.worst:.0f} px; one of them "
                "is wrong, or the scale is another"
            )
        if ticks is not None and ticks.crowding and axis.scale == "linear":
            out.append(f"{name}: short ticks crowd between the long ones, as on a logarithmic axis; is it one?")
    return out
