"""Reports of tests, families and studies: asks for a place, and writes them in the background."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QWidget

from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.core.files import write_bytes

SUFFIXES = {".html": "HTML, a page for the set and one for each curve", ".pdf": "PDF, A4"}


def ask_report(session: Session, parent: QWidget) -> None:
    """Asks for a file and writes the report of the family in hand, or of the curve where it is in none."""
    entry = session.entry
    if entry is None:
        return
    family = session.study.family_of(entry.id)
    name = (family.label if family is not None else entry.label).replace("/", "-")
    kinds = ";;".join(f"{label} (*{suffix})" for suffix, label in SUFFIXES.items())
    chosen, kind = QFileDialog.getSaveFileName(parent, "Write the report", f"{name}.html", kinds)
    if chosen:
        path = Path(chosen)
        suffix = next((one for one in SUFFIXES if f"(*{one})" in kind), ".html")
        write_report(session, path if path.suffix else path.with_suffix(suffix))


def write_report(session: Session, path: Path) -> None:
    """Writes the report in the background, in the format of the path's suffix."""
    entry, study = session.entry, session.study
    if entry is None:
        return
    curve_id, family = entry.id, study.family_of(entry.id)

    def work(ticket: Ticket) -> None:
        from curvesieve.core.literature import HANDBOOK, load_own
        from curvesieve.core.report.pages import report_of, report_of_curve
        from curvesieve.core.report.writing import written

        if family is None:
            report = report_of_curve(study, curve_id)
        else:
            report = report_of(study, family, (*load_own(), *HANDBOOK))
        write_bytes(path, written(report, path.suffix, ticket.report))

    _start(session, path, work)


def _start(session: Session, path: Path, work: Callable[[Ticket], None]) -> None:
    session.jobs.start(
        f"Writing {path.name}",
        "write report",
        work,
        lambda _: session.noticed.emit(f"Wrote the report to {path.name}.", "word"),
        lambda sentence: session.noticed.emit(sentence, "problem"),
        stoppable=True,
    )


def ask_study_report(session: Session, parent: QWidget, scope: str = "study", template: Path | None = None) -> None:
    """Asks for a file and writes the report of the study, or of the family or curve in hand, as a template has it."""
    entry = session.entry
    family = session.study.family_of(entry.id) if entry is not None else None
    title = {
        "study": session.study.document.title, "family": family.label if family is not None else "",
        "curve": entry.label if entry is not None else "",
    }[scope]  # fmt: skip
    if not title:
        session.noticed.emit(f"There is no {scope} in hand to report.", "problem")
        return
    name = title.replace("/", "-")
    kinds = "HTML, one file (*.html);;PDF, A4 (*.pdf)"
    chosen, kind = QFileDialog.getSaveFileName(parent, "Write the report", f"{name} report.html", kinds)
    if chosen:
        path = Path(chosen)
        suffix = next((one for one in SUFFIXES if f"(*{one})" in kind), ".html")
        write_study_report(session, path if path.suffix else path.with_suffix(suffix), scope, template)


def write_study_report(session: Session, path: Path, scope: str = "study", template: Path | None = None) -> None:
    """Writes the report in the background, in the format of the path's suffix."""
    study, entry = session.study, session.entry
    family = study.family_of(entry.id) if entry is not None else None
    which: dict[str, Any] = {}
    if scope == "family" and family is not None:
        which = {"family": family.id}
    elif scope == "curve" and entry is not None:
        which = {"curve": entry.id}

    def work(ticket: Ticket) -> None:
        from curvesieve.core.report.blocks import report_of_study
        from curvesieve.core.report.study_writing import study_report_written
        from curvesieve.core.report.template import DEFAULT, load_template

        text = load_template(template) if template is not None else DEFAULT
        report = report_of_study(study, template=text, **which)
        write_bytes(path, study_report_written(report, path.suffix, ticket.report))

    _start(session, path, work)


def copy_methods(session: Session) -> None:
    """Puts the paragraph for a methods section, of what was done to all curves, on the clipboard."""
    study = session.study
    ids = [curve.id for curve in study.document.curves]

    def work(ticket: Ticket) -> str:
        from curvesieve import __version__
        from curvesieve.core.report.words import methods_paragraph

        return methods_paragraph(study, ids, __version__)

    def done(text: str) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(text)
        session.noticed.emit("Copied a paragraph for the methods section.", "word")

    session.jobs.start(
        "Telling what was done", "copy methods", work, done, lambda sentence: session.noticed.emit(sentence, "problem")
    )
