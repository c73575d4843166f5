"""The parameters of the shared model across the family: each its own, one for all, or on a law in the condition."""

from __future__ import annotations

from functools import partial

from PyQt6.QtGui import QStandardItemModel
from PyQt6.QtWidgets import QGridLayout, QWidget

from curvesieve.app.session.family_work import FamilyWork
from curvesieve.app.widgets.basics import Elided, empty
from curvesieve.app.widgets.choice import Choice
from curvesieve.app.widgets.line import Line
from curvesieve.core import units
from curvesieve.core.errors import InputError
from curvesieve.core.family.laws import LAWS, law_text
from curvesieve.core.models import Model
from curvesieve.core.study.family_parts import LINE, Shared
from curvesieve.core.study.passing import passed_units
from curvesieve.core.study.trends import law_units

OWN, ONE, TYPED = "each its own", "one for all", "a formula in c"
_OFFERED = (OWN, ONE, *LAWS, TYPED)


class SharingTable(QWidget):
    """A row a parameter: its name and what it is across the family; under a law its formula, with the units of its
    parameters."""

    def __init__(self, work: FamilyWork) -> None:
        super().__init__()
        self.work = work
        self.choices: dict[str, Choice] = {}
        self.formulas: dict[str, Line] = {}
        self.said: dict[str, Elided] = {}
        self._typing: set[str] = set()
        """Parameters for which a formula is to be typed, and none is taken yet."""
        self._shown: tuple[str, ...] = ()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 2, 0, 0)
        self.grid.setHorizontalSpacing(6)
        self.grid.setVerticalSpacing(3)
        self.grid.setColumnStretch(0, 1)

    def refresh(self) -> None:
        """Renders how the family's parameters are shared; rows are made anew only for another model."""
        family = self.work.family
        model = family.recipe.model if family is not None else Model()
        names = tuple(name for name in model.names if name not in model.inner)
        if names != self._shown:
            self._rebuild(names)
        if family is None:
            return
        sharing = {one.name: one for one in family.sharing}
        fixed = {*model.held, *model.ties}
        for name in names:
            self._render(name, sharing.get(name), name in fixed)

    def _rebuild(self, names: tuple[str, ...]) -> None:
        self._shown, self._typing = names, set()
        empty(self.grid)
        self.choices, self.formulas, self.said = {}, {}, {}
        for row, name in enumerate(names):
            choice = Choice()
            choice.setProperty("small", "true")
            choice.setAccessibleName(f"{name} across the family")
            choice.addItems(_OFFERED)
            choice.activated.connect(partial(self._chosen, name))
            line = Line()
            line.setProperty("formula", "true")
            line.setAccessibleName(f"law of {name}")
            line.setToolTip("A formula in c, the condition; other names are its parameters, and are fitted")
            line.editingFinished.connect(partial(self._typed, name))
            words = Elided(role="muted")
            self.grid.addWidget(Elided(name), 3 * row, 0)
            self.grid.addWidget(choice, 3 * row, 1)
            self.grid.addWidget(line, 3 * row + 1, 0, 1, 2)
            self.grid.addWidget(words, 3 * row + 2, 0, 1, 2)
            self.choices[name], self.formulas[name], self.said[name] = choice, line, words

    def _render(self, name: str, shared: Shared | None, fixed: bool) -> None:
        choice, line, words = self.choices[name], self.formulas[name], self.said[name]
        kind = OWN if shared is None else ONE if not shared.law else self._named(shared.law)
        if name in self._typing:
            kind = TYPED
        choice.setCurrentIndex(_OFFERED.index(kind))
        choice.setEnabled(not fixed)
        choice.setToolTip("held or tied: it is not fitted" if fixed else "")
        for place, one in enumerate(_OFFERED):
            why = self._why_not(one) if one in LAWS else ""
            item = model.item(place) if isinstance(model := choice.model(), QStandardItemModel) else None
            if item is not None:  # what cannot be chosen is passed over by the arrow keys, and says why
                item.setEnabled(not why)
                item.setToolTip(why)
        law = shared.law if shared is not None else ""
        shown = kind not in (OWN, ONE)
        line.setVisible(shown)
        words.setVisible(shown)
        if not line.hasFocus() or not line.isModified():
            line.setText(law)
        words.set(self._units_said(name, law) if law else "such as a + b*c^2; c is the condition")

    def _why_not(self, name: str) -> str:
        """Why a law cannot be had for these conditions; empty: it can."""
        try:
            law_text(name, self._condition_unit, self._conditions())
        except InputError as error:
            return str(error)
        return "" if self._conditions() else "A law needs conditions; type them on the page Curves."

    def _named(self, law: str) -> str:
        """Which of the offered laws it is."""
        for name in LAWS:
            try:
                if law == law_text(name, self._condition_unit, self._conditions()):
                    return name
            except InputError:
                continue
        return TYPED

    @property
    def _condition_unit(self) -> str:
        family = self.work.family
        return family.unit if family is not None else ""

    def _conditions(self) -> list[float]:
        family, study = self.work.family, self.work.session.study
        found = [study.entry(id_).condition for id_ in (family.curves if family is not None else ())]
        return [one for one in found if one is not None]

    def _units_said(self, name: str, law: str) -> str:
        family, study = self.work.family, self.work.session.study
        if family is None:
            return ""
        axes = next((found for id_ in family.curves if (found := passed_units(study, id_)) is not None), ("", ""))
        unit = family.recipe.model.unit_texts(*axes).get(name, "")
        try:
            of, problem = law_units(law, family.unit, unit)
        except InputError as error:
            return str(error)
        said = ", ".join(f"{one} in {units.shown(its) or '1'}" for one, its in of.items())
        return f"The units do not fit: {problem}" if problem else said

    # -- edits --------------------------------------------------------------------------------------

    def _chosen(self, name: str, place: int) -> None:
        kind = _OFFERED[place]
        self._typing.discard(name)
        if kind == TYPED:
            self._typing.add(name)
            if not self._law_of(name):
                self.work.share(name, None)
            self.refresh()
            line = self.formulas[name]
            line.setText(self._law_of(name) or LINE)
            line.setModified(True)
            line.setFocus()
            line.selectAll()
            return
        law: str | None = None if kind == OWN else ""
        if kind in LAWS:
            try:
                law = law_text(kind, self._condition_unit, self._conditions())
            except InputError as error:
                self.work.session.noticed.emit(str(error), "problem")
                self.refresh()
                return
        self.work.share(name, law)
        self.refresh()

    def _law_of(self, name: str) -> str:
        family = self.work.family
        return next((one.law for one in (family.sharing if family is not None else ()) if one.name == name), "")

    def _typed(self, name: str) -> None:
        line = self.formulas[name]
        text = line.text().strip()
        if not line.isModified() or not line.isVisible():
            return
        line.setModified(False)
        if text and text != self._law_of(name) and self.work.share(name, text):
            self._typing.discard(name)
        line.took()
        self.refresh()
