"""What tracing finds in charts with known truth, as figures: places off in pixels, shares found, shares false.

Used by the suite on a seeded sample, and on 200 charts by `python -m tests.core.trace_checks`.
"""

from __future__ import annotations

import sys
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from scipy.spatial import cKDTree

from curvesieve.core.errors import InputError
from curvesieve.core.tracing.alike import marks_alike
from curvesieve.core.tracing.axes import Frame, Mark, calibrated, filled, framed
from curvesieve.core.tracing.bars import bars_alike
from curvesieve.core.tracing.follow import follow
from curvesieve.core.tracing.parts import BarSpec, SeriesSpec
from curvesieve.core.tracing.snap import snapped
from curvesieve.core.tracing.ticks import FoundFrame, found_frame
from curvesieve.core.tracing.values import traced, traced_bars
from tests.core.charts import Drawn, Series, drawn

GOALS = {"axes": 0.2, "snapped": 0.5, "line": 0.7, "bars": 0.6}
"""Pixels."""


@dataclass
class Tally:
    """Misses in pixels of axes (x and y apart), clicks, tops and whiskers of bars, with numbers found and false."""

    axes: list[float] = field(default_factory=list)
    snapped: list[float] = field(default_factory=list)
    line_share: list[tuple[float, float]] = field(default_factory=list)
    marks_found: list[tuple[int, int, int]] = field(default_factory=list)
    tops: list[float] = field(default_factory=list)
    whiskers: list[float] = field(default_factory=list)
    covered: list[bool] = field(default_factory=list)

    def shares(self) -> dict[str, float]:
        """Each goal's share: within its pixels, or found, or false."""
        true, hit, false = np.array(self.marks_found or [(0, 0, 0)]).sum(axis=0)
        length, good = np.array(self.line_share or [(0.0, 0.0)]).sum(axis=0)

        def within(misses: list[float], pixels: float) -> float:
            return float((np.array(misses) < pixels).mean()) if misses else np.nan

        return {
            "axes within 0.2 px": within(self.axes, GOALS["axes"]),
            "clicks within 0.5 px": within(self.snapped, GOALS["snapped"]),
            "length of lines within 0.7 px": float(good / length) if length else np.nan,
            "marks found": float(hit / true) if true else np.nan,
            "false among marks": float(false / (hit + false)) if hit + false else np.nan,
            "tops within 0.6 px": within(self.tops, GOALS["bars"]),
            "whiskers within 0.6 px": within(self.whiskers, GOALS["bars"]),
            "covered by 2 u": float(np.mean(self.covered)) if self.covered else np.nan,
        }


def checked(seeds: Iterable[int], what: str) -> Tally:
    """The tally of some charts of a kind: lines, marks, both or bars."""
    tally = Tally()
    for seed in seeds:
        chart, rng = drawn(seed, what), np.random.default_rng(seed)
        frame = _axes(chart, tally)
        if what == "bars":
            _bars(chart, frame, tally)
            continue
        for series in chart.series:
            if what == "lines":
                _line(chart, series, frame, rng, tally)
            else:
                _clicks(chart, series, frame, rng, tally)
                _marks(chart, series, rng, tally)
    return tally


def _axes(chart: Drawn, tally: Tally) -> Frame | None:
    """Both axes by the ticks that are found, clicked where they are drawn; their misses against those as drawn."""
    found = found_frame(chart.picture.pixels)
    axes, truth = [], []
    for k, name in enumerate("xy"):
        where = chart.tick_places[k]
        if len(where) < 2:
            return None  # one decade only: its numbers are between
        truth.append(calibrated([Mark(*p, float(v)) for p, v in zip(where, chart.ticks[k], strict=True)],
                                chart.kinds[k], name))  # fmt: skip
        marks = _clicked(found, k, where, chart.ticks[k])
        if len(marks) < 2:
            tally.axes.append(np.inf)
            return None
        majors = getattr(found, name).majors
        even = np.array([(tick.px, tick.py) for tick in majors]).reshape(-1, 2)
        axes.append(calibrated(filled([marks[0], marks[-1]], chart.kinds[k], even), chart.kinds[k], name))
    frame, true = framed(*axes), framed(*truth)
    for k in (0, 1):
        low, high = chart.limits[k]
        ends = np.geomspace(low, high, 5) if chart.kinds[k] == "log10" else np.linspace(low, high, 5)
        at = np.full((5, 2), float(np.sqrt(np.prod(chart.limits[1 - k])) if chart.kinds[1 - k] == "log10"
                                   else np.mean(chart.limits[1 - k])))  # fmt: skip
        at[:, k] = ends
        way = np.asarray((true.x, true.y)[k].along) / np.hypot(*(true.x, true.y)[k].along)
        tally.axes.append(float(np.abs((frame.pixels(at) - true.pixels(at)) @ way).mean()))
    return frame


