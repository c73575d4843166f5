"""Laws whose logarithm is a polynomial, fitted to the intensities themselves: points at zero or below count, too."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.scatter import Stretch, noise_along

_TURNS, _SETTLED, _MOST = 40, 1e-12, 700.0


@dataclass(frozen=True, eq=False)
class LogFit:
    """z = exp(Σ values·tᵏ): values of shape (k,), what they change by with each z, (k, n), and their covariance.

    `covariance` is None for as many points as values; `chi2` is per degree of freedom, None without u or freedom.
    """

    values: Floats
    slopes: Floats
    covariance: Floats | None
    chi2: float | None

    def at(self, t: Floats) -> Floats:
        """The law at t, both of shape (n,)."""
        return np.asarray(np.exp(np.minimum(np.polynomial.polynomial.polyval(t, self.values), _MOST)))


def log_fitted(t: Floats, z: Floats, u: Floats | None, degree: int = 1) -> LogFit:
    """Least squares of z by Gauss–Newton, weighted by u; without u each z has one in proportion to itself.

    `t`, `z` and `u` have shape (n,). Raises InputError where fewer than two z at different t are above zero.
    """
    good = z > 0
    if good.sum() < 2 or np.ptp(t[good]) == 0:
        raise InputError("fewer than two points there have an intensity above zero; choose another band.")
    reach = float(np.abs(t).max()) or 1.0
    scale = np.array([reach**k for k in range(degree + 1)])
    basis = np.array([(t / reach) ** k for k in range(degree + 1)])
    weight = np.ones(int(good.sum())) if u is None else z[good] / u[good]
    now = np.zeros(degree + 1)
    now[:2] = np.polyfit(t[good] / reach, np.log(z[good]), 1, w=weight)[::-1]
    for _ in range(_TURNS):
        design, rest, _ = _stood(now, basis, z, u)
        if not (np.isfinite(design).all() and np.isfinite(rest).all()):
            raise _beyond()
        step = np.linalg.lstsq(design, rest, rcond=None)[0]
        size = float(np.abs(step).max())
        now = now + step * min(1.0, 2.0 / size if size > 0 else 1.0)
        if size < _SETTLED:
            break
    design, rest, weights = _stood(now, basis, z, u)
    if not (np.isfinite(design).all() and np.isfinite(rest).all()):
        raise _beyond()
    inverse = np.linalg.pinv(design)
    dof = t.size - now.size
    chi2 = float(rest @ rest) / dof if dof > 0 else None
    covariance = None
    if u is not None or chi2 is not None:
        covariance = inverse @ inverse.T * (1.0 if u is not None else chi2 or 0.0) / np.outer(scale, scale)
    slopes = _slopes(now, basis, z, u)
    slopes = inverse * weights if slopes is None else slopes
    return LogFit(now / scale, slopes / scale[:, None], covariance, chi2 if u is not None else None)


def _slopes(now: Floats, basis: Floats, z: Floats, u: Floats | None) -> Floats | None:
    """What the values change by with each z, exactly: the equations of the minimum, differentiated.

    Of shape (k, n); None where they have no minimum there, as far from the law.
    """
    model = np.exp(np.minimum(now @ basis, _MOST))
    bend, pull = (model * (2 * model - z) / u**2, model / u**2) if u is not None else (z / model, 1 / model)
    matrix = (basis * bend) @ basis.T
    size = np.sqrt(np.abs(np.diag(matrix)))
    if not (np.isfinite(matrix).all() and (size > 0).all()):
        return None
    scaled = matrix / np.outer(size, size)
    if float(np.linalg.eigvalsh(scaled).min()) < 1e-12:
        return None
    return np.asarray(np.linalg.solve(scaled, basis * pull / size[:, None]) / size[:, None])


def _beyond() -> InputError:
    return InputError("the law runs beyond all numbers there; choose another band.")


def _stood(now: Floats, basis: Floats, z: Floats, u: Floats | None) -> tuple[Floats, Floats, Floats]:
    model = np.exp(np.minimum(now @ basis, _MOST))
    weight = 1 / (model if u is None else u)
    return (basis * model * weight).T, (z - model) * weight, weight


def relative_noise(points: Stretch) -> float:
    """The noise of intensities as a share of them, from that of their logarithm; NaN for few points above zero."""
    good = points.y > 0
    return noise_along(points.x[good], np.log(points.y[good])) if good.any() else math.nan


def u_of(points: Stretch) -> tuple[Floats | None, str]:
    """The u of intensities, of shape (n,): their own, or a share of each as they scatter; and where it is from."""
    if points.u is not None:
        return points.u, "u from the u of the points"
    share = relative_noise(points)
    if not math.isfinite(share):
        return None, "no u: too few points above zero to tell their noise"
    return share * np.abs(points.y), "u from the scatter of ln I along the curve"
