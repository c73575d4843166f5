"""Splines with few knots, in cubic B-splines over the range of the data: a background that bends where it must.

The weights of B-splines mean nothing by themselves; the levels at the knots follow exactly and are read off as y1, y2 …
(C. de Boor, A Practical Guide to Splines, 1978; from memory.)
"""

from __future__ import annotations

import re
from functools import lru_cache

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.models import starts
from curvesieve.core.models.term import Derived, Parameter, Term

MOST_KNOTS = 20
_SLUG = re.compile(r"spline-(\d{1,9})")


def knots_of(slug: str) -> int | None:
    """How many knots a slug such as ``spline-4`` names, ends included; None for other slugs.

    Raises InputError for a wild one.
    """
    match = _SLUG.fullmatch(slug)
    if match is None:
        return None
    knots = int(match[1])
    if not 2 <= knots <= MOST_KNOTS:
        raise InputError(f"Splines have from 2 to {MOST_KNOTS} knots, not {knots}.")
    return knots


def _bell(t: Floats) -> Floats:
    """The cubic B-spline about 0 on knots one apart. `t` has any shape, and so has the answer."""
    near = np.abs(t)
    return np.where(near < 1, 2 / 3 - near**2 + near**3 / 2, np.where(near < 2, (2 - near) ** 3 / 6, 0.0))


@lru_cache(maxsize=256)
def spline(knots: int, low: float = -1.0, high: float = 1.0) -> Term:
    """The cubic spline with so many even knots from low to high."""
    if not low < high:
        low, high = low - 0.5, high + 0.5
    apart = (high - low) / (knots - 1)
    count = knots + 2
    lines = [f"t = (x - ({low!r}))/{apart!r}"]
    for k in range(count):
        lines += [f"d{k} = abs(t - {k - 1})",
                  f"b{k} = where(d{k} < 1, 2/3 - d{k}^2 + d{k}^3/2, where(d{k} < 2, (2 - d{k})^3/6, 0))"]  # fmt: skip
    body = " + ".join(f"c{k}*b{k}" for k in range(count))
    parameters = tuple(
        Parameter(f"c{k}", f"weight of the B-spline number {k + 1}", start=0.0, unit=(0, 1)) for k in range(count)
    )

    def start(data: starts.Data) -> dict[str, float]:
        t = (data.x - low) / apart
        design = np.stack([_bell(t - (k - 1)) for k in range(count)], axis=1)
        found = np.linalg.lstsq(design, data.y, rcond=1e-10)[0]
        return {f"c{k}": float(value) for k, value in enumerate(found)}

    derived = tuple(
        Derived(
            f"y{k + 1}", f"(c{k} + 4*c{k + 1} + c{k + 2})/6", f"level at x = {low + k * apart:.6g}", (0, 1),
            ((f"c{k}", 1 / 6), (f"c{k + 1}", 2 / 3), (f"c{k + 2}", 1 / 6)),
        )
        for k in range(knots)
    )  # fmt: skip
    return Term(
        f"spline-{knots}", f"Spline with {knots} knots", "background", "\n".join([*lines, body]), parameters,
        "cubic B-splines on even knots over the range in use; textbook", "Splines", start=start, derived=derived,
        basis=True, contains=("constant", "line", "polynomial-2", "polynomial-3"),
    )  # fmt: skip


TERMS = tuple(spline(knots) for knots in (3, 4, 5, 6, 8))