def _clicked(found: FoundFrame, k: int, where: np.ndarray, values: np.ndarray) -> list[Mark]:
    """What a click on each tick that is drawn snaps to: a long tick that was found, else a corner or short one."""
    axis = (found.x, found.y)[k]
    if axis is None:
        return []
    way = (where[-1] - where[0]) / np.hypot(*(where[-1] - where[0]))
    majors = np.array([(tick.px, tick.py) for tick in axis.majors]).reshape(-1, 2)
    for places in (majors, found.places()):
        marks = []
        for at, value in zip(where, values, strict=True):
            off = np.hypot(*(places - at).T)
            off[np.abs((places - at) @ way) > 3] = np.inf  # beside the axis a grid shows the same value
            if off.size and np.isfinite(off.min()):
                marks.append(Mark(*map(float, places[np.argmin(off)]), float(value)))
        if len(marks) >= 2:
            return marks
    return []


def _covered(frame: Frame | None, series: SeriesSpec, truth: np.ndarray, tally: Tally) -> None:
    if frame is None:
        return
    found = traced(frame, series)
    order = np.argsort(truth[:, 0], kind="stable")
    for numbers, u, true in ((found.x, found.u_x, truth[order, 0]), (found.y, found.u_y, truth[order, 1])):
        if series.kind != "line" or numbers is found.y:
            tally.covered += (np.abs(numbers - true) <= 2 * u).tolist()


def _clicks(chart: Drawn, series: Series, frame: Frame | None, rng: np.random.Generator, tally: Tally) -> None:
    everything = np.concatenate([one.pixels for one in chart.series])
    places, truth = [], []
    for place, value in zip(series.pixels, series.values, strict=True):
        if (np.hypot(*(everything - place).T) < 1.3 * series.size).sum() > 1:
            continue  # it is not told what a click between two that overlap means
        click = place + rng.uniform(-4, 4, 2) / np.sqrt(2) * min(1.0, series.size / 8)
        try:
            at = snapped(chart.picture, (float(click[0]), float(click[1])))
        except InputError:
            tally.snapped.append(np.inf)
            continue
        tally.snapped.append(float(np.hypot(at.px - place[0], at.py - place[1])))
        if tally.snapped[-1] < 2:  # what snapped to something else is counted above
            places.append(at.place)
            truth.append(value)
    if places:
        order = np.argsort([t[0] for t in truth], kind="stable")
        spec = SeriesSpec(id="a", places=tuple(places[k] for k in order), order="as placed")
        _covered(frame, spec, np.array(truth)[order], tally)


def _marks(chart: Drawn, series: Series, rng: np.random.Generator, tally: Tally) -> None:
    everything = np.concatenate([one.pixels for one in chart.series])
    off = np.sort(np.hypot(*(series.pixels[:, None] - everything[None]).transpose(2, 0, 1)), axis=1)[:, 1]
    alone, visible = np.flatnonzero(off > 1.8 * series.size), off > 0.6 * series.size
    if alone.size == 0:
        return
    shown = series.pixels[rng.choice(alone)]
    try:
        found = marks_alike(chart.picture, (float(shown[0]), float(shown[1])), _box(chart)).places
    except InputError:
        tally.marks_found.append((int(visible.sum()), 0, 0))
        return
    away = np.hypot(*(found[:, None] - series.pixels[None]).transpose(2, 0, 1))
    near = max(1.0, 0.15 * series.size)
    hit = away.min(axis=0) < near
    false = away.min(axis=1) > max(1.0, 0.2 * series.size)
    tally.marks_found.append((int(visible.sum()), int((hit & visible).sum()), int(false.sum())))


def _box(chart: Drawn) -> tuple[float, float, float, float]:
    ends = np.array([(x, y) for x in chart.limits[0] for y in chart.limits[1]])
    pixels = chart.to_pixels(ends)
    return (*pixels.min(axis=0) + 2, *pixels.max(axis=0) - 2)


