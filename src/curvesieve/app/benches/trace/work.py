"""What is in hand on the Trace bench: a chart, its picture, a tool, a series; long work runs in the background."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.benches.trace.sheets import drawn, is_sheet
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.core.changed import changed as changed_part
from curvesieve.core.errors import InputError, counted
from curvesieve.core.study import edits
from curvesieve.core.study.document import ChartEntry
from curvesieve.core.study.edits.base import new_id
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.parts import Place, Prepared, SeriesSpec, TraceSpec

if TYPE_CHECKING:
    from curvesieve.core.tracing.axes import Frame
    from curvesieve.core.tracing.back import LookBack
    from curvesieve.core.tracing.chart import Box
    from curvesieve.core.tracing.picture import Picture
    from curvesieve.core.tracing.ticks import FoundFrame

Step = Literal["axes", "points", "look back"]
Tool = Literal["points", "a line", "marks alike", "bars", "one bar", "draw over"]
TOOLS: tuple[Tool, ...] = ("points", "a line", "marks alike", "bars", "one bar", "draw over")
_LINE_POINTS, _LINE_PX = 60, 0.2


@dataclass(frozen=True, eq=False)
class Opened:
    """A picture as it is prepared, with what was found on it; `key` is the SHA-256 of its bytes, `size` as recorded."""

    key: str
    prepared: Prepared
    size: tuple[int, int]
    picture: Picture
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

    def bring_in(self, content: bytes, name: str, page: int = 1) -> None:
        """Opens the bytes of a picture, a drawing or a page of a PDF in the background and adds it to the study."""

        def work(ticket: Ticket) -> tuple[bytes, str, Opened]:
            if not is_sheet(name):
                return content, name, _opened(content, name, Prepared())
            made = drawn(content, name, page)
            title = f"{name}, page {page}" if name.lower().endswith(".pdf") else name
            return made, title, _opened(made, title, Prepared())

        def done(found: tuple[bytes, str, Opened]) -> None:
            kept, title, opened = found
            id_ = new_id("chart")
            if self.session.apply(edits.add_chart(kept, title, id_), f"bring in {title}"):
                self.opened = opened
                for note in opened.picture.notes:
                    self.session.noticed.emit(note, "note")
                self.take_chart(id_)

        self.session.jobs.start(f"Opening {name}", f"a picture {name}", work, done, self._refused)

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
        content = self.session.study.sources[chart.picture]
        self.opened, self.problem = None, ""

        def work(ticket: Ticket) -> Opened:
            return _opened(content, chart.name, chart.prepared)

        def done(opened: Opened) -> None:
            now = self.chart
            if now is not None and (now.picture, now.prepared) == (opened.key, opened.prepared):
                self.opened = opened
                self.changed.emit()

        def failed(sentence: str) -> None:
            self.problem = sentence
            self.changed.emit()

        self.session.jobs.start(f"Opening {chart.name}", "the chart", work, done, failed)

    def prepare(self, words: str, **what: object) -> bool:
        """Turns, crops or straightens the picture in hand; what was traced goes along."""
        chart, opened = self.chart, self.opened
        if chart is None or opened is None:
            return False
        made: list[bool] = []

        def act() -> None:
            prepared = changed_part(chart.prepared, **what)
            made.append(self.session.apply(edits.prepare(chart.id, prepared, opened.size), words))

        self.said_if_refused(act)
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
        self.change(changes.add_series(SeriesSpec(id=id_)), "add a series")
        self.series_id, self.number = id_, -1
        return id_

    def _series_for(self, kinds: tuple[str, ...]) -> str:
        """The series in hand where it takes what is placed, else a new one."""
        series = self.series
        if series is not None and (not (series.places or series.bars) or series.kind in kinds):
            return series.id
        return self.new_series()

    # -- a click ------------------------------------------------------------------------------------

    def snapped(self, place: Place, reach: float = 4.0) -> tuple[Place, bool]:
        """The place that a pixel snaps to, and whether it did: ticks and corners for axes, else what is drawn."""
        import numpy as np

        from curvesieve.core.tracing.snap import snapped

        if self.opened is None:
            return place, False
        if self.step == "axes":
            places = self.opened.found.places()
            off = np.hypot(*(places - place).T) if len(places) else np.empty(0)
            if off.size and off.min() <= reach + 2:
                nearest = places[int(np.argmin(off))]
                return (float(nearest[0]), float(nearest[1])), True
        try:
            return snapped(self.opened.picture, place, reach).place, True
        except InputError:
            return place, False

    def click(self, place: Place, by_hand: bool) -> None:
        """Does at a pixel what the tool in hand does; says why not where it cannot."""
        if self.opened is None or self.step != "points":
            return
        acts = {"points": self._place, "a line": self._follow, "marks alike": self._alike}
        if self.tool == "draw over":
            self.noted.emit("Press and draw along the line; what you draw takes the place of that piece")
            return
        act = acts.get(self.tool)
        if act is not None:
            act(place, by_hand)
        else:
            self._bars(place, alone=self.tool == "one bar")

    def _place(self, place: Place, by_hand: bool) -> None:
        at, did = (place, False) if by_hand else self.snapped(place)
        id_ = self._series_for(("points", "marks"))
        if self.change(changes.add_place(id_, at, by_hand=not did), "place a point"):
            series = self.series
            self.take_series(id_, len(series.places) - 1 if series is not None else -1)
            if not did:
                self.noted.emit("Placed where it was clicked: nothing is drawn within 4 pixels"
                                if not by_hand else "Placed where it was clicked")  # fmt: skip

    def _follow(self, place: Place, by_hand: bool) -> None:
        opened, count = self.opened, self.line_points
        assert opened is not None

        def work(ticket: Ticket) -> tuple[Any, Any]:
            from curvesieve.core.tracing.follow import follow
            from curvesieve.core.tracing.thin import thinned

            line = follow(opened.picture, place, opened.box)
            return line, thinned(line.places, count, None if count is not None else _LINE_PX)

        def done(found: tuple[Any, Any]) -> None:
            if self._is_gone(opened):
                return
            line, places = found
            id_ = self._series_for(())
            if self.change(changes.set_line(id_, places, line.width), "follow a line"):
                said = (
                    f"Followed over {len(line.places):,} px; {line.stops[0]} at the left, {line.stops[1]} at the right"
                )
                said += f"; {line.gaps:.0f} px of it are not drawn" if line.gaps else ""
                if line.beside > 0.05:
                    said += f"; {line.beside:.0%} of its colour is joined to it and was not followed"
                self.noted.emit(said)
                self.take_series(id_)

        self.session.jobs.start("Following the line", "a trace", work, done, self._refused)

    def _is_gone(self, opened: Opened) -> bool:
        """Whether an answer is about a picture that is not in hand any more; its pixels are none of another's."""
        if self.opened is opened:
            return False
        self.noted.emit("Another picture came in hand meanwhile; what was read on the one before was dropped")
        return True

    def _alike(self, place: Place, by_hand: bool) -> None:
        opened = self.opened
        assert opened is not None

        def work(ticket: Ticket) -> Any:
            from curvesieve.core.tracing.alike import marks_alike

            return marks_alike(opened.picture, place, opened.box)

        def done(found: Any) -> None:
            if self._is_gone(opened):
                return
            id_ = self._series_for(("marks", "points"))
            if self.change(changes.add_marks(id_, found.places), "find marks alike"):
                self.noted.emit(
                    f"{counted(len(found.places), 'mark')} alike found; take one that is none with a click, and Delete"
                )
                self.take_series(id_)

        self.session.jobs.start("Looking for marks alike", "a trace", work, done, self._refused)

    def _bars(self, place: Place, alone: bool) -> None:
        opened, frame, lying = self.opened, self.frame, self.lying
        assert opened is not None
        if frame is None:
            self._refused(f"Bars are read along the axes, so these come first. {self.frame_problem}")
            return

        def work(ticket: Ticket) -> Any:
            from curvesieve.core.tracing.chart import bars_of

            return bars_of(opened.picture, frame, place, alone, lying)

        def done(found: Any) -> None:
            if self._is_gone(opened):
                return
            id_ = self._series_for(("bars",))
            if self.change(changes.add_bars(id_, found), "read bars"):
                whiskers = sum(bar.upper is not None for bar in found)
                self.noted.emit(f"{counted(len(found), 'bar')} found, {whiskers} with whiskers")
                self.take_series(id_)

        self.session.jobs.start("Reading bars", "a trace", work, done, self._refused)

    def set_whisker(self, place: Place, by_hand: bool) -> None:
        """Puts an end of the whisker of the nearest bar where it was clicked."""
        series = self.series
        if series is None or series.kind != "bars":
            self._refused("There are no bars in hand whose whiskers this could be; read the bars first.")
            return
        at = place if by_hand else self.snapped(place)[0]
        self.change(changes.set_whisker(series.id, at), "end of a whisker")

    def draw_over(self, places: list[Place]) -> None:
        """Puts a piece that was drawn by hand into the line in hand."""
        import numpy as np

        series = self.series
        if series is None or series.kind != "line":
            self._refused("Only a line can be drawn over; take one in hand, or follow one first.")
            return
        self.change(changes.redraw_line(series.id, np.array(places)), "draw over a line")

    def nudge(self, dx: float, dy: float) -> None:
        """Moves the place in hand by so many pixels."""
        series = self.series
        if series is None or not 0 <= self.number < len(series.places):
            return
        x, y = series.places[self.number]
        change = changes.move_place(series.id, self.number, (x + dx, y + dy))
        self.change(change, "move a point", merge=f"move {series.id} {self.number}")

    def take_back(self) -> None:
        """Takes back the last point or bar of the series in hand, or the one in hand."""
        series = self.series
        count = len(series.places) + len(series.bars) if series is not None else 0
        if series is None or count == 0:
            return
        number = self.number if 0 <= self.number < count else count - 1
        if self.change(changes.remove_place(series.id, number), "take back a point"):
            self.take_series(series.id, min(self.number, count - 2) if self.number >= 0 else -1)

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

        self.session.jobs.start("Looking back", "look back", work, done, self._refused)

    def bring_in_curves(self, series_ids: list[str]) -> bool:
        """Brings series in as curves that follow the chart."""
        chart = self.chart
        return chart is not None and self.session.apply(edits.bring_in(chart.id, series_ids), "bring in traced curves")

    def said_if_refused(self, act: Callable[[], object]) -> None:
        """Does what may be refused; the reason is said."""
        try:
            act()
        except InputError as error:
            self._refused(str(error))

    def _refused(self, sentence: str) -> None:
        self.session.noticed.emit(sentence, "problem")


def _opened(content: bytes, name: str, prepared: Prepared) -> Opened:
    from curvesieve.core.tracing import snap  # noqa: F401  # so that the first click need not wait for it
    from curvesieve.core.tracing.chart import box_of
    from curvesieve.core.tracing.picture import read_picture
    from curvesieve.core.tracing.prepare import prepared_picture
    from curvesieve.core.tracing.ticks import found_frame

    recorded = read_picture(content, name)
    picture = prepared_picture(recorded, prepared)
    found = found_frame(picture.pixels)
    return Opened(picture.sha256, prepared, recorded.size, picture, found, box_of(found))
