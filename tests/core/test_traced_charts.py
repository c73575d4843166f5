"""Charts drawn by Matplotlib with known data are traced: shares within the goals, on a seeded sample.

`python -m tests.core.trace_checks 0 50` does the same for 200 charts.
"""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from curvesieve.core.errors import InputError
from curvesieve.core.tracing.alike import marks_alike
from curvesieve.core.tracing.bars import bars_alike
from curvesieve.core.tracing.follow import follow
from curvesieve.core.tracing.lines import straight_lines
from curvesieve.core.tracing.picture import Picture
from curvesieve.core.tracing.snap import snapped
from curvesieve.core.tracing.thin import redrawn, thinned
from curvesieve.core.tracing.ticks import found_frame
from tests.core.charts import drawn
from tests.core.trace_checks import checked

SAMPLES = {
    "lines": (range(6), {"axes within 0.2 px": 0.95, "length of lines within 0.7 px": 0.97}),
    "marks": (range(1, 5), {"axes within 0.2 px": 0.95, "clicks within 0.5 px": 0.93, "marks found": 0.97}),
    "both": (range(4, 8), {"axes within 0.2 px": 0.95, "clicks within 0.5 px": 0.93, "marks found": 0.97}),
    "bars": (range(6), {"axes within 0.2 px": 0.95, "tops within 0.6 px": 0.97, "whiskers within 0.6 px": 0.97}),
}


@pytest.mark.parametrize("what", SAMPLES)
def test_what_is_traced_is_what_was_drawn(what):
    seeds, goals = SAMPLES[what]
    shares = checked(seeds, what).shares()
    for name, least in goals.items():
        assert shares[name] >= least, (name, shares)
    assert shares["covered by 2 u"] >= 0.93, shares
    if what in ("marks", "both"):
        assert shares["false among marks"] <= 0.02, shares


def canvas(height: int = 300, width: int = 400, ground: int = 255) -> np.ndarray:
    return np.full((height, width, 3), ground, np.uint8)


def picture(pixels: np.ndarray) -> Picture:
    return Picture("c.png", pixels, "")


def stroke(pixels: np.ndarray, places: np.ndarray, width: float, colour: int = 0) -> None:
    """An anti-aliased stroke: each pixel is covered by how near its middle is to the line, a closed form."""
    ys, xs = np.mgrid[: pixels.shape[0], : pixels.shape[1]] + 0.5
    away = np.full(xs.shape, np.inf)
    for a, b in itertools.pairwise(places):
        way = b - a
        t = np.clip(((xs - a[0]) * way[0] + (ys - a[1]) * way[1]) / (way @ way), 0, 1)
        away = np.minimum(away, np.hypot(xs - a[0] - t * way[0], ys - a[1] - t * way[1]))
    cover = np.clip(width / 2 + 0.5 - away, 0, 1)[..., None]
    pixels[:] = np.round(pixels * (1 - cover) + colour * cover).astype(np.uint8)


def test_at_a_crossing_of_two_lines_of_one_colour_each_goes_straight_on():
    pixels = canvas()
    stroke(pixels, np.array([(20.0, 40.3), (380.0, 250.7)]), 2.0)
    stroke(pixels, np.array([(20.0, 250.2), (380.0, 60.1)]), 2.0)
    falls = follow(picture(pixels), (60.0, 64.0))
    assert falls.places[0] == pytest.approx((20, 40.3), abs=1.5)
    assert falls.places[-1] == pytest.approx((380, 250.7), abs=1.5)
    along = falls.places[(falls.places[:, 0] > 25) & (falls.places[:, 0] < 375)]
    assert np.abs(along[:, 1] - (40.3 + (along[:, 0] - 20) * 210.4 / 360)).max() < 0.5


