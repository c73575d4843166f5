"""Porod's law of sharp surfaces, I = K/q⁴ + B."""

from __future__ import annotations

import math

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.scatter import Stretch

_TURNS, _NOTHING = 8, 1e-290


class PorodLaw:
    """I = constant/q⁴ + level through points by least squares, with what both change by with each I."""

    def __init__(self, points: Stretch, free: bool) -> None:
        middle = float(np.exp(np.log(points.x).mean()))  # in whose units no power is beyond all numbers
        fall = (points.x / middle) ** -4.0
        columns = [fall, np.ones(len(points))] if free else [fall]
        size = np.array([float(np.sqrt(np.sum(c * c))) for c in columns])
        design = np.array([c / s for c, s in zip(columns, size, strict=True)])
        u = points.u
        weight = np.ones(len(points)) if u is None else 1 / u
        for _ in range(_TURNS if u is None else 1):  # without u, a u in proportion to the law itself
            inverse = np.linalg.pinv((design * weight).T) * weight
            values = inverse @ points.y
            model = values @ design
            top = float(np.abs(model).max())
            if u is None and top > _NOTHING:
                weight = 1 / np.maximum(np.abs(model), 1e-3 * top)
        rest = (points.y - model) * weight
        dof = len(points) - len(columns)
        scale = 1.0 if u is not None else float(rest @ rest) / dof if dof > 0 else None
        root = inverse / weight / size[:, None]
        self.covariance = None if scale is None else root @ root.T * scale
        self.constant, self.level = float(values[0] / size[0]), float(values[1] / size[1]) if free else 0.0
        slopes = inverse / size[:, None]
        self.constant *= middle**4
        slopes[0] *= middle**4
        if self.covariance is not None:
            scales = np.array([middle**4, 1.0])[: len(columns)]
            self.covariance = self.covariance * np.outer(scales, scales)
        self.slopes: Floats = slopes if free else np.array([slopes[0], np.zeros(len(points))])
        self.said_u = "u from the u of the points" if u is not None else "u from the scatter about the law"

    def u(self, place: int) -> float | None:
        """The standard uncertainty of the constant (0) or the level (1)."""
        return None if self.covariance is None else math.sqrt(float(self.covariance[place, place]))


def porod_law(points: Stretch, free: bool) -> PorodLaw:
    """Porod's law through points, with a level or without. Raises InputError for too few of them."""
    if len(points) < (2 if free else 1) or (free and np.ptp(points.x) == 0):
        raise InputError("Porod's law needs points at two different q; widen the band.")
    return PorodLaw(points, free)
