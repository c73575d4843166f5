"""How the field is filled in: the way with its fields, all ways side by side, the grid, what stands outside."""

from __future__ import annotations

from functools import partial
from typing import Any, get_args

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QTableWidgetItem, QWidget

from curvesieve.app.benches.field.variogram_plot import VariogramPlot
from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.panels.rule_fields import Field, field_for
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.number import NumberField
from curvesieve.app.widgets.table import plain_table, stretch
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import ASK_CELLS
from curvesieve.core.fields.surface import Outside
from curvesieve.core.fields.ways import Way, registered_ways
from curvesieve.core.fields.ways.kriging import Kriged

_OUTSIDE = {"empty": "left empty", "nearest": "the nearest point", "value": "a value", "law": "what the law says"}
_ROW_PX = 25


class WayCard(Card):
    """The way in hand and the table of all. `asked` wants a yes for a large grid: its words, and what to do then."""

    asked = pyqtSignal(str, object)

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.way = Choice()
        self.way.setAccessibleName("way of filling in")
        self.way.activated.connect(self._choose)
        self.found = label(role="muted", wrap=True)
        self.doubt = label(role="problem", wrap=True)
        self.more = button("Settings ▾", "bare", "The settings of this way, such as its variogram")
        self.more.setCheckable(True)
        self.more.toggled.connect(self._fold)
        self.form = QWidget()
        self.form.hide()
        self.variogram = VariogramPlot()
        self.variogram.hide()
        self.variogram.dragged.connect(self._edited)
        self.fields: dict[str, Field] = {}
        self.captions: dict[str, QWidget] = {}
        self._form_of: tuple[type[Way], str] | None = None
        self._fields: list[str] = []
        self.table = plain_table(
            ["way", "miss", "beyond"],
            [
                "A click takes it",
                "Root mean square miss of points that were left out",
                "Share of the surface outside the range of the measured points around: false dips and wiggles",
            ],
        )
        self.table.setAccessibleName("ways of filling side by side")
        stretch(self.table, (0,), 60)
        self.table.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.table.cellClicked.connect(self._take_row)
        self.how = Elided(role="muted")
        self.compare = button("Compare the ways", tip="How far each way misses points that it was not shown")
        self.compare.clicked.connect(work.compare)
        top = QHBoxLayout()
        top.addWidget(self.way, 1)
        top.addWidget(self.more)
        self.rows.addLayout(top)
        self.rows.addWidget(self.form)
        self.rows.addWidget(self.variogram)
        self.rows.addWidget(self.found)
        self.rows.addWidget(self.doubt)
        self.rows.addWidget(self.table)
        self.rows.addWidget(self.how)
        self.rows.addWidget(self.compare)
        self.rows.addLayout(self._make_grid())
        self._ways: list[type[Way]] = []

    def _make_grid(self) -> QGridLayout:
        rows = QGridLayout()
        rows.setVerticalSpacing(5)
        self.columns = self._number("columns", whole=True)
        self.lines = self._number("rows", whole=True)
        self.step = self._number("step", optional=True)
        self.reach = self._number("reach", optional=True)
        self.value = self._number("value outside")
        self.outside = Choice()
        self.outside.setAccessibleName("outside the points")
        self.outside.activated.connect(lambda k: self._set(outside=self._outsides[k]))
        self._outsides: list[Outside] = []
        self.like = Choice()
        self.like.setAccessibleName("grid of")
        self.like.activated.connect(self._like)
        self.scaled = Choice()
        self.scaled.setAccessibleName("distances")
        self.scaled.addItems(["as measured", "in shares of the extents"])
        self.scaled.setToolTip(
            "How distances are counted: in the unit of x and y, or in shares of the extents where these are unlike"
        )
        self.scaled.activated.connect(lambda k: self._set(scaled=bool(k)))
        across = QHBoxLayout()
        across.addWidget(self.columns)
        across.addWidget(label("×", "muted"))
        across.addWidget(self.lines)
        across.addWidget(label("step", "muted"))
        across.addWidget(self.step)
        self.captions_of: dict[str, QWidget] = {}
        self._rows: dict[str, QWidget] = {}
        for row, (words, part) in enumerate((
            ("grid", across), ("grid of", self.like), ("outside", self.outside), ("value", self.value),
            ("reach", self.reach), ("distances", self.scaled),
        )):  # fmt: skip
            caption = label(words, "muted")
            self.captions_of[words] = caption
            rows.addWidget(caption, row, 0)
            if isinstance(part, QWidget):
                self._rows[words] = part
                rows.addWidget(part, row, 1)
            else:
                rows.addLayout(across, row, 1)
        rows.setColumnStretch(1, 1)
        self.columns.edited.connect(lambda v: self._grid(columns=v, step=None))
        self.lines.edited.connect(lambda v: self._grid(rows=v, step=None))
        self.step.edited.connect(lambda v: self._grid(step=v))
        self.reach.edited.connect(lambda v: self._set(reach=v))
        self.value.edited.connect(lambda v: self._set(value=v))
        self.reach.setToolTip("Nothing stands further than this from all points; empty: anywhere within their hull")
        return rows

    def _number(self, words: str, whole: bool = False, optional: bool = False) -> NumberField:
        made = NumberField(words, "", whole, optional)
        made.refused.connect(self.work.refuse)
        return made

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Renders the way of the field in hand."""
        work, shown = self.work, self.work.shown_now
        filling = work.filling
        points = shown.prepared.points if shown is not None else None
        self._ways = [way for way in registered_ways().values() if points is None or not way().suits(points)]
        labels = [way.label for way in self._ways]
        self.way.offer(labels)
        at = next((k for k, way in enumerate(self._ways) if way.slug == filling.way.slug), -1)
        self.way.setCurrentIndex(at)
        self.way.setToolTip(filling.way.summary)
        self._fill_form(filling.way)
        filled = shown.filled if shown is not None else None
        self.found.setText(filled.surface.filler.told if filled is not None else "")
        self.found.setVisible(bool(self.found.text()))
        self.doubt.setText(filled.surface.filler.doubt if filled is not None else "")
        self.doubt.setVisible(bool(self.doubt.text()))
        self._fill_table()
        self._show_grid(filling)
        self._fold(self.more.isChecked())

    def _show_grid(self, filling: Any) -> None:
        spec, shown = filling.grid, self.work.shown_now
        measured = filling.way.slug == "as-measured"
        size = (
            shown.filled.grid.z.shape if shown is not None and shown.filled is not None else (spec.rows, spec.columns)
        )
        self.columns.set(size[1] if spec.step is not None or measured or spec.like else spec.columns)
        self.lines.set(size[0] if spec.step is not None or measured or spec.like else spec.rows)
        self.step.set(spec.step)
        for number in (self.columns, self.lines, self.step):
            number.setEnabled(not measured and not spec.like)
        others = [
            one
            for one in self.work.session.study.document.fields
            if self.work.field is None or one.id != self.work.field.id
        ]
        self._fields = ["", *(one.id for one in others)]
        self.like.offer(["its own", *(one.name for one in others)])
        self.like.setCurrentIndex(self._fields.index(spec.like) if spec.like in self._fields else 0)
        self._outsides = [choice for choice in get_args(Outside) if choice != "law" or filling.way.law]
        self.outside.offer([_OUTSIDE[choice] for choice in self._outsides])
        self.outside.setCurrentIndex(self._outsides.index(filling.outside) if filling.outside in self._outsides else 0)
        self.value.set(filling.value)
        for one in (self.value, self.captions_of["value"]):
            one.setVisible(filling.outside == "value")
        self.reach.set(filling.reach)
        self.scaled.setCurrentIndex(int(filling.scaled))

    def _fill_form(self, way: Way) -> None:
        names = self.work.shown_now.prepared.points.names if self.work.shown_now is not None else None
        key = (type(way), repr(names))
        if key != self._form_of:
            self._form_of = key
            self._make_form(way, names)
        for name in way.settings():
            self.fields[name].set(getattr(way, name))
            for part in (self.fields[name].widget, self.captions[name]):
                part.setVisible(way.acts(name))

    def _make_form(self, way: Way, names: Any) -> None:
        old = self.form
        self.form = QWidget()
        self.rows.replaceWidget(old, self.form)
        old.hide()
        old.deleteLater()
        grid = QGridLayout(self.form)
        grid.setContentsMargins(0, 2, 0, 2)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        self.fields, self.captions = {}, {}
        units = {"x": names.x_unit, "y": names.y_unit, "z": names.z_unit} if names is not None else {}
        for row, (name, info) in enumerate(way.settings().items()):
            field = field_for(name, info, units)
            field.edited.connect(partial(self._edited, name))
            field.refused.connect(self.work.refuse)
            caption = label(info.title or name, "muted")
            caption.setToolTip(info.description or "")
            grid.addWidget(caption, row, 0)
            grid.addWidget(field.widget, row, 1)
            self.fields[name], self.captions[name] = field, caption

    def _fold(self, on: bool) -> None:
        self.more.setText("Settings ▴" if on else "Settings ▾")
        self.form.setVisible(on and bool(self.fields))
        several, measured = len(self._fields) > 1, self.work.filling.way.slug == "as-measured"
        for part, shown in (("reach", True), ("distances", not measured), ("grid of", several and not measured)):
            for one in (self._rows[part], self.captions_of[part]):
                one.setVisible(on and shown)
        filled = self.work.shown_now.filled if self.work.shown_now is not None else None
        kriged = filled.surface.filler if filled is not None and isinstance(filled.surface.filler, Kriged) else None
        self.variogram.setVisible(on and kriged is not None)
        if on and kriged is not None and filled is not None:
            self.variogram.show_variogram(kriged, filled.grid.names)

    def _fill_table(self) -> None:
        found, shown = self.work.ways, self.work.shown_now
        self.table.setVisible(bool(found))
        self.compare.setVisible(not found and shown is not None and shown.filled is not None)
        self.how.setVisible(bool(found))
        unit = f" {shown.prepared.points.names.z_unit}".rstrip() if shown is not None else ""
        self.table.setRowCount(len(found))
        for row, one in enumerate(found):
            words = (one.way.label, f"{one.error:.3g}{unit}" if one.error == one.error else "–",
                     f"{100 * one.beyond:.1f} %" if one.beyond == one.beyond else "–")  # fmt: skip
            for column, text in enumerate(words):
                cell = QTableWidgetItem(text)
                cell.setToolTip(one.problem or one.told or one.way.summary)
                if column:
                    cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(row, column, cell)
            if one.way.slug == self.work.filling.way.slug:
                self.table.selectRow(row)
        head = self.table.horizontalHeader()
        self.table.setFixedHeight(_ROW_PX * len(found) + (head.height() if head is not None else 24) + 2)
        judged = next((one for one in found if one.left_out is not None), None)
        if judged is not None and judged.left_out is not None:
            missing = int((~judged.left_out.reached).sum())
            self.how.set(
                f"points left out {judged.left_out.how}" + (f"; {missing} beyond the others" if missing else "")
            )

    # -- edits --------------------------------------------------------------------------------------

    def _choose(self, place: int) -> None:
        way = self._ways[place]
        if way.slug == self.work.filling.way.slug:
            return
        shown = self.work.shown_now
        made = way.for_points(shown.prepared.points) if shown is not None else way()
        self._take_way(made)

    def _take_row(self, row: int, column: int) -> None:
        found = self.work.ways
        if 0 <= row < len(found) and found[row].way.slug != self.work.filling.way.slug and not found[row].problem:
            self._take_way(found[row].way)

    def _take_way(self, way: Way) -> None:
        """Another way; what stands outside by a law stays only where there is one."""
        outside = self.work.filling.outside
        self._set(way=way, outside="empty" if outside == "law" and not way.law else outside)

    def _edited(self, name: str, value: object) -> None:
        way = self.work.filling.way
        try:
            made = way.changed(**{name: value})
        except InputError as error:
            self.fields[name].set(getattr(way, name))
            self.work.refuse(str(error))
            return
        self._set(way=made)

    def _set(self, **what: Any) -> None:
        self.work.changed_part("filling", "fill in otherwise", **what)
        self.refresh()

    def _grid(self, **what: Any) -> None:
        from curvesieve.core.changed import changed

        try:
            made = changed(self.work.filling.grid, **what)
            cells = made.axes(self.work.shown_now.prepared.points) if self.work.shown_now is not None else None
        except InputError as error:
            self.work.refuse(str(error))
            self.refresh()
            return
        if cells is not None and cells[0].size * cells[1].size > ASK_CELLS:
            words = f"{cells[0].size:,} × {cells[1].size:,} cells take their time and memory"
            self.asked.emit(words, lambda: self._set(grid=made))
            self.refresh()
            return
        self._set(grid=made)

    def _like(self, place: int) -> None:
        self._grid(like=self._fields[place])
