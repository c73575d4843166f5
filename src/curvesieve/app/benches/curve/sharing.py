"""Rows of menus for a part of the recipe: whose it is, and how it is kept and given to others."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Generic, TypeVar

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from curvesieve.app.session import recipes
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.menu import MenuRow
from curvesieve.core.errors import InputError
from curvesieve.core.named_files import NamedFiles
from curvesieve.core.recipe import Part, Recipe

T = TypeVar("T")


def sharing_rows(session: Session, parts: Sequence[Part], word: str) -> list[MenuRow]:
    """Shares parts of the recipe in hand with the family, gives the curve its own, or those that the family shares."""
    study, entry = session.study, session.entry
    family = study.family_of(entry.id) if entry is not None else None
    if entry is None or family is None or len(family.curves) < 2:
        return [(f"A {word} is shared within a family of two or more", None)]
    shared = [part for part in parts if study.shares(entry.id, part)]
    has_some = _does_something(study.recipe(entry.id), parts)
    family_has = _does_something(family.recipe, parts)
    may_share, may_step_in = len(shared) < len(parts) and has_some, len(shared) < len(parts) and family_has
    with_whom = f"the {len(family.curves)} curves of the family"
    return [
        (f"Share this {word} with {with_whom}", partial(recipes.share_parts, session, parts) if may_share else None),
        (f"Give this curve a {word} of its own", partial(recipes.step_out, session, parts) if shared else None),
        (f"Use the {word} that the family shares", partial(recipes.step_in, session, parts) if may_step_in else None),
    ]


def _does_something(recipe: Recipe, parts: Sequence[Part]) -> bool:
    does = {"sieve": bool(recipe.sieve), "model": bool(recipe.model.terms), "measures": bool(recipe.measures)}
    return any(does[part] for part in parts)


class Kept(Generic[T]):
    """What can be done with named files of one kind: `value` is what is in hand, `apply` puts another in its place."""

    def __init__(
        self,
        parent: QWidget,
        session: Session,
        files: NamedFiles[T],
        value: Callable[[], T | None],
        apply: Callable[[T, str], object],
    ) -> None:
        self.parent, self.session, self.files = parent, session, files
        self.value, self.apply = value, apply
        self._kinds = f"{files.word.capitalize()}s (*{files.suffix} *.json)"

    def rows(self) -> list[MenuRow]:
        """Saves what is in hand and puts what was saved in its place."""
        word, is_there = self.files.word, self.value() is not None
        saved = self.files.paths()
        return [
            (f"Save this {word} by name…", self.ask_save if is_there else None),
            (f"Write this {word} to a file…", self.ask_write if is_there else None),
            (f"Open a {word} file…", self.ask_open),
            *((("", None),) if saved else ()),
            *((f"Apply “{name}”", partial(self.apply_file, path)) for name, path in saved.items()),
        ]

    def ask_save(self) -> None:
        """Asks for a name and keeps what is in hand under it."""
        name, ok = QInputDialog.getText(self.parent, f"Save this {self.files.word}", "Name")
        if ok:
            self._save(lambda value: self.files.save(value, name))

    def ask_write(self) -> None:
        """Asks for a file and writes what is in hand to it."""
        word, offered = self.files.word, f"{self.files.word}{self.files.suffix}"
        name, _ = QFileDialog.getSaveFileName(self.parent, f"Write this {word}", offered, self._kinds)
        if name:
            self._save(lambda value: self.files.write(value, Path(name)))

    def _save(self, write: Callable[[T], object]) -> None:
        value = self.value()
        if value is None:
            return
        try:
            write(value)
        except InputError as error:
            self.session.noticed.emit(str(error), "problem")
            return
        words = f"Saved the {self.files.word}. It is an open JSON file that anybody can apply."
        self.session.noticed.emit(words, "word")

    def ask_open(self) -> None:
        """Asks for a file and puts what it holds in the place of what is in hand."""
        name, _ = QFileDialog.getOpenFileName(self.parent, f"Open a {self.files.word}", "", self._kinds)
        if name:
            self.apply_file(Path(name))

    def apply_file(self, path: Path) -> None:
        """Puts what a file holds in the place of what is in hand; what is wrong with it is told."""
        value = recipes.loaded(self.session, self.files, path)
        if value is not None:
            self.apply(value, path.name)
