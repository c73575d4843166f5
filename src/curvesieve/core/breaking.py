"""Where a curve of a mechanical test breaks."""

from __future__ import annotations

import numpy as np

from curvesieve.core.scatter import Stretch

DROP, WITHIN = 0.4, 5
"""A break is a fall by this share of the largest y so far, over so many points."""
_LEAST_HIGH = 0.1
"""Share of the largest y that must have been reached before a fall is a break."""
CLEAR = 10
"""Times the noise that a fall is deep: thousands of points of a level differ by seven."""


def break_of(points: Stretch, noise: float, drop: float = DROP, within: int = WITHIN) -> tuple[int, bool]:
    """The place of the last point before a break, and whether there is one; else the last point of all.

    Noise about the zero of the beginning is no break: before it y has been at a tenth of its largest value at least,
    and it falls by ten times the `noise`.
    """
    high = np.maximum.accumulate(points.y)
    ready = high >= _LEAST_HIGH * high[-1]
    later = points.y[np.minimum(np.arange(len(points)) + within, len(points) - 1)]
    falls = np.flatnonzero((points.y - later >= np.maximum(drop * high, CLEAR * noise)) & ready & (high > 0))
    if not falls.size:
        return len(points) - 1, False
    place = int(falls[0])  # the last point before the first large step down within the reach
    near = points.y[place : place + within + 1]
    steps = near[:-1] - near[1:]
    return place + int(np.argmax(steps > 0.25 * drop * high[place])), True
