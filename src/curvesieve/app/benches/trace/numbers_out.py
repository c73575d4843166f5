"""The ways out for what was traced: numbers into the clipboard or a file, the trace with its picture."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QWidget

from curvesieve.app.benches.trace.work import TraceWork
from curvesieve.core.errors import InputError, counted
from curvesieve.core.files import write_bytes, write_text
from curvesieve.core.formats.writing import book_of_tables
from curvesieve.core.tracing.saved import written
from curvesieve.core.tracing.table import rows_of


class NumbersOut:
    """Copies and writes the chart in hand; `parent` has the dialogs."""

    def __init__(self, parent: QWidget, work: TraceWork) -> None:
        self.parent_, self.work = parent, work

    def _rows(self) -> list[list[str]] | None:
        try:
            return rows_of(self.work.trace)
        except InputError as error:
            self.work.session.noticed.emit(str(error), "problem")
            return None

    def copy_numbers(self) -> None:
        """Puts all numbers of the chart into the clipboard, as cells for a spreadsheet."""
        rows, board = self._rows(), QGuiApplication.clipboard()
        if rows is not None and board is not None:
            board.setText("\n".join("\t".join(row) for row in rows))
            self.work.noted.emit(f"{counted(len(rows) - 1, 'row')} copied")

    def ask_numbers(self) -> None:
        """Asks for a file for all numbers."""
        path, _ = QFileDialog.getSaveFileName(
            self.parent_, "Write the numbers of the chart", "", "Table (*.csv);;Book (*.xlsx)"
        )
        if path:
            self.write_numbers(Path(path))

    def write_numbers(self, path: Path) -> None:
        """Writes all numbers of the chart as a file, with where they are from in its first line."""
        rows = self._rows()
        if rows is None:
            return
        path = path if path.suffix else path.with_suffix(".csv")
        chart = self.work.chart
        origin = (
            f"# {chart.name}: {self.work.trace.origin or 'origin not said'}; SHA-256 {chart.picture}" if chart else ""
        )
        try:
            if path.suffix.lower() == ".xlsx":
                write_bytes(path, book_of_tables({"numbers": [[origin], *rows]}))
            else:
                text = io.StringIO()
                text.write(f"{origin}\n")
                csv.writer(text, lineterminator="\n").writerows(rows)
                write_text(path, text.getvalue())
        except (InputError, OSError) as error:
            self.work.session.noticed.emit(f"{path.name} cannot be written: {error}", "problem")
            return
        self.work.noted.emit(f"{path.name} written: {counted(len(rows) - 1, 'row')}")

    def ask_trace(self) -> None:
        """Asks for a file for the trace."""
        path, _ = QFileDialog.getSaveFileName(
            self.parent_, "Write the trace; its picture goes beside it", "", "Trace (*.json)"
        )
        if path:
            self.write_trace(Path(path))

    def write_trace(self, path: Path) -> None:
        """Writes the trace as JSON with its picture beside it, as `curvesieve trace` reads them."""
        chart = self.work.chart
        if chart is None:
            return
        path = path if path.suffix else path.with_suffix(".json")
        suffix = Path(chart.name).suffix.lower()
        suffix = suffix if suffix in (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".bmp", ".webp") else ".png"
        picture = path.with_name(f"{path.stem}{suffix}")
        try:
            write_bytes(picture, self.work.session.study.sources[chart.picture])
            write_text(path, written(chart.trace, picture.name, chart.picture, chart.prepared))
        except (InputError, OSError) as error:
            self.work.session.noticed.emit(f"{path.name} cannot be written: {error}", "problem")
            return
        self.work.noted.emit(f"{path.name} and {picture.name} written")
