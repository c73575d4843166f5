"""What is in hand on the Trace bench: a chart, its picture, a tool, a series; long work runs in the background."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from curvesieve.app.benches.trace.sheets import drawn, is_sheet
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.core.changed import changed as changed_part
from curvesieve.core.errors import InputError
from curvesieve.core.study import edits
from curvesieve.core.study.document import ChartEntry
from curvesieve.core.study.edits.base import new_id
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.parts import Prepared, SeriesSpec, TraceSpec

if TYPE_CHECKING:
    from curvesieve.core.tracing.axes import Frame
    from curvesieve.core.tracing.back import LookBack
    from curvesieve.core.tracing.chart import Box
    from curvesieve.core.tracing.picture import Picture
    from curvesieve.core.tracing.ticks import FoundFrame

Step = Literal["axes", "points", "look back"]
Tool = Literal["points", "a line", "marks alike", "bars", "one bar", "draw over"]
TOOLS: tuple[Tool, ...] = ("points", "a line", "marks alike", "bars", "one bar", "draw over")
_OPENING = "the chart"
"""The key of the job that opens the chart in hand."""
_LINE_POINTS = 60


@dataclass(frozen=True, eq=False)
class Opened:
    """A picture as it is prepared, with what was found on it; `key` is the SHA-256 of its bytes, `size` as recorded.

    `image` is the same picture for painting.
    """

    key: str
    prepared: Prepared
    size: tuple[int, int]
    picture: Picture
    image: QImage
    found: FoundFrame
    box: Box | None


class TraceWork(QObject):
    """The chart in hand. `changed` tells that anything to be seen is another, `noted` in words what was done."""

    changed = pyqtSignal()
    noted = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.session = session
        self.chart_id = ""
        self.step: Step = "axes"
        self.tool: Tool = "points"
        self.line_points: int | None = _LINE_POINTS
        """How many points a line is thinned to; None: as many as keep to it within a fifth of a pixel."""
        self.lying = False
        """Whether bars go along x."""
        self.series_id = ""
        self.number = -1
        """The place in hand; -1: none."""
        self.opened: Opened | None = None
        self.problem = ""
        self.back: tuple[object, dict[str, LookBack]] | None = None
        """What looking back said, with the trace that it is about."""
        self._opening: tuple[str, Prepared] | None = None
        self._frame: tuple[object, Frame | None, str] | None = None
        session.changed.connect(lambda old, new: self._renew())

    # -- what is in hand ----------------------------------------------------------------------------

    @property
    def chart(self) -> ChartEntry | None:
        """The chart in hand: the first, when that which was is gone."""
        charts = self.session.study.document.charts
        return next((one for one in charts if one.id == self.chart_id), charts[0] if charts else None)

    @property
    def trace(self) -> TraceSpec:
        """The trace of the chart in hand."""
        return self.chart.trace if self.chart is not None else TraceSpec()

    @property
    def series(self) -> SeriesSpec | None:
        """The series in hand: the last, when that which was is gone."""
        all_ = self.trace.series
        return next((one for one in all_ if one.id == self.series_id), all_[-1] if all_ else None)

    @property
    def frame(self) -> Frame | None:
        """The calibrated axes; None while their marks make none, see `frame_problem`."""
        return self._calibrated()[0]

    @property
    def frame_problem(self) -> str:
        """Why there are no axes yet."""
        return self._calibrated()[1]

    def _calibrated(self) -> tuple[Frame | None, str]:
        from curvesieve.core.tracing.values import frame_of

        axes = (self.trace.x, self.trace.y)
        if self._frame is None or self._frame[0] != axes:
            try:
                self._frame = (axes, frame_of(self.trace), "")
            except InputError as error:
                self._frame = (axes, None, str(error))
        return self._frame[1], self._frame[2]

    def take_chart(self, chart_id: str) -> None:
        """Takes a chart in hand, at its axes while it has none."""
        self.chart_id, self.series_id, self.number = chart_id, "", -1
        self.step = "axes" if self.frame is None else "points"
        self._renew()

    def take_step(self, step: Step) -> None:
        """Goes to the axes, the points, or looks back."""
        self.step = step
        self._renew()

    def take_tool(self, tool: Tool) -> None:
        """Takes another way of placing points."""
        self.tool, self.step = tool, "points"
        self._renew()

    def take_series(self, series_id: str, number: int = -1) -> None:
        """Takes a series in hand, with one of its places."""
        self.series_id, self.number = series_id, number
        self.changed.emit()

    # -- pictures -----------------------------------------------------------------------------------

    def bring_in(self, given: bytes | Callable[[], bytes], name: str, page: int = 1) -> None:
        """Opens the bytes of a picture, a drawing or a page of a PDF in the background and adds it to the study.

        `given` may be what makes the bytes, which then happens in the background, too.
        """

        def work(ticket: Ticket) -> tuple[bytes, str, Opened]:
            content = given if isinstance(given, bytes) else given()
            if not is_sheet(name):
                return content, name, _opened(content, name, Prepared(), ticket)
            made = drawn(content, name, page)
            title = f"{name}, page {page}" if name.lower().endswith(".pdf") else name
            return made, title, _opened(made, title, Prepared(), ticket)

        def done(found: tuple[bytes, str, Opened]) -> None:
            kept, title, opened = found
            id_ = new_id("chart")
            if self.session.apply(edits.add_chart(kept, title, id_), f"bring in {title}"):
                self.opened = opened
                for note in opened.picture.notes:
                    self.session.noticed.emit(note, "note")
                self.take_chart(id_)

        self.session.jobs.start(f"Opening {name}", f"a picture {name}", work, done, self.refuse)

    def _renew(self) -> None:
        chart = self.chart
        if chart is None:
            self.opened = None
        elif self.opened is None or (self.opened.key, self.opened.prepared) != (chart.picture, chart.prepared):
            self._open(chart)
        if self.step == "look back":
            self._look_back()
        self.changed.emit()

    def _open(self, chart: ChartEntry) -> None:
        wanted = (chart.picture, chart.prepared)
        if self._opening == wanted and self.session.jobs.running(_OPENING):
            return
        content = self.session.study.sources[chart.picture]
        self.opened, self.problem, self._opening = None, "", wanted

        def work(ticket: Ticket) -> Opened:
            return _opened(content, chart.name, chart.prepared, ticket)

        def done(opened: Opened) -> None:
            now = self.chart
            if now is not None and (now.picture, now.prepared) == (opened.key, opened.prepared):
                self.opened = opened
                self.changed.emit()

        def failed(sentence: str) -> None:
            self.problem = sentence
            self.changed.emit()

        self.session.jobs.start(f"Opening {chart.name}", _OPENING, work, done, failed)

    def prepare(self, words: str, **what: object) -> bool:
        """Turns, crops or straightens the picture in hand; what was traced goes along."""
        chart, opened = self.chart, self.opened
        if chart is None or opened is None:
            return False
        made: list[bool] = []

        def act() -> None:
            prepared = changed_part(chart.prepared, **what)
            made.append(self.session.apply(edits.prepare(chart.id, prepared, opened.size), words))

        self.said_ifrefuse(act)
        return bool(made and made[0])

    # -- edits --------------------------------------------------------------------------------------

    def change(self, change: changes.Change, words: str, merge: str = "") -> bool:
        """Changes the trace of the chart in hand; what cannot be is said. Returns whether it was done."""
        chart = self.chart
        return chart is not None and self.session.apply(edits.retrace(chart.id, change), words, merge)

    def even(self, name: changes.AxisName) -> Any:
        """The pixels of ticks that stand evenly on an axis, of shape (n, 2); None where none were found."""
        import numpy as np

        axis = getattr(self.opened.found, name) if self.opened is not None else None
        return np.array([(tick.px, tick.py) for tick in axis.majors]) if axis is not None else None

    def new_series(self) -> str:
        """Adds a series and takes it in hand; its id."""
        id_ = new_id("series")
        self.series_id, self.number = id_, -1  # before it is there, so that it is seen in hand at once
        self.change(changes.add_series(SeriesSpec(id=id_)), "add a series")
        return id_

    # -- numbers ------------------------------------------------------------------------------------

    def _look_back(self) -> None:
        opened, frame, trace = self.opened, self.frame, self.trace
        if opened is None or frame is None or (self.back is not None and self.back[0] == trace):
            return

        def work(ticket: Ticket) -> dict[str, LookBack]:
            from curvesieve.core.tracing.back import look_back

            return {one.id: look_back(opened.picture, frame, one) for one in trace.series if one.places}

        def done(found: dict[str, LookBack]) -> None:
            if self.trace == trace:
                self.back = (trace, found)
                self.changed.emit()

        self.session.jobs.start("Looking back", "look back", work, done, self.refuse)

    def bring_in_curves(self, series_ids: list[str]) -> bool:
        """Brings series in as curves that follow the chart."""
        chart = self.chart
        return chart is not None and self.session.apply(edits.bring_in(chart.id, series_ids), "bring in traced curves")

    def said_ifrefuse(self, act: Callable[[], object]) -> None:
        """Does what may be refused; the reason is said."""
        try:
            act()
        except InputError as error:
            self.refuse(str(error))

    def refuse(self, sentence: str) -> None:
        """Says why something was not done."""
        self.session.noticed.emit(sentence, "problem")


def _opened(content: bytes, name: str, prepared: Prepared, ticket: Ticket) -> Opened:
    from curvesieve.core.tracing import snap  # noqa: F401  # so that the first click need not wait for it
    from curvesieve.core.tracing.chart import box_of
    from curvesieve.core.tracing.picture import read_picture
    from curvesieve.core.tracing.prepare import prepared_picture
    from curvesieve.core.tracing.ticks import found_frame

    recorded = read_picture(content, name)
    ticket.stop_if_asked()
    picture = prepared_picture(recorded, prepared)
    ticket.stop_if_asked()
    found = found_frame(picture.pixels)
    return Opened(picture.sha256, prepared, recorded.size, picture, image_of(picture.pixels), found, box_of(found))


def image_of(pixels: Any) -> QImage:
    """Colours of shape (height, width, 3) as an image that is painted at once; works in any thread."""
    import numpy as np

    height, width = pixels.shape[:2]
    made = QImage(np.ascontiguousarray(pixels).tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888)
    return made.convertToFormat(QImage.Format.Format_RGB32)
