"""The header: whose study this is and whether it is saved, the benches, and the way to any action."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QWidget

from curvesieve.app.session import Session
from curvesieve.app.widgets.basics import Elided


class Header(QWidget):
    """Renders the study's name; reports which bench is asked for."""

    bench_asked = pyqtSignal(str)
    finder_asked = pyqtSignal()

    def __init__(self, session: Session, benches: tuple[str, ...]) -> None:
        super().__init__()
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.session = session
        self.setFixedHeight(44)
        brand = QLabel("Curve Sieve")
        brand.setObjectName("brand")
        self.study = Elided()
        self.group = QButtonGroup(self)
        self.buttons: dict[str, QPushButton] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 8, 0)
        row.setSpacing(10)
        left = QWidget()
        names = QHBoxLayout(left)
        names.setContentsMargins(0, 0, 0, 0)
        names.setSpacing(10)
        names.addWidget(brand)
        names.addWidget(self.study, 1)
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

    def refresh(self) -> None:
        name = self.session.path.name if self.session.path else self.session.study.document.title
        new = "saved" if self.session.path else "new"
        state = new if self.session.is_saved else "not saved"
        self.study.set(f"{name} · {state}")

    def show_bench(self, name: str) -> None:
        self.buttons[name].setChecked(True)
