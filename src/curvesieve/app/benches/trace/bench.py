"""The Trace bench put together: pictures and steps at the left, the picture, series and numbers at the right."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QImage, QResizeEvent
from PyQt6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QInputDialog, QSlider, QVBoxLayout, QWidget

from curvesieve.app.benches.trace.axes_card import AxesCard, axes_words
from curvesieve.app.benches.trace.mark_popup import MarkPopup
from curvesieve.app.benches.trace.picture_view import PictureView
from curvesieve.app.benches.trace.placing import Placing
from curvesieve.app.benches.trace.prepare_menu import PrepareMenu
from curvesieve.app.benches.trace.series_side import SeriesSide
from curvesieve.app.benches.trace.sheets import is_sheet, pages_of, png_of
from curvesieve.app.benches.trace.work import TOOLS, Step, TraceWork
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.basics import Card, Elided, button, empty, label, plain_tip
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.number import NumberField
from curvesieve.app.widgets.seen import SeenBench
from curvesieve.core.errors import InputError
from curvesieve.core.study import edits
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.parts import Place
from curvesieve.core.tracing.picture import bytes_of
from curvesieve.core.tracing.typed import value_of

_LEFT_PX, _ROOM_FOR_SIZE_PX = 268, 1180
HINT = "Click to place a point · Alt does not snap · arrow keys move it by a tenth of a pixel, with Shift by one"
_AXES_HINT = "Click a place whose value is printed: it snaps to ticks and corners of the frame; then type the value"
_PICTURES = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff *.bmp *.webp *.svg *.pdf);;All files (*)"
_STEPS: tuple[tuple[Step, str], ...] = (("axes", "1  Axes"), ("points", "2  Points"), ("look back", "3  Look back"))


class TraceBench(SeenBench):
    """Everything that concerns charts. `told` has a hint for the status line."""

    told = pyqtSignal(str)
    hint = HINT

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.work = work = TraceWork(session)
        self.placing = Placing(work)
        self.view = PictureView(self.placing)
        self.again = PictureView(self.placing, bare=True)
        self.again.hide()
        self.side_ = SeriesSide(self.placing)
        self.side = self.side_
        self.popup = MarkPopup(self.view)
        self._asked: Place = (0.0, 0.0)
        self.setAcceptDrops(True)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self._make_left())
        layout.addWidget(self._make_middle(), 1)
        layout.addWidget(self.side_)
        work.changed.connect(self.renew)
        work.noted.connect(lambda text: self.session.noticed.emit(text, "note"))
        self.view.placed.connect(self._placed)
        self.view.drawn.connect(self.placing.draw_over)
        self.view.pointed.connect(lambda text: self.told.emit(text or self._hint()))
        self.popup.typed.connect(self._mark)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.size_words.setVisible(self.width() >= _ROOM_FOR_SIZE_PX)

    def _hint(self) -> str:
        return _AXES_HINT if self.work.step == "axes" else HINT

    def _make_left(self) -> QWidget:
        self.open = button("+ open", "bare", "A picture file (or drop it here)")
        self.open.clicked.connect(self.ask_picture)
        self.paste_button = button("paste", "bare", "The picture in the clipboard, such as a screenshot (Ctrl+V)")
        self.paste_button.clicked.connect(self.paste)
        self.pictures = QVBoxLayout()
        self.pictures.setSpacing(4)
        self.steps: dict[str, Card] = {}
        self.step_words: dict[str, Elided | QWidget] = {}
        left = QWidget()
        left.setFixedWidth(_LEFT_PX)
        rows = QVBoxLayout(left)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(label("PICTURES", "section"))
        top.addStretch(1)
        top.addWidget(self.open)
        top.addWidget(self.paste_button)
        rows.addLayout(top)
        rows.addLayout(self.pictures)
        rows.addWidget(label("FROM PICTURE TO NUMBERS", "section"))
        self.axes = AxesCard(self.work)
        for step, words in _STEPS:
            card = Card()
            head = label(words, "strong")
            said = label(role="muted", wrap=True)
            card.rows.addWidget(head)
            card.rows.addWidget(said)
            card.clicked.connect(partial(self.work.take_step, step))
            card.setAccessibleName(words)
            self.steps[step], self.step_words[step] = card, said
            rows.addWidget(card)
            if step == "axes":
                card.rows.addWidget(self.axes)
            if step == "points":
                self.tools = self._make_tools()
                rows.addWidget(self.tools)
        rows.addWidget(label("NAME, AND WHERE IT IS FROM", "section"))
        self.name = Line()
        self.name.setAccessibleName("name of the chart")
        self.name.editingFinished.connect(self._name)
        rows.addWidget(self.name)
        self.origin = Line()
        self.origin.setAccessibleName("where the picture is from")
        self.origin.setPlaceholderText("report, figure, page, DOI")
        self.origin.editingFinished.connect(self._origin)
        rows.addWidget(self.origin)
        rows.addWidget(label("the picture itself is kept in the study", "muted", wrap=True))
        rows.addStretch(1)
        return left

    def _make_tools(self) -> QWidget:
        made = QWidget()
        rows = QGridLayout(made)
        rows.setContentsMargins(10, 0, 0, 0)
        self.tool_buttons = {}
        for number, tool in enumerate(TOOLS):
            one = button(tool, "tab")
            one.setCheckable(True)
            one.clicked.connect(partial(self.work.take_tool, tool))
            self.tool_buttons[tool] = one
            rows.addWidget(one, number // 3, number % 3)
        self.line_points = NumberField("points of a line", "", whole=True, optional=True)
        self.line_points.set(self.work.line_points)
        self.line_points.setToolTip("How many points a line is thinned to; empty: as many as keep to it within 0.2 px")
        self.line_points.edited.connect(self._count_points)
        self.line_points.refused.connect(lambda text: self.session.noticed.emit(text, "problem"))
        self.line_words = label("points a line", "muted")
        self.lying = button("the bars lie", "tab", "Bars that go along x")
        self.lying.setCheckable(True)
        self.lying.toggled.connect(self._lay)
        rows.addWidget(self.line_words, 2, 0)
        rows.addWidget(self.line_points, 2, 1)
        rows.addWidget(self.lying, 3, 0, 1, 3)
        return made

    def _count_points(self, count: object) -> None:
        if isinstance(count, int) and count < 2:
            self.session.noticed.emit("A line needs two points at least; the old number is kept.", "problem")
            self.line_points.set(self.work.line_points)
            return
        self.work.line_points = count if isinstance(count, int) else None

    def _lay(self, on: bool) -> None:
        self.work.lying = on

    def _make_middle(self) -> QWidget:
        self.title = Elided(role="strong")
        self.size_words = label(role="muted")
        self.grid = button("Grid", "tab", "Draws the axes as they are calibrated over the picture")
        self.grid.setCheckable(True)
        self.grid.setChecked(True)
        self.grid.clicked.connect(self._show_grid)
        self.beside = button("Beside", "tab", "The numbers as a chart with the same axes, beside the picture")
        self.beside.setCheckable(True)
        self.beside.toggled.connect(self.again.setVisible)
        self.ready = PrepareMenu(self.work, self.view)
        self.ready.told.connect(self.told)
        self.light = QSlider(Qt.Orientation.Horizontal)
        self.light.setAccessibleName("brightness for looking")
        self.light.setToolTip("How bright the picture is shown; numbers are not touched")
        self.light.setRange(-10, 10)
        self.light.setFixedWidth(64)
        self.light.valueChanged.connect(self._lighten)
        self.whole = button("Whole", tip="As large as there is room; the wheel enlarges, Ctrl and drag moves")
        self.whole.clicked.connect(self.view.whole)
        top = QHBoxLayout()
        top.addWidget(self.title, 1)
        for widget in (self.size_words, self.light, self.grid, self.beside, self.ready, self.whole):
            top.addWidget(widget)
        middle = QWidget()
        rows = QVBoxLayout(middle)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addLayout(top)
        views = QHBoxLayout()
        views.setSpacing(6)
        views.addWidget(self.view, 1)
        views.addWidget(self.again, 1)
        rows.addLayout(views, 1)
        self.start = label(
            "Bring in the picture of a chart: open a file, drop it here, or paste a screenshot (Ctrl+V).", "muted", True
        )
        rows.addWidget(self.start)
        return middle

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Renders the chart in hand."""
        super().refresh()
        work = self.work
        chart, opened = work.chart, work.opened
        empty(self.pictures)
        for one in self.session.study.document.charts:
            shown = self.fontMetrics().elidedText(one.name, Qt.TextElideMode.ElideMiddle, _LEFT_PX - 44)
            row = button(shown, "tab", plain_tip(one.name))
            row.setCheckable(True)
            row.setChecked(chart is not None and one.id == chart.id)
            row.clicked.connect(partial(work.take_chart, one.id))
            self.pictures.addWidget(row)
        self.title.set(chart.name if chart is not None else "")
        size = opened.picture.size if opened is not None else None
        self.size_words.setText(f"{size[0]} × {size[1]} px" if size is not None else "")
        there = chart is not None
        self.start.setVisible(not there)
        for part in (
            self.side_,
            self.light,
            self.grid,
            self.beside,
            self.ready,
            self.whole,
            *self.steps.values(),
            self.name,
            self.origin,
        ):
            part.setVisible(there)
        self.tools.setVisible(there and work.step == "points")
        self.axes.setVisible(work.step == "axes")
        for step, card in self.steps.items():
            card.set_in_hand(step == work.step)
        said, _ = axes_words(work)
        self._say("axes", said)
        self._say("points", "Click them; the pointer snaps to the middle of a line or a mark")
        self._say("look back", self._back_words())
        for tool, one_button in self.tool_buttons.items():
            one_button.setChecked(tool == work.tool)
        for part in (self.line_words, self.line_points):
            part.setVisible(work.tool == "a line")
        self.lying.setVisible(work.tool in ("bars", "one bar"))
        self.axes.refresh()
        self.side_.refresh()
        if not self.name.hasFocus():
            self.name.setText(chart.name if chart is not None else "")
        if not self.origin.hasFocus():
            self.origin.setText(work.trace.origin)
        self.view.update()
        self.again.update()
        self.told.emit(self._hint())

    def _say(self, step: str, text: str) -> None:
        self.step_words[step].setText(text)  # type: ignore[union-attr]

    def _back_words(self) -> str:
        back = self.work.back
        if back is None or back[0] != self.work.trace:
            return "Numbers drawn over the picture again, and how far they lie off it"
        names = {one.id: one.name or f"series {k}" for k, one in enumerate(self.work.trace.series, 1)}
        return "\n".join(f"{names[id_]}: {found.told()}" for id_, found in back[1].items()) or "nothing to compare yet"

    def _show_grid(self) -> None:
        self.view.grid_shown = self.grid.isChecked()
        self.view.update()

    def _lighten(self, steps: int) -> None:
        self.view.gamma = 1.12**steps
        self.view.update()

    # -- what is done -------------------------------------------------------------------------------

    def _placed(self, px: float, py: float, by_hand: bool) -> None:
        if self.work.step != "axes":
            self.placing.click((px, py), by_hand)
            return
        place = (px, py) if by_hand else self.placing.snapped((px, py))[0]
        self._asked = place
        at = self.view.on_screen(*place)
        self.popup.ask(QPoint(round(at.x()), round(at.y())), self._likely_axis(place))

    def _likely_axis(self, place: Place) -> str:
        """The axis on whose line a place is: that which was found nearest, else the one with fewer marks."""
        import numpy as np

        found = self.work.opened.found if self.work.opened is not None else None
        off = {}
        for name in ("x", "y"):
            axis = getattr(found, name) if found is not None else None
            if axis is not None and axis.ticks:
                ticks = np.array([(tick.px, tick.py) for tick in axis.ticks])
                off[name] = float(np.hypot(*(ticks - place).T).min())
        if off and min(off.values()) < 12:
            return min(off, key=lambda name: off[name])
        trace = self.work.trace
        return "x" if len(trace.x.marks) <= len(trace.y.marks) else "y"

    def _mark(self, x: str, y: str) -> None:
        for name, text in (("x", x), ("y", y)):
            if not text:
                continue
            axis = getattr(self.work.trace, name)
            try:
                value, unit = value_of(text, axis.scale, axis.unit)
            except InputError as error:
                self.session.noticed.emit(f"{error} Nothing was marked on {name}.", "problem")
                continue
            if unit != axis.unit and axis.scale != "dates":
                self.work.change(changes.with_axis(name, None, unit=unit), f"unit of {name}")  # type: ignore[arg-type]
            change = changes.with_mark(name, self._asked, value, self.work.even(name))  # type: ignore[arg-type]
            self.work.change(change, f"mark {text} on {name}")

    def _name(self) -> None:
        chart, text = self.work.chart, self.name.text().strip()
        if chart is None or text == chart.name:
            return
        try:
            edit = edits.name_chart(chart.id, text)
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            self.name.setText(chart.name)
            return
        if not self.session.apply(edit, "name a chart"):
            self.name.setText(chart.name)

    def _origin(self) -> None:
        text = self.origin.text().strip()
        if text != self.work.trace.origin:
            self.work.change(lambda trace: trace.model_copy(update={"origin": text}), "where the picture is from")

    def ask_picture(self) -> None:
        """Asks for a picture file."""
        path, _ = QFileDialog.getOpenFileName(self, "Open the picture of a chart", "", _PICTURES)
        if path:
            self.bring_in(Path(path))

    def bring_in(self, path: Path) -> None:
        """Brings in a picture file; of a document, which page is asked."""
        if not is_sheet(path.name):
            self.work.bring_in(partial(bytes_of, path), path.name)
            return
        page = 1
        try:
            content = bytes_of(path)
            count = pages_of(content, path.name)
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        if count > 1:
            page, ok = QInputDialog.getInt(self, path.name, f"Which page of {count}?", 1, 1, count)
            if not ok:
                return
        self.work.bring_in(content, path.name, page)

    def paste(self) -> None:
        """Brings in the picture in the clipboard."""
        board = QGuiApplication.clipboard()
        image = board.image() if board is not None else QImage()
        if image.isNull():
            self.session.noticed.emit(
                "There is no picture in the clipboard; copy one, or take a screenshot.", "problem"
            )
            return
        self.work.bring_in(partial(png_of, image), "pasted picture.png")

    def remove_chart(self) -> None:
        """Takes the chart in hand out of the study."""
        chart = self.work.chart
        if chart is not None:
            self.session.apply(edits.remove_chart(chart.id), f"take out {chart.name}")

    def action_rows(self) -> list[ActionRow]:
        """What can be done here."""
        there = lambda: self.work.chart is not None  # noqa: E731
        return [
            ActionRow("Open a picture of a chart", "", self.ask_picture, words="trace digitize scan", bench="Trace"),
            ActionRow("Paste a picture of a chart", "", self.paste, words="clipboard screenshot", bench="Trace"),
            ActionRow("Take back a traced point", "", self.placing.take_back, there, bench="Trace"),
            ActionRow("Take the chart out", "", self.remove_chart, there, bench="Trace"),
        ]
