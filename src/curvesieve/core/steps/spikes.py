"""Telling spikes from narrow lines: what lines of a detector's own width could do in the eleven points around one.

Around each point that stands out, two explanations are compared by what they leave over. *Lines*: up to three lines of
one sign, Gaussian or Lorentzian and no narrower than a given FWHM, or a step, on a parabola. *A spike*: the same, with
one to three neighbouring points left out. Only a group that rises from both its sides is a spike, and only when the
lines leave clearly more: a line, however narrow, has flanks of its own, and a spike has none.

What lines could do is worked out in `templates`.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from curvesieve.core.steps.running import running_quantile
from curvesieve.core.steps.templates import REACH, SIDE, Floats, Ints, left_over, templates_of

_GAIN, _AT_5_SIGMA = 7.0, 5.0
"""What a spike must earn over lines at a threshold of 5σ; it grows with the threshold's square."""
_MOST_LEFT, _FREEDOM = 14.0, 4.0
"""Around a spike the rest must be explained: to this much, and the gain must be large against it."""
_SHAPE = 0.02
"""Share of the local height that no template promises to explain: true lines are of other shapes, too."""
_EDGE, _BALANCE, _NEIGHBOUR = 0.15, 0.1, 3.5
"""How sharply both sides of a spike must rise, against its height and against one another; and how many σ a neighbour
must stand out beside a spike to belong to it."""
_BLOCK = 48
"""Windows judged at a time: few enough that their sums with every template stay in the fast memory of a core."""


def _groups(place: int) -> list[tuple[int, ...]]:
    """One to three neighbouring points of a window with the candidate among them."""
    found = [tuple(range(a, a + size)) for size in (1, 2, 3) for a in range(place - size + 1, place + 1)]
    return [group for group in found if group[0] >= 0 and group[-1] < SIDE]


def _rises(windows: Floats, group: tuple[int, ...], variance: Floats) -> NDArray[np.bool_]:
    """Whether a group stands up (or down) sharply on both its sides: the second differences beside it say so."""
    a, b = group[0], group[-1]
    if a == 0:
        level = 2 * windows[:, b + 1] - windows[:, b + 2]
    elif b == SIDE - 1:
        level = 2 * windows[:, a - 1] - windows[:, a - 2]
    else:
        level = (windows[:, a - 1] + windows[:, b + 1]) / 2
    height = windows[:, list(group)].mean(axis=1) - level
    sides = [
        np.sign(height) * (windows[:, low] - 2 * windows[:, low + 1] + windows[:, low + 2])
        for low in (a - 2, b)
        if low >= 0 and low + 2 < SIDE
    ]
    least, most = np.min(sides, axis=0), np.max(sides, axis=0)
    needed = np.maximum(_EDGE * np.abs(height), np.sqrt(variance))
    return np.asarray((least >= needed) & (least >= _BALANCE * most))


@dataclass(frozen=True, eq=False)
class Judged:
    """What was found of the candidates: the points of each one's spike (none: it is none), and which lines explain."""

    points: tuple[Ints, ...]
    lines: NDArray[np.bool_]


