"""Telling spikes from narrow lines: what lines of a detector's own width could do in the eleven points around one.

Around each point that stands out, two explanations are compared by what they leave over. *Lines*: up to three lines of
one sign, Gaussian or Lorentzian and no narrower than a given FWHM, or a step, on a parabola. *A spike*: the same, with
one to three neighbouring points left out. Only a group that rises from both its sides is a spike, and only when the
lines leave clearly more: a line, however narrow, has flanks of its own, and a spike has none.

Templates stand on a grid of centers and widths; the best few are taken one after the other (orthogonal matching
pursuit: Y. C. Pati, R. Rezaiifar and P. S. Krishnaprasad 1993; from memory). Every parameter costs a little, as in
Akaike's criterion, so that two lines do not explain what is noise.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
REACH = 5
SIDE = 2 * REACH + 1
"""Points of the window around a candidate."""
_WIDTHS = np.array([2, 2.2, 2.45, 2.75, 3.1, 3.5, 4, 4.7, 5.6, 7, 9, 12])
_APART = 1.8
"""Two lines of a window are this many FWHM apart at least, or they are one of mixed shape: closer ones, summed with
their weights, would be sharper than a line can be."""
_COST = (3.0, 8.0, 13.0)
"""What one, two and three lines must earn, in units of the variance of the noise; and a point that is left out: 1."""
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


@dataclass(frozen=True, eq=False)
class _Templates:
    """Lines and steps over a window with some points left out: orthogonal to the base and of length one.

    `keep` (SIDE,) are the points that count, `base` an orthonormal basis (points, 2 or 3) of what lines stand on and
    `lines` (k, points) the templates; `base_all` and `lines_all` go on over the points left out. `together` (k, k)
    tells which templates may stand side by side.
    """

    keep: NDArray[np.bool_]
    base: Floats
    lines: Floats
    base_all: Floats
    lines_all: Floats
    together: NDArray[np.bool_]
    beside: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
    """For the templates of whole windows, which are used most: what two share (k, k), and 1/√(1 − share²), which turns
    what is seen of a second line beside a first into what it explains; 0 where the two may not stand together."""


@lru_cache(maxsize=64)
def _raw(first: bool, last: bool, narrowest: float) -> tuple[Floats, NDArray[np.bool_]]:
    """All templates (k, SIDE) of a window at the first points, at the last, or anywhere; and which go together."""
    x = np.arange(SIDE)
    shapes, centers, widths = [], [], []
    for width in (narrowest, *(width for width in _WIDTHS if width > narrowest)):
        step = 0.125 if width < 2.9 else 0.25 if width < 4.5 else 0.5 if width < 7 else 1.0
        low = 0.0 if first else -1 - 0.35 * width  # beyond the ends of the data nothing is known of a line
        high = SIDE - 1.0 if last else SIDE + 0.35 * width
        center = np.arange(low, high + 0.01, step)
        t = (x - center[:, None]) / width
        shapes += [np.exp(-4 * np.log(2) * t * t), 1 / (1 + 4 * t * t)]
        centers += [center, center]
        widths += [np.full(center.size, width)] * 2
    edge = np.arange(4 if first else 1, SIDE - 3 if last else SIDE)
    shapes += [(x >= edge[:, None]).astype(np.float64), (x < edge[:, None]).astype(np.float64)]
    centers += [edge - 0.5] * 2
    widths += [np.full(edge.size, 2.0)] * 2
    center, width = np.concatenate(centers), np.concatenate(widths)
    gap = np.abs(center[:, None] - center)
    mixed = (gap <= 0.3) & (np.abs(np.log(width[:, None] / width)) < 0.5)
    return np.concatenate(shapes), mixed | (gap >= _APART * np.minimum(width[:, None], width))


@lru_cache(maxsize=128)
def _templates(left_out: tuple[int, ...], first: bool, last: bool, narrowest: float) -> _Templates:
    keep = np.ones(SIDE, bool)
    keep[list(left_out)] = False
    x = (np.arange(SIDE) - REACH) / REACH
    powers = np.stack([np.ones(SIDE), x, x * x][: 2 if first or last else 3], axis=1)
    base, triangle = np.linalg.qr(powers[keep])
    base_all = powers @ np.linalg.inv(triangle)
    raw, together = _raw(first, last, narrowest)
    kept = raw[:, keep]
    bent = kept - (kept @ base) @ base.T
    length = np.linalg.norm(bent, axis=1)
    good = length > 0.02 * np.maximum(np.linalg.norm(kept, axis=1), 1e-9)
    lines_all = (raw - (kept @ base) @ base_all.T)[good] / length[good, None]
    lines, together = lines_all[:, keep], together[np.ix_(good, good)]
    return _Templates(keep, base, lines, base_all, lines_all, together, None if left_out else _beside(lines, together))


def _beside(lines: Floats, together: NDArray[np.bool_]) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    share = lines @ lines.T
    over = together / np.sqrt(np.maximum(1 - share**2, 1e-6))
    return share.astype(np.float32), over.astype(np.float32)


def _explained(windows: Floats, templates: _Templates, variance: Floats, most: int = 2) -> tuple[Floats, Floats]:
    """What the best of no line to `most` lines leave over (n,), costs included, and their values (n, SIDE).

    `variance` (n,) is that of the noise, in which the cost of a line is counted.
    """
    row = np.arange(len(windows))
    kept = windows[:, templates.keep]
    on_base = kept @ templates.base
    rest = kept - on_base @ templates.base.T
    left = np.einsum("nk,nk->n", rest, rest)
    ground = on_base @ templates.base_all.T
    best, drawn = left.copy(), ground
    seen = rest @ templates.lines.T
    for sign in (1.0, -1.0):
        along = sign * seen
        one = along.argmax(axis=1)
        height = np.maximum(along[row, one], 0.0)
        two = _second(along, one, height, templates)
        share = np.einsum("nk,nk->n", templates.lines[one], templates.lines[two])
        across = np.sqrt(np.maximum(1 - share**2, 1e-6))
        more = (along[row, two] - height * share) / across
        more = np.where(_upright(templates.together[one, two], height, share, across, more), more, 0.0)
        after_one, after_two = left - height**2, left - height**2 - more**2
        score, pair = after_one + _COST[0] * variance, after_two + _COST[1] * variance
        takes_two = pair < score
        score = np.minimum(score, pair)
        if most > 2:
            shares = templates.lines[one] @ templates.lines.T
            beside = templates.lines[two] - share[:, None] * templates.lines[one]
            shared = (beside / across[:, None]) @ templates.lines.T
            third = along - height[:, None] * shares - more[:, None] * shared
            third = third / np.sqrt(np.maximum(1 - shares**2 - shared**2, 1e-4))
            free = templates.together[one] & templates.together[two] & (third > 0)
            score = np.minimum(score, after_two - np.where(free, third, 0.0).max(axis=1) ** 2 + _COST[2] * variance)
        second_height = np.where(takes_two, more / across, 0.0)
        first_height = height - share * second_height
        lines = first_height[:, None] * templates.lines_all[one] + second_height[:, None] * templates.lines_all[two]
        drawn = np.where((score < best)[:, None], ground + sign * lines, drawn)
        best = np.minimum(best, score)
    return best, drawn


def _upright(together: Any, height: Floats, share: Floats, across: Floats, more: Floats) -> NDArray[np.bool_]:
    """Whether two lines may stand side by side, both of the sign that is looked for."""
    return np.asarray(together & (more > 0) & (height * across >= share * more))


def _second(along: Floats, one: Ints, height: Floats, templates: _Templates) -> Ints:
    """The line (n,) that explains most beside line `one` of that height, upright and far enough from it.

    With `beside` at hand the choice is made in single precision, and where it is not upright, once more in full.
    """
    row = np.arange(one.size)
    doubtful = row
    two = np.zeros(one.size, np.intp)
    if templates.beside is not None:
        shares, over = templates.beside
        fast = along.astype(np.float32)
        fast -= height.astype(np.float32)[:, None] * shares[one]
        fast *= over[one]
        two = fast.argmax(axis=1)
        share = shares[one, two].astype(np.float64)
        across = np.sqrt(np.maximum(1 - share**2, 1e-6))
        more = (along[row, two] - height * share) / across
        doubtful = np.flatnonzero((more > 0) & (height * across < share * more))
    if doubtful.size:
        share = templates.lines[one[doubtful]] @ templates.lines.T
        across = np.sqrt(np.maximum(1 - share**2, 1e-6))
        size = height[doubtful, None]
        more = (along[doubtful] - size * share) / across
        upright = _upright(templates.together[one[doubtful]], size, share, across, more)
        two[doubtful] = np.where(upright, more, 0.0).argmax(axis=1)
    return two


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
    left = _explained(windows, _templates((), first, last, narrowest), variance, 3)[0] / variance
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
                left, self.drawn[k, rows] = _explained(
                    self.windows[rows], _templates(group, *self._kind), self.variance[rows]
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
    templates = _templates((), False, False, narrowest)
    parts = np.array_split(windows, 1 + len(windows) // _BLOCK)
    return np.concatenate([_explained(part, templates, np.zeros(len(part)))[0] for part in parts])


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
    """
    from scipy.ndimage import percentile_filter

    step = max(REACH, y.size // _MOST_WINDOWS)
    start = np.arange(0, y.size - SIDE + 1, step)
    windows = y[start[:, None] + np.arange(SIDE)]
    new = np.ones(start.size, bool) if before is None else (windows != before.windows).any(axis=1)
    left = np.empty(start.size) if before is None else before.left.copy()
    if new.any():
        left[new] = _left(windows[new] - windows[new].mean(axis=1, keepdims=True), narrowest)
    size = max(_FEW_WINDOWS, round(span / step)) | 1
    if left.size > size:
        low = percentile_filter(left, 100 * _QUANTILE, size=size, mode="mirror")
    else:
        low = np.full(left.size, np.quantile(left, _QUANTILE))
    sigma = np.sqrt(np.maximum(low, 0.0) / _least_left(narrowest))
    return Between(np.asarray(np.interp(np.arange(y.size), start + REACH, sigma)), windows, left)
