"""Charts: axes by marks against closed forms, skewed and turned, with u by Monte Carlo."""

from __future__ import annotations

import csv
import io
import json

import numpy as np
import pytest
from PIL import Image

import curvesieve as cs
from curvesieve.cli import main
from curvesieve.core.errors import InputError
from curvesieve.core.tracing.axes import HALF_PIXEL, Mark, calibrated, filled, framed
from curvesieve.core.tracing.back import look_back
from curvesieve.core.tracing.parts import AxisSpec, BarSpec, MarkSpec, Prepared, SeriesSpec, TraceSpec
from curvesieve.core.tracing.picture import open_picture, read_picture
from curvesieve.core.tracing.prepare import carried
from curvesieve.core.tracing.rows import decades, even_ones
from curvesieve.core.tracing.saved import load, written
from curvesieve.core.tracing.told import told_of
from curvesieve.core.tracing.typed import said, value_of
from curvesieve.core.tracing.values import between, curve_of, frame_of, standard_uncertainty, traced, traced_bars
from tests.core.charts import drawn


def chart(turn: float, skew: float, scale: float = 1.0):
    """Pixels of even values: turned and skewed by degrees."""
    a, b = np.radians(turn), np.radians(turn + skew)
    ex = 40 * scale * np.array([np.cos(a), np.sin(a)])
    ey = 30 * scale * np.array([np.sin(b), -np.cos(b)])
    return np.array([100.0, 400.0]), ex, ey


@pytest.mark.parametrize("turn", [0.0, 3.0, -2.0, 90.0])
@pytest.mark.parametrize("skew", [0.0, 5.0])
@pytest.mark.parametrize("kind", ["linear", "log10", "ln", "reciprocal"])
def test_values_are_those_of_the_pixels_for_turned_and_skewed_axes(turn, skew, kind):
    back = {"linear": lambda s: s, "log10": lambda s: 10.0**s, "ln": np.exp, "reciprocal": lambda s: 1 / s}[kind]
    corner, ex, ey = chart(turn, skew)
    xs, ys = [0.5, 2.0, 4.0], [1.0, 3.0]
    x = calibrated([Mark(*(corner + s * ex + 0.0 * ey), float(back(np.array(s)))) for s in xs], kind, "x")
    y = calibrated([Mark(*(corner + 0.3 * ex + t * ey), t) for t in ys], "linear", "y")
    frame = framed(x, y)
    rng = np.random.default_rng(0)
    s, t = rng.uniform(0.5, 4, 50), rng.uniform(0, 5, 50)
    pixels = corner + s[:, None] * ex + t[:, None] * ey
    found = frame.values(pixels)
    assert found[:, 0] == pytest.approx(back(s), rel=1e-9)
    assert found[:, 1] == pytest.approx(t, abs=1e-9)
    assert frame.pixels(found) == pytest.approx(pixels, abs=1e-7)
    assert np.abs(x.misses).max() < 1e-9


@pytest.mark.parametrize("kind", ["linear", "log10"])
def test_u_is_that_of_marks_and_places_that_are_read_to_half_a_pixel(kind):
    back = {"linear": lambda s: s, "log10": lambda s: 10.0**s}[kind]
    corner, ex, ey = chart(2.0, 4.0)
    rng = np.random.default_rng(1)
    place = corner + 2.7 * ex + 1.9 * ey
    true_x = [(corner + s * ex, float(back(np.array(s)))) for s in (0.0, 4.0)]
    true_y = [(corner + t * ey, t) for t in (0.0, 5.0)]

    def frame_of(noise: float):
        marks = [[Mark(*(at + rng.normal(0, noise, 2)), v) for at, v in one] for one in (true_x, true_y)]
        return framed(calibrated(marks[0], kind, "x", 0.5), calibrated(marks[1], "linear", "y", 0.5))

    drawn = np.array([frame_of(0.5).values((place + rng.normal(0, 0.5, 2))[None])[0] for _ in range(4000)])
    told = frame_of(0.0).u(place[None], 0.5)[0]
    assert told == pytest.approx(drawn.std(axis=0), rel=0.08)


