"""The line over sieve and model: whose recipe it is, and what can be done with it as a whole."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QInputDialog, QWidget

from curvesieve.app.session import recipes
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.basics import Elided, button, label
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.recipe import PARTS, RECIPE_FILES

_FILES = f"Recipes (*{RECIPE_FILES.suffix} *.json)"


class RecipeLine(QWidget):
    """Says what the curve in hand shares with its family, and offers the recipe as a whole."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.state = Elided(role="muted")
        self.more = button("…", "bare", "Share, keep or apply the recipe: sieve and model together")
        self.more.setAccessibleName("the recipe as a whole")
        self.more.clicked.connect(self._open_menu)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(label("RECIPE", "section"))
        row.addWidget(self.state, 1)
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
        return f"{'' if len(shared) == len(PARTS) else shared[0] + ' '}shared by {count} curves"

    # -- actions ------------------------------------------------------------------------------------

    def action_rows(self) -> list[ActionRow]:
        """The same for the finder."""

        def has_curve() -> bool:
            return self.session.entry is not None

        words = "sieve model together family template"
        return [
            ActionRow("Share the recipe with the family", "", self._share, has_curve, words, "Curve"),
            ActionRow("Save the recipe by name…", "", self._ask_save, has_curve, words, "Curve"),
            ActionRow("Open a recipe file…", "", self._ask_open, has_curve, words, "Curve"),
            ActionRow("Copy what is done as a script", "", self.copy_script, has_curve, "python code export", "Curve"),
        ]

    def _open_menu(self) -> None:
        session, entry = self.session, self.session.entry
        if entry is None:
            return
        study = session.study
        family = study.family_of(entry.id)
        shared = [part for part in PARTS if study.shares(entry.id, part)]
        count = len(family.curves) if family is not None else 0
        is_there = family is not None and bool(family.recipe.sieve or family.recipe.model.terms)
        can_share = count > 1 and len(shared) < len(PARTS)
        rows: list[MenuRow] = [
            (f"Share sieve and model with the {count} curves of the family" if count > 1 else
             "Share with the family: it has one curve", self._share if can_share else None),
            ("Give this curve a recipe of its own", (lambda: recipes.step_out(session)) if shared else None),
            ("Use the recipe that the family shares", self._step_in if is_there and can_share else None),
            ("", None),
        ]  # fmt: skip
        rows += [(f"Apply {name}", lambda path=path: self._apply(path)) for name, path in self._saved().items()]  # type: ignore[misc]
        rows += [
            ("Open a recipe file…", self._ask_open),
            ("Save this recipe by name…", self._ask_save),
            ("Write this recipe to a file…", self._ask_write),
            ("", None),
            ("Copy what is done as a script", self.copy_script),
        ]
        menu_of(self, rows).popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    @staticmethod
    def _saved() -> dict[str, Path]:
        return RECIPE_FILES.paths(recipes.recipes_folder())

    def _share(self) -> None:
        recipes.share_parts(self.session)

    def _step_in(self) -> None:
        recipes.step_in(self.session)

    def _apply(self, path: Path) -> None:
        if self.session.entry is not None:
            recipes.apply_file(self.session, [self.session.entry.id], path)

    def _ask_open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a recipe", "", _FILES)
        if name:
            self._apply(Path(name))

    def _ask_save(self) -> None:
        name, ok = QInputDialog.getText(self, "Save this recipe", "Name")
        if ok:
            recipes.save_recipe(self.session, name)

    def _ask_write(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write this recipe", f"recipe{RECIPE_FILES.suffix}", _FILES)
        if name:
            recipes.save_recipe(self.session, "", Path(name))

    def copy_script(self) -> None:
        """Puts a script of the curve in hand on the clipboard."""
        entry, clipboard = self.session.entry, QGuiApplication.clipboard()
        if entry is not None and clipboard is not None and (made := recipes.copied_as_script(self.session, [entry.id])):
            clipboard.setText(made)
