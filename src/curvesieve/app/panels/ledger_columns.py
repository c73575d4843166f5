"""What can be done with the ledger's columns, rows and groups: hidden, ordered, in other units, taken as a curve."""

from __future__ import annotations

from functools import partial

from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QInputDialog, QTableView, QWidget

from curvesieve.app.panels.ledger_model import LedgerModel
from curvesieve.app.session.desk import View
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.app.widgets.unit_menu import unit_rows
from curvesieve.core.errors import InputError, counted
from curvesieve.core.study import Family, edits
from curvesieve.core.study import ledger as core
from curvesieve.core.study.document import LedgerColumn
from curvesieve.core.study.given import line_of, preamble_lines


class LedgerPanel(QWidget):
    """A table of the ledger of the family in hand; menus and edits of its columns, rows and groups."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.model, self.view = LedgerModel(), QTableView()
        self.view.setModel(self.model)
        self.by: core.By = "curve"
        self.means = False

    @property
    def ledger(self) -> core.Ledger:
        """What is shown."""
        return self.model.ledger

    @property
    def family(self) -> Family | None:
        """The family of the curve in hand, whose ledger this is."""
        study, view = self.session.study, self.session.view
        return study.family_of(view.curve) if view.curve else None

    def refresh(self) -> None:
        """Renders the ledger."""
        raise NotImplementedError

    def chosen_curves(self) -> list[str]:
        """The curves of the rows that are chosen, in their order."""
        selection = self.view.selectionModel()
        places = sorted({index.row() for index in selection.selectedIndexes()}) if selection is not None else []
        return list(dict.fromkeys(row.curve.id for place in places if (row := self.model.row(place)) is not None))

    # -- one column ---------------------------------------------------------------------------------

    def open_menu(self, section: int) -> None:
        """What can be done with the column whose heading was clicked."""
        column = self.model.column(section)
        if column is not None and self.family is not None:
            menu_of(self, self.column_rows(column)).popup(QCursor.pos())

    def column_rows(self, column: core.Column) -> list[MenuRow]:
        """Rows for one column."""
        ledger = self.ledger
        others = [one for one in ledger.columns if one.key != column.key]
        condition = ledger.condition[0] or "condition"
        has_condition = any(row.curve.condition is not None for row in ledger.rows)
        rows: list[MenuRow] = [
            (f"As a curve against {condition}", partial(self.as_curve, column, None) if has_condition else None),
            ("As a curve against another column…", partial(self._ask_against, column, others) if others else None),
            ("", None),
            ("Another title…", partial(self._ask_title, column)),
            ("Another unit…", partial(self._open_units, column)),
            ("Move left", partial(self._move_by, column, -1)),
            ("Move right", partial(self._move_by, column, 1)),
            ("Hide this column", partial(self._look, column, "hide a column", shown=False)),
        ]
        return rows if ledger.by == "curve" else rows[3:]

    def _look(self, column: core.Column, words: str, **changes: object) -> None:
        family = self.family
        if family is not None:
            order = [one.key for one in self.ledger.columns]
            order += [] if column.key in order else [column.key]
            self.session.apply(edits.look_of_column(family.id, column.key, order, **changes), words)

    def _ask_title(self, column: core.Column) -> None:
        text, ok = QInputDialog.getText(self, "Title of the column", "Title", text=column.title)
        if ok and text.strip() != column.title:
            self._look(column, "rename a column", title=text.strip())

    def _open_units(self, column: core.Column) -> None:
        rows = unit_rows(self, column.final_unit, bool(column.shown_in), partial(self._show_in, column))
        menu_of(self, rows).popup(QCursor.pos())

    def _show_in(self, column: core.Column, unit: str) -> None:
        try:
            core.check_unit(column, unit)
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        self._look(column, "show a column in another unit", unit=unit)

    def _move_by(self, column: core.Column, by: int) -> None:
        keys = [one.key for one in self.ledger.columns]
        place = keys.index(column.key)
        self._order(place, max(0, min(place + by, len(keys) - 1)))

    def moved(self, section: int, old: int, new: int) -> None:
        """A heading was dragged: the columns are put in that order, and the table stands as it stood."""
        header, first = self.view.horizontalHeader(), self.model.first_reading
        assert header is not None
        header.blockSignals(True)
        header.moveSection(new, old)
        header.blockSignals(False)
        if self.model.column(section) is not None and self.family is not None:
            self._order(old - first, max(0, min(new - first, len(self.ledger.columns) - 1)))

    def _order(self, old: int, new: int) -> None:
        family, columns = self.family, self.ledger.columns
        if family is None or old == new:
            return
        keys = [one.key for one in columns]
        keys.insert(new, keys.pop(old))
        self.session.apply(edits.look_of_column(family.id, columns[old].key, keys), "move a column")

    # -- a column as a curve ------------------------------------------------------------------------

    def current_as_curve(self) -> None:
        """The column of the current cell, or else the first, against the condition."""
        ledger, view = self.ledger, self.view
        column = self.model.column(view.currentIndex().column()) or (ledger.columns or (None,))[0]
        if column is None:
            return
        if ledger.by == "peak":
            self.session.noticed.emit("Rows are peaks here; let them be curves, then take a column.", "problem")
        elif any(row.curve.condition is not None for row in ledger.rows):
            self.as_curve(column, None)
        else:
            self._ask_against(column, [one for one in ledger.columns if one.key != column.key])

    def _ask_against(self, column: core.Column, others: list[core.Column]) -> None:
        if not others:
            said = f"{self.ledger.title} has no condition and no other column to draw {column.title} against."
            self.session.noticed.emit(said, "problem")
            return
        rows: list[MenuRow] = [(f"Against {one.heading}", partial(self.as_curve, column, one)) for one in others]
        menu_of(self, rows).popup(QCursor.pos())

    def as_curve(self, column: core.Column, against: core.Column | None) -> None:
        """Makes a curve that follows the ledger, and takes it in hand."""
        family = self.family
        if family is None:
            return
        x = LedgerColumn() if against is None else LedgerColumn(key=against.key, unit=against.final_unit)
        y = LedgerColumn(key=column.key, unit=column.final_unit)
        title = against.title if against is not None else family.condition or "condition"
        made = edits.new_id("curve")
        label = f"{column.title} against {title}"
        if self.session.apply(edits.column_as_curve(family.id, x, y, label, made), "take a column as a curve"):
            self.session.look(View(made))
            self.session.noticed.emit(f"{label} of {family.label}: it follows the ledger.", "word")

    # -- the ledger as a whole ----------------------------------------------------------------------

    def layout_rows(self) -> list[MenuRow]:
        """Rows, groups and hidden columns."""
        family = self.family
        by_peak = self.ledger.by == "peak"
        rows: list[MenuRow] = [
            ("A row a curve", partial(self._set_by, "curve") if by_peak else None),
            ("A row a peak", None if by_peak else partial(self._set_by, "peak")),
            ("", None),
            ("Hide the means" if self.means else "Mean, s and 95 % interval of all rows", self._turn_means)
            if not self.ledger.is_grouped
            else ("Mean, s and 95 % interval stand under the groups", None),
        ]
        if family is not None:
            lines = preamble_lines(self.session.study, list(family.curves))
            rows.append(("Put the chosen rows into a group…", self.ask_group if self.chosen_curves() else None))
            rows += [(f"Groups by “{line}” of the preamble", partial(self._group_by, line)) for line in lines]
            if self.ledger.is_grouped:
                rows.append(("No groups", self._no_groups))
            hidden = self.ledger.hidden
            rows += [("", None)] if hidden else []
            rows += [(f"Show {one.heading}", partial(self._look, one, "show a column", shown=True)) for one in hidden]
        return rows

    def _set_by(self, by: core.By) -> None:
        self.by = by
        self.refresh()

    def _turn_means(self) -> None:
        self.means = not self.means
        self.refresh()

    def said_group(self, row: core.Row) -> str:
        """The words for putting what is chosen into a group."""
        chosen = self.chosen_curves()
        count = len(chosen) if row.curve.id in chosen else 1
        return f"Put {row.curve.label if count == 1 else counted(count, 'curve')} into a group…"

    def ask_group(self) -> None:
        """Asks for the group of the rows that are chosen."""
        ids, study = self.chosen_curves(), self.session.study
        if not ids:
            return
        names = list(dict.fromkeys(row.curve.group for row in self.ledger.rows if row.curve.group))
        now = study.entry(ids[0]).group
        offered = [now, *(name for name in names if name != now)]
        what = study.entry(ids[0]).label if len(ids) == 1 else counted(len(ids), "curve")
        text, ok = QInputDialog.getItem(self, f"Group of {what}", "Group; empty for none", offered, 0, True)
        if ok:
            self.session.apply(edits.set_groups(dict.fromkeys(ids, text)), "put curves into a group")

    def _group_by(self, line: str) -> None:
        family, study = self.family, self.session.study
        if family is not None:
            groups = {id_: line_of(study, id_, line) for id_ in family.curves}
            self.session.apply(edits.set_groups(groups, family.id, line), f"group by {line}")

    def _no_groups(self) -> None:
        family = self.family
        if family is not None:
            self.session.apply(edits.set_groups(dict.fromkeys(family.curves, ""), family.id), "take groups away")
