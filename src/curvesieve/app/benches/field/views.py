"""What is seen of the field in hand: map or surface with its colours, slices or the ledger below."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from curvesieve.app.benches.field.colour_bar import FieldBar
from curvesieve.app.benches.field.colours import Scale
from curvesieve.app.benches.field.hand import HINT, TURN_HINT, Hand
from curvesieve.app.benches.field.ledger_page import FieldLedgerPage
from curvesieve.app.benches.field.look_row import LookRow
from curvesieve.app.benches.field.map_view import MOST_COLOURED, FieldMap, one_in
from curvesieve.app.benches.field.shown import Shown
from curvesieve.app.benches.field.slices_plot import SlicesPlot
from curvesieve.app.benches.field.turned_view import TurnedView
from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.core import units
from curvesieve.core.curve import Floats
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.turned import Eye


class FieldViews(QWidget):
    """Renders what `work` shows. `told` has a hint for the status line."""

    told = pyqtSignal(str)

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.map, self.surface, self.bar, self.profile = FieldMap(), TurnedView(), FieldBar(), SlicesPlot()
        self.row, self.hand = LookRow(work), Hand(work, self.map, self.surface, self.profile)
        self.stack = QStackedWidget()
        self.stack.addWidget(self.map)
        self.stack.addWidget(self.surface)
        self.picture = QWidget()
        views = QHBoxLayout(self.picture)
        views.setContentsMargins(0, 0, 0, 0)
        views.setSpacing(0)
        views.addWidget(self.stack, 1)
        views.addWidget(self.bar)
        self.problem = label(role="problem", wrap=True)
        self.again = button("Stopped: what is seen is of before. Fill in now", "act")
        self.again.clicked.connect(self.work.again)
        self.again.hide()
        upper = QWidget()
        rows = QVBoxLayout(upper)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        for part in (self.row, self.problem, self.again):
            rows.addWidget(part)
        rows.addWidget(self.picture, 1)
        lower = self._make_lower()
        self._make_start()
        self.panes = QSplitter(Qt.Orientation.Vertical)
        self.panes.setChildrenCollapsible(False)
        self.panes.addWidget(upper)
        self.panes.addWidget(lower)
        self.panes.setSizes([480, 210])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.start)
        whole.addWidget(self.panes, 1)
        self._connect()

    def _make_lower(self) -> QWidget:
        """What stands below the map: slices, or the ledger of all fields."""
        self.below = {}
        self.ledger = FieldLedgerPage(self.work)
        self.slice_words = Elided(role="muted")
        self.slice_words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        lower = QWidget()
        foot = QVBoxLayout(lower)
        foot.setContentsMargins(0, 4, 0, 0)
        heading = QHBoxLayout()
        for words, tip in (("Slices", "Profiles below the map"), ("Ledger", "The readings of all fields")):
            one = button(words, "tab", tip)
            one.setCheckable(True)
            one.clicked.connect(partial(self._show_below, words))
            self.below[words] = one
            heading.addWidget(one)
        heading.addWidget(self.slice_words, 1000)
        heading.addStretch(1)
        foot.addLayout(heading)
        self.under = QStackedWidget()
        self.under.addWidget(self.profile)
        self.under.addWidget(self.ledger)
        self.below["Slices"].setChecked(True)
        foot.addWidget(self.under, 1)
        return lower

    def _make_start(self) -> None:
        """What stands there while there is no field."""
        self.start = QWidget()
        self.open = button("Open a file…", "act")
        self.more = button("Other ways ▾", tip="A record, a family, a formula")
        words = label(
            "A field is z over x and y: open a file with three columns, a table in rows and columns, a height map; or "
            "take a record, a family or a formula (+ new).", "muted", True,
        )  # fmt: skip
        start = QVBoxLayout(self.start)
        start.addStretch(1)
        start.addWidget(words)
        buttons = QHBoxLayout()
        for one in (self.open, self.more):
            buttons.addWidget(one)
        buttons.addStretch(1)
        start.addLayout(buttons)
        start.addStretch(2)

    def _connect(self) -> None:
        self.row.whole_asked.connect(self.map.show_all)
        self.row.taken.connect(lambda name: self.told.emit(TURN_HINT if name == "surface" else HINT))
        self.map.taken.connect(self._take_slice)
        self.surface.turned_to.connect(
            lambda turn, tilt: self.row.look("turn", turn=round(turn, 1), tilt=round(tilt, 1))
        )
        self.surface.height_asked.connect(self.row.raise_by)
        for part in (self.hand, self.ledger):
            part.told.connect(self.told)

    def restyle(self) -> None:
        """In the colours of the scheme."""
        for plot in (self.map, self.profile):
            plot.restyle()

    def refresh(self) -> None:
        """Renders the field in hand."""
        work, field, shown = self.work, self.work.field, self.work.shown_now
        self.start.setVisible(field is None)
        self.panes.setVisible(field is not None)
        if field is None:
            return
        self.again.setVisible(work.stopped)
        self.row.refresh()
        problem = work.problem or (shown.problem if shown is not None and shown.filled is None else "")
        self.problem.setText(problem[:1].upper() + problem[1:])
        self.problem.setVisible(bool(problem))
        if self.under.currentWidget() is self.ledger:
            self.ledger.refresh()
        if shown is not None:
            self._show(shown)
        else:
            self._show_nothing()

    def _show(self, shown: Shown) -> None:
        view, points = self.work.view, shown.prepared.points
        self.stack.setCurrentWidget(self.surface if view == "surface" else self.map)
        if shown.filled is None or view in ("caught", "misses"):
            self._show_scatter(shown, view)
            self.surface.show_surface(None, None, None, Eye(), False)
            return
        look = self.work.field.look if self.work.field is not None else shown.field.look
        grid, names = shown.filled.grid, points.names
        values = grid.u if view == "u" and grid.u is not None else grid.z
        scale = self._scale(values, shown, view)
        self.bar.show_scale(scale, units.labelled(f"u of {names.z}" if view == "u" else names.z, names.z_unit))
        if view == "surface":
            dots = points if look.points and not shown.measured else None
            self.surface.show_surface(grid, dots, scale, Eye(look.turn, look.tilt, look.height), look.through)
        else:
            self._show_map(shown, grid, scale, values)
        self.profile.show_slices(shown.slices, points, self.work.slice_number, not shown.measured)
        self.slice_words.set(f"shaded: u {shown.filled.surface.u_told}" if shown.filled.surface.u_told else "")

    def _show_map(self, shown: Shown, grid: Grid, scale: Scale, values: Floats) -> None:
        field, points, view = self.work.field, shown.prepared.points, self.work.view
        assert field is not None
        rgb = scale.rgb(grid.evenly(values))
        if view == "beyond":
            rgb[..., :3] = (0.5 * rgb[..., :3] + 127).astype(np.uint8)
        self.map.show_grid(grid, rgb, points.names)
        self.map.show_beyond(grid, shown.beyond if view == "beyond" else None)
        lines = shown.lines if field.look.lines and view != "u" else ()
        self.map.show_lines(lines, field.look.named)
        seen = field.look.points and not shown.measured
        self.map.show_points(*((points.x, points.y) if seen else (np.empty(0), np.empty(0))))
        self.map.show_slices(tuple(one.spec for one in shown.slices), self.work.slice_number)
        read = next((one for one in shown.reads if one.slot.id == self.work.measure_id), None)
        self.map.show_places(read.places if read is not None else None)
        if view == "beyond" and shown.beyond is not None and grid.known.any():
            share = 100 * float(shown.beyond.sum()) / float(grid.known.sum())
            self.told.emit(f"{share:.2f} % of the surface lies beyond its neighbours")

    def _show_scatter(self, shown: Shown, view: str) -> None:
        """Points alone: where nothing can be filled in, or what a step took away, or how far the surface is off."""
        points, trail = shown.prepared.points, self.work.step_seen
        x, y, z, words, unit = points.x, points.y, points.z, points.names.z, points.names.z_unit
        if view == "caught" and trail is not None:
            (x, y, z), words, unit = trail.caught, f"{trail.slot.rule.label}: taken", trail.before.names.z_unit
        elif view == "misses":
            x, y, z, words = self._misses(shown)
        title, thin = units.labelled(words, unit), one_in(x.size, MOST_COLOURED)
        every = shown.prepared.gathered.points
        self.map.show_no_grid()
        self.map.show_lines((), False)
        self.map.show_slices((), -1)
        self.map.show_extent(every.x, every.y, points.names)
        scale = Scale(float(z.min()), float(z.max())) if z.size else None
        self.bar.show_scale(scale, f"{title}; one in {thin}" if thin > 1 else title)
        self.map.show_points(np.empty(0), np.empty(0))
        if view in ("caught", "misses"):
            self.map.show_faint(every.x, every.y)
        rgb = scale.rgb(z[::thin]) if scale is not None else np.empty((0, 4), np.uint8)
        self.map.show_coloured(x[::thin], y[::thin], rgb)
        if shown.filled is None:
            self.profile.show_slices((), None, -1)

    def _misses(self, shown: Shown) -> tuple[Floats, Floats, Floats, str]:
        """Places and misses of the way in hand: at left-out points where these are known, else what is left at all."""
        points, judged = shown.prepared.points, self.work.judged_now
        if judged is not None:
            which, misses, words = judged.which, judged.misses, "misses at left-out points"
        else:
            assert shown.misses is not None
            which, misses, words = np.arange(len(points)), shown.misses, "surface less points"
        known = np.isfinite(misses)
        return points.x[which][known], points.y[which][known], misses[known], words

    def _show_nothing(self) -> None:
        self.map.show_no_grid()
        self.map.show_lines((), False)
        self.map.show_slices((), -1)
        self.map.show_points(np.empty(0), np.empty(0))
        self.bar.show_scale(None, "")
        self.surface.show_surface(None, None, None, Eye(), False)
        self.profile.show_slices((), None, -1)

    def _scale(self, values: Floats, shown: Shown, view: str) -> Scale:
        known = values[np.isfinite(values)]
        low, high = (float(known.min()), float(known.max())) if known.size else (0.0, 1.0)
        field = self.work.field
        banded = field is not None and field.look.banded and view != "u"
        return Scale(low, high, np.asarray(shown.levels) if banded and len(shown.levels) else None)

    def _show_below(self, words: str) -> None:
        for name, one in self.below.items():
            one.setChecked(name == words)
        self.under.setCurrentWidget(self.ledger if words == "Ledger" else self.profile)
        self.slice_words.setVisible(words == "Slices")
        self.ledger.refresh()

    def _take_slice(self, number: int) -> None:
        self.work.slice_number = number
        self.refresh()