@pytest.mark.parametrize("dash", [6.0, 12.0])
def test_dashes_are_one_line_and_what_was_not_drawn_is_said(dash):
    pixels = canvas()
    for x in np.arange(20, 370, 2 * dash):
        stroke(pixels, np.array([(x, 200 - 0.3 * x), (x + dash, 200 - 0.3 * (x + dash))]), 2.0)
    line = follow(picture(pixels), (23.0, 194.0))
    assert line.places[0, 0] < 22
    assert line.places[-1, 0] > 355
    assert line.gaps > 60
    assert np.abs(line.places[:, 1] - (200 - 0.3 * line.places[:, 0])).max() < 0.7


def test_a_thin_grey_line_on_grey_is_followed_and_a_gap_too_wide_ends_it():
    pixels = canvas(ground=180)
    stroke(pixels, np.array([(30.0, 150.5), (200.0, 120.25)]), 1.0, 120)
    stroke(pixels, np.array([(300.0, 120.25), (380.0, 150.5)]), 1.0, 120)
    line = follow(picture(pixels), (100.0, 138.0))
    assert line.places[-1] == pytest.approx((200, 120.25), abs=1.5)
    assert line.stops == ("the line ends", "the line ends")


def test_a_narrow_peak_that_was_passed_by_is_told():
    pixels = canvas()
    stroke(pixels, np.array([(20.0, 250.0), (200.0, 250.0), (200.5, 60.0), (201.0, 250.0), (380.0, 250.0)]), 3.0)
    line = follow(picture(pixels), (60.0, 250.0))
    peak = line.places[:, 1].min() < 70
    assert peak or line.beside > 0.2, "the peak is followed, or that ink was left is said"


def test_pieces_of_a_thick_line_are_no_marks():
    """Triangles on a line half as thick as they are, of one colour with it."""
    chart = drawn(40, "both")
    series = chart.series[1]
    found = marks_alike(chart.picture, tuple(series.pixels[6])).places
    away = np.hypot(*(found[:, None] - series.pixels[None]).transpose(2, 0, 1)).min(axis=1)
    assert len(found) == len(series.pixels)
    assert away.max() < 2


def test_places_that_cannot_be_are_refused():
    blank = picture(canvas())
    for act in (snapped, follow, marks_alike, bars_alike):
        with pytest.raises(InputError, match="outside the picture"):
            act(blank, (500.0, 10.0))
        with pytest.raises(InputError, match=r"Nothing is drawn here|colour of the paper"):
            act(blank, (100.0, 100.0))
    pixels = canvas()
    stroke(pixels, np.array([(20.0, 100.0), (380.0, 100.0)]), 2.0)
    with pytest.raises(InputError, match="This is a line, not a mark"):
        marks_alike(picture(pixels), (100.0, 100.0))
    with pytest.raises(InputError, match=r"No bar is here|inside a bar"):
        bars_alike(picture(pixels), (100.0, 100.5))
    dot = canvas()
    dot[100:103, 100:103] = 0
    with pytest.raises(InputError, match="No line goes on"):
        follow(picture(dot), (101.0, 101.0))


def test_lying_and_stacked_bars_are_found():
    pixels = canvas()
    for k, (length, more) in enumerate([(120, 40), (200, 30), (80, 60)]):
        pixels[40 + 70 * k : 80 + 70 * k, 50 : 50 + length] = (200, 60, 40)
        pixels[40 + 70 * k : 80 + 70 * k, 50 + length : 50 + length + more] = (40, 90, 200)
    first = bars_alike(picture(pixels), (60.0, 60.0), up=(1.0, 0.0), across=(0.0, 1.0))
    assert sorted(round(bar.top[0], 1) for bar in first) == [130.0, 170.0, 250.0]
    assert [bar.base[0] for bar in first] == pytest.approx([50, 50, 50], abs=0.1)
    second = bars_alike(picture(pixels), (180.0, 60.0), up=(1.0, 0.0), across=(0.0, 1.0))
    assert sorted((round(bar.base[0]), round(bar.top[0])) for bar in second) == [(130, 190), (170, 210), (250, 280)]
    assert all(bar.lower is None and bar.upper is None for bar in first)


