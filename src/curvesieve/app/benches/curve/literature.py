"""The page of the drawer that sets what was read beside values of the literature."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QAbstractItemView, QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line, tab_leaves
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.table import plain_table, stretch
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.literature import HANDBOOK, Beside, Literature, beside, load_own, save_own
from curvesieve.core.reading import concise
from curvesieve.core.study.ledger import Ledger, ledger_of

_HEADINGS = ("material", "reading", "literature", "measured", "n", "deviation", "in u", "source")
_TIPS = (
    "A group of the ledger with this name is set beside it; without groups all rows are",
    "The title of a column of the ledger",
    "Value, u and unit",
    "The mean of the group, with its standard uncertainty s/√n",
    "How many were measured",
    "How far the mean lies from the literature, in % of it",
    "The same in joint standard uncertainties",
    "Where the value is from",
)


class LiteraturePage(QWidget):
    """A table of values, the user's own first, and a line to type another."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.own: tuple[Literature, ...] = ()
        self.rows: list[Literature] = []
        self.table = plain_table(_HEADINGS, _TIPS)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.table.customContextMenuRequested.connect(self._open_menu)
        stretch(self.table, (7,), 48)
        tab_leaves(self.table)
        self.said = label(role="note", wrap=True)
        self.material, self.reading = Choice(), Choice()
        self.value, self.source = Line(), Line()
        for choice, name in ((self.material, "material"), (self.reading, "reading")):
            choice.setEditable(True)
            choice.setAccessibleName(f"{name} of the literature")
            choice.setMinimumWidth(120)
        for line, name, hint in ((self.value, "value", "69.0(5) GPa"), (self.source, "source", "book, page; DOI")):
            line.setAccessibleName(f"{name} of the literature")
            line.setPlaceholderText(hint)
            line.returnPressed.connect(self.add)
        self.put = button("Add", "act", "Keeps the row, for other studies, too")
        self.put.clicked.connect(self.add)
        foot = QHBoxLayout()
        foot.setSpacing(6)
        for widget, share in (
            (self.material, 2), (self.reading, 1), (self.value, 1), (self.source, 2), (self.put, 0),
        ):  # fmt: skip
            foot.addWidget(widget, share)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.table, 1)
        layout.addWidget(self.said)
        layout.addLayout(foot)
        self._load()
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.readings.read.connect(self.refresh)

    @property
    def ledger(self) -> Ledger:
        """What is read of the family in hand."""
        entry, study = self.session.entry, self.session.study
        family = None if entry is None else study.family_of(entry.id)
        return ledger_of(study, family)

    def _load(self) -> None:
        try:
            self.own = load_own()
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Renders the table; nothing while another page is shown."""
        if not self.isVisible():
            return
        ledger = self.ledger
        self.rows = [*self.own, *HANDBOOK]
        found: dict[Literature, Beside] = {one.row: one for one in beside(ledger, self.rows)}
        self.rows.sort(key=lambda row: (row not in found, row not in self.own))
        self.table.setRowCount(len(self.rows))
        for place, row in enumerate(self.rows):
            for column, text in enumerate(_cells(row, found.get(row))):
                item = QTableWidgetItem(text)
                item.setToolTip(text if column in (0, 7) else "")
                if 2 <= column <= 6:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(place, column, item)
        if not ledger.columns:
            said = "Nothing is read yet; what is read stands beside these values."
        elif not found:
            groups = [group.name for group in ledger.groups() if group.name]
            named = f" {', '.join(groups)}" if groups else ""
            said = (
                f"No row is of a material and a reading of this family{named and ':'}{named}. Right-click a row to set "
                "it beside, or add one below."
            )
        else:
            said = ""
        self.said.setText(said)
        self.said.setVisible(bool(said))
        self._fill(self.material, [group.name for group in ledger.groups() if group.name] or [ledger.title])
        self._fill(self.reading, [column.title for column in ledger.columns])

    @staticmethod
    def _fill(choice: Choice, texts: list[str]) -> None:
        if [choice.itemText(k) for k in range(choice.count())] != texts:
            choice.clear()
            choice.addItems(texts)

    def add(self) -> None:
        """Keeps the row that is typed; what is wrong with it is told."""
        try:
            row = Literature.read(
                self.material.currentText(), self.reading.currentText(), self.value.text(), self.source.text()
            )
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        if self._keep((*(one for one in self.own if one != row), row)):
            self.value.clear()
            self.source.clear()

    def _keep(self, rows: tuple[Literature, ...]) -> bool:
        try:
            save_own(rows)
        except InputError as error:
            self.session.noticed.emit(f"The literature could not be written: {error}", "problem")
            return False
        self.own = rows
        self.refresh()
        return True

    def _open_menu(self, place: QPoint) -> None:
        index, viewport = self.table.indexAt(place), self.table.viewport()
        if index.isValid() and viewport is not None:
            menu_of(self, self.menu_rows(index.row())).popup(viewport.mapToGlobal(place))

    def menu_rows(self, place: int) -> list[MenuRow]:
        """What can be done with a row: set beside a group by that group's name, or, one of the user's own, removed."""
        row = self.rows[place]
        groups = [group.name for group in self.ledger.groups() if group.name] or [self.ledger.title]
        made: list[MenuRow] = [
            (f"Set it beside {group}", lambda group=group: self._set_beside(row, group))  # type: ignore[misc]
            for group in groups
            if group.casefold() != row.material.casefold()
        ]
        mine = row in self.own
        remove = (lambda: self._keep(tuple(one for one in self.own if one != row))) if mine else None
        return [*made, ("", None), ("Remove this row", remove)]

    def _set_beside(self, row: Literature, group: str) -> None:
        changes = {"material": group, "source": f"{row.source} ({row.material})"}
        self._keep((*self.own, row.model_copy(update=changes)))


def _cells(row: Literature, found: Beside | None) -> tuple[str, ...]:
    if found is None:
        return (row.material, row.reading, row.written, "", "", "", "", row.source)
    measured = f"{concise(found.mean, found.u)} {units.shown(row.unit)}".strip()
    in_u = "–" if found.in_u is None else f"{found.in_u:+.1f}"
    return (row.material, row.reading, row.written, measured, str(found.n), f"{found.percent:+.2g} %", in_u, row.source)
