"""Words on the averages over sizes and directions in a fit, where they or the points cannot be believed."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.fitting.problem import Problem

_NAMED = 3


def words_on_averages(problem: Problem, full: Floats) -> list[str]:
    """What has not converged, and the sizes that the x cannot tell; `full` has shape (parameters,). Raises nothing."""
    x, variable = np.sort(np.abs(problem.rows[0])), problem.model.variables[0]
    said = []
    for piece in problem.model.pieces:
        if piece.averaged is None:
            continue
        numbers = [float(full[i]) for i in piece.places]
        if not piece.averaged.settled(problem.rows[0], numbers):
            close = f"{piece.averaged.close:g}".replace("e-0", "e-")
            said.append(
                f"The average over sizes or directions has not converged to {close}: it oscillates "
                f"too fast for its nodes near {variable} = {x[-1]:.4g}. Leave out the largest, or begin smaller."
            )
        values = dict(zip(piece.names, numbers, strict=True))
        for size in dict.fromkeys(one.size for _, one in piece.averaged.averages if one.size):
            said += _seen_by(size, abs(values[size]), x[x > 0], variable)
    return said


def words_of_several(problems: Sequence[Problem], full: Floats, labels: Sequence[str]) -> list[str]:
    """The same for curves that were fitted jointly, by label, and how many more; `full` (parameters, curves).

    Raises nothing.
    """
    said = [
        f"{label}: {words}"
        for k, (label, one) in enumerate(zip(labels, problems, strict=True))
        for words in words_on_averages(one, full[:, k])
    ]
    more = len(said) - _NAMED
    return said if more <= 0 else [*said[:_NAMED], f"And {more} more of the kind, on other curves or sizes."]


def _seen_by(name: str, size: float, x: Floats, variable: str) -> list[str]:
    """What the smallest x and the steps between them cannot tell of a size, which turns a phase of 2·x·size."""
    if x.size < 2 or not size > 0:
        return []
    said = []
    if size > math.pi / x[0]:
        said.append(
            f"{name} lies beyond π/{variable} of the first point, {math.pi / x[0]:.4g}: it is only a lower limit."
        )
    steps = np.diff(x)
    if size * float(steps[steps > 0].min(initial=np.inf)) > math.pi / 2:
        said.append(
            f"The points stand too far apart for the oscillation of {name} {size:.4g}: other sizes fit as well."
        )
    return said