def test_marks_that_cannot_be_axes_are_refused():
    good = [Mark(0, 0, 1.0), Mark(10, 0, 2.0)]
    for marks, scale, told in (
        (good[:1], "linear", "two marks"), ([good[0], Mark(0, 0, 2.0)], "linear", "one pixel"),
        ([good[0], Mark(5, 0, 1.0)], "linear", "have the value 1"),
        ([Mark(0, 0, 0.0), good[1]], "log10", "no place for 0"),
        ([Mark(0, 0, 0.0), good[1]], "reciprocal", "no place for 0"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=told):
            calibrated(marks, scale, "x")
    one = calibrated(good, "linear", "x")
    with pytest.raises(InputError, match="one direction"):
        framed(one, calibrated([Mark(0, 5, 1.0), Mark(10, 5, 3.0)], "linear", "y"))
    three = calibrated([*good, Mark(20.6, 0, 3.0)], "linear", "x")
    assert np.abs(three.misses).max() == pytest.approx(0.2, abs=0.01)
    assert three.u_px > 0.2


# -- pictures -----------------------------------------------------------------------------------------


def png(pixels: np.ndarray, **kwargs) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, format=kwargs.pop("format", "PNG"), **kwargs)
    return buffer.getvalue()


def test_pictures_are_opened_with_care(tmp_path):
    white = np.full((60, 80, 3), 255, np.uint8)
    picture = read_picture(png(white), "a.png")
    assert picture.size == (80, 60)
    clear = np.zeros((60, 80, 4), np.uint8)
    assert read_picture(png(clear), "a.png").pixels.min() == 255, "on white where it is transparent"
    sixteen = np.full((60, 80), 65535, np.uint16)
    assert read_picture(png(sixteen), "a.png").pixels.min() == 255
    frames = [Image.fromarray(white), Image.fromarray(white // 2)]
    buffer = io.BytesIO()
    frames[0].save(buffer, format="TIFF", save_all=True, append_images=frames[1:])
    assert "2 pictures" in read_picture(buffer.getvalue(), "a.tif").notes[0]
    for content, told in (
        (b"time,force\n1,2\n", "no picture"), (png(white)[:-60], "damaged"), (png(white[:10]), "at the least"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=told):
            read_picture(content, "a.png")
    with pytest.raises(InputError, match="cannot be read"):
        open_picture(tmp_path / "none.png")


# -- numbers ------------------------------------------------------------------------------------------


def trace(x_scale="log10", **kwargs) -> TraceSpec:
    marks = ((100, 400, 1e-3), (500, 400, 10.0)), ((100, 400, 0.0), (100, 100, 60.0))
    x, y = (tuple(MarkSpec(px=a, py=b, value=v) for a, b, v in one) for one in marks)
    return TraceSpec(
        x=AxisSpec(scale=x_scale, unit="d", label="Time", marks=x), y=AxisSpec(unit="%", marks=y), **kwargs
    )


def test_u_of_traced_points_and_of_half_lengths_is_that_of_pixels_drawn_again():
    """Against a Monte Carlo of marks and places to half a pixel either way, in normal errors of the same u."""
    spec = SeriesSpec(id="a", places=((300.0, 250.0),))
    bar = BarSpec(base=(300, 400), top=(300, 250), lower=(300, 270), upper=(300, 228))
    bars = SeriesSpec(id="b", kind="bars", bars=(bar,))
    told, half = traced(frame_of(trace()), spec), traced_bars(frame_of(trace()), bars)[0]
    assert (told.x[0], told.y[0]) == pytest.approx((0.1, 30.0))
    assert (half.value, half.half, half.lower, half.upper) == pytest.approx((30, 4.2, 26, 34.4))
    rng = np.random.default_rng(3)

    def off(place):
        return tuple(np.array(place) + rng.normal(0, HALF_PIXEL, 2))

    again, halves = [], []
    for _ in range(1500):
        true = trace()
        moved = {name: getattr(true, name).model_copy(update={"marks": tuple(
            MarkSpec(px=off((m.px, 0))[0], py=off((m.py, 0))[0], value=m.value) for m in getattr(true, name).marks)})
            for name in ("x", "y")}  # fmt: skip
        frame = frame_of(true.model_copy(update=moved))
        again.append(frame.values(np.array([off((300, 250))]))[0])
        ends = frame.values(np.array([off(bar.lower), off(bar.top), off(bar.upper), off(bar.top)]))[:, 1]
        halves.append((abs(ends[0] - ends[1]) + abs(ends[2] - ends[3])) / 2)
    assert (told.u_x[0], told.u_y[0]) == pytest.approx(np.std(again, axis=0), rel=0.08)
    assert half.u_half == pytest.approx(np.std(halves), rel=0.08)


def test_what_a_whisker_is_says_its_u():
    """Closed forms; Student's t for 4 degrees of freedom, 2.776, from a printed table (from memory)."""
    assert standard_uncertainty(3.0, "standard error", None)[0] == 3.0
    assert standard_uncertainty(3.0, "standard deviation", 9)[0] == pytest.approx(1.0)
    assert standard_uncertainty(3.0, "standard deviation", None) is None
    assert standard_uncertainty(2.776, "95 % interval", 5)[0] == pytest.approx(1.0, rel=2e-4)
    assert standard_uncertainty(1.96, "95 % interval", None)[0] == pytest.approx(1.0, rel=1e-4)
    assert standard_uncertainty(3.0, "range", 9) is None


def test_even_ticks_take_their_values_from_two_that_were_typed():
    even = np.array([(100 + 50.0 * k, 400 + 0.5 * k) for k in range(9)])
    typed = [Mark(100, 400, 1e-3), Mark(300, 402, 10.0)]
    marks = filled(typed, "log10", even)
    assert len(marks) == 9
    assert sorted(m.value for m in marks) == pytest.approx(10.0 ** (-3 + np.arange(9)))
    assert [m.typed for m in marks[:2]] == [True, True]
    assert filled([typed[0], Mark(317, 402, 10.0)], "log10", even)[2:] == (), "a mark beside the ticks stays alone"
    assert calibrated(marks, "log10", "x").u_px < HALF_PIXEL


def test_the_line_of_a_series_has_u_of_y_at_a_given_x():
    """On a straight line of slope s in pixels, u² of reading is (1 + s²) times that of y alone (a closed form)."""
    places = tuple((200.0 + k, 300.0 - 2.0 * k) for k in range(21))
    flat = trace("linear")
    line = traced(frame_of(flat), SeriesSpec(id="a", kind="line", places=places, order="as placed"))
    points = traced(frame_of(flat), SeriesSpec(id="a", places=places, order="as placed"))
    slope = np.diff(points.y)[0] / np.diff(points.x)[0]
    assert line.u_y[10] == pytest.approx(np.hypot(points.u_y[10], slope * points.u_x[10]), rel=1e-6)


# -- scripts, saved traces, the command line ----------------------------------------------------------


@pytest.fixture(scope="module")
def chart_file(tmp_path_factory):
    chart = drawn(4, "lines", style="default", dpi=100, large=4, turn=0.7, kinds=("log", "linear"), count=1, quality=0)
    path = tmp_path_factory.mktemp("chart") / "chart.png"
    path.write_bytes(png(chart.picture.pixels))
    (x0, x1), (y0, y1) = chart.limits
    ends = chart.to_pixels(np.array([(x0, y0), (x1, y0), (x0, y1)]))
    axes = {
        "x": [(*map(float, ends[0]), x0), (*map(float, ends[1]), x1)],
        "y": [(*map(float, ends[0]), y0), (*map(float, ends[2]), y1)],
    }
    return chart, path, axes


def test_a_script_opens_calibrates_and_follows(chart_file):
    chart, path, axes = chart_file
    opened = cs.Chart.open(path)
    with pytest.raises(InputError, match="two marks"):
        opened.follow(tuple(chart.series[0].pixels[300]))
    calibrated_ = opened.with_axes(**axes, x_scale="log10", x_unit="d")
    curve = calibrated_.follow(tuple(chart.series[0].pixels[300]), points=60)
    assert (len(curve), curve.x_unit) == (60, "d")
    true = np.interp(np.log(curve.x), np.log(chart.series[0].values[:, 0]), chart.series[0].values[:, 1])
    assert (np.abs(curve.y - true) <= 3 * curve.u)[1:-1].mean() > 0.97
    place = calibrated_.snap(tuple(chart.series[0].pixels[200] + 1.5))
    assert np.hypot(*(chart.series[0].pixels - place).T).min() < 0.5
    with pytest.raises(InputError, match="no place for 0"):
        opened.with_axes([(0, 0, 0.0), (10, 0, 1.0)], axes["y"], x_scale="log10")
    with pytest.raises(InputError, match="scale known"):
        opened.with_axes(axes["x"], axes["y"], x_scale="cubic")


def test_a_saved_trace_is_read_without_a_window(chart_file, tmp_path, capsys):
    chart, path, axes = chart_file
    places = tuple(map(tuple, chart.series[0].pixels[100:500:40].tolist()))
    series = SeriesSpec(id="a", name="release", places=places)
    x, y = (AxisSpec(scale=s, unit=u, marks=tuple(MarkSpec(px=a, py=b, value=v) for a, b, v in axes[n]))
            for n, s, u in (("x", "log10", "d"), ("y", "linear", "%")))  # fmt: skip
    whole = TraceSpec(x=x, y=y, series=(series,), origin="Report 12, figure 3")
    (path.parent / "t.json").write_text(written(whole, path.name, open_picture(path).sha256))
    again, _, notes = load(path.parent / "t.json")
    assert again.series == (series,)
    assert notes == ()
    out = tmp_path / "numbers.csv"
    assert main(["trace", str(path.parent / "t.json"), "--out", str(out)]) == 0
    rows = list(csv.reader(out.read_text().splitlines()))
    assert rows[0] == ["series", "point", "x (d)", "u(x) (d)", "y (%)", "u(y) (%)"]
    assert [float(row[2]) for row in rows[1:]] == pytest.approx(chart.series[0].values[100:500:40, 0], rel=1e-3)
    said = capsys.readouterr().err
    assert "release: mean miss 0." in said
    assert main(["trace", str(path.parent / "t.json")]) == 0
    assert capsys.readouterr().out.startswith("series,point,x (d)")


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"picture": "none.png"}, "none.png cannot be read"), ({"series": []}, "no series"),
        ({"x": {"marks": []}}, "two marks"), ({"trace": 2}, "not a trace: trace"), ({"sheet": 1}, "not a trace: sheet"),
        ({"series": [{"id": "a", "by_hand": [4]}]}, "by_hand"), ({"series": [{"id": "a"}]}, "no point yet"),
        ({"y": {"scale": "log10", "marks": [{"px": 0, "py": 0, "value": 0}, {"px": 0, "py": 9, "value": 1}]}},
         "no place for 0"),
    ],
)  # fmt: skip
def test_traces_that_cannot_be_read_say_why(chart_file, tmp_path, capsys, change, said):
    _, path, axes = chart_file
    marks = {n: {"marks": [{"px": a, "py": b, "value": v} for a, b, v in axes[n]]} for n in "xy"}
    content = {"trace": 1, "picture": "chart.png", "series": [{"id": "a", "places": [[100, 100]]}], **marks, **change}
    (tmp_path / "chart.png").write_bytes(path.read_bytes())
    (tmp_path / "t.json").write_text(json.dumps(content))
    assert main(["trace", str(tmp_path / "t.json")]) == 2
    assert said in capsys.readouterr().err


