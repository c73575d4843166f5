"""The page of the figure in hand: its size, its panels, and the manner that all of it is drawn in."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from curvesieve.app.benches.figure.part_card import PartCard
from curvesieve.app.benches.figure.rows import MANNER, PAGE
from curvesieve.app.benches.figure.work import FigureWork
from curvesieve.app.widgets.basics import button, label
from curvesieve.app.widgets.choice import Choice
from curvesieve.core.changed import changed
from curvesieve.core.figures.manners import MANNER_FILES, manners
from curvesieve.core.study.figure_parts import PAGES, FigureSpec, Manner


class PageCard(QWidget):
    """Renders the page and the manner of a figure. `told` has sentences for the user."""

    told = pyqtSignal(str, str)

    def __init__(self, work: FigureWork, tools: dict[str, Any]) -> None:
        super().__init__()
        self.work = work
        self.page = PartCard(tools)
        self.manner = PartCard(tools)
        self.page.edited.connect(lambda values: work.change(lambda spec: changed(spec, **values), "change the page"))
        self.manner.edited.connect(self._manner_edited)
        for card in (self.page, self.manner):
            card.refused.connect(lambda sentence: self.told.emit(sentence, "problem"))
        self.sizes = QHBoxLayout()
        self.sizes.setSpacing(4)
        self.sizes.addWidget(label("for", "muted"))
        self.sizes.addStretch(1)
        self.presets = {}
        for name, size in PAGES.items():
            made = button(name, "tab", f"{size[0]:g} mm wide")
            made.setProperty("small", "true")
            made.clicked.connect(partial(self._preset, name, size))
            self.sizes.addWidget(made)
            self.presets[name] = made
        self.page.rows.addLayout(self.sizes)
        self.named = QHBoxLayout()
        self.choice = Choice()
        self.choice.setAccessibleName("manner")
        self.choice.activated.connect(self._chosen)
        self.keep = button("Keep as…", "bare", "Keeps this manner under a name, to be given to any figure")
        self.keep.clicked.connect(self.ask_name)
        self.named.addWidget(self.choice, 1)
        self.named.addWidget(self.keep)
        self.manner.rows.addLayout(self.named)
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(6)
        rows.addWidget(label("THE PAGE", "section"))
        rows.addWidget(self.page)
        self.known: dict[str, Manner] = {}
        self._load()

    def _load(self) -> None:
        self.known, problems = manners()
        for sentence in problems:
            self.told.emit(sentence, "problem")

    def refresh(self, spec: FigureSpec) -> None:
        """Shows the page and the manner of a figure."""
        self.page.show_part(spec, PAGE)
        self.manner.show_part(spec.manner, MANNER)
        known = self.known.get(spec.manner.name)
        names = list(self.known)
        shown = spec.manner.name if known == spec.manner else f"{spec.manner.name}, changed"
        if shown not in names:
            names.append(shown)
        if [self.choice.itemText(k) for k in range(self.choice.count())] != names:
            self.choice.clear()
            self.choice.addItems(names)
        self.choice.setCurrentText(shown)

    def _preset(self, name: str, size: tuple[float, float], *_: object) -> None:
        height = {"height": size[1]} if name == "slide" else {}
        self.work.change(lambda spec: changed(spec, width=size[0], **height), f"a page of {name}")

    def _manner_edited(self, values: dict[str, Any]) -> None:
        self.work.change(lambda spec: changed(spec, manner=changed(spec.manner, **values)), "change the manner")

    def _chosen(self, place: int) -> None:
        manner = self.known.get(self.choice.itemText(place))
        if manner is not None:
            self.work.change(lambda spec: changed(spec, manner=manner), f"draw {manner.name}")

    def ask_name(self) -> None:
        """Asks for the name that the manner is to be kept under."""
        name, ok = QInputDialog.getText(self, "Keep the manner", "Name")
        if ok and name.strip():
            self.keep_as(name.strip())

    def keep_as(self, name: str) -> None:
        """Keeps the manner in hand under a name, as a JSON file of the user's."""
        spec = self.work.spec
        if spec is None:
            return
        manner = changed(spec.manner, name=name)

        def act() -> None:
            path = MANNER_FILES.save(manner, name)
            self._load()
            self.work.change(lambda one: changed(one, manner=manner), f"keep the manner {name}")
            self.told.emit(f"Kept the manner {name} in {path}.", "word")

        self.work.said_if_refused(act)
