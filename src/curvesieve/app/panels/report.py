"""The report of the family in hand: asks for a place, and writes it in the background."""

from __future__ import annotations

from pathlib import Path

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

    session.jobs.start(
        f"Writing {path.name}",
        "write report",
        work,
        lambda _: session.noticed.emit(f"Wrote the report to {path.name}.", "word"),
        lambda sentence: session.noticed.emit(sentence, "problem"),
        stoppable=True,
    )
