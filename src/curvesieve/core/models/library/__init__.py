"""The library of terms. Adding one means adding its declaration to one of these modules."""

from __future__ import annotations

from curvesieve.core.errors import InputError, nearest
from curvesieve.core.models.library import (
    backgrounds,
    kinetics,
    mechanics,
    peaks,
    polynomials,
    scattering,
    splines,
)
from curvesieve.core.models.library.polynomials import degree_of, polynomial
from curvesieve.core.models.library.splines import knots_of, spline
from curvesieve.core.models.term import Term

TERMS: dict[str, Term] = {
    term.slug: term
    for module in (peaks, backgrounds, polynomials, splines, kinetics, mechanics, scattering)
    for term in module.TERMS
}
PEAKS = tuple(slug for slug, term in TERMS.items() if term.kind == "peak")
BACKGROUNDS = tuple(slug for slug, term in TERMS.items() if term.kind == "background")
LAWS = tuple(slug for slug, term in TERMS.items() if term.kind == "law")


def is_known(slug: str) -> bool:
    """Whether a slug names a term of the library; polynomials are known to any sensible degree, splines likewise."""
    return slug in TERMS or is_spanned(slug) or scattering.scattering(slug) is not None


def is_spanned(slug: str) -> bool:
    """Whether a slug names a term whose basis is made for a range of x: a polynomial, a spline."""
    return degree_of(slug) is not None or knots_of(slug) is not None


def term_of(slug: str, span: tuple[float, float] | None = None) -> Term:
    """The term of a slug; `span` is the x range that the basis of a polynomial or a spline is made for.

    Raises InputError for a slug that is none.
    """
    degree = degree_of(slug)
    if degree is not None:
        return polynomial(degree, *span) if span else polynomial(degree)
    knots = knots_of(slug)
    if knots is not None:
        return spline(knots, *span) if span else spline(knots)
    if (made := scattering.scattering(slug)) is not None:
        return made
    if slug not in TERMS:
        raise InputError(f"There is no term {slug!r}{nearest(slug, list(TERMS)) or '; see curvesieve terms.'}")
    return TERMS[slug]


__all__ = ["BACKGROUNDS", "LAWS", "PEAKS", "TERMS", "degree_of", "is_known", "is_spanned", "term_of"]
