"""Fits of several curves, one after the other in the background; a stop leaves every curve as it was."""

from __future__ import annotations

from collections.abc import Sequence

from curvesieve.app.session.jobs import Ticket
from curvesieve.app.session.session import Session
from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.study import FitEntry, edits
from curvesieve.core.study.fits import fit_curve

_TOLD = 3


def fit_many(session: Session, curve_ids: Sequence[str]) -> None:
    """Fits those of the curves that have a model. One step of the history; those that failed are told by name."""
    study = session.study
    ready = [id_ for id_ in curve_ids if study.model(id_).terms]
    if not ready:
        session.noticed.emit("None of the chosen curves has a model to fit.", "problem")
        return

    def work(ticket: Ticket) -> tuple[dict[str, FitEntry], list[str]]:
        made: dict[str, FitEntry] = {}
        failed: list[str] = []

        def watch(values: Floats) -> None:
            ticket.stop_if_asked()

        for i, id_ in enumerate(ready):
            try:
                made[id_] = fit_curve(study, id_, watch)
                if not made[id_].result.converged:
                    failed.append(study.entry(id_).label)
            except InputError as error:
                failed.append(f"{study.entry(id_).label} ({error})")
            ticket.report((i + 1) / len(ready))
        return made, failed

    def done(found: tuple[dict[str, FitEntry], list[str]]) -> None:
        made, failed = found
        now = session.study
        current = {id_: fit for id_, fit in made.items() if now.has(id_) and now.fit_key(id_) == fit.key}
        if current:
            session.apply(edits.set_fits(current), f"fit {counted(len(current), 'curve')}")
        words = _words(len(current), len(curve_ids) - len(ready), len(made) - len(current), failed)
        session.noticed.emit(words, "problem" if failed else "word")

    label = f"Fitting {counted(len(ready), 'curve')}"
    session.jobs.start(label, "fit", work, done, lambda s: session.noticed.emit(s, "problem"), stoppable=True)


def _words(fitted: int, bare: int, changed: int, failed: list[str]) -> str:
    said = [f"Fitted {counted(fitted, 'curve')}."]
    if bare:
        said.append(f"{counted(bare, 'curve')} without a model stayed as they were.")
    if changed:
        said.append(f"{counted(changed, 'curve')} changed meanwhile; fit them again.")
    if failed:
        more = f" and {len(failed) - _TOLD} more" if len(failed) > _TOLD else ""
        said.append(f"No minimum was found for {', '.join(failed[:_TOLD])}{more}.")
    return " ".join(said)
