"""The parts of a law of scattering, a row each: how its size spreads, what is between its particles; and one more."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QGridLayout, QWidget

from curvesieve.app.session.modelling import Modelling
from curvesieve.app.widgets.basics import Elided, button
from curvesieve.app.widgets.choice import Choice
from curvesieve.core.models import PlacedTerm
from curvesieve.core.models.integrals import DISTRIBUTIONS
from curvesieve.core.models.library.forms import FORMS
from curvesieve.core.models.library.scattering import BETWEEN, MOST_PARTS, Part, parts_of, seen_through, slug_of


def _narrow() -> Choice:
    """A choice that is no wider than its column."""
    made = Choice()
    made.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    made.setMinimumContentsLength(8)
    return made


class ScatteringRows(QWidget):
    """Renders the parts of the law in hand; a choice is another law, in which what stays has its values."""

    def __init__(self, modelling: Modelling) -> None:
        super().__init__()
        self.modelling = modelling
        self._shown: tuple[Part, ...] = ()
        self.sizes: list[Choice] = []
        self.between: list[Choice] = []
        self.gone: list[QWidget] = []
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 2, 0, 0)
        self.grid.setVerticalSpacing(3)
        for column in (0, 1):
            self.grid.setColumnStretch(column, 1)
        self.more = _narrow()
        self.more.setAccessibleName("another part of the law")
        self.more.setToolTip("Adds another form to the sum, such as larger particles or a slope at small q")
        self.more.activated.connect(self._add)
        self.seen = _narrow()
        for text, kind in (("seen sharp", ""), ("through a pinhole", "pinhole"), ("through a slit", "slit")):
            self.seen.addItem(text, kind)
        self.seen.setAccessibleName("what the instrument does to the intensity")
        self.seen.setToolTip("The q of each point spreads: of the file's own dq where it has one, else as you say")
        self.seen.activated.connect(lambda _: self._put(self._shown, self.seen.currentData()))
        self.hide()

    def show_law(self, placed: PlacedTerm | None) -> None:
        """The parts of a law; nothing for one that is no scattering."""
        parts = (parts_of(placed.slug) if placed is not None and placed.own is None else None) or ()
        self.setVisible(bool(parts))
        seen = seen_through(placed.slug) if placed is not None and parts else ""
        self.seen.setCurrentIndex(self.seen.findData(seen))
        if parts == self._shown:
            return
        self._shown = parts
        while self.grid.count():
            item = self.grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None and widget not in (self.more, self.seen):
                widget.hide()
                widget.deleteLater()
        self.sizes, self.between, self.gone = [], [], []
        for number, part in enumerate(parts):
            self._row(number, part, len(parts) > 1)
        self.more.clear()
        self.more.addItem("+ another part…", "")
        for form in FORMS.values():
            self.more.addItem(form.label, form.slug)
        self.more.setVisible(len(parts) < MOST_PARTS)
        self.grid.addWidget(self.more, 2 * len(parts), 0)
        self.grid.addWidget(self.seen, 2 * len(parts), 1, 1, 2)

    def _row(self, number: int, part: Part, several: bool) -> None:
        form = FORMS[part.form]
        if several:
            said = Elided(role="muted")
            said.set(f"{number + 1} · {form.label}")
            self.grid.addWidget(said, 2 * number, 0, 1, 2)
            gone = button("✕", "bare", f"Takes the {form.label.lower()} out of the sum")
            gone.setAccessibleName(f"remove part {number + 1}")
            gone.clicked.connect(lambda _, at=number: self._take(self._shown[:at] + self._shown[at + 1 :]))
            self.grid.addWidget(gone, 2 * number, 2)
            self.gone.append(gone)
        sizes, between = _narrow(), _narrow()
        sizes.addItem("one size", "")
        for one in DISTRIBUTIONS.values():
            sizes.addItem(f"{one.label} sizes", one.slug)
        between.addItem("apart", "")
        for law in BETWEEN.values():
            between.addItem(law.label, law.slug)
        sizes.setCurrentIndex(sizes.findData(part.distribution))
        between.setCurrentIndex(between.findData(part.between))
        sizes.setToolTip(f"How the {form.size or 'size'} of the particles spreads, by their number")
        between.setToolTip("What is between the particles: apart, they do not feel each other")
        sizes.setAccessibleName(f"sizes of part {number + 1}")
        between.setAccessibleName(f"between particles of part {number + 1}")
        sizes.setVisible(bool(form.size))
        between.setVisible(form.average is not None)
        sizes.activated.connect(lambda _: self._change(number, distribution=sizes.currentData()))
        between.activated.connect(lambda _: self._change(number, between=between.currentData()))
        self.grid.addWidget(sizes, 2 * number + 1, 0)
        self.grid.addWidget(between, 2 * number + 1, 1, 1, 2)
        self.sizes.append(sizes)
        self.between.append(between)

    def _change(self, number: int, **changes: str) -> None:
        parts = list(self._shown)
        parts[number] = replace(parts[number], **changes)
        self._take(tuple(parts))

    def _add(self, _: int) -> None:
        form = self.more.currentData()
        self.more.setCurrentIndex(0)
        if form:
            self._take((*self._shown, Part(form)))

    def _take(self, parts: tuple[Part, ...]) -> None:
        if parts and parts != self._shown:
            self._put(parts, self.seen.currentData())

    def _put(self, parts: tuple[Part, ...], seen: str) -> None:
        self.modelling.set_background(slug_of(parts, seen))
