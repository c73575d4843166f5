"""What repeats in a field: its spectrum, and how far likeness reaches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from curvesieve.core.curve import Floats
from curvesieve.core.errors import InputError
from curvesieve.core.fields.grid import Grid
from curvesieve.core.fields.inner import inner
from curvesieve.core.fields.points import is_even
from curvesieve.core.fields.reads.base import FieldMeasure, FieldTaken, Number, SeenField
from curvesieve.core.rules import RuleField


@dataclass(frozen=True, eq=False)
class Spectrum:
    """Power of a grid by spatial frequency: `fx` of shape (m,), `fy` (n,), ascending, `power` (n, m).

    The power sums to the mean square of z about its mean (Parseval), of a windowed grid to that of the window's.
    """

    fx: Floats
    fy: Floats
    power: Floats


def _even(grid: Grid) -> None:
    for axis in (grid.x, grid.y):
        if axis.size < 4 or not is_even(axis):
            raise InputError("a spectrum needs even rows and columns, four and more; fill the field on a grid.")
    if not grid.known.all():
        raise InputError("a spectrum needs a grid without gaps; crop the field, or fill outside the points.")


def spectrum(grid: Grid, window: bool = False) -> Spectrum:
    """The spectrum of a grid by the fast Fourier transform; with a Hann window, against leaking at the edges.

    Raises InputError for uneven axes or gaps.
    """
    _even(grid)
    z = grid.z - grid.z.mean()
    if window:
        taper = np.outer(np.hanning(z.shape[0] + 2)[1:-1], np.hanning(z.shape[1] + 2)[1:-1])
        z = (z - np.average(z, weights=taper)) * taper / np.sqrt(np.mean(taper**2))
    power = np.abs(np.fft.fftshift(np.fft.fft2(z))) ** 2 / z.size**2
    fx, fy = (np.fft.fftshift(np.fft.fftfreq(axis.size, axis[1] - axis[0])) for axis in (grid.x, grid.y))
    return Spectrum(fx, fy, power)


def autocorrelation(grid: Grid) -> tuple[Floats, Floats, Floats]:
    """Lags along x (m,) and y (n,), and the likeness of the surface with itself moved by them, of shape (n, m).

    Every lag is the mean over the nodes that both have (no wrapping). Raises InputError for uneven axes or gaps.
    """
    _even(grid)
    z = grid.z - grid.z.mean()
    if not np.ptp(z) > 0:
        raise InputError("the surface is flat: it has no correlation length.")
    n, m = z.shape
    shape = (2 * n, 2 * m)
    f, ones = np.fft.rfft2(z, shape), np.fft.rfft2(np.ones_like(z), shape)
    total = np.fft.fftshift(np.fft.irfft2(np.abs(f) ** 2, shape))
    pairs = np.fft.fftshift(np.fft.irfft2(np.abs(ones) ** 2, shape))
    rows, columns = slice(n - n // 2, n + n // 2 + 1), slice(m - m // 2, m + m // 2 + 1)
    likeness = (total[rows, columns] / pairs[rows, columns]) / np.mean(z**2)
    lag_y, lag_x = (np.arange(-(k // 2), k // 2 + 1) * (axis[1] - axis[0]) for k, axis in ((n, grid.y), (m, grid.x)))
    return lag_x, lag_y, likeness


class Periods(FieldMeasure):
    """The strongest period of a surface."""

    slug = "field-periods"
    label = "Strongest period"
    group = "periods"
    summary = "The spectrum over the plane: the strongest period and its direction"
    words = "fourier fft spectrum wavelength direction lay"
    reference = "Cooley and Tukey (1965), Math. Comp. 19, 297"
    told = "the strongest period of the spectrum over the plane"

    window: bool = RuleField(
        True, label="fade the edges", help="a Hann window, so that edges do not leak into all periods"
    )

    def take(self, seen: SeenField) -> FieldTaken:
        grid = seen.grid
        if grid.names.x_unit != grid.names.y_unit:
            raise InputError("x and y have different units: periods across the plane have none. Convert one of them.")
        grid, where = inner(grid)
        found = spectrum(grid, self.window)
        n, m = found.power.shape
        half = found.power.copy()
        half[n // 2 - 1 : n // 2 + 2, m // 2 - 1 : m // 2 + 2] = 0.0  # slow swells of the whole map are no period
        half[: n // 2] = 0.0
        half[n // 2, : m // 2] = 0.0
        if not half.max() > 0:
            raise InputError("nothing repeats within this field.")
        row, column = (int(place) for place in np.unravel_index(int(half.argmax()), half.shape))
        fx, fy = _crest(found, row, column)
        frequency = float(np.hypot(fx, fy))
        step = float(np.hypot((found.fx[1] - found.fx[0]) * fx, (found.fy[1] - found.fy[0]) * fy)) / frequency
        share = (
            2 * float(half[max(row - 1, 0) : row + 2, max(column - 1, 0) : column + 2].sum()) / float(found.power.sum())
        )
        u = step / np.sqrt(12)
        numbers = (
            Number("period", "strongest period", "λ", 1 / frequency, u / frequency**2, (1, 0)),
            Number("direction", "its direction", "φ", float(np.degrees(np.arctan2(fy, fx))),
                   float(np.degrees(u / frequency)), unit="°"),
            Number("share", "share of the power", "P", min(share, 1.0), None, unit=""),
        )  # fmt: skip
        return FieldTaken(numbers, "; ".join(filter(None, ("u is that of the steps of frequency", where))))


def _crest(found: Spectrum, row: int, column: int) -> tuple[float, float]:
    """The frequency of the crest about a cell, by parabolas through the logarithms of its neighbours."""

    def off(values: Floats, k: int) -> float:
        if not 0 < k < values.size - 1 or values[k - 1 : k + 2].min() <= 0:
            return 0.0
        a, b, c = np.log(values[k - 1 : k + 2])
        bend = a - 2 * b + c
        return float(np.clip(0.5 * (a - c) / bend, -0.5, 0.5)) if bend < 0 else 0.0

    dx, dy = found.fx[1] - found.fx[0], found.fy[1] - found.fy[0]
    return (
        float(found.fx[column] + off(found.power[row], column) * dx),
        float(found.fy[row] + off(found.power[:, column], row) * dy),
    )


class CorrelationLength(FieldMeasure):
    """How far the surface is like itself."""

    slug = "field-correlation"
    label = "Correlation length"
    group = "periods"
    summary = "How far the surface is like itself: the shortest and longest way on which likeness falls to a share"
    words = "autocorrelation Sal Str texture aspect ratio anisotropy"
    reference = "ISO 25178-2:2021, 4.4 (Sal, Str)"
    told = "the distances on which the autocorrelation falls to {share}"

    share: float = RuleField(0.2, label="falls to", help="0.2 by the standard; 1/e by others", gt=0, lt=1)

    def take(self, seen: SeenField) -> FieldTaken:
        grid = seen.grid
        if grid.names.x_unit != grid.names.y_unit:
            raise InputError("x and y have different units: lengths across the plane have none. Convert one of them.")
        grid, where = inner(grid)
        reach = falls(grid, self.share)
        known = np.isfinite(reach)
        if not known.any():
            raise InputError(
                "the surface stays like itself over half of its extent: the field is too small, or not levelled."
            )
        shortest = float(np.nanmin(reach))
        numbers = [Number("Sal", "shortest correlation length", "Sal", shortest, None, (1, 0))]
        if known.all():
            longest = float(np.nanmax(reach))
            numbers += [Number("longest", "longest correlation length", "Sal(max)", longest, None, (1, 0)),
                        Number("Str", "texture aspect ratio", "Str", shortest / longest, None, unit="")]  # fmt: skip
        said = (
            "by the autocorrelation of the grid"
            if known.all()
            else ("along some directions likeness outlasts half of the extent: Str is not read")
        )
        return FieldTaken(tuple(numbers), "; ".join(filter(None, (said, where))))


def falls(grid: Grid, share: float, directions: int = 180) -> Floats:
    """How far, in each of so many directions of a half turn, likeness takes to fall to a share: shape (directions,).

    NaN where it does not within half of the extent. Raises InputError for uneven axes or gaps.
    """
    from scipy.ndimage import map_coordinates

    lag_x, lag_y, likeness = autocorrelation(grid)
    step_x, step_y = lag_x[1] - lag_x[0], lag_y[1] - lag_y[0]
    made = np.full(directions, np.nan)
    for k, angle in enumerate(np.pi * np.arange(directions) / directions):
        c, s = np.cos(angle), np.sin(angle)
        longest = min(lag_x[-1] / max(abs(c), 1e-12), lag_y[-1] / max(abs(s), 1e-12))
        way = np.arange(0.0, longest, 0.25 * min(step_x, step_y))
        at = np.stack([(way * s) / step_y + lag_y.size // 2, (way * c) / step_x + lag_x.size // 2])
        values = map_coordinates(likeness, at, order=1, mode="nearest")
        below = np.flatnonzero(values <= share)
        if below.size:
            i = int(below[0])
            before, after = values[i - 1], values[i]
            made[k] = way[i - 1] + (way[i] - way[i - 1]) * (before - share) / (before - after) if i else 0.0
    return made
