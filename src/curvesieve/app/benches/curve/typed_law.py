"""A formula that is being typed: drawn and typeset as it stands, with starts that are looked for meanwhile."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from curvesieve.app.benches.curve.formula_editor import FormulaEditor
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.typeset import Typeset
from curvesieve.core.errors import InputError
from curvesieve.core.formula import Formula
from curvesieve.core.formula.printing import latex
from curvesieve.core.models import Model
from curvesieve.core.models.own import own_formula

_TYPESET_MS, _GUESS_MS = 60, 300


class TypedLaw(QObject):
    """The editor with what follows from every key. `taken` tells that the formula became the model's law."""

    taken = pyqtSignal()

    def __init__(self, session: Session, typeset: Typeset, previewed: Callable[[Model | None], None]) -> None:
        super().__init__(session)
        self.session, self.modelling = session, session.modelling
        self.typeset, self._previewed = typeset, previewed
        self.editor = FormulaEditor()
        self.editor.changed.connect(self._preview)
        self.editor.taken.connect(self._take)
        self._typed: Formula | None = None
        self._later = self._timer(_TYPESET_MS, self._set_typed)
        self._guessing = self._timer(_GUESS_MS, self._guess)

    def _timer(self, after_ms: int, run: Callable[[], None]) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.setInterval(after_ms)
        timer.timeout.connect(run)
        return timer

    def _preview(self, formula: Formula) -> None:
        """Draws a formula that is being typed, with the values that its names already have, or 1."""
        passed = self.session.sieved()
        if passed is None:
            return
        self._typed = formula
        self._later.start()
        known = self.modelling.model_in_sight().start
        own = own_formula(formula.text, self.editor.variable)
        try:
            made = Model().with_background("own", passed.curve, own)
        except InputError:
            return
        self._previewed(made.starting_at({name: known[name] for name in made.names if name in known}))
        if set(made.names) - set(known):
            self._guessing.start()

    def _guess(self) -> None:
        """After a pause: starts for a typed formula are looked for, and drawn, while it is still being typed."""
        formula, still = self._typed, self.session.asking()
        if formula is None:
            return

        def found(model: Model) -> None:
            if still() and self.editor.read() is formula and formula is self._typed:
                self._previewed(model)

        self.modelling.guess(own_formula(formula.text, self.editor.variable), found)

    def _set_typed(self) -> None:
        if self._typed is not None and self.editor.read() is self._typed:
            self.typeset.set(latex(self._typed, "y"))

    def _take(self, text: str) -> None:
        self._guessing.stop()
        ground = self.modelling.model_in_sight().background
        old = ground.own if ground is not None else None
        self.taken.emit()
        self._previewed(None)
        self.modelling.set_background("own", own_formula(text, self.editor.variable, old))

    def leave(self) -> None:
        """Gives back what stood in the editor before."""
        self._guessing.stop()
        self._later.stop()
        self.editor.give_back()
        self._previewed(None)
