"""The model on the main plot: its lines, its handles, its range and gaps, and what stands beside it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from curvesieve.app.benches.curve.canvas.beside import Beside
from curvesieve.app.benches.curve.canvas.gaps import GapMarks, redrawn
from curvesieve.app.benches.curve.canvas.ghosts import Ghosts
from curvesieve.app.benches.curve.canvas.layers import Layers
from curvesieve.app.benches.curve.canvas.peaks import PeakHandles, Shape
from curvesieve.app.benches.curve.canvas.scene import Scene
from curvesieve.app.plotting.band import Band
from curvesieve.app.plotting.plot import Plot
from curvesieve.app.session.desk import MODEL
from curvesieve.app.session.session import Session
from curvesieve.core import units
from curvesieve.core.models import Model
from curvesieve.core.models.drawing import base_under, height_of, model_lines, reshaped, width_of
from curvesieve.core.models.tied import settled
from curvesieve.core.study.fits import band_of
from curvesieve.core.typed import rounded


class ModelView(QObject):
    """Draws the model of a scene and turns what is dragged into edits. `hint` says what a drag means."""

    hint = pyqtSignal(str)

    def __init__(self, session: Session, plot: Plot, layers: Layers, parent: QObject) -> None:
        super().__init__(parent)
        self.session, self.plot, self.layers = session, plot, layers
        self.model = Model()
        self.scene: Scene | None = None
        self.beside, self.gaps, self.band = Beside(plot), GapMarks(plot), Band(plot)
        self.handles: dict[int, PeakHandles] = {}
        self.band.dragged.connect(self.say_band)
        self.band.finished.connect(self.take_band)
        self.ghosts = Ghosts(plot)
        self.ghosts.chosen.connect(session.peaks.toggle)
        session.peaks.sought.connect(self._show_ghosts)
        session.modelling.iterated.connect(self._iterated)
        session.modelling.drawn_beside.connect(self.draw_beside)

    # -- rendering ----------------------------------------------------------------------------------

    def show(self, scene: Scene | None, model: Model) -> None:
        """The model of a scene; an empty one, and no scene, take everything away."""
        self.scene, self.model = scene, model
        self._draw(model)
        self.draw_beside()
        self.gaps.show(model.gaps)
        self._place_handles(model)
        self._place_band()
        self._show_ghosts()

    def _show_ghosts(self) -> None:
        """Candidates for peaks, while they are looked at."""
        found = self.session.peaks.candidates
        scene = self.scene if self.session.view.stage == MODEL else None
        self.ghosts.show(found if scene is not None else None, scene.after if scene is not None else None)

    @property
    def chosen_peak(self) -> int:
        """The peak whose reading is in hand; 0 when there is none."""
        chosen = self.session.view.reading
        return chosen.part if chosen else 0

    def _draw(self, model: Model) -> None:
        curve = self.scene.made.curve if self.scene is not None else None
        self.layers.show_model(model_lines(model, curve) if curve is not None else None, self.chosen_peak)

    def preview(self, model: Model | None) -> None:
        """Draws a model that is not the study's, such as a formula that is being typed; None goes back."""
        self._draw(self.model if model is None else model)

    def _iterated(self, curve_id: str, values: dict[str, float]) -> None:
        """A place on the way of a fit that is running."""
        in_hand = self.session.view.curve == curve_id and self.session.view.stage == MODEL
        if in_hand and set(values) == set(self.model.names):
            self._draw(self.model.starting_at(values))

    def draw_beside(self) -> None:
        """The bands of the fit in hand, where they are asked for, and the lines of other models."""
        session, scene = self.session, self.scene
        at_model = scene is not None and session.view.stage == MODEL
        self.beside.show_overlays(session.modelling.overlays if at_model else ())
        band = None
        if scene is not None and at_model and session.modelling.bands and session.view.iterate is None:
            band = band_of(session.study, scene.entry.id)
        self.beside.show_band(band)

    def forget_handles(self) -> None:
        """Takes the handles away, to be made anew in the colours of another scheme."""
        self._place_handles(Model())

    def _place_handles(self, model: Model) -> None:
        wanted = {placed.number: placed for placed in model.lines}  # second lines follow theirs
        for number in set(self.handles) - set(wanted):
            self.handles.pop(number).remove()
        for number, placed in wanted.items():
            if number not in self.handles:
                handles = PeakHandles(self.plot)
                handles.dragged.connect(self._peak_dragged)
                handles.finished.connect(self._peak_finished)
                self.handles[number] = handles
            center, base = placed.parameters["center"].start, base_under(model, number)
            self.handles[number].show(Shape(number, center, height_of(placed), width_of(placed), base))

    def _place_band(self) -> None:
        """The band of the points that the model uses."""
        scene = self.scene
        if scene is None or scene.trail is not None or not self.model.terms:
            self.band.hide()
            return
        x = scene.after.x
        low = float(x.min()) if self.model.low is None else self.model.low
        high = float(x.max()) if self.model.high is None else self.model.high
        self.band.show(low, high)

    # -- gestures -----------------------------------------------------------------------------------

    def say_band(self, low: float, high: float) -> None:
        """Tells where the edges of the range in use are while they are dragged."""
        unit = units.shown(self.scene.after.x_unit) if self.scene is not None else ""
        self.hint.emit(f"{low:.6g} to {high:.6g} {unit}")

    def take_band(self, low: float, high: float) -> None:
        """Makes a stretch of x the range in use."""
        low, high = rounded((low, high), high - low)
        self._change(lambda model: model.model_copy(update={"low": low, "high": high}), "drag the range in use")

    def take_all(self) -> None:
        """Takes the limits of the range in use away."""
        self._change(lambda model: model.model_copy(update={"low": None, "high": None}), "fit the whole curve")

    def draw_gap(self, low: float, high: float, finished: bool) -> bool:
        """A stretch that the fit leaves out, or takes in again; False while there is no curve."""
        if self.scene is None:
            return False
        low, high = rounded((low, high), high - low)
        gaps = redrawn(self.session.modelling.model_in_sight().gaps, low, high)
        if finished:
            self._change(lambda model: model.model_copy(update={"gaps": gaps}), "leave a stretch out of the fit")
        else:
            self.gaps.show(gaps)
        return True

    def _change(self, change: Callable[[Model], Model], label: str) -> None:
        if self.scene is not None and self.session.view.curve is not None:
            self.session.modelling.set_model(change(self.session.modelling.model_in_sight()), label)

    def _peak_dragged(self, number: int, center: float, height: float, fwhm: float) -> None:
        self._draw(self._with_peak(number, center, height, fwhm))

    def _peak_finished(self, number: int, center: float, height: float, fwhm: float) -> None:
        self.session.modelling.set_model(self._with_peak(number, center, height, fwhm), f"drag P{number}")

    def _with_peak(self, number: int, center: float, height: float, fwhm: float) -> Model:
        return settled(self.model.replaced(reshaped(self.model.term_numbered(number), center, height, fwhm)))
