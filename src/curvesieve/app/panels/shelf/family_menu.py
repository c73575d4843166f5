"""What can be done with a family from its heading on the shelf."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from curvesieve.app.session import recipes
from curvesieve.app.session.many_fits import fit_many
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core.recipe import RECIPE_FILES
from curvesieve.core.study import Family, edits


class FamilyMenu:
    """Rows of the heading's menu, and the questions that they have to ask over `parent`."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        self.session, self.parent = session, parent

    def _family(self, family_id: str) -> Family:
        return next(one for one in self.session.study.document.families if one.id == family_id)

    def rows(self, family_id: str) -> list[MenuRow]:
        """What can be done with the family now."""
        study, family = self.session.study, self._family(family_id)
        fitted = any(study.model(id_).terms for id_ in family.curves)
        script = partial(recipes.copy_as_script, self.session, family.curves)
        saved = RECIPE_FILES.paths()
        return [
            ("Rename the family…", partial(self.rename, family_id)),
            ("", None),
            ("Bring in files, done as its last ones were…", partial(self._ask_files, family_id)),
            ("Fit its curves", partial(fit_many, self.session, family.curves) if fitted else None),
            ("Copy what is done as a script", script if fitted else None),
            ("", None),
            ("Apply a recipe file to its curves…", partial(self._ask_recipe, family_id)),
            *((f"Apply “{name}” to its curves", partial(self._apply, family_id, path)) for name, path in saved.items()),
        ]

    def rename(self, family_id: str) -> None:
        """Asks for another name."""
        old = self._family(family_id).label
        text, ok = QInputDialog.getText(self.parent, "Rename the family", "Name", text=old)
        if ok and text != old:
            self.session.apply(lambda study: edits.rename_family(family_id, text)(study), f"rename {old}")

    def _ask_files(self, family_id: str) -> None:
        names, _ = QFileDialog.getOpenFileNames(self.parent, "Bring in files, done as the last ones were")
        if names:
            recipes.bring_into(self.session, family_id, [Path(name) for name in names])

    def _ask_recipe(self, family_id: str) -> None:
        kinds = f"Recipes (*{RECIPE_FILES.suffix} *.json)"
        name, _ = QFileDialog.getOpenFileName(self.parent, "Open a recipe", "", kinds)
        if name:
            self._apply(family_id, Path(name))

    def _apply(self, family_id: str, path: Path) -> None:
        recipe = recipes.loaded(self.session, RECIPE_FILES, path)
        if recipe is not None:
            recipes.apply_to_family(self.session, family_id, recipe, path.name)
