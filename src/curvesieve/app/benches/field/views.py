"""What is seen of the field in hand: map or surface with its colours, slices below, and what the mouse does there."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from curvesieve.app.benches.field.colour_bar import FieldBar
from curvesieve.app.benches.field.colours import Scale
from curvesieve.app.benches.field.ledger_page import FieldLedgerPage
from curvesieve.app.benches.field.map_view import FieldMap
from curvesieve.app.benches.field.slices_plot import SlicesPlot
from curvesieve.app.benches.field.turned_view import TurnedView
from curvesieve.app.benches.field.work import FieldWork, Shown, line_spec
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.number import NumberField
from curvesieve.core import units
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.turned import Eye
from curvesieve.core.reading import concise

HINT = "Drag a slice · Shift and drag draws one anywhere · the wheel enlarges · click reads the value"
_TURN_HINT = "Drag turns the surface · the wheel makes it higher · arrow keys turn it by 5°"
_ROOMY_PX, _NARROW_PX = 640, 520
_VIEWS = (
    ("map", "Map", "Colours and lines of equal z"),
    ("surface", "Surface", "Seen from a side, turned with the mouse"),
    ("beyond", "Beyond", "Where the surface lies outside the range of the points around: false dips and wiggles"),
    ("misses", "Misses", "How far the surface is off points that it was not shown, at each of them"),
    ("u", "u", "The standard uncertainty of the surface"),
    ("caught", "Caught", "What the step in hand took away"),
)


class FieldViews(QWidget):
    """Renders what `work` shows. `told` has a hint for the status line."""

    told = pyqtSignal(str)

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.map, self.surface, self.bar, self.profile = FieldMap(), TurnedView(), FieldBar(), SlicesPlot()
        top = self._make_top()
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
        rows.addLayout(top)
        rows.addWidget(self.problem)
        rows.addWidget(self.again)
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
        self.open, self.more = (
            button("Open a file…", "act"),
            button("Other ways ▾", tip="A record, a family, a formula"),
        )
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

    def _make_top(self) -> QHBoxLayout:
        self.title, self.size_words = Elided(role="strong"), label(role="muted")
        self.views = {}
        top = QHBoxLayout()
        top.setSpacing(6)
        top.addWidget(self.title, 1)
        top.addWidget(self.size_words)
        for name, words, tip in _VIEWS:
            one = button(words, "tab", tip)
            one.setCheckable(True)
            one.clicked.connect(partial(self._show_view, name))
            self.views[name] = one
            top.addWidget(one)
        self.dots = button("Points", "tab", "The measured points on the map and the surface")
        self.through = button("See-through", "tab", "The surface lets what is behind it be seen")
        self.tall = NumberField("height of the surface", "", whole=False, optional=False, step=0.1)
        self.tall.setToolTip("How high z is drawn, in shares of the longer side of the plane")
        self.tall.setFixedWidth(64)
        self.tall.edited.connect(lambda v: self._look("height of the surface", height=v))
        self.tall.refused.connect(self.work.refuse)
        self.whole = button("Whole", tip="All of the field")
        self.whole.clicked.connect(self.map.show_all)
        for one, name in ((self.dots, "points"), (self.through, "through")):
            one.setCheckable(True)
            one.clicked.connect(partial(self._turn, name))
        self.looks = button("…", "bare", "Points, see-through, the whole of it")
        self.looks.setAccessibleName("how the field is looked at")
        self.looks.clicked.connect(self._open_looks)
        for part in (self.dots, self.through, self.tall, self.whole, self.looks):
            top.addWidget(part)
        return top

    def _connect(self) -> None:
        self.map.pointed.connect(self._pointed)
        self.map.slid.connect(self._slide)
        self.map.drawn.connect(self._draw)
        self.map.picked.connect(self._pick)
        self.map.taken.connect(self._take_slice)
        self.surface.pointed.connect(self._pointed)
        self.surface.turned_to.connect(lambda turn, tilt: self._look("turn", turn=round(turn, 1), tilt=round(tilt, 1)))
        self.surface.height_asked.connect(self._raise)
        self.profile.pointed.connect(self._pointed_slice)
        self.ledger.told.connect(self.told)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit_buttons(self.stack.currentWidget() is self.surface)

    def _fit_buttons(self, on_surface: bool) -> None:
        """Shows the buttons that there is room for; where there is little, some stand in a menu."""
        roomy, narrow = self.width() > _ROOMY_PX, self.width() <= _NARROW_PX
        self.size_words.setVisible(not on_surface and roomy)
        self.title.setVisible(not narrow)
        self.looks.setVisible(narrow)
        self.dots.setVisible(not narrow)
        for part in (self.through, self.tall):
            part.setVisible(on_surface and not narrow)
        self.whole.setVisible(not on_surface and not narrow)

    def _open_looks(self) -> None:
        rows: list[MenuRow] = [
            ("Points, or none", partial(self._turn, "points")),
            ("See-through, or not", partial(self._turn, "through")),
            ("All of the field", self.map.show_all),
        ]
        menu_of(self, rows).popup(self.looks.mapToGlobal(QPoint(0, self.looks.height())))

    def restyle(self) -> None:
        """In the colours of the scheme."""
        for plot in (self.map, self.profile):
            plot.restyle()

    def refresh(self) -> None:
        """Renders the field in hand."""
        work, field = self.work, self.work.field
        self.start.setVisible(field is None)
        self.panes.setVisible(field is not None)
        if field is None:
            return
        shown = work.shown_now
        self.title.set(field.name)
        grid = shown.filled.grid if shown is not None and shown.filled is not None else None
        words = f"{work.filling.way.label.lower()}, {grid.x.size} × {grid.y.size}" if grid is not None else ""
        self.size_words.setText("filling in …" if work.busy and not work.stopped else words)
        self.again.setVisible(work.stopped)
        self._refresh_buttons(shown)
        problem = work.problem or (shown.problem if shown is not None and shown.filled is None else "")
        self.problem.setText(problem[:1].upper() + problem[1:])
        self.problem.setVisible(bool(problem))
        if self.under.currentWidget() is self.ledger:
            self.ledger.refresh()
        if shown is not None:
            self._show(shown)
        elif problem:
            self._show_nothing()

    def _refresh_buttons(self, shown: Shown | None) -> None:
        field = self.work.field
        assert field is not None
        look = field.look
        for name, one in self.views.items():
            one.setChecked(name == self._view(shown))
        self.views["u"].setEnabled(shown is not None and shown.filled is not None and shown.filled.grid.u is not None)
        self.views["misses"].setEnabled(shown is not None and shown.filled is not None)
        self.views["beyond"].setEnabled(shown is not None and shown.filled is not None)
        self.views["caught"].setVisible(bool(field.sieve))
        self.dots.setChecked(look.points)
        self.through.setChecked(look.through)
        self.tall.set(round(look.height, 3))
        on_surface = self._view(shown) == "surface"
        self._fit_buttons(on_surface)

    def _view(self, shown: Shown | None) -> str:
        """What is looked at; the map where that cannot be had."""
        field = self.work.field
        wanted = field.look.shows if field is not None else "map"
        if wanted == "u" and (shown is None or shown.filled is None or shown.filled.grid.u is None):
            return "map"
        if wanted == "misses" and (shown is None or shown.filled is None):
            return "map"
        if wanted == "caught" and (field is None or not field.sieve):
            return "map"
        return wanted

    def _show(self, shown: Shown) -> None:
        view, points, look = self._view(shown), shown.prepared.points, shown.field.look
        now = self.work.field
        look = now.look if now is not None else look
        self.stack.setCurrentWidget(self.surface if view == "surface" else self.map)
        names = points.names
        if shown.filled is None or view in ("caught", "misses"):
            self._show_scatter(shown, view)
            self.surface.show_surface(None, None, None, Eye(), False)
            return
        grid = shown.filled.grid
        scale = self._scale(grid.u if view == "u" and grid.u is not None else grid.z, shown, view)
        title = units.labelled(f"u of {names.z}" if view == "u" else names.z, names.z_unit)
        self.bar.show_scale(scale, title)
        if view == "surface":
            eye = Eye(look.turn, look.tilt, look.height)
            dots = points if look.points and not self._measured(shown) else None
            self.surface.show_surface(grid, dots, scale, eye, look.through)
        else:
            self._show_map(shown, grid, scale, view)
        self.profile.show_slices(shown.slices, points, self.work.slice_number, not self._measured(shown))
        self.slice_words.set(f"shaded: u {shown.filled.surface.u_told}" if shown.filled.surface.u_told else "")

    def _show_map(self, shown: Shown, grid: Grid, scale: Scale, view: str) -> None:
        field, points = self.work.field, shown.prepared.points
        assert field is not None
        values = grid.u if view == "u" and grid.u is not None else grid.z
        rgb = scale.rgb(values)
        if view == "beyond":
            rgb[..., :3] = (0.5 * rgb[..., :3] + 127).astype(np.uint8)
        self.map.show_grid(grid, rgb, points.names)
        self.map.show_beyond(grid, shown.beyond if view == "beyond" else None)
        lines = shown.lines if field.look.lines and view != "u" else ()
        self.map.show_lines(lines, field.look.named)
        seen = field.look.points and not self._measured(shown)  # in rows and columns every node is a point
        self.map.show_points(*((points.x, points.y) if seen else (np.empty(0), np.empty(0))))
        self.map.show_slices(tuple(one.spec for one in shown.slices), self.work.slice_number)
        read = next((one for one in shown.reads if one.slot.id == self.work.measure_id), None)
        self.map.show_places(read.places if read is not None else None)
        if view == "beyond" and shown.beyond is not None and grid.known.any():
            share = 100 * float(shown.beyond.sum()) / float(grid.known.sum())
            self.told.emit(f"{share:.2f} % of the surface lies beyond its neighbours")

    def _show_scatter(self, shown: Shown, view: str) -> None:
        """Points alone: where nothing can be filled in, or what a step took away."""
        points = shown.prepared.points
        x, y, z = points.x, points.y, points.z
        title = units.labelled(points.names.z, points.names.z_unit)
        if view == "caught":
            trail = next(
                (one for one in shown.prepared.trail if one.slot.id == self.work.step_id), shown.prepared.trail[-1]
            )
            x, y, z = trail.caught
            title = f"{trail.slot.rule.label}: {units.labelled('taken', trail.before.names.z_unit)}"
        if view == "misses":
            x, y, z, words = self._misses(shown)
            title = units.labelled(words, points.names.z_unit)
        every = shown.prepared.gathered.points
        extent = tuple(float(v) for v in (every.x.min(), every.x.max(), every.y.min(), every.y.max()))
        self.map.show_no_grid()
        self.map.show_lines((), False)
        self.map.show_slices((), -1)
        self.map.show_extent(extent, points.names)  # type: ignore[arg-type]
        scale = Scale(float(z.min()), float(z.max())) if z.size else None
        self.bar.show_scale(scale, title)
        self.map.show_points(np.empty(0), np.empty(0))
        if view in ("caught", "misses"):
            self.map.show_faint(every.x, every.y)
        self.map.show_coloured(x, y, scale.rgb(z) if scale is not None else np.empty((0, 4), np.uint8))
        if shown.filled is None:
            self.profile.show_slices((), None, -1)

    def _misses(self, shown: Shown) -> tuple[np.ndarray, np.ndarray, np.ndarray, str]:
        """Places and misses of the way in hand: at left-out points where these are known, else what is left at all."""
        points, way = shown.prepared.points, self.work.filling.way
        judged = next((one for one in self.work.ways if one.way == way and one.left_out is not None), None)
        if judged is not None and judged.left_out is not None:
            which, misses = judged.left_out.which, judged.left_out.misses
            known = np.isfinite(misses)
            return points.x[which][known], points.y[which][known], misses[known], "misses at left-out points"
        assert shown.filled is not None
        left = shown.filled.surface.at(points.x, points.y)[0] - points.z
        known = np.isfinite(left)
        return points.x[known], points.y[known], left[known], "surface less points"

    def _show_nothing(self) -> None:
        self.map.show_no_grid()
        self.map.show_lines((), False)
        self.map.show_slices((), -1)
        self.map.show_points(np.empty(0), np.empty(0))
        self.bar.show_scale(None, "")
        self.surface.show_surface(None, None, None, Eye(), False)
        self.profile.show_slices((), None, -1)

    def _measured(self, shown: Shown) -> bool:
        return shown.filled is not None and shown.filled.surface.filling.way.slug == "as-measured"

    def _scale(self, values: np.ndarray, shown: Shown, view: str) -> Scale:
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

    # -- what is done -------------------------------------------------------------------------------

    def _look(self, words: str, **what: object) -> None:
        self.work.changed_part("look", words, f"look {words}", **what)
        self.refresh()

    def _turn(self, name: str) -> None:
        field = self.work.field
        if field is not None:
            self._look(f"show {name}", **{name: not getattr(field.look, name)})

    def _show_view(self, name: str) -> None:
        self._look("look at the field", shows=name)
        self.told.emit(_TURN_HINT if name == "surface" else HINT)

    def _raise(self, factor: float) -> None:
        field = self.work.field
        if field is not None:
            self._look("height of the surface", height=min(max(field.look.height * factor, 0.02), 20.0))

    def _pointed(self, place: tuple[float, float] | None) -> None:
        shown = self.work.shown
        if place is None or shown is None or shown.filled is None:
            self.told.emit(_TURN_HINT if self.stack.currentWidget() is self.surface else HINT)
            return
        names = shown.prepared.points.names
        x, y = place
        said = f"{names.x} {x:.4g} {names.x_unit}   {names.y} {y:.4g} {names.y_unit}"
        self.told.emit(f"{said}   {names.z} {self._value(shown, x, y)}")

    def _value(self, shown: Shown, x: float, y: float) -> str:
        """z ± u of the grid under the pointer: at its nearest node."""
        assert shown.filled is not None
        grid = shown.filled.grid
        column, row = int(np.abs(grid.x - x).argmin()), int(np.abs(grid.y - y).argmin())
        inside = grid.x[0] <= x <= grid.x[-1] and grid.y[0] <= y <= grid.y[-1]
        z = float(grid.z[row, column]) if inside else np.nan
        if not np.isfinite(z):
            return "not known here"
        u = float(grid.u[row, column]) if grid.u is not None else None
        return f"{concise(z, u if u is not None and u > 0 else None)} {shown.prepared.points.names.z_unit}".strip()

    def _pointed_slice(self, place: tuple[float, float] | None) -> None:
        shown = self.work.shown
        if place is not None and shown is not None and shown.slices:
            names, (name, unit) = shown.slices[0].names, shown.slices[0].axis
            self.told.emit(f"{name} {place[0]:.5g} {unit}   {names.z} {place[1]:.5g} {names.z_unit}")

    def _take_slice(self, number: int) -> None:
        self.work.slice_number = number
        self.refresh()

    def _slide(self, number: int, at: float, done: bool) -> None:
        """A slice was dragged: the first and the last move the ends, one between them moves all."""
        field, shown = self.work.field, self.work.shown
        if field is None or shown is None or number >= field.slices.count:
            return
        specs = list(field.slices.specs(shown.prepared.points)[: field.slices.count])
        at = float(f"{at:.4g}")
        first, last = specs[0].at, specs[-1].at
        if len(specs) == 1:
            ends = (at, at)
        elif number == 0:
            ends = (at, last)
        elif number == len(specs) - 1:
            ends = (first, at)
        else:
            moved = at - specs[number].at
            ends = (first + moved, last + moved)
        self.work.changed_part(
            "slices", "drag a slice", "drag a slice", first=float(f"{ends[0]:.6g}"), last=float(f"{ends[1]:.6g}")
        )

    def _draw(self, x0: float, y0: float, x1: float, y1: float) -> None:
        field = self.work.field
        if field is not None:
            a, b, c, d = (float(f"{v:.5g}") for v in (x0, y0, x1, y1))
            line = line_spec((a, b, c, d), field.slices.width)
            self.work.changed_part("slices", "draw a slice", lines=(*field.slices.lines, line))

    def _pick(self, x: float, y: float) -> None:
        """A click reads the value there; on a spike that was caught it gives the point back, or takes it again."""
        shown, field = self.work.shown, self.work.field
        if shown is None or field is None:
            return
        if self._view(shown) == "caught" and self._give_back(shown, x, y):
            return
        if shown.filled is not None:
            names = shown.prepared.points.names
            self.work.session.noticed.emit(f"{names.z} at ({x:.5g}, {y:.5g}): {self._value(shown, x, y)}", "note")

    def _give_back(self, shown: Shown, x: float, y: float) -> bool:
        from curvesieve.core.fields.steps.spikes import Despike
        from curvesieve.core.study import edits

        trail = next(
            (one for one in shown.prepared.trail if one.slot.id == self.work.step_id), shown.prepared.trail[-1]
        )
        if not isinstance(trail.slot.rule, Despike):
            return False
        cx, cy, _ = trail.caught
        back = trail.passed.given_back
        px = np.concatenate([cx, trail.before.x[back]])
        py = np.concatenate([cy, trail.before.y[back]])
        across, up = (abs(float(step)) or 1.0 for step in self.map.box.viewPixelSize())
        if not px.size:
            return False
        off = np.hypot((px - x) / across, (py - y) / up)
        nearest = int(off.argmin())
        if off[nearest] > 12:
            return False
        place = (float(px[nearest]), float(py[nearest]))
        kept = tuple(one for one in trail.slot.rule.kept if one != place)
        kept = (*kept, place) if len(kept) == len(trail.slot.rule.kept) else kept
        made = trail.slot.rule.changed(kept=kept)
        field = self.work.field
        assert field is not None
        self.work.session.apply(edits.field_step(field.id, made, trail.slot.id), "give a point back")
        return True