def _line(chart: Drawn, series: Series, frame: Frame | None, rng: np.random.Generator, tally: Tally) -> None:
    numbers = np.linspace(0, len(series.pixels) - 1, 6000)
    true = np.stack([np.interp(numbers, np.arange(len(series.pixels)), series.pixels[:, k]) for k in (0, 1)], axis=1)
    others = [one.pixels for one in chart.series if one is not series]
    rest = np.concatenate(others) if others else np.full((1, 2), -1e9)
    for _ in range(50):  # a click that is plainly on this line
        click = true[rng.integers(600, 5400)] + rng.uniform(-2, 2, 2)
        if np.hypot(*(rest - click).T).min() > 4 + 2 * series.width:
            break
    length = np.r_[np.hypot(*np.diff(true, axis=0).T), 0]
    try:
        found = follow(chart.picture, (float(click[0]), float(click[1])), _box(chart))
    except InputError:
        tally.line_share.append((float(length.sum()), 0.0))
        return
    along = np.r_[0, np.cumsum(np.hypot(*np.diff(found.places, axis=0).T))]
    even = np.linspace(0, along[-1], int(along[-1] * 5) + 2)
    dense = np.stack([np.interp(even, along, found.places[:, k]) for k in (0, 1)], axis=1)
    good = cKDTree(dense).query(true)[0] < GOALS["line"]
    tally.line_share.append((float(length.sum()), float(length[good].sum())))
    near = cKDTree(true).query(found.places)[0] < 2
    if frame is not None and near.sum() > 20 and (np.diff(found.places[near, 0]) > 0).all():
        places = found.places[near][5:-5:7]
        spec = SeriesSpec(id="a", kind="line", places=tuple(map(tuple, places.tolist())), width=found.width)
        numbers_ = traced(frame, spec)
        way = np.log if chart.kinds[0] == "log10" else np.asarray
        up = np.log if chart.kinds[1] == "log10" else np.asarray
        y = np.interp(way(numbers_.x), way(series.values[:, 0]), up(series.values[:, 1]))
        y = np.exp(y) if chart.kinds[1] == "log10" else y
        tally.covered += (np.abs(numbers_.y - y) <= 2 * numbers_.u_y).tolist()


def _bars(chart: Drawn, frame: Frame | None, tally: Tally) -> None:
    groups = chart.groups
    at = chart.to_pixels(np.array([[0, 0], [1, 0], [0, 1.0]]))
    across, up = at[1] - at[0], (at[2] - at[0]) / np.hypot(*(at[2] - at[0]))
    for group in range(int(groups.max()) + 1):
        bars, whiskers = chart.bars[groups == group], chart.whiskers[groups == group]
        values, ends = chart.bar_values[groups == group], chart.whisker_values[groups == group]
        click = bars[0].mean(axis=0) + 0.075 / (groups.max() + 1) * across
        click = 0.5 * (click + bars[0][0] + click - bars[0].mean(axis=0))
        try:
            found = bars_alike(chart.picture, (float(click[0]), float(click[1])), tuple(up), tuple(across))
        except InputError:
            tally.tops += [np.inf] * len(bars)
            tally.whiskers += [np.inf] * 2 * len(bars)
            continue
        tops = np.array([bar.top for bar in found])
        for k, (bar, whisker) in enumerate(zip(bars, whiskers, strict=True)):
            one = found[int(np.argmin(np.hypot(*(tops - bar[1]).T)))]
            tally.tops.append(float(abs((np.array(one.top) - bar[1]) @ up)))
            for end, true in zip((one.lower, one.upper), whisker, strict=True):
                tally.whiskers.append(np.inf if end is None else float(abs((np.array(end) - true) @ up)))
            if frame is not None and tally.tops[-1] < 2 and max(tally.whiskers[-2:]) < 2:
                spec = BarSpec(base=one.base, top=one.top, lower=one.lower, upper=one.upper)
                number = traced_bars(frame, SeriesSpec(id="b", kind="bars", bars=(spec,)))[0]
                half = float(ends[k, 1, 1] - ends[k, 0, 1]) / 2
                tally.covered.append(abs(number.value - float(values[k, 1, 1])) <= 2 * number.u)
                tally.covered.append(abs(float(number.half or 0) - half) <= 2 * float(number.u_half or 0))


if __name__ == "__main__":
    first, count = (int(word) for word in (*sys.argv[1:3], "0", "50")[:2]) if len(sys.argv) > 2 else (0, 50)
    for kind in ("lines", "marks", "both", "bars"):
        shares = checked(range(first, first + count), kind).shares()
        print(kind, {name: round(share, 3) for name, share in shares.items() if np.isfinite(share)})
