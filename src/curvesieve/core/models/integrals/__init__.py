"""Pieces of a model with an integral inside: averages over sizes, directions and along chains, by quadrature."""

from curvesieve.core.models.integrals.averages import Average, converged
from curvesieve.core.models.integrals.pieces import Averaged, Averages, as_read, names_of
from curvesieve.core.models.integrals.sizes import DISTRIBUTIONS
from curvesieve.core.models.integrals.smearing import Smearing

__all__ = ["DISTRIBUTIONS", "Average", "Averaged", "Averages", "Smearing", "as_read", "converged", "names_of"]
