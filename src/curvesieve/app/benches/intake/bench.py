"""The Intake bench put together: waiting files, the text of one, its channels and what will come in."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QScrollArea,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.benches.intake.text_view import TextView
from curvesieve.app.canvas.plot import Plot, pen
from curvesieve.app.canvas.trace import Trace
from curvesieve.app.intake import Tray, Waiting
from curvesieve.app.session import Session, View
from curvesieve.app.theme import font
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.basics import Card, Elided, button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.core import units
from curvesieve.core.errors import counted
from curvesieve.core.record import Channel
from curvesieve.core.study import Study, edits

_ROLES = ("x", "y", "u", "leave")


class ChannelRow(Card):
    """A channel: its name, unit, first and last value, and its role."""

    role_chosen = pyqtSignal(str)

    def __init__(self, channel: Channel, role: str) -> None:
        super().__init__()
        name = Elided(channel.name, "strong")
        unit = label(units.shown(channel.unit) or "no unit", "muted")
        span = Elided(f"{channel.values[0]:.5g} … {channel.values[-1]:.5g}", "muted")
        self.roles = Choice()
        self.roles.addItems(_ROLES)
        self.roles.setCurrentText(role or "leave")
        self.roles.setAccessibleName(f"role of {channel.name}")
        self.roles.setToolTip("x, y, u (the standard uncertainty of y), or leave the channel in the record only")
        self.roles.textActivated.connect(lambda text: self.role_chosen.emit("" if text == "leave" else text))
        grid = QGridLayout()
        grid.setVerticalSpacing(1)
        grid.addWidget(name, 0, 0, 1, 2)
        grid.addWidget(unit, 1, 0)
        grid.addWidget(span, 1, 1)
        grid.addWidget(self.roles, 0, 2, 2, 1)
        grid.setColumnStretch(1, 1)
        self.rows.addLayout(grid)
        self.set_in_hand(bool(role))


class IntakeBench(QWidget):
    """Renders the tray. Nothing is part of the study until it is brought in."""

    brought_in = pyqtSignal()
    files_asked = pyqtSignal()

    def __init__(self, session: Session, tray: Tray) -> None:
        super().__init__()
        self.setObjectName("bench")
        self.session, self.tray = session, tray
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(12)
        row.addWidget(self._make_files())
        row.addLayout(self._make_text(), 1)
        row.addWidget(self._make_channels())
        tray.changed.connect(self.refresh)
        self.refresh()

    def _make_files(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(236)
        self.count = label(role="muted")
        head = QHBoxLayout()
        head.addWidget(label("WAITING TO COME IN", "section"))
        head.addStretch(1)
        head.addWidget(self.count)
        self.files = QTreeWidget()
        self.files.setColumnCount(2)
        self.files.setHeaderHidden(True)
        self.files.setRootIsDecorated(False)
        self.files.setUniformRowHeights(True)
        self.files.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        columns = self.files.header()
        assert columns is not None
        columns.setStretchLastSection(False)
        columns.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        columns.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.files.currentItemChanged.connect(self._current_changed)
        self.choose = button("Choose files…", tip="Ctrl+I")
        self.choose.clicked.connect(self.files_asked)
        self.leave = button("Leave this file out", tip="Takes the file off this list; the file itself is not touched")
        self.leave.clicked.connect(self._leave_out)
        self.bring = button("Bring in", "act")
        self.bring.clicked.connect(self.bring_in)
        rows = QVBoxLayout(side)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addLayout(head)
        rows.addWidget(self.files, 1)
        rows.addWidget(self.choose)
        rows.addWidget(self.leave)
        rows.addWidget(self.bring)
        return side

    def _make_text(self) -> QVBoxLayout:
        self.title = Elided()
        self.problem = label(role="problem", wrap=True)
        self.text = TextView()
        self.text.row_chosen.connect(self.tray.begin_data_at)
        self.foot = label("Click the row where the data begin, if it was not found right.", "muted", wrap=True)
        rows = QVBoxLayout()
        rows.addWidget(self.title)
        rows.addWidget(self.problem)
        rows.addWidget(self.text, 1)
        rows.addWidget(self.foot)
        return rows

    def _make_channels(self) -> QWidget:
        side = QWidget()
        side.setFixedWidth(356)
        self.channel_rows: list[ChannelRow] = []
        inner = QWidget()
        self.channels = QVBoxLayout(inner)
        self.channels.setContentsMargins(0, 0, 6, 0)
        self.channels.setSpacing(6)
        self.channels.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(inner)
        scroll.setWidgetResizable(True)
        self.what = Elided(role="muted")
        self.what.setAlignment(Qt.AlignmentFlag.AlignRight)
        head = QHBoxLayout()
        head.addWidget(label("WHAT WILL COME IN", "section"))
        head.addWidget(self.what, 1)
        self.plot = Plot()
        self.trace = Trace(self.plot)
        rows = QVBoxLayout(side)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.addWidget(label("CHANNELS", "section"))
        rows.addWidget(scroll, 1)
        rows.addLayout(head)
        rows.addWidget(self.plot, 1)
        return side

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        ready = len(self.tray.ready)
        self.count.setText(counted(len(self.tray.files), "file") if self.tray.files else "")
        families = len(self.tray.groups)
        as_what = f" as {families} families" if families > 1 else ""
        self.bring.setText(f"Bring in {counted(ready, 'file')}{as_what}" if ready else "Bring in")
        self.bring.setEnabled(bool(ready))
        self.leave.setEnabled(self.tray.shown is not None)
        self._fill_files()
        waiting = self.tray.shown
        self._show_text(waiting)
        self._show_channels(waiting)
        self._show_curve(waiting)

    def _fill_files(self) -> None:
        """The files by the family they will make, each with what tells it apart; then those not understood."""
        self.files.blockSignals(True)
        self.files.clear()
        for group in self.tray.groups:
            self._add_heading(group.title)
            for waiting, comes_in_as in zip(group.files, group.labels, strict=True):
                self._add_file(waiting, comes_in_as if group.condition.name else "")
        failed = [waiting for waiting in self.tray.files if not waiting.ready]
        if failed:
            self._add_heading("not understood")
        for waiting in failed:
            self._add_file(waiting, "⚠")
        self.files.blockSignals(False)

    def _add_heading(self, text: str) -> None:
        item = QTreeWidgetItem([text])
        item.setFlags(Qt.ItemFlag.NoItemFlags)
        item.setFont(0, font(13, bold=True))
        item.setToolTip(0, text)
        self.files.addTopLevelItem(item)
        item.setFirstColumnSpanned(True)

    def _add_file(self, waiting: Waiting, comes_in_as: str) -> None:
        item = QTreeWidgetItem([f"  {waiting.name}", comes_in_as])
        item.setToolTip(0, waiting.problem or waiting.name)
        item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setForeground(1, colour("muted" if waiting.ready else "rust"))
        item.setData(0, Qt.ItemDataRole.UserRole, waiting.number)
        self.files.addTopLevelItem(item)
        if waiting.number == self.tray.in_hand:
            self.files.setCurrentItem(item)

    def row_of(self, number: int) -> int:
        """The row of a waiting file in the list, headings counted."""
        items = (self.files.topLevelItem(row) for row in range(self.files.topLevelItemCount()))
        return next(i for i, item in enumerate(items) if item and item.data(0, Qt.ItemDataRole.UserRole) == number)

    def _show_text(self, waiting: Waiting | None) -> None:
        found = waiting.found if waiting else None
        if waiting is None:
            self.title.set("Drop text files anywhere on the window, choose them, or paste a table.")
        elif found is None:
            self.title.set(f"{waiting.name}  ·  not understood")
        else:
            layout = found.layout
            decimal = "decimal comma" if layout.decimal == "," else "decimal point"
            before = counted(layout.first_row, "row")
            self.title.set(
                f"{waiting.name}  ·  {found.encoding} · {layout.delimiter_name} · {decimal} · {before} before the data"
            )
        notes = [*([waiting.problem] if waiting and waiting.problem else [])]
        if waiting is not None and waiting.record is not None:
            notes += [f"{note}." for note in waiting.record.notes]
        self.problem.setText("\n".join(notes))
        self.problem.setVisible(bool(notes))
        self.text.show_text(found)
        self.foot.setVisible(found is not None)

    def _show_channels(self, waiting: Waiting | None) -> None:
        for row in self.channel_rows:
            self.channels.removeWidget(row)
            row.hide()
            row.deleteLater()
        self.channel_rows = []
        if waiting is None or waiting.record is None:
            return
        roles = {waiting.x: "x", waiting.y: "y", waiting.u: "u"}
        for i, channel in enumerate(waiting.record.channels[:60]):
            row = ChannelRow(channel, roles.get(i, "") if len(waiting.record.channels) > 1 else "")
            row.role_chosen.connect(lambda role, i=i: self.tray.set_role(i, role))
            self.channels.insertWidget(i, row)
            self.channel_rows.append(row)

    def _show_curve(self, waiting: Waiting | None) -> None:
        self.plot.restyle()
        if waiting is None or not waiting.ready or waiting.record is None:
            self.trace.clear()
            self.what.set("nothing yet")
            self.plot.set_labels("", "")
            return
        curve = waiting.record.curve(waiting.x + 1, waiting.y + 1, None if waiting.u is None else waiting.u + 1)
        self.trace.set(curve.x, curve.y, pen("ink", 1.3))
        self.plot.set_labels(units.labelled(curve.x_label, curve.x_unit), units.labelled(curve.y_label, curve.y_unit))
        self.plot.box.setRange(
            xRange=(curve.x.min(), curve.x.max()), yRange=(curve.y.min(), curve.y.max()), padding=0.05
        )
        self.trace.redraw()
        odd = f" · {curve.oddities[0]}" if curve.oddities else ""
        self.what.set(f"{curve.y_label} against {curve.x_label}, {counted(len(curve), 'point')}{odd}")

    # -- edits --------------------------------------------------------------------------------------

    def _current_changed(self, item: QTreeWidgetItem | None, old: QTreeWidgetItem | None) -> None:
        number = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        if number is not None:
            # The list is made anew, which it cannot be while it is telling of a change.
            QTimer.singleShot(0, lambda: self.tray.show(number))

    def _leave_out(self) -> None:
        if self.tray.shown is not None:
            self.tray.remove({self.tray.shown.number})

    def bring_in(self) -> None:
        """Makes one family of the files that are ready; those with a problem stay waiting."""
        ready, groups = self.tray.ready, self.tray.groups
        if not ready:
            return

        def edit(study: Study) -> Study:
            for group in groups:
                chosen = [(w.record, w.x, w.y, w.u) for w in group.files if w.record is not None]
                condition = group.condition
                about = (condition.name, condition.unit)
                study = edits.add_curves(study, chosen, group.title, group.labels, condition.values, about)
            return study

        before = {curve.id for curve in self.session.study.document.curves}
        if not self.session.apply(edit, f"bring in {counted(len(ready), 'file')}"):
            return
        new = next(curve.id for curve in self.session.study.document.curves if curve.id not in before)
        self.session.look(View(new))
        self.tray.remove({waiting.number for waiting in ready})
        self.brought_in.emit()
