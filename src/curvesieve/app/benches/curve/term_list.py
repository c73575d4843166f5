"""The list of backgrounds and laws that a model can have, with the user's own formulas among them."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PyQt6.QtWidgets import QWidget

from curvesieve.app.widgets.grouped_list import Choosable, GroupedList
from curvesieve.core.models import BACKGROUNDS, LAWS, TERMS, OwnTerm
from curvesieve.core.models.library import is_spanned

TYPE = "type a formula"


class TermList(GroupedList):
    """`chosen` reports a library term's slug, an `OwnTerm`, `TYPE`, or None for nothing."""

    nothing = "No term has these words"

    def __init__(self, window: QWidget, own_terms: Callable[[], dict[str, OwnTerm]], may_type: bool = True) -> None:
        super().__init__(window, "Which law or background?", 210)
        self.own_terms, self.may_type = own_terms, may_type
        self._own: dict[str, OwnTerm] = {}

    def present(self) -> None:
        self._own = self.own_terms()  # read once for each opening: the files may have changed
        super().present()

    def rows_now(self) -> Iterable[Choosable]:
        if self.may_type:
            yield Choosable("Your own", "Type a formula…", "Any law, in ordinary mathematics", TYPE, "own new equation")
        for name, own in self._own.items():
            if own.kind != "peak":
                yield Choosable("Your own", name, own.description or own.formula.splitlines()[-1], own)
        if self.may_type:
            yield Choosable("Backgrounds", "None", "Nothing under the peaks", None)
        spanned = [slug for slug in BACKGROUNDS if is_spanned(slug)]
        for slug in (*(s for s in BACKGROUNDS if s not in spanned), *LAWS, *spanned):
            term = TERMS[slug]
            group = term.group or "Backgrounds"
            about = term.description or term.formula.splitlines()[-1]
            if group == "Polynomials":
                about = f"of degree {slug.rpartition('-')[2]}, in an orthogonal basis"
            elif group == "Splines":
                about = "cubic, on even knots: bends where it must"
            yield Choosable(group, term.label, about, slug, f"{slug} {term.reference} {term.formula}")
