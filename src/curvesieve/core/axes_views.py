"""Ways of turning the axes of a curve, in which a law is a straight line; its numbers stay what they are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from curvesieve.core import units
from curvesieve.core.diffraction import axis_of
from curvesieve.core.errors import InputError


@dataclass(frozen=True)
class AxesView:
    """X = x^across; Y = y·x^times, its natural logarithm or its reciprocal. `logs` are for the two axes beside that.

    `reads` is the measure whose law is straight there, with what it is asked beside its band.
    """

    slug: str
    label: str
    about: str
    across: int = 1
    times: int = 0
    form: Literal["", "ln", "reciprocal"] = ""
    logs: tuple[bool, bool] = (False, False)
    reads: str = ""
    asked: tuple[tuple[str, str], ...] = ()
    words: str = ""
    """What a reading taken there is called on its button."""

    def x(self, x: Any) -> Any:
        """Where an x stands, of any shape."""
        return x if self.across == 1 else x**self.across

    def x_back(self, place: float) -> float:
        """The x of a place; places left of zero are at zero."""
        return place if self.across == 1 else max(place, 0.0) ** (1 / self.across)

    def y(self, y: Any, x: Any) -> Any:
        """Where a y at x stands, both of any one shape; no number where it has no logarithm."""
        made = y * x**self.times if self.times else y
        with np.errstate(all="ignore"):
            if self.form == "ln":
                return np.where(np.asarray(made) > 0, np.log(np.where(np.asarray(made) > 0, made, 1.0)), np.nan)
            return 1 / np.asarray(made) if self.form == "reciprocal" else made

    def y_back(self, place: float, x: float) -> float:
        """The y of a place over an x."""
        made = float(np.exp(min(place, 700.0))) if self.form == "ln" else place
        if self.form == "reciprocal":
            made = 1 / made if made else 0.0
        return made / x**self.times if self.times and x else made

    def titles(self, x: tuple[str, str], y: tuple[str, str]) -> tuple[str, str]:
        """The labels of the axes for names and units of x and y."""
        across = x[0] if self.across == 1 else f"{x[0]}²"
        power = {0: "", 1: f"{x[0]}·", 2: f"{x[0]}²·", 4: f"{x[0]}⁴·"}[self.times]
        sign = -1 if self.form == "reciprocal" else 1
        unit = units.power_product(x[1], self.times * sign, y[1], sign)
        title = f"{power}{y[0]}"
        bottom = units.labelled(across, units.power_product(x[1], self.across, "", 0))
        if self.form == "ln":
            return bottom, f"ln({units.labelled(title, unit)})"
        return bottom, units.labelled(f"1/({title})" if self.form == "reciprocal" and power else
                                      f"1/{title}" if self.form == "reciprocal" else title, unit)  # fmt: skip


PLAIN = AxesView("plain", "As measured", "x and y as they are")
VIEWS: tuple[AxesView, ...] = (
    PLAIN,
    AxesView("log-log", "log I, log q", "Power laws are straight", logs=(True, True), reads="power-of-q",
             words="exponent"),
    AxesView("guinier", "Guinier: ln I, q²", "Small q of particles is straight, with the slope −Rg²/3", 2, 0, "ln",
             reads="guinier", words="Rg"),
    AxesView("guinier-rods", "Guinier, rods: ln(q·I), q²", "Small q of rods is straight, with the slope −Rg²/2", 2, 1,
             "ln", reads="guinier", asked=(("form", "rod"),), words="Rg across"),
    AxesView("guinier-sheets", "Guinier, sheets: ln(q²·I), q²", "Small q of sheets is straight, with the slope −Rg²",
             2, 2, "ln", reads="guinier", asked=(("form", "sheet"),), words="Rg across"),
    AxesView("porod", "Porod: I·q⁴, q", "Large q of sharp surfaces is level, at Porod's constant", 1, 4, reads="porod",
             words="K"),
    AxesView("kratky", "Kratky: q²·I, q", "Folded particles have a peak, chains a plateau", 1, 2),
    AxesView("zimm", "Zimm: 1/I, q²", "Chains and fluctuations are straight at small q", 2, 0, "reciprocal"),
)  # fmt: skip


def view_of(slug: str) -> AxesView:
    """The view of a slug; the plain one for one that is none."""
    return next((view for view in VIEWS if view.slug == slug), PLAIN)


def is_scattering(x_unit: str) -> bool:
    """Whether an x in this unit is a q, so that these views mean something."""
    try:
        return axis_of(x_unit).kind == "q"
    except InputError:
        return False
