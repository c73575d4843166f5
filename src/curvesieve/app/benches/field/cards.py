"""Cards of the Field bench's right side: what the points are, levels, slices."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from curvesieve.app.benches.field.map_view import MOST_DRAWN, one_in
from curvesieve.app.benches.field.work import FieldWork, line_spec
from curvesieve.app.widgets.basics import Card, Elided, button, empty, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.number import NumberField
from curvesieve.core import units
from curvesieve.core.changed import changed
from curvesieve.core.errors import InputError
from curvesieve.core.study.field_parts import OfChannels, OfFormula, OfTable
from curvesieve.core.typed import numbers_in, placed


class PointsCard(Card):
    """Which channels x, y, z and u are; what the axes are like."""

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.choices: dict[str, Choice] = {}
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        for place, axis in enumerate("xyzu"):
            choice = Choice()
            choice.setAccessibleName(f"channel of {axis}")
            choice.setMinimumContentsLength(6)
            choice.activated.connect(partial(self._choose, axis))
            grid.addWidget(label(axis, "strong"), place // 2, 2 * (place % 2))
            grid.addWidget(choice, place // 2, 2 * (place % 2) + 1)
            self.choices[axis] = choice
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.form = QWidget()
        self.form.setLayout(grid)
        grid.setContentsMargins(0, 0, 0, 0)
        self.table = self._make_table()
        self.words = label(role="muted", wrap=True)
        self.warning = label(role="problem", wrap=True)
        for part in (self.form, self.table, self.words, self.warning):
            self.rows.addWidget(part)

    def _make_table(self) -> QWidget:
        """What a table in rows and columns does not say of itself: names, units, steps where these are not in it."""
        made = QWidget()
        grid = QGridLayout(made)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(5)
        self.named: dict[str, Line] = {}
        self.steps: dict[str, NumberField] = {}
        for row, axis in enumerate("xyz"):
            grid.addWidget(label(axis, "strong"), row, 0)
            for column, (what, empty_words) in enumerate((("", "name"), ("_unit", "unit")), 1):
                line = Line()
                line.setAccessibleName(f"{empty_words} of {axis}")
                line.setPlaceholderText(empty_words)
                line.editingFinished.connect(partial(self._named, f"{axis}{what}"))
                self.named[f"{axis}{what}"] = line
                grid.addWidget(line, row, column)
            if axis != "z":
                step = NumberField(f"step of {axis}", "", whole=False, optional=True)
                step.line.setPlaceholderText("step")
                step.setToolTip("Empty: places are those that the table names")
                step.edited.connect(lambda v, axis=axis: self._source(**{f"{axis}_step": v}))
                step.refused.connect(self.work.refuse)
                self.steps[axis] = step
                grid.addWidget(step, row, 3)
        return made

    def _named(self, name: str) -> None:
        field, text = self.work.field, self.named[name].text().strip()
        if (
            field is None
            or not isinstance(field.source, OfTable | OfFormula)
            or text == getattr(field.source.names, name)
        ):
            return
        self._source(names=replace(field.source.names, **{name: text}))

    def _source(self, **what: Any) -> None:
        field = self.work.field
        if field is None:
            return
        try:
            made = changed(field.source, **what)
        except InputError as error:
            self.work.refuse(str(error))
            self.refresh()
            return
        self.work.change("what the table is of", source=made)

    def refresh(self) -> None:
        """Renders the points of the field in hand."""
        work, field, shown = self.work, self.work.field, self.work.shown_now
        source = field.source if field is not None else None
        self.form.setVisible(isinstance(source, OfChannels))
        if isinstance(source, OfChannels):
            record = next((one for one in work.session.study.document.records if one.id == source.record), None)
            names = [units.labelled(c.name, c.unit) for c in record.channels] if record is not None else []
            for axis, choice in self.choices.items():
                choice.offer([*(["none"] if axis == "u" else []), *names])
                at = getattr(source, axis)
                choice.setCurrentIndex((0 if at is None else at + 1) if axis == "u" else at)
        self.table.setVisible(isinstance(source, OfTable | OfFormula))
        if isinstance(source, OfTable | OfFormula):
            for name, line in self.named.items():
                if not line.hasFocus():
                    line.setText(getattr(source.names, name))
            for axis, step in self.steps.items():
                step.setVisible(isinstance(source, OfTable))
                step.set(getattr(source, f"{axis}_step", None))
        points = shown.prepared.points if shown is not None else None
        if points is None:
            self.words.setText("")
            self.warning.hide()
            return
        lattice = points.lattice
        rows = f"{lattice.x.size} columns × {lattice.y.size} rows" if lattice is not None else "scattered"
        thin = one_in(len(points), MOST_DRAWN) if lattice is None else 1
        drawn = f"; one in {thin} is drawn" if thin > 1 else ""
        self.words.setText(f"{len(points):,} points, {rows}" + ("" if points.u is None else ", with u") + drawn)
        how = "in shares of the extents" if work.filling.scaled else "as measured"
        self.warning.setText(f"{points.unlike_axes}: distances are counted {how}" if points.unlike_axes else "")
        self.warning.setVisible(bool(points.unlike_axes))

    def _choose(self, axis: str, place: int) -> None:
        field = self.work.field
        if field is None or not isinstance(field.source, OfChannels):
            return
        at = (None if place == 0 else place - 1) if axis == "u" else place
        self.work.change(f"another channel for {axis}", source=field.source.model_copy(update={axis: at}))


class LevelsCard(Card):
    """How many levels, or which, and whether they are bands."""

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.by = Choice()
        self.by.setAccessibleName("levels by")
        self.by.addItems(["number", "step", "list"])
        self.by.activated.connect(lambda k: self._set(by=("number", "step", "list")[k]))
        self.number = NumberField("number of levels", "", whole=True, optional=False)
        self.number.edited.connect(lambda v: self._set(number=v))
        self.step = NumberField("step of levels", "", whole=False, optional=False, step=0.5)
        self.step.edited.connect(lambda v: self._set(step=v))
        for field in (self.number, self.step):
            field.refused.connect(work.refuse)
        self.given = Line()
        self.given.setAccessibleName("list of levels")
        self.given.setPlaceholderText("76 78 80")
        self.given.editingFinished.connect(self._typed)
        self.banded = button("banded", "tab", "Colours in bands between the levels")
        self.smooth = button("smooth", "tab", "Colours without bands")
        self.lines = button("lines", "tab", "Lines of equal z at the levels")
        self.named = button("values", "tab", "Each line with its value")
        for one, banded in ((self.banded, True), (self.smooth, False)):
            one.setCheckable(True)
            one.clicked.connect(partial(self._look, banded))
        for one, name in ((self.lines, "lines"), (self.named, "named")):
            one.setCheckable(True)
            one.clicked.connect(partial(self._turn, name))
        top, foot = QHBoxLayout(), QHBoxLayout()
        for part in (label("levels", "muted"), self.by, self.number, self.step, self.given):
            top.addWidget(part)
        for tab in (self.banded, self.smooth, self.lines, self.named):
            foot.addWidget(tab)
        foot.addStretch(1)
        self.problem = label(role="problem", wrap=True)
        self.rows.addLayout(top)
        self.rows.addLayout(foot)
        self.rows.addWidget(self.problem)

    def refresh(self) -> None:
        """Renders the levels of the field in hand."""
        field, shown = self.work.field, self.work.shown_now
        if field is None:
            return
        levels, look = field.levels, field.look
        self.by.setCurrentIndex(("number", "step", "list").index(levels.by))
        self.number.set(levels.number)
        self.step.set(levels.step)
        if not self.given.hasFocus():
            self.given.setText("  ".join(f"{value:.8g}" for value in levels.given))
        for part, kind in ((self.number, "number"), (self.step, "step"), (self.given, "list")):
            part.setVisible(levels.by == kind)
        self.banded.setChecked(look.banded)
        self.smooth.setChecked(not look.banded)
        self.lines.setChecked(look.lines)
        self.named.setChecked(look.named)
        problem = shown.problem if shown is not None and shown.filled is not None else ""
        if shown is not None and shown.filled is not None and not problem and levels.by == "list" and levels.given:
            values = shown.filled.grid.values
            low, high = (float(values.min()), float(values.max())) if values.size else (0.0, 0.0)
            outside = [value for value in levels.given if not low <= value <= high]
            if outside:
                said = ", ".join(f"{value:.10g}" for value in outside[:4])
                ends = " and ".join(placed(one, high - low) for one in (low, high))
                problem = f"{said} beyond the surface, which lies between {ends}"
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))

    def _typed(self) -> None:
        try:
            given = tuple(numbers_in(self.given.text()))
        except InputError as error:
            self.work.refuse(f"{error}; the old levels are kept.")
            self.refresh()
            return
        if self.work.field is not None and given != self.work.field.levels.given:
            self._set(given=given)

    def _set(self, **what: Any) -> None:
        if not self.work.changed_part("levels", "levels", **what):
            self.refresh()

    def _look(self, banded: bool) -> None:
        self.work.changed_part("look", "colours of the map", banded=banded)
        self.refresh()

    def _turn(self, name: str) -> None:
        field = self.work.field
        if field is not None:
            self.work.changed_part("look", f"{name} on the map", **{name: not getattr(field.look, name)})


class SlicesCard(Card):
    """Slices along x or y, the first, the last and how many; lines that were drawn."""

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.along = Choice()
        self.along.setAccessibleName("slices along")
        self.along.addItems(["along x", "along y"])
        self.along.activated.connect(lambda k: self._set(along="xy"[k], first=None, last=None))
        self.first = NumberField("first slice", "", whole=False, optional=True)
        self.last = NumberField("last slice", "", whole=False, optional=True)
        self.count = NumberField("slices in all", "", whole=True, optional=False)
        self.across = NumberField("width of slices", "", whole=False, optional=False)
        self.across.setToolTip("Each slice is the mean over this width; 0: a line")
        self.first.edited.connect(lambda v: self._set(first=v))
        self.last.edited.connect(lambda v: self._set(last=v))
        self.count.edited.connect(lambda v: self._set(count=v))
        self.across.edited.connect(lambda v: self._set(width=v))
        for field in (self.first, self.last, self.count, self.across):
            field.refused.connect(work.refuse)
        self.from_words = label("y from", "muted")
        top, foot = QHBoxLayout(), QHBoxLayout()
        for part in (self.along, self.from_words, self.first, label("to", "muted"), self.last):
            top.addWidget(part)
        for one in (label("in all", "muted"), self.count, label("width", "muted"), self.across):
            foot.addWidget(one)
        self.lines = QVBoxLayout()
        self.extremes = button("+ through the extremes", "bare", "A slice from the lowest place to the highest")
        self.extremes.clicked.connect(self.add_extremes)
        self.rows.addLayout(top)
        self.rows.addLayout(foot)
        self.rows.addLayout(self.lines)
        self.rows.addWidget(self.extremes)
        self.rows.addWidget(label("drag one over the map; Shift and drag draws a line anywhere", "muted", wrap=True))
        self.problem = label(role="problem", wrap=True)
        self.rows.addWidget(self.problem)

    def refresh(self) -> None:
        """Renders the slices of the field in hand."""
        field, shown = self.work.field, self.work.shown_now
        if field is None:
            return
        spec = field.slices
        self.along.setCurrentIndex("xy".index(spec.along))
        self.from_words.setText("y from" if spec.along == "x" else "x from")
        made = spec.specs(shown.prepared.points)[: spec.count] if shown is not None else ()
        for end, value, at in ((self.first, spec.first, 0), (self.last, spec.last, -1)):
            end.set(made[at].at if value is None and made else value)
        self.count.set(spec.count)
        self.across.set(spec.width)
        empty(self.lines)
        for number, line in enumerate(spec.lines):
            row = QWidget()
            across = QHBoxLayout(row)
            across.setContentsMargins(0, 0, 0, 0)
            words = line.named(shown.prepared.points.names) if shown is not None else f"line {number + 1}"
            across.addWidget(Elided(words, "muted"), 1)
            out = button("×", "bare", "Take this line out")
            out.setAccessibleName(f"take out line {number + 1}")
            out.clicked.connect(partial(self._out, number))
            across.addWidget(out)
            self.lines.addWidget(row)
        problems = shown.slice_problems if shown is not None else ()
        self.problem.setText("\n".join(problems[:3]))
        self.problem.setVisible(bool(problems))

    def _set(self, **what: Any) -> None:
        if not self.work.changed_part("slices", "slices", **what):
            self.refresh()

    def add_extremes(self) -> None:
        """A line from the lowest place of the surface to the highest."""
        field, shown = self.work.field, self.work.shown_now
        if field is None or shown is None or shown.filled is None or not shown.filled.grid.known.any():
            return
        grid = shown.filled.grid
        (x0, y0), (x1, y1) = (
            (float(grid.x[at % grid.x.size]), float(grid.y[at // grid.x.size]))
            for at in (int(np.nanargmin(grid.z)), int(np.nanargmax(grid.z)))
        )
        line = line_spec((x0, y0, x1, y1), field.slices.width)
        self._set(lines=(*field.slices.lines, line))

    def _out(self, number: int) -> None:
        field = self.work.field
        if field is not None:
            self._set(lines=tuple(line for k, line in enumerate(field.slices.lines) if k != number))
