"""The ways out of a field: its grid, its contour lines, its readings, its picture."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer
from PyQt6.QtGui import QGuiApplication, QPixmap
from PyQt6.QtWidgets import QFileDialog, QWidget

from curvesieve.app.benches.field.shown import Shown
from curvesieve.app.benches.field.work import FieldWork
from curvesieve.app.session.jobs import Ticket
from curvesieve.app.theme.tokens import colour
from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core.errors import InputError
from curvesieve.core.fields.writing import grid_file, lines_csv, lines_svg, matrix
from curvesieve.core.files import write_bytes
from curvesieve.core.study.field_ledger import HEADINGS
from curvesieve.core.study.fields import about
from curvesieve.core.study.passing import giver

_GRIDS = "CSV: x, y, z, u (*.csv);;Spreadsheet (*.xlsx);;HDF5, NXdata (*.h5);;NumPy (*.npz);;JSON (*.json)"
_ROWS_AND_COLUMNS = "CSV in rows and columns (*.csv)"


class FieldOut:
    """Copies and writes the field in hand; `parent` has the dialogs, `seen` is what the picture is of."""

    def __init__(self, parent: QWidget, work: FieldWork, seen: QWidget) -> None:
        self.parent_, self.work, self.seen = parent, work, seen

    def rows(self) -> list[MenuRow]:
        """The rows of a menu."""
        shown = self.work.shown_now
        there = shown is not None and shown.filled is not None
        lines = there and shown is not None and bool(shown.lines)
        reads = shown is not None and any(one.readings for one in shown.reads)
        return [
            ("Write the grid…", self.ask_grid if there else None),
            ("Write the grid in rows and columns…", self.ask_matrix if there else None),
            ("Write the lines of equal z…", self.ask_lines if lines else None),
            ("Write the picture…", self.ask_picture if there else None),
            ("", None),
            ("Copy the readings", self.copy_reads if reads else None),
            ("Write the readings…", self.ask_reads if reads else None),
        ]

    def about(self, shown: Shown) -> list[tuple[str, str]]:
        """Where the numbers are from: source, steps, way, u."""
        study = self.work.session.study
        return about(study, shown.field.id, giver(study))

    # -- files --------------------------------------------------------------------------------------

    def _ask(self, words: str, kinds: str) -> Path | None:
        path, kind = QFileDialog.getSaveFileName(self.parent_, words, "", kinds)
        if not path:
            return None
        suffix = kind.rsplit("*", 1)[-1].rstrip(")") if "*" in kind else ".csv"
        return Path(path) if Path(path).suffix else Path(path).with_suffix(suffix)

    def ask_grid(self) -> None:
        """Asks for a file for the grid."""
        path = self._ask("Write the grid", _GRIDS)
        if path is not None:
            self.write_grid(path)

    def write_grid(self, path: Path) -> None:
        """Writes the grid by the suffix of the name."""
        shown = self.work.shown_now
        if shown is None or shown.filled is None:
            return
        grid, name = shown.filled.grid, shown.field.name
        self._write(path, lambda: grid_file(grid, path.suffix.lower(), name, self.about(shown)))

    def ask_matrix(self) -> None:
        """Asks for a file for rows and columns."""
        path = self._ask("Write the grid in rows and columns", _ROWS_AND_COLUMNS)
        if path is not None:
            self.write_matrix(path)

    def write_matrix(self, path: Path) -> None:
        """Writes rows and columns as CSV."""
        shown = self.work.shown_now
        if shown is not None and shown.filled is not None:
            grid = shown.filled.grid
            self._write(path, lambda: matrix(grid).encode())

    def ask_lines(self) -> None:
        """Asks for a file for the lines of equal z."""
        path = self._ask("Write the lines of equal z", "Drawing (*.svg);;Places as CSV (*.csv)")
        if path is not None:
            self.write_lines(path)

    def write_lines(self, path: Path) -> None:
        """Writes the lines as a drawing or as places, by the suffix."""
        shown = self.work.shown_now
        if shown is None or shown.filled is None:
            return
        grid, lines = shown.filled.grid, shown.lines
        written = lines_svg if path.suffix.lower() == ".svg" else lines_csv
        self._write(path, lambda: written(lines, grid).encode())

    def ask_picture(self) -> None:
        """Asks for a file for the picture of the map or the surface."""
        path = self._ask("Write the picture", "Picture (*.png)")
        if path is not None:
            self.write_picture(path)

    def write_picture(self, path: Path) -> None:
        """Writes the map or the surface with its colours as it is seen, twice as fine."""
        seen = self.seen
        picture = QPixmap(2 * seen.size())
        picture.setDevicePixelRatio(2.0)
        picture.fill(colour("card"))
        seen.render(picture)
        buffer = QBuffer()
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        picture.save(buffer, "PNG")
        self._write(path, lambda: bytes(buffer.data().data()))

    def _table(self) -> list[list[str]]:
        """The readings of all fields: name, symbol, value, u, unit, method, reference, each with its field."""
        ledger = self.work.ledger
        return ledger.lines() if ledger is not None else [list(HEADINGS)]

    def copy_reads(self) -> None:
        """Puts the readings into the clipboard, as cells for a spreadsheet."""
        board, rows = QGuiApplication.clipboard(), self._table()
        if board is not None:
            board.setText("\n".join("\t".join(row) for row in rows))
            self.work.noted.emit(f"{len(rows) - 1} readings copied")

    def ask_reads(self) -> None:
        """Asks for a file for the readings."""
        path = self._ask("Write the readings of the field", "Table (*.csv)")
        if path is not None:
            self.write_reads(path)

    def write_reads(self, path: Path) -> None:
        """Writes the readings as CSV, with where they are from above them."""
        shown, text = self.work.shown_now, io.StringIO()
        if shown is None:
            return
        for key, value in self.about(shown):
            text.write(f"# {key}: {value}\n")
        csv.writer(text, lineterminator="\n").writerows(self._table())
        self._write(path, lambda: text.getvalue().encode())

    def _write(self, path: Path, content: Callable[[], bytes]) -> None:
        """Writes what `content` makes, both in the background: large grids take their time."""

        def work(ticket: Ticket) -> None:
            made = content()
            ticket.stop_if_asked()
            try:
                write_bytes(path, made)
            except OSError as error:
                raise InputError(f"{path.name} cannot be written: {error}") from error

        def done(_: object) -> None:
            self.work.noted.emit(f"{path.name} written")

        self.work.session.jobs.start(f"Writing {path.name}", f"write {path}", work, done, self.work.refuse)
