"""A family as one: its curves through their sieves, fits of all of them, ways of sharing; in the background."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.desk import Desk, View
from curvesieve.app.session.jobs import Ticket
from curvesieve.core.curve import Curve
from curvesieve.core.errors import InputError, counted
from curvesieve.core.steps.sieve import Sieved
from curvesieve.core.study import Family, Study, edits
from curvesieve.core.study.family_fit import FamilyFit
from curvesieve.core.study.family_parts import FamilyLook
from curvesieve.core.study.passing import recorded_at_hand, sieve_family, sieved_if_quick
from curvesieve.core.study.standing import Standing, standing

if TYPE_CHECKING:
    from curvesieve.core.study.ways import WayOfSharing

_FRAME_S = 0.05
_AT_ONCE = 60_000
"""Points that are set apart while the window waits."""
_TOLD = 3
_KEY = "the family's curves"
WAYS = {"each": "each by itself", "along": "carried along", "jointly": "jointly"}


class FamilyWork(QObject):
    """The family of the curve in hand. `passed` tells that more of its curves are there than before.

    `iterated` carries the values of each curve, by id, while a joint fit is on its way; `compared` the ways of sharing.
    """

    passed = pyqtSignal()
    iterated = pyqtSignal(object)
    compared = pyqtSignal(object)
    opened = pyqtSignal(str)
    """A curve is to be seen on its own bench."""

    def __init__(self, session: Desk) -> None:
        super().__init__(session)
        self.session = session
        self._known: tuple[Study | None, dict[str, Sieved]] = (None, {})
        self._asked: Study | None = None
        self._stood: tuple[tuple[Study, str, int], Standing] | None = None
        self._standing: tuple[Study, str, int] | None = None
        self.ways: tuple[str, tuple[WayOfSharing, ...]] = ("", ())
        """The joint key that the ways of sharing were compared at, and what came of it."""

    @property
    def family(self) -> Family | None:
        """The family of the curve in hand."""
        entry = self.session.entry
        return self.session.study.family_of(entry.id) if entry is not None else None

    def look(self, label: str = "look at the family otherwise", merge: str = "", **changes: object) -> None:
        """Another way to look at the family."""
        family = self.family
        if family is None:
            return

        def changed(look: FamilyLook) -> FamilyLook:
            return look.model_copy(update=changes)

        self.session.apply(edits.look_at_family(family.id, changed), label, merge)

    # -- the curves ---------------------------------------------------------------------------------

    def curves(self) -> dict[str, Curve]:
        """The family's curves, as its look wants them, that are there by now; the others are asked for."""
        family, study = self.family, self.session.study
        if family is None:
            return {}
        if family.look.recorded:
            found = {id_: recorded_at_hand(study, id_) for id_ in self._ids(family)}
            return {id_: curve for id_, curve in found.items() if curve is not None}
        return {id_: made.curve for id_, made in self.sieved().items()}

    def _ids(self, family: Family) -> list[str]:
        """The family's curves, and those of the families that stand beside it."""
        others = [one for one in self.session.study.document.families if one.id in family.look.beside]
        return list(dict.fromkeys(id_ for one in (family, *others) for id_ in one.curves))

    def sieved(self) -> dict[str, Sieved]:
        """Those of the family's curves that have passed by now; the others are asked for."""
        family, study = self.family, self.session.study
        found: dict[str, Sieved] = {}
        waiting: list[str] = []
        of, known = self._known
        for id_ in self._ids(family) if family is not None else ():
            made = sieved_if_quick(study, id_) or (known.get(id_) if of is study else None)
            if made is None:
                waiting.append(id_)
            else:
                found[id_] = made
        if waiting and self._asked is not study:
            self._pass(study, waiting)
        return found

    def _pass(self, study: Study, waiting: list[str]) -> None:
        self._asked = study

        def done(made: list[Sieved]) -> None:
            self._known = (study, dict(zip(waiting, made, strict=True)))
            if self.session.study is study:
                self.passed.emit()

        self.session.jobs.start(
            f"Passing {counted(len(waiting), 'curve')} of the family", _KEY,
            lambda ticket: sieve_family(study, waiting, ticket.report), done, self._refused,
        )  # fmt: skip

    def standing(self, values: Mapping[str, Mapping[str, float]] | None = None) -> Standing | None:
        """How the family stands now; None while many points are worked out in the background, `passed` tells then."""
        family, study = self.family, self.session.study
        if family is None:
            return Standing()
        if values is not None:
            return standing(study, family, self.curves(), values)
        curves = self.curves()
        asked = (study, family.id, len(curves))
        if self._stood is not None and self._stood[0] == asked:
            return self._stood[1]
        if sum(len(curve) for curve in curves.values()) <= _AT_ONCE:
            self._stood = (asked, standing(study, family, curves))
            return self._stood[1]
        if self._standing != asked:
            self._standing = asked

            def done(made: Standing) -> None:
                self._stood = (asked, made)
                self.passed.emit()

            self.session.jobs.start(
                f"Setting {counted(len(curves), 'curve')} apart", "standing",
                lambda ticket: standing(study, family, curves), done, self._refused,
            )  # fmt: skip
        return None

    # -- fits ---------------------------------------------------------------------------------------

    def fit(self, way: str) -> None:
        """Fits the family ``each`` by itself, carried ``along`` from the curve in hand, or ``jointly``."""
        family, study, view = self.family, self.session.study, self.session.view
        if family is None:
            return
        family_id, started = family.id, time.monotonic()
        last = [0.0]

        def watch(values: Mapping[str, Mapping[str, float]]) -> None:
            now = time.monotonic()
            if now - last[0] > _FRAME_S:
                last[0] = now
                self.iterated.emit(values)

        def work(ticket: Ticket) -> FamilyFit:
            from curvesieve.core.study.jointly import carry_along, fit_each, fit_jointly_in

            if way == "jointly":

                def seen(values: Mapping[str, Mapping[str, float]]) -> None:
                    ticket.stop_if_asked()
                    watch(values)

                return fit_jointly_in(study, family_id, seen, ticket.stop_if_asked)
            if way == "along":
                return carry_along(study, family_id, view.curve or "", ticket.report)
            return fit_each(study, family_id, ticket.report)

        def done(found: FamilyFit) -> None:
            self.iterated.emit(None)
            self._take(study, family_id, found, time.monotonic() - started)

        def failed(sentence: str) -> None:
            self.iterated.emit(None)
            self._refused(sentence)

        self.session.jobs.start(f"Fitting {family.label} {WAYS[way]}", "fit", work, done, failed, stoppable=True)

    def _take(self, asked: Study, family_id: str, found: FamilyFit, seconds: float) -> None:
        """Takes what a fit found, as far as it is of what stands there now."""
        now = self.session.study
        if family_id not in {family.id for family in now.document.families}:
            return
        if found.joint is not None and now.joint_key(family_id) != found.joint.key:
            self._refused("The family changed while it was fitted jointly; nothing was taken over. Fit it again.")
            return
        current = {id_: fit for id_, fit in found.fits.items() if now.has(id_) and now.fit_key(id_) == fit.key}
        gone = len(found.fits) - len(current)
        label = now.family(family_id).label
        if current:
            edit = edits.set_family_fit(family_id, replace(found, fits=current))
            self.session.apply(edit, f"fit {label} {WAYS[found.way]}")
        self.session.noticed.emit(
            said_of(asked, found, len(current), gone, seconds), "problem" if found.problems or gone else "word"
        )

    def stop(self) -> None:
        self.session.jobs.stop("fit")
        self.iterated.emit(None)

    def compare(self) -> None:
        """Sets ways of sharing side by side, in the background."""
        from curvesieve.core.study.ways import compare_ways

        family, study = self.family, self.session.study
        if family is None:
            return
        family_id, key = family.id, study.joint_key(family.id)

        def done(found: tuple[WayOfSharing, ...]) -> None:
            here = self.session.study
            if family_id in {one.id for one in here.document.families} and here.joint_key(family_id) == key:
                self.ways = (key, found)
                self.compared.emit(found)

        self.session.jobs.start(
            f"Comparing ways to share in {family.label}", "ways",
            lambda ticket: compare_ways(study, family_id, ticket.stop_if_asked), done, self._refused, stoppable=True,
        )  # fmt: skip

    # -- edits --------------------------------------------------------------------------------------

    def share(self, name: str, law: str | None) -> bool:
        """One parameter for all, on a law, or each its own; whether that was taken."""
        said = "each its own" if law is None else "one for all" if not law else "on a law"
        return self.apply(lambda family: edits.set_sharing(family.id, name, law), f"{name} {said}")

    def take_in_hand(self, curve_id: str) -> None:
        """Takes a curve of the family in hand."""
        if self.session.study.has(curve_id):
            self.session.look(View(curve_id))

    def apply(self, make: Callable[[Family], Any], label: str) -> bool:
        """Makes an edit of the family. What cannot be made is said."""
        family = self.family
        if family is None:
            return False
        try:
            edit = make(family)
        except InputError as error:
            self._refused(str(error))
            return False
        return self.session.apply(edit, label)

    def _refused(self, sentence: str) -> None:
        self.session.noticed.emit(sentence, "problem")


