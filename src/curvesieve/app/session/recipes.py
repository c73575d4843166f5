"""Recipes of the curves in hand: shared, kept by name, put to others, and to files that join a family."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TypeVar

from PyQt6.QtGui import QGuiApplication

from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.many_fits import fit_many
from curvesieve.app.session.session import Session
from curvesieve.core.errors import InputError, counted
from curvesieve.core.named_files import NamedFiles
from curvesieve.core.recipe import PARTS, Part, Recipe
from curvesieve.core.study import Study, edits
from curvesieve.core.study.passing import recorded

_TOLD = 2
T = TypeVar("T")
_numbers = itertools.count(1)
"""Every bringing in is a job of its own: none takes the place of one that is under way."""


def recipe_in_hand(session: Session) -> Recipe | None:
    """What is done to the curve in hand, with the units that its numbers are in."""
    entry = session.entry
    return None if entry is None else session.study.recipe(entry.id).made_for(recorded(session.study, entry.id))


def share_parts(session: Session, parts: Sequence[Part] = PARTS) -> None:
    """Makes parts of the recipe in hand those of the whole family; with the model, curves without a fit are fitted."""
    entry = session.entry
    if entry is None:
        return
    before = session.study

    def edit(study: Study) -> Study:
        for part in parts:
            study = edits.share(entry.id, part)(study)
        return study

    what = "recipe" if len(parts) > 1 else parts[0]
    if session.apply(edit, f"share the {what}"):
        gone = _gave_way(before, session.study, parts)
        if gone:
            had = "1 other curve had of its own" if gone == 1 else f"{gone} other curves had of their own"
            session.noticed.emit(f"Shared the {what}. What {had} gave way to it; Ctrl+Z brings it back.", "word")
        family = session.study.family_of(entry.id)
        if "model" in parts and family is not None:
            fit_missing(session, family.curves)


def _gave_way(before: Study, now: Study, parts: Sequence[Part]) -> int:
    """How many curves had something of their own that another recipe took the place of."""

    def lost(curve_id: str, part: Part) -> bool:
        had = getattr(before.entry(curve_id).recipe, part)
        return had not in (getattr(Recipe(), part), getattr(now.recipe(curve_id), part))

    return sum(any(lost(curve.id, part) for part in parts) for curve in now.document.curves)


def step_out(session: Session, parts: Sequence[Part] = PARTS) -> None:
    """Gives the curve in hand parts of its own, which begin as the shared ones."""
    _change(session, edits.step_out, parts, "give the curve its own")


def step_in(session: Session, parts: Sequence[Part] = PARTS) -> None:
    """Puts the curve in hand under what its family shares."""
    _change(session, edits.step_in, parts, "use the shared")
    if "model" in parts and session.entry is not None:
        fit_missing(session, [session.entry.id])


def _change(session: Session, change: Callable[[str, Part], edits.Edit], parts: Sequence[Part], words: str) -> None:
    entry = session.entry
    if entry is None:
        return

    def edit(study: Study) -> Study:
        for part in parts:
            study = change(entry.id, part)(study)
        return study

    session.apply(edit, f"{words} {'recipe' if len(parts) > 1 else parts[0]}")


def fit_missing(session: Session, curve_ids: Sequence[str]) -> None:
    """Fits those of the curves that have a model and no fit of just that."""
    study = session.study
    missing = [id_ for id_ in curve_ids if study.model(id_).terms and not study.fit_is_current(id_)]
    if missing:
        fit_many(session, missing)


def apply_recipe(session: Session, curve_ids: Sequence[str], recipe: Recipe, name: str) -> None:
    """Gives curves a recipe and fits them; those in other units than it is for stay as they are, and are told."""
    from curvesieve.core.study.afresh import with_recipe

    problems: dict[str, str] = {}

    def edit(study: Study) -> Study:
        given = with_recipe(study, list(curve_ids), recipe)
        problems.update({study.entry(id_).label: said for id_, said in given.problems.items()})
        if len(problems) == len(curve_ids):
            raise InputError(next(iter(problems.values())))
        return given.study

    if not session.apply(edit, f"apply {name}"):
        return
    if problems:
        session.noticed.emit(_told([f"{label}: {said}" for label, said in problems.items()]), "problem")
    fit_missing(session, curve_ids)


def apply_to_family(session: Session, family_id: str, recipe: Recipe, name: str) -> None:
    """Makes a recipe that of a whole family, and fits its curves; those in other units keep what they have."""
    from curvesieve.core.study.afresh import with_shared_recipe

    problems: dict[str, str] = {}

    def edit(study: Study) -> Study:
        given = with_shared_recipe(study, family_id, recipe)
        problems.update({study.entry(id_).label: said for id_, said in given.problems.items()})
        return given.study

    if session.apply(edit, f"apply {name}"):
        family = next(one for one in session.study.document.families if one.id == family_id)
        fit_missing(session, family.curves)
    if problems:
        session.noticed.emit(_told([f"{label}: {said}" for label, said in problems.items()]), "problem")


def copy_as_script(session: Session, curve_ids: Sequence[str]) -> None:
    """Puts a script of curves on the clipboard; in the background, as it reads their files once more."""
    study, ids = session.study, tuple(curve_ids)
    what = study.entry(ids[0]).label if len(ids) == 1 else counted(len(ids), "curve")

    def work(ticket: Ticket) -> str:
        from curvesieve.core.study.script import as_script

        return as_script(study, ids)

    def done(made: str) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(made)
            session.noticed.emit(f"Copied a script that reads {what} and prints the readings.", "word")

    session.jobs.start(
        f"Writing a script of {what}", "script", work, done, lambda said: session.noticed.emit(said, "problem")
    )


def loaded(session: Session, files: NamedFiles[T], path: Path) -> T | None:
    """What a file holds; None where it is none of its kind, which is told."""
    try:
        return files.load(path)
    except InputError as error:
        session.noticed.emit(str(error), "problem")
        return None


def bring_into(session: Session, family_id: str, paths: Sequence[Path]) -> None:
    """Reads files in the background, takes them into a family as its last ones were done, and fits them."""
    study = session.study
    family = next(one for one in study.document.families if one.id == family_id)

    def work(ticket: Ticket) -> tuple[Study, tuple[str, ...], list[str]]:
        from curvesieve.core.formats import Table
        from curvesieve.core.formats.opening import load
        from curvesieve.core.intake.library import PATTERN_FILES
        from curvesieve.core.study.fits import fit_curves
        from curvesieve.core.study.joining import join_family, tables_like

        saved, problems = PATTERN_FILES.load_all(newest_first=True)
        found: list[Table] = []
        for i, path in enumerate(paths):
            ticket.report(0.5 * i / len(paths))
            try:
                found += tables_like(study, family_id, load(path))
            except InputError as error:
                problems.append(str(error))
        joined = join_family(study, family_id, found, list(saved.values()))
        ready = [id_ for id_ in joined.curves if joined.study.model(id_).terms]
        fits, failed = fit_curves(joined.study, ready, lambda share: ticket.report(0.5 + share / 2))
        problems += [*joined.problems, *(f"{joined.study.entry(id_).label}: {said}" for id_, said in failed.items())]
        problems += [
            f"{joined.study.entry(id_).label}: {fit.result.message}"
            for id_, fit in fits.items()
            if not fit.result.converged
        ]
        return edits.set_fits(fits)(joined.study), joined.curves, problems

    def done(found: tuple[Study, tuple[str, ...], list[str]]) -> None:
        from curvesieve.core.study.joining import grafted

        made, curves, problems = found
        words = f"bring {counted(len(curves), 'curve')} into {family.label}"
        if curves and session.apply(lambda now: grafted(now, made, curves, family_id), words):
            session.look_at_curve(curves[0])
            fitted = sum(session.study.fit_is_current(id_) for id_ in curves)
            how = f"; {counted(fitted, 'fit')} made as the last ones were" if fitted else ", done as its last ones were"
            session.noticed.emit(f"Brought {counted(len(curves), 'curve')} into {family.label}{how}.", "word")
        if problems:
            session.noticed.emit(_told(problems), "problem")

    name = paths[0].name if len(paths) == 1 else counted(len(paths), "file")
    session.jobs.start(
        f"Bringing {name} into {family.label}", f"join-{next(_numbers)}", work, done,
        lambda sentence: session.noticed.emit(sentence, "problem"), stoppable=True,
    )  # fmt: skip


def _told(problems: Sequence[str]) -> str:
    more = f" And {len(problems) - _TOLD} more." if len(problems) > _TOLD else ""
    return " ".join(problems[:_TOLD]) + more
