"""What is done to the model of the curve in hand: terms, starts, fits, and what is drawn beside it for comparison."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.session.desk import Desk
from curvesieve.app.session.jobs import Ticket
from curvesieve.core.curve import Curve, Floats
from curvesieve.core.errors import InputError
from curvesieve.core.models import Model, OwnTerm
from curvesieve.core.models.again import read_again
from curvesieve.core.models.library.scattering import same_form
from curvesieve.core.models.own import TERM_FILES, OwnParameter
from curvesieve.core.models.tied import settled
from curvesieve.core.study import FitEntry, Study, edits
from curvesieve.core.study.fits import derived_changed, fit_curve
from curvesieve.core.study.passing import sieved_curve
from curvesieve.core.study.resolution import with_resolution

_FRAME_S = 0.03
_MOST_ITERATES, _MOST_FITS = 400, 60


@dataclass(frozen=True, eq=False)
class Overlay:
    """A line drawn beside the model, with the words that tell it from others and its place among them."""

    label: str
    x: Floats
    y: Floats
    place: int


class Modelling(QObject):
    """Edits of the model in hand, and fits in the background.

    `iterated` carries the curve's id and the values of a running fit by name, at most some thirty times a second.
    """

    iterated = pyqtSignal(str, object)
    drawn_beside = pyqtSignal()

    def __init__(self, session: Desk) -> None:
        super().__init__(session)
        self.session = session
        self.iterates: dict[str, list[dict[str, float]]] = {}
        """The places that a fit went through, by the key of the fit; not kept in the study."""
        self.overlays: tuple[Overlay, ...] = ()
        self.bands = False
        session.changed.connect(lambda old, new: self.draw_beside(()))
        session.view_changed.connect(lambda old, new: self.draw_beside(()) if old.curve != new.curve else None)

    # -- what is seen -------------------------------------------------------------------------------

    def model_in_sight(self) -> Model:
        """The model in hand with the values that are drawn as its starts: those of the fit, when there is one.

        Edits by hand begin from what the user sees.
        """
        fit, model = self.session.fit, self.session.model
        return model if fit is None else model.starting_at(fit.result.values)

    def model_shown(self) -> Model:
        """The same, or the model at the iterate that the user went back to."""
        place, places = self.session.view.iterate, self.places()
        if place is None or not places:
            return self.model_in_sight()
        return self.session.model.starting_at(places[min(place, len(places) - 1)])

    def places(self) -> list[dict[str, float]]:
        """The iterates of the fit in hand, as far as they are known."""
        fit = self.session.fit
        return self.iterates.get(fit.identity, []) if fit is not None else []

    def _remember(self, key: str, places: list[dict[str, float]]) -> None:
        self.iterates[key] = places
        while len(self.iterates) > _MOST_FITS:
            self.iterates.pop(next(iter(self.iterates)))

    def look_at_iterate(self, place: int | None) -> None:
        self.session.look(replace(self.session.view, iterate=place))

    def draw_beside(self, overlays: tuple[Overlay, ...]) -> None:
        """Lines beside the model, such as those of other models; none takes them away."""
        if overlays or self.overlays:
            self.overlays = overlays
            self.drawn_beside.emit()

    def show_bands(self, on: bool) -> None:
        self.bands = on
        self.drawn_beside.emit()

    # -- the model ----------------------------------------------------------------------------------

    def set_model(self, model: Model, label: str, merge: str = "") -> None:
        if self.session.view.curve is not None:
            self.session.apply(edits.set_model(self.session.view.curve, settled(model)), label, merge)

    def _passed(self) -> Curve:
        """The curve that passed, for an edit that reads starts off it."""
        made = self.session.sieved()
        if made is None:
            raise InputError("The curve is still passing through the sieve; try again when the status line is quiet.")
        return made.curve

    def add_peak(self, slug: str, pointed: float, background: str | None = "line", own: OwnTerm | None = None) -> None:
        """Adds a peak where the user pointed; the first one brings the background with it."""
        entry = self.session.entry
        if entry is None:
            return

        def edit(study: Study) -> Study:
            passed = self._passed()
            model = self.model_in_sight()
            if not model.terms and background is not None:
                model = model.with_background(background, passed)
            return edits.set_model(entry.id, model.add_peak(slug, passed, pointed, own))(study)

        if self.session.apply(edit, "add a peak"):
            self.session.look_at_stage("model")

    def set_background(self, slug: str | None, own: OwnTerm | None = None) -> None:
        """Another background or law under the peaks; a law without a rule for its starts has them looked for."""
        entry = self.session.entry
        if entry is None:
            return

        def edit(study: Study) -> Study:
            passed = self._passed()
            made = self.model_in_sight().with_background(slug, passed, own)
            old = study.model(entry.id).background
            if old is not None and old.own is not None and made.background is not None:  # names that go on keep values
                kept = {n: s.start for n, s in old.parameters.items() if own and n in made.background.parameters}
                made = made.starting_at(kept)
            seen = self.model_in_sight().background
            if seen is not None and made.background is not None and same_form(seen.slug, slug):
                made = made.replaced(made.background.with_states_of(seen))
            made = with_resolution(made, seen, study, entry.id)
            return edits.set_model(entry.id, made)(study)

        before = self.session.model.background
        if self.session.apply(edit, "change the background or law", f"law {entry.id}" if own else ""):
            self.session.look_at_stage("model")
            placed = self.session.model.background
            if placed is not None and not placed.term.has_rule:
                if before is not None and same_form(before.slug, slug):
                    self.find_starts(tuple(before.parameters))
                    return
                known = set(before.parameters) if before is not None and before.own is not None else set()
                if set(placed.parameters) - known:
                    self.find_starts()

    def change_state(self, number: int, name: str, label: str, merge: str = "", **changes: object) -> None:
        """Something else said of one parameter: its start, hold, limits, tie."""
        model = self.model_in_sight()
        try:
            changed = model.replaced(model.term_numbered(number).with_state(name, **changes))
        except ValueError:
            self._refused(f"{name}: this {' and '.join(changes)} cannot be used; what it was before is kept.")
            return
        self.set_model(changed, label, merge)

    def set_derived(self, derived: tuple[tuple[str, str], ...]) -> None:
        """Other named formulas in the parameters; the fit stays, and its readings follow."""
        entry, places = self.session.entry, self.places()
        if entry is None:
            return
        if self.session.apply(lambda study: derived_changed(study, entry.id, derived), "name a quantity"):
            now = self.session.study.fit(entry.id)
            if now is not None and places:
                self._remember(now.identity, places)

    # -- starts -------------------------------------------------------------------------------------

    def read_starts(self) -> None:
        """Reads every peak's start off the data again, where the peaks now stand; a law's is looked for."""
        entry = self.session.entry
        if entry is None or not self.session.model.terms:
            return
        ground = self.session.model.background
        if ground is not None and not ground.term.has_rule:
            self.find_starts()
            return

        def edit(study: Study) -> Study:
            return edits.set_model(entry.id, read_again(self.model_in_sight(), self._passed()))(study)

        self.session.apply(edit, "read starts off the data")

    def find_starts(self, keep: tuple[str, ...] = ()) -> None:
        """Looks for starts in the data alone, in the background; a law of scattering keeps those named."""
        entry, study = self.session.entry, self.session.study
        if entry is None or not self.session.model.terms:
            return
        model, key = self.session.model, study.fit_key(entry.id)

        def work(ticket: Ticket) -> dict[str, float]:
            from curvesieve.core.fitting import search_model

            return search_model(model, sieved_curve(study, entry.id).curve, ticket.stop_if_asked, keep)

        def done(values: dict[str, float]) -> None:
            if self.session.study.has(entry.id) and self.session.study.fit_key(entry.id) == key:
                self.session.apply(edits.set_model(entry.id, model.starting_at(values)), "find starts")

        label = f"Finding starts for {entry.label}"
        self.session.jobs.start(label, "starts", work, done, self._refused, stoppable=True)

    def guess(self, own: OwnTerm, found: Callable[[Model], None]) -> None:
        """Starts for a formula that is still being typed, in the background; says nothing where there are none."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            return
        model = self.session.model.model_copy(update={"terms": (), "derived": ()})

        def work(ticket: Ticket) -> Model:
            from curvesieve.core.fitting import search_model

            curve = sieved_curve(study, entry.id).curve
            made = model.with_background("own", curve, own)
            return made.starting_at(search_model(made, curve, ticket.stop_if_asked))

        self.session.jobs.start("Finding starts", "guess", work, found, lambda _: None)

    @property
    def is_searching(self) -> bool:
        return self.session.jobs.running("starts")

    def other_curves(self) -> list[tuple[str, str]]:
        """(id, label) of the curves whose models have the same parameters, and so starts to take."""
        entry = self.session.entry
        if entry is None:
            return []
        study, names = self.session.study, self.session.model.names
        others = [curve for curve in study.document.curves if curve.id != entry.id]
        return [(c.id, c.label) for c in others if study.model(c.id).terms and study.model(c.id).names == names]

    def take_starts(self, curve_id: str) -> None:
        """The values that another curve's fit found, or its starts, as starts here."""
        study = self.session.study
        other, fit = study.model(curve_id), study.fit(curve_id)
        values = fit.result.values if fit is not None else other.start
        self.set_model(self.model_in_sight().like(other, values), f"take starts from {study.entry(curve_id).label}")

    # -- own terms ----------------------------------------------------------------------------------

    def own_terms(self) -> dict[str, OwnTerm]:
        """The user's saved terms by name; files that are none are told."""
        found, problems = TERM_FILES.load_all()
        for problem in problems:
            self._refused(problem)
        return found

    def save_own(self, name: str) -> Path | None:
        """Saves the formula in hand under a name, for other studies and other people."""
        ground = self.model_in_sight().background
        if ground is None or ground.own is None:
            self._refused("Only a formula of your own can be saved as a term; type one first.")
            return None
        said = {
            n: {**ground.own.parameters.get(n, OwnParameter()).model_dump(), "start": state.start}
            for n, state in ground.parameters.items()
        }
        try:
            own = OwnTerm.model_validate({**ground.own.model_dump(), "name": name.strip(), "parameters": said})
            path = TERM_FILES.save(own, own.name)
        except ValueError as error:
            self._refused(str(error))
            return None
        self.session.noticed.emit(f"Saved the term {own.name} as {path.name} in {path.parent}.", "word")
        return path

    # -- fits ---------------------------------------------------------------------------------------

    @property
    def is_fitting(self) -> bool:
        return self.session.jobs.running("fit")

    def fit(self) -> None:
        """Fits the curve in hand in the background. A result that comes too late for its model is dropped."""
        entry, study = self.session.entry, self.session.study
        if entry is None:
            self._refused("There is no curve to fit yet. Drop a file on the window first.")
            return
        names = self.session.model.names
        places: list[dict[str, float]] = []
        last = [0.0]

        def work(ticket: Ticket) -> FitEntry:
            def watch(values: Floats) -> None:
                ticket.stop_if_asked()
                place = dict(zip(names, values.tolist(), strict=True))
                if len(places) < _MOST_ITERATES:
                    places.append(place)
                now = time.monotonic()
                if now - last[0] > _FRAME_S:
                    last[0] = now
                    self.iterated.emit(entry.id, place)

            return fit_curve(study, entry.id, watch)

        def done(fit: FitEntry) -> None:
            if self.session.study.has(entry.id) and self.session.study.fit_key(entry.id) == fit.key:
                self._remember(fit.identity, [*places, fit.result.values])
                self.session.apply(edits.set_fit(entry.id, fit), f"fit {entry.label}")
                if not fit.result.converged:
                    self._refused(f"{entry.label}: {fit.result.message}")

        self.session.jobs.start(f"Fitting {entry.label}", "fit", work, done, self._refused, stoppable=True)

    def stop_fit(self) -> None:
        self.session.jobs.stop("fit")

    def _refused(self, sentence: str) -> None:
        self.session.noticed.emit(sentence, "problem")
