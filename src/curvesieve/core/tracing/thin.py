"""Fewer places along a line that was followed: so many, or as many as keep to it within a tolerance."""

from __future__ import annotations

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError


def thinned(places: Floats, count: int | None = None, tolerance: float | None = None) -> Floats:
    """Places of a line of shape (n, 2) thinned to `count` at even steps, or to stay within `tolerance` pixels of it.

    Even steps are those of x where the line does not turn back in x, else of the way along it. Raises InputError for
    fewer than two places or a tolerance that is not above zero.
    """
    places = np.asarray(places, float)
    if tolerance is not None:
        if not tolerance > 0:
            raise InputError(f"A tolerance must be above zero pixels; it is {tolerance:g}.")
        from skimage.measure import approximate_polygon

        return np.asarray(approximate_polygon(places, tolerance))  # type: ignore[no-untyped-call]
    if count is None or count >= len(places):
        return places
    if count < 2:
        raise InputError(f"A line needs two points at least; {count} are asked for.")
    steps = np.diff(places[:, 0])
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(places, axis=0).T))]
    way = places[:, 0] if (steps > 0).all() else along
    even = np.linspace(way[0], way[-1], count)
    return np.stack([np.interp(even, way, places[:, k]) for k in (0, 1)], axis=1)


def redrawn(places: Floats, by_hand: Floats) -> Floats:
    """A line, of shape (n, 2), with the part between the first and last of places drawn by hand, (m, 2), put in.

    The part that falls out is that between the places of the line nearest to both ends. Raises InputError for fewer
    than two places by hand.
    """
    by_hand = np.asarray(by_hand, float)
    if len(by_hand) < 2:
        raise InputError("Draw a piece of the line: two places at least.")
    first, last = (int(np.argmin(np.hypot(*(places - end).T))) for end in (by_hand[0], by_hand[-1]))
    if first > last:
        first, last, by_hand = last, first, by_hand[::-1]
    return np.concatenate([places[:first], by_hand, places[last + 1 :]])
