"""What the fit in hand says beyond its parameters: statistics, correlations, residuals, intervals, answers, copies."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QGuiApplication, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QMenu,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.matrix import Histogram, Matrix
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.fitting.residuals import ResidualCheck
from curvesieve.core.study.answers import (
    QUESTIONS,
    Said,
    answer,
    correlations,
    interval_lines,
    kept,
    residuals_of,
)
from curvesieve.core.study.copies import copied

_STATISTICS = (
    ("R²", "r2"), ("adjusted R²", "adjusted_r2"), ("RMSE", "rmse"), ("reduced χ²", "reduced_chi2"), ("AICc", "aicc"),
    ("BIC", "bic"), ("deg. of freedom", "dof"), ("RSS", "rss"),
)  # fmt: skip
_LINE_PX = 16
_MANY_POINTS, _MOST_FITS = 50_000, 60
COPIES = {"table": "As a table", "text": "As text", "latex": "As LaTeX", "script": "As a Python script"}


class ResultPage(QWidget):
    """Renders the current fit of the curve in hand; asking adds a line to the answers."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._key = ""
        self._said: dict[str, list[Said]] = {}
        """The answers of each fit, by its key."""
        self.numbers: dict[str, QLabel] = {}
        self.advice = label("Fit a model, and what its fit says appears here.", "muted", wrap=True)
        self.body = QWidget()
        columns = QHBoxLayout(self.body)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(12)
        columns.addLayout(self._make_statistics())
        columns.addLayout(self._make_pictures())
        columns.addLayout(self._make_questions(), 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 0, 0)
        layout.addWidget(self.advice)
        layout.addWidget(self.body, 1)
        layout.addStretch(0)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        self.refresh()

    def _make_statistics(self) -> QVBoxLayout:
        grid = QGridLayout()
        grid.setVerticalSpacing(0)
        grid.setHorizontalSpacing(10)
        for i, (text, name) in enumerate(_STATISTICS):
            title = label(text, "muted")
            self.numbers[name] = label(role="note")
            for shown in (title, self.numbers[name]):
                shown.setFixedHeight(_LINE_PX)
            grid.addWidget(title, i, 0)
            grid.addWidget(self.numbers[name], i, 1, Qt.AlignmentFlag.AlignRight)
        self.runs = label(role="note", wrap=True)
        self.runs.setFixedWidth(172)
        column = QVBoxLayout()
        column.setSpacing(4)
        column.addLayout(grid)
        column.addWidget(self.runs)
        column.addStretch(1)
        return column

    def _make_pictures(self) -> QVBoxLayout:
        self.matrix, self.histogram = Matrix(), Histogram()
        column = QVBoxLayout()
        column.setSpacing(2)
        column.addWidget(label("correlations", "muted"))
        column.addWidget(self.matrix)
        column.addWidget(label("residuals", "muted"))
        column.addWidget(self.histogram)
        column.addStretch(1)
        return column

    def _make_questions(self) -> QVBoxLayout:
        self.question = Choice()
        for slug, (text, _) in QUESTIONS.items():
            self.question.addItem(text, slug)
        self.question.setAccessibleName("question to the fitted curve")
        self.question.currentIndexChanged.connect(lambda _: self._show_prompt())
        self.given = Line()
        self.given.setAccessibleName("what the question is about")
        self.given.returnPressed.connect(self.ask)
        self.ask_button = button("Ask", "act", "Answer from the fitted curve, with its uncertainty")
        self.ask_button.clicked.connect(self.ask)
        self.keep_button = button("Keep", tip="Keep it among the readings, where it follows every change")
        self.keep_button.clicked.connect(self.keep)
        first = QHBoxLayout()
        for widget, stretch in ((self.question, 0), (self.given, 1), (self.ask_button, 0), (self.keep_button, 0)):
            first.addWidget(widget, stretch)
        self.answers = QListWidget()
        self.answers.setWordWrap(True)
        self.answers.setMinimumHeight(60)
        self.answers.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.answers.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.answers.setAccessibleName("answers")
        copying = QAction("Copy with all digits", self.answers)
        copying.setShortcut(QKeySequence.StandardKey.Copy)
        copying.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        copying.triggered.connect(self.copy_answers)
        self.answers.addAction(copying)
        self.answers.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        self.profile = button("Intervals", tip="95 % intervals by the profile of the sum of squares")
        self.profile.clicked.connect(lambda: self._measure("profile"))
        self.bootstrap = button("Bootstrap", tip="95 % intervals from 400 fits to data drawn again")
        self.bootstrap.clicked.connect(lambda: self._measure("bootstrap"))
        self.bands = button("Bands", "tab", "Confidence (filled) and prediction (dashed) bands of 95 % on the plot")
        self.bands.setCheckable(True)
        self.bands.toggled.connect(self.session.modelling.show_bands)
        self.copies = button("Copy ▾", tip="The results for other programs")
        self.copies.clicked.connect(self._open_copies)
        last = QHBoxLayout()
        for widget in (self.profile, self.bootstrap, self.bands):
            last.addWidget(widget)
        last.addStretch(1)
        last.addWidget(self.copies)
        column = QVBoxLayout()
        column.setSpacing(5)
        column.addLayout(first)
        column.addWidget(self.answers, 1)
        column.addLayout(last)
        self._show_prompt()
        return column

    # -- rendering ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        entry = self.session.entry
        current = entry is not None and self.session.study.fit_is_current(entry.id)
        self.body.setVisible(current)
        self.advice.setVisible(not current)
        fit = self.session.fit
        if not current or entry is None or fit is None:
            return
        result = fit.result
        if fit.identity == self._key:
            return
        self._key = fit.identity
        self._show_answers()
        for name, shown in self.numbers.items():
            value = getattr(result.statistics, name)
            shown.setText("–" if value is None else f"{value:,}" if isinstance(value, int) else f"{value:.5g}")
        self.matrix.show_matrix(*correlations(self.session.study, entry.id))
        self._show_residuals(entry.id, fit.basis.used > _MANY_POINTS)

    def _show_residuals(self, curve_id: str, many: bool) -> None:
        """The runs test and the histogram; of many points they are worked out in the background."""
        study, key = self.session.study, self._key

        def done(found: tuple[ResidualCheck, tuple[Floats, Floats, Floats]]) -> None:
            test, counted = found
            if key == self._key:
                self.runs.setText(test.sentence)
                self.histogram.show_counts(*counted)

        if not many:
            done(residuals_of(study, curve_id))
            return
        self.runs.setText("…")
        self.session.jobs.start(
            "Looking at the residuals",
            "residuals",
            lambda ticket: residuals_of(study, curve_id),
            done,
            lambda _: None,
        )

    def _show_prompt(self) -> None:
        _, prompt = QUESTIONS[self.question.currentData()]
        self.given.setPlaceholderText(prompt)
        self.given.setVisible(bool(prompt))
        forgets = self.question.currentData() == "formula"
        self.given.setToolTip("name = formula keeps it in the ledger; name = alone forgets it" if forgets else "")

    # -- questions ----------------------------------------------------------------------------------

    def ask(self) -> None:
        """Answers the question in hand; what cannot be answered is told."""
        entry = self.session.entry
        if entry is None:
            return
        slug, given = self.question.currentData(), self.given.text()
        try:
            lines, derived = answer(self.session.study, entry.id, slug, given)
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        before = self._said.pop(self._key, [])
        if derived is not None:
            self.session.modelling.set_derived(derived)
            self.refresh()
        self._say(self._key, [*before, *lines])

    def keep(self) -> None:
        """Makes the question in hand a reading of the curve."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return
        try:
            found = kept(study, entry.id, self.question.currentData(), self.given.text())
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        self.session.readings.keep(found)

    def _say(self, key: str, lines: list[Said]) -> None:
        """Files answers with the fit that they are about, and shows them when it is the one in hand."""
        self._said.setdefault(key, []).extend(lines)
        while len(self._said) > _MOST_FITS:
            self._said.pop(next(iter(self._said)))
        if key == self._key:
            self._show_answers()

    def _show_answers(self) -> None:
        self.answers.clear()
        self.answers.addItems([said.text for said in self._said.get(self._key, [])])
        self.answers.scrollToBottom()

    def _measure(self, way: str) -> None:
        """Profile intervals or a bootstrap, in the background."""
        entry, study, key = self.session.entry, self.session.study, self._key
        if entry is None:
            return

        def work(ticket: Ticket) -> list[Said]:
            return interval_lines(study, entry.id, way, ticket.report)

        def refused(sentence: str) -> None:
            self.session.noticed.emit(f"{entry.label}: {sentence}", "problem")

        self.session.jobs.start(
            f"Measuring intervals of {entry.label}", "intervals", work, lambda lines: self._say(key, lines), refused,
            stoppable=True,
        )  # fmt: skip

    # -- copies -------------------------------------------------------------------------------------

    def _open_copies(self) -> None:
        menu = QMenu(self)
        for way, text in COPIES.items():
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda _=False, way=way: self.copy(way))
        answers = menu.addAction("The answers, with all digits")
        assert answers is not None
        answers.setEnabled(bool(self._said.get(self._key)))
        answers.triggered.connect(self.copy_answers)
        menu.popup(self.copies.mapToGlobal(self.copies.rect().bottomLeft()))

    def copy_answers(self) -> None:
        """Puts the chosen answers on the clipboard, or all of them where none is chosen."""
        said, clipboard = self._said.get(self._key, []), QGuiApplication.clipboard()
        rows = sorted(index.row() for index in self.answers.selectedIndexes()) or range(len(said))
        if not said or clipboard is None:
            return
        clipboard.setText("\n".join(said[row].whole for row in rows) + "\n")
        self.session.noticed.emit(f"Copied {counted(len(rows), 'answer')} with all digits.", "word")

    def copy(self, way: str) -> None:
        """Puts the results on the clipboard."""
        entry, clipboard = self.session.entry, QGuiApplication.clipboard()
        if entry is None or self.session.fit is None or clipboard is None:
            return
        try:
            clipboard.setText(copied(self.session.study, entry.id, way))
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        self.session.noticed.emit(f"Copied the results of {entry.label} {COPIES[way].lower()}.", "word")
