"""Polynomials of any degree, in Legendre polynomials over the range of the data.

Powers of x are nearly dependent over a short range; Legendre polynomials are not, so that high degrees keep their
digits. The coefficients of the powers follow exactly and are read off as a0, a1 …
"""

from __future__ import annotations

import math
import re
from functools import lru_cache

import numpy as np

from curvesieve.core.errors import InputError
from curvesieve.core.models import starts
from curvesieve.core.models.term import Derived, Parameter, Term

MAX_DEGREE = 30
_SLUG = re.compile(r"polynomial-(\d{1,9})")
_NAMES = {2: "Quadratic", 3: "Cubic"}


def degree_of(slug: str) -> int | None:
    """The degree that a slug such as ``polynomial-4`` names; None for other slugs. Raises InputError for a wild one."""
    match = _SLUG.fullmatch(slug)
    if match is None:
        return None
    degree = int(match[1])
    if not 1 <= degree <= MAX_DEGREE:
        raise InputError(f"Polynomials have degrees from 1 to {MAX_DEGREE}, not {degree}.")
    return degree


def _powers(degree: int, middle: float, half: float) -> list[list[float]]:
    """The coefficients of the powers of x in the Legendre polynomials of (x − middle)/half, a row each.

    By n·Pₙ = (2n − 1)·t·Pₙ₋₁ − (n − 1)·Pₙ₋₂ (DLMF 18.9).
    """
    rows = [np.ones(1), np.array([-middle, 1.0]) / half]
    with np.errstate(all="ignore"):
        for n in range(2, degree + 1):
            longer = (2 * n - 1) * np.convolve(rows[1], rows[n - 1])
            longer[: n - 1] -= (n - 1) * rows[n - 2]
            rows.append(longer / n)
    return [row.tolist() for row in rows]


def _coefficient(k: int, table: list[list[float]], degree: int) -> Derived:
    """The coefficient of the k-th power of x, from the weights of the basis."""
    weights = tuple((f"c{n}", table[n][k]) for n in range(k, degree + 1))
    formula = " + ".join(f"({weight!r})*{name}" for name, weight in weights)
    return Derived(f"a{k}", formula, f"coefficient of x^{k}" if k else "value at x = 0", (-k, 1), weights)


@lru_cache(maxsize=256)
def polynomial(degree: int, low: float = -1.0, high: float = 1.0) -> Term:
    """The polynomial of a degree whose basis is orthogonal over low … high."""
    if not low < high:
        low, high = low - 0.5, high + 0.5
    middle, half = (low + high) / 2, (high - low) / 2
    lines = [f"t = (x - ({middle!r}))/{half!r}"]
    body = " + ".join(["c0", "c1*t", *(f"c{n}*legendre({n}, t)" for n in range(2, degree + 1))])
    parameters = tuple(
        Parameter(f"c{n}", f"coefficient of the Legendre polynomial of degree {n}", start=0.0, unit=(0, 1))
        for n in range(degree + 1)
    )

    def start(data: starts.Data) -> dict[str, float]:
        from numpy.polynomial import legendre

        t = (data.x - middle) / half
        most = min(degree, max(np.unique(data.x).size - 1, 0))
        found = legendre.legfit(t, data.y, most)
        return {f"c{n}": float(found[n]) if n <= most else 0.0 for n in range(degree + 1)}

    table = _powers(degree, middle, half)
    # Of many powers over a range far from 1 the coefficients lie beyond all floats: then the basis is what can be told.
    told = all(math.isfinite(value) for row in table for value in row)
    derived = tuple(_coefficient(k, table, degree) for k in range(degree + 1)) if told else ()
    return Term(
        f"polynomial-{degree}", _NAMES.get(degree, f"Polynomial of degree {degree}"), "background",
        "\n".join([*lines, body]), parameters, "Legendre polynomials over the range in use; textbook", "Polynomials",
        start=start, derived=derived, basis=told,
        contains=("constant", "line", *(f"polynomial-{n}" for n in range(2, degree))),
    )  # fmt: skip


TERMS = tuple(polynomial(degree) for degree in range(2, 10))
