"""Sizes and pair distances from scattering without a law of them: linear inversions that are smoothed."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError, counted
from curvesieve.core.formula.special import ball, sinc

LEAST_POINTS = 10
_STRENGTHS = 28
"""Strengths of smoothing that are tried, evenly in their logarithm."""
_NODES = 72
_LENGTHS, _AROUND, _LONGER = 26, 13, 1.3
"""Largest distances that are tried over the whole range, and closer about the best."""


@dataclass(frozen=True, eq=False)
class Sizes:
    """How much of the scattering volume has which radius, with u, both of shape (k,), over `radii` (k,).

    `level` is what was found under all, `fitted` (n,) the intensities that follow, `chi2` per point. `tried` are the
    strengths of smoothing that were compared with χ² and roughness of each, (3, m), and `strength` the one chosen.
    """

    radii: Floats
    amount: Floats
    u: Floats
    level: float
    fitted: Floats
    strength: float
    chi2: float
    tried: Floats


def sphere_sizes(
    q: Floats,
    intensity: Floats,
    u: Floats,
    radii: Floats,
    by: str = "discrepancy",
    strength: float = 0.0,
    level: bool = True,
) -> Sizes:
    """The distribution of the radii of spheres, none below zero, as smooth as the points allow.

    I(q) = ∫ D(R)·V(R)·P(qR) dR, so that ∫D dR = φ·Δρ². Least squares weighted by u with the second differences of D
    added in a strength (A. N. Tikhonov 1963; D. L. Phillips 1962; from memory) and D ≥ 0 (Lawson and Hanson 1974).
    `by`: the largest strength whose χ² is within its own spread of the least (*discrepancy*), the corner of log χ²
    against log roughness (*corner*), or as given. u is that of the smoothed answer, from the points' u and with the
    smoothing as a prior, over the radii above zero. `q`, `intensity`, `u` have shape (n,), `radii` (k,), evenly spaced.
    Raises InputError for too few points.
    """
    n, k = q.size, radii.size
    if n < LEAST_POINTS:
        raise InputError(f"{counted(n, 'point')} are too few for a distribution of sizes; {LEAST_POINTS} are needed.")
    _must_be_numbers(q, intensity, u)
    step = float(radii[1] - radii[0])
    volumes = 4 / 3 * math.pi * radii**3
    kernel = ball(np.outer(q, radii)) ** 2 * volumes * step
    columns = np.column_stack([kernel, np.ones(n)]) if level else kernel
    weighed = columns / u[:, None]
    scale = np.sqrt((weighed**2).sum(axis=0))
    scale[:k] = np.median(scale[:k])  # one for all radii, or the smoothing would be of something else
    rough = np.zeros((k, columns.shape[1]))  # second differences, with nothing beyond the ends
    rough[:, :k] = 2 * np.eye(k) - np.eye(k, k=1) - np.eye(k, k=-1)
    weighed, side = weighed / scale, intensity / u
    size = float(np.linalg.norm(weighed[:, :k], 2))
    wanted = np.geomspace(1e-7, 1e1, _STRENGTHS) * size if by != "given" else np.array([strength * size])
    normal, against = weighed.T @ weighed, weighed.T @ side
    found, tried = [], []
    for one in wanted:
        x = _not_below_zero(normal + one**2 * rough.T @ rough, against, k)
        rest = weighed @ x - side
        found.append(x)
        tried.append((one / size, float(rest @ rest) / n, float(np.linalg.norm(rough @ x))))
    table = np.array(tried).T
    place = _chosen(table, n, by)
    x, one = found[place], float(wanted[place])
    free = x > 0
    free[k:] = True
    curvature = normal + one**2 * rough.T @ rough
    covariance = np.zeros_like(curvature)
    covariance[np.ix_(free, free)] = np.linalg.pinv(curvature[np.ix_(free, free)])
    own_u = np.sqrt(np.maximum(np.diag(covariance), 0.0)) / scale
    values = x / scale
    quiet = float(own_u[:k][free[:k]].min(initial=np.inf))
    amount_u = np.where(free[:k], own_u[:k], quiet if math.isfinite(quiet) else 1.0)
    return Sizes(
        radii, values[:k], amount_u, float(values[k]) if level else 0.0, columns @ values, one / size,
        float(table[1, place]), table,
    )  # fmt: skip


def _must_be_numbers(q: Floats, intensity: Floats, u: Floats) -> None:
    """Raises InputError where intensities over their u cannot be squared, or where they are all alike at one q."""
    with np.errstate(all="ignore"):
        size = float(((intensity / u) ** 2).sum())
    if not (math.isfinite(size) and size > 0):
        raise InputError("the intensities over their u are nothing, or beyond all numbers; look at their u.")
    if not np.ptp(q) > 0:
        raise InputError("all points have the same q, which tells nothing of sizes.")


def _not_below_zero(matrix: Floats, side: Floats, k: int) -> Floats:
    """The least of xᵀMx/2 − sᵀx with the first k of x not below zero: NNLS on a Cholesky factor of M."""
    from scipy.linalg import solve_triangular
    from scipy.optimize import nnls

    factor = np.linalg.cholesky(matrix + 1e-13 * np.trace(matrix) / matrix.shape[0] * np.eye(matrix.shape[0]))
    target = solve_triangular(factor, side, lower=True)
    if matrix.shape[0] == k:
        return np.asarray(nnls(factor.T, target, maxiter=50 * k)[0])
    wide = np.column_stack([factor.T, -factor.T[:, k:]])  # a level may lie below zero, as a difference
    x = nnls(wide, target, maxiter=50 * k)[0]
    return np.asarray(np.append(x[:k], x[k : k + 1] - x[k + 1 :]))


def _chosen(table: Floats, n: int, by: str) -> int:
    strengths, chi2, rough = table
    if strengths.size == 1:
        return 0
    if by == "corner":
        a, b = np.log(chi2), np.log(np.maximum(rough, 1e-300))
        turn = np.gradient(a) * np.gradient(np.gradient(b)) - np.gradient(b) * np.gradient(np.gradient(a))
        turn /= (np.gradient(a) ** 2 + np.gradient(b) ** 2 + 1e-12) ** 1.5
        return int(np.argmax(turn[1:-1])) + 1
    allowed = float(chi2.min()) * (1 + math.sqrt(2 / n) / 2)
    return int(np.flatnonzero(chi2 <= allowed)[-1])


@dataclass(frozen=True, eq=False)
class Distances:
    """p(r) with u over `r`, each (k,), for the likeliest largest distance; and what follows from all that are likely.

    `rg`, `forward` and `largest` are pairs of value and u; `fitted` (n,) the intensities; `chi2` per point.
    """

    r: Floats
    p: Floats
    u: Floats
    rg: tuple[float, float]
    forward: tuple[float, float]
    largest: tuple[float, float]
    fitted: Floats
    chi2: float


@dataclass(frozen=True, eq=False)
class _At:
    """One largest distance: strengths with the logarithm of how likely the points are with each, and what follows."""

    largest: float
    likely: Floats
    rg: Floats
    u_rg: Floats
    forward: Floats
    u_forward: Floats
    made: tuple[Floats, Floats, Floats, Floats]


def pair_distances(q: Floats, intensity: Floats, u: Floats, largest: float = 0.0) -> Distances:
    """The pair distance distribution: I(q) = 4π·∫ p(r)·sin(qr)/(qr) dr over 0 … Dmax (O. Glatter 1977; from memory).

    p is zero at both ends and smooth: its second differences are drawn from a normal distribution, whose width and Dmax
    are told by how likely the points are with them (S. Hansen, J. Appl. Cryst. 33 (2000) 1415; from memory). Rg, I(0)
    and Dmax are means over all that is likely, with u of the points and of what is not known of both. `largest` gives
    Dmax by hand. All of shape (n,). Raises InputError for too few points.
    """
    if q.size < LEAST_POINTS:
        raise InputError(f"{counted(q.size, 'point')} are too few for pair distances; {LEAST_POINTS} are needed.")
    _must_be_numbers(q, intensity, u)
    if largest:
        all_of = [_at(q, intensity, u, largest)]
    else:
        # From what the largest q still tells apart to what the smallest one does not feel any more.
        wide = np.geomspace(3 * math.pi / float(q.max()), 2 * math.pi / float(q.min()), _LENGTHS)
        first = [_at(q, intensity, u, float(one)) for one in wide]
        best = int(np.argmax([one.likely.max() for one in first]))
        low, high = wide[max(best - 1, 0)], wide[min(best + 1, wide.size - 1)]
        all_of = [_at(q, intensity, u, float(one)) for one in np.linspace(low, high, _AROUND)]
    top = max(float(one.likely.max()) for one in all_of)
    weights = [np.exp(one.likely - top) for one in all_of]
    total = float(sum(w.sum() for w in weights))

    def over_all(values: list[Floats], us: list[Floats]) -> tuple[float, float]:
        mean = sum(float(w @ v) for w, v in zip(weights, values, strict=True)) / total
        square = sum(float(w @ ((v - mean) ** 2 + s**2)) for w, v, s in zip(weights, values, us, strict=True))
        return mean, math.sqrt(square / total)

    nothing = [np.zeros(one.likely.size) for one in all_of]
    ends = [np.full(one.likely.size, one.largest) for one in all_of]
    best_one = max(all_of, key=lambda one: float(one.likely.max()))
    r, p, u_p, fitted = best_one.made
    rest = (fitted - intensity) / u
    spread = over_all(ends, nothing)
    rg, forward = (
        over_all([getattr(one, name) for one in all_of], [getattr(one, f"u_{name}") for one in all_of])
        for name in ("rg", "forward")
    )
    if len(all_of) > 1:  # a thin end, as of a few large particles, is hardly felt: what a longer one would make of it
        longer = _at(q, intensity, u, _LONGER * best_one.largest)
        at, here = int(np.argmax(longer.likely)), int(np.argmax(best_one.likely))
        rg = rg[0], math.hypot(rg[1], float(longer.rg[at] - best_one.rg[here]))
        forward = forward[0], math.hypot(forward[1], float(longer.forward[at] - best_one.forward[here]))
        spread = spread[0], math.hypot(spread[1], (all_of[1].largest - all_of[0].largest) / math.sqrt(12))
    return Distances(
        r, p, u_p, rg, forward, spread, fitted, float(rest @ rest) / q.size,
    )  # fmt: skip


def _at(q: Floats, intensity: Floats, u: Floats, largest: float) -> _At:
    r = np.linspace(0, largest, _NODES + 2)[1:-1]
    step = float(r[1] - r[0])
    kernel = 4 * math.pi * sinc(np.outer(q, r)) * step / u[:, None]
    side = intensity / u
    bend = np.diff(np.pad(np.eye(r.size), ((2, 2), (0, 0))), 2, axis=0)  # p and its slope are zero at both ends
    inverse = np.linalg.inv(np.linalg.cholesky(bend.T @ bend).T)
    left, s, right = np.linalg.svd(kernel @ inverse, full_matrices=False)
    along = left.T @ side
    alpha = np.geomspace(1e-10, 1e2, 49) * float(s[0]) ** 2
    share = s[:, None] ** 2 / (s[:, None] ** 2 + alpha)
    # The level of p is not known before: the prior's width is measured against the points' own.
    likely = -0.5 * np.log1p(s[:, None] ** 2 / alpha).sum(axis=0)
    likely -= 0.5 * (float(side @ side) - (share * along[:, None] ** 2).sum(axis=0))
    basis = inverse @ right.T  # (k, m)
    values = basis @ (s[:, None] / (s[:, None] ** 2 + alpha) * along[:, None])  # (k, strengths)
    whole = inverse @ inverse.T
    ones = np.full(r.size, 4 * math.pi * step)
    forward = ones @ values
    second = (r**2 * ones) @ values
    with np.errstate(all="ignore"):
        rg = np.sqrt(np.maximum(second / (2 * forward), 0.0))
    # What the same smoothing makes of its own answer tells how much it takes off, as nobody knows the truth.
    again = basis @ (s[:, None] / (s[:, None] ** 2 + alpha) * share * along[:, None])
    with np.errstate(all="ignore"):
        rg_again = np.sqrt(np.maximum((r**2 * ones) @ again / (2 * (ones @ again)), 0.0))
    taken_off = (np.nan_to_num(rg_again - rg), ones @ again - forward)
    u_forward, u_rg = np.zeros(alpha.size), np.zeros(alpha.size)
    for k, a in enumerate(alpha):
        if likely[k] < likely.max() - 30:
            continue
        for by, into in ((ones, u_forward), (None, u_rg)):
            if by is None:
                slope = (r**2 - 2 * rg[k] ** 2) * ones / (4 * rg[k] * forward[k]) if rg[k] > 0 else 0 * r
            else:
                slope = by
            along_basis = basis.T @ slope
            known = float(((1 / (s**2 + a) - 1 / a) * along_basis) @ along_basis)
            into[k] = math.sqrt(max(float(slope @ whole @ slope) / a + known, 0.0))
    u_rg, u_forward = (np.hypot(own, off) for own, off in zip((u_rg, u_forward), taken_off, strict=True))
    place = int(np.argmax(likely))
    a = alpha[place]
    variance = np.diag(whole) / a + (basis**2) @ (1 / (s**2 + a) - 1 / a)
    p = np.concatenate([[0.0], values[:, place], [0.0]])
    u_p = np.concatenate([[0.0], np.sqrt(np.maximum(variance, 0.0)), [0.0]])
    fitted = (kernel @ values[:, place]) * u
    return _At(
        largest, likely, rg, u_rg, forward, u_forward, (np.linspace(0, largest, _NODES + 2), p, u_p, fitted)
    )  # fmt: skip
