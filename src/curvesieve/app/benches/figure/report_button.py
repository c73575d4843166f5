"""The button with the reports that can be written, of the study and of what is in hand."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QFileDialog, QPushButton

from curvesieve.app.panels.report import ask_study_report, copy_methods
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.menu import MenuRow, menu_of


class ReportButton(QPushButton):
    """Opens the list of reports; each asks for its file."""

    def __init__(self, session: Session) -> None:
        super().__init__("Report ▾")
        self.session = session
        self.setToolTip("Figures, readings, what was done and the methods, as HTML or PDF")
        self.clicked.connect(self.open)

    def open(self) -> None:
        menu_of(self, self.rows()).popup(self.mapToGlobal(QPoint(0, -4 * self.height())))

    def rows(self) -> list[MenuRow]:
        """The reports that can be written."""
        ask = partial(ask_study_report, self.session, self)
        entry = self.session.entry
        family = self.session.study.family_of(entry.id) if entry is not None else None
        rows: list[MenuRow] = [("Report of the study…", ask)]
        if family is not None:
            rows.append((f"Report of {family.label}…", partial(ask, "family")))
        if entry is not None:
            rows.append((f"Report of {entry.label}…", partial(ask, "curve")))
        return [
            *rows, ("By a template of your own…", self.ask_template), ("", None),
            ("Copy the methods paragraph", partial(copy_methods, self.session)),
        ]  # fmt: skip

    def ask_template(self) -> None:
        """Asks for a template, then for the report that is written by it."""
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Template of a report", "", "Plain text (*.txt *.md);;All files (*)"
        )
        if chosen:
            ask_study_report(self.session, self, "study", Path(chosen))
