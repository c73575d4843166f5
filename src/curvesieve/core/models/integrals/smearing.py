"""What an instrument makes of an intensity: an average over the q that reach a point, through a pinhole or a slit."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.models.integrals.nodes import legendre

Floats = NDArray[np.float64]
_PINHOLE, _SLIT = 21, 40
"""Nodes over the normal density of a pinhole, and over the length of a slit."""


@lru_cache(maxsize=8)
def _hermite(count: int) -> tuple[Floats, Floats]:
    """Nodes and weights of the standard normal density, both of shape (count,)."""
    from scipy.special import roots_hermitenorm

    t, w = roots_hermitenorm(count)
    return np.asarray(t), np.asarray(w / w.sum())


@dataclass(frozen=True)
class Smearing:
    """`kind` is ``pinhole``: a normal density of the width √((resolution·q)² + resolution_floor²) about each q; or
    ``slit``: the mean over √(q² + l²), l from 0 to `slit` (a slit that is long and narrow)."""

    kind: str

    @property
    def names(self) -> tuple[str, ...]:
        """The parameters that it adds."""
        return ("resolution", "resolution_floor") if self.kind == "pinhole" else ("slit",)

    @property
    def cost(self) -> int:
        """How many places a point has."""
        return _PINHOLE if self.kind == "pinhole" else _SLIT

    def places(
        self, x: Floats, values: Mapping[str, float], finer: int = 0
    ) -> tuple[Floats, Floats, dict[str, Floats]]:
        """The q that reach each x, of shape (n, k), their weights (k,), and what they change by with each parameter."""
        if self.kind == "slit":
            t, w = legendre(_SLIT + 16 * finer)
            share, weight = t**2, 2 * w * t  # closer where l is small: there the intensity falls fastest
            reach = abs(values["slit"])
            at = np.sqrt(x[:, None] ** 2 + (reach * share) ** 2)
            with np.errstate(all="ignore"):
                by = np.where(at > 0, np.sign(values["slit"]) * reach * share**2 / at, 0.0)
            return at, weight, {"slit": by}
        t, weight = _hermite(_PINHOLE + 10 * finer)
        relative, floor = values["resolution"], values["resolution_floor"]
        width = np.sqrt((relative * x) ** 2 + floor**2)[:, None]
        at = x[:, None] + width * t
        sign = np.sign(at)  # an intensity is the same on both sides of the beam
        with np.errstate(all="ignore"):
            by_relative = np.where(width > 0, relative * x[:, None] ** 2 / width, np.abs(x[:, None])) * t * sign
            by_floor = np.where(width > 0, floor / width, 1.0) * t * sign
        return np.abs(at), weight, {"resolution": by_relative, "resolution_floor": by_floor}
