"""What a click on the picture does: the tool in hand places, follows, finds, or reads bars."""

from __future__ import annotations

from typing import Any

from curvesieve.app.benches.trace.work import Opened, TraceWork
from curvesieve.app.session.jobs import Ticket
from curvesieve.core.errors import InputError, counted
from curvesieve.core.tracing import changes
from curvesieve.core.tracing.parts import Place

_LINE_PX = 0.2


class Placing:
    """Places of series, by the tool of the work on hand; long work runs in the background."""

    def __init__(self, work: TraceWork) -> None:
        self.work = work

    def snapped(self, place: Place, reach: float = 4.0) -> tuple[Place, bool]:
        """The place that a pixel snaps to, and whether it did: ticks and corners for axes, else what is drawn."""
        import numpy as np

        from curvesieve.core.tracing.snap import snapped

        if self.work.opened is None:
            return place, False
        if self.work.step == "axes":
            places = self.work.opened.found.places()
            off = np.hypot(*(places - place).T) if len(places) else np.empty(0)
            if off.size and off.min() <= reach + 2:
                nearest = places[int(np.argmin(off))]
                return (float(nearest[0]), float(nearest[1])), True
        try:
            return snapped(self.work.opened.picture, place, reach).place, True
        except InputError:
            return place, False

    def click(self, place: Place, by_hand: bool) -> None:
        """Does at a pixel what the tool in hand does; says why not where it cannot."""
        if self.work.opened is None or self.work.step != "points":
            return
        acts = {"points": self._place, "a line": self._follow, "marks alike": self._alike}
        if self.work.tool == "draw over":
            self.work.noted.emit("Press and draw along the line; what you draw takes the place of that piece")
            return
        act = acts.get(self.work.tool)
        if act is not None:
            act(place, by_hand)
        else:
            self._bars(place, alone=self.work.tool == "one bar")

    def _place(self, place: Place, by_hand: bool) -> None:
        at, did = (place, False) if by_hand else self.snapped(place)
        id_ = self._series_for(("points", "marks"))
        if self.work.change(changes.add_place(id_, at, by_hand=not did), "place a point"):
            series = self.work.series
            self.work.take_series(id_, len(series.places) - 1 if series is not None else -1)
            if not did:
                self.work.noted.emit("Placed where it was clicked: nothing is drawn within 4 pixels"
                                if not by_hand else "Placed where it was clicked")  # fmt: skip

    def _follow(self, place: Place, by_hand: bool) -> None:
        opened, count = self.work.opened, self.work.line_points
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
            if self.work.change(changes.set_line(id_, places, line.width), "follow a line"):
                said = (
                    f"Followed over {len(line.places):,} px; {line.stops[0]} at the left, {line.stops[1]} at the right"
                )
                said += f"; {line.gaps:.0f} px of it are not drawn" if line.gaps else ""
                if line.beside > 0.05:
                    said += f"; {line.beside:.0%} of its colour is joined to it and was not followed"
                self.work.noted.emit(said)
                self.work.take_series(id_)

        self.work.session.jobs.start("Following the line", "a trace", work, done, self.work.refuse)

    def _is_gone(self, opened: Opened) -> bool:
        """Whether an answer is about a picture that is not in hand any more; its pixels are none of another's."""
        if self.work.opened is opened:
            return False
        self.work.noted.emit("Another picture came in hand meanwhile; what was read on the one before was dropped")
        return True

    def _alike(self, place: Place, by_hand: bool) -> None:
        opened = self.work.opened
        assert opened is not None

        def work(ticket: Ticket) -> Any:
            from curvesieve.core.tracing.alike import marks_alike

            return marks_alike(opened.picture, place, opened.box)

        def done(found: Any) -> None:
            if self._is_gone(opened):
                return
            id_ = self._series_for(("marks", "points"))
            if self.work.change(changes.add_marks(id_, found.places), "find marks alike"):
                self.work.noted.emit(
                    f"{counted(len(found.places), 'mark')} alike found; take one that is none with a click, and Delete"
                )
                self.work.take_series(id_)

        self.work.session.jobs.start("Looking for marks alike", "a trace", work, done, self.work.refuse)

    def _bars(self, place: Place, alone: bool) -> None:
        opened, frame, lying = self.work.opened, self.work.frame, self.work.lying
        assert opened is not None
        if frame is None:
            self.work.refuse(f"Bars are read along the axes, so these come first. {self.work.frame_problem}")
            return

        def work(ticket: Ticket) -> Any:
            from curvesieve.core.tracing.chart import bars_of

            return bars_of(opened.picture, frame, place, alone, lying)

        def done(found: Any) -> None:
            if self._is_gone(opened):
                return
            id_ = self._series_for(("bars",))
            if self.work.change(changes.add_bars(id_, found), "read bars"):
                whiskers = sum(bar.upper is not None for bar in found)
                self.work.noted.emit(f"{counted(len(found), 'bar')} found, {whiskers} with whiskers")
                self.work.take_series(id_)

        self.work.session.jobs.start("Reading bars", "a trace", work, done, self.work.refuse)

    def set_whisker(self, place: Place, by_hand: bool) -> None:
        """Puts an end of the whisker of the nearest bar where it was clicked."""
        series = self.work.series
        if series is None or series.kind != "bars":
            self.work.refuse("There are no bars in hand whose whiskers this could be; read the bars first.")
            return
        at = place if by_hand else self.snapped(place)[0]
        self.work.change(changes.set_whisker(series.id, at), "end of a whisker")

    def draw_over(self, places: list[Place]) -> None:
        """Puts a piece that was drawn by hand into the line in hand."""
        import numpy as np

        series = self.work.series
        if series is None or series.kind != "line":
            self.work.refuse("Only a line can be drawn over; take one in hand, or follow one first.")
            return
        self.work.change(changes.redraw_line(series.id, np.array(places)), "draw over a line")

    def nudge(self, dx: float, dy: float) -> None:
        """Moves the place in hand by so many pixels."""
        series = self.work.series
        if series is None or not 0 <= self.work.number < len(series.places):
            return
        x, y = series.places[self.work.number]
        change = changes.move_place(series.id, self.work.number, (x + dx, y + dy))
        self.work.change(change, "move a point", merge=f"move {series.id} {self.work.number}")

    def take_back(self) -> None:
        """Takes back the last point or bar of the series in hand, or the one in hand."""
        series = self.work.series
        count = len(series.places) + len(series.bars) if series is not None else 0
        if series is None or count == 0:
            return
        number = self.work.number if 0 <= self.work.number < count else count - 1
        if self.work.change(changes.remove_place(series.id, number), "take back a point"):
            self.work.take_series(series.id, min(self.work.number, count - 2) if self.work.number >= 0 else -1)

    def _series_for(self, kinds: tuple[str, ...]) -> str:
        """The series in hand where it takes what is placed, else a new one."""
        series = self.work.series
        if series is not None and (not (series.places or series.bars) or series.kind in kinds):
            return series.id
        return self.work.new_series()
