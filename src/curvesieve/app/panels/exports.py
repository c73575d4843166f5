"""Curves and records on their way out: asks for a place, writes in the background, and shows a record's numbers."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QFileDialog, QVBoxLayout, QWidget

from curvesieve.app.panels.numbers import NumbersView
from curvesieve.app.panels.report import ask_report, ask_study_report, copy_methods
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.core.files import write_bytes

if TYPE_CHECKING:
    from curvesieve.core.formats.writing import Sheet
    from curvesieve.core.record import Record


class Exports:
    """What can be written or looked at of the curve in hand."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self.session, self.window = session, window
        self.numbers: QDialog | None = None

    def action_rows(self) -> list[ActionRow]:
        """What can be looked at or written of the curve in hand."""

        def has_curve() -> bool:
            return self.session.entry is not None

        return [
            ActionRow("Look at the record's numbers", "Ctrl+T", self.show_numbers, has_curve, bench="Curve"),
            ActionRow("Write the curve as a file…", "Ctrl+E", self.ask_curve, has_curve, bench="Curve"),
            ActionRow("Write the record as a file…", "", self.ask_record, has_curve, bench="Curve"),
            ActionRow(
                "Write a report of the study…",
                "",
                lambda: ask_study_report(self.session, self.window),
                has_curve,
                "methods",
            ),
            ActionRow("Copy the methods paragraph", "", lambda: copy_methods(self.session), has_curve, "report"),
            ActionRow("Write a report…", "", lambda: ask_report(self.session, self.window), has_curve, bench="Curve"),
        ]

    def ask_curve(self) -> None:
        """Writes the curve as it passed the sieve, with u, flags, and what its fit says of each point."""
        from curvesieve.core.formats.writing import of_curve
        from curvesieve.core.study.fits import fitted_curve
        from curvesieve.core.study.ledger import about_curve
        from curvesieve.core.study.points import fit_channels

        entry, made = self.session.entry, self.session.sieved()
        if entry is None:
            return
        if made is None:
            self.session.noticed.emit("The curve is still passing through the sieve; try again in a moment.", "problem")
            return
        study, curve, about = self.session.study, made.curve, about_curve(self.session.study, entry.id)

        def sheet() -> Sheet:
            more = fit_channels(curve, fitted_curve(study, entry.id)[1]) if study.fit_is_current(entry.id) else ()
            return of_curve(curve, entry.label, about, more)

        self._ask("Write the curve", f"{entry.label} passed", sheet)

    def ask_record(self) -> None:
        """Writes the whole record, as it was read."""
        from curvesieve.core.formats.writing import of_record

        entry = self.session.entry
        if entry is not None and (record := self._record(entry.id)) is not None:
            name = f"{record.source.name.rsplit('.', 1)[0]} record"  # never the name of the raw file itself
            self._ask("Write the record", name, lambda: of_record(record))

    def _record(self, curve_id: str) -> Record | None:
        """The record behind a curve; None, with a word, where it comes from elsewhere."""
        study = self.session.study
        found = study.record_of(curve_id)
        if found is None:
            said = f"{study.entry(curve_id).label} has no record: it is made of the {study.origin(curve_id)}."
            self.session.noticed.emit(said, "problem")
        return study.record(found.id) if found is not None else None

    def _ask(self, title: str, name: str, sheet: Callable[[], Sheet]) -> None:
        from curvesieve.core.formats.writing import WRITERS

        kinds = ";;".join(f"{writer.label} (*{writer.suffix})" for writer in WRITERS)
        plain = name.replace("/", "-").replace(" · ", " ")
        chosen, kind = QFileDialog.getSaveFileName(self.window, title, f"{plain}.csv", kinds)
        if chosen:
            path = Path(chosen)
            if not path.suffix:
                path = path.with_suffix(kind.rsplit("*", 1)[-1].rstrip(")") or ".csv")
            self.write(path, sheet)

    def write(self, path: Path, sheet: Callable[[], Sheet]) -> None:
        """Writes in the background; the file's suffix tells the format."""
        from curvesieve.core.formats.writing import write

        raw = {Path(record.path) for record in self.session.study.document.records if record.path}
        if path.absolute() in raw or path.resolve() in raw:
            self.session.noticed.emit(
                f"{path.name} is the file that a record of this study came from, and stays as it is. "
                "Choose another name.",
                "problem",
            )
            return
        self.session.jobs.start(
            f"Writing {path.name}",
            "write export",
            lambda ticket: write_bytes(path, write(sheet(), path.suffix)),
            lambda _: self.session.noticed.emit(f"Wrote {path.name} to {path.parent}.", "word"),
            lambda sentence: self.session.noticed.emit(sentence, "problem"),
        )

    def show_numbers(self) -> None:
        """The numbers of the record behind the curve in hand, in a window of their own."""
        entry = self.session.entry
        if entry is None:
            return
        record = self._record(entry.id)
        if record is None:
            return
        dialog = QDialog(self.window)
        dialog.setObjectName("bench")
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.setWindowTitle(f"{record.source.name} · as recorded")
        dialog.resize(760, 560)
        view = NumbersView(self.session.jobs)
        rows = QVBoxLayout(dialog)
        rows.addWidget(view)
        view.show_record(record)
        dialog.finished.connect(lambda _: view.show_record(None))  # what is still being worked out comes too late
        dialog.show()
        self.numbers = dialog
