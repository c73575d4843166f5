"""Fewer points that draw the same picture."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def envelope(x: Floats, y: Floats, low: float, high: float, columns: int) -> tuple[Floats, Floats]:
    """The part of a curve with rising x between low and high, thinned to two points a column.

    Each of `columns` stretches of the visible points gives its lowest and its highest y, so that no spike is
    lost. One point beyond each edge is kept, so that lines run out of the picture. Returns x and y; short
    parts come back whole.
    `x` and `y` have shape (n,), and so have the two that come back, with another n.
    """
    first = max(int(np.searchsorted(x, low)) - 1, 0)
    last = min(int(np.searchsorted(x, high, side="right")) + 1, x.size)
    x, y = x[first:last], y[first:last]
    stride = x.size // max(columns, 1)
    if stride < 4:
        return x, y
    whole = x.size // stride * stride
    blocks = y[:whole].reshape(-1, stride)
    edges = x[:whole:stride]
    middle = x[stride // 2 : whole : stride]
    thin_x = np.column_stack([edges, middle]).ravel()
    thin_y = np.column_stack([blocks.min(axis=1), blocks.max(axis=1)]).ravel()
    if whole < x.size:
        rest = y[whole:]
        thin_x = np.append(thin_x, [x[whole], x[-1]])
        thin_y = np.append(thin_y, [rest.min(), rest.max()])
    return thin_x, thin_y


def outline(x: Floats, y: Floats, stretches: int) -> tuple[Floats, Floats]:
    """At most some two points for each of so many stretches: its lowest and highest, in the order of the curve.

    x may go in any direction. Short curves come back whole.
    `x` and `y` have shape (n,), and so have the two that come back, with another n.
    """
    stride = x.size // max(stretches, 1)
    if stride < 3:
        return x, y
    starts = np.arange(0, x.size, stride)
    padded = np.append(y, np.full(starts.size * stride - y.size, y[-1])).reshape(-1, stride)
    ends = np.stack([starts + padded.argmin(axis=1), starts + padded.argmax(axis=1)])
    keep = np.sort(np.concatenate([[0, x.size - 1], np.minimum(ends.ravel(), x.size - 1)]))
    keep = keep[np.append(True, np.diff(keep) > 0)]
    return x[keep], y[keep]
