"""The row above the map: what the field is looked at as, and how."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.number import NumberField

_ROOMY_PX, _NARROW_PX = 640, 520
_LOWEST, _HIGHEST = 0.02, 20.0
_VIEWS = (
    ("map", "Map", "Colours and lines of equal z"),
    ("surface", "Surface", "Seen from a side, turned with the mouse"),
    ("beyond", "Beyond", "Where the surface lies outside the range of the points around: false dips and wiggles"),
    ("misses", "Misses", "How far the surface is off points that it was not shown, at each of them"),
    ("u", "u", "The standard uncertainty of the surface"),
    ("caught", "Caught", "What the step in hand took away"),
)


class LookRow(QWidget):
    """Renders how `work` is looked at. `whole_asked` wants all of the field to be seen, `taken` tells a view's name."""

    whole_asked = pyqtSignal()
    taken = pyqtSignal(str)

    def __init__(self, work: FieldWork) -> None:
        super().__init__()
        self.work = work
        self.title, self.size_words = Elided(role="strong"), label(role="muted")
        self.views = {}
        top = QHBoxLayout(self)
        top.setContentsMargins(0, 0, 0, 0)
        top.setSpacing(6)
        top.addWidget(self.title, 1)
        top.addWidget(self.size_words)
        for name, words, tip in _VIEWS:
            one = button(words, "tab", tip)
            one.setCheckable(True)
            one.clicked.connect(partial(self._take, name))
            self.views[name] = one
            top.addWidget(one)
        self.dots = button("Points", "tab", "The measured points on the map and the surface")
        self.through = button("See-through", "tab", "The surface lets what is behind it be seen")
        self.tall = NumberField("height of the surface", "", whole=False, optional=False, step=0.1)
        self.tall.setToolTip("How high z is drawn, in shares of the longer side of the plane")
        self.tall.setFixedWidth(64)
        self.tall.edited.connect(lambda v: self.look("height of the surface", height=v))
        self.tall.refused.connect(work.refuse)
        self.whole = button("Whole", tip="All of the field")
        self.whole.clicked.connect(self.whole_asked)
        for one, name in ((self.dots, "points"), (self.through, "through")):
            one.setCheckable(True)
            one.clicked.connect(partial(self._turn, name))
        self.looks = button("…", "bare", "Points, see-through, the whole of it")
        self.looks.setAccessibleName("how the field is looked at")
        self.looks.clicked.connect(self._open_looks)
        for part in (self.dots, self.through, self.tall, self.whole, self.looks):
            top.addWidget(part)

    def refresh(self) -> None:
        """Renders the field in hand."""
        work, field, shown = self.work, self.work.field, self.work.shown_now
        if field is None:
            return
        filled = shown.filled if shown is not None else None
        self.title.set(field.name)
        size = f"{filled.grid.x.size} × {filled.grid.y.size}" if filled is not None else ""
        words = f"{work.filling.way.label.lower()}, {size}" if filled is not None else ""
        self.size_words.setText("filling in …" if work.busy and not work.stopped else words)
        for name, one in self.views.items():
            one.setChecked(name == work.view)
        for name in ("surface", "beyond", "misses"):
            self.views[name].setEnabled(filled is not None)
        self.views["u"].setEnabled(filled is not None and filled.grid.u is not None)
        self.views["caught"].setVisible(bool(field.sieve))
        self.dots.setChecked(field.look.points)
        self.dots.setEnabled(shown is None or not shown.measured)  # in rows and columns every node is a point
        self.through.setChecked(field.look.through)
        self.tall.set(round(field.look.height, 3))
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit()

    def _fit(self) -> None:
        """Shows the buttons that there is room for; where there is little, some stand in a menu."""
        on_surface = self.work.view == "surface"
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
            ("All of the field", self.whole_asked.emit),
        ]
        menu_of(self, rows).popup(self.looks.mapToGlobal(QPoint(0, self.looks.height())))

    # -- what is done -------------------------------------------------------------------------------

    def look(self, words: str, /, **what: object) -> None:
        """Looks at the field in hand otherwise."""
        self.work.changed_part("look", words, f"look {words}", **what)
        self.refresh()

    def raise_by(self, factor: float) -> None:
        """Draws the surface so much higher."""
        field = self.work.field
        if field is not None:
            self.look("height of the surface", height=min(max(field.look.height * factor, _LOWEST), _HIGHEST))

    def _turn(self, name: str) -> None:
        field = self.work.field
        if field is not None:
            self.look(f"show {name}", **{name: not getattr(field.look, name)})

    def _take(self, name: str) -> None:
        self.look("look at the field", shows=name)
        self.taken.emit(name)
