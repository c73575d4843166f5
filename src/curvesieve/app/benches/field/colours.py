"""Values as colours: the even walk of the scheme, continuous or in bands between levels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor

from curvesieve.app.theme.tokens import family_colours

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Scale:
    """From `low` to `high`; in bands with ends at `levels` where these are given."""

    low: float
    high: float
    levels: Floats | None = None

    @property
    def ends(self) -> Floats:
        """The ends of the bands, the range's own among them."""
        if self.levels is None:
            return np.array([self.low, self.high])
        inner = self.levels[(self.levels > self.low) & (self.levels < self.high)]
        return np.concatenate([[self.low], inner, [self.high]])

    def rgb(self, z: Floats) -> NDArray[np.uint8]:
        """Colours of values of any shape, with an alpha of 0 where there is none: (…, 4)."""
        table = _table()
        span = self.high - self.low
        with np.errstate(invalid="ignore"):
            share = (z - self.low) / span if span > 0 else np.zeros_like(z)
            if self.levels is not None and self.ends.size > 2:
                band = np.clip(np.searchsorted(self.ends, np.nan_to_num(z), side="right") - 1, 0, self.ends.size - 2)
                share = band / (self.ends.size - 2)
        made = np.empty((*z.shape, 4), np.uint8)
        known = np.isfinite(z)
        made[..., :3] = table[np.clip(np.nan_to_num(share) * 255, 0, 255).astype(np.intp)]
        made[..., 3] = np.where(known, 255, 0)
        return made

    def colour(self, value: float) -> QColor:
        """The colour of one value."""
        red, green, blue, _ = (int(part) for part in self.rgb(np.array([value]))[0])
        return QColor(red, green, blue)


def _table() -> NDArray[np.uint8]:
    return np.array([one.getRgb()[:3] for one in family_colours(256)], dtype=np.uint8)
