"""The header: whose study this is and whether it is saved, the benches, and the way to any action."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QMenu, QPushButton, QSizePolicy, QWidget

from curvesieve.app.session.session import Session
from curvesieve.app.shell.frame import HEADER_PX
from curvesieve.app.widgets.basics import plain_tip
from curvesieve.app.widgets.menu import MenuRow, menu_of

_NARROW_PX = 1180
"""Below this the buttons of the header stand closer."""
_STUDY_PX = 218
"""Always as wide, so that nothing beside it moves when the study's state changes."""


class Header(QWidget):
    """Renders the study's name; reports which bench is asked for. `rows` gives the study's menu when it opens."""

    bench_asked = pyqtSignal(str)
    finder_asked = pyqtSignal()

    def __init__(self, session: Session, benches: tuple[str, ...], rows: Callable[[], list[MenuRow]]) -> None:
        super().__init__()
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session, self._rows = session, rows
        self.setFixedHeight(HEADER_PX)
        brand = QLabel("Curve Sieve")
        brand.setObjectName("brand")
        self._make_study()
        self.group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 8, 0)
        row.setSpacing(10)
        left = QWidget()
        names = QHBoxLayout(left)
        names.setContentsMargins(0, 0, 0, 0)
        names.setSpacing(4)
        names.addWidget(brand)
        names.addWidget(self.study)
        names.addWidget(self.undo)
        names.addWidget(self.redo)
        names.addStretch(1)
        row.addWidget(left, 1)
        for name in benches:
            chosen = QPushButton(name)
            chosen.setCheckable(True)
            chosen.setProperty("bench", "true")
            chosen.clicked.connect(lambda _=False, name=name: self.bench_asked.emit(name))
            self.group.addButton(chosen)
            self.buttons[name] = chosen
            row.addWidget(chosen)
        self.finder = QPushButton("Find an action   Ctrl K")
        self.finder.setObjectName("finder")
        self.finder.clicked.connect(self.finder_asked)
        right = QWidget()
        find = QHBoxLayout(right)
        find.setContentsMargins(0, 0, 0, 0)
        find.addStretch(1)
        find.addWidget(self.finder)
        row.addWidget(right, 1)
        session.changed.connect(lambda old, new: self.refresh())
        session.file_changed.connect(self.refresh)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        narrow = "true" if self.width() < _NARROW_PX else "false"
        self.finder.setText("Find   Ctrl K" if self.width() < _NARROW_PX else "Find an action   Ctrl K")
        for one in (*self.buttons.values(), self.finder):
            if one.property("narrow") != narrow:
                one.setProperty("narrow", narrow)
                style = one.style()
                assert style is not None
                style.polish(one)

    def _make_study(self) -> None:
        self.study = QPushButton()
        self.study.setProperty("small", "true")
        self.study.setAccessibleName("the study")
        self.study.setFixedWidth(_STUDY_PX)
        self.study.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.study.clicked.connect(self.open_menu)
        self.undo, self.redo = QPushButton("Undo"), QPushButton("Redo")
        for made, run in ((self.undo, self.session.undo), (self.redo, self.session.redo)):
            made.setProperty("small", "true")
            made.clicked.connect(run)

    def refresh(self) -> None:
        session = self.session
        name = session.path.name if session.path else session.study.document.title
        state = (
            "saving" if session.is_saving else ("saved" if session.path else "new") if session.is_saved else "not saved"
        )
        ending = f" · {state}  ▾"
        metrics = QFontMetrics(self.study.font())
        room = _STUDY_PX - 28 - metrics.horizontalAdvance(ending)
        shown = metrics.elidedText(name, Qt.TextElideMode.ElideMiddle, room)
        self.study.setText((shown + ending).replace("&", "&&"))
        place = f"{session.path}\n" if session.path else ""
        self.study.setToolTip(plain_tip(f"{name} · {state}\n{place}New, open, save, recover"))
        for made, verb, keys, what in (
            (self.undo, "Undo", "Ctrl+Z", session.undo_label), (self.redo, "Redo", "Ctrl+Shift+Z", session.redo_label),
        ):  # fmt: skip
            made.setEnabled(bool(what))
            made.setToolTip(plain_tip(f"{verb}: {what} ({keys})" if what else f"Nothing to {verb.lower()}"))

    def menu(self) -> QMenu:
        """What can be done with the study as a whole."""
        return menu_of(self, self._rows())

    def open_menu(self) -> None:
        self.menu().popup(self.study.mapToGlobal(QPoint(0, self.study.height() + 4)))

    def show_bench(self, name: str) -> None:
        self.buttons[name].setChecked(True)