def test_a_picture_that_is_another_one_is_told(chart_file, tmp_path):
    _, path, _ = chart_file
    whole = written(TraceSpec(), path.name, open_picture(path).sha256)
    (tmp_path / "chart.png").write_bytes(png(np.full((60, 80, 3), 200, np.uint8)))
    (tmp_path / "t.json").write_text(whole)
    assert "SHA-256 differs" in load(tmp_path / "t.json")[2][0]


def test_marks_are_typed_with_units_and_as_dates():
    assert value_of("10 min", "linear", "") == (10.0, "min")
    assert value_of("2 h", "linear", "min") == (120.0, "min")
    assert value_of("1e-3", "log10", "d") == (1e-3, "d")
    assert value_of("−5", "linear", "mV") == (-5.0, "mV")
    day = 86_400.0
    assert value_of("1970-01-02", "dates", "")[0] == day
    assert value_of("2000", "dates", "")[0] == 10_957 * day, "days from 1970 to 2000, of which 7 in leap years"
    assert said(10_957 * day, "dates") == "2000-01-01"
    assert said(day + 5_400, "dates") == "1970-01-02 01:30"
    for text, scale, unit, told in (
        ("ten", "linear", "", "not a number"), ("3 mm", "linear", "s", "different things"),
        ("soon", "dates", "", "not a date"), ("2023-02-30", "dates", "", "calendar"),
    ):  # fmt: skip
        with pytest.raises(InputError, match=told):
            value_of(text, scale, unit)


