"""Ways to make a field: of a file, a record of the study, a family, a formula, two fields."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFileDialog, QFormLayout, QLabel, QWidget

from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.widgets.basics import label
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.errors import InputError
from curvesieve.core.fields.points import Names
from curvesieve.core.fields.sources import looks_like_a_matrix
from curvesieve.core.record import Channel, Record
from curvesieve.core.study import edits
from curvesieve.core.study.edits.base import new_id
from curvesieve.core.study.field_parts import FieldSource, OfChannels, OfDifference, OfFamily, OfFormula, OfTable
from curvesieve.core.typed import numbers_in

_FILES = (
    "Fields (*.csv *.txt *.dat *.tsv *.asc *.xyz *.xlsx *.ods *.h5 *.hdf5 *.nxs *.npy *.npz *.tif *.tiff *.png *.json"
    " *.gz);;All files (*)"
)
_MOST_ROWS = 40
_X, _Y = ("x", "lon", "longitude", "east", "easting"), ("y", "lat", "latitude", "north", "northing")


def source_for(channels: tuple[Channel, ...], record_id: str) -> FieldSource:
    """The points that a record most likely holds: a table in rows and columns, or x, y, z and u by their names.

    Raises InputError where there are fewer than three channels.
    """
    if looks_like_a_matrix(channels):
        return OfTable(
            record=record_id, names=Names("x", channels[0].name or "y", "z", channels[0].unit, channels[0].unit, "")
        )
    if len(channels) < 3:
        raise InputError("a field needs three columns (x, y and z), or a table in rows and columns.")
    names = [channel.name.strip().casefold() for channel in channels]
    x = next((k for k, name in enumerate(names) if name in _X), 0)
    y = next((k for k, name in enumerate(names) if name in _Y and k != x), 1 if x != 1 else 0)
    rest = [k for k in range(len(names)) if k not in (x, y)]
    u = next(
        (k for k in rest if names[k] in ("u", "uncertainty", "error", "sigma") or names[k].startswith("u of")), None
    )
    z = next((k for k in rest if k != u), rest[0])
    return OfChannels(record=record_id, x=x, y=y, z=z, u=u if u != z else None)


class Making(QWidget):
    """Not seen itself: it asks, and adds to the study. `noticed` has notes of files."""

    noticed = pyqtSignal(str)

    def __init__(self, work: FieldWork, parent: QWidget) -> None:
        super().__init__(parent)
        self.work = work
        self.hide()

    def open_menu(self, place: QPoint) -> None:
        """All ways to make a field."""
        menu_of(self.work_widget(), self.rows()).popup(place)

    def work_widget(self) -> QWidget:
        """What menus and dialogs belong to."""
        parent = self.parentWidget()
        assert parent is not None
        return parent

    def rows(self) -> list[MenuRow]:
        """The rows of the menu: what is in the study stands in it."""
        document = self.work.session.study.document
        made: list[MenuRow] = [("A file…", self.ask_file), ("A formula in x and y…", self.ask_formula)]
        wide = [record for record in document.records if len(record.channels) >= 3]
        if wide:
            made.append(("", None))
            made += [(f"The record {one.file_name}", partial(self.of_record, one.id)) for one in wide[:_MOST_ROWS]]
        families = [f for f in document.families if len(f.curves) > 1 and self._has_conditions(f.curves)]
        if families:
            made.append(("", None))
            made += [
                (f"The family {one.label}", partial(self.of_family, one.id, one.label)) for one in families[:_MOST_ROWS]
            ]
        field = self.work.field
        others = [one for one in document.fields if field is not None and one.id != field.id]
        if field is not None and others:
            made.append(("", None))
            made += [
                (f"{field.name} less {one.name}", partial(self.of_difference, one.id)) for one in others[:_MOST_ROWS]
            ]
        return made

    def _has_conditions(self, curves: tuple[str, ...]) -> bool:
        study = self.work.session.study
        return len({study.entry(id_).condition for id_ in curves if study.entry(id_).condition is not None}) > 1

    # -- of what is there ---------------------------------------------------------------------------

    def of_record(self, record_id: str) -> None:
        """A field of a record that is in the study."""
        record = self.work.session.study.record(record_id)
        try:
            source = source_for(record.channels, record_id)
        except InputError as error:
            self.work.refuse(f"{record.source.name}: {error}")
            return
        self.work.add(source, Path(record.source.name).stem)

    def of_family(self, family_id: str, name: str) -> None:
        """A field of a family: x, condition and y."""
        self.work.add(OfFamily(family=family_id), name)

    def of_difference(self, other_id: str) -> None:
        """The field in hand less another."""
        study, field = self.work.session.study, self.work.field
        other = study.field(other_id)
        if field is not None and other is not None:
            self.work.add(OfDifference(first=field.id, second=other_id), f"{field.name} less {other.name}")

    # -- of a file ----------------------------------------------------------------------------------

    def ask_file(self) -> None:
        """Asks for a file."""
        path, _ = QFileDialog.getOpenFileName(self.work_widget(), "Open a field", "", _FILES)
        if path:
            self.bring_in(Path(path))

    def bring_in(self, path: Path) -> None:
        """Reads a file in the background and makes a field of its fullest table."""
        from curvesieve.core.formats.opening import load, main_table, tables

        session = self.work.session

        def work(ticket: Ticket) -> tuple[Record, FieldSource]:
            found = main_table(tables(load(path), ticket.report)).record
            try:
                return found, source_for(found.channels, "")
            except InputError as error:
                raise InputError(f"{path.name}: {error}") from error

        def done(made: tuple[Record, Any]) -> None:
            record, source = made
            id_ = new_id("field")
            if session.apply(edits.add_field_of(record, source, path.stem, id_), f"bring in {path.name}"):
                for note in record.notes[:2]:
                    session.noticed.emit(f"{path.name}: {note}", "note")
                self.work.take_field(id_)

        session.jobs.start(f"Reading {path.name}", f"a field {path.name}", work, done, self.work.refuse, stoppable=True)

    # -- of a formula -------------------------------------------------------------------------------

    def ask_formula(self) -> None:
        """Asks for a formula and its ranges; what cannot be is said in the dialog, which stays."""
        dialog = FormulaDialog(self.work_widget())
        self.dialog = dialog
        dialog.made.connect(lambda source, name: self.work.add(source, name))
        dialog.open()


class FormulaDialog(QDialog):
    """A formula in x and y, the range of each, and how many places."""

    made = pyqtSignal(object, str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("A field of a formula")
        self.formula, self.along, self.up, self.places = (
            Line("sin(x)*cos(y)"),
            Line("0 10"),
            Line("0 10"),
            Line("51 51"),
        )
        form = QFormLayout(self)
        for words, line in (
            ("z =", self.formula),
            ("x from, to", self.along),
            ("y from, to", self.up),
            ("columns, rows", self.places),
        ):
            line.setAccessibleName(words)
            line.setMinimumWidth(260)
            form.addRow(QLabel(words), line)
        self.problem = label(role="problem", wrap=True)
        form.addRow(self.problem)
        buttons = QDialogButtonBox()
        self.ok = buttons.addButton("Make the field", QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton("Leave it", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self._make)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)

    def _make(self) -> None:
        from curvesieve.core.fields.sources import of_formula

        try:
            x, y, size = (self._pair(line, words) for line, words in (
                (self.along, "x from, to"), (self.up, "y from, to"), (self.places, "columns, rows")))  # fmt: skip
            columns, rows = (round(number) for number in size)
            if min(columns, rows) < 2 or max(columns, rows) > 5000:
                raise InputError("Columns and rows are 2 to 5,000 each.")
            of_formula(self.formula.text(), x, y, 2, 2, Names())
            source = OfFormula(formula=self.formula.text(), x=x, y=y, columns=columns, rows=rows)
        except InputError as error:
            said = str(error)
            self.problem.setText(said[:1].upper() + said[1:])
            return
        self.accept()
        self.made.emit(source, self.formula.text()[:40])

    def _pair(self, line: Line, words: str) -> tuple[float, float]:
        numbers = numbers_in(line.text())
        if len(numbers) != 2:
            raise InputError(f"{words}: two numbers with a blank between them.")
        return numbers[0], numbers[1]
