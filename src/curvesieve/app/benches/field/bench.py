"""The Field bench put together: fields and their sieve at the left, what is seen in the middle, cards at the right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMessageBox, QVBoxLayout, QWidget

from curvesieve.app.benches.field.cards import LevelsCard, PointsCard, SlicesCard
from curvesieve.app.benches.field.hand import HINT
from curvesieve.app.benches.field.left import FieldLeft
from curvesieve.app.benches.field.making import Making
from curvesieve.app.benches.field.out import FieldOut
from curvesieve.app.benches.field.reads_card import ReadsCard
from curvesieve.app.benches.field.views import FieldViews
from curvesieve.app.benches.field.way_card import WayCard
from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.menu import menu_of
from curvesieve.app.widgets.seen import SeenBench, side_column
from curvesieve.core.study import edits

_SIDE_PX = 336


class FieldBench(SeenBench):
    """Everything that concerns fields. `told` has a hint for the status line."""

    told = pyqtSignal(str)
    hint = HINT

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.work = work = FieldWork(session)
        self.left, self.views = FieldLeft(work), FieldViews(work)
        self.making, self.out = Making(work, self), FieldOut(self, work, self.views.picture)
        self.points, self.way, self.levels = PointsCard(work), WayCard(work), LevelsCard(work)
        self.slices, self.reads = SlicesCard(work), ReadsCard(work)
        self.ask: Callable[[str], bool] = self._ask
        """Asks for a yes; tests put their own answer here."""
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self.left)
        layout.addWidget(self.views, 1)
        self.side = self._make_side()
        layout.addWidget(self.side)
        work.changed.connect(self.renew)
        work.noted.connect(lambda text: self.session.noticed.emit(text, "note"))
        self.views.told.connect(self.told)
        self.left.new_asked.connect(self.making.open_menu)
        self.views.open.clicked.connect(self.making.ask_file)
        below = self.views.more
        below.clicked.connect(lambda: self.making.open_menu(below.mapToGlobal(QPoint(0, below.height()))))
        self.way.asked.connect(lambda words, do: do() if self.ask(words) else None)

    def _make_side(self) -> QWidget:
        column = QWidget()
        rows = QVBoxLayout(column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        self.read = button("+ read", "bare", "Mean, extremes, volume above a level, roughness, periods …")
        self.read.clicked.connect(lambda: self.reads.open_list(self.read))
        for words, part, extra in (
            ("POINTS", self.points, None), ("BETWEEN THE POINTS", self.way, None),
            ("LINES OF EQUAL Z", self.levels, None), ("SLICES", self.slices, None), ("READINGS", self.reads, self.read),
        ):  # fmt: skip
            top = QHBoxLayout()
            heading = label(words, "section")
            if part is self.levels:
                self.levels_heading = heading
            top.addWidget(heading)
            top.addStretch(1)
            if extra is not None:
                top.addWidget(extra)
            rows.addLayout(top)
            rows.addWidget(part)
        rows.addStretch(1)
        self.write = button("Write ▾", tip="The grid, the lines, the readings, as files")
        self.write.clicked.connect(
            lambda: menu_of(self, self.out.rows()).popup(self.write.mapToGlobal(QPoint(0, -150)))
        )
        self.as_family = button(
            "Slices as a family", "act", "As curves that follow the field, ready for fits and spectra"
        )
        self.as_family.clicked.connect(self.bring_in_slices)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        self.figure = button("Figure", tip="A page of what is looked at, as it prints (Ctrl+G)")
        self.figure.clicked.connect(self.session.figure_asked)
        foot.addWidget(self.write)
        foot.addWidget(self.figure)
        foot.addStretch(1)
        foot.addWidget(self.as_family)
        return side_column(column, _SIDE_PX, foot)

    def showEvent(self, event: object) -> None:
        self.work.awake = True
        self.work.renew()
        super().showEvent(event)

    def hideEvent(self, event: object) -> None:
        self.work.awake = False  # what nobody sees is not worked out
        super().hideEvent(event)  # type: ignore[arg-type]

    def restyle(self) -> None:
        """Renders everything in the colours of the scheme."""
        self.views.restyle()
        self.renew()

    def refresh(self) -> None:
        """Renders the field in hand."""
        super().refresh()
        field, shown = self.work.field, self.work.shown_now
        self.left.refresh()
        self.views.refresh()
        self.side.setVisible(field is not None)
        if field is None:
            return
        for card in (self.points, self.way, self.levels, self.slices, self.reads):
            card.refresh()
        names = shown.prepared.points.names if shown is not None else None
        self.levels_heading.setText(f"LINES OF EQUAL {names.z.upper()[:24] if names is not None else 'Z'}")
        self.as_family.setEnabled(shown is not None and bool(shown.slices))

    # -- what is done -------------------------------------------------------------------------------

    def bring_in_slices(self) -> None:
        """The slices as a family that follows the field."""
        if self.work.family_of_slices():
            self.session.noticed.emit("The slices are a family on the shelf; they follow the field", "note")

    def bring_in(self, path: Path) -> None:
        """Makes a field of a file."""
        self.making.bring_in(path)

    def remove_field(self) -> None:
        """Takes the field in hand out of the study."""
        field = self.work.field
        if field is not None:
            self.session.apply(edits.remove_field(field.id), f"take out {field.name}")

    def _ask(self, words: str) -> bool:
        answer = QMessageBox.question(self, "A large grid", f"{words}. Fill them in?")
        return answer == QMessageBox.StandardButton.Yes

    def action_rows(self) -> list[ActionRow]:
        """What can be done here."""
        there = lambda: self.work.field is not None  # noqa: E731
        return [
            ActionRow("Make a field of a file…", "", self.making.ask_file, words="map surface grid", bench="Field"),
            ActionRow("Make a field of a formula…", "", self.making.ask_formula, words="function", bench="Field"),
            ActionRow("Add a step to the field’s sieve", "", self.left.open_steps, there, bench="Field"),
            ActionRow("Take a reading of the field", "", lambda: self.reads.open_list(self.read), there, bench="Field"),
            ActionRow("Slices as a family", "", self.bring_in_slices, there, bench="Field"),
            ActionRow("Write the grid of the field…", "", self.out.ask_grid, there, bench="Field"),
            ActionRow("Take the field out", "", self.remove_field, there, bench="Field"),
        ]