def test_an_axis_of_dates_counts_seconds_from_the_first_without_losing_digits():
    start = 1_700_000_000.0
    marks = tuple(MarkSpec(px=px, py=400, value=start + v) for px, v in ((100, 0.0), (500, 400.0)))
    spec = trace().model_copy(update={"x": AxisSpec(scale="dates", label="Time", marks=marks)})
    curve = curve_of(spec, SeriesSpec(id="a", places=((100.0, 400.0), (101.0, 250.0))))
    assert curve.x == pytest.approx([0, 1], abs=1e-9)
    assert curve.x_unit == "s"
    assert curve.x_label.startswith("Time since 2023-11-14 22:13")


def test_a_saved_trace_of_a_turned_picture_has_the_same_numbers(chart_file):
    """What is written after the picture was turned reads as what was written before."""
    chart, path, axes = chart_file
    places = tuple(map(tuple, chart.series[0].pixels[100:500:80].tolist()))
    x, y = (AxisSpec(scale=s, marks=tuple(MarkSpec(px=a, py=b, value=v) for a, b, v in axes[n]))
            for n, s in (("x", "log10"), ("y", "linear")))  # fmt: skip
    before = TraceSpec(x=x, y=y, series=(SeriesSpec(id="a", places=places),))
    turned = Prepared(turn=-4.0, crop=(10, 10, 480, 390))
    picture = open_picture(path)
    after = carried(before, Prepared(), turned, picture.size)
    (path.parent / "turned.json").write_text(written(after, path.name, picture.sha256, turned))
    saved, shown, _ = load(path.parent / "turned.json")
    assert shown.size == (470, 380)
    assert traced(frame_of(saved), saved.series[0]).y == pytest.approx(traced(frame_of(before), before.series[0]).y)
    assert look_back(shown, frame_of(saved), saved.series[0]).worst < 0.6


def test_where_a_value_is_on_its_axis_is_said_in_words():
    axis = trace().x
    assert [between(axis, v) for v in (1e-4, 1e-3, 0.5, 20.0)] == [
        "before 0.001", "at 0.001", "between 0.001 and 10", "beyond 10",
    ]  # fmt: skip


def test_corners_of_a_frame_that_stand_close_to_a_step_are_none_of_the_ticks():
    inner = np.array([200.0, 300.2, 399.9, 500.0])
    assert even_ones(np.r_[98.6, inner, 601.5]).tolist() == [False, *[True] * 4, False]
    assert even_ones(np.r_[100.1, inner, 600.0]).all()
    assert even_ones(np.r_[inner, 552.0]).tolist() == [*[True] * 4, False]
    logs = np.r_[10.0, 10 + 90 * np.log10(np.arange(2, 10)), 100.0, 190.0]
    assert np.flatnonzero(decades(logs)).tolist() == [0, 9, 10]
    assert decades(inner) is None


def test_what_a_trace_says_of_itself_names_its_origin_and_its_marks():
    words = told_of(TraceSpec(origin="Report 7, page 3"))
    assert words == "from Report 7, page 3; its axes are not calibrated"