def said_of(study: Study, found: FamilyFit, taken: int, gone: int, seconds: float) -> str:
    """What a fit of a family did, in sentences."""
    said = [f"Fitted {counted(taken, 'curve')} {WAYS[found.way]} in {seconds:.2g} s."]
    if found.joint is not None:
        result = found.joint.result
        said.append("" if result.converged else result.message)
        said += result.warnings
    if found.found_anew:
        names = _named(study, found.found_anew)
        said.append(f"Starts were found anew for {names}.")
    if found.not_carried:
        names = _named(study, found.not_carried)
        said.append(f"Not handed on, as they fit so much worse than their neighbours: {names}.")
    if gone:
        said.append(f"{counted(gone, 'curve')} changed meanwhile; fit again.")
    if found.problems:
        first = next(iter(found.problems))
        more = (
            f" {_named(study, tuple(found.problems))}: " if len(found.problems) > 1 else f" {_named(study, (first,))}: "
        )
        said.append(f"No minimum was found for{more}{found.problems[first]}")
    return " ".join(one for one in said if one)


def _named(study: Study, ids: tuple[str, ...]) -> str:
    names = [study.entry(id_).label for id_ in ids if study.has(id_)]
    more = f" and {len(names) - _TOLD} more" if len(names) > _TOLD else ""
    return f"{', '.join(names[:_TOLD])}{more}"