def judge(y: Floats, at: Ints, sigma: Floats, threshold: float, narrowest: float) -> Judged:
    """Judges the candidates at places `at` of a curve of at least `SIDE` points, with their noise `sigma`.

    A line is no narrower than `narrowest` points FWHM. The threshold, in σ, scales what a spike must earn.
    `y` has shape (n,), `at` (places from 0) and `sigma` have (candidates,).
    """
    start = np.clip(at - REACH, 0, y.size - SIDE)
    place = at - start
    points, lines = [np.empty(0, np.intp)] * at.size, np.zeros(at.size, bool)
    for where in np.unique(place):
        members = np.flatnonzero(place == where)
        for part in np.array_split(members, 1 + members.size // _BLOCK):
            windows = y[start[part, None] + np.arange(SIDE)]
            found, explained = _judge_windows(windows, int(where), sigma[part], threshold, narrowest)
            lines[part] = explained
            for row in np.flatnonzero(found.any(axis=1)):
                points[part[row]] = start[part[row]] + np.flatnonzero(found[row])
    return Judged(tuple(points), lines)


def _judge_windows(
    windows: Floats, place: int, sigma: Floats, threshold: float, narrowest: float
) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """The points of spikes in windows (n, SIDE) whose candidates stand at one place, and which lines explain."""
    first, last = place < 3, place > SIDE - 4
    near = windows[:, max(place - 3, 0) : place + 4]
    variance = sigma**2 + (_SHAPE * np.ptp(near, axis=1)) ** 2
    windows = windows - windows.mean(axis=1, keepdims=True)
    gain = _GAIN * (threshold / _AT_5_SIGMA) ** 2
    left = left_over(windows, templates_of((), first, last, narrowest), variance, 3)[0] / variance
    found, explained = np.zeros(windows.shape, bool), left <= gain
    doubtful = np.flatnonzero(~explained)
    if not doubtful.size:
        return found, explained
    without = _Without(windows[doubtful], variance[doubtful], _groups(place), (first, last, narrowest))
    windows, variance, left = without.windows, without.variance, left[doubtful]
    rising = np.array([_rises(windows, group, variance) for group in without.groups])
    without.judge(rising)
    allowed = np.where(rising, without.scores, np.inf)
    best = allowed.argmin(axis=0)
    rest = allowed[best, np.arange(doubtful.size)]
    sizes = np.array([len(group) for group in without.groups])[best]
    is_spike = (left - rest > gain * np.maximum(1.0, (rest - sizes) / _FREEDOM)) & (rest <= _MOST_LEFT)
    for i in np.flatnonzero(is_spike).tolist():
        apart = abs(windows[i, place] - without.drawn[best[i], i, place])
        is_spike[i] = apart > threshold * sigma[doubtful[i]]
    cores = [set(group) for group in without.groups]
    around = np.array([[len(g) == 3 and cores[k] <= set(g) for k in best] for g in without.groups]) & is_spike
    without.judge(around)
    for i in np.flatnonzero(is_spike).tolist():
        found[doubtful[i]] = _extent(without, i, place, np.flatnonzero(around[:, i]))
    return found, explained


class _Without:
    """What lines leave over of windows (n, SIDE) without each group of points; worked out where it is asked for.

    `scores` (groups, n) has it in units of the variance with the cost of the points, `drawn` (groups, n, SIDE) the
    lines.
    """

    def __init__(
        self, windows: Floats, variance: Floats, groups: list[tuple[int, ...]], kind: tuple[bool, bool, float]
    ) -> None:
        self.windows, self.variance, self.groups, self._kind = windows, variance, groups, kind
        self.scores = np.full((len(groups), len(windows)), np.inf)
        self.drawn = np.zeros((len(groups), *windows.shape))

    def judge(self, wanted: NDArray[np.bool_]) -> None:
        """Works out the pairs (groups, n) that are wanted and not known yet."""
        for k, group in enumerate(self.groups):
            rows = np.flatnonzero(wanted[k] & np.isinf(self.scores[k]))
            if rows.size:
                left, self.drawn[k, rows] = left_over(
                    self.windows[rows], templates_of(group, *self._kind), self.variance[rows]
                )
                self.scores[k, rows] = left / self.variance[rows] + len(group)


def _extent(without: _Without, row: int, place: int, around: Ints) -> NDArray[np.bool_]:
    """The points that belong to a spike: those that stand out from what the points outside a group of three tell.

    `around` are the groups of three that hold the spike's core.
    """
    most, taken = (-1, 0.0), np.zeros(SIDE, bool)
    window = without.windows[row]
    for k in around:
        group, line = list(without.groups[k]), without.drawn[k, row]
        apart = (window - line) * np.sign(window[place] - line[place]) / np.sqrt(without.variance[row])
        out = np.zeros(SIDE, bool)
        out[group] = apart[group] > _NEIGHBOUR
        if (int(out.sum()), -float(without.scores[k, row])) > most:
            most, taken = (int(out.sum()), -float(without.scores[k, row])), out
    points = np.flatnonzero(taken | (np.arange(SIDE) == place))
    taken = np.zeros(SIDE, bool)
    taken[points[0] : points[-1] + 1] = True
    return taken


_least: dict[float, float] = {}


def is_prepared(narrowest: float) -> bool:
    """Whether what is worked out once for a narrowest line, in some tenths of a second, is there."""
    return narrowest in _least


def _least_left(narrowest: float) -> float:
    """The quantile of what lines leave over of pure noise of variance one; from the same draws always."""
    if narrowest not in _least:
        noise = np.random.default_rng(0).normal(size=(2000, SIDE))
        _least[narrowest] = float(np.quantile(_left(noise, narrowest), _QUANTILE))
    return _least[narrowest]


def _left(windows: Floats, narrowest: float) -> Floats:
    templates = templates_of((), False, False, narrowest)
    parts = np.array_split(windows, 1 + len(windows) // _BLOCK)
    return np.concatenate([left_over(part, templates, np.zeros(len(part)))[0] for part in parts])


_MOST_WINDOWS, _FEW_WINDOWS, _QUANTILE = 1500, 45, 0.3


@dataclass(frozen=True, eq=False)
class Between:
    """The s. d. `sigma` (n,) of the noise around each point, with the windows (k, SIDE) that tell it and what lines
    leave over of each."""

    sigma: Floats
    windows: Floats
    left: Floats


def noise_between_lines(y: Floats, span: int, narrowest: float, before: Between | None = None) -> Between:
    """The noise around each point, from what lines leave over in windows along the curve.

    A low quantile over some `span` points, so that crowded or mismatched lines do not count as noise. Of a curve that
    was patched since `before`, only the windows that changed are worked out anew.
    `y` has shape (n,), and so has the noise that is told, in the unit of y.
    """
    step = max(REACH, y.size // _MOST_WINDOWS)
    start = np.arange(0, y.size - SIDE + 1, step)
    windows = y[start[:, None] + np.arange(SIDE)]
    new = np.ones(start.size, bool) if before is None else (windows != before.windows).any(axis=1)
    left = np.empty(start.size) if before is None else before.left.copy()
    if new.any():
        left[new] = _left(windows[new] - windows[new].mean(axis=1, keepdims=True), narrowest)
    size = max(_FEW_WINDOWS, round(span / step)) | 1
    if left.size > size:
        low = running_quantile(left, size, _QUANTILE)
    else:
        low = np.full(left.size, np.quantile(left, _QUANTILE))
    sigma = np.sqrt(np.maximum(low, 0.0) / _least_left(narrowest))
    return Between(np.asarray(np.interp(np.arange(y.size), start + REACH, sigma)), windows, left)