def test_bars_that_hang_end_below_and_so_do_their_whiskers():
    pixels = canvas()
    for k, (height, half) in enumerate([(80, 15), (-60, 12), (50, 10)]):
        low, high = sorted((150, 150 - height))
        pixels[low:high, 50 + 90 * k : 90 + 90 * k] = (200, 60, 40)
        for row in (150 - height - half, 150 - height + half):
            stroke(pixels, np.array([(62.0 + 90 * k, row + 0.0), (78.0 + 90 * k, row)]), 2.0)
        stroke(pixels, np.array([(70.0 + 90 * k, 150.0 - height - half), (70.0 + 90 * k, 150.0 - height + half)]), 2.0)
    up, down, third = bars_alike(picture(pixels), (58.0, 110.0))
    assert (up.base[1], up.top[1]) == pytest.approx((150, 70), abs=0.2)
    assert (down.base[1], down.top[1]) == pytest.approx((150, 210), abs=0.2)
    assert (down.lower[1], down.upper[1]) == pytest.approx((222, 198), abs=0.3)
    assert (third.lower[1], third.upper[1]) == pytest.approx((110, 90), abs=0.3)


def test_lines_are_thinned_and_pieces_put_in():
    way = np.stack([np.linspace(0, 100, 101), 10 * np.sin(np.linspace(0, 6, 101))], axis=1)
    few = thinned(way, 11)
    assert few[:, 0] == pytest.approx(np.linspace(0, 100, 11))
    close = thinned(way, tolerance=0.2)
    assert 5 < len(close) < 60
    back = np.interp(way[:, 0], close[:, 0], close[:, 1])
    assert np.abs(back - way[:, 1]).max() < 0.25
    mended = redrawn(way, np.array([way[60], (50.0, 4.0), way[40]]))
    assert (np.diff(mended[:, 0]) > 0).all()
    assert [50.0, 4.0] in mended.tolist()
    for refused in (lambda: thinned(way, 1), lambda: thinned(way, tolerance=0.0), lambda: redrawn(way, way[:1])):
        with pytest.raises(InputError):
            refused()


def test_a_line_that_bars_stand_on_is_found_as_wide_as_it_is():
    pixels = canvas()
    for left in range(60, 360, 60):
        pixels[100:251, left : left + 44] = (31, 119, 180)
    pixels[251:253, 40:380] = 0
    (line,) = [one for one in straight_lines(pixels) if one.lying]
    assert (line.start[1], line.end[1]) == pytest.approx((252, 252), abs=0.3)
    assert line.width == pytest.approx(2, abs=0.3)
    assert line.length == pytest.approx(340, abs=3)


def test_ticks_beside_a_ground_without_a_frame_are_found():
    chart = drawn(11, "bars")
    assert "ggplot" in chart.told
    found = found_frame(chart.picture.pixels)
    for k, axis in enumerate((found.x, found.y)):
        at = np.sort([(tick.px, tick.py)[k] for tick in axis.majors])
        assert at == pytest.approx(np.sort(chart.tick_places[k][:, k]), abs=0.3)


def test_a_frame_of_a_large_picture_is_that_of_a_smaller_one():
    chart = drawn(4, "lines", style="default", dpi=150, large=4, turn=0.0, count=1, quality=0)
    small, large = (
        found_frame(chart.picture.pixels),
        found_frame(np.kron(chart.picture.pixels, np.ones((4, 4, 1), np.uint8))),
    )
    assert large.corners == pytest.approx(4 * small.corners, abs=1)
    for name in ("x", "y"):
        places = [[(tick.px, tick.py) for tick in getattr(one, name).majors] for one in (small, large)]
        assert np.array(places[1]) == pytest.approx(4 * np.array(places[0]), abs=1)


def test_a_chart_with_two_logarithmic_axes_is_told_as_such():
    chart = drawn(0, "lines", style="default", dpi=150, large=4, turn=0.7, kinds=("log", "linear"), quality=0)
    found = found_frame(chart.picture.pixels)
    assert found.x.crowding
    assert not found.y.crowding
    assert found_frame(canvas()).x is None
