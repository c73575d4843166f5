"""The line over sieve, model and readings: whose recipe it is, and what can be done with it as a whole."""

from __future__ import annotations

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from curvesieve.app.benches.curve.sharing import Kept, sharing_rows
from curvesieve.app.session import recipes
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.menu import menu_of
from curvesieve.core.recipe import PARTS, RECIPE_FILES, Recipe


class RecipeLine(QWidget):
    """Says what the curve in hand shares with its family, and offers the recipe as a whole."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.kept = Kept(self, session, RECIPE_FILES, lambda: recipes.recipe_in_hand(session), self._apply)
        self.state = Elided(role="muted")
        self.more = button("…", "bare", "Share, keep or apply the recipe: sieve, model and readings together")
        self.more.setAccessibleName("the recipe as a whole")
        self.more.clicked.connect(self._open_menu)
        self.read = button("+ Reading", "bare", "Read something off the curve or its fit (Ctrl+Shift+R)")
        self.read.setAccessibleName("take a reading")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("RECIPE", "section"))
        row.addWidget(self.state, 1)
        row.addWidget(self.read)
        row.addWidget(self.more)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())

    def refresh(self) -> None:
        self.setEnabled(self.session.entry is not None)
        self.state.set(self._said())

    def _said(self) -> str:
        study, entry = self.session.study, self.session.entry
        family = study.family_of(entry.id) if entry is not None else None
        if entry is None or family is None:
            return "of this curve"
        shared = [part for part in PARTS if study.shares(entry.id, part)]
        count = sum(study.shares(id_, shared[0]) for id_ in family.curves) if shared else 0
        if not shared:
            return "of this curve"
        words = {"sieve": "sieve", "model": "model", "measures": "readings"}
        what = "" if len(shared) == len(PARTS) else f"{' and '.join(words[part] for part in shared)} "
        return f"{what}shared by {count} curves"

    # -- actions ------------------------------------------------------------------------------------

    def action_rows(self) -> list[ActionRow]:
        """The same for the finder."""

        def has_curve() -> bool:
            return self.session.entry is not None

        words = "sieve model readings measures together family template"
        return [
            ActionRow("Share the recipe with the family", "", self._share, has_curve, words, "Curve"),
            ActionRow("Save the recipe by name…", "", self.kept.ask_save, has_curve, words, "Curve"),
            ActionRow("Open a recipe file…", "", self.kept.ask_open, has_curve, words, "Curve"),
            ActionRow("Copy what is done as a script", "", self.copy_script, has_curve, "python code export", "Curve"),
        ]

    def _open_menu(self) -> None:
        rows = [
            *sharing_rows(self.session, PARTS, "recipe"), ("", None), *self.kept.rows(), ("", None),
            ("Copy what is done as a script", self.copy_script),
        ]  # fmt: skip
        menu_of(self, rows).popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def _share(self) -> None:
        recipes.share_parts(self.session)

    def _apply(self, recipe: Recipe, name: str) -> None:
        if self.session.entry is not None:
            recipes.apply_recipe(self.session, [self.session.entry.id], recipe, name)

    def copy_script(self) -> None:
        """Puts a script of the curve in hand on the clipboard."""
        if self.session.entry is not None:
            recipes.copy_as_script(self.session, [self.session.entry.id])
