"""What the joint fit says: shared numbers with u, statistics, correlations; ways of sharing side by side."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QHBoxLayout, QTableWidgetItem, QVBoxLayout, QWidget

from curvesieve.app.benches.family.members_page import texts_of
from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.matrix import Matrix
from curvesieve.app.widgets.table import plain_table
from curvesieve.core import units
from curvesieve.core.reading import concise
from curvesieve.core.study import Family
from curvesieve.core.study.shared_numbers import shared_numbers
from curvesieve.core.study.ways import WayOfSharing

_ADVICE = (
    "Say of each parameter what it is across the family, then fit jointly: the shared numbers, their u from the whole "
    "problem, and whether sharing is right appear here."
)


class JointPage(QWidget):
    """Two tables and the correlations between what is shared."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.said = Elided(_ADVICE, "muted")
        self.warnings = label(role="caught", wrap=True)
        self.numbers = plain_table(
            ["shared", "value", "unit", "law"], ["", "Digits in brackets are u", "", "In c, the condition"]
        )
        self.matrix = Matrix()
        self.ways = plain_table(
            ["way of sharing", "p", "F", "AICc", "numbers", "χ² or RSS"],
            ["", "A small p: the richer of the two is worth its parameters",
             "Of the F-test against the way as chosen; of that, against each its own",
             "The lower, the better", "How many are fitted", "What the fit makes least"],
        )  # fmt: skip
        self.compare = button("Compare ways", tip="Each parameter each its own, in turn: F-test and AICc")
        self.compare.clicked.connect(work.compare)
        self.copy = button("Copy", tip="The shared numbers and the ways, for a spreadsheet")
        self.copy.clicked.connect(self.copy_all)
        top = QHBoxLayout()
        top.addWidget(self.said, 1)
        top.addWidget(self.compare)
        top.addWidget(self.copy)
        row = QHBoxLayout()
        row.setSpacing(10)
        row.addWidget(self.numbers, 5)
        row.addWidget(self.matrix, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.ways, 6)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(4)
        column.addLayout(top)
        column.addWidget(self.warnings)
        column.addLayout(row, 1)
        work.compared.connect(lambda found: self.refresh())

    def refresh(self) -> None:
        """Renders the last joint fit of the family, and says whether it is of what stands there now."""
        family, study = self.work.family, self.work.session.study
        joint = family.joint if family is not None else None
        state = study.joint_state(family.id) if family is not None else ""
        current = joint is not None and state != "out of date"
        self.matrix.setVisible(current)
        self.compare.setEnabled(family is not None and bool(family.sharing) and bool(family.recipe.model.terms))
        if family is None or joint is None:
            self._show([], ())
            self.said.set(_ADVICE)
            self._warn("")
            return
        result = joint.result
        s = result.statistics
        fit = f"χ² {s.chi2:.5g}" if s.chi2 is not None else f"RSS {s.rss:.5g}"
        reduced = f", reduced χ² {s.reduced_chi2:.3g}" if s.reduced_chi2 is not None else ""
        told = (
            f"{result.count} numbers for {len(joint.curves)} curves, {s.n:,} points: {fit}{reduced}, "
            f"R² {s.r2:.5f}" if s.r2 is not None else f"{result.count} numbers for {len(joint.curves)} curves"
        )  # fmt: skip
        self.said.set(f"{told} · {result.message if current else 'out of date: fit it again'}")
        self._warn(" ".join(result.warnings) if current else "")
        self._show(_numbers(self.work, family) if current else [], self._ways(family))
        self.matrix.show_matrix(result.border, result.correlation() if current else None)

    def _warn(self, text: str) -> None:
        self.warnings.setText(text)
        self.warnings.setVisible(bool(text))

    def _ways(self, family: Family) -> tuple[WayOfSharing, ...]:
        key, found = self.work.ways
        return found if key == self.work.session.study.joint_key(family.id) else ()

    def _show(self, numbers: list[list[str]], ways: tuple[WayOfSharing, ...]) -> None:
        self.numbers.setRowCount(len(numbers))
        for row, texts in enumerate(numbers):
            for column, text in enumerate(texts):
                self.numbers.setItem(row, column, QTableWidgetItem(text))
        self.ways.setRowCount(len(ways))
        for row, way in enumerate(ways):
            for column, text in enumerate(_way_texts(way)):
                item = QTableWidgetItem(text)
                item.setToolTip(way.problem or (f"tested against {way.against}" if way.against else ""))
                self.ways.setItem(row, column, item)

    def copy_all(self) -> None:
        """Both tables to the clipboard."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(f"{texts_of(self.numbers)}\n\n{texts_of(self.ways)}")
            self.work.session.noticed.emit("Copied what the joint fit says.", "word")


def _numbers(work: FamilyWork, family: Family) -> list[list[str]]:
    return [
        [one.title, concise(one.value, one.u), units.shown(one.unit),
         one.law or (f"one for all{f', {one.state}' if one.state else ''}")]
        for one in shared_numbers(work.session.study, family)
    ]  # fmt: skip


def _way_texts(way: WayOfSharing) -> list[str]:
    if way.result is None:
        return [way.label, "–", "–", "–", "–", way.problem]
    s = way.result.statistics
    aicc = "–" if s.aicc is None else f"{s.aicc:.5g}"
    f = "–" if way.f is None else f"{way.f:.3g}"
    p = "–" if way.p is None else "< 1e-4" if way.p < 1e-4 else f"{way.p:.2g}"
    label_ = way.label if not way.problem else f"{way.label} (did not converge)"
    return [label_, p, f, aicc, str(way.result.count), f"{s.least:.5g}"]
